/* The lines of an inked drawing: which edges are seen from an eye, and where. */
#include "gremio.h"

/* An edge worth drawing: the vertices at its ends, the first with its highest bit set where it is
   drawn always, and the faces beside it. */
typedef struct {
    uint32_t ends[2], faces[2];
} Edge;

/* A surface: E edges, vertices (K, 6) that begin with their places, and normals of faces (T, 3).
   closed: nothing that turns away is seen. */
typedef struct {
    whole count, closed;
    const Edge *edges;
    const float *vertices, *faces;
} Surface;

#define ALWAYS 0x80000000u

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

static const float *end_of(const Surface *s, const Edge *e, int which) {
    return s->vertices + 6 * (whole)(e->ends[which] & ~ALWAYS);
}

/* By how much an eye is before one of the faces beside an edge. */
static float before(const Surface *s, const Edge *e, int which, const float *eye) {
    const float *n = s->faces + 3 * (whole)e->faces[which], *p = end_of(s, e, 0);
    return n[0] * (eye[0] - p[0]) + n[1] * (eye[1] - p[1]) + n[2] * (eye[2] - p[2]);
}

/* Whether an edge is drawn for an eye in its own frame. */
static int is_seen(const Surface *s, const Edge *e, const float *eye) {
    float one = before(s, e, 0, eye), two = before(s, e, 1, eye);
    if (s->closed && one <= 0.0f && two <= 0.0f) return 0;
    return (e->ends[0] & ALWAYS) || (one < 0.0f) != (two < 0.0f);
}

/* Short lines that go on from one another, put together: where they begin, how far they go, and the
   vertex at which the last ends. count: how many of them there are. */
typedef struct {
    whole count;
    float ends[8];
    uint32_t last;
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
        if (chain->last != (e->ends[v] & ~ALWAYS)) continue;
        if (chain->ends[7] + ends[7] > most) break;
        memcpy(chain->ends + 4, ends + 4 * (1 - v), 3 * sizeof(float));
        chain->last = e->ends[1 - v] & ~ALWAYS;
        chain->ends[7] += ends[7];
        chain->count++;
        return;
    }
    end_chain(chain, to);
    memcpy(chain->ends, ends, sizeof chain->ends);
    chain->last = e->ends[1];
    chain->count = 1;
}

/* B surfaces; counts[b] places of each, one after another, begin with a frame (3, 4) and have a state
   (1: a hand is over it, 2: selected) at so many bytes, and are `stride` bytes long. skipped: (N,)
   places that are out of sight. eye: (3,). seen: (4, 4) from the world to the screen, of which
   pixels (2,) are the size. Lines below `short_below` pixels are short ones. Fills lines (4,). */
KERNEL void gremio_lines(whole b, const Surface *surfaces, const whole *counts,
                         const uint8_t *places, whole stride, whole state, const uint8_t *skipped,
                         const double *eye, const float *seen, const float *pixels,
                         double short_below, Lines *lines) {
    whole place = 0;
    Chain chain = {0};
    for (whole batch = 0; batch < b; batch++) {
        const Surface *s = surfaces + batch;
        for (whole n = 0; n < counts[batch]; n++, place++) {
            const float *m = (const float *)(const void *)(places + place * stride);
            float told = *(const float *)(const void *)(places + place * stride + state);
            double within[3];
            if (skipped[place] || eye_within(m, eye, within) == 0.0) continue;
            float here[3] = {(float)within[0], (float)within[1], (float)within[2]};
            int kind = told > 1.5f ? SELECTED : told > 0.5f ? HOVERED : LONG;
            for (const Edge *e = s->edges; e < s->edges + s->count; e++) {
                if (!is_seen(s, e, here)) continue;
                float ends[8];
                for (int v = 0; v < 2; v++) {
                    const float *p = end_of(s, e, v);
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

/* A place (3,) in the world as the screen has it (4,). */
static void on_screen(const float *p, const float *seen, float *to) {
    for (int r = 0; r < 4; r++)
        to[r] = seen[4 * r] * p[0] + seen[4 * r + 1] * p[1] + seen[4 * r + 2] * p[2] + seen[4 * r + 3];
}

/* n lines (n, 2, 4), as gremio_lines fills them, as quads so many pixels wide: fills corners
   (n, 4, 5) with their places on the screen, a little before the surface that they belong to, and
   how far along the line each is. A line that ends behind the eye is cut there. */
KERNEL void gremio_quads(whole n, const float *lines, const float *seen, const float *pixels,
                         double wide, float *corners) {
    const float near = 1e-3f, closer = 3e-5f;
    for (whole i = 0; i < n; i++) {
        float end[2][4], way[2], *quad = corners + 20 * i;
        memset(quad, 0, 20 * sizeof(float));
        for (int v = 0; v < 2; v++) on_screen(lines + 8 * i + 4 * v, seen, end[v]);
        if (end[0][3] < near && end[1][3] < near) continue;
        for (int v = 0; v < 2; v++) {
            float *one = end[v], *two = end[1 - v];
            if (one[3] >= near) continue;
            float share = (two[3] - near) / (two[3] - one[3]);
            for (int r = 0; r < 4; r++) one[r] = two[r] + share * (one[r] - two[r]);
        }
        for (int r = 0; r < 2; r++) way[r] = (end[1][r] / end[1][3] - end[0][r] / end[0][3]) * pixels[r];
        float reach = hypotf(way[0], way[1]);
        way[0] = reach > 1e-6f ? way[0] / reach : 1.0f;
        way[1] = reach > 1e-6f ? way[1] / reach : 0.0f;
        for (int v = 0; v < 4; v++, quad += 5) {
            const float *at = end[v / 2];
            float ahead = v < 2 ? -0.5f : 0.5f, side = v % 2 ? 1.0f : -1.0f;
            float x = (way[0] * ahead - way[1] * side) * (float)wide / pixels[0];
            float y = (way[1] * ahead + way[0] * side) * (float)wide / pixels[1];
            quad[0] = at[0] + x * at[3];
            quad[1] = at[1] + y * at[3];
            quad[2] = at[2] - closer * at[3];
            quad[3] = at[3];
            quad[4] = v < 2 ? 0.0f : lines[8 * i + 7];
        }
    }
}
