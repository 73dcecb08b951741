"""Edits on treads: links that go round wheels, and chains."""

from __future__ import annotations

import math

from msgspec.structs import replace

from gremio.core.edit.change import (
    check_new_name,
    known_or_new,
    must_have,
    new_id,
    well_formed,
    with_entry,
    without,
)
from gremio.core.edit.routines import without_keys_of
from gremio.core.problem import GremioError
from gremio.core.rig.channels import PITCH, SHIFT, key
from gremio.core.rig.ids import NOTHING, PartId, ThingId
from gremio.core.rig.links import members
from gremio.core.rig.model import Link, Rig, Rolling, Tread


def add_tread(rig: Rig, tread: Tread) -> tuple[Rig, ThingId]:
    """The rig with one more tread, and its id. Refuses as `change_tread` does."""
    check_new_name(rig, tread.name)
    rig, tread_id = new_id(rig, "b")
    return change_tread(rig, tread_id, tread), tread_id


def change_tread(rig: Rig, tread_id: ThingId, tread: Tread) -> Rig:
    """The rig with a tread in place of the one of this id.

    Refuses fewer than two wheels, one wheel twice, radii of nothing, and parts that are not there.
    """
    present = rig.treads.get(tread_id)
    if present == tread:
        return rig
    known_or_new(rig, rig.treads, tread_id, "tread")
    check_new_name(rig, tread.name, present.name if present else None)
    if wrong := wrong_tread(rig, tread):
        raise GremioError(wrong)
    well_formed(tread, tread.name)
    return replace(rig, treads=with_entry(rig.treads, tread_id, tread))


def wrong_tread(rig: Rig, tread: Tread) -> str:
    """What is wrong with the numbers and parts of a tread, and what to do; "" when nothing is."""
    name, wheels = tread.name, tread.wheels
    if len(wheels) < 2:
        return f"{name} goes round two wheels at least. Choose another one."
    if any(wheel.on is None or wheel.on not in rig.parts for wheel in wheels):
        return f"{name} goes round a wheel that is not in the rig. Make it anew."
    if tread.link not in rig.parts:
        return f"The links of {name} are of a part that is not in the rig. Make it anew."
    if tread.on is not None and tread.on not in rig.parts:
        return f"{name} lies in the frame of a part that is not in the rig. Make it anew."
    on = [wheel.on for wheel in wheels]
    if len(set(on)) < len(on):
        return f"{name} goes round one wheel twice. Choose each once."
    if tread.link in on or tread.on == tread.link:
        return f"The link of {name} can't be one of its wheels, nor carry it."
    numbers = (tread.seat, tread.sag, tread.slip)
    plain = (v for w in wheels for v in (*w.at, w.radius, *w.axis))
    if not all(map(math.isfinite, (*numbers, *plain))):
        return f"A number of {name} is none. Type it anew."
    if not all(wheel.radius for wheel in wheels) or not all(any(w.axis) for w in wheels):
        return f"A wheel of {name} needs a radius and an axis."
    if tread.sag < 0 or tread.slip < -1:
        return f"{name} sags by 0 or more, and slips by no less than −100 %."
    if wheels[0].radius < 0:
        return f"{name} is driven by its first wheel, which it can't run outside of."
    return ""


def remove_tread(rig: Rig, tread_id: ThingId) -> Rig:
    """Take out a tread, with what leads its links. Its link stays, once; what rolls rolls on."""
    link_part = must_have(rig.treads, tread_id, "tread").link
    slip = key(tread_id, "slip")
    gone = {key(link_part, c) for c in ("count", PITCH["tread"], SHIFT["tread"])}
    gone |= {slip, key(tread_id, "sag")}
    links: dict[ThingId, Link] = {}
    for i, link in rig.links.items():
        if isinstance(link, Rolling) and link.slip == slip:
            links[i] = replace(link, slip=NOTHING)
        elif gone.isdisjoint(members(link)):
            links[i] = link
    parts = {
        i: replace(part, repeat=None)
        if part.repeat is not None and part.repeat.along == "tread" and part.repeat.path == tread_id
        else part
        for i, part in rig.parts.items()
    }
    rig = without_keys_of(replace(rig, links=links), tread_id)
    return replace(rig, parts=parts, treads=without(rig.treads, tread_id))


def without_treads_of(rig: Rig, part: PartId) -> Rig:
    """The rig without the treads that need a part; of those that go round it and two more at least
    it is no wheel any more."""
    for tread_id, tread in list(rig.treads.items()):
        on = [wheel.on for wheel in tread.wheels]
        drives, needed = on[:1] == [part], part in on and len(on) <= 2
        if part in (tread.link, tread.on) or drives or needed:
            rig = remove_tread(rig, tread_id)
        elif part in on:
            wheels = tuple(wheel for wheel in tread.wheels if wheel.on != part)
            rig = change_tread(rig, tread_id, replace(tread, wheels=wheels))
    return rig
