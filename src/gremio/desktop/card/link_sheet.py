"""The Card of a link: lead, follower, and the arithmetic between them."""

from __future__ import annotations

import math
from functools import partial

from msgspec.structs import replace

from gremio.core.formula.edit import shown, write
from gremio.core.inspect.words import how
from gremio.core.make.meshing import fit_by_shift, interlock
from gremio.core.make.pairs import propose
from gremio.core.problem import GremioError
from gremio.core.quantity import UNITS, Kind
from gremio.core.rig.cams import as_range_map, as_ratio, is_range_map
from gremio.core.rig.channels import (
    adds,
    followers,
    full_label,
    kind_of,
    leads,
    link_word,
    shown_unit,
    split,
)
from gremio.core.rig.edit.cams import as_cam
from gremio.core.rig.edit.links import change_link, remove_link, swapped
from gremio.core.rig.model import Cam, Driving, Formula, Link, Planetary, Ratio, Rig, Rolling
from gremio.desktop.card.range_section import RangeSection
from gremio.desktop.card.rows import Sheet, Slab, choice, heading, link_button, rule, second
from gremio.desktop.document import Document
from gremio.desktop.fields import QuantityField
from gremio.desktop.formula_edit import FormulaEdit
from gremio.desktop.theme.dress import digit_font, text_font
from gremio.desktop.theme.inks import Inks

_HEADING = "its own heading"
_DOES = ("sets its follower", "adds to its follower")
_MADE = ("ratio", "range map", "cam")
_TEETH = ("gear pair", "rack and pinion")


