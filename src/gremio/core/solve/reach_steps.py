"""Chains to a target: the joints between a tip and the ground bring the tip to a point.

The joints go from where they are put, each the less the stiffer it is, within their stops. By
the method of Levenberg and Marquardt with damping by the error that is left, which comes to rest
in or out of reach: Sugihara, "Solvability-unconcerned inverse kinematics by the
Levenberg–Marquardt method", IEEE Trans. Robotics 27 (2011).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gremio.core.arrays import Array, Flags, Rows
from gremio.core.edit.constraints import given_keys
from gremio.core.plan.carrying import carriers
from gremio.core.rig.channels import key, split
from gremio.core.rig.constraints import numbers
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.model import Reach, Rig
from gremio.core.solve.frames import Finder, as_matrices, put_behind
from gremio.core.solve.wants import Want

_ROUNDS = 120
# The error below which the tip is there, and the step at which it rests (m, rad).
_THERE, _REST = 1e-12, 1e-11
# No joint goes farther in one step (rad, m).
_FARTHEST = 0.5
_BIAS = 1e-9


@dataclass(frozen=True)
class ReachStep:
    """One chain. parts: ids from what is first moved to the tip. rows: (k,) of the channels that
    may move, and stiffness, low, high: (k,) of them. place: of each, by key. number_rows: of the
    constraint's numbers. size: a length of the chain (m). reads: rows of all channels that it
    depends on, its own among them."""

    constraint_id: ThingId
    made: Reach
    parts: tuple[PartId, ...]
    rows: Rows
    place: dict[ChannelKey, int]
    stiffness: Array
    low: Array
    high: Array
    number_rows: dict[str, int]
    size: float
    reads: Rows

    @property
    def followers(self) -> Rows:
        """Rows of the channels that are given."""
        return self.rows

    def run(self, finder: Finder, asked: Array) -> dict[ThingId, Want]:
        """Give the channels, and say how near the tip comes."""
        channels = finder.channels
        put = channels[self.rows].T.copy()
        goal, has = self._goal(finder)
        grip = np.clip(channels[self.number_rows["grip"]], 0.0, 1.0)
        q = np.clip(put, self.low, self.high)
        q, left = self._solved(finder, q, goal)
        share = np.where(has, grip, 0.0)[:, None]
        given = np.where(share == 1.0, q, put + share * (q - put))
        channels[self.rows] = asked[self.rows] = given.T
        missing = np.where(left > 1e-9, left, 0.0)
        want = Want(has, grip, None, None, True, missing, None)
        return {self.constraint_id: want}

    def _goal(self, finder: Finder) -> tuple[Array, Flags]:
        """(F, 3) where the tip should be, and (F,) whether any target counts."""
        targets = self.made.targets
        frames = finder.frames([target.on for target in targets])
        at = np.array([target.at for target in targets])[:, None]
        points = (frames[..., :3, :3] @ at[..., None])[..., 0] + frames[..., :3, 3]
        names = [f"weight {i + 1}" for i in range(len(targets))]
        weights = np.stack(
            [
                np.maximum(finder.channels[self.number_rows[n]], 0.0)
                if n in self.number_rows
                else np.ones(points.shape[1])
                for n in names
            ]
        )
        total = weights.sum(axis=0)
        has = total > 1e-12
        shares = weights / np.where(has, total, 1.0)
        return (points * shares[..., None]).sum(axis=0), has

    def _solved(self, finder: Finder, q: Array, goal: Array) -> tuple[Array, Array]:
        """(F, k) the channels that bring the tip nearest, and (F,) how far off it stays (m)."""
        tip, jacobian = self._tip(finder, q)
        gap = goal - tip
        error = (gap * gap).sum(axis=1) / 2
        # A tip that is stretched straight at its target has no way to begin with.
        for _ in range(_ROUNDS):
            slope = (np.swapaxes(jacobian, 1, 2) @ gap[..., None])[..., 0]
            held = ((q <= self.low) & (slope < 0)) | ((q >= self.high) & (slope > 0))
            free = np.where(held, 0.0, 1.0)
            j = jacobian * free[:, None, :]
            damping = (error + _BIAS * self.size**2)[:, None] * self.stiffness
            square = np.swapaxes(j, 1, 2) @ j + np.eye(len(self.rows)) * damping[:, None, :]
            step = np.linalg.solve(square, (slope * free)[..., None])[..., 0]
            most = np.abs(step).max(axis=1, initial=0.0)
            step *= np.minimum(1.0, _FARTHEST / np.maximum(most, 1e-300))[:, None]
            tried = np.clip(q + step, self.low, self.high)
            tip, jacobian_there = self._tip(finder, tried)
            gap_there = goal - tip
            error_there = (gap_there * gap_there).sum(axis=1) / 2
            better = error_there <= error * (1 + 1e-12) + 1e-30
            moved = np.where(better[:, None], tried - q, 0.0)
            q = q + moved
            gap = np.where(better[:, None], gap_there, gap)
            jacobian = np.where(better[:, None, None], jacobian_there, jacobian)
            error = np.where(better, error_there, error)
            rests = np.abs(moved).max(axis=1, initial=0.0) < _REST
            if bool(np.all(rests | (error < _THERE**2))):
                break
        return q, np.sqrt(2 * error)

    def _tip(self, finder: Finder, q: Array) -> tuple[Array, Array]:
        """(F, 3) where the tip is, and (F, 3, k) how it goes with each channel."""
        tree = finder.tree
        first = tree.part_row[self.parts[0]]
        above = int(tree.parents[first])
        carrier = tree.part_ids[above] if above >= 0 else None
        world = finder.frames([carrier])[0]
        axes, origins = np.zeros((len(q), len(self.rows), 3)), np.zeros((len(q), len(self.rows), 3))
        turns = np.zeros(len(self.rows), dtype=bool)
        for part in self.parts:
            mount = np.eye(4)
            mount[:3] = tree.mount_rows[tree.part_row[part]]
            columns = np.ascontiguousarray((world @ mount)[:, :3].transpose(2, 1, 0))[:, :, None]
            for name, row in tree.applied(part):
                place = self.place.get(key(part, name))
                if place is None:
                    put_behind(columns, name, slice(0, 1), finder.channels[row][None])
                    continue
                turns[place] = name.startswith("turn")
                axis = columns["xyz".index(name[-1]), :, 0].T
                axes[:, place], origins[:, place] = axis, columns[3, :, 0].T
                put_behind(columns, name, slice(0, 1), q[:, place][None])
            world = as_matrices(columns)[:, 0] @ tree.own_matrix(part)
        tip = (world[:, :3, :3] @ np.asarray(self.made.tip)) + world[:, :3, 3]
        swung = np.cross(axes, tip[:, None] - origins)
        ways = np.where(turns[:, None], swung, axes)
        return tip, np.swapaxes(ways, 1, 2)


def reach_step(
    rig: Rig,
    constraint_id: ThingId,
    row: dict[ChannelKey, int],
    limits: tuple[Array, Array],
    reads: Rows,
) -> ReachStep:
    """The step of a chain. row: from channel key to row. limits: (C,) low and high. reads: rows
    of what it depends on."""
    made = rig.constraints[constraint_id]
    assert isinstance(made, Reach)
    keys = given_keys(rig, constraint_id)
    owners = {split(channel)[0] for channel in keys}
    chain = list(reversed(carriers(rig, made.part)))
    first = next(i for i, part in enumerate(chain) if part in owners)
    parts = tuple(chain[first:])
    rows = np.array([row[channel] for channel in keys], dtype=np.intp)
    size = sum(float(np.linalg.norm(rig.parts[part].mount.at)) for part in parts[1:])
    return ReachStep(
        constraint_id, made, parts, rows, {channel: i for i, channel in enumerate(keys)},
        np.array([max(made.stiffness.get(channel, 1.0), 1e-6) for channel in keys]),
        limits[0][rows], limits[1][rows],
        {name: row[key(constraint_id, name)] for name in numbers(rig, made)},
        max(size + float(np.linalg.norm(made.tip)), 1e-3), reads,
    )  # fmt: skip
