"""Teaching a cam: the parts are posed at a value of its lead, and what differs is recorded.

While it is taught, the channels that a cam leads are free: they stand where the cam would
have them, or where a hand has put them. A lesson is what has been put and not yet recorded.
"""

from __future__ import annotations

from collections.abc import Mapping

import msgspec
from msgspec.structs import replace

from gremio.core.edit.cams import record_station
from gremio.core.edit.change import without
from gremio.core.edit.links import add_link, remove_link
from gremio.core.mechanics.profiles import value
from gremio.core.problem import GremioError
from gremio.core.records import Record
from gremio.core.rig.cams import SAME, sorted_stations
from gremio.core.rig.channels import split
from gremio.core.rig.ids import NOTHING, ChannelKey, ThingId
from gremio.core.rig.links import members
from gremio.core.rig.model import Cam, Follower, Rig, Station
from gremio.core.rig.numbers import exists, full_label
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.backward import drive_line
from gremio.core.solve.cam_steps import cam_profile
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate_channels
from gremio.core.solve.program import Program


class Lesson(Record, frozen=True):
    """lead: key of the channel that leads. link: id of the cam, "" until something is recorded.
    changed: what has been put and not recorded yet (SI by channel key), the latest last.
    marks: the lead's values (SI) at which the parts stood as they stand unchanged; they become
    stations of a cam that has none yet.
    """

    lead: ChannelKey
    link: ThingId = NOTHING
    changed: Mapping[ChannelKey, float] = msgspec.field(default_factory=dict)
    marks: tuple[float, ...] = ()


def lesson_for(rig: Rig, thing: ThingId, channel: ChannelKey = NOTHING) -> Lesson:
    """The lesson that goes on where something is: a cam, by id; what leads a cam; or what one
    leads. channel: key of the channel that leads a new cam when there is none yet.

    Raises GremioError when nothing there can lead.
    """
    cams = {i: link for i, link in rig.links.items() if isinstance(link, Cam)}
    if thing in cams:
        return Lesson(cams[thing].lead, thing)
    for link_id, cam in cams.items():
        if split(cam.lead)[0] == thing:
            return Lesson(cam.lead, link_id)
    for link_id, cam in cams.items():
        if thing in {split(c)[0] for c in members(cam)}:
            return Lesson(cam.lead, link_id)
    if not channel:
        raise GremioError(
            "Select what should lead: a control, or a part that can move. Then press T."
        )
    return Lesson(channel)


def cam_taught(rig: Rig, lesson: Lesson) -> Cam | None:
    """The cam as far as it has been taught; None when it has no station yet."""
    link = rig.links.get(lesson.link)
    return link if isinstance(link, Cam) else None


def bench_rig(rig: Rig, lesson: Lesson) -> Rig:
    """The rig in which a cam is taught: without the cam, so that its followers are free."""
    return remove_link(rig, lesson.link) if cam_taught(rig, lesson) else rig


def answers(rig: Rig, lesson: Lesson, lead: float) -> dict[ChannelKey, float]:
    """What the cam says of its followers at a value of its lead (SI, by channel key).

    Of a cam that adds to what its followers have, what comes of both.
    """
    cam = cam_taught(rig, lesson)
    if cam is None:
        return {}
    return {
        f.channel: float(value(cam_profile(cam, f.channel), lead)) + _base(rig, cam, f.channel)
        for f in cam.followers
        if exists(rig, f.channel)
    }


def _base(rig: Rig, cam: Cam, channel: ChannelKey) -> float:
    return rig.at.get(channel, 0.0) if cam.adds else 0.0


def lead_value(program: Program, rig: Rig, lesson: Lesson) -> float:
    """Where the lead stands (SI). program: of the rig in which the cam is taught."""
    row = program.channel_row[lesson.lead]
    return float(evaluate_channels(program, rig.at)[0][row, 0])


def inputs(program: Program, rig: Rig, lesson: Lesson) -> dict[ChannelKey, float]:
    """Where everything is put while a cam is taught (SI, by channel key)."""
    said = answers(rig, lesson, lead_value(program, rig, lesson))
    return {**rig.at, **said, **lesson.changed}


def moves_lead(program: Program, lesson: Lesson, channel: ChannelKey) -> bool:
    """Whether an input, by key, is the lead or leads it."""
    waiting, seen = [lesson.lead], set()
    while waiting:
        here = waiting.pop()
        if here == channel:
            return True
        drive = program.drives.get(here)
        if drive is not None and here not in seen:
            seen.add(here)
            waiting += drive.leads
    return False


def is_taught(program: Program, lesson: Lesson, channel: ChannelKey) -> bool:
    """Whether moving an input, by key, teaches it: a part's, and not what leads the lead, nor
    what only rolls along."""
    own = bool(split(channel)[1]) and channel not in program.growing
    return own and not moves_lead(program, lesson, channel)


