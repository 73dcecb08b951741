/* Closing a loop by Newton's method with damping on the exact Jacobian.

   A loop's state q holds all its channels; those in `found` are solved for. */
#include "loops.h"

#define NEWTON 24
/* What joints could close counts as closed below this share where something is left open. */
#define IN_REACH 1e-10
/* Squares of singular values below this share of all together are nothing. */
#define NOTHING 1e-10

Loop loop_at(const Loops *all, whole i) {
    Loop loop = all->first;
    loop.mounts += i * loop.parts * 12;
    loop.parents += i * loop.parts;
    loop.start += i * (loop.parts + 1);
    loop.kinds += i * loop.channels;
    loop.found += i * loop.unknowns;
    loop.low += i * loop.channels;
    loop.high += i * loop.channels;
    loop.ends += i * loop.closures * 2;
    loop.points += i * loop.closures * 6;
    loop.rail += i * loop.closures * 3;
    loop.above += i * loop.closures * loop.channels;
    loop.spins += i * loop.swings;
    loop.about += i * loop.swings * 3;
    loop.factors += i * loop.rows * loop.channels;
    loop.constants += i * loop.rows;
    loop.size = all->sizes[i];
    return loop;
}

/* Room to work in; returns whether there is any. It is given back by freeing `all`. */
int make_room(const Loop *loop, Room *room) {
    whole p = loop->parts, c = loop->channels, n = loop->unknowns, m = loop->gaps;
    double *at = room->all = room_for(12 * p + 6 * c + m + m * c + n * n + 2 * n, sizeof(double));
    if (!at) return 0;
    room->worlds = at, at += 12 * p;
    room->origins = at, at += 3 * c;
    room->axes = at, at += 3 * c;
    room->gap = at, at += m;
    room->jac = at, at += m * c;
    room->matrix = at, at += n * n;
    room->step = at, at += n;
    room->begun = at;
    return 1;
}

/* Fill the frames, and where each channel works, and along what. */
void place(const Loop *loop, const double *q, Room *room) {
    for (whole i = 0; i < loop->parts; i++) {
        double *m = room->worlds + 12 * i;
        whole parent = loop->parents[i];
        if (parent < 0)
            memcpy(m, loop->mounts + 12 * i, 12 * sizeof(double));
        else
            product(room->worlds + 12 * parent, loop->mounts + 12 * i, m);
        for (whole s = loop->start[i]; s < loop->start[i + 1]; s++) {
            whole axis = loop->kinds[s] % 3;
            for (int r = 0; r < 3; r++) {
                room->origins[3 * s + r] = m[4 * r + 3];
                room->axes[3 * s + r] = m[4 * r + axis];
            }
            put_behind(m, loop->kinds[s], q[s]);
        }
    }
}

/* A direction (3,), or a place (at: 1), of a part as it stands; as it is for what carries all. */
static void seen(const Room *room, whole part, const double *p, double at, double *to) {
    if (part < 0) {
        memcpy(to, p, 3 * sizeof(double));
        return;
    }
    const double *w = room->worlds + 12 * part;
    for (int r = 0; r < 3; r++)
        to[r] = w[4 * r] * p[0] + w[4 * r + 1] * p[1] + w[4 * r + 2] * p[2] + at * w[4 * r + 3];
}

static void make_unit(double *a) {
    double length = sqrt(dot(a, a));
    for (int r = 0; r < 3; r++) a[r] /= length;
}

/* Fill the directions in which the points of a closure must meet, (3, 3); returns how many: all
   three of a pin, those across a rail. */
static int ways_across(const Loop *loop, const Room *room, whole k, double ways[3][3]) {
    const double *rail = loop->rail + 3 * k;
    if (dot(rail, rail) == 0.0) {
        for (int r = 0; r < 3; r++)
            for (int c = 0; c < 3; c++) ways[r][c] = r == c ? 1.0 : 0.0;
        return 3;
    }
    whole part = loop->ends[2 * k + 1];
    double turned[3], helper[3], own[3] = {0.0, 0.0, 0.0};
    int least = 0;
    seen(room, part, rail, 0.0, turned);
    make_unit(turned);
    for (int r = 1; r < 3; r++)
        if (fabs(rail[r]) < fabs(rail[least])) least = r;
    /* A direction across that goes with the second part: its own least axis. */
    own[least] = 1.0;
    seen(room, part, own, 0.0, helper);
    cross(turned, helper, ways[0]);
    make_unit(ways[0]);
    cross(turned, ways[0], ways[1]);
    return 2;
}

/* By how much a part that only swings has spun from home, as a length; fills how that changes with
   each channel (C,).

   A turn by the shortest way has no part of its axis along what it swings: of its quaternion
   w + v, v · a is 0 for that axis a. */
