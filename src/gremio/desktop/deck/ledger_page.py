"""The Ledger: a table of every led channel, to be sorted, filtered, edited and copied."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import (
    QAbstractTableModel,
    QItemSelectionModel,
    QModelIndex,
    QSortFilterProxyModel,
    Qt,
)
from PyQt6.QtGui import QColor, QGuiApplication, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QStackedLayout,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from gremio.core.files import atomic
from gremio.core.inspect.ledger import (
    COLUMNS,
    FREE,
    LedgerRow,
    cell,
    ledger_csv,
    ledger_rows,
    pasted,
    typed_value,
    with_how,
    with_note,
    with_stop,
)
from gremio.core.problem import GremioError, counted_words
from gremio.core.rig.channels import split
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.model import Link, Rig
from gremio.desktop.deck.catching_up import CatchingUp
from gremio.desktop.document.document import Document
from gremio.desktop.document.timing import AS_BEFORE
from gremio.desktop.fields.pieces import second, verb
from gremio.desktop.fields.save_where import ask_where
from gremio.desktop.fields.text_field import TextField
from gremio.desktop.theme.dress import digit_font, text_font
from gremio.desktop.theme.inks import DAY, Inks

EMPTY = (
    "Nothing is led yet. Select what should lead, press L, and click what should follow; every "
    "channel that something leads then has a row here."
)
_EDITED = ("Value", "How", "Low stop", "High stop", "Note")
_NUMBERS = ("Value", "Low stop", "High stop")
_WIDTHS = {"Follower": 190, "Value": 92, "Link": 104, "How": 240, "Lead": 180}
_SORT = Qt.ItemDataRole.UserRole


class _Table(QAbstractTableModel):
    """The rows. What a cell shows is found when it is asked for, so that many rows cost
    nothing until they are looked at."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.rows: list[LedgerRow] = []

        self.inks: Inks = DAY
        # Whether channels that nothing leads are shown too.
        self.free = False

    def rebuild(self) -> None:
        """Take the rows of the rig of now."""
        rows = ledger_rows(self.document.program, free=self.free)
        if [_which(row) for row in rows] == [_which(row) for row in self.rows]:
            # The same rows, said anew: the table keeps its place.
            self.rows = rows
            if rows:
                last = self.index(len(rows) - 1, len(COLUMNS) - 1)
                self.dataChanged.emit(self.index(0, 0), last)
            return
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def values_changed(self) -> None:
        """The pose is another one."""
        if self.rows:
            column = COLUMNS.index("Value")
            self.dataChanged.emit(self.index(0, column), self.index(len(self.rows) - 1, column))

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:
        """How many rows there are."""
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:
        """How many columns there are."""
        return 0 if parent.isValid() else len(COLUMNS)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> object:
        """The heads of the columns."""
        if orientation != Qt.Orientation.Horizontal:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return COLUMNS[section]
        if role == Qt.ItemDataRole.TextAlignmentRole and COLUMNS[section] in _NUMBERS:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        return None

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        """What a cell shows."""
        row, column = self.rows[index.row()], COLUMNS[index.column()]
        shown = (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole, Qt.ItemDataRole.ToolTipRole)
        before = column == "Value" and self.document.timing.shown_as_before(row.channel)
        if role in shown:
            if role == Qt.ItemDataRole.ToolTipRole and before:
                return AS_BEFORE
            return cell(self.document.pose, row, column)
        if role == _SORT:
            if column == "Value":
                return self.document.pose.at(row.channel)
            return cell(self.document.pose, row, column).lower()
        if role == Qt.ItemDataRole.ForegroundRole and before:
            return QColor(self.inks.time)
        if role == Qt.ItemDataRole.FontRole:
            number = column in (*_NUMBERS, "How")
            return digit_font(8.5) if number else text_font(9)
        if role == Qt.ItemDataRole.TextAlignmentRole and column in _NUMBERS:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        return None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        """Values, proportions, formulas and stops can be typed over."""
        flags = super().flags(index)
        if index.isValid() and COLUMNS[index.column()] in _EDITED:
            flags |= Qt.ItemFlag.ItemIsEditable
        return flags

    def setData(
        self, index: QModelIndex, value: object, role: int = Qt.ItemDataRole.EditRole
    ) -> bool:
        """Take over what was typed, as an edit that can be undone."""
        if role != Qt.ItemDataRole.EditRole:
            return False
        row, column, text = self.rows[index.row()], COLUMNS[index.column()], str(value)
        if text == cell(self.document.pose, row, column):
            return False
        document, rig = self.document, self.document.rig
        if column == "Value":
            try:
                wanted = typed_value(rig, row, text)
            except GremioError as problem:
                document.said.emit(str(problem))
                return False
            return document.move(row.channel, wanted)
        if column == "Note":
            return document.edit(f"note on {row.follower}", lambda r: with_note(r, row, text))
        if column == "How":
            return document.edit(f"how {row.follower} is led", lambda r: with_how(r, row, text))
        return document.edit(
            f"{column.lower()} of {row.follower}",
            lambda r: with_stop(r, row.channel, column, text),
        )


