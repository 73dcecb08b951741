"""A cam's stations as a table: the lead, and what each station says of each follower."""

from __future__ import annotations

from functools import partial
from typing import get_args

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QLabel, QPushButton, QSizePolicy, QWidget

from gremio.core.quantity import UNITS
from gremio.core.rig.ids import CLOCK, ChannelKey
from gremio.core.rig.model import Beyond, Cam, ProfileKind
from gremio.core.rig.numbers import full_label, kind_of, label, shown_unit
from gremio.core.rig.scales import meant_on, read_on
from gremio.desktop.document.document import Document
from gremio.desktop.fields.pieces import ASIDE, choice, second, verb
from gremio.desktop.fields.quantity_field import OptionalField, QuantityField
from gremio.desktop.fields.reading_field import reading_field
from gremio.desktop.theme.dress import text_font

MIXED = "by span"
# Plain words first, with what the handbooks call them; then the other laws.
_PLAIN: dict[ProfileKind, str] = {
    "straight": f"straight{ASIDE}constant speed",
    "harmonic": f"ease both{ASIDE}harmonic",
    "ease out of rest": f"ease out of rest{ASIDE}parabola",
    "ease into rest": f"ease into rest{ASIDE}parabola",
    "dwell": f"dwell{ASIDE}stands still",
    "smooth": f"smooth{ASIDE}no overshoot",
    "free": f"free{ASIDE}with handles",
}
SHOWN: dict[ProfileKind, str] = {
    **_PLAIN,
    **{kind: kind for kind in get_args(ProfileKind) if kind not in _PLAIN},
}
KINDS = {words: kind for kind, words in SHOWN.items()}
# How tall a row is, and with what is between two (px).
_TALL, ROW = 24, 26
_SPAN = 122
_FIELD = 70
# What frame and margins of a field take of its width.
_BESIDE = 18


