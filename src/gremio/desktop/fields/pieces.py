"""Pieces that every Card is made of."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QSizePolicy,
    QStyleOptionComboBox,
    QVBoxLayout,
    QWidget,
)

from gremio.core.quantity import USUAL_UNIT, Kind
from gremio.core.rig.channels import CHANNELS
from gremio.core.rig.ids import NOTHING, ChannelKey, ThingId
from gremio.core.rig.links import link_symbol
from gremio.core.rig.model import Rig
from gremio.desktop.document.document import Document
from gremio.desktop.fields.flow import Flow
from gremio.desktop.fields.keyboard import give_back_soon, to_next_field
from gremio.desktop.fields.quantity_field import PullLabel, QuantityField
from gremio.desktop.fields.text_field import TextField
from gremio.desktop.theme.dress import digit_font, text_font
from gremio.desktop.theme.inks import Inks
from gremio.desktop.theme.symbols import draw_symbol


def title_field(name: str, what: str, rename: Callable[[str], None]) -> TextField:
    """The name at the head of a Card; typing renames."""
    field = TextField(name, what)
    field.setFont(text_font(11.5, bold=True))
    field.setProperty("quiet", True)
    field.setTextMargins(-2, 0, 0, 0)

    def done(text: str) -> None:
        field.taken()
        rename(text.strip())

    field.typed.connect(done)
    return field


def second(text: str) -> QLabel:
    """Words in the second ink."""
    label = QLabel(text)
    label.setProperty("second", True)
    label.setWordWrap(True)
    return label


def title(text: str) -> QLabel:
    """What a Card is of, at its head."""
    label = QLabel(text)
    label.setFont(text_font(11.5, bold=True))
    label.setWordWrap(True)
    return label


def heading(text: str) -> QLabel:
    """The head of a section that does not fold."""
    label = QLabel(text)
    label.setFont(text_font(9, bold=True))
    label.setContentsMargins(0, 8, 0, 0)
    return label


def rule() -> QFrame:
    """A thin line across."""
    line = QFrame()
    line.setObjectName("rule")
    line.setFixedHeight(1)
    return line


def number_field(document: Document, parent: QWidget, kind: Kind, what: str) -> QuantityField:
    """A number in the usual unit of its kind; the document says why one is refused."""
    field = QuantityField(kind, USUAL_UNIT[kind], what, parent)
    field.refused.connect(document.said)
    return field


def narrow_field(document: Document, parent: QWidget, kind: Kind, what: str) -> QuantityField:
    """A number that stands beside two others in a row, without its unit."""
    field = number_field(document, parent, kind, what)
    field.bare = True
    field.setFont(digit_font(8))
    field.setStyleSheet("padding: 2px 1px;")
    return field


def verb(text: str, do: Callable[[], object], tip: str = "", *, main: bool = False) -> QPushButton:
    """A small button with a word that does something. main: it is the one that its Card is for."""
    button = QPushButton(text)
    button.setProperty("main" if main else "verb", True)
    button.setToolTip(tip)
    button.clicked.connect(lambda _checked=False: do())
    return button


def menu_button(
    text: str, what: str, entries: Mapping[str, Callable[[], object]], tip: str = ""
) -> QPushButton:
    """A small button that opens a menu of things to do, each by its words."""
    button = QPushButton(text)
    button.setProperty("verb", True)
    button.setAccessibleName(what)
    button.setToolTip(tip)
    menu = QMenu(button)
    menu.setToolTipsVisible(True)
    for words, do in entries.items():
        menu.addAction(words).triggered.connect(lambda _checked=False, d=do: d())
    button.clicked.connect(
        lambda _checked=False: menu.popup(button.mapToGlobal(button.rect().bottomLeft()))
    )
    return button


# Between the words of an entry and what is told beside them: spaces that no name is typed with.
ASIDE = "\u2002·\u2002"
_WIDEST = 480


def choice(
    entries: Sequence[str], present: str, what: str, chosen: Callable[[str], object]
) -> QComboBox:
    """A choice among a few words. The wheel does not change it by accident. What stands behind
    ASIDE in an entry is shown in the list only."""
    box = _CalmComboBox()
    box.addItems(list(entries))
    # A long name in the list must not widen the Card.
    box.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
    box.setMinimumWidth(64)
    box.setCurrentText(present)
    box.setAccessibleName(what)
    box.textActivated.connect(chosen)
    return box


class WideCheck(QCheckBox):
    """A box to tick that is hit anywhere along its line, not on its words alone."""

    def hitButton(self, at: QPoint) -> bool:
        """Whether a place is on it."""
        return self.rect().contains(at)


class _CalmComboBox(QComboBox):
    """A choice that lets the wheel scroll the Card, with a plain mark that it opens. What was
    opened gives the keyboard back when it closes."""

    def initStyleOption(self, option: QStyleOptionComboBox | None) -> None:
        """Closed, it says the plain words alone."""
        super().initStyleOption(option)
        if option is not None:
            option.currentText = option.currentText.partition(ASIDE)[0]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self.palette().placeholderText().color(), 1.3))
        x, y = self.width() - 10.0, self.height() / 2 - 1.5
        painter.drawPolyline(
            QPolygonF([QPointF(x - 3.5, y), QPointF(x, y + 3.5), QPointF(x + 3.5, y)])
        )

    def focusNextPrevChild(self, forward: bool) -> bool:
        return to_next_field(self, forward) or super().focusNextPrevChild(forward)

    def showPopup(self) -> None:
        view = self.view()
        if view is not None:
            # The list is as wide as its words, however narrow the choice is.
            view.setMinimumWidth(min(view.sizeHintForColumn(0) + 48, _WIDEST))
        super().showPopup()

    def hidePopup(self) -> None:
        super().hidePopup()
        give_back_soon(self)

    def wheelEvent(self, event: object) -> None:
        event.ignore()  # type: ignore[attr-defined]


class Slab(QPushButton):
    """A link on a Card: its symbol, what it leads to, and how. A click shows it."""

    def __init__(
        self, inks: Inks, symbol: str, text: str, more: str, do: Callable[[], object]
    ) -> None:
        super().__init__()
        self.inks, self.symbol, self.words, self.more = inks, symbol, text, more
        self.setProperty("slab", True)
        self.setAccessibleName(text)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.clicked.connect(lambda _checked=False: do())
        self.setToolTip(text)

    def sizeHint(self) -> QSize:
        """Room for two lines."""
        return QSize(180, 44 if self.more else 28)

    def minimumSizeHint(self) -> QSize:
        """Room for two lines."""
        return self.sizeHint()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """The slab, the symbol before the words, the how below."""
        super().paintEvent(event)
        painter = QPainter(self)
        draw_symbol(painter, self.symbol, QPointF(7, 6), self.inks.ink)
        room = QRectF(29, 4, self.width() - 36, 20)
        painter.setPen(QColor(self.inks.ink))
        painter.setFont(text_font(9))
        words = painter.fontMetrics().elidedText(
            self.words, Qt.TextElideMode.ElideRight, int(room.width())
        )
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, words)
        if self.more:
            painter.setFont(text_font(8))
            painter.setPen(QColor(self.inks.second))
            more = painter.fontMetrics().elidedText(
                self.more, Qt.TextElideMode.ElideRight, int(room.width())
            )
            painter.drawText(room.translated(0, 19), Qt.AlignmentFlag.AlignVCenter, more)


class LedMark(QWidget):
    """The symbol of what leads a number, before its value. A click shows the link."""

    def __init__(self, document: Document, channel: ChannelKey, inks: Inks) -> None:
        super().__init__()
        self.document, self.inks = document, inks
        drive = document.program.drives.get(channel)
        self.link_id = drive.links[0] if drive and drive.links else NOTHING
        self.is_led = drive is not None
        self.symbol = led_symbol(document.rig, self.link_id) if self.is_led else ""
        self.setFixedSize(18, 20)
        self.setAccessibleName(f"What leads {channel}")
        self.setToolTip("Led: a click shows what leads it")
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def mouseReleaseEvent(self, _event: QMouseEvent | None) -> None:
        """Show what leads it."""
        if self.document.knows(self.link_id):
            self.document.select(self.link_id)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """The symbol."""
        draw_symbol(QPainter(self), self.symbol, QPointF(0, 1), self.inks.ink)


def led_symbol(rig: Rig, link_id: ThingId) -> str:
    """The name of the symbol of what leads a number, by its id: a link, a constraint, a closed
    linkage, or a screw."""
    if link_id in rig.links:
        return link_symbol(rig.links[link_id])
    if link_id in rig.constraints:
        return rig.constraints[link_id].kind
    return "linkage" if link_id in rig.closures else "screw"


class Hatched(QWidget):
    """Words that stand on the ground hatch: what can not change."""

    def __init__(self, inks: Inks, text: str) -> None:
        super().__init__()
        self.inks, self.text = inks, text
        self.setFixedHeight(30)
        self.setAccessibleName(f"grounded: {text}")

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """The words, a line under them, and its hatch."""
        painter = QPainter(self)
        painter.setFont(text_font(8.5))
        painter.setPen(QColor(self.inks.ink))
        painter.drawText(QRectF(0, 0, self.width(), 18), Qt.AlignmentFlag.AlignVCenter, self.text)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(self.inks.second), 1))
        painter.drawLine(QPointF(0, 20), QPointF(self.width(), 20))
        x = 5.0
        while x < self.width():
            painter.drawLine(QPointF(x, 20), QPointF(x - 5, 26))
            x += 7


def short_channels(names: tuple[str, ...]) -> str:
    """ "move x y z, turn x y, scale" for a list of channel names."""
    if len(names) == len(CHANNELS):
        return "everything"
    words = []
    for verb in ("move", "turn", "scale"):
        axes = [name.split()[1] for name in names if name.startswith(verb)]
        if axes:
            words.append(verb if len(axes) == 3 and verb == "scale" else f"{verb} {' '.join(axes)}")
    return ", ".join(words)


class Sheet(QWidget):
    """One Card: a column of a title, rows of word and value, and sections.

    action_wanted: an action is asked for, by its id. pulled: the word beside a
    number is taken hold of, or let go. anew_wanted: it should be made anew. Buttons that come
    one after another stand side by side. of_selection: it is left when something else is selected.
    """

    of_selection = False

    action_wanted = pyqtSignal(str)
    pulled = pyqtSignal(bool)
    anew_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(14, 10, 14, 10)
        self.column.setSpacing(5)
        self._into: QVBoxLayout = self.column
        self._grid: QGridLayout | None = None
        self._buttons: Flow | None = None

    def add(self, widget: QWidget) -> None:
        """A thing across the whole width; a button beside the button before it."""
        self._grid = None
        if isinstance(widget, QPushButton) and not isinstance(widget, Slab):
            if self._buttons is None:
                self._buttons = Flow()
                self._into.addLayout(self._buttons)
            self._buttons.addWidget(widget)
            return
        self._buttons = None
        self._into.addWidget(widget)

    def add_line(self, line: QHBoxLayout) -> None:
        """Things side by side."""
        self._grid = self._buttons = None
        self._into.addLayout(line)

    def go_on_in(self, column: QVBoxLayout) -> None:
        """What comes next stands in another column."""
        self._into, self._grid, self._buttons = column, None, None

    def row(self, word: str, *widgets: QWidget) -> None:
        """A word at the left and its values at the right."""
        self._buttons = None
        if self._grid is None:
            self._grid = QGridLayout()
            self._grid.setColumnMinimumWidth(0, 66)
            self._grid.setColumnStretch(1, 1)
            self._grid.setHorizontalSpacing(8)
            self._grid.setVerticalSpacing(5)
            self._into.addLayout(self._grid)
        line = self._grid.rowCount()
        label = self._word(word, widgets)
        label.setProperty("second", True)
        self._grid.addWidget(label, line, 0, Qt.AlignmentFlag.AlignVCenter)
        if len(widgets) == 1:
            self._grid.addWidget(widgets[0], line, 1)
            return
        box = QHBoxLayout()
        box.setSpacing(6)
        for widget in widgets:
            # Buttons take what they need, fields the rest.
            box.addWidget(widget, 0 if isinstance(widget, QPushButton | LedMark) else 1)
        self._grid.addLayout(box, line, 1)

    def _word(self, word: str, widgets: tuple[QWidget, ...]) -> QLabel:
        """The word of a row; beside one number it can be pulled."""
        fields = [widget for widget in widgets if isinstance(widget, QuantityField)]
        if len(fields) != 1:
            return QLabel(word)
        (field,) = fields
        label = PullLabel(word, field)
        label.setAccessibleName(f"Pull {field.what}")
        label.begun.connect(lambda: self.pulled.emit(True))
        label.ended.connect(lambda: self.pulled.emit(False))
        return label

    def take_pose(self) -> None:
        """Show where things stand now; a sheet on which nothing moves shows nothing else."""

    def reveal(self, channel: ChannelKey) -> None:
        """Show where a number stands; a sheet without sections shows all it has."""

    def wants_anew(self) -> None:
        """What it shows is chosen otherwise: it should be made anew."""
        self.anew_wanted.emit()

    def end(self) -> None:
        """Nothing more comes."""
        self.column.addStretch()
