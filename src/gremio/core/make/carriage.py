"""A carriage on wheels: travel and steering from two controls."""

from __future__ import annotations

import math
from typing import Literal, get_args

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array, crossed
from gremio.core.edit.change import must_have
from gremio.core.edit.controls import add_control, all_home
from gremio.core.edit.formulas import write
from gremio.core.edit.links import add_link
from gremio.core.edit.mounts import move_mount
from gremio.core.edit.parts import change_part, set_joint, set_parent, set_stops
from gremio.core.frames import Frame, carried, frame_of, matrix
from gremio.core.make.axes import own_axis
from gremio.core.make.rolling import wheel_radius
from gremio.core.mechanics.wheels import STEERING_RANGE, steer_of_wheel
from gremio.core.problem import GremioError, listed
from gremio.core.quantity import short_number
from gremio.core.records import Record
from gremio.core.rig.channels import key
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import NOTHING, PartId, ThingId
from gremio.core.rig.model import Control, Driving, Joint, Rig, Rolling, Stops
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.ask import solve
from gremio.core.solve.pose import Pose

_TRAVEL = 10.0
# Whose angle the limit of a steering is.
LimitOf = Literal["inner", "mean", "outer"]


class Wheel(Record, frozen=True):
    """A wheel of a carriage, read off its part. at: (along, aside, up) in the body (m)."""

    part: PartId
    at: tuple[float, float, float]
    radius: float


def make_carriage(
    rig: Rig,
    body: PartId,
    wheels: list[PartId],
    steered: list[PartId],
    limit: float = STEERING_RANGE,
    limit_of: LimitOf = "mean",
    *,
    geometry: GeometryOf,
) -> Rig:
    """Make a wheeled carriage of a body and its wheels, with a control for travel and one for
    steering.

    body, wheels, steered: ids of parts; those steered are among the wheels. limit: of the
    steering either way (rad), of the wheel inside the curve, of the one outside, or of one in the
    middle of their axle (limit_of), which the steering tells. The body moves in the plane; its
    wheels roll without slip as it goes, also backwards. Each steered wheel stands square
    to the line from the turning centre, which lies in line with the wheels that are not steered
    (Ackermann). Raises GremioError for fewer than two wheels.
    """
    if len(wheels) < 2 or not set(steered) <= set(wheels):
        raise GremioError("A carriage needs two wheels at least, and those steered among them.")
    if limit_of not in get_args(LimitOf):
        raise GremioError(
            f"A steering is limited at its {listed(get_args(LimitOf))}, not {limit_of}."
        )
    if body in wheels:
        raise GremioError("The body of a carriage can't be one of its wheels.")
    for part in (body, *wheels):
        must_have(rig.parts, part, "part")
    home = solve(all_home(rig), geometry=geometry)
    rig = headed(rig, home, body, wheels, steered, geometry)
    home = solve(all_home(rig), geometry=geometry)
    found = [read_wheel(rig, home, body, wheel, geometry) for wheel in wheels]
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
        Control(
            free_name(names_in(rig), f"{name} travel"), "length", "m", -_TRAVEL, _TRAVEL, open=True
        ),
    )
    steer = NOTHING
    if steered:
        called = free_name(names_in(rig), f"{name} steering")
        turned = [w for w in found if w.part in steered]
        low, high = (_steers(turned, axle, base, limit, limit_of, side) for side in (-1, 1))
        rig, steer = add_control(rig, Control(called, "angle", "deg", -low, high))
    rig, _ = add_link(rig, Driving(body, travel, steer, base or 1.0, axle))
    for wheel in found:
        rig = _fit_wheel(rig, home, body, wheel, wheel.part in steered, (steer, axle, base))
    return rig


def _steers(
    wheels: list[Wheel], axle: float, base: float, limit: float, limit_of: LimitOf, side: int
) -> float:
    """How far (rad) the middle of a steered axle steers to a side (1 left, −1 right) where its
    wheels come to a limit."""
    if limit_of == "mean":
        return limit
    every = [
        steer_of_wheel(limit, abs(w.at[0] - axle) / base, side * w.at[1] / base) for w in wheels
    ]
    return min(every) if limit_of == "inner" else max(every)


