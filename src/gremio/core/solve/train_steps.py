"""From trains to the steps that compute them."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from gremio.core.arrays import Array, Flags, Rows
from gremio.core.plan.trains import Train
from gremio.core.rig.ids import ChannelKey
from gremio.core.rig.numbers import stop_keys
from gremio.core.solve.making import Making, Taking
from gremio.core.solve.steps import FreedomsStep, LedEnds, TrainStep


def train_steps(
    making: Making, trains: list[Train], taking: Taking
) -> list[TrainStep | FreedomsStep]:
    """The steps of trains: one for all that have one freedom, one for each other; of those that
    were there in an older program, what it knew is taken over."""
    single = [train for train in trains if len(train.inputs) == 1]
    others = [train for train in trains if len(train.inputs) != 1 and train.shares]
    steps: list[TrainStep | FreedomsStep] = []
    if single:
        old = () if taking.level is None else taking.level.trains
        before = next((step for step in old if isinstance(step, TrainStep)), None)
        known = None if before is None or taking.old is None else (before, taking.old.row)
        steps.append(_single(making, single, known))
    return steps + [_several(making, train) for train in others]


class _Members(NamedTuple):
    """Trains of one freedom as rows. inputs, held, counts: (n,) of each train. followers, ratio,
    offset: (k,) of all followers, one train's after another's."""

    inputs: Rows
    held: Flags
    counts: Rows
    followers: Rows
    ratio: Array
    offset: Array


def _members(trains: list[Train], row: dict[ChannelKey, int]) -> _Members:
    shares = [(train.inputs[0], share) for train in trains for share in train.shares.values()]
    return _Members(
        np.array([row[train.inputs[0]] for train in trains], dtype=np.intp),
        np.array([" " in train.inputs[0] for train in trains], dtype=bool),
        np.array([len(train.shares) for train in trains], dtype=np.intp),
        np.array([row[c] for train in trains for c in train.shares], dtype=np.intp),
        np.array([share.factors.get(lead, 0.0) for lead, share in shares], dtype=float),
        np.array([share.constant for _, share in shares], dtype=float),
    )


def _taken(
    trains: list[Train], row: dict[ChannelKey, int], old: TrainStep, new_row: Rows
) -> _Members:
    """As `_members`, what an older step says of the same trains taken from it."""
    place = {id(train): i for i, train in enumerate(old.made_of)}
    kept = [place.get(id(train), -1) for train in trains]
    fresh = _members([t for t, at in zip(trains, kept, strict=True) if at < 0], row)
    order = np.array(kept, dtype=np.intp)
    order[order < 0] = len(old.made_of) + np.arange(len(fresh.inputs))
    counts = np.bincount(old.train, minlength=len(old.made_of)).astype(np.intp)
    pool = np.concatenate([counts, fresh.counts])
    starts = np.cumsum(pool) - pool
    counts = pool[order]
    first = np.repeat(starts[order] - (np.cumsum(counts) - counts), counts)
    each = first + np.arange(len(first))
    return _Members(
        np.concatenate([new_row[old.inputs], fresh.inputs])[order],
        np.concatenate([old.held, fresh.held])[order],
        counts,
        np.concatenate([new_row[old.followers], fresh.followers])[each],
        np.concatenate([old.ratio[:, 0], fresh.ratio])[each],
        np.concatenate([old.offset[:, 0], fresh.offset])[each],
    )


def _single(making: Making, trains: list[Train], known: tuple[TrainStep, Rows] | None) -> TrainStep:
    """known: the step of an older program, and the new rows of its channels."""
    row = making.row
    found = _members(trains, row) if known is None else _taken(trains, row, *known)
    inputs, held, counts, followers, ratio, offset = found
    of_train = np.repeat(np.arange(len(trains)), counts)
    low, high, soft = making.stops
    with np.errstate(divide="ignore", invalid="ignore"):
        ends = np.stack([(low[followers] - offset) / ratio, (high[followers] - offset) / ratio])
        softly = np.where(ratio > 0.0, soft[:, followers], soft[::-1, followers]) / np.abs(ratio)
    ends = np.where(ratio == 0.0, np.array([[-np.inf], [np.inf]]), np.sort(ends, axis=0))
    lowest, highest = np.full(len(trains), -np.inf), np.full(len(trains), np.inf)
    np.maximum.at(lowest, of_train, ends[0])
    np.minimum.at(highest, of_train, ends[1])
    # Stops that leave a train no place at all hold each member by itself.
    sound = lowest <= highest
    ways = np.zeros((2, len(trains)))
    for end, limit in enumerate((lowest, highest)):
        first = np.isfinite(ends[end]) & (ends[end] == limit[of_train])
        np.maximum.at(ways[end], of_train[first], softly[end, first])
    lowest, highest = np.where(sound, lowest, -np.inf), np.where(sound, highest, np.inf)
    return TrainStep(
        inputs=inputs,
        low=lowest[:, None],
        high=highest[:, None],
        soft=np.where(sound, ways, 0.0)[:, :, None],
        held=held,
        train=of_train,
        followers=followers,
        ratio=ratio[:, None],
        offset=offset[:, None],
        stopped=bool(np.isfinite(lowest).any() or np.isfinite(highest).any()),
        led=_led_ends(making, [c for train in trains for c in train.shares]),
        made_of=tuple(trains),
    )


def _led_ends(making: Making, channels: list[ChannelKey]) -> LedEnds | None:
    """The stops of a train's followers that something leads."""
    row = making.row
    soft = making.stops[2]
    found = [
        (place, row[end], end == stop_keys(channel)[0], *soft[:, row[channel]])
        for place, channel in enumerate(channels if making.ends_used else ())
        for end in stop_keys(channel)
        if end in row
    ]
    if not found:
        return None
    places, rows, low, at_low, at_high = map(np.array, zip(*found, strict=True))
    ways = np.where(low, at_low, at_high)
    return LedEnds(places.astype(np.intp), rows.astype(np.intp), low, ways)


def _several(making: Making, train: Train) -> FreedomsStep:
    row, home, stops = making.row, making.home, making.stops
    inputs = np.array([row[c] for c in train.inputs], dtype=np.intp)
    followers = np.array([row[c] for c in train.shares], dtype=np.intp)
    shares = np.array(
        [[s.factors.get(c, 0.0) for c in train.inputs] for s in train.shares.values()]
    ).reshape(len(followers), len(inputs))
    constant = np.array([[share.constant] for share in train.shares.values()])
    low, high = stops[0][followers, None], stops[1][followers, None]
    start = shares @ home[inputs, None] + constant
    sound = (start >= low) & (start <= high)
    return FreedomsStep(
        inputs,
        followers,
        shares,
        constant,
        home[inputs, None],
        np.where(sound, low, -np.inf),
        np.where(sound, high, np.inf),
        stops[2][:, followers, None],
        np.array([" " in channel for channel in train.inputs], dtype=bool),
        _led_ends(making, list(train.shares)),
    )
