/* Meshes: corners at one place made one, normals, and the edges that an inked drawing shows. */
#include "gremio.h"

/* More kinds of faces than this about one corner are not told from one another: each is flat. */
#define MOST_KINDS 2048

static uint64_t mixed(uint64_t x) {
    x ^= x >> 32;
    x *= 0x9E3779B97F4A7C15u;
    x ^= x >> 29;
    return x;
}

/* Turn V points (V, 3) by a matrix (3, 3), and find the box that those fill which are places;
   sound (V,): whether each is one. */
static void turn_points(whole v, const double *given, const double *turn, double *points,
                        uint8_t *sound, double *low, double *high) {
    for (int k = 0; k < 3; k++) low[k] = INFINITY, high[k] = -INFINITY;
    for (whole i = 0; i < v; i++) {
        const double *from = given + 3 * i;
        double *to = points + 3 * i;
        sound[i] = 1;
        for (int k = 0; k < 3; k++) {
            to[k] = turn[3 * k] * from[0] + turn[3 * k + 1] * from[1] + turn[3 * k + 2] * from[2];
            if (!isfinite(to[k])) sound[i] = 0;
        }
        for (int k = 0; k < 3 && sound[i]; k++) {
            if (to[k] < low[k]) low[k] = to[k];
            if (to[k] > high[k]) high[k] = to[k];
        }
    }
}

/* Points in one cell of a grid are one: fills index (V,) with the first point of each cell. Returns
   whether there was room. */
static int weld(whole v, const double *points, const uint8_t *sound, const double *low,
                double grain, whole *index) {
    whole size = 16;
    while (size < 2 * v) size *= 2;
    whole *table = malloc((size_t)size * sizeof(whole));
    int64_t *cells = malloc((size_t)(v > 0 ? v : 1) * 3 * sizeof(int64_t));
    if (!table || !cells) {
        free(table);
        free(cells);
        return 0;
    }
    memset(table, 0xff, (size_t)size * sizeof(whole));
    for (whole i = 0; i < v; i++) {
        index[i] = i;
        if (!sound[i]) continue;
        int64_t *cell = cells + 3 * i;
        for (int k = 0; k < 3; k++) cell[k] = (int64_t)rint((points[3 * i + k] - low[k]) / grain);
        uint64_t code = mixed((uint64_t)cell[0] + mixed((uint64_t)cell[1] + mixed((uint64_t)cell[2])));
        whole at = (whole)(code & (uint64_t)(size - 1));
        while (table[at] >= 0 && memcmp(cells + 3 * table[at], cell, 3 * sizeof(int64_t)) != 0)
            at = (at + 1) & (size - 1);
        if (table[at] < 0) table[at] = i;
        index[i] = table[at];
    }
    free(table);
    free(cells);
    return 1;
}

/* What is usable of T triangles (T, 3) over V points `given` (V, 3), turned by (3, 3).
   Points that lie in one cell of a grid, whose grain is a share of the box that all fill, are one;
   those that no triangle has are left out. Triangles with a corner that is no place, or none of
   the points, are broken; those that have no area then are left out too.
   Fills points (V, 3) and triangles (T, 3) with what is kept, kept (T,) which triangles those are,
   and told (3,): how many points and triangles they are, and how many are broken. Returns 0, or
   NO_ROOM. */
