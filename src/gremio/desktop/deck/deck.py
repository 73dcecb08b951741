"""The lower deck: its tabs and pages. It folds away."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Protocol, cast, runtime_checkable

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from gremio.core.rig.ids import ChannelKey
from gremio.desktop.actions.hints import hint
from gremio.desktop.deck.cam_page import CamPage
from gremio.desktop.deck.inspection_page import InspectionPage
from gremio.desktop.document.document import Document
from gremio.desktop.document.timing import AS_BEFORE
from gremio.desktop.theme.dress import text_font
from gremio.desktop.theme.inks import DAY, Inks

if TYPE_CHECKING:
    from gremio.desktop.deck.kits_page import KitsPage
    from gremio.desktop.deck.ledger_page import LedgerPage
    from gremio.desktop.deck.map_page import MapPage
    from gremio.desktop.deck.routine_page import RoutinePage


@runtime_checkable
class Inked(Protocol):
    """A page that draws by day or by night."""

    def set_inks(self, inks: Inks) -> None:
        """Draw by day or by night."""


def _ledger(document: Document) -> LedgerPage:
    from gremio.desktop.deck.ledger_page import LedgerPage

    return LedgerPage(document)


def _map(document: Document) -> MapPage:
    from gremio.desktop.deck.map_page import MapPage

    return MapPage(document)


def _routine(document: Document) -> RoutinePage:
    from gremio.desktop.deck.routine_page import RoutinePage

    return RoutinePage(document)


def _kits(document: Document) -> KitsPage:
    from gremio.desktop.deck.kits_page import KitsPage

    return KitsPage(document)


# The pages in the order of their tabs, by the word on it. Their actions come of this.
PAGES: dict[str, Callable[[Document], QWidget]] = {
    "Cam": CamPage,
    "Routine": _routine,
    "Ledger": _ledger,
    "Drive map": _map,
    "Inspection": InspectionPage,
    "Kits": _kits,
}
# Those that listen from the start; the others are made when first asked for.
_FROM_THE_START = ("Cam", "Inspection")


# As tall as the tabs alone, and as the deck is when it is first opened (px).
_TABS, _OPEN = 33, 280


class Deck(QWidget):
    """The pages on the foot of the window. It folds to its tabs.

    folded_changed: it was folded, or opened. made: a page was made, by its word.
    """

    folded_changed = pyqtSignal()
    made = pyqtSignal(str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.folded = False
        # How tall it is, or was before it was folded (px).
        self.tall = _OPEN
        self.setObjectName("deck")
        self.inks: Inks = DAY
        self._made: dict[str, QWidget] = {}
        self.pages = QStackedWidget()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        tabs = QHBoxLayout()
        tabs.setContentsMargins(16, 2, 16, 0)
        tabs.setSpacing(18)
        self.tabs = QButtonGroup(self)
        for index, word in enumerate(PAGES):
            tab = QPushButton(word)
            tab.setProperty("tab", True)
            tab.setCheckable(True)
            self.tabs.addButton(tab, index)
            hint(tab, f"{word}; once more folds the deck", "deck.fold")
            tabs.addWidget(tab)
        tabs.addStretch()
        # What is on, seen whatever page is shown and when the deck is folded.
        self.on = QPushButton()
        self.on.setProperty("tab", True)
        self.on.setToolTip("Click, or press Esc, to end it")
        self.on.clicked.connect(document.timing.end)
        tabs.addWidget(self.on)
        # What is not yet as it is at the time now, or what no routine says; seen as well.
        self.behind = QLabel()
        self.behind.setFont(text_font(8.5))
        tabs.addWidget(self.behind)
        document.timing.changed.connect(self._tell_time)
        document.timing.followed_on.connect(self._tell_behind)
        document.pose_changed.connect(self._tell_behind)
        document.timing.curve_wanted.connect(self._show_curve)
        document.timing.lines_wanted.connect(lambda: self.show_page("Routine"))
        self._tell_time()
        self.tabs.idClicked.connect(self._tab_clicked)
        self.tabs.button(0).setChecked(True)
        for word in _FROM_THE_START:
            self.page(word)
        layout.addLayout(tabs)
        layout.addWidget(self.pages, 1)

    def _tell_time(self) -> None:
        words = self.document.timing.on_words()
        self.on.setText(words)
        self.on.setVisible(bool(words))
        self.on.setStyleSheet(f"color: {self.inks.time};")
        self._tell_behind()

    def _tell_behind(self) -> None:
        timing = self.document.timing
        words = timing.behind_words() or timing.off_words()
        if words != self.behind.text():
            self.behind.setText(words)
            self.behind.setToolTip(AS_BEFORE if timing.behind else "")
            off = words == timing.off_words()
            colour = self.inks.second if off else self.inks.time
            self.behind.setStyleSheet(f"color: {colour};{'' if off else ' font-style: italic;'}")

    def _show_curve(self, channel: str) -> None:
        self.show_page("Cam")
        self.cam.show_keys(ChannelKey(channel))

    def page(self, word: str) -> QWidget:
        """A page, by the word on its tab."""
        if word not in self._made:
            page = self._made[word] = PAGES[word](self.document)
            if isinstance(page, Inked):
                page.set_inks(self.inks)
            self.pages.addWidget(page)
            self.made.emit(word)
        return self._made[word]

    @property
    def cam(self) -> CamPage:
        """The page of a cam."""
        return cast(CamPage, self.page("Cam"))

    @property
    def routine(self) -> RoutinePage:
        """What plays, and its keys."""
        return cast("RoutinePage", self.page("Routine"))

    @property
    def ledger(self) -> LedgerPage:
        """The Ledger."""
        return cast("LedgerPage", self.page("Ledger"))

    @property
    def map(self) -> MapPage:
        """The drive map."""
        return cast("MapPage", self.page("Drive map"))

    @property
    def kits(self) -> KitsPage:
        """Pieces to be used again."""
        return cast("KitsPage", self.page("Kits"))

    @property
    def inspection(self) -> InspectionPage:
        """What is wrong with the machine."""
        return cast(InspectionPage, self.page("Inspection"))

    def set_inks(self, inks: Inks) -> None:
        """Draw by day or by night."""
        self.inks = inks
        self._tell_time()
        for page in self._made.values():
            if isinstance(page, Inked):
                page.set_inks(inks)

    def _tab_clicked(self, index: int) -> None:
        """The tab of the page that is shown folds the deck."""
        word = list(PAGES)[index]
        if not self.folded and self.pages.currentWidget() is self._made.get(word):
            self.fold(True)
        else:
            self.show_page(word)

    def show_page(self, word: str) -> None:
        """Bring a page to the front, by the word on its tab."""
        self.tabs.button(list(PAGES).index(word)).setChecked(True)
        self.pages.setCurrentWidget(self.page(word))
        self.fold(False)

    def fold(self, folded: bool) -> None:
        """Fold it to its tabs, or open it as tall as it was."""
        if folded == self.folded:
            return
        if folded and self.height() > _TABS:
            self.tall = self.height()
        self.folded = folded
        self.pages.setVisible(not folded)
        shown = next(
            (w for w, page in self._made.items() if page is self.pages.currentWidget()), ""
        )
        self.tabs.setExclusive(not folded)
        for tab in self.tabs.buttons():
            tab.setChecked(not folded and tab.text() == shown)
        self.setMaximumHeight(_TABS if folded else 16_777_215)
        self.setMinimumHeight(_TABS if folded else _TABS + 120)
        splitter = self.parentWidget()
        if isinstance(splitter, QSplitter):
            whole = sum(splitter.sizes())
            own = _TABS if folded else min(self.tall, whole // 2)
            splitter.setSizes([whole - own, own])
        self.folded_changed.emit()
