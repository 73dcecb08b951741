/* Profiles of cubic spans: their heights, and the areas under them. */
#include "gremio.h"

/* Floored division's rest, with the sign of what it is divided by, as NumPy's mod. */
static double rest_of(double x, double by) {
    double rest = fmod(x, by);
    return rest != 0.0 && (rest < 0.0) != (by < 0.0) ? rest + by : rest;
}

/* k profiles of up to n stations, at their own lead: row rows[i] of channels (C, F).
   x: (k, n). c: (k, n - 1, 4). last: (k,) the last span. first, end: (k,) the outer stations.
   slopes: (2, k) beyond them. rounds: (2, k) whether it comes round there.
   Fills result (k, F), and span (k, F) where that is not NULL. */
KERNEL void gremio_bank(whole k, whole n, const double *x, const double *c, const whole *last,
                        const double *first, const double *end, const double *slopes,
                        const uint8_t *rounds, const double *channels, const whole *rows,
                        whole frames, double *result, whole *span) {
    for (whole i = 0; i < k; i++) {
        const double *lead = channels + rows[i] * frames, *at = x + i * n;
        const double *cubics = c + i * (n - 1) * 4;
        double low = first[i], high = end[i];
        whole j = 0;
        for (whole f = 0; f < frames; f++) {
            double asked = lead[f], q = asked;
            if (asked < low) q = rounds[i] ? low + rest_of(asked - low, high - low) : low;
            else if (asked > high)
                q = rounds[k + i] ? low + rest_of(asked - low, high - low) : high;
            /* From one frame to the next a lead mostly stays in its span. */
            while (j > 0 && at[j] > q) j--;
            while (j < last[i] && at[j + 1] <= q) j++;
            const double *cubic = cubics + 4 * j;
            double u = q - at[j];
            double y = ((cubic[0] * u + cubic[1]) * u + cubic[2]) * u + cubic[3];
            if (asked < low && !rounds[i]) y += (asked - low) * slopes[i];
            else if (asked > high && !rounds[k + i]) y += (asked - high) * slopes[k + i];
            result[i * frames + f] = y;
            if (span) span[i * frames + f] = j;
        }
    }
}

/* The areas under M profiles from their first station to each of F places, less so much of each.
   first: (M + 1,) where the stations of each begin in x (S,), c (S, 4), and upto (S,), the areas
   up to each. ends: (M, 2) heights beyond. Fills result (M, F). */
KERNEL void gremio_totals(whole m, const whole *first, const double *x, const double *c,
                          const double *upto, const double *ends, const double *less,
                          const double *at, whole frames, double *result) {
    for (whole i = 0; i < m; i++) {
        whole begin = first[i], last = first[i + 1] - 2, j = begin;
        double low = x[begin], high = x[last + 1];
        for (whole f = 0; f < frames; f++) {
            double asked = at[f], q = between(asked, low, high);
            while (j > begin && x[j] > q) j--;
            while (j < last && x[j + 1] <= q) j++;
            const double *cubic = c + 4 * j;
            double u = q - x[j];
            double area = (((cubic[0] / 4 * u + cubic[1] / 3) * u + cubic[2] / 2) * u + cubic[3]) * u;
            double found = upto[j] + area;
            if (asked < low) found += (asked - low) * ends[2 * i];
            else if (asked > high) found += (asked - high) * ends[2 * i + 1];
            result[i * frames + f] = found - less[i];
        }
    }
}
