"""A line of things that goes on in the next one where the room ends."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QRect, QSize, Qt
from PyQt6.QtWidgets import QLayout, QLayoutItem, QWidget


class Flow(QLayout):
    """Lays things side by side, each as wide as it wants to be."""

    def __init__(self, parent: QWidget | None = None, apart: int = 4) -> None:
        super().__init__(parent)
        self.setContentsMargins(0, 0, 0, 0)
        self._apart = apart
        self._items: list[QLayoutItem] = []

    def addItem(self, item: QLayoutItem | None) -> None:
        """Another thing at the end."""
        assert item is not None
        self._items.append(item)

    def count(self) -> int:
        """How many there are."""
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        """One of them."""
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        """Take one out."""
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        """It takes no more room than it needs."""
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        """The narrower it is, the more lines there are."""
        return True

    def heightForWidth(self, width: int) -> int:
        """How tall the lines are."""
        return self._lay(QRect(0, 0, width, 0), move=False)

    def setGeometry(self, room: QRect) -> None:
        """Lay them in a room."""
        super().setGeometry(room)
        self._lay(room, move=True)

    def sizeHint(self) -> QSize:
        """As little as will do."""
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        """The widest of them."""
        size = QSize()
        for item in self._items:
            size = size.expandedTo(item.minimumSize())
        return size

    def _lay(self, room: QRect, *, move: bool) -> int:
        x, y, tall = room.x(), room.y(), 0
        for item in self._items:
            size = item.sizeHint()
            size.setWidth(min(size.width(), room.width()))
            if x + size.width() > room.x() + room.width() and x > room.x():
                x, y, tall = room.x(), y + tall + self._apart, 0
            if move:
                item.setGeometry(QRect(QPoint(x, y), size))
            x += size.width() + self._apart
            tall = max(tall, size.height())
        return y + tall - room.y()
