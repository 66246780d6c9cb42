/* What the solver does over and over, for each member of an ensemble by itself or for some side by side (_lanes.h): the laws of the devices,
 * elimination in a planned order, and Newton's iteration over both. All that is said here is said in Python too (tape.py records the laws as they are written there,
 * elimination.py, operating_point.py, transient.py); without this file the same answers take longer. See kernel.py for the shapes. */
#define PY_SSIZE_T_CLEAN
#include <Python.h>
#include <complex.h>
#include <math.h>
#include <stdint.h>
#include <stdlib.h>
#include <string.h>

enum { LOST, FOUND, HANDED_BACK };
#define FINELY 1e-2 /* share of what a solution may miss an equation by, from which it is mended */
#define ORDERS 6 /* of elimination that are at hand at once */
#define MOST_MADE 64 /* made in one call */
#define FULLEST 300 /* unknowns: what is larger is not solved as a full matrix, but handed back */

/* ---- arrays of Python, kept as long as what uses them ------------------------------------------------------------------------- */

typedef struct { Py_buffer *view; int count, room; } Held;

static void *keep(Held *held, PyObject *of, Py_ssize_t width, Py_ssize_t count, int writable)
{
    if (held->count == held->room) {
        int room = held->room ? 2 * held->room : 16;
        Py_buffer *more = realloc(held->view, room * sizeof(Py_buffer));
        if (!more) { PyErr_NoMemory(); return NULL; }
        held->view = more; held->room = room;
    }
    Py_buffer *view = held->view + held->count;
    if (PyObject_GetBuffer(of, view, writable ? PyBUF_C_CONTIGUOUS | PyBUF_WRITABLE : PyBUF_C_CONTIGUOUS)) return NULL;
    held->count++;
    if (view->itemsize != width || (count >= 0 && view->len != count * width)) {
        PyErr_Format(PyExc_ValueError, "an array of %zd items of %zd bytes where %zd of %zd are wanted", view->len / view->itemsize, view->itemsize, count, width);
        return NULL;
    }
    return view->buf ? view->buf : (void *)"";
}

static void let_go(Held *held)
{
    for (int k = 0; k < held->count; k++) PyBuffer_Release(held->view + k);
    free(held->view);
    memset(held, 0, sizeof *held);
}

#define DOUBLES(to, of, n) do { if (!((to) = keep(held, of, sizeof(double), n, 0))) goto failed; } while (0)
#define INTEGERS(to, of, n) do { if (!((to) = keep(held, of, sizeof(int32_t), n, 0))) goto failed; } while (0)
#define RESULTS(to, of, n) do { if (!((to) = keep(held, of, sizeof(double), n, 1))) goto failed; } while (0)

/* Python hands over what strangers' netlists were made into: no index is trusted before it was looked at. A ValueError where one of `count`
 * numbers, each `apart` from the one before, is below `least` or not below `end`. */
static int within(const int32_t *of, Py_ssize_t count, Py_ssize_t apart, long least, long end, const char *what)
{
    for (Py_ssize_t k = 0; k < count; k++)
        if (of[k * apart] < least || of[k * apart] >= end) {
            PyErr_Format(PyExc_ValueError, "%s: %d is not from %ld up to %ld", what, (int)of[k * apart], least, end - 1);
            return 0;
        }
    return 1;
}

static int32_t largest_of(const int32_t *of, Py_ssize_t count, Py_ssize_t apart)
{
    int32_t most = -1;
    for (Py_ssize_t k = 0; k < count; k++) if (of[k * apart] > most) most = of[k * apart];
    return most;
}

#define WITHIN(of, count, apart, least, end, what) do { if (!within(of, count, apart, least, end, what)) goto failed; } while (0)
#define AT_LEAST(number, least, what) do { \
    const int32_t given = (int32_t)(number); \
    if (!within(&given, 1, 1, least, 1L + INT32_MAX, what)) goto failed; \
} while (0)

/* ---- laws: straight lines of operations over the devices of one kind ----------------------------------------------------------- */

enum {
    ADD, SUB, MUL, DIV, NEG, ABS, MIN, MAX, EXP, LOG, LOG10, SQRT, POW, TAN, TANH, ATAN, SIN, COS, SINH, COSH, ASIN, ACOS, ASINH, ACOSH,
    ATANH, FLOOR, CEIL, TRUNC, RINT, FMOD, SIGN, LT, LE, GT, GE, EQ, NE, AND, OR, NOT, WHERE, STEEP
};
#define STEEPEST 1e12

typedef struct {
    int lanes, inputs, fixed, varying, ops, outs, registers;
    const int32_t *in_rows, *code, *out; /* (inputs, lanes); (ops, 5) op to a b c; (outs, 2 + lanes) register, kind, rows */
    const double *fixed_values, *varying_values; /* (fixed, lanes); (members or 1, varying, lanes) */
} Program;

#define NUMBER double
#define NAMED(name) name
#define CONSTANT(x) (x)
#define TRUTH(condition) ((double)(condition))
#define SELECT(condition, yes, no) ((condition) ? (yes) : (no))
#define SIZE_OF(x) fabs(x)
#define EXPONENTIAL(to, x) (to) = exp(x)
#define BY_ITSELF(to, function, x) (to) = function(x)
#define OF_TWO(to, function, x, y) (to) = function(x, y)
#include "_laws.h"
#undef NUMBER
#undef NAMED
#undef CONSTANT
#undef TRUTH
#undef SELECT
#undef SIZE_OF
#undef EXPONENTIAL
#undef BY_ITSELF
#undef OF_TWO

/* ---- devices ------------------------------------------------------------------------------------------------------------------- */

typedef struct {
    Held held;
    int branches, entries, programs, stamps, breaks, nodes, formulas; /* formulas: from this branch on they are those of expressions */
    int sign_members, present_members; /* 1 where all share; present 0 where nothing is missing */
    const int32_t *rows, *columns, *plus, *minus, *out_of, *into, *stamp; /* (stamps, 3) slot, entry, sign */
    const double *sign, *present, *step, *critical, *knee;
    double absent;
    int unknowns, slots, members; /* that its indices speak of: one more than the largest; members INT_MAX where all share all */
    int charges; /* whether the programs say what is stored too */
    Program *program;
} Devices;

static void free_devices(PyObject *capsule)
{
    Devices *d = PyCapsule_GetPointer(capsule, "devices");
    if (!d) return;
    let_go(&d->held);
    free(d->program);
    free(d);
}

static PyObject *make_devices(PyObject *self, PyObject *args)
{
    PyObject *rows, *columns, *plus, *minus, *out_of, *into, *stamp, *sign, *present, *step, *critical, *knee, *programs;
    Devices *d = calloc(1, sizeof *d);
    if (!d) return PyErr_NoMemory();
    Held *held = &d->held;
    if (!PyArg_ParseTuple(args, "iiiiiiiiidOOOOOOOOOOOOO!", &d->branches, &d->entries, &d->stamps, &d->breaks, &d->nodes, &d->formulas,
                          &d->sign_members, &d->present_members, &d->charges, &d->absent, &rows, &columns, &plus, &minus, &out_of, &into, &stamp, &sign,
                          &present, &step, &critical, &knee, &PyList_Type, &programs))
        goto failed;
    const int b = d->branches, e = d->entries;
    AT_LEAST(b, 0, "branches"); AT_LEAST(e, 0, "entries"); AT_LEAST(d->stamps, 0, "stamps"); AT_LEAST(d->nodes, 0, "nodes");
    AT_LEAST(d->formulas, 0, "formulas"); AT_LEAST(d->sign_members, 1, "members of signs"); AT_LEAST(d->present_members, 0, "members that are there");
    INTEGERS(d->rows, rows, e); INTEGERS(d->columns, columns, e);
    INTEGERS(d->plus, plus, b); INTEGERS(d->minus, minus, b); INTEGERS(d->out_of, out_of, b); INTEGERS(d->into, into, b);
    INTEGERS(d->stamp, stamp, 3 * d->stamps);
    DOUBLES(d->sign, sign, (Py_ssize_t)d->sign_members * b);
    DOUBLES(d->present, present, (Py_ssize_t)d->present_members * b);
    DOUBLES(d->step, step, b); DOUBLES(d->critical, critical, b); DOUBLES(d->knee, knee, b);
    WITHIN(d->rows, e, 1, 0, b, "rows of entries"); WITHIN(d->columns, e, 1, 0, b, "columns of entries");
    const int32_t *ends[] = {d->plus, d->minus, d->out_of, d->into};
    for (int k = 0; k < 4; k++) {
        WITHIN(ends[k], b, 1, -1, INT32_MAX, "ends of branches");
        const int32_t most = largest_of(ends[k], b, 1) + 1;
        if (most > d->unknowns) d->unknowns = most;
    }
    WITHIN(d->stamp, d->stamps, 3, 0, INT32_MAX, "slots of stamps"); WITHIN(d->stamp + 1, d->stamps, 3, 0, e, "entries of stamps");
    d->slots = largest_of(d->stamp, d->stamps, 3) + 1;
    d->members = INT32_MAX;
    if (d->sign_members > 1) d->members = d->sign_members;
    if (d->present_members > 1 && d->present_members < d->members) d->members = d->present_members;
    d->programs = (int)PyList_GET_SIZE(programs);
    d->program = calloc(d->programs ? d->programs : 1, sizeof(Program));
    if (!d->program) { PyErr_NoMemory(); goto failed; }
    for (int k = 0; k < d->programs; k++) {
        Program *p = d->program + k;
        PyObject *in_rows, *code, *out, *fixed, *varying;
        if (!PyArg_ParseTuple(PyList_GET_ITEM(programs, k), "iiiiiiiOOOOO", &p->lanes, &p->inputs, &p->fixed, &p->varying, &p->ops, &p->outs,
                              &p->registers, &in_rows, &code, &out, &fixed, &varying))
            goto failed;
        const int first = 2 + p->inputs + p->fixed + p->varying; /* of the registers that may be written */
        AT_LEAST(p->lanes, 0, "lanes"); AT_LEAST(p->inputs, 0, "inputs"); AT_LEAST(p->fixed, 0, "constants"); AT_LEAST(p->varying, 0, "varying constants");
        AT_LEAST(p->ops, 0, "operations"); AT_LEAST(p->outs, 0, "outputs"); AT_LEAST(p->registers, first, "registers");
        INTEGERS(p->in_rows, in_rows, (Py_ssize_t)p->inputs * p->lanes);
        INTEGERS(p->code, code, (Py_ssize_t)p->ops * 5);
        INTEGERS(p->out, out, (Py_ssize_t)p->outs * (2 + p->lanes));
        DOUBLES(p->fixed_values, fixed, (Py_ssize_t)p->fixed * p->lanes);
        DOUBLES(p->varying_values, varying, -1);
        WITHIN(p->in_rows, (Py_ssize_t)p->inputs * p->lanes, 1, 0, b, "rows of inputs");
        WITHIN(p->code, p->ops, 5, ADD, STEEP + 1, "operations"); WITHIN(p->code + 1, p->ops, 5, first, p->registers, "registers written");
        for (int j = 2; j < 5; j++) WITHIN(p->code + j, p->ops, 5, 0, p->registers, "registers read");
        for (int j = 0; j < p->outs; j++) {
            const int32_t *out = p->out + (Py_ssize_t)j * (2 + p->lanes);
            WITHIN(out, 1, 1, 0, p->registers, "registers given out"); WITHIN(out + 1, 1, 1, 0, d->charges ? 4 : 2, "kinds of outputs");
            WITHIN(out + 2, p->lanes, 1, 0, out[1] % 2 ? e : b, "rows of outputs");
        }
        if (p->varying && p->lanes) {
            const Py_ssize_t each = (Py_ssize_t)p->varying * p->lanes * (Py_ssize_t)sizeof(double), there = held->view[held->count - 1].len / each;
            AT_LEAST(there, 1, "members of varying constants");
            if (there < d->members) d->members = (int)there;
        }
    }
    PyObject *out = PyCapsule_New(d, "devices", free_devices);
    if (out) return out;
failed:
    let_go(held);
    free(d->program); free(d);
    return NULL;
}

