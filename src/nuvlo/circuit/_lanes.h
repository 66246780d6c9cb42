/* Some members side by side, a lane each, by the steps that _kernel.c takes with one: included once for each set of instructions of the processor,
 * LEVEL naming what is made for it. What is out of the ordinary in a lane is left to be done by itself. */

#define NUMBER Lanes
#define NAMED(name) LEVEL(name##_lanes)
#define TAKE(to, f, g) (to) -= (f) * (g)
#define TIMES(to, f, g) (to) = (f) * (g)
#define INVERSE(to, f) (to) = 1.0 / (f)
#define ANY(f) 1
#include "_elimination.h"
#undef NUMBER
#undef NAMED
#undef TAKE
#undef TIMES
#undef INVERSE

#define NUMBER ComplexLanes
#define NAMED(name) LEVEL(name##_complex_lanes)
#define TAKE(to, f, g) do { const ComplexLanes f_ = (f), g_ = (g); (to).re -= f_.re * g_.re - f_.im * g_.im; (to).im -= f_.re * g_.im + f_.im * g_.re; } while (0)
#define TIMES(to, f, g) do { const ComplexLanes f_ = (f), g_ = (g); (to).re = f_.re * g_.re - f_.im * g_.im; (to).im = f_.re * g_.im + f_.im * g_.re; } while (0)
#define INVERSE(to, f) do { const ComplexLanes f_ = (f); const Lanes by_ = 1.0 / (f_.re * f_.re + f_.im * f_.im); (to).re = f_.re * by_; (to).im = -f_.im * by_; } while (0)
#include "_elimination.h"
#undef NUMBER
#undef NAMED
#undef TAKE
#undef TIMES
#undef INVERSE
#undef ANY

/* A bit for each lane in which a mask is set. */
static inline int LEVEL(bits)(const Mask *of)
{
    int out = 0;
    for (int l = 0; l < LANES; l++) out |= ((*of)[l] != 0) << l;
    return out;
}

/* To about the last digit, by a power of two and a power series of what is left (W. J. Cody, W. Waite, Software Manual for the Elementary Functions,
 * 1980, ch. 6); nothing below 1e-304. */
static inline void LEVEL(exponential)(const Lanes *of, Lanes *to)
{
    const Mask large = *of > 709.782712893384, small = *of < -700.0, none = *of != *of;
    const Lanes held = SELECT(large | small, CONSTANT(0), *of);
    const Lanes turns = held * 1.4426950408889634 + 0x1.8p52; /* to a whole number, which stands in its last digits */
    const Lanes whole = turns - 0x1.8p52;
    const Lanes r = (held - whole * 0x1.62e42feep-1) - whole * 0x1.a39ef35793c76p-33;
    Lanes sum = r * (1.0 / 6227020800.0) + 1.0 / 479001600.0;
    sum = sum * r + 1.0 / 39916800.0;
    sum = sum * r + 1.0 / 3628800.0;
    sum = sum * r + 1.0 / 362880.0;
    sum = sum * r + 1.0 / 40320.0;
    sum = sum * r + 1.0 / 5040.0;
    sum = sum * r + 1.0 / 720.0;
    sum = sum * r + 1.0 / 120.0;
    sum = sum * r + 1.0 / 24.0;
    sum = sum * r + 1.0 / 6.0;
    sum = sum * r + 0.5;
    sum = sum * r * r + r + 1.0;
    const Lanes scaled = (Lanes)((Mask)sum + ((Mask)turns << 52));
    *to = SELECT(none, *of, SELECT(large, CONSTANT(INFINITY), SELECT(small, CONSTANT(0), scaled)));
}

#define NUMBER Lanes
#define NAMED(name) LEVEL(name##_lanes)
#define EXPONENTIAL(to, x) LEVEL(exponential)(&(x), &(to))
#include "_laws.h"
#undef NUMBER
#undef NAMED
#undef EXPONENTIAL

