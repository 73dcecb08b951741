"""A machine made larger or smaller: every length so many times as long, every turn as it was."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from msgspec.structs import replace

from gremio.core.edit.change import must_have
from gremio.core.edit.parts import descendants
from gremio.core.frames import Frame, Triple
from gremio.core.make import counted_otherwise
from gremio.core.make.copying import leading_inside
from gremio.core.make.counted_otherwise import CantBeSaid, Factor, with_distances
from gremio.core.problem import GremioError
from gremio.core.rig.channels import split
from gremio.core.rig.constraints import targets_of
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.lengths import NO_LENGTHS
from gremio.core.rig.links import followers, link_word, members
from gremio.core.rig.model import (
    Aim,
    AnyConstraint,
    Control,
    Driving,
    Formula,
    Link,
    Part,
    Path,
    Ratio,
    Reach,
    Rig,
    Rolling,
    Routine,
    RunAlong,
    Seat,
    Shape,
    Stops,
    Targeted,
    Tether,
    Tread,
    Waypoint,
)
from gremio.core.rig.numbers import full_label, kind_of
from gremio.core.rig.solids import AnySolid, Mesh

_LENGTHS = ("length", "speed")
_LEAST, _MOST = 1e-6, 1e6


def resized(rig: Rig, factor: float, roots: Sequence[PartId] = ()) -> Rig:
    """The rig so many times as large; or some of its parts (ids) with all they carry, where they
    stand. Mounts, shapes, stops, ways, links and keys go along, turns stay; what is outside stays
    as it is. Raises GremioError for no factor, and where a link can't be said so."""
    if not (math.isfinite(factor) and _LEAST <= factor <= _MOST):
        raise GremioError(
            "A size is changed by a factor above zero, such as 2 or 0.5, and by a million at most."
        )
    for root in roots:
        must_have(rig.parts, root, "part")
    return _Resizing(rig, factor, roots).made()


def sized(solid: AnySolid, factor: float) -> AnySolid:
    """A solid with all its lengths so many times as long; of a model, what it fills."""
    changed: dict[str, Any] = {}
    for field in solid.__struct_fields__:
        value = getattr(solid, field)
        if field == "holes":
            changed[field] = tuple(tuple(v * factor for v in hole) for hole in value)
        elif field not in NO_LENGTHS and isinstance(value, int | float):
            changed[field] = value * factor
    return solid if isinstance(solid, Mesh) else replace(solid, **changed)


