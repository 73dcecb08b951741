"""The section of a control's Card about its face in the Bench."""

from __future__ import annotations

from msgspec.structs import replace
from PyQt6.QtWidgets import QCheckBox

from gremio.core.rig.edit.controls import change_control
from gremio.core.rig.model import Face
from gremio.desktop.bench.faces import carried_by, proposed_face
from gremio.desktop.card.rows import (
    Sheet,
    choice,
    heading,
    link_button,
    narrow_field,
    number_field,
    second,
)
from gremio.desktop.document import Document
from gremio.desktop.fields import QuantityField

_GROUND = "the ground"
_TURNED = ("turned to the viewer", "fixed")
_SIZED = ("as on the screen", "as in the scene")
_USUAL = 0.8


class FaceSection:
    """Fills the section into a sheet."""

    def __init__(self, sheet: Sheet, document: Document, control: str) -> None:
        self.sheet, self.document, self.control = sheet, document, control
        face = document.rig.controls[control].face
        sheet.add(heading("Face in the Bench"))
        if face is None:
            sheet.add(second("It has none: it is on the Desk only."))
            sheet.add(
                link_button(
                    "Stand its face in the Bench", self._stand, "Beside the part that it leads"
                )
            )
            return
        parts = {part.name: part_id for part_id, part in document.rig.parts.items()}
        present = document.rig.parts[face.on].name if face.on in document.rig.parts else _GROUND
        carriers = choice(
            [_GROUND, *parts], present, "Carried by", lambda text: self._carry(parts.get(text))
        )
        sheet.row("Carried by", carriers)
        sheet.row("At, m", *(self._place(axis) for axis in range(3)))
        turned = choice(_TURNED, _TURNED[face.fixed], "Turned", self._set_turned)
        sheet.row("Turned", turned)
        if face.fixed:
            sheet.row("Lies, °", *(self._lie(axis) for axis in range(3)))
        sheet.row("Large", choice(_SIZED, _SIZED[face.size > 0], "Large", self._set_sized))
        if face.size > 0:
            size = number_field(document, sheet, "length", "Width of the face")
            size.set_value(face.size)
            size.committed.connect(lambda v: self._change(size=max(v, 1e-3)))
            sheet.row("Width", size)
        for word, name in (("Hidden", "hidden"), ("Goes along in exports", "exported")):
            box = QCheckBox(word)
            box.setChecked(getattr(face, name))
            box.toggled.connect(lambda on, n=name: self._change(**{n: on}))
            sheet.add(box)
        sheet.add(link_button("Take its face away", lambda: self._put(None)))

    def _place(self, axis: int) -> QuantityField:
        face = self._face()
        field = narrow_field(self.document, self.sheet, "length", f"Face at {'xyz'[axis]}")
        field.set_value(face.at[axis])
        field.committed.connect(lambda v: self._change(at=_with(self._face().at, axis, v)))
        return field

    def _lie(self, axis: int) -> QuantityField:
        face = self._face()
        field = narrow_field(self.document, self.sheet, "angle", f"Face about {'xyz'[axis]}")
        field.set_value(face.turn[axis])
        field.committed.connect(lambda v: self._change(turn=_with(self._face().turn, axis, v)))
        return field

    def _face(self) -> Face:
        face = self.document.rig.controls[self.control].face
        assert face is not None
        return face

    def _stand(self) -> None:
        self._put(proposed_face(self.document.pose, self.control))

    def _carry(self, part: str | None) -> None:
        """Another carrier; the face stays where it stands."""
        self._put(carried_by(self.document.pose, self._face(), part))

    def _set_turned(self, text: str) -> None:
        fixed = text == _TURNED[1]
        face = replace(self._face(), fixed=fixed)
        self._put(replace(face, size=face.size or _USUAL) if fixed else face)

    def _set_sized(self, text: str) -> None:
        in_scene = text == _SIZED[1]
        self._put(replace(self._face(), size=_USUAL if in_scene else 0.0,
                          fixed=self._face().fixed and in_scene))  # fmt: skip

    def _change(self, **fields: object) -> None:
        self._put(replace(self._face(), **fields))

    def _put(self, face: Face | None) -> None:
        entry = self.document.rig.controls[self.control]
        changed = replace(entry, face=face)
        self.document.edit(
            f"face of {entry.name}", lambda rig: change_control(rig, self.control, changed)
        )


def _with(three: tuple[float, float, float], axis: int, value: float) -> tuple[float, float, float]:
    values = [*three]
    values[axis] = value
    return values[0], values[1], values[2]
