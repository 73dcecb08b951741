"""Wheels of vehicles: sizes from codes, steering, slip. Metres and radians."""

from __future__ import annotations

import math
import re

from gremio.core.problem import GremioError

STEERING_RANGE = math.radians(35)  # common practice
_CODE = re.compile(r"\s*(\d{2,3})\s*/\s*(\d{2,3})\s*[A-Z]*R?\s*(\d{2}(?:\.\d)?)\s*", re.IGNORECASE)


def tyre_diameter(code: str) -> float:
    """Overall diameter (m) of a tyre by its code, "205/55 R16": rim + 2 × width × aspect
    (ISO 4000-1). Raises GremioError for a text that is no such code."""
    match = _CODE.fullmatch(code)
    if match is None:
        raise GremioError(f"{code!r} is no tyre code. Write for example '205/55 R16'.")
    width, aspect, rim = (float(text) for text in match.groups())
    return rim * 0.0254 + 2 * width / 1000 * aspect / 100


def rolled_turn(distance: float, radius: float) -> float:
    """Turn (rad) of a wheel that rolls without slip: distance ÷ radius (common practice)."""
    return distance / radius


def wheel_angle(steer: float, along: float, aside: float) -> float:
    """Steering angle (rad) of a wheel so that it rolls about the carriage's turning centre.

    steer: the angle of a wheel in the middle of the front axle. along: from the unsteered
    axle forward to the wheel (m) ÷ wheelbase. aside: from the middle to the left (m) ÷
    wheelbase. cot δ_outer − cot δ_inner = track ÷ wheelbase (Ackermann): each wheel stands
    square to the line from the turning centre, tan δ = along · tan / (1 − aside · tan).
    """
    tangent = math.tan(steer)
    return math.atan2(along * tangent, 1 - aside * tangent)


def steer_of_wheel(angle: float, along: float, aside: float) -> float:
    """The steering angle (rad) in the middle of the front axle at which a wheel stands at an angle
    (rad); `wheel_angle` the other way. along, aside: as there."""
    tangent = math.tan(angle)
    return math.atan2(tangent, along + aside * tangent)


def slip_a_metre(radius: float, true_radius: float) -> float:
    """How far a wheel of one radius slips in every metre when turned as one of another."""
    return true_radius / radius - 1
