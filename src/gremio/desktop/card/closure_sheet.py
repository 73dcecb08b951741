"""The Card of a closure: what it ties, how mobile its loop is, what leads it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import get_args

from msgspec.structs import replace

from gremio.core.edit.closures import change_closure, remove_closure
from gremio.core.plan.loops import Loop
from gremio.core.problem import counted_words, listed
from gremio.core.quantity import Kind, show_small
from gremio.core.rig.channels import split
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import Closure, ClosureKind, Rig
from gremio.core.rig.numbers import closure_label, full_label, label
from gremio.desktop.card.form_sheet import FormSheet
from gremio.desktop.card.forms import (
    Act,
    Field,
    Head,
    Pick,
    Rule,
    Several,
    Thing,
    Title,
    Words,
    three,
)
from gremio.desktop.document.document import Document
from gremio.desktop.theme.inks import Inks

_WHAT = {"pin": "pin, two points kept together", "rail": "rail, a point kept on a line"}


class ClosureSheet(FormSheet):
    """What is known of one closure."""

    change = staticmethod(change_closure)

    def __init__(self, document: Document, closure: ThingId, inks: Inks) -> None:
        super().__init__(document, closure, inks)
        entry = self.entry
        self.owner = entry.one
        loop = self._loop()
        count = len(loop.parts) if loop is not None else 0
        kinds = {kind: kind for kind in get_args(ClosureKind)}
        self.lay(
            Title(
                lambda rig: _title(rig, entry),
                more=[Act("Swap the two parts", self._swap),
                      Act("Remove this closure", self._remove)],
            ),
            Words(f"{entry.kind}, in a loop of {counted_words(count, 'part')}"),
            Words(self._state, help=self._figures(loop)),
            Rule(),
            Pick("Kind", kinds, self.get("kind"), self.set("kind"), "kind of a closure",
                 "Kind of closure"),
            Words(_WHAT[entry.kind]),
            self._end("First part", entry.one, "at_one"),
            self._end("Second part", entry.two, "at_two"),
            self._numbers("Along", "axis") if entry.kind == "rail" else None,
            self._mobility(loop) if loop is not None else None,
        )  # fmt: skip
        self.end()

    @property
    def entry(self) -> Closure:
        """The closure as it is now."""
        return self.document.rig.closures[self.thing]

    def _end(self, word: str, part: PartId | None, field: str) -> Iterator[Field]:
        rig = self.document.rig
        yield Head(word)
        if part is not None and part in rig.parts:
            yield Thing(rig.parts[part].joint.kind, rig.parts[part].name, "", part)
        else:
            yield Words("the ground")
        yield self._numbers("At, {m}", field)

    def _numbers(self, word: str, field: str) -> Several:
        kind: Kind = "number" if field == "axis" else "length"
        return three(word, kind, self.get(field), self.set(field), "point of a closure", field)

    def _loop(self) -> Loop | None:
        loops = self.document.program.loops.values()
        return next((loop for loop in loops if self.thing in loop.closures), None)

    def _mobility(self, loop: Loop) -> Iterator[Field]:
        """What leads the loop, and what is missing or too much."""
        yield Head("Led by", lambda: listed(self._leading(loop)) or "nothing yet", folded=True)
        rig = self.document.rig
        for channel in (*loop.given, *loop.free):
            led = "moved by a link" if channel in loop.given else "moved by a hand"
            if channel in loop.idle:
                led = "idle: it moves nothing but its own part"
            owner = split(channel)[0]
            joint = rig.parts[PartId(owner)].joint.kind
            yield Thing(joint, full_label(rig, channel), led, owner)
        for part, _ in loop.swings:
            name = rig.parts[part].name
            yield Words(f"The spin of {name} about itself is idle: it swings without spinning.")
        missing = loop.mobility - len(loop.given) - len(loop.idle) - len(loop.swings)
        if loop.surplus:
            yield Words(f"{loop.surplus} too many: the loop can't follow all of them.")
        elif missing > 0:
            verb = "is" if missing == 1 else "are"
            yield Words(f"{missing} of them {verb} led by nothing yet.")

    @staticmethod
    def _figures(loop: Loop | None) -> str:
        """Mobility both ways, as it is told on hovering."""
        if loop is None:
            return ""
        told = f"Mobility {loop.mobility}, by the rank of its Jacobian"
        if loop.gruebler != loop.mobility:
            told += (
                f"; counting joints gives {loop.gruebler} (Gruebler–Kutzbach): its geometry is "
                "special, and the rank is what counts"
            )
        return f"{told}."

    def _leading(self, loop: Loop) -> list[str]:
        """What moves the loop now, by names: links, or else hands."""
        channels = loop.given or tuple(c for c in loop.free if c not in loop.idle)
        return [label(self.document.rig, channel) for channel in channels]

    def _state(self) -> str:
        """In a line: "1 way to move, led by Lift nut; closed"."""
        loop = self._loop()
        if loop is None:
            return self._gap()
        ways = counted_words(loop.mobility, "way") + " to move"
        if loop.mobility == 0:
            ways = "no way to move"
        names = listed(self._leading(loop)) if loop.mobility else ""
        led = (
            f", led by {names}" if loop.given and names else f", moved at {names}" if names else ""
        )
        return f"{ways}{led}; {self._gap()}".rstrip("; ")

    def _gap(self) -> str:
        """How nearly the loop is closed now."""
        for closing in self.document.pose.poses.closing.values():
            if self.thing in closing.step.loop.closures:
                gap, gone = float(closing.gap[0]), float(closing.gone[0])
                if not closing.step.can_close:
                    return f"open by {show_small(gap, 'mm')}"
                words = "closed" if gone >= 1.0 else "closed, and held where its reach ends"
                if gap <= 1e-9:
                    return words
                return f"{words}, but for {show_small(gap, 'mm')} that no joint can close"
        return ""

    def _swap(self) -> None:
        entry = self.entry
        if entry.two is None:
            self.document.said.emit("The ground can't come first: a part is tied to it.")
            return
        swapped = replace(
            entry, one=entry.two, two=entry.one, at_one=entry.at_two, at_two=entry.at_one
        )
        self.edit("swap the parts of a closure",
                  lambda rig: change_closure(rig, self.thing, swapped))  # fmt: skip

    def _remove(self) -> None:
        self.document.edit("remove a closure", lambda rig: remove_closure(rig, self.thing))


def _title(rig: Rig, closure: Closure) -> str:
    name = closure_label(rig, closure).removeprefix("the ")
    return name[0].upper() + name[1:]
