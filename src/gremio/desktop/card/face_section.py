"""The section of a control's Card about its face in the Bench."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import Any

from msgspec.structs import replace

from gremio.core.edit.controls import change_control
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import Face, Rig
from gremio.desktop.bench.faces import carried_by, proposed_face
from gremio.desktop.card.form_sheet import FormSheet
from gremio.desktop.card.forms import Act, Amount, Check, Field, Head, Pick, Words, three

_TURNED = {"turned to the viewer": False, "fixed": True}
_SIZED = {"as on the screen": False, "as in the scene": True}
_USUAL = 0.8


def face_section(sheet: FormSheet, control: ThingId) -> Iterator[Field]:
    """The face of a control: where it stands, how it lies, how large it is."""
    document = sheet.document
    rig = document.rig
    face = rig.controls[control].face

    def put(rig: Rig, face: Face | None) -> Rig:
        return change_control(rig, control, replace(rig.controls[control], face=face))

    gist = "none" if face is None else "hidden" if face.hidden else "shown"
    yield Head("Face in the Bench", gist, folded=True)
    if face is None:
        yield Words("It has none: it is on the Desk only.")
        stand = lambda rig: put(rig, proposed_face(document.settled(), control))  # noqa: E731
        yield Act("Stand its face in the Bench", partial(sheet.edit, "face", stand),
                  "Beside the part that it leads")  # fmt: skip
        return

    def now(rig: Rig) -> Face:
        present = rig.controls[control].face
        assert present is not None
        return present

    def get(field: str) -> Callable[[Rig], Any]:
        return lambda rig: getattr(now(rig), field)

    def give(field: str) -> Callable[[Rig, Any], Rig]:
        return lambda rig, value: put(rig, replace(now(rig), **{field: value}))

    def carry(rig: Rig, part: PartId | None) -> Rig:
        """Another carrier; the face stays where it stands."""
        return put(rig, carried_by(document.settled(), now(rig), part))

    def turn(rig: Rig, fixed: bool) -> Rig:
        turned = replace(now(rig), fixed=fixed)
        return put(rig, replace(turned, size=turned.size or _USUAL) if fixed else turned)

    def size(rig: Rig, in_scene: bool) -> Rig:
        large = _USUAL if in_scene else 0.0
        return put(rig, replace(now(rig), size=large, fixed=now(rig).fixed and in_scene))

    carriers = {"the ground": None, **{part.name: i for i, part in rig.parts.items()}}
    on = face.on if face.on in rig.parts else None
    yield Pick("Carried by", carriers, lambda _rig: on, carry, "face")
    yield three("At, {m}", "length", get("at"), give("at"), "face", "Face at")
    yield Pick("Turned", _TURNED, get("fixed"), turn, "face")
    if face.fixed:
        yield three("Lies, °", "angle", get("turn"), give("turn"), "face", "Face about")
    yield Pick("Large", _SIZED, lambda rig: now(rig).size > 0, size, "face")
    if face.size > 0:
        yield Amount("Width", "length", get("size"),
                     lambda rig, v: give("size")(rig, max(v, 1e-3)), "face",
                     "Width of the face")  # fmt: skip
    yield Check("Hidden", get("hidden"), give("hidden"), "face")
    yield Check("Goes along in exports", get("exported"), give("exported"), "face")
    away = partial(sheet.edit, "face", lambda rig: put(rig, None))
    yield Act("Take its face away", away)
