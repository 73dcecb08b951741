"""How the window was left: its size, its splits, its inks, the deck; put so again the next time."""

from __future__ import annotations

from typing import Any, Protocol, TypeGuard

from PyQt6.QtCore import QRect
from PyQt6.QtWidgets import QApplication, QSplitter, QWidget

from gremio.desktop.deck.deck import Deck
from gremio.desktop.kept import keep_if_possible, kept
from gremio.desktop.theme.inks import NIGHT, Inks

# No window is made smaller (px).
_LEAST = 600, 400
# Under what name it is kept.
SCREEN = "window"


class Screen(Protocol):
    """A window, as far as how it is left goes. splits: by name."""

    inks: Inks
    splits: dict[str, QSplitter]
    deck: Deck

    def width(self) -> int:
        """How wide it is (px)."""
        ...

    def height(self) -> int:
        """How tall it is (px)."""
        ...

    def isMaximized(self) -> bool:
        """Whether it takes the whole screen."""
        ...

    def resize(self, width: int, height: int, /) -> None:
        """Make it another size."""

    def showMaximized(self) -> None:
        """Let it take the whole screen."""

    def set_inks(self, inks: Inks) -> None:
        """Day or night."""


def screen_of(window: Screen) -> dict[str, Any]:
    """How a window stands, as it is kept."""
    return {
        "size": [window.width(), window.height()],
        "whole screen": window.isMaximized(),
        "night": window.inks.night,
        "splits": {name: split.sizes() for name, split in window.splits.items()},
        "deck folded": window.deck.folded,
        "deck": window.deck.height() if not window.deck.folded else window.deck.tall,
    }


def keep_screen(window: Screen) -> None:
    """Keep how a window stands."""
    keep_if_possible(SCREEN, screen_of(window))


def restore_screen(window: Screen) -> None:
    """Put a window as it was left. What can't be read, or fits on no screen, is left as it is."""
    known = kept(SCREEN, {})
    size = known.get("size")
    if _are_sizes(size, 2) and _fits(*size):
        window.resize(*size)
    if known.get("whole screen") is True:
        window.showMaximized()
    if known.get("night") is True:
        window.set_inks(NIGHT)
    tall = known.get("deck")
    if isinstance(tall, int) and tall > 0:
        window.deck.tall = tall
    splits = known.get("splits")
    for name, split in window.splits.items():
        sizes = splits.get(name) if isinstance(splits, dict) else None
        if _are_sizes(sizes, split.count()):
            split.setSizes(sizes)
    window.deck.fold(known.get("deck folded", True) is not False)


def fit_on_screen(window: QWidget) -> None:
    """Let a window, with the frame that it was given, not reach beyond its screen."""
    screen = window.screen()
    if screen is None or window.isMaximized():
        return
    room, frame = screen.availableGeometry(), window.frameGeometry()
    wide, tall = min(frame.width(), room.width()), min(frame.height(), room.height())
    less_wide, less_tall = frame.width() - wide, frame.height() - tall
    if less_wide or less_tall:
        width, height = window.width() - less_wide, window.height() - less_tall
        window.resize(max(width, _LEAST[0]), max(height, _LEAST[1]))
    x = max(min(frame.x(), room.x() + room.width() - wide), room.x())
    y = max(min(frame.y(), room.y() + room.height() - tall), room.y())
    if (x, y) != (frame.x(), frame.y()):
        window.move(x, y)


def _are_sizes(found: Any, count: int) -> TypeGuard[list[int]]:
    return (
        isinstance(found, list)
        and len(found) == count
        and all(isinstance(size, int) and 0 < size <= 20_000 for size in found)
    )


def _fits(width: int, height: int) -> bool:
    screen = QApplication.primaryScreen()
    room = QRect(0, 0, 20_000, 20_000) if screen is None else screen.availableGeometry()
    return _LEAST[0] <= width <= room.width() and _LEAST[1] <= height <= room.height()
