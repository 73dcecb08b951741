"""The line under the head that offers work which was left unsaved."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QWidget

from gremio.desktop.fields.areas import clear
from gremio.desktop.fields.pieces import verb
from gremio.desktop.shell.recovery import Leftover, discard


class LeftoverBar(QWidget):
    """Offers one leftover after another. take: opens a copy, and says whether it could."""

    def __init__(self, take: Callable[[Path], bool]) -> None:
        super().__init__()
        self._take = take
        self.setObjectName("bar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._line = QHBoxLayout(self)
        self._line.setContentsMargins(14, 3, 14, 3)
        self.hide()

    def offer(self, leftovers: list[Leftover]) -> None:
        """Offer the first; the others come after it."""
        if not leftovers:
            return
        left, *rest = leftovers
        self._line.addWidget(QLabel(f"Unsaved work was kept: {left.told}."))
        before = [("Open the copy before", lambda: self._open(left, 1, rest))]
        for text, do in (
            ("Open it", lambda: self._open(left, 0, rest)),
            *(before if len(left.files) > 1 else []),
            ("Throw it away", lambda: self._drop(left, rest)),
            ("Later", self._close),
        ):
            self._line.addWidget(verb(text, do))
        self._line.addStretch()
        self.show()

    def _open(self, left: Leftover, which: int, rest: list[Leftover]) -> None:
        if self._take(left.files[which]):
            self._drop(left, rest)

    def _drop(self, left: Leftover, rest: list[Leftover]) -> None:
        discard(left)
        self._close()
        self.offer(rest)

    def _close(self) -> None:
        clear(self._line)
        self.hide()
