"""Twins: parts with all they carry, and all links inside, as a mirror shows them.

A twin is a copy, each thing of which is then put as it is in the mirror (`reflecting`).
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import partial
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array
from gremio.core.edit.change import new_id, with_entry
from gremio.core.frames import IDENTITY, angles_of_turn, frame_of, matrix, triple, turn_of_angles
from gremio.core.make import counted_otherwise, reflecting
from gremio.core.make.copying import Crossing, copied
from gremio.core.make.counted_otherwise import CantBeSaid, Factor
from gremio.core.make.reflecting import channel_sign, repeat_sign, turning_round
from gremio.core.make.side_words import SIDES, check_sides, named_as_other_side
from gremio.core.problem import GremioError
from gremio.core.rig import ids
from gremio.core.rig.channels import AXES, PITCH, SHIFT, TURNS, key, split
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import NOTHING, ChannelKey, PartId, ThingId
from gremio.core.rig.links import followers, link_word, members
from gremio.core.rig.model import (
    Aim,
    Anchor,
    AnyConstraint,
    Axis,
    Cam,
    Closure,
    Control,
    Formula,
    Frame,
    Link,
    Measure,
    Path,
    Pin,
    Reach,
    Rig,
    Rolling,
    Routine,
    RunAlong,
    Seat,
    Strand,
    Target,
    Targeted,
    Tread,
)
from gremio.core.rig.numbers import full_label, owner_name
from gremio.core.rig.rekeyed import by_names, rekeyed
from gremio.core.shape.geometry import GeometryOf
from gremio.core.shape.measure import feature
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.pose import Pose

_UPRIGHT = 1e-9
# Farther off no mirror stands (m).
_FAR = 1e9
# The angle between how two parts are turned, in a formula.
_ANGLE = re.compile(r"angle\(\s*\{([^{}]*)\}\s*,\s*\{([^{}]*)\}\s*\)")
# How near a feature is to where the mirror has it (m).
_SAME = 1e-7


class Plane(NamedTuple):
    """A mirror: across an axis of a part, or of the ground (None), so far along it (m)."""

    axis: Axis = "y"
    on: PartId | None = None
    at: float = 0.0


class Twin(NamedTuple):
    """What was made. rig: with the twin. ids: of the twin's things, by those of the originals.
    told: what does not do as the mirror has it, and why. sign: by what a channel of the twin (key)
    goes where the original's goes by one."""

    rig: Rig
    ids: dict[ThingId, ThingId]
    told: tuple[str, ...]
    sign: Factor


def mirror_at(pose: Pose, plane: Plane) -> Array:
    """(4, 4) what a mirror does to the world, as it stands in a pose."""
    carrier, axis = pose.frame_of(plane.on), "xyz".index(plane.axis)
    flat = turning_round(axis).copy()
    flat[axis, 3] = 2.0 * plane.at
    return np.asarray(carrier @ flat @ np.linalg.inv(carrier), dtype=np.float64)


def twin(
    rig: Rig,
    roots: Sequence[PartId],
    plane: Plane,
    *,
    crossing: Crossing = "share",
    same_way: bool = False,
    sides: Sequence[tuple[str, str]] = SIDES,
    geometry: GeometryOf,
) -> Twin:
    """The rig with the twin of some parts (ids), of all they carry, and all links inside.

    plane: as it stands at home. crossing: what leads the original leads the twin too, or the twin
    gets controls of its own, or none where they lead other things besides. same_way: what is led
    from outside turns the same way round as the original does, and not as the mirror has it.
    sides: what becomes of names. geometry: finds the surface of a solid. Raises GremioError.
    """
    if not roots:
        raise GremioError("Choose what to mirror: a part, with all it carries.")
    check_sides(sides)
    if plane.axis not in AXES or not abs(plane.at) <= _FAR:
        raise GremioError(f"A mirror stands across x, y or z, not {plane.axis}, at a plain number.")
    made, ids = copied(rig, roots, crossing=crossing, doubled=crossing != "share")
    mirror = _Mirror(rig, made, ids, plane, geometry, same_way=same_way)
    made = named_as_other_side(mirror.mirrored(), rig, ids, sides)
    return Twin(made, ids, tuple(mirror.told), mirror.sign)


