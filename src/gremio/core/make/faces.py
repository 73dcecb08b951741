"""The faces of controls as parts, so that they go along where they are asked for."""

from __future__ import annotations

import math

from gremio.core.edit.links import add_link
from gremio.core.edit.parts import add_part
from gremio.core.frames import tidy_frame, turn_of_angles
from gremio.core.rig.channels import key
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import ChannelKey
from gremio.core.rig.model import Control, Joint, Part, Ratio, Rig, Shape
from gremio.core.rig.solids import Ball, Box, Cylinder, Tube

_WIDE = 0.5
_DIAL, _LEAN = math.radians(300), math.radians(100)
_PLATE, _KNOB = "#FBF9F3", "#C4452D"


def with_faces(rig: Rig) -> Rig:
    """The rig with a part for each face that goes along in exports, and one for its knob,
    which its control moves."""
    for control, entry in rig.controls.items():
        if entry.face is not None and entry.face.exported and not entry.face.hidden:
            rig = _with_face(rig, control, entry)
    return rig


def _with_face(rig: Rig, control: ChannelKey, entry: Control) -> Rig:
    face = entry.face
    assert face is not None
    wide = face.size or _WIDE
    on = face.on if face.on in rig.parts else None
    frame = tidy_frame(face.at, turn_of_angles(face.turn), (1, 1, 1))
    turning = entry.make in ("dial", "lever")
    if turning:
        ring = Tube(outer_diameter=wide, inner_diameter=wide * 0.9, height=wide * 0.05)
        flat = tidy_frame((0, 0, 0), turn_of_angles((math.pi / 2, 0, 0)), (1, 1, 1))
        plate = Shape(ring, flat, _PLATE)
    else:
        plate = Shape(Box(length=wide, width=wide * 0.05, height=wide * 0.08), paint=_PLATE)
    name = free_name(names_in(rig), f"{entry.name}, face")
    rig, base = add_part(rig, Part(name, on, frame, shapes=(plate,)))
    name = free_name(names_in(rig), f"{entry.name}, knob")
    span = (entry.high - entry.low) or 1.0
    middle = (entry.high + entry.low) / 2
    if turning:
        # Seen from the front, along y, a greater value turns the pointer clockwise.
        arm = Cylinder(diameter=wide * 0.05, height=wide * 0.45)
        up = tidy_frame((0, -wide * 0.05, wide * 0.22), (1, 0, 0, 0), (1, 1, 1))
        tip = tidy_frame((0, -wide * 0.05, wide * 0.45), (1, 0, 0, 0), (1, 1, 1))
        shapes: tuple[Shape, ...] = (
            Shape(arm, up, _KNOB),
            Shape(Ball(diameter=wide * 0.12), tip, _KNOB),
        )
        far = _LEAN if entry.make == "lever" else _DIAL
        one_to_one = entry.make == "dial" and entry.kind == "angle" and span > math.radians(330)
        ratio = 1.0 if one_to_one else far / span
        offset = 0.0 if one_to_one else -ratio * middle
        joint, channel = Joint("hinge", "y"), "turn y"
    else:
        shapes = (Shape(Box(length=wide * 0.08, width=wide * 0.1, height=wide * 0.2), paint=_KNOB),)
        ratio = wide / span
        offset = -ratio * middle
        joint, channel = Joint("slide", "x"), "move x"
    rig, knob = add_part(rig, Part(name, base, joint=joint, shapes=shapes))
    return add_link(rig, Ratio(control, key(knob, channel), ratio, offset))[0]
