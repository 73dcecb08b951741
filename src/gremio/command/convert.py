"""Turning one file into another, by their endings."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from pathlib import Path

from gremio.core.edit.builder import Typed
from gremio.core.files.formats import Travel, read_rig, write_rig
from gremio.core.files.sources import model_shelf
from gremio.core.problem import Note
from gremio.core.solve.ask import posed, solve


def convert_file(
    source: Path, target: Path, control: str | None, seconds: float, values: Mapping[str, Typed]
) -> list[Note]:
    """Write `target` from `source`, and return what is wrong with the rig.

    Raises GremioError for endings that don't go together.
    """
    shelf = model_shelf()
    rig, notes = read_rig(source, shelf)
    surfaces = partial(shelf.surface, rig)
    rig = posed(rig, values, geometry=surfaces) if values else rig
    notes = [*notes, *write_rig(rig, target, shelf, Travel(control, seconds))]
    return [*notes, *solve(rig, geometry=surfaces).program.faults, *shelf.notes(rig)]
