"""The bar over the Bench while a cam is taught: which lead value, what is changed, what to do."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from gremio.core.make.teach import cam_taught
from gremio.core.problem import counted_words
from gremio.core.quantity import show_short
from gremio.core.rig.ids import ChannelKey
from gremio.core.rig.numbers import full_label, shown_unit
from gremio.core.rig.scales import meant_on, read_on, shown_on
from gremio.desktop.document.document import Document
from gremio.desktop.fields.areas import clear
from gremio.desktop.fields.pieces import second, verb
from gremio.desktop.fields.quantity_field import QuantityField, narrow
from gremio.desktop.fields.reading_field import reading_field
from gremio.desktop.theme.dress import text_font
from gremio.desktop.theme.inks import DAY, Inks

_NOTHING = "Nothing is changed yet: drag a part, or type on its Card. Then record."
_SHOWN = 4
_STATIONS = 7
_HEIGHT = 92


class TeachBar(QWidget):
    """Shown while a cam is taught. record_wanted, done_wanted: as they say."""

    record_wanted = pyqtSignal()
    done_wanted = pyqtSignal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.inks: Inks = DAY
        self.setObjectName("teach")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setAccessibleName("Teaching")
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 6, 10, 6)
        # A long line must not widen the Bench, and so narrow the Card.
        self.setMinimumWidth(1)
        column.setSpacing(2)
        self._head, self._stations = QHBoxLayout(), QHBoxLayout()
        self._changes = QHBoxLayout()
        for line in (self._head, self._stations, self._changes):
            line.setSpacing(6)
            column.addLayout(line)
        self.setFixedHeight(_HEIGHT)
        self._lead: QuantityField | None = None
        document.teaching.changed.connect(self.rebuild)
        document.rig_changed.connect(lambda _change: self.rebuild())
        document.pose_changed.connect(self._take_pose)
        self.hide()

    def set_inks(self, inks: Inks) -> None:
        """Draw by day or by night."""
        self.inks = inks
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """A bar in the ink of the hand at the left: something is being moved."""
        super().paintEvent(event)
        painter = QPainter(self)
        painter.fillRect(0, 0, 5, self.height(), QColor(self.inks.hand))

    def rebuild(self) -> None:
        """Say anew what is being taught."""
        lesson = self.document.teaching.lesson
        self.setVisible(lesson is not None)
        if lesson is None:
            self._lead = None
            return
        if self._lead is None or self._lead.property("lead") != lesson.lead:
            self._make_head(lesson.lead)
        self._say_stations()
        self._say_changes()
        self._take_pose()

    def _make_head(self, lead: ChannelKey) -> None:
        clear(self._head)
        rig = self.document.rig
        title = QLabel("Teaching")
        title.setFont(text_font(10.5, bold=True))
        self._head.addWidget(title)
        name = QLabel(f"{full_label(rig, lead)} at")
        name.setMinimumWidth(48)  # a long name gives way to the buttons
        name.setToolTip(full_label(rig, lead))
        self._head.addWidget(name)
        self._lead = reading_field(rig, lead, "Lead value")
        self._lead.setProperty("lead", lead)
        self._lead.setFixedWidth(96)
        self._lead.committed.connect(self._put_lead)
        self._lead.refused.connect(self.document.said)
        self._head.addWidget(self._lead)
        self._head.addStretch()
        record = QPushButton("Record station")
        record.setProperty("main", True)
        record.setToolTip("What is changed is recorded at this value of the lead (R)")
        record.clicked.connect(lambda _checked=False: self.record_wanted.emit())
        done = QPushButton("Done")
        done.setToolTip("Leave teaching, and see the motion (T)")
        done.clicked.connect(lambda _checked=False: self.done_wanted.emit())
        for button in (record, done):
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            self._head.addWidget(button)

    def _put_lead(self, number: float) -> None:
        lesson = self.document.teaching.lesson
        if lesson is not None:
            rig = self.document.rig
            self.document.move(lesson.lead, meant_on(rig, lesson.lead, number))

    def _say_stations(self) -> None:
        """The stations there are; a click puts the lead there."""
        lesson = self.document.teaching.lesson
        assert lesson is not None
        clear(self._stations)
        cam = cam_taught(self.document.rig, lesson)
        leads = [s.lead for s in cam.stations] if cam else sorted(lesson.marks)
        head = second(counted_words(len(leads), "station") if cam else "begun at")
        head.setWordWrap(False)
        self._stations.addWidget(head)
        for lead in self._nearest(leads):
            text = narrow(shown_on(self.document.rig, lesson.lead, lead))
            go = partial(self.document.move, lesson.lead, lead)
            self._stations.addWidget(verb(text, go, "Put the lead here"))
        rest = len(leads) - len(self._nearest(leads))
        if rest > 0:
            more = second(f"and {rest} more, on the Cam page")
            more.setWordWrap(False)
            self._stations.addWidget(more)
        self._stations.addStretch()

    def _nearest(self, leads: list[float]) -> list[float]:
        """Those of many stations that are nearest to where the lead is, in their order."""
        lesson = self.document.teaching.lesson
        assert lesson is not None
        here = self.document.pose.at(lesson.lead)
        return sorted(sorted(leads, key=lambda lead: abs(lead - here))[:_STATIONS])

    def _say_changes(self) -> None:
        """What is changed and not recorded; a click drops it."""
        lesson, rig = self.document.teaching.lesson, self.document.rig
        assert lesson is not None
        clear(self._changes)
        if not lesson.changed:
            self._changes.addWidget(second(_NOTHING))
        else:
            self._changes.addWidget(second("not recorded:"))
            for channel, value in list(lesson.changed.items())[-_SHOWN:]:
                at = show_short(value, shown_unit(rig, channel))
                chip = verb(
                    f"{full_label(rig, channel)} {at}  ×",
                    partial(self.document.teaching.drop, channel),
                    "Drop this change",
                )
                chip.setAccessibleName(f"Drop {full_label(rig, channel)}")
                self._changes.addWidget(chip)
            more = len(lesson.changed) - _SHOWN
            if more > 0:
                self._changes.addWidget(second(f"and {more} more"))
            if len(lesson.changed) > 1:
                self._changes.addWidget(verb("drop all", self.document.teaching.drop))
        self._changes.addStretch()

    def _take_pose(self) -> None:
        lesson = self.document.teaching.lesson
        if lesson is not None and self._lead is not None:
            at = self.document.pose.at(lesson.lead)
            self._lead.set_value(read_on(self.document.rig, lesson.lead, at))
