"""The faces of controls in the Bench: where each one stands, and what a hand at it means."""

from __future__ import annotations

from functools import partial

import msgspec
import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPolygonF, QTransform

from gremio.core.arrays import Array
from gremio.core.frames import matrix, tidy_frame, turn_of_angles
from gremio.core.inspect.reach import known_ends
from gremio.core.records import Record
from gremio.core.rig.channels import split
from gremio.core.rig.ids import ChannelKey, PartId
from gremio.core.rig.model import Face
from gremio.core.solve.backward import led_channels
from gremio.core.solve.pose import Pose
from gremio.desktop.bench.camera import Camera, Size, metres_a_pixel, project
from gremio.desktop.makes.makes import MAKES, Standing, standing

# The line of the name over the body, the room round both, and how far off the plate stands (px).
LABEL, ROOM, OFF = 17.0, 8.0, 26.0


class Shown(Record, frozen=True):
    """A face on the screen. place: from its own pixels to the Bench's. anchor: where it points
    to. fixed: it lies in its carrier's frame, without a line to the anchor."""

    standing: Standing
    face: Face
    place: QTransform
    anchor: QPointF
    fixed: bool

    @property
    def plate(self) -> QRectF:
        """The whole face, in its own pixels."""
        wide, tall = MAKES[self.standing.make].face
        return QRectF(0, 0, wide + 2 * ROOM, tall + LABEL + 2 * ROOM)

    @property
    def body(self) -> QRectF:
        """The room of what is taken hold of, in its own pixels."""
        wide, tall = MAKES[self.standing.make].face
        return QRectF(ROOM, ROOM + LABEL, wide, tall)

    def inside(self, at: QPointF) -> QPointF | None:
        """A point of the Bench in the face's own pixels; None where it can't be told."""
        back, found = self.place.inverted()
        return back.map(at) if found else None

    def hit(self, at: QPointF) -> str:
        """What of the face is at a point of the Bench: "body", "plate", or "" for nothing."""
        spot = self.inside(at)
        if spot is None:
            return ""
        if self.body.adjusted(-6, 0, 6, 4).contains(spot):
            return "body"
        return "plate" if self.plate.contains(spot) else ""


def shown_faces(pose: Pose, camera: Camera, size: Size) -> list[Shown]:
    """The faces to be seen in a pose."""
    rig = pose.program.rig
    found: list[Shown] = []
    for control, entry in rig.controls.items():
        face = entry.face
        if face is None or face.hidden or (face.on is not None and face.on not in rig.parts):
            continue
        at = {c: pose.at(c) for c in (control, entry.across) if c in rig.controls}
        one = _shown(
            pose, standing(rig, control, at, partial(known_ends, pose.program)), face, camera, size
        )
        if one is not None:
            found.append(one if one.fixed else _clear_of(one, found, size))
    return found


def _clear_of(face: Shown, others: list[Shown], size: Size) -> Shown:
    """A face on the side of its anchor where it is inside the Bench and over no other face."""
    taken = [other.place.mapRect(other.plate) for other in others]
    sheet = QRectF(4, 34, size[0] - 8, size[1] - 84)
    first = face.place.mapRect(face.plate)
    across = 2 * (first.center().x() - face.anchor.x())
    down = 2 * (face.anchor.y() - first.center().y())
    high = -(first.height() + 6)
    ups = (0.0, down, high, down - high, 2 * high, down - 2 * high)
    shifts = [(x, y) for y in ups for x in (0.0, -across)]
    inside = [shift for shift in shifts if sheet.contains(first.translated(*shift))]
    clear = [
        shift
        for shift in inside
        if not any(first.translated(*shift).intersects(other) for other in taken)
    ]
    best = (clear or inside or shifts)[0]
    return msgspec.structs.replace(face, place=face.place * QTransform.fromTranslate(*best))


def frame_of_face(pose: Pose, face: Face) -> Array:
    """(4, 4) world frame of a face; z is upright on it, y goes into it."""
    above = pose.frame_of(face.on)
    result: Array = above @ matrix(tidy_frame(face.at, turn_of_angles(face.turn), (1, 1, 1)))
    return result


def _shown(pose: Pose, control: Standing, face: Face, camera: Camera, size: Size) -> Shown | None:
    frame = frame_of_face(pose, face)
    (pixel,), (depth,) = project(camera, size, frame[:3, 3])
    if depth <= 0:
        return None
    wide, tall = MAKES[control.make].face
    plate = QRectF(0, 0, wide + 2 * ROOM, tall + LABEL + 2 * ROOM)
    anchor = QPointF(*pixel)
    if face.fixed and face.size > 0:
        place = _lying(frame, face.size, plate, camera, size)
        return None if place is None else Shown(control, face, place, anchor, True)
    large = 1.0
    if face.size > 0:
        large = face.size / wide / metres_a_pixel(camera, size, frame[:3, 3])
    place = QTransform()
    place.translate(anchor.x() + OFF * large, anchor.y() - OFF * large)
    place.scale(large, large)
    place.translate(0, -plate.height())
    return Shown(control, face, place, anchor, False)


def _lying(
    frame: Array, wide: float, plate: QRectF, camera: Camera, size: Size
) -> QTransform | None:
    """From a plate's own pixels to the screen, for one that lies in a frame."""
    half = wide / 2, wide * plate.height() / plate.width() / 2
    corners = [(-half[0], half[1]), (half[0], half[1]), (half[0], -half[1]), (-half[0], -half[1])]
    points = [frame[:3, 3] + x * frame[:3, 0] + z * frame[:3, 2] for x, z in corners]
    pixels, depth = project(camera, size, points)
    if (depth <= 0).any():
        return None
    flat = QPolygonF([plate.topLeft(), plate.topRight(), plate.bottomRight(), plate.bottomLeft()])
    seen = QPolygonF([QPointF(*pixel) for pixel in pixels])
    place = QTransform()
    return place if QTransform.quadToQuad(flat, seen, place) else None


def proposed_face(pose: Pose, control: ChannelKey) -> Face:
    """A face beside the first part that a control leads, carried by what carries that part."""
    program = pose.program
    led = [c for c in program.channel_keys if c in led_channels(program, control)]
    if not led:
        return Face(at=(0.0, 0.0, 1.0))
    part = split(led[0])[0]
    on = program.rig.parts[PartId(part)].parent
    above = pose.frame_of(on)
    at = np.linalg.inv(above) @ pose.world(PartId(part))[:, 3]
    x, y, z = (round(float(v), 3) for v in at[:3])
    return Face(on=on, at=(x, y, z))


def carried_by(pose: Pose, face: Face, part: PartId | None) -> Face:
    """A face carried by another part (by id), or by the ground; it stays where it stands."""
    here = frame_of_face(pose, face)[:, 3]
    above = pose.frame_of(part)
    x, y, z = (round(float(v), 4) for v in (np.linalg.inv(above) @ here)[:3])
    return replace(face, on=part, at=(x, y, z))


def moved_by(pose: Pose, face: Face, shift: Array) -> Face:
    """A face that stands elsewhere. shift: (3,) world metres."""
    above = pose.frame_of(face.on)
    x, y, z = np.asarray(face.at) + np.linalg.inv(above)[:3, :3] @ shift
    return replace(face, at=(float(x), float(y), float(z)))
