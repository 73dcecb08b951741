"""Joint and link symbols after the graphical symbols for kinematic diagrams (ISO 3952)."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QPainter, QPen, QPolygonF

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


def _screw(painter: QPainter, _ink: QColor) -> None:
    painter.drawLine(QPointF(0.5, 8), QPointF(15.5, 8))
    painter.drawRect(QRectF(4, 5, 8, 6))
    for x in (5.5, 8.2):
        painter.drawLine(QPointF(x, 11), QPointF(x + 2.3, 5))


def _cylinder(painter: QPainter, _ink: QColor) -> None:
    painter.drawLine(QPointF(0.5, 8), QPointF(4, 8))
    painter.drawLine(QPointF(12, 8), QPointF(15.5, 8))
    painter.drawRect(QRectF(4, 5, 8, 6))
    painter.drawLine(QPointF(6.2, 8), QPointF(9.8, 8))


def _wheel(painter: QPainter, ink: QColor) -> None:
    painter.drawEllipse(QPointF(8, 7), 5, 5)
    painter.drawLine(QPointF(2, 13.6), QPointF(14, 13.6))
    painter.setBrush(QBrush(ink))
    painter.drawEllipse(QPointF(8, 7), 1.0, 1.0)


def _ball(painter: QPainter, _ink: QColor) -> None:
    painter.drawEllipse(QPointF(6, 9), 2.8, 2.8)
    painter.drawArc(QRectF(1.5, 4.5, 9, 9), 110 * 16, 230 * 16)
    painter.drawLine(QPointF(8.2, 7.2), QPointF(14.5, 3))


def _planar(painter: QPainter, _ink: QColor) -> None:
    painter.drawLine(QPointF(1, 11), QPointF(15, 11))
    painter.drawRect(QRectF(4.5, 5, 7, 4))
    painter.drawLine(QPointF(1, 13.4), QPointF(15, 13.4))


def _rack(painter: QPainter, _ink: QColor) -> None:
    painter.drawEllipse(QPointF(8, 5.4), 3.6, 3.6)
    painter.drawPolyline(
        QPolygonF([QPointF(x, y) for x, y in _RACK]),
    )


_RACK = ((1, 13), (2.5, 13), (3.5, 10.5), (5, 10.5), (6, 13), (7.5, 13), (8.5, 10.5), (10, 10.5),
         (11, 13), (12.5, 13), (13.5, 10.5), (15, 10.5))  # fmt: skip


def _planetary(painter: QPainter, _ink: QColor) -> None:
    painter.drawEllipse(QPointF(8, 8), 6.4, 6.4)
    painter.drawEllipse(QPointF(8, 8), 2.2, 2.2)
    painter.drawEllipse(QPointF(12.2, 8), 1.9, 1.9)


def _formula(painter: QPainter, _ink: QColor) -> None:
    painter.drawLine(QPointF(2, 6.2), QPointF(8.5, 6.2))
    painter.drawLine(QPointF(2, 9.8), QPointF(8.5, 9.8))
    painter.drawLine(QPointF(10, 4.5), QPointF(14.5, 11.5))
    painter.drawLine(QPointF(14.5, 4.5), QPointF(10, 11.5))


def _measure(painter: QPainter, _ink: QColor) -> None:
    painter.drawLine(QPointF(2, 8), QPointF(14, 8))
    for x in (2.0, 14.0):
        painter.drawLine(QPointF(x, 4.5), QPointF(x, 11.5))
    painter.drawLine(QPointF(2, 8), QPointF(4.5, 6.2))
    painter.drawLine(QPointF(14, 8), QPointF(11.5, 6.2))


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


def _linkage(painter: QPainter, ink: QColor) -> None:
    corners = [QPointF(3, 12.5), QPointF(4.5, 4.5), QPointF(12, 3), QPointF(13, 12.5)]
    painter.drawPolyline(QPolygonF(corners))
    painter.setBrush(QBrush(ink))
    for corner in corners:
        painter.drawEllipse(corner, 1.3, 1.3)


def _ride(painter: QPainter, _ink: QColor) -> None:
    painter.drawRect(QRectF(2, 9, 12, 4))
    painter.drawRect(QRectF(5, 3.5, 6, 5.5))


def _pin(painter: QPainter, ink: QColor) -> None:
    painter.drawLine(QPointF(8, 7.5), QPointF(8, 14))
    painter.drawLine(QPointF(4, 7.5), QPointF(12, 7.5))
    painter.setBrush(QBrush(ink))
    painter.drawRect(QRectF(6, 2.5, 4, 5))


def _match(painter: QPainter, _ink: QColor) -> None:
    for x in (2.0, 9.0):
        painter.drawPolyline(QPolygonF([QPointF(x, 4), QPointF(x, 11.5), QPointF(x + 5, 11.5)]))


def _aim(painter: QPainter, ink: QColor) -> None:
    painter.drawLine(QPointF(1.5, 12), QPointF(9, 7))
    tip = [QPointF(6, 7.2), QPointF(9.6, 6.6), QPointF(7.9, 9.8)]
    painter.drawPolyline(QPolygonF(tip))
    painter.setBrush(QBrush(ink))
    painter.drawEllipse(QPointF(12.8, 4.4), 1.7, 1.7)


def _tether(painter: QPainter, ink: QColor) -> None:
    painter.drawArc(QRectF(2.5, -2.5, 11, 14), 180 * 16, 180 * 16)
    painter.setBrush(QBrush(ink))
    for x in (2.5, 13.5):
        painter.drawEllipse(QPointF(x, 4.5), 1.6, 1.6)


def _motor(painter: QPainter, ink: QColor) -> None:
    # A wheel that goes on and on: an arc open at the top, with a head.
    painter.drawArc(QRectF(2.5, 3, 11, 11), 130 * 16, 290 * 16)
    painter.setBrush(QBrush(ink))
    painter.drawPolygon(QPolygonF([QPointF(10, 1), QPointF(14.5, 4), QPointF(9.8, 6.2)]))
    painter.drawEllipse(QPointF(8, 8.5), 1.4, 1.4)


def _rumble(painter: QPainter, _ink: QColor) -> None:
    painter.drawRect(QRectF(5, 5, 6, 6))
    shake = [(2, 4), (3.2, 6), (1.2, 8), (3.2, 10), (2, 12)]
    painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in shake]))
    painter.drawPolyline(QPolygonF([QPointF(16 - x, y) for x, y in shake]))


def _clock(painter: QPainter, _ink: QColor) -> None:
    painter.drawEllipse(QPointF(8, 8), 5.5, 5.5)
    painter.drawPolyline(QPolygonF([QPointF(8, 4.5), QPointF(8, 8), QPointF(10.8, 9.5)]))


def _seat(painter: QPainter, _ink: QColor) -> None:
    painter.drawArc(QRectF(0.5, 8, 15, 14), 25 * 16, 130 * 16)
    painter.drawRect(QRectF(5.5, 2.5, 5, 5.5))


def _follow(painter: QPainter, ink: QColor) -> None:
    painter.drawArc(QRectF(1.5, 5, 6.5, 7), 0, 180 * 16)
    painter.drawArc(QRectF(8, 5, 6.5, 7), 180 * 16, 180 * 16)
    painter.setBrush(QBrush(ink))
    painter.drawEllipse(QPointF(4.8, 4.8), 2.0, 2.0)


def _volume(painter: QPainter, _ink: QColor) -> None:
    painter.drawRect(QRectF(1.5, 6, 13, 4))
    pen = painter.pen()
    pen.setStyle(Qt.PenStyle.DotLine)
    painter.setPen(pen)
    painter.drawRect(QRectF(5, 1.5, 6, 13))


def _strand(painter: QPainter, _ink: QColor) -> None:
    zigzag = [(1, 8), (3.5, 8), (5, 4), (7, 12), (9, 4), (11, 12), (12.5, 8), (15, 8)]
    painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in zigzag]))


def _tread(painter: QPainter, _ink: QColor) -> None:
    painter.drawRoundedRect(QRectF(1.2, 4.2, 13.6, 7.6), 3.8, 3.8)
    for x in (5.0, 11.0):
        painter.drawEllipse(QPointF(x, 8), 1.7, 1.7)
    for x in (5.6, 8.0, 10.4):
        painter.drawLine(QPointF(x, 2.4), QPointF(x, 4.2))
        painter.drawLine(QPointF(x, 11.8), QPointF(x, 13.6))


def _reach(painter: QPainter, ink: QColor) -> None:
    joints = [QPointF(2.5, 13), QPointF(4.5, 6), QPointF(9.5, 4), QPointF(12, 8.5)]
    painter.drawPolyline(QPolygonF(joints))
    painter.setBrush(QBrush(ink))
    for joint in joints[:3]:
        painter.drawEllipse(joint, 1.2, 1.2)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawEllipse(QPointF(12.8, 11), 1.9, 1.9)


def _path(painter: QPainter, ink: QColor) -> None:
    corners = [QPointF(2, 12.5), QPointF(5.5, 4.5), QPointF(10, 10.5), QPointF(14, 3.5)]
    painter.drawPolyline(QPolygonF(corners))
    painter.setBrush(QBrush(ink))
    for corner in (corners[0], corners[-1]):
        painter.drawRect(QRectF(corner.x() - 1.4, corner.y() - 1.4, 2.8, 2.8))


SYMBOLS: dict[str, Draw] = {
    "fixed": _fixed,
    "hinge": _hinge,
    "spin": _spin,
    "slide": _slide,
    "screw": _screw,
    "cylinder": _cylinder,
    "wheel": _wheel,
    "ball": _ball,
    "planar": _planar,
    "free": _free,
    "ratio": _ratio,
    "rack": _rack,
    "planetary": _planetary,
    "formula": _formula,
    "rolling": _wheel,
    "driving": _wheel,
    "motor": _motor,
    "clock": _clock,
    "rumble": _rumble,
    "measure": _measure,
    "cam": _cam,
    "linkage": _linkage,
    "control": _control,
    "ride": _ride,
    "pin": _pin,
    "match": _match,
    "aim": _aim,
    "tether": _tether,
    "seat": _seat,
    "run along": _follow,
    "constant volume": _volume,
    "path": _path,
    "reach": _reach,
    "strand": _strand,
    "tread": _tread,
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
