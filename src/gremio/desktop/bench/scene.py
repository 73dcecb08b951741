"""What the Bench draws: each surface once, with all the places where it stands.

No toolkit: arrays only.
"""

from __future__ import annotations

import functools
from collections.abc import Container, Iterator
from functools import cached_property
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array, Rows
from gremio.core.edit.parts import descendants
from gremio.core.frames import IDENTITY, Frame, Triple, carried, matrices
from gremio.core.records import Record
from gremio.core.rig import ids
from gremio.core.rig.ids import PartId
from gremio.core.rig.model import Part, Rig
from gremio.core.rig.solids import AnySolid, Box, Cylinder, Mesh
from gremio.core.shape.geometry import Geometry
from gremio.core.shape.solids import geometry_of, sleeve
from gremio.core.solve.pose import Pose
from gremio.core.solve.program import Program
from gremio.core.solve.repeats import copies
from gremio.core.solve.strands import lying, pieces
from gremio.core.surfaces.shelf import Shelf
from gremio.core.surfaces.shown import Shown, shown
from gremio.core.surfaces.stand_in import stand_in
from gremio.desktop.theme.inks import rgb

# One instance: the rows of its world matrix, its paint, its edges' width, its part's mark, and
# whether a hand is over it or has selected it.
INSTANCE = np.dtype(
    [
        ("rows", "<f4", (3, 4)),
        ("paint", "<f4", 3),
        ("weight", "<f4"),
        ("mark", "<u4"),
        ("state", "<f4"),
    ]
)
# What an instance is to a hand, and how wide its edges are then (px).
PLAIN, HOVERED, SELECTED = 0, 1, 2
LINES = {PLAIN: 1.1, HOVERED: 1.5, SELECTED: 1.8}
LIGHT_LINE = LINES[PLAIN]
# The corners of a box as low or high along x, y, z; its edges join corners that differ once.
_BITS = np.array([[bool(i >> k & 1) for k in range(3)] for i in range(8)])
_BOX_EDGES = np.array([(a, b) for a in range(8) for b in range(a, 8) if a ^ b in (1, 2, 4)])
_NOWHERE_ELSE = (0.0, 0.0, 0.0)
# No box that stands in is thinner (m).
_THIN = 1e-6
_UNIT_BOX = Box(length=1.0, width=1.0, height=1.0)
_UNIT_BAR = Cylinder(diameter=1.0, height=1.0)


class Batch(Record, frozen=True):
    """All instances of one surface. first: index of its first instance. wears: its base colour,
    where it is shown in that and not in its paint."""

    geometry: Geometry
    first: int
    count: int
    wears: Shown | None = None


class Instances(NamedTuple):
    """Places to draw surfaces in: INSTANCE records, and how many belong to each batch."""

    records: npt.NDArray[np.void]
    counts: list[int]