KERNEL whole gremio_tidy(whole v, const double *given, const double *turn, whole t,
                         const whole *faces, double share, double least, double *points,
                         whole *triangles, uint8_t *kept, whole *told) {
    whole *index = malloc((size_t)(v + 1) * sizeof(whole));
    whole *place = malloc((size_t)(v + 1) * sizeof(whole));
    uint8_t *sound = malloc((size_t)(v + 1));
    whole done = NO_ROOM, made = 0;
    double low[3], high[3], grain = 0.0;
    if (!index || !place || !sound) goto done;
    turn_points(v, given, turn, points, sound, low, high);
    for (int k = 0; k < 3; k++) grain = most_of(grain, v ? (high[k] - low[k]) * share : 0.0);
    if (!(grain >= least)) grain = least;
    if (!isfinite(grain)) memset(sound, 0, (size_t)v);
    if (!weld(v, points, sound, low, grain, index)) goto done;
    memset(place, 0xff, (size_t)v * sizeof(whole));
    memset(told, 0, 3 * sizeof(whole));
    for (whole i = 0; i < t; i++) {
        const whole *f = faces + 3 * i;
        whole corners[3], whole_one = 1;
        for (int k = 0; k < 3 && whole_one; k++) {
            whole_one = f[k] >= 0 && f[k] < v && sound[f[k]];
            if (whole_one) corners[k] = index[f[k]];
        }
        told[2] += !whole_one;
        kept[i] = whole_one && corners[0] != corners[1] && corners[1] != corners[2] &&
                  corners[2] != corners[0];
        if (!kept[i]) continue;
        for (int k = 0; k < 3; k++) {
            /* For now they are called by the point of the cell. */
            place[corners[k]] = 1;
            triangles[3 * told[1] + k] = corners[k];
        }
        told[1]++;
    }
    /* What is kept moves up, in the order in which it came. */
    for (whole i = 0; i < v; i++) {
        if (place[i] < 0) continue;
        place[i] = made;
        memmove(points + 3 * made++, points + 3 * i, 3 * sizeof(double));
    }
    for (whole i = 0; i < 3 * told[1]; i++) triangles[i] = place[triangles[i]];
    told[0] = made;
    done = 0;
done:
    free(index);
    free(place);
    free(sound);
    return done;
}

static void minus(const double *a, const double *b, double *to) {
    for (int k = 0; k < 3; k++) to[k] = a[k] - b[k];
}

/* Unit normals (T, 3) of triangles (T, 3) over points (V, 3); zero where there is no area, or one
   that is beyond all numbers. */
KERNEL void gremio_face_normals(whole t, const whole *triangles, const double *points,
                                double *normals) {
    for (whole i = 0; i < t; i++) {
        const double *a = points + 3 * triangles[3 * i];
        double ab[3], ac[3], *n = normals + 3 * i;
        minus(points + 3 * triangles[3 * i + 1], a, ab);
        minus(points + 3 * triangles[3 * i + 2], a, ac);
        cross(ab, ac, n);
        double length = sqrt(dot(n, n));
        int sound = length > 0 && isfinite(length);
        for (int k = 0; k < 3; k++) n[k] = sound ? n[k] / length : 0.0;
    }
}

/* The angle at a corner of a triangle (rad). */
static double angle_at(const double *here, const double *next, const double *last) {
    double ahead[3], back[3], across[3];
    minus(next, here, ahead);
    minus(last, here, back);
    cross(ahead, back, across);
    return atan2(sqrt(dot(across, across)), dot(ahead, back));
}

/* For each of V points, where its things begin: counts (V + 1,) added up. what: (N,) the point of
   each. Fills start (V + 1,) and order (N,). */
static void by_point(whole v, whole n, const whole *what, whole step, whole *start, whole *order) {
    memset(start, 0, (size_t)(v + 1) * sizeof(whole));
    for (whole i = 0; i < n; i++) start[what[step * i] + 1]++;
    for (whole i = 0; i < v; i++) start[i + 1] += start[i];
    for (whole i = 0; i < n; i++) order[start[what[step * i]]++] = i;
    for (whole i = v; i > 0; i--) start[i] = start[i - 1];
    start[0] = 0;
}

/* Faces about one point that lie in one plane: what they say together. */
typedef struct {
    int64_t plane[3];
    double normal[3], weight, smooth[3];
} Kind;

/* The normals of the corners about one point: faces in one plane count once, by the angle they
   fill there. Returns how many kinds there are, -1 where they are too many. */
