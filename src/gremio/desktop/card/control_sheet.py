"""The Card of a control: what it is, value, range, home, what is read on it, and its face."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from typing import get_args

from msgspec.structs import replace
from PyQt6.QtWidgets import QWidget

from gremio.core.edit.controls import change_control, remove_control, set_kind
from gremio.core.edit.desk import groups_of, make_into, place_control
from gremio.core.edit.ranges import fitted_links, set_range
from gremio.core.inspect.ranges import fitted_words, proportion_words
from gremio.core.inspect.reach import Reach, ends_at_led_stop, reach_of, told, with_range
from gremio.core.quantity import UNITS, Kind, show_number_short, units_of
from gremio.core.rig.channels import key
from gremio.core.rig.ids import ThingId
from gremio.core.rig.model import Control, ControlMake, LabelSide, Rig
from gremio.core.rig.numbers import ENDS
from gremio.core.rig.scales import decimals_read, meant, reads
from gremio.core.typed import parse_list
from gremio.desktop.actions.channel_menu import channel_menu, is_led
from gremio.desktop.actions.hints import with_key
from gremio.desktop.card.driving_section import driving_section
from gremio.desktop.card.face_section import face_section
from gremio.desktop.card.form_sheet import FormSheet
from gremio.desktop.card.forms import (
    Act,
    Amount,
    Check,
    Field,
    Head,
    Line,
    Number,
    Own,
    Pick,
    Rule,
    Several,
    Title,
    Words,
)
from gremio.desktop.card.links import leading_on, leads_section, led_section
from gremio.desktop.card.timed import timed_section
from gremio.desktop.document.change import Offer
from gremio.desktop.document.document import Document
from gremio.desktop.fields.pieces import LedMark
from gremio.desktop.fields.reading_field import value_field
from gremio.desktop.theme.inks import Inks

KINDS: tuple[Kind, ...] = get_args(Kind)


class ControlSheet(FormSheet):
    """What is known of one control."""

    change = staticmethod(change_control)

    def __init__(self, document: Document, control: ThingId, inks: Inks) -> None:
        super().__init__(document, control, inks)
        entry = self.entry
        makes = {make: make for make in get_args(ControlMake)}
        units = {unit or "none": unit for unit in units_of(entry.kind)}
        symbol = UNITS[entry.unit].symbol
        self.lay(
            Title(self.get("name"), self.set("name"), [Act("Remove this control", self._remove)]),
            Words(f"control, {entry.make}"),
            leading_on(document, control, self.action_wanted.emit),
            Act("Go home", self._go_home, with_key("Bring it home", "hand.home")),
            Rule(),
            Own(partial(self._value_fields, entry), "Value"),
            Several(f"Range {symbol}".rstrip(), [
                Number("", key(control, f"{end} end"), f"{end.capitalize()} end", bare=True,
                       help=f"{end.capitalize()} end", put=partial(self._set_end, end))
                for end in ENDS
            ]),
            Check("Goes on beyond its range", self.get("open"), self._set_open, "open ends"),
            self._reach(entry),
            self._home(entry),
            self._notches(entry),
            driving_section(self, control),
            led_section(document, control),
            leads_section(document, control),
            timed_section(document, control),
            Head("What it is", self._is, folded=True),
            Pick("Made as", makes, self.get("make"), self._make_into, "make", "Made as"),
            Pick("Kind", {kind: kind for kind in KINDS}, self.get("kind"), self._set_kind, "kind"),
            Pick("Unit", units, self.get("unit"), self.set("unit"), "unit"),
            Several("Read as", [self._read_as(0), self._read_as(1)]),
            Line("in", self.get("scale_unit"), self.set("scale_unit"), "unit of what is read",
                 "Unit of what is read", "any word, or none") if entry.scale is not None else None,
            Check("Springs home when let go", self.get("springs"), self.set("springs"), "spring")
            if entry.make == "lever"
            else None,
            Head("On the Desk", entry.group or "in no group", folded=True),
            self._place(),
            face_section(self, control),
        )  # fmt: skip
        self.end()
        self.take_pose()

    @property
    def entry(self) -> Control:
        """The control as it is now."""
        return self.document.rig.controls[self.thing]

    def _changed(self, rig: Rig, **fields: object) -> Rig:
        return change_control(rig, self.thing, replace(rig.controls[self.thing], **fields))

    # ── what is shown ──────────────────────────────────────────────

    def _is(self) -> str:
        """What it is made as, and what it is read in."""
        entry = self.entry
        unit = "" if entry.scale is not None else UNITS[entry.unit].symbol
        read = f"{entry.scale[0]:g} to {entry.scale[1]:g}" if entry.scale is not None else ""
        return ", ".join(word for word in (entry.make, entry.kind, unit, read) if word)

    def _go_home(self) -> None:
        self.document.send_home([self.thing])

    def _value_fields(self, entry: Control) -> list[QWidget]:
        """Its value as it is read on it, on a scale of its own where it has one."""
        self.value = value_field(entry, "Value", self)
        self.value.committed.connect(lambda v: self._move_to(meant(entry, v)))
        self.value.refused.connect(self.document.said)
        self.value.answers = partial(self.document.asked_number, key(self.thing))
        self.value.offer = channel_menu(
            self.document, self.thing, self.formula_wanted.emit, self.lead_wanted.emit
        )
        pose = self.document
        self._again.append(
            lambda: self.value.set_value(reads(self.entry, pose.pose.at(self.thing)))
        )
        mark = LedMark(self.document, self.thing, self.inks)
        write = self.formula_button(self.thing, "the control")
        return [*([mark] if mark.is_led else []), self.value, write]

    def _move_to(self, value: float) -> None:
        self.document.move(self.thing, value)
        self.take_pose()

    def _reach(self, entry: Control) -> Iterator[Field]:
        """Where the machine stops before the range ends, and an offer to end it there."""
        document = self.document
        reach = reach_of(document.program, self.thing, document.pose)
        words = told(document.rig, self.thing, reach)
        if not words:
            return
        if ends_at_led_stop(document.program, reach):
            yield Words(lambda: told(document.rig, self.thing, self._reach_now()))
            return
        yield Words(f"{words}.")
        if not reach.stuck:
            fitted = with_range(entry, reach)
            fit = partial(self.edit, "range", lambda rig: change_control(rig, self.thing, fitted))
            yield Act("Let its range end there", fit,
                      "The range is what the machine can follow, from home")  # fmt: skip

    def _reach_now(self) -> Reach:
        return reach_of(self.document.program, self.thing, self.document.pose)

    def _home(self, entry: Control) -> Field:
        """Home, as it is read on it."""
        read = entry.scale is not None

        def put(rig: Rig, value: float) -> Rig:
            return self._changed(rig, home=meant(rig.controls[self.thing], value))

        return Amount(
            "Home", "number" if read else entry.kind,
            lambda rig: reads(rig.controls[self.thing], rig.controls[self.thing].home), put,
            "home", unit="" if read else entry.unit,
            decimals=max(decimals_read(entry), 1) if read else None,
        )  # fmt: skip

    def _set_open(self, rig: Rig, is_open: bool) -> Rig:
        return self._changed(rig, open=is_open)

    def _set_end(self, end: str, value: float) -> None:
        """Another end of the range: what is led stands at it where it stood at the old one. What
        goes with it is said, with the other way as one click."""
        document, control = self.document, self.thing
        entry = self.entry
        if is_led(document, key(control, f"{end} end")):
            self.take_pose()
            return
        ends = {"low": (value, entry.high), "high": (entry.low, value)}[end]
        fitted = fitted_links(document.rig, control)
        to_ends = partial(set_range, control_id=control, low=ends[0], high=ends[1])

        def keep_proportion() -> None:
            document.undo()
            self.edit("range", partial(to_ends, keeps="proportion"))

        done = self.edit("range", to_ends)
        document.settle()
        self.take_pose()
        if done and fitted:
            words = fitted_words(document.rig, control, fitted)
            other = proportion_words(entry, self.entry)
            document.offered.emit(Offer(words, other, keep_proportion))

    def _read_as(self, end: int) -> Amount:
        """The number read at one end, where it is not the machine's."""

        def get(rig: Rig) -> float | None:
            scale = rig.controls[self.thing].scale
            return None if scale is None else scale[end]

        def put(rig: Rig, value: float | None) -> Rig:
            if value is None:
                return self._changed(rig, scale=None)
            scale = list(rig.controls[self.thing].scale or (0.0, 100.0))
            scale[end] = value
            return self._changed(rig, scale=(scale[0], scale[1]))

        return Amount(
            "", "number", get, put, "scale", f"Read at the {('low', 'high')[end]} end",
            bare=True, optional=True, placeholder="same",
            help="What the animator reads at this end, for example 0 and 100",
        )  # fmt: skip

    def _notches(self, entry: Control) -> Iterator[Field]:
        def shown(rig: Rig) -> str:
            notches = rig.controls[self.thing].notches
            return "; ".join(show_number_short(n, entry.unit) for n in notches)

        def put(rig: Rig, text: str) -> Rig:
            notches = sorted(parse_list(text, entry.kind, entry.unit, "Notch"))
            return self._changed(rig, notches=tuple(notches))

        def named(rig: Rig, text: str) -> Rig:
            names = tuple(name.strip() for name in text.split(";") if name.strip())
            return self._changed(rig, positions=names)

        switch = entry.make == "switch"
        yield Line("Positions" if switch else "Notches", shown, put, "notches", "Notches",
                   "values to snap to", digits=True)  # fmt: skip
        if switch:
            yield Line("called", lambda rig: "; ".join(rig.controls[self.thing].positions), named,
                       "positions", "Names of the positions", "Shut; Open")  # fmt: skip

    def _place(self) -> Iterator[Field]:
        """Where it stands on the Desk, and on which side its name is."""
        sides = {side: side for side in get_args(LabelSide)}
        yield Pick("Name at", sides, self.get("label"), self.set("label"), "side of the name",
                   "Side of the name")  # fmt: skip
        yield Line("Group", self.get("group"),
                   lambda rig, text: self._changed(rig, group=text.strip()), "group")  # fmt: skip
        up = Act("up", partial(self._shift, -1), "One place up on the Desk")
        down = Act("down", partial(self._shift, 1), "One place down on the Desk")
        yield Several("Goes", [up, down])

    # ── edits ──────────────────────────────────────────────────────

    def _make_into(self, rig: Rig, make: ControlMake) -> Rig:
        return make_into(rig, self.thing, make)

    def _set_kind(self, rig: Rig, kind: Kind) -> Rig:
        return set_kind(rig, self.thing, kind)

    def _shift(self, by: int) -> None:
        rig = self.document.rig
        controls = [c for group in groups_of(rig).values() for c in group]
        now = controls.index(self.thing) if self.thing in controls else 0
        to = min(max(now + by, 0), len(controls) - 1)
        rest = [c for c in controls if c != self.thing]
        before = rest[to] if to < len(rest) else None
        group = rig.controls[controls[to]].group
        self.document.edit(
            f"place {self.name()} on the Desk",
            lambda r: place_control(r, self.thing, before, group),
        )

    def _remove(self) -> None:
        name = self.name()
        self.document.edit(f"remove {name}", lambda rig: remove_control(rig, self.thing))
