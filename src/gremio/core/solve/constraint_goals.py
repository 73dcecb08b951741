"""What each kind of constraint wants of its parts: places, turns and scales.

Many constraints of one make are looked at together: n of them, in F frames.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np

from gremio.core.arrays import Array, Flags, crossed, size_of
from gremio.core.frames import IDENTITY, Frame, matrix
from gremio.core.mechanics import turns
from gremio.core.records import Record
from gremio.core.rig.constraints import targets_of
from gremio.core.rig.model import (
    Aim,
    AnyConstraint,
    ConstraintKind,
    Path,
    RunAlong,
    Seat,
    Tether,
    Way,
)
from gremio.core.shape.paths import along, length, rolled, way_to
from gremio.core.shape.surfaces import Surface

Yes = Flags
# Rounds in which a part that can't go everywhere comes down on a surface.
_COMING_DOWN = 60
_NEAR = 1e-12


class Kept(NamedTuple):
    """What constraints of one make say, as arrays. targets: (n, m, 1, 4, 4) what is kept to
    each target, and at: (n, m, 1, 3) their points. turn: (n, 1, 3, 3) and aside: (n, 1, 3), or
    frame: (n, 1, 4, 4), what is kept in the frames that are found. axis, second: (n, 1, 3).
    """

    targets: Array
    at: Array
    frame: Array
    axis: Array
    second: Array
    toward: Array

    @property
    def turn(self) -> Array:
        """(n, 1, 3, 3) how the parts stand in the frames that are found for them."""
        return self.frame[..., :3, :3]

    @property
    def aside(self) -> Array:
        """(n, 1, 3) how far off the places that are found."""
        return self.frame[..., :3, 3]


def kept_of(made: Sequence[AnyConstraint]) -> Kept:
    """What constraints of one make say."""
    to = [targets_of(one) for one in made]
    aims = [one if isinstance(one, Aim) else None for one in made]
    return Kept(
        np.array([[matrix(t.offset) for t in targets] for targets in to])[:, :, None],
        np.array([[t.at for t in targets] for targets in to], dtype=float)[:, :, None],
        np.array([matrix(offset_of(one)) for one in made])[:, None],
        np.array([axis_of(axis_that_counts(one)) for one in made])[:, None],
        np.array([axis_of(a.second if a is not None else "z") for a in aims])[:, None],
        np.array([a.toward.at if a is not None else (0, 0, 0) for a in aims], dtype=float)[:, None],
    )


def offset_of(one: AnyConstraint) -> Frame:
    """How the part stands in the frame that is found for it."""
    return one.offset if isinstance(one, Aim | Seat | RunAlong) else IDENTITY


def axis_that_counts(one: AnyConstraint) -> Way:
    """The axis of the part that points, or stands along a normal."""
    return one.axis if isinstance(one, Aim | Seat) else "x"


class Seen(NamedTuple):
    """What constraints of one make look at.

    made: the n constraints, and kept: what they say. mounts: (n, F, 4, 4) world frames of their
    parts' mounts, and mounted: (n, F, 3, 3) how those are turned. moves, turns, scales: (n, F, 3)
    the channels of their parts as they are without the constraints. places: (n, F, 3) where the
    parts are put, and stands: (n, F, 3, 3) how, in the world. lever: (n, F, 3) from where their
    joints move to where they are, along the mounts' axes.
    targets: (n, m, F, 4, 4) world frames of what the targets are on. weights: (n, m, F).
    toward: (n, F, 4, 4) of what a second axis is kept toward. number: (n, F) the constraints'
    number of a name. moving, scaling: which of move, and scale, x, y and z they give (0, 1, 2).
    whole: whether they give all three turns. paths: of each target, the path that it is.
    surfaces: what they sit on, one for all frames or one for each.
    """

    made: tuple[AnyConstraint, ...]
    kept: Kept
    mounts: Array
    mounted: Array
    moves: Array
    turns: Array
    scales: Array
    places: Array
    stands: Array
    lever: Array
    targets: Array
    weights: Array
    toward: Array
    number: Callable[[str], Array]
    moving: tuple[int, ...]
    scaling: tuple[int, ...]
    whole: bool
    paths: tuple[Path | None, ...]
    surfaces: tuple[Surface | None, ...]


class Goal(Record, frozen=True):
    """What constraints want. place: (n, F, 3) in the world (m). turn: (n, F, 3, 3) in the
    world, or, with one axis to bring near, a profile (`turns.nearest_angles`); whole: whether it
    is a turn. scales: (n, F, 3). has: (n, F) whether it wants anything there. missing: (n, F)
    what can't be had in any case (m). normal: (n, F, 3) of a seat, in the world."""

    has: Yes
    place: Array | None = None
    turn: Array | None = None
    whole: bool = True
    scales: Array | None = None
    missing: Array | None = None
    normal: Array | None = None


