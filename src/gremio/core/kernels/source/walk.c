/* Following a loop from home: the way it is assembled is kept by continuation.

   What leads a loop goes out along a ray from home, by steps that do not depend on what is asked,
   so that the answer at one place never depends on others. Each step begins where the tangent
   points to, and must agree with the tangent where it ends; else it is made shorter (a predictor
   and corrector; Allgower and Georg, Numerical Continuation Methods, 1990). */
#include "loops.h"

/* The longest step: in turns (rad), or in sizes of the loop; one next to a change point is a tenth
   of it, and the first, where the logarithm of the volume changes by more than CALM, this share. */
#define STEP 0.16
#define BEGIN 0.25
#define NEXT_TO_CHANGE 0.1
#define CALM 0.5
/* In one step nothing that is solved for goes farther than this (rad, sizes). */
#define PACE 0.5
#define FINEST 1e-9
/* At what share of its size a loop's gaps count as closed, and as closed on the way there. */
#define CLOSED 1e-13
#define ON_THE_WAY 1e-8
#define TURN (2.0 * 3.14159265358979323846)

/* The nodes of a way: how far out each is (N,), the channels there and how they change there
   (N, C). held: whether it ends at the last. */
typedef struct {
    whole count, room;
    double *ways, *places, *tangents;
    int held;
} Nodes;

/* One frame's channels while it is tried, and how they change there. */
typedef struct {
    double *trial, *tangent;
} Try;

static void copy(double *to, const double *from, whole count) {
    memcpy(to, from, (size_t)count * sizeof(double));
}

static double least(double a, double b) { return b < a ? b : a; }

/* Fill how all channels change along a ray, where room was last filled; returns the logarithm of
   the volume that what is solved for spans, which vanishes at change points. */
static double tangent_at(const Loop *loop, const double *ray, Room *room, double *tangent) {
    whole count = loop->channels;
    for (whole r = 0; r < loop->gaps; r++) {
        room->gap[r] = 0.0;
        for (whole s = 0; s < count; s++) room->gap[r] += room->jac[r * count + s] * ray[s];
    }
    double volume = solve_damped(loop, room, 1e-13 * loop->size * loop->size);
    copy(tangent, ray, count);
    for (whole c = 0; c < loop->unknowns; c++) tangent[loop->found[c]] = room->step[c];
    return volume;
}

/* By how much a step from start to end differs from what its tangents one and two say, over what
   it may differ. */
static double strays(const Loop *loop, const double *start, const double *end, const double *one,
                     const double *two, double width) {
    double most = 0.0, gone = 0.0;
    for (whole c = 0; c < loop->unknowns; c++) {
        whole s = loop->found[c];
        double scale = scale_of(loop, s), way = end[s] - start[s];
        gone = most_of(gone, fabs(way) / scale);
        most = most_of(most, fabs(way - 0.5 * width * (one[s] + two[s])) / scale);
    }
    return most / (0.02 * width + 0.05 * gone + 1e-6);
}

/* Fill a try with the loop closed a step on from the last node; returns whether it closes there in
   agreement with its tangents, and tells the logarithm of its volume. lost: the tangent at the
   last node says nothing. */
static int try_step(const Loop *loop, const double *home, const double *ray, const Nodes *nodes,
                    double step, int lost, Room *room, Try *at, double *volume) {
    whole count = loop->channels, n = nodes->count;
    const double *here = nodes->places + (n - 1) * count, *along = nodes->tangents + (n - 1) * count;
    const double *before = nodes->places + (n > 1 ? n - 2 : 0) * count;
    double back = n > 1 && !lost ? nodes->ways[n - 1] - nodes->ways[n - 2] : 0.0;
    double *trial = at->trial;
    for (whole s = 0; s < count; s++) {
        trial[s] = here[s] + step * along[s];
        if (ray[s] != 0.0) trial[s] = home[s] + ray[s] * (nodes->ways[n - 1] + step);
        else if (step <= 3.0 * back)
            trial[s] += (before[s] - here[s] + back * along[s]) * (step / back) * (step / back);
    }
    /* Where the reach may end, or near a change point, it is closed on the way too. */
    double near = step > 2.0 * NEXT_TO_CHANGE * STEP ? ON_THE_WAY : CLOSED;
    *volume = 0.0;
    if (close_loop(loop, trial, room, 0.6, near) == INFINITY || !within(loop, trial)) return 0;
    *volume = tangent_at(loop, ray, room, at->tangent);
    return lost || strays(loop, here, trial, along, at->tangent, step) <= 1.0;
}

