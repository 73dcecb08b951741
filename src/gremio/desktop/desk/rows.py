"""What stands in the list of parts beside parts: what holds them, goes between them, or is measured
on them, each under the part that it has to do with."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any, NamedTuple

from gremio.core.rig.channels import freed, key
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.links import link_symbol, link_word
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import closure_label, full_label
from gremio.core.rig.things import thing_of
from gremio.desktop.document.document import Document
from gremio.desktop.fields.pieces import short_channels


class Row(NamedTuple):
    """One row. under: id of the part it stands under, None at the end of the list."""

    name: str
    symbol: str
    under: PartId | None


class _Kind(NamedTuple):
    """A kind of thing. under: the parts that it has to do with, the first that is there counts."""

    symbol: Callable[[Any], str]
    under: Callable[[Rig, Any], tuple[PartId | None, ...]]


_KINDS: dict[str, _Kind] = {
    "struts": _Kind(lambda _: "cylinder", lambda rig, one: (rig.parts[one.barrel].parent,)),
    "constraints": _Kind(lambda one: one.kind, lambda _rig, one: (one.part,)),
    "closures": _Kind(lambda _: "linkage", lambda _rig, one: (one.one, one.two)),
    "strands": _Kind(lambda _: "strand", lambda _rig, one: tuple(p.on for p in one.through)),
    "treads": _Kind(lambda _: "tread", lambda _rig, one: (one.on, one.link)),
    "paths": _Kind(lambda _: "path", lambda _rig, one: (one.on,)),
    "measures": _Kind(lambda _: "measure", lambda _rig, one: tuple(e.part for e in one.ends)),
}
FIELDS = tuple(_KINDS)


def rows_of(rig: Rig) -> Iterator[tuple[ThingId, Row]]:
    """The rows of a rig beside its parts, by id. The pin of a strut is the strut's own."""
    own = {strut.closure for strut in rig.struts.values()}
    for field, kind in _KINDS.items():
        for thing_id, thing in getattr(rig, field).items():
            if thing_id in own:
                continue
            closure = field == "closures"
            name = closure_label(rig, thing).removeprefix("the ") if closure else thing.name
            under = next((part for part in kind.under(rig, thing) if part in rig.parts), None)
            yield thing_id, Row(name, kind.symbol(thing), under)


class Told:
    """What rows say. rows: of what is no part, by id. left_out: ids of the parts that a hand left
    out of the Bench."""

    def __init__(self, document: Document) -> None:
        self.document = document
        self.rows: dict[ThingId, Row] = {}
        self.left_out: frozenset[PartId] = frozenset()

    def row_of(self, thing: ThingId) -> Row:
        """The row of what is no part."""
        return self.rows.get(thing, Row("", "fixed", None))

    def words_of(self, thing: ThingId) -> str:
        """What a row is called, and how often it is repeated."""
        part = self.document.rig.parts.get(PartId(thing))
        if part is None:
            return self.row_of(thing).name
        count = 0
        if part.repeat is not None:
            count = round(self.document.pose.at(key(thing, "count")))
        return f"{part.name}  × {count}" if part.repeat is not None else part.name

    def why_not_seen(self, thing: ThingId) -> str:
        """ "hidden" where a hand left a part out of the Bench, "not shown" where the rig does."""
        if thing in self.left_out:
            return "hidden"
        return "not shown" if thing in self.document.pose.hidden else ""

    def led_by(self, thing: ThingId) -> tuple[str, str] | None:
        """The symbol of what leads a part, and what it is in words; None for nothing."""
        rig, program = self.document.rig, self.document.program
        part = rig.parts.get(PartId(thing))
        for channel in freed(part.joint) if part is not None else ():
            drive = program.drives.get(key(thing, channel))
            symbol = _drive_symbol(rig, drive.links[0]) if drive and drive.links else ""
            if drive and symbol:
                leads = " and ".join(full_label(rig, lead) for lead in drive.leads[:2])
                link = rig.links.get(drive.links[0])
                word = "a constraint" if link is None else link_word(link)
                return symbol, f"{channel} is led by {leads or word}, {word}"
        return None

    def told_of(self, thing: ThingId) -> str:
        """What the marks of a row mean."""
        rig = self.document.rig
        part = rig.parts.get(PartId(thing))
        if part is None:
            record = thing_of(rig, thing)
            return f"{self.words_of(thing)}: {record.word if record else ''}"
        joint = part.joint
        free = short_channels(freed(joint))
        words = [f"{part.name}: {joint.kind}" + (f", free to {free}" if free else "")]
        if led := self.led_by(thing):
            words.append(led[1])
        if part.repeat is not None:
            words.append("repeated")
        away = self.why_not_seen(thing)
        if away == "hidden":
            words.append("hidden: Bench > Show everything brings it back")
        elif away:
            words.append("not shown: its own number, or what leads it, says so")
        return "\n".join(words)


def _drive_symbol(rig: Rig, link_id: ThingId) -> str:
    """The symbol of a link or a constraint that leads; "" for anything else."""
    if link_id in rig.constraints:
        return rig.constraints[link_id].kind
    link = rig.links.get(link_id)
    return link_symbol(link) if link is not None else ""
