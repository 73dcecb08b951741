/* Surfaces of fewer triangles, for what is looked at from afar while it moves. */
#include "gremio.h"

/* Which of the cells along an axis a place is in; what is no number is in the first. */
static whole cell_of(double from_low, double side, whole count) {
    double at = from_low / side;
    return at > 0 ? (at < (double)(count - 1) ? (whole)at : count - 1) : 0;
}

/* The vertices in one cell of a grid are one: the nearest to the middle of them all (Rossignac and
   Borrel, "Multi-resolution 3D approximations for rendering complex scenes", 1993). Fills found
   (T, 3) with those triangles of corners (T, 3) that are left, over the same vertices (K, 6) of
   places and normals; returns how many those are. low (3,): the lowest corner of the grid. side:
   of a cell. counts (3,): how many cells along each axis. */
KERNEL whole gremio_rough(whole k, const float *vertices, whole t, const uint32_t *corners,
                          const double *low, double side, const whole *counts, uint32_t *found) {
    whole cells = counts[0] * counts[1] * counts[2], joined = 0, made = 0;
    whole *of_cell = room_for(cells, sizeof(whole)), *of = room_for(k, sizeof(whole));
    whole *first = room_for(k, sizeof(whole)), *many = room_for(k, sizeof(whole));
    double *middle = room_for(3 * k, sizeof(double)), *apart = room_for(k, sizeof(double));
    if (!of_cell || !of || !first || !many || !middle || !apart) {
        made = NO_ROOM;
        goto end;
    }
    for (whole i = 0; i < k; i++) {
        whole cell = 0;
        for (int a = 0; a < 3; a++)
            cell = cell * counts[a] + cell_of((double)vertices[6 * i + a] - low[a], side, counts[a]);
        if (of_cell[cell] == 0) of_cell[cell] = ++joined;
        whole one = of[i] = of_cell[cell] - 1;
        many[one]++;
        for (int a = 0; a < 3; a++) middle[3 * one + a] += (double)vertices[6 * i + a];
    }
    for (whole i = 0; i < joined; i++) {
        first[i] = -1;
        for (int a = 0; a < 3; a++) middle[3 * i + a] /= (double)many[i];
    }
    for (whole i = 0; i < k; i++) {
        whole one = of[i];
        double far = 0;
        for (int a = 0; a < 3; a++) {
            double off = (double)vertices[6 * i + a] - middle[3 * one + a];
            far += off * off;
        }
        if (first[one] < 0 || far < apart[one]) first[one] = i, apart[one] = far;
    }
    for (whole i = 0; i < t; i++) {
        whole a = of[corners[3 * i]], b = of[corners[3 * i + 1]], c = of[corners[3 * i + 2]];
        if (a == b || b == c || c == a) continue;
        found[3 * made] = (uint32_t)first[a];
        found[3 * made + 1] = (uint32_t)first[b];
        found[3 * made + 2] = (uint32_t)first[c];
        made++;
    }
end:
    free(of_cell);
    free(of);
    free(first);
    free(many);
    free(middle);
    free(apart);
    return made;
}
