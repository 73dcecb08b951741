"""A carriage on treads: it goes along its heading and turns on the spot, and its treads follow."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

from msgspec.structs import replace

from gremio.core.edit.change import must_have
from gremio.core.edit.controls import add_control, all_home
from gremio.core.edit.links import add_link
from gremio.core.edit.parts import add_part, set_joint
from gremio.core.make.carriage import Wheel, headed, mounted_across, read_wheel
from gremio.core.make.treads import make_tread
from gremio.core.problem import GremioError
from gremio.core.rig.channels import key
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.links import followers
from gremio.core.rig.model import Control, Driving, Joint, Rig, Rolling
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.ask import solve

_TRAVEL, _TURN = 10.0, math.pi
_SIDES = ("left", "right")


class Tracked(NamedTuple):
    """What was made. treads: ids, left and right. gauge: from one to the other (m)."""

    treads: tuple[ThingId, ThingId]
    gauge: float


def make_tracked(
    rig: Rig,
    body: PartId,
    wheels: Sequence[PartId],
    *,
    link: PartId | None = None,
    geometry: GeometryOf,
) -> tuple[Rig, Tracked]:
    """Make a carriage on two treads of a body and its wheels, with a control for its travel and one
    for its turn.

    body, wheels: ids of parts; the wheels of each side are those that stand there. link: id of the
    part that is a link, of the tread on the left; the other has one like it. None makes them. The
    body moves in the plane. Each tread goes as far as the body does at that side: by its way along
    its heading, less or more by its turn × gauge ÷ 2; slip is a number of each tread. The wheel of
    a side that stands highest, and farthest back, drives. Raises GremioError for fewer than two
    wheels on a side.
    """
    for part in (body, *wheels):
        must_have(rig.parts, part, "part")
    if body in wheels or link == body or link in wheels:
        raise GremioError("The body of a carriage can't be one of its wheels, nor their link.")
    home = solve(all_home(rig), geometry=geometry)
    rig = headed(rig, home, body, list(wheels), [], geometry)
    home = solve(all_home(rig), geometry=geometry)
    read = [read_wheel(rig, home, body, wheel, geometry) for wheel in wheels]
    middle = (min(w.at[1] for w in read) + max(w.at[1] for w in read)) / 2 if read else 0.0
    sides = [
        [wheel for wheel in read if (wheel.at[1] - middle > 0) == (side == "left")]
        for side in _SIDES
    ]
    for side, found in zip(_SIDES, sides, strict=True):
        if len(found) < 2:
            raise GremioError(
                f"On the {side} of {rig.parts[body].name} stand fewer than two of these wheels, so "
                "that no tread goes round them. Choose those of both sides."
            )
    rig = set_joint(rig, body, Joint("planar", "z"), home.part_of(body).channels)
    rig = _not_rolling(rig, wheels)
    for wheel in read:
        rig = mounted_across(rig, home, body, wheel, Joint("spin", "y"))
    name = rig.parts[body].name
    treads, asides = [], []
    for side, found in zip(_SIDES, sides, strict=True):
        driver = max(found, key=_drives)
        order = [driver.part, *(wheel.part for wheel in found if wheel is not driver)]
        own = link if side == "left" else None
        if link is not None and side == "right":
            # As it was before it was laid on the left.
            shapes = rig.parts[link].shapes
            like = replace(rig.parts[link], name=free_name(names_in(rig), rig.parts[link].name),
                           shapes=shapes, repeat=None)  # fmt: skip
            rig, own = add_part(rig, like)
        rig, tread = make_tread(
            rig, order, link=own, name=free_name(names_in(rig), f"{name} tread, {side}"),
            geometry=geometry,
        )  # fmt: skip
        radius = rig.treads[tread].wheels[0].radius
        turn = key(driver.part, "turn y")
        rig, _ = add_link(rig, Rolling(turn, radius, slip=key(tread, "slip")))
        treads.append(tread)
        asides.append(sum(wheel.at[1] for wheel in found) / len(found))
    rig, travel = add_control(rig, Control(
        free_name(names_in(rig), f"{name} travel"), "length", "m", -_TRAVEL, _TRAVEL, open=True
    ))  # fmt: skip
    rig, turned = add_control(rig, Control(
        free_name(names_in(rig), f"{name} turn"), "angle", "deg", -_TURN, _TURN, open=True
    ))  # fmt: skip
    rig, _ = add_link(rig, Driving(body, key(travel), turning=key(turned)))
    return rig, Tracked((treads[0], treads[1]), abs(asides[0] - asides[1]))


def _drives(wheel: Wheel) -> tuple[float, float]:
    """The highest of a side drives, of those as high the one at the back."""
    return round(wheel.at[2], 6), -wheel.at[0]


def _not_rolling(rig: Rig, wheels: Sequence[PartId]) -> Rig:
    """The rig in which nothing sets or adds to how wheels turn: their tread will."""
    turns = {f"{part} turn {axis}" for part in wheels for axis in "xyz"}
    links = {i: link for i, link in rig.links.items() if turns.isdisjoint(followers(link))}
    return replace(rig, links=links)
