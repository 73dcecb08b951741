"""Pictures from a script: a rig, or a pose of it, drawn as the window draws it, without one."""

from __future__ import annotations

from importlib.metadata import entry_points
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from gremio.core.problem import GremioError
from gremio.core.records import Record
from gremio.core.rig.model import Rig
from gremio.core.script.posing import solve
from gremio.core.solve.pose import Pose

# Under what name whatever draws gives itself to be found: computing knows of no window.
_DRAWS = "gremio.drawing"
# How large a picture is that a notebook shows (px).
_IN_NOTEBOOKS = (720, 450)


class Picture(Record, frozen=True, eq=False):
    """A picture. pixels: (height, width, 3) red, green, blue from 0 to 255. A notebook shows it."""

    pixels: npt.NDArray[np.uint8]

    @property
    def png(self) -> bytes:
        """It as a PNG file."""
        data: bytes = _drawing().png(self.pixels)
        return data

    def save(self, path: str | Path) -> None:
        """Write it as a .png file. Raises GremioError."""
        _drawing().save_png(self.pixels, Path(path))

    def __repr__(self) -> str:
        height, width, _ = self.pixels.shape
        return f"<picture of {width} × {height}>"

    def _repr_png_(self) -> bytes:
        return self.png


def picture(
    what: Rig | Pose,
    path: str | Path = "",
    *,
    size: tuple[int, int] = (1280, 800),
    night: bool = False,
    textured: bool = False,
) -> Picture:
    """A picture of a rig as it stands, or of a pose, the whole of it in view:
    picture(solve(rig, {"Open": "40 deg"}), "open.png").

    path: of a .png file to write; "" for none. size: width and height (px). night: light ink on
    dark paper. textured: models in the base colours they came with. Raises GremioError where there
    is nothing to draw with, or it can't be saved.
    """
    draws = _drawing()
    pose = solve(what) if isinstance(what, Rig) else what
    pixels = draws.picture(pose, draws.check_size(size), night=night, textured=textured)
    made = Picture(pixels)
    if path:
        made.save(path)
    return made


def _drawing() -> Any:
    """The module that draws. Raises GremioError where none is installed."""
    found = next(iter(entry_points(group=_DRAWS)), None)
    if found is None:
        raise GremioError("Nothing is installed that draws. Install Gremio whole, with its window.")
    return found.load()


Pose.drawn = lambda pose: picture(pose, size=_IN_NOTEBOOKS).png
