"""Struts between two parts: made of a barrel and a rod whose eyes turn freely, and tied by a pin
so that the machine's own solver keeps them in line."""

from __future__ import annotations

import math

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array, crossed
from gremio.core.edit.change import (
    check_new_name,
    known_or_new,
    must_have,
    new_id,
    numbers_of,
    well_formed,
    with_entry,
)
from gremio.core.edit.closures import add_closure, remove_closure
from gremio.core.edit.controls import all_home
from gremio.core.edit.links import add_link, change_link
from gremio.core.edit.parts import add_part, change_part, children, remove_part
from gremio.core.frames import Frame, frame_of, matrix
from gremio.core.mechanics.struts import fewest_bodies, limits, stage_shares, stage_starts
from gremio.core.plan.carrying import carriers
from gremio.core.problem import GremioError
from gremio.core.records import Record
from gremio.core.rig.channels import CHANNELS, key, split
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.model import Closure, Joint, Part, Ratio, Rig, Shape, Stops, Strut, Triple
from gremio.core.rig.solids import Cylinder, Tube
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.ask import solve
from gremio.core.solve.backward import led_parts
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.pose import Poses

_IRON, _BRASS, _STEEL = "#8d989c", "#d3b67c", "#b7c3be"
_STEPS = 121
_LEAST, _MOST = 1e-6, 1e9

# An eye of a strut: the part, None for the ground, and the place in its frame (m).
Eye = tuple[PartId | None, Triple]


class Use(Record, frozen=True):
    """What a machine asks of a strut over its whole travel (m, from eye to eye).

    shortest, longest: what is asked for. least, most: what its bodies allow. stroke: how much
    they allow. past: where it would come apart or push through: the key and value (SI) of the
    control or joint, and which of the two; None when it never does. led: whether anything with a
    range or stops moves its ends.
    """

    shortest: float
    longest: float
    least: float
    most: float
    past: tuple[ChannelKey, float, str] | None
    led: bool

    @property
    def stroke(self) -> float:
        """How far it can go in and out."""
        return self.most - self.least

    @property
    def used(self) -> float:
        """How much of its stroke the machine asks for."""
        return self.longest - self.shortest


def make_strut(
    rig: Rig, one: Eye, two: Eye, lengths: tuple[float, ...] | None = None, *, geometry: GeometryOf
) -> tuple[Rig, ThingId]:
    """The rig with a strut between two places, and its id; barrel at the first.

    lengths: of barrel, any stages, and rod (m); without them, such as fit the machine's travel,
    or the way between the places as it stands. Raises GremioError where the places are at one
    point, or on one part.
    """
    if one[0] == two[0]:
        raise GremioError("A strut goes between two parts. Choose a place on another part.")
    for part, at in (one, two):
        if part is not None:
            must_have(rig.parts, part, "part")
        numbers_of(at, (3,), "An end of a strut")
    home = solve(all_home(rig), geometry=geometry)
    here, there = (_place(home.poses, eye)[0] for eye in (one, two))
    way = there - here
    apart = float(np.linalg.norm(way))
    if apart < _LEAST:
        raise GremioError("The two ends of the strut are at one point, so it has no length.")
    if not apart < _MOST:
        raise GremioError("The two ends of the strut are farther apart than anything can be.")
    bodies = lengths or _fitting(rig, one, two, apart, geometry=geometry)
    if len(bodies) < 2:
        raise GremioError("A strut has a barrel and a rod at least. Give two lengths or more.")
    bore = max(0.04, round(0.07 * apart, 2))
    name = free_name(names_in(rig), "Strut")
    above = home.frame_of(one[0])
    frame = np.eye(4)
    frame[:3, :3] = _along(way / apart)
    frame[:3, 3] = here
    mount = frame_of(np.linalg.inv(above) @ frame)
    joint = Joint("ball", "z", grounded=("turn x",))
    names = [free_name(names_in(rig), f"{name}, {word}") for word in ("barrel", "rod")]
    rig, barrel_id = add_part(rig, Part(names[0], one[0], mount, joint))
    outward = np.eye(4)
    outward[0, 3] = apart
    slide = Part(names[1], barrel_id, frame_of(outward), Joint("slide", "x"))
    rig, rod_id = add_part(rig, slide)
    closure = Closure(rod_id, two[0], at_two=two[1])
    rig, closure_id = add_closure(rig, closure)
    rig, strut_id = new_id(rig, "u")
    strut = Strut(name, barrel_id, rod_id, closure_id, bodies[0], bodies[-1], bore)
    rig = replace(rig, struts=with_entry(rig.struts, strut_id, strut))
    return with_bodies(rig, strut_id, bodies), strut_id


