"""Fields of words: Enter takes them over and gives the keyboard back, Tab goes on."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent
from PyQt6.QtWidgets import QLineEdit, QWidget

from gremio.desktop.fields.keyboard import give_back, to_next_field, undoes_the_rig


class TextField(QLineEdit):
    """A line of words. typed: it is another one, and is to be taken over; whoever refuses it says
    so, and leaves it modified."""

    typed = pyqtSignal(str)

    def __init__(self, text: str, what: str, parent: QWidget | None = None) -> None:
        super().__init__(text, parent)
        self._present = text
        self.setAccessibleName(what)
        self.setCursorPosition(0)
        self.returnPressed.connect(self._enter)

    def taken(self) -> None:
        """What is typed was taken over."""
        self._present = self.text()
        self.setModified(False)

    def _enter(self) -> None:
        if self.isModified():
            self.typed.emit(self.text())
        if not self.isModified():
            give_back(self)

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Tab goes to the next field, past the buttons between."""
        return to_next_field(self, forward) or super().focusNextPrevChild(forward)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        """Leaving takes over what was typed; what is refused stays to be mended."""
        super().focusOutEvent(event)
        if self.isModified():
            self.typed.emit(self.text())

    def event(self, event: QEvent | None) -> bool:
        """An undo is the rig's where nothing was typed."""
        if event is not None and undoes_the_rig(event, self.isModified()):
            event.ignore()
            return False
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Escape restores, and gives the keyboard back."""
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.setText(self._present)
            self.setModified(False)
            give_back(self)
        else:
            super().keyPressEvent(event)
