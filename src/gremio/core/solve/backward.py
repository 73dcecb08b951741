"""From a wanted value of a led channel back to the input that gives it."""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Callable, Sequence
from typing import Any

from gremio.core.mechanics.profiles import Profile, end_speed, extent, leads_at, value
from gremio.core.plan.trains import Train
from gremio.core.quantity import show_short
from gremio.core.records import Record
from gremio.core.rig.channels import SCALES, key, split
from gremio.core.rig.constraints import CONSTRAINTS, adds_to, constraint_words
from gremio.core.rig.ids import CLOCK, ChannelKey, PartId, ThingId
from gremio.core.rig.links import (
    adds,
    followers,
    leads,
    link_holds,
    link_kind,
    link_label,
    record_of,
)
from gremio.core.rig.model import Cam, ConstantVolume, Constraint, Link, LinkKind, Ratio, Rolling
from gremio.core.rig.numbers import closure_label, full_label, label, shown_unit
from gremio.core.solve.cam_steps import cam_profile
from gremio.core.solve.evaluate import evaluate_channels
from gremio.core.solve.limits import asked_for
from gremio.core.solve.pose import Pose
from gremio.core.solve.program import Program
from gremio.core.solve.steps import TrainStep
from gremio.core.solve.volume import leading_scale

_STEPS = 24


class Hand(Record, frozen=True):
    """The input to set, and the value (SI) to set it to. short: why what was wanted can't be
    had, where the nearest that fits is given instead."""

    channel: ChannelKey
    value: float
    short: str = ""


class Held(Record, frozen=True):
    """Why a channel can't be moved by hand, said so that a person can act on it."""

    text: str


def drive_line(program: Program, channel: ChannelKey) -> list[ChannelKey]:
    """Channel keys from the input that leads a channel down to the channel itself."""
    line = [channel]
    while drive := program.drives.get(line[0]):
        lead = next((c for c in drive.leads if c in program.channel_row and c not in line), None)
        if lead is None:
            break
        line.insert(0, lead)
    return line


def led_channels(program: Program, lead: ChannelKey) -> set[ChannelKey]:
    """Keys of the channels that a channel (by key) leads, through however many links."""
    below: dict[ChannelKey, list[ChannelKey]] = program.leads_to
    found: set[ChannelKey] = set()
    waiting = list(below.get(lead, []))
    while waiting:
        channel = waiting.pop()
        if channel not in found:
            found.add(channel)
            waiting += below.get(channel, [])
    return found


def line_between(program: Program, lead: ChannelKey, follower: ChannelKey) -> list[ChannelKey]:
    """Channel keys by which one channel leads another, both ends among them, by the fewest links;
    [] where it does not."""
    before: dict[ChannelKey, ChannelKey] = {lead: lead}
    waiting = deque([lead])
    while waiting:
        here = waiting.popleft()
        if here == follower:
            line = [here]
            while line[0] != lead:
                line.insert(0, before[line[0]])
            return line
        for below in program.leads_to.get(here, []):
            if below not in before:
                before[below] = here
                waiting.append(below)
    return []


def led_parts(program: Program, lead: ChannelKey) -> set[PartId]:
    """Ids of the parts that a channel (by key) leads, through however many links."""
    return {PartId(split(channel)[0]) for channel in led_channels(program, lead)}


def move(program: Program, pose: Pose, channel: ChannelKey, wanted: float) -> Hand | Held:
    """The input that brings a channel nearest to a wanted value, within its stops.

    channel: key. wanted: SI. The present pose decides between several answers.
    """
    return held_by_clock(program, channel) or _moved(program, pose, channel, wanted)


def held_by_clock(program: Program, channel: ChannelKey) -> Held | None:
    """What holds a channel (by key) that the clock alone leads; None for any other."""
    if CLOCK not in program.channel_row or inputs_above(program, channel) != [CLOCK]:
        return None
    name = full_label(program.rig, channel)
    which = "No hand moves the clock." if channel == CLOCK else f"{name} follows the clock."
    return Held(f"{which} Go to another time on the Routine page, or let the clock run.")