def _which(row: LedgerRow) -> tuple[ChannelKey, ThingId]:
    return row.channel, row.link_id


class LedgerPage(CatchingUp):
    """The table, a field that filters it, and its export."""

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self.inks: Inks = DAY
        self._copied: Link | None = None
        self.table = _Table(document)
        self.sorted = QSortFilterProxyModel(self)
        self.sorted.setSourceModel(self.table)
        self.sorted.setSortRole(_SORT)
        self.sorted.setFilterKeyColumn(-1)
        self.sorted.setFilterCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self.view = _View(self)
        self.view.setModel(self.sorted)
        self.filter = TextField("", "Filter the Ledger")
        self.filter.setPlaceholderText("Filter: a name, a link, a number")
        self.filter.setFixedWidth(240)
        self.filter.textChanged.connect(self.sorted.setFilterFixedString)
        self.filter.typed.connect(self.filter.taken)
        self.count = QLabel()
        self.count.setProperty("second", True)
        self.empty = second(EMPTY)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        head = QHBoxLayout()
        head.setContentsMargins(16, 4, 16, 0)
        head.addWidget(self.filter)
        self.with_free = QCheckBox("free ones too")
        self.with_free.setToolTip("Channels that nothing leads, ready to be led from here")
        self.with_free.toggled.connect(self._show_free)
        head.addWidget(self.with_free)
        head.addWidget(self.count)
        head.addStretch()
        head.addWidget(verb("Copy link", self.copy_link, "Ctrl+C"))
        head.addSpacing(10)
        head.addWidget(verb("Paste onto the chosen rows", self.paste_link, "Ctrl+V"))
        head.addSpacing(10)
        head.addWidget(verb("Export as CSV…", self.export))
        full = QWidget()
        column = QVBoxLayout(full)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addLayout(head)
        table = QHBoxLayout()
        table.setContentsMargins(12, 0, 8, 0)
        table.addWidget(self.view)
        column.addLayout(table, 1)
        self.pages = QStackedLayout(self)
        self.pages.addWidget(self.empty)
        self.pages.addWidget(full)
        document.pose_changed.connect(self._take_pose)
        document.selection_changed.connect(self._take_selection)
        self.outdated.connect(self.rebuild)
        self.catch_up()

    def set_inks(self, inks: Inks) -> None:
        """Draw by day or by night."""
        self.inks = self.table.inks = inks
        self.view.viewport().update()

    def rebuild(self) -> None:
        """Take the rows of the rig of now."""
        again = self._place()
        self.table.rebuild()
        rows = self.table.rows
        count = sum(row.word != FREE for row in rows)
        words = f"{count} led channel{'s' if count != 1 else ''}"
        if self.table.free:
            words += f", {len(rows) - count} free"
        self.count.setText(words)
        self.pages.setCurrentIndex(1 if rows or self.table.free else 0)
        again()

    def _place(self) -> Callable[[], None]:
        """What brings the chosen rows, the present cell and the scrolling back, where the rows are
        still there."""
        chosen = {_which(row) for row in self.chosen()}
        present = self.view.currentIndex()
        row = self.sorted.mapToSource(present).row() if present.isValid() else -1
        here = _which(self.table.rows[row]) if 0 <= row < len(self.table.rows) else None
        scrolled = self.view.verticalScrollBar().value()

        def again() -> None:
            rows = {_which(entry): number for number, entry in enumerate(self.table.rows)}
            model = self.view.selectionModel()
            flag = QItemSelectionModel.SelectionFlag
            if here in rows:
                index = self.sorted.mapFromSource(self.table.index(rows[here], present.column()))
                model.setCurrentIndex(index, flag.NoUpdate)
            model.clearSelection()
            for which in chosen & set(rows):
                index = self.sorted.mapFromSource(self.table.index(rows[which], 0))
                model.select(index, flag.Select | flag.Rows)
            self.view.verticalScrollBar().setValue(scrolled)

        return again

    def _show_free(self, free: bool) -> None:
        self.table.free = free
        self.rebuild()

    def _take_pose(self) -> None:
        if self.isVisible() and self.fresh:
            self.table.values_changed()

    def _take_selection(self) -> None:
        """Show the rows of what is selected."""
        if not self.isVisible() or self.view.choosing:
            return
        selected = self.document.selected
        for number, row in enumerate(self.table.rows):
            if selected and selected in (split(row.channel)[0], row.link_id):
                index = self.sorted.mapFromSource(self.table.index(number, 0))
                self.view.selectRow(index.row())
                self.view.scrollTo(index)
                return

    def chosen(self) -> list[LedgerRow]:
        """The rows that are selected."""
        model = self.view.selectionModel()
        rows = {self.sorted.mapToSource(index).row() for index in model.selectedIndexes()}
        return [self.table.rows[row] for row in sorted(rows)]

    def copy_link(self) -> None:
        """Copy the link of the chosen row, and the rows as text."""
        rows = self.chosen()
        if not rows:
            self.document.said.emit("Choose a row first; its link can then be pasted on others.")
            return
        self._copied = self.document.rig.links.get(rows[0].link_id)
        pose = self.document.settled()
        lines = ["\t".join(cell(pose, row, column) for column in COLUMNS) for row in rows]
        QGuiApplication.clipboard().setText("\n".join(lines))
        self.document.said.emit(f"Copied how {rows[0].follower} is led.")

    def paste_link(self) -> None:
        """Let the copied link lead the chosen rows' channels."""
        link, rows = self._copied, self.chosen()
        if link is None or not rows:
            self.document.said.emit("Copy a row first, then choose those to paste it on.")
            return

        def change(rig: Rig) -> Rig:
            for row in rows:
                rig = pasted(rig, link, row)
            return rig

        self.document.edit("paste a link", change)

    def export(self) -> None:
        """Ask where to, and write the table as CSV."""
        path = ask_where(self, "Export the Ledger", "", "ledger", "CSV", ".csv")
        if path:
            self.export_to(path)

    def export_to(self, path: Path) -> None:
        """Write the rows shown, as they are sorted and filtered, as CSV."""
        order = [self.sorted.mapToSource(self.sorted.index(i, 0)).row()
                 for i in range(self.sorted.rowCount())]  # fmt: skip
        rows = [self.table.rows[i] for i in order]
        try:
            atomic.write(path, ledger_csv(self.document.settled(), rows).encode())
        except GremioError as problem:
            self.document.said.emit(str(problem))
            return
        self.document.said.emit(f"{counted_words(len(rows), 'row')} written to {path.name}.")