/* ---- plan of elimination --------------------------------------------------------------------------------------------------------- */

typedef struct Plan Plan;

/* Those that suited some numbers, the one that did so last first. */
typedef struct { Plan *list[ORDERS]; int count, made; } Orders;

struct Plan {
    Held held;
    int size, own, slots, forward_length, back_length; /* own: slots of the circuit, before those that elimination fills in */
    const int32_t *row, *column;
    int32_t *forward, *back;
    Orders others; /* that suited numbers which this one did not suit, in calls before */
};

static void free_order(Plan *p) { free(p->forward); free(p->back); free(p); }

static void free_orders(Orders *o, const Plan *but)
{
    for (int k = 0; k < o->count; k++) if (o->list[k] != but) free_order(o->list[k]);
    o->count = 0;
}

static void prefer(Orders *o, int k)
{
    Plan *p = o->list[k];
    memmove(o->list + 1, o->list, k * sizeof *o->list);
    o->list[0] = p;
}

static void forget(Orders *o, int k)
{
    memmove(o->list + k, o->list + k + 1, (--o->count - k) * sizeof *o->list);
}

/* For the time of a call, made while no other thread of Python runs: a plan with all that suited others. Nothing where it has no order itself. */
static Orders taken_from(Plan *p)
{
    Orders o = {0};
    if (!p->forward_length) return o;
    o = p->others;
    p->others.count = 0;
    o.list[o.count++] = p;
    prefer(&o, o.count - 1);
    o.made = 0;
    return o;
}

/* And given back afterwards: another call may have done so meanwhile. */
static void give_back(Plan *p, Orders *o)
{
    if (p->others.count) free_orders(o, p);
    for (int k = 0; k < o->count; k++) if (o->list[k] != p) p->others.list[p->others.count++] = o->list[k];
    o->count = 0;
}

static void free_plan(PyObject *capsule)
{
    Plan *p = PyCapsule_GetPointer(capsule, "plan");
    if (!p) return;
    let_go(&p->held);
    free_orders(&p->others, NULL);
    free_order(p);
}

/* Orders of least cost (H. M. Markowitz, "The elimination form of the inverse", Management Science 3, 1957) among pivots not much smaller than
 * the largest of their row; dense, as circuits planned here are small. No order where a row is nothing. */
#define MAGNITUDE(of) (fabs(creal(of)) + fabs(cimag(of)))
typedef struct { int32_t *at; int length, room; } List;

static int put(List *list, int32_t value)
{
    if (list->length == list->room) {
        int room = list->room ? 2 * list->room : 256;
        int32_t *more = realloc(list->at, room * sizeof(int32_t));
        if (!more) return 0;
        list->at = more; list->room = room;
    }
    list->at[list->length++] = value;
    return 1;
}

static int find_order(Plan *p, double complex *dense, int32_t *slot, char *filled, int32_t *pivot_of, int32_t *listed, double threshold)
{
    const int n = p->size;
    List forward = {0}, back = {0};
    int *open = pivot_of + 2 * n, *in_row = open + 2 * n, *in_column = in_row + n, *length = in_column + n; /* open rows, then open columns */
    for (int k = 0; k < 2 * n; k++) open[k] = 1;
    for (int r = 0; r < n; r++) for (int c = 0; c < n; c++) if (filled[r * n + c]) listed[r * n + length[r]++] = c; /* columns of each row */
    p->slots = p->own;
    for (int step = 0; step < n; step++) {
        int row = -1, column = -1;
        double least = INFINITY;
        memset(in_row, 0, 2 * n * sizeof(int));
        for (int r = 0; r < n; r++) {
            if (!open[r]) continue;
            int *list = listed + r * n, left = 0;
            for (int k = 0; k < length[r]; k++) if (open[n + list[k]]) { in_column[list[k]]++; list[left++] = list[k]; }
            in_row[r] = length[r] = left;
        }
        for (int r = 0; r < n; r++) {
            if (!open[r]) continue;
            double most = 0;
            const int *list = listed + r * n;
            for (int k = 0; k < length[r]; k++) if (MAGNITUDE(dense[r * n + list[k]]) > most) most = MAGNITUDE(dense[r * n + list[k]]);
            if (!(most > 0)) goto none;
            for (int k = 0; k < length[r]; k++) {
                const int c = list[k];
                const double share = MAGNITUDE(dense[r * n + c]) / most;
                const double cost = (double)(in_row[r] - 1) * (in_column[c] - 1) - 0.5 * share;
                if (share >= threshold && cost < least) { least = cost; row = r; column = c; }
            }
        }
        if (row < 0) goto none;
        open[row] = open[n + column] = 0;
        pivot_of[2 * step] = row; pivot_of[2 * step + 1] = column;
        int updates = 0, changes = in_row[row] - 1;
        for (int r = 0; r < n; r++) updates += open[r] && filled[r * n + column];
        if (!put(&forward, slot[row * n + column]) || !put(&forward, row) || !put(&forward, updates)) goto none;
        for (int r = 0; r < n; r++) {
            if (!open[r] || !filled[r * n + column]) continue;
            const double complex factor = dense[r * n + column] / dense[row * n + column];
            if (!put(&forward, r) || !put(&forward, slot[r * n + column]) || !put(&forward, changes)) goto none;
            for (int k = 0; k < length[row]; k++) {
                const int c = listed[row * n + k];
                if (!open[n + c]) continue;
                if (!filled[r * n + c]) { filled[r * n + c] = 1; listed[r * n + length[r]++] = c; slot[r * n + c] = p->slots++; dense[r * n + c] = 0; }
                dense[r * n + c] -= factor * dense[row * n + c];
                if (!put(&forward, slot[r * n + c]) || !put(&forward, slot[row * n + c])) goto none;
            }
        }
    }
    for (int k = 0; k < n; k++) open[n + k] = 0; /* from here on: columns whose solution is known */
    for (int step = n - 1; step >= 0; step--) {
        const int row = pivot_of[2 * step], column = pivot_of[2 * step + 1];
        int tail = 0;
        for (int c = 0; c < n; c++) tail += open[n + c] && filled[row * n + c];
        if (!put(&back, row) || !put(&back, column) || !put(&back, slot[row * n + column]) || !put(&back, tail)) goto none;
        for (int c = 0; c < n; c++) if (open[n + c] && filled[row * n + c]) if (!put(&back, c) || !put(&back, slot[row * n + c])) goto none;
        open[n + column] = 1;
    }
    p->forward = forward.at; p->back = back.at; p->forward_length = forward.length; p->back_length = back.length;
    return 1;
none:
    free(forward.at); free(back.at);
    p->slots = p->own;
    return 0;
}

/* An order for own slots of these values, where there is one and the memory for it. */
static void order(Plan *p, const double complex *given, double threshold)
{
    const size_t n = p->size;
    double complex *dense = calloc(n * n + 1, sizeof *dense);
    int32_t *slot = calloc(n * n + 1, sizeof *slot), *work = calloc(7 * n + 1, sizeof *work), *listed = calloc(n * n + n, sizeof *listed);
    char *filled = calloc(n * n + 1, 1);
    if (dense && slot && work && filled && listed) {
        for (int s = 0; s < p->own; s++) {
            const size_t at = p->row[s] * n + p->column[s];
            dense[at] += given[s]; slot[at] = s; filled[at] = 1;
        }
        find_order(p, dense, slot, filled, work, listed, threshold);
    }
    free(dense); free(slot); free(work); free(filled); free(listed);
}

