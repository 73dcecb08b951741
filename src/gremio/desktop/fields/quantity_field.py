"""Number fields: typing with units and arithmetic, arrow keys, the wheel; Escape restores."""

from __future__ import annotations

import math
from collections.abc import Callable

from PyQt6.QtCore import QEvent, QPointF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QFocusEvent,
    QFont,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QResizeEvent,
    QShowEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QLabel, QLineEdit, QMenu, QWidget

from gremio.core.quantity import UNITS, Kind, show, show_short
from gremio.core.rig.numbers import counted
from gremio.core.typed import QuantityError, parse
from gremio.desktop.fields.keyboard import give_back, to_next_field, undoes_the_rig
from gremio.desktop.theme.dress import digit_font


def narrow(text: str) -> str:
    """A number with its unit after a thin space."""
    return text.replace(" ", THIN)


def nudge_factor(modifiers: Qt.KeyboardModifier) -> float:
    """Shift takes ten steps at a time, Ctrl a tenth of one."""
    if modifiers & Qt.KeyboardModifier.ShiftModifier:
        return 10.0
    return 0.1 if modifiers & Qt.KeyboardModifier.ControlModifier else 1.0


def nudge_step(unit: str) -> float:
    """One step of an arrow key, in SI."""
    steps = {"m": 0.01, "km": 0.01, "turn": 0.05, "rad": 0.01, "": 0.01, "min": 0.1, "s": 0.1}
    return steps.get(unit, 1.0) * UNITS[unit].size


