"""Edits on measures that are kept."""

from __future__ import annotations

from msgspec.structs import replace

from gremio.core.edit.change import (
    check_new_name,
    known_or_new,
    must_have,
    new_id,
    well_formed,
    with_entry,
    without,
)
from gremio.core.problem import GremioError, with_article
from gremio.core.quantity import UNITS
from gremio.core.rig.ids import ThingId
from gremio.core.rig.links import leads
from gremio.core.rig.model import Formula, Measure, Rig
from gremio.core.rig.numbers import full_label


def add_measure(rig: Rig, measure: Measure) -> tuple[Rig, ThingId]:
    """The rig with one more measure, and its id. Refuses a name that is taken."""
    check_new_name(rig, measure.name)
    rig, measure_id = new_id(rig, "m")
    return change_measure(rig, measure_id, measure), measure_id


def change_measure(rig: Rig, measure_id: ThingId, measure: Measure) -> Rig:
    """The rig with a measure in place of the one of this id. Refuses a unit of another kind."""
    known_or_new(rig, rig.measures, measure_id, "measure")
    present = rig.measures.get(measure_id)
    check_new_name(rig, measure.name, present.name if present else None)
    kind = "angle" if measure.kind == "angle" else "length"
    if measure.unit not in UNITS or UNITS[measure.unit].kind != kind:
        raise GremioError(
            f"{measure.name} measures {with_article(kind)}, which has no unit {measure.unit!r}."
        )
    for end in measure.ends:
        must_have(rig.parts, end.part, "part")
    well_formed(measure, measure.name)
    return replace(rig, measures=with_entry(rig.measures, measure_id, measure))


def remove_measure(rig: Rig, measure_id: ThingId) -> Rig:
    """Take out a measure. Refuses while a formula uses it."""
    measure = must_have(rig.measures, measure_id, "measure")
    for link in rig.links.values():
        if isinstance(link, Formula) and measure_id in leads(link):
            raise GremioError(
                f"The formula for {full_label(rig, link.follower)} uses {measure.name}. Change the "
                "formula first."
            )
    return replace(rig, measures=without(rig.measures, measure_id))
