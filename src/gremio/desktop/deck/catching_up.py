"""A page of the deck that is made anew only while it can be seen."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QWidget

from gremio.desktop.document.change import Change
from gremio.desktop.document.document import Document


class CatchingUp(QWidget):
    """Shows the rig of now: at once while it is seen, else when it is seen again.

    outdated: what is shown must be made anew.
    """

    outdated = pyqtSignal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.fresh = False
        document.rig_changed.connect(self._stale)

    def _stale(self, change: Change) -> None:
        if not change.compiles:
            return
        self.fresh = False
        if self.isVisible():
            self.catch_up()

    def showEvent(self, event: QShowEvent | None) -> None:
        """A page that was hidden catches up."""
        if not self.fresh:
            self.catch_up()
        super().showEvent(event)

    def catch_up(self) -> None:
        """Show the rig of now."""
        self.fresh = True
        self.outdated.emit()
