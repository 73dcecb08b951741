"""How the parts of the window stand beside one another."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QSplitter, QVBoxLayout, QWidget


def laid_out(
    desk: QWidget, parts: QWidget, teach_bar: QWidget, bench: QWidget, card: QWidget, deck: QWidget
) -> tuple[QSplitter, dict[str, QSplitter]]:
    """All below the head, and the splits that are kept from one time to the next, by name."""
    left = QSplitter(Qt.Orientation.Vertical)
    left.setObjectName("left")
    left.addWidget(desk)
    left.addWidget(parts)
    left.setSizes([548, 216])
    left.setChildrenCollapsible(False)
    right = QWidget()
    right.setObjectName("right")
    column = QVBoxLayout(right)
    column.setContentsMargins(1, 0, 0, 0)
    column.addWidget(card)
    across = QSplitter(Qt.Orientation.Horizontal)
    middle_column = QWidget()
    column = QVBoxLayout(middle_column)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(0)
    column.addWidget(teach_bar)
    column.addWidget(bench, 1)
    across.addWidget(middle_column)
    across.addWidget(right)
    across.setStretchFactor(0, 1)
    across.setSizes([750, 256])
    across.setChildrenCollapsible(False)
    middle = QSplitter(Qt.Orientation.Vertical)
    middle.addWidget(across)
    middle.addWidget(deck)
    middle.setStretchFactor(0, 1)
    middle.setSizes([550, 212])
    middle.setCollapsible(0, False)
    body = QSplitter(Qt.Orientation.Horizontal)
    body.addWidget(left)
    body.addWidget(middle)
    body.setStretchFactor(1, 1)
    body.setSizes([272, 1008])
    body.setChildrenCollapsible(False)
    # The deck's own split is kept as how tall it is.
    splits = {"left": left, "across": across, "body": body}
    for splitter in (left, across, middle, body):
        splitter.setHandleWidth(1)
    return body, splits
