"""Edits on routines and their keys."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Collection, Mapping

from msgspec.structs import replace

from gremio.core.edit.change import (
    check_new_name,
    must_have,
    new_id,
    well_formed,
    with_entry,
    without,
)
from gremio.core.mechanics.clock import checked_rate, frame_at, time_of
from gremio.core.problem import GremioError
from gremio.core.rig.channels import split
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import CLOCK, ChannelKey, PartId, ThingId
from gremio.core.rig.model import (
    Cam,
    Follower,
    HandOff,
    ProfileKind,
    Rig,
    Routine,
    Station,
)
from gremio.core.rig.numbers import exists, full_label, home_value

# Keys nearer to each other than this (s) stand at one time.
SAME_TIME = 1e-6
# The id by which the keys of a channel go while they are changed as a cam.
KEYS = ThingId(ChannelKey("keys"))
_LONGEST = 1e6


def add_routine(rig: Rig, routine: Routine | None = None) -> tuple[Rig, ThingId]:
    """The rig with one more routine, and its id; a plain one of 10 s where none is given."""
    made = routine or Routine(free_name(names_in(rig), "Routine"))
    check_new_name(rig, made.name)
    _check(rig, made)
    rig, routine_id = new_id(rig, "r")
    return replace(rig, routines=with_entry(rig.routines, routine_id, made)), routine_id


def change_routine(rig: Rig, routine_id: ThingId, routine: Routine) -> Rig:
    """The rig with a routine in place of the one of this id. Raises GremioError for a length or a
    frame rate that can't be, and a name in use."""
    present = must_have(rig.routines, routine_id, "routine")
    if routine == present:
        return rig
    check_new_name(rig, routine.name, present.name)
    _check(rig, routine)
    return replace(rig, routines=with_entry(rig.routines, routine_id, routine))


def _check(rig: Rig, routine: Routine) -> None:
    if not 0.0 < routine.length <= _LONGEST:
        raise GremioError(
            f"{routine.name} needs a length above zero, and of {_LONGEST:g} s at most."
        )
    checked_rate(routine.rate)
    if routine.play is not None and not 0.0 <= routine.play[0] < routine.play[1]:
        raise GremioError(f"What is played of {routine.name} must begin before it ends.")
    well_formed(routine, routine.name)
    for channel, cam in routine.keys.items():
        for one, two in itertools.pairwise(cam.stations):
            if two.lead - one.lead <= SAME_TIME:
                raise GremioError(
                    f"Two keys of {full_label(rig, channel)} would come to one time, "
                    f"{two.lead:.3g} s. Move or stretch them otherwise, or take one out."
                )


def remove_routine(rig: Rig, routine_id: ThingId) -> Rig:
    """The rig without a routine."""
    must_have(rig.routines, routine_id, "routine")
    return replace(rig, routines=without(rig.routines, routine_id))


# ── keys ───────────────────────────────────────────────────────────


def set_keys(
    rig: Rig,
    routine_id: ThingId,
    time: float,
    values: Mapping[ChannelKey, float],
    *,
    profile: ProfileKind = "smooth",
) -> Rig:
    """The rig with keys for channels at a time (s); where there is one at that time, another value.

    values: SI, by key. The first key of a channel away from the beginning leaves one there too, as
    the routine begins. profile: of a channel that has no keys yet. Raises GremioError for a time
    outside the routine, a value that is none, and a number that is not there.
    """
    routine = must_have(rig.routines, routine_id, "routine")
    if not -SAME_TIME <= time <= routine.length + SAME_TIME:
        raise GremioError(
            f"{routine.name} is {routine.length:g} s long, and has no place for a key at {time:g} "
            "s. Make it longer."
        )
    keys = dict(routine.keys)
    for channel, value in values.items():
        if not exists(rig, channel):
            raise GremioError(f"There is nothing with the key {channel!r} in the rig to be keyed.")
        if not math.isfinite(value):
            raise GremioError(f"A key of {full_label(rig, channel)} needs a plain number.")
        cam = keys.get(channel)
        if cam is None:
            cam = Cam(CLOCK, (Follower(channel, profile),), ())
            if time > SAME_TIME:
                begins = routine.start.get(channel, home_value(rig, channel))
                cam = _with_key(cam, channel, 0.0, begins)
        keys[channel] = _with_key(cam, channel, max(time, 0.0), value)
    return change_routine(rig, routine_id, replace(routine, keys=keys))


def _with_key(cam: Cam, channel: ChannelKey, time: float, value: float) -> Cam:
    kept = [s for s in cam.stations if abs(s.lead - time) > SAME_TIME]
    old = next((s for s in cam.stations if abs(s.lead - time) <= SAME_TIME), None)
    made = Station(time, {channel: value})
    if old is not None:
        made = replace(old, values={channel: value})
    stations = sorted([*kept, made], key=lambda station: station.lead)
    return replace(cam, stations=tuple(stations))


# A key: its channel, and its time (s).
Key = tuple[ChannelKey, float]


def remove_keys(rig: Rig, routine_id: ThingId, chosen: Collection[Key]) -> Rig:
    """The rig without some keys of a routine; a channel without any is keyed no more."""
    routine = must_have(rig.routines, routine_id, "routine")
    keys: dict[ChannelKey, Cam] = {}
    for channel, cam in routine.keys.items():
        times = [time for one, time in chosen if one == channel]
        stations = tuple(s for s in cam.stations if not _among(s.lead, times))
        if stations:
            keys[channel] = replace(cam, stations=stations)
    return change_routine(rig, routine_id, replace(routine, keys=keys))


def _among(time: float, times: Collection[float]) -> bool:
    return any(abs(time - other) <= SAME_TIME for other in times)


