"""Which kits of the open rig are not as they were when they were put in."""

from __future__ import annotations

from collections.abc import Mapping

from gremio.core.problem import Note
from gremio.core.rig.ids import ThingId
from gremio.core.rig.model import KitUse, Rig


class KitsKnown:
    """Looks at the files of a rig's kits when they are others than before, and on purpose."""

    def __init__(self) -> None:
        self._of: Mapping[ThingId, KitUse] | None = None
        self._notes: list[Note] = []

    def forget(self) -> None:
        """Look at the files anew the next time."""
        self._of = None

    def notes(self, rig: Rig) -> list[Note]:
        """A note on each kit whose file has changed."""
        if rig.kits is not self._of:
            self._of, self._notes = rig.kits, []
            if rig.kits:
                # What reads kits is loaded when there are any.
                from gremio.core.files.kits import kit_notes

                self._notes = kit_notes(rig)
        return self._notes
