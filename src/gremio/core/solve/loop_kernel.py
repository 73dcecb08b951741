"""Closing loops by Newton's method with damping on the exact Jacobian, in a compiled loop.

A loop's state q holds all its channels; those in `found` are solved for. The way it is
assembled is kept by continuation from home, where it is closed: what leads it goes out along a
ray, by steps that do not depend on what is asked, so that the answer at one place never depends
on others. Each step begins where the tangent points to, and must agree with the tangent where it
ends; else it is made shorter (a predictor and corrector; Allgower and Georg, Numerical
Continuation Methods, 1990).
"""

from __future__ import annotations

import numba
import numpy as np

from gremio.core.plan.loops import OPEN
from gremio.core.solve.loop_shape import Shape

# The longest step: in turns (rad), or in sizes of the loop. The first is this share of it, and
# one next to a change point a tenth.
_STEP, _BEGIN, _NEXT_TO_CHANGE = 0.16, 0.25, 0.1
_NEWTON = 24
_FINEST = 1e-9
# No more steps than this are gone from home.
_MOST = 20000
# At what share of its size a loop's gaps count as closed, and as closed on the way there.
_CLOSED, _ON_THE_WAY = 1e-13, 1e-8
# What joints could close counts as closed below this share where something is left open.
_IN_REACH = 1e-10
# Squares of singular values below this share of all together are nothing.
_NOTHING = 1e-10


@numba.njit(cache=True, error_model="numpy")
def _put(to, values):  # type: ignore[no-untyped-def]
    # Element by element: an assignment of slices takes seconds to compile.
    for i in range(len(to)):
        to[i] = values[i]


@numba.njit(cache=True, error_model="numpy")
def _place(shape, q, worlds, origins, axes):  # type: ignore[no-untyped-def]
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
def _cross(a, b, to):  # type: ignore[no-untyped-def]
    to[0] = a[1] * b[2] - a[2] * b[1]
    to[1] = a[2] * b[0] - a[0] * b[2]
    to[2] = a[0] * b[1] - a[1] * b[0]


@numba.njit(cache=True, error_model="numpy")
def _unit(a):  # type: ignore[no-untyped-def]
    length = np.sqrt(a[0] * a[0] + a[1] * a[1] + a[2] * a[2])
    for r in range(3):
        a[r] /= length


@numba.njit(cache=True, error_model="numpy")
def _ways_across(shape, worlds, k, turned, ways):  # type: ignore[no-untyped-def]
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


@numba.njit(cache=True, error_model="numpy")
def _spin(shape, q, k, row):  # type: ignore[no-untyped-def]
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


@numba.njit(cache=True, error_model="numpy")
def _gaps(shape, q, worlds, origins, axes, gap, jac, spare):  # type: ignore[no-untyped-def]
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


@numba.njit(cache=True, error_model="numpy")
def _squared(shape, jac, gap, damping, matrix, step):  # type: ignore[no-untyped-def]
    """Fill matrix (n, n) with JᵀJ + damping of what is solved for, and step (n,) with −Jᵀ gap."""
    found, rows = shape.found, len(gap)
    for i in range(len(found)):
        for j in range(len(found)):
            total = 0.0
            for r in range(rows):
                total += jac[r, found[i]] * jac[r, found[j]]
            matrix[i, j] = total
        matrix[i, i] += damping
        total = 0.0
        for r in range(rows):
            total -= jac[r, found[i]] * gap[r]
        step[i] = total


@numba.njit(cache=True, error_model="numpy")
def _eliminate(matrix, step):  # type: ignore[no-untyped-def]
    """Solve matrix (n, n) · x = step (n,) in place, with pivots; returns half the logarithm of
    the determinant."""
    n = len(step)
    volume = 0.0
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
            volume -= 40.0
            continue
        volume += 0.5 * np.log(abs(top))
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
    return volume


@numba.njit(cache=True, error_model="numpy")
def _solve_damped(shape, jac, gap, damping, matrix, step):  # type: ignore[no-untyped-def]
    """Fill step (n,) with −(JᵀJ + damping)⁻¹ Jᵀ gap of what is solved for; returns half the
    logarithm of the determinant."""
    _squared(shape, jac, gap, damping, matrix, step)
    return _eliminate(matrix, step)