class _View(QTableView):
    """The table as it looks; a click on a follower selects it everywhere."""

    def __init__(self, page: LedgerPage) -> None:
        super().__init__()
        self.page = page
        self.choosing = False
        self.setAccessibleName("Ledger")
        self.setSortingEnabled(True)
        self.setAlternatingRowColors(False)
        self.setShowGrid(False)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setEditTriggers(
            QAbstractItemView.EditTrigger.DoubleClicked
            | QAbstractItemView.EditTrigger.EditKeyPressed
        )
        self.verticalHeader().hide()
        self.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.verticalHeader().setDefaultSectionSize(22)
        self.horizontalHeader().setStretchLastSection(True)
        self.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        self.horizontalHeader().setHighlightSections(False)
        self.clicked.connect(self._clicked)

    def setModel(self, model: object) -> None:
        """Columns as wide as what they hold."""
        super().setModel(model)  # type: ignore[arg-type]
        for column, name in enumerate(COLUMNS):
            self.setColumnWidth(column, _WIDTHS.get(name, 84))
        self.sortByColumn(-1, Qt.SortOrder.AscendingOrder)

    def _clicked(self, index: QModelIndex) -> None:
        row = self.page.table.rows[self.page.sorted.mapToSource(index).row()]
        document = self.page.document
        if document.asked_number(row.channel):
            return
        column = COLUMNS[index.column()]
        thing = split(row.channel)[0]
        if column in ("Link", "How") and row.link_id:
            thing = row.link_id
        elif column == "Lead":
            drive = document.program.drives.get(row.channel)
            known = [c for c in drive.leads if c in document.program.channel_row] if drive else []
            thing = split(known[0])[0] if known else thing
        self.choosing = True
        document.select(thing)
        self.choosing = False

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Copy and paste rows."""
        assert event is not None
        if event.matches(QKeySequence.StandardKey.Copy):
            self.page.copy_link()
        elif event.matches(QKeySequence.StandardKey.Paste):
            self.page.paste_link()
        else:
            super().keyPressEvent(event)
