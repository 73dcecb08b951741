"""The lower deck: its tabs and pages. It folds away."""

from __future__ import annotations

import functools
from typing import TYPE_CHECKING, TypeVar

from PyQt6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from gremio.desktop.deck.cam_page import CamPage
from gremio.desktop.deck.inspection_page import InspectionPage
from gremio.desktop.document.document import Document
from gremio.desktop.theme.inks import DAY, Inks

if TYPE_CHECKING:
    from gremio.desktop.deck.ledger_page import LedgerPage
    from gremio.desktop.deck.map_page import MapPage

PAGES = ("Cam", "Ledger", "Drive map", "Inspection")
Page = TypeVar("Page", bound="LedgerPage | MapPage")


class Deck(QWidget):
    """The pages on the foot of the window. All but the first are made when first asked for."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.setObjectName("deck")
        self.inks: Inks = DAY
        self.cam = CamPage(document)
        self.inspection = InspectionPage(document)
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
            tabs.addWidget(tab)
        tabs.addStretch()
        self.tabs.idClicked.connect(lambda index: self.show_page(PAGES[index]))
        self.tabs.button(0).setChecked(True)
        self.pages.addWidget(self.cam)
        self.pages.addWidget(self.inspection)
        layout.addLayout(tabs)
        layout.addWidget(self.pages, 1)

    @functools.cached_property
    def ledger(self) -> LedgerPage:
        """The Ledger."""
        from gremio.desktop.deck.ledger_page import LedgerPage

        return self._added(LedgerPage(self.document))

    @functools.cached_property
    def map(self) -> MapPage:
        """The drive map."""
        from gremio.desktop.deck.map_page import MapPage

        return self._added(MapPage(self.document))

    def _added(self, page: Page) -> Page:
        page.set_inks(self.inks)
        self.pages.addWidget(page)
        return page

    def set_inks(self, inks: Inks) -> None:
        """Draw by day or by night."""
        self.inks = inks
        self.cam.set_inks(inks)
        for name in ("ledger", "map"):
            if name in self.__dict__:
                getattr(self, name).set_inks(inks)

    def show_page(self, word: str) -> None:
        """Bring a page to the front, by the word on its tab."""
        self.tabs.button(PAGES.index(word)).setChecked(True)
        self.pages.setCurrentWidget(self._page(word))
        self.show()

    def _page(self, word: str) -> QWidget:
        match word:
            case "Ledger":
                return self.ledger
            case "Drive map":
                return self.map
            case "Inspection":
                return self.inspection
        return self.cam
