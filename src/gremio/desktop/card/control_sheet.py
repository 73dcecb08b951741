"""The Card of a control: value, range, home, unit, and what it leads."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PyQt6.QtWidgets import QLineEdit

from gremio.core.quantity import UNITS, USUAL_UNIT, Kind, QuantityError, parse, show_short, units_of
from gremio.core.rig.edit.controls import change_control, remove_control
from gremio.core.rig.model import Control
from gremio.desktop.card.links import add_link_sections
from gremio.desktop.card.rows import Sheet, choice, link_button, rule, second, title_field
from gremio.desktop.document import Document
from gremio.desktop.fields import QuantityField
from gremio.desktop.theme.dress import digit_font
from gremio.desktop.theme.inks import Inks

KINDS: tuple[Kind, ...] = ("angle", "length", "time", "number")
_NO_UNIT = "none"


class ControlSheet(Sheet):
    """What is known of one control."""

    def __init__(self, document: Document, control: str, inks: Inks) -> None:
        super().__init__()
        self.document, self.control = document, control
        entry = document.rig.controls[control]
        self.add(title_field(entry.name, "Name", lambda name: self._change("name", name=name)))
        self.add(second("control · slider"))
        self.add(rule())
        self.row("Kind", choice(KINDS, entry.kind, "Kind", self._set_kind))
        units = [unit or _NO_UNIT for unit in units_of(entry.kind)]
        self.row("Unit", choice(units, entry.unit or _NO_UNIT, "Unit", self._set_unit))
        self.value = self._field("Value", document.pose.at(control), self._move)
        self.row("Value", self.value)
        self.row(
            f"Range, {UNITS[entry.unit].symbol}".rstrip(", "),
            self._field("Low end", entry.low, lambda v: self._change("low end", low=v), True),
            self._field("High end", entry.high, lambda v: self._change("high end", high=v), True),
        )
        home = self._field("Home", entry.home, lambda v: self._change("home", home=v))
        self.row("Home", home)
        self.row("Notches", self._notches(entry))
        group = QLineEdit(entry.group)
        group.setAccessibleName("Group")
        group.editingFinished.connect(lambda: self._change("group", group=group.text().strip()))
        self.row("Group", group)
        add_link_sections(self, document, control, inks)
        self.add(link_button("Remove this control", self._remove))
        self.end()

    def take_pose(self) -> None:
        """Show where the control stands now."""
        self.value.set_value(self.document.pose.at(self.control))

    def _field(
        self, what: str, value: float, take: Callable[[float], object], bare: bool = False
    ) -> QuantityField:
        entry = self.document.rig.controls[self.control]
        field = QuantityField(entry.kind, entry.unit, what, self)
        field.bare = bare
        field.set_value(value)
        field.committed.connect(take)
        field.refused.connect(self.document.said)
        return field

    def _notches(self, entry: Control) -> QLineEdit:
        field = QLineEdit("  ".join(show_short(n, entry.unit).split(" ")[0] for n in entry.notches))
        field.setFont(digit_font(8.5))
        field.setPlaceholderText("values to snap to")
        field.setAccessibleName("Notches")
        field.setCursorPosition(0)
        field.editingFinished.connect(lambda: self._set_notches(field))
        return field

    def _set_notches(self, field: QLineEdit) -> None:
        if not field.isModified():
            return
        entry = self.document.rig.controls[self.control]
        try:
            words = field.text().replace(";", " ").split()
            notches = tuple(sorted(parse(word, entry.kind, entry.unit, "Notch") for word in words))
        except QuantityError as problem:
            self.document.said.emit(str(problem))
            return
        field.setModified(False)
        self._change("notches", notches=notches)

    def _move(self, value: float) -> None:
        self.document.move(self.control, value)
        self.take_pose()

    def _change(self, what: str, **fields: object) -> None:
        entry = self.document.rig.controls.get(self.control)
        if entry is None:
            return
        changed = replace(entry, **fields)
        if not self.document.edit(
            f"{what} of {entry.name}", lambda rig: change_control(rig, self.control, changed)
        ):
            self.document.selection_changed.emit()

    def _set_kind(self, text: str) -> None:
        entry = self.document.rig.controls[self.control]
        kind = next(kind for kind in KINDS if kind == text)
        if kind != entry.kind:
            self._change("kind", kind=kind, unit=USUAL_UNIT[kind], notches=())

    def _set_unit(self, text: str) -> None:
        self._change("unit", unit="" if text == _NO_UNIT else text)

    def _remove(self) -> None:
        name = self.document.rig.controls[self.control].name
        self.document.edit(f"remove {name}", lambda rig: remove_control(rig, self.control))
