"""The window: Desk above Parts, the Bench, the Card, and the lower deck."""

from __future__ import annotations

import functools
import time
from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QObject, QPoint, Qt, QTimer
from PyQt6.QtGui import (
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QShowEvent,
)
from PyQt6.QtWidgets import (
    QApplication,
    QMainWindow,
    QMenu,
    QVBoxLayout,
    QWidget,
)

from gremio.core.files import rig_file
from gremio.core.files.atomic import FileProblem
from gremio.core.rig.channels import key
from gremio.core.rig.ids import NOTHING, ChannelKey, PartId, ThingId
from gremio.core.rig.model import Rig
from gremio.demo import KEPT
from gremio.desktop.actions import asking, hand_offs, rigging
from gremio.desktop.actions.action import Where
from gremio.desktop.actions.hints import tell_keys
from gremio.desktop.actions.table import actions_of
from gremio.desktop.bench.ribbon import Ribbon
from gremio.desktop.bench.snapping import Spot
from gremio.desktop.bench.teach_bar import TeachBar
from gremio.desktop.bench.view import Bench
from gremio.desktop.card.card import Card
from gremio.desktop.deck.deck import PAGES, Deck
from gremio.desktop.desk.desk import Desk
from gremio.desktop.desk.parts import Parts
from gremio.desktop.document.change import Offer
from gremio.desktop.document.document import Document
from gremio.desktop.shell.head import Head
from gremio.desktop.shell.keys import Keys
from gremio.desktop.shell.layout import laid_out
from gremio.desktop.shell.leftover_bar import LeftoverBar
from gremio.desktop.shell.menus import fill_menus
from gremio.desktop.shell.message import Message
from gremio.desktop.shell.recent import put_recent
from gremio.desktop.shell.recovery import Keeper, Leftover, Work
from gremio.desktop.shell.screen import keep_screen, restore_screen
from gremio.desktop.shell.waiting import Waiting
from gremio.desktop.theme.dress import dress
from gremio.desktop.theme.inks import DAY, NIGHT, Inks

if TYPE_CHECKING:
    from gremio.desktop.shell.files import Files
    from gremio.desktop.shell.find import Finder

_KEEP_AFTER = 1500
# So long (s) after a change it is kept at the latest, and the time of _KEEP_AFTER more.
_KEEP_AT_LATEST = 7.0


# What the right button offers on parts, in the list and in the Bench; "" parts them.
_ON_PARTS = (
    "part.joint", "part.axis", "part.try axis", "part.touch", "part.home", "rig.home", "",
    "link.control",
    "link.lead", "tie.ride", "tie.aim", "", "edit.copy", "bench.selected", "bench.hide",
    "bench.isolate", "edit.remove",
)  # fmt: skip
_ON_OTHERS = ("link.lead", "edit.remove")


