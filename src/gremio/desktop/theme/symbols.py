"""Joint and link symbols after the graphical symbols for kinematic diagrams (ISO 3952)."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QPainter, QPen

Draw = Callable[[QPainter, QColor], None]


def _hatch(painter: QPainter, left: float, right: float, y: float) -> None:
    painter.drawLine(QPointF(left, y), QPointF(right, y))
    x = left + 2.0
    while x <= right:
        painter.drawLine(QPointF(x, y), QPointF(x - 2.5, y + 3.5))
        x += 3.2


def _fixed(painter: QPainter, _ink: QColor) -> None:
    painter.drawLine(QPointF(8, 3.5), QPointF(8, 8))
    _hatch(painter, 2, 14.5, 8)


def _hinge(painter: QPainter, _ink: QColor) -> None:
    painter.drawEllipse(QPointF(4.5, 10), 2.6, 2.6)
    painter.drawLine(QPointF(6.8, 8.8), QPointF(14.5, 5))


def _spin(painter: QPainter, ink: QColor) -> None:
    painter.drawEllipse(QPointF(8, 8), 5, 5)
    painter.setBrush(QBrush(ink))
    painter.drawEllipse(QPointF(8, 8), 1.2, 1.2)


def _slide(painter: QPainter, _ink: QColor) -> None:
    painter.drawLine(QPointF(0.5, 8), QPointF(4, 8))
    painter.drawLine(QPointF(12, 8), QPointF(15.5, 8))
    painter.drawRect(QRectF(4, 5, 8, 6))


def _free(painter: QPainter, _ink: QColor) -> None:
    pen = painter.pen()
    pen.setStyle(Qt.PenStyle.DotLine)
    painter.setPen(pen)
    painter.drawRect(QRectF(3.5, 3.5, 9, 9))


def _ratio(painter: QPainter, _ink: QColor) -> None:
    painter.drawEllipse(QPointF(5, 8), 3.4, 3.4)
    painter.drawEllipse(QPointF(11.4, 8), 2.6, 2.6)


def _cam(painter: QPainter, ink: QColor) -> None:
    painter.drawEllipse(QRectF(2.5, 5, 11, 7.5))
    painter.setBrush(QBrush(ink))
    painter.drawEllipse(QPointF(5.5, 8.8), 1.1, 1.1)
    painter.drawLine(QPointF(9, 5), QPointF(9, 1.5))


def _control(painter: QPainter, _ink: QColor) -> None:
    painter.drawLine(QPointF(1.5, 8), QPointF(14.5, 8))
    painter.drawLine(QPointF(1.5, 5.5), QPointF(1.5, 10.5))
    painter.drawLine(QPointF(14.5, 5.5), QPointF(14.5, 10.5))
    painter.drawRect(QRectF(6.2, 4, 3.6, 8))


SYMBOLS: dict[str, Draw] = {
    "fixed": _fixed,
    "hinge": _hinge,
    "spin": _spin,
    "slide": _slide,
    "free": _free,
    "ratio": _ratio,
    "cam": _cam,
    "control": _control,
}


def draw_symbol(painter: QPainter, name: str, at: QPointF, colour: str, size: float = 16) -> None:
    """Draw a symbol with its upper left corner at a point; `size` pixels square."""
    ink = QColor(colour)
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.translate(at)
    painter.scale(size / 16, size / 16)
    painter.setPen(QPen(ink, 1.25))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    SYMBOLS[name](painter, ink)
    painter.restore()
