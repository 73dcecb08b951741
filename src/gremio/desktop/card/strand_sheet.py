"""The Card of a strand: a spring, bellows, a hose or a rope."""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import partial
from typing import get_args

from msgspec.structs import replace

from gremio.core.edit.strands import change_strand, remove_strand
from gremio.core.problem import listed
from gremio.core.quantity import show_short
from gremio.core.rig.channels import key, split
from gremio.core.rig.ids import ThingId
from gremio.core.rig.model import Rig, Strand, StrandKind
from gremio.core.rig.numbers import numbers_of
from gremio.core.solve.strands import lying
from gremio.desktop.card.form_sheet import FormSheet
from gremio.desktop.card.forms import (
    Act,
    Amount,
    Field,
    Head,
    Number,
    Pick,
    Rule,
    Thing,
    Title,
    Words,
    three,
)
from gremio.desktop.card.links import led_section
from gremio.desktop.document.document import Document
from gremio.desktop.theme.inks import Inks

_SAYS = {
    "spring": "spring, it keeps its coils however long it is",
    "bellows": "bellows, they keep their folds however long they are",
    "hose": "hose, what is more than the way hangs",
    "rope": "rope, taut over its sheaves, or hanging between two ends",
}
_WORDS = {"thickness": "Thick", "width": "Wide", "turns": "Coils", "length": "Length"}

# What a rope leaves the plane of a sheave by is told from half a degree on.
_A_FLEET = math.radians(0.5)


class StrandSheet(FormSheet):
    """What is known of one strand."""

    change = staticmethod(change_strand)

    def __init__(self, document: Document, strand: ThingId, inks: Inks) -> None:
        super().__init__(document, strand, inks)
        entry = self.entry
        kinds = {k: k for k in get_args(StrandKind) if len(entry.through) == 2 or k == "rope"}
        hangs = entry.kind in ("hose", "rope")
        self.lay(
            Title(self.get("name"), self.set("name"), [Act("Remove it", self._remove)]),
            Words(_SAYS[entry.kind]),
            Rule(),
            Pick("Kind", kinds, self.get("kind"), self.set("kind"), "kind"),
            [self._own_number(split(c)[1]) for c in numbers_of(document.rig, strand)],
            Words("taut: it is as long as the way asks for")
            if hangs and not entry.length
            else None,
            Words(self._now),
            Head("Goes to" if len(entry.through) == 2 else "Goes over"),
            *(self._end(index) for index in range(len(entry.through))),
            led_section(document, strand),
        )
        self.end()

    @property
    def entry(self) -> Strand:
        """The strand as it is now."""
        return self.document.rig.strands[self.thing]

    def _own_number(self, name: str) -> Number:
        folds = name == "turns" and self.entry.kind == "bellows"
        word = "Folds" if folds else _WORDS[name]
        return Number(word, key(self.thing, name), f"{word} of {self.entry.name}")

    def _end(self, index: int) -> Iterator[Field]:
        rig, end = self.document.rig, self.entry.through[index]
        if end.on in rig.parts:
            part = rig.parts[end.on]
            yield Thing(part.joint.kind, part.name, f"point {index + 1}", end.on)
        else:
            yield Words(f"the ground, point {index + 1}")
        yield three("At, {m}", "length", lambda rig: rig.strands[self.thing].through[index].at,
                    lambda rig, at: self._with_end(rig, index, at=at), "way",
                    f"Point {index + 1}")  # fmt: skip
        if end.radius:
            yield Amount("Radius", "length",
                         lambda rig: rig.strands[self.thing].through[index].radius,
                         lambda rig, r: self._with_end(rig, index, radius=r), "way",
                         f"Sheave {index + 1} radius")  # fmt: skip
            yield Act("Go round the other side", partial(self._turn_over, index, -end.radius))

    def _with_end(self, rig: Rig, index: int, **fields: object) -> Rig:
        through = list(rig.strands[self.thing].through)
        through[index] = replace(through[index], **fields)
        return self.set("through")(rig, tuple(through))

    def _turn_over(self, index: int, radius: float) -> None:
        self.edit("way", lambda rig: self._with_end(rig, index, radius=radius))

    def _now(self) -> str:
        """How long it is now, and in how many falls."""
        here = lying(self.document.pose).get(self.thing)
        if here is None:
            return ""
        if here.wrong:
            return here.wrong
        words = f"{show_short(here.length, self.usual_unit('length'))} long now"
        if here.falls > 1:
            words += f", in {here.falls} falls"
        if here.clear:
            words += f"; clear of {listed(f'point {number + 1}' for number in here.clear)}"
        if here.fleet > _A_FLEET:
            words += f"; up to {show_short(here.fleet, 'deg')} out of a sheave's plane"
        if here.missing > 1e-9:
            words += f"; {show_short(here.missing, 'mm')} too short"
        return words

    def _remove(self) -> None:
        name = self.entry.name
        self.document.edit(f"remove {name}", lambda rig: remove_strand(rig, self.thing))