def _at(frames: Array, points: Array) -> Array:
    """(..., 3) points (..., 3) of frames (..., 4, 4), in the world."""
    result: Array = (frames[..., :3, :3] @ points[..., None])[..., 0] + frames[..., :3, 3]
    return result


def _inverse(frames: Array) -> Array:
    found = np.linalg.inv(frames)
    return np.asarray(found, dtype=np.float64)


def _shares(seen: Seen) -> tuple[Array, Yes]:
    """(n, m, F) how much each target counts, and (n, F) whether any does."""
    if seen.weights.shape[1] == 1:
        return seen.weights, np.ones_like(seen.weights[:, 0], dtype=bool)
    total = seen.weights.sum(axis=1)
    has = total > _NEAR
    return seen.weights / np.where(has, total, 1.0)[:, None], has


def _mean_turn(turned: Array, shares: Array) -> Array:
    """(n, F, 3, 3) of (n, m, F, 3, 3)."""
    if turned.shape[1] == 1:
        one: Array = turned[:, 0]
        return one
    return turns.mean(np.moveaxis(turned, 1, 2), np.moveaxis(shares, 1, 2))


def _size(frames: Array) -> Array:
    """(..., 3) the scales of frames (..., 4, 4)."""
    axes = frames[..., :3, :3]
    result: Array = np.sqrt(np.einsum("...ij,...ij->...j", axes, axes))
    return result


def ride(seen: Seen) -> Goal:
    """Carried entirely: as it stands in the target's frame."""
    shares, has = _shares(seen)
    frames = seen.targets @ seen.kept.targets
    place = (frames[..., :3, 3] * shares[..., None]).sum(axis=1)
    scales = (_size(frames) * shares[..., None]).sum(axis=1) / _size(seen.mounts)
    return Goal(has, place, _mean_turn(turns.turn_of(frames), shares), scales=scales)


def _points(seen: Seen) -> Array:
    """(n, m, F, 3) the targets' points, in the world."""
    return _at(seen.targets, seen.kept.at)


def pin(seen: Seen) -> Goal:
    """Position only: at the target's point, or as far from it as was kept."""
    shares, has = _shares(seen)
    points = _points(seen) + seen.kept.targets[..., :3, 3]
    return Goal(has, (points * shares[..., None]).sum(axis=1))


def match(seen: Seen) -> Goal:
    """Orientation only: turned as the target is, or against it as was kept."""
    shares, has = _shares(seen)
    kept = seen.kept.targets
    turned = _mean_turn(turns.turn_of(seen.targets) @ turns.turn_of(kept), shares)
    sizes = _size(seen.targets) * _size(kept)
    scales = (sizes * shares[..., None]).sum(axis=1) / _size(seen.mounts)
    return Goal(has, turn=turned, scales=scales)


def axis_of(way: Way) -> Array:
    """(3,) the unit vector of an axis."""
    vector = np.zeros(3)
    vector["xyz".index(way[-1])] = -1.0 if way[0] == "-" else 1.0
    return vector


