"""A boat goes through: the routine of the lock, keyed on the Desk."""

from __future__ import annotations

import gremio
from gremio.core.edit.builder import Typed
from gremio.core.rig.model import Rig

# When (s), and where each control is then. The paddle is drawn before the gates, and down again
# before they shut; the bridge is up while the boat passes.
KEYS: dict[str, tuple[tuple[float, Typed], ...]] = {
    "Paddle windlass": ((0.0, 0.0), (3.0, "6 turn"), (12.0, "6 turn"), (15.0, 0.0)),
    "Upper gates": ((1.0, 0.0), (4.0, 0.0), (8.0, "70 deg"), (13.0, "70 deg"), (17.0, 0.0)),
    "Bridge": ((5.0, 0.0), (8.0, "60 deg"), (16.0, "60 deg"), (19.0, 0.0)),
    "Signal": ((0.0, 0.0), (2.0, "1 turn"), (18.0, "1 turn"), (20.0, 0.0)),
    "Slew": ((2.0, 0.0), (9.0, "-35 deg"), (14.0, "20 deg")),
    "Hoist": ((9.0, 0.0), (11.0, 0.9), (14.0, 0.2)),
    "Inspection trolley travel": ((6.0, 0.0), (12.0, 3.0), (20.0, -1.0)),
    "Inspection trolley steering": ((6.0, 0.0), (9.0, "20 deg"), (12.0, "-15 deg"), (20.0, 0.0)),
}


def boat_through(rig: Rig) -> Rig:
    """The rig with the routine "Boat through", of 20 s."""
    rig = gremio.routine(rig, "Boat through", 20.0, rate=24)
    for control, keys in KEYS.items():
        for time, value in keys:
            rig = gremio.key(rig, time, {control: value}, routine="Boat through")
    return rig
