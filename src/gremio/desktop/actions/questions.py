"""The questions: one class each, which knows what its answers make."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from gremio.core.arrays import Array
from gremio.core.frames import triple
from gremio.core.rig.constraints import CONSTRAINTS
from gremio.core.rig.model import ConstraintKind, StrandKind, Target
from gremio.desktop.actions import leading, rigging
from gremio.desktop.bench.question import (
    PartQuestion,
    PlaceQuestion,
    PointsQuestion,
    Question,
    TargetQuestion,
)
from gremio.desktop.bench.snapping import Spot
from gremio.desktop.document.document import Document

_TWO = "Two are needed at least. Click on, or press Esc to stop."


# ── places ─────────────────────────────────────────────────────────


class MountPlace(PlaceQuestion):
    """A place on the geometry for a part's mount."""

    def __init__(self, document: Document, part: str) -> None:
        super().__init__(document)
        self.part = part

    @property
    def words(self) -> str:
        """What to click."""
        return f"click a corner, an edge, a circle or a face for {self.name_of(self.part)}"

    def take(self, spot: Spot) -> Question | None:
        """Put the mount there."""
        from gremio.desktop.actions import preparing

        preparing.put_mount(self.document, self.part, spot)
        return None


class AxisWay(MountPlace):
    """An edge, a circle or a face for a part's axis to lie along."""

    @property
    def words(self) -> str:
        """What to click."""
        return f"click an edge, a circle or a face for the axis of {self.name_of(self.part)}"

    def fits(self, spot: Spot) -> bool:
        """Only what has a direction."""
        return spot.direction is not None

    def take(self, spot: Spot) -> Question | None:
        """Lay the axis along it."""
        from gremio.desktop.actions import preparing

        preparing.put_axis(self.document, self.part, spot)
        return None


class WhatToMeasure(PlaceQuestion):
    """What to measure: one thing, or two for the way between. show: is told what was picked so
    far; done: is called when it is asked no more."""

    goes_on = False

    def __init__(
        self, document: Document, show: Callable[[list[Spot]], None], done: Callable[[], None]
    ) -> None:
        super().__init__(document)
        self._show, self._done = show, done
        self._spots: list[Spot] = []

    @property
    def words(self) -> str:
        """What to click."""
        return "click what to measure, or two things for the way between"

    def picked(self) -> list[Spot]:
        """What is measured."""
        return self._spots

    def take(self, spot: Spot) -> Question | None:
        """The first, the second, or the first of others."""
        self._spots = [*self._spots, spot] if len(self._spots) < 2 else [spot]
        self._show(list(self._spots))
        return self

    def stopped(self) -> None:
        """The sheet of measuring goes."""
        self._done()


class _TwoPlaces(PlaceQuestion):
    """Two places on two parts."""

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self.first: Spot | None = None

    @property
    def words(self) -> str:
        """What to click first, and then."""
        if self.first is None:
            return self.begin()
        return self.then(self.name_of(self.first.anchor.part))

    def begin(self) -> str:
        """What to click first."""
        raise NotImplementedError

    def then(self, name: str) -> str:
        """What to click then; name: of the first part."""
        raise NotImplementedError

    def make(self, one: Spot, two: Spot) -> None:
        """What is made of the two."""
        raise NotImplementedError

    def picked(self) -> list[Spot]:
        """The first, while the second is asked for."""
        return [] if self.first is None else [self.first]

    def take(self, spot: Spot) -> Question | None:
        """The first place, and then the second, on another part."""
        if self.first is None:
            self.first = spot
            return self
        if spot.anchor.part == self.first.anchor.part:
            self.document.said.emit("That is the same part. Click a place on another one.")
            return self
        self.make(self.first, spot)
        return None


class PinEnds(_TwoPlaces):
    """The places, on two parts, that are pinned together."""

    def begin(self) -> str:
        """What to click first."""
        return "click a place on the first part to pin"

    def then(self, name: str) -> str:
        """What to click then."""
        return f"click the place on another part that {name} is pinned to"

    def make(self, one: Spot, two: Spot) -> None:
        """Pin them."""
        from gremio.desktop.actions import closing

        closing.pin_together(self.document, one, two)


