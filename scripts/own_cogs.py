"""A model with cogs of nobody's making but its own: the spare train of the paddle windlass."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import trimesh
from shapely.geometry import Point, Polygon

_MODULE = 0.02
_TRAIN = (("Spare pinion", 14, 0.0, 0.0), ("Spare wheel", 38, 26.15, 0.0),
          ("Spare idler", 20, 26.15, 29.15))  # fmt: skip


def _cog(teeth: int) -> trimesh.Trimesh:
    tip, root = _MODULE * (teeth + 2) / 2, _MODULE * (teeth - 2.5) / 2
    corners = []
    for tooth in range(teeth):
        for share, radius in ((-0.30, root), (-0.15, tip), (0.15, tip), (0.30, root)):
            turn = 2 * math.pi * (tooth + share) / teeth + 0.21
            corners.append((radius * math.cos(turn), radius * math.sin(turn)))
    outline = Polygon(corners).difference(Point(0, 0).buffer(0.05, quad_segs=12))
    return trimesh.creation.extrude_polygon(outline, 0.08)


def write_own_cogs(file: Path) -> None:
    """Write the model as GLB, upright as a train on a wall is."""
    scene = trimesh.Scene()
    upright = trimesh.transformations.rotation_matrix(math.pi / 2, (1, 0, 0))
    for name, teeth, x, y in _TRAIN:
        mesh = _cog(teeth)
        mesh.apply_translation((x * _MODULE, y * _MODULE, 0.0))
        mesh.apply_transform(upright)
        scene.add_geometry(mesh, node_name=name, geom_name=name)
    # glTF is y up and z forward: its x, y, z are the rig's y, z, x.
    scene.apply_transform(np.eye(4)[[1, 2, 0, 3]])
    scene.export(file)