/* One more, for these numbers (own slots) in the places of ``first``, in place of the one that was of use longest ago; none where enough were made. */
static const Plan *another(Orders *o, const Plan *first, const double complex *values, double threshold)
{
    Plan *p = o->made++ < MOST_MADE ? calloc(1, sizeof *p) : NULL;
    if (!p) return NULL;
    p->size = first->size; p->own = first->own; p->row = first->row; p->column = first->column;
    order(p, values, threshold);
    if (o->count == ORDERS) {
        const int last = o->list[ORDERS - 1] == first ? ORDERS - 2 : ORDERS - 1;
        free_order(o->list[last]);
        forget(o, last);
    }
    o->list[o->count++] = p;
    prefer(o, o->count - 1);
    return p;
}

/* plan(size, row, column, values or None, threshold): an order for numbers like ``values`` (own slots, complex); full pivoting without. */
static PyObject *make_plan(PyObject *self, PyObject *args)
{
    PyObject *row, *column, *values;
    double threshold;
    Plan *p = calloc(1, sizeof *p);
    if (!p) return PyErr_NoMemory();
    Held *held = &p->held;
    if (!PyArg_ParseTuple(args, "iiOOOd", &p->size, &p->own, &row, &column, &values, &threshold)) goto failed;
    AT_LEAST(p->size, 0, "unknowns"); AT_LEAST(p->own, 0, "slots");
    INTEGERS(p->row, row, p->own); INTEGERS(p->column, column, p->own);
    WITHIN(p->row, p->own, 1, 0, p->size, "rows of slots"); WITHIN(p->column, p->own, 1, 0, p->size, "columns of slots");
    p->slots = p->own;
    if (values != Py_None) {
        const double complex *given = keep(held, values, sizeof(double complex), p->own, 0);
        if (!given) goto failed;
        order(p, given, threshold);
    }
    PyObject *out = PyCapsule_New(p, "plan", free_plan);
    if (out) return out;
failed:
    let_go(held);
    free_order(p);
    return NULL;
}

#define TAKE(to, f, g) (to) -= (f) * (g)
#define TIMES(to, f, g) (to) = (f) * (g)
#define INVERSE(to, f) (to) = 1.0 / (f)
#define ANY(f) ((f) != 0.0)
#define NUMBER double
#define SIZE fabs
#define NAMED(name) name
#include "_elimination.h"
#undef NUMBER
#undef SIZE
#undef NAMED
#define NUMBER double complex
#define SIZE MAGNITUDE
#define NAMED(name) name##_complex
#include "_elimination.h"
#undef NUMBER
#undef SIZE
#undef NAMED
#undef TAKE
#undef TIMES
#undef INVERSE
#undef ANY

/* ---- one member ------------------------------------------------------------------------------------------------------------------ */

typedef struct { double *current, *conductance, *charge, *capacitance; } Found;

typedef struct {
    const Devices *d;
    Plan *p;
    double *memory, **pointers;
    double *signed_volts, *old, *now, *volts, *limited, *fresh, *right, *b, *a, *base, *equivalent, *off, *size, *dense, *amps, *siemens;
    double complex *values; /* own slots */
    Found one, other;
    double **reg; /* of all programs, one after the other */
    Orders orders;
    long in_full;
} Work;

static double *slice(double **at, size_t count) { double *out = *at; *at += count; return out; }

static void free_work(Work *w)
{
    free(w->memory); free(w->pointers);
}

static int make_work(Work *w, const Devices *d, Plan *p)
{
    const size_t b = d->branches, e = d->entries, n = p->size;
    size_t doubles = 5 * b + 7 * n + 4 * (size_t)p->own + n * n + b + e + 4 * (b + e) + b + 64, pointers = 1;
    for (int k = 0; k < d->programs; k++) {
        doubles += (size_t)d->program[k].registers * d->program[k].lanes;
        pointers += d->program[k].registers;
    }
    memset(w, 0, sizeof *w);
    w->d = d; w->p = p;
    w->memory = malloc(doubles * sizeof(double));
    w->pointers = w->reg = malloc(pointers * sizeof(double *));
    if (!w->memory || !w->pointers) return 0;
    double *at = w->memory;
    w->signed_volts = slice(&at, b); w->old = slice(&at, b); w->volts = slice(&at, b); w->limited = slice(&at, b); w->equivalent = slice(&at, b);
    w->now = slice(&at, n); w->fresh = slice(&at, n); w->right = slice(&at, n); w->b = slice(&at, n); w->off = slice(&at, n); w->size = slice(&at, n);
    slice(&at, n);
    w->a = slice(&at, p->own); w->base = slice(&at, p->own); w->dense = slice(&at, n * n);
    w->amps = slice(&at, b); w->siemens = slice(&at, e); w->values = (double complex *)slice(&at, 2 * (size_t)p->own);
    Found *both[] = {&w->one, &w->other};
    for (int k = 0; k < 2; k++) {
        both[k]->current = slice(&at, b); both[k]->charge = slice(&at, b);
        both[k]->conductance = slice(&at, e); both[k]->capacitance = slice(&at, e);
    }
    double **reg = w->reg;
    for (int k = 0; k < d->programs; k++) {
        const Program *q = d->program + k;
        for (int r = 0; r < q->registers; r++) *reg++ = slice(&at, q->lanes);
    }
    return 1;
}

static void set_member(Work *w, Py_ssize_t member, double gmin, double time)
{
    double **reg = w->reg;
    for (int k = 0; k < w->d->programs; k++) {
        const Program *q = w->d->program + k;
        for (int i = 0; i < q->lanes; i++) { reg[0][i] = gmin; reg[1][i] = time; }
        for (int j = 0; j < q->fixed; j++) reg[2 + q->inputs + j] = (double *)q->fixed_values + (size_t)j * q->lanes;
        for (int j = 0; j < q->varying; j++)
            reg[2 + q->inputs + q->fixed + j] = (double *)q->varying_values + ((size_t)member * q->varying + j) * q->lanes;
        reg += q->registers;
    }
}

/* 0 where something comes out as no number. */
static int evaluate(Work *w, Py_ssize_t member, const double *v, Found *f)
{
    const Devices *d = w->d;
    const double *sign = d->sign + (d->sign_members > 1 ? (size_t)member * d->branches : 0);
    for (int k = 0; k < d->branches; k++) w->signed_volts[k] = sign[k] * v[k];
    memset(f->current, 0, d->branches * sizeof(double)); memset(f->conductance, 0, d->entries * sizeof(double));
    if (w->d->charges) { memset(f->charge, 0, d->branches * sizeof(double)); memset(f->capacitance, 0, d->entries * sizeof(double)); }
    double *into[] = {f->current, f->conductance, f->charge, f->capacitance}, **reg = w->reg;
    for (int k = 0; k < d->programs; k++) {
        const Program *q = d->program + k;
        for (int j = 0; j < q->inputs; j++)
            for (int i = 0; i < q->lanes; i++) reg[2 + j][i] = w->signed_volts[q->in_rows[j * q->lanes + i]];
        run_code(q, reg);
        const int32_t *out = q->out;
        for (int j = 0; j < q->outs; j++, out += 2 + q->lanes)
            for (int i = 0; i < q->lanes; i++) into[out[1]][out[2 + i]] = reg[out[0]][i];
        reg += q->registers;
    }
    if (d->present_members) {
        const double *there = d->present + (d->present_members > 1 ? (size_t)member * d->branches : 0);
        for (int k = 0; k < d->branches; k++) {
            f->current[k] = there[k] * f->current[k] + (1.0 - there[k]) * d->absent * w->signed_volts[k];
            if (w->d->charges) f->charge[k] *= there[k];
        }
        for (int e = 0; e < d->entries; e++) {
            const double share = there[d->rows[e]];
            f->conductance[e] = share * f->conductance[e] + (d->rows[e] == d->columns[e] ? (1.0 - share) * d->absent : 0.0);
            if (w->d->charges) f->capacitance[e] *= share;
        }
    }
    double sum = 0;
    for (int k = 0; k < d->branches; k++) { f->current[k] *= sign[k]; sum += 0.0 * f->current[k]; if (w->d->charges) f->charge[k] *= sign[k]; }
    for (int e = 0; e < d->entries; e++) sum += 0.0 * f->conductance[e];
    return sum == 0.0;
}

static double along(double new, double old, double step, double critical, int *jumped)
{
    if (!(new > critical && fabs(new - old) > 2.0 * step)) return new;
    *jumped = 1;
    if (old > 0) {
        const double ratio = 1.0 + (new - old) / step;
        return ratio > 0 ? old + step * log(ratio > 1e-300 ? ratio : 1e-300) : critical;
    }
    const double share = new / step;
    return step * log(share > 1e-300 ? share : 1e-300);
}

/* Junction voltages held to steps that an exponential can bear; whether any was held. */
static int limit(const Devices *d, Py_ssize_t member, const double *volts, const double *old, double *out)
{
    const double *sign = d->sign + (d->sign_members > 1 ? (size_t)member * d->branches : 0);
    int any = 0;
    for (int k = 0; k < d->branches; k++) {
        const double new_volts = sign[k] * volts[k], before = sign[k] * old[k];
        int jumped = 0, broken = 0;
        double held = along(new_volts, before, d->step[k], d->critical[k], &jumped);
        if (d->breaks && isfinite(d->knee[k])) {
            const double mirrored = along(-(new_volts + d->knee[k]), -(before + d->knee[k]), d->step[k], d->critical[k], &broken);
            if (broken) held = -(mirrored + d->knee[k]);
        }
        any |= jumped | broken;
        out[k] = sign[k] * held;
    }
    return any;
}

static void across(const Devices *d, const double *x, double *v)
{
    for (int k = 0; k < d->branches; k++)
        v[k] = (d->plus[k] >= 0 ? x[d->plus[k]] : 0.0) - (d->minus[k] >= 0 ? x[d->minus[k]] : 0.0);
}

typedef struct {
    double gmin, rate, time, reltol, foretold, negligible, abstol, absurd, residual, threshold;
    int turns, foretell, dampings;
    const double *floor, *damping; /* (dampings, 2): from this turn on, this share; latest first */
} Rules;