static double spin(const Loop *loop, const double *q, whole k, double *row) {
    whole first = loop->start[loop->spins[k] + 1] - 3;
    double value = 0.0;
    memset(row, 0, (size_t)loop->channels * sizeof(double));
    /* Once as it is, and once for each of the three turns in its place with its derivative. */
    for (int d = -1; d < 3; d++) {
        double w = 1.0, x = 0.0, y = 0.0, z = 0.0;
        for (int t = 0; t < 3; t++) {
            double half = 0.5 * q[first + t], c = cos(half), s = sin(half);
            if (t == d) {
                double other = c;
                c = -0.5 * s;
                s = 0.5 * other;
            }
            whole i = loop->kinds[first + t] % 3;
            double a = s * (i == 0), b = s * (i == 1), e = s * (i == 2);
            double w1 = w * c - x * a - y * b - z * e, x1 = w * a + x * c + y * e - z * b;
            double y1 = w * b - x * e + y * c + z * a, z1 = w * e + x * b - y * a + z * c;
            w = w1, x = x1, y = y1, z = z1;
        }
        const double *about = loop->about + 3 * k;
        double along = 2.0 * loop->size * (about[0] * x + about[1] * y + about[2] * z);
        if (d < 0) value = along;
        else row[first + d] = along;
    }
    return value;
}

/* The gaps of one closure into gap and jac; returns how many there are. */
static int gaps_of(const Loop *loop, const Room *room, whole k, double *gap, double *jac) {
    double here[3], there[3], off[3], ways[3][3];
    whole count = loop->channels;
    seen(room, loop->ends[2 * k], loop->points + 6 * k, 1.0, here);
    seen(room, loop->ends[2 * k + 1], loop->points + 6 * k + 3, 1.0, there);
    for (int r = 0; r < 3; r++) off[r] = here[r] - there[r];
    int found = ways_across(loop, room, k, ways);
    for (int d = 0; d < found; d++) gap[d] = dot(ways[d], off);
    for (whole s = 0; s < count; s++) {
        double sign = loop->above[k * count + s], v[3];
        if (sign == 0.0) {
            for (int d = 0; d < found; d++) jac[d * count + s] = 0.0;
            continue;
        }
        const double *a = room->axes + 3 * s, *o = room->origins + 3 * s;
        /* On a rail the directions turn with the second part, and the lever of the first point is
           what counts for both sides. */
        const double *p = sign > 0 || found == 2 ? here : there;
        if (loop->kinds[s] < 3) {
            memcpy(v, a, sizeof v);
        } else {
            double lever[3] = {p[0] - o[0], p[1] - o[1], p[2] - o[2]};
            cross(a, lever, v);
        }
        for (int d = 0; d < found; d++) jac[d * count + s] = sign * dot(ways[d], v);
    }
    return found;
}

/* Fill the gaps of all closures and their Jacobian, with frames as `place` left them; returns the
   greatest. */
double gaps(const Loop *loop, const double *q, Room *room) {
    whole row = 0, count = loop->channels;
    double worst = 0.0;
    for (whole k = 0; k < loop->closures; k++)
        row += gaps_of(loop, room, k, room->gap + row, room->jac + row * count);
    for (whole k = 0; k < loop->swings; k++, row++)
        room->gap[row] = spin(loop, q, k, room->jac + row * count);
    for (whole k = 0; k < loop->rows; k++, row++) {
        room->gap[row] = -loop->constants[k];
        for (whole s = 0; s < count; s++) {
            double factor = loop->factors[k * count + s];
            room->jac[row * count + s] = factor;
            room->gap[row] += factor * q[s];
        }
    }
    for (whole r = 0; r < row; r++) worst = most_of(worst, fabs(room->gap[r]));
    return worst;
}

/* Solve matrix (n, n) · x = step (n,) in place, of a symmetric matrix that is positive for its
   damping, by Cholesky's method without roots; returns half the logarithm of the determinant. */
static double eliminate(whole n, double *matrix, double *step) {
    double volume = 0.0;
    for (whole i = 0; i < n; i++) {
        double top = matrix[i * n + i];
        /* A rounding below nothing: the channel says no more than others do. */
        if (!(top > 0.0)) top = matrix[i * n + i] = 1e-300;
        volume += 0.5 * log(top);
        for (whole r = i + 1; r < n; r++) {
            double factor = matrix[i * n + r] / top;
            if (factor == 0.0) continue;
            for (whole c = r; c < n; c++) matrix[r * n + c] -= factor * matrix[i * n + c];
            step[r] -= factor * step[i];
        }
    }
    for (whole i = n - 1; i >= 0; i--) {
        double total = step[i];
        for (whole c = i + 1; c < n; c++) total -= matrix[i * n + c] * step[c];
        step[i] = matrix[i * n + i] > 1e-299 ? total / matrix[i * n + i] : 0.0;
    }
    return volume;
}

/* Fill step (n,) with −(JᵀJ + damping)⁻¹ Jᵀ gap of what is solved for; returns half the logarithm
   of the determinant. A row adds only where it has something: most channels move few closures. */