class Scene(Record, frozen=True):
    """The surfaces of a rig. N instances, in the order of the batches.

    parts: (N,) part row of each instance. places: (N, 4, 4) within the part.
    paints: (N, 3). shapes: (N,) which of its part's shapes it is, −1 for a stand-in.
    repeated: ids of repeated parts, with the rows of all that they carry, the innermost
    first. strands: index of the batch that strands are drawn with, bellows with the one after
    it; −1 where there are none. A part's mark, for picking, is its row plus one; a strand has
    none.
    """

    batches: tuple[Batch, ...]
    parts: Rows
    places: Array
    paints: Array
    shapes: Rows
    repeated: tuple[tuple[PartId, list[int]], ...] = ()
    strands: int = -1

    def of_parts(self, rows: set[int]) -> Rows:
        """(M,) indices of the instances of some parts, by row."""
        return np.flatnonzero(np.isin(self.parts, list(rows)))

    @cached_property
    def batch_index(self) -> Rows:
        """(N,) index of the batch that each instance belongs to."""
        return np.repeat(np.arange(len(self.batches)), [batch.count for batch in self.batches])

    @cached_property
    def corners(self) -> Array:
        """(N, 8, 3) corners of the box round each instance, in its part's frame."""
        bounds = np.array([batch.geometry.bounds for batch in self.batches]).reshape(-1, 2, 3)
        boxes = np.where(_BITS[None], bounds[:, 1, None], bounds[:, 0, None])[self.batch_index]
        turned = boxes @ self.places[:, :3, :3].transpose(0, 2, 1)
        inside: Array = turned + self.places[:, None, :3, 3]
        return inside

    def instances(self, pose: Pose, states: dict[int, int]) -> Instances:
        """All places to draw, for a pose; states: HOVERED or SELECTED by part row."""
        made = np.zeros(len(self.parts), dtype=INSTANCE)
        counts = [batch.count for batch in self.batches]
        if len(self.parts) == 0:
            return Instances(made, counts)
        drawn = self._of_parts(pose, made, counts, states)
        if pose.hidden:
            drawn = self._without_hidden(pose, drawn)
        return self._with_strands(pose, drawn) if self.strands >= 0 else drawn

    def _of_parts(
        self,
        pose: Pose,
        made: npt.NDArray[np.void],
        counts: list[int],
        states: dict[int, int],
    ) -> Instances:
        worlds = pose.worlds[self.parts] @ self.places
        made["rows"] = worlds[:, :3, :]
        made["paint"] = self.paints
        made["weight"] = LIGHT_LINE
        for row, state in states.items():
            made["weight"][self.parts == row] = LINES[state]
            made["state"][self.parts == row] = state
        made["mark"] = self.parts + 1
        return self._with_copies(pose, made, worlds) if self.repeated else Instances(made, counts)

    def _with_strands(self, pose: Pose, drawn: Instances) -> Instances:
        """What strands are drawn with goes after the rest: theirs are the last batches."""
        found: tuple[list[npt.NDArray[np.void]], list[npt.NDArray[np.void]]] = ([], [])
        strands = pose.program.rig.strands
        for strand_id, here in lying(pose).items():
            if here is None:
                continue
            strand = strands[ids.thing(strand_id)]
            frames = pieces(strand, here)
            made = np.zeros(len(frames), dtype=INSTANCE)
            made["rows"] = frames[:, :3, :]
            made["paint"] = rgb(strand.paint)
            made["weight"] = LIGHT_LINE
            found[strand.kind == "bellows"].append(made)
        counts = [*drawn.counts[: self.strands], *(sum(map(len, kind)) for kind in found)]
        return Instances(np.concatenate([drawn.records, *found[0], *found[1]]), counts)

    def _without_hidden(self, pose: Pose, drawn: Instances) -> Instances:
        """What is seen of the parts."""
        marks = [pose.program.part_row[part] + 1 for part in pose.hidden]
        seen = ~np.isin(drawn.records["mark"], marks)
        batch = np.repeat(np.arange(len(drawn.counts)), drawn.counts)[seen]
        counts = np.bincount(batch, minlength=len(drawn.counts))
        return Instances(drawn.records[seen], counts.tolist())

    def _with_copies(self, pose: Pose, made: npt.NDArray[np.void], worlds: Array) -> Instances:
        """Each repeated part, with all that it carries, once more for each of its copies."""
        batch = self.batch_index
        for part, rows in self.repeated:
            family = np.flatnonzero(np.isin(made["mark"].astype(np.intp) - 1, rows))
            moves = copies(pose, part)
            if len(moves) == 0:
                keep = np.setdiff1d(np.arange(len(made)), family)
                made, worlds, batch = made[keep], worlds[keep], batch[keep]
                continue
            extra = np.tile(made[family], len(moves) - 1)
            every = moves[:, None] @ worlds[family][None]
            # The first stands elsewhere too where the row is shifted, or goes along something.
            worlds, made = worlds.copy(), made.copy()
            worlds[family] = every[0]
            made["rows"][family] = every[0][:, :3, :]
            places = every[1:].reshape(-1, 4, 4)
            extra["rows"] = places[:, :3, :]
            made = np.concatenate([made, extra])
            worlds = np.concatenate([worlds, places])
            batch = np.concatenate([batch, np.tile(batch[family], len(moves) - 1)])
        order = np.argsort(batch, kind="stable")
        counts = np.bincount(batch, minlength=len(self.batches))
        return Instances(made[order], counts.tolist())


class _Surface(NamedTuple):
    """One surface of a part. frame: where it is. middle, stretch: where in that its own middle is,
    and how far it is stretched along x, y and z. shape: which of its part's, −1 for a stand-in."""

    geometry: Geometry
    frame: Frame
    paint: str
    shape: int
    middle: Triple = (0.0, 0.0, 0.0)
    stretch: Triple = (1.0, 1.0, 1.0)
    wears: Shown | None = None


def scene_of(
    rig: Rig,
    part_row: dict[PartId, int],
    shelf: Shelf,
    *,
    light: bool = False,
    textured: bool = False,
    hidden: Container[str] = (),
) -> Scene:
    """The scene of a rig; part_row: rows as in its program. light: with stand-ins for the
    shapes of parts that have one. textured: in the base colours of their materials. hidden: ids
    of parts that are left out."""
    gathered: dict[tuple[int, int], list[tuple[int, _Surface]]] = {}
    for part_id, part in rig.parts.items():
        if part_id in hidden:
            continue
        row = part_row[part_id]
        for one in _surfaces(rig, part, shelf, light, textured):
            gathered.setdefault((id(one.geometry), id(one.wears)), []).append((row, one))
    batches: list[Batch] = []
    every: list[tuple[int, _Surface]] = []
    for entries in gathered.values():
        first = entries[0][1]
        batches.append(Batch(first.geometry, len(every), len(entries), first.wears))
        every += entries
    strands = len(batches) if rig.strands else -1
    if rig.strands:
        batches += [Batch(surface, len(every), 0) for surface in (sleeve(), _disc())]
    return Scene(
        tuple(batches),
        np.array([row for row, _ in every], dtype=np.intp),
        _places([one for _, one in every]),
        np.array([rgb(one.paint) for _, one in every]).reshape(-1, 3),
        np.array([one.shape for _, one in every], dtype=np.intp),
        _repeated(rig, part_row),
        strands,
    )


