"""Pulling a seated part: it slides over its surface, under the pointer."""

from __future__ import annotations

import numpy as np

from gremio.core.arrays import Array
from gremio.core.frames import carried, matrix
from gremio.core.records import Record
from gremio.core.rig.channels import MOVES, freed, key
from gremio.core.rig.ids import ChannelKey, PartId
from gremio.core.shape.surfaces import Surface, surface_of
from gremio.desktop.bench.camera import Camera, Size, project, ray
from gremio.desktop.document.document import Document


class SurfaceDrag(Record, frozen=True):
    """A pull at a part that sits on a surface. part: id. frame: (4, 4) world frame of what the
    surface is on. to_mount: (4, 4) from the world to the part's mount. aside: (2,) pixels from
    where it was taken hold of to where it sits. free: the moves that it may make."""

    part: PartId
    surface: Surface
    frame: Array
    to_mount: Array
    camera: Camera
    size: Size
    aside: Array
    free: tuple[str, ...]

    def moves(self, pixel: tuple[float, float]) -> dict[ChannelKey, float]:
        """Where its moves go (m), by key, with the pointer at a pixel; nothing beside the
        surface, so that it stays at the outline."""
        start, way = ray(self.camera, self.size, np.asarray(pixel) + self.aside)
        back = np.linalg.inv(self.frame)
        hit = self.surface.hit(carried(back, start), back[:3, :3] @ way)
        if hit is None:
            return {}
        place = self.to_mount @ self.frame @ np.append(hit, 1.0)
        found = dict(zip(MOVES, place[:3], strict=True))
        return {key(self.part, name): float(found[name]) for name in self.free}


def slide_on(
    document: Document, part: PartId, camera: Camera, size: Size, pixel: tuple[float, float]
) -> SurfaceDrag | None:
    """The pull at a part that sits on a surface; None for one that does not."""
    rig, pose = document.rig, document.pose
    for constraint_id, constraint in rig.constraints.items():
        on = constraint.targets[0].on if constraint.kind == "seat" and constraint.targets else None
        if constraint.part != part or on is None or constraint_id not in pose.poses.wants:
            continue
        surface = surface_of(rig.parts[on], document.geometry)
        if surface is None:
            return None
        entry = pose.program.rig.parts[part]
        above = pose.frame_of(entry.parent)
        to_mount: Array = np.asarray(np.linalg.inv(above @ matrix(entry.mount)))
        (here,), _ = project(camera, size, [pose.world(part)[:3, 3]])
        aside = here - np.asarray(pixel)
        free = tuple(c for c in MOVES if c in freed(entry.joint))
        return SurfaceDrag(part, surface, pose.world(on), to_mount, camera, size, aside, free)
    return None
