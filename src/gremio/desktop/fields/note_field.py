"""A field of a few lines: Enter takes them over, Shift and Enter begins another line."""

from __future__ import annotations

import math

from PyQt6.QtCore import QEvent, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QResizeEvent
from PyQt6.QtWidgets import QPlainTextEdit, QSizePolicy, QWidget

from gremio.desktop.fields.keyboard import give_back, to_next_field, undoes_the_rig
from gremio.desktop.theme.dress import text_font

_LINES_AT_MOST = 12
_AROUND = 12


class NoteField(QPlainTextEdit):
    """Lines of words, as tall as they are. typed: they are others, and are to be taken over."""

    typed = pyqtSignal(str)

    def __init__(self, what: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._present = ""
        self.setAccessibleName(what)
        self.setFont(text_font(9))
        self.setTabChangesFocus(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        self.textChanged.connect(self._fit)

    def show_text(self, text: str) -> None:
        """Show what is written; what is being typed stays."""
        self._present = text
        if self._changed and self.hasFocus():
            return
        if text != self.toPlainText():
            self.setPlainText(text)
        self._settle()

    @property
    def _changed(self) -> bool:
        document = self.document()
        return document is not None and document.isModified()

    def _settle(self) -> None:
        document = self.document()
        assert document is not None
        document.setModified(False)
        self._fit()

    def _fit(self) -> None:
        """As tall as its lines."""
        layout = self.document()
        if layout is None:
            return
        # A plain text counts its height in lines, as they are broken.
        lines = min(max(math.ceil(layout.size().height()), 2), _LINES_AT_MOST)
        self.setFixedHeight(lines * self.fontMetrics().lineSpacing() + _AROUND)

    def sizeHint(self) -> QSize:
        """As wide as the Card lets it be."""
        return QSize(160, self.height())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Lines break elsewhere."""
        super().resizeEvent(event)
        self._fit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter takes over, and gives the keyboard back; Escape restores."""
        assert event is not None
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and not shift:
            self._hand_on()
            if not self._changed:
                give_back(self)
        elif event.key() == Qt.Key.Key_Escape:
            self.setPlainText(self._present)
            self._settle()
            give_back(self)
        else:
            super().keyPressEvent(event)

    def _hand_on(self) -> None:
        if self._changed:
            self.typed.emit(self.toPlainText())

    def taken(self) -> None:
        """What is typed was taken over."""
        self._present = self.toPlainText()
        self._settle()

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Tab goes to the next field, past the buttons between."""
        return to_next_field(self, forward) or super().focusNextPrevChild(forward)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        """Leaving takes over what was typed."""
        super().focusOutEvent(event)
        self._hand_on()

    def event(self, event: QEvent | None) -> bool:
        """An undo is the rig's where nothing was typed."""
        if event is not None and undoes_the_rig(event, self._changed):
            event.ignore()
            return False
        return super().event(event)