@numba.njit(cache=True, error_model="numpy")
def _in_reach(shape, gap, jac):  # type: ignore[no-untyped-def]
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


@numba.njit(cache=True, error_model="numpy")
def _close(shape, q, work, far, near):  # type: ignore[no-untyped-def]
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
        _place(shape, q, worlds, origins, axes)
        worst = _gaps(shape, q, worlds, origins, axes, gap, jac, spare)
        if worst <= near or (worst >= best and worst <= max(1e-11 * size, grain)):
            return worst
        if most <= 1e-11:
            break
        if turn > 8 and worst > 0.5 * best and worst > OPEN * size:
            return np.inf
        best = min(best, worst)
        damping = 1e-13 * size**2 + 1e-3 * worst * worst
        _solve_damped(shape, jac, gap, damping, matrix, step)
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
    _place(shape, q, worlds, origins, axes)
    worst = _gaps(shape, q, worlds, origins, axes, gap, jac, spare)
    in_reach = max(_IN_REACH * size, grain)
    if worst <= in_reach:
        return worst
    if worst > OPEN * size or _in_reach(shape, gap, jac) > in_reach:
        return np.inf
    return worst


@numba.njit(cache=True, error_model="numpy")
def _within(shape, q):  # type: ignore[no-untyped-def]
    for c in range(len(shape.found)):
        s = shape.found[c]
        slack = 1e-9 * max(1.0, abs(q[s]))
        if q[s] < shape.low[s] - slack or q[s] > shape.high[s] + slack:
            return False
    return True


@numba.njit(cache=True, error_model="numpy")
def _tangent(shape, ray, work, tangent):  # type: ignore[no-untyped-def]
    """Fill how all channels (C,) change along a ray, where work was last filled; returns the
    logarithm of the volume that what is solved for spans, which vanishes at change points."""
    gap, jac, matrix, step = work[3], work[4], work[5], work[6]
    for r in range(len(gap)):
        gap[r] = 0.0
        for s in range(len(ray)):
            gap[r] += jac[r, s] * ray[s]
    volume = _solve_damped(shape, jac, gap, 1e-13 * shape.size**2, matrix, step)
    _put(tangent, ray)
    for c in range(len(shape.found)):
        tangent[shape.found[c]] = step[c]
    return volume


@numba.njit(cache=True, error_model="numpy")
def _strays(shape, start, end, one, two, width):  # type: ignore[no-untyped-def]
    """By how much a step from start to end (C,) differs from what its tangents one and two say,
    over what it may differ."""
    most, gone = 0.0, 0.0
    for c in range(len(shape.found)):
        s = shape.found[c]
        scale = shape.size if shape.kinds[s] < 3 else 1.0
        way = end[s] - start[s]
        gone = max(gone, abs(way) / scale)
        most = max(most, abs(way - 0.5 * width * (one[s] + two[s])) / scale)
    return most / (0.02 * width + 0.05 * gone + 1e-6)


@numba.njit(cache=True, error_model="numpy")
def _twice_as_long(rows):  # type: ignore[no-untyped-def]
    longer = np.empty((2 * len(rows), rows.shape[1]))
    for i in range(len(rows)):
        _put(longer[i], rows[i])
    return longer


@numba.njit(cache=True, error_model="numpy")
def _try(shape, home, ray, nodes, n, step, lost, work, trial, tangent):  # type: ignore[no-untyped-def]
    """Fill trial and tangent (C,) with a loop closed a step on from the last of n nodes; returns
    whether it closes there in agreement with its tangents, and the logarithm of its volume. lost:
    the tangent at the last node says nothing."""
    ways, places, tangents = nodes
    here, before = places[n - 1], places[max(n - 2, 0)]
    back = ways[n - 1] - ways[n - 2] if n > 1 and not lost else 0.0
    for s in range(len(home)):
        trial[s] = here[s] + step * tangents[n - 1, s]
        if ray[s] != 0.0:
            trial[s] = home[s] + ray[s] * (ways[n - 1] + step)
        elif step <= 3.0 * back:
            trial[s] += (before[s] - here[s] + back * tangents[n - 1, s]) * (step / back) ** 2
    # Where the reach may end, or near a change point, it is closed on the way too.
    near = _ON_THE_WAY if step > 2.0 * _NEXT_TO_CHANGE * _STEP else _CLOSED
    if _close(shape, trial, work, 0.6, near) == np.inf or not _within(shape, trial):
        return False, 0.0
    volume = _tangent(shape, ray, work, tangent)
    fits = lost or _strays(shape, here, trial, tangents[n - 1], tangent, step) <= 1.0
    return fits, volume