class LinkSheet(Sheet):
    """What is known of one link."""

    def __init__(self, document: Document, link_id: str, inks: Inks) -> None:
        super().__init__()
        self.document, self.link_id, self.inks = document, link_id, inks
        link = document.rig.links[link_id]
        title = heading(self._title(link))
        title.setFont(text_font(11.5, bold=True))
        self.add(title)
        self.add(second(f"link · {self._ways(link)}"))
        self.add(rule())
        if isinstance(link, Ratio | Cam):
            self.row("Made as", choice(_MADE, self._made(link), "Made as", self._set_kind))
            present = _DOES[link.adds]
            self.row("It", choice(_DOES, present, "What it does", self._set_adds))
        if isinstance(link, Formula):
            self._add_formula(link)
        elif not (isinstance(link, Cam) and is_range_map(link)):
            self._add_ends(link)
        match link:
            case Ratio():
                self._add_ratio(link)
            case Cam() if is_range_map(link):
                RangeSection(self, document, link_id, link)
            case Cam():
                self.add(second("Its stations and profile are on the Cam page below."))
            case Planetary():
                self._number("Ring ÷ sun", "ratio", link.ratio, "number", "")
            case Rolling():
                self._number("Radius", "radius", link.radius, "length", "mm")
                self._add_way(link)
            case Driving():
                self._number("Wheelbase", "wheelbase", link.wheelbase, "length", "m")
                self._number("Axle at", "axle", link.axle, "length", "m")
        self.add(link_button("Remove this link", self._remove))
        self.end()

    @staticmethod
    def _title(link: Link) -> str:
        if isinstance(link, Cam):
            count = len(link.stations)
            many = f"{count} station{'s' * (count != 1)}"
            return "Range map" if is_range_map(link) else f"Cam, {many}"
        return link_word(link).capitalize()

    def _ways(self, link: Link) -> str:
        """Whether it works both ways, in words."""
        if adds(link):
            return "adds to what its follower has"
        train = self.document.program.trains.get(followers(link)[0])
        if isinstance(link, Ratio | Planetary) and train is not None:
            freedoms = len(train.inputs)
            members = len(train.inputs) + len(train.shares)
            given = [c for c in train.inputs if not split(c)[1] or self._is_led(c)]
            free = "locked" if not freedoms else f"{freedoms} freedom{'s' * (freedoms > 1)}"
            led = f", {len(given)} of them led" if freedoms > 1 else ""
            return f"two-way, in a train of {members}, {free}{led}"
        if isinstance(link, Cam) or (isinstance(link, Ratio) and link.ratio != 0.0):
            return "two-way"
        return "one way"

    def _is_led(self, channel: str) -> bool:
        return channel in self.document.program.drives

    # ── lead and follower ──────────────────────────────────────────

    def _add_ends(self, link: Link) -> None:
        known = [c for c in leads(link) if c in self.document.program.channel_row]
        if known:
            self.add(heading("Lead" if len(known) == 1 else "Leads"))
        for channel in known:
            self.add(self._slab(channel, ""))
        self.add(heading("Follower" if len(followers(link)) == 1 else "Followers"))
        for channel in followers(link):
            told = how(self.document.rig, link, channel) if isinstance(link, Cam) else ""
            self.add(self._slab(channel, told))

    def _slab(self, channel: str, told: str) -> Slab:
        rig, owner = self.document.rig, split(channel)[0]
        symbol = "control" if owner in rig.controls else rig.parts[owner].joint.kind
        show = partial(self.document.select, owner)
        return Slab(self.inks, symbol, full_label(rig, channel), told, show)

    # ── formulas ───────────────────────────────────────────────────

    def _add_formula(self, link: Formula) -> None:
        self.add(heading("Follower"))
        self.add(self._slab(link.follower, ""))
        self.add(heading("Formula"))
        text = shown(self.document.rig, link)
        self.formula = FormulaEdit(self.document, link.follower, text, self.inks)
        self.formula.committed.connect(self._write)
        self.add(self.formula)
        known = [c for c in leads(link) if c in self.document.program.channel_row]
        if known:
            self.add(heading("Leads"))
        for channel in known:
            self.add(self._slab(channel, ""))

    def _write(self, text: str) -> None:
        link = self.document.rig.links[self.link_id]
        assert isinstance(link, Formula)
        name = full_label(self.document.rig, link.follower)
        self.document.edit(
            f"formula for {name}",
            lambda rig: write(rig, link.follower, text, link.adds)[0],
        )

    # ── ratios ─────────────────────────────────────────────────────

    def _add_ratio(self, link: Ratio) -> None:
        rig = self.document.rig
        lead_unit, unit = shown_unit(rig, link.lead), shown_unit(rig, link.follower)
        lead_kind, kind = kind_of(rig, link.lead), kind_of(rig, link.follower)
        told = self._read(link)
        self.add(heading("Proportion"))
        if told:
            words = second(told)
            words.setFont(digit_font(8.5))
            self.add(words)
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
        if link.carrier:
            self.add(second(f"as seen from {full_label(rig, link.carrier)}"))
        if link.kind in _TEETH:
            self.add(link_button("Place its teeth in the spaces", self._place))
            self.add(link_button("Fit it by profile shift", self._fit, "Where its mounts stay"))
        if split(link.lead)[0] in rig.parts:
            self.add(link_button("Swap lead and follower", self._swap))

    def _read(self, link: Ratio) -> str:
        """The arithmetic that the parts say, where the ratio is what they say."""
        ends = split(link.lead)[0], split(link.follower)[0]
        if link.kind == "plain" or not all(end in self.document.rig.parts for end in ends):
            return ""
        try:
            found = propose(self.document.rig, self.document.pose, *ends)
            same = found is not None and math.isclose(found.ratio().ratio, link.ratio)
            return found.words if found is not None and same else ""
        except GremioError:
            return ""

    @staticmethod
    def _usual(unit: str) -> float:
        """How much of the lead the proportion is told for: a turn, or one of its unit."""
        return 2 * math.pi if unit in ("deg", "rad", "turn") else UNITS[unit].size

    def _field(self, kind: Kind, unit: str, what: str, value: float) -> QuantityField:
        field = QuantityField(kind, unit, what, self)
        field.set_value(value)
        field.refused.connect(self.document.said)
        return field

    def _number(self, word: str, name: str, value: float, kind: Kind, unit: str) -> None:
        field = self._field(kind, unit, word, value)
        field.committed.connect(lambda v: self._change(word.lower(), **{name: v}))
        self.row(word, field)

    def _add_way(self, link: Rolling) -> None:
        """Along what the way of a wheel is measured."""
        paths = {path.name: path_id for path_id, path in self.document.rig.paths.items()}
        names = {path_id: name for name, path_id in paths.items()}
        present = names.get(link.path, _HEADING)

        def chosen(text: str) -> None:
            self._put("way of a wheel", replace(link, path=paths.get(text, "")))

        self.row("Way along", choice([_HEADING, *paths], present, "Way along", chosen))
        self.add(second("It turns by the way it is carried ÷ radius, also backwards."))

    def _set_proportion(self) -> None:
        every, moves = self.every.value, self.moves.value
        if not every or moves is None:
            self.document.said.emit(
                "A proportion needs a lead that moves: write for example 1 turn."
            )
            return
        self._change("proportion", ratio=moves / every)

    def _ends(self) -> tuple[str, str]:
        link = self.document.rig.links[self.link_id]
        assert isinstance(link, Ratio)
        return split(link.lead)[0], split(link.follower)[0]

    def _place(self) -> None:
        one, two = self._ends()
        name = self.document.rig.parts[two].name
        self.document.edit(f"place {name}", lambda rig: interlock(rig, one, two))

    def _fit(self) -> None:
        one, two = self._ends()
        name = self.document.rig.parts[two].name
        self.document.edit(f"profile shift by {name}", lambda rig: fit_by_shift(rig, one, two))

    # ── edits ──────────────────────────────────────────────────────

    def _change(self, what: str, **fields: float) -> None:
        link = self.document.rig.links[self.link_id]
        self._put(f"{what} of a link", replace(link, **fields))

    def _put(self, what: str, link: Link) -> None:
        def change(rig: Rig) -> Rig:
            return change_link(rig, self.link_id, link)

        if not self.document.edit(what, change):
            self.document.selection_changed.emit()

    @staticmethod
    def _made(link: Ratio | Cam) -> str:
        if isinstance(link, Ratio):
            return "ratio"
        return "range map" if is_range_map(link) else "cam"

    def _set_kind(self, kind: str) -> None:
        link = self.document.rig.links[self.link_id]
        if kind == "cam" and isinstance(link, Ratio):
            self._put("make a cam of a ratio", as_cam(self.document.rig, link))
        elif kind == "cam" and isinstance(link, Cam) and is_range_map(link):
            smooth = tuple(replace(f, profile="smooth") for f in link.followers)
            self._put("make a cam of a range map", replace(link, followers=smooth))
        elif kind == "range map" and isinstance(link, Ratio):
            self._put("make a range map", as_cam(self.document.rig, link, "straight"))
        elif kind == "range map" and isinstance(link, Cam):
            self._to_range_map(link)
        elif kind == "ratio" and isinstance(link, Cam):
            self._to_ratio(link)

    def _refuse(self, text: str) -> None:
        self.document.said.emit(text)
        self.document.selection_changed.emit()

    def _to_range_map(self, link: Cam) -> None:
        made = as_range_map(link)
        if made is None:
            self._refuse("A range map needs two stations to go between. Teach another.")
        else:
            self._put("make a range map of a cam", made)

    def _to_ratio(self, link: Cam) -> None:
        if len(link.followers) > 1:
            self._refuse(
                "A ratio has one follower, and this cam has more. Remove the others first."
            )
            return
        ratio = as_ratio(link)
        if ratio is None:
            self._refuse("A ratio needs two stations to go through. Teach another.")
        else:
            self._put("make a ratio of a cam", ratio)

    def _set_adds(self, text: str) -> None:
        link = self.document.rig.links[self.link_id]
        assert isinstance(link, Ratio | Cam)
        self._put(f"let a link {text.split()[0]}", replace(link, adds=text == _DOES[1]))

    def _swap(self) -> None:
        link = self.document.rig.links[self.link_id]
        assert isinstance(link, Ratio)
        try:
            self._put("swap lead and follower", swapped(link))
        except GremioError as problem:
            self.document.said.emit(str(problem))

    def _remove(self) -> None:
        self.document.edit("remove a link", lambda rig: remove_link(rig, self.link_id))