static whole about_point(const whole *corners, whole count, const whole *triangles,
                         const double *points, const double *faces, double near, Kind *kinds,
                         whole *kind_of) {
    whole found = 0;
    for (whole i = 0; i < count; i++) {
        whole c = corners[i], t = c / 3, one = c % 3, k;
        const double *n = faces + 3 * t;
        int64_t plane[3] = {(int64_t)rint(n[0] * 1000), (int64_t)rint(n[1] * 1000),
                            (int64_t)rint(n[2] * 1000)};
        for (k = found - 1; k >= 0 && memcmp(kinds[k].plane, plane, sizeof plane) != 0; k--) {}
        if (k < 0) {
            if (found == MOST_KINDS) return -1;
            k = found++;
            memset(kinds + k, 0, sizeof *kinds);
            memcpy(kinds[k].plane, plane, sizeof plane);
            memcpy(kinds[k].normal, n, 3 * sizeof(double));
        }
        kinds[k].weight += angle_at(points + 3 * triangles[c], points + 3 * triangles[3 * t + (one + 1) % 3],
                                    points + 3 * triangles[3 * t + (one + 2) % 3]);
        kind_of[i] = k;
    }
    for (whole a = 0; a < found; a++)
        for (whole b = 0; b < found; b++)
            if (dot(kinds[a].normal, kinds[b].normal) > near)
                for (int r = 0; r < 3; r++) kinds[a].smooth[r] += kinds[b].normal[r] * kinds[b].weight;
    for (whole a = 0; a < found; a++) {
        double length = sqrt(dot(kinds[a].smooth, kinds[a].smooth));
        for (int r = 0; r < 3; r++)
            kinds[a].smooth[r] = length > 0 ? kinds[a].smooth[r] / length : kinds[a].normal[r];
    }
    return found;
}

/* Fills normals (T, 3, 3) at each corner of each triangle, smooth over edges whose faces' normals
   have a cosine above `near`. faces: (T, 3) their normals. Each face counts by its angle at a
   corner: Thürmer and Wüthrich, "Computing vertex normals from polygonal facets", Journal of
   Graphics Tools 3 (1998). Returns 0, or NO_ROOM. */
KERNEL whole gremio_corner_normals(whole t, const whole *triangles, whole v, const double *points,
                                   const double *faces, double near, double *normals) {
    whole *start = malloc((size_t)(v + 1) * sizeof(whole));
    whole *order = malloc((size_t)(3 * t + 1) * sizeof(whole));
    whole *kind_of = malloc((size_t)(3 * t + 1) * sizeof(whole));
    Kind *kinds = malloc(MOST_KINDS * sizeof(Kind));
    whole done = NO_ROOM;
    if (!start || !order || !kind_of || !kinds) goto done;
    by_point(v, 3 * t, triangles, 1, start, order);
    for (whole p = 0; p < v; p++) {
        const whole *corners = order + start[p];
        whole count = start[p + 1] - start[p];
        whole found = about_point(corners, count, triangles, points, faces, near, kinds, kind_of);
        for (whole i = 0; i < count; i++)
            memcpy(normals + 3 * corners[i],
                   found < 0 ? faces + 3 * (corners[i] / 3) : kinds[kind_of[i]].smooth,
                   3 * sizeof(double));
    }
    done = 0;
done:
    free(start);
    free(order);
    free(kind_of);
    free(kinds);
    return done;
}

/* The same as vertices to draw: where corners of one point have one normal, they are one.
   Fills vertices (3 T, 6) with places and normals, index (T, 3) with those of each triangle, and
   of_point (V,) with the first of each point. Returns how many vertices there are, or NO_ROOM. */
