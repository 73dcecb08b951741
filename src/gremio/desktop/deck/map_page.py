"""The Drive map: what leads what, from left to right, laid out by itself."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import (
    QColor,
    QFontMetricsF,
    QImage,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QWheelEvent,
)
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from gremio.core.inspect.drive_map import DriveMap, Edge, Node, drive_map
from gremio.core.rig.channels import split
from gremio.core.rig.ids import NOTHING, ChannelKey
from gremio.desktop.deck.catching_up import CatchingUp
from gremio.desktop.document.document import Document
from gremio.desktop.fields.pieces import second, verb
from gremio.desktop.fields.save_where import ask_where
from gremio.desktop.theme.dress import text_font
from gremio.desktop.theme.inks import DAY, Inks
from gremio.desktop.theme.symbols import draw_symbol

EMPTY = (
    "Nothing leads anything yet. Controls stand at the left of this map, and what they lead to "
    "their right, as soon as there are links."
)
_WIDE, _TALL = 178.0, 34.0
_ACROSS, _DOWN = 252.0, 46.0
_MARGIN = 24.0
# Below this scale the words of a map can't be read; a larger map is shifted instead.
_LEAST = 0.72


class MapView(QWidget):
    """The map itself: a drag shifts it, the wheel zooms, a click selects."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.inks: Inks = DAY
        self.map: DriveMap = drive_map(document.program)
        self.opened: frozenset[str] = frozenset()
        self.scale, self.shift = 1.0, QPointF(0, 0)
        self._press: QPointF | None = None
        self._dragged = False
        self.setAccessibleName("Drive map")
        self.setMouseTracking(True)

    def rebuild(self) -> None:
        """Lay the map out anew."""
        self.map = drive_map(self.document.program, self.opened)
        self.show_all()

    # ── where things are ───────────────────────────────────────────

    def box(self, node: str) -> QRectF:
        """Where a node's box is, before shift and scale."""
        layer, place = self.map.places[node]
        return QRectF(_MARGIN + layer * _ACROSS, _MARGIN + place * _DOWN, _WIDE, _TALL)

    def whole(self) -> QRectF:
        """The whole map, before shift and scale."""
        found = QRectF()
        for node in self.map.nodes:
            found = found.united(self.box(node))
        return found.adjusted(-_MARGIN, -_MARGIN, _MARGIN, _MARGIN)

    def spot(self, node: str) -> QPointF:
        """The middle of a node's box on the widget."""
        return self.box(node).center() * self.scale + self.shift

    def show_all(self) -> None:
        """Bring the whole map into view, at most at full size."""
        whole = self.whole()
        if whole.isEmpty() or self.width() < 50:
            return
        fit = min(self.width() / whole.width(), self.height() / whole.height(), 1.0)
        self.scale = max(fit, _LEAST)
        self.shift = QPointF(0, max(0.0, (self.height() - whole.height() * self.scale) / 2))
        self.show_selected()

    def show_selected(self) -> None:
        """Shift the map, where it is larger than the page, until the selection is in view."""
        chosen = [n for n in self.map.nodes.values()
                  if any(split(c)[0] == self.document.selected for c in n.channels)]  # fmt: skip
        room = QRectF(self.rect()).adjusted(10, 10, -10, -10)
        for node in chosen[:1]:
            box = self.box(node.key)
            at = QRectF(box.topLeft() * self.scale + self.shift, box.size() * self.scale)
            if not room.contains(at):
                self.shift += room.center() - at.center()
                lowest = self.height() - self.whole().height() * self.scale
                self.shift.setY(min(0.0, max(self.shift.y(), lowest)))
                self.shift.setX(min(0.0, self.shift.x()))
        self.update()

    def resizeEvent(self, _event: object) -> None:
        """Keep all in view."""
        self.show_all()

    def _at(self, spot: QPointF) -> str:
        inside = (spot - self.shift) / self.scale
        return next((n for n in self.map.nodes if self.box(n).contains(inside)), "")

    # ── drawing ────────────────────────────────────────────────────

    def _way(self) -> set[str]:
        """Nodes on the way of what is selected."""
        selected, rig = self.document.selected, self.document.rig
        if selected in rig.links or selected in rig.closures or selected in rig.constraints:
            drives = self.document.program.drives
            mine = [c for c, drive in drives.items() if selected in drive.links]
        else:
            mine = [c for n in self.map.nodes.values() for c in n.channels
                    if split(c)[0] == selected]  # fmt: skip
        nodes = {self.map.node_of(channel) for channel in mine} - {""}
        return self.map.way(nodes) if nodes else set()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """The map on paper."""
        painter = QPainter(self)
        painter.translate(self.shift)
        painter.scale(self.scale, self.scale)
        self.draw(painter)

    def draw(self, painter: QPainter) -> None:
        """Draw the whole map with a painter, before shift and scale."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        way = self._way()
        for hot in (False, True):
            for edge in self.map.edges:
                if (edge.start in way and edge.end in way) == hot:
                    self._draw_edge(painter, edge, hot)
        for node in self.map.nodes.values():
            self._draw_node(painter, node, node.key in way)

    def _draw_edge(self, painter: QPainter, edge: Edge, hot: bool) -> None:
        one, two = self.box(edge.start), self.box(edge.end)
        start, end = QPointF(one.right(), one.center().y()), QPointF(two.left(), two.center().y())
        path = QPainterPath(start)
        reach = max(30.0, (end.x() - start.x()) / 2)
        path.cubicTo(start + QPointF(reach, 0), end - QPointF(reach, 0), end)
        colour = QColor(self.inks.hand if hot else self.inks.second)
        painter.setPen(QPen(colour, 1.8 if hot else 1.0))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)
        painter.drawLine(end, end + QPointF(-6, -3.5))
        painter.drawLine(end, end + QPointF(-6, 3.5))
        middle = path.pointAtPercent(0.5)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(self.inks.panel))
        painter.drawEllipse(middle, 9.5, 9.5)
        draw_symbol(painter, edge.symbol, middle - QPointF(7, 7), colour.name(), 14)

    def _draw_node(self, painter: QPainter, node: Node, hot: bool) -> None:
        box = self.box(node.key)
        chosen = any(split(c)[0] == self.document.selected for c in node.channels)
        ink = QColor(self.inks.hand if hot else self.inks.ink)
        painter.setPen(QPen(ink, 1.8 if chosen else 1.0))
        painter.setBrush(QColor(self.inks.wash if chosen else self.inks.panel))
        if node.kind == "train":
            painter.drawRect(box.translated(3, 3))
        painter.drawRect(box)
        draw_symbol(painter, node.symbol, box.topLeft() + QPointF(7, 9), ink.name())
        painter.setPen(QColor(self.inks.ink))
        painter.setFont(text_font(9, bold=node.kind == "control"))
        metrics = QFontMetricsF(painter.font(), painter.device())
        room = _WIDE - 36
        title = metrics.elidedText(node.title, Qt.TextElideMode.ElideRight, room)
        at = box.topLeft() + QPointF(29, 15 if node.more else 21)
        painter.drawText(at, title)
        if node.more:
            painter.setFont(text_font(7.5))
            painter.setPen(QColor(self.inks.second))
            painter.drawText(box.topLeft() + QPointF(29, 28), node.more)

    # ── hands ──────────────────────────────────────────────────────

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """A drag shifts the map."""
        assert event is not None
        self._press, self._dragged = event.position(), False

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Shift the map, or show what can be clicked."""
        assert event is not None
        if self._press is not None and event.buttons():
            step = event.position() - self._press
            if self._dragged or abs(step.x()) + abs(step.y()) > 4:
                self._dragged = True
                self.shift += step
                self._press = event.position()
                self.update()
            return
        node = self._at(event.position())
        shape = Qt.CursorShape.PointingHandCursor if node else Qt.CursorShape.ArrowCursor
        self.setCursor(shape)
        found = self.map.nodes.get(node)
        self.setToolTip(f"{found.title} {found.more}" if found else "")

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """A click selects."""
        assert event is not None
        if not self._dragged:
            node = self.map.nodes.get(self._at(event.position()))
            thing = split(node.channels[0])[0] if node else NOTHING
            # The clock has no Card.
            self.document.select(thing if self.document.knows(thing) else NOTHING)
        self._press = None

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """A train opens into its members, or folds; a led channel shows its link."""
        assert event is not None
        node = self.map.nodes.get(self._at(event.position()))
        if node is None:
            return
        if node.kind == "train":
            self.opened |= {node.key}
            self.rebuild()
            return
        folded = {name for name in self.opened if self._belongs(node, name)}
        drive = self.document.program.drives.get(node.channels[0])
        if drive is not None and self.document.knows(drive.links[0]):
            self.document.select(drive.links[0])
        elif folded:
            self.opened -= folded
            self.rebuild()

    def _belongs(self, node: Node, train: str) -> bool:
        first = train.removeprefix("train ")
        trains = self.document.program.trains
        return trains.get(node.channels[0]) is trains.get(ChannelKey(first))

    def fold(self) -> None:
        """Fold every train that was opened."""
        self.opened = frozenset()
        self.rebuild()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Zoom at the pointer."""
        assert event is not None
        factor = 1.12 ** (event.angleDelta().y() / 120)
        scale = min(max(self.scale * factor, 0.08), 2.5)
        at = event.position()
        self.shift = at - (at - self.shift) * (scale / self.scale)
        self.scale = scale
        self.update()


class MapPage(CatchingUp):
    """The map with what can be done to it."""

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self.view = MapView(document)
        self.empty = second(EMPTY)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        head = QHBoxLayout()
        head.setContentsMargins(16, 2, 16, 0)
        hint = second(
            "A click selects, a double click opens a train or shows a link, a drag shifts the map."
        )
        hint.setWordWrap(False)
        head.addWidget(hint)
        head.addStretch()
        for words, do in (
            ("Show all", self.view.show_all),
            ("Fold the trains", self.view.fold),
            ("Export as a picture…", self.export),
        ):
            head.addWidget(verb(words, do))
            head.addSpacing(10)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(head)
        column.addWidget(self.empty, 1)
        column.addWidget(self.view, 1)
        document.selection_changed.connect(self.view.show_selected)
        self.outdated.connect(self.rebuild)
        self.catch_up()

    def set_inks(self, inks: Inks) -> None:
        """Draw by day or by night."""
        self.view.inks = inks
        self.view.update()

    def rebuild(self) -> None:
        """Lay the map out for the rig of now."""
        self.view.rebuild()
        anything = bool(self.view.map.edges)
        self.view.setVisible(anything)
        self.empty.setVisible(not anything)

    def export(self) -> None:
        """Ask where to, and write the map as PNG or SVG."""
        path = ask_where(self, "Export the drive map", "", "drive-map", "Pictures", ".svg", ".png")
        if path:
            self.export_to(path)

    def export_to(self, path: Path) -> None:
        """Write the whole map, as PNG at twice the size or as SVG by the ending."""
        whole = self.view.whole().toAlignedRect()
        size = QSize(max(whole.width(), 1), max(whole.height(), 1))
        if path.suffix.lower() == ".png":
            image = QImage(size * 2, QImage.Format.Format_RGB32)
            image.fill(QColor(self.view.inks.panel))
            painter = QPainter(image)
            painter.scale(2, 2)
            self.view.draw(painter)
            painter.end()
            done = image.save(str(path))
        else:
            from PyQt6.QtSvg import QSvgGenerator

            drawing = QSvgGenerator()
            drawing.setFileName(str(path))
            drawing.setSize(size)
            drawing.setViewBox(whole)
            painter = QPainter()
            done = painter.begin(drawing)
            if done:
                self.view.draw(painter)
                painter.end()
        told = f"The map is written to {path.name}." if done else f"{path} could not be written."
        self.document.said.emit(told)