THIN = "\u2009"
# So many pixels are one step when a word is pulled.
_PULL = 4.0
# What frame and margins of a field take of its width, and how narrow digits are drawn at most (%).
_ROOM_BESIDE = 16
_NARROWEST = 40


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
        # One step of an arrow key, where it is not the usual one of the unit.
        self.step: float | None = None
        # How many decimals are shown, where it is not the usual number of the unit.
        self.decimals: int | None = None
        # What stands behind a bare number, in words of its own.
        self.own_unit = ""
        # It is a count: shown, and typed, in whole numbers.
        self.whole = False
        # Reads what is written in another way, such as a time code (SI); None where it is not. It
        # refuses what it can't read by a QuantityError.
        self.also: Callable[[str], float | None] = lambda _text: None
        # Makes the menu of the right button, where there is one of its own.
        self.offer: Callable[[QWidget], QMenu] | None = None
        # Takes a press as an answer, where a number is asked for; whether it did.
        self.answers: Callable[[], bool] | None = None
        # It is as wide as its number, and no wider.
        self.hugs = False
        # What a letter does while nothing is typed yet: no quantity begins with one.
        self.acts: dict[str, Callable[[], object]] = {}
        self.value: float | None = None
        self._entered = False
        # The number with all its decimals, of which fewer may be shown.
        self._whole = ""
        self.setFont(digit_font())
        self.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.setAccessibleName(what)
        self.returnPressed.connect(self._enter)
        self.textEdited.connect(self._typed)

    def _typed(self) -> None:
        if self.hugs:
            self.updateGeometry()

    def set_value(self, value: float | None) -> None:
        """Show a value; None shows an empty field, which reads as "no stop"."""
        self.value = value
        if not (self.hasFocus() and self.isModified()):
            self._restore()

    def _restore(self) -> None:
        shown = "" if self.value is None else self._shown(self.value)
        if shown == self._whole and not self.isModified():
            return
        self._whole = shown
        # What was all selected stays so: typing replaces it, also where it changed meanwhile.
        all_of_it = self.hasFocus() and self.selectedText() == self.text()
        self.setText(shown)
        if all_of_it:
            self.selectAll()
        self.setModified(False)
        self.mark("wrong", False)
        self._fit()

    def _fit(self) -> None:
        """Where the number would be cut it gives up decimals, then it is drawn narrower: no sign
        and no digit before the point may be lost."""
        font = QFont(self.font())
        font.setStretch(QFont.Stretch.Unstretched)
        room = self.width() - _ROOM_BESIDE
        metrics = QFontMetricsF(font)
        if self.hugs:
            self.updateGeometry()
        if self.isVisible() and room > 0 and self.value is not None and not self.isModified():
            text = next(
                (t for t in self._shorter(self.value) if metrics.horizontalAdvance(t) <= room), ""
            )
            if text and text != self.text():
                self.setText(text)
                self.setModified(False)
        wide = metrics.horizontalAdvance(self.text())
        if self.isVisible() and wide > room > 0 and not self.hugs:
            font.setStretch(max(_NARROWEST, int(100 * room / wide)))
        if font != self.font():
            self.setFont(font)
        if not self.hasFocus():
            self.setCursorPosition(0)

    def _shorter(self, value: float) -> list[str]:
        """How a value can be shown, with fewer and fewer decimals: as many as leave three figures
        of it."""
        found = [self._shown(value)]
        if self.whole or self.hugs:
            return found
        places = UNITS[self.unit].decimals if self.decimals is None else self.decimals
        size = abs(value / UNITS[self.unit].size)
        before = max(math.floor(math.log10(size)) + 1, 0) if size >= 1e-12 else 3
        for fewer in range(places - 1, max(3 - before, 0) - 1, -1):
            found.append(self._dressed(show(value, self.unit, fewer)))
        return found

    def _dressed(self, text: str) -> str:
        """As it stands in the field: the unit after a thin space, or beside the field."""
        if self.bare:
            text = text.removesuffix(UNITS[self.unit].symbol).strip()
        if self.own_unit:
            text = f"{text} {self.own_unit}"
        return narrow(text)

    def sizeHint(self) -> QSize:
        """As wide as its number, where it hugs that."""
        size = super().sizeHint()
        if self.hugs:
            text = self.text() or self.placeholderText()
            wide = QFontMetricsF(self.font()).horizontalAdvance(text)
            size.setWidth(max(int(wide) + 14, 34))
        return size

    def minimumSizeHint(self) -> QSize:
        """No number is cut."""
        return self.sizeHint() if self.hugs else super().minimumSizeHint()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Fit the number to the room there is."""
        super().resizeEvent(event)
        if not self.isModified():
            self._fit()

    def showEvent(self, event: QShowEvent | None) -> None:
        """Fit the number to the room there is."""
        super().showEvent(event)
        if not self.isModified():
            self._fit()

    def _shown(self, value: float) -> str:
        if self.whole:
            return self._dressed(show(counted(value), self.unit, 0))
        if self.decimals is not None:
            return self._dressed(show(value, self.unit, self.decimals))
        if self.bare or self.hugs:
            return self._dressed(show_short(value, self.unit))
        return self._dressed(show(value, self.unit))

    def mark(self, mark: str, on: bool) -> None:
        """Draw it with a mark, or without: "wrong" what can't be read, "before" what is not yet
        as it is now."""
        if bool(self.property(mark)) != on:
            self.setProperty(mark, on)
            self.style().unpolish(self)
            self.style().polish(self)

    def _enter(self) -> None:
        """Enter takes over what was typed, and gives the keyboard back to the Bench; what can't be
        read stays to be mended."""
        self.commit()
        if not self.isModified():
            give_back(self)

    def commit(self) -> None:
        """Take over what was typed, if anything was."""
        if not self.isModified():
            return
        try:
            typed = self.text().strip()
            if self.own_unit:
                typed = typed.removesuffix(self.own_unit)
            also = self.also(typed)
            value = parse(typed, self.kind, self.unit, self.what) if also is None else also
        except QuantityError as problem:
            self.mark("wrong", True)
            if problem.end > problem.start:
                self.setSelection(problem.start, problem.end - problem.start)
            self.refused.emit(str(problem))
            return
        if self.whole and abs(value - round(value)) > 1e-9:
            self.mark("wrong", True)
            self.refused.emit(
                f"{self.what} takes whole numbers: {self.text().strip()} is none. "
                f"Type {math.floor(value)} or {math.ceil(value)}."
            )
            return
        self._take(value)

    def _take(self, value: float) -> None:
        self.value = float(round(value)) if self.whole else value
        self._restore()
        self.committed.emit(self.value)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """A press is an answer, where a number is asked for."""
        if self.answers is None or not self.answers():
            super().mousePressEvent(event)

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

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Tab goes to the next field, past the buttons between."""
        return to_next_field(self, forward) or super().focusNextPrevChild(forward)

    def event(self, event: QEvent | None) -> bool:
        """An undo is the rig's where nothing was typed."""
        if undoes_the_rig(event, self.isModified()):
            event.ignore()
            return False
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape restores; up and down nudge."""
        plain = event.modifiers() in (
            Qt.KeyboardModifier.NoModifier,
            Qt.KeyboardModifier.ShiftModifier,
        )
        act = self.acts.get(event.text().lower()) if plain else None
        if act is not None and not self.isModified() and self.selectedText() == self.text():
            act()
        elif event.key() == Qt.Key.Key_Escape:
            self._restore()
            give_back(self)
        elif event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            way = 1 if event.key() == Qt.Key.Key_Up else -1
            self.nudge(way * nudge_factor(event.modifiers()))
        else:
            super().keyPressEvent(event)
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                # It takes the number over, and nothing else that stands round the field.
                event.accept()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """The wheel nudges a field that has the focus."""
        if self.hasFocus():
            self.nudge(event.angleDelta().y() / 120 * nudge_factor(event.modifiers()))
            event.accept()
        else:
            event.ignore()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Copy and paste a value or a link, where the field is a channel's."""
        if self.offer is None:
            super().contextMenuEvent(event)
        else:
            self.offer(self).popup(event.globalPos())

    def nudge(self, steps: float) -> None:
        """Go by so many steps of an arrow key."""
        if self.value is not None and not self.isReadOnly():
            step = nudge_step(self.unit) if self.step is None else self.step
            if self.whole:
                step, steps = 1.0, steps if abs(steps) >= 1.0 else (1.0 if steps > 0 else -1.0)
            self._take(self.value + steps * step)


class PullLabel(QLabel):
    """The word beside a number; pulled to the left or right, it nudges the number.

    begun, ended: the word was taken hold of, and let go.
    """

    begun = pyqtSignal()
    ended = pyqtSignal()

    def __init__(self, word: str, field: QuantityField) -> None:
        super().__init__(word)
        self.field = field
        self._last: QPointF | None = None
        self.setCursor(Qt.CursorShape.SizeHorCursor)
        self.setToolTip("Pull to the left or right; Shift × 10, Ctrl ÷ 10")

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of the word."""
        if event.button() == Qt.MouseButton.LeftButton and self.field.isEnabled():
            self._last = event.position()
            self.begun.emit()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """A step for every few pixels."""
        if self._last is None:
            return
        steps = int((event.position().x() - self._last.x()) / _PULL)
        if steps:
            self._last = QPointF(self._last.x() + steps * _PULL, self._last.y())
            self.field.nudge(steps * nudge_factor(event.modifiers()))

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        """Let go."""
        if self._last is not None:
            self._last = None
            self.ended.emit()


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