@numba.njit(cache=True, error_model="numpy")
def _walk(shape, home, ray, until, work):  # type: ignore[no-untyped-def]
    """Go out from home along a ray until past a way, or as far as the loop closes within its
    stops. The nodes on the way are the same however far it is gone.

    home: (C,). ray: (C,) how much what leads changes for each unit of the way, other channels 0.
    Returns the way to each node (N,), the channels there (N, C), how they change there (N, C),
    and whether it is held at the last.
    """
    count = len(home)
    ways, places, tangents = np.zeros(64), np.empty((64, count)), np.empty((64, count))
    trial, tangent = np.empty(count), np.empty(count)
    _put(places[0], home)
    _place(shape, home, work[0], work[1], work[2])
    _gaps(shape, home, work[0], work[1], work[2], work[3], work[4], work[8])
    volume = _tangent(shape, ray, work, tangents[0])
    # At a change point at home the tangent says nothing.
    lost = volume < -12.0 + np.log(shape.size) * len(shape.found)
    n, width, held = 1, _BEGIN * _STEP, False
    while ways[n - 1] <= until and n < _MOST:
        step = width
        nodes = ways, places, tangents
        fits, now = _try(shape, home, ray, nodes, n, step, lost, work, trial, tangent)
        if fits and now < volume - 1.0 and not lost:
            # Next to a change point the way goes on straight, rather than from within the
            # little bend that a model's rounding makes of it.
            far = step + _left(step, now - volume) + 0.5 * _NEXT_TO_CHANGE * _STEP
            fits, there = _try(shape, home, ray, nodes, n, far, lost, work, trial, tangent)
            if fits:
                step, now = far, there
            else:
                fits, now = _try(shape, home, ray, nodes, n, step, lost, work, trial, tangent)
        if not fits:
            width = 0.5 * step
            if width < _FINEST * _STEP:
                held = True
                break
            continue
        if n == len(ways):
            ways = _twice_as_long(ways.reshape(n, 1)).reshape(2 * n)
            places, tangents = _twice_as_long(places), _twice_as_long(tangents)
        ways[n] = ways[n - 1] + step
        _put(places[n], trial)
        _put(tangents[n], tangent)
        n += 1
        width = min(2.0 * step, _STEP)
        if now < volume:
            width = min(width, max(_NEXT_TO_CHANGE * _STEP, 0.5 * _left(step, now - volume)))
        volume, lost = now, False
    while held and n > 1:
        _put(trial, places[n - 1])
        if _close(shape, trial, work, 0.1 * _STEP, _CLOSED) < np.inf:
            _put(places[n - 1], trial)
            break
        n -= 1
    return ways[:n], places[:n], tangents[:n], held


@numba.njit(cache=True, error_model="numpy")
def _left(step, shrunk):  # type: ignore[no-untyped-def]
    """How much farther the volume would vanish, whose logarithm shrank so in a step."""
    ratio = np.exp(shrunk)
    return step * ratio / max(1.0 - ratio, 1e-12)


@numba.njit(cache=True, error_model="numpy")
def _between(shape, nodes, way, guess):  # type: ignore[no-untyped-def]
    """Fill what is solved for in guess (C,) from Hermite's cubic between the nodes about a way;
    returns the node before it."""
    ways, places, tangents = nodes
    a, b = 0, len(ways) - 1
    while b - a > 1:
        middle = (a + b) // 2
        if ways[middle] < way:
            a = middle
        else:
            b = middle
    width = ways[b] - ways[a]
    u = (way - ways[a]) / width
    for c in range(len(shape.found)):
        s = shape.found[c]
        bent = tangents[a, s] * (1 - u) - tangents[b, s] * u
        guess[s] = places[a, s] * (1 + 2 * u) * (1 - u) ** 2 + places[b, s] * u * u * (3 - 2 * u)
        guess[s] += width * u * (1 - u) * bent
    return a


