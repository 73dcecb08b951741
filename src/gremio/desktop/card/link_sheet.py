"""The Card of a link: lead, follower, and the arithmetic between them."""

from __future__ import annotations

import math
from functools import partial

from msgspec.structs import replace

from gremio.core.problem import GremioError
from gremio.core.quantity import UNITS
from gremio.core.rig.channels import followers, full_label, kind_of, shown_unit, split
from gremio.core.rig.edit.links import as_cam, as_ratio, change_link, remove_link, swapped
from gremio.core.rig.model import Cam, Link, Ratio
from gremio.desktop.card.links import how
from gremio.desktop.card.rows import Sheet, Slab, choice, heading, link_button, rule, second
from gremio.desktop.document import Document
from gremio.desktop.fields import QuantityField
from gremio.desktop.theme.dress import text_font
from gremio.desktop.theme.inks import Inks


class LinkSheet(Sheet):
    """What is known of one link."""

    def __init__(self, document: Document, link_id: str, inks: Inks) -> None:
        super().__init__()
        self.document, self.link_id, self.inks = document, link_id, inks
        rig, link = document.rig, document.rig.links[link_id]
        kind = "ratio" if isinstance(link, Ratio) else "cam"
        title = heading("Ratio" if kind == "ratio" else f"Cam, {len(link.stations)} stations")
        title.setFont(text_font(11.5, bold=True))
        self.add(title)
        self.add(second("link · two-way" if self._two_way(link) else "link"))
        self.add(rule())
        self.row("Made as", choice(("ratio", "cam"), kind, "Made as", self._set_kind))
        self.add(heading("Lead"))
        lead = split(link.lead)
        symbol = "control" if lead[0] in rig.controls else rig.parts[lead[0]].joint.kind
        self.add(
            Slab(inks, symbol, full_label(rig, link.lead), "", lambda: document.select(lead[0]))
        )
        self.add(heading("Follower" if len(followers(link)) == 1 else "Followers"))
        for channel in followers(link):
            owner = split(channel)[0]
            self.add(
                Slab(
                    inks,
                    rig.parts[owner].joint.kind,
                    full_label(rig, channel),
                    how(rig, link, channel) if isinstance(link, Cam) else "",
                    partial(document.select, owner),
                )
            )
        if isinstance(link, Ratio):
            self._add_ratio(link)
        else:
            self.add(second("Its stations and profile are on the Cam page below."))
        if isinstance(link, Ratio) and split(link.lead)[0] in rig.parts:
            self.add(link_button("Swap lead and follower", self._swap))
        self.add(link_button("Remove this link", self._remove))
        self.end()

    @staticmethod
    def _two_way(link: Link) -> bool:
        return isinstance(link, Cam) or link.ratio != 0.0

    def _add_ratio(self, link: Ratio) -> None:
        rig = self.document.rig
        lead_unit, unit = shown_unit(rig, link.lead), shown_unit(rig, link.follower)
        lead_kind, kind = kind_of(rig, link.lead), kind_of(rig, link.follower)
        self.add(heading("Proportion"))
        if lead_kind == kind:
            self.ratio: QuantityField = self._field("number", "", "Ratio", link.ratio)
            self.ratio.committed.connect(lambda v: self._change("ratio", ratio=v))
            self.row("Ratio", self.ratio)
        else:
            self.every = self._field(lead_kind, lead_unit, "For every", self._usual(lead_unit))
            self.moves = self._field(kind, unit, "It moves", self._usual(lead_unit) * link.ratio)
            self.every.committed.connect(lambda _v: self._set_proportion())
            self.moves.committed.connect(lambda _v: self._set_proportion())
            self.row("For every", self.every)
            self.row("it moves", self.moves)
        start = self._field(kind, unit, "Starts at", link.offset)
        start.setToolTip("Where the follower is when the lead is at zero")
        start.committed.connect(lambda v: self._change("start", offset=v))
        self.row("starts at", start)

    @staticmethod
    def _usual(unit: str) -> float:
        """How much of the lead the proportion is told for: a turn, or one of its unit."""
        return 2 * math.pi if unit in ("deg", "rad", "turn") else UNITS[unit].size

    def _field(self, kind: object, unit: str, what: str, value: float) -> QuantityField:
        field = QuantityField(kind, unit, what, self)  # type: ignore[arg-type]
        field.set_value(value)
        field.refused.connect(self.document.said)
        return field

    def _set_proportion(self) -> None:
        every, moves = self.every.value, self.moves.value
        if not every or moves is None:
            self.document.said.emit(
                "A proportion needs a lead that moves: write for example 1 turn."
            )
            return
        self._change("proportion", ratio=moves / every)

    def _change(self, what: str, **fields: float) -> None:
        link = self.document.rig.links[self.link_id]
        self._put(f"{what} of a link", replace(link, **fields))

    def _put(self, what: str, link: Link) -> None:
        if not self.document.edit(what, lambda rig: change_link(rig, self.link_id, link)):
            self.document.selection_changed.emit()

    def _set_kind(self, kind: str) -> None:
        link = self.document.rig.links[self.link_id]
        if kind == "cam" and isinstance(link, Ratio):
            self._put("make a cam of a ratio", as_cam(self.document.rig, link))
        elif kind == "ratio" and isinstance(link, Cam):
            if len(link.followers) > 1:
                self.document.said.emit(
                    "A ratio has one follower, and this cam has more. Remove the others first."
                )
                self.document.selection_changed.emit()
                return
            self._put("make a ratio of a cam", as_ratio(link))

    def _swap(self) -> None:
        link = self.document.rig.links[self.link_id]
        assert isinstance(link, Ratio)
        try:
            self._put("swap lead and follower", swapped(link))
        except GremioError as problem:
            self.document.said.emit(str(problem))

    def _remove(self) -> None:
        self.document.edit("remove a link", lambda rig: remove_link(rig, self.link_id))
