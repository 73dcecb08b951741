"""The Desk: every control, in its group, and the poses that are kept."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from gremio.core.edit.desk import groups_of, place_control
from gremio.core.inspect.reach import reach_of
from gremio.core.rig.channels import key
from gremio.core.rig.ids import ThingId
from gremio.core.rig.numbers import owner_name
from gremio.core.rig.scales import at_share, share_of
from gremio.desktop.actions.hints import hint
from gremio.desktop.desk.instrument import Instrument
from gremio.desktop.desk.kept_poses import KeptPoses
from gremio.desktop.document.change import Change
from gremio.desktop.document.document import Document
from gremio.desktop.fields.areas import show_in
from gremio.desktop.theme.dress import text_font
from gremio.desktop.theme.inks import DAY, Inks

EMPTY = (
    "No control yet.\n\nSelect a part that can move, then press\n“+ control”: a slider for it "
    "appears here,\nalready leading it."
)


class _Sheet(QWidget):
    """The column of instruments, with a line where one that is carried would be put."""

    def __init__(self, inks: Inks) -> None:
        super().__init__()
        self.inks = inks
        self.line: int | None = None

    def mark(self, line: int | None) -> None:
        """Show the line at a height, or none."""
        self.line = line
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """The line."""
        super().paintEvent(event)
        if self.line is not None:
            painter = QPainter(self)
            painter.fillRect(8, self.line - 1, self.width() - 16, 3, QColor(self.inks.hand))


class Desk(QWidget):
    """All controls. wanted: a new control is asked for."""

    wanted = pyqtSignal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.inks: Inks = DAY
        self.instruments: dict[ThingId, Instrument] = {}
        self.headings: dict[str, QPushButton] = {}
        self.folded: set[str] = set()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 8, 0, 4)
        layout.setSpacing(2)
        head = QHBoxLayout()
        head.setContentsMargins(14, 0, 12, 0)
        title = QLabel("Desk")
        title.setFont(text_font(10.5, bold=True))
        self.keep = QPushButton("keep pose")
        self.keep.setProperty("verb", True)
        hint(self.keep, "Keep where the whole Desk stands", "edit.keep pose")
        self.keep.clicked.connect(lambda _checked=False: self.poses.keep())
        self.add = QPushButton("+ control")
        self.add.setProperty("verb", True)
        hint(self.add, "Make a control", "link.control")
        self.add.clicked.connect(self.wanted)
        head.addWidget(title)
        head.addStretch()
        head.addWidget(self.keep)
        head.addWidget(self.add)
        layout.addLayout(head)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        layout.addWidget(self.area)
        self.poses = KeptPoses(document)
        layout.addWidget(self.poses)
        self.sheet = _Sheet(self.inks)
        document.rig_changed.connect(self._take_rig)
        document.teaching.changed.connect(self.rebuild)
        document.pose_changed.connect(self._take_pose)
        document.selection_changed.connect(self._take_selection)
        document.looking.done.connect(self._show_reaches)
        self.rebuild()

    def set_inks(self, inks: Inks) -> None:
        """Draw by day or by night."""
        self.inks = inks
        self.poses.set_inks(inks)
        self.rebuild()

    def _take_rig(self, change: Change) -> None:
        """Make the instruments concerned anew; all of them where their order is another."""
        if not change.touches("controls", "locked"):
            if change.compiles:
                self._tell_leads()
            return
        placed = ("group", "across", "make")
        moved = any(
            getattr(change.before.controls[i], field) != getattr(change.after.controls[i], field)
            for i in change.things("controls")
            if i in change.before.controls and i in change.after.controls
            for field in placed
        )
        if moved or change.touches("locked") or not change.same_order("controls"):
            self.rebuild()
            return
        column = self.sheet.layout()
        assert column is not None
        for control in change.things("controls") & set(self.instruments):
            old = self.instruments[control]
            had_focus = old.hasFocus()
            column.replaceWidget(old, self._instrument(control))
            old.hide()
            old.deleteLater()
            if had_focus:
                self.instruments[control].setFocus()
        self._tell_leads()

    def _tell_leads(self) -> None:
        """What each control leads may be something else."""
        for instrument in self.instruments.values():
            instrument.tell_leads()

    def rebuild(self) -> None:
        """Lay the instruments out anew, group by group."""
        scrolled = self.area.verticalScrollBar().value()
        self.sheet = _Sheet(self.inks)
        column = QVBoxLayout(self.sheet)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.instruments, self.headings = {}, {}
        self.document.chosen &= set(self.document.rig.controls)
        groups = groups_of(self.document.rig)
        for group, controls in groups.items():
            if group:
                column.addWidget(self._heading(group, len(controls)))
            for control in controls if group not in self.folded or not group else []:
                column.addWidget(self._instrument(control))
        if not groups:
            column.addWidget(self._empty())
        column.addStretch()
        show_in(self.area, self.sheet)
        self.area.verticalScrollBar().setValue(scrolled)
        self.add.setVisible(not self.document.rig.locked)
        self.keep.setVisible(bool(self.document.rig.controls))

    def _heading(self, group: str, count: int) -> QPushButton:
        """The name of a group; a click folds it."""
        folded = group in self.folded
        more = f"  {count}" if folded else ""
        heading = QPushButton(f"{'▸ ' if folded else ''}{group.upper()}{more}")
        heading.setProperty("word", True)
        heading.setFont(text_font(8, bold=True))
        heading.setStyleSheet("padding: 2px 0 0 12px;")
        heading.setAccessibleName(f"Group {group}")
        heading.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        heading.clicked.connect(lambda _checked=False: self._fold(group))
        self.headings[group] = heading
        return heading

    def _fold(self, group: str) -> None:
        self.folded ^= {group}
        self.rebuild()

    def _instrument(self, control: ThingId) -> Instrument:
        instrument = Instrument(self.document, control, self.inks, self._listen_to)
        instrument.chosen = control in self.document.chosen
        self.instruments[control] = instrument
        return instrument

    def _listen_to(self, instrument: Instrument) -> None:
        """Do what hands on an instrument want, from when it is first seen."""
        control = instrument.control
        instrument.moved.connect(self._move)
        instrument.chosen_too.connect(lambda: self._choose(control))
        instrument.carried.connect(self._carry)
        instrument.dropped.connect(lambda at: self._drop(control, at))

    def _empty(self) -> QLabel:
        label = QLabel(EMPTY)
        label.setProperty("second", True)
        label.setContentsMargins(14, 8, 10, 0)
        return label

    def _take_selection(self) -> None:
        """What is selected is shown."""
        selected = self.document.selected
        control = self.document.rig.controls.get(selected)
        if control is not None and control.group in self.folded:
            self._fold(control.group)
        if selected in self.instruments:
            self.area.ensureWidgetVisible(self.instruments[selected], 0, 12)
        self._take_pose()

    def _take_pose(self) -> None:
        for control, instrument in self.instruments.items():
            if control in self.document.rig.controls:
                instrument.take_pose()

    def _show_reaches(self) -> None:
        """Where the machine stops each control."""
        program = self.document.program
        for control, instrument in self.instruments.items():
            if control in program.rig.controls:
                reach = reach_of(program, control, self.document.pose)
                other = program.rig.controls[control].across
                known = other in program.rig.controls
                across = reach_of(program, other, self.document.pose) if known else None
                instrument.show_reach(reach, across)

    # ── moving several ─────────────────────────────────────────────

    def _choose(self, control: ThingId) -> None:
        """Move a control with the others that are chosen, or no more."""
        self.document.chosen ^= {control}
        selected = self.document.selected
        if selected in self.instruments and control in self.document.chosen and control != selected:
            self.document.chosen.add(selected)
        for other, instrument in self.instruments.items():
            instrument.chosen = other in self.document.chosen
            instrument.update()

    def _move(self, values: dict[ThingId, float], gesture: str) -> None:
        """Move a control, and those chosen with it by the same share of their ranges."""
        rig, pose = self.document.rig, self.document.pose
        every = dict(values)
        for control, value in values.items():
            if control not in self.document.chosen:
                continue
            entry = rig.controls[control]
            step = share_of(entry, value) - share_of(entry, pose.at(control))
            for other in self.document.chosen - set(values):
                its = rig.controls[other]
                share = min(max(share_of(its, pose.at(other)) + step, 0.0), 1.0)
                every[other] = at_share(its, share)
        first = next(iter(values))
        names = f"move {owner_name(rig, first)}"
        what = names if len(every) <= len(values) else f"{names} and {len(every) - 1} more"
        self.document.move_all({key(c): at for c, at in every.items()}, what, gesture)

    # ── order ──────────────────────────────────────────────────────

    def _place(self, at: QPoint) -> tuple[ThingId | None, str, int]:
        """Before which control, and in which group, something put down there would be; and the
        height of the line there."""
        y = self.sheet.mapFromGlobal(at).y()
        last: tuple[ThingId | None, str, int] = (None, "", 0)
        for group, controls in groups_of(self.document.rig).items():
            heading = self.headings.get(group)
            if heading is not None and y < heading.geometry().center().y():
                return controls[0], group, heading.geometry().bottom()
            for control in controls:
                instrument = self.instruments.get(control)
                if instrument is None:
                    continue
                if y < instrument.geometry().center().y():
                    return control, group, instrument.geometry().top()
                last = (self._after(control, controls), group, instrument.geometry().bottom())
        return last

    def _after(self, control: ThingId, controls: list[ThingId]) -> ThingId | None:
        """The control after one in its group; of the last one, the one after it in the rig."""
        order = list(self.document.rig.controls)
        if control != controls[-1]:
            return controls[controls.index(control) + 1]
        rest = order[order.index(control) + 1 :]
        return rest[0] if rest else None

    def _carry(self, at: QPoint) -> None:
        self.sheet.mark(self._place(at)[2])

    def _drop(self, control: ThingId, at: QPoint) -> None:
        before, group, _ = self._place(at)
        self.sheet.mark(None)
        if before != control:
            name = owner_name(self.document.rig, control)
            self.document.edit(
                f"place {name} on the Desk", lambda rig: place_control(rig, control, before, group)
            )

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
