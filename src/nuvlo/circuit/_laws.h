/* The operations of a law on all devices of a kind: included once for each kind of number. NUMBER is the type, NAMED the name of what works on it,
 * CONSTANT(x) and TRUTH(condition) are such numbers, SELECT(condition, yes, no) is one of two, SIZE_OF(x) how large one is; EXPONENTIAL(to, x) puts
 * a number there, BY_ITSELF(to, function, x) and OF_TWO(to, function, x, y) what a function of C comes to. */

#define EACH(expression) do { for (int i = 0; i < n; i++) to[i] = (expression); } while (0)
#define EACH_BY_ITSELF(function) do { for (int i = 0; i < n; i++) BY_ITSELF(to[i], function, a[i]); } while (0)
#define EACH_OF_TWO(function) do { for (int i = 0; i < n; i++) OF_TWO(to[i], function, a[i], b[i]); } while (0)

static void NAMED(run_code)(const Program *p, NUMBER **reg)
{
    const int n = p->lanes;
    const int32_t *c = p->code, *end = c + 5 * p->ops;
    for (; c < end; c += 5) {
        NUMBER *to = reg[c[1]];
        const NUMBER *a = reg[c[2]], *b = reg[c[3]], *d = reg[c[4]];
        switch (c[0]) {
        case ADD: EACH(a[i] + b[i]); break;
        case SUB: EACH(a[i] - b[i]); break;
        case MUL: EACH(a[i] * b[i]); break;
        case DIV: EACH(a[i] / b[i]); break;
        case NEG: EACH(-a[i]); break;
        case ABS: EACH(SIZE_OF(a[i])); break;
        case MIN: EACH(SELECT((a[i] < b[i]) | (a[i] != a[i]), a[i], b[i])); break;
        case MAX: EACH(SELECT((a[i] > b[i]) | (a[i] != a[i]), a[i], b[i])); break;
        case EXP: for (int i = 0; i < n; i++) EXPONENTIAL(to[i], a[i]); break;
        case LOG: EACH_BY_ITSELF(log); break;
        case LOG10: EACH_BY_ITSELF(log10); break;
        case SQRT: EACH_BY_ITSELF(sqrt); break;
        case POW: EACH_OF_TWO(pow); break;
        case TAN: EACH_BY_ITSELF(tan); break;
        case TANH: EACH_BY_ITSELF(tanh); break;
        case ATAN: EACH_BY_ITSELF(atan); break;
        case SIN: EACH_BY_ITSELF(sin); break;
        case COS: EACH_BY_ITSELF(cos); break;
        case SINH: EACH_BY_ITSELF(sinh); break;
        case COSH: EACH_BY_ITSELF(cosh); break;
        case ASIN: EACH_BY_ITSELF(asin); break;
        case ACOS: EACH_BY_ITSELF(acos); break;
        case ASINH: EACH_BY_ITSELF(asinh); break;
        case ACOSH: EACH_BY_ITSELF(acosh); break;
        case ATANH: EACH_BY_ITSELF(atanh); break;
        case FLOOR: EACH_BY_ITSELF(floor); break;
        case CEIL: EACH_BY_ITSELF(ceil); break;
        case TRUNC: EACH_BY_ITSELF(trunc); break;
        case RINT: EACH_BY_ITSELF(rint); break;
        case FMOD: EACH_OF_TWO(fmod); break;
        case SIGN: EACH(SELECT(a[i] != a[i], a[i], TRUTH(a[i] > 0) - TRUTH(a[i] < 0))); break;
        case LT: EACH(TRUTH(a[i] < b[i])); break;
        case LE: EACH(TRUTH(a[i] <= b[i])); break;
        case GT: EACH(TRUTH(a[i] > b[i])); break;
        case GE: EACH(TRUTH(a[i] >= b[i])); break;
        case EQ: EACH(TRUTH(a[i] == b[i])); break;
        case NE: EACH(TRUTH(a[i] != b[i])); break;
        case AND: EACH(TRUTH((a[i] != 0) & (b[i] != 0))); break;
        case OR: EACH(TRUTH((a[i] != 0) | (b[i] != 0))); break;
        case NOT: EACH(TRUTH(a[i] == 0)); break;
        case WHERE: EACH(SELECT(a[i] != 0, b[i], d[i])); break;
        case STEEP: EACH(SELECT(a[i] != a[i], CONSTANT(0), SELECT(a[i] > STEEPEST, CONSTANT(STEEPEST), SELECT(a[i] < -STEEPEST, CONSTANT(-STEEPEST), a[i])))); break;
        }
    }
}

#undef EACH
#undef EACH_BY_ITSELF
#undef EACH_OF_TWO