/* How much what changes most along a ray does so, in turns (rad) or sizes; one at least. */
static double fastest(const Loop *loop, const double *tangent) {
    double most = 1.0;
    for (whole c = 0; c < loop->unknowns; c++)
        most = most_of(most, fabs(tangent[loop->found[c]]) / scale_of(loop, loop->found[c]));
    return most;
}

/* How much farther the volume would vanish, whose logarithm shrank so in a step. */
static double left_after(double step, double shrunk) {
    double ratio = exp(shrunk);
    return step * ratio / most_of(1.0 - ratio, 1e-12);
}

/* Room for one node more; returns whether there is any. */
static int one_more(Nodes *nodes, whole channels) {
    if (nodes->count < nodes->room) return 1;
    whole room = nodes->room ? 2 * nodes->room : 64;
    size_t row = (size_t)channels * sizeof(double);
    double *ways = realloc(nodes->ways, (size_t)room * sizeof(double));
    if (ways) nodes->ways = ways;
    double *places = realloc(nodes->places, (size_t)room * row);
    if (places) nodes->places = places;
    double *tangents = realloc(nodes->tangents, (size_t)room * row);
    if (tangents) nodes->tangents = tangents;
    if (!ways || !places || !tangents) return 0;
    nodes->room = room;
    return 1;
}

static void give_back(Nodes *nodes) {
    free(nodes->ways);
    free(nodes->places);
    free(nodes->tangents);
    memset(nodes, 0, sizeof *nodes);
}

/* Of a way that is held, the last node at which the loop is closed as well as can be. */
static void settle(const Loop *loop, Nodes *nodes, Room *room, double *trial) {
    whole count = loop->channels;
    while (nodes->held && nodes->count > 1) {
        double *last = nodes->places + (nodes->count - 1) * count;
        copy(trial, last, count);
        if (close_loop(loop, trial, room, 0.1 * STEP, CLOSED) < INFINITY) {
            copy(last, trial, count);
            return;
        }
        nodes->count--;
    }
}

/* Go out from home along a ray until past a way, or as far as the loop closes within its stops, or
   for so many nodes. They are the same however far it is gone.
   ray: (C,) how much what leads changes for each unit of the way, other channels 0. Returns
   whether there was room. */
static int walk(const Loop *loop, const double *home, const double *ray, double until, whole most,
                Room *room, Try *at, Nodes *nodes) {
    whole count = loop->channels;
    nodes->count = nodes->held = 0;
    if (!one_more(nodes, count)) return 0;
    nodes->ways[0] = 0.0;
    copy(nodes->places, home, count);
    place(loop, home, room);
    gaps(loop, home, room);
    double volume = tangent_at(loop, ray, room, nodes->tangents), width = STEP;
    /* At a change point at home the tangent says nothing. */
    int lost = volume < -12.0 + log(loop->size) * (double)loop->unknowns, eased = 0;
    nodes->count = 1;
    while (nodes->ways[nodes->count - 1] <= until && nodes->count < most) {
        whole n = nodes->count;
        double now, there, step;
        width = least(width, PACE / fastest(loop, nodes->tangents + (n - 1) * count));
        step = width;
        int fits = try_step(loop, home, ray, nodes, step, lost, room, at, &now);
        if (fits && n == 1 && !eased && (lost || fabs(now - volume) > CALM)) {
            /* Next to a change point the first step is a short one. */
            eased = 1;
            width = BEGIN * STEP;
            continue;
        }
        if (fits && now < volume - 1.0 && !lost) {
            /* Next to a change point the way goes on straight, rather than from within the little
               bend that a model's rounding makes of it. */
            double far = step + left_after(step, now - volume) + 0.5 * NEXT_TO_CHANGE * STEP;
            fits = try_step(loop, home, ray, nodes, far, lost, room, at, &there);
            if (fits) step = far, now = there;
            else fits = try_step(loop, home, ray, nodes, step, lost, room, at, &now);
        }
        if (!fits) {
            width = 0.5 * step;
            if (width < FINEST * STEP) {
                nodes->held = 1;
                break;
            }
            continue;
        }
        if (!one_more(nodes, count)) return 0;
        nodes->ways[n] = nodes->ways[n - 1] + step;
        copy(nodes->places + n * count, at->trial, count);
        copy(nodes->tangents + n * count, at->tangent, count);
        nodes->count++;
        width = least(2.0 * step, STEP);
        if (now < volume)
            width = least(width, most_of(NEXT_TO_CHANGE * STEP, 0.5 * left_after(step, now - volume)));
        volume = now;
        lost = 0;
    }
    settle(loop, nodes, room, at->trial);
    return 1;
}

