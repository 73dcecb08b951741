/* What the kernels share. Whole numbers are those of NumPy's intp; arrays are in C order.

   No kernel keeps anything from one call to the next, so that any thread may call any of them.
   Each is handed arrays whose sizes and indices its door (the Python beside it) has looked at. */
#ifndef GREMIO_H
#define GREMIO_H

#include <math.h>
#include <stdint.h>
#include <stdlib.h>
#include <string.h>

#define KERNEL __attribute__((visibility("default")))

typedef int64_t whole;

/* What a kernel says when there was no room to work in. */
#define NO_ROOM (-1)

/* The greater of two, where what is no number counts as more than anything. */
static inline double most_of(double a, double b) {
    return b <= a ? a : b == b ? b : INFINITY;
}

static inline double between(double x, double low, double high) {
    return x < low ? low : x > high ? high : x;
}

static inline double dot(const double *a, const double *b) {
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
}

static inline void cross(const double *a, const double *b, double *to) {
    to[0] = a[1] * b[2] - a[2] * b[1];
    to[1] = a[2] * b[0] - a[0] * b[2];
    to[2] = a[0] * b[1] - a[1] * b[0];
}

/* Room for some of a size, at least one; NULL where there is none. */
static inline void *room_for(whole count, size_t size) {
    return count < 0 ? NULL : calloc(count > 0 ? (size_t)count : 1, size);
}

/* A part's local frame m (3, 4) with the motion of one channel put behind it. kind: its place
   among the nine: three moves, three turns, three scales. */
static inline void put_behind(double *m, whole kind, double q) {
    if (kind < 3) {
        for (int r = 0; r < 3; r++) m[4 * r + 3] += m[4 * r + kind] * q;
    } else if (kind < 6) {
        double c = cos(q), s = sin(q);
        whole a = (kind - 2) % 3, b = (kind - 1) % 3;
        for (int r = 0; r < 3; r++) {
            double first = m[4 * r + a], second = m[4 * r + b];
            m[4 * r + a] = first * c + second * s;
            m[4 * r + b] = second * c - first * s;
        }
    } else {
        for (int r = 0; r < 3; r++) m[4 * r + kind - 6] *= q;
    }
}

/* Fill a frame (3, 4) with `inner` as seen from where `outer` stands. */
static inline void product(const double *outer, const double *inner, double *result) {
    for (int r = 0; r < 3; r++) {
        double x = outer[4 * r], y = outer[4 * r + 1], z = outer[4 * r + 2];
        for (int c = 0; c < 4; c++)
            result[4 * r + c] = x * inner[c] + y * inner[4 + c] + z * inner[8 + c];
        result[4 * r + 3] += outer[4 * r + 3];
    }
}

#endif
