from __future__ import annotations

import mujoco
import numpy as np
import pytest

import gremio
from gremio.core.frames import Frame
from gremio.core.plan.joints import APPLIED
from gremio.core.rig.channels import JOINT_KINDS, axes_of, freed, key
from gremio.core.rig.model import Joint, Part, Rig
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate

# A screw has its move from its turn, so it is no joint of two freedoms to compare with.
KINDS = [kind for kind in JOINT_KINDS if kind != "screw"]


def random_tree(rng: np.random.Generator, count: int) -> Rig:
    """Parts with random parents, mounts and joints, listed children before parents too."""
    parts: dict[str, Part] = {}
    for index in range(count):
        turn = rng.normal(size=4)
        turn /= np.linalg.norm(turn)
        kind = str(rng.choice(KINDS))
        axis = str(rng.choice(list(axes_of(kind) or "z")))  # type: ignore[arg-type]
        parent = None if index == 0 or rng.random() < 0.1 else f"p{rng.integers(index)}"
        frame = Frame(tuple(rng.normal(size=3)), tuple(turn))
        parts[f"p{index}"] = Part(f"P{index}", parent, frame, Joint(kind, axis))
    names = list(parts)
    rng.shuffle(names)
    return Rig(parts={name: parts[name] for name in names})


def worlds_by_mujoco(rig: Rig, values: dict[str, float]) -> dict[str, np.ndarray]:
    """World frames of the same tree by an independent multibody library."""
    spec = mujoco.MjSpec()
    bodies: dict[str, object] = {}
    waiting = list(rig.parts)
    while waiting:
        part_id = waiting.pop(0)
        part = rig.parts[part_id]
        if part.parent is not None and part.parent not in bodies:
            waiting.append(part_id)
            continue
        above = spec.worldbody if part.parent is None else bodies[part.parent]
        body = above.add_body(name=part_id, pos=part.mount.at, quat=part.mount.turn)
        body.mass, body.inertia, body.explicitinertial = 1.0, [1, 1, 1], True
        for channel in (c for c in APPLIED if c in freed(part.joint)):
            moves = channel.startswith("move")
            kind = mujoco.mjtJoint.mjJNT_SLIDE if moves else mujoco.mjtJoint.mjJNT_HINGE
            axis = np.eye(3)["xyz".index(channel[-1])]
            body.add_joint(name=key(part_id, channel), type=kind, axis=axis)
        bodies[part_id] = body
    model = spec.compile()
    data = mujoco.MjData(model)
    for channel, value in values.items():
        data.joint(channel).qpos[0] = value
    mujoco.mj_kinematics(model, data)
    result = {}
    for part_id in rig.parts:
        world = np.eye(4)
        world[:3, :3] = data.body(part_id).xmat.reshape(3, 3)
        world[:3, 3] = data.body(part_id).xpos
        result[part_id] = world
    return result


@pytest.mark.parametrize("seed", range(12))
def test_joint_frames_of_random_trees(seed: int) -> None:
    rng = np.random.default_rng(seed)
    rig = random_tree(rng, int(rng.integers(2, 60)))
    values = {
        key(part_id, channel): float(rng.uniform(-8, 8))
        for part_id, part in rig.parts.items()
        for channel in freed(part.joint)
    }
    pose = evaluate(compile_rig(rig, geometry_of), values).frame(0)
    for part_id, world in worlds_by_mujoco(rig, values).items():
        assert pose.world(part_id) == pytest.approx(world, abs=1e-9)


def test_many_frames_agree_with_one_at_a_time(rng: np.random.Generator) -> None:
    rig = random_tree(rng, 30)
    program = compile_rig(rig, geometry_of)
    values = {c: rng.uniform(-3, 3, 7) for c in program.channel_keys}
    poses = evaluate(program, values)
    for frame in (0, 3, 6, -1):
        one = evaluate(program, {c: float(v[frame]) for c, v in values.items()}).frame(0)
        assert np.array_equal(poses.worlds[frame], one.worlds)
        assert np.array_equal(poses.frame(frame).worlds, one.worlds)


def test_the_same_rig_gives_the_same_program_bit_for_bit(lock: Rig) -> None:
    one, two = compile_rig(lock, geometry_of), compile_rig(lock, geometry_of)
    assert one.part_ids == two.part_ids and one.channel_keys == two.channel_keys
    assert np.array_equal(one.mounts, two.mounts) and np.array_equal(one.low, two.low)


def test_the_path_to_a_pose_leaves_no_trace(lock: Rig) -> None:
    straight = gremio.solve(lock, {"Upper gates": "40 deg"})
    for angle in ("74 deg", "0 deg", "12 deg"):
        gremio.solve(lock, {"Upper gates": angle})
    assert np.array_equal(straight.worlds, gremio.solve(lock, {"Upper gates": "40 deg"}).worlds)
