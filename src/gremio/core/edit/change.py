"""What every edit needs: new ids, changed mappings, names that are free."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TypeVar

from msgspec.structs import replace

from gremio.core.problem import GremioError, NotFound
from gremio.core.rig import ids
from gremio.core.rig.channels import split
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


def drop_values_of(at: dict[ChannelKey, float], *owners: ThingId) -> dict[ChannelKey, float]:
    """The present values without those of some parts, controls or others."""
    kept = {key: value for key, value in at.items() if split(key)[0] not in owners}
    return at if len(kept) == len(at) else kept