def _place(poses: Poses, eye: Eye) -> Array:
    """(F, 3) where an eye is in the world."""
    part, at = eye
    if part is None:
        return np.repeat(np.asarray(at, dtype=float)[None], poses.frames, axis=0)
    world = poses.worlds[:, poses.program.part_row[part]]
    result: Array = world[:, :3, :3] @ np.asarray(at, dtype=float) + world[:, :3, 3]
    return result


def _along(way: Array) -> Array:
    """(3, 3) a frame whose x goes along a way, with z as upright as it can be."""
    up = np.array([0.0, 0.0, 1.0]) if abs(way[2]) < 0.99 else np.array([0.0, 1.0, 0.0])
    left = crossed(up, way)
    left /= np.linalg.norm(left)
    return np.stack([way, left, crossed(way, left)], axis=1)


def _fitting(
    rig: Rig, one: Eye, two: Eye, apart: float, *, geometry: GeometryOf
) -> tuple[float, ...]:
    shortest, longest, _ = _travel(rig, one, two, geometry=geometry)
    # Where hands have put it, it is left.
    stands = _between(evaluate(compile_rig(rig, geometry), rig.at), one, two)
    ends = min(shortest, float(stands.min())), max(longest, float(stands.max()))
    return fewest_bodies(*ends) or (0.62 * apart, 0.62 * apart)


def with_bodies(rig: Rig, strut_id: ThingId, lengths: tuple[float, ...]) -> Rig:
    """The rig with a strut whose bodies are so long (m): barrel, stages, rod. Stages are added,
    or taken out, so that there are as many as lengths."""
    strut = must_have(rig.struts, strut_id, "strut")
    if len(lengths) < 2 or not all(0 < length < _MOST for length in lengths):
        raise GremioError(f"{strut.name} needs two lengths or more, each a length above zero.")
    barrel, *between, rod = lengths
    stages = strut.stages
    for stage in stages[len(between) :]:
        rig = remove_part(rig, stage)
    stages = stages[: len(between)]
    while len(stages) < len(between):
        name = free_name(names_in(rig), f"{strut.name}, stage {len(stages) + 1}")
        rig, stage = add_part(rig, Part(name, strut.barrel, joint=Joint("slide", "x")))
        rig, _ = add_link(rig, Ratio(key(strut.rod, "move x"), key(stage, "move x"), 1.0))
        stages = (*stages, stage)
    changed = replace(
        strut, barrel_length=barrel, rod_length=rod, stages=stages, stage_lengths=tuple(between)
    )
    return change_strut(rig, strut_id, changed)


def change_strut(rig: Rig, strut_id: ThingId, strut: Strut) -> Rig:
    """The rig with a strut in place of the one of this id: its bodies as long as it says, and
    the rod's stops where they end. Bodies that have other shapes than were made for them keep
    these. Raises GremioError for a length that is not above zero."""
    if not all(size > 0 for size in (*body_lengths(strut), strut.bore)):
        raise GremioError(f"Every body of {strut.name} needs a length above zero, and a bore.")
    known_or_new(rig, rig.struts, strut_id, "strut")
    for part in (strut.barrel, strut.rod, *strut.stages):
        must_have(rig.parts, part, "part")
    must_have(rig.closures, strut.closure, "pin")
    well_formed(strut, strut.name)
    present = rig.struts.get(strut_id)
    check_new_name(rig, strut.name, present.name if present else None)
    apart = rig.parts[strut.rod].mount.at[0]
    least, most = limits(strut.barrel_length, strut.rod_length, strut.stage_lengths)
    stops = Stops(least - apart, most - apart)
    rig = change_part(rig, strut.rod, replace(rig.parts[strut.rod], stops={"move x": stops}))
    before = present or strut
    rig = _with_shapes(rig, strut.rod, _rod(before), _rod(strut))
    rig = _with_shapes(rig, strut.barrel, _barrel(before), _barrel(strut))
    starts = stage_starts(strut.barrel_length, strut.stage_lengths, apart - least)
    shares = stage_shares(strut.barrel_length, strut.stage_lengths)
    for k, (stage, start, share) in enumerate(zip(strut.stages, starts, shares, strict=True)):
        entry = replace(rig.parts[stage], mount=Frame((start, 0.0, 0.0)))
        was = _stage(before, k) if k < len(before.stages) else ()
        rig = _with_shapes(change_part(rig, stage, entry), stage, was, _stage(strut, k))
        for link_id, link in rig.links.items():
            if isinstance(link, Ratio) and link.follower == key(stage, "move x"):
                rig = change_link(rig, link_id, replace(link, ratio=share))
                break
    return replace(rig, struts=with_entry(rig.struts, strut_id, strut))


