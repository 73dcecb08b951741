"""A kit made of a piece of a rig: with stand-ins for all that it has to do with outside."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
from msgspec.structs import replace

from gremio.core.edit.change import must_have, new_id, with_entry, without
from gremio.core.edit.controls import proposed_control
from gremio.core.edit.links import swapped_ratio
from gremio.core.edit.parts import descendants
from gremio.core.frames import carried, frame_of, matrix, triple
from gremio.core.make.copying import leading_inside
from gremio.core.make.pieces import taken_out
from gremio.core.problem import GremioError
from gremio.core.rig.channels import key, split
from gremio.core.rig.constraints import targets_of
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import CLOCK, GROUND, NOTHING, ChannelKey, PartId, ThingId
from gremio.core.rig.links import followers, leads, link_label, members, record_of
from gremio.core.rig.model import (
    Anchor,
    Driving,
    Kit,
    Link,
    Measure,
    Part,
    Ratio,
    Rig,
    Rolling,
    Seat,
    Socket,
)
from gremio.core.rig.numbers import full_label, number
from gremio.core.rig.rekeyed import by_names, rekeyed
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.pose import Pose

_GROUND = "Ground"


class Made(NamedTuple):
    """A kit, and what of its parts is not in it, in words."""

    kit: Rig
    told: tuple[str, ...] = ()


def kit_of(
    rig: Rig,
    roots: Sequence[PartId],
    *,
    name: str = "",
    about: str = "",
    words: Sequence[str] = (),
    dimensions: Sequence[ChannelKey] = (),
    geometry: GeometryOf,
) -> Made:
    """A rig that is a kit: some parts (ids) with all they carry and all that is inside.

    A part outside that they are held by is a part without a shape there, what leads from outside is
    a control; both are sockets. The first of the parts comes to the origin, upright as it is.
    dimensions: keys of the numbers asked for when it is put in. Raises GremioError.
    """
    if not roots:
        raise GremioError("Choose what the kit is made of: a part goes with all it carries.")
    for root in roots:
        must_have(rig.parts, root, "part")
    return _Making(rig, roots, geometry).made(
        name or rig.parts[roots[0]].name, about, tuple(words), tuple(dimensions)
    )


def _carried(rig: Rig, roots: Sequence[PartId]) -> set[PartId]:
    return {*roots, *(p for root in roots for p in descendants(rig, root))}


def _with_struts(rig: Rig, roots: Sequence[PartId]) -> list[PartId]:
    """Parts, with the barrels of the struts whose rods push at them or at what they carry."""
    found = list(roots)
    for strut in rig.struts.values():
        inside = _carried(rig, found)
        closure = rig.closures.get(strut.closure)
        ends = {closure.one, closure.two} - {strut.rod} if closure is not None else set()
        if strut.barrel not in inside and any(end in inside for end in ends):
            found.append(strut.barrel)
    return found


class _Making:
    """A rig in which stand-ins take the place of what stays behind. parts: ids of what is kept."""

    def __init__(self, rig: Rig, roots: Sequence[PartId], geometry: GeometryOf) -> None:
        roots = _with_struts(rig, roots)
        self.parts = _carried(rig, roots)
        self.roots = [root for root in roots if rig.parts[root].parent not in self.parts]
        self.before, self.rig, self.geometry = rig, rig, geometry
        self.home: Pose = evaluate(compile_rig(rig, geometry), {}).frame(0)
        self.own = set(leading_inside(rig, self.parts))
        self.stands: dict[PartId, PartId] = {}
        self.controls: dict[ChannelKey, ThingId] = {}
        self.told: list[str] = []

    def made(
        self, name: str, about: str, words: tuple[str, ...], dimensions: tuple[ChannelKey, ...]
    ) -> Made:
        """The kit."""
        for group, change in (
            ("measures", self._measure), ("constraints", self._constraint),
            ("closures", self._closure), ("strands", self._strand), ("links", self._link),
        ):  # fmt: skip
            things: Mapping[ThingId, Any] = getattr(self.rig, group)
            for thing_id, thing in things.items():
                changed = change(thing_id, thing)
                if changed is not thing:
                    now = with_entry(getattr(self.rig, group), thing_id, changed)
                    self.rig = replace(self.rig, **{group: now})
        main = self._mounted()
        points = {
            stand for stand in self.stands.values() if stand != main and self._at_point(stand)
        }
        first = self.home.frame_of(self.roots[0])[:3, 3]
        taken = [*self.stands.values(), *(r for r in self.roots if self._parent(r) is None)]
        piece = taken_out(self.rig, taken, geometry=self.geometry)
        parts = {
            i: replace(p, mount=replace(p.mount, at=triple(np.subtract(p.mount.at, first))))
            if p.parent is None else p
            for i, p in piece.parts.items()
        }  # fmt: skip
        # What stands for a lead of nothing that is in it is none of it.
        used = {split(c)[0] for link in piece.links.values() for c in members(link)}
        unused = [i for i in self.controls.values() if i not in used]
        controls = without(piece.controls, *unused)
        piece = replace(piece, name=name, parts=parts, controls=controls)
        kit = Kit(about, words, self._sockets(piece, main, points), self._known(piece, dimensions))
        self._tell_left(piece)
        return Made(replace(piece, kit=kit), tuple(self.told))

    def _parent(self, part: PartId) -> PartId | None:
        return self.rig.parts[part].parent

    def _mounted(self) -> ThingId:
        """Mount the roots on the stand-ins of what carries them, where it has one; else on nothing.
        The id of the stand-in that carries the first, NOTHING where there is none."""
        main = NOTHING
        carries = self.before.parts[self.roots[0]].parent
        for root in self.roots:
            part = self.rig.parts[root]
            if part.parent != carries:
                self._stand(part.parent)
            stand = self.stands.get(part.parent or GROUND)
            if stand is not None:
                part = replace(part, parent=stand)
            else:
                part = replace(part, parent=None, mount=frame_of(
                    self.home.frame_of(self.before.parts[root].parent) @ matrix(part.mount)
                ))  # fmt: skip
            self.rig = replace(self.rig, parts=with_entry(self.rig.parts, root, part))
            if root == self.roots[0] and stand is not None:
                main = stand
        return main

    def _at_point(self, stand: PartId) -> bool:
        """Put a stand-in where the one point is that is tied to it; whether there is just one."""
        rig = self.rig
        ends = [(i, n) for i, c in rig.closures.items() for n in ("one", "two")
                if getattr(c, n) == stand]  # fmt: skip
        points = [(i, n) for i, s in rig.strands.items() for n, p in enumerate(s.through)
                  if p.on == stand]  # fmt: skip
        held = any(t.on == stand for c in rig.constraints.values() for t in targets_of(c))
        held = held or any(p.parent == stand for p in rig.parts.values())
        held = held or any(e.part == stand for m in rig.measures.values() for e in m.ends)
        if held or len(ends) + len(points) != 1:
            return False
        if ends:
            closure, end = rig.closures[ends[0][0]], f"at_{ends[0][1]}"
            at = getattr(closure, end)
            changed: Any = replace(closure, **{end: (0.0, 0.0, 0.0)})
            rig = replace(rig, closures=with_entry(rig.closures, ends[0][0], changed))
        else:
            strand, number_ = rig.strands[points[0][0]], points[0][1]
            at = strand.through[number_].at
            through = tuple(
                replace(p, at=(0.0, 0.0, 0.0)) if n == number_ else p
                for n, p in enumerate(strand.through)
            )
            rig = replace(rig, strands=with_entry(rig.strands, points[0][0],
                                                  replace(strand, through=through)))  # fmt: skip
        part = rig.parts[stand]
        there = carried(matrix(part.mount), np.array(at))
        part = replace(part, mount=replace(part.mount, at=triple(there)))
        self.rig = replace(rig, parts=with_entry(rig.parts, stand, part))
        return True

    def _sockets(self, piece: Rig, main: ThingId, points: set[PartId]) -> tuple[Socket, ...]:
        sockets = [Socket(f"what {piece.parts[self.roots[0]].name} stands on", main)]
        for stand in self.stands.values():
            if stand != main:
                name = piece.parts[stand].name
                point = stand in points
                asks = f"where it is tied to {name}" if point else f"the part in place of {name}"
                sockets.append(Socket(asks, stand, point))
        for control in self.controls.values():
            if control in piece.controls:
                asks = f"what leads it in place of {piece.controls[control].name}"
                sockets.append(Socket(asks, control))
        return tuple(sockets)

    def _known(self, piece: Rig, dimensions: Iterable[ChannelKey]) -> tuple[ChannelKey, ...]:
        known = []
        for channel in dimensions:
            now = key(self.controls[channel]) if channel in self.controls else channel
            if number(piece, now) is None:
                raise GremioError(f"{full_label(self.before, channel)} is no number of the kit, "
                                  "so it can't be asked for.")  # fmt: skip
            known.append(now)
        return tuple(known)

    def _tell_left(self, piece: Rig) -> None:
        """What of the parts is not in the kit."""
        for link_id, link in self.before.links.items():
            inside = [c for c in members(link) if split(c)[0] in self.parts]
            if inside and link_id not in piece.links:
                self.told.append(f"Not in the kit: {link_label(self.before, link)}.")
        for routine in self.before.routines.values():
            owners = {split(c)[0] for c in routine.keys} | set(routine.carried)
            if owners & (self.parts | self.own):
                self.told.append(f"Not in the kit: what {routine.name} does with it over time.")
        for constraint_id, one in self.before.constraints.items():
            if one.part in self.parts and constraint_id not in piece.constraints:
                self.told.append(f"Not in the kit: {one.name}, which keeps to what stays behind.")

    # ── stand-ins ──────────────────────────────────────────────────

    def _stand(self, part: PartId | None) -> PartId:
        """The id of what stands for a part outside, or for the ground."""
        outside = part or GROUND
        if outside not in self.stands:
            free = free_name(names_in(self.before), _GROUND)
            name = free if part is None else self.before.parts[part].name
            frame = frame_of(self.home.frame_of(part))
            self.rig, made = new_id(self.rig, "p")
            # What it stands for stays behind, so its name is free.
            stand = Part(name, None, replace(frame, scale=(1.0, 1.0, 1.0)))
            parts = with_entry(self.rig.parts, PartId(made), stand)
            self.rig = replace(self.rig, parts=parts)
            self.stands[outside] = PartId(made)
        return self.stands[outside]

    def _control(self, channel: ChannelKey) -> ThingId:
        """The id of the control that stands for a number outside that leads."""
        if channel not in self.controls:
            owner, _ = split(channel)
            there = self.before.controls.get(owner)
            if there is None:
                control = proposed_control(self.before, channel, self.home.at(channel))
            else:
                control = replace(there, face=None, group="", across=NOTHING,
                                  make="slider" if there.make == "pad" else there.make)  # fmt: skip
                taken = names_in(self.rig) - {there.name}
                control = replace(control, name=free_name(taken, there.name))
            self.rig, made = new_id(self.rig, "c")
            self.rig = replace(self.rig, controls=with_entry(self.rig.controls, made, control))
            self.controls[channel] = made
        return self.controls[channel]

    def _rekeyed(self, thing: Any, kind: Any, outside: Iterable[PartId | None]) -> Any:
        names = {
            ChannelKey(part): ChannelKey(self._stand(part)) for part in outside if part is not None
        }
        return rekeyed(thing, kind, by_names(names))

    # ── what has to do with what stays behind ──────────────────────

    def _closure(self, _id: ThingId, one: Any) -> Any:
        if one.one in self.parts and one.two not in self.parts:
            return replace(one, two=self._stand(one.two))
        if one.two in self.parts and one.one not in self.parts:
            return replace(one, one=self._stand(one.one))
        return one

    def _constraint(self, _id: ThingId, one: Any) -> Any:
        if one.part not in self.parts or isinstance(one, Seat):
            return one
        paths = [self.before.paths[t.path].on for t in targets_of(one) if t.path]
        on = [t.on for t in targets_of(one) if not t.path]
        outside = [part for part in on if part not in self.parts]
        if not outside or any(part not in self.parts for part in paths):
            return one

        def stood(target: Any) -> Any:
            if target.path or target.on in self.parts:
                return target
            return replace(target, on=self._stand(target.on))

        changed = replace(one, targets=tuple(map(stood, one.targets)))
        toward = getattr(one, "toward", None)
        return changed if toward is None else replace(changed, toward=stood(toward))

    def _strand(self, _id: ThingId, one: Any) -> Any:
        inside = [p for p in one.through if p.on in self.parts]
        if not inside or len(inside) == len(one.through):
            return one
        through = (p if p.on in self.parts else replace(p, on=self._stand(p.on))
                   for p in one.through)  # fmt: skip
        return replace(one, through=tuple(through))

    def _measure(self, measure_id: ThingId, one: Measure) -> Measure:
        """Only one that leads something inside is worth a stand-in."""
        inside = [end.part for end in one.ends if end.part in self.parts]
        used = any(
            key(measure_id) in leads(link) and self._led_inside(link)
            for link in self.before.links.values()
        )
        if not inside or len(inside) == len(one.ends) or not used:
            return one
        ends = (
            end if end.part in self.parts else Anchor(self._stand(end.part), end.at)
            for end in one.ends
        )
        return replace(one, ends=tuple(ends))

    def _led_inside(self, link: Link) -> bool:
        led = [split(c)[0] for c in followers(link)]
        return bool(led) and all(self._is_inside(owner) for owner in led)

    def _is_inside(self, owner: ThingId) -> bool:
        if owner in self.parts or owner in self.own:
            return True
        rig = self.rig
        if owner in rig.constraints:
            return rig.constraints[owner].part in self.parts
        if owner in rig.strands:
            return any(p.on in self.parts for p in rig.strands[owner].through)
        if owner in rig.treads:
            return rig.treads[owner].link in self.parts
        if owner in rig.measures:
            known = {*self.parts, *self.stands.values()}
            return all(end.part in known for end in rig.measures[owner].ends)
        return False

    def _driven(self) -> set[ChannelKey]:
        """The channels inside that have a lead there, with all that their trains turn."""
        driven = {
            c for link in self.rig.links.values() if not record_of(link).both_ways
            for c in followers(link)
        }  # fmt: skip
        driven |= {key(control) for control in self.own}
        trains = [
            set(members(link)) for link in self.rig.links.values()
            if record_of(link).both_ways and all(self._is_inside(split(c)[0])
                                                 for c in members(link))
        ]  # fmt: skip
        while more := [train for train in trains if train & driven and not train <= driven]:
            driven.update(*more)
        return driven

    def _in_train(self, link: Link) -> Link:
        """A link of a train that goes on outside, led by a stand-in for what is outside; as it is
        where the train has a lead inside, for two would fight."""
        inside = [c for c in members(link) if self._is_inside(split(c)[0])]
        if not inside or len(inside) == len(members(link)) or set(inside) & self._driven():
            return link
        if isinstance(link, Ratio) and not link.carrier and inside == [link.lead] and link.ratio:
            link = swapped_ratio(link)
        if not self._led_inside(link):
            return link
        outside = [c for c in leads(link) if c not in inside and c != CLOCK]
        names = {c: key(self._control(c)) for c in outside}
        # Its control leads it from now on, as far as the next link of the train is asked.
        self.own.update(self.controls[c] for c in outside)
        made: Link = rekeyed(link, Link, by_names(names))
        return made

    def _link(self, _id: ThingId, link: Link) -> Link:
        if record_of(link).both_ways:
            return self._in_train(link)
        if isinstance(link, Driving) or not self._led_inside(link):
            return link
        if isinstance(link, Rolling) and link.on not in self.parts and link.on is not None:
            return link
        outside = [c for c in leads(link) if c != CLOCK and not self._is_inside(split(c)[0])]
        if not outside:
            return link
        names = {c: key(self._control(c)) for c in outside}
        made: Link = rekeyed(link, Link, by_names(names))
        return made
