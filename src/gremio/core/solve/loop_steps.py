"""Loops as steps of a program: closing them for many frames at once."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt

from gremio.core.frames import matrix
from gremio.core.rig.channels import split
from gremio.core.rig.loops import Loop, frames_in_loop, gaps, sides
from gremio.core.rig.model import Rig

if TYPE_CHECKING:
    from gremio.core.solve.loop_kernel import Shape
    from gremio.core.solve.program import Program

Array = npt.NDArray[np.float64]
Rows = npt.NDArray[np.intp]
# Closed at home as nearly as this, a loop needs no closing there (m).
_CLOSED = 1e-12


@dataclass(frozen=True)
class LoopStep:
    """Closures that hang together.

    loop: what it is. rows: (C,) channel rows of its channels. leads, found: places among them.
    home: (C,) its channels at home (SI), low and high: (C,) their stops.
    """

    rig: Rig
    loop: Loop
    rows: Rows
    leads: Rows
    found: Rows
    home: Array
    low: Array
    high: Array
    cache: dict[str, object] = field(default_factory=dict, compare=False, repr=False)

    @property
    def followers(self) -> Rows:
        """Rows of the channels that are solved for."""
        return self.rows[self.found]

    @cached_property
    def closed_at_home(self) -> bool:
        """Whether nothing has to move at home for the loop to be closed."""
        values = dict(zip(self.loop.channels, self.home.tolist(), strict=True))
        frames = frames_in_loop(self.rig, self.loop.parts, values)
        return max(gaps(self.rig, self.loop.closures, frames).values(), default=0.0) <= _CLOSED

    @cached_property
    def assembled(self) -> tuple[Array, float]:
        """(C,) the channels with the loop closed at home, and the gap that is left (m)."""
        if self.closed_at_home:
            return self.home, 0.0
        from gremio.core.solve.loop_kernel import assemble

        q = self.home.copy()
        gap = float(assemble(self.shape, q))
        return q, gap

    @cached_property
    def shape(self) -> Shape:
        """The loop as flat arrays."""
        return _shape(self)

    @property
    def can_close(self) -> bool:
        """Whether it can be closed at home."""
        return self.assembled[1] <= 1e-9 * max(
            1.0, self.shape.size if not self.closed_at_home else 1
        )

    def run(self, channels: Array, asked: Array) -> tuple[Array, Array]:
        """Close the loop: fill what is solved for, and hold what leads it where the reach ends.

        Returns (F,) the share of the way from home that could be gone, and the greatest gap (m).
        """
        wanted = channels[self.rows].T
        frames = len(wanted)
        if self.closed_at_home and np.array_equal(
            wanted[:, self.leads], np.broadcast_to(self.home[self.leads], (frames, len(self.leads)))
        ):
            channels[self.followers] = asked[self.followers] = self.home[self.found, None]
            return np.ones(frames), np.zeros(frames)
        home, gap = self.assembled
        if not self.can_close:
            channels[self.followers] = asked[self.followers] = home[self.found, None]
            channels[self.rows[self.leads]] = home[self.leads, None]
            return np.zeros(frames), np.full(frames, gap)
        from gremio.core.solve.loop_kernel import close_frames

        order, before = _one_after_another(wanted[:, self.leads], home[self.leads])
        result, gone, left = np.empty_like(wanted), np.empty(frames), np.empty(frames)
        close_frames(
            self.shape, home, np.ascontiguousarray(wanted[order]), before, result, gone, left
        )
        back = np.empty(frames, dtype=np.intp)
        back[order] = np.arange(frames)
        result, gone, left = result[back], gone[back], left[back]
        channels[self.rows] = result.T
        asked[self.followers] = channels[self.followers]
        return gone, left


def warm_up(program: Program) -> None:
    """Load what closes loops, and close one at home, so that no hand waits for it later."""
    loops = [loop for level in program.steps for loop in level.loops]
    if loops:
        _follow_home(loops[0])


def _follow_home(step: LoopStep) -> None:
    from gremio.core.solve.loop_kernel import close_frames

    asked, q = step.home[None].copy(), step.home.copy()
    close_frames(
        step.shape, q, asked, np.full(1, -1), np.empty_like(asked), np.empty(1), np.empty(1)
    )


def _one_after_another(leads: Array, home: Array) -> tuple[Rows, Rows]:
    """An order in which each frame goes on from the one before it, outward from home, and
    which that is; −1 for home. (F, k) leads of which more than one changes all go from home.

    The way to a frame is then always the straight way from home, whatever came before.
    """
    frames = len(leads)
    away = leads - home
    ways = np.flatnonzero(np.abs(away).max(axis=0, initial=0.0) > 0)
    if frames == 1 or len(ways) != 1:
        return np.arange(frames), np.full(frames, -1)
    far = away[:, ways[0]]
    up, down = np.flatnonzero(far >= 0), np.flatnonzero(far < 0)
    up, down = up[np.argsort(far[up], kind="stable")], down[np.argsort(-far[down], kind="stable")]
    before = np.arange(-1, frames - 1)
    if len(down):
        before[len(up)] = -1
    return np.concatenate([up, down]), before


def loop_step(
    rig: Rig, loop: Loop, row: dict[str, int], home: Array, low: Array, high: Array
) -> LoopStep:
    """The step of a loop. row: from channel key to row. home, low, high: of all channels."""
    rows = np.array([row[c] for c in loop.channels], dtype=np.intp)
    found = [i for i, c in enumerate(loop.channels) if c in loop.found]
    leads = [i for i in range(len(loop.channels)) if i not in found]
    return LoopStep(
        rig, loop, rows, np.array(leads, dtype=np.intp), np.array(found, dtype=np.intp),
        home[rows], low[rows], high[rows],
    )  # fmt: skip


def _shape(step: LoopStep) -> Shape:
    from gremio.core.solve.loop_kernel import Shape as Made

    rig, loop = step.rig, step.loop
    place = {part: i for i, part in enumerate(loop.parts)}
    counts = [sum(split(c)[0] == part for c in loop.channels) for part in loop.parts]
    kinds = [
        "xyz".index(c[-1]) + (3 if split(c)[1].startswith("turn") else 0) for c in loop.channels
    ]
    closures = [rig.closures[c] for c in loop.closures]
    above = np.zeros((len(closures), len(loop.channels)))
    for k, closure in enumerate(closures):
        one, two = sides(rig, closure)
        for s, channel in enumerate(loop.channels):
            owner = split(channel)[0]
            above[k, s] = 1.0 if owner in one else -1.0 if owner in two else 0.0
    points = np.array([[c.at_one, c.at_two] for c in closures], dtype=float)
    rail = np.array([c.axis if c.kind == "rail" else (0, 0, 0) for c in closures], dtype=float)
    # What carries all parts of the loop stands still here; a point on it is in its own frame.
    return Made(
        mounts=np.array([matrix(rig.parts[p].mount)[:3] for p in loop.parts]),
        parents=np.array([place.get(rig.parts[p].parent or "", -1) for p in loop.parts]),
        start=np.concatenate([[0], np.cumsum(counts)]).astype(np.intp),
        kinds=np.array(kinds, dtype=np.intp),
        found=step.found,
        low=step.low,
        high=step.high,
        ends=np.array([[place.get(c.one, -1), place.get(c.two or "", -1)] for c in closures]),
        points=points,
        rail=rail,
        above=above,
        size=_size(rig, loop),
    )


def _size(rig: Rig, loop: Loop) -> float:
    """A length of the loop: the greatest distance between its mounts and points at home (m)."""
    frames = frames_in_loop(rig, loop.parts, {})
    places = [frame[:3, 3] for frame in frames.values()]
    for closure_id in loop.closures:
        closure = rig.closures[closure_id]
        for part, at in ((closure.one, closure.at_one), (closure.two, closure.at_two)):
            frame = frames.get(part or "", np.eye(4))
            places.append(frame[:3, :3] @ at + frame[:3, 3])
    spread = np.ptp(np.array(places), axis=0)
    return max(float(np.linalg.norm(spread)), 1e-6)