/* Currents and conductances at v; a bit for each lane in which something comes out as no number. */
static int LEVEL(evaluate_lanes)(Side *w, const Lanes *v, Lanes *current, Lanes *conductance)
{
    const Devices *d = w->d;
    for (int k = 0; k < d->branches; k++) w->signed_volts[k] = w->sign[k] * v[k];
    memset(current, 0, d->branches * sizeof(Lanes));
    memset(conductance, 0, d->entries * sizeof(Lanes));
    Lanes *into[] = {current, conductance}, **reg = w->reg;
    for (int k = 0; k < d->programs; k++) {
        const Program *q = d->program + k;
        for (int j = 0; j < q->inputs; j++)
            for (int i = 0; i < q->lanes; i++) reg[2 + j][i] = w->signed_volts[q->in_rows[j * q->lanes + i]];
        LEVEL(run_code_lanes)(q, reg);
        const int32_t *out = q->out;
        for (int j = 0; j < q->outs; j++, out += 2 + q->lanes)
            for (int i = 0; i < q->lanes; i++) into[out[1]][out[2 + i]] = reg[out[0]][i];
        reg += q->registers;
    }
    if (d->present_members) {
        const Lanes *there = w->present;
        for (int k = 0; k < d->branches; k++) current[k] = there[k] * current[k] + (1.0 - there[k]) * d->absent * w->signed_volts[k];
        for (int e = 0; e < d->entries; e++) {
            const Lanes share = there[d->rows[e]];
            conductance[e] = share * conductance[e];
            if (d->rows[e] == d->columns[e]) conductance[e] += (1.0 - share) * d->absent;
        }
    }
    Lanes sum = {0};
    for (int k = 0; k < d->branches; k++) { current[k] *= w->sign[k]; sum += 0.0 * current[k]; }
    for (int e = 0; e < d->entries; e++) sum += 0.0 * conductance[e];
    const Mask none = sum != 0.0; /* no number is not nothing either */
    return LEVEL(bits)(&none);
}

static void LEVEL(across_lanes)(const Devices *d, const Lanes *x, Lanes *v)
{
    for (int k = 0; k < d->branches; k++) {
        v[k] = d->plus[k] >= 0 ? x[d->plus[k]] : CONSTANT(0);
        if (d->minus[k] >= 0) v[k] -= x[d->minus[k]];
    }
}

/* A bit for each lane in which a junction was held. */
static int LEVEL(limit_lanes)(const Side *w, const Lanes *volts, const Lanes *old, Lanes *out)
{
    const Devices *d = w->d;
    int any = 0;
    for (int k = 0; k < d->branches; k++) {
        const Lanes new_volts = w->sign[k] * volts[k], before = w->sign[k] * old[k];
        Lanes held = new_volts;
        const Mask far = SIZE_OF(new_volts - before) > 2.0 * d->step[k];
        Mask jumps = far & (new_volts > d->critical[k]);
        if (d->breaks && isfinite(d->knee[k])) jumps |= far & (-(new_volts + d->knee[k]) > d->critical[k]);
        const int those = LEVEL(bits)(&jumps);
        for (int l = 0; those >> l; l++) {
            if (!(those >> l & 1)) continue;
            int jumped = 0, broken = 0;
            held[l] = along(new_volts[l], before[l], d->step[k], d->critical[k], &jumped);
            if (d->breaks && isfinite(d->knee[k])) {
                const double mirrored = along(-(new_volts[l] + d->knee[k]), -(before[l] + d->knee[k]), d->step[k], d->critical[k], &broken);
                if (broken) held[l] = -(mirrored + d->knee[k]);
            }
            any |= (jumped | broken) << l;
        }
        out[k] = w->sign[k] * held;
    }
    return any;
}

/* Which lanes of x (size) miss an equation by more than a share ``limit`` of its terms, as bits; and which by more than ``finely``, but not wholly. */
static int LEVEL(missed_lanes)(Side *w, const Lanes *x, double limit, double finely, Mask *coarse)
{
    const Plan *p = w->alone->p;
    for (int k = 0; k < p->size; k++) { w->off[k] = -w->right[k]; w->size[k] = SIZE_OF(w->right[k]); }
    for (int s = 0; s < p->own; s++) {
        const Lanes term = w->a[s] * x[p->column[s]];
        w->off[p->row[s]] += term;
        w->size[p->row[s]] += SIZE_OF(term);
    }
    Mask bad = {0}, rough = {0}, wild = {0};
    for (int k = 0; k < p->size; k++) {
        const Lanes by = SIZE_OF(w->off[k]);
        const Mask counts = ~(by <= 1e-30);
        bad |= counts & ~(by <= limit * w->size[k]);
        rough |= counts & (by > finely * w->size[k]);
        wild |= counts & ~(by < w->size[k]);
    }
    *coarse = rough & ~wild;
    return LEVEL(bits)(&bad);
}

