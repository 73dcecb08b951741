"""Starting the application."""

from __future__ import annotations

import gc

# What is made while starting stays, so looking for what could go is left until after it.
gc.disable()

import importlib
import sys
import signal
import threading
import os
import traceback
from collections.abc import Callable
from functools import partial
from pathlib import Path
from types import TracebackType
from typing import Any

from PyQt6 import sip
from PyQt6.QtCore import QBuffer, QSocketNotifier, Qt, QTimer
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication

from gremio import __version__
from gremio.core.files.rig_file import read
from gremio.core.problem import GremioError
from gremio.demo import KEPT
from gremio.desktop.bench.camera import Camera, framed
from gremio.desktop.memory import give_back
from gremio.desktop.shell.crash import Reports
from gremio.desktop.shell.front import keep_front, mark_of
from gremio.desktop.shell.screen import fit_on_screen, screen_of
from gremio.desktop.shell.sign import Sign, make_application
from gremio.desktop.shell.window import Window

# What is loaded is not looked over again.
gc.freeze()
gc.enable()
# After so long, what was opened is on the screen (ms).
_A_MOMENT = 400
# After so long the window has a frame (ms).
_FRAMED = 300
# After so long at rest its picture is kept (ms).
_AT_REST = 2500
# After so long that is kept, and what opening took besides is free (ms).
_KEPT = 1000
# So soon after the first picture the rest is loaded (ms), and what that is.
_SOON = 50
_LATER = (
    # NumPy itself loads this when numbers are first told apart (`numpy.unique`).
    "numpy.ma",
    "gremio.core.inspect.findings",
    "gremio.core.inspect.routines",
    "gremio.desktop.card.part_sheet",
    "gremio.desktop.card.control_sheet",
    "gremio.desktop.card.link_sheet",
)


def make_window(
    file: Path | None = None, *, demo: bool = False, sign: Sign | None = None,
    made: Callable[[Window], object] = lambda _window: None,
) -> Window:  # fmt: skip
    """A window with a rig from a file, with Saltmarsh lock, or with an empty one; not shown, but
    where large models are read, unless a sign shows how it will be. made: is called when it is
    made, before anything is opened in it."""
    gc.disable()
    try:
        window = Window()
        made(window)
        if sign is None or sign.picture is None:
            window.files.models.before_large = partial(_show_early, window, sign)
        if demo:
            window.show_rig(read(KEPT))
        elif file is not None:
            window.files.open_path(file)
    finally:
        gc.freeze()
        gc.enable()
    return window


def _show_early(window: Window, sign: Sign | None) -> None:
    window.show()
    if sign is not None:
        sign.hide()


def leave_alone_when_opened(window: Window) -> None:
    """What an open rig is made of stays as long as it is open, and is much: looking over it for
    what could go would hold up the hand every now and then. It is left out of that."""
    later = QTimer(window)
    later.setSingleShot(True)
    later.setInterval(_A_MOMENT)

    def leave_alone() -> None:
        gc.unfreeze()
        gc.collect()
        gc.freeze()

    later.timeout.connect(leave_alone)
    window.document.rig_changed.connect(lambda change: later.start() if change.anew else None)


def load_the_rest(window: Window) -> None:
    """What the first hand needs and the first picture does not is loaded beside the window, so that
    no hand waits for it."""

    def load() -> None:
        for name in _LATER:
            importlib.import_module(name)

    soon = QTimer(window)
    soon.setSingleShot(True)
    soon.timeout.connect(lambda: threading.Thread(target=load, daemon=True).start())
    soon.start(_SOON)