def put(program: Program, rig: Rig, lesson: Lesson, values: Mapping[ChannelKey, float]) -> Lesson:
    """The lesson with channels put somewhere (SI by key); where the cam has them, they are not
    changed."""
    said = answers(rig, lesson, lead_value(program, rig, lesson))
    changed = without(lesson.changed, *values)
    for channel, at in values.items():
        if abs(at - said.get(channel, _stood(program, rig, channel))) > SAME:
            changed[channel] = at
    return replace(lesson, changed=changed)


def dropped(lesson: Lesson, *channels: ChannelKey) -> Lesson:
    """The lesson without some of what was changed; without any when none is named."""
    return replace(lesson, changed=without(lesson.changed, *channels) if channels else {})


def record(program: Program, rig: Rig, lesson: Lesson) -> tuple[Rig, Lesson]:
    """Record where the changed channels stand, and where the cam's other followers do, at the
    lead's present value. A channel changed for the first time becomes a follower; at the
    stations that exist it then stays where it stood. With nothing changed and no cam yet, the
    lead's value is kept as a mark.

    Raises GremioError when links would go round in a ring.
    """
    cam = cam_taught(rig, lesson)
    lead = lead_value(program, rig, lesson)
    said = answers(rig, lesson, lead)
    if cam is None and not lesson.changed:
        others = tuple(mark for mark in lesson.marks if abs(mark - lead) > SAME)
        return rig, replace(lesson, marks=(*others, lead))
    bases = {c: _base(rig, cam, c) if cam is not None else 0.0 for c in (*said, *lesson.changed)}
    new = {c: at - bases[c] for c, at in lesson.changed.items()}
    if cam is None:
        stood = {c: _stood(program, rig, c) for c in new}
        marks = [Station(mark, stood) for mark in lesson.marks if abs(mark - lead) > SAME]
        stations = sorted_stations([*marks, Station(lead, new)])
        followers = tuple(Follower(channel) for channel in new)
        rig, link = add_link(rig, Cam(lesson.lead, followers, stations))
        return rig, Lesson(lesson.lead, link)
    rig = _with_new_followers(program, rig, lesson, cam)
    values = {**{c: at - bases[c] for c, at in said.items()}, **new}
    return record_station(rig, lesson.link, lead, values), dropped(lesson)


def _with_new_followers(program: Program, rig: Rig, lesson: Lesson, cam: Cam) -> Rig:
    """Channels that were no followers yet stay, at the stations there are, where they stood."""
    known = {f.channel for f in cam.followers}
    for channel in lesson.changed:
        if channel not in known:
            stood = 0.0 if cam.adds else _stood(program, rig, channel)
            for station in cam.stations:
                rig = record_station(rig, lesson.link, station.lead, {channel: stood})
    return rig


def _stood(program: Program, rig: Rig, channel: ChannelKey) -> float:
    """Where a channel that no cam leads yet was put."""
    return rig.at.get(channel, float(program.home[program.channel_row[channel]]))


def why_not_taught(program: Program, lesson: Lesson, channel: ChannelKey) -> str:
    """Why moving a channel teaches nothing, and what to do."""
    rig = program.rig
    name = full_label(rig, channel)
    line = drive_line(program, channel)
    if line[0] == channel:
        return ""
    if moves_lead(program, lesson, line[0]):
        return (
            f"{name} is led by {full_label(rig, lesson.lead)} through another link, so it moves "
            "the lead. Remove that link, or make it a cam on its Card, to teach it."
        )
    return (
        f"{name} is led by {full_label(rig, line[0])}, which moved instead. Only what nothing "
        "else leads can be taught."
    )


def teach(
    rig: Rig,
    lead: ChannelKey,
    at: float,
    values: Mapping[ChannelKey, float],
    *,
    geometry: GeometryOf,
) -> Rig:
    """Record a station from a script: at a value of a lead, the values of channels (SI by key).

    The cam that this lead has is taught; where it has none, one is made. Raises GremioError.
    """
    lesson = lesson_for(rig, split(lead)[0], lead)
    if lesson.lead != lead:
        lesson = Lesson(lead)
    program = compile_rig(bench_rig(rig, lesson), geometry)
    for channel in (lead, *values):
        if channel not in program.channel_row:
            raise GremioError(f"{full_label(rig, channel)} is grounded, so it can't be taught.")
    free = {c: v for c, v in values.items() if program.inputs[program.channel_row[c]]}
    if led := [c for c in values if c not in free]:
        raise GremioError(
            f"{full_label(rig, led[0])} is led by another link. Remove that link to teach it."
        )
    standing = msgspec.structs.replace(rig, at={**rig.at, lead: at})
    taught = replace(lesson, changed=dict(free))
    after, _ = record(program, standing, taught)
    return msgspec.structs.replace(after, at=without(rig.at, *free))
