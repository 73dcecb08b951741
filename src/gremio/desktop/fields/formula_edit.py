"""A field for a formula: completes names, echoes the result, points at the word at fault."""

from __future__ import annotations

import math

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFocusEvent, QKeyEvent, QTextCharFormat, QTextCursor
from PyQt6.QtWidgets import QLabel, QListWidget, QPlainTextEdit, QTextEdit, QVBoxLayout, QWidget

from gremio.core.edit.formulas import names_of, read
from gremio.core.formula.names import completions
from gremio.core.formula.tree import FormulaError
from gremio.core.quantity import show
from gremio.core.rig.ids import ChannelKey
from gremio.core.rig.links import references
from gremio.core.rig.model import Formula
from gremio.core.rig.numbers import full_label, shown_unit
from gremio.core.solve.backward import line_between
from gremio.core.solve.formula_steps import formula_steps
from gremio.core.solve.frames import Finder
from gremio.desktop.document.document import Document
from gremio.desktop.fields.keyboard import undoes_the_rig
from gremio.desktop.theme.dress import code_font
from gremio.desktop.theme.inks import Inks


class FormulaEdit(QWidget):
    """Where a formula for one channel is written. committed: the text, when it can be read."""

    committed = pyqtSignal(str)

    def __init__(self, document: Document, channel: ChannelKey, text: str, inks: Inks) -> None:
        super().__init__()
        self.document, self.channel, self.inks = document, channel, inks
        self._names = names_of(document.rig)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.field = _Field(self)
        self.field.setAccessibleName("Formula")
        self.field.setPlainText(text)
        self.field.setPlaceholderText("Pinion.turn * 12/32")
        self.offered = QListWidget()
        self.offered.setAccessibleName("Names that fit")
        self.offered.setFixedHeight(86)
        self.offered.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.offered.itemClicked.connect(lambda item: self._complete(item.text()))
        self.offered.hide()
        self.echo = QLabel()
        self.echo.setWordWrap(True)
        self.echo.setAccessibleName("Result")
        for widget in (self.field, self.offered, self.echo):
            column.addWidget(widget)
        self.field.textChanged.connect(self._typed)
        self.setFocusProxy(self.field)
        self._say()

    @property
    def text(self) -> str:
        """What is written."""
        return self.field.toPlainText()

    def commit(self) -> None:
        """Hand the formula on, when it can be read."""
        if self._say():
            self.offered.hide()
            self.committed.emit(self.text)

    def _typed(self) -> None:
        self._say()
        cursor = self.field.textCursor()
        typed = self.text[: cursor.position()]
        fitting = [f for f in completions(self._names, typed) if f != typed]
        self.offered.clear()
        self.offered.addItems([entry[_shared(entry, typed) :] for entry in fitting])
        self._whole = fitting
        self.offered.setCurrentRow(0)
        self.offered.setVisible(bool(fitting) and self.field.hasFocus())

    def take_key(self, key: int) -> bool:
        """Tab takes the name offered, the arrows choose among them, Enter hands on."""
        if key == Qt.Key.Key_Tab:
            if self.offered.isVisible():
                self._complete(self.offered.currentItem().text())
            else:
                self.focusNextChild()
            return True
        if self.offered.isVisible() and key in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            step = 1 if key == Qt.Key.Key_Down else -1
            row = self.offered.currentRow() + step
            self.offered.setCurrentRow(max(0, min(self.offered.count() - 1, row)))
            return True
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.commit()
            return True
        if key == Qt.Key.Key_Escape and self.offered.isVisible():
            self.offered.hide()
            return True
        return False

    def _complete(self, ending: str) -> None:
        row = [self.offered.item(i).text() for i in range(self.offered.count())].index(ending)
        cursor = self.field.textCursor()
        rest = self.text[cursor.position() :]
        whole = self._whole[row]
        self.field.setPlainText(whole + rest)
        cursor = self.field.textCursor()
        cursor.setPosition(len(whole))
        self.field.setTextCursor(cursor)
        self.field.setFocus()
        self.offered.hide()

    def _say(self) -> bool:
        """Show the result, or what is wrong and where; returns whether it can be read."""
        rig, text = self.document.rig, self.text
        try:
            reading = read(rig, self.channel, text)
        except FormulaError as problem:
            self._mark(problem.start, problem.end)
            self.echo.setText(str(problem) if text.strip() else "")
            self.echo.setStyleSheet(f"color: {self.inks.hand};")
            return False
        if ring := self._ring(reading.text):
            self.echo.setText(ring)
            self.echo.setStyleSheet(f"color: {self.inks.hand};")
            return False
        self._mark(0, 0)
        value = self._value(reading.text)
        unit = shown_unit(rig, self.channel)
        told = show(value, unit) if math.isfinite(value) else "no value here"
        self.echo.setText(f"= {told}, {reading.read_as}")
        self.echo.setStyleSheet(f"color: {self.inks.second};")
        return True

    def _ring(self, kept: str) -> str:
        """That the formula would lead itself, by the names on the way; "" where it does not."""
        rig, program = self.document.rig, self.document.program
        for name in references(kept):
            line = line_between(program, self.channel, name)
            if line:
                names = " leads ".join(full_label(rig, c) for c in (*line, self.channel))
                return f"{names}: a ring has no beginning. Lead it from something else."
        return ""

    def _value(self, kept: str) -> float:
        program, pose = self.document.program, self.document.pose
        formula = Formula(self.channel, kept)
        # A number that nothing leads yet has no row of its own.
        row = {self.channel: 0, **program.channel_row}
        steps, notes = formula_steps(self.document.rig, [formula], row, self.document.geometry)
        if notes:
            return math.nan
        return float(steps[0].values(Finder(program, pose.poses.channels))[0, 0])

    def _mark(self, start: int, end: int) -> None:
        """Underline the word at fault."""
        marks = []
        if end > start:
            mark = QTextEdit.ExtraSelection()
            look = QTextCharFormat()
            look.setUnderlineStyle(QTextCharFormat.UnderlineStyle.WaveUnderline)
            look.setUnderlineColor(QColor(self.inks.hand))
            cursor = QTextCursor(self.field.document())
            cursor.setPosition(start)
            cursor.setPosition(min(end, len(self.text)), QTextCursor.MoveMode.KeepAnchor)
            mark.cursor, mark.format = cursor, look
            marks.append(mark)
        self.field.setExtraSelections(marks)


