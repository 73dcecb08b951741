"""Turning one file into another, by their endings."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from gremio.core.files import atomic, rig_file
from gremio.core.files.bring_in import bring_in
from gremio.core.files.csv_out import sweep_csv
from gremio.core.files.model_in import ENDINGS, read_model
from gremio.core.files.shelf import Shelf
from gremio.core.problem import GremioError, Note
from gremio.core.rig.builder import Typed, values_by_key
from gremio.core.rig.edit.controls import set_values
from gremio.core.rig.find import control_id
from gremio.core.rig.model import Rig
from gremio.core.solve.ask import solve, sweep

FRAMES_A_SECOND = 60


def convert_file(
    source: Path, target: Path, control: str | None, seconds: float, values: Mapping[str, Typed]
) -> list[Note]:
    """Write `target` from `source`, and return what is wrong with the rig.

    Raises GremioError for endings that don't go together.
    """
    shelf = Shelf()
    rig = _read(source, shelf)
    solve(rig, values)
    rig = set_values(rig, values_by_key(rig, values))
    ending = target.suffix.lower()
    if ending == ".gremio":
        rig_file.write(rig, target)
    elif ending == ".glb":
        atomic.write(target, baked_glb(rig, shelf, control, seconds))
    elif ending == ".csv":
        if control is None:
            raise GremioError("A table needs the control to sweep. Add --control NAME.")
        poses = sweep(rig, control)
        atomic.write(target, sweep_csv(poses, control_id(rig, control)).encode())
    else:
        raise GremioError(f"Gremio can't write {target.name}. It writes .gremio, .glb and .csv.")
    return [*solve(rig).program.faults, *shelf.notes(rig)]


def baked_glb(rig: Rig, shelf: Shelf, control: str | None, seconds: float) -> bytes:
    """A GLB of a rig as it stands, or of a control's whole travel as an animation."""
    from gremio.core.files.glb_out import glb

    if control is None:
        return glb(rig, shelf, solve(rig).poses)
    if not 0 < seconds <= 3600:
        raise GremioError("A baked travel takes more than 0 and at most 3600 seconds.")
    frames = max(2, round(seconds * FRAMES_A_SECOND) + 1)
    return glb(rig, shelf, sweep(rig, control, frames), seconds, control)


def _read(source: Path, shelf: Shelf) -> Rig:
    ending = source.suffix.lower()
    if ending == ".gremio":
        return rig_file.read(source)
    if ending in ENDINGS:
        model = read_model(source)
        shelf.put(model)
        return bring_in(Rig(name=source.stem), model)[0]
    raise GremioError(f"Gremio can't read {source.name}. It reads .gremio, {', '.join(ENDINGS)}.")
