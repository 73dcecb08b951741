/* The nearest place on many triangles, by boxes in boxes. */
#include "gremio.h"

/* So many triangles lie together in the smallest boxes. */
#define LEAF 6
/* Halves are no deeper than this: a box has half the triangles of the one round it. */
#define DEEP 160

/* Puts the half with the lesser values of `key` first, by which those on either side of the
   middle are told (Hoare, "Algorithm 65: find", Communications of the ACM 4, 1961). */
static void halve(whole *order, whole count, const double *key, whole axis) {
    whole low = 0, high = count - 1, middle = count / 2;
    while (low < high) {
        double pivot = key[3 * order[(low + high) / 2] + axis];
        whole i = low, j = high;
        while (i <= j) {
            while (key[3 * order[i] + axis] < pivot) i++;
            while (key[3 * order[j] + axis] > pivot) j--;
            if (i <= j) {
                whole other = order[i];
                order[i++] = order[j];
                order[j--] = other;
            }
        }
        if (j < middle) low = i;
        if (middle < i) high = j;
    }
}

/* T triangles in boxes, each split in the middle of its longest side.
   corners: (T, 3, 3), all plain numbers. order: (T,), filled so that a leaf's triangles lie
   together. boxes: (2 T + 1, 6) low and high corners. first: (2 T + 1,) of a leaf, its first
   triangle, else the first of its two boxes. counts: (2 T + 1,) triangles in a leaf, else 0.
   Returns how many boxes there are. */
KERNEL whole gremio_boxes(whole t, const double *corners, whole *order, double *boxes, whole *first,
                          whole *counts) {
    double *middles = room_for(3 * t, sizeof(double));
    whole *starts = room_for(2 * t + 1, sizeof(whole)), *ends = room_for(2 * t + 1, sizeof(whole));
    whole made = 1;
    if (!middles || !starts || !ends) {
        made = NO_ROOM;
        goto done;
    }
    for (whole i = 0; i < t; i++) {
        order[i] = i;
        for (int k = 0; k < 3; k++)
            middles[3 * i + k] = (corners[9 * i + k] + corners[9 * i + 3 + k] + corners[9 * i + 6 + k]) / 3;
    }
    ends[0] = t;
    for (whole here = 0; here < made; here++) {
        whole start = starts[here], end = ends[here], axis = 0;
        double *box = boxes + 6 * here, low[3], high[3];
        for (int k = 0; k < 3; k++) {
            box[k] = low[k] = INFINITY;
            box[3 + k] = high[k] = -INFINITY;
        }
        for (whole i = start; i < end; i++) {
            const double *one = corners + 9 * order[i], *middle = middles + 3 * order[i];
            for (int k = 0; k < 3; k++) {
                for (int v = 0; v < 3; v++) {
                    if (one[3 * v + k] < box[k]) box[k] = one[3 * v + k];
                    if (one[3 * v + k] > box[3 + k]) box[3 + k] = one[3 * v + k];
                }
                if (middle[k] < low[k]) low[k] = middle[k];
                if (middle[k] > high[k]) high[k] = middle[k];
            }
        }
        if (end - start <= LEAF) {
            first[here] = start;
            counts[here] = end - start;
            continue;
        }
        for (int k = 1; k < 3; k++)
            if (high[k] - low[k] > high[axis] - low[axis]) axis = k;
        halve(order + start, end - start, middles, axis);
        first[here] = made;
        counts[here] = 0;
        starts[made] = start;
        ends[made] = starts[made + 1] = start + (end - start) / 2;
        ends[made + 1] = end;
        made += 2;
    }
done:
    free(middles);
    free(starts);
    free(ends);
    return made;
}

/* The square of the distance of a point from a box (6,). */
static double away(const double *box, const double *p) {
    double square = 0.0;
    for (int k = 0; k < 3; k++) {
        double gap = box[k] - p[k] > p[k] - box[3 + k] ? box[k] - p[k] : p[k] - box[3 + k];
        if (gap > 0.0) square += gap * gap;
    }
    return square;
}

/* The place (3,) on a triangle (9,) nearest to a point, and the square of its distance, by the
   regions of the plane about it: Ericson, "Real-Time Collision Detection" (2005), 5.1.5. */
