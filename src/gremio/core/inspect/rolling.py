"""Notes on wheels: a radius that is not the mesh's, wheels in the air or in the ground."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array
from gremio.core.edit.links import change_link
from gremio.core.frames import carried, matrix
from gremio.core.inspect.finding import Finding, Mend
from gremio.core.mechanics.wheels import slip_a_metre
from gremio.core.plan.carrying import carriers
from gremio.core.problem import Note
from gremio.core.rig.channels import freed, split
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.model import Link, Ratio, Rig, Rolling
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.axes import channel_axis
from gremio.core.solve.pose import Pose

_OFF = 0.005
# The sine of how far an axle may stand up.
_UPRIGHT = 0.95


def rolling_findings(rig: Rig, home: Pose) -> Iterator[Finding]:
    """Notes on every wheel that rolls, but those that treads go round: their links roll. home: all
    at home."""
    in_treads = {wheel.on for tread in rig.treads.values() for wheel in tread.wheels}
    for link_id, link in rig.links.items():
        wheel = _wheel_of(link)
        part = None if wheel is None else PartId(split(wheel)[0])
        if wheel is None or part not in rig.parts or part in in_treads:
            continue
        yield from _radius(rig, home, link_id, link, wheel, home.program.geometry)


def _wheel_of(link: Link) -> ChannelKey | None:
    """Key of the turn of the wheel that a link rolls."""
    if isinstance(link, Rolling):
        return link.follower
    if isinstance(link, Ratio) and link.kind == "rolling wheel":
        turns = [c for c in (link.lead, link.follower) if split(c)[1].startswith("turn")]
        return turns[0] if turns else None
    return None


def _radius(
    rig: Rig, home: Pose, link_id: ThingId, link: Link, wheel: ChannelKey, geometry: GeometryOf
) -> Iterator[Finding]:
    part = PartId(split(wheel)[0])
    points = _points(rig, home, part, geometry)
    if len(points) == 0:
        return
    name = rig.parts[part].name
    origin, axle = channel_axis(home, wheel)
    if isinstance(link, Rolling) and not link.ball and not link.path and abs(axle[2]) > _UPRIGHT:
        text = (
            f"{name} turns about an upright axis, so it does not roll as it is carried. Lay its "
            "axis level (Pick its axis), or let it roll about another."
        )
        yield Finding(Note("wheel-upright", name, text, "warning"))
        return
    offset = points - origin
    across = offset - np.outer(offset @ axle, axle)
    true = float(np.linalg.norm(across, axis=1).max())
    radius = link.radius if isinstance(link, Rolling) else _radius_of(link)
    slip = slip_a_metre(radius, true)
    if abs(slip) > _OFF:
        text = (
            f"{name} rolls as if its radius were {radius * 1000:.1f} mm, and its shape measures "
            f"{true * 1000:.1f} mm: it slips {abs(slip) * 1000:.0f} mm in every metre."
        )
        better = _with_radius(link, true)
        mend = Mend("take it from the shape", partial(change_link, link_id=link_id, link=better))
        yield Finding(Note("wheel-radius", name, text, "warning"), (mend,))
    below = _rolled_over(rig, part, link)
    lowest = float(points[:, 2].min()) - _top_of(rig, home, below, float(origin[2]), geometry)
    if abs(lowest) > _OFF * true:
        ground = "the ground" if below is None else rig.parts[below].name
        does = f"hangs above {ground}" if lowest > 0 else f"sinks into {ground}"
        text = f"{name} {does} by {abs(lowest) * 1000:.1f} mm. Put what carries it on {ground}."
        yield Finding(Note("wheel-height", name, text, "warning"))


def _rolled_over(rig: Rig, part: PartId, link: Link) -> PartId | None:
    """The part that a wheel rolls over: the one its link names, else what carries the outermost
    thing that moves under it; None for the ground."""
    if isinstance(link, Rolling) and link.on in rig.parts:
        return link.on
    moving = [p for p in carriers(rig, part) if freed(rig.parts[p].joint)]
    return rig.parts[moving[-1]].parent if moving else None


def _top_of(rig: Rig, home: Pose, part: PartId | None, under: float, geometry: GeometryOf) -> float:
    """Height (m) of the highest place of a part that is not above a height, such as the middle of
    a wheel; of the ground 0."""
    if part is None:
        return 0.0
    heights = _points(rig, home, part, geometry)[:, 2]
    below = heights[heights <= under]
    return float(below.max()) if len(below) else float(heights.max(initial=0.0))


def _radius_of(link: Link) -> float:
    assert isinstance(link, Ratio)
    turned = split(link.follower)[1].startswith("turn")
    return abs(1 / link.ratio) if turned and link.ratio else abs(link.ratio)


def _with_radius(link: Link, radius: float) -> Link:
    if isinstance(link, Ratio):
        sign = 1.0 if link.ratio > 0 else -1.0
        turned = split(link.follower)[1].startswith("turn")
        return replace(link, ratio=sign / radius if turned else sign * radius)
    return replace(link, radius=radius)


def _points(rig: Rig, home: Pose, part: PartId, geometry: GeometryOf) -> Array:
    """(N, 3) world corners of a part's shapes."""
    world = home.world(part)
    found = [np.zeros((0, 3))]
    for shape in rig.parts[part].shapes:
        frame = world @ matrix(shape.place)
        found.append(carried(frame, geometry(shape.solid).vertices))
    return np.concatenate(found)
