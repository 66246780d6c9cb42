"""Random circuits made of audio blocks, one behind another on a supply: amplifiers, followers, macros with clamped rails, zeners, strings of
lamps, clippers, regulators. Each seed is one netlist."""

import random

MODELS = """.model qn npn(is=1e-14 bf=250 vaf=80 ikf=80m ise=5e-15 ne=1.6 rb=80 rc=0.6 re=0.3 cje=12p cjc=4p tf=0.5n)
.model qp pnp(is=2e-14 bf=180 vaf=50 ikf=60m ise=1e-14 ne=1.7 rb=60 rc=0.8 re=0.4 cje=15p cjc=6p tf=0.8n)
.model dn d(is=4n n=1.8 rs=0.6 cjo=4p tt=6n bv=100)
.model ds d(is=1.5u n=1.05 rs=50m bv=20)
.model led d(is=1e-17 n=1.9 rs=4)
.model z3 d(is=1e-14 n=1.1 rs=12 bv=3.3 ibv=5m)
.model z5 d(is=1e-15 n=1.1 rs=8 bv=5.6 ibv=5m)
.model z12 d(is=1e-15 rs=10 bv=12 ibv=2m)
.model jn njf(beta=1.2m vto=-1.8 lambda=8m is=1e-14)
.model mn nmos(vto=2 kp=20m lambda=5m)
"""


def circuit(seed: int) -> str:
    """A netlist of three to nine blocks."""
    dice = random.Random(seed)
    volts = dice.choice((5, 9, 12, 15, 18, 24, 48))
    lines = [f"random audio blocks {seed}", f"vs rail 0 {volts}", f"vin n0 0 dc {dice.uniform(-0.2, 0.2):.3f} ac 1"]
    double = dice.random() < 0.5
    if double:
        lines.append(f"vm low 0 {-volts}")
    here = "n0"
    for k in range(1, dice.randint(3, 9)):
        block = dice.choice(BLOCKS)
        lines += block(dice, k, here, f"n{k}", "low" if double else "0", volts)
        here = f"n{k}"
    return "\n".join([*lines, f"rend {here} 0 {r(dice, 1e3, 1e5)}", MODELS, ".end", ""])


def r(dice, low, high):
    """Ω between two, even on the scale of the logarithm."""
    return f"{low * (high / low) ** dice.random():.4g}"


def common_emitter(dice, k, a, b, low, volts):
    return [f"cc{k} {a} b{k} 1u", f"rp{k} rail b{k} {r(dice, 4e4, 4e5)}", f"rq{k} b{k} {low} {r(dice, 1e4, 1e5)}", f"q{k} {b} b{k} e{k} qn",
            f"rc{k} rail {b} {r(dice, 1e3, 2e4)}", f"re{k} e{k} {low} {r(dice, 1e2, 4e3)}"]  # fmt: skip


def follower(dice, k, a, b, low, volts):
    kind, high = dice.choice((("qn", True), ("qp", False)))
    top, bottom = ("rail", low) if high else (low, "rail")
    return [f"rs{k} {a} b{k} {r(dice, 1e2, 1e4)}", f"q{k} {top} b{k} {b} {kind}", f"re{k} {b} {bottom} {r(dice, 5e2, 2e4)}"]


def pair(dice, k, a, b, low, volts):
    return [f"q{k}a c{k} {a}x e{k} qn", f"rx{k} {a} {a}x 100", f"q{k}b {b} f{k} e{k} qn", f"rt{k} e{k} {low} {r(dice, 1e3, 3e4)}",
            f"rc{k} rail c{k} {r(dice, 1e3, 1e4)}", f"rd{k} rail {b} {r(dice, 1e3, 1e4)}", f"rf{k} f{k} 0 {r(dice, 1e3, 1e5)}"]  # fmt: skip


def zener(dice, k, a, b, low, volts):
    return [f"rz{k} rail z{k} {r(dice, 1e2, 1e4)}", f"dz{k} 0 z{k} {dice.choice(('z3', 'z5', 'z12'))}", f"ry{k} z{k} {b} {r(dice, 1e3, 1e5)}",
            f"rw{k} {a} {b} {r(dice, 1e3, 1e5)}"]  # fmt: skip


