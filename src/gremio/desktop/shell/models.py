"""The models of a rig, read beside the window before they are wanted; boxes stand in meanwhile."""

from __future__ import annotations

import importlib
import sys
import threading
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QWidget

from gremio.core.files.sources import read_source
from gremio.core.problem import Note
from gremio.core.rig.model import Rig, Source
from gremio.core.surfaces.models import Model, Tell
from gremio.core.surfaces.shelf import Shelf
from gremio.desktop.bench.canvas import Canvas
from gremio.desktop.memory import give_back
from gremio.desktop.shell.reading import Reading

_READER = "trimesh"
# From so many bytes on boxes are shown while models are read.
_LARGE = 2_000_000
# After so long they are shown, and what that took besides them is free (ms).
_SHOWN = 3000


def load_reader() -> None:
    """Load what reads models beside the window, while a file is chosen: to load it the first time
    takes longer than to read most models."""
    if _READER not in sys.modules:
        threading.Thread(target=importlib.import_module, args=(_READER,), daemon=True).start()


class Models:
    """Reads the models of a rig before they are wanted. bench: shows boxes until they are there."""

    def __init__(self, window: QWidget, shelf: Shelf, bench: Canvas) -> None:
        self._window, self._shelf, self._bench = window, shelf, bench
        # What is done before large models are read: the window may not be there yet.
        self.before_large: Callable[[], object] = lambda: None

    def read(self, rig: Rig, *, shown: bool = True) -> None:
        """Read what is not on the shelf. shown: it is the rig that is to be shown. Where reading is
        stopped, boxes stand in, and that is told."""
        wanted = self._shelf.unread(rig)
        if not wanted:
            return
        size = sum(_size(Path(source.path)) for source in wanted.values())
        names = sorted({Path(source.path).name for source in wanted.values()})
        word = names[0] if len(names) == 1 else f"{len(names)} models"
        for source in wanted.values():
            self._shelf.keep(source, _not_read(source))
        with_boxes = shown and size > _LARGE
        if with_boxes:
            self.before_large()
            self._bench.preview(rig, "boxes, until the model is read")
        try:
            found = Reading(lambda tell: [_read(source, tell) for source in wanted.values()]).wait(
                self._window, f"Reading {word}, {size / 1e6:.3g} MB", "Go on with boxes (Esc)"
            )
        finally:
            if with_boxes:
                self._bench.preview(None)
        for source, model in zip(wanted.values(), found or (), strict=False):
            self._shelf.keep(source, model)
        if size > _LARGE:
            QTimer.singleShot(_SHOWN, give_back)


def _read(source: Source, tell: Tell) -> Model | Note:
    found = read_source(source, tell)
    return found.prepared(tell) if isinstance(found, Model) else found


def _not_read(source: Source) -> Note:
    text = (
        f"The model {Path(source.path).name} was not read: that was stopped. Boxes stand in for "
        "its shapes. Look at the models again to read it."
    )
    return Note("model-unread", "", text, "warning")


def _size(path: Path) -> int:
    try:
        return path.stat().st_size
    except OSError:
        return 0
