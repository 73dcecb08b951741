"""Stops where a part touches, and moving it on until it does."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence

import numpy as np
from msgspec.structs import replace

from gremio.core.contact.until import Touch, until_touch
from gremio.core.edit.change import must_have
from gremio.core.edit.parts import set_stops
from gremio.core.frames import carried, matrix
from gremio.core.problem import GremioError, listed
from gremio.core.quantity import show_short
from gremio.core.rig.channels import channel_kind, freed, split
from gremio.core.rig.ids import ChannelKey, PartId
from gremio.core.rig.links import members
from gremio.core.rig.model import Rig, Stops
from gremio.core.rig.numbers import ENDS, full_label, owner_name, shown_unit
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.backward import Hand, move
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.pose import Pose

# How far an input goes to find which way it moves what it leads, of its range or of a turn.
_PROBE = 1e-4
_TOLD = 2


def touched_at(
    rig: Rig,
    pose: Pose,
    channel: ChannelKey,
    end: str,
    *,
    against: Collection[PartId] | None = None,
    geometry: GeometryOf,
) -> Touch:
    """Where a joint's channel (key) comes to toward its low or high end (end) until the part, with
    all that moves with it, touches: value as of the channel (SI).

    pose: as it stands, where the way begins. against: ids of what may be touched; all that is shown
    where it is None. Its own stops do not count; where something leads it, it goes by that, within
    its range, else for a whole turn, or as far as the rig is large. Raises GremioError for what
    nothing moves.
    """
    part, name = PartId(split(channel)[0]), split(channel)[1]
    if part not in rig.parts or name not in freed(rig.parts[part].joint):
        raise GremioError(f"{full_label(rig, channel)} can't move. Press J to give it a joint.")
    bare = set_stops(rig, part, name, Stops())
    program = compile_rig(bare, geometry)
    inputs = _put(pose)
    here = evaluate(program, inputs).frame(0)
    sign = -1.0 if end == "low" else 1.0
    far = 2 * math.pi if channel_kind(name) == "angle" else _size(rig, here, geometry)
    if channel not in program.drives:
        reach = inputs.get(channel, here.at(channel)) + sign * far
        return until_touch(program, inputs, channel, reach, against=against, geometry=geometry)
    probe = here.at(channel) + sign * _PROBE * far
    hand = move(program, here, channel, probe)
    if not isinstance(hand, Hand):
        raise GremioError(hand.text)
    row, start = program.channel_row[hand.channel], here.at(hand.channel)
    onward = hand.value - start
    if onward == 0.0:
        return Touch(here.at(channel))
    bound = float(program.high[row] if onward > 0 else program.low[row])
    if not math.isfinite(bound):
        bound = start + onward / _PROBE
    found = until_touch(program, inputs, hand.channel, bound, against=against, geometry=geometry)
    there = evaluate(program, {**inputs, hand.channel: found.value}).frame(0)
    return Touch(there.at(channel), found.part, found.other, found.left_out)


def stops_where_it_touches(
    rig: Rig,
    pose: Pose,
    channel: ChannelKey,
    ends: Sequence[str] = ENDS,
    *,
    against: Collection[PartId] | None = None,
    geometry: GeometryOf,
) -> tuple[Rig, dict[str, Touch]]:
    """The rig with the low, the high or both stops of a joint's channel where the part touches, and
    what was found at each end; an end at which nothing is touched keeps its stop. As `touched_at`
    has it. Raises GremioError where nothing is touched at all."""
    found = {
        end: touched_at(rig, pose, channel, end, against=against, geometry=geometry) for end in ends
    }
    if not any(touch.touches for touch in found.values()):
        raise GremioError(f"{nothing_words(rig, channel, found)} Type its stops, or pull them.")
    return with_stops_at(rig, channel, found), found


def with_stops_at(rig: Rig, channel: ChannelKey, found: Mapping[str, Touch]) -> Rig:
    """The rig with stops where something was touched, by their ends."""
    part, name = PartId(split(channel)[0]), split(channel)[1]
    must_have(rig.parts, part, "part")
    ends = {end: found[end].value for end in ENDS if end in found and found[end].touches}
    present = rig.parts[part].stops.get(name, Stops())
    return set_stops(rig, part, name, replace(present, **ends))


def _put(pose: Pose) -> dict[ChannelKey, float]:
    """Where the inputs of a pose stand, by key."""
    program = pose.program
    rows = np.flatnonzero(program.inputs)
    return {program.channel_keys[row]: pose.at(program.channel_keys[row]) for row in rows}


def _size(rig: Rig, pose: Pose, geometry: GeometryOf) -> float:
    """How large all that is shown is (m), and a little more."""
    corners = []
    for part, entry in rig.parts.items():
        if part in pose.hidden:
            continue
        for shape in entry.shapes:
            bounds = geometry(shape.solid).bounds
            corners.append(carried(pose.world(part) @ matrix(shape.place), bounds))
    if not corners:
        return 1.0
    every = np.concatenate(corners)
    return 1.1 * float(np.linalg.norm(every.max(axis=0) - every.min(axis=0))) or 1.0


def touch_words(rig: Rig, channel: ChannelKey, found: Mapping[str, Touch]) -> str:
    """What was found at each end, as it is said: "Leaf: on it goes to 118°,
    where it touches Post"."""
    unit, name = shown_unit(rig, channel), owner_name(rig, split(channel)[0])
    told = []
    for end in ("high", "low"):
        touch = found.get(end)
        if touch is None:
            continue
        way, at = ("on", "back")[end == "low"], show_short(touch.value, unit)
        if not touch.touches:
            told.append(f"{way} it touches nothing as far as {at}")
            continue
        mover, met = owner_name(rig, touch.part), owner_name(rig, touch.other)
        told.append(
            f"{way} it goes to {at}, where {'it' if mover == name else mover} touches {met}"
        )
    text = f"{name}: {'; '.join(told)}."
    pairs = list(dict.fromkeys(pair for touch in found.values() for pair in touch.left_out))
    if pairs:
        names = [f"{owner_name(rig, one)} and {owner_name(rig, two)}" for one, two in pairs[:_TOLD]]
        more = [f"{len(pairs) - _TOLD} pairs more"] if len(pairs) > _TOLD else []
        text += (
            f" {listed([*names, *more])} touch where they stand: between them counts only what "
            "gets in the way head-on."
        )
    return text


def nothing_words(rig: Rig, channel: ChannelKey, found: Mapping[str, Touch]) -> str:
    """That nothing is touched on the way."""
    unit, name = shown_unit(rig, channel), full_label(rig, channel)
    ends = listed([show_short(touch.value, unit) for touch in found.values()])
    led = any(channel in members(link) for link in rig.links.values())
    as_far = ", as far as what leads it takes it" if led else ""
    return f"{name} touches nothing on its way to {ends}{as_far}."
