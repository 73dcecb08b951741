"""The Kits page: pieces that are kept to be used again, to look through and to put in."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtCore import QPoint, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QPainter, QPaintEvent, QPen, QPixmap, QShowEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from gremio.core.files.kits import KitFile, kits_in, later_kits
from gremio.core.problem import counted_words
from gremio.core.rig.ids import ThingId
from gremio.demo import KITS
from gremio.desktop.deck.kit_pictures import ROOM, KitPictures
from gremio.desktop.document.change import Change
from gremio.desktop.document.document import Document
from gremio.desktop.fields.areas import show_in
from gremio.desktop.fields.flow import Flow
from gremio.desktop.fields.pieces import second, verb
from gremio.desktop.fields.text_field import TextField
from gremio.desktop.kept import kit_folders
from gremio.desktop.theme.dress import text_font
from gremio.desktop.theme.inks import DAY, Inks

_TILE = QSize(ROOM.width() + 12, ROOM.height() + 50)
_NONE = (
    "No kit is called that. Another word, or none, shows more; or keep a part of this rig as one."
)


class KitsPage(QWidget):
    """The kits of all folders, each with its picture, and those of the rig that have changed.

    chosen: a kit (Path) is to be put in. open_wanted: one is to be opened, to be changed.
    keep_wanted, folder_wanted: what is selected is to be kept; kits are to be looked for in another
    folder. later_wanted, forget_wanted: what has changed in a kit of the rig (id) is to be shown;
    the kit is to be the rig's own.
    """

    chosen = pyqtSignal(object)
    open_wanted = pyqtSignal(object)
    keep_wanted = pyqtSignal()
    folder_wanted = pyqtSignal()
    later_wanted = pyqtSignal(str)
    forget_wanted = pyqtSignal(str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.inks: Inks = DAY
        self.kits: list[KitFile] = []
        self.tiles: list[KitTile] = []
        self.pictures = KitPictures(self)
        self.pictures.drawn.connect(self._take_picture)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 6, 16, 4)
        column.setSpacing(6)
        line = QHBoxLayout()
        line.setSpacing(8)
        self.search = TextField("", "Find a kit")
        self.search.setPlaceholderText("find a kit")
        self.search.setFixedWidth(190)
        self.search.textChanged.connect(lambda _text: self._lay())
        self.search.typed.connect(lambda _text: self.search.taken())
        line.addWidget(self.search)
        tip = "As a kit, with all that it carries and all that is inside"
        line.addWidget(verb("Keep what is selected", self.keep_wanted.emit, tip))
        tip = "Look for kits there too, from now on"
        line.addWidget(verb("Another folder…", self.folder_wanted.emit, tip))
        self.count = second("")
        line.addWidget(self.count)
        line.addStretch()
        column.addLayout(line)
        self.changed = QVBoxLayout()
        self.changed.setSpacing(4)
        column.addLayout(self.changed)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column.addWidget(self.area, 1)
        document.rig_changed.connect(self._take_rig)

    def showEvent(self, event: QShowEvent | None) -> None:
        """Look at the folders anew: a kit may have been kept by another window."""
        super().showEvent(event)
        self.look()

    def set_inks(self, inks: Inks) -> None:
        """Draw by day or by night."""
        self.inks = inks
        self.pictures.set_inks(inks)
        self._lay()

    def look(self) -> None:
        """Read which kits there are."""
        self.kits = kits_in([*kit_folders(), KITS])
        self._lay()
        self._tell_changed()

    def _lay(self) -> None:
        """Lay out the kits that are looked for."""
        sheet = QWidget()
        flow = Flow(sheet, apart=10)
        found = [kit for kit in self.kits if kit.found_by(self.search.text())]
        self.tiles = [KitTile(kit, self.inks, self.pictures.picture(kit)) for kit in found]
        for tile in self.tiles:
            tile.clicked.connect(partial(self._choose, tile.kit))
            tile.menu_wanted.connect(partial(self._offer, tile.kit))
            flow.addWidget(tile)
        if not found:
            flow.addWidget(QLabel(_NONE))
        self.count.setText(counted_words(len(found), "kit"))
        show_in(self.area, sheet)

    def _choose(self, kit: KitFile) -> None:
        if kit.wrong:
            self.document.said.emit(f"{kit.path.name}: {kit.wrong}")
        else:
            self.chosen.emit(kit.path)

    def _offer(self, kit: KitFile, at: QPoint) -> None:
        menu = QMenu(self)
        menu.addAction("Put it in").triggered.connect(lambda: self._choose(kit))
        menu.addAction("Open it, to change it").triggered.connect(
            lambda: self.open_wanted.emit(kit.path)
        )
        menu.popup(at)

    def _take_picture(self, path: Path, picture: QPixmap) -> None:
        for tile in self.tiles:
            if tile.kit.path == path:
                tile.set_picture(picture)

    def _take_rig(self, change: Change) -> None:
        if change.anew or change.touches("kits"):
            self._tell_changed()

    def _tell_changed(self) -> None:
        """Say which kits of the rig are otherwise in their files now."""
        if not self.isVisible():
            return
        while item := self.changed.takeAt(0):
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        for use_id in later_kits(self.document.rig):
            self.changed.addWidget(self._changed_line(use_id))

    def _changed_line(self, use_id: ThingId) -> QWidget:
        name = self.document.rig.kits[use_id].name
        holder = QWidget()
        line = QHBoxLayout(holder)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(8)
        told = QLabel(f"{name} has changed since it was put in.")
        told.setProperty("warning", True)
        line.addWidget(told)
        show = verb("Show what", partial(self.later_wanted.emit, use_id))
        show.setAccessibleName(f"Show what has changed in {name}")
        line.addWidget(show)
        own = verb("Keep mine", partial(self.forget_wanted.emit, use_id),
                   "What the kit brought is this rig's own from now on")  # fmt: skip
        line.addWidget(own)
        line.addStretch()
        return holder


class KitTile(QPushButton):
    """A kit: its picture, its name, and what it is. A click puts it in.

    menu_wanted: the right button was pressed, at a place of the screen.
    """

    menu_wanted = pyqtSignal(QPoint)

    def __init__(self, kit: KitFile, inks: Inks, picture: QPixmap | None) -> None:
        super().__init__()
        self.kit, self.inks, self._picture = kit, inks, picture
        self.setProperty("slab", True)
        self.setFixedSize(_TILE)
        self.setAccessibleName(f"Kit {kit.name}")
        self.setToolTip(f"{kit.name}: {kit.wrong or kit.about}\n{kit.path}")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.customContextMenuRequested.connect(
            lambda at: self.menu_wanted.emit(self.mapToGlobal(at))
        )

    def set_picture(self, picture: QPixmap) -> None:
        """Show what it looks like."""
        self._picture = picture
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter puts it in, as a click does."""
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """The picture, the name below it, and what it is."""
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        room = QRectF(6, 6, ROOM.width(), ROOM.height())
        if self._picture is not None:
            painter.drawPixmap(room.toRect(), self._picture)
        painter.setPen(QPen(QColor(self.inks.rule), 1))
        painter.drawRect(room)
        wide = ROOM.width() - 4
        painter.setFont(text_font(9, bold=True))
        painter.setPen(QColor(self.inks.ink))
        text = painter.fontMetrics().elidedText(self.kit.name, Qt.TextElideMode.ElideRight, wide)
        painter.drawText(QRectF(8, ROOM.height() + 9, wide, 16), 0, text)
        painter.setFont(text_font(8))
        painter.setPen(QColor(self.inks.time if self.kit.wrong else self.inks.second))
        told = self.kit.wrong or self.kit.about
        text = painter.fontMetrics().elidedText(told, Qt.TextElideMode.ElideRight, wide)
        painter.drawText(QRectF(8, ROOM.height() + 27, wide, 16), 0, text)
