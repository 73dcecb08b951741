"""How a row of the list of parts looks, and what its marks mean where the pointer rests."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QModelIndex, QPointF, QSize, Qt
from PyQt6.QtGui import QColor, QHelpEvent, QPainter
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QToolTip,
    QWidget,
)

from gremio.desktop.desk.rows import Told
from gremio.desktop.theme.dress import text_font
from gremio.desktop.theme.inks import DAY, Inks
from gremio.desktop.theme.symbols import draw_symbol

ITEM_ID = Qt.ItemDataRole.UserRole


class RowLook(QStyledItemDelegate):
    """A part: the symbol of its joint, its name, and the symbol of what leads it; or what has to
    do with the part above it."""

    def __init__(self, told: Told, parent: QWidget) -> None:
        super().__init__(parent)
        self.told = told
        self.inks: Inks = DAY

    def sizeHint(self, _option: QStyleOptionViewItem, _index: QModelIndex) -> QSize:
        """All rows are of one height."""
        return QSize(120, 22)

    def paint(
        self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex
    ) -> None:
        """The symbol, the name, and at the right what is to be known of it."""
        assert painter is not None
        told, document = self.told, self.told.document
        thing = index.data(ITEM_ID)
        inks, box = self.inks, option.rect
        selected = document.selected == thing or thing in document.also
        if selected:
            painter.fillRect(0, box.top(), 4000, box.height(), QColor(inks.wash))
        top = box.top() + (box.height() - 16) / 2
        part = document.rig.parts.get(thing)
        symbol = part.joint.kind if part is not None else told.row_of(thing).symbol
        draw_symbol(painter, symbol, QPointF(box.left() + 2, top), inks.ink)
        away = told.why_not_seen(thing)
        painter.setPen(QColor(inks.second if away or part is None else inks.ink))
        font = text_font(9, bold=selected)
        font.setStrikeOut(bool(away))
        painter.setFont(font)
        room = box.adjusted(24, 0, -6, 0)
        if away:
            painter.setFont(text_font(8))
            wide = painter.fontMetrics().horizontalAdvance(away)
            painter.drawText(
                room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, away
            )
            room.adjust(0, 0, -wide - 6, 0)
        elif led := told.led_by(thing):
            spot = QPointF(room.right() - 18, top)
            draw_symbol(painter, led[0], spot, inks.hand if selected else inks.second)
            room.adjust(0, 0, -22, 0)
        painter.setFont(font)
        words = told.words_of(thing)
        words = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, room.width())
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, words)

    def helpEvent(
        self,
        event: QHelpEvent | None,
        view: QAbstractItemView | None,
        option: QStyleOptionViewItem,
        index: QModelIndex,
    ) -> bool:
        """What the marks of a row mean."""
        if event is None or event.type() != QEvent.Type.ToolTip or not index.isValid():
            return super().helpEvent(event, view, option, index)
        QToolTip.showText(event.globalPos(), self.told.told_of(index.data(ITEM_ID)), view)
        return True
