"""Changing treads that are there: another link, and wheels of another size."""

from __future__ import annotations

from msgspec.structs import replace

from gremio.core.edit.change import must_have
from gremio.core.edit.controls import all_home
from gremio.core.edit.links import add_link
from gremio.core.edit.parts import remove_part
from gremio.core.edit.treads import change_tread, remove_tread
from gremio.core.make.band_wheels import band_wheel
from gremio.core.make.treads import make_tread
from gremio.core.problem import GremioError
from gremio.core.rig.channels import PITCH, SHIFT, key, split
from gremio.core.rig.ids import GROUND, ChannelKey, PartId, ThingId
from gremio.core.rig.model import Link, Ratio, Rig, Rolling, Routine, Waypoint
from gremio.core.rig.rekeyed import by_names, rekeyed
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.ask import solve
from gremio.core.solve.program import Program


def with_link(
    rig: Rig, tread_id: ThingId, link: PartId | None, *, geometry: GeometryOf
) -> tuple[Rig, ThingId]:
    """The rig with a tread made anew round the same wheels, of links of a part (id), or of made
    ones; and its id. The link that it had before stays, once, where it was not made for it; what
    leads its numbers, and keys of them, stay. Raises GremioError."""
    tread = must_have(rig.treads, tread_id, "tread")
    wheels = [PartId(wheel.on) for wheel in tread.wheels if wheel.on is not None]
    if link in wheels:
        raise GremioError(f"The link of {tread.name} can't be one of its wheels.")
    drives = split(_turn_of(rig, tread_id))[0]
    slips = [i for i, one in rig.links.items()
             if isinstance(one, Rolling) and one.slip == key(tread_id, "slip")]  # fmt: skip
    belts = {
        i: one for i, one in rig.links.items()
        if isinstance(one, Ratio) and one.kind in ("belt", "chain")
        and split(one.lead)[0] == drives and split(one.follower)[0] in wheels
    }  # fmt: skip
    chain = any(one.kind == "chain" for one in belts.values())
    inside = {PartId(w.on) for w in tread.wheels if w.on is not None and w.radius < 0}
    whole, drive = rig, key(tread.link, SHIFT["tread"])
    rig = remove_tread(rig, tread_id)
    rig = replace(rig, links={i: one for i, one in rig.links.items() if i not in belts})
    made_before = rig.parts[tread.link].name.startswith(f"{tread.name} link")
    if made_before and tread.link != link:
        rig = remove_part(rig, tread.link)
    rig, made = make_tread(
        rig, wheels, link=link, inside=inside, chain=chain, name=tread.name, geometry=geometry
    )
    if not chain:
        same = replace(rig.treads[made], sag=tread.sag, hangs=tread.hangs, slip=tread.slip)
        rig = change_tread(rig, made, same)
    radius = rig.treads[made].wheels[0].radius
    for i in slips:
        rolling = replace(rig.links[i], radius=radius, slip=key(made, "slip"))
        rig = replace(rig, links={**rig.links, i: rolling})
    names = {key(tread_id, name): key(made, name) for name in ("slip", "sag")}
    for name in ("count", PITCH["tread"], SHIFT["tread"]):
        names[key(tread.link, name)] = key(rig.treads[made].link, name)
    for i, one in whole.links.items():
        own = isinstance(one, Ratio) and one.follower == drive and split(one.lead)[0] == drives
        if i not in rig.links and i not in belts and not own:
            rig, _ = add_link(rig, rekeyed(one, Link, by_names(names)))
    timed = {i: rekeyed(r, Routine, by_names(names)) for i, r in whole.routines.items()}
    return replace(rig, routines=timed), made


def _turn_of(rig: Rig, tread_id: ThingId) -> ChannelKey:
    """Key of what leads the links of a tread; of its first wheel where nothing does."""
    tread = rig.treads[tread_id]
    shift = key(tread.link, SHIFT["tread"])
    for link in rig.links.values():
        if isinstance(link, Ratio) and link.follower == shift:
            return link.lead
    return key(tread.wheels[0].on or GROUND, "turn y")


def treads_fitted(program: Program, before: Rig, after: Rig) -> Rig:
    """A rig after an edit, in which treads lie on wheels that the edit made larger or smaller, and
    turn with them. program: of the rig before."""
    if before.parts is after.parts or not after.treads:
        return after
    for tread_id, tread in after.treads.items():
        if before.treads.get(tread_id) != tread:
            continue
        changed = [w for w in tread.wheels if w.on in before.parts and w.on in after.parts
                   and before.parts[w.on].shapes != after.parts[w.on].shapes]  # fmt: skip
        if changed:
            after = _fitted(program, before, after, tread_id, changed)
    return after


def _fitted(
    program: Program, before: Rig, after: Rig, tread_id: ThingId, changed: list[Waypoint]
) -> Rig:
    tread, geometry = after.treads[tread_id], program.geometry
    homes = [solve(all_home(rig), geometry=geometry) for rig in (before, after)]
    wheels = list(tread.wheels)
    for wheel in changed:
        try:
            was, now = (
                band_wheel(rig, home, PartId(wheel.on or GROUND), geometry)
                for rig, home in zip((before, after), homes, strict=True)
            )
        except GremioError:
            continue
        more = now.rim - was.rim
        place = wheels.index(wheel)
        side = 1.0 if wheel.radius > 0 else -1.0
        radius = abs(wheel.radius) + more
        if more == 0.0 or radius <= 0.0:
            continue
        wheels[place] = replace(wheel, radius=side * radius)
        after = _with_ratios(after, tread_id, place, (was.turn, abs(wheel.radius), was.rim),
                             (radius, now.rim))  # fmt: skip
    if tuple(wheels) == tread.wheels:
        return after
    return change_tread(after, tread_id, replace(tread, wheels=tuple(wheels)))


def _with_ratios(
    rig: Rig,
    tread_id: ThingId,
    place: int,
    was: tuple[ChannelKey, float, float],
    now: tuple[float, float],
) -> Rig:
    """The rig in which what turns by a wheel's size does so by its new one. was: the key of its
    turn, the radius of its line, and its rim; now: the two radii."""
    turn, line, rim = was
    tread = rig.treads[tread_id]
    on = {wheel.on for wheel in tread.wheels}
    shift, slip = key(tread.link, SHIFT["tread"]), key(tread_id, "slip")
    links: dict[ThingId, Link] = {}
    for i, link in rig.links.items():
        made: Link = link
        if isinstance(link, Rolling) and link.follower == turn and link.slip == slip:
            made = replace(link, radius=now[0])
        elif isinstance(link, Ratio) and not place and link.lead == turn:
            belt = link.kind == "belt" and split(link.follower)[0] in on
            if link.follower == shift or belt:
                made = replace(link, ratio=link.ratio * now[0] / line)
        elif isinstance(link, Ratio) and link.kind == "belt" and link.follower == turn:
            driver = tread.wheels[0].radius
            # It turned by its line, or by its rim.
            by_line = abs(abs(link.ratio) - driver / line) < abs(abs(link.ratio) - driver / rim)
            old, new = (line, now[0]) if by_line else (rim, now[1])
            made = replace(link, ratio=link.ratio * old / new)
        links[i] = made
    return replace(rig, links=links)