def lamps(dice, k, a, b, low, volts):
    count = dice.randint(1, 5)
    out = [f"rl{k} rail l{k}_0 {r(dice, 1e2, 1e4)}"]
    for n in range(count):
        out.append(f"dl{k}_{n} l{k}_{n} {f'l{k}_{n + 1}' if n < count - 1 else '0'} led")
    if dice.random() < 0.5:  # a zener across them
        out.append(f"dz{k} 0 l{k}_0 {dice.choice(('z3', 'z5', 'z12'))}")
    return [*out, f"rw{k} {a} {b} {r(dice, 1e2, 1e5)}", f"ry{k} l{k}_0 {b} {r(dice, 1e4, 1e6)}"]


def clipper(dice, k, a, b, low, volts):
    one, other = dice.choice((("dn", "dn"), ("led", "led"), ("ds", "dn"), ("z3", "z5")))
    back = [f"da{k} {b} 0 {one}", f"db{k} 0 {b} {other}"] if one != "z3" else [f"da{k} {b} m{k} {one}", f"db{k} 0 m{k} {other}"]
    return [f"rs{k} {a} {b} {r(dice, 1e2, 1e5)}", *back]


def macro(dice, k, a, b, low, volts):
    """An inverting stage with an op-amp of a soft or hard limited gain."""
    top, bottom = volts - 1.5, (-volts + 1.5 if low != "0" else 1.0)
    middle, half = (top + bottom) / 2, (top - bottom) / 2
    gain = dice.choice((1e4, 1e5))
    soft = f"bo{k} o{k} 0 v={{{middle}+{half}*tanh({gain}*(v(p{k})-v(m{k}))/{half})}}"
    hard = f"bo{k} o{k} 0 v={{max(min({gain}*(v(p{k})-v(m{k})),{top}),{bottom})}}"
    limited = f"bi{k} 0 g{k} i={{1m*tanh({gain / 1e3}*(v(p{k})-v(m{k})))}}\nrg{k} g{k} 0 1meg\nbo{k} o{k} 0 v={{max(min(v(g{k}),{top}),{bottom})}}"
    ref = f"vr{k} p{k} 0 {volts / 2 if low == '0' else 0}"
    return [ref, f"ra{k} {a} m{k} {r(dice, 1e3, 1e5)}", f"rb{k} m{k} {b} {r(dice, 1e3, 1e6)}", dice.choice((soft, hard, limited)), f"ro{k} o{k} {b} 75"]


def regulator(dice, k, a, b, low, volts):
    return [f"rz{k} rail z{k} {r(dice, 3e2, 5e3)}", f"dz{k} 0 z{k} {dice.choice(('z5', 'z12'))}", f"q{k} rail z{k} u{k} qn", f"rl{k} u{k} 0 {r(dice, 2e2, 1e4)}",
            f"rw{k} {a} {b} {r(dice, 1e3, 1e5)}", f"ry{k} u{k} {b} {r(dice, 1e3, 1e5)}"]  # fmt: skip


def fet(dice, k, a, b, low, volts):
    return [f"cg{k} {a} g{k} 100n", f"rg{k} g{k} {low} 1meg", f"j{k} {b} g{k} s{k} jn", f"rs{k} s{k} {low} {r(dice, 2e2, 5e3)}", f"rd{k} rail {b} {r(dice, 1e3, 1e4)}"]


def power(dice, k, a, b, low, volts):
    """Complementary followers with two diodes between their bases."""
    return [f"rh{k} rail h{k} {r(dice, 1e3, 1e4)}", f"d{k}a h{k} {a}y dn", f"ry{k} {a} {a}y 10", f"d{k}b {a}y i{k} dn", f"ri{k} i{k} {low} {r(dice, 1e3, 1e4)}",
            f"q{k}a rail h{k} t{k} qn", f"q{k}b {low} i{k} w{k} qp", f"rt{k} t{k} {b} 2.2", f"rv{k} w{k} {b} 2.2"]  # fmt: skip


def mos(dice, k, a, b, low, volts):
    return [f"rp{k} rail g{k} {r(dice, 1e5, 1e6)}", f"rq{k} g{k} {low} {r(dice, 1e5, 1e6)}", f"cg{k} {a} g{k} 100n", f"m{k} {b} g{k} s{k} s{k} mn",
            f"rs{k} s{k} {low} {r(dice, 1e1, 1e3)}", f"rd{k} rail {b} {r(dice, 2e2, 1e4)}"]  # fmt: skip


BLOCKS = (common_emitter, follower, pair, zener, lamps, clipper, macro, regulator, fet, power, mos)
