"""The lower deck: its tabs and pages. It folds away."""

from __future__ import annotations

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
from gremio.desktop.deck.ledger_page import LedgerPage
from gremio.desktop.deck.map_page import MapPage
from gremio.desktop.document import Document
from gremio.desktop.theme.inks import Inks


class Deck(QWidget):
    """The pages on the foot of the window."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.setObjectName("deck")
        self.cam = CamPage(document)
        self.ledger = LedgerPage(document)
        self.map = MapPage(document)
        self.inspection = InspectionPage(document)
        self.pages = QStackedWidget()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        tabs = QHBoxLayout()
        tabs.setContentsMargins(16, 2, 16, 0)
        tabs.setSpacing(18)
        self.tabs = QButtonGroup(self)
        pages = {
            "Cam": self.cam,
            "Ledger": self.ledger,
            "Drive map": self.map,
            "Inspection": self.inspection,
        }
        for index, (word, page) in enumerate(pages.items()):
            tab = QPushButton(word)
            tab.setProperty("tab", True)
            tab.setCheckable(True)
            self.tabs.addButton(tab, index)
            tabs.addWidget(tab)
            self.pages.addWidget(page)
        tabs.addStretch()
        self.tabs.idClicked.connect(self.pages.setCurrentIndex)
        self.tabs.button(0).setChecked(True)
        layout.addLayout(tabs)
        layout.addWidget(self.pages, 1)

    def set_inks(self, inks: Inks) -> None:
        """Draw by day or by night."""
        for page in (self.cam, self.ledger, self.map):
            page.set_inks(inks)

    def show_page(self, word: str) -> None:
        """Bring a page to the front, by the word on its tab."""
        for button in self.tabs.buttons():
            if button.text() == word:
                button.setChecked(True)
                self.pages.setCurrentIndex(self.tabs.id(button))
        self.show()