class _Resizing:
    """What is inside, and how each kind of thing is made larger."""

    def __init__(self, rig: Rig, factor: float, roots: Sequence[PartId]) -> None:
        self.rig, self.by, self.roots = rig, factor, set(roots)
        self.whole = not roots
        self.parts = set(rig.parts)
        if roots:
            self.parts = {*roots, *(p for root in roots for p in descendants(rig, root))}
        controls = rig.controls if self.whole else leading_inside(rig, self.parts)
        self.inside: set[ThingId] = {*self.parts, *controls}
        self.inside |= {i for i, c in rig.constraints.items() if self._holds_inside(c)}
        for things in (rig.strands, rig.treads, rig.measures):
            self.inside |= {i for i, thing in things.items() if self._lies_inside(thing)}

    def _in(self, part: PartId | None) -> bool:
        return self.whole if part is None else part in self.parts

    def _holds_inside(self, one: AnyConstraint) -> bool:
        return one.part in self.parts and all(self._in(t.on) for t in targets_of(one))

    def _lies_inside(self, thing: Any) -> bool:
        on = [p.on for p in (*getattr(thing, "through", ()), *getattr(thing, "wheels", ()))]
        on += [end.part for end in getattr(thing, "ends", ())]
        return all(map(self._in, on))

    def factor(self, channel: ChannelKey) -> float:
        """By how much a channel counts more."""
        thing, _ = split(channel)
        if thing not in self.inside:
            return 1.0
        if thing in self.rig.measures:
            return 1.0 if self.rig.measures[thing].kind == "angle" else self.by
        return self.by if kind_of(self.rig, channel) in _LENGTHS else 1.0

    def made(self) -> Rig:
        """All of it so many times as large."""
        rig, factor = self.rig, self.factor

        def told(values: dict[ChannelKey, float]) -> dict[ChannelKey, float]:
            return {c: factor(c) * value for c, value in values.items()}

        return replace(
            rig,
            parts={i: self._part(i, p) if i in self.parts else p for i, p in rig.parts.items()},
            controls={i: self._control(i, c) for i, c in rig.controls.items()},
            links={i: self._link(link) for i, link in rig.links.items()},
            measures={
                i: replace(m, ends=tuple(
                    replace(end, at=self._at(end.at)) if end.part in self.parts else end
                    for end in m.ends
                )) for i, m in rig.measures.items()
            },
            paths={i: self._path(p) if self._in(p.on) else p for i, p in rig.paths.items()},
            closures={
                i: replace(
                    c,
                    at_one=self._at(c.at_one) if c.one in self.parts else c.at_one,
                    at_two=self._at(c.at_two) if self._in(c.two) else c.at_two,
                ) for i, c in rig.closures.items()
            },
            struts={
                i: replace(
                    s, barrel_length=s.barrel_length * self.by, rod_length=s.rod_length * self.by,
                    bore=s.bore * self.by,
                    stage_lengths=tuple(length * self.by for length in s.stage_lengths),
                ) if s.barrel in self.parts else s for i, s in rig.struts.items()
            },
            constraints={
                i: self._constraint(c) if i in self.inside else c
                for i, c in rig.constraints.items()
            },
            strands={
                i: replace(
                    s, through=tuple(map(self._waypoint, s.through)),
                    thickness=s.thickness * self.by, width=s.width * self.by,
                    length=s.length * self.by,
                ) if i in self.inside else replace(s, through=tuple(map(self._waypoint, s.through)))
                for i, s in rig.strands.items()
            },
            treads={i: self._tread(t) if i in self.inside else t for i, t in rig.treads.items()},
            at=told(rig.at),
            poses={i: replace(p, values=told(p.values)) for i, p in rig.poses.items()},
            routines={i: self._routine(r) for i, r in rig.routines.items()},
        )  # fmt: skip

    # ── each kind of thing ─────────────────────────────────────────

    def _at(self, at: Triple) -> Triple:
        x, y, z = (v * self.by for v in at)
        return x, y, z

    def _frame(self, frame: Frame) -> Frame:
        return replace(frame, at=self._at(frame.at))

    def _part(self, part_id: PartId, part: Part) -> Part:
        repeat = part.repeat
        if repeat is not None and repeat.along != "circle":
            repeat = replace(repeat, pitch=repeat.pitch * self.by, shift=repeat.shift * self.by)
        return replace(
            part,
            mount=part.mount if part_id in self.roots else self._frame(part.mount),
            own=self._frame(part.own),
            joint=replace(part.joint, lead=part.joint.lead * self.by),
            stops={c: self._stops(c, s) for c, s in part.stops.items()},
            shapes=tuple(map(self._shape, part.shapes)),
            repeat=repeat,
        )

    def _stops(self, channel: str, stops: Stops) -> Stops:
        if not channel.startswith("move"):
            return stops
        low, high = (None if end is None else end * self.by for end in (stops.low, stops.high))
        return replace(stops, low=low, high=high, soft=stops.soft * self.by)

    def _shape(self, shape: Shape) -> Shape:
        place = self._frame(shape.place)
        if isinstance(shape.solid, Mesh):
            # The model stays as it is; it is shown so many times as large.
            place = replace(place, scale=self._at(place.scale))
        return replace(shape, solid=sized(shape.solid, self.by), place=place)

    def _control(self, control_id: ThingId, control: Control) -> Control:
        face = control.face
        if face is not None and self._in(face.on):
            face = replace(face, at=self._at(face.at), size=face.size * self.by)
        control = replace(control, face=face)
        if control_id not in self.inside or control.kind not in _LENGTHS:
            return control
        return replace(
            control,
            low=control.low * self.by,
            high=control.high * self.by,
            home=control.home * self.by,
            notches=tuple(notch * self.by for notch in control.notches),
        )

    def _path(self, path: Path) -> Path:
        return replace(
            path,
            points=tuple(map(self._at, path.points)),
            radii=tuple(radius * self.by for radius in path.radii),
            ticks=tuple(tick * self.by for tick in path.ticks),
        )

    def _waypoint(self, point: Waypoint) -> Waypoint:
        if not self._in(point.on):
            return point
        return replace(point, at=self._at(point.at), radius=point.radius * self.by)

    def _tread(self, tread: Tread) -> Tread:
        return replace(
            tread, wheels=tuple(map(self._waypoint, tread.wheels)), sag=tread.sag * self.by
        )

    def _constraint(self, one: AnyConstraint) -> AnyConstraint:
        if isinstance(one, Targeted):
            targets = tuple(
                replace(t, at=self._at(t.at), offset=self._frame(t.offset)) for t in one.targets
            )
            one = replace(one, targets=targets)
        if isinstance(one, Aim):
            one = replace(one, toward=replace(one.toward, at=self._at(one.toward.at)))
        elif isinstance(one, Tether):
            one = replace(one, distance=one.distance * self.by)
        elif isinstance(one, Seat):
            one = replace(one, offset=self._frame(one.offset), stand_off=one.stand_off * self.by)
        elif isinstance(one, RunAlong):
            # What leans into a bend of twice the radius goes √2 times as fast.
            fast = one.banked_for * math.sqrt(self.by)
            one = replace(one, offset=self._frame(one.offset), banked_for=fast)
        elif isinstance(one, Reach):
            one = replace(one, tip=self._at(one.tip))
        return one

    def _link(self, link: Link) -> Link:
        if isinstance(link, Rolling):
            own = split(link.follower)[0] in self.parts
            return replace(link, radius=link.radius * self.by) if own else link
        if isinstance(link, Driving):
            if link.body not in self.parts:
                return link
            wide = {"wheelbase": link.wheelbase * self.by, "axle": link.axle * self.by}
            return replace(link, **wide)
        if not any(split(c)[0] in self.inside for c in members(link)):
            return link
        try:
            made = counted_otherwise.link(link, self.factor)
        except CantBeSaid:
            names = " and ".join(full_label(self.rig, c) for c in followers(link)[:2])
            raise GremioError(
                f"The {link_word(link)} that leads {names} counts a length that is outside of what "
                "is resized. Choose that too, or let go of it first."
            ) from None
        if isinstance(made, Ratio):
            made = replace(made, backlash=made.backlash * self.by)
        if isinstance(made, Formula):
            named = [c for c in members(link) if c in self.rig.parts]
            if all(c in self.inside for c in named):
                made = with_distances(made, self.by)
        return made

    def _routine(self, routine: Routine) -> Routine:
        factor: Factor = self.factor
        return replace(
            routine,
            keys={c: counted_otherwise.cam(cam, 1.0, factor) for c, cam in routine.keys.items()},
            start={c: factor(c) * value for c, value in routine.start.items()},
            carried={
                part: tuple(
                    replace(h, place=self._frame(h.place))
                    if part in self.parts and self._in(h.carrier) else h
                    for h in hand_offs
                ) for part, hand_offs in routine.carried.items()
            },
        )  # fmt: skip
