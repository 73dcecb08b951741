"""What the Bench draws: each surface once, with all the places where it stands.

No toolkit: arrays only.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from gremio.core.files.shelf import Shelf
from gremio.core.frames import matrix
from gremio.core.rig.model import Rig
from gremio.core.rig.solids import AnySolid, Box, Cylinder
from gremio.core.shape.geometry import Geometry
from gremio.core.solve.pose import Pose
from gremio.desktop.theme.inks import rgb

Array = npt.NDArray[np.float64]

# One instance: the rows of its world matrix, its paint, its edges' width, its part's mark.
INSTANCE = np.dtype(
    [
        ("rows", "<f4", (3, 4)),
        ("paint", "<f4", 3),
        ("weight", "<f4"),
        ("mark", "<u4"),
    ]
)
LIGHT_LINE = 1.1
# The corners of a box as low or high along x, y, z; its edges join corners that differ once.
_BITS = np.array([[bool(i >> k & 1) for k in range(3)] for i in range(8)])
_BOX_EDGES = np.array([(a, b) for a in range(8) for b in range(a, 8) if a ^ b in (1, 2, 4)])
_UNIT_BOX = Box(length=1.0, width=1.0, height=1.0)
_UNIT_BAR = Cylinder(diameter=1.0, height=1.0)


@dataclass(frozen=True)
class Batch:
    """All instances of one surface. first: index of its first instance."""

    geometry: Geometry
    first: int
    count: int


@dataclass(frozen=True)
class Scene:
    """The surfaces of a rig. N instances, in the order of the batches.

    parts: (N,) part row of each instance. places: (N, 4, 4) within the part.
    paints: (N, 3). A part's mark, for picking, is its row plus one.
    """

    batches: tuple[Batch, ...]
    parts: npt.NDArray[np.intp]
    places: Array
    paints: Array

    def of_parts(self, rows: set[int]) -> npt.NDArray[np.intp]:
        """(M,) indices of the instances of some parts, by row."""
        return np.flatnonzero(np.isin(self.parts, list(rows)))

    @cached_property
    def batch_index(self) -> npt.NDArray[np.intp]:
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

    def instances(self, pose: Pose, weights: dict[int, float]) -> npt.NDArray[np.void]:
        """(N,) INSTANCE records for a pose; weights: width of edges by part row."""
        made = np.zeros(len(self.parts), dtype=INSTANCE)
        if len(self.parts) == 0:
            return made
        worlds = pose.worlds[self.parts] @ self.places
        made["rows"] = worlds[:, :3, :]
        made["paint"] = self.paints
        made["weight"] = LIGHT_LINE
        for row, weight in weights.items():
            made["weight"][self.parts == row] = weight
        made["mark"] = self.parts + 1
        return made


def scene_of(rig: Rig, part_row: dict[str, int], shelf: Shelf) -> Scene:
    """The scene of a rig; part_row: rows as in its program."""
    gathered: dict[int, tuple[Geometry, list[tuple[int, Array, tuple[float, float, float]]]]] = {}
    for part_id, part in rig.parts.items():
        for shape in part.shapes:
            solid, stretch = _shared(shape.solid)
            geometry = shelf.geometry(rig, solid)
            place = matrix(shape.place) @ np.diag([*stretch, 1.0])
            entry = (part_row[part_id], place, rgb(shape.paint))
            gathered.setdefault(id(geometry), (geometry, []))[1].append(entry)
    batches: list[Batch] = []
    every: list[tuple[int, Array, tuple[float, float, float]]] = []
    for geometry, entries in gathered.values():
        batches.append(Batch(geometry, len(every), len(entries)))
        every += entries
    return Scene(
        tuple(batches),
        np.array([row for row, _, _ in every], dtype=np.intp),
        np.array([place for _, place, _ in every]).reshape(-1, 4, 4),
        np.array([paint for _, _, paint in every]).reshape(-1, 3),
    )


def _shared(solid: AnySolid) -> tuple[AnySolid, tuple[float, float, float]]:
    """A solid as one that many can share, and how far it is stretched along x, y and z."""
    match solid:
        case Box() if min(solid.length, solid.width, solid.height) > 0:
            return _UNIT_BOX, (solid.length, solid.width, solid.height)
        case Cylinder() if min(solid.diameter, solid.height) > 0:
            return _UNIT_BAR, (solid.diameter, solid.diameter, solid.height)
    return solid, (1.0, 1.0, 1.0)


def corners_of(scene: Scene, pose: Pose, rows: set[int] | None = None) -> Array:
    """(M, 3) world corners of the boxes round the instances of some parts, or of all."""
    wanted = slice(None) if rows is None else scene.of_parts(rows)
    frames = pose.worlds[scene.parts[wanted]]
    corners = scene.corners[wanted] @ frames[:, :3, :3].transpose(0, 2, 1)
    return (corners + frames[:, None, :3, 3]).reshape(-1, 3)


def box_edges(scene: Scene, pose: Pose, rows: list[int]) -> Array:
    """(E, 2, 3) world ends of the edges of a box round each of some parts, as it lies in the
    part's own frame."""
    found = [np.zeros((0, 2, 3))]
    for row in rows:
        corners = scene.corners[scene.of_parts({row})].reshape(-1, 3)
        if len(corners):
            world = pose.worlds[row]
            box = np.where(_BITS, corners.max(axis=0), corners.min(axis=0))
            there = box @ world[:3, :3].T + world[:3, 3]
            found.append(there[_BOX_EDGES])
    return np.concatenate(found)
