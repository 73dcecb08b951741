"""What every edit needs: new ids, changed mappings, names that are free."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import TypeVar

import msgspec
import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from gremio.core.arrays import Array
from gremio.core.frames import Frame
from gremio.core.problem import GremioError, NotFound
from gremio.core.rig import ids
from gremio.core.rig.channels import split
from gremio.core.rig.data import Data
from gremio.core.rig.find import names_in
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.model import Rig
from gremio.core.rig.things import THINGS

T = TypeVar("T")
K = TypeVar("K", bound=str)


def new_id(rig: Rig, letter: str) -> tuple[Rig, ThingId]:
    """The rig with one more id given out, and the id; never one that a merged or hand-written
    file has already."""
    number = rig.made + 1
    while any(f"{letter}{number}" in one.of(rig) for one in THINGS):
        number += 1
    return replace(rig, made=number), ids.thing(f"{letter}{number}")


def with_entry(mapping: Mapping[K, T], key: K, value: T) -> dict[K, T]:
    """A copy of a mapping with one entry set."""
    return {**mapping, key: value}


def without(mapping: Mapping[K, T], *keys: K) -> dict[K, T]:
    """A copy of a mapping without some entries."""
    gone = set(keys)
    return {key: value for key, value in mapping.items() if key not in gone}


def check_new_name(rig: Rig, name: str, present: str | None = None) -> None:
    """Refuse an empty name and one that another part or control has."""
    if not name.strip():
        raise GremioError("A name can't be empty. Write at least one letter.")
    if name != present and name in names_in(rig):
        raise GremioError(f"{name!r} is already the name of something here. Choose another name.")


def must_have(mapping: Mapping[K, T], key: K, what: str) -> T:
    """The entry of this id. Raises NotFound when it is not in the rig."""
    try:
        return mapping[key]
    except KeyError:
        raise NotFound(f"The rig has no {what} with the id {key!r}.") from None


def known_or_new(rig: Rig, mapping: Mapping[K, T], key: K, what: str) -> None:
    """Refuse an id that is not in the rig, unless it was the last to be given out."""
    if key not in mapping and key[1:] != str(rig.made):
        raise NotFound(f"The rig has no {what} with the id {key!r}.")


def well_formed(thing: Data, name: str) -> None:
    """Refuse what is not as its type says, so that it could be saved and not be opened again: a
    kind that is none, a number that is none. name: what it is called to a person."""
    plain = msgspec.to_builtins(thing)
    try:
        msgspec.convert(plain, type(thing))
    except msgspec.ValidationError as error:
        raise GremioError(f"{name} can't be so: {error}.") from None
    if not _finite(plain):
        raise GremioError(f"{name} can't be so: a number of it is no plain number. Give it one.")


def _finite(plain: object) -> bool:
    match plain:
        case float():
            return math.isfinite(plain)
        case dict():
            return all(map(_finite, plain.values()))
        case list() | tuple():
            return all(map(_finite, plain))
    return True


def check_frame(frame: Frame, name: str) -> None:
    """Refuse a frame that nothing can stand in. name: of what would."""
    numbers = (*frame.at, *frame.turn, *frame.scale)
    if not all(map(math.isfinite, numbers)) or not all(frame.scale) or not any(frame.turn):
        raise GremioError(f"{name} can't stand so: a number of its place, turn or size is none.")


def numbers_of(values: npt.ArrayLike, shape: tuple[int, ...], name: str) -> Array:
    """Plain numbers of a shape. Raises GremioError for anything else. name: what they are."""
    try:
        found = np.asarray(values, dtype=float)
    except (TypeError, ValueError):
        found = np.zeros(0)
    if found.shape != shape or not np.isfinite(found).all():
        raise GremioError(f"{name} needs {' x '.join(map(str, shape))} plain numbers.")
    return found


def drop_values_of(at: dict[ChannelKey, float], *owners: ThingId) -> dict[ChannelKey, float]:
    """The present values without those of some parts, controls or others."""
    kept = {key: value for key, value in at.items() if split(key)[0] not in owners}
    return at if len(kept) == len(at) else kept
