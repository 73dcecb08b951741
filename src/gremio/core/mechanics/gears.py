"""Cylindrical gears with straight teeth, after ISO 21771, and the basic rack of ISO 53.

Lengths in metres, angles in radians. x is the profile shift coefficient.
"""

from __future__ import annotations

import functools
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
    module: float,
    teeth: int,
    other_teeth: int,
    distance: float,
    pressure_angle: float,
    play: float = 0.0,
) -> float:
    """x1 + x2 that an external pair needs to run at a distance with so much `backlash`, all m (ISO
    21771). nan where the distance is too small for any.
    """
    cosine = module * (teeth + other_teeth) / 2 * math.cos(pressure_angle) / distance
    if cosine >= 1:
        return math.nan
    rise = involute(math.acos(cosine)) - play / (2 * distance) - involute(pressure_angle)
    return rise * (teeth + other_teeth) / (2 * math.tan(pressure_angle))


def backlash(bases: float, right: float, distance: float) -> float:
    """Play between the flanks of a pair, measured along the working pitch circles (m):
    j = 2 a (inv α_w − inv α_0), with cos α_w = bases / a, and α_0 at the distance without any (ISO
    21771, from the thickness of both teeth there).

    bases: sum of the base radii; of a pair with an internal gear their difference, where j grows
    as the distance falls. right: centre distance without backlash. All m. nan where the
    distance is too small for any.
    """
    if not 0 < bases <= min(right, distance):
        return math.nan
    rise = involute(math.acos(bases / distance)) - involute(math.acos(bases / right))
    return 2 * distance * rise


def distance_for(bases: float, right: float, play: float) -> float:
    """The centre distance at which `backlash` is so much (m), by Newton's method; nan where none
    is, as a pinion can't be so far from an internal gear's flanks."""
    distance = right
    for _ in range(60):
        angle = math.acos(min(bases / distance, 1.0)) if distance > 0 else 0.0
        off = backlash(bases, right, distance) - play
        slope = 2 * (involute(angle) - involute(math.acos(bases / right)) + math.tan(angle))
        if math.isnan(off) or slope <= 0:
            return math.nan
        distance -= off / slope
        if abs(off) <= 1e-15 * right:
            break
    return distance if abs(off) <= 1e-9 * right else math.nan


def least_teeth(pressure_angle: float = PRESSURE_ANGLE) -> float:
    """Fewest teeth without undercut: 2 h_a* / sin² α (derivation in every handbook; ISO 53)."""
    return 2 * ADDENDUM / math.sin(pressure_angle) ** 2


def least_shift(teeth: int, pressure_angle: float = PRESSURE_ANGLE) -> float:
    """Least profile shift without undercut: x = h_a* (1 − z / z_least)."""
    return ADDENDUM * (1 - teeth / least_teeth(pressure_angle))


def internal_margins(
    module: float,
    teeth: tuple[int, int],
    shifts: tuple[float, float],
    distance: float,
    pressure_angle: float = PRESSURE_ANGLE,
) -> tuple[float, float]:
    """How far a pinion in an internal gear is from involute and from trochoid interference (both
    below zero where the teeth get in each other's way; −inf where they can't run at all).

    teeth, shifts: of the pinion and of the internal gear. distance: between centres (m).

    Involute: z1 / z2 − (1 − tan α_a2 / tan α_w), the tip of the internal gear against what lies
    below the pinion's involute. Trochoid: θ1 z1 / z2 + inv α_w − inv α_a2 − θ2, the tip of the
    pinion against the tip of the internal gear as it leaves, with
    θ1 = arccos((r_a2² − r_a1² − a²) / (2 a r_a1)) + inv α_a1 − inv α_w and
    θ2 = arccos((a² + r_a2² − r_a1²) / (2 a r_a2)) (handbooks on internal gears; from memory,
    confirmed on sections of the teeth).
    """
    one, two = teeth
    bases = [base_diameter(module, z, pressure_angle) / 2 for z in teeth]
    tips = (
        tip_diameter(module, one, shifts[0]) / 2,
        max(internal_tip_diameter(module, two, shifts[1]) / 2, bases[1]),
    )
    cosine = (bases[1] - bases[0]) / distance if distance > 0 else 2.0
    if not 0 < cosine <= 1:
        return -math.inf, -math.inf
    working = math.acos(cosine)
    at_tip = [math.acos(min(1.0, base / tip)) for base, tip in zip(bases, tips, strict=True)]
    run = math.tan(at_tip[1]) / math.tan(working) if working > 0 else 0.0
    by_involute = one / two - (1 - run)
    first = (tips[1] ** 2 - tips[0] ** 2 - distance**2) / (2 * distance * tips[0])
    second = (distance**2 + tips[1] ** 2 - tips[0] ** 2) / (2 * distance * tips[1])
    if abs(first) > 1 or abs(second) > 1:
        # The circles of the tips do not meet.
        return by_involute, math.inf
    turned = math.acos(first) + involute(at_tip[0]) - involute(working)
    rest = involute(working) - involute(at_tip[1]) - math.acos(second)
    return by_involute, turned * one / two + rest


@functools.lru_cache(maxsize=256)
def internal_overlap(
    module: float,
    teeth: tuple[int, int],
    shifts: tuple[float, float],
    distance: float,
    pressure_angle: float = PRESSURE_ANGLE,
) -> float:
    """By how much, in modules, teeth of a pinion reach into those of an internal gear at most,
    anywhere in a pitch: points of the pinion's flanks and tips against the involute flanks and the
    root of the spaces. Arguments as of `internal_margins`."""
    one, two = teeth
    base = base_diameter(module, two, pressure_angle) / 2
    tip = max(internal_tip_diameter(module, two, shifts[1]) / 2, base)
    root = internal_root_diameter(module, two, shifts[1]) / 2
    own_base = base_diameter(module, one, pressure_angle) / 2
    own_tip = tip_diameter(module, one, shifts[0]) / 2
    radii = [own_base + (own_tip - own_base) * i / 30 for i in range(31)]
    halves = [half_tooth_angle(r, module, one, pressure_angle, shifts[0]) for r in radii]
    worst = 0.0
    for phase in range(24):
        for tooth in range(-(one // 4) - 1, one // 4 + 2):
            middle = 2 * math.pi * (tooth + phase / 24) / one
            for radius, half in zip(radii, halves, strict=True):
                for side in (-half, half):
                    x = distance + radius * math.cos(middle + side)
                    y = radius * math.sin(middle + side)
                    at = math.hypot(x, y)
                    if at <= tip:
                        continue
                    pitch_angle = 2 * math.pi / two
                    off = math.atan2(y, x) - pitch_angle * phase / 24
                    off -= pitch_angle * round(off / pitch_angle)
                    space = half_tooth_angle(at, module, two, pressure_angle, shifts[1])
                    into = (abs(off) - space) * base
                    worst = max(worst, min(into, at - tip), at - root)
    return worst / module


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
