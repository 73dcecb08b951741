"""Baking a routine into a file, by its ending."""

from __future__ import annotations

from pathlib import Path

from gremio.core.files import atomic
from gremio.core.files.baked import baked_csv, baked_json
from gremio.core.files.glb_out import routine_glb
from gremio.core.files.sources import model_shelf
from gremio.core.mechanics.clock import frame_times, rate_of
from gremio.core.motion.routines import routine_called, routine_notes, run_of
from gremio.core.problem import GremioError, Note
from gremio.core.rig.model import Rig
from gremio.core.script.posing import surfaces_of
from gremio.core.script.timing import bake
from gremio.core.solve.compiling import compile_rig
from gremio.core.surfaces.shelf import Shelf

_ENDINGS = (".glb", ".csv", ".json")


def bake_file(
    rig: Rig,
    output: Path,
    routine: str = "",
    fps: str | None = None,
    *,
    shelf: Shelf | None = None,
) -> list[Note]:
    """Write a routine (by name; the only one where it is "") for all its frames, and return what is
    to be told. fps: frames a second; its own where it is None. shelf: where models are read
    already. Raises GremioError."""
    ending = output.suffix.lower()
    if ending not in _ENDINGS:
        raise GremioError(
            f"A routine is baked into {', '.join(_ENDINGS)}, not {output.suffix or 'no ending'}."
        )
    entry = rig.routines[routine_called(rig, routine)]
    rate = entry.rate if fps is None else rate_of(fps)
    if ending == ".glb":
        data, notes = routine_glb(rig, shelf or model_shelf(), entry, rate[0] / rate[1])
        atomic.write(output, data)
        return notes
    if ending == ".csv":
        program = compile_rig(rig, surfaces_of(rig))
        run = run_of(program, entry)
        times = frame_times(*(entry.play or (0.0, entry.length)), rate)
        atomic.write(output, baked_csv(program, lambda: run.pieces(times)))
        return routine_notes(program, entry)
    baked = bake(rig, entry.name, rate=fps)
    atomic.write(output, baked_json(baked.times, baked.poses, baked.notes))
    return list(baked.notes)
