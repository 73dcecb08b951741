"""Turning one file into another, by their endings."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from pathlib import Path
from typing import get_args

from gremio.core.edit.builder import Typed
from gremio.core.files.formats import Reading, Travel, read_rig, write_rig
from gremio.core.files.sources import model_shelf
from gremio.core.problem import GremioError, Note
from gremio.core.quantity import UNITS, units_of
from gremio.core.rig.model import Up
from gremio.core.script.by_name import to_pose
from gremio.core.solve.ask import posed, solve


def convert_file(
    source: Path,
    target: Path,
    reading: Reading,
    travel: Travel,
    values: Mapping[str, Typed],
    kept: str | None = None,
) -> list[Note]:
    """Write `target` from `source`, and return what is wrong with the rig. kept: a pose to begin
    from, by name.

    Raises GremioError for endings that don't go together, and options that do nothing.
    """
    shelf = model_shelf()
    rig, notes = read_rig(source, shelf, reading)
    rig = rig if kept is None else to_pose(rig, kept)
    surfaces = partial(shelf.surface, rig)
    rig = posed(rig, values, geometry=surfaces) if values else rig
    notes = [*notes, *write_rig(rig, target, shelf, travel)]
    return [*notes, *solve(rig, geometry=surfaces).program.faults, *shelf.notes(rig)]


def metres_of(unit: str | None) -> float | None:
    """How long a unit is (m). Raises GremioError for what is no length."""
    if unit is None:
        return None
    known = units_of("length")
    if unit not in known:
        raise GremioError(f"{unit!r} is no unit of length. Write one of {', '.join(known)}.")
    return UNITS[unit].size


def upright(axis: str | None) -> Up | None:
    """An upright axis. Raises GremioError for another than y and z."""
    if axis is None or axis in get_args(Up):
        return axis  # type: ignore[return-value]
    raise GremioError(f"Upright in a model is {' or '.join(get_args(Up))}, not {axis}.")
