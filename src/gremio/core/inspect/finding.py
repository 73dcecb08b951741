"""A note, with what would mend it where that can be done mechanically."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from gremio.core.problem import Note
from gremio.core.rig.model import Rig


class Mend(NamedTuple):
    """What would mend a note: in words, "place it anew", and as an edit."""

    words: str
    edit: Callable[[Rig], Rig]


class Finding(NamedTuple):
    """A note and its mends, the likeliest first."""

    note: Note
    mends: tuple[Mend, ...] = ()
