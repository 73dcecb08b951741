"""A boat goes through: the routine of the lock, keyed on the Desk."""

from __future__ import annotations

import gremio
from gremio.core.edit.builder import Typed
from gremio.core.rig.model import Rig
from gremio.demo.running import handed_over

# When (s), and where each control is then. The paddle is drawn before the gates, and down again
# before they shut; the bridge is up while the boat passes.
KEYS: dict[str, tuple[tuple[float, Typed], ...]] = {
    "Paddle windlass": ((0.0, 0.0), (3.0, "6 turn"), (12.0, "6 turn"), (15.0, 0.0)),
    "Upper gates": ((1.0, 0.0), (4.0, 0.0), (8.0, "70 deg"), (13.0, "70 deg"), (17.0, 0.0)),
    "Bridge": ((5.0, 0.0), (8.0, "60 deg"), (16.0, "60 deg"), (19.0, 0.0)),
    "Signal": ((0.0, 0.0), (2.0, "1 turn"), (18.0, "1 turn"), (20.0, 0.0)),
    "Slew": (
        (1.0, 0.0),
        (6.0, "-60 deg"),
        (8.0, "-60 deg"),
        (12.0, "-110 deg"),
        (14.5, "-110 deg"),
        (19.0, 0.0),
    ),
    "Hoist": ((3.0, 0.0), (6.5, 1.33), (7.5, 1.33), (10.0, 0.1), (13.5, 0.1), (14.5, -0.3)),
    "Quay winch travel": ((5.0, 0.0), (12.0, 2.633), (14.0, 2.633), (17.5, 0.4)),
    "Quay winch turn": ((16.0, 0.0), (19.0, "110 deg")),
    "Engine": ((1.0, 0.0), (15.0, "5 turn")),
    "Pump": ((1.0, 0.0), (3.0, 1.0), (13.0, 1.0), (15.5, 0.0)),
    "Capstan speed": ((2.0, 0.0), (4.0, "0.5 turn/s"), (10.0, "-0.3 turn/s"), (14.0, 0.0)),
    "Dredger": ((0.0, 0.0), (20.0, "4 turn")),
    "Inspection trolley travel": ((6.0, 0.0), (12.0, 3.0), (20.0, -1.0)),
    "Inspection trolley steering": ((6.0, 0.0), (9.0, "20 deg"), (12.0, "-15 deg"), (20.0, 0.0)),
}


def boat_through(rig: Rig) -> Rig:
    """The rig with the routine "Boat through", of 20 s."""
    rig = gremio.routine(rig, "Boat through", 20.0, rate=24)
    for control, keys in KEYS.items():
        for time, value in keys:
            rig = gremio.key(rig, time, {control: value}, routine="Boat through")
    return handed_over(rig, "Boat through")
