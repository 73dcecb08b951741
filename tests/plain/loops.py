"""Closing a loop by Newton's method with damping on the exact Jacobian, in plain Python.

A loop's state q holds all its channels; those in `found` are solved for.
"""

from __future__ import annotations

import numpy as np

from gremio.core.plan.loops import OPEN

_NEWTON = 24
# What joints could close counts as closed below this share where something is left open.
_IN_REACH = 1e-10
# Squares of singular values below this share of all together are nothing.
_NOTHING = 1e-10


def put(to, values):
    """Copy values (n,) element by element."""
    for i in range(len(to)):
        to[i] = values[i]


def place(shape, q, worlds, origins, axes):
    """Fill the frames (P, 3, 4), and where each channel works (C, 3), and along what (C, 3)."""
    for i in range(len(shape.parents)):
        m = worlds[i]
        parent = shape.parents[i]
        if parent < 0:
            for r in range(3):
                for c in range(4):
                    m[r, c] = shape.mounts[i, r, c]
        else:
            w, o = worlds[parent], shape.mounts[i]
            for r in range(3):
                for c in range(4):
                    m[r, c] = w[r, 0] * o[0, c] + w[r, 1] * o[1, c] + w[r, 2] * o[2, c]
                m[r, 3] += w[r, 3]
        for s in range(shape.start[i], shape.start[i + 1]):
            kind, value = shape.kinds[s], q[s]
            axis = kind % 3
            for r in range(3):
                origins[s, r] = m[r, 3]
                axes[s, r] = m[r, axis]
            if kind < 3:
                for r in range(3):
                    m[r, 3] += m[r, axis] * value
            else:
                cos, sin = np.cos(value), np.sin(value)
                a, b = (axis + 1) % 3, (axis + 2) % 3
                for r in range(3):
                    first, second = m[r, a], m[r, b]
                    m[r, a] = first * cos + second * sin
                    m[r, b] = second * cos - first * sin


def _end_points(shape, worlds, k, here, there):
    """Fill the two points (3,) of a closure, as they stand."""
    for side in range(2):
        point = here if side == 0 else there
        i = shape.ends[k, side]
        p = shape.points[k, side]
        for r in range(3):
            if i < 0:
                point[r] = p[r]
            else:
                w = worlds[i]
                point[r] = w[r, 0] * p[0] + w[r, 1] * p[1] + w[r, 2] * p[2] + w[r, 3]


def _cross(a, b, to):
    to[0] = a[1] * b[2] - a[2] * b[1]
    to[1] = a[2] * b[0] - a[0] * b[2]
    to[2] = a[0] * b[1] - a[1] * b[0]


def _unit(a):
    length = np.sqrt(a[0] * a[0] + a[1] * a[1] + a[2] * a[2])
    for r in range(3):
        a[r] /= length


def _ways_across(shape, worlds, k, turned, ways):
    """Fill the directions in which the points of a closure must meet, (3, 3); returns how many:
    all three of a pin, those across a rail."""
    rail = shape.rail[k]
    if rail[0] * rail[0] + rail[1] * rail[1] + rail[2] * rail[2] == 0.0:
        for r in range(3):
            for c in range(3):
                ways[r, c] = 1.0 if r == c else 0.0
        return 3
    i = shape.ends[k, 1]
    for r in range(3):
        if i < 0:
            turned[r] = rail[r]
        else:
            w = worlds[i]
            turned[r] = w[r, 0] * rail[0] + w[r, 1] * rail[1] + w[r, 2] * rail[2]
    _unit(turned)
    least = 0
    for r in range(1, 3):
        if abs(rail[r]) < abs(rail[least]):
            least = r
    # A direction across that goes with the second part: its own least axis.
    helper = ways[2]
    for r in range(3):
        helper[r] = (1.0 if r == least else 0.0) if i < 0 else worlds[i, r, least]
    _cross(turned, helper, ways[0])
    _unit(ways[0])
    _cross(turned, ways[0], ways[1])
    return 2


