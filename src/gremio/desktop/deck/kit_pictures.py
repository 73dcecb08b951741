"""Pictures of kits, drawn beside the window and kept by what their files hold."""

from __future__ import annotations

import contextlib
import queue
import threading
from pathlib import Path

from PyQt6.QtCore import QObject, QSize, pyqtSignal
from PyQt6.QtGui import QPixmap

from gremio.core.files import atomic
from gremio.core.files.kits import KitFile, read_kit
from gremio.core.files.rig_file import fingerprint
from gremio.core.problem import GremioError
from gremio.core.script.posing import solve
from gremio.desktop.kept import state_folder
from gremio.desktop.theme.inks import DAY, NIGHT, Inks

# How large a picture is shown, and how many times as large it is drawn.
ROOM = QSize(158, 100)
_FINER = 2


class KitPictures(QObject):
    """Gives the picture of a kit, at once where it is kept; else it is drawn, and told then.

    drawn: of a kit (Path), its picture (QPixmap).
    """

    drawn = pyqtSignal(object, object)
    _ready = pyqtSignal(object, object)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.inks: Inks = DAY
        self._known: dict[Path, QPixmap] = {}
        self._asked: set[Path] = set()
        self._wanted: queue.SimpleQueue[tuple[Path, Path, bool]] = queue.SimpleQueue()
        self._drawing: threading.Thread | None = None
        self._ready.connect(self._take)

    def set_inks(self, inks: Inks) -> None:
        """Draw by day or by night."""
        self.inks = inks

    def picture(self, kit: KitFile) -> QPixmap | None:
        """The picture of a kit, if it is there; it is on its way else."""
        if kit.wrong:
            return None
        night = self.inks is NIGHT
        ending = "night" if night else "day"
        kept = state_folder() / "kit pictures" / f"{fingerprint(kit.path)}-{ending}.png"
        if kept in self._known:
            return self._known[kept]
        if kept.exists():
            picture = QPixmap(str(kept))
            if not picture.isNull():
                self._known[kept] = picture
                return picture
        if kept not in self._asked:
            self._asked.add(kept)
            self._wanted.put((kit.path, kept, night))
            if self._drawing is None or not self._drawing.is_alive():
                self._drawing = threading.Thread(target=self._draw, daemon=True)
                self._drawing.start()
        return None

    def _draw(self) -> None:
        """Draw what is wanted; a kit that can't be drawn stays without a picture."""
        from gremio.desktop.bench.picture import picture, png

        while not self._wanted.empty():
            path, kept, night = self._wanted.get()
            size = (_FINER * ROOM.width(), _FINER * ROOM.height())
            with contextlib.suppress(GremioError):
                data = png(picture(solve(read_kit(path)), size, night=night))
                with contextlib.suppress(OSError, GremioError):
                    kept.parent.mkdir(parents=True, exist_ok=True)
                    atomic.write(kept, data)
                # Drawn beside the window; a pixmap is made in it, if it is still there.
                with contextlib.suppress(RuntimeError):
                    self._ready.emit((path, kept), data)

    def _take(self, of: tuple[Path, Path], data: bytes) -> None:
        picture = QPixmap()
        picture.loadFromData(data, "PNG")
        self._known[of[1]] = picture
        self.drawn.emit(of[0], picture)
