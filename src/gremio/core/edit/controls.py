"""Edits on controls, and on where the channels stand now."""

from __future__ import annotations

import math
from collections.abc import Container, Mapping, Sequence

from msgspec.structs import replace

from gremio.core.edit.change import (
    check_new_name,
    drop_values_of,
    known_or_new,
    must_have,
    new_id,
    well_formed,
    with_entry,
    without,
)
from gremio.core.edit.links import without_channels_of
from gremio.core.edit.routines import rescaled, without_keys_of
from gremio.core.plan.check import faults
from gremio.core.problem import GremioError
from gremio.core.quantity import UNITS, USUAL_UNIT, Kind
from gremio.core.rig.channels import CHANNELS, key, split
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.links import link_label, members
from gremio.core.rig.model import Cam, Control, Formula, Link, Ratio, Rig, Rumble
from gremio.core.rig.number import sensible_range
from gremio.core.rig.numbers import (
    exists,
    full_label,
    home_value,
    kind_of,
    number,
    number_word,
    numbers_of,
    owner_name,
    shown_unit,
)
from gremio.core.rig.scales import switch_positions


def add_control(rig: Rig, control: Control) -> tuple[Rig, ThingId]:
    """The rig with one more control, and its id. Refuses an empty range."""
    check_new_name(rig, control.name)
    rig, control_id = new_id(rig, "c")
    return change_control(rig, control_id, control), control_id


def add_leading(rig: Rig, wanted: Sequence[tuple[Control, ChannelKey]]) -> Rig:
    """The rig with controls, each of which leads one number (by key) one for one; as `add_control`
    and `add_link` would make it, all at once. Refuses names in use and new faults; the controls'
    own numbers are taken as sound, as a file's reader has checked them."""
    before = {(note.part, note.code, note.text) for note in faults(rig)}
    controls, links = dict(rig.controls), dict(rig.links)
    for control, channel in wanted:
        check_new_name(rig, control.name)
        rig, control_id = new_id(rig, "c")
        rig, link_id = new_id(rig, "k")
        controls[control_id] = control
        links[link_id] = Ratio(key(control_id), channel, 1.0)
    changed = replace(rig, controls=controls, links=links)
    for note in faults(changed):
        if (note.part, note.code, note.text) not in before:
            raise GremioError(note.text)
    return changed


def change_control(rig: Rig, control_id: ThingId, control: Control) -> Rig:
    """The rig with a control in place of the one of this id; home is kept in the range."""
    present = rig.controls.get(control_id)
    if present == control:
        return rig
    known_or_new(rig, rig.controls, control_id, "control")
    check_new_name(rig, control.name, present.name if present else None)
    if not (math.isfinite(control.low) and math.isfinite(control.high)):
        raise GremioError(f"The range of {control.name} needs two plain numbers.")
    if not all(map(math.isfinite, (control.home, *control.notches))):
        raise GremioError(f"Home and notches of {control.name} need plain numbers.")
    if control.scale is not None and not _is_scale(control.scale):
        raise GremioError(
            f"The numbers read at the ends of {control.name} must be two different ones."
        )
    if any(letter.isdigit() for letter in control.scale_unit):
        raise GremioError(
            f"What is read on {control.name} has {control.scale_unit!r} behind it, which would be "
            "taken for a number. Write a word without figures."
        )
    well_formed(control, control.name)
    if control.make == "switch":
        notches, names = switch_positions(control)
        control = replace(control, notches=notches, positions=names)
    if not control.open:
        control = replace(control, home=min(max(control.home, control.low), control.high))
    changed = replace(rig, controls=with_entry(rig.controls, control_id, control))
    for note in faults(changed):
        if note.part == control.name and note.code in ("range-empty", "unit-wrong"):
            raise GremioError(note.text)
    return changed


def set_kind(rig: Rig, control_id: ThingId, kind: Kind) -> Rig:
    """The rig with a control of another kind of quantity, which means what it meant: 0 to 90° are
    0 to 90 then. What it leads, and what leads it, by ratios and cams moves as before, and kept
    poses are the same.

    Where it leads a channel of that kind by a ratio, it is that channel's length or angle. Formulas
    that name it are left as they are, and checked. Raises GremioError where that is refused, or
    where it drives a carriage or stands in a planetary set in other numbers.
    """
    control = must_have(rig.controls, control_id, "control")
    if control.kind == kind:
        return rig
    if kind not in USUAL_UNIT:
        known = ", ".join(USUAL_UNIT)
        raise GremioError(f"{control.name} can't be of the kind {kind!r}. It can be of {known}.")
    own = set(numbers_of(rig, control_id))
    unit, factor = _unit_of_kind(rig, control_id, control, kind)
    links = {i: _scaled(rig, control, link, own, factor) for i, link in rig.links.items()}
    low, high, home = (value * factor for value in (control.low, control.high, control.home))
    changed = replace(
        control, kind=kind, unit=unit, low=low, high=high, home=home,
        notches=tuple(notch * factor for notch in control.notches),
    )  # fmt: skip
    rig = change_control(rig, control_id, changed)

    def values(at: dict[ChannelKey, float]) -> dict[ChannelKey, float]:
        return {c: v * factor if c in own else v for c, v in at.items()}

    poses = {i: replace(pose, values=values(pose.values)) for i, pose in rig.poses.items()}
    rig = rescaled(rig, own, lambda value: value * factor, factor)
    return replace(rig, links=links, at=values(rig.at), poses=poses)


