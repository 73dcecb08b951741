"""A rig as a whole from a script: models brought in, files written, things renamed and removed."""

from __future__ import annotations

import warnings
from collections.abc import Mapping, Sequence
from pathlib import Path

from msgspec.structs import replace

from gremio.core.edit.builder import Typed
from gremio.core.edit.change import check_new_name, with_entry
from gremio.core.files.bring_in import bring_in as bring_model_in
from gremio.core.files.formats import Travel, write_rig
from gremio.core.files.model_in import read_model
from gremio.core.files.revising import HOWS, Revision, revisions
from gremio.core.files.sources import model_shelf
from gremio.core.files.taking_up import Mounts, revised
from gremio.core.make.removing import removed
from gremio.core.problem import GremioError, Note, NotFound
from gremio.core.quantity import UNITS, units_of
from gremio.core.rig.find import named_things, nothing_called
from gremio.core.rig.ids import ThingId
from gremio.core.rig.model import Rig, Up
from gremio.core.rig.things import THINGS, ThingRecord
from gremio.core.script.posing import solve, surfaces_of
from gremio.core.solve.ask import posed
from gremio.core.surfaces.models import Model


def bring_in(
    rig: Rig,
    model: str | Path,
    *,
    unit: str = "",
    up: Up | None = None,
    on_ground: bool = False,
    facing: str = "x",
) -> Rig:
    """The rig with a part for each node of a model file: bring_in(gremio.Rig(), "crane.glb").

    unit: of the lengths in the file, by its symbol ("mm"); "" for what its kind of file is usual
    to have. up: the file's upright axis; None for the usual one. on_ground: its lowest point comes
    to the ground, its middle over the origin. facing: the axis that its front faces. Raises
    GremioError for a file that can't be read.
    """
    known = units_of("length")
    if unit and unit not in known:
        raise GremioError(f"{unit!r} is no unit of length. Write one of {', '.join(known)}.")
    metres = UNITS[unit].size if unit else 1.0
    return bring_model_in(rig, read_model(model, metres, up), on_ground=on_ground, facing=facing)[0]


def changes(rig: Rig, model: str | Path, *, of: str = "") -> list[Revision]:
    """What is otherwise in a model file than in the one that was brought in: each has how ("new",
    "gone", "moved", "reshaped", "renamed"), name, words and a text: changes(rig, "crane-2.glb").

    of: which of the rig's models it is now, by its file's name; the one of the same name, or the
    only one, unless it is said. What can't be known is told by a warning. Raises NotFound,
    GremioError.
    """
    source, now, before = _models(rig, model, of)
    found = revisions(rig, source, now, before)
    for told in found.told:
        warnings.warn(told, stacklevel=2)
    return list(found.found)


def revise(
    rig: Rig,
    model: str | Path,
    take: Sequence[str | Revision] = HOWS,
    *,
    of: str = "",
    mounts: Mounts = "follow",
    anchors: Mounts = "follow",
) -> Rig:
    """The rig with a later model file taken up: revise(rig, "crane-2.glb", ["new", "moved"]).

    take: kinds of change, or some of `changes(rig, model)`; what is not taken is left as it is. of:
    as there. mounts: where a node is elsewhere, its joint goes there too ("follow"), or stays where
    it is while its shape goes ("stay"). anchors: what was measured on a shape that is another goes
    to the nearest of its kind, or stays. What came of it besides is told by warnings. Raises
    NotFound, GremioError.
    """
    source, now, before = _models(rig, model, of)
    wrong = [one for one in take if isinstance(one, str) and one not in HOWS]
    if wrong:
        raise GremioError(f"{wrong[0]!r} is no kind of change. Take some of {', '.join(HOWS)}.")
    found = revisions(rig, source, now, before)
    chosen = [one for one in found.found if one.how in take or one in take]
    made, said = revised(
        rig, source, now, chosen, before=before, found=found, mounts=mounts, anchors=anchors
    )
    for told in said:
        warnings.warn(told, stacklevel=2)
    return made


def _models(rig: Rig, path: str | Path, of: str) -> tuple[ThingId, Model, Model | None]:
    """Which source of a rig a model file is now, that model, and the one before, where it is still
    there as it was."""
    names = {i: Path(source.path).name for i, source in rig.sources.items()}
    if not names:
        raise GremioError(f"{rig.name} has no models from files, so there is none to take up.")
    wanted = of or Path(path).name
    fitting = [i for i, name in names.items() if name == wanted]
    if not fitting and not of and len(names) == 1:
        fitting = list(names)
    if not fitting:
        raise NotFound(nothing_called(wanted, "model", list(names.values())))
    source = rig.sources[fitting[0]]
    now = read_model(Path(path), source.metres, source.up)
    return fitting[0], now, model_shelf().model(source)


def export(
    rig: Rig,
    path: str | Path,
    *,
    control: str | Sequence[str] = (),
    seconds: float | None = None,
    fps: float | None = None,
    poses: Sequence[str] = (),
) -> list[Note]:
    """Write a rig as .glb, .urdf, .csv or .gremio, by the ending, and say what the file can't hold:
    export(rig, "gates.glb", control="Upper gates").

    control: whose travel is baked, by name; several run along together. seconds: how long that
    takes, 4 where nothing is said. fps: keys on whole frames only; None for as many as are needed.
    poses: kept poses to go through instead. Raises NotFound, GremioError.
    """
    named = (control,) if isinstance(control, str) else tuple(control)
    travel = Travel(named[0] if named else None, seconds, fps, others=named[1:], poses=tuple(poses))
    return write_rig(rig, Path(path), model_shelf(), travel)


def put(rig: Rig, values: Mapping[str, Typed]) -> Rig:
    """The rig with controls and channels put somewhere, by name: put(rig, {"Open": "20 deg"}).
    Raises NotFound, QuantityError, GremioError for what a link leads."""
    return posed(rig, values, geometry=surfaces_of(rig))


def rename(rig: Rig, name: str, to: str) -> Rig:
    """The rig in which a thing is called otherwise, whatever it is; links refer by id, so none
    breaks. Raises NotFound, GremioError for a name that is taken."""
    record, thing_id = _called(rig, name)
    check_new_name(rig, to, name)
    things = record.of(rig)
    changed = with_entry(things, thing_id, replace(things[thing_id], name=to))
    return replace(rig, **{record.field: changed})


def remove(rig: Rig, name: str) -> Rig:
    """The rig without a thing, by name, whatever it is. A part goes with all it carries; what a
    constraint held stays where it stands. Raises NotFound."""
    return removed(rig, _called(rig, name)[1], solve(rig))


def _called(rig: Rig, name: str) -> tuple[ThingRecord, ThingId]:
    """The kind, and the id, of the thing of a name. Raises NotFound."""
    for record in THINGS:
        if record.named:
            for thing_id, thing in record.of(rig).items():
                if thing.name == name:
                    return record, thing_id
    known = [thing.name for things in named_things(rig).values() for thing in things.values()]
    raise NotFound(nothing_called(name, "thing", known))
