"""A carriage on wheels: travel and steering from two controls."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace

from gremio.core.edit.change import must_have
from gremio.core.edit.controls import add_control, all_home
from gremio.core.edit.formulas import write
from gremio.core.edit.links import add_link
from gremio.core.edit.parts import change_part, set_joint, set_parent, set_stops
from gremio.core.frames import frame_of, matrix
from gremio.core.make.round_things import widest_round
from gremio.core.mechanics.wheels import STEERING_RANGE
from gremio.core.problem import GremioError
from gremio.core.quantity import short_number
from gremio.core.rig.channels import key
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import NOTHING, PartId, ThingId
from gremio.core.rig.model import Control, Driving, Joint, Rig, Rolling, Stops
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.ask import solve
from gremio.core.solve.pose import Pose

_TRAVEL = 10.0


@dataclass(frozen=True)
class Wheel:
    """A wheel of a carriage, read off its part. at: (along, aside, up) in the body (m)."""

    part: PartId
    at: tuple[float, float, float]
    radius: float


def wheel_radius(rig: Rig, part: PartId) -> float:
    """Of the widest round shape of a part (m). Raises GremioError for a part without one."""
    diameter = widest_round(rig, part)
    if diameter <= 0:
        raise GremioError(
            f"{rig.parts[part].name} has no round shape to read a radius from. Give it a "
            "cylinder or a tube, or a model of a wheel."
        )
    return diameter / 2


def make_carriage(
    rig: Rig,
    body: PartId,
    wheels: list[PartId],
    steered: list[PartId],
    limit: float = STEERING_RANGE,
    *,
    geometry: GeometryOf,
) -> Rig:
    """Make a wheeled carriage of a body and its wheels, with a control for travel and one for
    steering.

    body, wheels, steered: ids of parts; those steered are among the wheels. limit: of the
    steering either way (rad). The body moves in the plane; its wheels roll without slip as it
    goes, also backwards. Each steered wheel stands square to the line from the turning
    centre, which lies in line with the wheels that are not steered (Ackermann).
    Raises GremioError for fewer than two wheels.
    """
    if len(wheels) < 2 or not set(steered) <= set(wheels):
        raise GremioError("A carriage needs two wheels at least, and those steered among them.")
    if body in wheels:
        raise GremioError("The body of a carriage can't be one of its wheels.")
    for part in (body, *wheels):
        must_have(rig.parts, part, "part")
    home = solve(all_home(rig), geometry=geometry)
    found = [_read(rig, home, body, wheel) for wheel in wheels]
    unsteered = [w.at[0] for w in found if w.part not in steered]
    axle = sum(unsteered) / len(unsteered) if unsteered else 0.0
    front = [w.at[0] for w in found if w.part in steered]
    base = abs(sum(front) / len(front) - axle) if front else 0.0
    if front and base < 1e-6:
        raise GremioError(
            "The steered wheels of a carriage must stand before or behind the others. "
            "Choose those at one end."
        )
    rig = set_joint(rig, body, Joint("planar", "z"), home.part_of(body).channels)
    name = rig.parts[body].name
    rig, travel = add_control(
        rig,
        Control(free_name(names_in(rig), f"{name} travel"), "length", "m", -_TRAVEL, _TRAVEL),
    )
    steer = NOTHING
    if steered:
        called = free_name(names_in(rig), f"{name} steering")
        rig, steer = add_control(rig, Control(called, "angle", "deg", -limit, limit))
    rig, _ = add_link(rig, Driving(body, travel, steer, base or 1.0, axle))
    for wheel in found:
        rig = _fit_wheel(rig, home, body, wheel, wheel.part in steered, (steer, axle, base))
    return rig


def _read(rig: Rig, home: Pose, body: PartId, wheel: PartId) -> Wheel:
    inside = np.linalg.inv(home.world(body)) @ home.world(wheel)
    x, y, z = (float(v) for v in inside[:3, 3])
    return Wheel(wheel, (x, y, z), wheel_radius(rig, wheel))


def _fit_wheel(
    rig: Rig,
    home: Pose,
    body: PartId,
    wheel: Wheel,
    steers: bool,
    steering: tuple[ThingId, float, float],
) -> Rig:
    steer, axle, base = steering
    mount = np.eye(4)
    mount[:3, 3] = wheel.at
    # The wheel's mount stands as the body does, so that it steers about the upright and its
    # axle lies across; its shapes are turned back to stay where they are.
    inside = np.linalg.inv(home.world(body)) @ home.world(wheel.part)
    entry = rig.parts[wheel.part]
    back = np.linalg.inv(mount) @ inside
    shapes = tuple(
        replace(shape, place=frame_of(back @ matrix(shape.place))) for shape in entry.shapes
    )
    rig = change_part(rig, wheel.part, replace(entry, shapes=shapes))
    rig = set_parent(rig, wheel.part, body, frame_of(mount))
    joint = Joint("wheel", "y") if steers else Joint("spin", "y")
    rig = set_joint(rig, wheel.part, joint)
    rig, _ = add_link(rig, Rolling(key(wheel.part, "turn y"), wheel.radius))
    if not steers:
        return rig
    along, aside = (wheel.at[0] - axle) / base, wheel.at[1] / base
    name = _quoted(rig.controls[steer].name)
    one, two = short_number(along), short_number(aside)
    text = f"atan2({one} * tan({name}), 1 - {two} * tan({name}))"
    rig, _ = write(rig, key(wheel.part, "turn z"), text.replace("1 - -", "1 + "))
    return set_stops(rig, wheel.part, "turn z", Stops(-math.pi / 2, math.pi / 2))


def _quoted(name: str) -> str:
    return f'"{name}"'
