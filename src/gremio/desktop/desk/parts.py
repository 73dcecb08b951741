"""The parts list: what is mounted on what, each with the symbol of its joint."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Mapping

from PyQt6.QtCore import QModelIndex, QPointF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QLabel,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from gremio.core.edit.parts import descendants, rename_part
from gremio.core.rig import ids
from gremio.core.rig.channels import freed, key
from gremio.core.rig.ids import GROUND, PartId, ThingId
from gremio.core.rig.links import link_symbol
from gremio.core.rig.model import Part, Rig
from gremio.desktop.document.change import Change
from gremio.desktop.document.document import Document
from gremio.desktop.theme.dress import text_font
from gremio.desktop.theme.inks import DAY, Inks
from gremio.desktop.theme.symbols import draw_symbol

EMPTY = (
    "No parts yet. Bring in a model with File > Bring in parts, or add a box with Rig > Add a part."
)
_ID = Qt.ItemDataRole.UserRole
_FLAGS = QTreeWidgetItem().flags() | Qt.ItemFlag.ItemIsEditable


class _Row(QStyledItemDelegate):
    """A part: the symbol of its joint, its name, and the symbol of what leads it."""

    def __init__(self, parts: Parts) -> None:
        super().__init__(parts)
        self.parts = parts

    def sizeHint(self, _option: QStyleOptionViewItem, _index: QModelIndex) -> QSize:
        return QSize(120, 22)

    def paint(
        self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex
    ) -> None:
        assert painter is not None
        parts, document = self.parts, self.parts.document
        part_id = index.data(_ID)
        part = document.rig.parts.get(part_id)
        if part is None:
            return
        inks, box = parts.inks, option.rect
        selected = document.selected == part_id
        if selected:
            painter.fillRect(0, box.top(), 4000, box.height(), QColor(inks.wash))
        top = box.top() + (box.height() - 16) / 2
        draw_symbol(painter, part.joint.kind, QPointF(box.left() + 2, top), inks.ink)
        painter.setPen(QColor(inks.ink))
        font = text_font(9, bold=selected)
        font.setStrikeOut(part_id in document.pose.hidden)
        painter.setFont(font)
        room = box.adjusted(24, 0, -30, 0)
        name = painter.fontMetrics().elidedText(
            part.name, Qt.TextElideMode.ElideRight, room.width()
        )
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, name)
        spot = QPointF(box.right() - 24, top)
        for channel in freed(part.joint):
            drive = document.program.drives.get(key(part_id, channel))
            symbol = _drive_symbol(document.rig, drive.links[0]) if drive else ""
            if symbol:
                ink = inks.hand if selected else inks.second
                draw_symbol(painter, symbol, spot, ink)
                break


def _parent_in(parts: Mapping[PartId, Part], part_id: PartId) -> PartId | None:
    """What carried a part; itself where it was not there."""
    part = parts.get(part_id)
    return part_id if part is None else part.parent


def _drive_symbol(rig: Rig, link_id: ThingId) -> str:
    """The symbol of a link or a constraint that leads; "" for anything else."""
    if link_id in rig.constraints:
        return rig.constraints[link_id].kind
    link = rig.links.get(link_id)
    return link_symbol(link) if link is not None else ""


class Parts(QWidget):
    """All parts as a tree. picked: a part was clicked, by id."""

    picked = pyqtSignal(str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.inks: Inks = DAY
        self._items: dict[PartId, QTreeWidgetItem] = {}
        self._filling = False
        self._hidden: frozenset[PartId] = frozenset()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 8, 0, 0)
        layout.setSpacing(4)
        head = QHBoxLayout()
        head.setContentsMargins(14, 0, 14, 0)
        title = QLabel("Parts")
        title.setFont(text_font(10.5, bold=True))
        self.count = QLabel()
        self.count.setProperty("second", True)
        head.addWidget(title)
        head.addStretch()
        head.addWidget(self.count)
        layout.addLayout(head)
        self.empty = QLabel(EMPTY)
        self.empty.setWordWrap(True)
        self.empty.setProperty("second", True)
        self.empty.setContentsMargins(14, 4, 12, 0)
        layout.addWidget(self.empty)
        self.tree = QTreeWidget()
        self.tree.setHeaderHidden(True)
        self.tree.setIndentation(14)
        self.tree.setUniformRowHeights(True)
        self.tree.setEditTriggers(QAbstractItemView.EditTrigger.EditKeyPressed)
        self.tree.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.tree.setAccessibleName("Parts")
        self.tree.setItemDelegate(_Row(self))
        self.tree.setContentsMargins(8, 0, 0, 0)
        self.tree.itemClicked.connect(lambda item, _column: self.picked.emit(item.data(0, _ID)))
        self.tree.currentItemChanged.connect(self._current_changed)
        self.tree.itemChanged.connect(self._renamed)
        layout.addWidget(self.tree, 1)
        layout.addStretch()
        document.rig_changed.connect(self._take_rig)
        document.selection_changed.connect(self._take_selection)
        document.pose_changed.connect(self._take_pose)
        self.rebuild()

    def set_inks(self, inks: Inks) -> None:
        """Draw by day or by night."""
        self.inks = inks
        self.tree.viewport().update()

    def _take_rig(self, change: Change) -> None:
        """Redo the rows concerned; the whole tree where another rig is on the table, its order
        is another, or something is wrong with how it is mounted."""
        before, after = change.before.parts, change.after.parts
        kept = [i for i in before if i in after] == [i for i in after if i in before]
        if change.anew or not kept or not (before and after) or self.document.program.keys.notes:
            self.rebuild()
            return
        changed = [ids.part(i) for i in change.things("parts")]
        self._filling = True
        for part_id in changed:
            if part_id not in after or after[part_id].parent != _parent_in(before, part_id):
                self._take_out(part_id)
        there = [i for i in changed if i in after]
        if any(i not in self._items for i in there):
            place = {part_id: row for row, part_id in enumerate(after)}
            for part_id in sorted(there, key=place.__getitem__):
                if part_id not in self._items:
                    self._put_in(part_id, place)
        for part_id in there:
            self._items[part_id].setText(0, after[part_id].name)
        self._filling = False
        self.count.setText(str(len(after)))
        if change.compiles:
            self.tree.viewport().update()
        # A row that was taken out is not the current one any more.
        self._take_selection()

    def _take_out(self, part_id: PartId) -> None:
        """Take the row of a part out, with those below it."""
        item = self._items.get(part_id)
        if item is None:
            return
        above = item.parent()
        if above is None:
            self.tree.takeTopLevelItem(self.tree.indexOfTopLevelItem(item))
        else:
            above.removeChild(item)
        waiting = [item]
        while waiting:
            one = waiting.pop()
            waiting += [child for i in range(one.childCount()) if (child := one.child(i))]
            self._items.pop(one.data(0, _ID), None)

    def _put_in(self, part_id: PartId, place: Mapping[PartId, int]) -> None:
        """Put in the row of a part, after those of what carries it, and of all that it carries.
        place: of each part in the rig."""
        parts = self.document.rig.parts
        above_all = part_id
        while (parent := parts[above_all].parent) in parts and parent not in self._items:
            assert parent is not None
            above_all = parent
        for one in (above_all, *descendants(self.document.rig, above_all)):
            if one in self._items:
                continue
            item = self._items[one] = self._row(one)
            above = self._items.get(parts[one].parent or GROUND)
            count = self.tree.topLevelItemCount() if above is None else above.childCount()
            beside = self.tree.topLevelItem if above is None else above.child
            rows = [place[beside(i).data(0, _ID)] for i in range(count)]
            at = bisect_left(rows, place[one])
            if above is None:
                self.tree.insertTopLevelItem(at, item)
            else:
                above.insertChild(at, item)
                above.setExpanded(above.isExpanded() or count == 0)

    def _row(self, part_id: PartId) -> QTreeWidgetItem:
        item = QTreeWidgetItem([self.document.rig.parts[part_id].name])
        item.setData(0, _ID, part_id)
        item.setFlags(_FLAGS)
        return item

    def _take_pose(self) -> None:
        """What is hidden is struck through."""
        if self.document.pose.hidden != self._hidden:
            self._hidden = self.document.pose.hidden
            self.tree.viewport().update()

    def rebuild(self) -> None:
        """Fill the tree anew."""
        self._filling = True
        folded = [
            i for i, item in self._items.items() if item.childCount() and not item.isExpanded()
        ]
        scrolled = self.tree.verticalScrollBar().value()
        self.tree.clear()
        self._items = {}
        parts = self.document.rig.parts
        for part_id in parts:
            self._items[part_id] = self._row(part_id)
        for part_id, item in self._items.items():
            above = self._items.get(parts[part_id].parent or GROUND)
            program = self.document.program
            if above is None or program.parents[program.part_row[part_id]] < 0:
                self.tree.addTopLevelItem(item)
            else:
                above.addChild(item)
        self.tree.expandAll()
        for part_id in folded:
            if part_id in self._items:
                self._items[part_id].setExpanded(False)
        self.tree.verticalScrollBar().setValue(scrolled)
        self.count.setText(str(len(parts)))
        self.empty.setVisible(not parts)
        self.tree.setVisible(bool(parts))
        self._filling = False
        self._take_selection()

    def _take_selection(self) -> None:
        item = self._items.get(PartId(self.document.selected))
        self._filling = True
        self.tree.setCurrentItem(item)
        self._filling = False
        self.tree.viewport().update()

    def _current_changed(self, item: QTreeWidgetItem | None) -> None:
        if not self._filling and item is not None:
            self.document.select(item.data(0, _ID))

    def _renamed(self, item: QTreeWidgetItem) -> None:
        if self._filling:
            return
        part_id, name = item.data(0, _ID), item.text(0).strip()
        old = self.document.rig.parts[part_id].name
        if not self.document.edit(f"rename {old}", lambda rig: rename_part(rig, part_id, name)):
            self._filling = True
            item.setText(0, old)
            self._filling = False
