"""Measurements of memory: of the window with the demo, and whether it grows with what is done."""

from __future__ import annotations

import gc
import json
import os
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from measuring import Row, open_window, resident, rest
from msgspec.structs import replace
from PyQt6.QtCore import QEvent
from PyQt6.QtWidgets import QApplication
from starting import BARE

from gremio.core.edit.parts import rename_part
from gremio.core.files.rig_file import read
from gremio.demo import KEPT

EDITS, FRAMES, OPENINGS = 3_000, 2_000, 100
# When a window has come to rest (s).
_AT_REST = 6.0
# Views follow once in so many.
_TOGETHER = 20


def main() -> None:
    """Open the demo, measure, and print rows."""
    app, window = open_window()
    window.show_rig(read(KEPT))
    rest(2.0)
    own, bare = window_with_demo(), bare_window()
    rows: list[Row] = [(
        "(r) memory of the window with the demo", "a bare `PyQt6` + `moderngl` window",
        f"{own / 1e6:.0f} MB", f"{bare / 1e6:.0f} MB", f"{own / bare:.1f} ×",
    )]  # fmt: skip
    document = window.document
    part = next(iter(document.rig.parts))

    def edit(number: int) -> None:
        document.edit("rename", lambda rig: rename_part(rig, part, f"Part {number % 97}"))

    clock = iter(range(10**9))

    def play(_number: int) -> None:
        document.timing.go_to(next(clock) % 480 / 24)

    rows.append(_slope("edits that can be undone", EDITS, edit, app, history=600))
    rows.append(_slope("frames of the routine", FRAMES, play, app, history=1_500))
    opened = read(KEPT)
    rows.append(
        _slope("openings", OPENINGS, lambda _n: window.show_rig(replace(opened)), app, history=150)
    )
    document.start(replace(opened), None)
    window.close()
    print(json.dumps(rows))


def window_with_demo() -> int:
    """How much memory Gremio holds (bytes) when it has been opened with the demo and has come to
    rest."""
    with tempfile.TemporaryDirectory() as state:
        about = {**os.environ, "XDG_STATE_HOME": state}
        running = subprocess.Popen([sys.executable, "-m", "gremio", "demo"], env=about)
        time.sleep(_AT_REST)
        pages = int(Path(f"/proc/{running.pid}/statm").read_text().split()[1])
        running.kill()
        running.wait()
    return pages * resource.getpagesize()


def bare_window() -> int:
    """The same of a bare window, when it has drawn."""
    told = "print(open('/proc/self/statm').read().split()[1], flush=True)"
    code = BARE.replace("        os._exit(0)", f"        {told}; os._exit(0)")
    done = subprocess.run([sys.executable, "-c", code], check=True, capture_output=True, text=True)
    return int(done.stdout) * resource.getpagesize()


def _settle(app: QApplication) -> None:
    """Let views follow, and go that are done with: outside of the application's own loop Qt keeps
    those until it is told."""
    app.processEvents()
    app.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)


def _slope(
    word: str, count: int, do: Callable[[int], object], app: QApplication, history: int
) -> Row:
    """By how much memory grows for each of many, once the first have been done, and the standard
    error of that."""
    for number in range(history):
        do(number)
        if number % _TOGETHER == 0:
            _settle(app)
    at, held = [], []
    for number in range(count):
        do(number)
        if number % _TOGETHER == 0:
            _settle(app)
        if number % max(count // 40, 1) == 0:
            gc.collect()
            at.append(number)
            held.append(resident())
    (slope, _), spread = np.polyfit(at, held, 1, cov=True)
    return (
        f"(r) memory for each of {count:,} {word}, once {history:,} were done", "",
        f"{slope:.0f} ± {np.sqrt(spread[0, 0]):.0f} bytes", "", "",
    )  # fmt: skip


if __name__ == "__main__":
    main()