def _spin(shape, q, k, row):
    """By how much a part that only swings has spun from home, as a length; fills how that changes
    with each channel (C,).

    A turn by the shortest way has no part of its axis along what it swings: of its quaternion
    w + v, v · a is 0 for that axis a.
    """
    part = shape.spins[k]
    first = shape.start[part + 1] - 3
    for s in range(len(row)):
        row[s] = 0.0
    value = 0.0
    # Once as it is, and once for each of the three turns in its place with its derivative.
    for d in range(-1, 3):
        w, x, y, z = 1.0, 0.0, 0.0, 0.0
        for t in range(3):
            half = 0.5 * q[first + t]
            cos, sin = np.cos(half), np.sin(half)
            if t == d:
                cos, sin = -0.5 * sin, 0.5 * cos
            i = shape.kinds[first + t] % 3
            a, b, c = sin * (i == 0), sin * (i == 1), sin * (i == 2)
            w, x, y, z = (
                w * cos - x * a - y * b - z * c,
                w * a + x * cos + y * c - z * b,
                w * b - x * c + y * cos + z * a,
                w * c + x * b - y * a + z * cos,
            )
        along = shape.about[k, 0] * x + shape.about[k, 1] * y + shape.about[k, 2] * z
        if d < 0:
            value = 2.0 * shape.size * along
        else:
            row[first + d] = 2.0 * shape.size * along
    return value


def gaps(shape, q, worlds, origins, axes, gap, jac, spare):
    """Fill the gaps (M,) of all closures and their Jacobian (M, C); returns the greatest.
    spare: (10, 3) to work in."""
    row, worst = 0, 0.0
    here, there, off, turned = spare[0], spare[1], spare[2], spare[3]
    ways = spare[4:7]
    for k in range(len(shape.ends)):
        _end_points(shape, worlds, k, here, there)
        for r in range(3):
            off[r] = here[r] - there[r]
        count = _ways_across(shape, worlds, k, turned, ways)
        for d in range(count):
            gap[row + d] = ways[d, 0] * off[0] + ways[d, 1] * off[1] + ways[d, 2] * off[2]
            worst = max(worst, abs(gap[row + d]))
        for s in range(len(shape.kinds)):
            sign = shape.above[k, s]
            if sign == 0.0:
                for d in range(count):
                    jac[row + d, s] = 0.0
                continue
            a, o = axes[s], origins[s]
            # On a rail the directions turn with the second part, and the lever of the first
            # point is what counts for both sides.
            p = here if (sign > 0 or count == 2) else there
            if shape.kinds[s] < 3:
                v0, v1, v2 = a[0], a[1], a[2]
            else:
                x, y, z = p[0] - o[0], p[1] - o[1], p[2] - o[2]
                v0 = a[1] * z - a[2] * y
                v1 = a[2] * x - a[0] * z
                v2 = a[0] * y - a[1] * x
            for d in range(count):
                jac[row + d, s] = sign * (ways[d, 0] * v0 + ways[d, 1] * v1 + ways[d, 2] * v2)
        row += count
    for k in range(len(shape.spins)):
        gap[row] = _spin(shape, q, k, jac[row])
        worst = max(worst, abs(gap[row]))
        row += 1
    for k in range(len(shape.constants)):
        gap[row] = -shape.constants[k]
        for s in range(len(shape.kinds)):
            jac[row, s] = shape.factors[k, s]
            gap[row] += shape.factors[k, s] * q[s]
        worst = max(worst, abs(gap[row]))
        row += 1
    return worst


def _squared(shape, jac, gap, damping, matrix, step):
    """Fill matrix (n, n) with JᵀJ + damping of what is solved for, and step (n,) with −Jᵀ gap.
    A row adds only where it has something: most channels move few of the closures."""
    found = shape.found
    n = len(found)
    for i in range(n):
        step[i] = 0.0
        for j in range(n):
            matrix[i, j] = 0.0
    for r in range(len(gap)):
        for i in range(n):
            value = jac[r, found[i]]
            if value != 0.0:
                step[i] -= value * gap[r]
                for j in range(i, n):
                    matrix[i, j] += value * jac[r, found[j]]
    for i in range(n):
        matrix[i, i] += damping
        for j in range(i):
            matrix[i, j] = matrix[j, i]


def _eliminate(matrix, step):
    """Solve matrix (n, n) · x = step (n,) in place, of a symmetric matrix that is positive for its
    damping, by Cholesky's method without roots; returns half the logarithm of the determinant."""
    n = len(step)
    volume = 0.0
    for i in range(n):
        top = matrix[i, i]
        if not top > 0.0:
            # A rounding below nothing: the channel says no more than others do.
            top = 1e-300
            matrix[i, i] = top
        volume += 0.5 * np.log(top)
        for r in range(i + 1, n):
            factor = matrix[i, r] / top
            if factor != 0.0:
                for c in range(r, n):
                    matrix[r, c] -= factor * matrix[i, c]
                step[r] -= factor * step[i]
    for i in range(n - 1, -1, -1):
        total = step[i]
        for c in range(i + 1, n):
            total -= matrix[i, c] * step[c]
        step[i] = total / matrix[i, i] if matrix[i, i] > 1e-299 else 0.0
    return volume


