"""The Cam page: the profiles of a cam, and its stations as a table of numbers."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import get_args

from msgspec.structs import replace
from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QMenu,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from gremio.core.edit.cams import (
    change_station,
    copy_station,
    merge_stations,
    record_station,
    remove_follower,
    remove_stations,
    set_profile,
    set_slope,
    set_span,
    set_station_value,
    shift_points,
)
from gremio.core.edit.links import change_link
from gremio.core.edit.routines import KEYS, remove_keys
from gremio.core.mechanics.profiles import peaks
from gremio.core.quantity import UNITS, show_short
from gremio.core.rig.cams import told
from gremio.core.rig.channels import split
from gremio.core.rig.ids import NOTHING, ChannelKey, ThingId
from gremio.core.rig.links import members
from gremio.core.rig.model import Beyond, Cam, Rig
from gremio.core.rig.numbers import exists, full_label, shown_unit
from gremio.core.rig.scales import meant_on, shown_on
from gremio.core.solve.cam_steps import cam_profile
from gremio.desktop.deck.chart import Track
from gremio.desktop.deck.profile_view import Point, ProfileView
from gremio.desktop.deck.shown_cam import ShownCam, says
from gremio.desktop.deck.station_table import KINDS, MIXED, ROW, SHOWN, StationTable
from gremio.desktop.document.change import Change
from gremio.desktop.document.document import Document
from gremio.desktop.fields.areas import WholeRows, clear, show_in, soon
from gremio.desktop.fields.pieces import choice, menu_button, second, verb
from gremio.desktop.theme.dress import text_font
from gremio.desktop.theme.inks import Inks

EMPTY = (
    "A cam maps a lead to its followers through stations. Select a control, or a part that should "
    "lead, and press T to teach one: put the lead somewhere, pose parts, record."
)
_ALONE, _TOGETHER = "this one", "all together"
# How wide the table beside the profile is: more than usual where numbers need it (px).
_SIDE, _WIDEST, _BAR = 456, 620, 16
_ROW = ("Bring the lead here", "Copy to where the lead is", "Merge with the next", "Remove")


class CamPage(QWidget, ShownCam):
    """Shows the cam that is selected, or that has to do with what is selected; or the keys of a
    channel in the routine, which are stations of a cam that the clock leads.

    follower_wanted: a follower should be added to the cam of this id. motion_wanted: show
    its motion. csv_wanted: "out" or "in", and the id of the cam.
    """

    follower_wanted = pyqtSignal(str)
    motion_wanted = pyqtSignal(str)
    csv_wanted = pyqtSignal(str, str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.link_id, self.channel = NOTHING, NOTHING
        self.together = False
        # The cam as it was when the hand took hold of its stations.
        self._before: Cam | None = None
        layout = QHBoxLayout(self)
        layout.setContentsMargins(4, 4, 12, 6)
        layout.setSpacing(14)
        self.empty = second(EMPTY)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.profile = ProfileView()
        self.profile.lead_moved.connect(self._move_lead)
        self.profile.points_moved.connect(self._drag_points)
        self.profile.slope_moved.connect(self._drag_slope)
        self.profile.station_wanted.connect(self._add_station)
        self.profile.picked.connect(self._show)
        self.profile.removed.connect(self.remove_chosen)
        self.profile.let_go.connect(self._let_go)
        self.side = QWidget()
        self.side.setFixedWidth(_SIDE)
        column = QVBoxLayout(self.side)
        column.setContentsMargins(0, 2, 0, 0)
        column.setSpacing(4)
        self._head_line = QHBoxLayout()
        self._head_line.setSpacing(8)
        self.rows = WholeRows(ROW)
        self.peaks = second("")
        self.peaks.setAccessibleName("Peaks")
        column.addLayout(self._head_line)
        column.addWidget(self.rows, 1)
        column.addWidget(self.peaks)
        layout.addWidget(self.empty, 1)
        layout.addWidget(self.profile, 1)
        layout.addWidget(self.side)
        self._later = soon(self, self.rebuild)
        document.rig_changed.connect(self._take_rig)
        document.selection_changed.connect(self._outdated)
        document.teaching.changed.connect(self._outdated)
        document.pose_changed.connect(self._take_pose)
        document.timing.moved.connect(self._take_pose)
        self._fresh = False

    def show_keys(self, channel: ChannelKey) -> None:
        """Show the keys that a channel has in the routine."""
        self.link_id, self.channel = KEYS, channel
        self.rebuild()

    def _take_rig(self, change: Change) -> None:
        keyed = self.link_id == KEYS and change.touches("routines")
        if keyed or (change.compiles and self._concerned(change)):
            self._outdated()

    def _concerned(self, change: Change) -> bool:
        """Whether the cam on show may be another one, or what it leads and is led by."""
        cam = self.cam
        if change.anew or not self._fresh or cam is None or self.document.teaching.lesson:
            return True
        links = (change.before.links, change.after.links)
        if any(isinstance(of.get(i), Cam) for i in change.things("links") for of in links):
            return True
        owners = {split(channel)[0] for channel in members(cam)}
        changed = change.things("parts") | change.things("controls")
        return not owners.isdisjoint(changed)

    def _outdated(self) -> None:
        """Show the cam of now: soon while the page is seen, else when it is seen again."""
        self._fresh = False
        if self.isVisible():
            self._later.start()

    def showEvent(self, event: QShowEvent | None) -> None:
        """A page that was hidden catches up."""
        if not self._fresh:
            self.rebuild()
        super().showEvent(event)

    @property
    def shown(self) -> ThingId:
        """Id of the cam that has to do with the selection, "" where there is none."""
        if not self._fresh:
            self._find()
        return self.link_id if self.cam is not None and self.link_id != KEYS else NOTHING

    def set_inks(self, inks: Inks) -> None:
        """Draw by day or by night."""
        self.profile.inks = inks
        self.profile.update()

    def rebuild(self) -> None:
        """Show the cam that has to do with the selection."""
        self._later.stop()
        self._fresh = True
        self._find()
        cam = self.cam
        self.empty.setVisible(cam is None)
        self.profile.setVisible(cam is not None)
        self.side.setVisible(cam is not None)
        if cam is None:
            return
        self._show_tracks(cam)
        if self._before is None:
            clear(self._head_line)
            self._fill_head(self._head_line, cam)
            table = self._table(cam)
            wide = table.minimumSizeHint().width() + _BAR
            self.side.setFixedWidth(min(max(_SIDE, wide), _WIDEST))
            show_in(self.rows, table)
            self.peaks.setText(self._peaks(cam))
        self._take_pose()

    def _show_tracks(self, cam: Cam) -> None:
        rig = self.document.rig
        leads = [station.lead for station in cam.stations]
        ends = [min(leads), max(leads)]
        control = rig.controls.get(ThingId(cam.lead))
        routine = self.document.timing.routine
        if self.link_id == KEYS and routine is not None:
            ends = [0.0, routine.length]
        elif control is not None:
            ends = [min(ends[0], control.low), max(ends[1], control.high)]
        if ends[0] == ends[1]:
            ends[1] = ends[0] + 1.0
        others = [f.channel for f in cam.followers if f.channel != self.channel]
        shown = [self.channel, *(others if self.together else [])]
        tracks = tuple(
            Track(
                channel,
                full_label(rig, channel),
                shown_unit(rig, channel),
                cam_profile(cam, channel),
                tuple(i for i, s in enumerate(cam.stations) if channel in s.values),
            )
            for channel in shown
            if exists(rig, channel) and told(cam, channel)
        )
        lead_name, unit = full_label(rig, cam.lead), shown_unit(rig, cam.lead)
        reading = partial(shown_on, rig, cam.lead)
        self.profile.show_tracks(tracks, (ends[0], ends[1]), lead_name, unit, reading)

    # ── the side ───────────────────────────────────────────────────

    def _table(self, cam: Cam) -> StationTable:
        table = StationTable(self.document, cam, self.channel)
        table.lead_typed.connect(self._set_lead)
        table.value_typed.connect(self._set_value)
        table.span_chosen.connect(self._set_span)
        table.follower_wanted.connect(self._show)
        table.more_wanted.connect(self._row_menu)
        table.visited.connect(self._visit)
        table.end_chosen.connect(self._set_end)
        return table

    def _fill_head(self, head: QHBoxLayout, cam: Cam) -> None:
        rig = self.document.rig
        names = {full_label(rig, f.channel): f.channel for f in cam.followers}
        present = full_label(rig, self.channel)
        routine = self.document.timing.routine
        if self.link_id == KEYS and routine is not None:
            present = f"{present} in {routine.name}"
        if len(names) > 1:
            pick = choice(list(names), present, "Follower", lambda t: self._show(names[t]))
            head.addWidget(pick, 1)
            view = _TOGETHER if self.together else _ALONE
            both = choice((_ALONE, _TOGETHER), view, "View", self._set_view)
            both.setToolTip("All followers in one view, each in its own scale")
            both.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
            both.setFixedWidth(92)
            head.addWidget(both)
        else:
            label = QLabel(present)
            label.setFont(text_font(9, bold=True))
            head.addWidget(label, 1)
        usual = next(f.profile for f in cam.followers if f.channel == self.channel)
        mixed = any(self.channel in s.spans for s in cam.stations)
        shown = (*KINDS, MIXED) if mixed else tuple(KINDS)
        law = MIXED if mixed else SHOWN[usual]
        kind = choice(shown, law, "Profile kind", self._set_profile)
        kind.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        kind.setFixedWidth(112)
        head.addWidget(kind)
        keyed = self.link_id == KEYS
        more = "A key at the time now" if keyed else "A station where the lead is now"
        head.addWidget(verb("+ key" if keyed else "+ station", self._record, more))
        head.addWidget(menu_button("⋯", "More for this cam", self._more()))

    def _peaks(self, cam: Cam) -> str:
        """The greatest speed and acceleration, in the units shown."""
        rig = self.document.rig
        if not told(cam, self.channel):
            return "No station speaks of this follower yet."
        fast, hard = peaks(cam_profile(cam, self.channel))
        lead, unit = UNITS[shown_unit(rig, cam.lead)], UNITS[shown_unit(rig, self.channel)]
        control = rig.controls.get(ThingId(cam.lead))
        read = control is not None and control.scale is not None
        # One of what is read on the lead (SI).
        one = abs(meant_on(rig, cam.lead, 1.0) - meant_on(rig, cam.lead, 0.0))
        size = one if read else lead.size
        per = f"{unit.symbol or '1'}/{'1' if read else lead.symbol or '1'}"
        return (
            f"speed up to {fast * size / unit.size:.3g} {per}, acceleration up to "
            f"{hard * size**2 / unit.size:.3g} {per}²"
        )

    def _take_pose(self) -> None:
        cam = self.cam
        if cam is not None and self._fresh:
            self.profile.set_lead(self._lead_now(cam))

    def _show(self, channel: ChannelKey) -> None:
        self.channel = channel
        owner = split(channel)[0]
        if owner in self.document.rig.parts and self.document.selected in self.document.rig.parts:
            self.document.select(owner)
        self.rebuild()

    def _set_view(self, text: str) -> None:
        self.together = text == _TOGETHER
        self.rebuild()

    # ── hands on the page ──────────────────────────────────────────

    def _move_lead(self, value: float) -> None:
        cam = self.cam
        if cam is not None and self.link_id == KEYS:
            self.document.timing.go_to(value)
        elif cam is not None:
            self.document.move(cam.lead, value, gesture="drag the lead of a cam")

    def _let_go(self) -> None:
        self._before = None
        self.document.settle()
        self.rebuild()

    def _from_before(self, rig: Rig) -> Rig:
        """The rig with the cam as it was when the hand took hold."""
        if self._before is None:
            self._before = self.cam
        assert self._before is not None
        return change_link(rig, self.link_id, self._before)

    def _drag_points(self, points: list[Point], along: float, up: dict[str, float]) -> None:
        self._edit(
            "drag stations of a cam",
            lambda rig: shift_points(self._from_before(rig), self.link_id, points, along, up),
            "drag a station",
            to_frames=True,
        )

    def _drag_slope(self, index: int, slope: float) -> None:
        self._edit(
            "slope of a profile",
            lambda rig: set_slope(rig, self.link_id, index, self.channel, slope),
            "drag a slope",
        )

    def _add_station(self, lead: float, at: float) -> None:
        self._edit(
            "add a station",
            lambda rig: record_station(rig, self.link_id, lead, {self.channel: at}),
            to_frames=True,
        )

    # ── edits from the side ────────────────────────────────────────

    def _set_lead(self, index: int, value: float) -> None:
        cam = self.cam
        assert cam is not None
        station = replace(cam.stations[index], lead=value)
        self._edit(
            "lead of a station", lambda rig: change_station(rig, self.link_id, index, station)
        )

    def _set_value(self, index: int, channel: ChannelKey, value: float | None) -> None:
        self._edit(
            "station of a cam",
            lambda rig: set_station_value(rig, self.link_id, index, channel, value),
        )

    def _set_profile(self, text: str) -> None:
        kind = KINDS.get(text)
        if kind is not None:
            self._edit(
                "profile of a cam", lambda rig: set_profile(rig, self.link_id, self.channel, kind)
            )

    def _set_span(self, index: int, text: str) -> None:
        kind = KINDS[text]
        before = self._told()
        self._edit(
            "profile of a span", lambda rig: set_span(rig, self.link_id, index, self.channel, kind)
        )
        if self.cam is not None and self._told() != before:
            value = self.cam.stations[index].values[self.channel]
            words = show_short(value, shown_unit(self.document.rig, self.channel))
            self.document.said.emit(f"It dwells at {words}; the next station begins there.")

    def _told(self) -> list[tuple[float, float]]:
        return [] if self.cam is None else told(self.cam, self.channel)

    def _set_end(self, word: str, text: str) -> None:
        cam = self.cam
        assert cam is not None
        beyond = next(b for b in get_args(Beyond) if b == text)
        changed = replace(cam, **{word: beyond})
        self._edit(
            f"what a cam does {word} its stations",
            lambda rig: change_link(rig, self.link_id, changed),
        )

    def _record(self) -> None:
        cam = self.cam
        assert cam is not None
        if self.document.teaching.lesson is not None:
            self.document.teaching.record()
            return
        lead = self._lead_now(cam)
        values = {f.channel: says(cam, f.channel, lead) for f in cam.followers
                  if told(cam, f.channel)}  # fmt: skip
        self._edit("add a station", lambda rig: record_station(rig, self.link_id, lead, values))

    def _row_menu(self, index: int, at: QPoint) -> None:
        menu = QMenu(self)
        cam = self.cam
        assert cam is not None
        for entry in _ROW:
            action = menu.addAction(entry)
            action.triggered.connect(lambda _checked=False, e=entry: self._row(index, e))
            action.setEnabled(entry != "Merge with the next" or index + 1 < len(cam.stations))
        menu.popup(at)

    def _row(self, index: int, entry: str) -> None:
        cam = self.cam
        assert cam is not None
        here = self._lead_now(cam)
        match entry:
            case "Bring the lead here":
                self._visit(cam.stations[index].lead)
            case "Copy to where the lead is":
                self._edit(
                    "copy a station", lambda rig: copy_station(rig, self.link_id, index, here)
                )
            case "Merge with the next":
                self._edit(
                    "merge two stations", lambda rig: merge_stations(rig, self.link_id, index)
                )
            case "Remove":
                self.remove_chosen([index])

    def _visit(self, lead: float) -> None:
        """Bring the lead, or the time, to a station."""
        cam = self.cam
        if cam is not None and self.link_id == KEYS:
            self.document.timing.go_to(lead, to_frame=False)
        elif cam is not None:
            self.document.move(cam.lead, lead)
            self.document.settle()

    def remove_chosen(self, indices: list[int]) -> None:
        """Remove stations, counted from 0; says how to choose some, where there are none."""
        if not indices:
            self.document.said.emit("No station is chosen. Click one, or draw a band round some.")
            return
        what = "remove a station" if len(indices) == 1 else f"remove {len(indices)} stations"
        cam, timing = self.cam, self.document.timing
        if self.link_id == KEYS and cam is not None:
            gone = [(self.channel, cam.stations[index].lead) for index in indices]
            self.document.edit(
                what.replace("station", "key"),
                lambda rig: remove_keys(rig, timing.routine_id, gone),
            )
            return
        self._edit(what, lambda rig: remove_stations(rig, self.link_id, indices))

    def _more(self) -> dict[str, Callable[[], object]]:
        """What is done with a cam now and then."""

        def take_out() -> None:
            self._edit(
                "take a follower out of a cam",
                lambda rig: remove_follower(rig, self.link_id, self.channel),
            )

        if self.link_id == KEYS:
            show = partial(self.document.timing.lines_wanted.emit)
            return {"Show the routine": show}
        return {
            "Add a follower…": lambda: self.follower_wanted.emit(self.link_id),
            "Take this follower out": take_out,
            "Show the motion": lambda: self.motion_wanted.emit(self.link_id),
            "Export as CSV…": lambda: self.csv_wanted.emit("out", self.link_id),
            "Bring in a CSV…": lambda: self.csv_wanted.emit("in", self.link_id),
        }
