"""A model as it was read: its nodes, and the surfaces of its pieces."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from pathlib import Path

import numpy as np

from gremio.core.arrays import Array
from gremio.core.frames import frames_of
from gremio.core.problem import Note
from gremio.core.records import Record
from gremio.core.rig.model import Source, SourceNode, SourcePiece, Up
from gremio.core.rig.solids import Mesh
from gremio.core.shape.geometry import Geometry, moved
from gremio.core.surfaces.looks import Look
from gremio.core.surfaces.marks import shape_marks

# Is told how far something is that takes long: what is done ("surfaces read"), how many of them,
# and of how many.
Tell = Callable[[str, int, int], object]


def untold(_what: str, _done: int, _of: int) -> None:
    """Nobody wants to know how far it is."""


class Piece(Record, frozen=True, eq=False):
    """One surface of a model. name: its name in the file. paint: "#rrggbb". look: what it wears
    in the file beside that, None for nothing."""

    name: str
    geometry: Geometry
    paint: str
    look: Look | None = None

    @cached_property
    def marks(self) -> tuple[float, ...]:
        """By which its shape is known again."""
        return shape_marks(self.geometry)

    @cached_property
    def mirrored(self) -> Piece:
        """The piece, seen in the mirror of its own x; its winding is put right."""
        mirror = np.diag([-1.0, 1.0, 1.0, 1.0])
        look = None if self.look is None else self.look.turned(mirror[:3, :3])
        return Piece(self.name, moved(self.geometry, mirror), self.paint, look)


class ModelNode(Record, frozen=True, eq=False):
    """A node of a model. parent: its index, None at the top. local: (4, 4) in the parent."""

    name: str
    parent: int | None
    local: Array
    pieces: tuple[Piece, ...]


class Model(Record, frozen=True, eq=False):
    """What a model file holds. Parents come before their children."""

    path: Path
    sha256: str
    metres: float
    up: Up
    nodes: tuple[ModelNode, ...]
    notes: tuple[Note, ...]

    def prepared(self, tell: Tell = untold) -> Model:
        """The model, with what is drawn of it made, so that nobody waits for that later."""
        for number, piece in enumerate(self._by_name.values()):
            tell("surfaces made ready", number, len(self._by_name))
            _ = piece.geometry.rough
        return self

    def piece(self, name: str) -> Piece | None:
        """The piece of this name."""
        return self._by_name.get(name)

    @cached_property
    def _by_name(self) -> dict[str, Piece]:
        return {piece.name: piece for node in self.nodes for piece in node.pieces}

    @cached_property
    def source(self) -> Source:
        """What a rig keeps of it, none of whose nodes is made a part yet."""
        frames = frames_of(np.array([node.local for node in self.nodes]))
        nodes = tuple(
            SourceNode(
                node.name,
                -1 if node.parent is None else node.parent,
                frame,
                pieces=tuple(piece.name for piece in node.pieces),
            )
            for node, frame in zip(self.nodes, frames, strict=True)
        )
        pieces = tuple(
            SourcePiece(piece.name, piece.marks, piece.paint) for piece in self._by_name.values()
        )
        return Source(str(self.path), self.sha256, self.metres, self.up, nodes, pieces)

    def piece_of(self, solid: Mesh) -> Piece | None:
        """What a solid is of it: the piece of its name, mirrored where that is."""
        found = self.piece(solid.piece)
        return found.mirrored if found is not None and solid.mirrored else found
