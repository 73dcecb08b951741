"""The Card: one sheet for what is selected, always in the same order."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QScrollArea

from gremio.desktop.areas import show_in, soon
from gremio.desktop.bench.view import Bench
from gremio.desktop.card.rows import Sheet, heading, link_button, second
from gremio.desktop.document import Document
from gremio.desktop.theme.dress import text_font
from gremio.desktop.theme.inks import DAY, Inks

EMPTY = (
    "Nothing is selected.\n\nClick a part in the Bench to see its joint, its stops, what it is "
    "led by and what it leads. Drag it to move it.\n\nDrag the paper to look round; the right "
    "button shifts the view; the wheel zooms."
)

BEGIN = (
    "Begin with the parts. Bring in a model you have, or add parts made of numbers; or look at "
    "a lock that works."
)


class Card(QScrollArea):
    """Shows the sheet of the selected thing. action_wanted: an action, by name."""

    action_wanted = pyqtSignal(str)

    def __init__(self, document: Document, bench: Bench) -> None:
        super().__init__()
        self.document, self.bench = document, bench
        self.inks: Inks = DAY
        self.sheet: Sheet | None = None
        self._bringing: Sheet | None = None
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._later = soon(self, self.rebuild)
        document.rig_changed.connect(self._later.start)
        document.selection_changed.connect(self._later.start)
        document.pose_changed.connect(self._take_pose)
        self._later.start()

    def set_inks(self, inks: Inks) -> None:
        """Draw by day or by night."""
        self.inks = inks
        self.rebuild()

    def show_bring_in(self, sheet: Sheet | None) -> None:
        """Show the sheet for bringing parts in; None goes back to the selection."""
        self._bringing = sheet
        self.rebuild()

    def rebuild(self) -> None:
        """Make the sheet anew."""
        self._later.stop()
        if self._bringing is not None:
            if self.widget() is not self._bringing:
                show_in(self, self._bringing)
                self.sheet = None
            return
        scrolled = self.verticalScrollBar().value()
        same = self.sheet is not None and self.property("thing") == self.document.selected
        self.sheet = self._make()
        self.sheet.action_wanted.connect(self.action_wanted)
        self.setProperty("thing", self.document.selected)
        show_in(self, self.sheet)
        if same:
            self.verticalScrollBar().setValue(scrolled)

    def open_joint(self) -> None:
        """Open the choice of joints, where a part is shown."""
        self.rebuild()
        for choice in self.findChildren(QComboBox):
            if choice.accessibleName() == "Joint":
                choice.setFocus()
                choice.showPopup()

    def _make(self) -> Sheet:
        # Sheets load when one is first shown, which is after the first frame.
        from gremio.desktop.card.control_sheet import ControlSheet
        from gremio.desktop.card.link_sheet import LinkSheet
        from gremio.desktop.card.part_sheet import PartSheet

        thing, rig = self.document.selected, self.document.rig
        if thing in rig.parts:
            return PartSheet(self.document, self.bench, thing, self.inks)
        if thing in rig.controls:
            return ControlSheet(self.document, thing, self.inks)
        if thing in rig.links:
            return LinkSheet(self.document, thing, self.inks)
        sheet = Sheet()
        title = heading(rig.name)
        title.setFont(text_font(11.5, bold=True))
        title.setWordWrap(True)
        sheet.add(title)
        counts = (
            f"rig · {len(rig.parts)} parts · {len(rig.controls)} controls · {len(rig.links)} links"
        )
        sheet.add(second(counts))
        if rig.parts:
            sheet.add(second("\n" + EMPTY))
        else:
            sheet.add(second("\n" + BEGIN))
            for action in ("Bring in parts", "Add a box", "Open Saltmarsh lock"):
                sheet.add(link_button(action, partial(self.action_wanted.emit, action)))
        sheet.end()
        return sheet

    def _take_pose(self) -> None:
        if self.sheet is not None and not self._later.isActive():
            self.sheet.take_pose()
