"""Long parts laid on a strut's axis (no published source: plain geometry)."""

from __future__ import annotations

import math

import numpy as np
import pytest

import gremio
from gremio.core.frames import carried, matrix
from gremio.core.make.bodies import bar_of, strut_of_bodies, with_body
from gremio.core.make.vertices import world_vertices
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Rig, Shape
from gremio.core.rig.solids import Box, Cylinder, Tube
from gremio.core.script.posing import surfaces_of

shape = gremio.shape


def along_x(solid: object, x: float = 0.0) -> Shape:
    return shape(solid, at=(x, 0, 0), turned=(0, math.pi / 2, 0))  # type: ignore[arg-type]


def yard(turned: tuple[float, float, float] = (0.3, 0.2, 0.1)) -> Rig:
    """A frame and a lid on a hinge; a barrel and a rod that lie in the yard, anyhow. The barrel is
    0.8 m from the middle of its eye to its mouth, the rod 0.75 m from its own to its piston."""
    b = gremio.Builder("Yard")
    b.part("Frame", shape(Box(length=1, width=1, height=0.1)))
    b.part("Lid", shape(Box(length=1.6, width=1, height=0.1), at=(0.8, 0, 0)), at=(-0.5, 0, 1.2),
           joint="hinge y", stops=("-30 deg", "0 deg"))  # fmt: skip
    eye = Tube(outer_diameter=0.16, inner_diameter=0.06, height=0.1)
    lug = shape(eye, turned=(math.pi / 2, 0, 0))
    b.part(
        "Barrel", along_x(Tube(outer_diameter=0.2, inner_diameter=0.16, height=0.7), 0.45), lug,
        at=(4, 3, 0.2), turned=turned,
    )  # fmt: skip
    b.part("Rod", along_x(Cylinder(diameter=0.08, height=0.7), -0.4), lug, at=(5, -2, 0.3),
           turned=(turned[2], turned[0], turned[1]))  # fmt: skip
    return b.rig


def test_a_bar_is_measured_from_its_eye() -> None:
    rig = yard()
    part = part_id(rig, "Barrel")
    bar = bar_of(rig, gremio.solve(rig), part, np.zeros(3), surfaces_of(rig))
    world = gremio.solve(rig).world(part)
    assert bar.eye == pytest.approx(world[:3, 3], abs=1e-9)
    assert bar.way == pytest.approx(world[:3, 0], abs=1e-9)
    assert abs(float(bar.pin @ world[:3, 1])) == pytest.approx(1.0)
    assert bar.length == pytest.approx(0.8, abs=1e-9)
    assert bar.width == pytest.approx(0.2, abs=0.002)


def ends(rig: Rig) -> tuple[tuple[object, tuple[float, ...]], ...]:
    return (part_id(rig, "Frame"), (0.4, 0.0, 0.05)), (part_id(rig, "Lid"), (1.0, 0.0, -0.05))


@pytest.mark.parametrize("order", [("Barrel", "Rod"), ("Rod", "Barrel")])
def test_two_parts_and_two_places_are_a_strut(order: tuple[str, str]) -> None:
    rig = yard()
    one, two = ends(rig)
    made, strut_id = strut_of_bodies(
        rig, one, two, (part_id(rig, order[0]), part_id(rig, order[1])),  # type: ignore[arg-type]
        geometry=surfaces_of(rig),
    )  # fmt: skip
    strut = made.struts[strut_id]
    assert (strut.barrel_length, strut.rod_length) == (
        pytest.approx(0.8, abs=1e-9), pytest.approx(0.75, abs=1e-9),
    )  # fmt: skip
    # Both lie on the line between the two places, wherever the lid stands.
    for lid in (0.0, -0.2, -0.5):
        pose = gremio.solve(made, {"Lid turn y": lid})
        places = [carried(pose.frame_of(on), np.array(at)) for on, at in (one, two)]  # type: ignore[arg-type]
        if order[0] == "Rod":
            places.reverse()
        way = (places[1] - places[0]) / np.linalg.norm(places[1] - places[0])
        for part, start, sign, reach in ((strut.barrel, places[0], 1, 0.8),
                                         (strut.rod, places[1], -1, 0.75)):  # fmt: skip
            corners = world_vertices(made, pose, part, surfaces_of(made))
            off = (corners - start) - np.outer((corners - start) @ way, way)
            assert np.linalg.norm(off, axis=1).max() < 0.13
            assert (sign * (corners - start) @ way).max() == pytest.approx(reach, abs=1e-6)
            assert (sign * (corners - start) @ way).min() == pytest.approx(-0.08, abs=2e-3)
    # The parts are its bodies now, and keep their names.
    assert {made.parts[strut.barrel].name, made.parts[strut.rod].name} == {"Barrel", "Rod"}