KERNEL whole gremio_shaded(whole t, const whole *triangles, whole v, const double *points,
                           const double *faces, double near, float *vertices, uint32_t *index,
                           uint32_t *of_point) {
    whole *start = malloc((size_t)(v + 1) * sizeof(whole));
    whole *order = malloc((size_t)(3 * t + 1) * sizeof(whole));
    whole *kind_of = malloc((size_t)(3 * t + 1) * sizeof(whole));
    Kind *kinds = malloc(MOST_KINDS * sizeof(Kind));
    whole made = 0;
    if (!start || !order || !kind_of || !kinds) {
        made = NO_ROOM;
        goto done;
    }
    by_point(v, 3 * t, triangles, 1, start, order);
    for (whole p = 0; p < v; p++) {
        const whole *corners = order + start[p];
        whole count = start[p + 1] - start[p], first = made;
        whole found = about_point(corners, count, triangles, points, faces, near, kinds, kind_of);
        of_point[p] = (uint32_t)first;
        for (whole i = 0; i < count; i++) {
            const double *n = found < 0 ? faces + 3 * (corners[i] / 3) : kinds[kind_of[i]].smooth;
            float one[6];
            for (int k = 0; k < 3; k++) {
                one[k] = (float)points[3 * p + k];
                one[3 + k] = (float)n[k];
            }
            whole at = made - 1;
            while (at >= first && memcmp(vertices + 6 * at, one, sizeof one) != 0) at--;
            if (at < first) {
                at = made++;
                memcpy(vertices + 6 * at, one, sizeof one);
            }
            index[corners[i]] = (uint32_t)at;
        }
    }
done:
    free(start);
    free(order);
    free(kind_of);
    free(kinds);
    return made;
}

/* The shell that a point is of, by points that lead to one another. */
static whole shell_of(whole *shell, whole p) {
    while (shell[p] != p) p = shell[p] = shell[shell[p]];
    return p;
}

/* Whether every shell of some triangles is turned outside out: what it holds is more than
   nothing. Returns 1 or 0, or NO_ROOM. */
static whole outside_out(whole t, const whole *triangles, whole v, const double *points) {
    whole *shell = malloc((size_t)(v + 1) * sizeof(whole)), out = 1;
    double *holds = calloc((size_t)(v + 1), sizeof(double));
    if (!shell || !holds) {
        free(shell);
        free(holds);
        return NO_ROOM;
    }
    for (whole p = 0; p < v; p++) shell[p] = p;
    for (whole i = 0; i < t; i++)
        for (int k = 1; k < 3; k++)
            shell[shell_of(shell, triangles[3 * i + k])] = shell_of(shell, triangles[3 * i]);
    for (whole i = 0; i < t; i++) {
        const double *a = points + 3 * triangles[3 * i];
        double ab[3], ac[3], n[3];
        /* By a place that is near to all of it. */
        const double *o = points + 3 * shell_of(shell, triangles[3 * i]);
        double oa[3];
        minus(points + 3 * triangles[3 * i + 1], a, ab);
        minus(points + 3 * triangles[3 * i + 2], a, ac);
        minus(a, o, oa);
        cross(ab, ac, n);
        holds[shell_of(shell, triangles[3 * i])] += dot(oa, n);
    }
    for (whole p = 0; p < v && out; p++)
        if (shell[p] == p && holds[p] < 0.0) out = 0;
    free(shell);
    free(holds);
    return out;
}

/* A side of a triangle, from its lesser point: the other point, and which side of all. */
typedef struct {
    whole other, side;
} Side;

static int by_other(const void *one, const void *two) {
    const Side *a = one, *b = two;
    if (a->other != b->other) return a->other < b->other ? -1 : 1;
    return a->side < b->side ? -1 : a->side > b->side;
}

/* Puts a few sides in order where they are; many by the library's way. */
static void sort_sides(Side *sides, whole count) {
    if (count > 32) {
        qsort(sides, (size_t)count, sizeof *sides, by_other);
        return;
    }
    for (whole i = 1; i < count; i++) {
        Side one = sides[i];
        whole j = i;
        for (; j > 0 && by_other(sides + j - 1, &one) > 0; j--) sides[j] = sides[j - 1];
        sides[j] = one;
    }
}

/* Whether a side goes on from its lesser point p in its triangle. */
static int goes_on(const whole *triangles, whole t, whole p, const Side *s) {
    return triangles[3 * (s->side % t) + s->side / t] == p;
}

