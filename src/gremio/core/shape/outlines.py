"""Flat outlines: circles, gear teeth, racks. Each is (N, 2), anticlockwise, in metres."""

from __future__ import annotations

import math

import numpy as np

from gremio.core.arrays import Array
from gremio.core.mechanics import gears

_FILLET_POINTS = 4


def circle(diameter: float, centre: tuple[float, float] = (0.0, 0.0), sides: int = 64) -> Array:
    """A circle as a regular polygon with its corners on the circle."""
    angle = np.arange(sides) * 2 * np.pi / sides
    return np.stack([np.cos(angle), np.sin(angle)], axis=1) * diameter / 2 + centre


def rectangle(length: float, width: float) -> Array:
    """A rectangle about zero, length along x."""
    x, y = length / 2, width / 2
    return np.array([[-x, -y], [x, -y], [x, y], [-x, y]])


def enough_points(teeth: int) -> int:
    """How many points a flank needs to lie within 0.005 module of its involute."""
    return 6 if teeth < 12 else 5 if teeth < 42 else 4


def spur_gear(
    module: float,
    teeth: int,
    pressure_angle: float,
    shift: float = 0.0,
    flank_points: int = 0,
) -> Array:
    """An external gear with involute flanks; tooth 0 is centred on +x.

    Proportions of ISO 53, geometry of ISO 21771. The root fillet is an arc of 0.38 m
    that touches the root circle and the flank; where the flank's base circle lies above
    it, a straight radial line joins them.
    """
    side = _flank(module, teeth, pressure_angle, shift, flank_points or enough_points(teeth))
    radius = gears.tip_diameter(module, teeth, shift) / 2
    tip = _arc_between(side[-1], side[-1] * [1, -1], radius)
    # The next tooth begins where this one would end.
    return _all_round(np.concatenate([side, tip, side[:0:-1] * [1, -1]]), teeth)


def internal_gear(
    module: float,
    teeth: int,
    pressure_angle: float,
    shift: float = 0.0,
    flank_points: int = 0,
) -> Array:
    """The hole of an internal gear, anticlockwise; tooth 0 is centred on +x.

    Its spaces have the flanks that teeth of an external gear would have (ISO 21771); the
    tips end where the involute begins, if that is further out.
    """
    flank_points = flank_points or enough_points(teeth)
    base = gears.base_diameter(module, teeth, pressure_angle) / 2
    tip = max(gears.internal_tip_diameter(module, teeth, shift) / 2, base * 1.0001)
    root = gears.internal_root_diameter(module, teeth, shift) / 2
    half_base = gears.half_tooth_angle(base, module, teeth, pressure_angle, shift)
    rolls = [math.sqrt((r / base) ** 2 - 1) for r in (tip, root)]
    middle = math.tan(pressure_angle)
    below = np.linspace(rolls[0], max(middle, rolls[0]), flank_points)
    above = np.linspace(below[-1], rolls[1], flank_points)[1:]
    side = np.array([_involute_point(base, r, half_base) for r in [*below, *above]])
    bottom = _arc_between(side[-1], side[-1] * [1, -1], root)
    tooth_tip = _polar(tip, -math.pi / teeth)[None]
    space = np.concatenate([tooth_tip, side, bottom, side[::-1] * [1, -1]])
    # Half a pitch on, so that a tooth and not a space is centred on +x.
    turn = math.pi / teeth
    cos, sin = math.cos(turn), math.sin(turn)
    return _all_round(space @ np.array([[cos, sin], [-sin, cos]]), teeth)


def _all_round(tooth: Array, teeth: int) -> Array:
    """One tooth's outline (N, 2), repeated all round."""
    turns = np.arange(teeth) * 2 * np.pi / teeth
    cos, sin = np.cos(turns), np.sin(turns)
    x, y = tooth.T
    outline = np.stack([np.outer(cos, x) - np.outer(sin, y), np.outer(sin, x) + np.outer(cos, y)])
    points: Array = outline.reshape(2, -1).T
    return points


def _flank(
    module: float, teeth: int, pressure_angle: float, shift: float, flank_points: int
) -> Array:
    """The lower side of tooth 0, from the middle of the root to the tip."""
    base = gears.base_diameter(module, teeth, pressure_angle) / 2
    root = gears.root_diameter(module, teeth, shift) / 2
    tip = gears.tip_diameter(module, teeth, shift) / 2
    half_pitch = math.pi / teeth
    half_base = gears.half_tooth_angle(base, module, teeth, pressure_angle, shift)
    radius = min(gears.ROOT_FILLET * module, 0.8 * root * max(half_pitch - half_base, 1e-3))
    roll = _roll_at_fillet(base, root, radius, half_base)
    if roll is None:
        offset = math.asin(radius / (root + radius))
        centre_angle = -half_base - offset
        touch = math.sqrt((root + radius) ** 2 - radius**2)
        flank_end = _polar(touch, -half_base)
        roll = 0.0
    else:
        flank_end = _involute_point(base, roll, half_base)
        centre = _fillet_centre(base, roll, half_base, radius)
        centre_angle = math.atan2(centre[1], centre[0])
    centre = _polar(root + radius, centre_angle)
    fillet = _fillet(centre, _polar(root, centre_angle), flank_end)
    last = math.sqrt(max((tip / base) ** 2 - 1, 0.0))
    # One point is on the pitch circle, so that the tooth is drawn just as thick as it is.
    middle = min(max(math.tan(pressure_angle), roll), last)
    below, above = (np.linspace(*ends, flank_points) for ends in ((roll, middle), (middle, last)))
    rolls = np.concatenate([below, above[1:]])
    involute = np.array([_involute_point(base, r, half_base) for r in rolls])
    start = _polar(root, -half_pitch)
    return np.concatenate([[start], fillet, involute])


