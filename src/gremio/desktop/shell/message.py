"""What is said at the foot of the Bench, for a while."""

from __future__ import annotations

from PyQt6.QtCore import QElapsedTimer, Qt, QTimer
from PyQt6.QtWidgets import QLabel, QWidget

_SAID_FOR = 9000
# A message older than this is not of what was done just now (ms).
_OF_BEFORE = 250


class Message(QLabel):
    """One message; the next takes its place."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("message")
        self.setWordWrap(True)
        self.setMargin(7)
        self.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._said = QElapsedTimer()
        self._hush = QTimer(self)
        self._hush.setSingleShot(True)
        self._hush.setInterval(_SAID_FOR)
        self._hush.timeout.connect(self.hide)
        self.hide()

    def say(self, text: str, width: int, foot: int) -> None:
        """Say something over a width, above a foot (pixels of the parent)."""
        self.setText(text)
        self.place(width, foot)
        self.show()
        self.raise_()
        self._hush.start()
        self._said.start()

    def place(self, width: int, foot: int) -> None:
        """Stand over a width, above a foot."""
        wide = min(width - 24, 620)
        tall = self.heightForWidth(wide)
        self.setGeometry(12, foot - tall, wide, tall)

    def succeeded(self) -> None:
        """What was said before goes; what is said of the change itself stays."""
        if self.isVisible() and self._said.elapsed() > _OF_BEFORE:
            self._hush.stop()
            self.hide()
