"""The section of a link's Card about a range map: from a range of the lead to ranges of its
followers."""

from __future__ import annotations

from functools import partial

from msgspec.structs import replace

from gremio.core.quantity import UNITS
from gremio.core.rig.cams import told
from gremio.core.rig.channels import full_label, kind_of, shown_unit
from gremio.core.rig.edit.cams import cam_of, remove_follower, set_range
from gremio.core.rig.edit.links import change_link
from gremio.core.rig.model import Beyond, Cam
from gremio.desktop.card.rows import Sheet, choice, heading, link_button
from gremio.desktop.document import Document, Edit
from gremio.desktop.fields import QuantityField

ONE_MORE = "Lead one more from this cam"
# A range map does not go round.
_BEYOND: tuple[Beyond, ...] = ("hold", "carry on")


class RangeSection:
    """Fills the section into a sheet."""

    def __init__(self, sheet: Sheet, document: Document, link_id: str, cam: Cam) -> None:
        self.sheet, self.document, self.link_id, self.cam = sheet, document, link_id, cam
        rig = document.rig
        sheet.add(heading(f"From {full_label(rig, cam.lead)}"))
        leads = [station.lead for station in cam.stations]
        sheet.row("from, to", *(self._field(cam.lead, end, leads[end]) for end in (0, 1)))
        for follower in cam.followers:
            channel = follower.channel
            sheet.add(heading(f"To {full_label(rig, channel)}"))
            ends = [at for _, at in told(cam, channel)]
            sheet.row("from, to", *(self._field(channel, end, ends[end]) for end in (0, 1)))
            swap = link_button("turn it round", partial(self._turn_round, channel))
            if len(cam.followers) > 1:
                out = link_button("take it out", partial(self._take_out, channel))
                sheet.row("", swap, out)
            else:
                sheet.row("", swap)
        for word, present in (("before", cam.before), ("after", cam.after)):
            box = choice(_BEYOND, present, f"{word.capitalize()} the range",
                         partial(self._set_end, word))  # fmt: skip
            sheet.row(word.capitalize(), box)
        sheet.add(
            link_button(
                "Lead one more…",
                partial(sheet.action_wanted.emit, ONE_MORE),
                "Then click the part that should follow too",
            )
        )

    def _field(self, channel: str, end: int, value: float) -> QuantityField:
        rig = self.document.rig
        unit = shown_unit(rig, channel)
        name = f"{full_label(rig, channel)} {('from', 'to')[end]}"
        field = QuantityField(kind_of(rig, channel), unit, name, self.sheet)
        field.set_value(value)
        field.setToolTip(f"in {UNITS[unit].symbol or 'plain numbers'}")
        field.committed.connect(partial(self._typed, channel, end))
        field.refused.connect(self.document.said)
        return field

    def _typed(self, channel: str, end: int, value: float) -> None:
        cam = cam_of(self.document.rig, self.link_id)
        leads = [s.lead for s in cam.stations]
        ends = [at for _, at in told(cam, channel)] if channel != cam.lead else leads
        ends[end] = value
        self._set(channel, (ends[0], ends[1]))

    def _turn_round(self, channel: str) -> None:
        cam = cam_of(self.document.rig, self.link_id)
        (_, one), (_, two) = told(cam, channel)
        self._set(channel, (two, one))

    def _set(self, channel: str, ends: tuple[float, float]) -> None:
        cam = cam_of(self.document.rig, self.link_id)
        leads = (cam.stations[0].lead, cam.stations[1].lead)
        ranges = {} if channel == cam.lead else {channel: ends}
        leads = ends if channel == cam.lead else leads
        self._edit("range of a link", lambda rig: set_range(rig, self.link_id, leads, ranges))

    def _take_out(self, channel: str) -> None:
        self._edit("take a follower out", lambda rig: remove_follower(rig, self.link_id, channel))

    def _set_end(self, word: str, text: str) -> None:
        cam = cam_of(self.document.rig, self.link_id)
        beyond = next(b for b in _BEYOND if b == text)
        changed = replace(cam, **{word: beyond})
        self._edit(f"what holds {word} a range",
                   lambda rig: change_link(rig, self.link_id, changed))  # fmt: skip

    def _edit(self, what: str, change: Edit) -> None:
        if not self.document.edit(what, change):
            self.document.selection_changed.emit()
