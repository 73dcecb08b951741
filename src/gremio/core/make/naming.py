"""Giving anything in a rig that has a name another one."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from msgspec.structs import replace

from gremio.core.edit.change import check_new_name
from gremio.core.edit.constraints import change_constraint
from gremio.core.edit.controls import change_control
from gremio.core.edit.measures import change_measure
from gremio.core.edit.parts import change_part
from gremio.core.edit.paths import change_path
from gremio.core.edit.strands import change_strand
from gremio.core.edit.treads import change_tread
from gremio.core.make.struts import change_strut
from gremio.core.problem import GremioError
from gremio.core.rig.ids import ThingId
from gremio.core.rig.model import Rig
from gremio.core.rig.things import thing_of

# What puts another thing in the place of one, by where it stands in the rig.
_CHANGE: dict[str, Callable[[Rig, Any, Any], Rig]] = {
    "parts": change_part,
    "controls": change_control,
    "measures": change_measure,
    "struts": change_strut,
    "constraints": change_constraint,
    "strands": change_strand,
    "treads": change_tread,
    "paths": change_path,
}


def rename(rig: Rig, thing_id: ThingId, name: str) -> Rig:
    """The rig with another name for a thing. Links refer by id, so none breaks. Raises GremioError
    where there is no such thing, it has no name, or another has the name."""
    record = thing_of(rig, thing_id)
    if record is None or record.field not in _CHANGE:
        raise GremioError(f"{thing_id} has no name that could be changed.")
    thing = record.of(rig)[thing_id]
    check_new_name(rig, name, thing.name)
    return _CHANGE[record.field](rig, thing_id, replace(thing, name=name))
