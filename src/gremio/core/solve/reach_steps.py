"""Chains to a target: the joints between a tip and the ground bring the tip to a point.

The joints go from where they are put, each the less the stiffer it is, within their stops. By
the method of Levenberg and Marquardt with damping by the error that is left, which comes to rest
in or out of reach: Sugihara, "Solvability-unconcerned inverse kinematics by the
Levenberg–Marquardt method", IEEE Trans. Robotics 27 (2011).

It may come to rest short of the target though there is a better place. Then it is begun anew from
other starts, the same ones always; one of them wins only when it comes nearer by a margin, so that
a chain does not turn over for a hair.
"""

from __future__ import annotations

import functools
from functools import partial

import numpy as np

from gremio.core.arrays import Array, Flags, Rows, crossed
from gremio.core.edit.constraints import given_keys
from gremio.core.frames import matrix
from gremio.core.plan.carrying import carriers
from gremio.core.records import Record
from gremio.core.rig.channels import freed, key, split
from gremio.core.rig.constraints import numbers
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.model import Reach, Rig
from gremio.core.solve.columns import as_matrices, put_behind
from gremio.core.solve.frames import Finder
from gremio.core.solve.wants import OTHER_STARTS, Want

_ROUNDS = 120
# The error below which the tip is there, and the step at which it rests (m, rad).
_THERE, _REST = 1e-12, 1e-11
# No joint goes farther in one step (rad, m).
_FARTHEST = 0.5
_BIAS = 1e-9
# By what share of the chain's size another start must come nearer to win.
_MARGIN = 2e-4
# So many chains are begun anew at one time.
_TOGETHER = 4096


