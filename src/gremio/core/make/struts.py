"""Struts between two parts: made of a barrel and a rod whose eyes turn freely, and tied by a pin
so that the machine's own solver keeps them in line."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace

from gremio.core.frames import Array, frame_of
from gremio.core.mechanics.struts import lengths_for, limits
from gremio.core.problem import GremioError
from gremio.core.rig.edit.change import check_new_name, must_have, new_id, with_entry
from gremio.core.rig.edit.closures import add_closure, remove_closure
from gremio.core.rig.edit.controls import all_home
from gremio.core.rig.edit.parts import add_part, change_part, remove_part
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.model import Closure, Joint, Part, Rig, Shape, Stops, Strut, Triple
from gremio.core.rig.solids import Cylinder, Tube
from gremio.core.solve.ask import solve
from gremio.core.solve.backward import led_parts
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.pose import Poses
from gremio.core.solve.program import compile_rig

_IRON, _BRASS = "#8d989c", "#d3b67c"
_STEPS = 121
_LEAST = 1e-6

# An eye of a strut: the part, None for the ground, and the place in its frame (m).
Eye = tuple[str | None, Triple]


@dataclass(frozen=True)
class Use:
    """What a machine asks of a strut over its whole travel (m, from eye to eye).

    shortest, longest: what is asked for. least, most: what its bodies allow. stroke: how much
    they allow. past: where it would come apart or push through: the control's name and value
    (SI), and which of the two; None when it never does.
    """

    shortest: float
    longest: float
    least: float
    most: float
    past: tuple[str, float, str] | None

    @property
    def stroke(self) -> float:
        """How far it can go in and out."""
        return self.most - self.least

    @property
    def used(self) -> float:
        """How much of its stroke the machine asks for."""
        return self.longest - self.shortest


def make_strut(
    rig: Rig, one: Eye, two: Eye, lengths: tuple[float, float] | None = None
) -> tuple[Rig, str]:
    """The rig with a strut between two places, and its id; barrel at the first.

    lengths: of barrel and rod (m); without them, such as fit the machine's travel, or the way
    between the places as it stands. Raises GremioError where the places are at one point, or
    on one part.
    """
    if one[0] == two[0]:
        raise GremioError("A strut goes between two parts. Choose a place on another part.")
    home = solve(all_home(rig))
    here, there = (_place(home.poses, eye)[0] for eye in (one, two))
    way = there - here
    apart = float(np.linalg.norm(way))
    if apart < _LEAST:
        raise GremioError("The two ends of the strut are at one point, so it has no length.")
    barrel, rod = lengths or _fitting(rig, one, two, apart)
    bore = max(0.04, round(0.07 * apart, 2))
    name = free_name(names_in(rig), "Strut")
    above = np.eye(4) if one[0] is None else home.world(one[0])
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
    strut = Strut(name, barrel_id, rod_id, closure_id, barrel, rod, bore)
    return change_strut(rig, strut_id, strut), strut_id


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
    left = np.cross(up, way)
    left /= np.linalg.norm(left)
    return np.stack([way, left, np.cross(way, left)], axis=1)


def _fitting(rig: Rig, one: Eye, two: Eye, apart: float) -> tuple[float, float]:
    shortest, longest, _ = _travel(rig, one, two)
    fits = lengths_for(shortest, longest)
    return fits or (0.62 * apart, 0.62 * apart)


def change_strut(rig: Rig, strut_id: str, strut: Strut) -> Rig:
    """The rig with a strut in place of the one of this id: its bodies as long as it says, and
    the rod's stops where they end. Raises GremioError for a length that is not above zero."""
    if not (strut.barrel_length > 0 and strut.rod_length > 0 and strut.bore > 0):
        raise GremioError(f"The barrel and the rod of {strut.name} need lengths above zero.")
    present = rig.struts.get(strut_id)
    check_new_name(rig, strut.name, present.name if present else None)
    apart = rig.parts[strut.rod].mount.at[0]
    least, most = limits(strut.barrel_length, strut.rod_length)
    stops = Stops(least - apart, most - apart)
    rod = replace(rig.parts[strut.rod], shapes=_rod(strut), stops={"move x": stops})
    barrel = replace(rig.parts[strut.barrel], shapes=_barrel(strut))
    rig = change_part(change_part(rig, strut.rod, rod), strut.barrel, barrel)
    return replace(rig, struts=with_entry(rig.struts, strut_id, strut))


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