def body_lengths(strut: Strut) -> tuple[float, ...]:
    """The lengths of barrel, stages and rod (m)."""
    return (strut.barrel_length, *strut.stage_lengths, strut.rod_length)


def _with_shapes(
    rig: Rig, part: PartId, before: tuple[Shape, ...], after: tuple[Shape, ...]
) -> Rig:
    """A body with other shapes, in the paint that it has, where it has such as were made for it
    before; else it keeps its own."""
    entry = rig.parts[part]
    if entry.shapes and _kinds(entry.shapes) != _kinds(before):
        return rig
    paints = [shape.paint for shape in entry.shapes] or [shape.paint for shape in after]
    painted = [replace(s, paint=paint) for s, paint in zip(after, paints, strict=False)]
    return change_part(rig, part, replace(entry, shapes=(*painted, *after[len(painted) :])))


def _kinds(shapes: tuple[Shape, ...]) -> list[tuple[type, Frame]]:
    """By which shapes are known to be those that were made: what they are, and where."""
    return [(type(shape.solid), shape.place) for shape in shapes]


def with_shape_of(
    rig: Rig, strut_id: ThingId, body: PartId, part: PartId, *, geometry: GeometryOf
) -> Rig:
    """The rig with a body of a strut, by its id, shaped as another part is, where that stands
    at home; the part itself goes. Raises GremioError for a part that carries others or is of
    the strut."""
    strut = must_have(rig.struts, strut_id, "strut")
    entry = must_have(rig.parts, part, "part")
    if part in (strut.barrel, strut.rod, *strut.stages) or children(rig, part):
        raise GremioError(f"{entry.name} can't become a body of {strut.name}: it carries others.")
    home = solve(all_home(rig), geometry=geometry)
    shift = np.linalg.inv(home.world(body)) @ home.world(part)
    shapes = tuple(replace(s, place=frame_of(shift @ matrix(s.place))) for s in entry.shapes)
    rig = change_part(rig, body, replace(rig.parts[body], shapes=shapes))
    return remove_part(rig, part)


def _turned(x: float) -> Array:
    """(4, 4) a solid's upright axis laid along x, at a place along x."""
    frame = np.eye(4)
    frame[:3, :3] = [[0, 0, 1], [0, 1, 0], [-1, 0, 0]]
    frame[0, 3] = x
    return frame


def _across() -> Array:
    """(4, 4) a solid's upright axis laid along y."""
    frame = np.eye(4)
    frame[:3, :3] = [[1, 0, 0], [0, 0, 1], [0, -1, 0]]
    return frame


def _eye(bore: float) -> Shape:
    return Shape(Cylinder(diameter=1.5 * bore, height=1.1 * bore), frame_of(_across()), _IRON)


def _barrel(strut: Strut) -> tuple[Shape, ...]:
    length, bore = strut.barrel_length, strut.bore
    tube = Tube(outer_diameter=1.3 * bore, inner_diameter=bore, height=length)
    return Shape(tube, frame_of(_turned(length / 2)), _IRON), _eye(bore)


def _stage(strut: Strut, k: int) -> tuple[Shape, ...]:
    """A tube from its inner end outward, narrower than what it slides in."""
    length, wide = strut.stage_lengths[k], _widths(strut)[k]
    tube = Tube(outer_diameter=wide, inner_diameter=0.8 * wide, height=length)
    collar = Tube(outer_diameter=wide * 1.04, inner_diameter=0.8 * wide, height=0.05 * length)
    paint = _BRASS if k % 2 else _STEEL
    return tuple(
        Shape(solid, frame_of(_turned(at)), paint)
        for solid, at in ((tube, length / 2), (collar, 0.975 * length))
    )


def _widths(strut: Strut) -> list[float]:
    """How wide each stage is, and then the rod (m): evenly from the bore down."""
    count = len(strut.stages) + 1
    return [strut.bore * (0.96 - 0.41 * (k + 1) / count) for k in range(count)]


def _rod(strut: Strut) -> tuple[Shape, ...]:
    length, bore = strut.rod_length, strut.bore
    *outer, wide = _widths(strut)
    bar = Cylinder(diameter=wide, height=length)
    room = 0.78 * outer[-1] if outer else 0.96 * bore
    piston = Cylinder(diameter=room, height=0.06 * length)
    return (
        Shape(bar, frame_of(_turned(-length / 2)), _BRASS),
        Shape(piston, frame_of(_turned(-0.97 * length)), _BRASS),
        _eye(bore),
    )


