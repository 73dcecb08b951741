"""The widgets of a Card's declared fields: how each is shown, and what happens to what is typed."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any, ClassVar

from msgspec.structs import replace
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QPushButton, QWidget

from gremio.core.edit.numbers import set_number
from gremio.core.quantity import USUAL_UNIT, Kind
from gremio.core.rig.channels import split
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.lengths import length_unit
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import full_label, number, shown_unit
from gremio.core.rig.things import thing_of
from gremio.desktop.actions.channel_menu import channel_menu, is_led, make_control_of
from gremio.desktop.card.forms import Act, Amount, Check, Line, Menu, Number, Pick
from gremio.desktop.document.document import Document, Edit
from gremio.desktop.document.timing import AS_BEFORE
from gremio.desktop.fields.pieces import (
    LedMark,
    Sheet,
    WideCheck,
    choice,
    menu_button,
    narrow_field,
    verb,
)
from gremio.desktop.fields.quantity_field import OptionalField, QuantityField
from gremio.desktop.fields.text_field import TextField
from gremio.desktop.theme.dress import digit_font
from gremio.desktop.theme.inks import Inks


class FieldSheet(Sheet):
    """What makes the widgets of declared fields, on one thing of the rig.

    formula_wanted: a formula for a number (key) should be written. lead_wanted: a number should
    lead what is clicked next. change: the edit that puts another thing in the place of the one of
    an id.
    """

    change: ClassVar[staticmethod[[Rig, ThingId, Any], Rig]]
    formula_wanted = pyqtSignal(str)
    lead_wanted = pyqtSignal(str)

    def __init__(self, document: Document, thing: ThingId, inks: Inks) -> None:
        super().__init__()
        self.document, self.thing, self.inks = document, thing, inks
        # By whose size the unit of lengths goes.
        self.owner: ThingId = thing
        # What brings each field back in step with the rig, and with the pose.
        self._again: list[Callable[[], None]] = []

    # ── what hands do ──────────────────────────────────────────────

    def of(self, rig: Rig) -> Any:
        """The thing as a rig has it."""
        found = thing_of(rig, self.thing)
        assert found is not None, self.thing
        return found.of(rig)[self.thing]

    def get(self, field: str) -> Callable[[Rig], Any]:
        """What reads one of its settings."""
        return lambda rig: getattr(self.of(rig), field)

    def set(self, field: str) -> Callable[[Rig, Any], Rig]:
        """What changes one of its settings."""

        def put(rig: Rig, value: object) -> Rig:
            changed: Rig = self.change(rig, self.thing, replace(self.of(rig), **{field: value}))
            return changed

        return put

    def name(self) -> str:
        """What the thing is called, for undo; "" for one without a name."""
        return getattr(self.of(self._rig), "name", "")

    def edit(self, what: str, change: Edit) -> bool:
        """Make an edit on the thing; a refused one is said, and the fields show what is."""
        name = self.name()
        done = self.document.edit(f"{what} of {name}" if name else what, change)
        if not done:
            self.take_pose()
        return done

    def take_pose(self) -> None:
        """Show where everything stands now."""
        if self.is_there():
            for again in self._again:
                again()

    def is_there(self) -> bool:
        """Whether the thing is still in the rig: the Card is made anew a moment later."""
        return self.document.knows(self.thing)

    @property
    def _rig(self) -> Rig:
        return self.document.rig

    # ── one field ─────────────────────────────────────────────────

    def _widgets(self, field: Number | Amount | Pick | Line | Act | Menu) -> list[QWidget]:
        match field:
            case Number():
                return self._number(field)
            case Amount():
                return [self._amount(field)]
            case Pick():
                return self._pick_of_number(field) if field.key else [self._pick(field)]
            case Line():
                return [self._line(field)]
            case Act():
                return [self._button(field)]
            case Menu():
                return [self._dots(field)]

    def _button(self, field: Act) -> QWidget:
        button = verb(field.words, field.do, field.help, main=field.main)
        if field.name:
            button.setAccessibleName(field.name)
        if field.narrow:
            button.setFixedWidth(20)
        return button

    def _dots(self, field: Menu) -> QPushButton:
        entries = {entry: partial(field.chosen, entry) for entry in field.entries}
        button = menu_button(field.words, field.name or field.words, entries, field.help)
        if field.words == "⋯":
            button.setProperty("verb", False)
            button.setProperty("dots", True)
        return button

    def usual_unit(self, kind: Kind) -> str:
        """The unit that a quantity of the thing is shown in, where none is chosen for it."""
        return length_unit(self._rig, self.owner) if kind == "length" else USUAL_UNIT[kind]

    # ── numbers that are channels ──────────────────────────────────

    def _number(self, field: Number) -> list[QWidget]:
        """A field, a mark before it where something leads it, and the way to a formula."""
        found = number(self._rig, field.key)
        assert found is not None, field.key
        name = field.name or full_label(self._rig, field.key)
        unit = shown_unit(self._rig, field.key)
        made = OptionalField if field.optional else QuantityField
        typed = made(found.kind, unit, name, self)
        typed.refused.connect(self.document.said)
        typed.whole, typed.bare = found.whole, field.bare
        typed.setToolTip(field.help)
        if isinstance(typed, OptionalField):
            typed.setPlaceholderText("none")
            typed.cleared.connect(lambda: self._clear(field.key))
        typed.committed.connect(field.put or partial(self._move, field.key))
        typed.offer = channel_menu(
            self.document, field.key, self.formula_wanted.emit, self.lead_wanted.emit
        )
        typed.setProperty("channel", field.key)
        typed.answers = partial(self.document.asked_number, field.key)
        typed.acts = {
            "c": partial(make_control_of, self.document, field.key),
            "l": partial(self.lead_wanted.emit, field.key),
        }
        mark = LedMark(self.document, field.key, self.inks)

        def again() -> None:
            value = self.document.pose.at(field.key) if number(self._rig, field.key) else 0.0
            typed.set_value(value if abs(value) < float("inf") else None)
            before = self.document.timing.shown_as_before(field.key)
            typed.mark("before", before)
            typed.setToolTip(AS_BEFORE if before else field.help)

        self._again.append(again)
        again()
        widgets: list[QWidget] = [mark] if mark.is_led else []
        return [*widgets, typed, self.formula_button(field.key, name)]

    def formula_button(self, channel: ChannelKey, name: str) -> QWidget:
        """What opens the Card on which a formula for a number is written."""
        write = verb("=", partial(self.formula_wanted.emit, channel))
        write.setToolTip("Write a formula for it")
        write.setProperty("verb", False)
        write.setProperty("dots", True)
        write.setFixedWidth(18)
        write.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        write.setAccessibleName(f"Formula for {split(channel)[1] or name}")
        return write

    def _pick_of_number(self, field: Pick) -> list[QWidget]:
        """Yes or no that is a channel as well: what leads it is shown, and it can't be chosen
        then."""
        box, mark = self._pick(field), LedMark(self.document, field.key, self.inks)
        offer = channel_menu(
            self.document, field.key, self.formula_wanted.emit, self.lead_wanted.emit
        )
        box.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        box.customContextMenuRequested.connect(lambda at: offer(box).popup(box.mapToGlobal(at)))
        # What is led is chosen where it is led from.
        box.setEnabled(not mark.is_led)
        words = {float(value): text for text, value in field.entries.items()}

        def again() -> None:
            box.setCurrentText(words[float(self.document.pose.at(field.key) >= 0.5)])

        self._again.append(again)
        again()
        widgets: list[QWidget] = [mark] if mark.is_led else []
        return [*widgets, box, self.formula_button(field.key, field.word)]

    def _move(self, channel: ChannelKey, value: float) -> None:
        self.document.move(channel, value)
        self.document.settle()
        self.take_pose()

    def _clear(self, channel: ChannelKey) -> None:
        free = -float("inf") if split(channel)[1].startswith("low") else float("inf")
        name = full_label(self._rig, channel)
        if is_led(self.document, channel) or not self.document.edit(
            name, lambda rig: set_number(rig, channel, free)
        ):
            self.take_pose()

    # ── other fields ───────────────────────────────────────────────

    def _amount(self, field: Amount) -> QuantityField:
        name, unit = field.name or field.word, field.unit
        if field.narrow:
            typed = narrow_field(self.document, self, field.kind, name)
            typed.unit = self.usual_unit(field.kind)
        else:
            made = OptionalField if field.optional else QuantityField
            shown = self.usual_unit(field.kind) if unit is None else unit
            typed = made(field.kind, shown, name, self)
            typed.refused.connect(self.document.said)
        if unit is not None:
            typed.unit = unit
        typed.bare = field.bare or field.narrow
        typed.decimals = field.decimals
        typed.setToolTip(field.help or (name if field.narrow else ""))
        typed.setPlaceholderText(field.placeholder)

        def again() -> None:
            typed.set_value(field.get(self._rig))

        def take(value: float | None) -> None:
            if not self.edit(field.what, lambda rig: field.set(rig, value)):
                again()

        typed.committed.connect(take)
        if isinstance(typed, OptionalField):
            typed.cleared.connect(lambda: take(None))
        self._again.append(again)
        again()
        return typed

    def _pick(self, field: Pick) -> QComboBox:
        words = {value: text for text, value in field.entries.items()}

        def present() -> str:
            return words.get(field.get(self._rig), "")

        def chosen(text: str) -> None:
            value = field.entries[text]
            if value == field.get(self._rig):
                return
            if not self.edit(field.what, lambda rig: field.set(rig, value)):
                box.setCurrentText(present())

        box = choice(list(field.entries), present(), field.name or field.word, chosen)
        return box

    def _line(self, field: Line) -> TextField:
        line = TextField(field.get(self._rig), field.name or field.word)
        line.setPlaceholderText(field.placeholder)
        if field.digits:
            line.setFont(digit_font(8.5))

        def done(text: str) -> None:
            # What is refused stays to be mended where it was typed.
            if self.document.edit(self._what(field.what), lambda rig: field.set(rig, text)):
                line.taken()

        line.typed.connect(done)
        return line

    def _what(self, what: str) -> str:
        name = self.name()
        return f"{what} of {name}" if name else what

    def _check(self, field: Check) -> QCheckBox:
        box = WideCheck(field.word)
        box.setChecked(field.get(self._rig))

        def toggled(on: bool) -> None:
            if not self.edit(field.what, lambda rig: field.set(rig, on)):
                box.blockSignals(True)
                box.setChecked(field.get(self._rig))
                box.blockSignals(False)

        box.toggled.connect(toggled)
        return box
