"""Questions for places on the geometry: one class each, which knows what its answers make."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable, Sequence

import numpy as np

from gremio.core.arrays import Array
from gremio.core.rig import ids
from gremio.core.rig.ids import GROUND, PartId
from gremio.core.rig.model import StrandKind
from gremio.core.solve.pose import Pose
from gremio.desktop.bench.question import (
    PlaceQuestion,
    PointsQuestion,
    Question,
)
from gremio.desktop.bench.scene import Scene
from gremio.desktop.bench.snapping import Spot
from gremio.desktop.document.document import Document

_TWO = "Two are needed at least. Click on, or press Esc to stop."


class MountPlace(PlaceQuestion):
    """A place on the geometry for a part's mount."""

    def __init__(self, document: Document, part: PartId) -> None:
        super().__init__(document)
        self.part = part

    @property
    def words(self) -> str:
        """What to click."""
        return (
            f"click a corner, an edge, a circle or a face for {self.name_of(ids.part(self.part))}"
        )

    def take(self, spot: Spot) -> Question | None:
        """Put the mount there."""
        from gremio.desktop.actions import preparing

        preparing.put_mount(self.document, ids.part(self.part), spot)
        return None


class AxisWay(MountPlace):
    """An edge, a circle or a face for a part's axis to lie along."""

    @property
    def words(self) -> str:
        """What to click."""
        return (
            f"click an edge, a hole, a bar or a face for the axis of "
            f"{self.name_of(ids.part(self.part))}"
        )

    def fits(self, spot: Spot) -> bool:
        """Only what has a direction."""
        return spot.direction is not None

    def take(self, spot: Spot) -> Question | None:
        """Lay the axis along it."""
        from gremio.desktop.actions import preparing

        preparing.put_axis(self.document, ids.part(self.part), spot)
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

    @abstractmethod
    def begin(self) -> str:
        """What to click first."""

    @abstractmethod
    def then(self, name: str) -> str:
        """What to click then; name: of the first part."""

    @abstractmethod
    def make(self, one: Spot, two: Spot) -> None:
        """What is made of the two."""

    def spots(self, scene: Scene, pose: Pose, under: set[int]) -> list[Spot]:
        """Places on parts under the pointer; the second on another part than the first."""
        if self.first is not None:
            under = under - {pose.program.part_row[self.first.anchor.part]}
        return super().spots(scene, pose, under)

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
    """The places, on two parts, that a strut goes between. bodies: ids of two parts that are its
    bodies; none for bodies made for it."""

    def __init__(self, document: Document, bodies: Sequence[PartId] = ()) -> None:
        super().__init__(document)
        self.bodies = bodies

    def begin(self) -> str:
        """What to click first."""
        if self.bodies:
            return f"click where {self.name_of(self.bodies[0])} is pinned"
        return "click where the barrel of the strut begins"

    def then(self, name: str) -> str:
        """What to click then."""
        del name
        if self.bodies:
            return f"click the place on another part where {self.name_of(self.bodies[1])} is pinned"
        return "click the place on another part where the rod of the strut ends"

    def make(self, one: Spot, two: Spot) -> None:
        """Make the strut."""
        from gremio.desktop.actions import closing

        closing.strut_between(self.document, one, two, self.bodies)


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
        self._drawn: list[tuple[Array, PartId]] = []

    @property
    def words(self) -> str:
        """What to click."""
        return "click the points of the path, then press Enter"

    def sketch(self) -> Array:
        """The points so far."""
        return np.array([place for place, _ in self._drawn], dtype=float).reshape(-1, 3)

    def take_point(self, place: Array, part: PartId) -> Question | None:
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
        on = parts.pop() if len(parts) == 1 else GROUND
        constraining.make_path(self.document, [place for place, _ in self._drawn], on or None)
        return True


class DrivePlace(PointsQuestion):
    """Where a carriage is driven to: one place, and the next, until Esc."""

    goes_on = True

    def __init__(self, document: Document, body: PartId) -> None:
        super().__init__(document)
        self._body = body

    @property
    def words(self) -> str:
        """What to click."""
        return f"click where to drive {self.name_of(self._body)}"

    def take_point(self, place: Array, part: PartId) -> Question | None:
        """Drive it there."""
        from gremio.desktop.actions import preparing

        del part
        preparing.drive(self.document, self._body, place)
        return self
