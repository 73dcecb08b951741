"""Cylindrical gears with straight teeth, after ISO 21771, and the basic rack of ISO 53.

Lengths in metres, angles in radians. x is the profile shift coefficient.
"""

from __future__ import annotations

import math

ADDENDUM = 1.00  # of the module, ISO 53
DEDENDUM = 1.25
ROOT_FILLET = 0.38
PRESSURE_ANGLE = math.radians(20)
# Preferred modules, series 1 (ISO 54), in metres.
PREFERRED_MODULES = tuple(
    m / 1000 for m in (1, 1.25, 1.5, 2, 2.5, 3, 4, 5, 6, 8, 10, 12, 16, 20, 25, 32, 40, 50)
)


def pitch_diameter(module: float, teeth: int) -> float:
    """d = m z (ISO 21771)."""
    return module * teeth


def base_diameter(module: float, teeth: int, pressure_angle: float = PRESSURE_ANGLE) -> float:
    """d_b = d cos α (ISO 21771)."""
    return pitch_diameter(module, teeth) * math.cos(pressure_angle)


def tip_diameter(module: float, teeth: int, shift: float = 0.0) -> float:
    """d_a = d + 2 m (h_a* + x) with h_a* = 1.00 (ISO 21771, ISO 53)."""
    return pitch_diameter(module, teeth) + 2 * (ADDENDUM + shift) * module


def root_diameter(module: float, teeth: int, shift: float = 0.0) -> float:
    """d_f = d − 2 m (h_f* − x) with h_f* = 1.25 (ISO 21771, ISO 53)."""
    return pitch_diameter(module, teeth) - 2 * (DEDENDUM - shift) * module


def internal_tip_diameter(module: float, teeth: int, shift: float = 0.0) -> float:
    """d_a = d − 2 m (h_a* − x), where the teeth of an internal gear end inward (ISO 21771)."""
    return pitch_diameter(module, teeth) - 2 * (ADDENDUM - shift) * module


def internal_root_diameter(module: float, teeth: int, shift: float = 0.0) -> float:
    """d_f = d + 2 m (h_f* + x) of an internal gear (ISO 21771)."""
    return pitch_diameter(module, teeth) + 2 * (DEDENDUM + shift) * module


def tooth_thickness(
    module: float, shift: float = 0.0, pressure_angle: float = PRESSURE_ANGLE
) -> float:
    """s = m (π / 2 + 2 x tan α), along the pitch circle (ISO 21771)."""
    return module * (math.pi / 2 + 2 * shift * math.tan(pressure_angle))


def pitch(module: float) -> float:
    """p = π m, along the pitch circle, or from tooth to tooth of a rack (ISO 21771)."""
    return math.pi * module


def centre_distance(module: float, teeth: int, other_teeth: int) -> float:
    """a = m (z1 + z2) / 2 of an external pair (ISO 21771)."""
    return module * (teeth + other_teeth) / 2


def internal_centre_distance(module: float, pinion_teeth: int, ring_teeth: int) -> float:
    """a = m (z2 − z1) / 2 of a pinion in an internal gear (ISO 21771)."""
    return module * (ring_teeth - pinion_teeth) / 2


def external_ratio(lead_teeth: int, follower_teeth: int) -> float:
    """Turn of the follower for a turn of the lead, external pair: −z1/z2 (ISO 21771)."""
    return -lead_teeth / follower_teeth


def rack_travel(module: float, teeth: int) -> float:
    """Travel of a rack for a whole turn of its pinion: π m z (ISO 21771)."""
    return math.pi * module * teeth


def involute(angle: float) -> float:
    """inv α = tan α − α (ISO 21771)."""
    return math.tan(angle) - angle


def angle_of_involute(value: float) -> float:
    """The angle whose involute function is a value >= 0, by Newton's method."""
    angle = (3 * value) ** (1 / 3) if value > 0 else 0.0
    for _ in range(60):
        slope = math.tan(angle) ** 2
        if slope < 1e-18:
            break
        step = (involute(angle) - value) / slope
        angle = min(max(angle - step, 1e-9), 1.5)
        if abs(step) < 1e-15:
            break
    return angle


def working_distance(
    module: float, teeth: int, other_teeth: int, shifts: float, pressure_angle: float
) -> float:
    """Centre distance without backlash: a_w = a cos α / cos α_w with
    inv α_w = inv α + 2 tan α (x1 + x2) / (z1 + z2) (ISO 21771).

    shifts: x1 + x2; for a pinion in an internal gear give teeth as ring − pinion, i.e.
    `other_teeth` negative, and the ring's shift less the pinion's.
    """
    total = teeth + other_teeth
    angle = angle_of_involute(
        involute(pressure_angle) + 2 * math.tan(pressure_angle) * shifts / total
    )
    return module * total / 2 * math.cos(pressure_angle) / math.cos(angle)


def shifts_for(
    module: float, teeth: int, other_teeth: int, distance: float, pressure_angle: float
) -> float:
    """x1 + x2 that an external pair needs to run without backlash at a distance (ISO 21771).

    nan where the distance is too small for any.
    """
    cosine = module * (teeth + other_teeth) / 2 * math.cos(pressure_angle) / distance
    if cosine >= 1:
        return math.nan
    rise = involute(math.acos(cosine)) - involute(pressure_angle)
    return rise * (teeth + other_teeth) / (2 * math.tan(pressure_angle))


def least_teeth(pressure_angle: float = PRESSURE_ANGLE) -> float:
    """Fewest teeth without undercut: 2 h_a* / sin² α (derivation in every handbook; ISO 53)."""
    return 2 * ADDENDUM / math.sin(pressure_angle) ** 2


def least_shift(teeth: int, pressure_angle: float = PRESSURE_ANGLE) -> float:
    """Least profile shift without undercut: x = h_a* (1 − z / z_least)."""
    return ADDENDUM * (1 - teeth / least_teeth(pressure_angle))


def half_tooth_angle(
    radius: float, module: float, teeth: int, pressure_angle: float, shift: float = 0.0
) -> float:
    """Half the angle that a tooth fills at a radius outside the base circle; of an internal
    gear, half the angle of a space.

    ψ = s / d + inv α − inv α_y with cos α_y = r_b / r (ISO 21771).
    """
    base = base_diameter(module, teeth, pressure_angle) / 2
    at_radius = math.acos(min(1.0, base / radius))
    at_pitch = tooth_thickness(module, shift, pressure_angle) / (module * teeth)
    return at_pitch + involute(pressure_angle) - involute(at_radius)