static double share_at(const Rules *r, int turn)
{
    for (int k = 0; k < r->dampings; k++) if (turn >= r->damping[2 * k]) return r->damping[2 * k + 1];
    return 1.0;
}

/* The linear system about where the devices are: base (own slots) is of this member. */
static void linearise(Work *w, const Rules *r, const Found *f)
{
    const Devices *d = w->d;
    double *a = w->a;
    memcpy(a, w->base, w->p->own * sizeof(double));
    for (int k = 0; k < d->branches; k++) w->amps[k] = w->equivalent[k] = f->current[k] + (w->d->charges ? r->rate * f->charge[k] : 0.0);
    for (int e = 0; e < d->entries; e++) {
        w->siemens[e] = f->conductance[e] + (w->d->charges ? r->rate * f->capacitance[e] : 0.0);
        w->equivalent[d->rows[e]] -= w->siemens[e] * w->old[d->columns[e]];
    }
    for (int s = 0; s < d->stamps; s++) a[d->stamp[3 * s]] += d->stamp[3 * s + 2] * w->siemens[d->stamp[3 * s + 1]];
}

/* By how much x misses the equation it misses most, as a share of that one's terms. */
static double missed(const Plan *p, const double *a, const double *b, const double *x, double *off, double *size)
{
    for (int k = 0; k < p->size; k++) { off[k] = -b[k]; size[k] = fabs(b[k]); }
    for (int s = 0; s < p->own; s++) {
        const double term = a[s] * x[p->column[s]];
        off[p->row[s]] += term;
        size[p->row[s]] += fabs(term);
    }
    double worst = 0;
    for (int k = 0; k < p->size; k++) {
        const double by = fabs(off[k]);
        if (!(by <= 1e-30) && !(by <= worst * size[k])) worst = by / size[k]; /* what is no number misses by no number */
    }
    return worst;
}

/* Solve in the order of a plan, and say whether that suits the numbers. */
static int in_order(Work *w, const Plan *p, double limit)
{
    if (!p || !p->forward_length) return 0;
    double *work = w->dense; /* elimination uses up a copy: the equations themselves are what its solution is judged by */
    memcpy(work, w->a, p->own * sizeof(double));
    memset(work + p->own, 0, (p->slots - p->own) * sizeof(double));
    memcpy(w->b, w->right, p->size * sizeof(double));
    planned(p, work, w->b, w->fresh, 1);
    double by = missed(p, w->a, w->right, w->fresh, w->off, w->size);
    if (by > FINELY * limit && by < 1) { /* once more on what is left over */
        for (int k = 0; k < p->size; k++) w->b[k] = -w->off[k];
        planned_again(p, work, w->b, w->off);
        for (int k = 0; k < p->size; k++) w->fresh[k] += w->off[k];
        by = missed(p, w->a, w->right, w->fresh, w->off, w->size);
    }
    return by <= limit;
}

static int solve_once(Work *w, const Rules *r, const Found *f, const double *drive)
{
    const Devices *d = w->d;
    const Plan *p = w->p;
    double *a = w->a;
    linearise(w, r, f);
    memcpy(w->right, drive, p->size * sizeof(double));
    for (int k = 0; k < d->branches; k++) {
        if (d->out_of[k] >= 0) w->right[d->out_of[k]] -= w->equivalent[k];
        if (d->into[k] >= 0) w->right[d->into[k]] += w->equivalent[k];
    }
    int good = 0;
    for (int k = 0; !good && k < w->orders.count; k++) if ((good = in_order(w, w->orders.list[k], r->residual))) prefer(&w->orders, k);
    if (!good && w->orders.count) {
        for (int s = 0; s < p->own; s++) w->values[s] = a[s];
        good = in_order(w, another(&w->orders, p, w->values, r->threshold), r->residual);
    }
    if (!good) {
        w->in_full++;
        if (p->size > FULLEST) return HANDED_BACK;
        if (!in_full(p, a, w->right, w->dense, w->off, w->size, w->fresh)) return LOST;
    }
    for (int k = 0; k < p->size; k++) if (!isfinite(w->fresh[k])) return LOST;
    return FOUND;
}

/* Whether what each device carries is what its straight line foretold, among branches from ``first`` on. */
static int as_foretold(Work *w, const Rules *r, const Found *after, int first, double share, double least, double *peak)
{
    const Devices *d = w->d;
    double *expected = w->equivalent;
    memcpy(expected, w->amps, d->branches * sizeof(double));
    for (int e = 0; e < d->entries; e++) expected[d->rows[e]] += w->siemens[e] * (w->volts[d->columns[e]] - w->old[d->columns[e]]);
    for (int k = first; k < d->branches; k++) {
        const double now = after->current[k] + (w->d->charges ? r->rate * after->charge[k] : 0.0);
        const double allowed = share * fabs(now) + (peak ? r->negligible * peak[k] : 0.0) + least;
        if (!(fabs(now - expected[k]) <= allowed) || (peak && !(fabs(now) < r->absurd))) return 0;
    }
    return 1;
}

/* From ``start`` on, where so many turns have been taken already. */
static int newton(Work *w, const Rules *r, Py_ssize_t member, int taken, const double *drive, const double *start, const double *junctions, double *peak, double *x, double *charge)
{
    const Devices *d = w->d;
    const int n = w->p->size, b = d->branches;
    Found *found = &w->one, *after = &w->other;
    set_member(w, member, r->gmin, r->time);
    memcpy(w->now, start, n * sizeof(double));
    memcpy(w->old, junctions, b * sizeof(double));
    if (!evaluate(w, member, w->old, found)) return HANDED_BACK;
    for (int turn = taken; turn < r->turns; turn++) {
        const int solved = solve_once(w, r, found, drive);
        if (solved != FOUND) return solved;
        across(d, w->fresh, w->volts);
        const int held = limit(d, member, w->volts, w->old, w->limited);
        int settled = !held;
        for (int k = 0; settled && k < n; k++)
            settled = fabs(w->fresh[k] - w->now[k]) <= r->reltol * fabs(w->fresh[k]) + r->floor[k];
        if (!r->foretell && !settled) {
            const double share = share_at(r, turn);
            if (share < 1.0) {
                for (int k = 0; k < n; k++) w->fresh[k] = w->now[k] + share * (w->fresh[k] - w->now[k]);
                across(d, w->fresh, w->volts);
                limit(d, member, w->volts, w->old, w->limited);
            }
        }
        if (!evaluate(w, member, w->limited, after)) return HANDED_BACK;
        int done = settled;
        if (r->foretell && !held && !settled) {
            done = as_foretold(w, r, after, 0, r->foretold, r->abstol, peak);
            for (int k = 0; done && k < b; k++) {
                const double size = fabs(after->current[k] + (w->d->charges ? r->rate * after->charge[k] : 0.0));
                if (size > peak[k]) peak[k] = size;
            }
        } else if (!r->foretell && settled) {
            done = d->formulas == b || as_foretold(w, r, after, d->formulas, r->foretold, r->negligible, NULL);
            for (int k = 0; done && k < d->formulas; k++) done = fabs(after->current[k]) < r->absurd;
        }
        if (done) {
            memcpy(x, w->fresh, n * sizeof(double));
            if (charge && w->d->charges) memcpy(charge, after->charge, b * sizeof(double));
            return FOUND;
        }
        double *t = w->now; w->now = w->fresh; w->fresh = t;
        t = w->old; w->old = w->limited; w->limited = t;
        Found *f = found; found = after; after = f;
    }
    return LOST;
}

/* Values of all own slots of a member: what is fixed, and over it what varies. */
typedef struct { int varying, members; const int32_t *slot; const double *fixed, *values; } Values; /* members: that it has values of */

static void fill(const Values *v, Py_ssize_t member, int own, double *out)
{
    memcpy(out, v->fixed, own * sizeof(double));
    for (int k = 0; k < v->varying; k++) out[v->slot[k]] = v->values[(size_t)member * v->varying + k];
}

static int values_of(Held *held, PyObject *tuple, int own, Values *v)
{
    PyObject *fixed, *slot, *values;
    if (!PyArg_ParseTuple(tuple, "iOOO", &v->varying, &fixed, &slot, &values)) return 0;
    AT_LEAST(v->varying, 0, "varying slots");
    DOUBLES(v->fixed, fixed, own); INTEGERS(v->slot, slot, v->varying); DOUBLES(v->values, values, -1);
    WITHIN(v->slot, v->varying, 1, 0, own, "varying slots");
    const Py_ssize_t there = v->varying ? held->view[held->count - 1].len / (Py_ssize_t)sizeof(double) / v->varying : INT32_MAX;
    v->members = there < INT32_MAX ? (int)there : INT32_MAX;
    return 1;
failed:
    return 0;
}

/* Whether these devices stand in equations of so many unknowns and slots. */
static int fit(const Devices *d, int unknowns, int slots)
{
    const int32_t nodes = d->nodes;
    return within(&d->unknowns, 1, 1, 0, (long)unknowns + 1, "unknowns of devices") && within(&d->slots, 1, 1, 0, (long)slots + 1, "slots of devices")
        && within(&nodes, 1, 1, 0, (long)unknowns + 1, "nodes");
}

/* ---- members side by side --------------------------------------------------------------------------------------------------------- */

#define LANES 8
typedef double Lanes __attribute__((vector_size(LANES * sizeof(double))));
typedef int64_t Mask __attribute__((vector_size(LANES * sizeof(double))));
typedef struct { Lanes re, im; } ComplexLanes;
#define CONSTANT(x) ((Lanes){0} + (x))
#define TRUTH(mask) ((Lanes)((mask) & (Mask)CONSTANT(1.0)))
#define SELECT(mask, yes, no) ((Lanes)(((Mask)(yes) & (mask)) | ((Mask)(no) & ~(mask))))
#define SIZE_OF(x) ((Lanes)((Mask)(x) & INT64_MAX))
#define BY_ITSELF(to, function, x) do { for (int l = 0; l < LANES; l++) (to)[l] = function((x)[l]); } while (0)
#define OF_TWO(to, function, x, y) do { for (int l = 0; l < LANES; l++) (to)[l] = function((x)[l], (y)[l]); } while (0)
#define MASK(bits) (-(((Mask){0} + (bits)) >> (Mask){0, 1, 2, 3, 4, 5, 6, 7} & 1))