def aim(seen: Seen) -> Goal:
    """An axis toward the target: its point, or the nearest place on its path. Where all three
    turns are given the second axis counts as well."""
    places = seen.places
    shares, has = _shares(seen)
    points = _points(seen)
    for i, path in enumerate(seen.paths):
        if path is not None:
            points[:, i] = _nearest_on(path, seen.targets[:, i], places)
    way = (points * shares[..., None]).sum(axis=1) - places
    far = size_of(way)
    has = has & (far > _NEAR)
    goal, axis, kept = turns.unit(way), seen.kept.axis, seen.kept.turn
    if not seen.whole:
        profile = goal[..., :, None] * axis[..., None, :] @ kept
        return Goal(has, turn=profile, whole=False)
    bare = seen.stands @ np.swapaxes(kept, -1, -2)
    turned = turns.least((bare @ axis[..., None])[..., 0], goal) @ bare
    one = seen.made[0]
    assert isinstance(one, Aim)
    if one.upright != "none":
        up = np.broadcast_to(np.array([0.0, 0.0, 1.0]), goal.shape)
        if one.upright == "target":
            up = _at(seen.toward, seen.kept.toward) - places
        across = crossed(goal, up)
        level = size_of(across) > 1e-9 * size_of(up)
        upright = _two_axes(goal, up) @ np.swapaxes(_two_axes(axis, seen.kept.second), -1, -2)
        turned = np.where(level[..., None, None], upright, turned)
    return Goal(has, turn=turned @ kept)


def _two_axes(first: Array, second: Array) -> Array:
    """(..., 3, 3) the turn with its x along the first and its y toward the second direction.

    The triad of Black, "A passive system for determining the attitude of a satellite", AIAA
    Journal 2 (1964).
    """
    across = turns.unit(crossed(first, second))
    return np.stack(np.broadcast_arrays(first, crossed(across, first), across), axis=-1)


def _nearest_on(path: Path, frames: Array, places: Array) -> Array:
    """(n, F, 3) the places on a path nearest to places (n, F, 3), all in the world. frames:
    (n, F, 4, 4) of what carries the path."""
    inside = _at(_inverse(frames), places).reshape(-1, 3)
    nearest = along(path, way_to(path, inside))[:, :3, 3]
    return _at(frames, nearest.reshape(places.shape))


def tether(seen: Seen) -> Goal:
    """Kept within, outside, or at a distance of the target's point."""
    shares, has = _shares(seen)
    centre = (_points(seen) * shares[..., None]).sum(axis=1)
    # Only along what it may move: the place nearest to the centre, and how far that still is.
    axes = seen.mounts[..., :3, list(seen.moving)]
    unit = axes / np.linalg.norm(axes, axis=-2, keepdims=True)
    off = seen.places - centre
    inside = (unit @ (np.swapaxes(unit, -1, -2) @ off[..., None]))[..., 0]
    fixed = off - inside
    reach, across = np.maximum(seen.number("distance"), 0.0), size_of(fixed)
    free = np.sqrt(np.maximum(reach**2 - across**2, 0.0))
    now = size_of(inside)
    one = seen.made[0]
    assert isinstance(one, Tether)
    kept = one.reach
    low = free if kept in ("outside", "at") else np.zeros_like(free)
    high = free if kept in ("within", "at") else np.full_like(free, np.inf)
    wanted = np.clip(now, low, high)
    way = np.where((now > _NEAR)[..., None], inside / np.maximum(now, _NEAR)[..., None],
                   unit[..., 0])  # fmt: skip
    missing = np.maximum(across - reach, 0.0) if kept != "outside" else np.zeros_like(free)
    return Goal(has, centre + fixed + way * wanted[..., None], missing=missing)