/* Solve all lanes in the order of a plan; a bit for each that it does not suit. */
static int LEVEL(in_order_lanes)(Side *w, const Plan *p, double limit, Lanes *x)
{
    Lanes *used = room_for(&w->used, p->slots, 1);
    if (!used) return -1;
    memcpy(used, w->a, p->own * sizeof(Lanes));
    memset(used + p->own, 0, (p->slots - p->own) * sizeof(Lanes));
    memcpy(w->b, w->right, p->size * sizeof(Lanes));
    LEVEL(planned_lanes)(p, used, w->b, x, 1);
    Mask coarse;
    int bad = LEVEL(missed_lanes)(w, x, limit, FINELY * limit, &coarse);
    if (LEVEL(bits)(&coarse)) { /* once more on what is left over */
        for (int k = 0; k < p->size; k++) w->b[k] = -w->off[k];
        LEVEL(planned_again_lanes)(p, used, w->b, w->off);
        for (int k = 0; k < p->size; k++) x[k] = SELECT(coarse, x[k] + w->off[k], x[k]);
        bad = LEVEL(missed_lanes)(w, x, limit, FINELY * limit, &coarse);
    }
    Lanes sum = {0};
    for (int k = 0; k < p->size; k++) sum += 0.0 * x[k];
    const Mask none = sum != 0.0;
    return bad | LEVEL(bits)(&none);
}

/* A step of all lanes; of those that count a bit for each that no order at hand suits. */
static int LEVEL(step_lanes)(Side *w, const Rules *r, int counts, const Lanes *current, const Lanes *conductance)
{
    const Devices *d = w->d;
    const int size = w->alone->p->size, own = w->alone->p->own;
    memcpy(w->a, w->base, own * sizeof(Lanes));
    memcpy(w->equivalent, current, d->branches * sizeof(Lanes));
    for (int e = 0; e < d->entries; e++) w->equivalent[d->rows[e]] -= conductance[e] * w->old[d->columns[e]];
    for (int s = 0; s < d->stamps; s++) {
        if (d->stamp[3 * s + 2] > 0) w->a[d->stamp[3 * s]] += conductance[d->stamp[3 * s + 1]];
        else w->a[d->stamp[3 * s]] -= conductance[d->stamp[3 * s + 1]];
    }
    memcpy(w->right, w->drive, size * sizeof(Lanes));
    for (int k = 0; k < d->branches; k++) {
        if (d->out_of[k] >= 0) w->right[d->out_of[k]] -= w->equivalent[k];
        if (d->into[k] >= 0) w->right[d->into[k]] += w->equivalent[k];
    }
    Orders *o = &w->alone->orders;
    int unsuited = counts;
    for (int k = 0, hopeless = 0; unsuited & ~hopeless; k++) { /* those at hand, then one for the first lane that none suits */
        const int made = k >= o->count, lane = __builtin_ctz(unsuited & ~hopeless);
        const Plan *p = made ? order_for(w, lane, r->threshold) : o->list[k];
        if (!p) break;
        const int suited = unsuited & ~LEVEL(in_order_lanes)(w, p, r->residual, w->again);
        const Mask those = MASK(suited);
        for (int j = 0; suited && j < size; j++) w->fresh[j] = SELECT(those, w->again[j], w->fresh[j]);
        unsuited &= ~suited;
        if (made) hopeless |= 1 << lane;
        else if (suited && !unsuited) prefer(o, k);
    }
    return unsuited;
}

/* Newton on all that are asked for. A lane whose member is found is given the next, but not before half of them are idle, since what begins is evaluated
 * by itself; one that cannot go on is left to be done by itself, from where it is. */
