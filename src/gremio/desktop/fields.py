"""Number fields: typing with units and arithmetic, arrow keys, the wheel; Escape restores."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QLineEdit, QWidget

from gremio.core.quantity import UNITS, Kind, QuantityError, parse, show, show_short
from gremio.desktop.theme.dress import digit_font


def nudge_factor(modifiers: Qt.KeyboardModifier) -> float:
    """Shift takes ten steps at a time, Ctrl a tenth of one."""
    if modifiers & Qt.KeyboardModifier.ShiftModifier:
        return 10.0
    return 0.1 if modifiers & Qt.KeyboardModifier.ControlModifier else 1.0


def nudge_step(unit: str) -> float:
    """One step of an arrow key, in SI."""
    steps = {"m": 0.01, "km": 0.01, "turn": 0.05, "rad": 0.01, "": 0.01, "min": 0.1, "s": 0.1}
    return steps.get(unit, 1.0) * UNITS[unit].size


class QuantityField(QLineEdit):
    """A value in SI, shown with its unit.

    committed: a new value. refused: what was typed is no value of this kind, and why.
    """

    committed = pyqtSignal(float)
    refused = pyqtSignal(str)

    def __init__(self, kind: Kind, unit: str, what: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.kind, self.unit, self.what = kind, unit, what
        # Where the unit stands beside a narrow field, the number stands alone in it.
        self.bare = False
        self.value: float | None = None
        self._entered = False
        self.setFont(digit_font())
        self.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.setAccessibleName(what)
        self.returnPressed.connect(self.commit)

    def set_value(self, value: float | None) -> None:
        """Show a value; None shows an empty field, which reads as "no stop"."""
        self.value = value
        if not (self.hasFocus() and self.isModified()):
            self._restore()

    def _restore(self) -> None:
        self.setText("" if self.value is None else self._shown(self.value))
        self.setModified(False)
        self._mark(False)

    def _shown(self, value: float) -> str:
        if self.bare:
            return show_short(value, self.unit).removesuffix(UNITS[self.unit].symbol).strip()
        return show(value, self.unit)

    def _mark(self, wrong: bool) -> None:
        if self.property("wrong") != wrong:
            self.setProperty("wrong", wrong)
            self.style().unpolish(self)
            self.style().polish(self)

    def commit(self) -> None:
        """Take over what was typed, if anything was."""
        if not self.isModified():
            return
        try:
            value = parse(self.text(), self.kind, self.unit, self.what)
        except QuantityError as problem:
            self._mark(True)
            self.refused.emit(str(problem))
            return
        self._take(value)

    def _take(self, value: float) -> None:
        self.value = value
        self._restore()
        self.committed.emit(value)

    def focusInEvent(self, event: QFocusEvent) -> None:
        """Select all, so that typing replaces."""
        super().focusInEvent(event)
        self.selectAll()
        self._entered = event.reason() == Qt.FocusReason.MouseFocusReason

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """The click that enters a field leaves all of it selected; a drag, what it marked."""
        super().mouseReleaseEvent(event)
        if self._entered and not self.hasSelectedText():
            self.selectAll()
        self._entered = False

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """Leaving takes over what was typed, or restores it when it can't be read."""
        if self.isModified():
            self.commit()
            if self.isModified():
                self._restore()
        super().focusOutEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape restores; up and down nudge."""
        if event.key() == Qt.Key.Key_Escape:
            self._restore()
            self.clearFocus()
        elif event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            way = 1 if event.key() == Qt.Key.Key_Up else -1
            self._nudge(way * nudge_factor(event.modifiers()))
        else:
            super().keyPressEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """The wheel nudges a field that has the focus."""
        if self.hasFocus():
            self._nudge(event.angleDelta().y() / 120 * nudge_factor(event.modifiers()))
            event.accept()
        else:
            event.ignore()

    def _nudge(self, steps: float) -> None:
        if self.value is not None and not self.isReadOnly():
            self._take(self.value + steps * nudge_step(self.unit))


class OptionalField(QuantityField):
    """A quantity that may be left empty, such as a stop. cleared: it was emptied."""

    cleared = pyqtSignal()

    def commit(self) -> None:
        """Take over what was typed; nothing clears it."""
        if self.isModified() and not self.text().strip():
            self.value = None
            self._restore()
            self.cleared.emit()
        else:
            super().commit()