def _unit_of_kind(rig: Rig, control_id: ThingId, control: Control, kind: Kind) -> tuple[str, float]:
    """The unit of a control of another kind, and what its values are multiplied by."""
    for link in rig.links.values():
        if not isinstance(link, Ratio) or link.lead != key(control_id) or not link.ratio:
            continue
        if kind_of(rig, link.follower) == kind:
            return shown_unit(rig, link.follower), abs(link.ratio)
    unit = "mm" if kind == "length" else USUAL_UNIT[kind]
    return unit, UNITS[unit].size / UNITS[control.unit].size


def _scaled(
    rig: Rig, control: Control, link: Link, own: Container[ChannelKey], factor: float
) -> Link:
    """A link in which the numbers of a control (keys) are so many times as large, and that moves
    all as before."""
    if not any(c in own for c in members(link)) or isinstance(link, Formula) or factor == 1.0:
        return link
    if isinstance(link, Ratio):
        lead = factor if link.lead in own else 1.0
        led = factor if link.follower in own else 1.0
        pair = None if link.pair is None else (link.pair[0] * lead, link.pair[1] * led)
        return replace(link, ratio=link.ratio * led / lead, offset=link.offset * led, pair=pair)
    if isinstance(link, Cam):
        lead = factor if link.lead in own else 1.0
        stations = [
            replace(
                s,
                lead=s.lead * lead,
                values={c: v * (factor if c in own else 1.0) for c, v in s.values.items()},
                slopes={c: v * (factor if c in own else 1.0) / lead for c, v in s.slopes.items()},
            )
            for s in link.stations
        ]
        return replace(link, stations=tuple(stations))
    if isinstance(link, Rumble):
        led = factor if link.follower in own else 1.0
        return replace(link, share=link.share * led / (factor if link.amount in own else 1.0))
    raise GremioError(
        f"{control.name} is in {link_label(rig, link)}, which counts in its unit. Make another "
        "control, and let it lead this one."
    )


def _is_scale(scale: tuple[float, float]) -> bool:
    return scale[0] != scale[1] and all(map(math.isfinite, scale))


def proposed_control(rig: Rig, channel: ChannelKey, value: float = 0.0) -> Control:
    """A control to lead any number (by key): with the range that it has, or a sensible one round
    where it is. value: where it is now (SI).

    A joint has its stops, or half a turn or a metre either way; a count goes in whole numbers
    from one to twice itself; what is a length or a bare number, from nothing to twice itself.
    Raises GremioError for a number that is not there, or has no value yet.
    """
    found = number(rig, channel)
    if found is None or not math.isfinite(value):
        name = full_label(rig, channel)
        raise GremioError(f"{name} has no value yet. Type one first, then make its control.")
    low, high = sensible_range(found, value)
    called = free_name(names_in(rig), _control_name(rig, channel))
    unit = shown_unit(rig, channel)
    dots = tuple(float(n) for n in range(int(low), int(high) + 1)) if found.whole else ()
    home = min(max(0.0 if not found.field else value, low), high)
    return Control(called, found.kind, unit, low, high, home, dots if len(dots) <= 25 else ())


def _control_name(rig: Rig, channel: ChannelKey) -> str:
    thing, name = split(channel)
    named = owner_name(rig, thing)
    if name in CHANNELS:
        return f"{named} control"
    return f"{named} {number_word(rig, channel)} control".replace("  ", " ")


def remove_control(rig: Rig, control_id: ThingId) -> Rig:
    """Take out a control with the links it leads; a pad with its second axis. Of a pad whose
    second axis is taken out, a slider is left."""
    entry = must_have(rig.controls, control_id, "control")
    if entry.make == "pad" and entry.across in rig.controls:
        pad = replace(entry, make="slider", across="")
        rig = replace(rig, controls=with_entry(rig.controls, control_id, pad))
        rig = remove_control(rig, entry.across)
    rig = without_channels_of(rig, control_id)
    kept = {
        c: replace(e, make="slider", across="") if e.across == control_id else e
        for c, e in without(rig.controls, control_id).items()
    }
    poses = {
        i: replace(pose, values=without(pose.values, control_id)) for i, pose in rig.poses.items()
    }
    rig = without_keys_of(rig, control_id)
    return replace(rig, controls=kept, poses=poses, at=drop_values_of(rig.at, control_id))


def set_values(rig: Rig, values: Mapping[ChannelKey, float]) -> Rig:
    """Put channels that nothing leads somewhere (SI), by key; home is not written down. Refuses
    what is no plain number, and a channel that is not there."""
    at = dict(rig.at)
    for channel, value in values.items():
        if not math.isfinite(value):
            raise GremioError(f"{full_label(rig, channel)} is put to no plain number. Give it one.")
        if channel not in at and not exists(rig, channel):
            raise GremioError(f"There is nothing with the key {channel!r} in the rig to be put.")
        at[channel] = value
        if value == home_value(rig, channel):
            del at[channel]
    return rig if at == rig.at else replace(rig, at=at)


def all_home(rig: Rig) -> Rig:
    """Put every channel that nothing leads at home."""
    return replace(rig, at={}) if rig.at else rig
