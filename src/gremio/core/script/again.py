"""The same once more, from a script: twins and copies, by the names of parts."""

from __future__ import annotations

import warnings
from collections.abc import Sequence

from gremio.core.inspect.comparing import Difference, compare
from gremio.core.inspect.merging import same_things, taken_over
from gremio.core.make import pieces
from gremio.core.make.alike import keep_alike
from gremio.core.make.copying import Crossing, copy_part
from gremio.core.make.pieces import taken_out
from gremio.core.make.resizing import resized
from gremio.core.make.side_words import SIDES
from gremio.core.make.twins import Plane, twin
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Axis, Rig, Triple
from gremio.core.script.posing import surfaces_of


def mirror(
    rig: Rig,
    *parts: str,
    across: Axis = "y",
    of: str = "",
    at: float = 0.0,
    leads: Crossing = "share",
    same_way: bool = False,
    sides: Sequence[tuple[str, str]] = SIDES,
    alike: bool = False,
) -> Rig:
    """The rig with the twin of some parts, with all they carry, and all links inside:
    mirror(rig, "Gate, left", of="Frame").

    parts: by name. across: an axis of a part by name, or of the ground (of=""); the mirror stands
    at so far along it (m), as all is at home. leads: what leads the original leads the twin too
    ("share"), or the twin gets controls of its own ("own"), or only those that lead nothing else
    ("none"). same_way: what is led from outside turns the same way round as the original. sides:
    words that change places in names. alike: the window keeps both sides alike from then on. What
    the twin does not do as the mirror has it is told by a warning. Raises NotFound, GremioError.
    """
    plane = Plane(across, part_id(rig, of) if of else None, at)
    made = twin(
        rig, [part_id(rig, name) for name in parts], plane, crossing=leads, same_way=same_way,
        sides=sides, geometry=surfaces_of(rig),
    )  # fmt: skip
    for told in made.told:
        warnings.warn(told, stacklevel=2)
    return keep_alike(made, plane, same_way=same_way) if alike else made.rig


def resize(rig: Rig, factor: float, *parts: str) -> Rig:
    """The rig so many times as large, or some parts (by name) with all they carry, where they
    stand: resize(rig, 0.68 / 0.5, "Wheel"). Lengths go along, turns stay. Raises NotFound,
    GremioError."""
    return resized(rig, factor, [part_id(rig, name) for name in parts])


def take(rig: Rig, *parts: str) -> Rig:
    """A rig of some parts (by name) with all they carry, and of all that is wholly inside, as it
    stands: take(rig, "Gate"). Save it, or put it into another. Raises NotFound, GremioError."""
    ids = [part_id(rig, name) for name in parts]
    return taken_out(rig, ids, geometry=surfaces_of(rig))


def put_in(rig: Rig, piece: Rig, on: str = "") -> Rig:
    """The rig with another one put in, on a part by name, or on the ground (on=""). Names that are
    taken get a number. Raises NotFound."""
    return pieces.put_in(rig, piece, part_id(rig, on) if on else None)[0]


def merge(rig: Rig, other: Rig, take: Sequence[Difference] | None = None) -> Rig:
    """The rig with what is otherwise in another one taken from that. take: some of
    `compare(rig, other)`; None for all. What went along, or could not be taken, is told by
    warnings. Raises GremioError."""
    found = compare(rig, other)
    ids = same_things(rig, other, found)
    chosen = found if take is None else take
    made = taken_over(rig, other, chosen, ids, geometry=surfaces_of(rig))
    for told in made.told:
        warnings.warn(told, stacklevel=2)
    return made.rig


def copy(rig: Rig, part: str, *, aside: Triple = (0.0, 0.0, 0.0), leads: Crossing = "share") -> Rig:
    """The rig with a copy of a part (by name), of all it carries, and all that is inside.

    aside: how far from the original it stands (m, in what carries both). leads: what leads from
    outside leads the copy too ("share"), or the copy gets controls of its own ("own"), or none
    ("none"). Raises NotFound.
    """
    return copy_part(rig, part_id(rig, part), crossing=leads, aside=aside)[0]
