"""Closing loops by Newton's method with damping on the exact Jacobian, in a compiled loop.

A loop's state q holds all its channels; those in `found` are solved for. The way it is
assembled is kept by continuation: from where it is closed, its other channels go toward what
is asked in small steps, and each step begins where the last two point to.
"""

from __future__ import annotations

import numba
import numpy as np

from gremio.core.solve.loop_shape import Shape

_STEP = 0.16
_NEWTON = 24
_FINEST = 1e-9
# At what share of its size a loop's gaps count as closed, and as closed on the way there.
_CLOSED, _ON_THE_WAY = 1e-13, 1e-6


@numba.njit(cache=True, error_model="numpy")
def _place(shape, q, worlds, origins, axes):  # type: ignore[no-untyped-def]
    """Fill the frames (P, 3, 4), and where each channel works (C, 3), and along what (C, 3)."""
    for i in range(len(shape.parents)):
        m = worlds[i]
        parent = shape.parents[i]
        if parent < 0:
            m[:, :] = shape.mounts[i]
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


@numba.njit(cache=True, error_model="numpy")
def _end_points(shape, worlds, k, here, there):  # type: ignore[no-untyped-def]
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


@numba.njit(cache=True, error_model="numpy")
def _ways_across(shape, worlds, k, turned, ways):  # type: ignore[no-untyped-def]
    """Fill the directions in which the points of a closure must meet, (3, 3); returns how many:
    all three of a pin, those across a rail."""
    rail = shape.rail[k]
    if rail[0] * rail[0] + rail[1] * rail[1] + rail[2] * rail[2] == 0.0:
        ways[:, :] = 0.0
        for r in range(3):
            ways[r, r] = 1.0
        return 3
    i = shape.ends[k, 1]
    for r in range(3):
        if i < 0:
            turned[r] = rail[r]
        else:
            w = worlds[i]
            turned[r] = w[r, 0] * rail[0] + w[r, 1] * rail[1] + w[r, 2] * rail[2]
    turned /= np.sqrt(turned[0] ** 2 + turned[1] ** 2 + turned[2] ** 2)
    least = 0
    for r in range(1, 3):
        if abs(rail[r]) < abs(rail[least]):
            least = r
    # A direction across that goes with the second part: its own least axis.
    helper = np.zeros(3)
    helper[least] = 1.0
    if i >= 0:
        w = worlds[i]
        for r in range(3):
            helper[r] = w[r, least]
    ways[0] = np.cross(turned, helper)
    ways[0] /= np.sqrt((ways[0] ** 2).sum())
    ways[1] = np.cross(turned, ways[0])
    return 2