class ReachStep(Record, frozen=True):
    """One chain. parts: ids from what is first moved to the tip. rows: (k,) of the channels that
    may move, and stiffness, low, high: (k,) of them; turns: (k,) whether one is a turn. place: of
    each, by key. number_rows: of the constraint's numbers. size: a length of the chain (m). arms:
    (n, 2) the least and the most distance from each joint to the next, or to the tip (m). reads:
    rows of all channels that it depends on, its own among them."""

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
    turns: Flags
    arms: Array
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
        q, left, start = self._begun_anew(finder, q, left, goal)
        share = np.where(has, grip, 0.0)[:, None]
        given = np.where(share == 1.0, q, put + share * (q - put))
        channels[self.rows] = asked[self.rows] = given.T
        missing = np.where(left > 1e-9, left, 0.0)
        proven = left <= self._bound(finder, goal) + 1e-6 * self.size
        want = Want(has, grip, None, None, True, missing, None, proven, _jumps(start, q))
        return {self.constraint_id: want}

    def _begun_anew(
        self, finder: Finder, q: Array, left: Array, goal: Array
    ) -> tuple[Array, Array, Rows]:
        """The best of what was found (F, k), what it leaves (F,) (m), and what other starts give;
        and from which start (F,) it comes, 0 for the first."""
        start = np.zeros(len(q), dtype=np.intp)
        margin = _MARGIN * self.size
        # Where nothing could be nearer, nothing is looked for.
        short = np.flatnonzero(left > self._bound(finder, goal) + margin)
        if not len(short):
            return q, left, start
        low = np.where(np.isfinite(self.low), self.low, np.where(self.turns, -np.pi, -self.size))
        high = np.where(np.isfinite(self.high), self.high, np.where(self.turns, np.pi, self.size))
        near, rest = self._solved(finder.some(short), q[short], goal[short], eager=True)
        nearer = rest < left[short] - 1e-9 * self.size
        q[short[nearer]], left[short[nearer]] = near[nearer], rest[nearer]
        short = short[left[short] > self._bound(finder, goal)[short] + margin]
        if not len(short):
            return q, left, start
        begun = low + _spread(OTHER_STARTS, len(low)) * (high - low)
        for those in np.array_split(short, max(1, len(short) * OTHER_STARTS // _TOGETHER)):
            each = np.repeat(those, OTHER_STARTS)
            begins = np.tile(begun, (len(those), 1))
            tried, rest = self._solved(finder.some(each), begins, goal[each], eager=True)
            rest = rest.reshape(len(those), OTHER_STARTS)
            # Of those that come as near as any, but for the margin, the first.
            best = np.argmax(rest <= rest.min(axis=1, keepdims=True) + margin, axis=1)
            won = np.flatnonzero(rest[np.arange(len(those)), best] < left[those] - margin)
            q[those[won]] = tried.reshape(len(those), OTHER_STARTS, -1)[won, best[won]]
            left[those[won]], start[those[won]] = rest[won, best[won]], best[won] + 1
        return q, left, start

    def _bound(self, finder: Finder, goal: Array) -> Array:
        """(F,) nearer than this (m) the tip can't come, whatever the joints do: by the triangle
        inequality, from the first joint to the goal, with the lengths between them."""
        shortest, longest = _span(self.arms)
        away = np.linalg.norm(goal - self._foot(finder), axis=1)
        bound: Array = np.maximum(np.maximum(away - longest, shortest - away), 0.0)
        return bound

    def _foot(self, finder: Finder) -> Array:
        """(F, 3) where the first part of the chain is mounted."""
        tree = finder.tree
        row = np.array([tree.part_row[self.parts[0]]])
        foot: Array = finder.mounts(row)[0][:, :3, 3]
        return foot

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

    def _solved(
        self, finder: Finder, q: Array, goal: Array, *, eager: bool = False
    ) -> tuple[Array, Array]:
        """(F, k) the channels that bring the tip nearest, and (F,) how far off it stays (m).

        eager: as near as it can come, where the usual damping would rest too early: less of it
        after each step that brought the tip nearer, and more after one that did not (Marquardt).
        """
        share = np.ones(len(q))
        tip, jacobian = self._tip(finder, q)
        gap = goal - tip
        error = (gap * gap).sum(axis=1) / 2
        done = error < _THERE**2
        # A tip that is stretched straight at its target has no way to begin with.
        for _ in range(_ROUNDS):
            slope = (np.swapaxes(jacobian, 1, 2) @ gap[..., None])[..., 0]
            held = ((q <= self.low) & (slope < 0)) | ((q >= self.high) & (slope > 0))
            free = np.where(held, 0.0, 1.0)
            j = jacobian * free[:, None, :]
            damping = (share * error + _BIAS * self.size**2)[:, None] * self.stiffness
            square = np.swapaxes(j, 1, 2) @ j + np.eye(len(self.rows)) * damping[:, None, :]
            step = np.linalg.solve(square, (slope * free)[..., None])[..., 0]
            most = np.abs(step).max(axis=1, initial=0.0)
            step *= np.minimum(1.0, _FARTHEST / np.maximum(most, 1e-300))[:, None]
            tried = np.clip(q + step, self.low, self.high)
            tip, jacobian_there = self._tip(finder, tried)
            gap_there = goal - tip
            error_there = (gap_there * gap_there).sum(axis=1) / 2
            # A frame that rests is left alone, so that no other frame can change it.
            better = (error_there <= error * (1 + 1e-12) + 1e-30) & ~done
            if eager:
                share = np.clip(np.where(better, share * 0.3, share * 5.0), 1e-7, 1e3)
            moved = np.where(better[:, None], tried - q, 0.0)
            q = q + moved
            gap = np.where(better[:, None], gap_there, gap)
            jacobian = np.where(better[:, None, None], jacobian_there, jacobian)
            error = np.where(better, error_there, error)
            rests = np.abs(moved).max(axis=1, initial=0.0) < _REST
            if eager:
                # One that came no nearer tries a shorter step before it rests.
                rests &= better | (share >= 1e3)
            done |= rests | (error < _THERE**2)
            if bool(done.all()):
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
        swung = crossed(axes, tip[:, None] - origins)
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
        max(size + float(np.linalg.norm(made.tip)), 1e-3),
        np.array([split(channel)[1].startswith("turn") for channel in keys]),
        _arms(rig, made, parts, limits, row), reads,
    )  # fmt: skip


def _arms(
    rig: Rig,
    made: Reach,
    parts: tuple[PartId, ...],
    limits: tuple[Array, Array],
    row: dict[ChannelKey, int],
) -> Array:
    """(n, 2) the least and the most distance (m) from each joint of a chain to the next, and from
    the last to the tip. What slides may be anywhere between its stops."""
    found = []
    for part, after in zip(parts, (*parts[1:], None), strict=True):
        own = matrix(rig.parts[part].own)
        end = made.tip if after is None else rig.parts[after].mount.at
        reach = float(np.linalg.norm(own[:3, :3] @ np.asarray(end) + own[:3, 3]))
        slides = [
            max(abs(float(limits[0][row[c]])), abs(float(limits[1][row[c]])))
            for c in map(partial(key, part), freed(rig.parts[part].joint))
            if split(c)[1].startswith("move")
        ]
        slack = float(np.sqrt(np.square(slides).sum()))
        found.append((max(reach - slack, 0.0), reach + slack))
    return np.array(found)


def _span(arms: Array) -> tuple[float, float]:
    """The least and the most distance from end to end of arms (n, 2), however they are turned:
    one that is longer than all others together leaves a hole round the first joint."""
    longest = float(arms[:, 1].sum())
    if not np.isfinite(longest):
        return 0.0, longest
    return max(0.0, float((arms.sum(axis=1) - longest).max())), longest


def _jumps(start: Rows, q: Array) -> Flags:
    """(F,) in which frames a chain goes over to where another start led, which is not where it
    was in the frame before."""
    jumps = np.zeros(len(q), dtype=bool)
    jumps[1:] = (start[1:] != start[:-1]) & (np.abs(np.diff(q, axis=0)).max(axis=1) > _FARTHEST)
    return jumps


@functools.cache
def _spread(count: int, width: int) -> Array:
    """(count, width) shares between 0 and 1, spread evenly: a lattice by the root of
    x^(width + 1) = x + 1 (Roberts, "The unreasonable effectiveness of quasirandom sequences",
    2018; from memory)."""
    root = 2.0
    for _ in range(60):
        root = (1.0 + root) ** (1.0 / (width + 1))
    steps = root ** -np.arange(1.0, width + 1)
    shares: Array = (0.5 + np.outer(np.arange(1, count + 1), steps)) % 1.0
    return shares
