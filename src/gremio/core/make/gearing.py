"""The gears on parts, as they stand; and what a pair of them needs to run."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from gremio.core.arrays import Array, crossed
from gremio.core.edit.change import must_have
from gremio.core.edit.parts import moved_by, rigid_family
from gremio.core.frames import matrix
from gremio.core.mechanics import gears
from gremio.core.rig.channels import split
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import Ratio, Rig
from gremio.core.rig.solids import InternalGear, RackBar, SpurGear
from gremio.core.solve.pose import Pose

ToothedSolid = SpurGear | InternalGear | RackBar
# Kinds of ratio between parts whose teeth mesh on axes side by side.
GEARED = ("gear pair", "rack and pinion")


class Gear(NamedTuple):
    """A toothed shape. body: id of the part that moves. part: that whose shape it is, the body
    itself or one fixed on it. shape: its index. frame: (4, 4) in the world."""

    body: PartId
    part: PartId
    shape: int
    solid: ToothedSolid
    frame: Array

    @property
    def centre(self) -> Array:
        """(3,) where its own zero is."""
        return self.frame[:3, 3]

    @property
    def axis(self) -> Array:
        """(3,) unit, along its width."""
        return _unit(self.frame[:3, 2])

    @property
    def radius(self) -> float:
        """Of its pitch circle (m); infinite for a rack."""
        if isinstance(self.solid, RackBar):
            return math.inf
        return gears.pitch_diameter(self.solid.module, self.solid.teeth) / 2


def _unit(vector: Array) -> Array:
    return vector / np.linalg.norm(vector)


def gears_of(rig: Rig, pose: Pose, part: PartId) -> list[Gear]:
    """The gears and racks of a part and of what is fixed on it, as they stand in a pose."""
    must_have(rig.parts, part, "part")
    return [
        Gear(part, member, index, shape.solid, pose.world(member) @ matrix(shape.place))
        for member in rigid_family(rig, part)
        for index, shape in enumerate(rig.parts[member].shapes)
        if isinstance(shape.solid, ToothedSolid)
    ]


class Mesh(NamedTuple):
    """Two gears side by side.

    kind: outside, inside (one is internal), rack, or bevel (axes that cross). distance: of
    their axes now; of a rack, of its pitch line from the pinion's axis. right: where they
    would run with the backlash asked for (nan for bevel gears). gap: distance − right, in the
    sense that above zero the teeth are too far apart. asked: that backlash (m).
    """

    one: Gear
    two: Gear
    kind: str
    distance: float
    right: float
    asked: float = 0.0

    def with_backlash(self, asked: float) -> Mesh:
        """The same with so much backlash (m) in place of none: nan as its right distance where
        there is no such place."""
        if not asked or not math.isfinite(self.right):
            return self
        if self.kind == "rack":
            return self._replace(right=self.right + asked / self._rise, asked=asked)
        play = -asked if self.kind == "inside" else asked
        right = gears.distance_for(self._bases, self.right, play)
        return self._replace(right=right, asked=asked)

    @property
    def backlash(self) -> float:
        """The play there is between its flanks, along the pitch circles (m); below zero they
        cross. nan where that can't be told. (Of the mesh without any asked for.)"""
        if self.kind == "rack":
            return (self.distance - self.right) * self._rise + self.asked
        if not math.isfinite(self.right):
            return math.nan
        plain = self if not self.asked else mesh_of(self.one, self.two)
        found = gears.backlash(self._bases, plain.right, self.distance)
        return -found if self.kind == "inside" else found

    @property
    def _bases(self) -> float:
        """Sum of the base radii (m), or their difference."""
        a, b = (gear.radius * math.cos(gear.solid.pressure_angle) for gear in self[:2])
        return abs(a - b) if self.kind == "inside" else a + b

    @property
    def _rise(self) -> float:
        """Backlash of a rack for so much of a way out of it: 2 tan α."""
        return 2 * math.tan(self.one.solid.pressure_angle)

    @property
    def gap(self) -> float:
        """How much too far apart the teeth are (m); below zero they cross."""
        gap = self.distance - self.right
        return -gap if self.kind == "inside" else gap

    @property
    def module(self) -> float:
        """The module of the first."""
        return self.one.solid.module


def mesh_of(one: Gear, two: Gear) -> Mesh:
    """How two gears stand to each other."""
    a, b = one.solid, two.solid
    if isinstance(a, RackBar) and not isinstance(b, RackBar):
        return _rack_mesh(two, one)
    if isinstance(b, RackBar) and not isinstance(a, RackBar):
        return _rack_mesh(one, two)
    if abs(float(one.axis @ two.axis)) < 0.999:
        return Mesh(one, two, "bevel", float(np.linalg.norm(two.centre - one.centre)), math.nan)
    apart = two.centre - one.centre
    apart = apart - one.axis * float(apart @ one.axis)
    distance = float(np.linalg.norm(apart))
    inside = isinstance(a, InternalGear) != isinstance(b, InternalGear)
    return Mesh(one, two, "inside" if inside else "outside", distance, right_distance(a, b))