def _places(every: list[_Surface]) -> Array:
    """(N, 4, 4) of surfaces in their parts."""
    places = matrices([one.frame for one in every])
    middles = np.array([one.middle for one in every]).reshape(-1, 3, 1)
    stretch = np.array([one.stretch for one in every]).reshape(-1, 1, 3)
    places[:, :3, 3] += (places[:, :3, :3] @ middles)[..., 0]
    places[:, :3, :3] *= stretch
    return places


def carried_alike(one: Program, two: Program | None) -> bool:
    """Whether a scene made for one program fits another: its parts lie in the same rows, each on
    the same."""
    if one is two or two is None:
        return two is not None
    return one.part_ids == two.part_ids and bool(np.array_equal(one.parents, two.parents))


@functools.lru_cache(maxsize=1)
def _disc() -> Geometry:
    """A bar of its own for the folds of bellows, so that no part shares its batch."""
    bar = geometry_of(_UNIT_BAR)
    return Geometry(bar.vertices, bar.triangles)


def _surfaces(
    rig: Rig, part: Part, shelf: Shelf, light: bool, textured: bool
) -> Iterator[_Surface]:
    """The surface of each shape of a part, or of what stands in."""
    if light and part.stand_in != "full" and part.shapes:
        found = stand_in(rig, part, shelf)
        about = IDENTITY, part.shapes[0].paint, -1, found.middle, found.stretch
        yield _Surface(found.geometry, *about)
        return
    for index, shape in enumerate(part.shapes):
        solid, middle = shape.solid, _NOWHERE_ELSE
        if isinstance(solid, Mesh) and shelf.stands_in(rig, solid):
            middle, solid = solid.centre, Box(*np.maximum(solid.size, _THIN).tolist())
        solid, stretch = _shared(solid)
        look = shelf.look(rig, shape) if textured else None
        about = shape.place, shape.paint, index, middle, stretch
        wears = None if look is None else shown(look)
        yield _Surface(shelf.geometry(rig, solid), *about, wears)


def _repeated(rig: Rig, part_row: dict[PartId, int]) -> tuple[tuple[PartId, list[int]], ...]:
    found = [
        (part_id, [part_row[p] for p in (part_id, *descendants(rig, part_id))])
        for part_id, part in rig.parts.items()
        if part.repeat is not None
    ]
    return tuple(sorted(found, key=lambda entry: -part_row[entry[0]]))


def _shared(solid: AnySolid) -> tuple[AnySolid, tuple[float, float, float]]:
    """A solid as one that many can share, and how far it is stretched along x, y and z."""
    match solid:
        case Box() if min(solid.length, solid.width, solid.height) > 0:
            return _UNIT_BOX, (solid.length, solid.width, solid.height)
        case Cylinder() if min(solid.diameter, solid.height) > 0:
            return _UNIT_BAR, (solid.diameter, solid.diameter, solid.height)
    return solid, (1.0, 1.0, 1.0)


def corners_of(scene: Scene, pose: Pose, rows: set[int] | None = None) -> Array:
    """(M, 3) world corners of the boxes round the instances of some parts, or of all, with their
    copies."""
    wanted = slice(None) if rows is None else scene.of_parts(rows)
    parts = scene.parts[wanted]
    frames = pose.worlds[parts]
    corners = scene.corners[wanted] @ frames[:, :3, :3].transpose(0, 2, 1)
    corners = corners + frames[:, None, :3, 3]
    for part, family in scene.repeated:
        if rows is not None and pose.program.part_row[part] not in rows:
            continue
        mine = np.isin(parts, family)
        moves = copies(pose, part)[:, None]
        again = corners[mine] @ moves[..., :3, :3].swapaxes(-1, -2) + moves[..., None, :3, 3]
        again = again.reshape(-1, *corners.shape[1:])
        corners = np.concatenate([corners[~mine], again])
        parts = np.concatenate([parts[~mine], np.tile(parts[mine], len(moves))])
    return corners.reshape(-1, 3)


def box_edges(scene: Scene, pose: Pose, rows: list[int]) -> Array:
    """(E, 2, 3) world ends of the edges of a box round each of some parts, as it lies in the
    part's own frame."""
    found = [np.zeros((0, 2, 3))]
    for row in rows:
        corners = scene.corners[scene.of_parts({row})].reshape(-1, 3)
        if len(corners):
            world = pose.worlds[row]
            box = np.where(_BITS, corners.max(axis=0), corners.min(axis=0))
            there = carried(world, box)
            found.append(there[_BOX_EDGES])
    return np.concatenate(found)
