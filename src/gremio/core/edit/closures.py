"""Edits on closures: pinning two parts together, or letting one run on a rail of another."""

from __future__ import annotations

import math

from msgspec.structs import replace

from gremio.core.edit.change import (
    known_or_new,
    must_have,
    new_id,
    well_formed,
    with_entry,
    without,
)
from gremio.core.plan.loop_geometry import moving, sides
from gremio.core.plan.loops import is_sound
from gremio.core.problem import GremioError
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import Closure, Rig


def add_closure(rig: Rig, closure: Closure) -> tuple[Rig, ThingId]:
    """The rig with two parts tied at a point, and the closure's id.

    Refuses a part tied to itself, parts that can't move against each other, points that are no
    numbers, and the same two points tied twice.
    """
    rig, closure_id = new_id(rig, "n")
    return change_closure(rig, closure_id, closure), closure_id


def change_closure(rig: Rig, closure_id: ThingId, closure: Closure) -> Rig:
    """The rig with a closure in place of the one of this id. Refuses as `add_closure` does."""
    if rig.closures.get(closure_id) == closure:
        return rig
    known_or_new(rig, rig.closures, closure_id, "pin")
    must_have(rig.parts, closure.one, "part")
    if closure.two is not None:
        must_have(rig.parts, closure.two, "part")
    names = [rig.parts[closure.one].name, _name(rig, closure.two)]
    if not is_sound(rig, closure):
        raise GremioError(f"{names[0]} can't be pinned to itself. Click a place on another part.")
    numbers = (*closure.at_one, *closure.at_two, *closure.axis)
    if not all(map(math.isfinite, numbers)):
        raise GremioError("The points of a pin must be plain numbers. Pick them anew.")
    well_formed(closure, f"What ties {names[0]}")
    if closure.kind == "rail" and not any(closure.axis):
        raise GremioError(
            "A rail needs a direction. Pick an edge, or type one that is not 0, 0, 0."
        )
    one, two = sides(rig, closure)
    if not any(moving(rig, part) for part in (*one, *two)):
        raise GremioError(
            f"{names[0]} and {names[1]} can't move against each other: all joints between them are "
            "fixed. Give one a joint first (J)."
        )
    for other_id, other in rig.closures.items():
        if other_id != closure_id and _same(other, closure):
            raise GremioError(f"{names[0]} and {names[1]} are pinned at that point already.")
    return replace(rig, closures=with_entry(rig.closures, closure_id, closure))


def _name(rig: Rig, part: PartId | None) -> str:
    return "the ground" if part is None else rig.parts[part].name


def _same(one: Closure, two: Closure) -> bool:
    turned = replace(one, one=one.two or "", two=one.one, at_one=one.at_two, at_two=one.at_one)
    return one.kind == two.kind and (one == two or turned == two)


def remove_closure(rig: Rig, closure_id: ThingId) -> Rig:
    """Take out a closure; its parts are free again."""
    must_have(rig.closures, closure_id, "closure")
    return _kept(rig, without(rig.closures, closure_id))


def _kept(rig: Rig, closures: dict[ThingId, Closure]) -> Rig:
    """The rig with these closures only; a strut whose pin is gone is a strut no more."""
    struts = {i: s for i, s in rig.struts.items() if s.closure in closures}
    return replace(rig, closures=closures, struts=struts)


def without_closures_of(rig: Rig, part: str) -> Rig:
    """The rig without the closures that tie a part."""
    gone = [i for i, c in rig.closures.items() if part in (c.one, c.two)]
    return _kept(rig, without(rig.closures, *gone)) if gone else rig
