"""The Desk: every control, in its group."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from gremio.desktop.areas import show_in
from gremio.desktop.desk.instrument import Instrument
from gremio.desktop.document import Document
from gremio.desktop.theme.dress import text_font
from gremio.desktop.theme.inks import DAY, Inks

EMPTY = (
    "No control yet.\n\nSelect a part that can move, then press\n“+ control”: a slider for it "
    "appears here,\nalready leading it."
)


class Desk(QWidget):
    """All controls. wanted: a new control is asked for."""

    wanted = pyqtSignal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.inks: Inks = DAY
        self.instruments: dict[str, Instrument] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 8, 0, 4)
        layout.setSpacing(2)
        head = QHBoxLayout()
        head.setContentsMargins(14, 0, 12, 0)
        title = QLabel("Desk")
        title.setFont(text_font(10.5, bold=True))
        self.add = QPushButton("+ control")
        self.add.setProperty("link", True)
        self.add.setToolTip("Make a control (C)")
        self.add.clicked.connect(self.wanted)
        head.addWidget(title)
        head.addStretch()
        head.addWidget(self.add)
        layout.addLayout(head)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        layout.addWidget(self.area)
        document.rig_changed.connect(self.rebuild)
        document.pose_changed.connect(self._take_pose)
        document.selection_changed.connect(self._take_pose)
        self.rebuild()

    def set_inks(self, inks: Inks) -> None:
        """Draw by day or by night."""
        self.inks = inks
        self.rebuild()

    def rebuild(self) -> None:
        """Lay the instruments out anew, group by group."""
        sheet = QWidget()
        column = QVBoxLayout(sheet)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(1)
        self.instruments = {}
        groups: dict[str, list[str]] = {}
        for control, entry in self.document.rig.controls.items():
            groups.setdefault(entry.group, []).append(control)
        for group, controls in groups.items():
            if group:
                heading = QLabel(group.upper())
                heading.setFont(text_font(8, bold=True))
                heading.setProperty("second", True)
                heading.setContentsMargins(14, 4, 0, 0)
                column.addWidget(heading)
            for control in controls:
                instrument = Instrument(self.document, control, self.inks)
                self.instruments[control] = instrument
                column.addWidget(instrument)
        if not groups:
            column.addWidget(self._empty())
        column.addStretch()
        show_in(self.area, sheet)

    def _empty(self) -> QLabel:
        label = QLabel(EMPTY)
        label.setProperty("second", True)
        label.setContentsMargins(14, 8, 10, 0)
        return label

    def _take_pose(self) -> None:
        for control, instrument in self.instruments.items():
            if control in self.document.rig.controls:
                instrument.take_pose()

    def focus_next(self) -> None:
        """Bring the next control under the hand."""
        controls = list(self.instruments)
        if not controls:
            return
        now = next((i for i, c in enumerate(controls) if self.instruments[c].hasFocus()), -1)
        control = controls[(now + 1) % len(controls)]
        self.instruments[control].setFocus()
        self.document.select(control)
        self.area.ensureWidgetVisible(self.instruments[control])
