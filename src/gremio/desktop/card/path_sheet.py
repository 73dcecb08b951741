"""The Card of a path: what it goes through, and what follows it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import get_args

from gremio.core.edit.paths import change_path, remove_path
from gremio.core.frames import Triple
from gremio.core.quantity import show_short
from gremio.core.rig.constraints import targets_of
from gremio.core.rig.ids import GROUND, ThingId
from gremio.core.rig.lengths import length_unit
from gremio.core.rig.model import Path, PathKind, Rig
from gremio.core.shape.paths import comes_back, length
from gremio.desktop.card.form_sheet import FormSheet
from gremio.desktop.card.forms import (
    Act,
    Amount,
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

_ENDS = {"has two ends": False, "comes back to its beginning": True}
_SAYS = {
    "polyline": "straight from point to point",
    "spline": "smooth through its points",
    "arc": "an arc through three points",
    "circle": "the circle through three points",
    "wrap": "a band round wheels",
}


class PathSheet(FormSheet):
    """What is known of one path; its points can be typed here, and pulled in the Bench."""

    change = staticmethod(change_path)

    def __init__(self, document: Document, path: ThingId, inks: Inks) -> None:
        super().__init__(document, path, inks)
        entry, rig = self.entry, document.rig
        long = show_short(length(entry), length_unit(rig, entry.on or GROUND))
        kinds = {kind: kind for kind in get_args(PathKind) if kind != "wrap"}
        of_points = entry.kind in ("polyline", "spline")
        on = rig.parts.get(entry.on or GROUND)
        self.lay(
            Title(self.get("name"), self.set("name"), [Act("Remove this path", self._remove)]),
            Words(f"path, {_SAYS[entry.kind]}, {long} long"),
            Rule(),
            Pick("Kind", kinds, self.get("kind"), self.set("kind"), "kind", "Kind of path")
            if entry.kind != "wrap"
            else None,
            Pick("Ends", _ENDS, lambda rig: comes_back(rig.paths[path]), self.set("closed"),
                 "ends")
            if of_points
            else None,
            Head("On"),
            Thing(on.joint.kind, on.name, "", entry.on or GROUND) if on else Words("the ground"),
            self._points(entry),
            self._followers(rig),
        )  # fmt: skip
        self.end()

    @property
    def entry(self) -> Path:
        """The path as it is now."""
        return self.document.rig.paths[self.thing]

    def _points(self, entry: Path) -> Iterator[Field]:
        yield Head("Wheels" if entry.kind == "wrap" else "Points")
        for index in range(len(entry.points)):
            place = self._point(index)
            if entry.kind == "wrap":
                place = Several(place.word, [*place.fields, self._radius(index)])
            yield place
        if entry.kind == "wrap":
            yield Words("The last of each is its radius; below zero, the band runs inside.")
            return
        if entry.kind in ("polyline", "spline"):
            yield Act("Add a point at the end", self._add_point)
            if len(entry.points) > 2:
                yield Act("Take the last point out", self._drop_point)
        yield Words("Pull the squares in the Bench to move points.")

    def _point(self, index: int) -> Several:
        def put(rig: Rig, at: Triple) -> Rig:
            points = list(rig.paths[self.thing].points)
            points[index] = at
            return self.set("points")(rig, tuple(points))

        return three(str(index + 1), "length", lambda rig: rig.paths[self.thing].points[index],
                     put, "point", f"Point {index + 1}")  # fmt: skip

    def _radius(self, index: int) -> Amount:
        def put(rig: Rig, value: float) -> Rig:
            radii = rig.paths[self.thing].radii
            return self.set("radii")(rig, (*radii[:index], value, *radii[index + 1 :]))

        return Amount("", "length", lambda rig: rig.paths[self.thing].radii[index], put, "radius",
                      f"Radius {index + 1}", narrow=True)  # fmt: skip

    def _followers(self, rig: Rig) -> Iterator[Field]:
        followers = [
            (i, c)
            for i, c in rig.constraints.items()
            if self.thing in (t.path for t in targets_of(c))
        ]
        yield Head("Followed by")
        for constraint_id, constraint in followers:
            yield Thing(constraint.kind, rig.parts[constraint.part].name, "", constraint_id)
        if not followers:
            yield Words("nothing yet: select a part and let it run along this path (7)")

    def _add_point(self) -> None:
        points = self.entry.points
        x, y, z = (2 * b - a for a, b in zip(points[-2], points[-1], strict=True))
        more = (*points, (x, y, z))
        self.edit("one more point", lambda rig: self.set("points")(rig, more))

    def _drop_point(self) -> None:
        fewer = self.entry.points[:-1]
        self.edit("one point less", lambda rig: self.set("points")(rig, fewer))

    def _remove(self) -> None:
        name = self.entry.name
        self.document.edit(f"remove {name}", lambda rig: remove_path(rig, self.thing))
