"""Controls as little machines: where the knob of a slider, dial, lever, switch or pad is, and
what a pull at it means. The same on the Desk and in the Bench."""

from __future__ import annotations

import math
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF

from gremio.core.rig.model import Control, ControlMake, Rig
from gremio.core.rig.scales import at_share, share_of, snapped

# A dial's pointer goes this far either way from upright (deg), where it is not one to one.
_DIAL = 150.0
# A lever leans this far either way (deg).
_LEAN = 50.0
_SNAP = 5.0


@dataclass(frozen=True)
class Standing:
    """A control where it stands now: id, entry, value (SI); of a pad, its second axis too."""

    control: str
    entry: Control
    value: float
    across: str = ""
    across_entry: Control | None = None
    across_value: float = 0.0

    @property
    def make(self) -> ControlMake:
        """What kind of control it is; a pad without its second axis is a slider."""
        if self.entry.make == "pad" and self.across_entry is None:
            return "slider"
        if self.entry.make == "switch" and len(self.entry.notches) < 2:
            return "slider"
        return self.entry.make


def standing(rig: Rig, control: str, at: dict[str, float]) -> Standing:
    """A control (by id) as it stands. at: values (SI) by id, of it and its second axis."""
    entry = rig.controls[control]
    across = entry.across if entry.across in rig.controls and entry.across != control else ""
    if not across:
        return Standing(control, entry, at[control])
    return Standing(control, entry, at[control], across, rig.controls[across], at[across])


# How tall a make is on the Desk, between its name and its foot (px).
BODY: dict[ControlMake, float] = {
    "slider": 22, "dial": 62, "lever": 52, "switch": 26, "pad": 86,
}  # fmt: skip
# How large its face is in the Bench, without the label (px).
FACE: dict[ControlMake, tuple[float, float]] = {
    "slider": (124, 22),
    "dial": (104, 58),
    "lever": (104, 52),
    "switch": (132, 26),
    "pad": (104, 86),
}


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


def knob(rect: QRectF, shown: Standing) -> QPointF:
    """Where the hand takes hold of a control drawn in a room."""
    entry, value = shown.entry, shown.value
    match shown.make:
        case "dial":
            middle, radius = dial(rect)
            turn = dial_angle(entry, value)
            return middle + way_at(turn) * (radius * 0.66)
        case "lever":
            foot, length = pivot(rect)
            turn = lean(entry, value)
            return foot + way_at(turn) * length
        case "switch":
            nearest = min(range(len(entry.notches)), key=lambda i: abs(entry.notches[i] - value))
            return cells(rect, entry)[nearest].center()
        case "pad":
            assert shown.across_entry is not None
            room = pad_room(rect)
            up = share_of(shown.across_entry, shown.across_value)
            return QPointF(
                room.left() + share_of(entry, value) * room.width(),
                room.bottom() - up * room.height(),
            )
    share = min(max(share_of(entry, value), 0.0), 1.0)
    return QPointF(rect.left() + share * rect.width(), rect.center().y() + 1)


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
        self.moves_at_once = not near and shown.make in ("slider", "switch", "pad")

    def to(self, at: QPointF, free: bool = False) -> dict[str, float]:
        """Where the controls, by id, should go (SI) when the hand has come to a place.

        free: past the notches, without snapping.
        """
        entry, spot = self.shown.entry, at - self._off
        match self.shown.make:
            case "dial":
                return {self.shown.control: self._snap(entry, self._turned(entry, at), free)}
            case "lever":
                foot, _ = pivot(self.rect)
                turn = math.atan2(spot.x() - foot.x(), max(foot.y() - spot.y(), 1.0))
                share = (math.degrees(turn) / _LEAN + 1) / 2
                return {self.shown.control: self._snap(entry, _within(entry, share), free)}
            case "switch":
                room = cells(self.rect, entry)
                place = int((at.x() - self.rect.left()) // max(room[0].width(), 1))
                return {self.shown.control: entry.notches[min(max(place, 0), len(room) - 1)]}
            case "pad":
                return self._on_pad(spot, free)
        share = (spot.x() - self.rect.left()) / max(self.rect.width(), 1.0)
        return {self.shown.control: self._snap(entry, _within(entry, share), free)}

    def _turned(self, entry: Control, at: QPointF) -> float:
        middle, _ = dial(self.rect)
        one, two = self._last - middle, at - middle
        step = math.atan2(
            one.x() * two.y() - one.y() * two.x(), one.x() * two.x() + one.y() * two.y()
        )
        self._last = at
        turn = 1.0 if one_to_one(entry) else (entry.high - entry.low) / math.radians(2 * _DIAL)
        self.value += step * turn
        return min(max(self.value, entry.low), entry.high)

    def _on_pad(self, spot: QPointF, free: bool) -> dict[str, float]:
        room, other = pad_room(self.rect), self.shown.across_entry
        assert other is not None
        entry = self.shown.entry
        right = (spot.x() - room.left()) / max(room.width(), 1.0)
        up = (room.bottom() - spot.y()) / max(room.height(), 1.0)
        return {
            self.shown.control: self._snap(entry, _within(entry, right), free),
            self.shown.across: self._snap(other, _within(other, up), free),
        }

    def _snap(self, entry: Control, value: float, free: bool) -> float:
        if free and entry.make != "switch":
            return value
        reach = _SNAP / max(self.rect.width(), 1.0) * (entry.high - entry.low)
        return snapped(entry, value, reach)


def _within(entry: Control, share: float) -> float:
    return at_share(entry, min(max(share, 0.0), 1.0))
