"""Writing GLB (glTF 2.0): the parts as posed, or a control's travel as an animation."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial

import numpy as np
import pygltflib as gltf
from msgspec.structs import replace

from gremio.core.arrays import Array, Flags, Rows
from gremio.core.files.glb_keys import AWAY, TURNED, Keyed, as_many_as_needed, at_frames, needed
from gremio.core.files.glb_led import lost, never_seen, seen, stretches
from gremio.core.files.glb_strands import laid, worst_of_strands
from gremio.core.files.glb_surfaces import TO_Y_UP, Surfaces
from gremio.core.files.model_in import FROM_Y_UP
from gremio.core.frames import IDENTITY, holds, matrix, quaternions
from gremio.core.inspect.reach import stands_still
from gremio.core.make.faces import with_faces
from gremio.core.motion.routines import check_held, routine_notes, run_of
from gremio.core.problem import GremioError, Note
from gremio.core.quantity import show_short, show_small
from gremio.core.rig import ids
from gremio.core.rig.channels import PITCH, SHIFT, key
from gremio.core.rig.ids import GROUND, PartId, ThingId
from gremio.core.rig.model import Part, Rig, Routine
from gremio.core.rig.numbers import counted
from gremio.core.rig.solids import Cylinder
from gremio.core.shape.solids import geometry_of, sleeve
from gremio.core.solve.ask import solve
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.pose import Poses
from gremio.core.solve.repeats import mounts_now, repeat_steps
from gremio.core.solve.travels import Way, along_way, way_of_controls
from gremio.core.solve.treads import tread_steps
from gremio.core.surfaces.shelf import Shelf

# How many keys a second a travel begins with, before some are added and others left out.
_BEGIN = 30
# A key is left out where it is had from others to within so much (m, of a turn at the rig's
# farthest too, and of a size).
_SPARE, _SPARE_SIZE = 3e-6, 1e-6


def glb(rig: Rig, shelf: Shelf, poses: Poses, seconds: float = 0.0, animation: str = "") -> bytes:
    """The parts as posed in the first frame; with more frames, their motion over `seconds`, all
    of them keys.

    Nodes have the parts' names and hierarchy. glTF's axes: y up, z forward.
    """
    times = np.linspace(0.0, seconds, poses.frames)
    return _Writer(rig, shelf).write(poses, times if seconds > 0 else times[:1], animation)


def baked_glb(
    rig: Rig, shelf: Shelf, way: Way | str | None, seconds: float, rate: float | None = None
) -> tuple[bytes, list[Note]]:
    """A GLB of a rig as it stands, or of a travel as an animation; and what it can't carry, and how
    near it is between its keys.

    way: what moves; a name alone is that of a control, over its whole range. seconds: how long the
    travel takes. rate: whole frames a second, at which alone there are keys; None for as many as
    it takes. Raises GremioError.
    """
    rig = with_faces(rig)
    geometry = partial(shelf.geometry, rig)
    if way is None:
        return glb(rig, shelf, solve(rig, geometry=geometry).poses), []
    if not 0 < seconds <= 3600:
        raise GremioError("A baked travel takes more than 0 and at most 3600 seconds.")
    if rate is not None and not 0 < rate <= 1000:
        raise GremioError(
            "Keys on whole frames need more than 0 and at most 1000 of them a second."
        )
    asked = way_of_controls(rig, [way]) if isinstance(way, str) else way
    program = compile_rig(rig, geometry)

    def travel(times: Array) -> Poses:
        return along_way(program, asked, times / seconds)

    data, keyed, told = _animated(rig, shelf, travel, seconds, rate, asked.name)
    held = [note for c in asked.controls for note in stands_still(keyed.poses, ids.thing(c))]
    return data, [*lost(keyed.poses), *held, *told]


def routine_glb(
    rig: Rig, shelf: Shelf, routine: Routine, rate: float | None = None
) -> tuple[bytes, list[Note]]:
    """A GLB of a rig with what is played of a routine as an animation; and what it can't carry, and
    how near it is between its keys. rate: frames a second, at which alone there are keys; None for
    as many as it takes. Raises GremioError."""
    rig = with_faces(rig)
    program = compile_rig(rig, partial(shelf.geometry, rig))
    start, end = routine.play or (0.0, routine.length)
    check_held(program, (end - start) * (_BEGIN if rate is None else rate))
    run = run_of(program, routine)

    def travel(times: Array) -> Poses:
        return run.at(start + times)

    data, keyed, told = _animated(rig, shelf, travel, end - start, rate, routine.name)
    return data, [*routine_notes(program, routine), *lost(keyed.poses), *told]


def _animated(
    rig: Rig,
    shelf: Shelf,
    travel: Callable[[Array], Poses],
    seconds: float,
    rate: float | None,
    name: str,
) -> tuple[bytes, Keyed, list[Note]]:
    """A GLB of a travel, its keys, and how near it is between them."""
    if rate is None:
        keyed = as_many_as_needed(travel, seconds, max(2, round(seconds * _BEGIN) + 1))
    else:
        keyed = at_frames(travel, seconds, rate)
    writer = _Writer(rig, shelf, spare=rate is None)
    data = writer.write(keyed.poses, keyed.times, name)
    told = [_told(writer.keys, keyed)]
    away, at = worst_of_strands(keyed, travel)
    if away > AWAY:
        text = (
            f"Between keys, ropes and the like are up to {show_small(away, 'mm')} off, at "
            f"{show_short(at, 's')}; at the keys they are right."
        )
        told.append(Note("glb-strands", "", text, "info"))
    return data, keyed, told


def _told(keys: int, keyed: Keyed) -> Note:
    """How many keys there are, and how near a player is between them."""
    worst = keyed.worst
    if keyed.whole:
        near = f"within {AWAY * 1e3:g} mm and {math.degrees(TURNED):g}°"
        return Note("glb-keys", "", f"{keys:,} keys; between them every part is {near}.", "info")
    text = (
        f"{keys:,} keys; between them it is up to {show_small(worst.away, 'mm')} off, at "
        f"{show_short(worst.away_at, 's')}, and {show_small(worst.turned, 'deg')}, at "
        f"{show_short(worst.turned_at, 's')}. Let the travel take longer, or ask for more keys."
    )
    return Note("glb-keys", "", text, "warning")


class _Writer:
    """Gathers one GLB: its nodes, and the bytes they refer to. spare: keys that others give are
    left out. keys: how many were written."""

    def __init__(self, rig: Rig, shelf: Shelf, *, spare: bool = False) -> None:
        self.rig, self.shelf, self.spare = rig, shelf, spare
        self.keys = 0
        self.clocks: dict[bytes, int] = {}
        self.out = gltf.GLTF2(asset=gltf.Asset(version="2.0", generator="Gremio"))
        self.surfaces = Surfaces(self.out, shelf)

    def write(self, poses: Poses, times: Array, animation: str) -> bytes:
        self.locals_of = _local_frames(poses)
        # From one end of the rig to the other (m).
        places = poses.worlds[..., :3, 3].reshape(-1, 3)
        self.reach = max(float(np.ptp(places, axis=0).max()), 0.1) if len(places) else 1.0
        self.moving: list[tuple[int, Array]] = []
        # In which frames a node is seen, where that changes.
        self.seen: dict[int, Flags] = {}
        self.rig = poses.frame(0).rig
        self.stretches = stretches(poses)
        self.below: dict[PartId, list[PartId]] = {}
        program = poses.program
        for row, part_id in enumerate(program.part_ids):
            parent = int(program.parents[row])
            above = GROUND if parent < 0 else program.part_ids[parent]
            self.below.setdefault(above, []).append(part_id)
        roots: list[int] = []
        for part_id in self.below.get(GROUND, []):
            self._part(part_id, poses, roots)
        for strand_id in self.rig.strands:
            self._strand(strand_id, poses, roots)
        moving = self.moving
        self.out.scene = 0
        self.out.scenes = [gltf.Scene(nodes=roots, name=self.rig.name)]
        if len(times) > 1:
            self._animate(moving, times, animation)
        return self.surfaces.written()

    def _part(self, part_id: PartId, poses: Poses, siblings: list[int]) -> None:
        """The nodes of a part and all that it carries, once for each of its copies; none of
        what is never seen."""
        part, frames, shown_in = (
            self.rig.parts[part_id],
            self.locals_of[part_id],
            seen(poses, part_id),
        )
        if never_seen(poses, part_id):
            return
        for number, (step, there) in enumerate(_copies(part_id, part, poses), start=1):
            name = part.name if number == 1 else f"{part.name}, {number}"
            index, shown = self._node(
                replace(part, name=name), step @ frames, siblings, self.stretches.get(part_id, {})
            )
            if not (shown_in & there).all():
                self.seen[index] = shown_in & there
            if np.ptp(shown, axis=0).max() > 0 or index in self.seen:
                self.moving.append((index, shown))
            for child in self.below.get(part_id, []):
                self._part(child, poses, self.out.nodes[index].children)

    def _strand(self, strand_id: ThingId, poses: Poses, siblings: list[int]) -> None:
        """A node for each piece that a strand (by id) is drawn with, under one of its name."""
        found, strand = laid(poses, strand_id), self.rig.strands[strand_id]
        if found is None:
            return
        shown, there = TO_Y_UP @ found[0] @ FROM_Y_UP, found[1]
        surface = geometry_of(Cylinder(diameter=1.0, height=1.0))
        surface = surface if strand.kind == "bellows" else sleeve()
        mesh = self.surfaces.painted(surface, strand.paint)
        siblings.append(self._add(strand.name, np.eye(4)))
        above = self.out.nodes[siblings[-1]].children
        for number in range(shown.shape[1]):
            frames = shown[:, number]
            above.append(self._add(f"{strand.name}, {number + 1}", frames[0], mesh))
            if not there[:, number].all():
                self.seen[above[-1]] = there[:, number]
            if np.ptp(frames, axis=0).max() > 0 or above[-1] in self.seen:
                self.moving.append((above[-1], frames))

    def _node(
        self, part: Part, frames: Array, siblings: list[int], stretched: dict[int, Array]
    ) -> tuple[int, Array]:
        """A node for a part, and its local frames (F, 4, 4). Where a stretched mount would
        shear what turns in it, the mount gets a node of its own; so does a shape that grows."""
        if not all(holds(frame) for frame in frames[:: max(1, len(frames) // 7)]):
            mount = TO_Y_UP @ matrix(part.mount) @ FROM_Y_UP
            frames = np.linalg.inv(mount) @ frames
            siblings.append(self._add(f"{part.name}, mount", mount))
            siblings = self.out.nodes[siblings[-1]].children
        still = tuple(shape for i, shape in enumerate(part.shapes) if i not in stretched)
        index = self._add(part.name, frames[0], self.surfaces.mesh(self.rig, still))
        siblings.append(index)
        for i, stretch in stretched.items():
            shape = part.shapes[i]
            grown = matrix(shape.place) @ (
                np.eye(4) * np.pad(stretch, ((0, 0), (0, 1)), constant_values=1.0)[:, None]
            )
            places = TO_Y_UP @ grown @ FROM_Y_UP
            mesh = self.surfaces.mesh(self.rig, (replace(shape, place=IDENTITY),))
            child = self._add(f"{part.name}, shape {i + 1}", places[0], mesh)
            self.out.nodes[index].children.append(child)
            self.moving.append((child, places))
        return index, frames

    def _add(self, name: str, local: Array, mesh: int | None = None) -> int:
        move, turn, scale = _parts_of(local[None])
        node = gltf.Node(name=name, mesh=mesh, children=[])
        node.translation, node.rotation = move[0].tolist(), turn[0].tolist()
        if not np.allclose(scale[0], 1.0, atol=1e-12):
            node.scale = scale[0].tolist()
        self.out.nodes.append(node)
        return len(self.out.nodes) - 1

    def _animate(self, moving: list[tuple[int, Array]], times: Array, name: str) -> None:
        if not moving:
            return
        animation = gltf.Animation(name=name, channels=[], samplers=[])
        for node, frames in moving:
            move, turn, scale = _parts_of(frames)
            shown = self.seen.get(node)
            if shown is not None:
                # Nothing is to be seen of what has no size (glTF 2.0, 3.5.3).
                scale = scale * shown[:, None]
                self.out.nodes[node].scale = scale[0].tolist()
            for path, values, off in (
                ("translation", move, _SPARE),
                ("rotation", turn, _SPARE / self.reach),
                ("scale", scale, _SPARE_SIZE),
            ):
                if np.ptp(values, axis=0).max() <= 1e-12:
                    continue
                steps = path == "scale" and shown is not None
                kept = self._kept(values, times, off, path, steps=steps)
                self.keys += len(kept)
                sampler = gltf.AnimationSampler(
                    input=self._clock(times[kept]),
                    output=self.surfaces.accessor(
                        values[kept], gltf.VEC4 if path == "rotation" else gltf.VEC3
                    ),
                    interpolation="STEP" if steps else "LINEAR",
                )
                target = gltf.AnimationChannelTarget(node=node, path=path)
                animation.channels.append(
                    gltf.AnimationChannel(sampler=len(animation.samplers), target=target)
                )
                animation.samplers.append(sampler)
        self.out.animations.append(animation)

    def _kept(self, values: Array, times: Array, off: float, path: str, *, steps: bool) -> Rows:
        """Which of (F, n) values become keys."""
        if not self.spare:
            return np.arange(len(values))
        if steps:
            changed = np.flatnonzero((np.diff(values, axis=0) != 0).any(axis=1)) + 1
            return np.concatenate([[0], changed])
        return needed(values, times, off, turns=path == "rotation")

    def _clock(self, times: Array) -> int:
        """The accessor of times (s), one for all that have keys at the same."""
        exact = times.tobytes()
        if exact not in self.clocks:
            self.clocks[exact] = self.surfaces.accessor(times, gltf.SCALAR)
        return self.clocks[exact]


def _copies(part_id: PartId, part: Part, poses: Poses) -> list[tuple[Array, Flags]]:
    """For each copy of a part, as many as there are at most: (F, 4, 4) what comes before its local
    frames, in glTF's axes, and (F,) in which frames it is there."""
    if part.repeat is None:
        return [(np.eye(4)[None], np.ones(poses.frames, dtype=bool))]
    rig, mounts = poses.program.rig, mounts_now(poses, part_id)
    pitches, shifts = (
        poses.channel(key(part_id, names[part.repeat.along])) for names in (PITCH, SHIFT)
    )
    counts = [max(0, int(counted(float(c)))) for c in poses.channel(key(part_id, "count"))]
    most = max(counts)
    # What is not there waits where it would be if all were.
    rows = [(float(p), float(s)) for p, s in zip(pitches, shifts, strict=True)]
    above = _frames_of(poses, part.parent)
    behind = np.linalg.inv(mounts) @ above
    if part.repeat.along == "tread" and part.repeat.path in rig.treads:
        before = np.linalg.inv(above) @ _frames_of(poses, rig.treads[part.repeat.path].on)
        steps = np.repeat(np.eye(4)[None, None], poses.frames, axis=0).repeat(most, axis=1)
        for frame, count in enumerate(counts):
            steps[frame, :count] = tread_steps(poses, frame, part.repeat.path, count)
    else:
        before = np.linalg.inv(above) @ mounts
        steps = np.array([repeat_steps(rig, part.repeat, most, *row) for row in rows])
        for frame, count in enumerate(counts):
            if count < most:
                steps[frame, :count] = repeat_steps(rig, part.repeat, count, *rows[frame])
    moved: Array = TO_Y_UP @ before[:, None] @ steps @ behind[:, None] @ FROM_Y_UP
    there = np.arange(most) < np.array(counts)[:, None]
    return list(zip(moved.transpose(1, 0, 2, 3), there.T, strict=True))