def read_wheel(rig: Rig, home: Pose, body: PartId, wheel: PartId, geometry: GeometryOf) -> Wheel:
    """Where a wheel stands, as seen from the body's joint: the middle of its axle, where its model
    shows that."""
    must_have(rig.parts, body, "part")
    must_have(rig.parts, wheel, "part")
    inside = np.linalg.inv(_joint_frame(rig, home, body)) @ home.world(wheel)
    axle = own_axis(rig, wheel, geometry)
    at = inside[:3, 3] if axle is None else carried(inside, axle.at)
    x, y, z = (float(v) for v in at)
    return Wheel(wheel, (x, y, z), wheel_radius(rig, wheel, geometry))


def _joint_frame(rig: Rig, home: Pose, part: PartId) -> Array:
    entry = rig.parts[part]
    return home.frame_of(entry.parent) @ matrix(entry.mount)


def headed(
    rig: Rig,
    home: Pose,
    body: PartId,
    wheels: list[PartId],
    steered: list[PartId],
    geometry: GeometryOf,
) -> Rig:
    """The rig with the body's mount turned so that its x goes forward, square to the axles that the
    wheels' models show, its z upright, and midway between the wheels; nothing seen moves. As it is
    where they show none."""
    must_have(rig.parts, body, "part")
    axles: dict[PartId, tuple[Array, Array]] = {}
    for wheel in wheels:
        place = own_axis(rig, wheel, geometry)
        if place is None or place.direction is None:
            return rig
        frame = home.world(wheel)
        axles[wheel] = carried(frame, place.at), frame[:3, :3] @ place.direction
    if not axles:
        return rig
    up = np.array([0.0, 0.0, 1.0])
    first = next(iter(axles.values()))[1]
    across = np.sum([w * (1.0 if w @ first >= 0 else -1.0) for _, w in axles.values()], axis=0)
    across = across - up * across[2]
    if np.linalg.norm(across) < 0.5 * len(axles):
        # They stand upright, or all ways: that is no carriage of wheels side by side.
        return rig
    left = across / np.linalg.norm(across)
    ahead = crossed(left, up)
    old = _joint_frame(rig, home, body)
    middle = np.mean([at for at, _ in axles.values()], axis=0)
    front = [at for wheel, (at, _) in axles.items() if wheel in steered]
    toward = np.mean(front, axis=0) - middle if front else old[:3, 0]
    if float(toward @ ahead) < 0:
        left, ahead = -left, -ahead
    new = np.eye(4)
    new[:3, :3] = np.stack([ahead, left, up], axis=1)
    new[:3, 3] = old[:3, 3] + left * float((middle - old[:3, 3]) @ left)
    if np.allclose(new, old, atol=1e-9):
        return rig
    above = home.frame_of(rig.parts[body].parent)
    return move_mount(rig, body, frame_of(np.linalg.inv(above) @ new))


def _fit_wheel(
    rig: Rig,
    home: Pose,
    body: PartId,
    wheel: Wheel,
    steers: bool,
    steering: tuple[ThingId, float, float],
) -> Rig:
    steer, axle, base = steering
    joint = Joint("wheel", "y") if steers else Joint("spin", "y")
    rig = mounted_across(rig, home, body, wheel, joint)
    rig, _ = add_link(rig, Rolling(key(wheel.part, "turn y"), wheel.radius))
    if not steers:
        return rig
    along, aside = (wheel.at[0] - axle) / base, wheel.at[1] / base
    name = _quoted(rig.controls[steer].name)
    one, two = short_number(along), short_number(aside)
    text = f"atan2({one} * tan({name}), 1 - {two} * tan({name}))"
    rig, _ = write(rig, key(wheel.part, "turn z"), text.replace("1 - -", "1 + "))
    return set_stops(rig, wheel.part, "turn z", Stops(-math.pi / 2, math.pi / 2))


def mounted_across(rig: Rig, home: Pose, body: PartId, wheel: Wheel, joint: Joint) -> Rig:
    """The rig with a wheel mounted on the body as that stands, its axle across, with a joint. Its
    own frame, with its shapes and all it carries, stays where it is; home: the rig at home."""
    mount = np.linalg.inv(home.world(body)) @ _joint_frame(rig, home, body)
    mount = mount @ matrix(Frame(at=wheel.at))
    inside = np.linalg.inv(home.world(body)) @ home.world(wheel.part)
    rig = set_parent(rig, wheel.part, body, frame_of(mount))
    own = frame_of(np.linalg.inv(mount) @ inside)
    rig = change_part(rig, wheel.part, replace(rig.parts[wheel.part], own=own))
    return set_joint(rig, wheel.part, joint)


def _quoted(name: str) -> str:
    return f'"{name}"'
