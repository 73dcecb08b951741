"""Measurements of the start: of the window, and of the command line."""

from __future__ import annotations

import compileall
import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from measuring import Row

from gremio.demo import KEPT

# A hand that takes hold in the middle of the Bench as soon as something is there, and pulls.
OURS = """
import os
from gremio.desktop.shell.app import load_the_rest, make_application, make_window
from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
app = make_application()
window = make_window(demo=DEMO)
bench, left = window.bench, Qt.MouseButton.LeftButton
def drag():
    bench.frame_drawn.disconnect(drag)
    at = QPointF(bench.width() / 2, bench.height() / 2)
    for kind, to, button in (
        (QEvent.Type.MouseButtonPress, at, left),
        (QEvent.Type.MouseMove, at + QPointF(30.0, 12.0), Qt.MouseButton.NoButton),
    ):
        app.postEvent(bench, QMouseEvent(kind, to, bench.mapToGlobal(to), button, left,
                                         Qt.KeyboardModifier.NoModifier))
    bench.frame_drawn.connect(lambda: os._exit(0))
bench.frame_drawn.connect(drag)
window.show()
load_the_rest(window)
app.exec()
"""


BARE = """
import os
import moderngl
from PyQt6.QtGui import QSurfaceFormat
from PyQt6.QtOpenGLWidgets import QOpenGLWidget
from PyQt6.QtWidgets import QApplication
form = QSurfaceFormat()
form.setVersion(3, 3)
form.setProfile(QSurfaceFormat.OpenGLContextProfile.CoreProfile)
QSurfaceFormat.setDefaultFormat(form)
app = QApplication([])
class Bare(QOpenGLWidget):
    def initializeGL(self):
        self.context = moderngl.create_context(require=330)
    def paintGL(self):
        self.context.clear(0.95, 0.94, 0.9)
        os._exit(0)
window = Bare()
window.resize(1280, 800)
window.show()
app.exec()
"""


ROOT = Path(__file__).parents[2]


PICTURE = """
import os
from pathlib import Path
from gremio.desktop.shell.sign import show_sign
sign = show_sign("opening", FILE)
assert sign.picture is not None
os._exit(0)
"""
KEEP = """
import os
from PyQt6.QtCore import QTimer
from gremio.desktop.shell.app import run
from gremio.desktop.shell.front import front_of, mark_of
from gremio import __version__
import gremio.desktop.shell.app as app
app._AT_REST = 400
from gremio.desktop.shell.sign import make_application
held = make_application()
from gremio.desktop.shell.screen import keep_screen
begun = app.keep_its_picture
app.keep_its_picture = lambda window: (shown.append(window), begun(window))
shown = []
def seen():
    keep_screen(shown[0])
    if front_of(mark_of(FILE), __version__):
        os._exit(0)
look = QTimer()
look.timeout.connect(seen)
look.start(50)
run(demo=DEMO)
"""


def starting() -> list[Row]:
    """(d) from process start to the first picture, and to the frame in which the first drag is
    seen: an empty rig, and the demo."""
    with tempfile.TemporaryDirectory() as room:
        # Nothing of whoever measures is seen, and nothing stays.
        about = {**os.environ, "XDG_CACHE_HOME": f"{room}/c", "XDG_STATE_HOME": f"{room}/s"}
        return _started(about)


def _started(about: dict[str, str]) -> list[Row]:
    # As installed: pip compiles the libraries, so Gremio is compiled as well.
    compileall.compile_dir(ROOT / "src" / "gremio", quiet=1)
    files = {"an empty rig": "None", "the demo": f"Path({str(KEPT)!r})"}
    codes = {"bare": BARE}
    for word, file in files.items():
        demo = str(word == "the demo")
        keep = "from pathlib import Path\n" + KEEP.replace("FILE", file).replace("DEMO", demo)
        subprocess.run([sys.executable, "-c", keep], check=True, timeout=60, env=about)
        codes[f"the first picture, with {word}"] = PICTURE.replace("FILE", file)
        codes[f"the first drag that answers, with {word}"] = OURS.replace("DEMO", demo)
    took: dict[str, list[float]] = {word: [] for word in codes}
    for round_ in range(8):
        for word, code in codes.items():
            start = time.perf_counter()
            subprocess.run([sys.executable, "-c", code], check=True, timeout=60, env=about)
            if round_:
                took[word].append(time.perf_counter() - start)
    bare = statistics.median(took.pop("bare"))
    return [
        (f"(d) process start to {word}", "bare `PyQt6` + `moderngl` window",
         f"{statistics.median(own):.2f} s", f"{bare:.2f} s",
         f"{statistics.median(own) / bare:.2f} ×")
        for word, own in took.items()
    ]  # fmt: skip


def posing() -> list[Row]:
    """(d) a pose on the command line, in a fresh process."""
    took: dict[str, list[float]] = {"ours": [], "plain": []}
    commands = {
        "ours": [sys.executable, "-m", "gremio", "pose", str(KEPT)],
        "plain": [sys.executable, "-c", "import numpy"],
    }
    for _ in range(7):
        for word, command in commands.items():
            start = time.perf_counter()
            subprocess.run(command, check=True, timeout=60, stdout=subprocess.DEVNULL)
            took[word].append(time.perf_counter() - start)
    mine, other = (statistics.median(took[word]) for word in ("ours", "plain"))
    return [(
        "(d) `gremio pose` on the demo, a fresh process", "a process that imports `numpy`",
        f"{mine:.2f} s", f"{other:.2f} s", f"{mine / other:.2f} ×",
    )]  # fmt: skip
