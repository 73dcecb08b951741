"""Turning one file into another, by their endings."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from gremio.core.edit.builder import Typed
from gremio.core.files import atomic, rig_file
from gremio.core.files.bring_in import bring_in
from gremio.core.files.csv_out import sweep_csv
from gremio.core.files.model_in import ENDINGS, read_model
from gremio.core.files.sources import model_shelf
from gremio.core.problem import GremioError, Note
from gremio.core.rig.find import control_id
from gremio.core.rig.model import Rig
from gremio.core.script.posing import solve, surfaces_of, sweep
from gremio.core.solve.ask import posed
from gremio.core.surfaces.shelf import Shelf


def convert_file(
    source: Path, target: Path, control: str | None, seconds: float, values: Mapping[str, Typed]
) -> list[Note]:
    """Write `target` from `source`, and return what is wrong with the rig.

    Raises GremioError for endings that don't go together.
    """
    shelf = model_shelf()
    rig, notes = _read(source, shelf)
    rig = posed(rig, values, geometry=surfaces_of(rig)) if values else rig
    ending = target.suffix.lower()
    if ending == ".gremio":
        rig_file.write(rig, target)
    elif ending == ".glb":
        from gremio.core.files.glb_out import baked_glb

        data, left_out = baked_glb(rig, shelf, control, seconds)
        atomic.write(target, data)
        notes += left_out
    elif ending == ".urdf":
        from gremio.core.files.urdf_out import write_urdf

        notes += write_urdf(rig, target, shelf)
    elif ending == ".csv":
        if control is None:
            raise GremioError("A table needs the control to sweep. Add --control NAME.")
        poses = sweep(rig, control)
        atomic.write(target, sweep_csv(poses, control_id(rig, control)).encode())
    else:
        raise GremioError(
            f"Gremio can't write {target.name}. It writes .gremio, .glb, .urdf and .csv."
        )
    return [*notes, *solve(rig).program.faults, *shelf.notes(rig)]


def _read(source: Path, shelf: Shelf) -> tuple[Rig, list[Note]]:
    """The rig in a file, and what could not be taken over."""
    ending = source.suffix.lower()
    if ending == ".gremio":
        return rig_file.read(source), []
    if ending == ".urdf":
        from gremio.core.files.urdf_in import read_urdf

        return read_urdf(source, shelf)
    if ending in ENDINGS:
        model = read_model(source)
        shelf.put(model)
        return bring_in(Rig(name=source.stem), model)[0], list(model.notes)
    raise GremioError(
        f"Gremio can't read {source.name}. It reads .gremio, .urdf, {', '.join(ENDINGS)}."
    )