def test_a_body_modelled_in_place_stays_there() -> None:
    rig = gremio.strut(yard(), "Frame", "Lid", (0.4, 0, 0.05), (1.0, 0, -0.05), (0.8, 0.7))
    ((strut_id, strut),) = rig.struts.items()
    barrel = gremio.solve(rig).world(strut.barrel)
    b = gremio.Builder("x")
    b.rig = rig
    from gremio.core.edit.parts import add_part
    from gremio.core.frames import frame_of
    from gremio.core.rig.model import Part

    tube = shape(Tube(outer_diameter=0.2, inner_diameter=0.16, height=0.8), at=(0, 0, 0.4))
    turn = np.eye(4)
    turn[:3, :3] = [[0, 0, 1], [0, 1, 0], [-1, 0, 0]]
    rig, new = add_part(rig, Part("Modelled", mount=frame_of(barrel @ turn), shapes=(tube,)))
    before = world_vertices(rig, gremio.solve(rig), new, surfaces_of(rig))
    made = with_body(rig, strut_id, strut.barrel, new, geometry=surfaces_of(rig))
    after = world_vertices(made, gremio.solve(made), strut.barrel, surfaces_of(made))
    assert after == pytest.approx(before, abs=1e-9)


def test_one_that_lies_elsewhere_is_laid_on_the_axis_by_its_card() -> None:
    rig = gremio.strut(yard(), "Frame", "Lid", (0.4, 0, 0.05), (1.0, 0, -0.05), (0.9, 0.9))
    ((strut_id, strut),) = rig.struts.items()
    made = with_body(rig, strut_id, strut.rod, part_id(rig, "Rod"), geometry=surfaces_of(rig))
    place = matrix(made.parts[strut.rod].shapes[1].place)
    assert place[:3, 3] == pytest.approx(np.zeros(3), abs=1e-9)
    assert made.struts[strut_id].rod_length == pytest.approx(0.75, abs=1e-9)
    assert made.struts[strut_id].barrel_length == 0.9


def test_what_can_not_be_a_body_is_said() -> None:
    rig = yard()
    two = ends(rig)[1]
    surfaces = surfaces_of(rig)
    with pytest.raises(gremio.GremioError, match="between"):
        bodies = part_id(rig, "Barrel"), part_id(rig, "Rod")
        strut_of_bodies(rig, (bodies[1], (0.0, 0.0, 0.0)), two, bodies,  # type: ignore[arg-type]
                        geometry=surfaces)  # fmt: skip
    made = gremio.strut(rig, "Frame", "Lid", (0.4, 0, 0.05), (1.0, 0, -0.05))
    ((strut_id, strut),) = made.struts.items()
    with pytest.raises(gremio.GremioError, match="already"):
        with_body(made, strut_id, strut.rod, strut.barrel, geometry=surfaces)
    b = gremio.Builder("Cube")
    b.rig = made
    b.part("Cube", shape(Box(length=1, width=1, height=1)))
    with pytest.raises(gremio.GremioError, match="not long"):
        with_body(b.rig, strut_id, strut.rod, part_id(b.rig, "Cube"), geometry=surfaces)


def test_from_a_script() -> None:
    rig = gremio.strut(yard(), "Frame", "Lid", (0.4, 0, 0.05), (1.0, 0, -0.05),
                       bodies=("Barrel", "Rod"))  # fmt: skip
    (strut,) = rig.struts.values()
    assert rig.parts[strut.barrel].name == "Barrel"
