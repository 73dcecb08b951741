"""The Cam page: the profile of one follower, and the cam's stations as numbers."""

from __future__ import annotations

from functools import partial
from typing import get_args

from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from gremio.core.mechanics.profiles import peaks
from gremio.core.quantity import UNITS
from gremio.core.rig.channels import full_label, kind_of, members, shown_unit, split
from gremio.core.rig.edit.links import (
    change_link,
    record_station,
    remove_station,
    set_profile,
    set_span,
    sorted_stations,
)
from gremio.core.rig.model import Beyond, Cam, ProfileKind, Station
from gremio.core.solve.link_steps import cam_profile
from gremio.desktop.areas import show_in, soon
from gremio.desktop.card.rows import choice, link_button, second
from gremio.desktop.deck.profile_view import ProfileView
from gremio.desktop.document import Document, Edit
from gremio.desktop.fields import QuantityField
from gremio.desktop.theme.dress import text_font
from gremio.desktop.theme.inks import Inks

EMPTY = (
    "A cam maps a lead to its followers through stations. Select something that a cam leads to "
    "see its profile here; a ratio becomes a cam on its Card, under “Made as”."
)


_MIXED = "by span"
_SPAN = 122


class CamPage(QWidget):
    """Shows the cam that is selected, or that has to do with what is selected."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.link_id = ""
        self.channel = ""
        layout = QHBoxLayout(self)
        layout.setContentsMargins(4, 4, 12, 6)
        layout.setSpacing(14)
        self.empty = second(EMPTY)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.profile = ProfileView()
        self.profile.lead_moved.connect(self._move_lead)
        self.profile.station_moved.connect(self._drag_station)
        self.profile.station_wanted.connect(self._add_station)
        self.profile.let_go.connect(self._let_go)
        self.side = QScrollArea()
        self.side.setWidgetResizable(True)
        self.side.setFixedWidth(404)
        self.side.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.side.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        layout.addWidget(self.empty, 1)
        layout.addWidget(self.profile, 1)
        layout.addWidget(self.side)
        self._later = soon(self, self.rebuild)
        document.rig_changed.connect(self._later.start)
        document.selection_changed.connect(self._later.start)
        document.pose_changed.connect(self._take_pose)
        self._later.start()

    def set_inks(self, inks: Inks) -> None:
        """Draw by day or by night."""
        self.profile.inks = inks
        self.profile.update()

    def _cam(self) -> Cam | None:
        link = self.document.rig.links.get(self.link_id)
        return link if isinstance(link, Cam) else None

    def _find(self) -> None:
        """The cam to show: the selected one, or one that leads, or is led by, the selection;
        the last one shown stays when the selection has none."""
        rig, selected = self.document.rig, self.document.selected
        if isinstance(rig.links.get(selected), Cam):
            self.link_id = selected
        else:
            for link_id, link in rig.links.items():
                if isinstance(link, Cam) and selected in {split(c)[0] for c in members(link)}:
                    self.link_id = link_id
                    break
        if self._cam() is None:
            cams = [i for i, link in rig.links.items() if isinstance(link, Cam)]
            self.link_id = cams[0] if cams else ""
        cam = self._cam()
        if cam is not None and self.channel not in [f.channel for f in cam.followers]:
            self.channel = cam.followers[0].channel

    def rebuild(self) -> None:
        """Show the cam that has to do with the selection."""
        self._later.stop()
        self._find()
        cam = self._cam()
        self.empty.setVisible(cam is None)
        self.profile.setVisible(cam is not None)
        self.side.setVisible(cam is not None)
        if cam is None:
            return
        rig = self.document.rig
        units = shown_unit(rig, cam.lead), shown_unit(rig, self.channel)
        leads = [station.lead for station in cam.stations]
        owner = split(cam.lead)[0]
        ends = [min(leads), max(leads)]
        if owner in rig.controls:
            ends = [min(ends[0], rig.controls[owner].low), max(ends[1], rig.controls[owner].high)]
        self.profile.show_profile(
            cam_profile(cam, self.channel), (ends[0], ends[1]), full_label(rig, cam.lead), units
        )
        show_in(self.side, self._side(cam, units))
        self._take_pose()

    def _side(self, cam: Cam, units: tuple[str, str]) -> QWidget:
        rig = self.document.rig
        sheet = QWidget()
        column = QVBoxLayout(sheet)
        column.setContentsMargins(0, 2, 8, 0)
        column.setSpacing(4)
        names = {full_label(rig, f.channel): f.channel for f in cam.followers}
        present = full_label(rig, self.channel)
        head = QHBoxLayout()
        if len(names) > 1:
            head.addWidget(
                choice(list(names), present, "Follower", lambda t: self._show(names[t])), 1
            )
        else:
            label = QLabel(present)
            label.setFont(text_font(9, bold=True))
            head.addWidget(label, 1)
        profile = next(f.profile for f in cam.followers if f.channel == self.channel)
        kinds = get_args(ProfileKind)
        mixed = any(self.channel in s.spans for s in cam.stations)
        shown = (*kinds, _MIXED) if mixed else kinds
        kind = choice(shown, _MIXED if mixed else profile, "Profile kind", self._set_profile)
        kind.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        kind.setFixedWidth(126)
        head.addWidget(kind)
        record = link_button("+ station", self._record, "A station where the lead is now")
        head.addWidget(record)
        column.addLayout(head)
        column.addLayout(self._stations(cam, units))
        column.addWidget(self._peaks(cam, units))
        column.addStretch()
        return sheet

    def _stations(self, cam: Cam, units: tuple[str, str]) -> QGridLayout:
        rig = self.document.rig
        grid = QGridLayout()
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(3)
        for column, word in enumerate(("lead", "follower")):
            label = second(word)
            label.setAlignment(Qt.AlignmentFlag.AlignRight)
            grid.addWidget(label, 0, column + 1)
        # What holds beyond the stations stands before the first and after the last of them.
        grid.addWidget(self._end("before", cam.before), 0, 3)
        grid.addWidget(self._end("after", cam.after), len(cam.stations), 3)
        usual = next(f.profile for f in cam.followers if f.channel == self.channel)
        kinds = kind_of(rig, cam.lead), kind_of(rig, self.channel)
        for index, station in enumerate(cam.stations):
            grid.addWidget(second(str(index + 1)), index + 1, 0)
            lead = QuantityField(kinds[0], units[0], f"Station {index + 1} lead")
            lead.set_value(station.lead)
            lead.committed.connect(lambda value, i=index: self._set_lead(i, value))
            follower = QuantityField(kinds[1], units[1], f"Station {index + 1} follower")
            follower.set_value(station.values.get(self.channel))
            follower.committed.connect(lambda value, i=index: self._set_follower(i, value))
            for field in (lead, follower):
                field.refused.connect(self.document.said)
                field.setMinimumWidth(70)
            grid.addWidget(lead, index + 1, 1)
            grid.addWidget(follower, index + 1, 2)
            if index < len(cam.stations) - 1:
                span = choice(
                    get_args(ProfileKind),
                    station.spans.get(self.channel, usual),
                    f"Span after station {index + 1}",
                    partial(self._set_span, index),
                )
                span.setToolTip("From this station to the next")
                span.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
                span.setFixedWidth(_SPAN)
                grid.addWidget(span, index + 1, 3)
            if len(cam.stations) > 2:
                remove = link_button("×", partial(self._remove, index), "Remove this station")
                remove.setAccessibleName(f"Remove station {index + 1}")
                remove.setFont(text_font(11))
                grid.addWidget(remove, index + 1, 4)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(2, 1)
        return grid

    def _end(self, word: str, present: str) -> QWidget:
        """What it does before the first or after the last station."""
        entries = [f"{word}: {beyond}" for beyond in get_args(Beyond)]
        box = choice(entries, f"{word}: {present}", f"{word.capitalize()} the stations",
                     partial(self._set_end, word))  # fmt: skip
        box.setToolTip(f"What it does {word} its stations")
        box.setFixedWidth(_SPAN)
        return box

    def _peaks(self, cam: Cam, units: tuple[str, str]) -> QLabel:
        """The greatest speed and acceleration, in the units shown."""
        fast, hard = peaks(cam_profile(cam, self.channel))
        lead, unit = UNITS[units[0]], UNITS[units[1]]
        per = f"{unit.symbol or '1'}/{lead.symbol or '1'}"
        words = second(
            f"speed up to {fast * lead.size / unit.size:.3g} {per}, acceleration up to "
            f"{hard * lead.size**2 / unit.size:.3g} {per}²"
        )
        words.setAccessibleName("Peaks")
        return words

    def _take_pose(self) -> None:
        cam = self._cam()
        if cam is not None:
            self.profile.set_lead(self.document.pose.at(cam.lead))

    def _show(self, channel: str) -> None:
        self.channel = channel
        self.rebuild()

    def _move_lead(self, value: float) -> None:
        cam = self._cam()
        if cam is not None:
            self.document.move(cam.lead, value, gesture="drag the lead of a cam")

    def _let_go(self) -> None:
        self.document.settle()
        self.rebuild()

    def _drag_station(self, nth: int, lead: float, at: float) -> None:
        """A station of the follower shown, counted among those that speak of it, was dragged."""
        cam = self._cam()
        assert cam is not None
        spoken = [i for i, station in enumerate(cam.stations) if self.channel in station.values]
        index = spoken[nth]
        values = {**cam.stations[index].values, self.channel: at}
        station = replace(cam.stations[index], lead=lead, values=values)
        self._changed_station(index, station, "drag a station of a cam")

    def _add_station(self, lead: float, at: float) -> None:
        self._edit(
            "add a station",
            lambda rig: record_station(rig, self.link_id, lead, {self.channel: at}),
        )

    def _put(self, what: str, cam: Cam, gesture: str = "") -> None:
        self._edit(what, lambda rig: change_link(rig, self.link_id, cam), gesture)

    def _changed_station(self, index: int, station: Station, gesture: str = "") -> None:
        cam = self._cam()
        assert cam is not None
        stations = [*cam.stations[:index], station, *cam.stations[index + 1 :]]
        changed = replace(cam, stations=sorted_stations(stations))
        self._put("station of a cam", changed, gesture)

    def _set_lead(self, index: int, value: float) -> None:
        cam = self._cam()
        assert cam is not None
        self._changed_station(index, replace(cam.stations[index], lead=value))

    def _set_follower(self, index: int, value: float) -> None:
        cam = self._cam()
        assert cam is not None
        values = {**cam.stations[index].values, self.channel: value}
        self._changed_station(index, replace(cam.stations[index], values=values))

    def _set_profile(self, text: str) -> None:
        kind = next((k for k in get_args(ProfileKind) if k == text), None)
        if kind is not None:
            self._edit(
                "profile of a cam", lambda rig: set_profile(rig, self.link_id, self.channel, kind)
            )

    def _set_span(self, index: int, text: str) -> None:
        kind = next(k for k in get_args(ProfileKind) if k == text)
        self._edit(
            "profile of a span", lambda rig: set_span(rig, self.link_id, index, self.channel, kind)
        )

    def _set_end(self, word: str, text: str) -> None:
        cam = self._cam()
        assert cam is not None
        beyond = text.removeprefix(f"{word}: ")
        self._put(f"what a cam does {word} its stations", replace(cam, **{word: beyond}))

    def _edit(self, what: str, change: Edit, gesture: str = "") -> None:
        if not self.document.edit(what, change, gesture):
            self.rebuild()

    def _record(self) -> None:
        cam = self._cam()
        assert cam is not None
        pose = self.document.pose
        values = {f.channel: pose.at(f.channel) for f in cam.followers}
        lead = pose.at(cam.lead)
        self.document.edit(
            "record a station", lambda rig: record_station(rig, self.link_id, lead, values)
        )

    def _remove(self, index: int) -> None:
        self.document.edit("remove a station", lambda rig: remove_station(rig, self.link_id, index))