/* Room for the slots of an order while elimination is at work. */
typedef struct { Lanes *at; int slots; } Room;

static Lanes *room_for(Room *r, int slots, int each)
{
    if (slots > r->slots) {
        free(r->at);
        r->at = aligned_alloc(sizeof(Lanes), (size_t)slots * each * sizeof(Lanes));
        r->slots = r->at ? slots : 0;
    }
    return r->at;
}

/* A member in each lane, as Work holds one. */
typedef struct {
    const Devices *d;
    Work *alone; /* for those that are done by themselves, with the orders that suited any so far */
    void *memory;
    Room used;
    Lanes **reg, *base, *a, *now, *fresh, *again, *right, *b, *off, *size, *drive;
    Lanes *sign, *present, *signed_volts, *old, *volts, *limited, *equivalent, *current[2], *conductance[2];
    int of[LANES], turn[LANES]; /* which of those that are asked for, and the turns it has taken */
} Side;

/* What is asked of newton, and what comes of it. */
typedef struct {
    const Rules *r;
    Values g;
    const int32_t *which;
    int many, next, drives, starts; /* next: the first that has not begun */
    const double *drive, *start, *junctions;
    double *x, *now, *old;
    int32_t *status;
} Told;

static Lanes *lanes_of(char **at, size_t count) { Lanes *out = (Lanes *)*at; *at += count * sizeof(Lanes); return out; }

static void splat(Lanes *to, const double *from, size_t count) { for (size_t k = 0; k < count; k++) for (int l = 0; l < LANES; l++) to[k][l] = from[k]; }

static void free_side(Side *w) { free(w->memory); free(w->used.at); free(w->reg); }

static int make_side(Side *w, Work *alone, const Told *t)
{
    const Devices *d = alone->d;
    const size_t b = d->branches, e = d->entries, n = alone->p->size, own = alone->p->own;
    size_t all = 2 * own + 8 * n + 9 * b + 2 * e, pointers = 1;
    for (int k = 0; k < d->programs; k++) {
        all += (size_t)d->program[k].registers * d->program[k].lanes;
        pointers += d->program[k].registers;
    }
    memset(w, 0, sizeof *w);
    w->d = d; w->alone = alone;
    w->memory = aligned_alloc(sizeof(Lanes), (all + 1) * sizeof(Lanes));
    w->reg = malloc(pointers * sizeof(Lanes *));
    if (!w->memory || !w->reg) return 0;
    char *at = w->memory;
    Lanes **of_own[] = {&w->base, &w->a}, **of_size[] = {&w->now, &w->fresh, &w->again, &w->right, &w->b, &w->off, &w->size, &w->drive};
    Lanes **of_branches[] = {&w->sign, &w->present, &w->signed_volts, &w->old, &w->volts, &w->limited, &w->equivalent, w->current, w->current + 1};
    for (int k = 0; k < 2; k++) { *of_own[k] = lanes_of(&at, own); w->conductance[k] = lanes_of(&at, e); }
    for (int k = 0; k < 8; k++) *of_size[k] = lanes_of(&at, n);
    for (int k = 0; k < 9; k++) *of_branches[k] = lanes_of(&at, b);
    splat(w->base, t->g.fixed, own);
    if (t->drives == 1) splat(w->drive, t->drive, n);
    if (d->sign_members == 1) splat(w->sign, d->sign, b);
    if (d->present_members == 1) splat(w->present, d->present, b);
    Lanes **reg = w->reg;
    for (int k = 0; k < d->programs; k++) {
        const Program *q = d->program + k;
        for (int j = 0; j < q->registers; j++) reg[j] = lanes_of(&at, q->lanes);
        for (int i = 0; i < q->lanes; i++) for (int l = 0; l < LANES; l++) { reg[0][i][l] = t->r->gmin; reg[1][i][l] = t->r->time; }
        for (int j = 0; j < q->fixed; j++) splat(reg[2 + q->inputs + j], q->fixed_values + (size_t)j * q->lanes, q->lanes);
        reg += q->registers;
    }
    return 1;
}

static void load_one(Side *w, const Told *t, int l, size_t k)
{
    const Devices *d = w->d;
    const int n = w->alone->p->size, b = d->branches;
    const size_t member = t->which[k];
    w->of[l] = k; w->turn[l] = 0;
    for (int j = 0; j < t->g.varying; j++) w->base[t->g.slot[j]][l] = t->g.values[member * t->g.varying + j];
    for (int j = 0; t->drives > 1 && j < n; j++) w->drive[j][l] = t->drive[k * n + j];
    for (int j = 0; j < n; j++) w->now[j][l] = t->start[(t->starts > 1 ? k * n : 0) + j];
    for (int j = 0; j < b; j++) w->old[j][l] = t->junctions[(t->starts > 1 ? k * b : 0) + j];
    for (int j = 0; d->sign_members > 1 && j < b; j++) w->sign[j][l] = d->sign[member * b + j];
    for (int j = 0; d->present_members > 1 && j < b; j++) w->present[j][l] = d->present[member * b + j];
    Lanes **reg = w->reg;
    for (int p = 0; p < d->programs; p++) {
        const Program *q = d->program + p;
        for (int j = 0; j < q->varying; j++)
            for (int i = 0; i < q->lanes; i++) reg[2 + q->inputs + q->fixed + j][i][l] = q->varying_values[(member * q->varying + j) * q->lanes + i];
        reg += q->registers;
    }
}

/* The next members in the lanes that are not ``active``, as bits; where there are too few, the last of them is there again, and does not count. */
static int load(Side *w, Told *t, int active)
{
    int out = 0;
    for (int l = 0; l < LANES; l++) {
        if (active >> l & 1) continue;
        if (t->next < t->many) { out |= 1 << l; load_one(w, t, l, t->next++); }
        else load_one(w, t, l, t->many - 1);
    }
    return out;
}

/* One by itself, from where it is given on. */
static void by_itself(const Told *t, Work *w, int k, int taken, const double *start, const double *junctions)
{
    const int n = w->p->size;
    fill(&t->g, t->which[k], w->p->own, w->base);
    t->status[k] = newton(w, t->r, t->which[k], taken, t->drive + (t->drives > 1 ? (size_t)k * n : 0), start, junctions, NULL, t->x + (size_t)k * n, NULL);
}

static void found(const Told *t, const Side *w, int lane)
{
    const int n = w->alone->p->size, k = w->of[lane];
    for (int j = 0; j < n; j++) t->x[(size_t)k * n + j] = w->fresh[j][lane];
    t->status[k] = FOUND;
}

static void leave(const Told *t, const Side *w, int lane)
{
    for (int j = 0; j < w->alone->p->size; j++) t->now[j] = w->now[j][lane];
    for (int j = 0; j < w->d->branches; j++) t->old[j] = w->old[j][lane];
    by_itself(t, w->alone, w->of[lane], w->turn[lane], t->now, t->old);
}

/* An order for the numbers of a lane. */
static const Plan *order_for(Side *w, int lane, double threshold)
{
    Work *alone = w->alone;
    for (int s = 0; s < alone->p->own; s++) alone->values[s] = w->a[s][lane];
    return another(&alone->orders, alone->p, alone->values, threshold);
}

/* What swings in each lane: a (own slots), its farads apart, and what drives it, b (size, m), to be solved for x (size, m). */
typedef struct {
    const Plan *p;
    Orders orders;
    Room used;
    int m;
    void *memory;
    double complex *values; /* own slots */
    ComplexLanes *a, *b, *left, *x, *again, *off;
    Lanes *farads, *size;
} Swing;

static void free_swing(Swing *w) { free(w->memory); free(w->values); free(w->used.at); }

static int make_swing(Swing *w, const Plan *p, const double complex *b, int m)
{
    const size_t n = p->size, columns = n * m;
    memset(w, 0, sizeof *w);
    w->p = p; w->m = m;
    w->memory = aligned_alloc(sizeof(Lanes), (3 * (size_t)p->own + 8 * columns + 3 * n + 1) * sizeof(Lanes));
    w->values = malloc((p->own + 1) * sizeof *w->values);
    if (!w->memory || !w->values) return 0;
    char *at = w->memory;
    ComplexLanes **of_columns[] = {&w->b, &w->left, &w->x, &w->again};
    w->a = (ComplexLanes *)lanes_of(&at, 2 * (size_t)p->own);
    for (int k = 0; k < 4; k++) *of_columns[k] = (ComplexLanes *)lanes_of(&at, 2 * columns);
    w->off = (ComplexLanes *)lanes_of(&at, 2 * n);
    w->size = lanes_of(&at, n);
    w->farads = lanes_of(&at, p->own);
    for (size_t k = 0; k < columns; k++) for (int l = 0; l < LANES; l++) { w->b[k].re[l] = creal(b[k]); w->b[k].im[l] = cimag(b[k]); }
    return 1;
}

static const Plan *swing_order_for(Swing *w, int lane, double threshold)
{
    for (int s = 0; s < w->p->own; s++) w->values[s] = w->a[s].re[lane] + I * w->a[s].im[lane];
    return another(&w->orders, w->p, w->values, threshold);
}

#define LEVEL(name) name##_plain
#include "_lanes.h"
#undef LEVEL
#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__)
#define MORE_LEVELS
#pragma GCC push_options
#pragma GCC target("avx2,fma")
#define LEVEL(name) name##_avx2
#include "_lanes.h"
#undef LEVEL
#pragma GCC pop_options
#pragma GCC push_options
#pragma GCC target("avx512f,avx512dq,avx512vl,avx512bw,avx2,fma")
#define LEVEL(name) name##_avx512
#include "_lanes.h"
#undef LEVEL
#pragma GCC pop_options
#endif

