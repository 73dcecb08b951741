"""What single keys do to the selected part: home, stops, mount."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from gremio.core.frames import Array, matrix, tidy_frame
from gremio.core.quantity import show_short
from gremio.core.rig.channels import channel_kind, freed, key
from gremio.core.rig.edit.mounts import move_mount, set_home_here
from gremio.core.rig.edit.parts import set_stops
from gremio.core.rig.model import Stops
from gremio.desktop.document import Document


def unit_of_channel(channel: str) -> str:
    """The unit that a part's channel is shown in."""
    return {"length": "m", "angle": "deg", "number": ""}[channel_kind(channel)]


def set_home(document: Document, part: str) -> None:
    """Make where a part stands now its home."""
    entry, pose = document.rig.parts[part], document.pose
    above = np.eye(4) if entry.parent is None else pose.world(entry.parent)
    local = np.linalg.inv(above) @ pose.world(part)
    values = pose.part_of(part).channels
    document.edit(f"set home of {entry.name}", lambda rig: set_home_here(rig, part, local, values))


def set_stop_here(document: Document, part: str, end: str) -> None:
    """Set the low or the high stop of a part's one channel where it stands now."""
    entry = document.rig.parts[part]
    free = freed(entry.joint)
    if len(free) != 1:
        document.said.emit(
            f"{entry.name} has no single channel to stop. Give it a hinge, spin or slide first."
        )
        return
    value = document.pose.at(key(part, free[0]))
    stops = replace(entry.stops.get(free[0], Stops()), **{end: value})
    if document.edit(
        f"{end} stop of {entry.name}", lambda rig: set_stops(rig, part, free[0], stops)
    ):
        document.said.emit(
            f"The {end} stop of {entry.name} is now {show_short(value, unit_of_channel(free[0]))}."
        )


def put_mount(document: Document, part: str, inside: Array) -> None:
    """Put a part's mount at a point of its own frame (3,), its shape staying in place."""
    entry = document.rig.parts[part]
    to = matrix(entry.mount) @ np.append(inside, 1.0)
    mount = tidy_frame(to[:3], entry.mount.turn, entry.mount.scale)
    if document.edit(f"move mount of {entry.name}", lambda rig: move_mount(rig, part, mount)):
        document.said.emit(f"The mount of {entry.name} is there now; its shape has not moved.")
