"""An action: something a hand can do, by menu, key, Card or name."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

from gremio.core.records import Record
from gremio.desktop.actions.desktop import Desktop

# Where a key counts; elsewhere it means another thing, or is typed.
Where = Literal["everywhere", "bench and parts", "bench and desk"]


class Action(Record, frozen=True):
    """One action. id: lasting, by which its key is kept. words: as menus say it. do: what it
    does. menu: the menu, and the menu in that, in which it stands. key: to begin with; second:
    another that does it too, for layouts that hide the first. where: where the keys count. asks:
    it goes on with a question of its own ("…"). apart: a rule stands before it in its menu.
    """

    id: str
    words: str
    do: Callable[[Desktop], object]
    menu: tuple[str, ...]
    key: str = ""
    where: Where = "everywhere"
    asks: bool = False
    apart: bool = False
    second: str = ""

    @property
    def text(self) -> str:
        """Its words in a menu."""
        return f"{self.words}…" if self.asks else self.words