static void (*newton_lanes)(Side *, Told *) = newton_lanes_plain;
static int (*swing_lanes)(Swing *, int, double, double) = swing_lanes_plain;

/* From here on what suits the processor, of instructions for at most so many numbers at once; how many it is. */
static int choose_lanes(int most)
{
#ifdef MORE_LEVELS
    if (most >= 8 && __builtin_cpu_supports("avx512f") && __builtin_cpu_supports("avx512dq") && __builtin_cpu_supports("avx512vl") && __builtin_cpu_supports("avx512bw")) {
        newton_lanes = newton_lanes_avx512; swing_lanes = swing_lanes_avx512;
        return 8;
    }
    if (most >= 4 && __builtin_cpu_supports("avx2") && __builtin_cpu_supports("fma")) {
        newton_lanes = newton_lanes_avx2; swing_lanes = swing_lanes_avx2;
        return 4;
    }
#endif
    newton_lanes = newton_lanes_plain; swing_lanes = swing_lanes_plain;
    return 2;
}

/* at_once(most) → how many numbers are worked on at once from here on */
static PyObject *at_once(PyObject *self, PyObject *args)
{
    int most;
    if (!PyArg_ParseTuple(args, "i", &most)) return NULL;
    return PyLong_FromLong(choose_lanes(most));
}

/* newton(devices, plan, values, members, drive, start, junctions, rules…, x, status) → steps that went without the plan: see kernel.py */
static PyObject *call_newton(PyObject *self, PyObject *args)
{
    PyObject *devices, *plan, *still, *members, *drive, *start, *junctions, *floor, *damping, *x, *status;
    Rules r = {0};
    int many, drives, starts;
    Held local = {0}, *held = &local;
    Work w = {0};
    Side side = {0};
    double *memory = NULL;
    if (!PyArg_ParseTuple(args, "OOO!Oiii" "dddddddii" "OOOOOOO", &devices, &plan, &PyTuple_Type, &still, &members, &many, &drives, &starts, &r.gmin, &r.reltol,
                          &r.foretold, &r.negligible, &r.absurd, &r.residual, &r.threshold, &r.turns, &r.dampings, &damping, &floor, &drive, &start, &junctions, &x, &status))
        return NULL;
    const Devices *d = PyCapsule_GetPointer(devices, "devices");
    Plan *p = PyCapsule_GetPointer(plan, "plan");
    if (!d || !p) return NULL;
    const int n = p->size, b = d->branches;
    Values g;
    const double *drive_in, *start_in, *junctions_in;
    double *x_out;
    const int32_t *which;
    int32_t *status_out;
    AT_LEAST(many, 0, "members"); AT_LEAST(drives, 1, "drives"); AT_LEAST(starts, 1, "starts"); AT_LEAST(r.turns, 0, "turns"); AT_LEAST(r.dampings, 0, "dampings");
    if (!fit(d, n, p->own) || !values_of(held, still, p->own, &g)) goto failed;
    INTEGERS(which, members, many);
    WITHIN(which, many, 1, 0, d->members, "members of devices"); WITHIN(which, many, 1, 0, g.members, "members of values");
    if (drives > 1) AT_LEAST(drives, many, "drives");
    if (starts > 1) AT_LEAST(starts, many, "starts");
    DOUBLES(r.damping, damping, 2 * r.dampings); DOUBLES(r.floor, floor, n);
    DOUBLES(drive_in, drive, (Py_ssize_t)drives * n);
    DOUBLES(start_in, start, (Py_ssize_t)starts * n); DOUBLES(junctions_in, junctions, (Py_ssize_t)starts * b);
    RESULTS(x_out, x, (Py_ssize_t)many * n);
    if (!(status_out = keep(held, status, sizeof(int32_t), many, 1))) goto failed;
    memory = malloc((n + b + 1) * sizeof(double));
    Told t = {&r, g, which, many, 0, drives, starts, drive_in, start_in, junctions_in, x_out, memory, memory + n, status_out};
    const int abreast = many > 1 && p->forward_length;
    if (!memory || !make_work(&w, d, p) || (abreast && !make_side(&side, &w, &t))) { PyErr_NoMemory(); goto failed; }
    w.orders = taken_from(p);
    Py_BEGIN_ALLOW_THREADS
    if (abreast) newton_lanes(&side, &t);
    else
        for (int k = 0; k < many; k++) by_itself(&t, &w, k, 0, start_in + (starts > 1 ? (size_t)k * n : 0), junctions_in + (starts > 1 ? (size_t)k * b : 0));
    Py_END_ALLOW_THREADS
    const long unplanned = w.in_full;
    give_back(p, &w.orders);
    free_work(&w); free_side(&side); free(memory);
    let_go(held);
    return PyLong_FromLong(unplanned);
failed:
    free_work(&w); free_side(&side); free(memory);
    let_go(held);
    return NULL;
}

/* ---- response to what swings a little ------------------------------------------------------------------------------------------------ */

/* sweep(plan, static, dynamic, first member, how many, omega, right (n, m), rows, limit, threshold, x (rows, m, members, omega)) */
static PyObject *sweep(PyObject *self, PyObject *args)
{
    PyObject *plan, *still, *moving, *omegas, *right, *rows, *out;
    int first, many, frequencies, m, wanted;
    double limit, threshold;
    Held local = {0}, *held = &local;
    double *memory = NULL;
    double complex *work = NULL;
    Swing w = {0};
    if (!PyArg_ParseTuple(args, "OO!O!iiOiOiOiddO", &plan, &PyTuple_Type, &still, &PyTuple_Type, &moving, &first, &many, &omegas, &frequencies, &right, &m,
                          &rows, &wanted, &limit, &threshold, &out))
        return NULL;
    Plan *p = PyCapsule_GetPointer(plan, "plan");
    if (!p) return NULL;
    const int n = p->size, own = p->own;
    Values g, c;
    const double *omega;
    const double complex *b;
    double complex *x_out;
    const int32_t *row;
    AT_LEAST(first, 0, "the first member"); AT_LEAST(many, 0, "members"); AT_LEAST(frequencies, 0, "frequencies"); AT_LEAST(m, 0, "right sides");
    AT_LEAST(wanted, 0, "rows wanted");
    if (!values_of(held, still, own, &g) || !values_of(held, moving, own, &c)) goto failed;
    AT_LEAST(g.members - first, many, "members of values"); AT_LEAST(c.members - first, many, "members of values");
    DOUBLES(omega, omegas, frequencies); INTEGERS(row, rows, wanted);
    WITHIN(row, wanted, 1, -1, n, "rows wanted");
    if (!(b = keep(held, right, sizeof(double complex), (Py_ssize_t)n * m, 0))) goto failed;
    if (!(x_out = keep(held, out, sizeof(double complex), (Py_ssize_t)wanted * m * many * frequencies, 1))) goto failed;
    const int planned = p->forward_length > 0;
    const size_t jobs = (size_t)many * frequencies;
    memory = malloc((2 * (size_t)n + 1) * sizeof(double));
    work = malloc(((size_t)own + 2 * (size_t)n + (size_t)n * m + (n <= FULLEST ? (size_t)n * n : 0) + 1) * sizeof *work);
    if (!memory || !work || !make_swing(&w, p, b, m)) { PyErr_NoMemory(); goto failed; }
    for (int s = 0; s < own; s++) w.a[s].re = (Lanes){0} + g.fixed[s];
    splat(w.farads, c.fixed, own);
    double *size = memory, *scale = size + n;
    w.orders = taken_from(p);
    double complex *a = work, *left = a + own, *one = left + n, *x = one + n, *full = x + (size_t)n * m;
    Py_BEGIN_ALLOW_THREADS
    for (size_t job = 0; job < jobs; job += LANES) { /* a member at a frequency */
        const int here = jobs - job < LANES ? (int)(jobs - job) : LANES;
        Lanes rate;
        for (int l = 0; l < LANES; l++) {
            const size_t at = job + (l < here ? l : here - 1), member = first + at / frequencies;
            for (int j = 0; j < g.varying; j++) w.a[g.slot[j]].re[l] = g.values[member * g.varying + j];
            for (int j = 0; j < c.varying; j++) w.farads[c.slot[j]][l] = c.values[member * c.varying + j];
            rate[l] = omega[at % frequencies];
        }
        for (int s = 0; s < own; s++) w.a[s].im = rate * w.farads[s];
        const int unsolved = planned ? swing_lanes(&w, (1 << here) - 1, limit, threshold) : -1;
        for (int l = 0; l < here; l++) {
            const size_t k = (job + l) / frequencies, f = (job + l) % frequencies;
            if (unsolved >> l & 1)
                for (int j = 0; j < m; j++) {
                    for (int s = 0; s < own; s++) a[s] = w.a[s].re[l] + I * w.a[s].im[l];
                    for (int i = 0; i < n; i++) left[i] = b[i * m + j];
                    const int solved = n <= FULLEST && in_full_complex(p, a, left, full, size, scale, one);
                    for (int i = 0; i < n; i++) x[i * m + j] = solved ? one[i] : NAN;
                }
            for (int i = 0; i < wanted; i++)
                for (int j = 0; j < m; j++) {
                    const size_t at = (size_t)row[i] * m + j;
                    x_out[(((size_t)i * m + j) * many + k) * frequencies + f] = row[i] < 0 ? 0 : unsolved >> l & 1 ? x[at] : w.x[at].re[l] + I * w.x[at].im[l];
                }
        }
    }
    Py_END_ALLOW_THREADS
    give_back(p, &w.orders);
    free(memory); free(work); free_swing(&w);
    let_go(held);
    Py_RETURN_NONE;
failed:
    free(memory); free(work); free_swing(&w);
    let_go(held);
    return NULL;
}

/* ---- a course over time ------------------------------------------------------------------------------------------------------------ */

enum { SIN_WAVE, PULSE, PWL, EXP_WAVE, SFFM, AM_WAVE, CALLED };
enum { ARRIVED, MORE, HELP }; /* why a course stops here */
#define DECADES 128
static const int VALUES_OF_WAVES[] = {6, 7, 2, 6, 7, 7}; /* that each kind has at least */