static double on_triangle(const double *t, const double *p, double *place) {
    double ab[3], ac[3], ap[3], bp[3], cp[3], off[3];
    for (int k = 0; k < 3; k++) {
        ab[k] = t[3 + k] - t[k];
        ac[k] = t[6 + k] - t[k];
        ap[k] = p[k] - t[k];
        bp[k] = p[k] - t[3 + k];
        cp[k] = p[k] - t[6 + k];
    }
    double d1 = dot(ab, ap), d2 = dot(ac, ap), d3 = dot(ab, bp), d4 = dot(ac, bp);
    double d5 = dot(ab, cp), d6 = dot(ac, cp);
    double vc = d1 * d4 - d3 * d2, vb = d5 * d2 - d1 * d6, va = d3 * d6 - d5 * d4;
    /* v and w: how far along the two edges from the first corner. */
    double v = 0.0, w = 0.0;
    if (d1 <= 0 && d2 <= 0) {
    } else if (d3 >= 0 && d4 <= d3) v = 1.0;
    else if (d6 >= 0 && d5 <= d6) w = 1.0;
    else if (vc <= 0 && d1 >= 0 && d3 <= 0) v = d1 / (d1 - d3);
    else if (vb <= 0 && d2 >= 0 && d6 <= 0) w = d2 / (d2 - d6);
    else if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
        w = (d4 - d3) / ((d4 - d3) + (d5 - d6));
        v = 1.0 - w;
    } else {
        v = vb / (va + vb + vc);
        w = vc / (va + vb + vc);
    }
    for (int k = 0; k < 3; k++) {
        place[k] = t[k] + v * ab[k] + w * ac[k];
        off[k] = place[k] - p[k];
    }
    return dot(off, off);
}

/* Triangles in boxes, as gremio_boxes made them. */
typedef struct {
    const double *corners, *boxes;
    const whole *which, *first, *counts;
} Boxes;

/* Looks at all triangles that are as near to a point as `reach` (squared), and nearer than what was
   found. Where `any` is not set, of those within reach the first is sought, by `which`. */
static double look(const Boxes *b, const double *p, double reach, int any, double *place,
                   whole *found) {
    whole waiting[DEEP], depth = 1;
    double there[3], best = reach;
    waiting[0] = 0;
    while (depth) {
        whole box = waiting[--depth], start = b->first[box];
        if (away(b->boxes + 6 * box, p) > (any ? best : reach)) continue;
        for (whole t = start; t < start + b->counts[box]; t++) {
            double apart = on_triangle(b->corners + 9 * t, p, there);
            int better = any ? apart < best
                             : apart <= reach && (*found < 0 || b->which[t] < b->which[*found]);
            if (!better) continue;
            best = apart;
            *found = t;
            memcpy(place, there, sizeof there);
        }
        if (b->counts[box]) continue;
        /* The nearer box is looked into first. */
        whole later = away(b->boxes + 6 * start, p) <= away(b->boxes + 6 * start + 6, p);
        waiting[depth++] = start + later;
        waiting[depth++] = start + 1 - later;
    }
    return best;
}

/* For Q points (Q, 3), fills the places (Q, 3) nearest to them, and found (Q,): on which triangle,
   in the order of the leaves; of corners (T, 9) in that order, which are the triangles `which`
   (T,). Points are plain numbers. Of triangles as near as one another, but for what sums lose, it
   is the first, whatever boxes they are in: so that no rounding chooses. */
KERNEL void gremio_nearest(const double *corners, const double *boxes, const whole *which,
                           const whole *first, const whole *counts, whole q,
                           const double *points, double *places, whole *found) {
    Boxes b = {corners, boxes, which, first, counts};
    for (whole i = 0; i < q; i++) {
        const double *p = points + 3 * i;
        double size = boxes[3] - boxes[0] + boxes[4] - boxes[1] + boxes[5] - boxes[2];
        whole one = -1;
        double best = look(&b, p, INFINITY, 1, places + 3 * i, &one);
        if (one >= 0) {
            one = -1;
            look(&b, p, best * (1 + 1e-9) + 1e-26 * size * size, 0, places + 3 * i, &one);
        }
        found[i] = one < 0 ? 0 : one;
    }
}