/* Fill what is solved for in guess (C,) from Hermite's cubic between the nodes about a way;
   returns the node before it. */
static whole between_nodes(const Loop *loop, const Nodes *nodes, double way, double *guess) {
    whole a = 0, b = nodes->count - 1, count = loop->channels;
    while (b - a > 1) {
        whole middle = (a + b) / 2;
        if (nodes->ways[middle] < way) a = middle;
        else b = middle;
    }
    double width = nodes->ways[b] - nodes->ways[a], u = (way - nodes->ways[a]) / width;
    const double *one = nodes->places + a * count, *two = nodes->places + b * count;
    const double *out = nodes->tangents + a * count, *in = nodes->tangents + b * count;
    for (whole c = 0; c < loop->unknowns; c++) {
        whole s = loop->found[c];
        double bent = out[s] * (1 - u) - in[s] * u;
        guess[s] = one[s] * (1 + 2 * u) * ((1 - u) * (1 - u)) + two[s] * u * u * (3 - 2 * u);
        guess[s] += width * u * (1 - u) * bent;
    }
    return a;
}

/* Whether a loop stands after so many turns as it did before; fills how much its channels are on by
   then. Where one that has stops is on by something, it does not. one, two: (C,) to work in. */
static int repeats(const Loop *loop, const Nodes *nodes, int turns, double *more, double *one,
                   double *two) {
    for (int i = 0; i < 5; i++) {
        double way = (0.37 + i) * STEP;
        between_nodes(loop, nodes, way, one);
        between_nodes(loop, nodes, way + turns * TURN, two);
        for (whole c = 0; c < loop->unknowns; c++) {
            whole s = loop->found[c];
            int turns_round = loop->kinds[s] >= 3;
            if (i == 0) {
                more[s] = two[s] - one[s];
                if (turns_round) more[s] = TURN * floor(more[s] / TURN + 0.5);
                else if (fabs(more[s]) <= 1e-4 * loop->size) more[s] = 0.0;
            }
            int stopped = loop->low[s] > -INFINITY || loop->high[s] < INFINITY;
            if ((more[s] != 0.0 && stopped) ||
                !(fabs(two[s] - one[s] - more[s]) <= 1e-4 * scale_of(loop, s)))
                return 0;
        }
    }
    return 1;
}

/* Fill q at a way along a ray whose nodes were walked; returns the share of the way that could be
   gone. asked: (C,) what leads it there. shift: (C,) how much its channels are on after a turn
   that repeats; turns: how many of them the way is short of. trial, start: (C,) to work in. */