typedef struct {
    int kind, count, many; /* many: of each member its own */
    const double *values, *way; /* way (many, n): what one volt or ampere of it drives */
    PyObject *call;
    double *now; /* (members) */
    int now_many;
} Source;

typedef struct {
    Held held;
    PyObject *devices; /* kept alive */
    const Devices *d;
    Plan shape, *plan[DECADES]; /* an order for each size of step */
    long unplanned[DECADES];
    int members, sources, corners, picked, calls, steady_many;
    const int32_t *pick;
    Values still, moving;
    Source *source;
    const double *steady, *corner;
    Rules r;
    double stop, largest_step, smallest_step, error_share, error_floor;
    int ringing_after, most_unplanned;
} Course;

static void free_course(PyObject *capsule)
{
    Course *c = PyCapsule_GetPointer(capsule, "course");
    if (!c) return;
    for (int k = 0; k < DECADES; k++) if (c->plan[k]) { free_orders(&c->plan[k]->others, NULL); free_order(c->plan[k]); }
    for (int k = 0; c->source && k < c->sources; k++) { Py_XDECREF(c->source[k].call); free(c->source[k].now); }
    free(c->source);
    let_go(&c->held);
    Py_XDECREF(c->devices);
    free(c);
}

/* course(devices, size, row, column, static, dynamic, members, sources, steady, corners, picked, limits, rules, floor): see kernel.py */
static PyObject *make_course(PyObject *self, PyObject *args)
{
    PyObject *devices, *row, *column, *still, *moving, *sources, *steady, *corners, *picked, *floor;
    Course *c = calloc(1, sizeof *c);
    if (!c) return PyErr_NoMemory();
    Held *held = &c->held;
    if (!PyArg_ParseTuple(args, "OiiOOO!O!iO!OiOiOi" "(dddddd)ii" "(dddddddi)O", &devices, &c->shape.size, &c->shape.own, &row, &column, &PyTuple_Type, &still,
                          &PyTuple_Type, &moving, &c->members, &PyList_Type, &sources, &steady, &c->steady_many, &corners, &c->corners, &picked, &c->picked,
                          &c->stop, &c->largest_step, &c->smallest_step, &c->error_share, &c->error_floor, &c->r.threshold, &c->ringing_after,
                          &c->most_unplanned, &c->r.gmin, &c->r.reltol, &c->r.foretold, &c->r.negligible, &c->r.abstol, &c->r.absurd, &c->r.residual,
                          &c->r.turns, &floor))
        goto failed;
    if (!(c->d = PyCapsule_GetPointer(devices, "devices"))) goto failed;
    Py_INCREF(devices); c->devices = devices;
    const int n = c->shape.size;
    c->shape.slots = c->shape.own;
    c->r.foretell = 1;
    AT_LEAST(n, 0, "unknowns"); AT_LEAST(c->shape.own, 0, "slots"); AT_LEAST(c->members, 1, "members"); AT_LEAST(c->steady_many, 1, "members that are driven");
    AT_LEAST(c->corners, 1, "corners"); AT_LEAST(c->picked, 0, "unknowns wanted"); AT_LEAST(c->r.turns, 0, "turns");
    INTEGERS(c->shape.row, row, c->shape.own); INTEGERS(c->shape.column, column, c->shape.own);
    WITHIN(c->shape.row, c->shape.own, 1, 0, n, "rows of slots"); WITHIN(c->shape.column, c->shape.own, 1, 0, n, "columns of slots");
    if (!fit(c->d, n, c->shape.own)) goto failed;
    AT_LEAST(c->d->members, c->members, "members of devices");
    if (c->steady_many > 1) AT_LEAST(c->steady_many, c->members, "members that are driven");
    if (!values_of(held, still, c->shape.own, &c->still) || !values_of(held, moving, c->shape.own, &c->moving)) goto failed;
    AT_LEAST(c->still.members, c->members, "members of values"); AT_LEAST(c->moving.members, c->members, "members of values");
    DOUBLES(c->steady, steady, (Py_ssize_t)c->steady_many * n);
    DOUBLES(c->corner, corners, c->corners); INTEGERS(c->pick, picked, c->picked); DOUBLES(c->r.floor, floor, n);
    WITHIN(c->pick, c->picked, 1, 0, n, "unknowns wanted");
    c->sources = (int)PyList_GET_SIZE(sources);
    if (!(c->source = calloc(c->sources ? c->sources : 1, sizeof(Source)))) { PyErr_NoMemory(); goto failed; }
    for (int k = 0; k < c->sources; k++) {
        Source *s = c->source + k;
        PyObject *of, *way;
        if (!PyArg_ParseTuple(PyList_GET_ITEM(sources, k), "iOiOi", &s->kind, &of, &s->count, &way, &s->many)) goto failed;
        AT_LEAST(s->many, 1, "members of a source"); AT_LEAST(s->kind, 0, "kinds of sources");
        if (s->many > 1) AT_LEAST(s->many, c->members, "members of a source");
        if (s->kind < CALLED) AT_LEAST(s->count, VALUES_OF_WAVES[s->kind], "values of a source");
        DOUBLES(s->way, way, (Py_ssize_t)s->many * n);
        if (s->kind >= CALLED) { Py_INCREF(of); s->call = of; c->calls = 1; }
        else DOUBLES(s->values, of, s->count);
        if (!(s->now = calloc(c->members, sizeof(double)))) { PyErr_NoMemory(); goto failed; }
    }
    PyObject *out = PyCapsule_New(c, "course", free_course);
    if (out) return out;
failed:
    for (int k = 0; c->source && k < c->sources; k++) { Py_XDECREF(c->source[k].call); free(c->source[k].now); }
    free(c->source);
    let_go(held);
    Py_XDECREF(c->devices);
    free(c);
    return NULL;
}

static double between(const double *points, int pairs, double t)
{
    if (t <= points[0]) return points[1];
    int low = 0, high = pairs - 1;
    if (t >= points[2 * high]) return points[2 * high + 1];
    while (high - low > 1) { const int middle = (low + high) / 2; if (points[2 * middle] <= t) low = middle; else high = middle; }
    const double *a = points + 2 * low;
    return a[1] + (a[3] - a[1]) * (t - a[0]) / (a[2] - a[0]);
}

/* As waveform.py has it. */
static double wave(const Source *s, double t)
{
    const double *v = s->values, pi = 3.14159265358979323846;
    switch (s->kind) {
    case SIN_WAVE: {
        const double late = t - v[3], phase = v[5] * pi / 180;
        return late < 0 ? v[0] + v[1] * sin(phase) : v[0] + v[1] * sin(2 * pi * v[2] * late + phase) * exp(-late * v[4]);
    }
    case PULSE: {
        double late = t - v[2];
        if (late < 0) return v[0];
        if (isfinite(v[6])) late -= v[6] * floor(late / v[6]);
        const double shape[] = {0, v[0], v[3], v[1], v[3] + v[5], v[1], v[3] + v[5] + v[4], v[0]};
        return between(shape, 4, late);
    }
    case PWL: return between(v, s->count / 2, t);
    case SFFM: return v[0] + v[1] * sin(2 * pi * v[2] * t + v[5] * pi / 180 + v[3] * sin(2 * pi * v[4] * t + v[6] * pi / 180));
    case AM_WAVE: { const double late = t - v[4]; return late < 0 ? 0 : v[0] * (v[1] + sin(2 * pi * v[2] * late)) * sin(2 * pi * v[3] * late); }
    default: {
        const double rise = t > v[2] ? 1 - exp(-(t - v[2]) / v[3]) : 0, fall = t > v[4] ? 1 - exp(-(t - v[4]) / v[5]) : 0;
        return v[0] + (v[1] - v[0]) * (rise - fall);
    }
    }
}

/* A course that Python tells: a number, or one for each member. */
static int called(Source *s, double t, int members)
{
    PyObject *out = PyObject_CallFunction(s->call, "d", t);
    if (!out) return 0;
    s->now_many = 0;
    if (PyObject_CheckBuffer(out) && !PyFloat_Check(out)) {
        Py_buffer view;
        if (PyObject_GetBuffer(out, &view, PyBUF_C_CONTIGUOUS)) { Py_DECREF(out); return 0; }
        const Py_ssize_t count = view.len / 8;
        const int good = view.itemsize == 8 && (count == 1 || count == members);
        if (good) { memcpy(s->now, view.buf, view.len); s->now_many = count > 1; }
        else PyErr_SetString(PyExc_ValueError, "a signal gives one number, or one for each member");
        PyBuffer_Release(&view);
        Py_DECREF(out);
        return good;
    }
    s->now[0] = PyFloat_AsDouble(out);
    Py_DECREF(out);
    return !PyErr_Occurred();
}

static int decade_of(double rate)
{
    const int decade = (int)lround(log10(rate)) + DECADES / 2;
    return decade < 0 ? 0 : decade >= DECADES ? DECADES - 1 : decade;
}

static void turn_to(Work *w, Plan *p)
{
    const int made = w->orders.made;
    give_back(w->p, &w->orders);
    w->p = p;
    w->orders = taken_from(p);
    w->orders.made = made;
}

/* The order for steps of this size, from where the first member's devices are guessed to be. */
static Plan *plan_for(Course *c, Work *w, int decade, const double *junctions, Py_ssize_t member)
{
    Plan *p = c->plan[decade];
    if (!p || c->unplanned[decade] > c->most_unplanned) {
        if (!p && !(p = c->plan[decade] = calloc(1, sizeof *p))) return NULL;
        turn_to(w, &c->shape);
        free(p->forward); free(p->back);
        free_orders(&p->others, NULL);
        *p = c->shape;
        c->unplanned[decade] = 0;
        memcpy(w->old, junctions, c->d->branches * sizeof(double));
        set_member(w, member, c->r.gmin, c->r.time);
        if (evaluate(w, member, w->old, &w->one)) {
            linearise(w, &c->r, &w->one);
            for (int s = 0; s < p->own; s++) w->values[s] = w->a[s];
            order(p, w->values, c->r.threshold);
        }
    }
    if (w->p != p) turn_to(w, p);
    return p;
}

