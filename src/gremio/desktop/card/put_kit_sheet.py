"""The Card on which a kit is put in: its dimensions, where it stands, and what leads it."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
from PyQt6.QtWidgets import QLabel, QSizePolicy, QWidget

from gremio.core.arrays import Array
from gremio.core.files.kits import put_kit
from gremio.core.frames import Frame, carried, matrix, triple, turn_of_angles
from gremio.core.make.kit_in import with_sizes
from gremio.core.problem import GremioError, listed
from gremio.core.quantity import Kind
from gremio.core.rig.channels import split
from gremio.core.rig.ids import NOTHING, ChannelKey, PartId, ThingId
from gremio.core.rig.ids import part as as_part
from gremio.core.rig.model import Kit, Rig, Socket
from gremio.core.rig.numbers import full_label, kind_of, number, shown_unit
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate
from gremio.desktop.actions.kit_questions import KitCarrier, KitLead, KitPlace
from gremio.desktop.bench.scene import box_edges, scene_of
from gremio.desktop.bench.view import Bench
from gremio.desktop.document.document import Document
from gremio.desktop.fields.pieces import Sheet, heading, narrow_field, rule, second, title, verb
from gremio.desktop.fields.quantity_field import QuantityField

_GROUND = "the ground"
_OWN = "its own control"
_AXES = ("x", "y", "z")


class PutKitSheet(Sheet):
    """Asks what a kit asks; a ghost on the Bench shows where it would stand."""

    def __init__(
        self, document: Document, bench: Bench, kit: Rig, path: Path, done: Callable[[], None]
    ) -> None:
        super().__init__()
        self.document, self.bench, self.kit, self.path = document, bench, kit, path
        self._done = done
        self.on: PartId | None = None
        self.answers: dict[ThingId, PartId | ChannelKey] = {}
        # Where what is tied at a point stands in what was clicked for it.
        self.tied: dict[ThingId, Frame] = {}
        self._answered: dict[ThingId, QLabel] = {}
        self._sizes: dict[ChannelKey, QuantityField] = {}
        told = kit.kit or Kit()
        self.add(title(f"Put in {kit.name}"))
        if told.about:
            self.add(second(told.about))
        if told.dimensions:
            self.add(rule())
            self.add(heading("Dimensions"))
            for channel in told.dimensions:
                self._add_dimension(channel)
        self.add(rule())
        self.add(heading("It stands"))
        self.stands = _words(_GROUND)
        where = verb("click", self._ask_place, "Click a part, or the ground, in the Bench")
        where.setAccessibleName("Click what the kit stands on")
        self.row("on", self.stands, where)
        self.places = [self._number("length", axis) for axis in _AXES]
        self.row("at, m", *self.places)
        self.turned = self._number("angle", "turn")
        self.turned.bare = False
        self.row("turned", self.turned)
        for socket in told.sockets:
            if socket.thing in kit.parts and socket.thing != self._main(told):
                self._add_carrier(socket)
        asked = {split(c)[0] for c in told.dimensions}
        others = [c for c in kit.controls if c not in asked]
        if others:
            self.add(rule())
            self.add(heading("Led by"))
            for control in others:
                self._add_lead(control)
        self.add(rule())
        self.add(verb("Put it in", self._make, "Ctrl Z takes it out again", main=True))
        self.add(verb("Leave it", done, "Escape"))
        self.end()
        self._show()

    @staticmethod
    def _main(told: Kit) -> ThingId:
        """What stands for what the whole kit stands on."""
        return told.sockets[0].thing if told.sockets else NOTHING

    def _number(self, kind: Kind, what: str) -> QuantityField:
        field = narrow_field(self.document, self, kind, f"Where the kit stands, {what}")
        field.set_value(0.0)
        field.committed.connect(lambda _value: self._show())
        _no_wider(field)
        return field

    def _add_dimension(self, channel: ChannelKey) -> None:
        found = number(self.kit, channel)
        if found is None:
            return
        name = full_label(self.kit, channel)
        field = QuantityField(kind_of(self.kit, channel), shown_unit(self.kit, channel), name, self)
        field.whole = found.whole
        field.set_value(self.kit.at.get(channel, found.home))
        field.refused.connect(self.document.said)
        field.committed.connect(lambda _value: self._show())
        _no_wider(field)
        self._sizes[channel] = field
        self.row(name, field)

    def _add_carrier(self, socket: Socket) -> None:
        part = as_part(socket.thing)
        name = self.kit.parts[part].name
        words = _words("as the kit stands")
        self._answered[part] = words
        ask = verb("click", partial(self._ask_carrier, socket))
        ask.setAccessibleName(f"Click what carries {name}")
        self.row(name, words, ask)

    def _add_lead(self, control: ThingId) -> None:
        entry = self.kit.controls[control]
        words = _words(_OWN)
        self._answered[control] = words
        ask = verb("click", partial(self._ask_lead, control))
        ask.setAccessibleName(f"Click what leads in place of {entry.name}")
        self.row(entry.name, words, ask)

    # ── what hands do ──────────────────────────────────────────────

    def _ask_place(self) -> None:
        self.bench.ask(KitPlace(self.document, self.kit.name, self._take_place))

    def _take_place(self, part: PartId | None, place: Array | None) -> None:
        self.on = part
        self.stands.setText(_GROUND if part is None else self.document.rig.parts[part].name)
        at = np.zeros(3)
        if place is not None:
            frame = self.document.pose.frame_of(part)
            at = carried(np.linalg.inv(frame), np.asarray(place, dtype=float))
        for field, value in zip(self.places, at, strict=True):
            field.set_value(round(float(value), 4))
        self._show()

    def _ask_carrier(self, socket: Socket) -> None:
        def take(part: PartId, place: Array | None) -> None:
            self.answers[socket.thing] = part
            self._answered[socket.thing].setText(self.document.rig.parts[part].name)
            if socket.placed and place is not None:
                inverse = np.linalg.inv(self.document.pose.frame_of(part))
                at = carried(inverse, np.asarray(place, dtype=float))
                self.tied[socket.thing] = Frame(triple(at))

        self.bench.ask(KitCarrier(self.document, socket.asks, take))

    def _ask_lead(self, control: ThingId) -> None:
        entry = self.kit.controls[control]

        def take(channel: ChannelKey) -> None:
            self.answers[control] = channel
            self._answered[control].setText(full_label(self.document.rig, channel))

        asks = f"what leads in place of {entry.name}"
        self.bench.ask(KitLead(self.document, asks, entry.kind, take))

    def _at(self) -> Frame:
        x, y, z = (field.value or 0.0 for field in self.places)
        return Frame(triple((x, y, z)), turn_of_angles((0.0, 0.0, self.turned.value or 0.0)))

    def _asked(self) -> dict[ChannelKey, float]:
        return {channel: field.value for channel, field in self._sizes.items()
                if field.value is not None}  # fmt: skip

    def _show(self) -> None:
        """Show where it would stand, as large as it would be."""
        if self.on is not None and self.on not in self.document.rig.parts:
            # What it was to stand on was taken out meanwhile.
            self.on = None
            self.stands.setText(_GROUND)
        surface = partial(self.document.shelf.geometry, self.kit)
        try:
            sized = with_sizes(self.kit, self._asked(), geometry=surface)
            pose = evaluate(compile_rig(sized, surface), sized.at).frame(0)
        except GremioError as refused:
            self.document.said.emit(str(refused))
            return
        scene = scene_of(sized, pose.program.part_row, self.document.shelf)
        ends = box_edges(scene, pose, list(pose.program.part_row.values()))
        frame = self.document.pose.frame_of(self.on) @ matrix(self._at())
        self.bench.show_beside([carried(frame, ends)] if len(ends) else [])

    def _make(self) -> None:
        for field in (*self._sizes.values(), *self.places, self.turned):
            field.commit()
            if field.isModified():
                return
        document, kit = self.document, self.kit

        def change(rig: Rig) -> tuple[Rig, ThingId]:
            put = put_kit(
                rig, kit, self.path, on=self.on, at=self._at(), answers=self.answers,
                places=self.tied, sizes=self._asked(), geometry=document.geometry,
                shelf=document.shelf,
            )  # fmt: skip
            return put.rig, put.roots[0] if put.roots else NOTHING

        before = document.rig.controls
        if document.make(f"put in {kit.name}", change):
            document.settle()
            self._done()
            self.bench.show_if_away(as_part(document.selected))
            new = [c.name for i, c in document.rig.controls.items() if i not in before]
            desk = f" On the Desk now: {listed(new)}." if new else ""
            document.said.emit(f"{kit.name} is put in.{desk}")


def _no_wider(widget: QWidget) -> None:
    """Let a thing of a row take the room that there is: the Card is no wider for it."""
    widget.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)


def _words(text: str) -> QLabel:
    label = QLabel(text)
    _no_wider(label)
    return label
