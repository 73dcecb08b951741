"""Controls as little machines: where the knob of a slider, dial, lever, switch or pad is, and
what a pull at it means. The same on the Desk and in the Bench."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import NamedTuple

from PyQt6.QtCore import QPointF, QRectF

from gremio.core.records import Record
from gremio.core.rig import ids
from gremio.core.rig.ids import NOTHING, ThingId
from gremio.core.rig.model import Control, ControlMake, Rig
from gremio.core.rig.scales import around, at_share, rounded, share_of, snapped

# A dial's pointer goes this far either way from upright (deg), where it is not one to one.
_DIAL = 150.0
# A lever leans this far either way (deg).
_LEAN = 50.0
_SNAP = 5.0
# Where the machine stops before a range ends (SI), low and high; None where it does not.
Stops = tuple[float | None, float | None]
_NOWHERE: Stops = (None, None)


class Standing(Record, frozen=True):
    """A control where it stands now: id, entry, value (SI), and where the machine stops it; of a
    pad, its second axis too."""

    control: ThingId
    entry: Control
    value: float
    across: ThingId = NOTHING
    across_entry: Control | None = None
    across_value: float = 0.0
    stops: Stops = _NOWHERE
    across_stops: Stops = _NOWHERE

    @property
    def make(self) -> ControlMake:
        """What kind of control it is; a pad without its second axis is a slider."""
        if self.entry.make == "pad" and self.across_entry is None:
            return "slider"
        if self.entry.make == "switch" and len(self.entry.notches) < 2:
            return "slider"
        return self.entry.make


def standing(
    rig: Rig,
    control: ThingId,
    at: Mapping[ThingId, float],
    stops: Callable[[ThingId], Stops] = lambda _control: _NOWHERE,
) -> Standing:
    """A control (by id) as it stands. at: values (SI) by id, of it and its second axis. stops:
    where the machine stops each."""
    entry = around(rig.controls[control], at[control])
    across = entry.across if entry.across in rig.controls and entry.across != control else ""
    if not across:
        return Standing(control, entry, at[control], stops=stops(control))
    other = ids.thing(across)
    return Standing(
        control, entry, at[control], other, around(rig.controls[other], at[other]), at[other],
        stops(control), stops(other),
    )  # fmt: skip


def one_to_one(entry: Control) -> bool:
    """Whether a dial turns as far as its value does."""
    return entry.kind == "angle" and entry.high - entry.low > math.radians(330)


def dial_angle(entry: Control, value: float) -> float:
    """How far a dial's pointer is turned from upright, clockwise (rad)."""
    if one_to_one(entry):
        return value
    return math.radians(_DIAL * (2 * share_of(entry, value) - 1))


def lean(entry: Control, value: float) -> float:
    """How far a lever leans to the right (rad)."""
    return math.radians(_LEAN * (2 * share_of(entry, value) - 1))


def dial(rect: QRectF) -> tuple[QPointF, float]:
    """Middle and radius of a dial in its room."""
    return rect.center(), min(rect.width(), rect.height()) / 2 - 3


def pivot(rect: QRectF) -> tuple[QPointF, float]:
    """Pivot and length of a lever in its room."""
    length = min(rect.height() - 12, rect.width() / 2 / math.sin(math.radians(_LEAN)) - 8)
    return QPointF(rect.center().x(), rect.bottom() - 4), max(length, 8.0)


def pad_room(rect: QRectF) -> QRectF:
    """The square of a pad in its room."""
    side = min(rect.width(), rect.height()) - 6
    return QRectF(rect.left() + 3, rect.center().y() - side / 2, side, side)


def cells(rect: QRectF, entry: Control) -> list[QRectF]:
    """The room of each position of a switch."""
    count = max(len(entry.notches), 1)
    wide = rect.width() / count
    return [
        QRectF(rect.left() + i * wide, rect.top() + 2, wide, rect.height() - 4)
        for i in range(count)
    ]


def way_at(turn: float) -> QPointF:
    """The way, of length 1, at a turn (rad) clockwise from straight up."""
    return QPointF(math.sin(turn), -math.cos(turn))


def _slider_knob(rect: QRectF, shown: Standing) -> QPointF:
    share = min(max(share_of(shown.entry, shown.value), 0.0), 1.0)
    return QPointF(rect.left() + share * rect.width(), rect.center().y() - 1)


def _dial_knob(rect: QRectF, shown: Standing) -> QPointF:
    middle, radius = dial(rect)
    return middle + way_at(dial_angle(shown.entry, shown.value)) * (radius * 0.66)


def _lever_knob(rect: QRectF, shown: Standing) -> QPointF:
    foot, length = pivot(rect)
    return foot + way_at(lean(shown.entry, shown.value)) * length


def _switch_knob(rect: QRectF, shown: Standing) -> QPointF:
    notches = shown.entry.notches
    nearest = min(range(len(notches)), key=lambda i: abs(notches[i] - shown.value))
    return cells(rect, shown.entry)[nearest].center()


def _pad_knob(rect: QRectF, shown: Standing) -> QPointF:
    assert shown.across_entry is not None
    room = pad_room(rect)
    right = share_of(shown.entry, shown.value)
    up = share_of(shown.across_entry, shown.across_value)
    return QPointF(room.left() + right * room.width(), room.bottom() - up * room.height())


def knob(rect: QRectF, shown: Standing) -> QPointF:
    """Where the hand takes hold of a control drawn in a room."""
    return MAKES[shown.make].knob(rect, shown)


