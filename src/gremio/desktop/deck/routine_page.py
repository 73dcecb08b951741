"""The Routine page: what plays, the time now, writing, and the lines with their keys."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any, get_args

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QStackedLayout,
    QVBoxLayout,
    QWidget,
)

from gremio.core.edit.routines import begin_here, change_routine, remove_routine
from gremio.core.mechanics.clock import frame_at, rate_of, rate_text, time_code, time_of_code
from gremio.core.motion.run_up import start_of
from gremio.core.problem import GremioError
from gremio.core.rig.channels import split
from gremio.core.rig.ids import ThingId
from gremio.core.rig.model import Rig, RoutineEnds
from gremio.core.typed import QuantityError
from gremio.desktop.actions.hints import with_key
from gremio.desktop.deck.hand_off_row import HandOffRow
from gremio.desktop.deck.time_lines import TimeLines
from gremio.desktop.document.change import Change
from gremio.desktop.document.document import Document
from gremio.desktop.fields.pieces import choice, menu_button, second, verb
from gremio.desktop.fields.quantity_field import QuantityField
from gremio.desktop.fields.text_field import TextField
from gremio.desktop.theme.dress import digit_font
from gremio.desktop.theme.inks import DAY, Inks

EMPTY = (
    "A routine keeps moves over time: keys of controls and of what hands move, played, baked and "
    "exported."
)
_NEW = "a new routine"


class _Transport(QPushButton):
    """A button of the row that plays, with a sign painted on it."""

    def __init__(self, sign: str, what: str, do: Callable[[], object], tip: str) -> None:
        super().__init__()
        self.sign, self.inks = sign, DAY
        self.setProperty("verb", True)
        self.setFixedSize(QSize(26, 22))
        self.setAccessibleName(what)
        self.setToolTip(tip)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.clicked.connect(lambda _checked=False: do())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """The plate, and the sign."""
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(self.inks.ink))
        middle = QPointF(self.rect().center()) + QPointF(0.5, 0.5)
        way = -1.0 if self.sign in ("start", "back") else 1.0

        def head(at: float) -> None:
            painter.drawPolygon(QPolygonF([
                middle + QPointF(at - 4 * way, -5), middle + QPointF(at - 4 * way, 5),
                middle + QPointF(at + 4 * way, 0),
            ]))  # fmt: skip

        if self.sign in ("back", "on"):
            # To a key: no whole arrow, which plays.
            painter.setPen(QPen(QColor(self.inks.ink), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(QPolygonF([
                middle + QPointF(-2.5 * way, -5), middle + QPointF(2.5 * way, 0),
                middle + QPointF(-2.5 * way, 5),
            ]))  # fmt: skip
        elif self.sign == "stop":
            painter.fillRect(QRectF(self.rect()), QColor(self.inks.hand))
            painter.setBrush(QColor(self.inks.panel))
            painter.drawRect(QRectF(middle.x() - 4.5, middle.y() - 5, 3, 10))
            painter.drawRect(QRectF(middle.x() + 1.5, middle.y() - 5, 3, 10))
        elif self.sign in ("start", "end"):
            head(-1.0 * way)
            painter.drawRect(QRectF(middle.x() + 4 * way - 1, middle.y() - 5, 2, 10))
        else:
            head(0.0)


class RoutinePage(QWidget):
    """What plays, and its keys."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.timing = document.timing
        self.inks: Inks = DAY
        self.lines = TimeLines(document)
        self.lines.said.connect(document.said)
        self._head = QHBoxLayout()
        self._head.setContentsMargins(12, 4, 12, 0)
        self._head.setSpacing(6)
        self._settings = QWidget()
        self._fill_settings_at: ThingId | None = None
        self._lay_head()
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.lines)
        full = QWidget()
        column = QVBoxLayout(full)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addLayout(self._head)
        column.addWidget(self._settings)
        self._settings.hide()
        self.hand_off = HandOffRow(document, self.lines, self._pick_place)
        column.addWidget(self.hand_off)
        column.addWidget(scroll, 1)
        self.pages = QStackedLayout(self)
        self.pages.addWidget(self._nothing())
        self.pages.addWidget(full)
        document.rig_changed.connect(self._take_rig)
        document.selection_changed.connect(self.lines.update)
        self.timing.changed.connect(self.rebuild)
        self.timing.moved.connect(self._take_time)
        self.timing.followed_on.connect(self.lines.update)
        self.rebuild()

    def set_inks(self, inks: Inks) -> None:
        """Draw by day or by night."""
        self.inks = self.lines.inks = inks
        for button in (*self._transport.values(),):
            button.inks = inks
            button.update()
        self.lines.update()
        self._take_time()

    # ── laying out ─────────────────────────────────────────────────

    def _nothing(self) -> QWidget:
        empty = QWidget()
        column = QVBoxLayout(empty)
        words = second(EMPTY)
        words.setAlignment(Qt.AlignmentFlag.AlignCenter)
        make = verb("Make a routine", self.timing.make, main=True)
        column.addStretch()
        column.addWidget(words)
        column.addWidget(make, 0, Qt.AlignmentFlag.AlignHCenter)
        self.run = verb("Let the clock run", self.timing.run_free,
                        with_key("For the motors, without a routine", "time.run"))  # fmt: skip
        column.addWidget(self.run, 0, Qt.AlignmentFlag.AlignHCenter)
        column.addStretch()
        return empty

    def _lay_head(self) -> None:
        timing = self.timing
        self._choice = QHBoxLayout()
        self._head.addLayout(self._choice)
        signs = (
            ("start", "To the beginning", lambda: timing.go_to(timing.range()[0])),
            ("back", "To the key before", lambda: timing.to_key(-1)),
            ("play", "Play or stop", timing.play),
            ("on", "To the next key", lambda: timing.to_key(1)),
            ("end", "To the end", lambda: timing.go_to(timing.range()[1])),
        )
        self._transport = {
            sign: _Transport(sign, what, do,
                             with_key(what, "time.play") if sign == "play" else what)
            for sign, what, do in signs
        }  # fmt: skip
        for button in self._transport.values():
            self._head.addWidget(button)
        self.now = QuantityField("time", "s", "Time now")
        self.now.setFixedWidth(84)
        self.now.also = self._coded
        self.now.setToolTip("Seconds, or a time code: 00:00:04:12")
        self.now.committed.connect(lambda time: timing.go_to(time))
        self.now.refused.connect(self.document.said)
        self._head.addWidget(self.now)
        self.told = QLabel()
        self.told.setProperty("second", True)
        self.told.setFont(digit_font(8.5))
        self._head.addWidget(self.told)
        self._head.addStretch()
        self.follow = verb("Back to the hands", lambda: timing.follow(False),
                           "The Bench shows where hands have put all, not the routine")  # fmt: skip
        self._head.addWidget(self.follow)
        self.writing = QPushButton("Writing")
        self.writing.setCheckable(True)
        self.writing.setProperty("verb", True)
        self.writing.setAccessibleName("Writing")
        self.writing.setToolTip(
            with_key("While it is on, what a hand moves leaves a key at the time now", "time.write")
        )
        self.writing.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.writing.clicked.connect(timing.write)
        self._head.addWidget(self.writing)
        key = verb("Key", self.key_selected, with_key("Key what is selected", "time.key"))
        self._head.addWidget(key)
        on = verb(
            "Hand over…",
            timing.carrier_wanted.emit,
            with_key("Another part carries what is selected on", "time.hand over"),
        )
        self._head.addWidget(on)
        more: dict[str, Callable[[], object]] = {
            "mirror the chosen keys": self.lines.mirror_chosen,
            "stretch the chosen keys to double": partial(self.lines.stretch_chosen, 2.0),
            "stretch the chosen keys to half": partial(self.lines.stretch_chosen, 0.5),
            "copy the chosen keys to now": self.lines.copy_chosen,
            "remove what is chosen": self.lines.remove_chosen,
            "the curve of what is selected": self.show_curve,
            "let it begin as all stands now": self._begin_here,
            "its name, length, rate…": self._toggle_settings,
            "remove the routine": self._remove,
        }
        self._head.addWidget(menu_button("⋯", "More of the routine", more, "More"))

    def rebuild(self) -> None:
        """Show the routine of now."""
        routine = self.timing.routine
        self.pages.setCurrentIndex(0 if routine is None else 1)
        self.run.setVisible(self.timing.free.possible)
        self.run.setText("Stop the clock" if self.timing.free.running else "Let the clock run")
        while (item := self._choice.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                # Until it is gone it would lie over the lines.
                widget.hide()
                widget.deleteLater()
        if routine is not None:
            names = {entry.name: i for i, entry in self.document.rig.routines.items()}
            box = choice([*names, _NEW], routine.name, "Routine", partial(self._chosen, names))
            box.setFixedWidth(132)
            self._choice.addWidget(box)
            if self._settings.isVisible():
                self._fill_settings()
        self.lines.drop_lost()
        self.hand_off.rebuild()
        self.lines.setMinimumHeight(self.lines.tall())
        self.lines.update()
        self._take_time()

    def _chosen(self, names: dict[str, ThingId], text: str) -> None:
        if text == _NEW:
            self.timing.make()
        else:
            self.timing.choose(names[text])

    def _take_rig(self, change: Change) -> None:
        if change.touches("routines", "controls", "parts", "links"):
            self.rebuild()

    def _coded(self, text: str) -> float | None:
        """The time (s) of a time code at the routine's rate; None for what is none."""
        routine = self.timing.routine
        if ":" not in text or routine is None:
            return None
        try:
            return time_of_code(text, routine.rate)
        except GremioError as wrong:
            raise QuantityError(str(wrong)) from None

    def _take_time(self) -> None:
        timing, routine = self.timing, self.timing.routine
        if routine is None:
            return
        self.now.set_value(timing.time)
        frame, last = frame_at(timing.time, routine.rate), frame_at(routine.length, routine.rate)
        told = f"frame {frame} of {last}   {time_code(timing.time, routine.rate)}"
        self.told.setToolTip(f"{rate_text(routine.rate)} frames a second")
        if timing.playing and timing.left_out:
            told += f"   {timing.left_out} left out"
        self.told.setText(told)
        self._transport["play"].sign = "stop" if timing.playing else "play"
        self._transport["play"].update()
        self.follow.setVisible(timing.on)
        self.writing.setChecked(timing.writing)
        self.writing.setText("● Writing on" if timing.writing else "Writing")
        ochre = f"border: 1.5px solid {self.inks.time}; color: {self.inks.time};"
        self.writing.setStyleSheet(ochre if timing.writing else "")
        self.lines.take_time()

    # ── what hands do ──────────────────────────────────────────────

    def key_selected(self) -> None:
        """Leave keys of what is selected, or of what hands have put meanwhile."""
        channels = self.document.channels_of(self.document.selected)
        if not channels and not self.timing.over:
            self.document.said.emit("Select a control, or a part that can move, to key it.")
            return
        self.timing.key_now(channels)

    def _pick_place(self) -> None:
        chosen, found = self.lines.bars.chosen, self.lines.bars.chosen_hand_off()
        if chosen is not None and found is not None:
            # Where it settles is clicked while it is there.
            self.timing.go_to(found.time + found.over)
            self.timing.place_wanted.emit(chosen[0], found)

    def show_curve(self) -> None:
        """Show the keys of what is selected as a curve, on the Cam page."""
        selected, routine = self.document.selected, self.timing.routine
        keyed = [] if routine is None else [c for c in routine.keys if split(c)[0] == selected]
        if keyed:
            self.timing.curve_wanted.emit(keyed[0])
        else:
            self.document.said.emit("Select something that has keys, or double-click its name.")

    def _begin_here(self) -> None:
        document, routine_id = self.document, self.timing.routine_id
        now = start_of(document.settled())
        document.edit("begin a routine here", lambda rig: begin_here(rig, routine_id, now))

    def _remove(self) -> None:
        routine_id, routine = self.timing.routine_id, self.timing.routine
        if routine is not None:
            self.timing.stop()
            self.document.edit(f"remove {routine.name}", lambda r: remove_routine(r, routine_id))

    def _toggle_settings(self) -> None:
        if self._settings.isVisible():
            self._settings.hide()
            return
        self._fill_settings()
        self._settings.show()

    def _fill_settings(self) -> None:
        """Its name, length, range, rate, and what comes after."""
        routine, routine_id = self.timing.routine, self.timing.routine_id
        if routine is None:
            return
        if self._fill_settings_at == routine_id and self._settings.focusWidget() is not None:
            return
        self._fill_settings_at = routine_id
        old = self._settings.layout()
        if old is not None:
            QWidget().setLayout(old)
        row = QHBoxLayout(self._settings)
        row.setContentsMargins(14, 0, 14, 0)
        row.setSpacing(6)
        name = TextField(routine.name, "Name of the routine")
        name.setFixedWidth(140)
        name.typed.connect(lambda text: self._set(name, name=text.strip()))
        row.addWidget(name)
        for word, what, field in (("lasts", "Length of the routine", routine.length),):
            row.addWidget(second(word))
            row.addWidget(self._seconds(what, field, lambda v: self._set(length=v)))
        start, end = self.timing.range()
        row.addWidget(second("played from"))
        row.addWidget(self._seconds("Played from", start, lambda v: self._set(play=(v, end))))
        row.addWidget(second("to"))
        row.addWidget(self._seconds("Played to", end, lambda v: self._set(play=(start, v))))
        rate = TextField(rate_text(routine.rate), "Frames a second")
        rate.setFixedWidth(56)
        rate.typed.connect(partial(self._set_rate, rate))
        row.addWidget(second("frames a second"))
        row.addWidget(rate)
        ends = choice(list(get_args(RoutineEnds)), routine.ends, "What comes after its end",
                      lambda text: self._set(ends=text))  # fmt: skip
        ends.setFixedWidth(92)
        row.addWidget(ends)
        row.addStretch()

    def _seconds(self, what: str, value: float, put: Callable[[float], object]) -> QuantityField:
        field = QuantityField("time", "s", what)
        field.setFixedWidth(74)
        field.set_value(value)
        field.committed.connect(put)
        field.refused.connect(self.document.said)
        return field

    def _set_rate(self, field: TextField, text: str) -> None:
        try:
            rate = rate_of(text)
        except GremioError as refused:
            self.document.said.emit(str(refused))
            return
        self._set(field, rate=rate)

    def _set(self, field: TextField | None = None, **changed: Any) -> None:
        routine_id = self.timing.routine_id

        def change(rig: Rig) -> Rig:
            return change_routine(rig, routine_id, replace(rig.routines[routine_id], **changed))

        if self.document.edit("a routine's settings", change) and field is not None:
            field.taken()
        self.document.settle()
