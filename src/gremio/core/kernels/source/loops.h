/* Closed linkages: what is constant of some of one make, one of them, and room to work in. */
#ifndef GREMIO_LOOPS_H
#define GREMIO_LOOPS_H

#include "gremio.h"

/* A loop of P parts, C channels, n of them solved for, K closures, S parts that swing without
   spinning, R rows of trains; its arrays are those of `loop_shape.Shape`. gaps: M, how many gaps it
   has. open: the share of its size by which what no joint can close may be left open. */
typedef struct {
    whole parts, channels, unknowns, closures, swings, rows, gaps;
    const double *mounts;
    const whole *parents, *start, *kinds, *found;
    const double *low, *high;
    const whole *ends;
    const double *points, *rail, *above;
    const whole *spins;
    const double *about, *factors, *constants;
    double size, open;
} Loop;

/* L loops of one make: the first, whose arrays those of the others follow, and the sizes (L,) of
   all. */
typedef struct {
    whole loops;
    Loop first;
    const double *sizes;
} Loops;

/* Frames (P, 3, 4); where each channel works and along what (C, 3); gaps (M,) and their Jacobian
   (M, C); what a step needs (n, n), (n,), (n,). */
typedef struct {
    double *worlds, *origins, *axes, *gap, *jac, *matrix, *step, *begun;
    double *all;
} Room;

Loop loop_at(const Loops *all, whole i);
int make_room(const Loop *loop, Room *room);
void place(const Loop *loop, const double *q, Room *room);
double gaps(const Loop *loop, const double *q, Room *room);
double solve_damped(const Loop *loop, Room *room, double damping);
double close_loop(const Loop *loop, double *q, Room *room, double far, double near);
int within(const Loop *loop, const double *q);

/* How much a channel's value is over the size of the loop, or a turn of one. */
static inline double scale_of(const Loop *loop, whole s) {
    return loop->kinds[s] < 3 ? loop->size : 1.0;
}

#endif