class Pull:
    """A hand at a control drawn in a room, from where it took hold.

    A dial counts its turns from one place of the hand to the next.
    """

    def __init__(self, rect: QRectF, shown: Standing, at: QPointF) -> None:
        self.rect, self.shown = rect, shown
        self.value = shown.value
        hold = knob(rect, shown)
        near = math.hypot(at.x() - hold.x(), at.y() - hold.y()) <= 11
        self._off = at - hold if near else QPointF(0, 0)
        self._last = at
        # A press beside the knob brings it there; a dial and a lever are only taken hold of.
        self.moves_at_once = not near and MAKES[shown.make].at_once

    def to(self, at: QPointF, *, free: bool = False) -> dict[ThingId, float]:
        """Where the controls, by id, should go (SI) when the hand has come to a place.

        free: past the notches, without snapping.
        """
        return MAKES[self.shown.make].pulled(self, at, free)

    def along(self, at: QPointF, free: bool) -> dict[ThingId, float]:
        """Along a slider."""
        entry, spot = self.shown.entry, at - self._off
        share = (spot.x() - self.rect.left()) / max(self.rect.width(), 1.0)
        return {self.shown.control: self._snap(entry, _within(entry, share), free)}

    def round_dial(self, at: QPointF, free: bool) -> dict[ThingId, float]:
        """Round a dial."""
        entry = self.shown.entry
        middle, radius = dial(self.rect)
        # The farther out the hand goes, the finer it turns.
        away = max(math.hypot(at.x() - middle.x(), at.y() - middle.y()), radius)
        value = self._turned(entry, at)
        return {self.shown.control: self._snap(entry, value, free, self._a_turn(entry) / away)}

    def leaning(self, at: QPointF, free: bool) -> dict[ThingId, float]:
        """To where a lever leans."""
        entry, spot = self.shown.entry, at - self._off
        foot, _ = pivot(self.rect)
        turn = math.atan2(spot.x() - foot.x(), max(foot.y() - spot.y(), 1.0))
        share = (math.degrees(turn) / _LEAN + 1) / 2
        return {self.shown.control: self._snap(entry, _within(entry, share), free)}

    def to_position(self, at: QPointF, free: bool) -> dict[ThingId, float]:
        """To a position of a switch."""
        del free
        room = cells(self.rect, self.shown.entry)
        place = int((at.x() - self.rect.left()) // max(room[0].width(), 1))
        return {self.shown.control: self.shown.entry.notches[min(max(place, 0), len(room) - 1)]}

    def _turned(self, entry: Control, at: QPointF) -> float:
        middle, _ = dial(self.rect)
        one, two = self._last - middle, at - middle
        step = math.atan2(
            one.x() * two.y() - one.y() * two.x(), one.x() * two.x() + one.y() * two.y()
        )
        self._last = at
        self.value += step * self._a_turn(entry)
        return self.value if entry.open else min(max(self.value, entry.low), entry.high)

    @staticmethod
    def _a_turn(entry: Control) -> float:
        """How far a dial goes for a turn of the hand by a radian."""
        return 1.0 if one_to_one(entry) else (entry.high - entry.low) / math.radians(2 * _DIAL)

    def on_pad(self, at: QPointF, free: bool) -> dict[ThingId, float]:
        """To a place on a pad."""
        spot = at - self._off
        room, other = pad_room(self.rect), self.shown.across_entry
        assert other is not None
        entry = self.shown.entry
        right = (spot.x() - room.left()) / max(room.width(), 1.0)
        up = (room.bottom() - spot.y()) / max(room.height(), 1.0)
        return {
            self.shown.control: self._snap(entry, _within(entry, right), free),
            self.shown.across: self._snap(other, _within(other, up), free),
        }

    def _snap(self, entry: Control, value: float, free: bool, grain: float = 0.0) -> float:
        """A value at a notch, or one that reads round. grain: how far it goes for a pixel, where
        that is not as along its room."""
        if free and entry.make != "switch":
            return value
        pixel = (entry.high - entry.low) / max(self.rect.width(), 1.0)
        near = snapped(entry, value, _SNAP * pixel)
        # The hand is no finer than a pixel: what it leaves reads round.
        return near if near != value else rounded(entry, value, grain or pixel)


def _within(entry: Control, share: float) -> float:
    """The value at a share of the range; a hand that is beyond it goes on where it is open."""
    if entry.open:
        return at_share(entry, share)
    return at_share(entry, min(max(share, 0.0), 1.0))


class MakeRecord(NamedTuple):
    """A kind of control, as hands and eyes have it. body: how tall it is on the Desk, between its
    name and its foot (px). face: how large its face is in the Bench, without the label (px). knob:
    where the hand takes hold. pulled: where the controls should go when the hand has come to a
    place, free of the notches or not. at_once: whether a press beside the knob brings it there."""

    body: float
    face: tuple[float, float]
    knob: Callable[[QRectF, Standing], QPointF]
    pulled: Callable[[Pull, QPointF, bool], dict[ThingId, float]]
    at_once: bool


MAKES: dict[ControlMake, MakeRecord] = {
    "slider": MakeRecord(17, (124, 22), _slider_knob, Pull.along, at_once=True),
    "dial": MakeRecord(56, (104, 58), _dial_knob, Pull.round_dial, at_once=False),
    "lever": MakeRecord(46, (104, 52), _lever_knob, Pull.leaning, at_once=False),
    "switch": MakeRecord(22, (132, 26), _switch_knob, Pull.to_position, at_once=True),
    "pad": MakeRecord(86, (104, 86), _pad_knob, Pull.on_pad, at_once=True),
}