def seat(seen: Seen) -> Goal:
    """On the target's surface, at the place nearest to where the part is put, standing off
    along the normal, and standing up along it if so wished."""
    shape = seen.moves.shape
    one = seen.made[0]
    assert isinstance(one, Seat)
    if any(surface is None for surface in seen.surfaces):
        return Goal(np.zeros(shape[:2], dtype=bool))
    frames = seen.targets[:, 0]
    back = _inverse(frames)
    off = seen.number("stand-off")[..., None]
    aside = seen.kept.aside
    place = seen.places
    for _ in range(1 if len(seen.moving) == 3 else _COMING_DOWN):
        nearest, outward = _nearest_on_surface(seen.surfaces, _at(back, place))
        on = _at(frames, nearest)
        # A normal goes by the inverse transpose of what its surface goes by.
        normal = turns.unit((np.swapaxes(back[..., :3, :3], -1, -2) @ outward[..., None])[..., 0])
        stands_at = on + off * normal + (seat_frame(normal) @ aside[..., None])[..., 0]
        before, place = place, _as_it_may(seen, stands_at)
        if float(np.abs(place - before).max(initial=0.0)) < _NEAR:
            break
    turned = None
    if one.stands:
        kept, axis = seen.kept.turn, seen.kept.axis
        bare = seen.stands @ np.swapaxes(kept, -1, -2)
        turned = turns.least((bare @ axis[..., None])[..., 0], normal) @ bare @ kept
    return Goal(np.ones(shape[:2], dtype=bool), place, turned, normal=normal)


def _nearest_on_surface(surfaces: tuple[Surface | None, ...], places: Array) -> tuple[Array, Array]:
    """(n, F, 3) the places on a surface nearest to places (n, F, 3), and the normals there.
    surfaces: one for all frames, or one for each."""
    if len(surfaces) == 1:
        assert surfaces[0] is not None
        nearest, outward = surfaces[0].nearest(places.reshape(-1, 3))
        return nearest.reshape(places.shape), outward.reshape(places.shape)
    nearest, outward = np.empty_like(places), np.empty_like(places)
    for f, surface in enumerate(surfaces):
        assert surface is not None
        nearest[:, f], outward[:, f] = surface.nearest(places[:, f])
    return nearest, outward


def seat_frame(normal: Array) -> Array:
    """(..., 3, 3) a turn whose z is along a normal (..., 3), the least from upright: what is kept
    aside of a surface is kept in it."""
    return turns.least(np.broadcast_to(np.array([0.0, 0.0, 1.0]), normal.shape), normal)


def _as_it_may(seen: Seen, places: Array) -> Array:
    """(n, F, 3) places in the world, brought to where the parts may move at all."""
    if len(seen.moving) == 3:
        return places
    local = _at(_inverse(seen.mounts), places) - seen.lever
    moves = seen.moves.copy()
    moves[..., list(seen.moving)] = local[..., list(seen.moving)]
    return _at(seen.mounts, moves + seen.lever)


def run_along(seen: Seen) -> Goal:
    """On a path, a way or a share of its length along it, rolled and banked."""
    one, path = seen.made[0], seen.paths[0]
    assert isinstance(one, RunAlong) and path is not None
    count, frames = seen.moves.shape[:2]
    way = seen.number("share") * length(path) if one.by_share else seen.number("way")
    found = along(path, way.ravel(), one.banked_for)
    found = rolled(found, seen.number("roll").ravel()).reshape(count, frames, 4, 4)
    stands = seen.targets[:, 0] @ found @ seen.kept.frame
    has = np.ones((count, frames), dtype=bool)
    return Goal(has, stands[..., :3, 3], turns.turn_of(stands))


def constant_volume(seen: Seen) -> Goal:
    """One stretches, the others shrink: the product of all three scales stays one."""
    giving = seen.scaling
    stretched = np.prod(np.delete(seen.scales, giving, axis=-1), axis=-1)
    has = stretched > _NEAR
    each = np.where(has, stretched, 1.0) ** (-1.0 / len(giving))
    return Goal(has, scales=np.repeat(each[..., None], 3, axis=-1))


# What each kind wants; a reach is a step of its own.
GOALS: dict[ConstraintKind, Callable[[Seen], Goal]] = {
    "ride": ride,
    "pin": pin,
    "match": match,
    "aim": aim,
    "tether": tether,
    "seat": seat,
    "run along": run_along,
    "constant volume": constant_volume,
}
