"""Profiles of a cam laid out on a page: from values to pixels and back. No toolkit."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array
from gremio.core.mechanics.profiles import Profile, acceleration, speed, value
from gremio.core.quantity import UNITS
from gremio.core.records import Record
from gremio.core.rig.ids import ChannelKey

Spot = tuple[float, float]
Place = tuple[float, float, float, float]  # left, top, right, foot

_FINE = 240
# Nearer than this a station takes the height of another (px).
_SNAP = 5.0


class Track(Record, frozen=True):
    """One follower. channel: key. name: as people call it. unit: shown. stations: which of the
    cam's stations speak of it, in the order of profile.x."""

    channel: ChannelKey
    name: str
    unit: str
    profile: Profile
    stations: tuple[int, ...]

    @property
    def heights(self) -> tuple[float, float]:
        """The lowest and the highest value drawn, with a little room."""
        ends = self.profile.x[0], self.profile.x[-1]
        drawn = value(self.profile, np.linspace(*ends, _FINE))
        low, high = float(drawn.min()), float(drawn.max())
        room = (high - low) * 0.06 or 0.5 * UNITS[self.unit].size
        return low - room, high + room


class Chart(Record, frozen=True):
    """tracks: the one worked on first. span: of the lead (SI). heights: of each track, between
    the foot and the head of the page. box: left, top, width, height of the page (px).
    lead_unit: shown."""

    tracks: tuple[Track, ...]
    span: tuple[float, float]
    heights: tuple[tuple[float, float], ...]
    box: tuple[float, float, float, float]
    lead_unit: str = ""

    def x(self, lead: npt.ArrayLike) -> Array:
        """Pixels across of lead values."""
        left, _, wide, _ = self.box
        low, high = self.span
        result: Array = left + (np.asarray(lead, dtype=float) - low) / (high - low) * wide
        return result

    def y(self, track: int, at: npt.ArrayLike) -> Array:
        """Pixels down of values of a track."""
        _, top, _, tall = self.box
        low, high = self.heights[track]
        share = (np.asarray(at, dtype=float) - low) / (high - low)
        result: Array = top + (1 - share) * tall
        return result

    def lead_at(self, x: float) -> float:
        """The lead value at a pixel across."""
        left, _, wide, _ = self.box
        return self.span[0] + (x - left) / max(wide, 1) * (self.span[1] - self.span[0])

    def value_at(self, track: int, y: float) -> float:
        """The value of a track at a pixel down."""
        _, top, _, tall = self.box
        low, high = self.heights[track]
        return low + (top + tall - y) / max(tall, 1) * (high - low)

    def curve(self, track: int) -> tuple[Array, Array]:
        """(n,) pixels across and down of a track's profile."""
        leads = np.linspace(*self.span, _FINE)
        return self.x(leads), self.y(track, value(self.tracks[track].profile, leads))

    def rates(self) -> tuple[Array, Array]:
        """(n,) speed and acceleration of the track worked on, along the span."""
        profile, leads = self.tracks[0].profile, np.linspace(*self.span, _FINE)
        return speed(profile, leads), acceleration(profile, leads)

    def spots(self, track: int) -> list[Spot]:
        """Where a track's stations are."""
        shown = self.tracks[track]
        # A profile through one station goes on to a second place, which is none.
        at = shown.profile.x[: len(shown.stations)]
        heights = self.y(track, value(shown.profile, at))
        return list(zip(self.x(at).tolist(), heights.tolist(), strict=True))

    def name_spots(self, sizes: list[Spot]) -> list[Spot]:
        """Left and top of the names (sizes: wide, tall, px) of the tracks that stay behind: each
        over or under its own curve, where it is farthest from the other curves and names."""
        curves = [self.curve(track) for track in range(len(self.tracks))]
        placed: list[Place] = []
        for track, size in enumerate(sizes, start=1):
            others = curves[:track] + curves[track + 1 :]
            places = self._beside(curves[track], size)
            free = [p for p in places if not any(_overlap(p, q) for q in placed)]
            if not free:
                # Beside its curve there is no room left: anywhere, but on no other name.
                free = [p for p in self._anywhere(size) if not any(_overlap(p, q) for q in placed)]
            places = free or places
            placed.append(max(places, key=lambda place: _clear(place, others, placed)))
        return [(left, top) for left, top, _, _ in placed]

    def _anywhere(self, size: Spot) -> list[Place]:
        """Places all over the page."""
        left, top, wide, tall = self.box
        across = np.linspace(left + 4, left + max(4.0, wide - size[0] - 4), 8).tolist()
        down = np.linspace(top + 2, top + max(2.0, tall - size[1] - 2), 6).tolist()
        return [(x, y, x + size[0], y + size[1]) for x in across for y in down]

    def _beside(self, curve: tuple[Array, Array], size: Spot) -> list[Place]:
        """Places over and under a curve that are on the page; where there is none, at its head."""
        left, top, wide, tall = self.box
        found = []
        for start in np.linspace(left + 4, left + max(4.0, wide - size[0] - 4), 16).tolist():
            low, high = _between(curve, start, start + size[0])
            for head in (low - 4 - size[1], high + 4):
                if top <= head <= top + tall - size[1]:
                    found.append((start, head, start + size[0], head + size[1]))
        return found or [(left + 4, top, left + 4 + size[0], top + size[1])]

    def station_at(self, spot: Spot, reach: float) -> tuple[int, int] | None:
        """(track, which of its stations) nearest to a spot, the track worked on before others."""
        best: tuple[float, int, int] | None = None
        for track in range(len(self.tracks)):
            for nth, (x, y) in enumerate(self.spots(track)):
                far = abs(x - spot[0]) + abs(y - spot[1]) + (1.0 if track else 0.0)
                if far <= reach and (best is None or far < best[0]):
                    best = (far, track, nth)
        return None if best is None else best[1:]

    def handles(self) -> list[tuple[int, int, Spot]]:
        """(which station, −1 before or 1 after it, spot) of the handles of the free spans of
        the track worked on: a third of the span along its slope."""
        profile = self.tracks[0].profile
        found: list[tuple[int, int, Spot]] = []
        for i, kind in enumerate(profile.kinds):
            if kind != "free":
                continue
            start, end = float(profile.x[i]), float(profile.x[i + 1])
            third = (end - start) / 3
            for nth, way in ((i, 1), (i + 1, -1)):
                at = start if way > 0 else end
                slope = _slope(profile, i, way)
                lead, height = at + way * third, float(profile.y[nth]) + way * third * slope
                found.append((nth, way, (float(self.x(lead)), float(self.y(0, height)))))
        return found

    def handle_at(self, spot: Spot, reach: float) -> tuple[int, int] | None:
        """(which station, side) of the handle at a spot."""
        for nth, way, (x, y) in self.handles():
            if abs(x - spot[0]) + abs(y - spot[1]) <= reach:
                return nth, way
        return None

    def slope_to(self, nth: int, way: int, spot: Spot, free: bool) -> float:
        """The slope that a handle says when it is drawn to a spot; level when nearly so."""
        profile = self.tracks[0].profile
        x, y = self.spots(0)[nth]
        across = max((spot[0] - x) * way, 4.0) * way
        if not free and abs(spot[1] - y) < _SNAP:
            return 0.0
        lead = self.lead_at(x + across) - float(profile.x[nth])
        return (self.value_at(0, spot[1]) - float(profile.y[nth])) / lead

    def meant(
        self, track: int, spot: Spot, free: bool, but: int | None = None
    ) -> tuple[float, float]:
        """The lead and the value of a track under a spot: round ones, or the height of another
        station nearby, unless it is free. but: the station that is moved."""
        lead, at = self.lead_at(spot[0]), self.value_at(track, spot[1])
        if free:
            return lead, at
        low, high = self.heights[track]
        rounded = rounded_to(lead, self.span[1] - self.span[0], self.lead_unit)
        for nth, (_, y) in enumerate(self.spots(track)):
            if nth != but and abs(y - spot[1]) <= _SNAP:
                return rounded, float(self.tracks[track].profile.y[nth])
        return rounded, rounded_to(at, high - low, self.tracks[track].unit)

    def inside(self, one: Spot, two: Spot) -> list[tuple[int, int]]:
        """(track, which station) of all in the rectangle between two spots."""
        left, right = sorted((one[0], two[0]))
        top, foot = sorted((one[1], two[1]))
        return [
            (track, nth)
            for track in range(len(self.tracks))
            for nth, (x, y) in enumerate(self.spots(track))
            if left <= x <= right and top <= y <= foot
        ]


