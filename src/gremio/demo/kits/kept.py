"""What a kit that comes with Gremio is made of."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

import gremio
from gremio.core.rig.model import Rig


class Made(NamedTuple):
    """A kit to be kept. parts: by name, of which it is. ask: its dimensions, by name."""

    rig: Rig
    parts: tuple[str, ...]
    name: str
    about: str
    words: tuple[str, ...] = ()
    ask: tuple[str, ...] = ()

    def keep(self, folder: Path) -> Path:
        """Write it into a folder, under its name."""
        path = folder / f"{self.name.lower().replace(' ', '-')}.gremio"
        gremio.keep_kit(
            self.rig, *self.parts, to=path, name=self.name, about=self.about, words=self.words,
            ask=self.ask,
        )  # fmt: skip
        return path
