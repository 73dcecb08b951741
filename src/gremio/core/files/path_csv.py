"""A path as a table: its ticks, or what it goes through."""

from __future__ import annotations

import csv
import io

import numpy as np

from gremio.core.arrays import Array
from gremio.core.rig.model import Path
from gremio.core.shape.paths import along, way_to


def path_csv(path: Path) -> str:
    """A row for each tick of a path, one for each frame or step of a trace; of a path without any,
    for each of its points: the way along it and the place (m), in the frame that the path is in."""
    if path.ticks:
        ways: Array = np.asarray(path.ticks, dtype=float)
        places = along(path, ways)[:, :3, 3]
    else:
        places = np.asarray(path.points, dtype=float)
        ways = way_to(path, places)
    text = io.StringIO()
    table = csv.writer(text, lineterminator="\n")
    table.writerow(["way (m)", "x (m)", "y (m)", "z (m)"])
    table.writerows([repr(n) for n in row] for row in np.column_stack([ways, places]).tolist())
    return text.getvalue()