def _moved(program: Program, pose: Pose, channel: ChannelKey, wanted: float) -> Hand | Held:
    row = program.channel_row.get(channel)
    if row is None:
        owner, name = split(channel)
        return Held(f"{name} of {label(program.rig, owner)} is grounded.")
    low, high = pose.ends(channel)
    train = program.trains.get(channel)
    soft = (0.0, 0.0)
    # A train comes to its stops as one: how softly is told of all of it.
    if train is None or channel not in train.shares:
        soft = float(program.soft[0, row]), float(program.soft[1, row])
    wanted = asked_for(wanted, low, high, soft)
    drive = program.drives.get(channel)
    if drive is None:
        return Hand(channel, wanted)
    held = not_driven_back(program, channel)
    if held is not None:
        return held
    if train is not None and channel in train.shares:
        return _through_train(program, pose, train, channel, wanted)
    loop = program.loops.get(channel)
    if loop is not None and channel in loop.found:
        return _through_loop(program, pose, channel, wanted)
    constraint = program.rig.constraints.get(drive.links[0])
    if constraint is not None:
        return _through_constraint(program, pose, constraint, channel, wanted)
    links = [program.rig.links[link_id] for link_id in drive.links]
    first = links[0]
    if adds(first):
        if isinstance(first, Rolling):
            name = label(program.rig, channel)
            return Held(f"{name} turns as far as it is carried. Move what carries it.")
        return Hand(channel, float(pose.poses.put[row][0]) + wanted - pose.at(channel))
    if len(links) > 1:
        # What the others add stays as it is.
        wanted -= float(pose.poses.asked[row, 0]) - _set_alone(pose, first, channel)
    return BACKWARD[link_kind(first)](program, pose, first, channel, wanted)


def not_driven_back(program: Program, channel: ChannelKey) -> Held | None:
    """What holds a channel that is pulled: a link on the way to what leads it, up to the next
    input of its train, that its follower can't drive; None where there is none."""
    train = program.trains.get(channel)
    here, seen = channel, {channel}
    while (drive := program.drives.get(here)) is not None:
        link = program.rig.links.get(drive.links[0])
        if link is not None and link_holds(link) and here in followers(link):
            leads = " and ".join(full_label(program.rig, c) for c in drive.leads[:2])
            return Held(
                f"{full_label(program.rig, channel)} is held: {link_label(program.rig, link)} "
                f"can't be driven back. Move {leads}."
            )
        above = [c for c in drive.leads if train is not None and c in train.shares]
        if not above or above[0] in seen:
            break
        here = above[0]
        seen.add(here)
    return None


def _set_alone(pose: Pose, link: object, channel: ChannelKey) -> float:
    """What the link that sets a channel gives, without what is added (SI)."""
    if isinstance(link, Ratio):
        return link.ratio * pose.at(link.lead) + link.offset
    if isinstance(link, Cam):
        return float(value(cam_profile(link, channel), pose.at(link.lead)))
    return pose.at(channel)


def _through_train(
    program: Program, pose: Pose, train: Train, channel: ChannelKey, wanted: float
) -> Hand | Held:
    """Turn the train by the first of its inputs that can move the channel."""
    name = label(program.rig, channel)
    held = Held(f"{name} is in a train that is locked, so it can't move. See the Inspection page.")
    share = train.shares[channel]
    now = share.constant + sum(f * pose.at(c) for c, f in share.factors.items())
    for lead in sorted(share.factors, key=train.inputs.index):
        there = pose.at(lead) + (wanted - now) / share.factors[lead]
        answer = move(program, pose, lead, _asked_of_train(program, pose, train, there))
        if isinstance(answer, Hand):
            return answer
        held = answer
    return held


def _asked_of_train(program: Program, pose: Pose, train: Train, lead: float) -> float:
    """What the one input of a train is put to, so that the train goes as if it were where it is
    wanted: beyond that, where it slows down before a stop."""
    for level in program.steps:
        for step in level.trains:
            if not isinstance(step, TrainStep):
                continue
            at = next((i for i, one in enumerate(step.made_of) if one is train), None)
            if at is not None:
                low, high, soft = step.ends(pose.poses.channels[:, :1])
                ways = float(soft[0, at, 0]), float(soft[1, at, 0])
                return asked_for(lead, float(low[at, 0]), float(high[at, 0]), ways)
    return lead


