"""Reading the models behind the sources of a rig."""

from __future__ import annotations

from pathlib import Path

from gremio.core.files.atomic import FileProblem
from gremio.core.files.model_in import read_model
from gremio.core.problem import Note
from gremio.core.rig.model import Source
from gremio.core.surfaces.models import Model, Tell, untold
from gremio.core.surfaces.shelf import Shelf


def model_shelf() -> Shelf:
    """A shelf for the surfaces of a rig, whose models are read from their files."""
    return Shelf(read_source)


def read_source(source: Source, tell: Tell = untold) -> Model | Note:
    """The model behind a source of a rig; a note where it can't be had as it was. tell: is told how
    far it is."""
    path = Path(source.path)
    if not path.exists():
        text = (
            f"The model {path.name} is not at {path.parent}; boxes stand in for its shapes. "
            "Put it back, or choose it with Rig > Find a model."
        )
        return Note("model-missing", "", text, "warning")
    try:
        model = read_model(path, source.metres, source.up, tell)
    except FileProblem as problem:
        return Note("model-broken", "", f"{problem} Boxes stand in for its shapes.", "warning")
    if model.sha256 != source.sha256:
        text = (
            f"The model {path.name} has changed since it was brought in; boxes stand in for its "
            "shapes. Choose it with Rig > Find a model to take up the new one."
        )
        return Note("model-changed", "", text, "warning")
    return model