double solve_damped(const Loop *loop, Room *room, double damping) {
    whole n = loop->unknowns;
    double *matrix = room->matrix, *step = room->step;
    memset(step, 0, (size_t)n * sizeof(double));
    memset(matrix, 0, (size_t)(n * n) * sizeof(double));
    for (whole r = 0; r < loop->gaps; r++) {
        const double *row = room->jac + r * loop->channels;
        for (whole i = 0; i < n; i++) {
            double value = row[loop->found[i]];
            if (value == 0.0) continue;
            step[i] -= value * room->gap[r];
            for (whole j = i; j < n; j++) matrix[i * n + j] += value * row[loop->found[j]];
        }
    }
    for (whole i = 0; i < n; i++) {
        matrix[i * n + i] += damping;
        for (whole j = 0; j < i; j++) matrix[i * n + j] = matrix[j * n + i];
    }
    return eliminate(n, matrix, step);
}

/* The length of what joints could close of the gaps, all that move in the loop taken together:
   what lies along the ways that its Jacobian has. Infinite where there is no room to tell. */
static double in_reach(const Loop *loop, const Room *room) {
    whole count = loop->channels, rows = loop->gaps;
    double *matrix = room_for(count * count + 2 * count, sizeof(double));
    if (!matrix) return INFINITY;
    double *step = matrix + count * count, *scale = step + count, most = 0.0, closable = 0.0;
    for (whole s = 0; s < count; s++) scale[s] = loop->kinds[s] >= 3 ? 1.0 / loop->size : 1.0;
    for (whole i = 0; i < count; i++) {
        for (whole r = 0; r < rows; r++) {
            const double *row = room->jac + r * count;
            step[i] += scale[i] * row[i] * room->gap[r];
            for (whole j = 0; j < count; j++)
                matrix[i * count + j] += scale[i] * scale[j] * row[i] * row[j];
        }
        most += matrix[i * count + i];
    }
    for (whole i = 0; i < count; i++) matrix[i * count + i] += NOTHING * most;
    eliminate(count, matrix, step);
    for (whole r = 0; r < rows; r++) {
        double along = 0.0;
        for (whole s = 0; s < count; s++) along += room->jac[r * count + s] * scale[s] * step[s];
        closable += along * along;
    }
    free(matrix);
    return sqrt(closable);
}

/* One step of Newton's method from what `place` and `gaps` left; returns the most that a channel
   would go, or infinite where one goes astray by more than `far`. */
static double newton(const Loop *loop, double *q, Room *room, double worst, double far) {
    double most = 0.0, size = loop->size;
    solve_damped(loop, room, 1e-13 * size * size + 1e-3 * worst * worst);
    for (whole c = 0; c < loop->unknowns; c++)
        most = most_of(most, fabs(room->step[c]) / scale_of(loop, loop->found[c]));
    double slow = most <= 0.5 ? 1.0 : 0.5 / most;
    for (whole c = 0; c < loop->unknowns; c++) {
        whole s = loop->found[c];
        q[s] += slow * room->step[c];
        if (!(fabs(q[s] - room->begun[c]) <= far * scale_of(loop, s))) return INFINITY;
    }
    return most;
}

/* Newton from q, in place; returns the greatest gap that is left, or infinite when it does not
   close or went astray by more than `far` from where it began. near: the share of the loop's size
   at which a gap counts as closed. What no joint can close may be left open, as far as its share says;
   it is then spread over the closures, by least squares. After it, room holds what is so at q. */
double close_loop(const Loop *loop, double *q, Room *room, double far, double near) {
    double size = loop->size, best = INFINITY, most = INFINITY, farthest = 0.0, worst;
    for (whole c = 0; c < loop->unknowns; c++) room->begun[c] = q[loop->found[c]];
    for (whole s = 0; s < loop->channels; s++)
        if (loop->kinds[s] >= 3) farthest = most_of(farthest, fabs(q[s]));
    /* A turn far round has fewer figures left, and moves by whole steps of those. */
    double grain = 4e-16 * farthest * size;
    near = near * size > grain ? near * size : grain;
    for (int turn = 0; turn < NEWTON; turn++) {
        place(loop, q, room);
        worst = gaps(loop, q, room);
        if (worst <= near || (worst >= best && worst <= most_of(1e-11 * size, grain))) return worst;
        if (most <= 1e-11) break;
        if (turn > 8 && worst > 0.5 * best && worst > loop->open * size) return INFINITY;
        if (worst < best) best = worst;
        most = newton(loop, q, room, worst, far);
        if (most == INFINITY) return INFINITY;
    }
    place(loop, q, room);
    worst = gaps(loop, q, room);
    double reach = most_of(IN_REACH * size, grain);
    if (worst <= reach) return worst;
    if (worst > loop->open * size || in_reach(loop, room) > reach) return INFINITY;
    return worst;
}

/* Whether all that is solved for is within its stops. */
int within(const Loop *loop, const double *q) {
    for (whole c = 0; c < loop->unknowns; c++) {
        whole s = loop->found[c];
        double slack = 1e-9 * most_of(1.0, fabs(q[s]));
        if (q[s] < loop->low[s] - slack || q[s] > loop->high[s] + slack) return 0;
    }
    return 1;
}