def _through_cam(
    program: Program, pose: Pose, cam: Cam, channel: ChannelKey, wanted: float
) -> Hand | Held:
    profile = cam_profile(cam, channel)
    low, high = _reach(pose, cam, profile)
    name, lead_name = label(program.rig, channel), label(program.rig, cam.lead)
    unit = shown_unit(program.rig, channel)
    if low == high:
        return Held(
            f"{name} stands still at {show_short(low, unit)} by the cam that {lead_name} leads. "
            "Teach the cam another station (T)."
        )
    near = min(max(wanted, low), high)
    short = ""
    if abs(near - wanted) > 1e-9 * max(1.0, abs(wanted)):
        end = "at most" if near < wanted else "at least"
        short = (
            f"No value of {lead_name} brings {name} there: it is {end} {show_short(near, unit)}."
        )
    lead = leads_at(profile, near, pose.at(cam.lead))
    if lead is None:
        return Held(f"No value of {lead_name} brings {name} to {show_short(wanted, unit)}.")
    answer = move(program, pose, cam.lead, lead)
    if short and isinstance(answer, Hand):
        return Hand(answer.channel, answer.value, short)
    return answer


def _through_ratio(
    program: Program, pose: Pose, ratio: Ratio, channel: ChannelKey, wanted: float
) -> Hand | Held:
    if ratio.ratio == 0.0:
        name = label(program.rig, channel)
        return Held(f"{name} is led with the ratio 0, so it never moves. Change the ratio.")
    return move(program, pose, ratio.lead, (wanted - ratio.offset) / ratio.ratio)


def _reach(pose: Pose, cam: Cam, profile: Profile) -> tuple[float, float]:
    """The lowest and the highest value that a cam gives, where it carries on too, as far as
    the stops of its lead allow."""
    low, high = extent(profile)
    ends = pose.ends(cam.lead)
    if "carry on" in (cam.before, cam.after):
        slopes = end_speed(profile, 0), end_speed(profile, -1)
        reached = [
            float(value(profile, end)) if math.isfinite(end) else math.copysign(math.inf, s * way)
            for end, s, way in zip(ends, slopes, (-1, 1), strict=True)
            if math.isfinite(end) or s
        ]
        low, high = min([low, *reached]), max([high, *reached])
    return low, high


def _through_formula(
    program: Program, pose: Pose, link: Link, channel: ChannelKey, wanted: float
) -> Hand | Held:
    name = full_label(program.rig, channel)
    told = link_label(program.rig, link)
    text = f"{name} can't be moved by hand here: {told} does not change with any one lead."
    return _by_secants(program, pose, channel, wanted) or Held(text)


def _through_loop(program: Program, pose: Pose, channel: ChannelKey, wanted: float) -> Hand | Held:
    found = _by_secants(program, pose, channel, wanted)
    return found or Held(why_held(program, pose, channel))


def _through_constraint(
    program: Program, pose: Pose, constraint: Constraint, channel: ChannelKey, wanted: float
) -> Hand | Held:
    """Put the part itself, where that counts; else move what leads the constraint."""
    row = program.channel_row[channel]
    want = pose.poses.wants.get(program.drives[channel].links[0])
    share = float(want.grip[0]) if want is not None and bool(want.has[0]) else 0.0
    if program.inputs[row]:
        put = float(pose.poses.put[row][0])
        if CONSTRAINTS[constraint.kind].slides:
            return Hand(channel, wanted if share == 1.0 else put + wanted - pose.at(channel))
        if adds_to(constraint) or share < 1.0:
            rest = 1.0 if adds_to(constraint) else 1.0 - share
            return Hand(channel, put + (wanted - pose.at(channel)) / rest)
    name = full_label(program.rig, channel)
    if isinstance(constraint, ConstantVolume):
        put = float(pose.poses.put[row][0]) if program.inputs[row] else 1.0
        return _through_volume(program, pose, constraint, channel, wanted, share, put)
    found = _by_secants(program, pose, channel, wanted)
    return found or Held(
        f"{name} is held: {constraint_words(program.rig, constraint)}. Move what that is carried "
        "by, lower the grip, or switch the constraint off on its Card."
    )


def _through_volume(
    program: Program,
    pose: Pose,
    constraint: ConstantVolume,
    channel: ChannelKey,
    wanted: float,
    share: float,
    put: float,
) -> Hand | Held:
    """Stretch what keeps its volume by the scale that leads it. share: how much it holds. put:
    where the scale is put, which counts with what is left."""
    part, name = split(channel)
    whole = (wanted - (1.0 - share) * put) / share if share > 0.0 else 0.0
    scales = {scale: pose.at(key(part, scale)) for scale in SCALES}
    found = leading_scale(constraint, scales, name, whole)
    if found is None:
        return Held(
            f"{full_label(program.rig, channel)} can't be {show_short(wanted, '')}: what keeps its "
            "volume needs scales above 0, one of which leads."
        )
    return move(program, pose, key(part, found[0]), found[1])