class Window(QMainWindow):
    """One open rig, with everything to work on it."""

    def __init__(self, keeper: Keeper | None = None) -> None:
        super().__init__()
        self.inks: Inks = DAY
        self.document = Document()
        self.document.patience = Waiting(self).solving
        self.keeper = keeper or Keeper()
        self.setWindowTitle("Gremio")
        self.resize(1280, 800)
        self.setMinimumSize(900, 560)
        self.setAcceptDrops(True)
        self.head = Head(self.document)
        self.desk = Desk(self.document)
        self.parts = Parts(self.document)
        self.bench = Bench(self.document)
        self.card = Card(self.document, self.bench)
        self.deck = Deck(self.document)
        self.ribbon = Ribbon(self.document, self.bench)
        self.teach_bar = TeachBar(self.document)
        self.message = Message(self.bench)
        self.document.rig_changed.connect(self.message.succeeded)
        self._keep = QTimer(self)
        self._keep.setSingleShot(True)
        self._keep.setInterval(_KEEP_AFTER)
        self._keep.timeout.connect(self.keep_soon)
        self._since = 0.0
        self._lay_out()
        table = actions_of(self.pages)
        views: dict[Where, tuple[QWidget, ...]] = {
            "bench and parts": (self.bench, self.parts),
            "bench and desk": (self.bench, self.desk),
        }
        entries = fill_menus(self.head.menus, table, self, views, self)
        self.keys = Keys(table, entries)
        self.undo, self.redo = entries["edit.undo"], entries["edit.redo"]
        tell_keys(self.keys.told)
        self._connect()
        self._take_history()
        opened = entries["file.open"]
        put_recent(self.head.menus, opened, lambda path: self.files.open_path(path), self)
        restore_screen(self)

    # ── laying out ─────────────────────────────────────────────────

    def _lay_out(self) -> None:
        body, self.splits = laid_out(
            self.desk, self.parts, self.teach_bar, self.bench, self.card, self.deck
        )
        self.bar = LeftoverBar(self._take_leftover)
        frame = QWidget()
        frame.setObjectName("frame")
        column = QVBoxLayout(frame)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.head)
        column.addWidget(self.bar)
        column.addWidget(body, 1)
        self.setCentralWidget(frame)
        self.bench.installEventFilter(self)

    def _connect(self) -> None:
        document = self.document
        document.said.connect(self.say)
        document.offered.connect(self._offer_instead)
        document.file_changed.connect(self._take_history)
        document.file_changed.connect(self._keep_later)
        self.desk.wanted.connect(partial(rigging.make_control, document))
        self.parts.picked.connect(self.bench.part_listed)
        self.bench.hidden_changed.connect(self.parts.leave_out)
        self.parts.menu_wanted.connect(self._offer)
        self.bench.menu_wanted.connect(self._offer)
        self.deck.made.connect(self._page_made)
        self.card.left.connect(self._card_left)
        self.card.action_wanted.connect(self.act)
        self.card.lead_wanted.connect(partial(asking.lead_from, self))
        self.teach_bar.record_wanted.connect(partial(self.act, "link.record"))
        self.teach_bar.done_wanted.connect(partial(self.act, "link.teach"))
        self.deck.cam.follower_wanted.connect(partial(asking.add_follower, self))
        self.deck.cam.motion_wanted.connect(self.show_motion)
        self.deck.cam.csv_wanted.connect(self.cam_table)
        self.head.find_wanted.connect(self.find_anything)
        timing = self.document.timing
        timing.carrier_wanted.connect(partial(hand_offs.hand_over_selected, self))
        timing.place_wanted.connect(partial(hand_offs.pick_place, self))
        self.head.notes_wanted.connect(partial(self.deck.show_page, "Inspection"))

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """The ribbon and the message keep to the foot of the Bench."""
        if event is not None and event.type() == QEvent.Type.Resize:
            self._place_over_bench()
        return super().eventFilter(watched, event)

    def _offer(self, at: QPoint) -> None:
        """What can be done with what is chosen, as in the menus, at a place of the screen."""
        menu = QMenu(self)
        for action_id in _ON_PARTS if self.document.chosen_parts else _ON_OTHERS:
            if action_id:
                menu.addAction(self.keys.entries[action_id])
            else:
                menu.addSeparator()
        menu.popup(at)

    def _place_over_bench(self) -> None:
        width, height = self.bench.width(), self.bench.height()
        self.ribbon.setGeometry(12, height - 42, width - 24, 30)
        self.message.place(width, height - 50)

    # ── actions ────────────────────────────────────────────────────

    def act(self, action_id: str) -> None:
        """Do what an action does, by its id."""
        self.keys.entries[action_id].trigger()

    @property
    def pages(self) -> Sequence[str]:
        """The names of the deck's pages."""
        return tuple(PAGES)

    @property
    def cam_shown(self) -> ThingId:
        """Id of the cam on the Cam page."""
        return self.deck.cam.shown

    def keep_pose(self) -> None:
        """Keep where the Desk stands, under a name."""
        self.desk.poses.keep()

    def next_control(self) -> None:
        """The next control of the Desk has the keyboard."""
        self.desk.focus_next()

    def show_page(self, page: str) -> None:
        """Show a page of the deck."""
        self.deck.show_page(page)

    def open_joint(self) -> None:
        """Open the choice of joints on the Card."""
        self.card.open_joint()

    def propose_ratio(self, lead: PartId, follower: PartId) -> None:
        """Show on the Card the ratio that the geometry of two parts says."""
        self.card.propose_ratio(lead, follower)

    def mirror(self) -> None:
        """Ask on the Card how what is selected is mirrored."""
        self.card.mirror()

    def show_resizing(self) -> None:
        """Ask on the Card how large what is selected, or the rig, is to be."""
        self.card.show_resizing()

    def make_carriage(self, body: PartId) -> None:
        """Show on the Card what a carriage is made of."""
        self.card.make_carriage(body)

    def show_measuring(self, picked: list[Spot]) -> None:
        """Show on the Card what is being measured."""
        self.card.show_measuring(picked)

    def leave_measuring(self) -> None:
        """Show what is selected again."""
        if self.card.measuring:
            self.card.leave()

    @functools.cached_property
    def files(self) -> Files:
        """The file work; loaded when it is first asked for."""
        from gremio.desktop.shell.files import Files

        return Files(self, self.document, self.bench, self.card, self.keeper, self.show_rig)

    def _page_made(self, word: str) -> None:
        """What is done with kits is loaded when their page is first made."""
        if word == "Kits":
            from gremio.desktop.shell.kits import Kits

            page, parts = self.deck.kits, (self.document, self.bench, self.card)
            self.kits = Kits(self, *parts, page, self.files)

    def keep_kit(self) -> None:
        """Ask on the Card how what is selected is kept as a kit."""
        self.deck.page("Kits")
        self.kits.keep()

    @functools.cached_property
    def finder(self) -> Finder:
        """Finds anything; made when it is first asked for."""
        from gremio.desktop.shell.find import Finder

        return Finder(self.document, self.keys, self.show_thing, self._show_number, self)

    def _show_number(self, channel: ChannelKey) -> None:
        """Show a number on its Card; where a number is asked for, that is the answer."""
        if not self.bench.number_clicked(channel):
            self.card.show_number(channel)

    def show_thing(self, thing: ThingId) -> None:
        """Select a thing, and bring it into view wherever it is to be seen; where a part or a
        number is asked for, that is the answer."""
        if thing in self.document.rig.controls and self.bench.number_clicked(key(thing)):
            return
        if thing in self.document.rig.parts and self.bench.part_answers(PartId(thing)):
            return
        self.document.select(thing)
        if thing in self.document.rig.parts:
            self.bench.show_if_away(PartId(thing))
        self.bench.setFocus()

    def find_anything(self) -> None:
        """Open the field that finds anything."""
        self.finder.open()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Escape stops asking, then lets go of the selection."""
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.bench.finish():
            return
        if event.key() == Qt.Key.Key_Escape:
            if self.bench.asking():
                self.bench.stop_asking()
            elif self.card.making is not None:
                self.files.leave_model()
                self.card.leave()
            elif self.document.timing.on_words():
                self.document.timing.end()
            elif self.document.teaching.lesson is not None:
                asking.teach(self)
            else:
                self.document.select(NOTHING)
        elif (entry := self.keys.at_place(event)) is not None:
            entry.trigger()
        else:
            super().keyPressEvent(event)

    def say(self, text: str) -> None:
        """Say something at the foot of the Bench, for a while."""
        self.message.say(text, self.bench.width(), self.bench.height() - 50)

    def _offer_instead(self, offer: Offer) -> None:
        self.message.offer(offer.text, offer.words, offer.do, self.inks.hand,
                           self.bench.width(), self.bench.height() - 50)  # fmt: skip

    def _say_title(self) -> None:
        """The window bears the rig's name, and a mark where it is not saved."""
        document = self.document
        self.setWindowTitle(f"{document.rig.name}[*] – Gremio")
        self.setWindowModified(document.changed)

    def _take_history(self) -> None:
        self._say_title()
        history = self.document.history
        self.undo.setText(f"Undo {history.undo_name}" if history.undo_name else "Undo")
        self.undo.setEnabled(bool(history.undo_name))
        self.redo.setText(f"Redo {history.redo_name}" if history.redo_name else "Redo")
        self.redo.setEnabled(bool(history.redo_name))

    def set_inks(self, inks: Inks) -> None:
        """Day or night, everywhere."""
        self.inks = inks
        app = QApplication.instance()
        if isinstance(app, QApplication):
            dress(app, inks)
        for view in (
            self.head, self.desk, self.parts, self.bench, self.card, self.deck, self.teach_bar,
        ):  # fmt: skip
            view.set_inks(inks)

    def showEvent(self, event: QShowEvent | None) -> None:
        """Put on the inks when all is there: Qt dresses a whole window faster than its pieces
        one by one."""
        app = QApplication.instance()
        if isinstance(app, QApplication) and not app.styleSheet():
            dress(app, self.inks)
        super().showEvent(event)

    def switch_inks(self) -> None:
        """From day to night, or back."""
        self.set_inks(DAY if self.inks.night else NIGHT)

    def fold_deck(self) -> None:
        """Fold the lower deck to its tabs, or open it."""
        self.deck.fold(not self.deck.folded)

    def show_keys(self) -> None:
        """The sheet of keys."""
        from gremio.desktop.shell.key_sheet import KeySheet

        KeySheet(self.keys, self).show()

    def show_guide(self) -> None:
        """The guide, inside the application."""
        from gremio.desktop.shell.help import show_guide

        show_guide(self, self.say)

    def show_pages(self) -> None:
        """The pages on scripts, in a browser."""
        from gremio.desktop.shell.help import show_pages

        show_pages(self.say)

    def show_about(self) -> None:
        """Which version it is, and what it is made of."""
        from gremio.desktop.shell.help import AboutWindow

        AboutWindow(self).show()

    def open_demo(self) -> None:
        """Put Saltmarsh lock on the table."""
        if self.files.leave():
            self.show_rig(rig_file.read(KEPT))

    def show_rig(
        self,
        rig: Rig,
        path: Path | None = None,
        *,
        saved: bool = True,
        opened: rig_file.Opened | None = None,
    ) -> None:
        """Put another rig on the table, with all of it in the picture."""
        if path is None and "files" in self.__dict__:
            self.files.lock.let_go()
        self.card.leave()
        self.message.hide()
        self.document.start(rig, path, saved=saved, opened=opened)
        self.bench.frame_anew()
        self.bench.setFocus()

    # ── teaching ───────────────────────────────────────────────────

    def show_motion(self, link_id: ThingId) -> None:
        """Run the lead of a cam through its stations once."""
        from gremio.desktop.actions import teaching

        teaching.show_motion(self.document, self.bench.motion, link_id)

    def cam_table(self, way: str, link_id: ThingId) -> None:
        """Write a cam as CSV ("out"), or make one of a CSV ("in")."""
        if way == "out":
            self.files.export_cam(link_id)
        else:
            self.files.bring_in_cam(link_id)

    # ── rigging ────────────────────────────────────────────────────

    def _card_left(self) -> None:
        if self.bench.asking():
            self.bench.stop_asking()

    # ── keeping ────────────────────────────────────────────────────

    def keep_soon(self) -> None:
        """Keep unsaved work aside without holding up the hand, or drop what is kept."""
        if self.document.changed:
            self.keeper.keep_beside(self._work(), self.document.said.emit)
        else:
            self.keeper.drop()

    def keep_now(self) -> None:
        """Keep unsaved work aside, or drop what is kept when all is saved."""
        if not self.document.changed:
            self.keeper.drop()
            return
        try:
            self.keeper.keep(self._work())
        except FileProblem as problem:
            self.say(str(problem))

    def offer(self, leftovers: list[Leftover]) -> None:
        """Offer work that was left unsaved, on a line under the head."""
        self.bar.offer(leftovers)

    def _take_leftover(self, file: Path) -> bool:
        opened = self.files.open_kept(file)
        if opened:
            self.keep_now()
        return opened

    def _work(self) -> Work:
        document = self.document
        return Work(document.rig, document.path, document.on_disk)

    def _keep_later(self) -> None:
        """Keep what was changed when the hand rests, but not much later than it was changed."""
        if not self._keep.isActive():
            self._since = time.monotonic()
        if time.monotonic() - self._since < _KEEP_AT_LATEST:
            self._keep.start()

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Files can be dropped on the window."""
        if event is not None and event.mimeData() is not None and event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """A rig is opened, a model is brought in."""
        assert event is not None
        path = Path(event.mimeData().urls()[0].toLocalFile())
        if path.suffix == ".gremio":
            self.files.open_path(path)
        else:
            self.files.bring_in_path(path)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Ask about unsaved work, then leave nothing behind."""
        assert event is not None
        if not self.files.may_leave():
            event.ignore()
            return
        self._keep.stop()
        keep_screen(self)
        self.keeper.drop()
        self.files.lock.let_go()
        event.accept()