/* follow(course, state, x, z, slope, kept, times, largest, peak, time, taken) → (why it stops here, steps taken)
 * state: time, step, stiff, points since the start or a jump, steps refused in a row, whether this one was refused. */
static PyObject *follow(PyObject *self, PyObject *args)
{
    PyObject *course, *state, *x_io, *z_io, *slope_io, *kept_io, *times_io, *largest_io, *peak_io, *time_out, *taken_out;
    Held local = {0}, *held = &local;
    Work w = {0};
    double *memory = NULL;
    if (!PyArg_ParseTuple(args, "OOOOOOOOOOO", &course, &state, &x_io, &z_io, &slope_io, &kept_io, &times_io, &largest_io, &peak_io, &time_out, &taken_out)) return NULL;
    Course *c = PyCapsule_GetPointer(course, "course");
    if (!c) return NULL;
    const Devices *d = c->d;
    const int n = c->shape.size, own = c->shape.own, members = c->members, b = d->branches;
    const size_t all = (size_t)members * n;
    double *s, *x, *z, *slope, *kept, *times, *largest, *peak, *time, *taken;
    RESULTS(s, state, 6); RESULTS(x, x_io, all); RESULTS(z, z_io, all); RESULTS(slope, slope_io, all); RESULTS(kept, kept_io, 3 * all);
    RESULTS(times, times_io, 3); RESULTS(largest, largest_io, n); RESULTS(peak, peak_io, (Py_ssize_t)members * b);
    RESULTS(time, time_out, -1); RESULTS(taken, taken_out, -1);
    const int room = (int)(held->view[held->count - 2].len / sizeof(double));
    if (held->view[held->count - 1].len != (Py_ssize_t)(sizeof(double) * room * c->picked * members)) { PyErr_SetString(PyExc_ValueError, "room for what is taken"); goto failed; }
    w.p = &c->shape;
    if (!make_work(&w, d, &c->shape) || !(memory = malloc((3 * all + (size_t)members * b + n + own + b + 8) * sizeof(double)))) { PyErr_NoMemory(); goto failed; }
    double *guess = memory, *fresh = guess + all, *stored = fresh + all, *junctions = stored + all, *drive = junctions + (size_t)members * b;
    double *dynamic = drive + n, *charge = dynamic + own;
    double t = s[0], h = s[1];
    int stiff = s[2] != 0, since = (int)s[3], ringing = (int)s[4], refused = s[5] != 0, count = 0, why = MORE, corner_at = 0;
    Rules r = c->r;
    PyThreadState *thread = PyEval_SaveThread();
    while (count < room) {
        if (t >= c->stop * (1 - 1e-12)) { why = ARRIVED; break; }
        while (corner_at < c->corners - 1 && !(c->corner[corner_at] > t * (1 + 1e-12) + 1e-18)) corner_at++;
        const double before = h, left = c->corner[corner_at] - t;
        if (h > c->largest_step) h = c->largest_step;
        h = h >= left ? left : h > left / 2 ? left / 2 : h; /* rather two even steps to a corner than one long and one tiny */
        const double to = t + h;
        const int foreseen = since > 3 && !stiff;
        if (foreseen) { /* on the parabola through the last three points, newest last */
            const double t3 = times[0], t2 = times[1], t1 = times[2];
            const double *x3 = kept, *x2 = kept + all, *x1 = kept + 2 * all;
            for (size_t k = 0; k < all; k++) {
                const double d12 = (x1[k] - x2[k]) / (t1 - t2), d23 = (x2[k] - x3[k]) / (t2 - t3);
                guess[k] = x1[k] + (to - t1) * (d12 + (to - t2) * (d12 - d23) / (t1 - t3));
            }
        } else memcpy(guess, x, all * sizeof(double));
        for (int m = 0; m < members; m++) across(d, guess + (size_t)m * n, junctions + (size_t)m * b);
        if (c->calls) PyEval_RestoreThread(thread);
        for (int k = 0; k < c->sources; k++) {
            Source *source = c->source + k;
            if (source->kind < CALLED) source->now[0] = wave(source, to);
            else if (!called(source, to, members)) goto failed;
        }
        if (c->calls) thread = PyEval_SaveThread();
        r.rate = (stiff ? 1.0 : 2.0) / h; r.time = to;
        c->r.rate = r.rate; c->r.time = to;
        const int decade = decade_of(r.rate);
        int status = FOUND;
        for (int m = 0; m < members && status == FOUND; m++) {
            const size_t at = (size_t)m * n;
            fill(&c->still, m, own, w.base);
            fill(&c->moving, m, own, dynamic);
            for (int k = 0; k < own; k++) w.base[k] += r.rate * dynamic[k];
            if (m == 0) {
                if (!plan_for(c, &w, decade, junctions, m)) { status = LOST; break; }
            }
            memcpy(drive, c->steady + (c->steady_many > 1 ? at : 0), n * sizeof(double));
            for (int k = 0; k < c->sources; k++) {
                const Source *source = c->source + k;
                const double *way = source->way + (source->many > 1 ? at : 0), now = source->now[source->now_many ? m : 0];
                for (int j = 0; j < n; j++) drive[j] += way[j] * now;
            }
            for (int j = 0; j < n; j++) drive[j] += r.rate * z[at + j] + (stiff ? 0.0 : slope[at + j]);
            status = newton(&w, &r, m, 0, drive, guess + at, junctions + (size_t)m * b, peak + (size_t)m * b, fresh + at, charge);
            if (status != FOUND) break;
            double *out = stored + at;
            memset(out, 0, n * sizeof(double));
            for (int k = 0; k < own; k++) out[c->shape.row[k]] += dynamic[k] * fresh[at + c->shape.column[k]];
            for (int j = 0; d->charges && j < b; j++) {
                if (d->out_of[j] >= 0) out[d->out_of[j]] += charge[j];
                if (d->into[j] >= 0) out[d->into[j]] -= charge[j];
            }
        }
        c->unplanned[decade] += w.in_full;
        w.in_full = 0;
        if (status != FOUND) {
            if (status == HANDED_BACK || h / 8 < c->smallest_step) { h = before; why = HELP; break; }
            h /= 8;
            stiff = 1;
            continue;
        }
        double error = foreseen ? 0 : 0.5;
        if (foreseen) {
            const double share = h * h / (2 * (to - times[1]) * (to - times[0]));
            for (int m = 0; m < members; m++)
                for (int j = 0; j < d->nodes; j++) {
                    const size_t at = (size_t)m * n + j;
                    const double size = fabs(fresh[at]), most = largest[j] > size ? largest[j] : size;
                    const double part = share * fabs(fresh[at] - guess[at]) / (c->error_share * most + c->error_floor);
                    if (!(part <= error)) error = part;
                }
        }
        if (error > 1 && h > c->smallest_step * 8) {
            const double less = 0.9 * pow(error, -1.0 / 3);
            h *= less > 0.2 ? less : 0.2;
            refused = 1;
            continue;
        }
        for (size_t k = 0; k < all; k++) slope[k] = stiff ? (stored[k] - z[k]) / h : 2 * (stored[k] - z[k]) / h - slope[k];
        t = to;
        memcpy(z, stored, all * sizeof(double)); memcpy(x, fresh, all * sizeof(double));
        memmove(kept, kept + all, 2 * all * sizeof(double)); memcpy(kept + 2 * all, x, all * sizeof(double));
        times[0] = times[1]; times[1] = times[2]; times[2] = t;
        for (size_t k = 0; k < all; k++) { const double size = fabs(x[k]); if (size > largest[k % n]) largest[k % n] = size; }
        time[count] = t;
        for (int k = 0; k < c->picked; k++) for (int m = 0; m < members; m++) taken[((size_t)count * c->picked + k) * members + m] = x[(size_t)m * n + c->pick[k]];
        count++;
        /* What the trapezoidal rule rings at after a junction has shut is refused step after step; Euler's rule damps it. */
        ringing = refused ? ringing + 1 : 0;
        refused = 0;
        const int damp = ringing >= c->ringing_after, at_corner = fabs(t - c->corner[corner_at]) < 1e-12 * c->stop;
        if (damp) ringing = 0;
        stiff = at_corner || damp;
        since++;
        if (at_corner) h = h < c->largest_step / 10 ? h : c->largest_step / 10;
        else { const double grow = 0.9 * pow(error > 1e-3 ? error : 1e-3, -1.0 / 3); h *= grow < 2 ? grow : 2; }
    }
    PyEval_RestoreThread(thread);
    s[0] = t; s[1] = h; s[2] = stiff; s[3] = since; s[4] = ringing; s[5] = refused;
    give_back(w.p, &w.orders);
    free_work(&w); free(memory);
    let_go(held);
    return Py_BuildValue("ii", why, count);
failed:
    if (w.p) give_back(w.p, &w.orders);
    free_work(&w); free(memory);
    let_go(held);
    return NULL;
}

static PyMethodDef functions[] = {
    {"devices", make_devices, METH_VARARGS, NULL},
    {"plan", make_plan, METH_VARARGS, NULL},
    {"at_once", at_once, METH_VARARGS, NULL},
    {"newton", call_newton, METH_VARARGS, NULL},
    {"sweep", sweep, METH_VARARGS, NULL},
    {"course", make_course, METH_VARARGS, NULL},
    {"follow", follow, METH_VARARGS, NULL},
    {NULL, NULL, 0, NULL},
};

static struct PyModuleDef module = {PyModuleDef_HEAD_INIT, "_kernel", NULL, -1, functions, NULL, NULL, NULL, NULL};

PyMODINIT_FUNC PyInit__kernel(void)
{
    choose_lanes(LANES);
    return PyModule_Create(&module);
}
