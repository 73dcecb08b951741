"""The Card of a control: what it is, value, range, home, what is read on it, and its face."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import get_args

from msgspec.structs import replace
from PyQt6.QtWidgets import QCheckBox, QLineEdit

from gremio.core.inspect.reach import reach_of, told, with_range
from gremio.core.quantity import UNITS, USUAL_UNIT, Kind, QuantityError, parse, show_short, units_of
from gremio.core.rig.edit.controls import change_control, remove_control
from gremio.core.rig.edit.desk import groups_of, make_into, place_control
from gremio.core.rig.model import Control, ControlMake, LabelSide
from gremio.core.rig.scales import meant, reads
from gremio.desktop.card.face_section import FaceSection
from gremio.desktop.card.links import add_link_sections
from gremio.desktop.card.rows import Sheet, choice, link_button, rule, second, title_field
from gremio.desktop.copying import copying_menu
from gremio.desktop.desk.instrument import value_field
from gremio.desktop.document import Document
from gremio.desktop.fields import OptionalField, QuantityField
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
        self.add(second(f"control · {entry.make}"))
        self.add(rule())
        makes = get_args(ControlMake)
        self.row("Made as", choice(makes, entry.make, "Made as", self._set_make))
        self.row("Kind", choice(KINDS, entry.kind, "Kind", self._set_kind))
        units = [unit or _NO_UNIT for unit in units_of(entry.kind)]
        self.row("Unit", choice(units, entry.unit or _NO_UNIT, "Unit", self._set_unit))
        self.value = value_field(entry, "Value", self)
        self.value.committed.connect(lambda v: self._move(meant(entry, v)))
        self.value.refused.connect(document.said)
        self.value.offer = copying_menu(document, control)
        self.row("Value", self.value)
        self.row(
            f"Range, {UNITS[entry.unit].symbol}".rstrip(", "),
            self._field("Low end", entry.low, lambda v: self._change("low end", low=v), True),
            self._field("High end", entry.high, lambda v: self._change("high end", high=v), True),
        )
        self._add_reach(entry)
        self.row("Read as", self._read_as(entry, 0), self._read_as(entry, 1))
        home = self._field("Home", entry.home, lambda v: self._change("home", home=v))
        self.row("Home", home)
        self._add_notches(entry)
        if entry.make == "lever":
            springs = QCheckBox("Springs home when let go")
            springs.setChecked(entry.springs)
            springs.toggled.connect(lambda on: self._change("spring", springs=on))
            self.add(springs)
        self._add_place(entry)
        add_link_sections(self, document, control, inks)
        FaceSection(self, document, control)
        self.add(link_button("Remove this control", self._remove))
        self.end()
        self.take_pose()

    def take_pose(self) -> None:
        """Show where the control stands now."""
        entry = self.document.rig.controls.get(self.control)
        if entry is not None:
            self.value.set_value(reads(entry, self.document.pose.at(self.control)))

    # ── what is shown ──────────────────────────────────────────────

    def _add_reach(self, entry: Control) -> None:
        """Where the machine stops before the range ends, and an offer to end it there."""
        reach = reach_of(self.document.program, self.control)
        words = told(self.document.rig, self.control, reach)
        if not words:
            return
        self.add(second(f"{words}."))
        if not reach.stuck:
            fitted = with_range(entry, reach)
            self.add(
                link_button(
                    "Let its range end there",
                    lambda: self._put("range", fitted),
                    "The range is what the machine can follow, from home",
                )
            )

    def _read_as(self, entry: Control, end: int) -> OptionalField:
        """The number read at one end, where it is not the machine's."""
        word = ("low", "high")[end]
        field = OptionalField("number", "", f"Read at the {word} end", self)
        field.bare = True
        field.setPlaceholderText("same")
        field.set_value(None if entry.scale is None else entry.scale[end])
        field.committed.connect(lambda v: self._set_scale(end, v))
        field.cleared.connect(lambda: self._change("scale", scale=None))
        field.refused.connect(self.document.said)
        field.setToolTip("What the animator reads at this end, for example 0 and 100")
        return field

    def _add_notches(self, entry: Control) -> None:
        switch = entry.make == "switch"
        self.row("Positions" if switch else "Notches", self._notches(entry))
        if switch:
            names = QLineEdit("; ".join(entry.positions))
            names.setAccessibleName("Names of the positions")
            names.setPlaceholderText("Shut; Open")
            names.editingFinished.connect(lambda: self._set_positions(names))
            self.row("called", names)

    def _add_place(self, entry: Control) -> None:
        """Where it stands on the Desk, and on which side its name is."""
        sides = get_args(LabelSide)
        self.row("Name at", choice(sides, entry.label, "Side of the name", self._set_side))
        group = QLineEdit(entry.group)
        group.setAccessibleName("Group")
        group.editingFinished.connect(lambda: self._change("group", group=group.text().strip()))
        self.row("Group", group)
        up = link_button("up", partial(self._shift, -1), "One place up on the Desk")
        down = link_button("down", partial(self._shift, 1), "One place down on the Desk")
        self.row("On the Desk", up, down)

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

    # ── edits ──────────────────────────────────────────────────────

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

    def _set_positions(self, field: QLineEdit) -> None:
        if not field.isModified():
            return
        field.setModified(False)
        names = tuple(name.strip() for name in field.text().split(";") if name.strip())
        self._change("positions", positions=names)

    def _set_scale(self, end: int, number: float) -> None:
        entry = self.document.rig.controls[self.control]
        scale = list(entry.scale or (0.0, 100.0))
        scale[end] = number
        self._change("scale", scale=(scale[0], scale[1]))

    def _set_side(self, text: str) -> None:
        side = next(side for side in get_args(LabelSide) if side == text)
        self._change("side of the name", label=side)

    def _set_make(self, text: str) -> None:
        make = next(make for make in get_args(ControlMake) if make == text)
        name = self.document.rig.controls[self.control].name
        self.document.edit(f"make {name} a {make}", lambda rig: make_into(rig, self.control, make))

    def _shift(self, by: int) -> None:
        rig = self.document.rig
        groups = groups_of(rig)
        controls = [c for group in groups.values() for c in group]
        now = controls.index(self.control) if self.control in controls else 0
        to = min(max(now + by, 0), len(controls) - 1)
        rest = [c for c in controls if c != self.control]
        before = rest[to] if to < len(rest) else None
        group = rig.controls[controls[to]].group
        name = rig.controls[self.control].name
        self.document.edit(
            f"place {name} on the Desk", lambda r: place_control(r, self.control, before, group)
        )

    def _move(self, value: float) -> None:
        self.document.move(self.control, value)
        self.take_pose()

    def _change(self, what: str, **fields: object) -> None:
        entry = self.document.rig.controls.get(self.control)
        if entry is not None:
            self._put(what, replace(entry, **fields))

    def _put(self, what: str, changed: Control) -> None:
        name = self.document.rig.controls[self.control].name
        if not self.document.edit(
            f"{what} of {name}", lambda rig: change_control(rig, self.control, changed)
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
