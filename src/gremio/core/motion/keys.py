"""What the keys of a routine say for the times asked."""

from __future__ import annotations

import itertools

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array
from gremio.core.mechanics.bank import Bank
from gremio.core.mechanics.clock import local_time
from gremio.core.mechanics.profile_bank import bank_of, values
from gremio.core.remembered import Bounded
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
    channels, bank = _BANKS.of(id(routine), lambda _id: (routine, *_bank_of(routine)))[1:]
    if bank is not None:
        rows = np.zeros(len(channels), dtype=np.intp)
        found.update(zip(channels, values(bank, local[None], rows), strict=True))
    found[CLOCK] = t
    return found


def _bank_of(routine: Routine) -> tuple[tuple[ChannelKey, ...], Bank | None]:
    """The channels whose keys say something, and what they say side by side."""
    sound = {channel: cam for channel, cam in routine.keys.items() if is_sound(cam)}
    profiles = [cam_profile(cam, channel) for channel, cam in sound.items()]
    return tuple(sound), bank_of(profiles) if profiles else None


# What is asked again and again while time goes by; the routine is kept too, so that no other can
# come to stand at the same place in memory.
_BANKS: Bounded[int, tuple[Routine, tuple[ChannelKey, ...], Bank | None]] = Bounded(
    lambda _kept: 1, 16
)
