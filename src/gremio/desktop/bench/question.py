"""What the next clicks in the Bench answer. A question knows its words, what counts as an
answer, when it is done, and what is made of the answers."""

from __future__ import annotations

from abc import ABC, abstractmethod

import numpy as np

from gremio.core.arrays import Array
from gremio.core.rig import ids
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.solve.pose import Pose
from gremio.desktop.bench.scene import Scene
from gremio.desktop.bench.snapping import Spot, snap_places
from gremio.desktop.document.document import Document


class Question(ABC):
    """One question. `take…` gives what is asked next: itself to go on, None when it is done.

    goes_on: whether it stays when the rig has changed by an answer.
    """

    goes_on = False

    def __init__(self, document: Document) -> None:
        self.document = document

    @property
    @abstractmethod
    def words(self) -> str:
        """What to do next: "click the part that should follow"."""

    def name_of(self, part: PartId) -> str:
        """What a part is called."""
        return self.document.rig.parts[part].name

    def sketch(self) -> Array:
        """(n, 3) places in the world of what is being drawn."""
        return np.zeros((0, 3))

    def picked(self) -> list[Spot]:
        """The places picked so far, to be marked."""
        return []

    def finish(self) -> bool:
        """Enter: take what has been answered so far for all of it. Whether it is done."""
        return False

    def takes_enter(self) -> bool:
        """Whether Enter ends it."""
        return False

    def stopped(self) -> None:  # noqa: B027 (most have nothing to do then)
        """It is asked no more."""


class PlaceQuestion(Question):
    """Answered by a place on the geometry. part: id of the part it is for, whose places count
    wherever the pointer is; "" for none."""

    part = ""

    def fits(self, spot: Spot) -> bool:
        """Whether a place can be an answer."""
        del spot
        return True

    def spots(self, scene: Scene, pose: Pose, under: set[int]) -> list[Spot]:
        """Places that can be an answer: on the part it is for, and on the rows of parts under
        the pointer."""
        rows = under | ({pose.program.part_row[ids.part(self.part)]} if self.part else set())
        return [spot for spot in snap_places(scene, pose, rows) if self.fits(spot)]

    @abstractmethod
    def take(self, spot: Spot) -> Question | None:
        """A place was picked."""


class PartQuestion(Question):
    """Answered by a part, in the Bench or in the list of parts. surface: whether it must be hit
    in the Bench, so that there is a place on it."""

    surface = False

    @abstractmethod
    def take(self, part: PartId, place: Array | None) -> Question | None:
        """A part (id) was clicked; place: (3,) where in the world, None from the list."""


class NumberQuestion(PartQuestion):
    """Answered by a part, or by any number: on the Desk, a Card, in the Ledger, or found by its
    name."""

    @abstractmethod
    def take_number(self, channel: ChannelKey) -> Question | None:
        """A number (key) was clicked."""


class TargetQuestion(PartQuestion):
    """Answered by a part, a path, or a place on the ground."""

    @abstractmethod
    def take_path(self, path: ThingId) -> Question | None:
        """A path (id) was clicked."""

    @abstractmethod
    def take_ground(self, place: Array) -> Question | None:
        """A place (3,) on the ground was clicked."""


class PointsQuestion(PlaceQuestion):
    """Answered by points one after another: places to snap to, else places on parts or on the
    ground."""

    @abstractmethod
    def take_point(self, place: Array, part: PartId) -> Question | None:
        """A place (3,) in the world was clicked, on a part (id), "" for the ground."""

    def take(self, spot: Spot) -> Question | None:
        """A place to snap to is a point like any other."""
        return self.take_point(spot.world, spot.anchor.part)