def _rod(strut: Strut) -> tuple[Shape, ...]:
    length, bore = strut.rod_length, strut.bore
    bar = Cylinder(diameter=0.55 * bore, height=length)
    piston = Cylinder(diameter=0.96 * bore, height=0.06 * length)
    return (
        Shape(bar, frame_of(_turned(-length / 2)), _BRASS),
        Shape(piston, frame_of(_turned(-0.97 * length)), _BRASS),
        _eye(bore),
    )


def remove_strut(rig: Rig, strut_id: str) -> Rig:
    """Take out a strut with its bodies."""
    strut = must_have(rig.struts, strut_id, "strut")
    return remove_part(remove_closure(rig, strut.closure), strut.barrel)


def eyes(rig: Rig, strut: Strut) -> tuple[Eye, Eye]:
    """The two places that a strut goes between."""
    barrel, closure = rig.parts[strut.barrel], rig.closures[strut.closure]
    return (barrel.parent, barrel.mount.at), (closure.two, closure.at_two)


def use_of(rig: Rig, strut_id: str) -> Use:
    """What the machine asks of a strut over the whole travel of all that moves its ends: found
    by solving without the strut, so that nothing holds the machine back."""
    strut = must_have(rig.struts, strut_id, "strut")
    one, two = eyes(rig, strut)
    least, most = limits(strut.barrel_length, strut.rod_length)
    bare = remove_strut(rig, strut_id)
    shortest, longest, travel = _travel(bare, one, two)
    past = None
    for control, values, apart in travel:
        out = (apart > most + 1e-9) | (apart < least - 1e-9)
        if past is None and out.any():
            home = int(np.argmin(np.abs(values - rig.controls[control].home)))
            first = min(np.flatnonzero(out), key=lambda i: abs(int(i) - home))
            word, limit = (
                ("comes apart", most) if apart[first] > most else ("pushes through", least)
            )
            at = _where(values, apart, home, int(first), limit)
            past = (rig.controls[control].name, at, word)
    return Use(shortest, longest, least, most, past)


def _where(values: Array, apart: Array, home: int, first: int, limit: float) -> float:
    """The value (SI) at which a distance comes to a limit, between the first value past it and
    the one before that on the way from home."""
    before = first + (home > first) - (home < first)
    if before == first:
        return float(values[first])
    share = (limit - apart[before]) / (apart[first] - apart[before])
    return float(values[before] + share * (values[first] - values[before]))


def _travel(rig: Rig, one: Eye, two: Eye) -> tuple[float, float, list[tuple[str, Array, Array]]]:
    """The shortest and the longest distance between two places over the range of every control
    that moves one of them, and the distances (control, values, distances)."""
    program = compile_rig(rig)
    home = evaluate(program, {})
    apart = _between(home, one, two)
    found: list[tuple[str, Array, Array]] = []
    for control, entry in rig.controls.items():
        if entry.low < entry.high and _moves(rig, led_parts(program, control), (one, two)):
            values = np.linspace(entry.low, entry.high, _STEPS)
            found.append(
                (control, values, _between(evaluate(program, {control: values}), one, two))
            )
    every = np.concatenate([apart, *(distances for _, _, distances in found)])
    return float(every.min()), float(every.max()), found


def _between(poses: Poses, one: Eye, two: Eye) -> Array:
    away: Array = np.linalg.norm(_place(poses, one) - _place(poses, two), axis=1)
    return away


def _moves(rig: Rig, led: set[str], ends: tuple[Eye, Eye]) -> bool:
    for part, _ in ends:
        while part is not None:
            if part in led:
                return True
            part = rig.parts[part].parent
    return False


def fitted(rig: Rig, strut_id: str) -> Rig:
    """The rig with a strut whose barrel and rod do for the whole travel of its machine.

    Raises GremioError where no one barrel and rod can.
    """
    strut = must_have(rig.struts, strut_id, "strut")
    use = use_of(rig, strut_id)
    lengths = lengths_for(use.shortest, use.longest)
    if lengths is None:
        raise GremioError(
            f"No one barrel and rod can go from {use.shortest:.3f} m to {use.longest:.3f} m: the "
            f"rod of {strut.name} would be longer than it has room for. Move an end, or let the "
            "machine travel less."
        )
    longer = replace(strut, barrel_length=lengths[0], rod_length=lengths[1])
    return change_strut(rig, strut_id, longer)