@numba.njit(cache=True, error_model="numpy")
def _gaps(shape, worlds, origins, axes, gap, jac, spare):  # type: ignore[no-untyped-def]
    """Fill the gaps (M,) of all closures and their Jacobian (M, n); returns the greatest.
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
        for c in range(len(shape.found)):
            s = shape.found[c]
            sign = shape.above[k, s]
            if sign == 0.0:
                for d in range(count):
                    jac[row + d, c] = 0.0
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
                jac[row + d, c] = sign * (ways[d, 0] * v0 + ways[d, 1] * v1 + ways[d, 2] * v2)
        row += count
    return worst


@numba.njit(cache=True, error_model="numpy")
def _squared(jac, gap, rows, damping, matrix, step):  # type: ignore[no-untyped-def]
    """Fill matrix (n, n) with JᵀJ + damping, and step (n,) with −Jᵀ gap."""
    n = jac.shape[1]
    for i in range(n):
        for j in range(n):
            total = 0.0
            for r in range(rows):
                total += jac[r, i] * jac[r, j]
            matrix[i, j] = total
        matrix[i, i] += damping
        total = 0.0
        for r in range(rows):
            total -= jac[r, i] * gap[r]
        step[i] = total


@numba.njit(cache=True, error_model="numpy")
def _solve_damped(jac, gap, rows, damping, matrix, step):  # type: ignore[no-untyped-def]
    """Fill step with −(JᵀJ + damping)⁻¹ Jᵀ gap, by elimination with pivots."""
    n = jac.shape[1]
    _squared(jac, gap, rows, damping, matrix, step)
    for i in range(n):
        pivot = i
        for r in range(i + 1, n):
            if abs(matrix[r, i]) > abs(matrix[pivot, i]):
                pivot = r
        if pivot != i:
            for c in range(n):
                matrix[i, c], matrix[pivot, c] = matrix[pivot, c], matrix[i, c]
            step[i], step[pivot] = step[pivot], step[i]
        top = matrix[i, i]
        if top == 0.0:
            step[i] = 0.0
            continue
        for r in range(i + 1, n):
            factor = matrix[r, i] / top
            if factor != 0.0:
                for c in range(i, n):
                    matrix[r, c] -= factor * matrix[i, c]
                step[r] -= factor * step[i]
    for i in range(n - 1, -1, -1):
        total = step[i]
        for c in range(i + 1, n):
            total -= matrix[i, c] * step[c]
        step[i] = total / matrix[i, i] if matrix[i, i] != 0.0 else 0.0


@numba.njit(cache=True, error_model="numpy")
def _close(shape, q, work, far, near):  # type: ignore[no-untyped-def]
    """Newton from q, in place; returns the greatest gap that is left, or inf when it went
    astray by more than `far` from where it began. near: the share of the loop's size at which
    a gap counts as closed."""
    worlds, origins, axes, gap, jac, matrix, step, begun, spare = work
    n = len(shape.found)
    for c in range(n):
        begun[c] = q[shape.found[c]]
    rows = len(gap)
    best = np.inf
    for turn in range(_NEWTON):
        _place(shape, q, worlds, origins, axes)
        worst = _gaps(shape, worlds, origins, axes, gap, jac, spare)
        if worst <= near * shape.size or (worst >= best and worst <= 1e-11 * shape.size):
            return worst
        if turn > 8 and worst > 0.5 * best and worst > 1e-6 * shape.size:
            return np.inf
        best = min(best, worst)
        damping = 1e-13 * shape.size**2 + 1e-3 * worst * worst
        _solve_damped(jac, gap, rows, damping, matrix, step)
        most = 0.0
        for c in range(n):
            scale = shape.size if shape.kinds[shape.found[c]] < 3 else 1.0
            most = max(most, abs(step[c]) / scale)
        slow = 1.0 if most <= 0.5 else 0.5 / most
        for c in range(n):
            s = shape.found[c]
            q[s] += slow * step[c]
            scale = shape.size if shape.kinds[s] < 3 else 1.0
            if abs(q[s] - begun[c]) > far * scale:
                return np.inf
    _place(shape, q, worlds, origins, axes)
    worst = _gaps(shape, worlds, origins, axes, gap, jac, spare)
    return worst if worst <= 1e-10 * shape.size else np.inf


@numba.njit(cache=True, error_model="numpy")
def _within(shape, q):  # type: ignore[no-untyped-def]
    for c in range(len(shape.found)):
        s = shape.found[c]
        slack = 1e-9 * max(1.0, abs(q[s]))
        if q[s] < shape.low[s] - slack or q[s] > shape.high[s] + slack:
            return False
    return True


@numba.njit(cache=True, error_model="numpy")
def _farthest(shape, is_found, way):  # type: ignore[no-untyped-def]
    """The greatest way (C,) of any channel that leads, by the loop's size."""
    most = 0.0
    for s in range(len(way)):
        if not is_found[s]:
            scale = shape.size if shape.kinds[s] < 3 else 1.0
            most = max(most, abs(way[s]) / scale)
    return most


