"""The parts list: what is mounted on what, each with the symbol of its joint."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Mapping

from PyQt6.QtCore import QEvent, QObject, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QDropEvent, QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QLabel,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from gremio.core.edit.parts import descendants
from gremio.core.make.naming import rename
from gremio.core.make.several import mounted_on
from gremio.core.problem import counted_words
from gremio.core.rig import ids
from gremio.core.rig.ids import GROUND, NOTHING, PartId, ThingId
from gremio.core.rig.model import Part
from gremio.core.rig.things import thing_of
from gremio.desktop.desk.row_look import ITEM_ID as _ID
from gremio.desktop.desk.row_look import RowLook
from gremio.desktop.desk.rows import FIELDS, Told, rows_of
from gremio.desktop.document.change import Change
from gremio.desktop.document.document import Document
from gremio.desktop.fields.keyboard import give_back
from gremio.desktop.fields.text_field import TextField
from gremio.desktop.theme.dress import text_font
from gremio.desktop.theme.inks import Inks

EMPTY = (
    "No parts yet. Bring in a model with File > Bring in parts, or add a box with Rig > Add a part."
)
_FLAGS = QTreeWidgetItem().flags() | Qt.ItemFlag.ItemIsEditable


def _parent_in(parts: Mapping[PartId, Part], part_id: PartId) -> PartId | None:
    """What carried a part; itself where it was not there."""
    part = parts.get(part_id)
    return part_id if part is None else part.parent


class _Tree(QTreeWidget):
    """Rows that are dropped on one another, and stay where they are till the rig says otherwise.

    dropped: on which row; None beside them all.
    """

    dropped = pyqtSignal(object)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """What writes something is not for the list: it may be a key by its place."""
        assert event is not None
        if event.text().strip() and event.text().isprintable():
            event.ignore()
        else:
            super().keyPressEvent(event)

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Say where; the rows move when the rig has changed."""
        assert event is not None
        item = self.itemAt(event.position().toPoint())
        event.setDropAction(Qt.DropAction.IgnoreAction)
        event.accept()
        self.dropped.emit(None if item is None else item.data(0, _ID))


