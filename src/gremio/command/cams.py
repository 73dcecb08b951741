"""Cams from and to tables, by the names of channels."""

from __future__ import annotations

from collections.abc import Sequence

from gremio.core.files.cam_csv import CamTable, cam_of_table
from gremio.core.problem import GremioError
from gremio.core.rig.find import channel_key
from gremio.core.rig.ids import NOTHING, ThingId
from gremio.core.rig.model import Cam, Rig
from gremio.core.rig.numbers import full_label


def cam_led_by(rig: Rig, lead: str) -> ThingId:
    """Id of the cam that a channel, by name, leads. Raises NotFound, GremioError."""
    channel = channel_key(rig, lead)
    found = [i for i, link in rig.links.items() if isinstance(link, Cam) and link.lead == channel]
    if not found:
        leads = sorted({full_label(rig, k.lead) for k in rig.links.values() if isinstance(k, Cam)})
        rest = f" Cams are led by {', '.join(leads)}." if leads else " The rig has no cam."
        raise GremioError(f"{lead} leads no cam.{rest}")
    return found[0]


def taught(rig: Rig, table: CamTable, units: Sequence[str]) -> Rig:
    """The rig with a cam of a table; the cam that its lead leads already is replaced.

    units: of the columns in order; for those left out, what the headings say. Raises
    GremioError where neither says one.
    """
    channels = [channel_key(rig, name) for name in table.names]
    told = [*units, *table.units[len(units) :]]
    for name, unit in zip(table.names, told, strict=True):
        if unit is None:
            raise GremioError(
                f"The heading {name!r} names no unit. Write one after it, as in "
                f"{name + ' [deg]'!r}, or give --unit for each column in order."
            )
    old = [i for i, k in rig.links.items() if isinstance(k, Cam) and k.lead == channels[0]]
    return cam_of_table(rig, table, channels, [unit or "" for unit in told], (old or [NOTHING])[0])[
        0
    ]