class _Mirror:
    """Puts copies as a mirror has them. ids: of the copies, by those of the originals."""

    def __init__(
        self,
        before: Rig,
        rig: Rig,
        ids: dict[ThingId, ThingId],
        plane: Plane,
        geometry: GeometryOf,
        *,
        same_way: bool,
    ) -> None:
        self.before, self.rig, self.ids = before, rig, ids
        self.geometry, self.same_way = geometry, same_way
        self.told: list[str] = []
        self.home = _home(before, geometry)
        self.mirror = mirror_at(self.home, plane)
        carrier = self.home.frame_of(plane.on)
        normal = carrier[:3, "xyz".index(plane.axis)]
        self.normal = normal / np.linalg.norm(normal)
        self.upright = abs(float(self.normal[2])) <= _UPRIGHT
        self.plane = plane
        self.originals = {new: old for old, new in ids.items()}
        self.parts = {PartId(new): PartId(old) for old, new in ids.items() if old in before.parts}
        self.turned = {new: self._axis(old) for new, old in self.parts.items()}
        self._paths: dict[ThingId, ThingId] = {}
        # The same of paths that rows lie along.
        self._rows: dict[ThingId, ThingId] = {}

    def _axis(self, old: PartId) -> int:
        part = self.before.parts[old]
        mount = self.home.frame_of(part.parent) @ matrix(part.mount)
        return reflecting.chosen_axis(part.joint, part.repeat, mount[:3, :3].T @ self.normal)

    # ── where, and by what sign ────────────────────────────────────

    def on(self, part: PartId | None) -> Array:
        """(4, 4) from a frame to the twin's: what the twin's part has turned round; where it is no
        part of the twin, the mirror as it stands in its frame at home."""
        if part in self.turned:
            return turning_round(self.turned[part])
        frame = self.home.frame_of(part)
        return np.asarray(np.linalg.inv(frame) @ self.mirror @ frame, dtype=np.float64)

    def sign(self, channel: ChannelKey) -> float:
        """By what a channel of the rig with the copies goes, as the mirror has it."""
        thing, name = split(channel)
        for end in ("low stop ", "high stop "):
            name = name.removeprefix(end)
        if thing in self.turned:
            part, turned = self.rig.parts[PartId(thing)], self.turned[PartId(thing)]
            if part.repeat is not None and name in (*PITCH.values(), *SHIFT.values()):
                return repeat_sign(part.repeat, turned)
            return channel_sign(name, turned)
        rolls = name == "roll" and thing in self.originals and thing in self.rig.constraints
        return -1.0 if rolls else 1.0

    def key_of(self, channel: ChannelKey) -> ChannelKey:
        """What a channel of a copy is in the twin: a low stop may be the high one."""
        thing, name = split(channel)
        return key(thing, reflecting.other_end(name, self.sign(channel)))

    # ── all of it ──────────────────────────────────────────────────

    def mirrored(self) -> Rig:
        """The rig whose copies are as the mirror has them."""
        if not self.upright:
            self.told.append(
                "The mirror does not stand upright, so what is kept upright, rolls, hangs or sits "
                "on something does not do as it has it."
            )
        for new, old in self.parts.items():
            self._put_part(new, old)
        rig = self.rig
        paths = {i: self._path(p) if i in self.originals else p for i, p in rig.paths.items()}
        self.rig = rig = replace(rig, paths=paths)
        self.rig = rig = replace(
            rig,
            controls={i: self._control(i) for i in rig.controls},
            measures={i: self._measure(i) for i in rig.measures},
            closures={i: self._closure(i) for i in rig.closures},
            strands={i: self._strand(i) for i in rig.strands},
            treads={i: self._tread(i) for i in rig.treads},
        )
        constraints = {i: self._constraint(i) for i in rig.constraints}
        self.rig = replace(self.rig, constraints=constraints)
        self.rig = replace(self.rig, links=self._links())
        rig = self.rig
        at = {}
        for channel, value in rig.at.items():
            own = split(channel)[0] in self.originals
            at[self.key_of(channel) if own else channel] = (
                self.sign(channel) * value if own else value
            )
        routines = {i: self._routine(routine) for i, routine in rig.routines.items()}
        return replace(rig, at=at, routines=routines)

    def _put_part(self, new: PartId, old: PartId) -> None:
        part = self.rig.parts[new]
        above = self.on(part.parent)
        if part.parent not in self.turned and self._moves(part.parent):
            name = self.before.parts[old].name
            self.told.append(
                f"{name} stands on {owner_name(self.before, ThingId(part.parent or NOTHING))}, "
                "which moves against the mirror: its twin stands there too, and is as the mirror "
                "has it at home only."
            )
        made = reflecting.part(part, above, self.turned[new])
        if made.repeat is not None and made.repeat.along == "path":
            path = self._path_of_row(made.repeat.path)
            made = replace(made, repeat=replace(made.repeat, path=path))
        self.rig = replace(self.rig, parts={**self.rig.parts, new: made})

    def _moves(self, part: PartId | None) -> bool:
        """Whether something moves between a part that stays and the mirror's own."""
        if part == self.plane.on:
            return False
        rows = self.home.program
        mine, others = (self._carriers(one) for one in (part, self.plane.on))
        apart = set(mine) ^ set(others)
        return any(rows.applied(one) for one in apart)

    def _carriers(self, part: PartId | None) -> list[PartId]:
        found: list[PartId] = []
        while part is not None:
            found.append(part)
            part = self.before.parts[part].parent
        return found

    # ── each kind of thing ─────────────────────────────────────────

    def _control(self, control: ThingId) -> Control:
        entry = self.rig.controls[control]
        if control not in self.originals or entry.face is None:
            return entry
        mirror = self.on(entry.face.on)
        face = replace(entry.face, at=reflecting.place(entry.face.at, mirror))
        if face.fixed:
            # Its words stay readable: across them it is turned round.
            turn = mirror @ matrix(Frame(turn=turn_of_angles(face.turn))) @ turning_round(0)
            face = replace(face, turn=triple(angles_of_turn(frame_of(turn).turn)))
        return replace(entry, face=face)

    def _measure(self, measure_id: ThingId) -> Measure:
        measure = self.rig.measures[measure_id]
        if measure_id not in self.originals:
            return measure
        return replace(measure, ends=tuple(self._anchor(end) for end in measure.ends))

    def _anchor(self, end: Anchor) -> Anchor:
        """The same feature, as the mirror has it."""
        mirror = self.on(end.part)
        made = replace(end, at=reflecting.place(end.at, mirror))
        was = feature(self.before, replace(end, part=self.parts[end.part]), self.geometry)
        if was is None:
            return made
        wanted = mirror[:3, :3] @ was.at + mirror[:3, 3]
        number = 0
        while (one := feature(self.rig, replace(made, feature=number), self.geometry)) is not None:
            if one.kind == was.kind and float(np.abs(one.at - wanted).max()) < _SAME:
                return replace(made, feature=number)
            number += 1
        return replace(made, shape=-1, feature=-1)

    def _closure(self, closure_id: ThingId) -> Closure:
        closure = self.rig.closures[closure_id]
        if closure_id not in self.originals:
            return closure
        one, two = self.on(closure.one), self.on(closure.two)
        return replace(
            closure,
            at_one=reflecting.place(closure.at_one, one),
            at_two=reflecting.place(closure.at_two, two),
            axis=reflecting.direction(closure.axis, two),
        )

    def _strand(self, strand_id: ThingId) -> Strand:
        strand = self.rig.strands[strand_id]
        if strand_id not in self.originals:
            return strand
        through = tuple(reflecting.waypoint(p, p.on, self.on(p.on)) for p in strand.through)
        return replace(strand, through=through)

    def _tread(self, tread_id: ThingId) -> Tread:
        tread = self.rig.treads[tread_id]
        if tread_id not in self.originals:
            return tread
        wheels = tuple(reflecting.waypoint(w, w.on, self.on(w.on)) for w in tread.wheels)
        first = tread.wheels[0]
        old = self.before.treads[self.originals[tread_id]]
        seen = np.linalg.inv(self.home.frame_of(old.on)) @ self.home.frame_of(old.wheels[0].on)
        axle = seen[:3, :3] @ np.asarray(first.axis)
        axle = axle / np.linalg.norm(axle)
        # The angle at which it sits is told from the frame's x, or its z.
        told_from = np.eye(3)[0 if abs(axle[0]) < 0.9 else 2]
        mirror = self.on(tread.on)[:3, :3]
        round_it = bool(told_from @ mirror @ told_from < 0)
        return replace(tread, wheels=wheels, seat=tread.seat + (np.pi if round_it else 0.0))

    def _path_of(self, path_id: ThingId) -> ThingId:
        """Id of a path as the mirror has it; of a copy, where the path is none of the twin."""
        if path_id in self.originals or path_id not in self.rig.paths:
            return path_id
        if path_id not in self._paths:
            path = self.rig.paths[path_id]
            made = replace(self._path(path), name=free_name(names_in(self.rig), path.name))
            self.rig, new = new_id(self.rig, "w")
            self.rig = replace(self.rig, paths=with_entry(self.rig.paths, new, made))
            self._paths[path_id] = new
            self.ids[path_id] = new
        return self._paths[path_id]

    def _path_of_row(self, path_id: ThingId) -> ThingId:
        """Id of a path along which the twin of a row lies: in its mount, of which y is turned
        round, whatever carries the path."""
        old = self.originals.get(path_id, path_id)
        path = self.before.paths.get(old)
        if path is None or self.on(self.rig.paths[path_id].on) is turning_round(1):
            return self._path_of(path_id)
        if old not in self._rows:
            points = tuple(reflecting.place(p, turning_round(1)) for p in path.points)
            name = free_name(names_in(self.rig), path.name)
            self.rig, new = new_id(self.rig, "w")
            # With the twin of what carries it, so that it is of the other side and goes with that.
            on = None if path.on is None else PartId(self.ids.get(path.on, path.on))
            made = replace(path, name=name, points=points, on=on)
            self.rig = replace(self.rig, paths=with_entry(self.rig.paths, new, made))
            self._rows[old] = new
        return self._rows[old]

    def _path(self, path: Path) -> Path:
        mirror = self.on(path.on)
        return replace(path, points=tuple(reflecting.place(p, mirror) for p in path.points))

    # ── constraints ────────────────────────────────────────────────

    def _constraint(self, constraint_id: ThingId) -> AnyConstraint:
        made = self.rig.constraints[constraint_id]
        if constraint_id not in self.originals:
            return made
        turned = self.turned[made.part]
        own = turning_round(turned)
        if isinstance(made, Targeted):
            made = replace(made, targets=tuple(self._target(made, t, own) for t in made.targets))
        if isinstance(made, Aim):
            made = replace(
                made,
                offset=reflecting.framed(made.offset, own, own),
                axis=reflecting.way_of(made.axis, turned),
                second=reflecting.way_of(made.second, turned),
                toward=self._target(made, made.toward, own),
            )
        elif isinstance(made, Seat):
            kept = reflecting.framed(replace(made.offset, at=IDENTITY.at), own, own)
            aside = reflecting.direction(made.offset.at, self.mirror)
            made = replace(made, offset=replace(kept, at=aside),
                           axis=reflecting.way_of(made.axis, turned))  # fmt: skip
            on = made.targets[0].on
            if on not in self.turned:
                name = owner_name(self.rig, ThingId(on or NOTHING))
                self.told.append(f"{made.name} sits on {name}, which is not mirrored.")
        elif isinstance(made, RunAlong):
            # Along a path x is ahead and z upright: of the two others, y is turned round.
            made = replace(made, offset=reflecting.framed(made.offset, turning_round(1), own))
        elif isinstance(made, Reach):
            made = replace(made, tip=reflecting.place(made.tip, own))
        return made

    def _target(self, of: AnyConstraint, target: Target, own: Array) -> Target:
        path = self._path_of(target.path) if target.path else target.path
        mirror = self.on(target.on)
        if target.on not in self.turned and self._moves(target.on):
            self.told.append(
                f"{of.name} keeps to {owner_name(self.rig, ThingId(target.on or NOTHING))}, which "
                "moves against the mirror: it does so as the mirror has it at home only."
            )
        if isinstance(of, Pin):
            # Told along the axes of the ground.
            at = reflecting.direction(target.offset.at, self.mirror)
            offset = replace(target.offset, at=at)
        else:
            offset = target.offset
            if offset != IDENTITY or not isinstance(of, Aim | Reach):
                offset = reflecting.framed(offset, mirror, own)
        return replace(target, at=reflecting.place(target.at, mirror), offset=offset, path=path)

    # ── what leads, and over time ──────────────────────────────────

    def _links(self) -> dict[ThingId, Link]:
        known, found = set(self.before.links), dict[ThingId, Link]()
        for link_id, link in self.rig.links.items():
            if link_id in known:
                found[link_id] = link
                continue
            outside = any(split(c)[0] not in self.originals for c in members(link))

            round_it = set(followers(link)) if self.same_way and outside else set()
            if isinstance(link, Formula) and self._asks_an_angle(link):
                name = full_label(self.rig, link.follower)
                self.told.append(
                    f"The formula for {name} asks for the angle between parts of which the mirror "
                    "turns other axes round, so that it may be another there. Measure it otherwise."
                )
            try:
                made = counted_otherwise.link(link, partial(self._sign_round, round_it))
            except CantBeSaid as why:
                names = " and ".join(full_label(self.rig, c) for c in followers(link)[:2])
                self.told.append(f"The {link_word(link)} that leads {names} was left out: {why}.")
                continue
            if isinstance(made, Rolling) and made.path:
                made = replace(made, path=self._path_of(made.path))
            found[link_id] = self._with_other_ends(made)
        return found

    def _asks_an_angle(self, link: Formula) -> bool:
        """Whether it asks how two parts are turned to each other, whose frames are not mirrored
        alike."""
        pairs = _ANGLE.findall(link.text)
        return any(
            self.turned.get(PartId(ids.thing(a))) != self.turned.get(PartId(ids.thing(b)))
            or ids.thing(a) not in self.turned
            for a, b in pairs
        )

    def _sign_round(self, round_it: set[ChannelKey], channel: ChannelKey) -> float:
        """By what a channel goes, some of those that turn the other way round."""
        turns = channel in round_it and split(channel)[1] in TURNS
        return self.sign(channel) * (-1.0 if turns else 1.0)

    def _with_other_ends(self, link: Link) -> Link:
        """A link in which a stop may be the other one of its channel."""
        other = {c: self.key_of(c) for c in members(link) if self.key_of(c) != c}
        made: Link = rekeyed(link, Link, by_names(other)) if other else link
        return made

    def _routine(self, routine: Routine) -> Routine:
        keys: dict[ChannelKey, Cam] = {}
        for channel, kept in routine.keys.items():
            if split(channel)[0] in self.originals:
                keys[channel] = counted_otherwise.cam(kept, 1.0, self.sign)
            else:
                keys[channel] = kept
        start = {
            c: self.sign(c) * value if split(c)[0] in self.originals else value
            for c, value in routine.start.items()
        }
        carried = dict(routine.carried)
        for part, hand_offs in routine.carried.items():
            if part in self.turned:
                own = turning_round(self.turned[part])
                carried[part] = tuple(
                    replace(h, place=reflecting.framed(h.place, self.on(h.carrier), own))
                    for h in hand_offs
                )
        return replace(routine, keys=keys, start=start, carried=carried)


def _home(rig: Rig, geometry: GeometryOf) -> Pose:
    """The rig with everything at home."""
    return evaluate(compile_rig(rig, geometry), {}).frame(0)