def retimed(
    rig: Rig, routine_id: ThingId, chosen: Collection[Key], moved: Callable[[float], float],
    *, copies: bool = False,
) -> Rig:  # fmt: skip
    """The rig with some keys at other times: moved, stretched or mirrored as a function of their
    time (s) says. copies: they stay where they are as well. A key that comes to stand on one that
    is not chosen takes its place. Raises GremioError for a time outside the routine."""
    routine = must_have(rig.routines, routine_id, "routine")
    keys = dict(routine.keys)
    for channel, cam in routine.keys.items():
        times = [time for one, time in chosen if one == channel]
        taken = [s for s in cam.stations if _among(s.lead, times)]
        if not taken:
            continue
        stay = list(cam.stations) if copies else [s for s in cam.stations if s not in taken]
        went = [replace(s, lead=moved(s.lead)) for s in taken]
        for station in went:
            if not -SAME_TIME <= station.lead <= routine.length + SAME_TIME:
                raise GremioError(
                    f"A key of {full_label(rig, channel)} would come to {station.lead:.3g} s, "
                    f"outside of {routine.name}. Make it longer, or move them less far."
                )
        new = [station.lead for station in went]
        stay = [s for s in stay if not _among(s.lead, new)]
        went = [replace(s, lead=min(max(s.lead, 0.0), routine.length)) for s in went]
        keys[channel] = replace(cam, stations=tuple(sorted([*stay, *went], key=lambda s: s.lead)))
    return change_routine(rig, routine_id, replace(routine, keys=keys))


def keys_as_cam(
    rig: Rig,
    routine_id: ThingId,
    channel: ChannelKey,
    change: Callable[[Rig, ThingId], Rig],
    *,
    to_frames: bool = False,
) -> Rig:
    """The rig in which the keys of a channel are changed as the stations of a cam are. change: an
    edit of a cam, by its id. to_frames: keys that are put elsewhere come to lie on frames. Raises
    GremioError as that edit does, and for keys outside of the routine."""
    routine = must_have(rig.routines, routine_id, "routine")
    cam = routine.keys.get(channel)
    if cam is None:
        raise GremioError(f"{full_label(rig, channel)} has no keys in {routine.name}.")
    # By itself, as nothing of a routine is in the plan of the rig.
    alone = replace(rig, links={KEYS: cam}, constraints={}, closures={}, struts={}, treads={})
    changed = change(alone, KEYS).links[KEYS]
    assert isinstance(changed, Cam)
    if changed == cam:
        return rig
    known = {station.lead for station in cam.stations}
    stations = []
    for station in changed.stations:
        time = station.lead
        if to_frames and time not in known:
            time = time_of(frame_at(time, routine.rate), routine.rate)
        if not -SAME_TIME <= time <= routine.length + SAME_TIME:
            raise GremioError(
                f"A key of {full_label(rig, channel)} would come to {time:.3g} s, outside of "
                f"{routine.name}. Make it longer, or move it less far."
            )
        stations.append(replace(station, lead=min(max(time, 0.0), routine.length)))
    made = replace(changed, stations=tuple(sorted(stations, key=lambda s: s.lead)))
    keys = {**routine.keys, channel: made}
    return change_routine(rig, routine_id, replace(routine, keys=keys))


def begin_here(rig: Rig, routine_id: ThingId, values: Mapping[ChannelKey, float]) -> Rig:
    """The rig with a routine that begins where inputs stand now (SI, by key)."""
    routine = must_have(rig.routines, routine_id, "routine")
    start = {c: v for c, v in values.items() if exists(rig, c) and v != home_value(rig, c)}
    return change_routine(rig, routine_id, replace(routine, start=start))


# ── what other edits do to them ────────────────────────────────────


def without_keys_of(rig: Rig, *owners: ThingId) -> Rig:
    """The rig whose routines say nothing of some parts, controls or others (ids): what was handed
    over to one of them rides on as before."""

    def other(channel: ChannelKey) -> bool:
        return split(channel)[0] not in owners

    def carried(routine: Routine) -> dict[PartId, tuple[HandOff, ...]]:
        left = {
            part: tuple(h for h in hand_offs if h.carrier not in owners)
            for part, hand_offs in routine.carried.items()
            if part not in owners
        }
        return {part: hand_offs for part, hand_offs in left.items() if hand_offs}

    return _each(rig, lambda routine: replace(
        routine,
        keys={c: cam for c, cam in routine.keys.items() if other(c)},
        start={c: v for c, v in routine.start.items() if other(c)},
        carried=carried(routine),
    ))  # fmt: skip


def rescaled(
    rig: Rig, changed: Collection[ChannelKey], value: Callable[[float], float], factor: float
) -> Rig:
    """The rig whose routines mean what they meant, as some channels are counted otherwise. value:
    from the old number to the new one; factor: by which its changes grow."""

    def cam_of(cam: Cam) -> Cam:
        (follower,) = cam.followers
        if follower.channel not in changed:
            return cam
        return replace(cam, stations=tuple(
            replace(s, values={c: value(v) for c, v in s.values.items()},
                    slopes={c: v * factor for c, v in s.slopes.items()})
            for s in cam.stations
        ))  # fmt: skip

    return _each(rig, lambda routine: replace(
        routine,
        keys={c: cam_of(cam) for c, cam in routine.keys.items()},
        start={c: value(v) if c in changed else v for c, v in routine.start.items()},
    ))  # fmt: skip


def _each(rig: Rig, change: Callable[[Routine], Routine]) -> Rig:
    if not rig.routines:
        return rig
    return replace(rig, routines={i: change(routine) for i, routine in rig.routines.items()})
