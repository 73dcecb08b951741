"""Constraints: which channels of a part each kind can give, and its own numbers.

A constraint's numbers are channels too: "x3 influence", "x3 weight 2", "x3 way".
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from gremio.core.quantity import Kind
from gremio.core.rig.model import Constraint, ConstraintKind, Rig, Target

_MOVES = ("move x", "move y", "move z")
_TURNS = ("turn x", "turn y", "turn z")
_SCALES = ("scale x", "scale y", "scale z")

# What each kind can give its part, and what it gives where nobody says otherwise. A reach gives
# channels of what carries the part as well, by key.
CAN_GIVE: dict[ConstraintKind, tuple[str, ...]] = {
    "ride": _MOVES + _TURNS + _SCALES,
    "pin": _MOVES,
    "match": _TURNS + _SCALES,
    "aim": _TURNS,
    "tether": _MOVES,
    "seat": _MOVES + _TURNS,
    "follow path": _MOVES + _TURNS,
    "constant volume": _SCALES,
    "reach": (),
}
USUALLY_GIVES: dict[ConstraintKind, tuple[str, ...]] = {
    **CAN_GIVE,
    "ride": _MOVES + _TURNS,
    "match": _TURNS,
    "constant volume": ("scale y", "scale z"),
}
KINDS: tuple[ConstraintKind, ...] = tuple(CAN_GIVE)
# How many targets a kind has at most.
MOST_TARGETS: dict[ConstraintKind, int] = {"seat": 1, "follow path": 1, "constant volume": 0}
# What a part does by a constraint of each kind: "Lamp rides on Hook".
VERBS: dict[ConstraintKind, str] = {
    "ride": "rides on",
    "pin": "is pinned to",
    "match": "matches",
    "aim": "aims at",
    "tether": "is tethered to",
    "seat": "sits on",
    "follow path": "follows",
    "constant volume": "keeps its volume",
    "reach": "reaches for",
}


class Number(NamedTuple):
    """One number of a constraint that can change: its kind of quantity, and its home (SI)."""

    kind: Kind
    home: float


def numbers(constraint: Constraint) -> dict[str, Number]:
    """The numbers of a constraint by name, as channels."""
    found = {"influence": Number("number", constraint.influence)}
    if len(constraint.targets) > 1:
        for i, target in enumerate(constraint.targets):
            found[f"weight {i + 1}"] = Number("number", target.weight)
    match constraint.kind:
        case "tether":
            found["distance"] = Number("length", constraint.distance)
        case "seat":
            found["stand-off"] = Number("length", constraint.stand_off)
        case "follow path":
            way = ("share", Number("number", 0.0)) if constraint.by_share else _WAY
            found[way[0]] = way[1]
            found["roll"] = Number("angle", 0.0)
    return found


_WAY = ("way", Number("length", 0.0))


def slides(constraint: Constraint) -> bool:
    """Whether where the part is put counts: what sits on a surface, or is tethered, is brought
    from there to the nearest place that will do."""
    return constraint.kind in ("tether", "seat")


def all_targets(constraint: Constraint) -> tuple[Target, ...]:
    """What it keeps to, and what its second axis is kept toward."""
    if constraint.kind == "aim" and constraint.upright == "target":
        return (*constraint.targets, constraint.toward)
    return constraint.targets


def parts_of(rig: Rig, constraint: Constraint) -> list[str]:
    """Ids of the parts that a constraint keeps its part to, those that carry its paths too."""
    found: dict[str, None] = {}
    for target in all_targets(constraint):
        path = rig.paths.get(target.path)
        on = path.on if path is not None else target.on
        if on is not None:
            found[on] = None
    return list(found)


def constraints_of(rig: Rig, part: str) -> list[str]:
    """Ids of the constraints that give channels of a part."""
    return [i for i, constraint in rig.constraints.items() if constraint.part == part]


def target_name(rig: Rig, target: Target) -> str:
    """What a target is called: a part, a path, or the ground."""
    if target.path:
        path = rig.paths.get(target.path)
        return path.name if path is not None else "a path that is not there"
    if target.on is None:
        return "the ground"
    part = rig.parts.get(target.on)
    return part.name if part is not None else "a part that is not there"


def constraint_words(rig: Rig, constraint: Constraint) -> str:
    """A constraint as people say it: "Lamp rides on Hook"."""
    part = rig.parts.get(constraint.part)
    name = part.name if part is not None else "a part that is not there"
    names = _listed(target_name(rig, target) for target in constraint.targets)
    return f"{name} {VERBS[constraint.kind]} {names}".rstrip()


def _listed(names: Iterable[str]) -> str:
    every = list(names)
    return " and ".join([", ".join(every[:-1]), every[-1]] if len(every) > 1 else every)


def wrong_with(rig: Rig, constraint: Constraint) -> str:
    """Why a constraint can't be computed, and what to do; "" when it can."""
    told = constraint_words(rig, constraint)
    if constraint.part not in rig.parts:
        return "A constraint is on a part that is not in the rig. Remove it."
    if constraint.kind != "constant volume" and not constraint.targets:
        return f"{told} nothing: it has no target. Add one, or remove the constraint."
    for target in all_targets(constraint):
        if target.path and target.path not in rig.paths:
            return f"{told}, which is not in the rig. Choose another path, or remove it."
        if target.path and rig.paths[target.path].on not in (None, *rig.parts):
            return f"{told}, which lies on a part that is not in the rig. Choose another path."
        if target.on is not None and target.on not in rig.parts:
            return f"{told}. Choose another target, or remove the constraint."
        if target.on == constraint.part and not target.path:
            name = rig.parts[constraint.part].name
            return f"{told}: {name} can't be its own target. Choose another part."
    if constraint.kind == "follow path" and not constraint.targets[0].path:
        return f"{told}, which is no path. Choose one."
    if constraint.kind == "reach" and any(target.path for target in constraint.targets):
        return f"{told}, which is a path. A chain reaches for a part, or a point of it."
    if constraint.kind == "seat" and constraint.targets[0].on is None:
        return f"{told}, which has no surface. Choose a part with a shape."
    return ""
