"""The Card on which a wheeled carriage is made of a body and its wheels."""

from __future__ import annotations

import math
from collections.abc import Callable

from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QSizePolicy, QWidget

from gremio.core.edit.parts import descendants
from gremio.core.make.carriage import LimitOf, make_carriage
from gremio.core.make.rolling import wheel_radius
from gremio.core.mechanics.wheels import STEERING_RANGE
from gremio.core.problem import GremioError
from gremio.core.quantity import show_short
from gremio.core.rig.ids import PartId
from gremio.desktop.actions.treads import track
from gremio.desktop.document.document import Document
from gremio.desktop.fields.pieces import Sheet, WideCheck, choice, heading, rule, second, verb
from gremio.desktop.fields.quantity_field import QuantityField
from gremio.desktop.theme.dress import text_font

# Nearer to a quarter turn no wheel is steered.
_MOST = math.radians(80)
# Of more candidates all are chosen together.
_FEW = 4
_WHOSE: dict[str, LimitOf] = {
    "the inner wheel": "inner",
    "the middle of the axle": "mean",
    "the outer wheel": "outer",
}


class CarriageSheet(Sheet):
    """Which parts are wheels, which of them steer, and how far."""

    of_selection = True

    def __init__(self, document: Document, body: PartId, done: Callable[[], None]) -> None:
        super().__init__()
        self.document, self.body, self._done = document, body, done
        name = document.rig.parts[body].name
        title = heading(f"Wheels of {name}")
        title.setFont(text_font(11.5, bold=True))
        title.setWordWrap(True)
        self.add(title)
        self.add(second("Choose its wheels, and those of them that steer."))
        self.add(rule())
        self.wheels: dict[PartId, QCheckBox] = {}
        self.steered: dict[PartId, QCheckBox] = {}
        found = self._candidates()
        for part in found:
            self._add_wheel(part)
        if len(found) > _FEW:
            self.add(verb("All of them", self._choose_all, "Every one of these is a wheel"))
        if not found:
            self.add(second("No other part has a round shape. Add its wheels first."))
        self.limit = QuantityField("angle", "deg", "Steering either way", self)
        self.limit.set_value(STEERING_RANGE)
        self.limit.refused.connect(document.said)
        self.row("Steers, ±", self.limit)
        self.limit_of: LimitOf = "inner"
        whose = choice(list(_WHOSE), next(iter(_WHOSE)), "Whose angle", self._set_whose)
        whose.setToolTip("In a curve the inner wheel stands steeper than the outer one (Ackermann)")
        self.row("of", whose)
        make = verb("Make the carriage", self._make, main=True)
        self.add(make)
        on_treads = verb("Put it on treads", self._track,
                         "A tread round the wheels of each side; it goes along its heading and "
                         "turns on the spot")  # fmt: skip
        self.add(on_treads)
        self.add(verb("Leave it", done, "Escape"))
        self.end()

    def _candidates(self) -> list[PartId]:
        """Parts that could be wheels: those with a round shape on the body; where there are
        none, all others."""
        rig = self.document.rig
        found = []
        for part in rig.parts:
            if part == self.body or self.body in descendants(rig, part):
                continue
            try:
                radius = wheel_radius(rig, part, self.document.geometry)
            except GremioError:
                continue
            if radius > 0:
                found.append(part)
        carried = [part for part in found if rig.parts[part].parent == self.body]
        return carried or found

    def _add_wheel(self, part: PartId) -> None:
        rig = self.document.rig
        line = QWidget()
        row = QHBoxLayout(line)
        row.setContentsMargins(0, 0, 0, 0)
        wheel, steers = WideCheck(rig.parts[part].name), QCheckBox("steers")
        wheel.setAccessibleName(f"{rig.parts[part].name} is a wheel")
        steers.setAccessibleName(f"{rig.parts[part].name} steers")
        wheel.setChecked(rig.parts[part].parent == self.body)
        wheel.setToolTip(
            f"radius {show_short(wheel_radius(rig, part, self.document.geometry), 'mm')}"
        )
        # A long name must not widen the Card.
        wheel.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        steers.toggled.connect(lambda on, w=wheel: w.setChecked(True) if on else None)
        row.addWidget(wheel, 1)
        row.addWidget(steers)
        self.wheels[part], self.steered[part] = wheel, steers
        self.add(line)

    def _set_whose(self, text: str) -> None:
        self.limit_of = _WHOSE[text]

    def _choose_all(self) -> None:
        for box in self.wheels.values():
            box.setChecked(True)

    def _chosen(self) -> list[PartId]:
        return [part for part, box in self.wheels.items() if box.isChecked()]

    def _track(self) -> None:
        if track(self.document, self.body, self._chosen()):
            self._done()

    def _make(self) -> None:
        wheels = self._chosen()
        steered = [part for part, box in self.steered.items() if box.isChecked()]
        self.limit.commit()
        limit = self.limit.value
        if self.limit.isModified() or limit is None:
            return
        if not 0.0 < limit <= _MOST:
            self.document.said.emit(
                f"Steering goes to more than 0° and at most {show_short(_MOST, 'deg')} either way, "
                f"not to {show_short(limit, 'deg')}."
            )
            return
        name = self.document.rig.parts[self.body].name
        if self.document.edit(
            f"make a carriage of {name}",
            lambda rig: make_carriage(
                rig,
                self.body,
                wheels,
                steered,
                limit,
                self.limit_of,
                geometry=self.document.geometry,
            ),
        ):
            self._done()
            self.document.said.emit(f"{name} rolls: its travel and its steering are on the Desk.")
