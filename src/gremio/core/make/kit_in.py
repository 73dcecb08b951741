"""A kit put into a rig: its dimensions answered, its sockets answered, and placed."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from gremio.core.edit.change import check_frame, must_have, with_entry
from gremio.core.edit.controls import remove_control
from gremio.core.edit.links import change_link, change_links, remove_link
from gremio.core.edit.numbers import set_number
from gremio.core.edit.parts import set_joint
from gremio.core.frames import IDENTITY, Frame, frame_of, matrix
from gremio.core.make.pieces import put_in
from gremio.core.problem import GremioError, with_article
from gremio.core.quantity import UNITS, USUAL_UNIT, show_short
from gremio.core.rig.channels import CHANNELS, SCALES, freed, key, split
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.ids import part as as_part
from gremio.core.rig.links import followers, leads, link_label, members
from gremio.core.rig.model import Formula, Joint, Link, Rig
from gremio.core.rig.numbers import exists, full_label, kind_of
from gremio.core.rig.rekeyed import by_names, rekeyed
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.pose import Pose

# What a socket is answered with: a part, or a number that leads.
Answers = Mapping[ThingId, PartId | ChannelKey]


class PutIn(NamedTuple):
    """A rig with a kit in it. ids: of its things by those of the kit; the key of what leads in
    place of a control. roots: ids of the parts that carry all of it."""

    rig: Rig
    ids: dict[ThingId, str]
    roots: tuple[PartId, ...]


def kit_in(
    rig: Rig,
    kit: Rig,
    *,
    on: PartId | None = None,
    at: Frame = IDENTITY,
    answers: Answers | None = None,
    places: Mapping[ThingId, Frame] | None = None,
    geometry: GeometryOf,
) -> PutIn:
    """The rig with a kit put in, whose dimensions were answered before.

    on: id of the part that it stands on, None for the ground. at: where, in that part's frame.
    answers: by what stands in the kit for the other rig, the id of a part, or the key of what
    leads. places: where parts without a shape stand in those; the others stand as they do in the
    kit. Raises GremioError for an answer that does not fit.
    """
    check_frame(at, f"Where {kit.name} stands")
    answered = dict(answers or {})
    if on is not None:
        must_have(rig.parts, on, "part")
    home = evaluate(compile_rig(rig, geometry), {}).frame(0)
    stands = home.frame_of(on) @ matrix(at)
    plain = replace(kit, kit=None, kits={})
    roots = [i for i, part in plain.parts.items() if part.parent is None]
    for root in roots:
        carrier = _carrier(rig, kit, root, answered, on)
        world = stands @ matrix(plain.parts[root].mount)
        mount = frame_of(np.linalg.inv(home.frame_of(carrier)) @ world)
        if places is not None and root in places and root in answered:
            mount = places[root]
            check_frame(mount, f"Where {kit.parts[root].name} stands")
        moved = replace(plain.parts[root], mount=mount)
        plain = replace(plain, parts=with_entry(plain.parts, root, moved))
    rig, made = put_in(rig, plain, on)
    for root in roots:
        carrier = _carrier(rig, kit, root, answered, on)
        part = replace(rig.parts[as_part(made[root])], parent=carrier)
        rig = replace(rig, parts=with_entry(rig.parts, as_part(made[root]), part))
    ids: dict[ThingId, str] = dict(made)
    for thing, answer in answered.items():
        if thing in kit.controls:
            rig = _led_by(rig, made[thing], ChannelKey(str(answer)))
            ids[thing] = str(answer)
    return PutIn(rig, ids, tuple(as_part(made[root]) for root in roots))


def _carrier(
    rig: Rig, kit: Rig, root: PartId, answered: Answers, on: PartId | None
) -> PartId | None:
    """What carries a part of a kit that nothing in the kit carries."""
    answer = answered.get(root)
    if answer is None:
        return on
    given = as_part(str(answer))
    if given and given not in rig.parts:
        raise GremioError(f"{kit.parts[root].name} of the kit stands on a part. Choose one.")
    return given or None


def _led_by(rig: Rig, control: ThingId, channel: ChannelKey) -> Rig:
    """The rig in which a channel leads all that a control leads, without the control."""
    entry = rig.controls[control]
    if not exists(rig, channel):
        raise GremioError(f"There is nothing with the key {channel!r} to lead {entry.name}.")
    kind = kind_of(rig, channel)
    if kind != entry.kind:
        raise GremioError(
            f"{full_label(rig, channel)} is {with_article(kind)}, and what leads in place of "
            f"{entry.name} is {with_article(entry.kind)}. Choose another lead."
        )
    names = by_names({key(control): channel})
    led: dict[ThingId, Link] = {
        link_id: rekeyed(link, Link, names)
        for link_id, link in rig.links.items() if key(control) in members(link)
    }  # fmt: skip
    return remove_control(change_links(rig, led), control)


# ── dimensions ─────────────────────────────────────────────────────


def with_sizes(kit: Rig, sizes: Mapping[ChannelKey, float], *, geometry: GeometryOf) -> Rig:
    """A kit with its dimensions answered (SI), by key; the others stay as they are in the kit.

    A control that is a dimension is gone then: what it led has its number, a joint that only it
    moved is fixed there. Raises GremioError for a number out of its range.
    """
    asked = kit.kit.dimensions if kit.kit is not None else ()
    for channel in sizes:
        if channel not in asked:
            raise GremioError(f"{channel!r} is no dimension of {kit.name}.")
    controls = [split(c)[0] for c in asked if c in kit.controls]
    for channel, value in sizes.items():
        _check_range(kit, channel, value)
        kit = set_number(kit, channel, value)
    return _settled(kit, controls, geometry)


def _check_range(kit: Rig, channel: ChannelKey, value: float) -> None:
    """Refuse a value that the control of a dimension does not go to."""
    control = kit.controls.get(split(channel)[0])
    if control is None or channel != key(split(channel)[0]) or control.open:
        return
    if not control.low <= value <= control.high:
        low, high, wrong = (show_short(v, control.unit)
                            for v in (control.low, control.high, value))  # fmt: skip
        raise GremioError(f"{control.name} of {kit.name} goes from {low} to {high}, not to "
                          f"{wrong}. Type another.")  # fmt: skip


def _settled(kit: Rig, controls: list[ThingId], geometry: GeometryOf) -> Rig:
    """A kit in which what some controls led has its number, without the controls."""
    gone = {key(control) for control in controls}
    pose = evaluate(compile_rig(kit, geometry), kit.at).frame(0)
    settled: dict[ChannelKey, float] = {}
    # What follows from dimensions alone, by however many links.
    while more := [
        link_id for link_id, link in kit.links.items()
        if leads(link) and set(leads(link)) <= gone and set(followers(link)) - gone
    ]:  # fmt: skip
        for link_id in more:
            for channel in followers(kit.links[link_id]):
                settled[channel] = pose.at(channel)
                gone.add(channel)
    _check_nothing_adds(kit, gone, settled)
    for link_id, link in list(kit.links.items()):
        if set(leads(link)) and set(leads(link)) <= gone:
            kit = remove_link(kit, link_id)
        elif inside := gone & set(leads(link)):
            kit = _with_values(kit, link_id, {c: pose.at(c) for c in inside})
    for channel, value in settled.items():
        kit = _with_number(kit, channel, value)
    kit = _fixed(kit, settled, pose)
    for control in controls:
        kit = remove_control(kit, control)
    return kit


def _check_nothing_adds(
    kit: Rig, gone: set[ChannelKey], settled: Mapping[ChannelKey, float]
) -> None:
    """Refuse a number that dimensions and something that moves lead together."""
    for link in kit.links.values():
        for channel in followers(link):
            if channel in settled and not set(leads(link)) <= gone:
                raise GremioError(
                    f"{full_label(kit, channel)} of {kit.name} is led by a dimension and by "
                    f"{link_label(kit, link)}. Let one formula say both, or ask for it no more."
                )


def _with_values(kit: Rig, link_id: ThingId, values: Mapping[ChannelKey, float]) -> Rig:
    """A kit with a formula that has values in place of some channels."""
    link = kit.links[link_id]
    if not isinstance(link, Formula):
        names = " and ".join(full_label(kit, c) for c in values)
        raise GremioError(
            f"{names} is a dimension and leads {link_label(kit, link)} together with what moves. "
            "Make that a formula, or the dimension a control."
        )
    text = link.text
    for channel, value in values.items():
        unit = USUAL_UNIT[kind_of(kit, channel)]
        text = text.replace(f"{{{channel}}}", f"({value / UNITS[unit].size!r} {unit})")
    return change_link(kit, link_id, replace(link, text=text))


def _with_number(kit: Rig, channel: ChannelKey, value: float) -> Rig:
    return set_number(kit, channel, value) if exists(kit, channel) else kit


def _fixed(kit: Rig, settled: Mapping[ChannelKey, float], pose: Pose) -> Rig:
    """A kit in which a joint that only dimensions moved is fixed where they put it."""
    moved = {as_part(split(c)[0]) for c in settled if split(c)[1] in CHANNELS}
    for part in moved:
        entry = kit.parts[part]
        free = freed(entry.joint)
        led = {c for link in kit.links.values() for c in members(link)}
        if all(key(part, c) in settled for c in free) and not any(key(part, c) in led
                                                                  for c in free):  # fmt: skip
            values = {c: pose.at(key(part, c)) for c in free if c not in SCALES}
            if len(values) == len(free):
                kit = set_joint(kit, part, Joint("fixed"), values)
    return kit
