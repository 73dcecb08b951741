"""Questions for parts: one class each, which knows what its answers make."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array
from gremio.core.edit.links import change_link
from gremio.core.frames import triple
from gremio.core.rig.constraints import CONSTRAINTS
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.model import ConstraintKind, Rig, Rolling, Target
from gremio.core.rig.numbers import full_label
from gremio.desktop.actions import leading, rigging
from gremio.desktop.actions.preparing import rolls_on
from gremio.desktop.bench.question import (
    NumberQuestion,
    PartQuestion,
    Question,
    TargetQuestion,
)
from gremio.desktop.document.document import Document

_TWO = "Two are needed at least. Click on, or press Esc to stop."


class Follower(NumberQuestion):
    """The part that a channel (key) should lead. propose: shows the ratio that the geometry of
    two parts says."""

    def __init__(
        self, document: Document, lead: ChannelKey, propose: Callable[[PartId, PartId], None]
    ) -> None:
        super().__init__(document)
        self.lead, self._propose = lead, propose
        # Whatever is not seen in the Bench takes the link from its menu.
        document.copied = lead

    @property
    def words(self) -> str:
        """What to click."""
        return "click the part that should follow, or any number on the Desk, a Card, the Ledger"

    def take(self, part: PartId, place: Array | None) -> Question | None:
        """Make the link, or propose one."""
        del place
        leading.lead_to(self.document, self.lead, part, self._propose)
        return None

    def take_number(self, channel: ChannelKey) -> Question | None:
        """Make the link; the lead itself is no answer."""
        if channel == self.lead:
            self.document.said.emit(f"{self._lead_name()} leads. Click what should follow it.")
            return self
        rigging.link_channels(self.document, self.lead, channel)
        return None

    def _lead_name(self) -> str:
        return full_label(self.document.rig, self.lead)


class CamFollower(NumberQuestion):
    """One more part that a cam should lead."""

    def __init__(self, document: Document, link_id: ThingId) -> None:
        super().__init__(document)
        self.link_id = link_id

    @property
    def words(self) -> str:
        """What to click."""
        return "click the part that this cam should lead too, or any number"

    def take(self, part: PartId, place: Array | None) -> Question | None:
        """Let the cam lead it."""
        del place
        leading.let_cam_lead_part(self.document, self.link_id, part)
        return None

    def take_number(self, channel: ChannelKey) -> Question | None:
        """Let the cam lead it."""
        leading.let_cam_lead(self.document, self.link_id, channel)
        return None


class PlanetaryRing(PartQuestion):
    """The ring of a planetary set, whose sun is known, and then its arm."""

    def __init__(self, document: Document, sun: str) -> None:
        super().__init__(document)
        self.sun = sun

    @property
    def words(self) -> str:
        """What to click."""
        return "click the ring, or the other side of a differential"

    def take(self, part: PartId, place: Array | None) -> Question | None:
        """The arm is asked for next."""
        del place
        can = rigging.can_move(self.document, part)
        return PlanetaryArm(self.document, self.sun, part) if can else None


class PlanetaryArm(PartQuestion):
    """The arm of a planetary set."""

    def __init__(self, document: Document, sun: str, ring: str) -> None:
        super().__init__(document)
        self.sun, self.ring = sun, ring

    @property
    def words(self) -> str:
        """What to click."""
        return "click the arm that carries the planets"

    def take(self, part: PartId, place: Array | None) -> Question | None:
        """Make the set."""
        from gremio.desktop.actions import preparing

        del place
        if rigging.can_move(self.document, part):
            preparing.planetary_set(self.document, self.sun, self.ring, part)
        return None


class WheelsQuestion(PartQuestion):
    """Wheels that something goes round, until Enter."""

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._wheels: list[PartId] = []

    def sketch(self) -> Array:
        """From middle to middle."""
        pose = self.document.pose
        places = [pose.world(part)[:3, 3] for part in self._wheels]
        return np.array(places, dtype=float).reshape(-1, 3)

    def take(self, part: PartId, place: Array | None) -> Question | None:
        """One wheel more; one that was clicked before is none any more."""
        del place
        if part in self._wheels:
            self._wheels.remove(part)
        else:
            self._wheels.append(part)
        return self

    def takes_enter(self) -> bool:
        """Enter ends it."""
        return True


class BandWheels(WheelsQuestion):
    """The wheels that a path goes round, until Enter."""

    @property
    def words(self) -> str:
        """What to click."""
        count = f" ({len(self._wheels)})" if self._wheels else ""
        return f"click the wheels in the order of the band, then press Enter{count}"

    def finish(self) -> bool:
        """Make the path."""
        from gremio.desktop.actions import constraining

        if len(self._wheels) < 2:
            self.document.said.emit(_TWO)
            return False
        constraining.path_round(self.document, list(self._wheels))
        return True


class Copies(PartQuestion):
    """Where copies of a part are seated, a click each, until Escape."""

    goes_on = True
    surface = True

    def __init__(self, document: Document, part: PartId) -> None:
        super().__init__(document)
        self.part = part

    @property
    def words(self) -> str:
        """What to click."""
        return f"click where on a surface {self.name_of(self.part)} goes, one after another"

    def take(self, part: PartId, place: Array | None) -> Question | None:
        """Put one there."""
        from gremio.desktop.actions import constraining

        if part == self.part:
            self.document.said.emit("That is the part itself. Click the surface it goes on.")
        elif place is not None and constraining.seat_copy(self.document, self.part, part, place):
            self.document.select(self.part)
        return self


class ConstraintTarget(TargetQuestion):
    """What a part should be constrained to."""

    def __init__(self, document: Document, kind: ConstraintKind, part: PartId) -> None:
        super().__init__(document)
        self.kind, self.part = kind, part

    @property
    def words(self) -> str:
        """What to click."""
        return CONSTRAINTS[self.kind].asks.format(self.name_of(self.part))

    def take(self, part: PartId, place: Array | None) -> Question | None:
        """Constrain it to a part."""
        from gremio.desktop.actions import constraining

        if self.kind == "seat" and place is not None:
            constraining.seat_at(self.document, self.part, part, place)
            return None
        return self._made(Target(part))

    def take_path(self, path: ThingId) -> Question | None:
        """Constrain it to a path."""
        return self._made(Target(path=path))

    def take_ground(self, place: Array) -> Question | None:
        """Constrain it to a place on the ground."""
        return self._made(Target(at=triple(place)))

    def _made(self, target: Target) -> Question | None:
        from gremio.desktop.actions import constraining

        constraining.tie(self.document, self.kind, self.part, [target])
        return None


class RollsOn(PartQuestion):
    """The part that a wheel rolls on, in place of the ground. link_id: of its rolling."""

    def __init__(self, document: Document, link_id: ThingId, part: PartId) -> None:
        super().__init__(document)
        self.link_id, self.wheel = link_id, part

    @property
    def words(self) -> str:
        """What to click."""
        return f"click what {self.name_of(self.wheel)} rolls on, or press Enter for the ground"

    def takes_enter(self) -> bool:
        """Enter leaves it on the ground."""
        return True

    def finish(self) -> bool:
        """It rolls on the ground."""
        return True

    def take(self, part: PartId, place: Array | None) -> Question | None:
        """Let it roll on a part."""
        del place
        names = self.name_of(self.wheel), self.name_of(part)
        if part not in rolls_on(self.document.rig, self.wheel):
            self.document.said.emit(f"{names[0]} can't roll on {names[1]}: one carries the other.")
            return self

        def change(rig: Rig) -> Rig:
            link = rig.links[self.link_id]
            assert isinstance(link, Rolling)
            return change_link(rig, self.link_id, replace(link, on=part))

        if self.document.edit(f"let {names[0]} roll on {names[1]}", change):
            self.document.said.emit(f"{names[0]} rolls on {names[1]}.")
        return None


class OneMoreTarget(ConstraintTarget):
    """One more target of a constraint."""

    def __init__(self, document: Document, constraint_id: ThingId) -> None:
        constraint = document.rig.constraints[constraint_id]
        super().__init__(document, constraint.kind, constraint.part)
        self.constraint_id = constraint_id

    @property
    def words(self) -> str:
        """What to click."""
        return "click one more target"

    def take(self, part: PartId, place: Array | None) -> Question | None:
        """Keep to that part as well."""
        del place
        return self._made(Target(part))

    def _made(self, target: Target) -> Question | None:
        from gremio.desktop.actions import constraining

        constraining.one_more_target(self.document, self.constraint_id, target)
        return None