/* The edges worth drawing of T triangles over V points with normals (T, 3): borders and sharp ones,
   whose cosine is below `sharp`, and those below `flat` that may be an outline.
   Fills edges (E, 4): the points at its ends, of which the first has its highest bit set where the
   edge is drawn always, and the faces beside it, twice the same at a border. E is at most 3 T, and
   T and V are below 2^31. closed: whether each side is met by one that goes back, and every
   shell is turned outside out. Returns E, or NO_ROOM. */
KERNEL whole gremio_edges(whole t, const whole *triangles, whole v, const double *points,
                          const double *faces, double sharp, double flat, uint32_t *edges,
                          whole *closed) {
    whole *start = malloc((size_t)(v + 1) * sizeof(whole));
    Side *sides = malloc((size_t)(3 * t + 1) * sizeof(Side));
    whole made = 0;
    *closed = t > 0;
    if (!start || !sides) {
        made = NO_ROOM;
        goto done;
    }
    memset(start, 0, (size_t)(v + 1) * sizeof(whole));
    for (int pass = 0; pass < 2; pass++) {
        for (whole side = 0; side < 3 * t; side++) {
            whole i = side % t, k = side / t;
            whole a = triangles[3 * i + k], b = triangles[3 * i + (k + 1) % 3];
            whole low = a < b ? a : b;
            if (!pass) start[low + 1]++;
            else sides[start[low]++] = (Side){a < b ? b : a, side};
        }
        if (!pass)
            for (whole i = 0; i < v; i++) start[i + 1] += start[i];
    }
    /* Now start[p] is where the sides of p end. */
    for (whole p = 0, begin = 0; p < v; begin = start[p++]) {
        whole count = start[p] - begin;
        sort_sides(sides + begin, count);
        for (whole i = 0, n; i < count; i += n) {
            const Side *s = sides + begin + i;
            for (n = 1; i + n < count && s[n].other == s->other; n++) {}
            whole back = n == 2 && goes_on(triangles, t, p, s) != goes_on(triangles, t, p, s + 1);
            if (!back) *closed = 0;
            whole one = s->side % t, two = n == 2 ? s[1].side % t : one;
            double cosine = dot(faces + 3 * one, faces + 3 * two);
            int is_sharp = n != 2 || cosine < sharp;
            if (!is_sharp && !(cosine < flat)) continue;
            uint32_t *edge = edges + 4 * made++;
            edge[0] = (uint32_t)p | (is_sharp ? 0x80000000u : 0u);
            edge[1] = (uint32_t)s->other;
            edge[2] = (uint32_t)one;
            edge[3] = (uint32_t)two;
        }
    }
    if (*closed) *closed = outside_out(t, triangles, v, points);
    if (*closed == NO_ROOM) made = NO_ROOM;
done:
    free(start);
    free(sides);
    return made;
}

/* The area (m²) of T triangles (T, 3) over points (V, 3), and its second moments about a middle (3,):
   xx, yy, zz, xy, yz, zx (m⁴); told: (7,). Each triangle counts by the middles of its sides. */
KERNEL void gremio_moments(whole t, const whole *triangles, const double *points,
                           const double *middle, double *told) {
    memset(told, 0, 7 * sizeof(double));
    for (whole i = 0; i < t; i++) {
        double c[3][3], ab[3], ac[3], across[3];
        for (int v = 0; v < 3; v++) minus(points + 3 * triangles[3 * i + v], middle, c[v]);
        minus(c[1], c[0], ab);
        minus(c[2], c[0], ac);
        cross(ab, ac, across);
        double area = sqrt(dot(across, across)) / 2;
        told[0] += area;
        for (int v = 0; v < 3; v++) {
            double side[3];
            for (int k = 0; k < 3; k++) side[k] = (c[v][k] + c[(v + 1) % 3][k]) / 2;
            for (int k = 0; k < 3; k++) {
                told[1 + k] += side[k] * side[k] * area / 3;
                told[4 + k] += side[k] * side[(k + 1) % 3] * area / 3;
            }
        }
    }
}
