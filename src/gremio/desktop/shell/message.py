"""What is said at the foot of the Bench, for a while, and what can be had instead by a click."""

from __future__ import annotations

from collections.abc import Callable
from html import escape

from PyQt6.QtCore import QElapsedTimer, Qt, QTimer
from PyQt6.QtWidgets import QLabel, QWidget

_SAID_FOR = 9000
_OFFERED_FOR = 20000
# A message older than this is not of what was done just now (ms).
_OF_BEFORE = 250


class Message(QLabel):
    """One message; the next takes its place."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("message")
        self.setWordWrap(True)
        self.setMargin(7)
        self.setTextInteractionFlags(
            Qt.TextInteractionFlag.TextSelectableByMouse
            | Qt.TextInteractionFlag.LinksAccessibleByMouse
        )
        self.setTextFormat(Qt.TextFormat.PlainText)
        self._do: Callable[[], object] | None = None
        self.linkActivated.connect(self._take)
        self._said = QElapsedTimer()
        self._hush = QTimer(self)
        self._hush.setSingleShot(True)
        self._hush.setInterval(_SAID_FOR)
        self._hush.timeout.connect(self.hide)
        self.hide()

    def say(self, text: str, width: int, foot: int) -> None:
        """Say something over a width, above a foot (pixels of the parent)."""
        self._do = None
        self.setTextFormat(Qt.TextFormat.PlainText)
        self._come_up(text, width, foot, _SAID_FOR)

    def offer(
        self, text: str, words: str, do: Callable[[], object], ink: str, width: int, foot: int
    ) -> None:
        """Say something, and words in an ink that do something when they are clicked."""
        self._do = do
        self.setTextFormat(Qt.TextFormat.RichText)
        click = f'<a href="do" style="color: {ink};">{escape(words[0].upper() + words[1:])}</a>'
        self._come_up(f"{escape(text)} {click}", width, foot, _OFFERED_FOR)

    def _take(self) -> None:
        """What is offered was clicked."""
        do, self._do = self._do, None
        self.hide()
        if do is not None:
            do()

    def _come_up(self, text: str, width: int, foot: int, stays: int) -> None:
        self.setText(text)
        self.place(width, foot)
        self.show()
        self.raise_()
        self._hush.start(stays)
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
