"""The section of a part's Card on its shapes: dimensions, and the mate of a gear."""

from __future__ import annotations

from msgspec.structs import replace

from gremio.core.quantity import Kind
from gremio.core.rig.edit.parts import set_shapes
from gremio.core.rig.model import Rig
from gremio.core.rig.solids import InternalGear, Mesh, RackBar, SpurGear
from gremio.core.shape.solids import check_dimensions
from gremio.desktop.card.rows import Sheet, choice, heading, link_button, number_field, second
from gremio.desktop.document import Document
from gremio.desktop.fields import OptionalField
from gremio.desktop.preparing import make_gear_mate

# The piece last shown of each part: a convenience of the screen, not of the rig.
_last_shape: dict[str, int] = {}


class ShapeSection:
    """The shapes of one part; adds itself to a sheet."""

    def __init__(self, sheet: Sheet, document: Document, part: str) -> None:
        self.sheet, self.document, self.part = sheet, document, part
        self._add()

    def _add(self) -> None:
        shapes = self.document.rig.parts[self.part].shapes
        if not shapes:
            return
        self.sheet.add(heading("Shape"))
        self._shape_index = min(_last_shape.get(self.part, 0), len(shapes) - 1)
        if len(shapes) > 1:
            names = [f"{i + 1} of {len(shapes)}: {_kind(s.solid)}" for i, s in enumerate(shapes)]
            self.sheet.row(
                "Piece", choice(names, names[self._shape_index], "Piece", self._choose_shape)
            )
        solid = shapes[self._shape_index].solid
        if isinstance(solid, Mesh):
            self.sheet.row("Size", second(" × ".join(f"{v:.3g}" for v in solid.size) + " m"))
            return
        for name in solid.__struct_fields__:
            value = getattr(solid, name)
            if not isinstance(value, (int, float)):
                continue
            kind: Kind = "length"
            if name in ("teeth", "shift"):
                kind = "number"
            elif name == "pressure_angle":
                kind = "angle"
            field = number_field(
                self.document, self.sheet, kind, name.replace("_", " ").capitalize()
            )
            if name == "module":
                field.unit = "mm"
            field.set_value(value)
            if name == "teeth":
                field.setText(str(value))
            field.committed.connect(lambda v, n=name: self._set_dimension(n, v))
            self.sheet.row(name.replace("_", " ").capitalize(), field)
        if isinstance(solid, SpurGear | InternalGear | RackBar):
            self._add_mate(solid)

    def _add_mate(self, solid: SpurGear | InternalGear | RackBar) -> None:
        self.mate = number_field(self.document, self.sheet, "number", "Teeth of a mate")
        self.mate.set_value(30.0)
        self.mate.setText("30")
        wheres = ["outside", "inside"] if isinstance(solid, SpurGear) else ["outside"]
        self._inside = choice(wheres, "outside", "Where the mate runs", lambda _text: None)
        self.sheet.row("Mate, teeth", self.mate, self._inside)
        self._apart = OptionalField("length", "mm", "Distance of the mate", self.sheet)
        self._apart.setPlaceholderText("touching")
        self._apart.setToolTip("Between the centres; reached by profile shift")
        self._apart.refused.connect(self.document.said)
        self.sheet.row("at, mm", self._apart)
        self.sheet.add(link_button("Make a mate that runs with it", self._make_mate))

    def _make_mate(self) -> None:
        for field in (self.mate, self._apart):
            field.commit()
            if field.isModified():
                return
        inside = self._inside.currentText() == "inside"
        make_gear_mate(self.document, self.part, self.mate.value or 0.0, inside, self._apart.value)

    def _choose_shape(self, text: str) -> None:
        _last_shape[self.part] = int(text.split(" ")[0]) - 1
        self.document.selection_changed.emit()

    def _set_dimension(self, name: str, value: float) -> None:
        shapes = list(self.document.rig.parts[self.part].shapes)
        shape = shapes[self._shape_index]
        number = round(value) if name == "teeth" else value

        def change(rig: Rig) -> Rig:
            solid = replace(shape.solid, **{name: number})
            check_dimensions(solid)
            shapes[self._shape_index] = replace(shape, solid=solid)
            return set_shapes(rig, self.part, tuple(shapes))

        part = self.document.rig.parts[self.part].name
        if not self.document.edit(f"{name.replace('_', ' ')} of {part}", change):
            self.document.selection_changed.emit()


def _kind(solid: object) -> str:
    return str(type(solid).__struct_config__.tag)  # type: ignore[attr-defined]