@numba.njit(cache=True, error_model="numpy")
def _repeats(shape, nodes, turns, more):  # type: ignore[no-untyped-def]
    """Whether a loop stands after so many turns as it did before; fills how much its channels
    (C,) are on by then. Where one that has stops is on by something, it does not."""
    one, two = np.zeros(len(more)), np.zeros(len(more))
    for i in range(5):
        way = (0.37 + i) * _STEP
        _between(shape, nodes, way, one)
        _between(shape, nodes, way + turns * 2.0 * np.pi, two)
        for c in range(len(shape.found)):
            s = shape.found[c]
            turns_round = shape.kinds[s] >= 3
            if i == 0:
                more[s] = two[s] - one[s]
                if turns_round:
                    more[s] = 2.0 * np.pi * np.floor(more[s] / (2.0 * np.pi) + 0.5)
                elif abs(more[s]) <= 1e-4 * shape.size:
                    more[s] = 0.0
            stopped = shape.low[s] > -np.inf or shape.high[s] < np.inf
            scale = 1.0 if turns_round else shape.size
            if (more[s] != 0.0 and stopped) or abs(two[s] - one[s] - more[s]) > 1e-4 * scale:
                return False
    return True


@numba.njit(cache=True, error_model="numpy")
def _at(shape, way, asked, nodes, held, shift, turns, work, q):  # type: ignore[no-untyped-def]
    """Fill q (C,) at a way along a ray whose nodes were walked; returns the share of the way that
    could be gone. asked: (C,) what leads it there. shift: (C,) how much its channels are on after
    a turn that repeats; turns: how many of them the way is short of."""
    ways, places, _ = nodes
    last = len(ways) - 1
    if way > ways[last] or (held and way == ways[last]):
        _put(q, places[last])
        return ways[last] / way
    trial = asked.copy()
    a = _between(shape, nodes, way, trial)
    width, gone = ways[a + 1] - ways[a], 0.0
    for c in range(len(shape.found)):
        s = shape.found[c]
        trial[s] += turns * shift[s]
        scale = shape.size if shape.kinds[s] < 3 else 1.0
        gone = max(gone, abs(places[a + 1, s] - places[a, s]) / scale)
    fits = _close(shape, trial, work, 0.02 * width + 0.1 * gone + 1e-6, _CLOSED) < np.inf
    if fits and _within(shape, trial):
        _put(q, trial)
        return 1.0
    # In small steps from the node before it.
    share, step = 0.0, 0.5
    _put(q, places[a])
    for s in range(len(q)):
        q[s] += turns * shift[s]
    start = q.copy()
    while share < 1.0:
        step = min(step, 1.0 - share)
        for s in range(len(q)):
            trial[s] = start[s] + (asked[s] - start[s]) * (share + step)
        for c in range(len(shape.found)):
            trial[shape.found[c]] = q[shape.found[c]]
        far = max(4.0 * step * gone, 1e-6)
        if _close(shape, trial, work, far, _CLOSED) < np.inf and _within(shape, trial):
            _put(q, trial)
            share = 1.0 if step >= 1.0 - share else share + step
            step *= 2.0
        else:
            step *= 0.5
            if step < _FINEST:
                break
    if share >= 1.0:
        return 1.0
    return (ways[a] + (way - ways[a]) * share) / way


@numba.njit(cache=True, error_model="numpy")
def _room(shape):  # type: ignore[no-untyped-def]
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


@numba.njit(cache=True, error_model="numpy")
def _one_ray(shape, home, asked, is_lead, frames, far, result, gone, work):  # type: ignore[no-untyped-def]
    """Close a loop in some frames that lie on one ray from home, at ways `far` of all frames.
    is_lead: (C,) which channels lead it."""
    first, only = frames[0], 0
    until, leads, ray = far[first], 0, np.zeros(len(home))
    for f in frames:
        until = max(until, far[f])
    for s in range(len(home)):
        away = asked[first, s] - home[s]
        if is_lead[s] and away != 0.0:
            leads, only = leads + 1, s
            ray[s] = away / far[first]
    if leads == 1:
        # All frames of the ray, and those of other times, go the same way to the bit.
        unit = shape.size if shape.kinds[only] < 3 else 1.0
        ray[only] = unit if ray[only] > 0.0 else -unit
    shift, period = np.zeros(len(home)), 0
    # In three turns it is seen whether it repeats after one, or two.
    seen = min(until, 6.0 * np.pi) if leads == 1 else until
    ways, places, tangents, held = _walk(shape, home, ray, seen, work)
    if until > seen and not held:
        for several in range(1, 3):
            if period == 0 and _repeats(shape, (ways, places, tangents), several, shift):
                period = several
        if period == 0:
            ways, places, tangents, held = _walk(shape, home, ray, until, work)
    for f in frames:
        turns, way = 0.0, far[f]
        if period > 0 and way > seen:
            length = period * 2.0 * np.pi
            turns = np.floor(way / length) - 1.0
            way -= turns * length
        nodes = ways, places, tangents
        gone[f] = _at(shape, way, asked[f], nodes, held, shift, turns, work, result[f])


