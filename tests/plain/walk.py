"""Following a loop from home: the way it is assembled is kept by continuation.

What leads a loop goes out along a ray from home, by steps that do not depend on what is asked, so
that the answer at one place never depends on others. Each step begins where the tangent points
to, and must agree with the tangent where it ends; else it is made shorter (a predictor and
corrector; Allgower and Georg, Numerical Continuation Methods, 1990).
"""

from __future__ import annotations

import numpy as np
from tests.plain.loops import close, gaps, place, put, room, solve_damped, within

from gremio.core.solve.loop_shape import Shape

# The longest step: in turns (rad), or in sizes of the loop; one next to a change point is a
# tenth of it, and the first, where the logarithm of the volume changes by more than _CALM, this
# share.
_STEP, _BEGIN, _NEXT_TO_CHANGE, _CALM = 0.16, 0.25, 0.1, 0.5
# In one step nothing that is solved for goes farther than this (rad, sizes).
_PACE = 0.5
_FINEST = 1e-9
# No more steps than this are gone from home.
MOST = 20000
# At what share of its size a loop's gaps count as closed, and as closed on the way there.
_CLOSED, _ON_THE_WAY = 1e-13, 1e-8


def _tangent(shape, ray, work, tangent):
    """Fill how all channels (C,) change along a ray, where work was last filled; returns the
    logarithm of the volume that what is solved for spans, which vanishes at change points."""
    gap, jac, matrix, step = work[3], work[4], work[5], work[6]
    for r in range(len(gap)):
        gap[r] = 0.0
        for s in range(len(ray)):
            gap[r] += jac[r, s] * ray[s]
    volume = solve_damped(shape, jac, gap, 1e-13 * shape.size**2, matrix, step)
    put(tangent, ray)
    for c in range(len(shape.found)):
        tangent[shape.found[c]] = step[c]
    return volume


def _strays(shape, start, end, one, two, width):
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


def _twice_as_long(rows):
    longer = np.empty((2 * len(rows), rows.shape[1]))
    for i in range(len(rows)):
        put(longer[i], rows[i])
    return longer


def _try(shape, home, ray, nodes, n, step, lost, work, trial, tangent):
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
    if close(shape, trial, work, 0.6, near) == np.inf or not within(shape, trial):
        return False, 0.0
    volume = _tangent(shape, ray, work, tangent)
    fits = lost or _strays(shape, here, trial, tangents[n - 1], tangent, step) <= 1.0
    return fits, volume


def _walk(shape, home, ray, until, most, work):
    """Go out from home along a ray until past a way, or as far as the loop closes within its
    stops, or for so many nodes. They are the same however far it is gone.

    home: (C,). ray: (C,) how much what leads changes for each unit of the way, other channels 0.
    Returns the way to each node (N,), the channels there (N, C), how they change there (N, C),
    and whether it is held at the last.
    """
    count = len(home)
    ways, places, tangents = np.zeros(64), np.empty((64, count)), np.empty((64, count))
    trial, tangent = np.empty(count), np.empty(count)
    put(places[0], home)
    place(shape, home, work[0], work[1], work[2])
    gaps(shape, home, work[0], work[1], work[2], work[3], work[4], work[8])
    volume = _tangent(shape, ray, work, tangents[0])
    # At a change point at home the tangent says nothing.
    lost = volume < -12.0 + np.log(shape.size) * len(shape.found)
    n, width, held, eased = 1, _STEP, False, False
    while ways[n - 1] <= until and n < most:
        width = min(width, _PACE / _fastest(shape, tangents[n - 1]))
        step = width
        nodes = ways, places, tangents
        fits, now = _try(shape, home, ray, nodes, n, step, lost, work, trial, tangent)
        if fits and n == 1 and not eased and (lost or abs(now - volume) > _CALM):
            # Next to a change point the first step is a short one.
            eased, width = True, _BEGIN * _STEP
            continue
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
        put(places[n], trial)
        put(tangents[n], tangent)
        n += 1
        width = min(2.0 * step, _STEP)
        if now < volume:
            width = min(width, max(_NEXT_TO_CHANGE * _STEP, 0.5 * _left(step, now - volume)))
        volume, lost = now, False
    while held and n > 1:
        put(trial, places[n - 1])
        if close(shape, trial, work, 0.1 * _STEP, _CLOSED) < np.inf:
            put(places[n - 1], trial)
            break
        n -= 1
    return ways[:n], places[:n], tangents[:n], held


def _fastest(shape, tangent):
    """How much what changes most along a ray does so, in turns (rad) or sizes; one at least."""
    most = 1.0
    for c in range(len(shape.found)):
        s = shape.found[c]
        scale = shape.size if shape.kinds[s] < 3 else 1.0
        most = max(most, abs(tangent[s]) / scale)
    return most


