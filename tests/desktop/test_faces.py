"""Where faces stand on the screen, without a window."""

from __future__ import annotations

import math

import numpy as np
import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF

import gremio
from gremio.core.edit.controls import change_control
from gremio.core.rig.model import Face, Rig
from gremio.desktop.bench.camera import Camera, metres_a_pixel, project
from gremio.desktop.bench.faces import (
    carried_by,
    frame_of_face,
    moved_by,
    proposed_face,
    shown_faces,
)

SIZE = (800, 600)
CAMERA = Camera(distance=12.0)


@pytest.fixture
def quay() -> Rig:
    build = gremio.Builder("Quay")
    build.part("Post", at=(0, 0, 1))
    build.part("Jib", on="Post", at=(0, 0, 1), turned=(0, 0, "90 deg"), joint="hinge z")
    build.control("Slew", -1, 1, kind="angle")
    build.control("Idle", -1, 1, kind="angle")
    build.ratio("Slew", "Jib", 1)
    return build.rig


def with_face(rig: Rig, control: str, face: Face) -> Rig:
    return change_control(rig, control, replace(rig.controls[control], face=face))


def shown(rig: Rig, camera: Camera = CAMERA, **values: float):
    return shown_faces(gremio.solve(rig, values), camera, SIZE)


def test_a_face_on_the_screen_is_as_large_however_near_one_looks(quay: Rig) -> None:
    rig = with_face(quay, "c3", Face(at=(0, 0, 1)))
    near = shown(rig, replace_distance(6.0))[0]
    far = shown(rig, replace_distance(40.0))[0]
    for face in (near, far):
        room = face.place.mapRect(face.plate)
        assert room.width() == pytest.approx(face.plate.width())


def replace_distance(distance: float) -> Camera:
    return Camera(distance=distance)


def test_a_face_in_the_scene_grows_as_one_comes_near(quay: Rig) -> None:
    rig = with_face(quay, "c3", Face(at=(0, 0, 1), size=1.0))
    (face,) = shown(rig)
    scale = metres_a_pixel(CAMERA, SIZE, (0, 0, 1))
    assert face.place.mapRect(face.body).width() == pytest.approx(1.0 / scale, rel=1e-6)


def test_a_fixed_face_lies_in_its_carriers_frame(quay: Rig) -> None:
    rig = with_face(quay, "c3", Face(on="p1", at=(0.5, 0, 0.5), size=1.2, fixed=True))
    (face,) = shown(rig)
    wide, tall = face.plate.width(), face.plate.height()
    half = 0.6, 0.6 * tall / wide
    corner = np.array([0.5 - half[0], 0, 1.5 + half[1]])
    (pixel,), _ = project(CAMERA, SIZE, corner)
    there = face.place.map(QPointF(0, 0))
    assert (there.x(), there.y()) == pytest.approx(tuple(pixel), abs=1e-6)
    back = face.inside(there)
    assert back is not None and (back.x(), back.y()) == pytest.approx((0, 0), abs=1e-6)


def test_hidden_faces_and_those_behind_the_eye_are_not_shown(quay: Rig) -> None:
    assert shown(with_face(quay, "c3", Face(hidden=True))) == []
    behind = CAMERA.eye + CAMERA.back * 2
    x, y, z = (float(v) for v in behind)
    assert shown(with_face(quay, "c3", Face(at=(x, y, z)))) == []
    assert shown(with_face(quay, "c3", Face(on="p77"))) == []


def test_faces_keep_clear_of_each_other_and_inside_the_bench(quay: Rig) -> None:
    rig = with_face(with_face(quay, "c3", Face(at=(0, 0, 1))), "c4", Face(at=(0, 0.1, 1)))
    one, two = shown(rig)
    rooms = [face.place.mapRect(face.plate) for face in (one, two)]
    assert not rooms[0].intersects(rooms[1])
    sheet = QRectF(0, 0, *SIZE)
    edge = with_face(quay, "c3", Face(at=(0, 2.4, 1)))
    (face,) = shown(edge)
    assert sheet.contains(face.place.mapRect(face.plate))


def test_what_is_hit(quay: Rig) -> None:
    (face,) = shown(with_face(quay, "c3", Face(at=(0, 0, 1))))
    assert face.hit(face.place.map(face.body.center())) == "body"
    assert face.hit(face.place.map(QPointF(20, 8))) == "plate"
    assert face.hit(QPointF(2, 2)) == ""


def test_a_face_goes_with_its_carrier(quay: Rig) -> None:
    rig = with_face(quay, "c3", Face(on="p2", at=(1.0, 0, 0)))
    frames = [
        frame_of_face(gremio.solve(rig, {"Slew": v}), rig.controls["c3"].face) for v in (0, 1)
    ]
    assert frames[0][:3, 3] == pytest.approx([0, 1, 2])
    turn = math.pi / 2 + 1
    assert frames[1][:3, 3] == pytest.approx([math.cos(turn), math.sin(turn), 2])


def test_another_carrier_leaves_the_face_where_it_stands(quay: Rig) -> None:
    pose = gremio.solve(quay, {"Slew": 0.4})
    face = Face(on="p2", at=(1.0, 0.2, 0.3))
    for part in (None, "p1", "p2"):
        moved = carried_by(pose, face, part)
        assert frame_of_face(pose, moved)[:3, 3] == pytest.approx(
            frame_of_face(pose, face)[:3, 3], abs=2e-4
        )


def test_a_face_is_moved_by_a_way_in_the_world(quay: Rig) -> None:
    pose = gremio.solve(quay, {"Slew": 0.4})
    face = Face(on="p2", at=(1.0, 0.2, 0.3))
    shift = np.array([0.3, -0.2, 0.5])
    moved = frame_of_face(pose, moved_by(pose, face, shift))[:3, 3]
    assert moved - frame_of_face(pose, face)[:3, 3] == pytest.approx(shift)


def test_a_face_is_proposed_beside_what_its_control_leads(quay: Rig) -> None:
    pose = gremio.solve(quay)
    face = proposed_face(pose, "c3")
    assert face.on == "p1" and face.at == (0.0, 0.0, 1.0)
    assert proposed_face(pose, "c4").on is None
