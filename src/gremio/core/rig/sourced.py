"""Model files that Gremio did not make, and what is kept of them, to tell what a later one has
otherwise."""

from __future__ import annotations

from typing import Literal

from gremio.core.frames import IDENTITY, Frame
from gremio.core.rig.data import Data
from gremio.core.rig.ids import GROUND, PartId

Up = Literal["y", "z"]


class SourcePiece(Data, frozen=True):
    """A surface that a model had. marks: by which its shape is known again (`shape_marks`).
    paint: "#rrggbb"."""

    name: str
    marks: tuple[float, ...] = ()
    paint: str = ""


class SourceNode(Data, frozen=True):
    """A node that a model had. parent: its index among the model's, −1 at the top. frame: in its
    parent (m). part: id of the part that it was made, "" for none. pieces: names of its surfaces.
    """

    name: str
    parent: int = -1
    frame: Frame = IDENTITY
    part: PartId = GROUND
    pieces: tuple[str, ...] = ()


class Source(Data, frozen=True):
    """A model file that Gremio did not make.

    path: absolute while the rig is open, relative to the rig's file when saved.
    metres: the length of the file's unit. up: which of the file's axes is up. nodes, pieces: what
    it held when it was brought in; empty for what older files did not keep.
    """

    path: str
    sha256: str
    metres: float = 1.0
    up: Up = "y"
    nodes: tuple[SourceNode, ...] = ()
    pieces: tuple[SourcePiece, ...] = ()
