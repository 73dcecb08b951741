"""Ways that controls go, from place to place in equal times: what a baked travel follows."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from gremio.core.arrays import Array
from gremio.core.edit.desk import blended
from gremio.core.problem import GremioError, NotFound
from gremio.core.rig.channels import split
from gremio.core.rig.find import control_id
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.model import Rig
from gremio.core.solve.ask import check_range, through
from gremio.core.solve.pose import Poses
from gremio.core.solve.program import Program
from gremio.core.typed import parse


class Way(NamedTuple):
    """From place to place. name: what it is called. places: what is put at each (SI by key), the
    same keys in all; what is not named stays where it stands."""

    name: str
    places: tuple[dict[ChannelKey, float], ...]

    @property
    def controls(self) -> list[ChannelKey]:
        """Keys of the controls that it moves."""
        first = self.places[0]
        return [c for c in first if not split(c)[1] and any(p[c] != first[c] for p in self.places)]


def way_of_controls(
    rig: Rig, names: Sequence[str], start: str | None = None, end: str | None = None
) -> Way:
    """The way of controls, by their names, all at once from end to end of their ranges; of one
    alone, also from and to a value as a person types it. Raises GremioError for a control that is
    not there, an empty range, or a value that can't be read or lies outside of it."""
    if len(names) != 1 and (start is not None or end is not None):
        raise GremioError("From and to are of one control. Leave them out, or name one alone.")
    first: dict[ChannelKey, float] = {}
    last: dict[ChannelKey, float] = {}
    for name in names:
        control = control_id(rig, name)
        entry = rig.controls[control]
        check_range(rig, ChannelKey(control))
        first[ChannelKey(control)] = _end_of(rig, control, start, entry.low)
        last[ChannelKey(control)] = _end_of(rig, control, end, entry.high)
    if first == last:
        raise GremioError(f"{names[0]} would stay where it is. Give it two different values.")
    return Way(", ".join(names), (first, last))


def _end_of(rig: Rig, control: ThingId, text: str | None, usual: float) -> float:
    entry = rig.controls[control]
    if text is None:
        return usual
    value = parse(text, entry.kind, entry.unit, entry.name)
    if not entry.low - 1e-9 <= value <= entry.high + 1e-9:
        raise GremioError(f"{text} lies outside the range of {entry.name}. Widen its range first.")
    return value


def way_of_poses(rig: Rig, names: Sequence[str]) -> Way:
    """The way from one kept pose to the next, by their names. Raises NotFound for one that is not
    there, GremioError for fewer than two."""
    if len(names) < 2:
        raise GremioError("A way from pose to pose needs two of them at least.")
    ids = {pose.name: pose_id for pose_id, pose in rig.poses.items()}
    for name in names:
        if name not in ids:
            known = ", ".join(ids) or "none are kept yet"
            raise NotFound(f"No pose is called {name}. Those that are kept: {known}.")
    here = dict(rig.at) | {
        ChannelKey(c): rig.at.get(ChannelKey(c), entry.home) for c, entry in rig.controls.items()
    }
    places = [{**here, **blended(rig, here, ids[name])} for name in names]
    return Way(", ".join(names), tuple(places))


def along_way(program: Program, way: Way, shares: Array) -> Poses:
    """The poses of a program at shares (F,) of a way, from 0 to 1, one after another; between two
    places every value goes straight."""
    at = np.linspace(0.0, 1.0, len(way.places))
    values = {
        channel: np.interp(shares, at, [place[channel] for place in way.places])
        for channel in way.places[0]
        if channel in program.channel_row
    }
    return through(program, values)
