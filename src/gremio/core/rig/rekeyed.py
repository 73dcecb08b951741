"""Things of a rig that refer to channels, referring to others in their place."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Any, TypeVar

import msgspec

from gremio.core.rig.ids import ChannelKey

T = TypeVar("T")
_BRACED = re.compile(r"\{([^{}]*)\}")


def rekeyed(thing: T, kind: Any, key_of: Callable[[str], str]) -> T:
    """A thing, of a type as `msgspec` has it, with every channel key and id in it replaced, in the
    braces of formulas too. key_of: what stands in place of a text; itself where that is no key."""
    made: T = msgspec.convert(replaced(msgspec.to_builtins(thing), key_of), kind)
    return made


def by_names(names: Mapping[ChannelKey, ChannelKey]) -> Callable[[str], str]:
    """What replaces just some channels."""
    known: Mapping[str, str] = {str(old): str(new) for old, new in names.items()}
    return lambda text: known.get(text, text)


def replaced(value: Any, key_of: Callable[[str], str]) -> Any:
    """Plain values (as `msgspec.to_builtins` gives them) with every text in them replaced."""
    if isinstance(value, dict):
        return {key_of(k): replaced(v, key_of) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [replaced(item, key_of) for item in value]
    if isinstance(value, str):
        braced = _BRACED.sub(lambda found: f"{{{key_of(found[1])}}}", value)
        return key_of(braced)
    return value
