/* Elimination in a planned order: included once for each kind of number. NUMBER is the type, NAMED the name of what works on it; TAKE(to, f, g) takes
 * f·g from a number, TIMES(to, f, g) and INVERSE(to, f) put a number there, ANY(f) says whether it is not nothing. Where SIZE is known, the size of
 * one, what needs no order is here too. */

/* The solution x (size, m) of what elimination has made of a and b. */
static inline void NAMED(put_back)(const Plan *p, const NUMBER *a, const NUMBER *b, NUMBER *x, const int m)
{
    for (const int32_t *c = p->back, *end = c + p->back_length; c < end;) {
        const int row = c[0], column = c[1], pivot = c[2], tail = c[3];
        c += 4;
        for (int j = 0; j < m; j++) {
            NUMBER total = b[row * m + j];
            for (int k = 0; k < tail; k++) TAKE(total, a[c[2 * k + 1]], x[c[2 * k] * m + j]);
            TIMES(x[column * m + j], total, a[pivot]);
        }
        c += 2 * tail;
    }
}

/* The same for another b (size), with a as elimination left it. */
static inline void NAMED(planned_again)(const Plan *p, const NUMBER *a, NUMBER *b, NUMBER *x)
{
    for (const int32_t *c = p->forward, *end = c + p->forward_length; c < end;) {
        const int pivot = c[0], row = c[1];
        int others = c[2];
        NUMBER share;
        TIMES(share, a[pivot], b[row]);
        for (c += 3; others--; c += 3 + 2 * c[2]) TAKE(b[c[0]], a[c[1]], share);
    }
    NAMED(put_back)(p, a, b, x, 1);
}

/* a (slots) and b (size, m) are used up. Where there is no order, or the numbers do not suit it, x (size, m) is not the solution. */
static inline void NAMED(planned)(const Plan *p, NUMBER *a, NUMBER *b, NUMBER *x, const int m)
{
    const int32_t *c = p->forward, *end = c + p->forward_length;
    while (c < end) {
        const int pivot = c[0], row = c[1];
        int others = c[2];
        c += 3;
        NUMBER inverse, factor;
        INVERSE(inverse, a[pivot]);
        a[pivot] = inverse;
        while (others--) {
            const int other = c[0], slot = c[1], changes = c[2];
            TIMES(factor, a[slot], inverse);
            c += 3;
            if (ANY(factor)) {
                for (int k = 0; k < changes; k++) TAKE(a[c[2 * k]], factor, a[c[2 * k + 1]]);
                for (int j = 0; j < m; j++) TAKE(b[other * m + j], factor, b[row * m + j]);
            }
            c += 2 * changes;
        }
    }
    NAMED(put_back)(p, a, b, x, m);
}

#ifdef SIZE

/* Rows and columns brought to one size, then elimination with the largest of each column. 0 where there is no solution. */
static int NAMED(in_full)(const Plan *p, const NUMBER *a, const NUMBER *b, NUMBER *m, double *rows, double *columns, NUMBER *x)
{
    const int n = p->size;
    memset(m, 0, sizeof(NUMBER) * n * n);
    for (int s = 0; s < p->own; s++) m[(size_t)p->row[s] * n + p->column[s]] += a[s];
    for (int r = 0; r < n; r++) {
        double most = 0;
        for (int c = 0; c < n; c++) if (SIZE(m[(size_t)r * n + c]) > most) most = SIZE(m[(size_t)r * n + c]);
        rows[r] = 1.0 / (most > 1e-300 ? most : 1e-300);
        for (int c = 0; c < n; c++) m[(size_t)r * n + c] *= rows[r];
        x[r] = b[r] * rows[r];
    }
    for (int c = 0; c < n; c++) {
        double most = 0;
        for (int r = 0; r < n; r++) if (SIZE(m[(size_t)r * n + c]) > most) most = SIZE(m[(size_t)r * n + c]);
        columns[c] = 1.0 / (most > 1e-300 ? most : 1e-300);
        for (int r = 0; r < n; r++) m[(size_t)r * n + c] *= columns[c];
    }
    for (int c = 0; c < n; c++) {
        int best = c;
        for (int r = c + 1; r < n; r++) if (SIZE(m[(size_t)r * n + c]) > SIZE(m[(size_t)best * n + c])) best = r;
        const NUMBER pivot = m[(size_t)best * n + c];
        if (!(SIZE(pivot) > 0)) return 0;
        if (best != c) {
            for (int k = c; k < n; k++) { NUMBER t = m[(size_t)c * n + k]; m[(size_t)c * n + k] = m[(size_t)best * n + k]; m[(size_t)best * n + k] = t; }
            NUMBER t = x[c]; x[c] = x[best]; x[best] = t;
        }
        const NUMBER *from = m + (size_t)c * n;
        for (int r = c + 1; r < n; r++) {
            NUMBER *to = m + (size_t)r * n;
            if (to[c] == 0.0) continue;
            const NUMBER factor = to[c] / pivot;
            for (int k = c + 1; k < n; k++) to[k] -= factor * from[k];
            x[r] -= factor * x[c];
        }
    }
    for (int c = n - 1; c >= 0; c--) {
        NUMBER total = x[c];
        for (int k = c + 1; k < n; k++) total -= m[(size_t)c * n + k] * x[k];
        x[c] = total / m[(size_t)c * n + c];
    }
    for (int c = 0; c < n; c++) x[c] *= columns[c];
    return 1;
}
#endif
