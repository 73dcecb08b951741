"""Rigs that were open lately, to be opened again; and the folder that was used last."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QMenu, QWidget

from gremio.desktop.kept import keep_if_possible, kept

_RECENT, _FOLDER = "recent rigs", "folder"
_MOST = 10


def recent() -> list[Path]:
    """The files that were open lately and are still there, the latest first."""
    found = [Path(path) for path in kept(_RECENT, []) if isinstance(path, str)]
    return [path for path in found if path.is_file()][:_MOST]


def was_used(path: Path) -> None:
    """A rig was opened from, or saved to, a file."""
    path = path.absolute()
    keep_if_possible(_RECENT, [str(path), *(str(p) for p in recent() if p != path)][:_MOST])
    in_folder(path)


def in_folder(path: Path) -> None:
    """A file was chosen: its folder is proposed the next time."""
    keep_if_possible(_FOLDER, str(path.absolute().parent))


def last_folder() -> Path:
    """The folder that was used last; home where there is none, or it is gone."""
    folder = Path(kept(_FOLDER, ""))
    return folder if folder.is_absolute() and folder.is_dir() else Path.home()


class RecentMenu(QMenu):
    """Lists the rigs that were open lately. open: is told which."""

    def __init__(self, open_path: Callable[[Path], object], parent: QWidget) -> None:
        super().__init__("Open one of before", parent)
        self._open = open_path
        self.setToolTipsVisible(True)
        self.aboutToShow.connect(self._fill)

    def _fill(self) -> None:
        self.clear()
        for path in recent():
            action = self.addAction(path.stem)
            action.setToolTip(str(path))
            action.triggered.connect(lambda _checked=False, p=path: self._open(p))
        if not self.actions():
            self.addAction("None yet").setEnabled(False)


def put_recent(
    menus: QWidget, opened: QAction, open_path: Callable[[Path], object], parent: QWidget
) -> None:
    """Put the rigs of before after the entry that opens a rig, in whichever menu that is."""
    menu = RecentMenu(open_path, parent)
    for above in menus.findChildren(QMenu):
        actions = above.actions()
        if opened in actions:
            above.insertMenu(actions[actions.index(opened) + 1], menu)