def _slope(profile: Profile, span: int, way: int) -> float:
    """The slope with which a cubic span begins (1) or ends (−1)."""
    a, b, s, _ = (float(v) for v in profile.c[:, span])
    u = 0.0 if way > 0 else float(profile.x[span + 1] - profile.x[span])
    return (3 * a * u + 2 * b) * u + s


def rounded_to(at: float, wide: float, unit: str) -> float:
    """The roundest value (1, 2 or 5 of the unit shown) within a hundredth of the page."""
    size = UNITS[unit].size
    hundredth = wide / size / 100
    ten = 10.0 ** math.floor(math.log10(hundredth))
    step = next(ten * s for s in (10, 5, 2, 1) if ten * s <= hundredth * 1.0001)
    return round(at / size / step) * step * size


def _between(curve: tuple[Array, Array], left: float, right: float) -> Spot:
    """The highest and the lowest place (px down) of a curve between two pixels across."""
    ends = np.interp([left, right], *curve)
    down = np.append(curve[1][(curve[0] > left) & (curve[0] < right)], ends)
    return float(down.min()), float(down.max())


def _overlap(one: Place, two: Place) -> bool:
    return one[0] < two[2] and two[0] < one[2] and one[1] < two[3] and two[1] < one[3]


def _clear(place: Place, curves: list[tuple[Array, Array]], placed: list[Place]) -> float:
    """How far (px, up or down) a place is from curves and from other places; below 0 as far as
    it lies over them."""
    left, top, right, foot = place
    spans = [_between(curve, left, right) for curve in curves]
    spans += [(p[1], p[3]) for p in placed if p[0] < right and p[2] > left]
    return min((max(low - foot, top - high) for low, high in spans), default=0.0)
