/* World frames of the parts of a tree. */
#include "gremio.h"

/* P parts, each after the one that carries it.
   mounts: (P, 3, 4). parents: (P,), -1 on the ground. owns: (k, 3, 4), and own_place: (P,) the
   place of each part's own frame among them, -1 for none. Part i has the channels start[i] to
   start[i + 1] of `kinds` (their place among the nine) and `rows`, in the order applied. */
typedef struct {
    whole parts;
    const double *mounts;
    const whole *parents;
    const whole *own_place;
    const double *owns;
    const whole *start;
    const whole *kinds;
    const whole *rows;
} Tree;

/* The local frame of a part up to a channel (10: all), in a frame whose channels are `step`
   doubles apart. */
static void local_frame(const Tree *t, whole i, const double *q, whole step, whole before,
                        double *m) {
    memcpy(m, t->mounts + 12 * i, 12 * sizeof(double));
    for (whole s = t->start[i]; s < t->start[i + 1]; s++) {
        if (t->kinds[s] == before) return;
        put_behind(m, t->kinds[s], q[step * t->rows[s]]);
    }
    if (before == 10 && t->own_place[i] >= 0) {
        double own[12];
        product(m, t->owns + 12 * t->own_place[i], own);
        memcpy(m, own, sizeof own);
    }
}

/* channels: value of row c in frame f at c * step + f * frame. Fills worlds (F, P, 4, 4). */
KERNEL void gremio_world_frames(const Tree *t, const double *channels, whole step, whole frame,
                                whole frames, double *worlds) {
    double m[12];
    for (whole f = 0; f < frames; f++) {
        const double *q = channels + f * frame;
        double *first = worlds + 16 * f * t->parts;
        for (whole i = 0; i < t->parts; i++) {
            double *w = first + 16 * i;
            local_frame(t, i, q, step, 10, m);
            if (t->parents[i] < 0)
                memcpy(w, m, sizeof m);
            else
                product(first + 16 * t->parents[i], m, w);
            w[12] = w[13] = w[14] = 0.0;
            w[15] = 1.0;
        }
    }
}

/* The world frames (n, F, 4, 4) of some parts, each found by itself through what carries it.
   before: the channel at which each stops (10: none, and its own frame too). */
KERNEL void gremio_some_frames(const Tree *t, const double *channels, whole step, whole frame,
                               whole frames, const whole *parts, const whole *before, whole n,
                               double *worlds) {
    for (whole k = 0; k < n; k++) {
        for (whole f = 0; f < frames; f++) {
            const double *q = channels + f * frame;
            double *w = worlds + 16 * (k * frames + f);
            double m[12], next[12];
            local_frame(t, parts[k], q, step, before[k], w);
            for (whole i = t->parents[parts[k]]; i >= 0; i = t->parents[i]) {
                local_frame(t, i, q, step, 10, m);
                product(m, w, next);
                memcpy(w, next, sizeof next);
            }
            w[12] = w[13] = w[14] = 0.0;
            w[15] = 1.0;
        }
    }
}
