"""The Card of a closure: what it ties, how mobile its loop is, what leads it."""

from __future__ import annotations

from functools import partial
from typing import get_args

from msgspec.structs import replace

from gremio.core.quantity import Kind, show_short
from gremio.core.rig.channels import full_label, split
from gremio.core.rig.edit.closures import change_closure, remove_closure
from gremio.core.rig.loops import Loop
from gremio.core.rig.model import Closure, ClosureKind
from gremio.desktop.card.rows import (
    Sheet,
    Slab,
    choice,
    heading,
    link_button,
    narrow_field,
    rule,
    second,
)
from gremio.desktop.document import Document
from gremio.desktop.fields import QuantityField
from gremio.desktop.theme.dress import text_font
from gremio.desktop.theme.inks import Inks

_WHAT = {"pin": "pin, two points kept together", "rail": "rail, a point kept on a line"}


class ClosureSheet(Sheet):
    """What is known of one closure."""

    def __init__(self, document: Document, closure: str, inks: Inks) -> None:
        super().__init__()
        self.document, self.closure, self.inks = document, closure, inks
        entry = document.rig.closures[closure]
        title = heading(entry.kind.capitalize())
        title.setFont(text_font(11.5, bold=True))
        self.add(title)
        loop = self._loop()
        count = len(loop.parts) if loop is not None else 0
        self.add(second(f"closure · closes a loop of {count} parts and what carries them"))
        self.add(rule())
        kinds = get_args(ClosureKind)
        self.row("Kind", choice(kinds, entry.kind, "Kind of closure", self._set_kind))
        self.add(second(_WHAT[entry.kind]))
        for word, part, name in (
            ("First part", entry.one, "at_one"),
            ("Second part", entry.two, "at_two"),
        ):
            self.add(heading(word))
            if part is not None and part in document.rig.parts:
                joint = document.rig.parts[part].joint.kind
                show = partial(document.select, part)
                self.add(Slab(inks, joint, document.rig.parts[part].name, "", show))
            else:
                self.add(second("the ground"))
            self.row("At, m", *(self._number(name, axis) for axis in range(3)))
        if entry.kind == "rail":
            self.row("Along", *(self._number("axis", axis) for axis in range(3)))
        if loop is not None:
            self._add_loop(loop)
        self.gap = second("")
        self.add(self.gap)
        self.add(link_button("Swap the two parts", self._swap))
        self.add(link_button("Remove this closure", self._remove))
        self.end()
        self.take_pose()

    def _loop(self) -> Loop | None:
        for loop in self.document.program.loops.values():
            if self.closure in loop.closures:
                return loop
        return None

    def _add_loop(self, loop: Loop) -> None:
        """Mobility both ways, what leads the loop, and what is missing or too much."""
        self.add(heading("Mobility"))
        freedom = f"{loop.mobility} freedom{'s' * (loop.mobility != 1)}"
        self.add(second(f"{freedom}, by the rank of its Jacobian"))
        if loop.gruebler != loop.mobility:
            self.add(
                second(
                    f"Counting joints gives {loop.gruebler} (Gruebler–Kutzbach): its geometry is "
                    "special, and the rank is what counts."
                )
            )
        self.add(heading("Led by"))
        rig = self.document.rig
        for channel in (*loop.given, *loop.free):
            led = "a link" if channel in loop.given else "a hand"
            owner = split(channel)[0]
            show = partial(self.document.select, owner)
            joint = rig.parts[owner].joint.kind
            self.add(Slab(self.inks, joint, full_label(rig, channel), f"moved by {led}", show))
        missing = loop.mobility - len(loop.given)
        if loop.surplus:
            self.add(second(f"{loop.surplus} too many: the loop can't follow all of them."))
        elif missing > 0:
            self.add(
                second(f"{missing} of them {'is' if missing == 1 else 'are'} led by nothing yet.")
            )

    def take_pose(self) -> None:
        """Say how nearly the loop is closed now."""
        for closing in self.document.pose.poses.closing.values():
            if self.closure in closing.step.loop.closures:
                gap, gone = float(closing.gap[0]), float(closing.gone[0])
                words = "closed" if gap < 1e-9 else f"open by {show_short(gap, 'mm')}"
                if gone < 1.0 and gap < 1e-9:
                    words = "closed, and held where its reach ends"
                self.gap.setText(f"{words} ({gap:.0e} m)")

    def _number(self, name: str, axis: int) -> QuantityField:
        entry = self.document.rig.closures[self.closure]
        kind: Kind = "number" if name == "axis" else "length"
        field = narrow_field(self.document, self, kind, f"{name} {'xyz'[axis]}")
        field.set_value(getattr(entry, name)[axis])
        field.committed.connect(lambda value: self._typed(name, axis, value))
        return field

    def _typed(self, name: str, axis: int, value: float) -> None:
        entry = self.document.rig.closures[self.closure]
        three = list(getattr(entry, name))
        three[axis] = value
        self._put("point of a closure", replace(entry, **{name: tuple(three)}))

    def _set_kind(self, text: str) -> None:
        entry = self.document.rig.closures[self.closure]
        kind = next(k for k in get_args(ClosureKind) if k == text)
        self._put("kind of a closure", replace(entry, kind=kind))

    def _swap(self) -> None:
        entry = self.document.rig.closures[self.closure]
        if entry.two is None:
            self.document.said.emit("The ground can't come first: a part is tied to it.")
            return
        swapped = replace(
            entry, one=entry.two, two=entry.one, at_one=entry.at_two, at_two=entry.at_one
        )
        self._put("swap the parts of a closure", swapped)

    def _put(self, what: str, changed: Closure) -> None:
        if not self.document.edit(what, lambda rig: change_closure(rig, self.closure, changed)):
            self.document.selection_changed.emit()

    def _remove(self) -> None:
        self.document.edit("remove a closure", lambda rig: remove_closure(rig, self.closure))