def _by_secants(program: Program, pose: Pose, channel: ChannelKey, wanted: float) -> Hand | None:
    """Turn the first input that a channel listens to, by secants from the present pose."""
    row = program.channel_row[channel]
    for lead in inputs_above(program, channel, drivable=True):
        answer = _secant(program, pose, row, lead, wanted)
        if answer is not None:
            return Hand(lead, answer)
    return None


def why_held(program: Program, pose: Pose, channel: ChannelKey) -> str:
    """Why a channel of a closed linkage does not move with any one of its leads."""
    name = full_label(program.rig, channel)
    for closing in pose.poses.closing.values():
        if channel in closing.step.loop.channels and not closing.step.can_close:
            told = closure_label(program.rig, program.rig.closures[closing.step.loop.closures[0]])
            return f"{name} can't be moved: {told} can't meet. See the Inspection page."
    return (
        f"{name} does not move here with any one lead of its loop: the linkage is at a dead "
        "centre. Move what leads it."
    )


def inputs_above(
    program: Program, channel: ChannelKey, *, drivable: bool = False
) -> list[ChannelKey]:
    """Keys of the inputs that lead a channel, nearest first. drivable: only those that the channel
    could drive back."""
    found: dict[ChannelKey, None] = {}
    waiting = [channel]
    seen: set[ChannelKey] = set()
    while waiting:
        here = waiting.pop(0)
        if here in seen or here not in program.channel_row:
            continue
        seen.add(here)
        drive = program.drives.get(here)
        if drive is None:
            found[here] = None
            continue
        if drivable and not_driven_back(program, here) is not None:
            continue
        constraint = program.rig.constraints.get(drive.links[0])
        if (
            constraint is not None
            and CONSTRAINTS[constraint.kind].slides
            and program.inputs[program.channel_row[here]]
        ):
            found[here] = None
        timed = _timed_leads(program, drive.links) if drivable else None
        if timed is None:
            waiting += drive.leads
            continue
        if len(timed) == len(drive.leads):
            # What is put is where it is shaken from, or turned on from.
            found[here] = None
        waiting += [lead for lead in drive.leads if lead not in timed]
    return [c for c in found if not drivable or c != CLOCK]


def _timed_leads(program: Program, links: Sequence[ThingId]) -> set[ChannelKey] | None:
    """Keys of what leads in those of some links (ids) that add what the time brings; None where
    there is none of these."""
    known = [program.rig.links[link] for link in links if link in program.rig.links]
    timed = [link for link in known if record_of(link).timed]
    return {lead for link in timed for lead in leads(link)} if timed else None


def _secant(
    program: Program, pose: Pose, row: int, lead: ChannelKey, wanted: float
) -> float | None:
    """The value of an input that brings a channel (by row) nearest to a wanted value."""
    inputs = {c: pose.at(c) for c in program.channel_keys if program.inputs[program.channel_row[c]]}
    low, high = pose.ends(lead)

    def at(value: float) -> float:
        return float(evaluate_channels(program, {**inputs, lead: value})[0][row, 0])

    before, here = pose.at(lead), pose.at(lead) + 1e-4
    if here > high:
        here = before - 1e-4
    y_before, y_here = at(before), at(here)
    if abs(y_here - y_before) < 1e-12:
        return None
    for _ in range(_STEPS):
        slope = (y_here - y_before) / (here - before) if here != before else 0.0
        if abs(y_here - wanted) < 1e-11 or abs(slope) < 1e-14:
            break
        step = (wanted - y_here) / slope
        before, y_before = here, y_here
        here = min(max(here + min(max(step, -1e3), 1e3), low), high)
        y_here = at(here)
    return here if abs(y_here - wanted) <= abs(y_before - wanted) else before


# How each kind of link is run backwards: from what its follower should be to what its lead must.
BACKWARD: dict[LinkKind, Callable[[Program, Pose, Any, ChannelKey, float], Hand | Held]] = {
    "ratio": _through_ratio,
    "planetary": _through_formula,
    "cam": _through_cam,
    "formula": _through_formula,
    "rolling": _through_formula,
    "driving": _through_formula,
    "motor": _through_formula,
    "rumble": _through_formula,
}
