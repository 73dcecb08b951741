"""Links between channels that are counted otherwise: the other way round in a mirror, or so many
times as far in a machine that is made larger. What follows stays as it was, so counted."""

from __future__ import annotations

import itertools
import re
from collections.abc import Callable, Mapping
from typing import Any

from msgspec.structs import replace

from gremio.core.rig.ids import ChannelKey
from gremio.core.rig.links import references
from gremio.core.rig.model import (
    Cam,
    Formula,
    Link,
    Motor,
    Planetary,
    ProfileKind,
    Ratio,
    Rumble,
    Station,
)

_TURNED_ROUND: dict[str, ProfileKind] = {
    "ease out of rest": "ease into rest",
    "ease into rest": "ease out of rest",
}
# How far two parts are from each other, in a formula.
_DISTANCE = re.compile(r"distance\(\s*\{[^{}]*\}\s*,\s*\{[^{}]*\}\s*\)")
# By how much a channel counts now (by its key): −1, or how many times as far; 1 as it was.
Factor = Callable[[ChannelKey], float]


class CantBeSaid(Exception):
    """A link that can't be said with its channels counted so. The text says why."""


def link(one: Link, factor: Factor) -> Link:
    """A link whose channels are counted otherwise. Raises CantBeSaid."""
    return _MADE.get(type(one), _as_it_is)(one, factor)


def _as_it_is(one: Link, _factor: Factor) -> Link:
    # What rolls or is driven follows from where it goes.
    return one


def _ratio(one: Ratio, factor: Factor) -> Ratio:
    led, lead = factor(one.follower), factor(one.lead)
    if one.carrier and not led == lead == factor(one.carrier):
        raise CantBeSaid("two wheels and the arm that carries them turn in different senses there")
    pair = one.pair
    if pair is not None:
        pair = (abs(lead) * pair[0], led * (-1.0 if lead < 0 else 1.0) * pair[1])
    return replace(one, ratio=led * one.ratio / lead, offset=led * one.offset, pair=pair)


def _planetary(one: Planetary, factor: Factor) -> Planetary:
    factors = {factor(member) for member in (one.sun, one.ring, one.carrier)}
    if len(factors) > 1:
        raise CantBeSaid("its members turn in different senses there")
    return replace(one, offset=factors.pop() * one.offset)


def cam(one: Cam, lead: float, factor: Factor) -> Cam:
    """A cam whose lead is counted otherwise, and its followers too."""
    stations = [_station(station, lead, factor) for station in one.stations]
    followers = [
        replace(f, profile=_TURNED_ROUND.get(f.profile, f.profile) if lead < 0 else f.profile)
        for f in one.followers
    ]
    before, after = one.before, one.after
    if lead < 0:
        stations, before, after = _from_behind(one, stations), after, before
    return replace(one, followers=tuple(followers), stations=tuple(stations),
                   before=before, after=after)  # fmt: skip


def _station(one: Station, lead: float, factor: Factor) -> Station:
    return replace(
        one,
        lead=lead * one.lead,
        values={c: factor(c) * value for c, value in one.values.items()},
        slopes={c: factor(c) * slope / lead for c, slope in one.slopes.items()},
    )


def _from_behind(one: Cam, stations: list[Station]) -> list[Station]:
    """Stations from the last to the first: what was said of the span after one is said before."""
    spans: list[dict[ChannelKey, ProfileKind]] = [{} for _ in stations]
    for follower in one.followers:
        channel = follower.channel
        speak = [i for i, station in enumerate(one.stations) if channel in station.values]
        for here, then in itertools.pairwise(speak):
            said = one.stations[here].spans.get(channel)
            if said is not None:
                spans[then][channel] = _TURNED_ROUND.get(said, said)
    return [replace(station, spans=said) for station, said in zip(stations, spans, strict=True)][
        ::-1
    ]


def _formula(one: Formula, factor: Factor) -> Formula:
    text = one.text
    for channel in references(text):
        by = factor(channel)
        if by != 1.0:
            said = f"(-{{{channel}}})" if by == -1.0 else f"({{{channel}}} / {by!r})"
            text = text.replace(f"{{{channel}}}", said)
    led = factor(one.follower)
    if led == -1.0:
        text = f"-({text})"
    elif led != 1.0:
        text = f"{led!r} * ({text})"
    return replace(one, text=text)


def with_distances(one: Formula, factor: float) -> Formula:
    """A formula in which how far parts are from one another is counted otherwise."""
    return replace(one, text=_DISTANCE.sub(lambda call: f"({call[0]} / {factor!r})", one.text))


def _motor(one: Motor, factor: Factor) -> Motor:
    led = factor(one.follower)
    if led != factor(one.rate):
        raise CantBeSaid("a rate that leads others too would drive it otherwise")
    return replace(one, phase=led * one.phase, spin_up=abs(led) * one.spin_up)


def _rumble(one: Rumble, factor: Factor) -> Rumble:
    return replace(one, share=factor(one.follower) * one.share / factor(one.amount))


_MADE: Mapping[type, Callable[[Any, Factor], Link]] = {
    Ratio: _ratio,
    Planetary: _planetary,
    Cam: lambda one, factor: cam(one, factor(one.lead), factor),
    Formula: _formula,
    Motor: _motor,
    Rumble: _rumble,
}
