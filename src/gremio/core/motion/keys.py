"""What the keys of a routine say for the times asked."""

from __future__ import annotations

import itertools

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array
from gremio.core.mechanics.clock import local_time
from gremio.core.mechanics.profiles import value
from gremio.core.rig.ids import CLOCK, ChannelKey
from gremio.core.rig.model import Cam, Routine
from gremio.core.solve.cam_steps import cam_profile


def is_sound(cam: Cam) -> bool:
    """Whether the keys of a channel say something: there are some, and each is at a time of its
    own, which a file may have otherwise."""
    times = [station.lead for station in cam.stations]
    return bool(times) and all(b > a for a, b in itertools.pairwise(times))


def inputs_at(routine: Routine, times: npt.ArrayLike) -> dict[ChannelKey, Array]:
    """Where a routine puts inputs at times (F,) from its beginning (s): (F,) SI, by channel key,
    the clock among them. What it says nothing of is at home."""
    t = np.atleast_1d(np.asarray(times, dtype=float))
    local = local_time(t, routine.length, routine.ends)
    found = {channel: np.full(len(t), start) for channel, start in routine.start.items()}
    for channel, cam in routine.keys.items():
        if is_sound(cam):
            found[channel] = np.asarray(value(cam_profile(cam, channel), local), dtype=np.float64)
    found[CLOCK] = t
    return found
