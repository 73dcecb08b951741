/* The lines of an inked drawing: which edges are seen from an eye, and where. */
#include "gremio.h"

/* An edge worth drawing: its ends, the normals of the faces beside it, how far along those the
   faces lie, and whether it is drawn always. */
typedef struct {
    float at[2][3], normal[2][3], off[2], always;
} Edge;

/* Lines of one width: how many, and the ends of each (2, 4): a place in the world, and how many
   pixels along the line it is. */
typedef struct {
    whole count;
    float *ends;
} Lines;

/* What they are drawn as: lines, short lines, those of what a hand is over, of what is selected. */
enum { LONG, SHORT, HOVERED, SELECTED, WIDTHS };

/* The eye in a frame (3, 4); returns the determinant of the frame's axes. */
static double eye_within(const float *m, const double *eye, double *to) {
    double a[3][3], off[3];
    for (int r = 0; r < 3; r++) {
        for (int c = 0; c < 3; c++) a[r][c] = m[4 * r + c];
        off[r] = eye[r] - m[4 * r + 3];
    }
    double inverse[3][3];
    for (int r = 0; r < 3; r++)
        for (int c = 0; c < 3; c++) {
            int i = (c + 1) % 3, j = (c + 2) % 3, k = (r + 1) % 3, l = (r + 2) % 3;
            inverse[r][c] = a[i][k] * a[j][l] - a[i][l] * a[j][k];
        }
    double size = a[0][0] * inverse[0][0] + a[0][1] * inverse[1][0] + a[0][2] * inverse[2][0];
    for (int r = 0; r < 3; r++)
        to[r] = (inverse[r][0] * off[0] + inverse[r][1] * off[1] + inverse[r][2] * off[2]) / size;
    return size;
}

/* How many pixels a line is long on the screen; many where it passes the eye. */
static float pixels_along(const float *ends, const float *seen, const float *pixels) {
    float x[2], y[2];
    for (int i = 0; i < 2; i++) {
        const float *p = ends + 4 * i;
        float w = seen[12] * p[0] + seen[13] * p[1] + seen[14] * p[2] + seen[15];
        if (w < 1e-3f) return 1e4f;
        x[i] = (seen[0] * p[0] + seen[1] * p[1] + seen[2] * p[2] + seen[3]) / w * pixels[0];
        y[i] = (seen[4] * p[0] + seen[5] * p[1] + seen[6] * p[2] + seen[7]) / w * pixels[1];
    }
    return hypotf(x[1] - x[0], y[1] - y[0]) / 2;
}

/* Whether an edge is drawn for an eye in its own frame. closed: its surface is, so that nothing
   that turns away is seen. */
static int is_seen(const Edge *e, const float *eye, int closed) {
    float one = e->normal[0][0] * eye[0] + e->normal[0][1] * eye[1] + e->normal[0][2] * eye[2];
    float two = e->normal[1][0] * eye[0] + e->normal[1][1] * eye[1] + e->normal[1][2] * eye[2];
    one -= e->off[0];
    two -= e->off[1];
    if (closed && one <= 0.0f && two <= 0.0f) return 0;
    return e->always > 0.5f || (one < 0.0f) != (two < 0.0f);
}

/* Short lines that go on from one another, put together: where they begin, how far they go, and the
   end of the last in its own frame. count: how many of them there are. */
typedef struct {
    whole count;
    float ends[8], last[3];
} Chain;

static void put_line(Lines *to, const float *ends) {
    memcpy(to->ends + 8 * to->count++, ends, 8 * sizeof(float));
}

static void end_chain(Chain *chain, Lines *to) {
    if (chain->count) put_line(to, chain->ends);
    chain->count = 0;
}

/* Put a short line to the chain, if it goes on from it. A chain is as long as a line may be short
   at most, so that it stays where its lines are. */
static void go_on(Chain *chain, const Edge *e, const float *ends, double most, Lines *to) {
    for (int v = 0; v < 2 && chain->count; v++) {
        if (memcmp(chain->last, e->at[v], sizeof chain->last) != 0) continue;
        if (chain->ends[7] + ends[7] > most) break;
        memcpy(chain->ends + 4, ends + 4 * (1 - v), 3 * sizeof(float));
        memcpy(chain->last, e->at[1 - v], sizeof chain->last);
        chain->ends[7] += ends[7];
        chain->count++;
        return;
    }
    end_chain(chain, to);
    memcpy(chain->ends, ends, sizeof chain->ends);
    memcpy(chain->last, e->at[1], sizeof chain->last);
    chain->count = 1;
}

/* B batches of edges: those of batch b are first[b] to first[b + 1]; counts[b] places, one after
   another, begin with a frame (3, 4) and have a state (1: a hand is over it, 2: selected) at so many
   bytes, and are `stride` bytes long. closed (B,). skipped: (N,) places that are out of sight.
   eye: (3,). seen: (4, 4) from the world to the screen, of which pixels (2,) are the size. Lines
   below `short_below` pixels are short ones. Fills lines (4,). */
KERNEL void gremio_lines(whole b, const Edge *edges, const whole *first, const whole *counts,
                         const uint8_t *closed, const uint8_t *places, whole stride, whole state,
                         const uint8_t *skipped, const double *eye, const float *seen,
                         const float *pixels, double short_below, Lines *lines) {
    whole place = 0;
    Chain chain = {0};
    for (whole batch = 0; batch < b; batch++) {
        for (whole n = 0; n < counts[batch]; n++, place++) {
            const float *m = (const float *)(const void *)(places + place * stride);
            float told = *(const float *)(const void *)(places + place * stride + state);
            double within[3];
            if (skipped[place] || eye_within(m, eye, within) == 0.0) continue;
            float here[3] = {(float)within[0], (float)within[1], (float)within[2]};
            int kind = told > 1.5f ? SELECTED : told > 0.5f ? HOVERED : LONG;
            for (whole i = first[batch]; i < first[batch + 1]; i++) {
                const Edge *e = edges + i;
                if (!is_seen(e, here, closed[batch])) continue;
                float ends[8];
                for (int v = 0; v < 2; v++) {
                    const float *p = e->at[v];
                    for (int r = 0; r < 3; r++)
                        ends[4 * v + r] = m[4 * r] * p[0] + m[4 * r + 1] * p[1] +
                                          m[4 * r + 2] * p[2] + m[4 * r + 3];
                }
                ends[3] = 0.0f;
                ends[7] = pixels_along(ends, seen, pixels);
                if (kind == LONG && ends[7] < short_below)
                    go_on(&chain, e, ends, short_below, lines + SHORT);
                else
                    put_line(lines + kind, ends);
            }
            end_chain(&chain, lines + SHORT);
        }
    }
}
