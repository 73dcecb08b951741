"""The Card on which what is selected is mirrored: in which plane, and what becomes of it."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from gremio.core.arrays import Array
from gremio.core.edit.parts import descendants
from gremio.core.frames import carried
from gremio.core.make.alike import keep_alike
from gremio.core.make.copying import Crossing
from gremio.core.make.side_words import SIDES, sides_of
from gremio.core.make.twins import Plane, mirror_at, twin
from gremio.core.problem import counted_words
from gremio.core.rig.ids import PartId
from gremio.core.rig.lengths import length_unit
from gremio.core.rig.model import Axis, Rig
from gremio.desktop.bench.scene import box_edges
from gremio.desktop.bench.view import Bench
from gremio.desktop.document.document import Document
from gremio.desktop.fields.note_field import NoteField
from gremio.desktop.fields.pieces import Sheet, WideCheck, choice, rule, second, title, verb
from gremio.desktop.fields.quantity_field import QuantityField

_GROUND = "the ground"
_ACROSS: dict[str, Axis] = {
    "x, before and behind": "x",
    "y, left and right": "y",
    "z, above and below": "z",
}
_LED: dict[str, Crossing] = {
    "what leads the original": "share",
    "controls of its own": "own",
    "only what is inside": "none",
}
_TURNS = {"as the mirror has it": False, "the same way round": True}


class MirrorSheet(Sheet):
    """Asks for the plane, what leads the twin, how it turns, and which words change places. A ghost
    on the Bench shows where it would stand."""

    of_selection = True

    def __init__(self, document: Document, bench: Bench, done: Callable[[], None]) -> None:
        super().__init__()
        self.document, self.bench, self._done = document, bench, done
        self.roots = document.chosen_parts
        rig = document.rig
        name = rig.parts[self.roots[-1]].name
        several = counted_words(len(self.roots), "part")
        self.words = name if len(self.roots) == 1 else several
        self.add(title(f"Mirror {self.words}"))
        self.add(second("With all that it carries, and all links inside."))
        self.add(rule())
        inside = {*self.roots, *(p for root in self.roots for p in descendants(rig, root))}
        self._frames: dict[str, PartId | None] = {_GROUND: None}
        self._frames |= {p.name: i for i, p in rig.parts.items() if i not in inside}
        carrier = rig.parts[self.roots[-1]].parent
        self.on: PartId | None = carrier if carrier not in inside else None
        self.axis: Axis = self._likely_axis()
        self.crossing: Crossing = "share"
        self.same_way = False
        across = next(words for words, axis in _ACROSS.items() if axis == self.axis)
        of = next(words for words, part in self._frames.items() if part == self.on)
        self.row("Across", choice(list(_ACROSS), across, "Across which axis", self._set_axis))
        self.row("of", choice(list(self._frames), of, "Of what", self._set_frame))
        self.at = QuantityField(
            "length", length_unit(rig, self.roots[-1]), "How far along it", self
        )
        self.at.set_value(0.0)
        self.at.refused.connect(document.said)
        self.at.committed.connect(lambda _value: self._show())
        self.at.setToolTip("How far along that axis the mirror stands")
        self.row("at", self.at)
        self.add(rule())
        led = choice(list(_LED), next(iter(_LED)), "What leads the twin", self._set_led)
        self.row("Led by", led)
        turns = choice(list(_TURNS), next(iter(_TURNS)), "How the twin turns", self._set_turns)
        turns.setToolTip("Wheels that go forward on both sides turn the same way round")
        self.row("It turns", turns)
        self.sides = NoteField("Words for sides")
        self.sides.show_text(", ".join("/".join(pair) for pair in SIDES))
        self.sides.typed.connect(lambda _text: self.sides.taken())
        self.sides.setToolTip("In names these change places: Upper gate, east; Upper gate, west")
        self.row("Words", self.sides)
        self.alike = WideCheck("Keep both sides alike")
        self.alike.setToolTip("What is changed on one side is changed on the other, until they are "
                              "parted on the Card of either")  # fmt: skip
        self.add(self.alike)
        self.add(verb("Make the twin", self._make, main=True))
        self.add(verb("Leave it", done, "Escape"))
        self.end()
        self._show()

    def _likely_axis(self) -> Axis:
        """The one along which it stands farthest off, on its side of what carries it."""
        pose = self.document.pose
        frame = np.linalg.inv(pose.frame_of(self.on))
        places = np.array([pose.world(root)[:3, 3] for root in self.roots])
        away = np.abs(carried(frame, places).mean(axis=0)) * [1.0, 1.001, 0.5]
        axes: tuple[Axis, ...] = ("x", "y", "z")
        return axes[int(np.argmax(away))] if away.max() > 0 else "y"

    @property
    def plane(self) -> Plane:
        """The plane that is chosen."""
        return Plane(self.axis, self.on, self.at.value or 0.0)

    # ── what hands do ──────────────────────────────────────────────

    def _set_axis(self, text: str) -> None:
        self.axis = _ACROSS[text]
        self._show()

    def _set_frame(self, text: str) -> None:
        self.on = self._frames[text]
        self._show()

    def _set_led(self, text: str) -> None:
        self.crossing = _LED[text]

    def _set_turns(self, text: str) -> None:
        self.same_way = _TURNS[text]

    def _show(self) -> None:
        """Show where it would stand."""
        pose, rows = self.document.pose, self.document.program.part_row
        inside = {*self.roots}
        for root in self.roots:
            inside.update(descendants(self.document.rig, root))
        ends = box_edges(self.bench.scene(), pose, [rows[part] for part in inside])
        mirror: Array = mirror_at(pose, self.plane)
        # What has no shape throws no ghost.
        self.bench.show_beside([carried(mirror, ends)] if len(ends) else [])

    def _make(self) -> None:
        self.at.commit()
        if self.at.isModified():
            return
        document, told = self.document, list[str]()

        def change(rig: Rig) -> tuple[Rig, PartId]:
            made = twin(
                rig, self.roots, self.plane, crossing=self.crossing, same_way=self.same_way,
                sides=sides_of(self.sides.toPlainText()), geometry=document.geometry,
            )  # fmt: skip
            told.extend(made.told)
            whole = made.rig
            if self.alike.isChecked():
                whole = keep_alike(made, self.plane, same_way=self.same_way)
            return whole, PartId(made.ids[self.roots[-1]])

        if document.make(f"mirror {self.words}", change):
            document.settle()
            names = document.rig.parts[PartId(document.selected)].name
            self._done()
            document.said.emit(" ".join([f"{names} is the twin of {self.words}.", *told]))
