"""The screw that brings a body from one place to another (Chasles' theorem: every displacement of
a rigid body is a turn about an axis and a slide along it)."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from scipy.spatial.transform import Rotation

from gremio.core.arrays import Array, crossed

_NO_TURN = 1e-7


class Screw(NamedTuple):
    """A turn (rad, from 0 to π) about a line, and a slide (m) along it.

    at: (3,) the point of the line that is nearest to the body's middle. way: (3,) its direction, of
    length 1. error: how far the body's points are from where it brings them, at most (m).
    """

    at: Array
    way: Array
    turn: float
    slide: float
    error: float


def screw_between(before: Array, after: Array) -> Screw:
    """The screw that brings the points of a body (n, 3) from one place to another, by the turn
    that fits best (Kabsch, Acta Crystallographica A32, 1976; by scipy). The way of a pure slide is
    that of the slide; of points that do not move, z."""
    middle, there = before.mean(axis=0), after.mean(axis=0)
    turning, _ = Rotation.align_vectors(after - there, before - middle)
    vector = turning.as_rotvec()
    turn = float(np.linalg.norm(vector))
    step = there - middle
    moved = turning.apply(before - middle) + there
    error = float(np.abs(moved - after).max(initial=0.0))
    if turn < _NO_TURN:
        slide = float(np.linalg.norm(step))
        way = step / slide if slide else np.array([0.0, 0.0, 1.0])
        return Screw(middle, way, 0.0, slide, error)
    way = vector / turn
    slide = float(step @ way)
    across = step - slide * way
    # The middle goes along a chord of the circle about the axis.
    at = middle + across / 2 + crossed(way, across) / (2 * np.tan(turn / 2))
    return Screw(at, way, turn, slide, error)
