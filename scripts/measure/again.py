"""Measurements of making the same once more: a copy, a twin, a kit, two rigs compared, and a later
model taken up."""

from __future__ import annotations

import copy
import tempfile
from collections.abc import Callable
from pathlib import Path

import msgspec
import trimesh
from measuring import Row, against

from gremio.core.files.bring_in import bring_in
from gremio.core.files.model_in import read_model
from gremio.core.files.revising import revisions
from gremio.core.files.taking_up import revised
from gremio.core.frames import Frame
from gremio.core.inspect.comparing import compare
from gremio.core.make.copying import copy_part
from gremio.core.make.kit_in import kit_in
from gremio.core.make.kit_of import kit_of
from gremio.core.make.pieces import put_in, taken_out
from gremio.core.make.twins import Plane, twin
from gremio.core.rig.model import Control, Joint, Part, Ratio, Rig
from gremio.core.shape.solids import geometry_of


def _linked(count: int, first: int = 0) -> Rig:
    """Hinges on one root, each on the one before, and all led by one control. first: from which
    number on ids are given."""
    root = f"p{first}"
    parts = {root: Part("Root", None, Frame((0.0, 3.0, 0.0)))}
    links = {}
    for index in range(1, count + 1):
        part, parent = f"p{first + index}", root if index % 10 == 1 else f"p{first + index - 1}"
        mount = Frame((0.1 * index, 0.1, 0.0))
        parts[part] = Part(f"Part {index}", parent, mount, Joint("hinge", "z"))
        links[f"k{first + index}"] = Ratio("c1", f"{part} turn z", 0.5)
    controls = {"c1": Control("Go", "angle", "deg", -1.0, 1.0)}
    return Rig("Many", parts=parts, links=links, controls=controls, made=first + count)


def _model(path: Path, *, later: bool) -> None:
    """2,000 nodes, each on one of those before; later: a third of them elsewhere, a third of
    another shape."""
    scene = trimesh.Scene()
    for index in range(2_000):
        solid = trimesh.creation.cylinder(0.1 + index * 1e-4, 0.3)
        if later and index % 3 == 1:
            solid.apply_scale(1.1)
        up = 0.5 if later and index % 3 == 0 else 0.0
        scene.add_geometry(
            solid, node_name=f"Node {index}", geom_name=f"shape {index}",
            transform=trimesh.transformations.translation_matrix([index % 50, index // 50, up]),
            parent_node_name=None if index < 50 else f"Node {index - 50}",
        )  # fmt: skip
    path.write_bytes(scene.export(file_type="glb"))


def taken_up() -> Row:
    """(p) a later model of 2,000 nodes read, compared and taken up, against reading it alone."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "model.glb"
        _model(path, later=False)
        rig, _ = bring_in(Rig("Many"), read_model(path))
        _model(path, later=True)
        (source,) = rig.sources

        def whole() -> object:
            model = read_model(path)
            found = revisions(rig, source, model)
            return revised(rig, source, model, found.found, found=found)

        mine, their = against(whole, lambda: read_model(path), 2)
        return ("(p) a later model of 2,000 nodes read, compared and taken up", "reading it alone",
                f"{mine:.2f} s", f"{their:.2f} s", f"{mine / their:.1f} ×")  # fmt: skip


def again() -> list[Row]:
    """(p) what is made once more, against what Python and msgspec do with the same data."""
    rig, larger, other = _linked(1_000), _linked(10_000), _linked(10_000, 50_000)
    plane, kit = Plane("y"), kit_of(rig, ["p0"], geometry=geometry_of).kit

    def through(*rigs: Rig) -> None:
        for one in rigs:
            msgspec.json.decode(msgspec.json.encode(one), type=Rig)

    def row(what: str, ours: Callable[[], object], theirs: Callable[[], object],
            against_what: str) -> Row:  # fmt: skip
        mine, their = against(ours, theirs, 2)
        return (f"(p) {what}", against_what, f"{mine:.2f} s", f"{their:.2f} s",
                f"{mine / their:.1f} ×")  # fmt: skip

    return [
        row("a copy of 1,000 parts with 1,000 links", lambda: copy_part(rig, "p0"),
            lambda: copy.deepcopy(rig), "`copy.deepcopy` of the rig"),
        row("a twin of 1,000 parts with 1,000 links",
            lambda: twin(rig, ["p0"], plane, geometry=geometry_of),
            lambda: copy.deepcopy(rig), "`copy.deepcopy` of the rig"),
        row("1,000 parts with 1,000 links taken, and put into another rig",
            lambda: put_in(rig, taken_out(rig, ["p0"], geometry=geometry_of)),
            lambda: copy.deepcopy(rig), "`copy.deepcopy` of the rig"),
        row("a kit kept of 1,000 parts with 1,000 links",
            lambda: kit_of(rig, ["p0"], geometry=geometry_of),
            lambda: copy.deepcopy(rig), "`copy.deepcopy` of the rig"),
        row("a kit of 1,000 parts with 1,000 links put into another rig",
            lambda: kit_in(rig, kit, geometry=geometry_of),
            lambda: copy.deepcopy(rig), "`copy.deepcopy` of the rig"),
        row("two rigs of 10,000 parts of the same ids compared",
            lambda: compare(larger, msgspec.structs.replace(larger, parts=dict(larger.parts))),
            lambda: through(larger, larger), "`msgspec` writing and reading both",
        ),
        row("two rigs of 10,000 parts of other ids compared", lambda: compare(larger, other),
            lambda: through(larger, other), "`msgspec` writing and reading both",
        ),
        taken_up(),
    ]  # fmt: skip


if __name__ == "__main__":
    for line in again():
        print(" | ".join(line))
