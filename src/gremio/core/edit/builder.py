"""Building a rig from a script: names and typed quantities instead of ids and SI."""

from __future__ import annotations

import warnings
from collections.abc import Iterable, Mapping, Sequence

from msgspec.structs import replace

from gremio.core.edit.controls import add_control, change_control
from gremio.core.edit.desk import make_into
from gremio.core.edit.links import add_link
from gremio.core.edit.parts import add_part
from gremio.core.frames import Frame, Triple, tidy_frame, turn_of_angles
from gremio.core.plan.arranging import arrange
from gremio.core.problem import GremioError
from gremio.core.quantity import LARGEST, UNITS, USUAL_UNIT, Kind
from gremio.core.rig import ids
from gremio.core.rig.cams import sorted_stations
from gremio.core.rig.channels import AXES, JOINT_KINDS, channel_kind, freed
from gremio.core.rig.find import channel_key, control_id, part_id
from gremio.core.rig.ids import ChannelKey
from gremio.core.rig.model import (
    Cam,
    Control,
    ControlMake,
    Follower,
    Joint,
    Link,
    Part,
    Planetary,
    ProfileKind,
    Ratio,
    RatioKind,
    Repeat,
    Rig,
    Shape,
    StandIn,
    Station,
    Stops,
)
from gremio.core.rig.numbers import kind_of
from gremio.core.rig.solids import AnySolid
from gremio.core.typed import parse, read

Typed = str | float


class Builder:
    """Makes a rig step by step; `rig` is what has been made so far.

    Values may be typed texts ("35 deg") or numbers in metres, radians and seconds.
    Parts, controls and channels are named as people name them.
    """

    def __init__(self, name: str) -> None:
        self.rig = Rig(name=name)

    def part(
        self,
        name: str,
        *shapes: Shape | AnySolid,
        on: str | None = None,
        at: Sequence[Typed] = (0.0, 0.0, 0.0),
        turned: Sequence[Typed] = (0.0, 0.0, 0.0),
        joint: str = "fixed",
        stops: tuple[Typed | None, Typed | None] | None = None,
        repeat: Repeat | None = None,
        stand_in: StandIn = "box",
    ) -> str:
        """Add a part and return its name.

        shapes: solids, or shapes where they stand elsewhere in the part than at its zero.
        on: name of the part that carries it. at, turned: its mount there.
        joint: a kind and an axis, "hinge z"; a screw with its lead, "screw z 4 mm".
        stops: low and high, None runs free. repeat: how it is repeated. stand_in: what is
        shown for it while working light.
        """
        made_joint = joint_of(joint, name)
        free = freed(made_joint)
        limits: dict[str, Stops] = {}
        if stops is not None:
            if len(free) != 1:
                raise GremioError(
                    f"{name} has the joint {joint!r}, so one pair of stops does not fit it. "
                    "Give it a hinge, spin or slide, or set stops channel by channel."
                )
            kind = channel_kind(free[0])
            low, high = (
                None if s is None else typed_in(s, kind, f"A stop of {name}") for s in stops
            )
            limits[free[0]] = Stops(low, high)
        parent = None if on is None else part_id(self.rig, on)
        frame = placed(at, turned)
        made = tuple(Shape(s) if isinstance(s, AnySolid) else s for s in shapes)
        part = Part(name, parent, frame, made_joint, limits, made, repeat, stand_in)
        self.rig, _ = add_part(self.rig, part)
        return name

    def control(
        self,
        name: str,
        low: Typed,
        high: Typed,
        *,
        kind: Kind | None = None,
        unit: str | None = None,
        home: Typed = 0.0,
        notches: Iterable[Typed] = (),
        group: str = "",
        make: ControlMake = "slider",
        positions: Iterable[str] = (),
        springs: bool = False,
        scale: tuple[float, float] | None = None,
        scale_unit: str = "",
        open: bool = False,
    ) -> str:
        """Add a control and return its name: control("Open", "0 deg", "90 deg").

        kind: of quantity; said by the unit of what is typed, unless it is given. unit: in which it
        is shown.
        make: slider, dial, lever, switch or pad; positions: the names of a switch's notches.
        springs: a lever goes home when let go. scale: the numbers read at both ends, and scale_unit
        what stands behind them. open: it goes on beyond its range.
        """
        kind = kind or _kind_of(name, unit, low, high, home)
        shown = USUAL_UNIT[kind] if unit is None else unit
        ends = [typed_in(value, kind, name) for value in (low, high, home)]
        dots = tuple(typed_in(value, kind, name) for value in notches)
        control = Control(
            name, kind, shown, ends[0], ends[1], ends[2], dots, group,
            springs=springs, positions=tuple(positions), scale=scale, scale_unit=scale_unit,
            open=open,
        )  # fmt: skip
        self.rig, made = add_control(self.rig, control)
        if make != "slider":
            self.rig = make_into(self.rig, made, make)
        return name

    def group(self, group: str, *controls: str) -> None:
        """Put controls, by name, in a group of the Desk."""
        for name in controls:
            control = control_id(self.rig, name)
            changed = replace(self.rig.controls[control], group=group)
            self.rig = change_control(self.rig, control, changed)

    def ratio(
        self,
        lead: str,
        follower: str,
        ratio: float,
        offset: Typed = 0.0,
        kind: RatioKind = "plain",
        *,
        adds: bool = False,
    ) -> None:
        """Let one channel lead another in fixed proportion (SI per SI).

        kind: what gives the proportion. adds: add to what the follower has otherwise. A train that
        locks by it is told by a warning.
        """
        led = channel_key(self.rig, follower)
        start = typed_in(offset, kind_of(self.rig, led), follower)
        link = Ratio(channel_key(self.rig, lead), led, ratio, start, kind, adds=adds)
        self._link(link)

    def planetary(self, sun: str, ring: str, carrier: str, ratio: float) -> None:
        """Let three channels turn as a planetary set. ratio: ring teeth ÷ sun teeth."""
        keys = [channel_key(self.rig, name) for name in (sun, ring, carrier)]
        self._link(Planetary(keys[0], keys[1], keys[2], ratio))

    def _link(self, link: Link) -> None:
        """Add a link; a train that locks by it is told by a warning, for its ratio may be meant to
        be changed yet."""
        before = {note.text for note in arrange(self.rig).notes}
        self.rig, _ = add_link(self.rig, link)
        for note in arrange(self.rig).notes:
            if note.text not in before:
                warnings.warn(note.text, stacklevel=3)

    def cam(
        self,
        lead: str,
        stations: Mapping[Typed, Mapping[str, Typed]],
        profile: ProfileKind = "smooth",
    ) -> None:
        """Let one channel lead others through stations: {lead value: {follower: value}}."""
        lead_key = channel_key(self.rig, lead)
        lead_kind = kind_of(self.rig, lead_key)
        names = {name for values in stations.values() for name in values}
        keys = {name: channel_key(self.rig, name) for name in sorted(names)}
        made = [
            Station(
                typed_in(value, lead_kind, lead),
                {keys[n]: typed_in(v, kind_of(self.rig, keys[n]), n) for n, v in values.items()},
            )
            for value, values in stations.items()
        ]
        followers = tuple(Follower(channel, profile) for channel in keys.values())
        self.rig, _ = add_link(self.rig, Cam(lead_key, followers, sorted_stations(made)))