def keep_its_picture(window: Window) -> None:
    """The window as it is when a rig has been opened is kept, to be there at once the next time."""
    rest = QTimer(window)
    rest.setSingleShot(True)
    rest.setInterval(_AT_REST)

    def keep() -> None:
        held = QApplication.mouseButtons() != Qt.MouseButton.NoButton
        if held or not window.bench.frames.rested:
            rest.start()
            return
        document, file = window.document, window.document.path
        if not _is_as_opened(window):
            return
        if file is None and document.rig.parts:
            # The demo, unless it is one that nobody has saved.
            if document.rig != read(KEPT):
                return
            file = KEPT
        models = [source.path for source in document.rig.sources.values()]
        told = file, models, window.grab().toImage(), screen_of(window)
        threading.Thread(target=_keep_picture, args=told, daemon=True).start()
        QTimer.singleShot(_KEPT, give_back)

    rest.timeout.connect(keep)
    window.document.rig_changed.connect(lambda change: rest.start() if change.anew else None)
    rest.start()


def _is_as_opened(window: Window) -> bool:
    """Whether a window stands as it will when its rig is opened the next time: nothing is changed,
    selected, or looked at from elsewhere."""
    document, bench = window.document, window.bench
    if document.changed or document.selected or not window.isVisible():
        return False
    corners = bench.corners()
    usual = framed(Camera(), bench.logical_size(), corners) if len(corners) else Camera()
    return bench.camera == usual


def _keep_picture(
    file: Path | None, models: list[str], picture: QImage, screen: dict[str, Any]
) -> None:
    held = QBuffer()
    held.open(QBuffer.OpenModeFlag.WriteOnly)
    picture.save(held, "PNG")
    keep_front(mark_of(file), __version__, models, held.data().data(), screen)


def run(file: Path | None = None, *, demo: bool = False, sign: Sign | None = None) -> int:
    """Open the window and stay until it is closed; returns the exit code. sign: that something is
    being opened, which goes when it is there."""
    app = make_application()
    reports = Reports()
    made = partial(_keep_going, reports=reports)
    window = make_window(file, demo=demo, sign=sign, made=made)
    leave_alone_when_opened(window)
    _keep_when_told_to_end(window)
    if sign is not None:
        _take_away(sign, window)
    keep_its_picture(window)
    window.show()
    QTimer.singleShot(_FRAMED, partial(fit_on_screen, window))
    load_the_rest(window)
    window.offer(window.keeper.leftovers())
    window.keys.load()
    if report := reports.untold():
        window.say(f"Gremio ended by a fault the last time. A report of it is in {report}.")
    reports.begin()
    try:
        return app.exec()
    finally:
        reports.end()


def _take_away(sign: Sign, window: Window) -> None:
    """The sign goes when the machine is seen."""

    if sign.picture is not None and not window.isMaximized():
        window.move(sign.pos())

    def gone() -> None:
        window.bench.frame_drawn.disconnect(gone)
        sign.hide()

    window.bench.frame_drawn.connect(gone)


def _keep_when_told_to_end(window: Window) -> None:
    """What the system sends to end a program keeps unsaved work aside first."""
    here, there = os.pipe2(os.O_NONBLOCK | os.O_CLOEXEC)
    listen = QSocketNotifier(sip.voidptr(here), QSocketNotifier.Type.Read, window)

    def end() -> None:
        listen.setEnabled(False)
        window.keep_now()
        QApplication.exit(0)

    listen.activated.connect(end)
    signal.set_wakeup_fd(there, warn_on_full_buffer=False)
    for told in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
        signal.signal(told, lambda _told, _frame: None)


def _keep_going(window: Window, reports: Reports) -> None:
    """A fault in one action is told and written down; the work stays on the table."""

    def told(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if isinstance(error, GremioError):
            # Stopped, or refused: nothing was changed, and it says what to do.
            window.say(str(error))
            return
        traceback.print_exception(kind, error, trace, file=sys.stderr)
        window.keep_now()
        # Names are the rig's; of what was done only the word for it is written down.
        done = [step.what.split(" ", 1)[0] for step in window.document.history.done[-20:][::-1]]
        report = reports.write(error.with_traceback(trace), done)
        where = f" A report of it is in {report}." if report else ""
        window.say(
            f"Something could not be done or shown, by a fault in Gremio ({error}). The rig is "
            f"kept aside as it is now. Save it under another name.{where}"
        )

    sys.excepthook = told