class StationTable(QWidget):
    """Stations down, followers across; the profile to the next station of the one shown.

    lead_typed, value_typed, span_chosen: with the station counted from 0; an empty value is
    None. follower_wanted: another follower should be shown. more_wanted: the menu of a
    station, and where on the screen. end_chosen: "before" or "after", and what it does there.
    """

    lead_typed = pyqtSignal(int, float)
    value_typed = pyqtSignal(int, str, object)
    span_chosen = pyqtSignal(int, str)
    follower_wanted = pyqtSignal(str)
    more_wanted = pyqtSignal(int, QPoint)
    visited = pyqtSignal(float)
    end_chosen = pyqtSignal(str, str)

    def __init__(self, document: Document, cam: Cam, channel: ChannelKey) -> None:
        super().__init__()
        self.document, self.cam, self.channel = document, cam, channel
        self.grid = QGridLayout(self)
        self.grid.setContentsMargins(0, 0, 0, 0)
        self.grid.setHorizontalSpacing(6)
        self.grid.setVerticalSpacing(ROW - _TALL)
        for row in range(len(cam.stations) + 1):
            self.grid.setRowMinimumHeight(row, _TALL)
        self._add_head()
        for index in range(len(cam.stations)):
            self._add_station(index)
        last = len(cam.followers) + 2
        # What holds beyond the stations stands before the first and after the last of them.
        self.grid.addWidget(self._end("before", cam.before), 0, last)
        self.grid.addWidget(self._end("after", cam.after), len(cam.stations), last)
        for column in range(1, last):
            self.grid.setColumnStretch(column, 1)
        # What room is left is below the rows.
        self.grid.setRowStretch(len(cam.stations) + 1, 1)

    def _add_head(self) -> None:
        rig = self.document.rig
        lead = second("time" if self.cam.lead == CLOCK else "lead")
        lead.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        lead.setToolTip(full_label(rig, self.cam.lead))
        self.grid.addWidget(lead, 0, 1)
        for column, follower in enumerate(self.cam.followers, start=2):
            if len(self.cam.followers) == 1:
                word: QWidget = second("value" if self.cam.lead == CLOCK else "follower")
                assert isinstance(word, QLabel)
                word.setAlignment(Qt.AlignmentFlag.AlignRight)
            else:
                word = self._name(follower.channel)
            word.setToolTip(full_label(rig, follower.channel))
            self.grid.addWidget(word, 0, column)

    def _name(self, channel: ChannelKey) -> QPushButton:
        """The name of a follower over its column; a click shows its profile."""
        here = channel == self.channel
        button = verb("", partial(self.follower_wanted.emit, channel))
        button.setProperty("verb", False)
        button.setProperty("word", True)
        button.setFont(text_font(8.5, bold=here))
        name = label(self.document.rig, channel)
        metrics = button.fontMetrics()
        button.setText(metrics.elidedText(name, Qt.TextElideMode.ElideRight, _FIELD + 6))
        button.setAccessibleName(f"Show {full_label(self.document.rig, channel)}")
        button.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        button.setStyleSheet("text-align: right;")
        return button

    def _add_station(self, index: int) -> None:
        rig, cam, row = self.document.rig, self.cam, index + 1
        station = cam.stations[index]
        number = verb(str(row), partial(self.visited.emit, station.lead), "Bring the lead here")
        number.setAccessibleName(f"Visit station {row}")
        number.setFixedSize(24, 22)
        number.setStyleSheet("padding: 0;")
        self.grid.addWidget(number, row, 0)
        lead = reading_field(rig, cam.lead, f"Station {row} lead")
        lead.set_value(read_on(rig, cam.lead, station.lead))
        lead.committed.connect(partial(self._type_lead, index))
        self._fit(lead, row, 1)
        for column, follower in enumerate(cam.followers, start=2):
            self._fit(self._value(index, follower.channel), row, column)
        after = len(cam.followers) + 2
        spoken = [i for i, s in enumerate(cam.stations) if self.channel in s.values]
        if index in spoken[:-1]:
            self.grid.addWidget(self._span(index), row, after)
        more = verb("⋯", lambda: None, "Bring the lead here, copy, merge, remove")
        more.setProperty("verb", False)
        more.setProperty("dots", True)
        more.setAccessibleName(f"More for station {row}")
        more.clicked.connect(
            lambda _checked=False: self.more_wanted.emit(
                index, more.mapToGlobal(more.rect().bottomLeft())
            )
        )
        self.grid.addWidget(more, row, after + 1)

    def _fit(self, field: QuantityField, row: int, column: int) -> None:
        field.refused.connect(self.document.said)
        wide = field.fontMetrics().horizontalAdvance(field.text()) + _BESIDE
        field.setMinimumWidth(max(_FIELD, wide))
        self.grid.addWidget(field, row, column)

    def _type_lead(self, index: int, number: float) -> None:
        self.lead_typed.emit(index, meant_on(self.document.rig, self.cam.lead, number))

    def _value(self, index: int, channel: ChannelKey) -> OptionalField:
        rig = self.document.rig
        what = f"Station {index + 1} follower"
        if channel != self.channel:
            what = f"Station {index + 1} of {full_label(rig, channel)}"
        field = OptionalField(kind_of(rig, channel), shown_unit(rig, channel), what)
        field.set_value(self.cam.stations[index].values.get(channel))
        field.setPlaceholderText("not set")
        field.committed.connect(lambda value: self.value_typed.emit(index, channel, value))
        field.cleared.connect(lambda: self.value_typed.emit(index, channel, None))
        field.setToolTip(f"in {UNITS[field.unit].symbol or 'plain numbers'}; empty: not set")
        return field

    def _span(self, index: int) -> QWidget:
        usual = next(f.profile for f in self.cam.followers if f.channel == self.channel)
        span = choice(
            list(KINDS),
            SHOWN[self.cam.stations[index].spans.get(self.channel, usual)],
            f"Span after station {index + 1}",
            partial(self.span_chosen.emit, index),
        )
        span.setToolTip("From this station to the next")
        span.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        span.setFixedWidth(_SPAN)
        return span

    def _end(self, word: str, present: str) -> QWidget:
        """What it does before the first or after the last station."""
        entries = [f"{word}: {beyond}" for beyond in get_args(Beyond)]
        box = choice(
            entries,
            f"{word}: {present}",
            f"{word.capitalize()} the stations",
            lambda text: self.end_chosen.emit(word, text.removeprefix(f"{word}: ")),
        )
        box.setToolTip(f"What it does {word} its stations")
        box.setFixedWidth(_SPAN)
        return box