def _rack_mesh(pinion: Gear, rack: Gear) -> Mesh:
    apart = pinion.centre - rack.centre
    distance = float(apart @ _unit(rack.frame[:3, 1]))
    shift = pinion.solid.shift if isinstance(pinion.solid, SpurGear) else 0.0
    return Mesh(pinion, rack, "rack", distance, pinion.radius + shift * pinion.solid.module)


def geared(rig: Rig, one: PartId, two: PartId) -> tuple[ThingId, Ratio] | None:
    """The gear pair, or rack and pinion, between two parts, with its id; of what is fixed, between
    what moves it."""
    ends = {moved_by(rig, one), moved_by(rig, two)}
    for link_id, link in rig.links.items():
        if not isinstance(link, Ratio) or link.kind not in GEARED:
            continue
        if {split(link.lead)[0], split(link.follower)[0]} == ends:
            return link_id, link
    return None


def right_distance(one: ToothedSolid, two: ToothedSolid) -> float:
    """Centre distance without backlash (m), shifts included (ISO 21771)."""
    if isinstance(one, RackBar) or isinstance(two, RackBar):
        return math.nan
    module, angle = one.module, one.pressure_angle
    if isinstance(one, InternalGear) or isinstance(two, InternalGear):
        ring, pinion = (one, two) if isinstance(one, InternalGear) else (two, one)
        if ring.teeth <= pinion.teeth:
            return math.nan
        shifts = ring.shift - pinion.shift
        return gears.working_distance(module, ring.teeth, -pinion.teeth, shifts, angle)
    return gears.working_distance(module, one.teeth, two.teeth, one.shift + two.shift, angle)


def likeliest_mesh(ones: list[Gear], twos: list[Gear]) -> Mesh | None:
    """The pair, one of each, that is nearest to running together."""

    def off(mesh: Mesh) -> float:
        across = abs(float((mesh.two.centre - mesh.one.centre) @ mesh.one.axis))
        widths = (mesh.one.solid.width + mesh.two.solid.width) / 2
        aside = max(0.0, across - widths) if mesh.kind != "bevel" else 0.0
        gap = mesh.gap if math.isfinite(mesh.right) else 0.0
        unlike = 0.0 if math.isclose(mesh.one.solid.module, mesh.two.solid.module) else 10.0
        return (abs(gap) + aside) / mesh.module + unlike

    meshes = [mesh_of(one, two) for one in ones for two in twos]
    return min(meshes, key=off, default=None)


def phase_error(mesh: Mesh) -> float:
    """How far tooth meets tooth instead of space, from −½ to ½ of a pitch; 0 runs.

    Along the line of centres a tooth of one must stand where the other has a space; both
    arcs are counted from there in pitches (derived from the pitch circles of ISO 21771).
    """
    one, two = mesh.one, mesh.two
    x, y = _unit(one.frame[:3, 0]), crossed(one.axis, _unit(one.frame[:3, 0]))

    def angle(vector: Array) -> float:
        return math.atan2(float(vector @ y), float(vector @ x))

    if mesh.kind == "rack":
        along, up = _unit(two.frame[:3, 0]), _unit(two.frame[:3, 1])
        way = 1.0 if float(crossed(one.axis, -up) @ along) > 0 else -1.0
        arc = -angle(-up) * one.solid.teeth / (2 * math.pi)
        shift = float((two.centre - one.centre) @ along) * way / gears.pitch(two.solid.module)
        return _half(arc - shift)
    toward = two.centre - one.centre
    line = angle(toward) if np.linalg.norm(toward) > 1e-9 else 0.0
    tooth_two = angle(two.frame[:3, 0])
    z1, z2 = one.solid.teeth, two.solid.teeth
    if mesh.kind == "inside":
        ring_is_two = isinstance(two.solid, InternalGear)
        contact = line + math.pi if ring_is_two else line
        pitches = (-contact * z1 - (tooth_two - contact) * z2) / (2 * math.pi)
        return _half(pitches)
    pitches = (-line * z1 + (tooth_two - line - math.pi) * z2) / (2 * math.pi)
    return _half(pitches)


def _half(pitches: float) -> float:
    """How far from half a pitch, from −½ to ½."""
    return pitches % 1.0 - 0.5
