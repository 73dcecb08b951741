"""Treads and chains from a script, by the names of things."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from gremio.core.arrays import Array
from gremio.core.edit.builder import Typed
from gremio.core.make.tracked import make_tracked
from gremio.core.make.treads import make_tread
from gremio.core.problem import NotFound
from gremio.core.rig.find import nothing_called, part_id
from gremio.core.rig.model import Rig
from gremio.core.script.posing import surfaces_of
from gremio.core.solve.pose import Pose, Poses
from gremio.core.solve.treads import tread_steps
from gremio.core.typed import parse


def tread(
    rig: Rig,
    wheels: Sequence[str],
    *,
    link: str | None = None,
    inside: Sequence[str] = (),
    count: int = 0,
    pitch: Typed = 0.0,
    chain: bool = False,
    name: str = "",
) -> Rig:
    """The rig with links that go round wheels: tread(rig, ["Sprocket", "Idler", "Roller"]).

    wheels: by name; the first drives, and their order round the band is found. link: the part that
    is its link, x along and z outward, or as it lies on the band; None makes one. inside: the
    wheels on whose other side it runs. count, pitch (typed, or m): where one is wanted; the links
    close exactly. chain: it runs in teeth, and what is too long of it hangs. Raises NotFound,
    GremioError.
    """
    ids = [part_id(rig, wheel) for wheel in wheels]
    own = None if link is None else part_id(rig, link)
    long = parse(pitch, "length", "m", "The pitch") if isinstance(pitch, str) else float(pitch)
    other = {part_id(rig, wheel) for wheel in inside}
    return make_tread(
        rig, ids, link=own, inside=other, count=count, pitch=long, chain=chain, name=name,
        geometry=surfaces_of(rig),
    )[0]  # fmt: skip


def tracked(rig: Rig, body: str, wheels: Sequence[str], *, link: str | None = None) -> Rig:
    """The rig with a carriage on two treads made of a body and the wheels of both sides, by name,
    with controls for its travel and its turn: tracked(rig, "Winch bed", [...]).

    link: the part that is a link; None makes it. Raises NotFound, GremioError.
    """
    ids = [part_id(rig, wheel) for wheel in wheels]
    own = None if link is None else part_id(rig, link)
    return make_tracked(rig, part_id(rig, body), ids, link=own, geometry=surfaces_of(rig))[0]


def tread_links(poses: Poses | Pose, name: str) -> Array:
    """(F, n, 4, 4) world frames of the links of a tread, by its name, x along and z outward; of one
    pose F is 1. Raises NotFound."""
    poses = poses.poses if isinstance(poses, Pose) else poses
    program = poses.program
    names = {tread.name: i for i, tread in program.rig.treads.items()}
    if name not in names:
        raise NotFound(nothing_called(name, "tread", list(names)))
    found = program.rig.treads[names[name]]
    repeat = program.rig.parts[found.link].repeat
    count = 0 if repeat is None else repeat.count
    on = np.eye(4)[None].repeat(poses.frames, axis=0)
    if found.on is not None:
        on = poses.worlds[:, program.part_row[found.on]]
    inside = [tread_steps(poses, frame, names[name], count) for frame in range(poses.frames)]
    links: Array = on[:, None] @ np.array(inside).reshape(poses.frames, count, 4, 4)
    return links
