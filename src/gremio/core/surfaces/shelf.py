"""The shelf: surfaces of a rig's shapes, the models behind them read once."""

from __future__ import annotations

from collections.abc import Callable

from gremio.core.problem import GremioError, Note
from gremio.core.rig.model import Rig, Shape, Source
from gremio.core.rig.solids import AnySolid, Box, Mesh
from gremio.core.shape.geometry import Geometry
from gremio.core.shape.solids import check_dimensions, geometry_of
from gremio.core.surfaces.looks import Look
from gremio.core.surfaces.models import Model

_NEEDED = "what sits on it, or is measured on it, can't be computed"

# By what a model is known: path, fingerprint, length of its unit, upright axis.
_Key = tuple[str, str, float, str]


class Shelf:
    """Keeps models that have been read, by source. Holds nothing that a file does not.

    read: reads the model behind a source, or says why it can't be had.
    """

    def __init__(self, read: Callable[[Source], Model | Note]) -> None:
        self._read = read
        self._models: dict[_Key, Model | Note] = {}

    def put(self, model: Model) -> None:
        """Keep a model that has just been read."""
        self._models[str(model.path), model.sha256, model.metres, model.up] = model

    def keep(self, source: Source, found: Model | Note) -> None:
        """Keep what was found for a source, or why nothing stands for it but boxes."""
        self._models[_key(source)] = found

    def unread(self, rig: Rig) -> dict[str, Source]:
        """The sources of a rig whose models have not been read, by id."""
        return {i: source for i, source in rig.sources.items() if _key(source) not in self._models}

    def forget(self) -> None:
        """Look at every file anew the next time."""
        self._models.clear()

    def geometry(self, rig: Rig, solid: AnySolid) -> Geometry:
        """The surface of a solid; a box of the right size where it can't be had."""
        if isinstance(solid, Mesh) and (source := rig.sources.get(solid.source)):
            model = self._model(source)
            piece = model.piece_of(solid) if isinstance(model, Model) else None
            if piece is not None:
                return piece.geometry
        try:
            return geometry_of(solid)
        except GremioError:
            return geometry_of(Box(length=0.1, width=0.1, height=0.1))

    def stands_in(self, rig: Rig, solid: AnySolid) -> bool:
        """Whether a box stands in for a solid, for its model can't be had as it was."""
        if not isinstance(solid, Mesh):
            return False
        source = rig.sources.get(solid.source)
        model = None if source is None else self._model(source)
        return not isinstance(model, Model) or model.piece_of(solid) is None

    def look(self, rig: Rig, shape: Shape) -> Look | None:
        """What a shape wears as its model has it, bare where the shape was painted otherwise; None
        for a shape that was made here, and where the model can't be had."""
        source = rig.sources.get(shape.solid.source) if isinstance(shape.solid, Mesh) else None
        model = None if source is None else self._model(source)
        if not isinstance(model, Model) or not isinstance(shape.solid, Mesh):
            return None
        piece = model.piece_of(shape.solid)
        if piece is None or piece.look is None:
            return None
        return piece.look if shape.paint == piece.paint else piece.look.bare()

    def surface(self, rig: Rig, solid: AnySolid) -> Geometry:
        """The surface of a solid. Raises GremioError, which says why, where its model can't be
        had as it was, for what is computed on a box would be wrong."""
        if isinstance(solid, Mesh):
            source = rig.sources.get(solid.source)
            model = None if source is None else self._model(source)
            if isinstance(model, Note):
                raise GremioError(model.text.replace("boxes stand in for its shapes", _NEEDED))
            if model is None or model.piece(solid.piece) is None:
                raise GremioError(f"The shape {solid.piece!r} is not in its model any more.")
        return self.geometry(rig, solid)

    def notes(self, rig: Rig) -> list[Note]:
        """Models that are missing or changed, pieces no longer in them, and solids with
        dimensions that can't be."""
        notes = [
            found
            for source in rig.sources.values()
            if isinstance(found := self._model(source), Note)
        ]
        for part in rig.parts.values():
            for shape in part.shapes:
                notes += self._shape_notes(rig, part.name, shape.solid)
        return notes

    def lost(self, rig: Rig) -> list[str]:
        """Ids of the rig's sources whose model can't be had as it was."""
        return [
            source_id
            for source_id, source in rig.sources.items()
            if isinstance(self._model(source), Note)
        ]

    def _shape_notes(self, rig: Rig, part: str, solid: AnySolid) -> list[Note]:
        if not isinstance(solid, Mesh):
            try:
                check_dimensions(solid)
            except GremioError as error:
                return [Note("shape-wrong", part, f"{part}: {error} A small box stands in.")]
            return []
        source = rig.sources.get(solid.source)
        model = self._model(source) if source else None
        if not isinstance(model, Model) or model.piece(solid.piece):
            return []
        text = (
            f"{part} has the shape {solid.piece!r}, which is no longer in {model.path.name}; "
            "a box stands in. Bring in the part it is now, or take up an older model."
        )
        return [Note("piece-missing", part, text, "warning")]

    def model(self, source: Source) -> Model | None:
        """The model behind a source as it was; None where it can't be had."""
        found = self._model(source)
        return found if isinstance(found, Model) else None

    def _model(self, source: Source) -> Model | Note:
        key = _key(source)
        if key not in self._models:
            self._models[key] = self._read(source)
        return self._models[key]


def _key(source: Source) -> _Key:
    return source.path, source.sha256, source.metres, source.up
