"""Sections of a Card that fold, and stay as they were left."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QFontMetrics, QMouseEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from gremio.desktop.kept import keep_if_possible, kept
from gremio.desktop.theme.dress import text_font

_FOLDED = "folded sections"


def is_folded(name: str, usual: bool) -> bool:
    """Whether a section, by its lasting name, was left folded."""
    return bool(kept(_FOLDED, {}).get(name, usual))


def keep_folded(name: str, folded: bool) -> None:
    """A section is left so."""
    keep_if_possible(_FOLDED, {**kept(_FOLDED, {}), name: folded})


class Gist(QLabel):
    """What a folded section says on its line: as much of it as there is room for."""

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("second", True)
        self.setFont(text_font(8.5))
        self.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.setMinimumWidth(8)
        self._whole = ""

    def say(self, text: str) -> None:
        """Say something else."""
        if text != self._whole:
            self._whole = text
            self._fit()

    def resizeEvent(self, event: object) -> None:
        """As much as fits."""
        super().resizeEvent(event)  # type: ignore[arg-type]
        self._fit()

    def _fit(self) -> None:
        metrics = QFontMetrics(self.font())
        self.setText(metrics.elidedText(self._whole, Qt.TextElideMode.ElideRight, self.width()))
        self.setToolTip(self._whole if self.text() != self._whole else "")


class Section(QWidget):
    """One section: a line with its word and its gist, and what it holds below.

    name: lasting, under which it is kept whether it is folded. fill: puts the fields into a
    column, the first time that it is open; None where there is nothing more to say than the
    gist. gist: what is said on the line.
    """

    def __init__(
        self,
        word: str,
        name: str,
        folded: bool,
        fill: Callable[[QVBoxLayout], None] | None,
        gist: Callable[[], str],
    ) -> None:
        super().__init__()
        self.word, self.name, self._fill, self._gist = word, name, fill, gist
        self.folded = fill is None or is_folded(name, folded)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 3, 0, 0)
        column.setSpacing(4)
        line = QFrame()
        line.setObjectName("rule")
        line.setFixedHeight(1)
        column.addWidget(line)
        head = QHBoxLayout()
        head.setSpacing(8)
        self.button = QPushButton()
        self.button.setProperty("section", True)
        self.button.setAccessibleName(f"Section {word}")
        self.button.setEnabled(fill is not None)
        self.button.clicked.connect(lambda _checked=False: self.fold(not self.folded))
        self.gist = Gist()
        self.gist.installEventFilter(self)
        head.addWidget(self.button)
        head.addWidget(self.gist, 1)
        column.addLayout(head)
        self.body = QWidget()
        self._column = QVBoxLayout(self.body)
        self._column.setContentsMargins(0, 0, 0, 2)
        self._column.setSpacing(5)
        column.addWidget(self.body)
        self._filled = False
        self._show()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """A click on the gist opens it too."""
        if isinstance(event, QMouseEvent) and event.type() == QEvent.Type.MouseButtonRelease:
            self.button.click()
        return super().eventFilter(watched, event)

    def fold(self, folded: bool) -> None:
        """Fold it, or open it; it stays so."""
        if folded != self.folded and self._fill is not None:
            self.folded = folded
            keep_folded(self.name, folded)
            self._show()

    def _show(self) -> None:
        mark = "" if self._fill is None else ("▸ " if self.folded else "▾ ")
        self.button.setText(mark + self.word)
        if not self.folded and not self._filled and self._fill is not None:
            self._filled = True
            self._fill(self._column)
        self.body.setVisible(not self.folded)
        self.take_pose()

    def take_pose(self) -> None:
        """Say the gist as it is now; an open section says itself what it holds."""
        self.gist.say(self._gist() if self.folded else "")
