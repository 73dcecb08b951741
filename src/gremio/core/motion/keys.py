"""What the keys of a routine say for the times asked."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array
from gremio.core.mechanics.clock import local_time
from gremio.core.mechanics.profiles import value
from gremio.core.rig.ids import CLOCK, ChannelKey
from gremio.core.rig.model import Routine
from gremio.core.solve.cam_steps import cam_profile


def inputs_at(routine: Routine, times: npt.ArrayLike) -> dict[ChannelKey, Array]:
    """Where a routine puts inputs at times (F,) from its beginning (s): (F,) SI, by channel key,
    the clock among them. What it says nothing of is at home."""
    t = np.atleast_1d(np.asarray(times, dtype=float))
    local = local_time(t, routine.length, routine.ends)
    found = {channel: np.full(len(t), start) for channel, start in routine.start.items()}
    for channel, cam in routine.keys.items():
        if cam.stations:
            found[channel] = np.asarray(value(cam_profile(cam, channel), local), dtype=np.float64)
    found[CLOCK] = t
    return found