def _shared(entry: str, typed: str) -> int:
    """Where the last name of an entry begins: what stands before it is typed already."""
    place = len(typed)
    while place > 0 and not entry.startswith(typed[:place]):
        place -= 1
    for sign in "-+*/^(<>=,":
        at = entry.rfind(sign, 0, place)
        if at >= 0:
            return _after_signs(entry, place)
    return 0


def _after_signs(entry: str, place: int) -> int:
    last = max(entry.rfind(sign, 0, place) for sign in "-+*/^(<>=,")
    while last + 1 < len(entry) and entry[last + 1] == " ":
        last += 1
    return last + 1


class _Field(QPlainTextEdit):
    """Three lines of text, in which Enter hands the formula on."""

    def __init__(self, owner: FormulaEdit) -> None:
        super().__init__()
        self._owner = owner
        self.setFont(code_font(9))
        self.setFixedHeight(64)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Keys that choose and hand on go to the owner."""
        assert event is not None
        if not self._owner.take_key(event.key()):
            super().keyPressEvent(event)

    def event(self, event: QEvent | None) -> bool:
        """An undo is the rig's where nothing was typed."""
        changed = self.document() is not None and self.document().isModified()
        if event is not None and undoes_the_rig(event, changed):
            event.ignore()
            return False
        return super().event(event)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        """What is offered goes when the hand does."""
        self._owner.offered.hide()
        super().focusOutEvent(event)
