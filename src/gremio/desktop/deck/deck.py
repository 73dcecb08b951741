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
from gremio.desktop.document import Document
from gremio.desktop.theme.inks import Inks


class Deck(QWidget):
    """The pages on the foot of the window."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.setObjectName("deck")
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
        for index, (word, page) in enumerate((("Cam", self.cam), ("Inspection", self.inspection))):
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
        self.cam.set_inks(inks)

    def show_inspection(self) -> None:
        """Bring the Inspection page to the front."""
        self.tabs.button(1).setChecked(True)
        self.pages.setCurrentIndex(1)
        self.show()
