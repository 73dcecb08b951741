"""Numbers that a link can't have: looked at when it is made, and when a file is opened."""

from __future__ import annotations

import itertools
import math

from gremio.core.rig.channels import full_label
from gremio.core.rig.model import Cam, Driving, Formula, Link, Planetary, Ratio, Rig, Rolling
from gremio.core.rig.path_points import wrong_path


def wrong_numbers(rig: Rig, link: Link) -> str:
    """What is wrong with the numbers of a link, and what to do; "" when nothing is."""
    match link:
        case Ratio():
            if not (math.isfinite(link.ratio) and math.isfinite(link.offset)):
                return "A ratio needs a plain number. Write for example '=36/20'."
        case Planetary():
            if not (math.isfinite(link.ratio) and link.ratio > 0):
                return "A planetary set needs teeth of ring ÷ teeth of sun, above zero."
        case Rolling():
            if not (math.isfinite(link.radius) and link.radius > 0):
                return "A rolling wheel needs a radius above zero."
            path = rig.paths.get(link.path)
            return wrong_path(path) if path is not None else ""
        case Driving():
            if not (math.isfinite(link.wheelbase) and link.wheelbase > 0):
                return "A carriage needs a wheelbase above zero."
        case Cam():
            return _of_cam(rig, link)
        case Formula():
            return ""
    return ""


def _of_cam(rig: Rig, cam: Cam) -> str:
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
