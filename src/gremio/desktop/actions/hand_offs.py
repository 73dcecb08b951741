"""Handing parts over to what carries them next."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array
from gremio.core.edit.hand_offs import hand_over, settle_into
from gremio.core.edit.routines import set_keys
from gremio.core.frames import triple
from gremio.core.rig.carried import carrier_name
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import HandOff, Rig
from gremio.core.rig.numbers import exists
from gremio.desktop.actions.desktop import Desktop
from gremio.desktop.bench.question import PointsQuestion, Question, TargetQuestion
from gremio.desktop.document.document import Document


class NextCarrier(TargetQuestion):
    """What carries some parts (ids) from the time now on."""

    def __init__(self, document: Document, parts: list[PartId]) -> None:
        super().__init__(document)
        self._parts = parts

    @property
    def words(self) -> str:
        """What to click."""
        first = self.name_of(self._parts[0])
        what = first if len(self._parts) == 1 else f"{first} and {len(self._parts) - 1} more"
        time = self.document.timing.time
        return f"click what carries {what} from {time:.6g} s on; Enter for the ground"

    def takes_enter(self) -> bool:
        """Enter is the ground, wherever that is hidden."""
        return True

    def finish(self) -> bool:
        """Hand them over to the ground."""
        return self._hand_to(None)

    def take(self, part: PartId, place: Array | None) -> Question | None:
        """Hand them over to a part."""
        del place
        return None if self._hand_to(part) else self

    def take_ground(self, place: Array) -> Question | None:
        """Hand them over to the ground."""
        del place
        return None if self._hand_to(None) else self

    def take_path(self, path: ThingId) -> Question | None:
        """A path carries nothing by itself."""
        on = self.document.rig.paths[path].on
        return None if self._hand_to(on) else self

    def _hand_to(self, carrier: PartId | None) -> bool:
        document, timing, parts = self.document, self.document.timing, self._parts
        routine_id, time = timing.routine_id, timing.time
        over = {c: v for c, v in timing.over.items() if exists(document.rig, c)}

        def change(rig: Rig) -> Rig:
            # What hands have put is seen, and so it is what is handed over.
            rig = set_keys(rig, routine_id, time, over) if over else rig
            for part in parts:
                rig = hand_over(rig, routine_id, part, time, carrier)
            return rig

        names = " and ".join(self.name_of(part) for part in parts[:2])
        to = carrier_name(document.rig, carrier)
        if not document.edit(f"hand {names} over to {to}", change):
            return False
        document.settle()
        timing.go_to(time, to_frame=False)
        verb = "rides" if len(parts) == 1 else "ride"
        keyed = f" {len(over)} of what hands have put is keyed there too." if over else ""
        document.said.emit(f"{names} {verb} on {to} from {time:.6g} s on.{keyed}")
        return True


class SettlingPlace(PointsQuestion):
    """The place into which a part settles that is handed over at a time (s)."""

    def __init__(self, document: Document, part: PartId, hand_off: HandOff) -> None:
        super().__init__(document)
        self._part, self._hand_off = part, hand_off

    @property
    def words(self) -> str:
        """What to click."""
        return f"click the place where {self.name_of(self._part)} settles"

    def take_point(self, place: Array, part: PartId) -> Question | None:
        """A place in the world is kept in the frame of the carrier."""
        del part
        document, one = self.document, self._hand_off
        carrier = document.pose.frame_of(one.carrier)
        at = triple((np.linalg.inv(carrier) @ np.append(place, 1.0))[:3])
        routine_id = document.timing.routine_id
        document.edit("settle into a place", lambda rig: settle_into(
            rig, routine_id, self._part, one.time, one.over, replace(one.place, at=at)
        ))  # fmt: skip
        document.settle()
        return None


def hand_over_selected(desktop: Desktop) -> None:
    """Let the next click choose what carries the chosen parts from the time now on."""
    document, timing = desktop.document, desktop.document.timing
    parts = document.chosen_parts
    if not parts:
        document.said.emit("Select the part that is handed over, and press Y.")
        return
    if timing.routine is None:
        timing.make()
    timing.stop()
    if not timing.on:
        timing.go_to(timing.time, to_frame=False)
    desktop.show_page("Routine")
    desktop.bench.ask(NextCarrier(document, parts))


def pick_place(desktop: Desktop, part: PartId, hand_off: HandOff) -> None:
    """Let the next click choose the place into which a part settles that is handed over."""
    desktop.bench.ask(SettlingPlace(desktop.document, part, hand_off))
