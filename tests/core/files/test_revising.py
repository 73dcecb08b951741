"""A model that has changed since it was brought in."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import trimesh
from msgspec.structs import replace
from trimesh.transformations import rotation_matrix, translation_matrix

import gremio
from gremio.core.edit.measures import add_measure
from gremio.core.edit.mounts import move_mount
from gremio.core.edit.parts import set_joint, set_stops
from gremio.core.files.bring_in import bring_in
from gremio.core.files.model_in import read_model
from gremio.core.files.revising import Revision, revisions
from gremio.core.files.sources import model_shelf
from gremio.core.files.taking_up import Mounts, revised
from gremio.core.frames import Frame, triple
from gremio.core.rig.find import part_id
from gremio.core.rig.ids import thing
from gremio.core.rig.model import Anchor, Joint, Measure, Rig, Stops
from gremio.core.rig.solids import Mesh
from gremio.core.shape.features import known_places
from gremio.core.shape.geometry import Geometry
from gremio.core.shape.measure import measured
from gremio.core.surfaces.marks import same_shape, shape_marks
from gremio.core.surfaces.models import Model

Change = Callable[[trimesh.Scene], None]


def sluice(change: Change | None = None) -> trimesh.Scene:
    """A frame, a paddle that is carried by it with a bolt, and a wheel; y up as glTF has it."""
    scene = trimesh.Scene()
    add(scene, "Frame", trimesh.creation.box((2.0, 3.0, 0.2)))
    add(scene, "Paddle", trimesh.creation.box((1.0, 1.0, 0.1)), "Frame", (0, 0.5, 0.2))
    add(scene, "Bolt", trimesh.creation.cylinder(0.05, 0.3), "Paddle", (0.3, 0.1, 0.1))
    add(scene, "Wheel", trimesh.creation.cylinder(0.4, 0.1), "Frame", (0, 1.2, 0.4))
    if change is not None:
        change(scene)
    return scene


def add(
    scene: trimesh.Scene,
    name: str,
    shape: trimesh.Trimesh,
    on: str | None = None,
    at: tuple[float, float, float] = (0, 0, 0),
    turned: float = 0.0,
) -> None:
    place = translation_matrix(at) @ rotation_matrix(turned, [0, 0, 1])
    scene.add_geometry(
        shape, node_name=name, geom_name=f"{name} mesh", parent_node_name=on, transform=place
    )


def moved(name: str, at: tuple[float, float, float], turned: float = 0.0) -> Change:
    def change(scene: trimesh.Scene) -> None:
        place = translation_matrix(at) @ rotation_matrix(turned, [0, 0, 1])
        parent = scene.graph.transforms.parents[name]
        scene.graph.update(name, parent, matrix=place, geometry=f"{name} mesh")

    return change


def written(folder: Path, scene: trimesh.Scene, name: str = "sluice.glb") -> Model:
    path = folder / name
    path.write_bytes(scene.export(file_type="glb"))
    return read_model(path)


def rigged(model: Model, *, on_ground: bool = True) -> tuple[Rig, str]:
    """The sluice, rigged: the paddle slides, its mount at its lower edge."""
    rig, _ = bring_in(Rig("Sluice"), model, on_ground=on_ground)
    paddle = part_id(rig, "Paddle")
    rig = move_mount(rig, paddle, replace(rig.parts[paddle].mount,
                    at=triple(np.add(rig.parts[paddle].mount.at, (0.0, 0.0, -0.5)))))  # fmt: skip
    rig = set_joint(rig, paddle, Joint("slide", "z"))
    return set_stops(rig, paddle, "move z", Stops(0.0, 0.8)), next(iter(rig.sources))


def told(rig: Rig, source: str, model: Model, before: Model | None = None) -> list[str]:
    return [one.text for one in revisions(rig, source, model, before).found]


def taken(
    rig: Rig, source: str, model: Model, *hows: str, before: Model | None = None,
    mounts: Mounts = "follow",
) -> Rig:  # fmt: skip
    found = revisions(rig, source, model, before).found
    chosen = [one for one in found if not hows or one.how in hows]
    return revised(rig, source, model, chosen, before=before, mounts=mounts)[0]


def surfaces(rig: Rig, pose: gremio.Pose, name: str) -> np.ndarray:
    """The box that a part fills in the world."""
    shelf = model_shelf()
    part = rig.parts[part_id(rig, name)]
    world = pose.part(name).world
    found = []
    for shape in part.shapes:
        vertices = shelf.surface(rig, shape.solid).vertices * shape.place.scale
        found.append(vertices @ world[:3, :3].T + world[:3, 3])
    points = np.concatenate(found)
    return np.array([points.min(axis=0), points.max(axis=0)])


def value(rig: Rig, measure: str) -> float:
    """What a measure says now."""
    pose = gremio.solve(rig)
    return measured(rig, rig.measures[thing(measure)], pose.world, pose.program.geometry)


def test_the_same_model_says_nothing_even_when_it_is_exported_again(tmp_path: Path) -> None:
    rig, source = rigged(written(tmp_path, sluice()))
    assert told(rig, source, read_model(tmp_path / "sluice.glb")) == []

    def other_order(scene: trimesh.Scene) -> None:
        """The triangles of every surface in another order, the vertices too, a little rounded."""
        rng = np.random.default_rng(3)
        for surface in scene.geometry.values():
            order = rng.permutation(len(surface.vertices))
            back = np.argsort(order)
            surface.faces = np.roll(back[surface.faces], 1, axis=1)[rng.permutation(
                len(surface.faces))]  # fmt: skip
            surface.vertices = surface.vertices[order].astype(np.float32) * (1 + 1e-7)

    assert told(rig, source, written(tmp_path, sluice(other_order))) == []


def test_each_way_of_being_otherwise_is_told(tmp_path: Path) -> None:
    rig, source = rigged(written(tmp_path, sluice()))

    def change(scene: trimesh.Scene) -> None:
        moved("Paddle", (0.0, 1.5, 0.2))(scene)
        scene.delete_geometry("Bolt mesh")
        scene.delete_geometry("Wheel mesh")
        scene.graph.transforms.remove_node("Bolt")
        scene.graph.transforms.remove_node("Wheel")
        add(scene, "Handwheel", trimesh.creation.cylinder(0.4, 0.1), "Frame", (0, 1.2, 0.4))
        add(scene, "Ladder", trimesh.creation.box((0.4, 2.0, 0.05)), "Frame", (1, 0, 0.2))
        scene.geometry["Frame mesh"].apply_scale((1.0, 1.2, 1.0))

    assert told(rig, source, written(tmp_path, sluice(change))) == [
        "Ladder is new on Frame",
        "Bolt is gone",
        "Paddle is moved by 1 m along z",
        "Frame is reshaped (0.2 m × 2 m × 3 m → 0.2 m × 2 m × 3.6 m)",
        "Handwheel is renamed from Wheel",
    ]


@pytest.mark.parametrize("mounts", ["follow", "stay"])
def test_what_is_moved_stands_where_the_model_has_it(tmp_path: Path, mounts: Mounts) -> None:
    change = moved("Paddle", (0.3, 1.5, 0.4), 0.25)
    for on_ground in (False, True):
        rig, source = rigged(written(tmp_path, sluice()), on_ground=on_ground)
        fresh, _ = bring_in(Rig(), written(tmp_path, sluice(change)))
        model = read_model(tmp_path / "sluice.glb")
        up = taken(rig, source, model, mounts=mounts)
        one, two = gremio.solve(up), gremio.solve(fresh)
        # The frame stays where it was put, on the ground or not.
        shift = one.part("Frame").world[:3, 3] - two.part("Frame").world[:3, 3]
        for name in ("Frame", "Paddle", "Bolt", "Wheel"):
            np.testing.assert_allclose(surfaces(up, one, name), surfaces(fresh, two, name) + shift,
                                       atol=1e-6)  # fmt: skip
        # What was rigged is there still, by choice where it was, or gone along.
        paddle = up.parts[part_id(up, "Paddle")]
        assert paddle.joint == Joint("slide", "z") and paddle.stops["move z"].high == 0.8
        same = paddle.mount == rig.parts[part_id(rig, "Paddle")].mount
        assert same == (mounts == "stay")
        assert told(up, source, model) == []


def test_a_turn_alone_is_told_as_one(tmp_path: Path) -> None:
    rig, source = rigged(written(tmp_path, sluice()))
    model = written(tmp_path, sluice(moved("Paddle", (0, 0.5, 0.2), 0.25)))
    assert told(rig, source, model) == ["Paddle is moved by a turn of 14.3°"]
    # What it carries went along, and is where it was in it.
    assert told(taken(rig, source, model), source, model) == []


def test_a_node_that_another_carries_now_stays_where_the_rig_has_it_mounted(
    tmp_path: Path,
) -> None:
    rig, source = rigged(written(tmp_path, sluice()))

    def on_frame(scene: trimesh.Scene) -> None:
        """The bolt hangs on the frame now, a little higher."""
        world = scene.graph.get("Bolt")[0] + np.pad([[0.1]], ((1, 2), (3, 0)))
        scene.graph.transforms.remove_node("Bolt")
        scene.graph.update("Bolt", "Frame", matrix=world, geometry="Bolt mesh")

    model = written(tmp_path, sluice(on_frame))
    assert told(rig, source, model) == ["Bolt is moved by 100 mm along z"]
    up = taken(rig, source, model)
    assert up.parts[part_id(up, "Bolt")].parent == part_id(up, "Paddle")
    one, two = gremio.solve(rig).part("Bolt").world, gremio.solve(up).part("Bolt").world
    np.testing.assert_allclose(two[:3, 3] - one[:3, 3], (0, 0, 0.1), atol=1e-6)
    assert told(up, source, model) == []


def test_what_is_left_is_as_it_was_and_not_told_again(tmp_path: Path) -> None:
    rig, source = rigged(written(tmp_path, sluice()))

    def change(scene: trimesh.Scene) -> None:
        moved("Paddle", (0.0, 1.5, 0.2))(scene)
        add(scene, "Ladder", trimesh.creation.box((0.4, 2.0, 0.05)), "Frame", (1, 0, 0.2))

    model = written(tmp_path, sluice(change))
    up = taken(rig, source, model, "nothing")
    assert up.parts.keys() == rig.parts.keys()
    np.testing.assert_allclose(
        surfaces(up, gremio.solve(up), "Paddle"), surfaces(up, gremio.solve(up), "Paddle")
    )
    assert up.parts[part_id(up, "Paddle")].mount == rig.parts[part_id(rig, "Paddle")].mount
    assert told(up, source, model) == []
    assert model_shelf().notes(up) == []


def test_a_new_part_stands_on_what_carries_it(tmp_path: Path) -> None:
    rig, source = rigged(written(tmp_path, sluice()))

    def change(scene: trimesh.Scene) -> None:
        add(scene, "Cap", trimesh.creation.box((0.2, 0.1, 0.3)), "Bolt", (0, 0, 0.2), 0.7)
        add(scene, "Post", trimesh.creation.box((0.1, 4.0, 0.1)), None, (3, 0, 0))

    fresh, _ = bring_in(Rig(), written(tmp_path, sluice(change)))
    model = read_model(tmp_path / "sluice.glb")
    up = taken(rig, source, model)
    assert up.parts[part_id(up, "Cap")].parent == part_id(up, "Bolt")
    assert up.parts[part_id(up, "Post")].parent is None
    one, two = gremio.solve(up), gremio.solve(fresh)
    # Fresh it stands where the file says; the rig was put on the ground.
    shift = one.part("Frame").world[:3, 3] - two.part("Frame").world[:3, 3]
    for name in ("Cap", "Post"):
        np.testing.assert_allclose(
            surfaces(up, one, name), surfaces(fresh, two, name) + shift, atol=1e-6
        )


def test_in_a_rig_that_was_resized_all_is_as_much_larger(tmp_path: Path) -> None:
    rig, source = rigged(written(tmp_path, sluice()))
    rig = gremio.resize(rig, 2.5)

    def change(scene: trimesh.Scene) -> None:
        moved("Paddle", (0.0, 1.5, 0.2))(scene)
        add(scene, "Cap", trimesh.creation.box((0.2, 0.1, 0.3)), "Bolt", (0, 0, 0.2), 0.7)
        add(scene, "Post", trimesh.creation.box((0.1, 4.0, 0.1)), None, (3, 0, 0))

    fresh, _ = bring_in(Rig(), written(tmp_path, sluice(change)))
    model = read_model(tmp_path / "sluice.glb")
    up = taken(rig, source, model)
    one, two = gremio.solve(up), gremio.solve(fresh)
    shift = one.part("Frame").world[:3, 3] - 2.5 * two.part("Frame").world[:3, 3]
    for name in ("Frame", "Paddle", "Bolt", "Cap", "Post"):
        np.testing.assert_allclose(
            surfaces(up, one, name), 2.5 * surfaces(fresh, two, name) + shift, atol=1e-5
        )


def test_a_part_that_is_gone_goes_unless_something_needs_it(tmp_path: Path) -> None:
    rig, source = rigged(written(tmp_path, sluice()))

    def without_bolt(scene: trimesh.Scene) -> None:
        scene.delete_geometry("Bolt mesh")
        scene.graph.transforms.remove_node("Bolt")

    model = written(tmp_path, sluice(without_bolt))
    assert "Bolt" not in [p.name for p in taken(rig, source, model).parts.values()]
    # Where it carries something it stays, as a mount.
    b = gremio.Builder("x")
    b.rig = rig
    b.part("Nut", on="Bolt")
    found = revisions(b.rig, source, model).found
    up, said = revised(b.rig, source, model, found)
    assert up.parts[part_id(up, "Bolt")].shapes == ()
    assert "it stays without a shape, for it carries Nut" in said[0]


def test_another_shape_is_taken_by_every_part_that_has_it(tmp_path: Path) -> None:
    rig, source = rigged(written(tmp_path, sluice()))
    rig = gremio.mirror(rig, "Wheel")
    rig = gremio.copy(rig, "Wheel", aside=(1, 0, 0))

    def larger(scene: trimesh.Scene) -> None:
        scene.geometry["Wheel mesh"].apply_scale(1.5)

    model = written(tmp_path, sluice(larger))
    up = taken(rig, source, model)
    wheels = [p for p in up.parts.values() if p.name.startswith("Wheel")]
    assert len(wheels) == 3
    for wheel in wheels:
        (shape,) = wheel.shapes
        assert isinstance(shape.solid, Mesh)
        surface = model_shelf().surface(up, shape.solid)
        np.testing.assert_allclose(np.ptp(surface.vertices, axis=0), shape.solid.size, atol=1e-9)
        assert max(shape.solid.size) == pytest.approx(1.2)


def test_a_shape_can_be_left_while_the_older_model_is_there(tmp_path: Path) -> None:
    before = written(tmp_path, sluice())
    rig, source = rigged(before)

    def larger(scene: trimesh.Scene) -> None:
        scene.geometry["Wheel mesh"].apply_scale(1.5)
        moved("Paddle", (0.0, 1.5, 0.2))(scene)

    model = written(tmp_path, sluice(larger), "later.glb")
    up = taken(rig, source, model, "moved", before=before)
    assert model_shelf().notes(up) == []
    box = surfaces(up, gremio.solve(up), "Wheel")
    assert float(np.ptp(box, axis=0).max()) == pytest.approx(0.8)
    assert {Path(s.path).name for s in up.sources.values()} == {"sluice.glb", "later.glb"}
    for each in list(up.sources):
        assert told(up, each, read_model(Path(up.sources[each].path))) == []
    # Where it was written over, the older shape can't be had any more, so it must be taken.
    found = revisions(rig, source, model).found
    assert [one.must for one in found if one.how == "reshaped"] == [True]
    forced = revised(rig, source, model, [])[0]
    assert max(np.ptp(surfaces(forced, gremio.solve(forced), "Wheel"), axis=0)) == pytest.approx(
        1.2
    )


def test_paint_of_a_hand_stays_and_that_of_the_model_follows(tmp_path: Path) -> None:
    rig, source = rigged(written(tmp_path, sluice()))
    wheel = part_id(rig, "Wheel")
    shape = replace(rig.parts[wheel].shapes[0], paint="#123456")
    rig = replace(rig, parts={**rig.parts, wheel: replace(rig.parts[wheel], shapes=(shape,))})

    def red(scene: trimesh.Scene) -> None:
        material = trimesh.visual.material.PBRMaterial(baseColorFactor=[255, 0, 0, 255])
        for surface in scene.geometry.values():
            surface.visual = trimesh.visual.TextureVisuals(material=material)

    up = taken(rig, source, written(tmp_path, sluice(red)))
    assert up.parts[wheel].shapes[0].paint == "#123456"
    assert up.parts[part_id(up, "Frame")].shapes[0].paint == "#ff0000"


def test_a_measure_goes_to_the_nearest_of_its_kind_or_stays(tmp_path: Path) -> None:
    model = written(tmp_path, sluice())
    rig, source = rigged(model)
    wheel = part_id(rig, "Wheel")
    solid = rig.parts[wheel].shapes[0].solid
    places = known_places(model_shelf().surface(rig, solid))
    rim = next(i for i, p in enumerate(places) if p.kind == "circle centre")
    end = Anchor(wheel, triple(places[rim].at), 0, rim)
    rig, measure = add_measure(rig, Measure("Rim", "radius", (end,)))

    def larger(scene: trimesh.Scene) -> None:
        scene.geometry["Wheel mesh"].apply_scale(1.5)

    later = written(tmp_path, sluice(larger), "later.glb")
    found = revisions(rig, source, later, model).found
    up, said = revised(rig, source, later, found, before=model)
    assert value(up, measure) == pytest.approx(0.6, rel=1e-3)
    assert said == ["Rim was measured on another shape: it goes to the nearest of its kind. "
                    "Look at it."]  # fmt: skip
    # A radius is of a rim, and can't stay where there is none.
    stays, said = revised(rig, source, later, found, before=model, anchors="stay")
    assert value(stays, measure) == pytest.approx(0.6, rel=1e-3)
    far = Anchor(part_id(rig, "Frame"), (0.0, 0.0, 0.0))
    rig, way = add_measure(rig, Measure("Way", "distance", (end, far)))
    was = value(rig, way)
    found = revisions(rig, source, later, model).found
    stays, said = revised(rig, source, later, found, before=model, anchors="stay")
    assert value(stays, way) == pytest.approx(was) and "Way was" in said[1] and "stays" in said[1]


def test_a_rig_that_kept_nothing_says_what_is_not_known(tmp_path: Path) -> None:
    before = written(tmp_path, sluice())
    rig, source = rigged(before)
    older = replace(rig, sources={source: replace(rig.sources[source], nodes=(), pieces=())})

    def change(scene: trimesh.Scene) -> None:
        moved("Paddle", (0.0, 1.5, 0.2))(scene)
        scene.geometry["Wheel mesh"].apply_scale(1.5)

    model = written(tmp_path, sluice(change), "later.glb")
    found = revisions(older, source, model)
    assert [one.how for one in found.found] == ["reshaped"]
    assert "what has moved is not known" in found.told[0]
    # While the older model is there, nothing needed to be kept.
    assert {one.how for one in revisions(older, source, model, before).found} == {
        "moved", "reshaped",
    }  # fmt: skip


def test_a_change_that_is_told_no_more_is_refused(tmp_path: Path) -> None:
    rig, source = rigged(written(tmp_path, sluice()))
    model = read_model(tmp_path / "sluice.glb")
    with pytest.raises(gremio.GremioError, match="the model says that no more"):
        revised(rig, source, model, [Revision("gone", "Bolt", "", part_id(rig, "Bolt"), -1, 2)])


def test_a_part_that_was_taken_out_of_the_rig_stays_out(tmp_path: Path) -> None:
    rig, source = rigged(written(tmp_path, sluice()))
    rig = gremio.remove(rig, "Wheel")
    model = written(tmp_path, sluice(moved("Wheel", (0, 1.4, 0.4))))
    assert told(rig, source, model) == []


def test_marks_are_the_moments_of_the_surface() -> None:
    """Against trimesh, in this run: area, and second moments by fine points of the surface."""
    box = trimesh.creation.box((1.0, 2.0, 3.0))
    marks = shape_marks(Geometry(np.array(box.vertices), np.array(box.faces)))
    assert marks[6] == pytest.approx(box.area)
    # Of a box: each pair of faces by its closed form (common practice).
    a, b, c = 1.0, 2.0, 3.0
    xx = 2 * b * c * (a / 2) ** 2 + 2 * (a * b + a * c) * a * a / 12
    assert marks[7] == pytest.approx(xx, rel=1e-6)
    turned = trimesh.creation.box((2.0, 1.0, 3.0))
    other = shape_marks(Geometry(np.array(turned.vertices), np.array(turned.faces)))
    assert not same_shape(marks, other) and same_shape(marks, marks)
    assert Frame()
