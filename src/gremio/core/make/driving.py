"""Driving a carriage to a place: the steering and the way that bring it there in one arc."""

from __future__ import annotations

import math

import numpy as np

from gremio.core.edit.change import must_have
from gremio.core.edit.controls import set_values
from gremio.core.problem import GremioError
from gremio.core.quantity import show_short
from gremio.core.rig.channels import key
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.links import DRIVEN
from gremio.core.rig.model import Driving, Rig
from gremio.core.rig.numbers import full_label, shown_unit
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.backward import Held, led_channels, move
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate, rolled_on
from gremio.core.solve.program import Program

_STRAIGHT, _THERE = 1e-9, 1e-6
_TIGHT, _FAR = "Drive it on or back a way first.", "Let the range of that go farther."


def driving_of(program: Program, thing: ThingId) -> Driving | None:
    """What drives the carriage that a thing belongs to: the body itself, or a control of its travel
    or steering, by id. None where it belongs to none."""
    for link in program.rig.links.values():
        if not isinstance(link, Driving):
            continue
        if thing == link.body:
            return link
        below = led_channels(program, key(thing)) | {key(thing)}
        if thing in program.rig.controls and {link.travel, link.steering, link.turning} & below:
            return link
    return None


def steered_by(program: Program, link: Driving) -> list[ChannelKey]:
    """Keys of the turns of the wheels that a carriage's steering steers."""
    if not link.steering:
        return []
    led = led_channels(program, link.steering)
    wheels = (p for p, entry in program.rig.parts.items() if entry.joint.kind == "wheel")
    return [turn for turn in (key(p, "turn z") for p in wheels) if turn in led]


def arc_to(
    here: tuple[float, float, float], place: tuple[float, float], axle: float
) -> tuple[float, float]:
    """The arc that brings a carriage to a place: its curvature (1/m, above zero to the left), and
    the way of its unsteered axle (m), the shorter way round, below zero backwards.

    here: its place and heading (m, rad). axle: how far before its own zero that axle is (m). The
    axle and the zero go round one centre, in line with the axle (the single-track model, as
    `mechanics.rolling.driven`).
    """
    x, y, heading = here
    ahead = np.array([math.cos(heading), math.sin(heading)])
    left = np.array([-ahead[1], ahead[0]])
    middle = np.array([x, y]) + axle * ahead
    way = np.array(place) - middle
    across, square = float(way @ left), float(way @ way) - axle**2
    if abs(2 * across) <= _STRAIGHT * max(abs(square), 1.0):
        return 0.0, float((np.array(place) - [x, y]) @ ahead)
    if square == 0.0:
        return math.inf, 0.0
    bent = 2 * across / square
    centre = middle + left / bent
    one, two = np.array([x, y]) - centre, np.array(place) - centre
    turned = math.atan2(float(one[0] * two[1] - one[1] * two[0]), float(one @ two))
    return bent, turned / bent


def drive_to(rig: Rig, body: PartId, place: tuple[float, float], *, geometry: GeometryOf) -> Rig:
    """The rig with a carriage driven from where it stands to a place, in one arc: first it is
    steered where it stands, then it goes. What turns on the spot is turned toward the place, the
    shorter way, and goes straight.

    body: id of its part. place: of its own zero, in the plane of its mount (m), as its moves x and
    y say. Raises GremioError where it can't turn so tightly, or not go so far.
    """
    must_have(rig.parts, body, "part")
    program = compile_rig(rig, geometry)
    link = driving_of(program, body)
    if link is None:
        raise GremioError(f"{rig.parts[body].name} is no carriage. Make one of it first.")
    pose = evaluate(program, rig.at).frame(0)
    x, y, heading = (pose.at(key(body, name)) for name in DRIVEN)
    bent, way = arc_to((x, y, heading), place, link.axle)
    far = math.hypot(place[0] - x, place[1] - y)
    if link.turning and far > _THERE:
        toward = math.atan2(place[1] - y, place[0] - x) - heading
        toward = (toward + math.pi) % (2 * math.pi) - math.pi
        rig = _put(rig, program, link.turning, pose.at(link.turning) + toward, body, _FAR)
        way = far
    elif link.steering:
        angle = math.atan(bent * link.wheelbase)
        rig = _put(rig, program, link.steering, angle, body, _TIGHT)
    elif bent and not link.turning:
        raise GremioError(
            f"{rig.parts[body].name} has no steering, and the place is neither straight ahead nor "
            "behind."
        )
    before = evaluate(program, rig.at).frame(0)
    rig = _put(rig, program, link.travel, before.at(link.travel) + way, body, _FAR)
    there = evaluate(program, rig.at).frame(0)
    missing = math.hypot(
        there.at(key(body, DRIVEN[0])) - place[0], there.at(key(body, DRIVEN[1])) - place[1]
    )
    if missing > _THERE:
        raise GremioError(
            f"{rig.parts[body].name} would miss the place by {show_short(missing, 'mm')}: "
            "something else moves it on the way, or holds it."
        )
    return rig


def _put(
    rig: Rig, program: Program, channel: ChannelKey, wanted: float, body: PartId, hint: str
) -> Rig:
    """The rig with one of the two brought to a value, and all that rolls gone along. hint: what to
    do where it does not go so far."""
    pose = evaluate(program, rig.at).frame(0)
    answer = move(program, pose, channel, wanted)
    if isinstance(answer, Held):
        raise GremioError(answer.text)
    rolled = rolled_on(program, rig.at, {**rig.at, answer.channel: answer.value})
    changed = set_values(rig, {c: v for c, v in rolled.items() if v != rig.at.get(c)})
    had = evaluate(program, changed.at).frame(0).at(channel)
    if abs(had - wanted) > _THERE:
        unit = shown_unit(rig, channel)
        raise GremioError(
            f"{rig.parts[body].name} can't come there in one arc: it needs "
            f"{full_label(rig, channel)} at {show_short(wanted, unit)}, and that goes to "
            f"{show_short(had, unit)}. {hint}"
        )
    return changed
