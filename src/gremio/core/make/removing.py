"""Taking any thing out of a rig, whatever it is."""

from __future__ import annotations

from collections.abc import Callable

from gremio.core.edit.closures import remove_closure
from gremio.core.edit.controls import remove_control
from gremio.core.edit.desk import remove_pose
from gremio.core.edit.links import remove_link
from gremio.core.edit.measures import remove_measure
from gremio.core.edit.paths import remove_path
from gremio.core.edit.routines import remove_routine
from gremio.core.edit.strands import remove_strand
from gremio.core.edit.treads import remove_tread
from gremio.core.make.releasing import release, remove_and_leave
from gremio.core.make.struts import remove_strut
from gremio.core.problem import NotFound
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import Rig
from gremio.core.rig.things import THINGS
from gremio.core.solve.pose import Pose

Remove = Callable[[Rig, ThingId], Rig]


def removed(rig: Rig, thing: ThingId, pose: Pose) -> Rig:
    """The rig without a thing (id), whatever kind it is. A part goes with all it carries; what a
    constraint held stays where it stands. pose: where all stands. Raises NotFound."""
    field = next((record.field for record in THINGS if thing in record.of(rig)), "")
    if field == "parts":
        return remove_and_leave(rig, PartId(thing), pose)
    if field == "constraints":
        return release(rig, [thing], pose)
    if field not in REMOVE:
        raise NotFound(f"The rig has nothing with the id {thing!r} that can be removed.")
    return REMOVE[field](rig, thing)


# What takes a thing out of the rig, by where it stands there.
REMOVE: dict[str, Remove] = {
    "controls": remove_control,
    "links": remove_link,
    "measures": remove_measure,
    "struts": remove_strut,
    "closures": remove_closure,
    "strands": remove_strand,
    "treads": remove_tread,
    "paths": remove_path,
    "poses": remove_pose,
    "routines": remove_routine,
}