def solve_damped(shape, jac, gap, damping, matrix, step):
    """Fill step (n,) with −(JᵀJ + damping)⁻¹ Jᵀ gap of what is solved for; returns half the
    logarithm of the determinant."""
    _squared(shape, jac, gap, damping, matrix, step)
    return _eliminate(matrix, step)


def _in_reach(shape, gap, jac):
    """The length of what joints could close of the gaps (M,), all that move in the loop taken
    together: what lies along the ways that its Jacobian (M, C) has."""
    rows, count = jac.shape
    matrix, step = np.zeros((count, count)), np.zeros(count)
    scale = np.ones(count)
    for s in range(count):
        if shape.kinds[s] >= 3:
            scale[s] = 1.0 / shape.size
    most = 0.0
    for i in range(count):
        for j in range(count):
            for r in range(rows):
                matrix[i, j] += scale[i] * scale[j] * jac[r, i] * jac[r, j]
        for r in range(rows):
            step[i] += scale[i] * jac[r, i] * gap[r]
        most += matrix[i, i]
    for i in range(count):
        matrix[i, i] += _NOTHING * most
    _eliminate(matrix, step)
    closable = 0.0
    for r in range(rows):
        along = 0.0
        for s in range(count):
            along += jac[r, s] * scale[s] * step[s]
        closable += along * along
    return np.sqrt(closable)


def close(shape, q, work, far, near):
    """Newton from q, in place; returns the greatest gap that is left, or inf when it does not
    close or went astray by more than `far` from where it began. near: the share of the loop's
    size at which a gap counts as closed. What no joint can close may be left open, as far as
    OPEN; it is then spread over the closures, by least squares. After it, work holds what
    is so at q."""
    worlds, origins, axes, gap, jac, matrix, step, begun, spare = work
    n, size = len(shape.found), shape.size
    for c in range(n):
        begun[c] = q[shape.found[c]]
    best, most, farthest = np.inf, np.inf, 0.0
    for s in range(len(q)):
        if shape.kinds[s] >= 3:
            farthest = max(farthest, abs(q[s]))
    # A turn far round has fewer figures left, and moves by whole steps of those.
    grain = 4e-16 * farthest * size
    near = max(near * size, grain)
    for turn in range(_NEWTON):
        place(shape, q, worlds, origins, axes)
        worst = gaps(shape, q, worlds, origins, axes, gap, jac, spare)
        if worst <= near or (worst >= best and worst <= max(1e-11 * size, grain)):
            return worst
        if most <= 1e-11:
            break
        if turn > 8 and worst > 0.5 * best and worst > OPEN * size:
            return np.inf
        best = min(best, worst)
        damping = 1e-13 * size**2 + 1e-3 * worst * worst
        solve_damped(shape, jac, gap, damping, matrix, step)
        most = 0.0
        for c in range(n):
            scale = size if shape.kinds[shape.found[c]] < 3 else 1.0
            most = max(most, abs(step[c]) / scale)
        slow = 1.0 if most <= 0.5 else 0.5 / most
        for c in range(n):
            s = shape.found[c]
            q[s] += slow * step[c]
            scale = size if shape.kinds[s] < 3 else 1.0
            if abs(q[s] - begun[c]) > far * scale:
                return np.inf
    place(shape, q, worlds, origins, axes)
    worst = gaps(shape, q, worlds, origins, axes, gap, jac, spare)
    in_reach = max(_IN_REACH * size, grain)
    if worst <= in_reach:
        return worst
    if worst > OPEN * size or _in_reach(shape, gap, jac) > in_reach:
        return np.inf
    return worst


def within(shape, q):
    """Whether all that is solved for is within its stops."""
    for c in range(len(shape.found)):
        s = shape.found[c]
        slack = 1e-9 * max(1.0, abs(q[s]))
        if q[s] < shape.low[s] - slack or q[s] > shape.high[s] + slack:
            return False
    return True


def room(shape):
    """Arrays to work in: frames, origins, axes, gaps, their Jacobian, and what steps need."""
    rows = len(shape.spins) + len(shape.constants)
    for k in range(len(shape.ends)):
        rail = shape.rail[k]
        rows += 2 if (rail[0] != 0 or rail[1] != 0 or rail[2] != 0) else 3
    n, count = len(shape.found), len(shape.kinds)
    return (
        np.empty((len(shape.parents), 3, 4)), np.empty((count, 3)), np.empty((count, 3)),
        np.empty(rows), np.empty((rows, count)), np.empty((n, n)), np.empty(n), np.empty(n),
        np.empty((10, 3)),
    )  # fmt: skip
