"""Numbers that a link can't have: looked at when it is made, and when a file is opened."""

from __future__ import annotations

import itertools
import math

from gremio.core.quantity import TOTALS
from gremio.core.rig.model import Cam, Driving, Motor, Planetary, Ratio, Rig, Rolling, Rumble
from gremio.core.rig.numbers import full_label, kind_of
from gremio.core.rig.path_points import wrong_path

# So large a proportion may be (SI for SI).
_MOST = 1e12
# So fast a rumble shakes at most (Hz).
_FASTEST = 1000.0


def of_ratio(rig: Rig, link: Ratio) -> str:
    """What is wrong with the numbers of a ratio, and what to do; "" when nothing is."""
    del rig
    if not (math.isfinite(link.backlash) and link.backlash >= 0):
        return "Backlash is the play between flanks, so it is 0 mm or more."
    # Beyond this, what follows is no number any more. (nan is not below anything.)
    if abs(link.ratio) <= _MOST and abs(link.offset) <= _MOST:
        return ""
    if math.isfinite(link.ratio) and math.isfinite(link.offset):
        return f"A ratio, and where it starts, go up to {_MOST:g}. Take a smaller one."
    return "A ratio needs a plain number. Write for example '=36/20'."


def of_planetary(rig: Rig, link: Planetary) -> str:
    """The same of a planetary set."""
    del rig
    if math.isfinite(link.ratio) and link.ratio > 0:
        return ""
    return "A planetary set needs teeth of ring ÷ teeth of sun, above zero."


def of_rolling(rig: Rig, link: Rolling) -> str:
    """The same of a rolling wheel."""
    if not (math.isfinite(link.radius) and link.radius > 0):
        return "A rolling wheel needs a radius above zero."
    if link.slip and (link.path or link.ball):
        return "Only a wheel that rolls along its own heading can slip. Take its slip out."
    path = rig.paths.get(link.path)
    return wrong_path(path) if path is not None else ""


def of_motor(rig: Rig, link: Motor) -> str:
    """Of a motor: it adds up turns in a time to turns, a speed to a length."""
    kinds = kind_of(rig, link.rate), kind_of(rig, link.follower)
    if TOTALS.get(kinds[0]) != kinds[1]:
        name = full_label(rig, link.rate)
        wanted = {"angle": "turns in a time", "length": "a speed"}.get(kinds[1], "so many a second")
        return (
            f"{full_label(rig, link.follower)} goes on by {wanted}, and {name} is none. Choose its "
            "kind on the Card of the control."
        )
    if not math.isfinite(link.phase):
        return "The phase of a motor is a plain number."
    if not (math.isfinite(link.spin_up) and link.spin_up >= 0):
        return "How fast a motor spins up is 0, at once, or more."
    return ""


def of_rumble(rig: Rig, link: Rumble) -> str:
    """Of a rumble: what no shaking can have."""
    del rig
    if not math.isfinite(link.share):
        return "A rumble shakes by a plain number."
    if not 0.0 < link.speed <= _FASTEST:
        return f"A rumble shakes above 0 and up to {_FASTEST:g} Hz."
    if not 0.0 <= link.smoothness <= 1.0:
        return "The smoothness of a rumble goes from 0 to 100 %."
    if link.seed < 0:
        return "The seed of a rumble is a whole number from 0 upwards."
    return ""


def of_driving(rig: Rig, link: Driving) -> str:
    """The same of a carriage that goes along its heading."""
    del rig
    if math.isfinite(link.wheelbase) and link.wheelbase > 0:
        return ""
    return "A carriage needs a wheelbase above zero."


def of_cam(rig: Rig, cam: Cam) -> str:
    """The same of a cam."""
    at = [station.lead for station in cam.stations]
    if not at or not cam.followers:
        lacks = "station" if not at else "follower"
        return (
            f"A cam from {full_label(rig, cam.lead)} needs one {lacks} at least. "
            "Teach it one, or remove the cam."
        )
    numbers = [*at, *(v for s in cam.stations for v in (*s.values.values(), *s.slopes.values()))]
    if not all(map(math.isfinite, numbers)):
        return "A station of a cam holds something that is no number. Type it anew."
    if any(b <= a for a, b in itertools.pairwise(at)):
        return "Two stations of a cam stand at the same lead value. Merge them, or move one."
    return ""