class StrutEnds(_TwoPlaces):
    """The places, on two parts, that a strut goes between."""

    def begin(self) -> str:
        """What to click first."""
        return "click where the barrel of the strut begins"

    def then(self, name: str) -> str:
        """What to click then."""
        del name
        return "click the place on another part where the rod of the strut ends"

    def make(self, one: Spot, two: Spot) -> None:
        """Make the strut."""
        from gremio.desktop.actions import closing

        closing.strut_between(self.document, one, two)


class StrandEnds(_TwoPlaces):
    """The two ends of a spring, bellows or a hose."""

    def __init__(self, document: Document, kind: StrandKind) -> None:
        super().__init__(document)
        self.kind = kind

    def begin(self) -> str:
        """What to click first."""
        return f"click where the {self.kind} begin{'s' * (self.kind != 'bellows')}"

    def then(self, name: str) -> str:
        """What to click then."""
        del name
        return f"click where the {self.kind} end{'s' * (self.kind != 'bellows')}"

    def make(self, one: Spot, two: Spot) -> None:
        """Make the strand."""
        from gremio.desktop.actions import closing

        closing.strand_through(self.document, self.kind, [one, two])


class RopeWay(PlaceQuestion):
    """Where a rope goes, as many places as there are; the middle of a wheel is gone round."""

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._spots: list[Spot] = []

    @property
    def words(self) -> str:
        """What to click."""
        return "click where the rope goes, wheels by their middle, then press Enter"

    def picked(self) -> list[Spot]:
        """The places so far."""
        return self._spots

    def sketch(self) -> Array:
        """The way so far."""
        return np.array([spot.world for spot in self._spots], dtype=float).reshape(-1, 3)

    def take(self, spot: Spot) -> Question | None:
        """One place more."""
        self._spots.append(spot)
        return self

    def takes_enter(self) -> bool:
        """Enter ends it."""
        return True

    def finish(self) -> bool:
        """Make the rope."""
        from gremio.desktop.actions import closing

        if len(self._spots) < 2:
            self.document.said.emit(_TWO)
            return False
        closing.strand_through(self.document, "rope", list(self._spots))
        return True


class EdgeLoop(PlaceQuestion):
    """An edge whose loop becomes a path, or a circle. toward: (3,) where the eye is."""

    def __init__(self, document: Document, toward: Callable[[], Array]) -> None:
        super().__init__(document)
        self._toward = toward

    @property
    def words(self) -> str:
        """What to click."""
        return "click the middle of an edge, or the centre of a circle"

    def fits(self, spot: Spot) -> bool:
        """Edges and circles."""
        return spot.place.kind in ("edge middle", "circle centre")

    def take(self, spot: Spot) -> Question | None:
        """Make the path."""
        from gremio.desktop.actions import constraining

        constraining.path_along_edges(self.document, spot, self._toward())
        return None


class PathPoints(PointsQuestion):
    """The points of a path, until Enter."""

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._drawn: list[tuple[Array, str]] = []

    @property
    def words(self) -> str:
        """What to click."""
        return "click the points of the path, then press Enter"

    def sketch(self) -> Array:
        """The points so far."""
        return np.array([place for place, _ in self._drawn], dtype=float).reshape(-1, 3)

    def take_point(self, place: Array, part: str) -> Question | None:
        """One point more."""
        self._drawn.append((place, part))
        return self

    def takes_enter(self) -> bool:
        """Enter ends it."""
        return True

    def finish(self) -> bool:
        """Make the path, on the part that all points lie on."""
        from gremio.desktop.actions import constraining

        if len(self._drawn) < 2:
            self.document.said.emit(_TWO)
            return False
        parts = {part for _, part in self._drawn}
        on = parts.pop() if len(parts) == 1 else ""
        constraining.make_path(self.document, [place for place, _ in self._drawn], on or None)
        return True


# ── parts ──────────────────────────────────────────────────────────


class Follower(PartQuestion):
    """The part that a channel (key) should lead. propose: shows the ratio that the geometry of
    two parts says."""

    def __init__(self, document: Document, lead: str, propose: Callable[[str, str], None]) -> None:
        super().__init__(document)
        self.lead, self._propose = lead, propose
        # Whatever is not seen in the Bench takes the link from its menu.
        document.copied = lead

    @property
    def words(self) -> str:
        """What to click."""
        return "click the part that should follow, or paste the link on a number"

    def take(self, part: str, place: Array | None) -> Question | None:
        """Make the link, or propose one."""
        del place
        leading.lead_to(self.document, self.lead, part, self._propose)
        return None


