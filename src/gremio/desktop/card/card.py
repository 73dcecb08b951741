"""The Card: one sheet for what is selected, always in the same order."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QScrollArea

from gremio.core.edit.whole import rename_rig, set_lengths
from gremio.core.problem import counted_words
from gremio.core.rig.channels import split
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.model import LengthUnit, Rig
from gremio.desktop.bench.snapping import Spot
from gremio.desktop.bench.view import Bench
from gremio.desktop.card.timed import timed
from gremio.desktop.document.change import Change
from gremio.desktop.document.document import Document
from gremio.desktop.fields.areas import show_in, soon
from gremio.desktop.fields.keyboard import give_back
from gremio.desktop.fields.pieces import Sheet, Slab, choice, second, title_field, verb
from gremio.desktop.fields.quantity_field import QuantityField
from gremio.desktop.theme.inks import DAY, Inks

if TYPE_CHECKING:
    from gremio.desktop.card.form_sheet import FormSheet

EMPTY = (
    "Nothing is selected.\n\nClick a part in the Bench to see its joint, its stops, what it is "
    "led by and what it leads. Drag it to move it.\n\nDrag the paper to look round; the right "
    "button shifts the view; the wheel zooms."
)

BEGIN = (
    "Begin with the parts. Bring in a model you have, or add parts made of numbers; or look at "
    "a lock that works."
)


# In what lengths are shown, as the Card of the rig says it.
_LENGTHS: dict[str, LengthUnit] = {
    "m, small ones mm": "",
    "metres": "m",
    "millimetres": "mm",
    "centimetres": "cm",
    "inches": "in",
    "feet": "ft",
}
_BEGIN = (
    ("Bring in parts", "file.bring in"),
    ("Add a box", "part.box"),
    ("Open Saltmarsh lock", "file.demo"),
)


class Card(QScrollArea):
    """Shows the sheet of the selected thing, or one that something is made on.

    action_wanted: an action, by its id. lead_wanted: a number (key) should lead what is
    clicked next. left: the sheet shown instead was left.
    """

    action_wanted = pyqtSignal(str)
    lead_wanted = pyqtSignal(str)
    left = pyqtSignal()

    def __init__(self, document: Document, bench: Bench) -> None:
        super().__init__()
        self.document, self.bench = document, bench
        self.inks: Inks = DAY
        self.sheet: Sheet | None = None
        self._instead: Sheet | None = None
        self._held = False
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._later = soon(self, self.rebuild)
        document.rig_changed.connect(self._take_rig)
        document.selection_changed.connect(self._take_selection)
        document.pose_changed.connect(self._take_pose)
        self._later.start()

    def _take_rig(self, change: Change) -> None:
        """Make the sheet anew, unless what changed is on no Card. What was begun in another rig
        ends."""
        if change.anew and self._instead is not None:
            self.leave()
        shown = self.document.selected
        keyed = change.touches("routines") and (
            change.anew or timed(change.before, shown) != timed(change.after, shown)
        )
        if keyed or change.compiles or change.touches("name", "locked", "alike"):
            self._later.start()

    def _take_selection(self) -> None:
        """What was begun for something else ends."""
        if self._instead is not None and self._instead.of_selection:
            self.leave()
        self._later.start()

    def set_inks(self, inks: Inks) -> None:
        """Draw by day or by night."""
        self.inks = inks
        self.rebuild()

    def show_instead(self, sheet: Sheet | None) -> None:
        """Show a sheet on which something is made; None goes back to the selection."""
        if sheet is None:
            self.bench.show_beside([])
        self._instead = sheet
        self.rebuild()
        if sheet is not None and sheet.focusPolicy() != Qt.FocusPolicy.NoFocus:
            sheet.setFocus()

    def leave(self) -> None:
        """Go back to the sheet of what is selected."""
        if self._instead is not None:
            focused = self._instead.focusWidget()
            if focused is not None and focused.hasFocus():
                give_back(self)
            self.show_instead(None)
            self.left.emit()

    @property
    def measuring(self) -> bool:
        """Whether it shows what is being measured."""
        from gremio.desktop.card.measure_sheet import MeasuringSheet

        return isinstance(self._instead, MeasuringSheet)

    @property
    def making(self) -> Sheet | None:
        """The sheet shown instead of that of the selection."""
        return self._instead

    def write_formula(self, channel: ChannelKey) -> None:
        """Show the sheet on which a formula for a channel is written."""
        from gremio.desktop.card.formula_sheet import FormulaSheet

        sheet = FormulaSheet(self.document, channel, self.inks, self.leave)
        self.show_instead(sheet)
        sheet.edit.setFocus()

    def propose_ratio(self, lead: PartId, follower: PartId) -> None:
        """Show the ratio that the geometry of two parts proposes."""
        from gremio.core.problem import GremioError
        from gremio.desktop.card.ratio_sheet import RatioSheet

        try:
            self.show_instead(RatioSheet(self.document, lead, follower, self.leave))
        except GremioError as problem:
            self.document.said.emit(str(problem))

    def make_carriage(self, body: PartId) -> None:
        """Show the sheet on which a carriage is made of a body and its wheels."""
        from gremio.desktop.card.carriage_sheet import CarriageSheet

        self.show_instead(CarriageSheet(self.document, body, self.leave))

    def mirror(self) -> None:
        """Show the sheet on which what is selected is mirrored."""
        from gremio.desktop.card.mirror_sheet import MirrorSheet

        self.show_instead(MirrorSheet(self.document, self.bench, self.leave))

    def show_resizing(self) -> None:
        """Show the sheet on which what is selected, or the rig, is made larger or smaller."""
        from gremio.desktop.card.resize_sheet import ResizeSheet

        self.show_instead(ResizeSheet(self.document, self.bench, self.leave))

    def show_measuring(self, picked: list[Spot]) -> None:
        """Show what is being measured."""
        from gremio.desktop.card.measure_sheet import MeasuringSheet

        self.show_instead(MeasuringSheet(self.document, picked, self.leave))

    def rebuild(self) -> None:
        """Make the sheet anew."""
        self._later.stop()
        if self._held:
            return
        if self._instead is not None:
            if self.widget() is not self._instead:
                show_in(self, self._instead)
                self.sheet = None
            return
        scrolled = self.verticalScrollBar().value()
        shown = [self.document.selected, *self.document.also]
        same = self.sheet is not None and self.property("thing") == shown
        self.sheet = self._make()
        self.sheet.action_wanted.connect(self.action_wanted)
        self.sheet.pulled.connect(self._pulled)
        self.sheet.anew_wanted.connect(self._later.start)
        self.setProperty("thing", shown)
        show_in(self, self.sheet)
        if same:
            self.verticalScrollBar().setValue(scrolled)

    def _pulled(self, held: bool) -> None:
        """While a word is pulled the sheet stays, and what is done is one step."""
        self._held = held
        self.document.gesture = "pull a number" if held else ""
        if not held:
            self.document.settle()
            self.rebuild()

    def show_number(self, channel: ChannelKey) -> None:
        """Show a number (key) of a thing, its field ready to be typed into."""
        self.document.select(split(channel)[0])
        self.leave()
        self.rebuild()
        if self.sheet is not None:
            self.sheet.reveal(channel)
        for field in self.findChildren(QuantityField):
            if field.property("channel") == channel:
                self.ensureWidgetVisible(field)
                field.setFocus()

    def open_joint(self) -> None:
        """Open the choice of joints, where a part is shown."""
        self.rebuild()
        for box in self.findChildren(QComboBox):
            if box.accessibleName() == "Joint":
                box.setFocus()
                box.showPopup()

    def _make(self) -> Sheet:
        thing = self.document.selected
        if self.document.also:
            return _several(self)
        for field, make in SHEETS.items():
            if thing in getattr(self.document.rig, field):
                sheet = make(self, thing)
                sheet.formula_wanted.connect(self.write_formula)
                sheet.lead_wanted.connect(self.lead_wanted)
                return sheet
        return self._rig_sheet()

    def _rig_sheet(self) -> Sheet:
        rig = self.document.rig
        sheet = Sheet()
        sheet.add(title_field(rig.name, "Name", self._rename_rig))
        counts = [
            counted_words(len(things), word)
            for things, word in (
                (rig.parts, "part"),
                (rig.controls, "control"),
                (rig.links, "link"),
            )
        ]
        sheet.add(second(f"rig, {', '.join(counts)}"))
        if rig.parts:
            units = choice(list(_LENGTHS), _length_word(rig), "Lengths in", self._set_lengths)
            sheet.row("Lengths in", units)
            for measure_id, measure in rig.measures.items():
                show = partial(self.document.select, measure_id)
                sheet.add(Slab(self.inks, "measure", measure.name, "", show))
            for path_id, path in rig.paths.items():
                show = partial(self.document.select, path_id)
                sheet.add(Slab(self.inks, "path", path.name, path.kind, show))
            for strand_id, strand in rig.strands.items():
                show = partial(self.document.select, strand_id)
                sheet.add(Slab(self.inks, "strand", strand.name, strand.kind, show))
            for tread_id, tread in rig.treads.items():
                show = partial(self.document.select, tread_id)
                sheet.add(Slab(self.inks, "tread", tread.name, "", show))
            sheet.add(second("\n" + EMPTY))
        else:
            sheet.add(second("\n" + BEGIN))
            for words, action in _BEGIN:
                sheet.add(verb(words, partial(self.action_wanted.emit, action)))
        sheet.end()
        return sheet

    def _rename_rig(self, name: str) -> None:
        self.document.edit("rename the rig", lambda rig: rename_rig(rig, name))

    def _set_lengths(self, word: str) -> None:
        """Show all lengths in another unit; nothing else changes."""
        unit = _LENGTHS[word]
        if unit != self.document.rig.lengths:
            self.document.edit("unit of lengths", lambda rig: set_lengths(rig, unit))

    def _take_pose(self) -> None:
        if self.sheet is not None and not self._later.isActive():
            self.sheet.take_pose()


def _length_word(rig: Rig) -> str:
    return next(word for word, unit in _LENGTHS.items() if unit == rig.lengths)


# ── the sheets, loaded when one is first shown, which is after the first frame ──


def _several(card: Card) -> Sheet:
    from gremio.desktop.card.several_sheet import SeveralSheet

    return SeveralSheet(card.document, card.inks)


def _part(card: Card, thing: ThingId) -> FormSheet:
    from gremio.desktop.card.part_sheet import PartSheet

    return PartSheet(card.document, card.bench, PartId(thing), card.inks)


def _control(card: Card, thing: ThingId) -> FormSheet:
    from gremio.desktop.card.control_sheet import ControlSheet

    return ControlSheet(card.document, thing, card.inks)


def _link(card: Card, thing: ThingId) -> FormSheet:
    from gremio.desktop.card.link_sheet import LinkSheet

    return LinkSheet(card.document, thing, card.inks)


def _measure(card: Card, thing: ThingId) -> FormSheet:
    from gremio.desktop.card.measure_sheet import MeasureSheet

    return MeasureSheet(card.document, thing, card.inks)


def _strut(card: Card, thing: ThingId) -> FormSheet:
    from gremio.desktop.card.strut_sheet import StrutSheet

    return StrutSheet(card.document, thing, card.inks)


def _constraint(card: Card, thing: ThingId) -> FormSheet:
    from gremio.desktop.card.constraint_sheet import ConstraintSheet

    return ConstraintSheet(card.document, thing, card.inks)


def _strand(card: Card, thing: ThingId) -> FormSheet:
    from gremio.desktop.card.strand_sheet import StrandSheet

    return StrandSheet(card.document, thing, card.inks)


def _tread(card: Card, thing: ThingId) -> FormSheet:
    from gremio.desktop.card.tread_sheet import TreadSheet

    return TreadSheet(card.document, thing, card.inks, card.bench)


def _path(card: Card, thing: ThingId) -> FormSheet:
    from gremio.desktop.card.path_sheet import PathSheet

    return PathSheet(card.document, thing, card.inks)


def _closure(card: Card, thing: ThingId) -> FormSheet:
    from gremio.desktop.card.closure_sheet import ClosureSheet

    return ClosureSheet(card.document, thing, card.inks)


# What is shown of a thing, by where it stands in the rig.
SHEETS: dict[str, Callable[[Card, ThingId], FormSheet]] = {
    "parts": _part,
    "controls": _control,
    "links": _link,
    "measures": _measure,
    "struts": _strut,
    "constraints": _constraint,
    "strands": _strand,
    "treads": _tread,
    "paths": _path,
    "closures": _closure,
}
