"""Constraints: what each kind says of itself, in one table, and its numbers.

A constraint's numbers are channels too: "x3 grip", "x3 weight 2", "x3 way".
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import NamedTuple

from gremio.core.problem import listed
from gremio.core.rig.channels import MOVES, SCALES, TURNS
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import (
    Aim,
    AnyConstraint,
    ConstantVolume,
    Constraint,
    ConstraintKind,
    Match,
    Pin,
    Reach,
    Ride,
    Rig,
    RunAlong,
    Seat,
    Target,
    Targeted,
    Tether,
    Tie,
)
from gremio.core.rig.number import Number

_ABOVE_ZERO = Number("length", 0.0, low=0.0)


def _tether_numbers(rig: Rig, one: AnyConstraint) -> dict[str, Number]:
    del rig
    assert isinstance(one, Tether)
    return {"distance": _ABOVE_ZERO._replace(home=one.distance, field="distance")}


def _seat_numbers(rig: Rig, one: AnyConstraint) -> dict[str, Number]:
    del rig
    assert isinstance(one, Seat)
    return {"stand-off": Number("length", one.stand_off, field="stand_off")}


def _path_numbers(rig: Rig, one: AnyConstraint) -> dict[str, Number]:
    """The way goes as far as a path has ends; what the ends of its path are, is known above."""
    del rig
    assert isinstance(one, RunAlong)
    way = ("share", Number("number", 0.0)) if one.by_share else ("way", Number("length", 0.0))
    return {way[0]: way[1], "roll": Number("angle", 0.0)}


def _no_numbers(rig: Rig, one: AnyConstraint) -> dict[str, Number]:
    del rig, one
    return {}


def _nothing_wrong(rig: Rig, one: AnyConstraint) -> str:
    del rig, one
    return ""


def _needs_path(rig: Rig, one: AnyConstraint) -> str:
    del rig
    return "" if targets_of(one)[0].path else ", which is no path. Choose one."


def _needs_no_path(rig: Rig, one: AnyConstraint) -> str:
    del rig
    if any(target.path for target in targets_of(one)):
        return ", which is a path. A chain reaches for a part, or a point of it."
    return ""


def _needs_surface(rig: Rig, one: AnyConstraint) -> str:
    del rig
    if targets_of(one)[0].on is None:
        return ", which has no surface. Choose a part with a shape."
    return ""


class ConstraintRecord(NamedTuple):
    """What a kind of constraint says of itself.

    struct: its data. action: what a menu calls it. verb: what a part does by it, "Lamp rides on
    Hook". asks: what is to be clicked, with the part's name in it. gives: the channels it can give
    its part; usually: those that it gives where nobody says otherwise. A reach gives channels of
    what carries the part as well, by key. looks_at: what of its own part it looks at besides what
    it gives. most_targets: how many it has at most. keeps: whether it begins with what is between
    part and target; else the part is brought there. slides: whether where the part is put counts,
    as for what is brought from there to the nearest place that will do. numbers: those that only
    this kind has, by name. wrong: what else is wrong with one, to go behind its words; "" for
    nothing. empty: what to say where it wants nothing.
    """

    struct: type[Constraint]
    action: str
    verb: str
    asks: str
    gives: tuple[str, ...]
    usually: tuple[str, ...]
    looks_at: tuple[str, ...]
    empty: str
    most_targets: int = 99
    keeps: bool = False
    slides: bool = False
    numbers: Callable[[Rig, AnyConstraint], dict[str, Number]] = _no_numbers
    wrong: Callable[[Rig, AnyConstraint], str] = _nothing_wrong


_NO_WEIGHT = "No target counts here: all their weights are 0. Give one some weight."

CONSTRAINTS: dict[ConstraintKind, ConstraintRecord] = {
    "ride": ConstraintRecord(
        Ride, "Let it ride on something", "rides on", "click what {} rides on",
        MOVES + TURNS + SCALES, MOVES + TURNS, TURNS, _NO_WEIGHT, keeps=True,
    ),
    "pin": ConstraintRecord(
        Pin, "Keep its position to something", "is pinned to", "click what {} is pinned to",
        MOVES, MOVES, (), _NO_WEIGHT, keeps=True,
    ),
    "match": ConstraintRecord(
        Match, "Match its turn to something", "matches", "click what {} matches",
        TURNS + SCALES, TURNS, TURNS, _NO_WEIGHT, keeps=True,
    ),
    "aim": ConstraintRecord(
        Aim, "Aim it at something", "aims at", "click what {} aims at",
        TURNS, TURNS, MOVES + TURNS,
        "Here the target is where the part is, or no target has a weight, so there is no way to "
        "point. Move one of them.",
        keeps=True,
    ),
    "tether": ConstraintRecord(
        Tether, "Tether it to something", "is tethered to", "click what {} is tethered to",
        MOVES, MOVES, MOVES, _NO_WEIGHT, slides=True, numbers=_tether_numbers,
    ),
    "seat": ConstraintRecord(
        Seat, "Seat it on a surface", "sits on", "click what {} sits on",
        MOVES + TURNS, MOVES + TURNS, MOVES + TURNS,
        "Its target has no faces to sit on. Choose a part with a shape.",
        most_targets=1, slides=True, numbers=_seat_numbers, wrong=_needs_surface,
    ),
    "run along": ConstraintRecord(
        RunAlong, "Let it run along a path", "runs along", "click the path that {} runs along",
        MOVES + TURNS, MOVES + TURNS, TURNS,
        "The path has no length. Move its points apart.",
        most_targets=1, numbers=_path_numbers, wrong=_needs_path,
    ),
    "constant volume": ConstraintRecord(
        ConstantVolume, "Keep its volume", "keeps its volume", "",
        SCALES, ("scale y", "scale z"), SCALES,
        "A scale of 0 has no volume to keep. Give it some.",
        most_targets=0,
    ),
    "reach": ConstraintRecord(
        Reach, "Let it reach for something", "reaches for", "click what {} reaches for",
        (), (), (), _NO_WEIGHT, wrong=_needs_no_path,
    ),
}  # fmt: skip
KINDS: tuple[ConstraintKind, ...] = tuple(CONSTRAINTS)


def numbers(rig: Rig, constraint: AnyConstraint) -> dict[str, Number]:
    """The numbers of a constraint by name, as channels."""
    found = {"grip": Number("number", constraint.grip, 0.0, 1.0, unit="%", field="grip")}
    targets = targets_of(constraint)
    if len(targets) > 1:
        for i, target in enumerate(targets):
            found[f"weight {i + 1}"] = Number(
                "number", target.weight, 0.0, math.inf, field=f"weight {i}"
            )
    return {**found, **CONSTRAINTS[constraint.kind].numbers(rig, constraint)}


def targets_of(constraint: Constraint) -> tuple[Target, ...]:
    """What a constraint keeps to; nothing for a kind without targets."""
    return constraint.targets if isinstance(constraint, Targeted) else ()


def adds_to(constraint: Constraint) -> bool:
    """Whether a constraint adds to where its part is put, and does not set it."""
    return isinstance(constraint, Tie) and constraint.adds


def all_targets(constraint: Constraint) -> tuple[Target, ...]:
    """What it keeps to, and what its second axis is kept toward."""
    if isinstance(constraint, Aim) and constraint.upright == "target":
        return (*constraint.targets, constraint.toward)
    return targets_of(constraint)


def parts_of(rig: Rig, constraint: Constraint) -> list[PartId]:
    """Ids of the parts that a constraint keeps its part to, those that carry its paths too."""
    found: dict[PartId, None] = {}
    for target in all_targets(constraint):
        path = rig.paths.get(target.path)
        on = path.on if path is not None else target.on
        if on is not None:
            found[on] = None
    return list(found)


def constraints_of(rig: Rig, part: PartId) -> list[ThingId]:
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
    names = listed(target_name(rig, target) for target in targets_of(constraint))
    return f"{name} {CONSTRAINTS[constraint.kind].verb} {names}".rstrip()


def wrong_with(rig: Rig, constraint: AnyConstraint) -> str:
    """Why a constraint can't be computed, and what to do; "" when it can."""
    told = constraint_words(rig, constraint)
    if constraint.part not in rig.parts:
        return "A constraint is on a part that is not in the rig. Remove it."
    record = CONSTRAINTS[constraint.kind]
    if record.most_targets and not targets_of(constraint):
        return f"{told} nothing: it has no target. Add one, or remove the constraint."
    for target in all_targets(constraint):
        if wrong := _wrong_target(rig, constraint, target):
            return f"{told}{wrong}"
    wrong = record.wrong(rig, constraint)
    return f"{told}{wrong}" if wrong else ""


def _wrong_target(rig: Rig, constraint: Constraint, target: Target) -> str:
    """What is wrong with one target, to go behind the constraint's words; "" for nothing."""
    if target.path and target.path not in rig.paths:
        return ", which is not in the rig. Choose another path, or remove it."
    if target.path and rig.paths[target.path].on not in (None, *rig.parts):
        return ", which lies on a part that is not in the rig. Choose another path."
    if target.on is not None and target.on not in rig.parts:
        return ". Choose another target, or remove the constraint."
    if target.on == constraint.part and not target.path:
        name = rig.parts[constraint.part].name
        return f": {name} can't be its own target. Choose another part."
    return ""
