"""Teaching a cam at the screen: beginning, recording, leaving."""

from __future__ import annotations

import numpy as np

from gremio.core.make.teach import Lesson, lesson_for
from gremio.core.problem import GremioError
from gremio.core.rig.channels import main_channel
from gremio.core.rig.ids import NOTHING, PartId, ThingId
from gremio.core.rig.model import Cam
from gremio.core.rig.numbers import full_label
from gremio.core.rig.scales import shown_on
from gremio.core.solve.evaluate import evaluate
from gremio.desktop.bench.motion import Motion
from gremio.desktop.document.document import Document

_FRAMES = 72


def switch(document: Document, motion: Motion, cam_shown: ThingId) -> None:
    """Begin to teach where the selection is, or on the cam shown; or leave teaching."""
    if document.teaching.lesson is not None:
        leave(document, motion)
        return
    try:
        lesson = _lesson(document, cam_shown)
    except GremioError as problem:
        document.said.emit(str(problem))
        return
    document.teaching.begin(lesson)
    name = full_label(document.rig, lesson.lead)
    document.said.emit(
        f"{name} is taught. Put it somewhere, pose parts, and record (R). T shows the motion."
    )


def _lesson(document: Document, cam_shown: ThingId) -> Lesson:
    rig, selected = document.rig, document.selected
    if not selected and cam_shown in rig.links:
        selected = cam_shown
    channels = document.channels_of(selected)
    if selected in rig.parts:
        main = main_channel(rig.parts[PartId(selected)].joint)
        channels = [c for c in channels if c.endswith(f" {main}")] if main else []
    return lesson_for(rig, selected, channels[0] if channels else NOTHING)


def record(document: Document) -> None:
    """Record a station where things stand."""
    lesson = document.teaching.lesson
    if lesson is None:
        document.said.emit("Nothing is being taught. Select what should lead and press T.")
        return
    at = shown_on(document.rig, lesson.lead, document.pose.at(lesson.lead))
    count = len(lesson.changed)
    if not document.teaching.record():
        return
    after = document.teaching.lesson
    if after is not None and not after.link:
        text = f"{at} is kept: what you pose later stands here as it stands now."
    elif count:
        text = f"Recorded at {at}: {count} part{'s' * (count > 1)} changed. Move the lead on."
    else:
        text = f"Recorded at {at} as it stands."
    document.said.emit(text)


def leave(document: Document, motion: Motion) -> None:
    """Let the cam lead again, and show its motion once."""
    lesson = document.teaching.lesson
    if lesson is None:
        return
    document.teaching.end()
    if lesson.changed:
        names = ", ".join(full_label(document.rig, c) for c in list(lesson.changed)[:3])
        document.said.emit(f"Not recorded: {names}. Press T again, and it is there.")
    show_motion(document, motion, lesson.link)


def show_motion(document: Document, motion: Motion, link_id: ThingId) -> None:
    """Run the lead of a cam through its stations and back to where it stands."""
    cam, program = document.rig.links.get(link_id), document.program
    if not isinstance(cam, Cam) or len(cam.stations) < 2:
        return
    if cam.lead not in program.channel_row or not program.inputs[program.channel_row[cam.lead]]:
        return
    here = document.pose.at(cam.lead)
    first, last = cam.stations[0].lead, cam.stations[-1].lead
    third = _FRAMES // 3
    way = np.concatenate([
        np.linspace(here, first, third // 2), np.linspace(first, last, third),
        np.linspace(last, here, third),
    ])  # fmt: skip
    motion.start(evaluate(program, {**document.inputs(), cam.lead: way}))
