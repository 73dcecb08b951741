"""The section of a Card about a carriage: where it has come to, and driving it elsewhere."""

from __future__ import annotations

from collections.abc import Iterator

from gremio.core.make.driving import drive_to, driving_of, steered_by
from gremio.core.problem import GremioError
from gremio.core.quantity import show, show_short
from gremio.core.rig.channels import key
from gremio.core.rig.ids import ThingId
from gremio.core.rig.links import DRIVEN
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import shown_unit
from gremio.core.typed import parse_list
from gremio.desktop.card.form_sheet import FormSheet
from gremio.desktop.card.forms import Act, Field, Head, Line, Words


def driving_section(sheet: FormSheet, thing: ThingId) -> Iterator[Field]:
    """Of a carriage's body, and of the controls of its travel and steering; nothing elsewhere."""
    document = sheet.document
    link = driving_of(document.program, thing)
    if link is None:
        return
    body = link.body
    x, y, heading = (key(body, name) for name in DRIVEN)
    unit = shown_unit(document.rig, x)

    def at() -> str:
        return "; ".join(show(document.pose.at(c), unit) for c in (x, y))

    def headed() -> str:
        return f"heading {show(document.pose.at(heading), 'deg')}"

    def steered() -> str:
        """How the steered wheels stand, each its own way in a curve."""
        angles = [abs(document.pose.at(c)) for c in steered_by(document.program, link)]
        inner, outer = (show_short(a, "deg") for a in (max(angles), min(angles)))
        at = f"steering {show_short(document.pose.at(link.steering), 'deg')}"
        if len(angles) < 2:
            return f"{at}; its wheel stands at {inner}"
        return f"{at} in the middle of its axle; inner wheel {inner}, outer {outer}"

    def drive(rig: Rig, text: str) -> Rig:
        places = parse_list(text, "length", unit, "Drive to")
        if len(places) != 2:
            raise GremioError("Two numbers are needed, x and y: for example '3; 1.5'.")
        return drive_to(rig, body, (places[0], places[1]), geometry=document.geometry)

    yield Head("Where it stands", at)
    yield Words(at, digits=True)
    yield Words(headed)
    if steered_by(document.program, link):
        yield Words(steered)
    yield Line("Drive to", lambda _rig: "", drive, "drive", "Drive to", "x; y", digits=True)
    yield Act("Click where to drive it", lambda: sheet.action_wanted.emit("hand.drive"),
              "In one arc, from where it stands")  # fmt: skip