class CamFollower(PartQuestion):
    """One more part that a cam should lead."""

    def __init__(self, document: Document, link_id: str) -> None:
        super().__init__(document)
        self.link_id = link_id

    @property
    def words(self) -> str:
        """What to click."""
        return "click the part that this cam should lead too"

    def take(self, part: str, place: Array | None) -> Question | None:
        """Let the cam lead it."""
        del place
        leading.let_cam_lead_part(self.document, self.link_id, part)
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

    def take(self, part: str, place: Array | None) -> Question | None:
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

    def take(self, part: str, place: Array | None) -> Question | None:
        """Make the set."""
        from gremio.desktop.actions import preparing

        del place
        if rigging.can_move(self.document, part):
            preparing.planetary_set(self.document, self.sun, self.ring, part)
        return None


class BandWheels(PartQuestion):
    """The wheels that a path goes round, until Enter."""

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._wheels: list[str] = []

    @property
    def words(self) -> str:
        """What to click."""
        return "click the wheels in the order of the band, then press Enter"

    def sketch(self) -> Array:
        """From middle to middle."""
        pose = self.document.pose
        places = [pose.world(part)[:3, 3] for part in self._wheels]
        return np.array(places, dtype=float).reshape(-1, 3)

    def take(self, part: str, place: Array | None) -> Question | None:
        """One wheel more."""
        del place
        self._wheels.append(part)
        return self

    def takes_enter(self) -> bool:
        """Enter ends it."""
        return True

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

    def __init__(self, document: Document, part: str) -> None:
        super().__init__(document)
        self.part = part

    @property
    def words(self) -> str:
        """What to click."""
        return f"click where on a surface {self.name_of(self.part)} goes, one after another"

    def take(self, part: str, place: Array | None) -> Question | None:
        """Put one there."""
        from gremio.desktop.actions import constraining

        if part == self.part:
            self.document.said.emit("That is the part itself. Click the surface it goes on.")
        elif place is not None and constraining.seat_copy(self.document, self.part, part, place):
            self.document.select(self.part)
        return self


class ConstraintTarget(TargetQuestion):
    """What a part should be constrained to."""

    def __init__(self, document: Document, kind: ConstraintKind, part: str) -> None:
        super().__init__(document)
        self.kind, self.part = kind, part

    @property
    def words(self) -> str:
        """What to click."""
        return CONSTRAINTS[self.kind].asks.format(self.name_of(self.part))

    def take(self, part: str, place: Array | None) -> Question | None:
        """Constrain it to a part."""
        from gremio.desktop.actions import constraining

        if self.kind == "seat" and place is not None:
            constraining.seat_at(self.document, self.part, part, place)
            return None
        return self._made(Target(part))

    def take_path(self, path: str) -> Question | None:
        """Constrain it to a path."""
        return self._made(Target(path=path))

    def take_ground(self, place: Array) -> Question | None:
        """Constrain it to a place on the ground."""
        return self._made(Target(at=triple(place)))

    def _made(self, target: Target) -> Question | None:
        from gremio.desktop.actions import constraining

        constraining.tie(self.document, self.kind, self.part, [target])
        return None


class OneMoreTarget(ConstraintTarget):
    """One more target of a constraint."""

    def __init__(self, document: Document, constraint_id: str) -> None:
        constraint = document.rig.constraints[constraint_id]
        super().__init__(document, constraint.kind, constraint.part)
        self.constraint_id = constraint_id

    @property
    def words(self) -> str:
        """What to click."""
        return "click one more target"

    def take(self, part: str, place: Array | None) -> Question | None:
        """Keep to that part as well."""
        del place
        return self._made(Target(part))

    def _made(self, target: Target) -> Question | None:
        from gremio.desktop.actions import constraining

        constraining.one_more_target(self.document, self.constraint_id, target)
        return None


QUESTIONS: tuple[type[Question], ...] = (
    MountPlace,
    AxisWay,
    WhatToMeasure,
    PinEnds,
    StrutEnds,
    StrandEnds,
    RopeWay,
    EdgeLoop,
    PathPoints,
    Follower,
    CamFollower,
    PlanetaryRing,
    PlanetaryArm,
    BandWheels,
    Copies,
    ConstraintTarget,
    OneMoreTarget,
)
