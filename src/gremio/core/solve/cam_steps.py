"""From cams to the steps that compute them, many followers at a time."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from msgspec.structs import replace

from gremio.core.mechanics.profile_bank import bank_of, some_of
from gremio.core.mechanics.profiles import Profile, profile_of, straight
from gremio.core.remembered import Bounded
from gremio.core.rig.ids import ChannelKey
from gremio.core.rig.model import Cam
from gremio.core.solve.making import Making, Taking, one_at_a_time
from gremio.core.solve.steps import CamsStep, ValueStep


def cam_steps(
    making: Making, cams: list[tuple[Any, ChannelKey]], taking: Taking
) -> list[ValueStep]:
    """The steps of cams, each with one of the channels that it leads; of those that were there in
    an older program, what it knew is taken over."""
    old = [step for step in taking.value_steps if isinstance(step, CamsStep)]
    if taking.old is not None and len(old) == 1 and _is_of(old[0], cams):
        (step,), row = old, taking.old.row
        return [replace(step, leads=row[step.leads], followers=row[step.followers])]
    known = {
        (id(cam), channel): (step, i)
        for step in old
        for i, (cam, channel) in enumerate(step.made_of)
    }
    return [_cams_step(those, making.row, adding, known) for adding, those in one_at_a_time(cams)]


def _is_of(step: CamsStep, cams: list[tuple[Any, ChannelKey]]) -> bool:
    """Whether a step is of just these followers of just these cams, in their order."""
    return len(step.made_of) == len(cams) and all(
        a is b and one == two for (a, one), (b, two) in zip(step.made_of, cams, strict=True)
    )


def _cams_step(
    cams: list[tuple[Cam, ChannelKey]],
    row: dict[ChannelKey, int],
    adding: bool,
    known: Mapping[tuple[int, ChannelKey], tuple[CamsStep, int]],
) -> CamsStep:
    """known: of cams of an older program the step and the place in it, by the cam's identity."""
    kept = [known.get((id(cam), channel)) for cam, channel in cams]
    fresh = [cam_profile(*cam) for cam, old in zip(cams, kept, strict=True) if old is None]
    banks = {id(old[0]): old[0].bank for old in kept if old is not None}
    starts, at = {}, 0
    for name, bank in banks.items():
        starts[name], at = at, at + len(bank.x)
    order, new = [], at
    for old in kept:
        if old is None:
            order.append(new)
            new += 1
        else:
            order.append(starts[id(old[0])] + old[1])
    return CamsStep(
        np.array([row[cam.lead] for cam, _ in cams], dtype=np.intp),
        np.array([row[channel] for _, channel in cams], dtype=np.intp),
        some_of([*banks.values(), *([bank_of(fresh)] if fresh else ())], order),
        adding,
        tuple(cams),
    )


# Profiles of cams looked at last, by the cam's identity; the cam is kept too, so that no other can
# come to stand at the same place in memory.
_PROFILES: Bounded[tuple[int, ChannelKey], tuple[Cam, Profile]] = Bounded(lambda _kept: 1, 20_000)


def cam_profile(cam: Cam, channel: ChannelKey) -> Profile:
    """The profile of one follower of a cam, through the stations that speak of it."""
    return _PROFILES.of((id(cam), channel), lambda _at: (cam, _profile(cam, channel)))[1]


def _profile(cam: Cam, channel: ChannelKey) -> Profile:
    told = [station for station in cam.stations if channel in station.values]
    usual = next(f.profile for f in cam.followers if f.channel == channel)
    x = [station.lead for station in told]
    y = [station.values[channel] for station in told]
    if len(told) < 2:
        # Nothing to go between: it stands where its one station has it.
        start, height = (x[0], y[0]) if told else (0.0, 0.0)
        return straight([start, start + 1.0], [height, height])
    kinds = [station.spans.get(channel, usual) for station in told[:-1]]
    slopes = [station.slopes.get(channel, np.nan) for station in told]
    return profile_of(x, y, kinds, slopes, cam.before, cam.after)
