"""Links that are made by clicking what should follow."""

from __future__ import annotations

from collections.abc import Callable

from gremio.core.edit.cams import add_follower
from gremio.core.edit.parts import moved_by
from gremio.core.rig.channels import key, main_channel, split
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.model import Cam
from gremio.core.rig.numbers import full_label
from gremio.desktop.actions import rigging
from gremio.desktop.document.document import Document


def lead_to(
    document: Document, lead: ChannelKey, part: PartId, propose: Callable[[PartId, PartId], None]
) -> None:
    """Let a channel (key) lead a part: by a ratio to begin with, or, between two parts, by the
    one that their geometry says, which `propose` shows."""
    part = moved_part(document, part)
    owner = split(lead)[0]
    if owner in document.rig.parts and owner != part:
        propose(PartId(owner), part)
    else:
        rigging.link_to(document, lead, part)


def moved_part(document: Document, part: PartId) -> PartId:
    """What moves a part: where it is fixed on another, that, which is said."""
    rig, carrier = document.rig, moved_by(document.rig, part)
    if carrier != part:
        document.said.emit(
            f"{rig.parts[part].name} is fixed on {rig.parts[carrier].name}, which follows."
        )
    return carrier


def let_cam_lead_part(document: Document, link_id: ThingId, part: PartId) -> None:
    """Let a cam lead the main channel of one part more."""
    part = moved_part(document, part)
    if rigging.can_move(document, part):
        channel = key(part, main_channel(document.rig.parts[part].joint))
        let_cam_lead(document, link_id, channel)


def let_cam_lead(document: Document, link_id: ThingId, channel: ChannelKey) -> None:
    """Let a cam lead one channel more; at every station it stays where it stands now."""
    cam = document.rig.links.get(link_id)
    if not isinstance(cam, Cam):
        return
    here = document.settled().at(channel)
    values = dict.fromkeys(range(len(cam.stations)), here)
    name = full_label(document.rig, channel)
    if document.edit(
        f"let a cam lead {name}", lambda rig: add_follower(rig, link_id, channel, values)
    ):
        document.said.emit(
            f"The cam leads {name} too. It stays where it stands; teach it (T), or type its values."
        )