static void LEVEL(newton_lanes)(Side *w, Told *told)
{
    const Rules *r = told->r;
    const Devices *d = w->d;
    const int n = w->alone->p->size, b = d->branches;
    Lanes *current = w->current[0], *conductance = w->conductance[0], *later = w->current[1], *slopes = w->conductance[1];
    int active = 0;
    for (;;) {
        if (told->next < told->many && 2 * __builtin_popcount(active) <= LANES) {
            const int fresh = load(w, told, active);
            const int none = fresh & LEVEL(evaluate_lanes)(w, w->old, current, conductance);
            for (int l = 0; none >> l; l++) if (none >> l & 1) told->status[w->of[l]] = HANDED_BACK;
            active |= fresh & ~none;
        }
        if (!active) break;
        const int unsuited = LEVEL(step_lanes)(w, r, active, current, conductance);
        for (int l = 0; unsuited >> l; l++) if (unsuited >> l & 1) leave(told, w, l);
        active &= ~unsuited;
        LEVEL(across_lanes)(d, w->fresh, w->volts);
        const int held = LEVEL(limit_lanes)(w, w->volts, w->old, w->limited);
        Mask near = ~(Mask){0};
        for (int k = 0; k < n; k++) near &= SIZE_OF(w->fresh[k] - w->now[k]) <= r->reltol * SIZE_OF(w->fresh[k]) + r->floor[k];
        const int settled = LEVEL(bits)(&near) & ~held;
        Lanes share = {0};
        for (int l = 0; l < LANES; l++) share[l] = settled >> l & 1 ? 1.0 : share_at(r, w->turn[l]);
        const Mask less = share < 1.0;
        if (active & LEVEL(bits)(&less)) {
            for (int k = 0; k < n; k++) w->fresh[k] = SELECT(less, w->now[k] + share * (w->fresh[k] - w->now[k]), w->fresh[k]);
            LEVEL(across_lanes)(d, w->fresh, w->volts);
            LEVEL(limit_lanes)(w, w->volts, w->old, w->limited);
        }
        const int none = active & LEVEL(evaluate_lanes)(w, w->limited, later, slopes);
        for (int l = 0; none >> l; l++) if (none >> l & 1) told->status[w->of[l]] = HANDED_BACK;
        active &= ~none;
        int done = active & settled;
        if (done) {
            Mask sound = ~(Mask){0};
            if (d->formulas < b) { /* what each carries is what its straight line foretold */
                Lanes *expected = w->equivalent;
                memcpy(expected, current, b * sizeof(Lanes));
                for (int e = 0; e < d->entries; e++) expected[d->rows[e]] += conductance[e] * (w->volts[d->columns[e]] - w->old[d->columns[e]]);
                for (int k = d->formulas; k < b; k++) sound &= SIZE_OF(later[k] - expected[k]) <= r->foretold * SIZE_OF(later[k]) + r->negligible;
            }
            for (int k = 0; k < d->formulas; k++) sound &= SIZE_OF(later[k]) < r->absurd;
            done &= LEVEL(bits)(&sound);
            for (int l = 0; done >> l; l++) if (done >> l & 1) found(told, w, l);
            active &= ~done;
        }
        for (int l = 0; active >> l; l++)
            if (active >> l & 1 && ++w->turn[l] >= r->turns) { told->status[w->of[l]] = LOST; active &= ~(1 << l); }
        Lanes *t = w->now; w->now = w->fresh; w->fresh = t;
        t = w->old; w->old = w->limited; w->limited = t;
        t = current; current = later; later = t;
        t = conductance; conductance = slopes; slopes = t;
    }
}

/* Solve all lanes for what swings in the order of a plan; a bit for each that it does not suit. */
static int LEVEL(swing_in_order)(Swing *w, const Plan *p, double limit, ComplexLanes *x)
{
    const int m = w->m;
    ComplexLanes *used = (ComplexLanes *)room_for(&w->used, p->slots, 2);
    if (!used) return -1;
    memcpy(used, w->a, p->own * sizeof *used);
    memset(used + p->own, 0, (p->slots - p->own) * sizeof *used);
    memcpy(w->left, w->b, (size_t)p->size * m * sizeof *used);
    LEVEL(planned_complex_lanes)(p, used, w->left, x, m);
    for (int k = 0; k < p->size; k++) {
        w->off[k].re = -w->b[k * m].re; w->off[k].im = -w->b[k * m].im;
        w->size[k] = SIZE_OF(w->b[k * m].re) + SIZE_OF(w->b[k * m].im);
    }
    for (int s = 0; s < p->own; s++) {
        const ComplexLanes f = w->a[s], g = x[p->column[s] * m];
        const Lanes re = f.re * g.re - f.im * g.im, im = f.re * g.im + f.im * g.re;
        const int row = p->row[s];
        w->off[row].re += re; w->off[row].im += im;
        w->size[row] += SIZE_OF(re) + SIZE_OF(im);
    }
    Mask bad = {0};
    for (int k = 0; k < p->size; k++) {
        const Lanes by = SIZE_OF(w->off[k].re) + SIZE_OF(w->off[k].im);
        bad |= ~(by <= 1e-30) & ~(by <= limit * w->size[k]);
    }
    return LEVEL(bits)(&bad);
}

/* The same in what order there is; of those that count a bit for each that none suits. */
static int LEVEL(swing_lanes)(Swing *w, int counts, double limit, double threshold)
{
    Orders *o = &w->orders;
    int unsuited = counts;
    for (int k = 0, hopeless = 0; unsuited & ~hopeless; k++) {
        const int made = k >= o->count, lane = __builtin_ctz(unsuited & ~hopeless);
        const Plan *p = made ? swing_order_for(w, lane, threshold) : o->list[k];
        if (!p) break;
        const int suited = unsuited & ~LEVEL(swing_in_order)(w, p, limit, w->again);
        const Mask those = MASK(suited);
        for (size_t j = 0; suited && j < (size_t)p->size * w->m; j++) {
            w->x[j].re = SELECT(those, w->again[j].re, w->x[j].re);
            w->x[j].im = SELECT(those, w->again[j].im, w->x[j].im);
        }
        unsuited &= ~suited;
        if (made) hopeless |= 1 << lane;
        else if (suited && !unsuited) prefer(o, k);
    }
    return unsuited;
}
