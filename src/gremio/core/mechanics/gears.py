"""Cylindrical gears with straight teeth, after ISO 21771, and the basic rack of ISO 53.

Lengths in metres, angles in radians.
"""

from __future__ import annotations

import math

ADDENDUM = 1.00  # of the module, ISO 53
DEDENDUM = 1.25
ROOT_FILLET = 0.38
PRESSURE_ANGLE = math.radians(20)


def pitch_diameter(module: float, teeth: int) -> float:
    """d = m z (ISO 21771)."""
    return module * teeth


def base_diameter(module: float, teeth: int, pressure_angle: float = PRESSURE_ANGLE) -> float:
    """d_b = d cos α (ISO 21771)."""
    return pitch_diameter(module, teeth) * math.cos(pressure_angle)


def tip_diameter(module: float, teeth: int) -> float:
    """d_a = d + 2 h_a with h_a = 1.00 m (ISO 21771, ISO 53)."""
    return pitch_diameter(module, teeth) + 2 * ADDENDUM * module


def root_diameter(module: float, teeth: int) -> float:
    """d_f = d − 2 h_f with h_f = 1.25 m (ISO 21771, ISO 53)."""
    return pitch_diameter(module, teeth) - 2 * DEDENDUM * module


def tooth_thickness(module: float) -> float:
    """s = π m / 2, along the pitch circle (ISO 21771)."""
    return math.pi * module / 2


def pitch(module: float) -> float:
    """p = π m, along the pitch circle, or from tooth to tooth of a rack (ISO 21771)."""
    return math.pi * module


def centre_distance(module: float, teeth: int, other_teeth: int) -> float:
    """a = m (z1 + z2) / 2 of an external pair (ISO 21771)."""
    return module * (teeth + other_teeth) / 2


def external_ratio(lead_teeth: int, follower_teeth: int) -> float:
    """Turn of the follower for a turn of the lead, external pair: −z1/z2 (ISO 21771)."""
    return -lead_teeth / follower_teeth


def rack_travel(module: float, teeth: int) -> float:
    """Travel of a rack for a whole turn of its pinion: π m z (ISO 21771)."""
    return math.pi * module * teeth


def involute(angle: float) -> float:
    """inv α = tan α − α (ISO 21771)."""
    return math.tan(angle) - angle


def half_tooth_angle(radius: float, module: float, teeth: int, pressure_angle: float) -> float:
    """Half the angle that a tooth fills at a radius outside the base circle.

    ψ = π / (2 z) + inv α − inv α_y with cos α_y = r_b / r (ISO 21771).
    """
    base = base_diameter(module, teeth, pressure_angle) / 2
    at_radius = math.acos(min(1.0, base / radius))
    return math.pi / (2 * teeth) + involute(pressure_angle) - involute(at_radius)