static double stand_at(const Loop *loop, double way, const double *asked, const Nodes *nodes,
                       const double *shift, double turns, Room *room, double *q, double *trial,
                       double *start) {
    whole count = loop->channels, last = nodes->count - 1;
    if (way > nodes->ways[last] || (nodes->held && way == nodes->ways[last])) {
        copy(q, nodes->places + last * count, count);
        return nodes->ways[last] / way;
    }
    copy(trial, asked, count);
    whole a = between_nodes(loop, nodes, way, trial);
    const double *here = nodes->places + a * count, *next = here + count;
    double width = nodes->ways[a + 1] - nodes->ways[a], gone = 0.0;
    for (whole c = 0; c < loop->unknowns; c++) {
        whole s = loop->found[c];
        trial[s] += turns * shift[s];
        gone = most_of(gone, fabs(next[s] - here[s]) / scale_of(loop, s));
    }
    double far = 0.02 * width + 0.1 * gone + 1e-6;
    if (close_loop(loop, trial, room, far, CLOSED) < INFINITY && within(loop, trial)) {
        copy(q, trial, count);
        return 1.0;
    }
    /* In small steps from the node before it. */
    double share = 0.0, step = 0.5;
    for (whole s = 0; s < count; s++) q[s] = start[s] = here[s] + turns * shift[s];
    while (share < 1.0) {
        step = least(step, 1.0 - share);
        for (whole s = 0; s < count; s++) trial[s] = start[s] + (asked[s] - start[s]) * (share + step);
        for (whole c = 0; c < loop->unknowns; c++) trial[loop->found[c]] = q[loop->found[c]];
        far = most_of(4.0 * step * gone, 1e-6);
        if (close_loop(loop, trial, room, far, CLOSED) < INFINITY && within(loop, trial)) {
            copy(q, trial, count);
            share = step >= 1.0 - share ? 1.0 : share + step;
            step *= 2.0;
        } else {
            step *= 0.5;
            if (step < FINEST) break;
        }
    }
    return share >= 1.0 ? 1.0 : (nodes->ways[a] + (way - nodes->ways[a]) * share) / way;
}

/* What one loop is asked for in F frames, and what came of it; as gremio_close_loops has them. */
typedef struct {
    const double *home, *asked;
    whole frames, most;
    double *result, *gone, *far;
    whole *key;
    const uint8_t *leads;
    double *work; /* (6, C) */
} Asked;

/* Close a loop in the frames from `first` on that lie on the same ray from home; returns whether
   there was room. */
static int one_ray(const Loop *loop, const Asked *a, whole first, Room *room, Nodes *nodes) {
    whole count = loop->channels, leads = 0, only = 0, key = a->key[first];
    double *ray = a->work, *shift = ray + count, *one = shift + count, *two = one + count;
    Try at = {two + count, two + 2 * count};
    double until = a->far[first];
    for (whole f = first; f < a->frames; f++)
        if (a->key[f] == key) until = most_of(until, a->far[f]);
    memset(ray, 0, (size_t)(2 * count) * sizeof(double));
    for (whole s = 0; s < count; s++) {
        double away = a->asked[first * count + s] - a->home[s];
        if (!a->leads[s] || away == 0.0) continue;
        leads++;
        only = s;
        ray[s] = away / a->far[first];
    }
    /* All frames of the ray, and those of other times, go the same way to the bit. */
    if (leads == 1) ray[only] = ray[only] > 0.0 ? scale_of(loop, only) : -scale_of(loop, only);
    /* In three turns it is seen whether it repeats after one, or two. */
    double seen = leads == 1 ? least(until, 3.0 * TURN) : until;
    int period = 0;
    if (!walk(loop, a->home, ray, seen, a->most, room, &at, nodes)) return 0;
    if (until > seen && !nodes->held) {
        for (int several = 1; several < 3 && !period; several++)
            if (nodes->ways[nodes->count - 1] > seen &&
                repeats(loop, nodes, several, shift, one, two))
                period = several;
        if (!period && !walk(loop, a->home, ray, until, a->most, room, &at, nodes)) return 0;
    }
    for (whole f = first; f < a->frames; f++) {
        if (a->key[f] != key) continue;
        double turns = 0.0, way = a->far[f];
        if (period && way > seen) {
            turns = ceil((way - seen) / (period * TURN));
            way -= turns * (period * TURN);
        }
        a->gone[f] = stand_at(loop, way, a->asked + f * count, nodes, shift, turns, room,
                              a->result + f * count, one, two);
        if (!nodes->held && way > nodes->ways[nodes->count - 1]) a->gone[f] = -a->gone[f];
        a->key[f] = 0;
    }
    return 1;
}

