"""Copying the selected part, with all that belongs to it."""

from __future__ import annotations

import numpy as np
from PyQt6.QtGui import QGuiApplication

from gremio.core.files import rig_file
from gremio.core.frames import carried
from gremio.core.make.copying import Crossing, copy_part, leads_outside
from gremio.core.make.pieces import put_in, taken_out
from gremio.core.problem import GremioError, counted_words, listed
from gremio.core.rig.ids import NOTHING, PartId, ThingId
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import owner_name
from gremio.desktop.actions.rigging import selected_part
from gremio.desktop.bench.view import Bench
from gremio.desktop.document.document import Document
from gremio.desktop.document.mounted import as_mounted
from gremio.desktop.fields.ask import choose

_SHARED = "Share what leads"
_ANSWERS: dict[str, Crossing] = {
    _SHARED: "share",
    "A lead of its own": "own",
    "Leave it out": "none",
}


def copy_selected(document: Document, bench: Bench) -> None:
    """Copy the selected part, with what it carries, what ties it in space and what leads it, and
    stand the copy beside it. Where something outside leads it, what becomes of that is asked."""
    part = selected_part(document)
    if not part:
        return
    crossing = _crossing(document, bench, part)
    if crossing is None:
        return
    before = document.rig
    name = before.parts[part].name
    aside = _aside(document, bench, part)
    done = document.make(
        f"copy {name}", lambda rig: copy_part(rig, part, crossing=crossing, aside=aside)
    )
    if done:
        rig = document.rig
        copy = rig.parts[PartId(document.selected)].name
        led = [c.name for i, c in rig.controls.items() if i not in before.controls]
        by = f", led by {listed(led)}" if led else ""
        document.said.emit(f"{copy} stands beside {name}{by}. Its place is on its Card.")


def take_selected(document: Document) -> None:
    """Put what is selected on the clipboard, as a rig of its own, for this window or another."""
    roots = document.chosen_parts
    if not roots:
        document.said.emit("Select what to take: a part goes with all it carries.")
        return
    try:
        piece = taken_out(document.rig, roots, geometry=document.geometry)
        text = rig_file.encode(piece).decode()
    except GremioError as problem:
        document.said.emit(str(problem))
        return
    QGuiApplication.clipboard().setText(text)
    counted = counted_words(len(piece.parts), "part")
    links = f", {counted_words(len(piece.links), 'link')}" if piece.links else ""
    document.said.emit(f"{piece.name} is taken: {counted}{links}. Paste it here or in another rig.")


def put_taken(document: Document) -> None:
    """Put in what was taken, on the ground, where it stood."""
    text = QGuiApplication.clipboard().text()
    try:
        piece = rig_file.decode(text.encode(), "What is on the clipboard")
    except GremioError:
        document.said.emit("There is no part on the clipboard. Take one first, here or in another "
                           "rig.")  # fmt: skip
        return

    def change(rig: Rig) -> tuple[Rig, ThingId]:
        whole, ids = put_in(rig, piece)
        tops = [i for i, part in piece.parts.items() if part.parent is None]
        return whole, ids[tops[-1]] if tops else NOTHING

    if document.make(f"paste {piece.name}", change):
        document.settle()
        name = owner_name(document.rig, document.selected)
        document.said.emit(f"{name} is pasted, on the ground, where {piece.name} stood.")


def _crossing(document: Document, bench: Bench, part: PartId) -> Crossing | None:
    """What becomes of leads outside; None to stay."""
    rig = document.rig
    outside = leads_outside(rig, part)
    if not outside:
        return "share"
    names = listed(owner_name(rig, thing) for thing in outside[:3])
    text = f"{rig.parts[part].name} is led by {names}, which leads other things too."
    given = choose(bench, "Copy", text, (*_ANSWERS, "Stay"), _SHARED, "What should lead the copy?")
    return _ANSWERS.get(given)


def _aside(document: Document, bench: Bench, part: PartId) -> tuple[float, float, float]:
    """How far beside the part its copy stands (m, in the frame of what carries it)."""
    corners = bench.corners_of_family(part)
    if len(corners) == 0:
        return 0.0, 0.0, 0.0
    frame = np.linalg.inv(as_mounted(document).frame_of(document.rig.parts[part].parent))
    wide = float(np.ptp(carried(frame, corners)[:, 0]))
    return 1.15 * wide or 0.1, 0.0, 0.0
