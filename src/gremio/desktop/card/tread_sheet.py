"""The Card of a tread, or a chain: its links, its wheels, how it hangs and slips."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from msgspec.structs import replace

from gremio.core.edit.treads import change_tread, remove_tread
from gremio.core.quantity import show_short, show_small
from gremio.core.rig.channels import PITCH, SHIFT, key
from gremio.core.rig.ids import GROUND, ThingId
from gremio.core.rig.model import Rig, Tread
from gremio.core.solve.treads import links_now
from gremio.desktop.actions.treads import let_motor_drive, use_as_link
from gremio.desktop.bench.view import Bench
from gremio.desktop.card.form_sheet import FormSheet
from gremio.desktop.card.forms import (
    Act,
    Amount,
    Field,
    Head,
    Number,
    Pick,
    Rule,
    Several,
    Thing,
    Title,
    Words,
)
from gremio.desktop.card.links import led_section
from gremio.desktop.document.document import Document
from gremio.desktop.theme.inks import Inks

_WHERE = {"above alone": False, "above and below": True}


class TreadSheet(FormSheet):
    """What is known of one tread."""

    change = staticmethod(change_tread)

    def __init__(self, document: Document, tread: ThingId, inks: Inks, bench: Bench) -> None:
        super().__init__(document, tread, inks)
        entry, rig = self.entry, document.rig
        link = rig.parts.get(entry.link)
        repeated = link is not None and link.repeat is not None
        self.lay(
            Title(self.get("name"), self.set("name"), [Act("Remove it", self._remove)]),
            Words("links that go round wheels, equally far from joint to joint"),
            Rule(),
            Thing("fixed", link.name, "its link", entry.link) if link is not None else None,
            Act("Use a part as its link…", partial(use_as_link, document, bench, tread),
                "Its x goes along the band and its z outward, or it stays as it lies on it"),
            [Number("Count", key(entry.link, "count"), f"Count of {entry.name}"),
             Number("Pitch", key(entry.link, PITCH["tread"]), f"Pitch of {entry.name}"),
             Number("Shift", key(entry.link, SHIFT["tread"]), f"Shift of {entry.name}")]
            if repeated else None,
            Words(self._now),
            Number("Sag", key(tread, "sag"), f"Sag of {entry.name}"),
            Pick("It hangs", _WHERE, self.get("hangs"), self.set("hangs"), "hanging"),
            Number("Slip", key(tread, "slip"), f"Slip of {entry.name}"),
            Act("Let a motor drive its links", partial(let_motor_drive, document, tread),
                "They go on by a rate besides what their wheel takes them along"),
            Head("Goes round"),
            *(self._wheel(index) for index in range(len(entry.wheels))),
            led_section(document, tread),
        )  # fmt: skip
        self.end()

    @property
    def entry(self) -> Tread:
        """The tread as it is now."""
        return self.document.rig.treads[self.thing]

    def _wheel(self, index: int) -> Iterator[Field]:
        rig, wheel = self.document.rig, self.entry.wheels[index]
        part = rig.parts.get(wheel.on or GROUND)
        if part is not None:
            told = "drives" if not index else "the band runs outside" if wheel.radius < 0 else ""
            yield Thing(part.joint.kind, part.name, told, wheel.on or GROUND)
        line = Amount(
            "" if index else "Line at", "length", lambda rig: self._radius(rig, index),
            lambda rig, r: self._with_radius(rig, index, r), "radius", f"Wheel {index + 1} radius",
            help="The radius of the line in which links are joined",
        )  # fmt: skip
        if not index:
            yield line
            return
        other = Act("⇄", partial(self._turn_over, index), "The band runs on its other side",
                    narrow=True, name=f"Other side of wheel {index + 1}")  # fmt: skip
        yield Several("Line at", [line, other])

    def _radius(self, rig: Rig, index: int) -> float:
        return abs(rig.treads[self.thing].wheels[index].radius)

    def _with_radius(self, rig: Rig, index: int, radius: float) -> Rig:
        wheels = list(rig.treads[self.thing].wheels)
        side = 1.0 if wheels[index].radius > 0 else -1.0
        wheels[index] = replace(wheels[index], radius=side * radius)
        return self.set("wheels")(rig, tuple(wheels))

    def _turn_over(self, index: int) -> None:
        wheels = list(self.entry.wheels)
        wheels[index] = replace(wheels[index], radius=-wheels[index].radius)
        self.edit("side", lambda rig: self.set("wheels")(rig, tuple(wheels)))

    def _now(self) -> str:
        """How its links lie now."""
        here = links_now(self.document.pose, self.thing)
        if here.wrong:
            return here.wrong
        unit = self.usual_unit("length")
        words = f"the band is {show_short(here.length, unit)} round; {len(here.frames)} links close"
        return f"{words} at {show_small(here.pitch, 'mm')}"

    def usual_reach(self) -> float:
        """As far as a link is long (m)."""
        return max(links_now(self.document.pose, self.thing).pitch, 1e-3)

    def _remove(self) -> None:
        name = self.entry.name
        self.document.edit(f"remove {name}", lambda rig: remove_tread(rig, self.thing))