def placed(at: Sequence[Typed] = (0, 0, 0), turned: Sequence[Typed] = (0, 0, 0)) -> Frame:
    """A frame at three lengths, turned by three angles about the fixed x, then y, then z."""
    place = [typed_in(value, "length", "A place") for value in at]
    angles = [typed_in(value, "angle", "A turn") for value in turned]
    return tidy_frame(_three(place), turn_of_angles(_three(angles)), (1, 1, 1))


def shape(
    solid: AnySolid,
    at: Sequence[Typed] = (0.0, 0.0, 0.0),
    turned: Sequence[Typed] = (0.0, 0.0, 0.0),
    paint: str = "#B9C4BE",
) -> Shape:
    """A solid at a place in the part's frame."""
    return Shape(solid, placed(at, turned), paint)


def values_by_key(rig: Rig, values: Mapping[str, Typed]) -> dict[ChannelKey, float]:
    """Typed values by name, as SI values by channel key.

    Raises NotFound for an unknown name, QuantityError for a wrong unit.
    """
    result: dict[ChannelKey, float] = {}
    for name, value in values.items():
        key = channel_key(rig, name)
        control = rig.controls.get(ids.thing(key))
        unit = None if control is None else control.unit
        result[key] = typed_in(value, kind_of(rig, key), name, unit)
    return result


def typed_in(value: Typed, kind: Kind, what: str, unit: str | None = None) -> float:
    """A typed value, or a plain number, in SI. Raises QuantityError, GremioError."""
    if isinstance(value, str):
        return parse(value, kind, unit, what)
    if not abs(float(value)) <= LARGEST:
        raise GremioError(f"{what} can't be {float(value):g}: write a plain number.")
    return float(value)


def _kind_of(name: str, unit: str | None, *ends: Typed) -> Kind:
    """The kind of quantity of a control, by its unit, or that of an end. Raises GremioError."""
    if unit:
        if unit not in UNITS:
            raise GremioError(f"{name} can't be in {unit!r}. Write a unit such as deg, mm or s.")
        return UNITS[unit].kind
    read_as = [read(end, "angle", name) for end in ends if isinstance(end, str)]
    found = {amount.kind for amount in read_as if not amount.bare}
    if len(found) == 1:
        return found.pop()
    raise GremioError(
        f"Say what {name} goes in: write its ends with a unit, as '0 deg' or '1 m', or give its "
        "kind, such as kind='angle', or kind='number' for a bare number."
    )


def _three(values: list[float]) -> Triple:
    if len(values) != 3:
        raise GremioError(f"A place or turn needs three numbers, not {len(values)}.")
    return values[0], values[1], values[2]


def joint_of(text: str, name: str) -> Joint:
    """A joint as it is written: "hinge z", "screw z 4 mm". Raises GremioError."""
    words = text.split()
    for kind in JOINT_KINDS:
        if words[:1] == [kind]:
            for axis in AXES:
                if words[1:] == [axis] and kind != "screw":
                    return Joint(kind, axis)
                if words[1:2] == [axis] and kind == "screw" and words[2:]:
                    lead = typed_in(" ".join(words[2:]), "length", f"The lead of {name}")
                    return Joint(kind, axis, lead)
            if not words[1:]:
                return Joint(kind)
    kinds = ", ".join(JOINT_KINDS)
    raise GremioError(f"{name} can't have the joint {text!r}. Write one of {kinds}, with an axis.")
