"""What is another in one rig than in another: for two people at one file."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from gremio.core.problem import listed
from gremio.core.rig.channels import split
from gremio.core.rig.ids import ThingId
from gremio.core.rig.links import link_label
from gremio.core.rig.model import Link, Rig
from gremio.core.rig.numbers import full_label

# The kinds of thing, and what one of each is called.
_KINDS = {
    "parts": "part",
    "controls": "control",
    "links": "link",
    "measures": "measure",
    "paths": "path",
    "closures": "pin",
    "struts": "strut",
    "constraints": "constraint",
    "strands": "strand",
    "treads": "tread",
    "poses": "kept pose",
    "sources": "model",
}


def differences(before: Rig, after: Rig) -> list[str]:
    """What was added to a rig, taken out, changed and moved, a line each."""
    found = [] if before.name == after.name else [f"named {after.name}, not {before.name}"]
    for kind, word in _KINDS.items():
        found += _of_kind(word, (before, getattr(before, kind)), (after, getattr(after, kind)))
    moved = [c for c in {**before.at, **after.at} if before.at.get(c) != after.at.get(c)]
    if moved:
        told = [full_label(after, c) for c in moved if split(c)[0] in _all(after)]
        more = f" and {len(told) - 3} more" if len(told) > 3 else ""
        found.append(f"moved: {listed(told[:3])}{more}" if told else "something was moved")
    return found


def _all(rig: Rig) -> set[ThingId]:
    return {thing for kind in _KINDS for thing in getattr(rig, kind)}


def _of_kind(
    word: str, before: tuple[Rig, Mapping[Any, Any]], after: tuple[Rig, Mapping[Any, Any]]
) -> Iterator[str]:
    (old, ones), (new, twos) = before, after
    for thing, entry in twos.items():
        if thing not in ones:
            yield f"added {word} {_name(new, thing, entry)}"
        elif ones[thing] != entry:
            yield f"changed {word} {_name(new, thing, entry)}"
    for thing, entry in ones.items():
        if thing not in twos:
            yield f"without {word} {_name(old, thing, entry)}"


def _name(rig: Rig, thing: str, entry: Any) -> str:
    if isinstance(entry, Link):
        return link_label(rig, entry)
    return str(getattr(entry, "name", "") or thing)