@numba.njit(cache=True, error_model="numpy")
def _follow(shape, q, before, asked, work):  # type: ignore[no-untyped-def]
    """Bring a closed q toward asked (C,), in place, as far as it closes within its stops.

    before: (C,) q a step earlier, for where it is heading. Returns the share of the way gone.
    """
    count = len(q)
    start, trial = q.copy(), np.empty(count)
    is_found = np.zeros(count, dtype=np.bool_)
    for c in range(len(shape.found)):
        is_found[shape.found[c]] = True
    most = _farthest(shape, is_found, asked - start)
    if most == 0.0:
        return 1.0
    usual = min(1.0, _STEP / most)
    done, width = 0.0, usual
    heading = q - before
    last = _farthest(shape, is_found, heading) / most
    while done < 1.0:
        width = min(width, 1.0 - done)
        share = width / last if last > 0 else 0.0
        for s in range(count):
            if is_found[s]:
                trial[s] = q[s] + (heading[s] * share if share <= 4.0 else 0.0)
            else:
                trial[s] = start[s] + (asked[s] - start[s]) * (done + width)
        # On the way it is enough to stay on the branch; at the end, and where the reach may end,
        # it is closed.
        near = _CLOSED if width < usual or done + width >= 1.0 else _ON_THE_WAY
        gap = _close(shape, trial, work, 0.6, near)
        if gap == np.inf and share > 0.0:
            for s in range(count):
                if is_found[s]:
                    trial[s] = q[s]
                else:
                    trial[s] = start[s] + (asked[s] - start[s]) * (done + width)
            gap = _close(shape, trial, work, 0.6, near)
        if gap < np.inf and _within(shape, trial):
            heading = trial - q
            q[:] = trial
            done = 1.0 if width >= 1.0 - done else done + width
            last = width
            width = min(usual, 2 * width)
        else:
            width *= 0.5
            if width < _FINEST:
                break
    if done < 1.0:
        trial[:] = q
        if _close(shape, trial, work, 0.6, _CLOSED) < np.inf:
            q[:] = trial
    return done


@numba.njit(cache=True, error_model="numpy")
def _room(shape):  # type: ignore[no-untyped-def]
    """Arrays to work in: frames, origins, axes, gaps, their Jacobian, and what steps need."""
    rows = 0
    for k in range(len(shape.ends)):
        rail = shape.rail[k]
        rows += 2 if (rail[0] != 0 or rail[1] != 0 or rail[2] != 0) else 3
    n, count = len(shape.found), len(shape.kinds)
    return (
        np.empty((len(shape.parents), 3, 4)), np.empty((count, 3)), np.empty((count, 3)),
        np.empty(rows), np.empty((rows, n)), np.empty((n, n)), np.empty(n), np.empty(n),
        np.empty((10, 3)),
    )  # fmt: skip


@numba.njit(cache=True, error_model="numpy")
def close_frames(shape, home, asked, before, result, gone, left):  # type: ignore[no-untyped-def]
    """Close a loop in F frames.

    home: (C,) closed at home. asked: (F, C) what the channels that lead it should be. before:
    (F,) which frame a frame goes on from, earlier in order; −1 for home. Fills result (F, C),
    gone (F,) the share of the way that could be gone, and left (F,) the greatest gap (m).
    """
    work = _room(shape)
    for f in range(len(asked)):
        q, earlier = home.copy(), home.copy()
        if before[f] >= 0:
            q = result[before[f]].copy()
            if before[before[f]] >= 0:
                earlier = result[before[before[f]]].copy()
        gone[f] = _follow(shape, q, earlier, asked[f], work)
        _place(shape, q, work[0], work[1], work[2])
        left[f] = _gaps(shape, work[0], work[1], work[2], work[3], work[4], work[8])
        result[f] = q
        if before[f] >= 0 and gone[before[f]] < 1.0:
            gone[f] = min(gone[f], gone[before[f]])


@numba.njit(cache=True, error_model="numpy")
def close_many(shapes, home, asked, before, result, gone, left):  # type: ignore[no-untyped-def]
    """`close_frames` for L loops of one make. shapes: a Shape of arrays with a first axis of
    length L. home: (L, C); asked, result: (L, F, C); before, gone, left: (L, F)."""
    for i in range(len(home)):
        shape = Shape(
            shapes.mounts[i], shapes.parents[i], shapes.start[i], shapes.kinds[i],
            shapes.found[i], shapes.low[i], shapes.high[i], shapes.ends[i], shapes.points[i],
            shapes.rail[i], shapes.above[i], shapes.size[i],
        )  # fmt: skip
        close_frames(shape, home[i], asked[i], before[i], result[i], gone[i], left[i])


@numba.njit(cache=True, error_model="numpy")
def assemble(shape, q):  # type: ignore[no-untyped-def]
    """Close a loop from q, in place, wherever that leads; returns the greatest gap left (m)."""
    work = _room(shape)
    trial = q.copy()
    for _ in range(8):
        gap = _close(shape, trial, work, 1e6, _CLOSED)
        if gap < np.inf:
            q[:] = trial
            return gap
    _place(shape, q, work[0], work[1], work[2])
    return _gaps(shape, work[0], work[1], work[2], work[3], work[4], work[8])