def _left(step, shrunk):
    """How much farther the volume would vanish, whose logarithm shrank so in a step."""
    ratio = np.exp(shrunk)
    return step * ratio / max(1.0 - ratio, 1e-12)


def _between(shape, nodes, way, guess):
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


def _repeats(shape, nodes, turns, more):
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


def _at(shape, way, asked, nodes, held, shift, turns, work, q):
    """Fill q (C,) at a way along a ray whose nodes were walked; returns the share of the way that
    could be gone. asked: (C,) what leads it there. shift: (C,) how much its channels are on after
    a turn that repeats; turns: how many of them the way is short of."""
    ways, places, _ = nodes
    last = len(ways) - 1
    if way > ways[last] or (held and way == ways[last]):
        put(q, places[last])
        return ways[last] / way
    trial = asked.copy()
    a = _between(shape, nodes, way, trial)
    width, gone = ways[a + 1] - ways[a], 0.0
    for c in range(len(shape.found)):
        s = shape.found[c]
        trial[s] += turns * shift[s]
        scale = shape.size if shape.kinds[s] < 3 else 1.0
        gone = max(gone, abs(places[a + 1, s] - places[a, s]) / scale)
    fits = close(shape, trial, work, 0.02 * width + 0.1 * gone + 1e-6, _CLOSED) < np.inf
    if fits and within(shape, trial):
        put(q, trial)
        return 1.0
    # In small steps from the node before it.
    share, step = 0.0, 0.5
    put(q, places[a])
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
        if close(shape, trial, work, far, _CLOSED) < np.inf and within(shape, trial):
            put(q, trial)
            share = 1.0 if step >= 1.0 - share else share + step
            step *= 2.0
        else:
            step *= 0.5
            if step < _FINEST:
                break
    if share >= 1.0:
        return 1.0
    return (ways[a] + (way - ways[a]) * share) / way


def _one_ray(shape, home, asked, is_lead, frames, far, most, result, gone, work):
    """Close a loop in some frames that lie on one ray from home, at ways `far` of all frames.
    is_lead: (C,) which channels lead it. most: nodes on the way; gone is told below zero where
    they did not lead so far."""
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
    ways, places, tangents, held = _walk(shape, home, ray, seen, most, work)
    if until > seen and not held:
        for several in range(1, 3):
            if period == 0 and _repeats(shape, (ways, places, tangents), several, shift):
                period = several
        if period == 0:
            ways, places, tangents, held = _walk(shape, home, ray, until, most, work)
    for f in frames:
        turns, way = 0.0, far[f]
        if period > 0 and way > seen:
            length = period * 2.0 * np.pi
            turns = np.floor(way / length) - 1.0
            way -= turns * length
        nodes = ways, places, tangents
        gone[f] = _at(shape, way, asked[f], nodes, held, shift, turns, work, result[f])
        if not held and way > ways[-1]:
            gone[f] = -gone[f]


def close_frames(shape, home, asked, most, result, gone, left):
    """Close a loop in F frames, each as if it were alone.

    home: (C,) closed at home. asked: (F, C) what the channels that lead it should be. most:
    nodes of a way. Fills result (F, C), gone (F,) the share of the way from home that could be
    gone, below zero where the nodes did not lead so far, and left (F,) the greatest gap (m).
    """
    work = room(shape)
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
            put(result[f], home)
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
        _one_ray(shape, home, asked, leads, those[:many], far, most, result, gone, work)
    for f in range(frames):
        place(shape, result[f], work[0], work[1], work[2])
        left[f] = gaps(shape, result[f], work[0], work[1], work[2], work[3], work[4], work[8])


def close_many(shapes, home, asked, most, result, gone, left):
    """`close_frames` for L loops of one make. shapes: a Shape of arrays with a first axis of
    length L. home: (L, C); asked, result: (L, F, C); gone, left: (L, F)."""
    for i in range(len(home)):
        shape = Shape(
            shapes.mounts[i], shapes.parents[i], shapes.start[i], shapes.kinds[i],
            shapes.found[i], shapes.low[i], shapes.high[i], shapes.ends[i], shapes.points[i],
            shapes.rail[i], shapes.above[i], shapes.spins[i], shapes.about[i], shapes.factors[i],
            shapes.constants[i], shapes.size[i],
        )  # fmt: skip
        close_frames(shape, home[i], asked[i], most, result[i], gone[i], left[i])


def assemble(shape, q):
    """Close a loop from q, in place, wherever that leads; returns the greatest gap left (m), and
    whether it is closed but for what no joint can close."""
    work = room(shape)
    trial = q.copy()
    for _ in range(8):
        gap = close(shape, trial, work, 1e6, _CLOSED)
        if gap < np.inf:
            put(q, trial)
            return gap, True
    place(shape, q, work[0], work[1], work[2])
    return gaps(shape, q, work[0], work[1], work[2], work[3], work[4], work[8]), False
