"""From a wanted value of a led channel back to the input that gives it."""

from __future__ import annotations

from dataclasses import dataclass

from gremio.core.mechanics.profiles import leads_at
from gremio.core.quantity import show_short
from gremio.core.rig.channels import channel_unit, label, split
from gremio.core.rig.model import Ratio
from gremio.core.solve.pose import Pose
from gremio.core.solve.program import Program, cam_profile


@dataclass(frozen=True)
class Hand:
    """The input to set, and the value (SI) to set it to."""

    channel: str
    value: float


@dataclass(frozen=True)
class Held:
    """Why a channel can't be moved by hand, said so that a person can act on it."""

    text: str


def drive_line(program: Program, channel: str) -> list[str]:
    """Channel keys from the input that leads a channel down to the channel itself."""
    line = [channel]
    while link := program.leads_of.get(line[0]):
        line.insert(0, link.lead)
    return line


def led_parts(program: Program, lead: str) -> set[str]:
    """Ids of the parts that a channel (by key) leads, through however many links."""
    below: dict[str, list[str]] = {}
    for channel, link in program.leads_of.items():
        below.setdefault(link.lead, []).append(channel)
    found: set[str] = set()
    waiting = list(below.get(lead, []))
    while waiting:
        channel = waiting.pop()
        found.add(split(channel)[0])
        waiting += below.get(channel, [])
    return found


def move(program: Program, pose: Pose, channel: str, wanted: float) -> Hand | Held:
    """The input that brings a channel nearest to a wanted value, within its stops.

    channel: key. wanted: SI. The present pose decides between several answers.
    """
    row = program.channel_row.get(channel)
    if row is None:
        owner, name = split(channel)
        return Held(f"{name} of {label(program.rig, owner)} is grounded.")
    wanted = min(max(wanted, float(program.low[row])), float(program.high[row]))
    link = program.leads_of.get(channel)
    if link is None:
        return Hand(channel, wanted)
    if isinstance(link, Ratio):
        if link.ratio == 0.0:
            name = label(program.rig, channel)
            return Held(f"{name} is led with the ratio 0, so it never moves. Change the ratio.")
        return move(program, pose, link.lead, (wanted - link.offset) / link.ratio)
    profile = cam_profile(link, channel)
    reach = [s.values[channel] for s in link.stations if channel in s.values]
    wanted = min(max(wanted, min(reach, default=wanted)), max(reach, default=wanted))
    lead = leads_at(profile, wanted, pose.at(link.lead))
    if lead is None:
        unit = channel_unit(split(channel)[1])
        name, lead_name = label(program.rig, channel), label(program.rig, link.lead)
        return Held(f"No value of {lead_name} brings {name} to {show_short(wanted, unit)}.")
    return move(program, pose, link.lead, lead)
