"""From the way a pointer goes to the value a joint should take. No toolkit."""

from __future__ import annotations

import math
from collections.abc import Collection
from dataclasses import dataclass

import numpy as np

from gremio.core.arrays import Array
from gremio.core.records import Record
from gremio.core.rig.channels import freed, key, split
from gremio.core.rig.constraints import CONSTRAINTS, adds_to
from gremio.core.rig.ids import ChannelKey, PartId
from gremio.core.solve.pose import Pose
from gremio.core.solve.pulling import pullers
from gremio.desktop.bench.camera import Camera, Size, project, ray
from gremio.desktop.bench.handles import Handle, handles_of
from gremio.desktop.bench.scene import Scene, corners_of

# Nearer than this to edge-on, an axis is judged by the way the knob runs on the screen.
_EDGE_ON = 0.22


@dataclass
class Drag:
    """A pull at one joint. `grip` is the (3,) world point first taken hold of.

    Turns are added up from one pointer position to the next, so that going round and round
    counts, and going past a stop and back ends where it should.
    """

    handle: Handle
    camera: Camera
    size: Size
    grip: Array
    pixel: tuple[float, float]

    def __post_init__(self) -> None:
        self.wanted = self.handle.value
        self._angle = self._angle_at(self.pixel)

    def to(self, pixel: tuple[float, float]) -> float:
        """The value (SI) wanted when the pointer has come to a pixel."""
        if self.handle.kind == "rail":
            self.wanted = self.handle.value + self._along(pixel) - self._along(self.pixel)
            return self.wanted
        angle = self._angle_at(pixel)
        if angle is None or self._angle is None:
            return self._by_screen(pixel)
        step = (angle - self._angle + math.pi) % (2 * math.pi) - math.pi
        self._angle = angle
        self.wanted += step
        return self.wanted

    @property
    def part(self) -> PartId:
        """Id of the part that is pulled."""
        return PartId(split(self.handle.channel)[0])

    def moves(self, pixel: tuple[float, float]) -> dict[ChannelKey, float]:
        """The one channel that is pulled, by key, and where it should go (SI)."""
        return {self.handle.channel: self.to(pixel)}

    def _along(self, pixel: tuple[float, float]) -> float:
        """How far along the rail the sight line through a pixel passes closest."""
        start, sight = ray(self.camera, self.size, pixel)
        axis, offset = self.handle.axis, self.grip - start
        lean = float(axis @ sight)
        square = 1 - lean * lean
        if square < 1e-6:
            return 0.0
        return float((offset @ sight) * lean - offset @ axis) / square

    def _angle_at(self, pixel: tuple[float, float]) -> float | None:
        """Angle about the axis at which the sight line meets the grip's plane."""
        start, sight = ray(self.camera, self.size, pixel)
        axis = self.handle.axis
        if abs(float(axis @ sight)) < _EDGE_ON:
            return None
        hit = start + sight * float((self.grip - start) @ axis / (sight @ axis))
        offset = hit - self.handle.origin
        one = self.handle.arm / np.linalg.norm(self.handle.arm)
        two = np.cross(axis, one)
        return math.atan2(float(offset @ two), float(offset @ one))

    def _by_screen(self, pixel: tuple[float, float]) -> float:
        """When the axis is seen edge-on: along the way the grip moves on the screen."""
        offset = self.grip - self.handle.origin
        ahead = self.grip + np.cross(self.handle.axis, offset) * 1e-3
        (here, there), _ = project(self.camera, self.size, [self.grip, ahead])
        slope = (there - here) / 1e-3
        steepness = float(slope @ slope)
        if steepness < 1e-9:
            return self.wanted
        moved = np.subtract(pixel, self.pixel)
        self.wanted = self.handle.value + float(moved @ slope) / steepness
        return self.wanted


def level_shift(camera: Camera, size: Size, grip: Array, pixel: tuple[float, float]) -> Array:
    """(3,) how far a free part goes, in the plane of the screen, to have its grip at a pixel."""
    start, sight = ray(camera, size, pixel)
    hit = start + sight * float((grip - start) @ camera.back / (sight @ camera.back))
    shift: Array = hit - grip
    return shift


class FreeDrag(Record, frozen=True):
    """A pull at a part that moves freely, in the plane of the screen, or in its own plane.

    part: id. grip: (3,) world point taken hold of. start: its moves (m) when taken, by channel
    name, those that are free. to_mount: (3, 3) from world directions to its mount's.
    normal: (3,) of the plane that a planar joint keeps to; None for the screen's.
    """

    part: PartId
    camera: Camera
    size: Size
    grip: Array
    start: dict[str, float]
    to_mount: Array
    normal: Array | None = None

    def moves(self, pixel: tuple[float, float]) -> dict[ChannelKey, float]:
        """The channels, by key, that bring the grip to a pixel, and where they go (m)."""
        shift = self.to_mount @ self._shift(pixel)
        return {
            key(self.part, name): start + float(shift["xyz".index(name[-1])])
            for name, start in self.start.items()
        }

    def _shift(self, pixel: tuple[float, float]) -> Array:
        start, sight = ray(self.camera, self.size, pixel)
        if self.normal is None or abs(float(self.normal @ sight)) < _EDGE_ON / 4:
            return level_shift(self.camera, self.size, self.grip, pixel)
        reach = float((self.grip - start) @ self.normal / (sight @ self.normal))
        shift: Array = start + sight * reach - self.grip
        return shift


