"""Which cam the Cam page shows: a link of the rig, or the keys of a channel in the routine."""

from __future__ import annotations

from abc import abstractmethod

from gremio.core.edit.routines import KEYS, keys_as_cam
from gremio.core.mechanics.profiles import value as height
from gremio.core.rig.channels import split
from gremio.core.rig.ids import NOTHING, ChannelKey, ThingId
from gremio.core.rig.links import members
from gremio.core.rig.model import Cam, Rig
from gremio.core.solve.cam_steps import cam_profile
from gremio.desktop.document.document import Document, Edit


def says(cam: Cam, channel: ChannelKey, lead: float) -> float:
    """What a cam says of a follower at a lead (SI)."""
    return float(height(cam_profile(cam, channel), lead))


class ShownCam:
    """The cam on show, and how it is edited. link_id: of it; that of `KEYS` for the keys of the
    routine, which are changed as a cam's stations are. channel: the follower worked on."""

    document: Document
    link_id: ThingId
    channel: ChannelKey

    @abstractmethod
    def rebuild(self) -> None:
        """Show the cam of now."""

    @property
    def cam(self) -> Cam | None:
        """The cam on show."""
        if self.link_id == KEYS:
            routine = self.document.timing.routine
            return None if routine is None else routine.keys.get(self.channel)
        link = self.document.rig.links.get(self.link_id)
        return link if isinstance(link, Cam) else None

    def _find(self) -> None:
        """The cam to show: the one taught, the selected one, or one that leads, or is led by,
        the selection; the last one shown stays when the selection has none."""
        rig, selected = self.document.rig, self.document.selected
        lesson = self.document.teaching.lesson
        if lesson is None and self.link_id == KEYS and self._keys_of(selected):
            return
        if lesson is not None:
            self.link_id = lesson.link
        elif isinstance(rig.links.get(selected), Cam):
            self.link_id = selected
        else:
            cams = {i: link for i, link in rig.links.items() if isinstance(link, Cam)}
            owners = {i: {split(c)[0] for c in members(cam)} for i, cam in cams.items()}
            if self.cam is None or (selected and selected not in owners[self.link_id]):
                ids = [i for i, found in owners.items() if selected in found]
                self.link_id = (ids or ([self.link_id] if self.cam else []) or [*cams, NOTHING])[0]
        cam = self.cam
        if cam is None:
            return
        known = [f.channel for f in cam.followers]
        of_selected = [c for c in known if split(c)[0] == selected]
        if self.channel not in known or (of_selected and self.channel not in of_selected):
            self.channel = (of_selected or known)[0]

    def _keys_of(self, selected: ThingId) -> bool:
        """Whether keys of the routine are shown: of what is selected, where that has some."""
        routine = self.document.timing.routine
        keys = () if routine is None else tuple(routine.keys)
        if selected and split(self.channel)[0] != selected:
            own = [channel for channel in keys if split(channel)[0] == selected]
            if not own:
                self.link_id = NOTHING
                return False
            self.channel = own[0]
        if self.channel not in keys:
            self.link_id = NOTHING
        return self.link_id == KEYS

    def _lead_now(self, cam: Cam) -> float:
        """Where the lead is; the time, of keys."""
        timing = self.document.timing
        return timing.time if self.link_id == KEYS else self.document.pose.at(cam.lead)

    def _edit(self, what: str, change: Edit, gesture: str = "", *, to_frames: bool = False) -> None:
        if self.link_id == KEYS:
            routine_id, channel, of_cam = self.document.timing.routine_id, self.channel, change
            what = what.replace("station", "key").replace("of a cam", "of a routine")

            def change(rig: Rig) -> Rig:
                return keys_as_cam(
                    rig, routine_id, channel, lambda alone, _cam: of_cam(alone),
                    to_frames=to_frames,
                )  # fmt: skip

        if not self.document.edit(what, change, gesture):
            self.rebuild()
