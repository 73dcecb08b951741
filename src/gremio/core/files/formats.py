"""The formats of whole rigs, in one table: which endings are read, and which are written."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

from gremio.core.files import atomic, rig_file
from gremio.core.files.bring_in import bring_in
from gremio.core.files.model_in import ENDINGS, read_model
from gremio.core.inspect.reach import stands_still
from gremio.core.problem import GremioError, Note
from gremio.core.rig.find import control_id
from gremio.core.rig.model import Rig, Up
from gremio.core.solve.ask import sweep
from gremio.core.solve.travels import Way, way_of_controls, way_of_poses
from gremio.core.surfaces.shelf import Shelf


class Travel(NamedTuple):
    """The travel that is written where a format holds one. control: its name; None for the rig as
    it stands. seconds: how long the travel takes, 4 s unless it is said. fps: whole frames a
    second, at which alone there are keys; None for as many keys as it takes. start, end: of the
    control, as a person types them; None for the ends of its range. others: names of controls that
    run along with it, each over its range. poses: names of kept poses to go through instead."""

    control: str | None = None
    seconds: float | None = None
    fps: float | None = None
    start: str | None = None
    end: str | None = None
    others: tuple[str, ...] = ()
    poses: tuple[str, ...] = ()

    def way(self, rig: Rig) -> Way | None:
        """What it is in a rig; None for the rig as it stands. Raises GremioError."""
        if self.poses:
            if self.control is not None:
                raise GremioError("A travel goes through poses, or along controls: name one kind.")
            return way_of_poses(rig, self.poses)
        if self.control is None:
            return None
        return way_of_controls(rig, (self.control, *self.others), self.start, self.end)


class Reading(NamedTuple):
    """What is said of a model that does not say it itself. metres: length of its unit. up: its
    upright axis. None for what is usual."""

    metres: float | None = None
    up: Up | None = None


SECONDS = 4.0
Read = Callable[[Path, Shelf, Reading], tuple[Rig, list[Note]]]
Write = Callable[[Rig, Path, Shelf, Travel], list[Note]]


_AS_USUAL = Reading()


class Format(NamedTuple):
    """One format. words: what it is called. read: the rig in a file, and what could not be taken
    over. write: writes a rig, and returns what it can't carry. Both raise GremioError; None where
    Gremio does not do that. asks: what of a Reading, and of a Travel, it does something with."""

    words: str
    read: Read | None = None
    write: Write | None = None
    asks: tuple[str, ...] = ()


def _read_rig(path: Path, shelf: Shelf, reading: Reading) -> tuple[Rig, list[Note]]:
    del shelf, reading
    opened = rig_file.open_known(path)
    return opened.rig, list(opened.notes)


def _write_rig(rig: Rig, path: Path, shelf: Shelf, travel: Travel) -> list[Note]:
    del shelf, travel
    rig_file.write(rig, path)
    return []


def _write_glb(rig: Rig, path: Path, shelf: Shelf, travel: Travel) -> list[Note]:
    from gremio.core.files.glb_out import baked_glb

    way = travel.way(rig)
    if way is None and any(given not in (None, ()) for given in travel):
        raise GremioError(
            "Seconds, frames and ends are of a travel. Name a control too, or leave them out."
        )
    seconds = SECONDS if travel.seconds is None else travel.seconds
    data, notes = baked_glb(rig, shelf, way, seconds, travel.fps)
    atomic.write(path, data)
    return notes


def _read_urdf(path: Path, shelf: Shelf, reading: Reading) -> tuple[Rig, list[Note]]:
    from gremio.core.files.urdf_in import read_urdf

    del reading
    return read_urdf(path, shelf)


def _write_urdf(rig: Rig, path: Path, shelf: Shelf, travel: Travel) -> list[Note]:
    from gremio.core.files.urdf_out import write_urdf

    del travel
    return write_urdf(rig, path, shelf)


def _write_csv(rig: Rig, path: Path, shelf: Shelf, travel: Travel) -> list[Note]:
    from gremio.core.files.csv_out import sweep_csv

    if travel.control is None:
        raise GremioError("A table needs a control to sweep. Name one.")
    poses = sweep(rig, travel.control, geometry=lambda solid: shelf.surface(rig, solid))
    control = control_id(rig, travel.control)
    atomic.write(path, sweep_csv(poses, control).encode())
    return stands_still(poses, control)


def _read_model(path: Path, shelf: Shelf, reading: Reading) -> tuple[Rig, list[Note]]:
    model = read_model(path, 1.0 if reading.metres is None else reading.metres, reading.up)
    shelf.put(model)
    return bring_in(Rig(name=path.stem), model)[0], list(model.notes)


_OF_MODELS = Reading._fields
_OPTIONS = {"metres": "unit", "start": "from", "end": "to", "others": "control", "poses": "pose"}
FORMATS: dict[str, Format] = {
    ".gremio": Format("Gremio rig", _read_rig, _write_rig),
    ".urdf": Format("URDF", _read_urdf, _write_urdf),
    ".glb": Format("GLB", _read_model, _write_glb, (*_OF_MODELS, *Travel._fields)),
    ".csv": Format("CSV", None, _write_csv, ("control",)),
    **{e: Format("Model", _read_model, None, _OF_MODELS) for e in ENDINGS if e != ".glb"},
}


def read_rig(path: Path, shelf: Shelf, reading: Reading = _AS_USUAL) -> tuple[Rig, list[Note]]:
    """The rig in a file of any format that is read, and what could not be taken over. Raises
    GremioError, also for what is said that the format does nothing with."""
    found = FORMATS.get(path.suffix.lower())
    if found is None or found.read is None:
        raise GremioError(f"Gremio can't read {path.name}. It reads {_endings(reads=True)}.")
    _check_asked(found, reading._asdict(), f"reading {path.name}")
    return found.read(path, shelf, reading)


def write_rig(rig: Rig, path: Path, shelf: Shelf, travel: Travel) -> list[Note]:
    """Write a rig in the format of the path's ending; returns what that can't carry. Raises
    GremioError, also for what is asked that the format does nothing with."""
    found = FORMATS.get(path.suffix.lower())
    if found is None or found.write is None:
        raise GremioError(f"Gremio can't write {path.name}. It writes {_endings(reads=False)}.")
    _check_asked(found, travel._asdict(), f"writing {path.name}")
    return found.write(rig, path, shelf, travel)


def _check_asked(found: Format, asked: dict[str, object], doing: str) -> None:
    for name, given in asked.items():
        if given not in (None, ()) and name not in found.asks:
            option = _OPTIONS.get(name, name)
            raise GremioError(f"{option!r} does nothing in {doing}. Leave it out.")


def _endings(reads: bool) -> str:
    known = [end for end, one in FORMATS.items() if (one.read if reads else one.write) is not None]
    return f"{', '.join(known[:-1])} and {known[-1]}"
