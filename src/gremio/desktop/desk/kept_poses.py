"""The poses that are kept: a row of names under the Desk. A click returns to one; pulling at a
name to the right goes part of the way."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMenu,
    QVBoxLayout,
    QWidget,
)

from gremio.core.edit.desk import blended, keep_pose, remove_pose, rename_pose
from gremio.core.rig.find import free_name
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.desktop.document.change import Change
from gremio.desktop.document.document import Document
from gremio.desktop.fields.areas import clear
from gremio.desktop.fields.text_field import TextField
from gremio.desktop.theme.dress import digit_font, text_font
from gremio.desktop.theme.inks import DAY, Inks

# How far a name is pulled to go the whole way (px), and where pulling begins.
_WHOLE, _BEGINS = 150.0, 5.0


class PoseName(QWidget):
    """The name of a kept pose. blend: go a share of the way there. let_go: the hand was taken
    off. menu_wanted: what can be done with it. renamed: another name was typed."""

    renamed = pyqtSignal(str)
    blend = pyqtSignal(float)
    let_go = pyqtSignal()
    menu_wanted = pyqtSignal(object)

    def __init__(self, name: str, inks: Inks) -> None:
        super().__init__()
        self.name, self.inks = name, inks
        self._press: QPointF | None = None
        self.share = 0.0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"Pose {name}")
        self.setToolTip("Click: go there. Pull to the right: go part of the way.")
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        """Room for the name."""
        return QSize(120, 22)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """The name, and how much of the way has been gone while it is pulled."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        room = QRectF(self.rect()).adjusted(14, 1, -14, -1)
        if self.hasFocus():
            painter.setPen(QPen(QColor(self.inks.second), 1, Qt.PenStyle.DotLine))
            painter.drawRoundedRect(room.adjusted(-6, 0, 6, 0), 3, 3)
        if self._press is not None:
            painter.fillRect(
                QRectF(room.left(), room.bottom() - 3, room.width() * self.share, 3),
                QColor(self.inks.hand),
            )
            painter.setFont(digit_font(8.5))
            painter.setPen(QColor(self.inks.hand))
            painter.drawText(room, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                             f"{self.share * 100:.0f} %")  # fmt: skip
        painter.setFont(text_font(9))
        painter.setPen(QColor(self.inks.ink))
        name = painter.fontMetrics().elidedText(
            self.name, Qt.TextElideMode.ElideRight, int(room.width()) - 44
        )
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, name)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of the name."""
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton:
            self._press, self.share = event.position(), 0.0
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Pulled to the right, the Desk goes part of the way."""
        assert event is not None
        if self._press is None:
            return
        way = event.position().x() - self._press.x() - _BEGINS
        if self.share or way > 0:
            self.share = min(max(way / _WHOLE, 1e-6), 1.0)
            self.blend.emit(self.share)
            self.update()

    def mouseReleaseEvent(self, _event: QMouseEvent | None) -> None:
        """A click goes the whole way."""
        if self._press is None:
            return
        if not self.share:
            self.blend.emit(1.0)
        self._press = None
        self.let_go.emit()
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Return goes there."""
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.blend.emit(1.0)
            self.let_go.emit()
        elif event.key() == Qt.Key.Key_F2:
            self.edit()
        else:
            super().keyPressEvent(event)

    def edit(self) -> None:
        """Let the name be typed over."""
        field = TextField(self.name, "Name of the pose", self)
        field.setGeometry(self.rect().adjusted(10, 0, -10, 0))
        field.editingFinished.connect(lambda: self._typed(field))
        field.show()
        field.selectAll()
        field.setFocus()

    def _typed(self, field: QLineEdit) -> None:
        field.blockSignals(True)
        field.hide()
        field.deleteLater()
        self.renamed.emit(field.text())

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Rename, keep anew, forget."""
        assert event is not None
        self.menu_wanted.emit(event.globalPos())


class KeptPoses(QWidget):
    """The kept poses of the Desk."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.inks: Inks = DAY
        self._start: dict[ChannelKey, float] | None = None
        self.names: dict[ThingId, PoseName] = {}
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 2, 0, 2)
        self._column.setSpacing(0)
        document.rig_changed.connect(self._take_rig)
        self.rebuild()

    def set_inks(self, inks: Inks) -> None:
        """Draw by day or by night."""
        self.inks = inks
        self.rebuild()

    def _take_rig(self, change: Change) -> None:
        if change.touches("poses", "locked") or not change.same_order("controls"):
            self.rebuild()

    def rebuild(self) -> None:
        """List the poses anew."""
        rig = self.document.rig
        clear(self._column)
        self.names = {}
        self.setVisible(bool(rig.poses))
        head = QWidget()
        line = QHBoxLayout(head)
        line.setContentsMargins(14, 2, 12, 0)
        title = QLabel("POSES")
        title.setFont(text_font(8, bold=True))
        title.setProperty("second", True)
        line.addWidget(title)
        line.addStretch()
        self._column.addWidget(head)
        for pose, entry in rig.poses.items():
            name = PoseName(entry.name, self.inks)
            name.blend.connect(lambda share, p=pose: self._blend(p, share))
            name.let_go.connect(self._let_go)
            name.menu_wanted.connect(lambda at, p=pose: self._menu(p, at))
            name.renamed.connect(lambda text, p=pose: self._rename(p, text))
            self.names[pose] = name
            self._column.addWidget(name)

    def _values(self) -> dict[ChannelKey, float]:
        document = self.document
        pose = document.settled()
        return {**document.inputs(), **{c: pose.at(c) for c in document.rig.controls}}

    def keep(self) -> None:
        """Keep where the Desk stands, under a name that can be typed over at once."""
        taken = [pose.name for pose in self.document.rig.poses.values()]
        name = free_name(taken, "Pose")
        self.keep_as(name)
        for pose, row in self.names.items():
            if self.document.rig.poses[pose].name == name:
                row.edit()

    def keep_as(self, name: str) -> None:
        """Keep where the Desk stands under a name."""
        values = self._values()
        self.document.edit(f"keep the pose {name}", lambda rig: keep_pose(rig, name, values)[0])

    def _blend(self, pose: ThingId, share: float) -> None:
        """Go a share of the way from where the Desk stood when the name was taken hold of."""
        if self._start is None:
            self._start = self._values()
        values = blended(self.document.rig, self._start, pose, share)
        name = self.document.rig.poses[pose].name
        self.document.put(values, f"go to {name}", gesture=f"pose {pose}", rolls=False)

    def _let_go(self) -> None:
        self._start = None
        self.document.settle()

    def _menu(self, pose: ThingId, at: QPoint) -> None:
        menu = QMenu(self)
        for text, do in (
            ("Keep it anew as it stands now", self._again),
            ("Rename", lambda p: self.names[p].edit()),
            ("Forget it", self._forget),
        ):
            action = menu.addAction(text)
            action.triggered.connect(lambda _checked=False, d=do: d(pose))
        menu.popup(at)

    def _again(self, pose: ThingId) -> None:
        self.keep_as(self.document.rig.poses[pose].name)

    def _rename(self, pose: ThingId, name: str) -> None:
        old = self.document.rig.poses[pose].name
        if name.strip() != old:
            self.document.edit(f"rename {old}", lambda rig: rename_pose(rig, pose, name.strip()))

    def _forget(self, pose: ThingId) -> None:
        name = self.document.rig.poses[pose].name
        self.document.edit(f"forget the pose {name}", lambda rig: remove_pose(rig, pose))