@numba.njit(cache=True, error_model="numpy")
def close_frames(shape, home, asked, result, gone, left):  # type: ignore[no-untyped-def]
    """Close a loop in F frames, each as if it were alone.

    home: (C,) closed at home. asked: (F, C) what the channels that lead it should be. Fills
    result (F, C), gone (F,) the share of the way from home that could be gone, and left (F,) the
    greatest gap (m).
    """
    work = _room(shape)
    count, frames = len(home), len(asked)
    leads = np.ones(count, dtype=np.bool_)
    for c in range(len(shape.found)):
        leads[shape.found[c]] = False
    far, key, sound = np.zeros(frames), np.zeros(frames, dtype=np.int64), True
    for f in range(frames):
        # Which ray a frame lies on: of one lead, that lead and its sign; of several, its own.
        changed, sound = 0, True
        for s in range(count):
            away = asked[f, s] - home[s]
            sound = sound and (not leads[s] or np.isfinite(away))
            if leads[s] and away != 0.0:
                scale = shape.size if shape.kinds[s] < 3 else 1.0
                far[f] = max(far[f], abs(away) / scale)
                changed += 1
                key[f] = 2 * s + 1 + (away > 0.0)
        if changed > 1:
            key[f] = -1 - f
        if changed == 0 or not sound:
            key[f] = 0
            _put(result[f], home)
            gone[f] = 1.0 if sound else 0.0
    done = np.zeros(frames, dtype=np.bool_)
    for f in range(frames):
        if key[f] == 0 or done[f]:
            continue
        those, many = np.empty(frames, dtype=np.int64), 0
        for other in range(f, frames):
            if key[other] == key[f]:
                those[many] = other
                done[other] = True
                many += 1
        _one_ray(shape, home, asked, leads, those[:many], far, result, gone, work)
    for f in range(frames):
        _place(shape, result[f], work[0], work[1], work[2])
        left[f] = _gaps(shape, result[f], work[0], work[1], work[2], work[3], work[4], work[8])


@numba.njit(cache=True, error_model="numpy")
def close_many(shapes, home, asked, result, gone, left):  # type: ignore[no-untyped-def]
    """`close_frames` for L loops of one make. shapes: a Shape of arrays with a first axis of
    length L. home: (L, C); asked, result: (L, F, C); gone, left: (L, F)."""
    for i in range(len(home)):
        shape = Shape(
            shapes.mounts[i], shapes.parents[i], shapes.start[i], shapes.kinds[i],
            shapes.found[i], shapes.low[i], shapes.high[i], shapes.ends[i], shapes.points[i],
            shapes.rail[i], shapes.above[i], shapes.spins[i], shapes.about[i], shapes.factors[i],
            shapes.constants[i], shapes.size[i],
        )  # fmt: skip
        close_frames(shape, home[i], asked[i], result[i], gone[i], left[i])


@numba.njit(cache=True, error_model="numpy")
def assemble(shape, q):  # type: ignore[no-untyped-def]
    """Close a loop from q, in place, wherever that leads; returns the greatest gap left (m), and
    whether it is closed but for what no joint can close."""
    work = _room(shape)
    trial = q.copy()
    for _ in range(8):
        gap = _close(shape, trial, work, 1e6, _CLOSED)
        if gap < np.inf:
            _put(q, trial)
            return gap, True
    _place(shape, q, work[0], work[1], work[2])
    return _gaps(shape, q, work[0], work[1], work[2], work[3], work[4], work[8]), False