/* Say which ray a frame lies on, and how far out: of one lead, that lead and its sign; of several,
   its own; 0 where it stands at home. */
static void find_ray(const Loop *loop, const Asked *a, whole f) {
    whole changed = 0, count = loop->channels;
    int sound = 1;
    a->far[f] = 0.0;
    a->key[f] = 0;
    for (whole s = 0; s < count; s++) {
        double away = a->asked[f * count + s] - a->home[s];
        if (!a->leads[s]) continue;
        sound = sound && isfinite(away);
        if (away == 0.0) continue;
        a->far[f] = most_of(a->far[f], fabs(away) / scale_of(loop, s));
        changed++;
        a->key[f] = 2 * s + 1 + (away > 0.0);
    }
    if (changed > 1) a->key[f] = -1 - f;
    if (changed == 0 || !sound) {
        a->key[f] = 0;
        copy(a->result + f * count, a->home, count);
        a->gone[f] = sound ? 1.0 : 0.0;
    }
}

static int close_frames(const Loop *loop, Asked *a, double *left, Room *room, Nodes *nodes) {
    for (whole f = 0; f < a->frames; f++) find_ray(loop, a, f);
    for (whole f = 0; f < a->frames; f++)
        if (a->key[f] && !one_ray(loop, a, f, room, nodes)) return 0;
    for (whole f = 0; f < a->frames; f++) {
        place(loop, a->result + f * loop->channels, room);
        left[f] = gaps(loop, a->result + f * loop->channels, room);
    }
    return 1;
}

/* Close L loops of one make in F frames, each as if it were alone.
   home: (L, C) closed at home. asked: (L, F, C) what the channels that lead them should be. most:
   nodes of a way. Fills result (L, F, C), gone (L, F) the share of the way from home that could be
   gone, below zero where the nodes did not lead so far, and left (L, F) the greatest gap (m).
   Returns 0, or NO_ROOM. */
KERNEL whole gremio_close_loops(const Loops *all, const double *home, const double *asked,
                                whole frames, whole most, double *result, double *gone,
                                double *left) {
    whole count = all->first.channels, done = NO_ROOM;
    Room room = {0};
    Nodes nodes = {0};
    double *work = room_for(6 * count + frames, sizeof(double));
    whole *key = room_for(frames, sizeof(whole));
    uint8_t *leads = room_for(count, 1);
    Loop loop = loop_at(all, 0);
    if (!work || !key || !leads || !make_room(&loop, &room)) goto done;
    for (whole i = 0; i < all->loops; i++) {
        loop = loop_at(all, i);
        memset(leads, 1, (size_t)count);
        for (whole c = 0; c < loop.unknowns; c++) leads[loop.found[c]] = 0;
        Asked a = {
            home + i * count, asked + i * frames * count, frames, most,
            result + i * frames * count, gone + i * frames, work + 6 * count, key, leads, work,
        };
        if (!close_frames(&loop, &a, left + i * frames, &room, &nodes)) goto done;
    }
    done = 0;
done:
    free(work);
    free(key);
    free(leads);
    free(room.all);
    give_back(&nodes);
    return done;
}

/* Close a loop from q (C,), in place, wherever that leads; tells the greatest gap left (m). Returns
   whether it is closed but for what no joint can close, or NO_ROOM. */
KERNEL whole gremio_assemble(const Loops *all, double *q, double *left) {
    Loop loop = loop_at(all, 0);
    Room room = {0};
    double *trial = room_for(loop.channels, sizeof(double));
    whole closed = 0;
    if (!trial || !make_room(&loop, &room)) {
        closed = NO_ROOM;
        goto done;
    }
    copy(trial, q, loop.channels);
    for (int turn = 0; turn < 8 && !closed; turn++) {
        *left = close_loop(&loop, trial, &room, 1e6, CLOSED);
        if (*left < INFINITY) {
            copy(q, trial, loop.channels);
            closed = 1;
        }
    }
    if (!closed) {
        place(&loop, q, &room);
        *left = gaps(&loop, q, &room);
    }
done:
    free(trial);
    free(room.all);
    return closed;
}
