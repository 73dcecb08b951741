"""The Card of a strand: a spring, bellows, a hose or a rope."""

from __future__ import annotations

from functools import partial
from typing import get_args

from msgspec.structs import replace

from gremio.core.quantity import Kind, show_short
from gremio.core.rig.edit.strands import change_strand, remove_strand
from gremio.core.rig.model import Strand, StrandKind
from gremio.core.solve.strands import lies
from gremio.desktop.card.rows import (
    Sheet,
    Slab,
    choice,
    heading,
    link_button,
    narrow_field,
    number_field,
    rule,
    second,
    title_field,
)
from gremio.desktop.document import Document
from gremio.desktop.fields import QuantityField
from gremio.desktop.theme.inks import Inks

_SAYS = {
    "spring": "spring · it keeps its coils however long it is",
    "bellows": "bellows · they keep their folds however long they are",
    "hose": "hose · what is more than the way hangs",
    "rope": "rope · taut over its sheaves, or hanging between two ends",
}


class StrandSheet(Sheet):
    """What is known of one strand."""

    def __init__(self, document: Document, strand: str, inks: Inks) -> None:
        super().__init__()
        self.document, self.strand, self.inks = document, strand, inks
        entry = self.entry
        self.add(title_field(entry.name, "Name", lambda name: self._change("name", name=name)))
        self.add(second(_SAYS[entry.kind]))
        self.add(rule())
        kinds = [k for k in get_args(StrandKind) if len(entry.through) == 2 or k == "rope"]
        self.row("Kind", choice(kinds, entry.kind, "Kind", lambda t: self._change("kind", kind=t)))
        if entry.kind != "bellows":
            self._number("Thick", "thickness", "length")
        if entry.kind in ("spring", "bellows"):
            self._number("Wide", "width", "length")
            self._number("Coils" if entry.kind == "spring" else "Folds", "turns", "number")
        else:
            self._number("Length", "length", "length")
            if not entry.length:
                self.add(second("taut: it is as long as the way asks for"))
        self.now = second("")
        self.add(self.now)
        self.add(heading("Goes to" if len(entry.through) == 2 else "Goes over"))
        for index in range(len(entry.through)):
            self._add_end(index)
        self.add(link_button("Remove it", self._remove))
        self.end()
        self.take_pose()

    @property
    def entry(self) -> Strand:
        """The strand as it is now."""
        return self.document.rig.strands[self.strand]

    def _number(self, word: str, name: str, kind: Kind) -> None:
        field = number_field(self.document, self, kind, f"{word} of {self.entry.name}")
        if name in ("thickness", "width"):
            field.unit = "mm"
        if name == "turns":
            field.decimals = 1
        field.set_value(getattr(self.entry, name))
        field.committed.connect(lambda value: self._change(word.lower(), **{name: value}))
        self.row(word, field)

    def _add_end(self, index: int) -> None:
        rig, end = self.document.rig, self.entry.through[index]
        if end.on in rig.parts:
            part = rig.parts[end.on]
            show = partial(self.document.select, end.on)
            self.add(Slab(self.inks, part.joint.kind, part.name, "", show))
        else:
            self.add(second("the ground"))
        self.row("At, m", *(self._point(index, axis) for axis in range(3)))
        if end.radius:
            field = number_field(self.document, self, "length", f"Sheave {index + 1} radius")
            field.set_value(end.radius)
            field.committed.connect(lambda value: self._set_end(index, radius=value))
            self.row("Radius", field)
            other = partial(self._set_end, index, radius=-end.radius)
            self.add(link_button("Go round the other side", lambda: other()))

    def _point(self, index: int, axis: int) -> QuantityField:
        field = narrow_field(self.document, self, "length", f"Point {index + 1} {'xyz'[axis]}")
        field.set_value(self.entry.through[index].at[axis])

        def typed(value: float) -> None:
            at = list(self.entry.through[index].at)
            at[axis] = value
            self._set_end(index, at=tuple(at))

        field.committed.connect(typed)
        return field

    def _set_end(self, index: int, **fields: object) -> None:
        through = list(self.entry.through)
        through[index] = replace(through[index], **fields)
        self._change("way", through=tuple(through))

    def take_pose(self) -> None:
        """How long it is now, and in how many falls."""
        entry = self.document.rig.strands.get(self.strand)
        lying = lies(self.document.pose, entry) if entry is not None else None
        if lying is None:
            return
        words = f"{show_short(lying.length, 'm')} long now"
        if lying.falls > 1:
            words += f", in {lying.falls} falls"
        if lying.missing > 1e-9:
            words += f"; {show_short(lying.missing, 'mm')} too short"
        self.now.setText(words)

    def _change(self, what: str, **fields: object) -> None:
        changed = replace(self.entry, **fields)
        name = self.entry.name
        if not self.document.edit(
            f"{what} of {name}", lambda rig: change_strand(rig, self.strand, changed)
        ):
            self.document.selection_changed.emit()

    def _remove(self) -> None:
        name = self.entry.name
        self.document.edit(f"remove {name}", lambda rig: remove_strand(rig, self.strand))