def remove_strut(rig: Rig, strut_id: ThingId) -> Rig:
    """Take out a strut with its bodies."""
    strut = must_have(rig.struts, strut_id, "strut")
    return remove_part(remove_closure(rig, strut.closure), strut.barrel)


def eyes(rig: Rig, strut: Strut) -> tuple[Eye, Eye]:
    """The two places that a strut goes between."""
    barrel = must_have(rig.parts, strut.barrel, "part")
    closure = must_have(rig.closures, strut.closure, "pin")
    return (barrel.parent, barrel.mount.at), (closure.two, closure.at_two)


def use_of(rig: Rig, strut_id: ThingId, *, geometry: GeometryOf) -> Use:
    """What the machine asks of a strut over the whole travel of all that moves its ends: found
    by solving without the strut, so that nothing holds the machine back."""
    strut = must_have(rig.struts, strut_id, "strut")
    one, two = eyes(rig, strut)
    least, most = limits(strut.barrel_length, strut.rod_length, strut.stage_lengths)
    bare = remove_strut(rig, strut_id)
    shortest, longest, travel = _travel(bare, one, two, geometry=geometry)
    past = None
    for channel, home, values, apart in travel:
        out = (apart > most + 1e-9) | (apart < least - 1e-9)
        if past is None and out.any():
            nearest = int(np.argmin(np.abs(values - home)))
            first = min(np.flatnonzero(out), key=lambda i: abs(int(i) - nearest))
            word, limit = (
                ("comes apart", most) if apart[first] > most else ("pushes through", least)
            )
            past = channel, _where(values, apart, nearest, int(first), limit), word
    return Use(shortest, longest, least, most, past, bool(travel))


def _where(values: Array, apart: Array, home: int, first: int, limit: float) -> float:
    """The value (SI) at which a distance comes to a limit, between the first value past it and
    the one before that on the way from home."""
    before = first + (home > first) - (home < first)
    if before == first:
        return float(values[first])
    share = (limit - apart[before]) / (apart[first] - apart[before])
    return float(values[before] + share * (values[first] - values[before]))


def _travel(
    rig: Rig, one: Eye, two: Eye, *, geometry: GeometryOf
) -> tuple[float, float, list[tuple[ChannelKey, float, Array, Array]]]:
    """The shortest and the longest distance between two places over the range of every control,
    and between the stops of every joint that a hand can move, where that moves one of them; and
    the distances (key, home, values, distances)."""
    program = compile_rig(rig, geometry)
    apart = _between(evaluate(program, {}), one, two)
    found: list[tuple[ChannelKey, float, Array, Array]] = []
    for channel, row in program.channel_row.items():
        low, high = float(program.low[row]), float(program.high[row])
        by_hand = program.inputs[row] and (channel in rig.controls or split(channel)[1] in CHANNELS)
        if not (by_hand and math.isfinite(high - low) and low < high):
            continue
        moved = led_parts(program, channel) | {PartId(split(channel)[0])}
        if _moves(rig, moved, (one, two)):
            values = np.linspace(low, high, _STEPS)
            distances = _between(evaluate(program, {channel: values}), one, two)
            found.append((channel, float(program.home[row]), values, distances))
    every = np.concatenate([apart, *(distances for *_, distances in found)])
    return float(every.min()), float(every.max()), found


def _between(poses: Poses, one: Eye, two: Eye) -> Array:
    away: Array = np.linalg.norm(_place(poses, one) - _place(poses, two), axis=1)
    return away


def _moves(rig: Rig, led: set[PartId], ends: tuple[Eye, Eye]) -> bool:
    return any(part in led for end, _ in ends for part in carriers(rig, end))


def fitted(rig: Rig, strut_id: ThingId, *, geometry: GeometryOf) -> Rig:
    """The rig with a strut whose bodies do for the whole travel of its machine: a barrel and a
    rod, and stages where those alone can't.

    Raises GremioError where no bodies can.
    """
    strut = must_have(rig.struts, strut_id, "strut")
    use = use_of(rig, strut_id, geometry=geometry)
    lengths = fewest_bodies(use.shortest, use.longest)
    if lengths is None:
        raise GremioError(
            f"No bodies can go from {use.shortest:.3f} m to {use.longest:.3f} m: {strut.name} "
            "would be longer than it has room for. Move an end, or let the machine travel less."
        )
    return with_bodies(rig, strut_id, lengths)
