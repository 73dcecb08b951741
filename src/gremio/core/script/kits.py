"""Kits from a script: a piece kept to be used again, put into another rig, and taken up anew."""

from __future__ import annotations

import warnings
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

from gremio.core.edit.builder import Typed, placed, values_by_key
from gremio.core.files import kits, rig_file
from gremio.core.files.sources import model_shelf
from gremio.core.inspect.comparing import Difference
from gremio.core.make.kit_of import kit_of
from gremio.core.problem import NotFound
from gremio.core.rig.find import channel_key, nothing_called, part_id
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.model import Rig
from gremio.core.script.posing import surfaces_of


def keep_kit(
    rig: Rig,
    *parts: str,
    to: str | Path,
    name: str = "",
    about: str = "",
    words: Sequence[str] = (),
    ask: Sequence[str] = (),
) -> Rig:
    """Keep some parts (by name), with all they carry and all that is inside, as a kit in a
    .gremio file, and give that: keep_kit(rig, "Hinge", to="door.gremio", ask=["Width"]).

    What they stand on, and what leads them from outside, is asked when the kit is put in. name: of
    the kit; the first part's else. about: what it is, in a line. words: to find it by. ask: numbers
    by name that are asked for then. What can't go along is told by a warning. Raises NotFound,
    GremioError.
    """
    made = kit_of(
        rig, [part_id(rig, part) for part in parts], name=name, about=about, words=words,
        dimensions=[channel_key(rig, number) for number in ask], geometry=surfaces_of(rig),
    )  # fmt: skip
    for told in made.told:
        warnings.warn(told, stacklevel=2)
    rig_file.write(made.kit, to)
    return made.kit


def put_kit(
    rig: Rig,
    kit: str | Path,
    *,
    on: str = "",
    at: Sequence[Typed] = (0.0, 0.0, 0.0),
    turned: Sequence[Typed] = (0.0, 0.0, 0.0),
    sizes: Mapping[str, Typed] | None = None,
    answers: Mapping[str, str] | None = None,
    places: Mapping[str, Sequence[Typed]] | None = None,
) -> Rig:
    """The rig with the kit of a file put in:
    put_kit(rig, "door.gremio", on="Hull", at=(2, 0, "0.5 m"), sizes={"Width": "1.2 m"}).

    on: the part it stands on, by name; "" for the ground. at, turned: where, in that part's frame
    (m, rad). sizes: its dimensions, by name. answers: by the name of a control of the kit what
    leads in its place, by the name of a part without a shape the part that carries it. places: by
    the name of such a part, where it stands in that (m); else as it does in the kit. Raises
    NotFound, GremioError.
    """
    made = kits.read_kit(kit)
    answered: dict[ThingId, PartId | ChannelKey] = {}
    for name, answer in (answers or {}).items():
        thing, look_up = _socket(made, name)
        answered[thing] = look_up(rig, answer)
    return kits.put_kit(
        rig, made, kit, on=part_id(rig, on) if on else None, at=placed(at, turned),
        answers=answered,
        places={_socket(made, name)[0]: placed(at) for name, at in (places or {}).items()},
        sizes=values_by_key(made, sizes or {}), geometry=surfaces_of(rig),
        shelf=model_shelf(),
    ).rig  # fmt: skip


def kit_changes(rig: Rig) -> list[Difference]:
    """What is otherwise in the files of the rig's kits than when they were put in. Raises
    FileProblem, GremioError."""
    shelf = model_shelf()
    found = (kits.later(rig, use, shelf=shelf) for use in kits.later_kits(rig))
    return [change.difference for one in found for change in one.changes]


def update_kits(rig: Rig, take: Sequence[Difference] | None = None) -> Rig:
    """The rig with its kits as their files have them now. take: only some of `kit_changes(rig)`,
    the others are left for good; None takes all that was not changed in the rig too. Raises
    FileProblem, GremioError."""
    shelf = model_shelf()
    for use in kits.later_kits(rig):
        found = kits.later(rig, use, shelf=shelf)
        chosen = [c.difference for c in found.changes
                  if (not c.here if take is None else c.difference in take)]  # fmt: skip
        rig = kits.brought_up(rig, found, chosen, geometry=surfaces_of(rig))
    return rig


def _socket(kit: Rig, name: str) -> tuple[ThingId, Callable[[Rig, str], PartId | ChannelKey]]:
    """What stands in a kit for the other rig, by name, and how its answer is found there."""
    asked = [s.thing for s in kit.kit.sockets if s.thing] if kit.kit is not None else []
    for control, entry in kit.controls.items():
        # Any control of a kit may be led otherwise.
        if entry.name == name:
            return control, channel_key
    for part, carrier in kit.parts.items():
        if carrier.name == name and part in asked:
            return part, part_id
    names = [c.name for c in kit.controls.values()]
    names += [kit.parts[PartId(t)].name for t in asked if t in kit.parts]
    raise NotFound(nothing_called(name, "socket", names))
