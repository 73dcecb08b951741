"""The section of a part's Card on its shapes: dimensions, and the mate of a gear."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import partial

from PyQt6.QtWidgets import QWidget

from gremio.core.quantity import box_words
from gremio.core.rig.channels import key
from gremio.core.rig.ids import PartId
from gremio.core.rig.model import Shape
from gremio.core.rig.numbers import dimensions_of
from gremio.core.rig.solids import InternalGear, Mesh, RackBar, SpurGear
from gremio.desktop.actions.preparing import make_gear_mate
from gremio.desktop.card.form_sheet import FormSheet
from gremio.desktop.card.forms import Act, Field, Head, Number, Own, Words
from gremio.desktop.fields.pieces import choice, number_field
from gremio.desktop.fields.quantity_field import OptionalField

# The piece last shown of each part: a convenience of the screen, not of the rig.
_last_shape: dict[str, int] = {}


def shape_section(sheet: FormSheet, part: PartId) -> Iterator[Field]:
    """The shapes of one part, one at a time."""
    shapes = sheet.document.rig.parts[part].shapes
    if not shapes:
        return
    index = min(_last_shape.get(part, 0), len(shapes) - 1)
    solid = shapes[index].solid
    yield Head("Shape", _gist(shapes), folded=True)
    if len(shapes) > 1:
        yield Own(partial(_piece, sheet, part, index), "Piece")
    if isinstance(solid, Mesh):
        yield Words(box_words(solid.size, sheet.usual_unit("length")), word="Size")
        return
    for name in dimensions_of(solid):
        word = name.replace("_", " ").capitalize()
        yield Number(word, key(part, f"shape {index} {name}"), word)
    if isinstance(solid, SpurGear | InternalGear | RackBar):
        mate = Mate(sheet, part, solid)
        yield Own(mate.teeth_fields, "Mate, teeth")
        yield Own(mate.distance_fields, "at")
        yield mate.make_field()


def _gist(shapes: Sequence[Shape]) -> str:
    if len(shapes) > 1:
        return f"{len(shapes)} solids"
    solid = shapes[0].solid
    teeth = getattr(solid, "teeth", None)
    return _kind(solid) if teeth is None else f"{_kind(solid)}, {teeth:g} teeth"


def _piece(sheet: FormSheet, part: PartId, index: int) -> list[QWidget]:
    """The choice among several shapes."""
    shapes = sheet.document.rig.parts[part].shapes
    names = [f"{i + 1} of {len(shapes)}: {_kind(s.solid)}" for i, s in enumerate(shapes)]

    def choose(text: str) -> None:
        _last_shape[part] = int(text.split(" ")[0]) - 1
        sheet.wants_anew()

    return [choice(names, names[index], "Piece", choose)]


class Mate:
    """Makes a gear that runs with a part's gear, from fields of its own."""

    def __init__(
        self, sheet: FormSheet, part: PartId, solid: SpurGear | InternalGear | RackBar
    ) -> None:
        self.document, self.part, self._sheet = sheet.document, part, sheet
        self._solid = solid

    def teeth_fields(self) -> list[QWidget]:
        """How many teeth it is to have, and where it runs."""
        sheet = self._sheet
        self._teeth = number_field(sheet.document, sheet, "number", "Teeth of a mate")
        self._teeth.whole = True
        self._teeth.set_value(30.0)
        wheres = ["outside", "inside"] if isinstance(self._solid, SpurGear) else ["outside"]
        self._inside = choice(wheres, "outside", "Where the mate runs", lambda _text: None)
        return [self._teeth, self._inside]

    def distance_fields(self) -> list[QWidget]:
        """How far apart the two are to be."""
        sheet = self._sheet
        self._apart = OptionalField(
            "length", sheet.usual_unit("length"), "Distance of the mate", sheet
        )
        self._apart.setPlaceholderText("touching")
        self._apart.setToolTip("Between the centres; reached by profile shift")
        self._apart.refused.connect(sheet.document.said)
        return [self._apart]

    def make_field(self) -> Act:
        """What makes the mate."""
        return Act("Make a mate that runs with it", self._make)

    def _make(self) -> None:
        for field in (self._teeth, self._apart):
            field.commit()
            if field.isModified():
                return
        inside = self._inside.currentText() == "inside"
        teeth = self._teeth.value or 0.0
        make_gear_mate(self.document, self.part, teeth, inside, self._apart.value)


def _kind(solid: object) -> str:
    return str(type(solid).__struct_config__.tag)  # type: ignore[attr-defined]
