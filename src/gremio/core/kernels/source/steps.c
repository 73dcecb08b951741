/* The steps of a program that only multiply, add and hold: where channels begin, trains of one
   freedom, and stops. */
#include "gremio.h"

enum { BEGIN, HOLD, TRAIN };

/* One step; what its kind does not need is nothing.
   BEGIN: rows (n,) are put as they are asked for.
   HOLD: rows (n,) are brought within low, high (n,), slowing down from soft (2, n) before them.
   TRAIN: rows (n,) lead trains, which stop at low, high (n,) of what leads them, slowly from soft
   (2, n); held (n,): what leads it stops with it. Each follower (k,) is of a train: (k,), and at
   ratio * lead + offset. */
typedef struct {
    whole kind, n, k, soft_at_all, stopped;
    const whole *rows;
    const double *low, *high, *soft;
    const uint8_t *held;
    const whole *train, *followers;
    const double *ratio, *offset;
} Step;

/* A value held within stops, slowing down evenly from `at_low` and `at_high` before them: as
   `limits.softly`. */
static double softly(double x, double low, double high, double at_low, double at_high) {
    double over = between(x - (high - at_high), 0.0, 2 * at_high);
    double under = between((low + at_low) - x, 0.0, 2 * at_low);
    double held = x;
    if (over > 0) held = high - at_high + over - over * over / (at_high > 0 ? 4 * at_high : 1.0);
    if (under > 0) held = low + at_low - under + under * under / (at_low > 0 ? 4 * at_low : 1.0);
    if (x >= high + at_high) held = high;
    else if (x <= low - at_low) held = low;
    return between(held, low, high);
}

static void hold(const Step *s, double *channels, whole frames) {
    for (whole i = 0; i < s->n; i++) {
        double *row = channels + s->rows[i] * frames;
        double low = s->low[i], high = s->high[i];
        if (s->soft_at_all)
            for (whole f = 0; f < frames; f++)
                row[f] = softly(row[f], low, high, s->soft[i], s->soft[s->n + i]);
        else
            for (whole f = 0; f < frames; f++) row[f] = between(row[f], low, high);
    }
}

static void train(const Step *s, double *channels, double *asked, whole frames) {
    for (whole j = 0; j < s->k; j++) {
        const double *lead = channels + s->rows[s->train[j]] * frames;
        double *at = asked + s->followers[j] * frames, ratio = s->ratio[j], off = s->offset[j];
        for (whole f = 0; f < frames; f++) at[f] = lead[f] * ratio + off;
    }
    if (!s->stopped) {
        for (whole j = 0; j < s->k; j++)
            memcpy(channels + s->followers[j] * frames, asked + s->followers[j] * frames,
                   (size_t)frames * sizeof(double));
        return;
    }
    for (whole j = 0; j < s->k; j++) {
        whole i = s->train[j];
        const double *lead = channels + s->rows[i] * frames;
        double *at = channels + s->followers[j] * frames, ratio = s->ratio[j], off = s->offset[j];
        double low = s->low[i], high = s->high[i];
        for (whole f = 0; f < frames; f++)
            at[f] = softly(lead[f], low, high, s->soft[i], s->soft[s->n + i]) * ratio + off;
    }
    for (whole i = 0; i < s->n; i++) {
        double *lead = channels + s->rows[i] * frames;
        for (whole f = 0; s->held[i] && f < frames; f++)
            lead[f] = softly(lead[f], s->low[i], s->high[i], s->soft[i], s->soft[s->n + i]);
    }
}

/* Run some steps over channels and asked (C, F); returns how many values to begin with are no
   plain number: beyond `largest`, or none at all. */
KERNEL whole gremio_run_steps(const Step *steps, whole count, double *channels, double *asked,
                              whole frames, double largest) {
    whole wild = 0;
    for (whole i = 0; i < count; i++) {
        const Step *s = steps + i;
        if (s->kind == HOLD) hold(s, channels, frames);
        if (s->kind == TRAIN) train(s, channels, asked, frames);
        for (whole r = 0; s->kind == BEGIN && r < s->n; r++) {
            const double *from = asked + s->rows[r] * frames;
            double *to = channels + s->rows[r] * frames;
            for (whole f = 0; f < frames; f++) {
                to[f] = from[f];
                wild += !(fabs(from[f]) <= largest);
            }
        }
    }
    return wild;
}
