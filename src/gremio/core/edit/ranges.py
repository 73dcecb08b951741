"""Another range of a control: what it leads keeps its ends, or its proportion."""

from __future__ import annotations

from typing import Literal

from msgspec.structs import replace

from gremio.core.edit.change import must_have
from gremio.core.edit.controls import change_control
from gremio.core.edit.routines import rescaled
from gremio.core.problem import GremioError
from gremio.core.rig.channels import key
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.links import leads
from gremio.core.rig.model import Cam, Link, Ratio, Rig
from gremio.core.rig.numbers import kind_of

# What a change of range keeps of what is led: where it is at both ends, or how far it goes for so
# much of the control.
Keeps = Literal["ends", "proportion"]
# Turns one for one: then the control's number is the follower's own.
_ONE = 1e-9


def set_range(
    rig: Rig, control_id: ThingId, low: float, high: float, *, keeps: Keeps = "ends"
) -> Rig:
    """The rig with another range (SI) for a control, by id.

    keeps: "ends", what is led stands at the new ends where it stood at the old ones: its ratios
    and the stations of its cams are fitted, but for what `fitted_links` leaves out;
    where nothing else counts in the control's numbers, nothing moves.
    "proportion", links stay, and so do all numbers; what leaves the range comes back to its end.
    Raises GremioError for an empty range.
    """
    control = must_have(rig.controls, control_id, "control")
    fitted = fitted_links(rig, control_id) if keeps == "ends" else {}
    old, new = (control.low, control.high), (low, high)
    if not low < high:
        raise GremioError(
            f"{control.name} would have an empty range. Its low end must be below its high end."
        )
    if not fitted or not old[0] < old[1]:
        return change_control(rig, control_id, replace(control, low=low, high=high))
    channel, go = key(control_id), Along(old, new)
    changed = replace(control, low=low, high=high)
    if set(fitted) != _led_by(rig, channel):
        # Something else counts in its numbers: they stay.
        rig = change_control(rig, control_id, changed)
    else:
        changed = replace(
            changed, home=go(control.home), notches=tuple(go(notch) for notch in control.notches)
        )
        rig = change_control(rig, control_id, changed)
        poses = {i: replace(p, values=_moved(p.values, channel, go)) for i, p in rig.poses.items()}
        rig = replace(rig, at=_moved(rig.at, channel, go), poses=poses)
        rig = rescaled(rig, {channel}, go, go.factor)
    links = {i: go.link(link) if i in fitted else link for i, link in rig.links.items()}
    return replace(rig, links=links)


def fitted_links(rig: Rig, control_id: ThingId) -> dict[ThingId, Link]:
    """The links of a control that a new range fits to itself, by id: plain ratios, and cams. What
    goes one for one in the control's own kind is not of them, nor what its teeth, its wheels or a
    formula tie to its numbers."""
    channel = key(control_id)
    return {
        i: link
        for i, link in rig.links.items()
        if isinstance(link, Cam | Ratio)
        and link.lead == channel
        and (isinstance(link, Cam) or (link.kind == "plain" and not link.carrier))
        and not is_own(rig, link)
    }


def is_own(rig: Rig, link: Link) -> bool:
    """Whether the follower of a ratio goes one for one with its lead, in the same kind, so that the
    number on the one is that of the other."""
    return (
        isinstance(link, Ratio)
        and abs(abs(link.ratio) - 1.0) < _ONE
        and kind_of(rig, link.lead) == kind_of(rig, link.follower)
    )


def _led_by(rig: Rig, channel: ChannelKey) -> set[ThingId]:
    return {i for i, link in rig.links.items() if channel in leads(link)}


class Along:
    """From one range (SI) to another: its ends to the other's ends, and all between in
    proportion."""

    def __init__(self, old: tuple[float, float], new: tuple[float, float]) -> None:
        self.old, self.new = old, new
        self.factor = (new[1] - new[0]) / (old[1] - old[0])

    def __call__(self, value: float) -> float:
        """Where a value comes to; the ends exactly."""
        if value == self.old[1]:
            return self.new[1]
        return self.new[0] + (value - self.old[0]) * self.factor

    def link(self, link: Link) -> Link:
        """A ratio or a cam whose followers are at a value's new place where they were at it."""
        if isinstance(link, Ratio):
            ratio = link.ratio / self.factor
            offset = link.ratio * self.old[0] + link.offset - ratio * self.new[0]
            pair = None if link.pair is None else (link.pair[0] * self.factor, link.pair[1])
            return replace(link, ratio=ratio, offset=offset, pair=pair)
        assert isinstance(link, Cam)
        stations = tuple(
            replace(
                station,
                lead=self(station.lead),
                slopes={c: slope / self.factor for c, slope in station.slopes.items()},
            )
            for station in link.stations
        )
        return replace(link, stations=stations)


def _moved(
    values: dict[ChannelKey, float], channel: ChannelKey, go: Along
) -> dict[ChannelKey, float]:
    if channel not in values:
        return values
    return {**values, channel: go(values[channel])}


def stations_to_range(rig: Rig, control_id: ThingId) -> Rig:
    """The rig with the stations of all cams that a control leads spread over its range: the first
    of them at its low end, the last at its high end. Raises GremioError where there are not two
    places to spread."""
    control = must_have(rig.controls, control_id, "control")
    cams = {
        i: link
        for i, link in rig.links.items()
        if isinstance(link, Cam) and link.lead == key(control_id)
    }
    ends = station_ends(rig, control_id)
    if ends is None:
        raise GremioError(
            f"{control.name} has no two stations to fit to its range. Teach it another (T)."
        )
    go = Along(ends, (control.low, control.high))
    return replace(rig, links={**rig.links, **{i: go.link(cam) for i, cam in cams.items()}})


def station_ends(rig: Rig, control_id: ThingId) -> tuple[float, float] | None:
    """Where the first and the last station are of all cams that a control leads (SI); None where
    there are no two."""
    found = [
        station.lead
        for link in rig.links.values()
        if isinstance(link, Cam) and link.lead == key(control_id)
        for station in link.stations
    ]
    return (min(found), max(found)) if found and min(found) < max(found) else None