def _frames_of(poses: Poses, part: PartId | None) -> Array:
    """(F, 4, 4) the frame of a part (by id; the ground's for None)."""
    if part is None:
        return np.eye(4)[None].repeat(poses.frames, axis=0)
    frames: Array = poses.worlds[:, poses.program.part_row[part]]
    return frames


def _local_frames(poses: Poses) -> dict[str, Array]:
    """(F, 4, 4) of each part in its parent, by id, in glTF's axes."""
    program = poses.program
    back = np.linalg.inv(poses.worlds)
    result: dict[str, Array] = {}
    for row, part in enumerate(program.part_ids):
        parent = int(program.parents[row])
        world = poses.worlds[:, row]
        local = world if parent < 0 else back[:, parent] @ world
        result[part] = TO_Y_UP @ local @ FROM_Y_UP
    return result


def _parts_of(frames: Array) -> tuple[Array, Array, Array]:
    """Translations (F, 3), quaternions x y z w (F, 4) that follow without a flip, scales."""
    columns = frames[:, :3, :3]
    scale = np.linalg.norm(columns, axis=1)
    mirrored = np.linalg.det(columns) < 0
    scale[mirrored, 0] *= -1
    q = quaternions(columns / scale[:, None, :])
    flips = np.cumprod(np.where(np.einsum("ij,ij->i", q[1:], q[:-1]) < 0, -1.0, 1.0))
    q[1:] *= flips[:, None]
    return frames[:, :3, 3], q[:, [1, 2, 3, 0]], scale
