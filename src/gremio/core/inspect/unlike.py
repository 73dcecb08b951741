"""What two sides that are kept alike have each for itself."""

from __future__ import annotations

from gremio.core.inspect.comparing import Difference, compare
from gremio.core.make.alike import as_mirrored
from gremio.core.rig.ids import ThingId
from gremio.core.rig.model import Rig
from gremio.core.shape.geometry import GeometryOf


def unlike(rig: Rig, record_id: ThingId, *, geometry: GeometryOf) -> list[Difference]:
    """What of the other side (of a record, by id) is otherwise than the mirror has the first.
    Raises NotFound."""
    return compare(as_mirrored(rig, record_id, geometry=geometry), rig)
