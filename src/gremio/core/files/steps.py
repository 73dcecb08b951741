"""Steps from older versions of the file to the present one, on plain lists and mappings."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from gremio.core.formula.parse import with_comparisons_apart
from gremio.core.quantity import UNIT_WORDS

# What each kind of constraint had of version 1, where all kinds had the fields of all.
_OF_ALL = {"name", "kind", "part", "channels", "grip", "off", "freed"}
_OF_KIND: dict[str, set[str]] = {
    "ride": {"targets", "adds"},
    "pin": {"targets", "adds"},
    "match": {"targets", "adds"},
    "aim": {"targets", "adds", "offset", "axis", "upright", "second", "toward"},
    "tether": {"targets", "adds", "reach", "distance"},
    "seat": {"targets", "adds", "offset", "axis", "stands", "stand_off"},
    "run along": {"targets", "adds", "offset", "by_share", "banked_for"},
    "constant volume": set(),
    "reach": {"targets", "tip", "stiffness"},
}
_WERE_FIELDS = set().union(*_OF_KIND.values())


def raised(rig: dict[str, Any], version: int) -> dict[str, Any]:
    """A rig, as it stands in a file of a version, as the present version has it."""
    for step in _STEPS[version - 1 :]:
        rig = step(rig)
    return rig


def _grips_and_numbers(rig: dict[str, Any]) -> dict[str, Any]:
    """From 1 to 2: "influence" became grip, "follow path" run along; each kind of constraint has
    its own fields; numbers of things stand in the things, not among what is put."""
    owners = [i for i in rig.get("constraints", {}) if isinstance(i, str)]
    rig = _renamed(rig, {f"{i} influence": f"{i} grip" for i in owners})
    rig = {**rig, "constraints": {i: _constraint(c) for i, c in rig.get("constraints", {}).items()}}
    at = {}
    for channel, value in rig.get("at", {}).items():
        if not _into_its_thing(rig, channel, value):
            at[channel] = value
    empty = [name for name in ("constraints",) if not rig[name]]
    rig = {name: value for name, value in rig.items() if name not in empty}
    return {**rig, "at": at} if at or "at" in rig else rig


def _constraint(old: dict[str, Any]) -> dict[str, Any]:
    made = {"grip" if name == "influence" else name: value for name, value in old.items()}
    if made.get("kind") == "follow path":
        made["kind"] = "run along"
    # Only what the kind has; what no kind ever had is left to be told.
    kept = _OF_ALL | _OF_KIND.get(made.get("kind", ""), set())
    return {n: v for n, v in made.items() if n in kept or n not in _WERE_FIELDS}


def _renamed(value: Any, names: dict[str, str]) -> Any:
    """A value with keys of channels renamed, wherever they stand, and in formulas' braces."""
    if isinstance(value, dict):
        return {names.get(k, k): _renamed(v, names) for k, v in value.items()}
    if isinstance(value, list):
        return [_renamed(item, names) for item in value]
    if isinstance(value, str):
        braced = re.sub(r"\{([^{}]*)\}", lambda m: f"{{{names.get(m[1], m[1])}}}", value)
        return names.get(braced, braced)
    return value


def _into_its_thing(rig: dict[str, Any], channel: str, value: float) -> bool:
    """Put a number that was put by hand into its thing; whether it is one of those."""
    owner, _, name = channel.partition(" ")
    constraint = rig.get("constraints", {}).get(owner)
    part = rig.get("parts", {}).get(owner)
    if constraint is not None and name in ("grip", "distance", "stand-off"):
        constraint[name.replace("-", "_")] = value
        return True
    if constraint is not None and name.startswith("weight "):
        constraint["targets"][int(name.split(" ")[1]) - 1]["weight"] = value
        return True
    if part is not None and name in ("count", "pitch", "pitch angle"):
        repeat = part.get("repeat")
        if repeat is not None:
            whole = int(value + 1e-9) if name == "count" else value
            repeat[name.split(" ")[0]] = whole
        return True
    return False


def _powers_of_units(rig: dict[str, Any]) -> dict[str, Any]:
    """From 2 to 3: in a formula a power behind a unit is the unit's now, and comparisons stand two
    and two; where it was that of the whole, or there were more, brackets say so. A wheel may roll
    over a part, and be a ball."""
    links = rig.get("links", {})
    raised = {i: _bracketed(link) for i, link in links.items()}
    return {**rig, "links": raised} if raised != links else rig


_RAISED = re.compile(r"(?<![\w.])((?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?\s*(°|[A-Za-z]+))(?=\s*\^)")


def _bracketed(link: Any) -> Any:
    text = link.get("text") if isinstance(link, dict) else None
    if not isinstance(text, str):
        return link
    text = with_comparisons_apart(text)

    def put(found: re.Match[str]) -> str:
        known = found[2] == "°" or UNIT_WORDS.get(found[2], "%") != "%"
        return f"({found[1]})" if known else found[1]

    # Keys stand in braces, and have no powers.
    pieces = re.split(r"(\{[^{}]*\})", text)
    return {
        **link,
        "text": "".join(p if p.startswith("{") else _RAISED.sub(put, p) for p in pieces),
    }


def _as_it_is(rig: dict[str, Any]) -> dict[str, Any]:
    """From 3 to 4: something can be written about things, and a control may be open at its ends;
    what was there means what it meant."""
    return rig


_STEPS: tuple[Callable[[dict[str, Any]], dict[str, Any]], ...] = (
    _grips_and_numbers,
    _powers_of_units,
    _as_it_is,
)
VERSION = len(_STEPS) + 1
