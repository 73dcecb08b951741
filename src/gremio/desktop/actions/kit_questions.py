"""Questions that a kit asks when it is put in: one class each."""

from __future__ import annotations

from collections.abc import Callable

from gremio.core.arrays import Array
from gremio.core.quantity import Kind
from gremio.core.rig.channels import key, main_channel
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.numbers import exists, full_label, kind_of
from gremio.desktop.bench.question import NumberQuestion, PartQuestion, Question, TargetQuestion
from gremio.desktop.document.document import Document


class KitPlace(TargetQuestion):
    """What a kit stands on, and where. answer: takes the part (None for the ground), and the place
    (3,) in the world; None where the part was clicked in the list."""

    def __init__(
        self, document: Document, name: str, answer: Callable[[PartId | None, Array | None], None]
    ) -> None:
        super().__init__(document)
        self._name, self._answer = name, answer

    @property
    def words(self) -> str:
        """What to click."""
        return f"click where {self._name} stands, on a part or on the ground"

    def take(self, part: PartId, place: Array | None) -> Question | None:
        """On a part."""
        self._answer(part, place)
        return None

    def take_path(self, path: ThingId) -> Question | None:
        """On no path."""
        name = self.document.rig.paths[path].name
        self.document.said.emit(f"{name} is a path. Click a part, or the ground.")
        return self

    def take_ground(self, place: Array) -> Question | None:
        """On the ground."""
        self._answer(None, place)
        return None


class KitCarrier(PartQuestion):
    """The part of this rig that stands in for one without a shape of a kit. answer: takes the part,
    and the place (3,) in the world; None where it was clicked in the list."""

    def __init__(
        self, document: Document, asks: str, answer: Callable[[PartId, Array | None], None]
    ) -> None:
        super().__init__(document)
        self._asks, self._answer = asks, answer

    @property
    def words(self) -> str:
        """What to click."""
        return f"click {self._asks}"

    def take(self, part: PartId, place: Array | None) -> Question | None:
        """That part."""
        self._answer(part, place)
        return None


class KitLead(NumberQuestion):
    """The number that leads in place of a control of a kit. kind: of quantity that it must be."""

    def __init__(
        self, document: Document, asks: str, kind: Kind, answer: Callable[[ChannelKey], None]
    ) -> None:
        super().__init__(document)
        self._asks, self._kind, self._answer = asks, kind, answer

    @property
    def words(self) -> str:
        """What to click."""
        return f"click {self._asks}: a part, or a number on the Desk, a Card, the Ledger"

    def take(self, part: PartId, place: Array | None) -> Question | None:
        """What the part's joint does."""
        del place
        entry = self.document.rig.parts[part]
        channel = main_channel(entry.joint)
        if not channel:
            self.document.said.emit(f"{entry.name} can't move, so it leads nothing. Click another.")
            return self
        return self.take_number(key(part, channel))

    def take_number(self, channel: ChannelKey) -> Question | None:
        """That number, if it is of the kind."""
        rig = self.document.rig
        if not exists(rig, channel) or kind_of(rig, channel) != self._kind:
            name = full_label(rig, channel)
            self.document.said.emit(f"{name} is no {self._kind}, which is what must lead here. "
                                    "Click another.")  # fmt: skip
            return self
        self._answer(channel)
        return None