def _involute_point(base: float, roll: float, half_base: float) -> Array:
    """A point of the lower flank: the end of a taut line unrolled by `roll` (rad)."""
    x = base * (math.cos(roll) + roll * math.sin(roll))
    y = base * (math.sin(roll) - roll * math.cos(roll))
    cos, sin = math.cos(half_base), math.sin(half_base)
    return np.array([x * cos + y * sin, y * cos - x * sin])


def _fillet_centre(base: float, roll: float, half_base: float, radius: float) -> Array:
    """Centre of an arc that touches the lower flank at `roll`, outside the tooth."""
    angle = roll - half_base
    outward = np.array([math.sin(angle), -math.cos(angle)])
    centre: Array = _involute_point(base, roll, half_base) + radius * outward
    return centre


def _roll_at_fillet(base: float, root: float, radius: float, half_base: float) -> float | None:
    """Where on the flank the fillet ends; None when it ends below the base circle."""

    def excess(roll: float) -> float:
        centre = _fillet_centre(base, roll, half_base, radius)
        return math.hypot(centre[0], centre[1]) - root - radius

    if excess(0.0) >= 0:
        return None
    low, high = 0.0, 1.0
    while excess(high) < 0:
        high *= 2
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (middle, high) if excess(middle) < 0 else (low, middle)
    return (low + high) / 2


def _fillet(centre: Array, start: Array, end: Array) -> Array:
    """Points of the short arc about a centre from start to just before end."""
    first = math.atan2(*(start - centre)[::-1])
    last = math.atan2(*(end - centre)[::-1])
    sweep = (last - first + math.pi) % (2 * math.pi) - math.pi
    angles = first + sweep * np.arange(_FILLET_POINTS) / _FILLET_POINTS
    radius = math.hypot(*(start - centre))
    points: Array = centre + radius * np.stack([np.cos(angles), np.sin(angles)], axis=1)
    return points


def _arc_between(start: Array, end: Array, radius: float) -> Array:
    """One point in the middle of a short arc about zero."""
    middle = (math.atan2(start[1], start[0]) + math.atan2(end[1], end[0])) / 2
    return _polar(radius, middle)[None]


def _polar(radius: float, angle: float) -> Array:
    return np.array([radius * math.cos(angle), radius * math.sin(angle)])


def rack(module: float, teeth: int, back: float, pressure_angle: float) -> Array:
    """A rack along x: zero on the pitch line, amid the first tooth; teeth toward +y.

    The basic rack tooth of ISO 53: straight flanks at the pressure angle, root fillets
    of 0.38 m.
    """
    pitch = gears.pitch(module)
    addendum, dedendum = gears.ADDENDUM * module, gears.DEDENDUM * module
    slope = math.tan(pressure_angle)
    at_tip = pitch / 4 - addendum * slope
    at_root = pitch / 4 + dedendum * slope
    # An arc in the corner between the root land and a flank touches both at this distance.
    touch = gears.ROOT_FILLET * module * math.tan((math.pi / 2 - pressure_angle) / 2)
    touch = min(touch, 0.95 * (pitch / 2 - at_root))
    corner = np.array([at_root, -dedendum])
    along_flank = corner + touch * np.array([-math.sin(pressure_angle), math.cos(pressure_angle)])
    along_land = corner + [touch, 0.0]
    u = np.linspace(0, 1, _FILLET_POINTS)[:, None]
    bend = (1 - u) ** 2 * along_flank + 2 * u * (1 - u) * corner + u**2 * along_land
    right = np.concatenate([[[at_tip, addendum]], bend])
    tooth = np.concatenate([right[::-1] * [-1, 1], right])
    shifts = np.arange(teeth)[:, None, None] * [pitch, 0.0]
    top = (tooth[None] + shifts).reshape(-1, 2)
    low = -dedendum - back
    left, end = -pitch / 2, (teeth - 0.5) * pitch
    body = [[left, -dedendum], [left, low], [end, low], [end, -dedendum]]
    return np.concatenate([body, top[::-1]])