class Parts(QWidget):
    """All parts as a tree. picked: a part was clicked, by id. menu_wanted: what can be done with
    what is chosen, at a place of the screen."""

    picked = pyqtSignal(str)
    menu_wanted = pyqtSignal(QPoint)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self._items: dict[PartId, QTreeWidgetItem] = {}
        # Of what stands in the list beside parts.
        self._things: dict[ThingId, QTreeWidgetItem] = {}
        self.told = Told(document)
        self._filling = False
        # Whether rows are left out for what is typed.
        self._left_out = False
        self._hidden: frozenset[PartId] = frozenset()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 8, 0, 0)
        layout.setSpacing(4)
        head = QHBoxLayout()
        head.setContentsMargins(14, 0, 14, 0)
        title = self.title = QLabel("Parts")
        title.setFont(text_font(10.5, bold=True))
        title.setProperty("keys", False)
        self.count = QLabel()
        self.count.setProperty("second", True)
        self.filter = TextField("", "Filter the parts")
        self.filter.setPlaceholderText("filter")
        self.filter.setFixedWidth(104)
        self.filter.setToolTip("Shows only what holds these words in its name")
        self.filter.textChanged.connect(self._show_fitting)
        # What it shows stays; there is nothing to be taken over.
        self.filter.returnPressed.connect(self._leave_filter)
        head.addWidget(title)
        head.addWidget(self.count, 1)
        head.addWidget(self.filter)
        layout.addLayout(head)
        self.empty = QLabel(EMPTY)
        self.empty.setWordWrap(True)
        self.empty.setProperty("second", True)
        self.empty.setContentsMargins(14, 4, 12, 0)
        layout.addWidget(self.empty)
        self.tree = _Tree()
        self.tree.setHeaderHidden(True)
        self.tree.setIndentation(14)
        self.tree.setUniformRowHeights(True)
        self.tree.setEditTriggers(
            QAbstractItemView.EditTrigger.EditKeyPressed
            | QAbstractItemView.EditTrigger.DoubleClicked
        )
        self.tree.setExpandsOnDoubleClick(False)
        self.tree.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.tree.setDropIndicatorShown(True)
        self.tree.dropped.connect(self._mount_chosen)
        self.tree.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.tree.customContextMenuRequested.connect(self._ask_menu)
        self.tree.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.tree.itemSelectionChanged.connect(self._chosen_changed)
        self.tree.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.tree.setAccessibleName("Parts")
        self._look = RowLook(self.told, self)
        self.tree.setItemDelegate(self._look)
        self.tree.setContentsMargins(8, 0, 0, 0)
        self.tree.installEventFilter(self)
        self.tree.itemClicked.connect(lambda item, _column: self.picked.emit(item.data(0, _ID)))
        self.tree.itemChanged.connect(self._renamed)
        layout.addWidget(self.tree, 1)
        layout.addStretch()
        document.rig_changed.connect(self._take_rig)
        document.selection_changed.connect(self._take_selection)
        document.pose_changed.connect(self._take_pose)
        self.rebuild()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """The title shows whether keys go to the list."""
        if event is not None and event.type() in (QEvent.Type.FocusIn, QEvent.Type.FocusOut):
            self.title.setProperty("keys", event.type() == QEvent.Type.FocusIn)
            self.title.style().unpolish(self.title)
            self.title.style().polish(self.title)
        return super().eventFilter(watched, event)

    def set_inks(self, inks: Inks) -> None:
        """Draw by day or by night."""
        self._look.inks = inks
        self.tree.viewport().update()

    def _take_rig(self, change: Change) -> None:
        """Redo the rows concerned; the whole tree where another rig is on the table, its order
        is another, or something is wrong with how it is mounted."""
        before, after = change.before.parts, change.after.parts
        kept = change.same_order("parts") or (
            [i for i in before if i in after] == [i for i in after if i in before]
        )
        if change.anew:
            # The words in the filter were for the rig before.
            self.filter.clear()
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
        if changed or change.touches(*FIELDS):
            self._put_things()
            self._show_fitting()
        self._filling = False
        self._say_count()
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
            self._things.pop(one.data(0, _ID), None)

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
            rows = [place.get(beside(i).data(0, _ID), len(place)) for i in range(count)]
            at = bisect_left(rows, place[one])
            if above is None:
                self.tree.insertTopLevelItem(at, item)
            else:
                above.insertChild(at, item)
                above.setExpanded(above.isExpanded() or count == 0)

    def _row(self, part_id: PartId) -> QTreeWidgetItem:
        return _item(part_id, self.document.rig.parts[part_id].name, named=True)

    def _put_things(self) -> None:
        """Bring the rows of what is no part in step with the rig, each after the parts that stand
        under the same one."""
        rig, before = self.document.rig, self.told.rows
        self.told.rows = dict(rows_of(rig))
        for thing_id, item in list(self._things.items()):
            row = self.told.rows.get(thing_id)
            if row is not None and row.under == before[thing_id].under:
                item.setText(0, row.name)
                continue
            above = item.parent()
            if above is not None:
                above.removeChild(item)
            else:
                self.tree.takeTopLevelItem(self.tree.indexOfTopLevelItem(item))
            del self._things[thing_id]
        for thing_id, row in self.told.rows.items():
            if thing_id in self._things:
                continue
            item = self._things[thing_id] = _item(
                thing_id, row.name, named=thing_id not in rig.closures
            )
            under = None if row.under is None else self._items.get(row.under)
            if under is None:
                self.tree.addTopLevelItem(item)
            else:
                under.addChild(item)
                under.setExpanded(under.isExpanded() or under.childCount() == 1)

    def leave_out(self, parts: frozenset[PartId]) -> None:
        """These parts are left out of the Bench."""
        self.told.left_out = parts
        self._say_count()
        self.tree.viewport().update()

    def _say_count(self) -> None:
        parts = self.document.rig.parts
        hidden = len(self.told.left_out & parts.keys())
        self.count.setText(f"{len(parts)}, {hidden} hidden" if hidden else str(len(parts)))

    def _leave_filter(self) -> None:
        give_back(self.filter)

    def _show_fitting(self) -> None:
        """Leave out rows that do not hold what is typed, but for what carries one that does."""
        words = self.filter.text().lower().split()
        if not words and not self._left_out:
            return
        self._left_out = bool(words)
        rows = [*self._items.values(), *self._things.values()]
        for item in rows:
            item.setHidden(bool(words) and not all(w in item.text(0).lower() for w in words))
        if not words:
            return
        for item in rows:
            above = item.parent()
            while not item.isHidden() and above is not None:
                above.setHidden(False)
                above.setExpanded(True)
                above = above.parent()

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
        self._items, self._things = {}, {}
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
        self._put_things()
        self.tree.expandAll()
        for part_id in folded:
            if part_id in self._items:
                self._items[part_id].setExpanded(False)
        self.tree.verticalScrollBar().setValue(scrolled)
        self._say_count()
        self._show_fitting()
        self.empty.setVisible(not parts)
        self.tree.setVisible(bool(parts))
        self._filling = False
        self._take_selection()

    def _take_selection(self) -> None:
        """Show what is chosen. Where the list says so already, it is left alone: a hand may be at
        it."""
        selected = self.document.selected
        wanted = {selected, *self.document.also} - {NOTHING}
        shown = {item.data(0, _ID) for item in self.tree.selectedItems()}
        if wanted != shown:
            item = self._items.get(PartId(selected)) or self._things.get(selected)
            self._filling = True
            self.tree.setCurrentItem(item)
            for part in self.document.also:
                if part in self._items:
                    self._items[part].setSelected(True)
            if item is not None:
                self.tree.scrollToItem(item)
            self._filling = False
        self.tree.viewport().update()

    def _chosen_changed(self) -> None:
        """A row is chosen, or several with Ctrl and Shift."""
        if self._filling:
            return
        chosen = [item.data(0, _ID) for item in self.tree.selectedItems()]
        current = self.tree.currentItem()
        now = None if current is None else current.data(0, _ID)
        parts = [ids.part(thing) for thing in chosen if thing in self.document.rig.parts]
        if now in parts:
            # The one that was clicked last is the selected one.
            parts = [part for part in parts if part != now] + [ids.part(now)]
        if len(parts) > 1:
            self.document.choose(parts)
        elif chosen:
            self.document.select(parts[0] if parts else chosen[0])

    def _ask_menu(self, at: QPoint) -> None:
        """The right button on a row that is not chosen chooses it first."""
        item = self.tree.itemAt(at)
        if item is not None:
            thing = item.data(0, _ID)
            if thing not in (self.document.selected, *self.document.also):
                self.document.select(thing)
            self.menu_wanted.emit(self.tree.viewport().mapToGlobal(at))

    def _mount_chosen(self, thing: ThingId | None) -> None:
        """What is chosen was dropped on a row: that part carries it; beside them all the ground
        does. Nothing moves."""
        document = self.document
        chosen, pose = document.chosen_parts, document.settled()
        parent = None if thing is None else PartId(thing)
        if not chosen or (parent is not None and parent not in document.rig.parts):
            return
        names = document.rig.parts[chosen[0]].name
        what = names if len(chosen) == 1 else counted_words(len(chosen), "part")
        on = "the ground" if parent is None else document.rig.parts[parent].name
        if document.edit(
            f"mount {what} on {on}", lambda rig: mounted_on(rig, chosen, parent, pose)
        ):
            document.said.emit(f"{on[0].upper()}{on[1:]} carries {what} now; nothing has moved.")

    def _renamed(self, item: QTreeWidgetItem) -> None:
        if self._filling:
            return
        thing, name = item.data(0, _ID), item.text(0).strip()
        record = thing_of(self.document.rig, thing)
        if record is None:
            return
        old = record.of(self.document.rig)[thing].name
        if not self.document.edit(f"rename {old}", lambda rig: rename(rig, thing, name)):
            self._filling = True
            item.setText(0, old)
            self._filling = False


def _item(thing: ThingId, name: str, *, named: bool) -> QTreeWidgetItem:
    item = QTreeWidgetItem([name])
    item.setData(0, _ID, thing)
    if named:
        item.setFlags(_FLAGS)
    return item