class PointDrag(Record, frozen=True):
    """A pull at a point of a part of a closed linkage, or by several inputs together, in the plane
    of the screen.

    part: id. inside: (3,) the point in the part's frame. grip: (3,) where it was taken hold of.
    leads: keys of the inputs that follow the hand, as long as this drag is; begun: they moved.
    """

    part: PartId
    camera: Camera
    size: Size
    grip: Array
    inside: Array
    leads: tuple[ChannelKey, ...]
    begun: bool = False

    @classmethod
    def on(
        cls,
        pose: Pose,
        part: PartId,
        camera: Camera,
        size: Size,
        grip: Array,
        chosen: Collection[ChannelKey] = (),
    ) -> PointDrag:
        """A pull at a part where it was taken hold of. chosen: keys of the inputs that are to
        follow, where they move the part."""
        inside = (np.linalg.inv(pose.world(part)) @ np.append(grip, 1.0))[:3]
        leads = pullers(pose.program, pose, part, inside, chosen)
        return cls(part, camera, size, grip, inside, leads)

    def target(self, pixel: tuple[float, float]) -> tuple[Array, Array]:
        """(3,) where the point should go when the pointer has come to a pixel, and (3,) the way
        that is looked along there."""
        place = self.grip + level_shift(self.camera, self.size, self.grip, pixel)
        return place, ray(self.camera, self.size, pixel)[1]


def is_held(pose: Pose, part: PartId) -> bool:
    """Whether a closed linkage, or constraints, decide where a part goes, so that it can be
    moved by what leads that only."""
    program = pose.program
    channels = [key(part, name) for name in freed(program.rig.parts[part].joint)]
    if any(c in program.loops and c in program.loops[c].found for c in channels):
        return True
    held = [c for c in channels if _is_given(pose, c)]
    moved = any(split(c)[1].startswith("move") for c in held)
    return moved or (bool(held) and len(held) == len(channels))


def _is_given(pose: Pose, channel: ChannelKey) -> bool:
    """Whether a constraint alone gives a channel here: wholly, and not by sliding or adding."""
    drive = pose.program.drives.get(channel)
    constraint = pose.program.rig.constraints.get(drive.links[0]) if drive else None
    if (
        drive is None
        or constraint is None
        or CONSTRAINTS[constraint.kind].slides
        or adds_to(constraint)
    ):
        return False
    want = pose.poses.wants.get(drive.links[0])
    return want is not None and bool(want.has[0]) and float(want.grip[0]) == 1.0


def grip_on(
    pose: Pose, scene: Scene, part: PartId, camera: Camera, size: Size, pixel: tuple[float, float]
) -> Array:
    """(3,) about where the sight line through a pixel meets a part: as deep as the middle of
    the part's box."""
    row = pose.program.part_row[part]
    corners = corners_of(scene, pose, {row})
    middle = corners.mean(axis=0) if len(corners) else pose.worlds[row][:3, 3]
    start, sight = ray(camera, size, pixel)
    reach = float((middle - start) @ camera.back / (sight @ camera.back))
    point: Array = start + sight * reach
    return point


def take_hold(
    pose: Pose,
    scene: Scene,
    part: PartId,
    camera: Camera,
    size: Size,
    grip: Array,
    pixel: tuple[float, float],
) -> Drag | FreeDrag | None:
    """The pull that fits the joint of a part; None where nothing can be pulled.

    A ball is turned about the axis that faces the eye most.
    """  # fmt: skip
    joint = pose.program.rig.parts[part].joint
    if sum(channel.startswith("move") for channel in freed(joint)) > 1:
        return _free_drag(pose, part, camera, size, grip)
    handles = handles_of(pose, scene, part, camera.eye)
    if joint.kind == "ball":
        handles.sort(key=lambda handle: -abs(float(handle.axis @ camera.back)))
    return Drag(handles[0], camera, size, grip, pixel) if handles else None


def _free_drag(pose: Pose, part: PartId, camera: Camera, size: Size, grip: Array) -> FreeDrag:
    program = pose.program
    row = program.part_row[part]
    above = int(program.parents[row])
    frame = np.eye(4) if above < 0 else pose.worlds[above]
    mount = frame[:3, :3] @ program.mounts[:3, :, row, 0].T
    joint = program.rig.parts[part].joint
    moves = [name for name in freed(joint) if name.startswith("move")]
    start = {name: pose.at(key(part, name)) for name in moves}
    normal = mount[:, "xyz".index(joint.axis)] if joint.kind == "planar" else None
    return FreeDrag(part, camera, size, grip, start, np.linalg.inv(mount), normal)
