"""Notes on cams: jumps, overshoot past a stop, stations that the lead never reaches."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from functools import partial
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from gremio.core.edit.cams import merge_where_they_meet, set_profile
from gremio.core.edit.controls import change_control
from gremio.core.edit.ranges import set_range, station_ends, stations_to_range
from gremio.core.inspect.finding import Finding, Mend
from gremio.core.mechanics.profiles import Jump, Profile, jumps, value
from gremio.core.problem import Note
from gremio.core.quantity import show_short
from gremio.core.remembered import Bounded
from gremio.core.rig import ids
from gremio.core.rig.cams import SAME, sorted_stations, told
from gremio.core.rig.channels import key, split
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.links import leads, wrong_numbers
from gremio.core.rig.model import Cam, Control, Rig
from gremio.core.rig.numbers import full_label, owner_name, shown_unit
from gremio.core.rig.scales import shown, shown_on
from gremio.core.solve.cam_steps import cam_profile
from gremio.core.solve.program import Program

_FINE = 400
# So much of a range is not worth a word.
_SPARE = 0.01


def cam_findings(rig: Rig, program: Program) -> Iterator[Finding]:
    """Notes on every cam that is computed."""
    for link_id, link in rig.links.items():
        if not isinstance(link, Cam):
            continue
        yield from _in_one_place(rig, link_id, link)
        if wrong_numbers(rig, link):
            continue
        yield from _too_few(rig, link)
        for follower in link.followers:
            if (
                told(link, follower.channel)
                and follower.channel in program.channel_row
                and link.lead in program.channel_row
            ):
                course = _course(link, follower.channel)
                yield from _jumps(rig, link_id, link, follower.channel, course)
                yield from _overshoot(rig, program, link, follower.channel, course)
        control = rig.controls.get(ids.thing(link.lead))
        if control is not None:
            yield from _unreached(link, control)
    yield from _dead_travel(rig)


class _Course(NamedTuple):
    """How a follower of a cam goes. jumps: where it is not smooth. lowest, highest: (height, lead
    value) where it is farthest down and up."""

    profile: Profile
    jumps: list[Jump]
    lowest: tuple[float, float]
    highest: tuple[float, float]


# As with profiles: of the cams looked at last.
_COURSES: Bounded[tuple[int, ChannelKey], tuple[Cam, _Course]] = Bounded(lambda _kept: 1, 20_000)


def _course(cam: Cam, channel: ChannelKey) -> _Course:
    def find(_at: tuple[int, ChannelKey]) -> tuple[Cam, _Course]:
        profile = cam_profile(cam, channel)
        leads = np.union1d(np.linspace(profile.x[0], profile.x[-1], _FINE), profile.x)
        heights = value(profile, leads)
        least, most = int(np.argmin(heights)), int(np.argmax(heights))
        ends = [(float(heights[i]), float(leads[i])) for i in (least, most)]
        return cam, _Course(profile, jumps(profile), ends[0], ends[1])

    return _COURSES.of((id(cam), channel), find)[1]


def _in_one_place(rig: Rig, link_id: ThingId, cam: Cam) -> Iterator[Finding]:
    """Stations that stand at one lead value, so that the cam is left out."""
    name = full_label(rig, cam.lead)
    merge = Mend("merge them", partial(merge_where_they_meet, link_id=link_id))
    for one, two in itertools.pairwise(sorted_stations(cam.stations)):
        if two.lead - one.lead <= SAME:
            text = (
                f"Two stations of the cam that {name} leads stand at "
                f"{shown_on(rig, cam.lead, one.lead)}. Merge them, or move one of them."
            )
            yield Finding(_note("cam-together", rig, cam.lead, text), (merge,))


def _too_few(rig: Rig, cam: Cam) -> Iterator[Finding]:
    for follower in cam.followers:
        count = len(told(cam, follower.channel))
        if count < 2:
            name = full_label(rig, follower.channel)
            text = (
                f"{name} stands still: {'one station' if count else 'no station'} of its cam "
                f"speaks of it. Teach it another (T), led by {full_label(rig, cam.lead)}."
            )
            yield Finding(_note("cam-one-station", rig, follower.channel, text))


def _jumps(
    rig: Rig, link_id: ThingId, cam: Cam, channel: ChannelKey, course: _Course
) -> Iterator[Finding]:
    profile = course.profile
    name, unit = full_label(rig, channel), shown_unit(rig, channel)
    smooth = Mend(
        "make it smooth",
        partial(set_profile, link_id=link_id, channel=channel, kind="smooth"),
    )
    for jump in course.jumps:
        at = shown_on(rig, cam.lead, float(profile.x[jump.station]))
        where = f"where {full_label(rig, cam.lead)} is {at}"
        if jump.what == "place":
            text = f"{name} jumps by {show_short(jump.size, unit)} {where}. Let it rise there."
            yield Finding(_note("cam-jump", rig, channel, text), (smooth,))
        elif _is_a_fault(profile, jump.station):
            text = f"The speed of {name} jumps {where}. A smooth profile or a law has no jump."
            yield Finding(_note("cam-kink", rig, channel, text, "info"), (smooth,))


def _is_a_fault(profile: Profile, station: int) -> bool:
    """Whether a jump in speed at a station is more than two straight lines meeting, which is
    what whoever chose them expects."""
    around = profile.kinds[max(station - 1, 0) : station + 1] or profile.kinds[-1:]
    return any(kind != "straight" for kind in around)


def _overshoot(
    rig: Rig, program: Program, cam: Cam, channel: ChannelKey, course: _Course
) -> Iterator[Finding]:
    row = program.channel_row[channel]
    low, high = float(program.low[row]), float(program.high[row])
    over, under = course.highest[0] - high, low - course.lowest[0]
    if max(over, under) <= 0.0 or max(over, under) <= 1e-9 * max(
        1.0, float(np.ptp(course.profile.y))
    ):
        return
    end, lead = ("high", course.highest[1]) if over >= under else ("low", course.lowest[1])
    far = show_short(max(over, under), shown_unit(rig, channel))
    at = shown_on(rig, cam.lead, lead)
    text = (
        f"{full_label(rig, channel)} goes {far} past its {end} stop where "
        f"{full_label(rig, cam.lead)} is {at}. Move the stop, or the station."
    )
    yield Finding(_note("cam-overshoot", rig, channel, text))


def _dead_travel(rig: Rig) -> Iterator[Finding]:
    """Controls that lead nothing but cams, and go on where all of these hold."""
    for control_id, control in rig.controls.items():
        channel = key(control_id)
        led = [link for link in rig.links.values() if channel in leads(link)]
        cams = [link for link in led if isinstance(link, Cam) and link.lead == channel]
        ends = station_ends(rig, control_id)
        if ends is None or control.open or len(cams) < len(led):
            continue
        slack = _SPARE * (control.high - control.low)
        after = all(cam.after == "hold" for cam in cams) and ends[1] < control.high - slack
        before = all(cam.before == "hold" for cam in cams) and ends[0] > control.low + slack
        if not (after or before):
            continue
        told = partial(shown, control)
        first = f"up to {told(ends[0])}" if before else ""
        last = f"from {told(ends[1])} on" if after else ""
        text = (
            f"Nothing moves {' and '.join(filter(None, (first, last)))}: {control.name} goes from "
            f"{told(control.low)} to {told(control.high)}, and no station is there. Fit the "
            "stations to the range, or the range to the stations."
        )
        low = ends[0] if before else control.low
        high = ends[1] if after else control.high
        mends = (
            _to_range(control_id),
            Mend(
                f"let its range be {told(low)} to {told(high)}",
                partial(set_range, control_id=control_id, low=low, high=high, keeps="proportion"),
            ),
        )
        yield Finding(Note("cam-dead-travel", control.name, text, "info"), mends)


def _to_range(control_id: ThingId) -> Mend:
    return Mend("fit the stations to the range", partial(stations_to_range, control_id=control_id))


def _unreached(cam: Cam, control: Control) -> Iterator[Finding]:
    if control.open:
        return
    out = [s for s in cam.stations if not control.low - 1e-9 <= s.lead <= control.high + 1e-9]
    if not out:
        return
    at = ", ".join(shown(control, s.lead) for s in out[:3])
    text = (
        f"{control.name} never comes to the station at {at}: its range is from "
        f"{shown(control, control.low)} to {shown(control, control.high)}. "
        "Widen the range, or move the station."
    )

    leads = [station.lead for station in cam.stations]
    wide = replace(control, low=min(control.low, *leads), high=max(control.high, *leads))
    mend = Mend(
        "widen the range", partial(change_control, control_id=ids.thing(cam.lead), control=wide)
    )
    mends = (mend, _to_range(ids.thing(cam.lead))) if len(cam.stations) > 1 else (mend,)
    yield Finding(Note("cam-unreached", control.name, text, "warning"), mends)


def _note(code: str, rig: Rig, channel: ChannelKey, text: str, severity: str = "warning") -> Note:
    return Note(code, owner_name(rig, split(channel)[0]), text, severity)  # type: ignore[arg-type]
