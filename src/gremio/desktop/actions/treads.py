"""Treads and chains made at the screen."""

from __future__ import annotations

from gremio.core.arrays import Array
from gremio.core.make.motors import with_motor
from gremio.core.make.tracked import make_tracked
from gremio.core.make.tread_changes import with_link
from gremio.core.make.treads import make_tread
from gremio.core.quantity import show_short, show_small
from gremio.core.rig.channels import SHIFT, key
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import Rig
from gremio.core.solve.treads import links_now
from gremio.desktop.actions.desktop import Desktop
from gremio.desktop.actions.part_questions import WheelsQuestion
from gremio.desktop.bench.question import PartQuestion, Question
from gremio.desktop.bench.view import Bench
from gremio.desktop.document.document import Document

_TWO = "A band goes round two wheels at least. Click on, or press Esc to stop."


class TreadWheels(WheelsQuestion):
    """The wheels that links go round, the driving one first, until Enter."""

    def __init__(self, document: Document, *, chain: bool) -> None:
        super().__init__(document)
        self._chain = chain

    @property
    def words(self) -> str:
        """What to click."""
        what = "sprockets" if self._chain else "wheels"
        if not self._wheels:
            return f"click the {what.removesuffix('s')} that drives"
        count = len(self._wheels)
        return f"click the other {what} it goes round, in any order, then press Enter ({count})"

    def finish(self) -> bool:
        """Lay the links."""
        if len(self._wheels) < 2:
            self.document.said.emit(_TWO)
            return False
        return lay_links(self.document, list(self._wheels), chain=self._chain)


class OwnLink(PartQuestion):
    """The part that becomes the link of a tread (id)."""

    def __init__(self, document: Document, tread: ThingId) -> None:
        super().__init__(document)
        # It is another one when it has been made anew.
        self._tread, self._name = tread, document.rig.treads[tread].name

    @property
    def words(self) -> str:
        """What to click."""
        return f"click the part that becomes the link of {self._name}"

    def take(self, part: PartId, place: Array | None) -> Question | None:
        """Make the links of it."""
        del place
        document = self.document
        done = document.make(
            f"link of {self._name}",
            lambda rig: with_link(rig, self._tread, part, geometry=document.geometry),
        )
        if done:
            document.said.emit(told_of(document, document.selected))
        return None if done else self


def told_of(document: Document, tread: ThingId) -> str:
    """How the links of a tread lie: how many, how far apart, and how long the band is."""
    here = links_now(document.settled(), tread)
    name = document.rig.treads[tread].name
    if here.wrong:
        return here.wrong
    return (
        f"{name}: {len(here.frames)} links, {show_small(here.pitch, 'mm')} from joint to joint, "
        f"round {show_short(here.length, 'm')}."
    )


def lay_links(document: Document, wheels: list[PartId], *, chain: bool) -> bool:
    """Make a tread, or a chain, round wheels (ids), the first of which drives; whether it was."""
    word = "chain" if chain else "tread"

    def change(rig: Rig) -> tuple[Rig, ThingId]:
        return make_tread(rig, wheels, chain=chain, geometry=document.geometry)

    done = document.make(f"make a {word}", change)
    if done:
        document.said.emit(told_of(document, document.selected))
    return done


def _begin(desktop: Desktop, *, chain: bool) -> None:
    document = desktop.document
    chosen = document.chosen_parts
    if len(chosen) > 1:
        # In the order in which they were chosen.
        lay_links(document, chosen, chain=chain)
        return
    desktop.bench.ask(TreadWheels(document, chain=chain))


def tread(desktop: Desktop) -> None:
    """Lay links round the chosen wheels, or round those that the next clicks choose."""
    _begin(desktop, chain=False)


def chain(desktop: Desktop) -> None:
    """Lay a chain round the chosen sprockets, or round those that the next clicks choose."""
    _begin(desktop, chain=True)


def use_as_link(document: Document, bench: Bench, tread_id: ThingId) -> None:
    """Let the next click choose the part that becomes the link of a tread (id)."""
    bench.ask(OwnLink(document, tread_id))


def let_motor_drive(document: Document, tread_id: ThingId) -> None:
    """Let a motor drive the links of a tread (id) besides, with a lever for its speed."""
    entry = document.rig.treads[tread_id]
    shift = key(entry.link, SHIFT["tread"])
    document.make(f"let a motor drive {entry.name}", lambda rig: with_motor(rig, shift))


def track(document: Document, body: PartId, wheels: list[PartId]) -> bool:
    """Make a tracked carriage of a body and wheels (ids); whether it was made."""
    name = document.rig.parts[body].name
    gauge: list[float] = []

    def change(rig: Rig) -> Rig:
        rig, made = make_tracked(rig, body, wheels, geometry=document.geometry)
        gauge.append(made.gauge)
        return rig

    done = document.edit(f"put {name} on treads", change)
    if done:
        document.said.emit(
            f"{name} runs on treads {show_short(gauge[-1], 'm')} apart: its travel and its turn "
            "are on the Desk, its slip on the Card of each tread."
        )
    return done
