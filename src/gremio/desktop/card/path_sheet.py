"""The Card of a path: what it goes through, and what follows it."""

from __future__ import annotations

from functools import partial
from typing import get_args

from msgspec.structs import replace

from gremio.core.quantity import show_short
from gremio.core.rig.edit.paths import change_path, remove_path
from gremio.core.rig.model import Path, PathKind, Rig
from gremio.core.shape.paths import comes_back, length
from gremio.desktop.card.rows import (
    Sheet,
    Slab,
    choice,
    heading,
    link_button,
    narrow_field,
    rule,
    second,
    title_field,
)
from gremio.desktop.document import Document
from gremio.desktop.fields import QuantityField
from gremio.desktop.theme.inks import Inks

_ENDS = ("has two ends", "comes back to its beginning")
_SAYS = {
    "polyline": "straight from point to point",
    "spline": "smooth through its points",
    "arc": "an arc through three points",
    "circle": "the circle through three points",
    "wrap": "a band round wheels",
}


class PathSheet(Sheet):
    """What is known of one path; its points can be typed here, and pulled in the Bench."""

    def __init__(self, document: Document, path: str, inks: Inks) -> None:
        super().__init__()
        self.document, self.path, self.inks = document, path, inks
        entry = self.entry
        self.add(title_field(entry.name, "Name", lambda name: self._change("name", name=name)))
        long = show_short(length(entry), "m")
        self.add(second(f"path · {_SAYS[entry.kind]}, {long} long"))
        self.add(rule())
        if entry.kind != "wrap":
            kinds = [kind for kind in get_args(PathKind) if kind != "wrap"]
            self.row("Kind", choice(kinds, entry.kind, "Kind of path", self._set_kind))
        if entry.kind in ("polyline", "spline"):
            ends = choice(_ENDS, _ENDS[comes_back(entry)], "Ends", self._set_closed)
            self.row("It", ends)
        rig = document.rig
        self.add(heading("On"))
        if entry.on in rig.parts:
            part = rig.parts[entry.on]
            show = partial(document.select, entry.on)
            self.add(Slab(inks, part.joint.kind, part.name, "", show))
        else:
            self.add(second("the ground"))
        self._add_points(entry)
        self._add_followers(rig)
        self.add(link_button("Remove this path", self._remove))
        self.end()

    @property
    def entry(self) -> Path:
        """The path as it is now."""
        return self.document.rig.paths[self.path]

    def _add_points(self, entry: Path) -> None:
        self.add(heading("Wheels, m" if entry.kind == "wrap" else "Points, m"))
        for index in range(len(entry.points)):
            fields = [self._number(index, axis) for axis in range(3)]
            if entry.kind == "wrap":
                fields.append(self._radius(index))
            self.row(str(index + 1), *fields)
        if entry.kind == "wrap":
            self.add(second("The last of each is its radius; below zero, the band runs inside."))
            return
        if entry.kind in ("polyline", "spline"):
            self.add(link_button("Add a point at the end", self._add_point))
            if len(entry.points) > 2:
                self.add(link_button("Take the last point out", self._drop_point))
        self.add(second("Pull the squares in the Bench to move points."))

    def _add_followers(self, rig: Rig) -> None:
        followers = [
            (i, c) for i, c in rig.constraints.items() if self.path in (t.path for t in c.targets)
        ]
        self.add(heading("Followed by"))
        for constraint_id, constraint in followers:
            name = rig.parts[constraint.part].name
            show = partial(self.document.select, constraint_id)
            self.add(Slab(self.inks, constraint.kind, name, "", show))
        if not followers:
            self.add(second("nothing yet: select a part and let it follow this path (7)"))

    def _number(self, index: int, axis: int) -> QuantityField:
        name = f"Point {index + 1} {'xyz'[axis]}"
        field = narrow_field(self.document, self, "length", name)
        field.set_value(self.entry.points[index][axis])
        field.committed.connect(lambda value: self._set_point(index, axis, value))
        return field

    def _radius(self, index: int) -> QuantityField:
        field = narrow_field(self.document, self, "length", f"Radius {index + 1}")
        field.set_value(self.entry.radii[index])
        field.committed.connect(lambda value: self._set_radius(index, value))
        return field

    def _change(self, what: str, **fields: object) -> None:
        changed = replace(self.entry, **fields)
        name = self.entry.name
        if not self.document.edit(
            f"{what} of {name}", lambda rig: change_path(rig, self.path, changed)
        ):
            self.document.selection_changed.emit()

    def _set_kind(self, text: str) -> None:
        self._change("kind", kind=text)

    def _set_closed(self, text: str) -> None:
        self._change("ends", closed=text == _ENDS[1])

    def _set_point(self, index: int, axis: int, value: float) -> None:
        points = [list(point) for point in self.entry.points]
        points[index][axis] = value
        self._change("point", points=tuple(tuple(point) for point in points))

    def _set_radius(self, index: int, value: float) -> None:
        radii = self.entry.radii
        self._change("radius", radii=(*radii[:index], value, *radii[index + 1 :]))

    def _add_point(self) -> None:
        points = self.entry.points
        ahead = tuple(2 * b - a for a, b in zip(points[-2], points[-1], strict=True))
        self._change("one more point", points=(*points, ahead))

    def _drop_point(self) -> None:
        self._change("one point less", points=self.entry.points[:-1])

    def _remove(self) -> None:
        name = self.entry.name
        self.document.edit(f"remove {name}", lambda rig: remove_path(rig, self.path))
