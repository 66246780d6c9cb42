"""Fit SPICE models to the typical figures of the catalogue and write them as libraries. Run: make types

Every number in the libraries this writes comes from src/nuvlo/catalogue/types/. A type that a hand-kept library defines
already is left to it. tests/catalogue/ puts each model into a circuit and checks its figures with the solver itself.
"""

from __future__ import annotations

import re
import sys
from pathlib import Path

import numpy as np
from scipy.optimize import least_squares

from nuvlo.catalogue import Type, types
from nuvlo.catalogue.type import DIODES

LIBRARY = Path(__file__).parents[1] / "src" / "nuvlo" / "circuit" / "library"
WRITTEN = ("transistors", "diodes", "zeners", "fets", "amplifiers", "fixed", "tubes")  # what this tool writes
VT = 0.0258649  # V at 27 °C
NE, VCE = 1.6, 5.0


def main() -> None:
    kept = {
        name.lower()
        for path in LIBRARY.glob("*.lib") if path.stem not in WRITTEN
        for name in re.findall(r"^\.(?:model|subckt)\s+(\S+)", path.read_text(), re.MULTILINE | re.IGNORECASE)
    }  # fmt: skip
    books: dict[str, list[str]] = {name: [] for name in WRITTEN}
    for t in types().values():
        if t.model in kept:
            continue
        book, lines = _card(t)
        if book:
            books[book] += lines
    for name, lines in books.items():
        head = f"* {TITLES[name]} Made by tools/fit_types.py from the catalogue's tables: not to be edited by hand."
        (LIBRARY / f"{name}.lib").write_text("\n".join([head, *lines]) + "\n", encoding="utf-8")
        print(f"wrote {name}.lib")


TITLES = {
    "transistors": "Bipolar transistors.", "diodes": "Diodes and lamps.", "zeners": "Zener diodes.", "fets": "Field-effect transistors.",
    "amplifiers": "Operational and power amplifiers: .include opamp.lib as well.",
    "fixed": "Regulators by type: .include regulators.lib as well.", "tubes": "Valves by type: .include valves.lib as well.",
}  # fmt: skip


def _card(t: Type) -> tuple[str, list[str]]:
    if t.sort in ("npn", "pnp", "genpn", "gepnp"):
        return "transistors", [_bipolar(t)]
    if t.sort == "zener":
        return "zeners", [_zener(t)]
    if t.sort in DIODES or t.sort == "led":
        return "diodes", [_diode(t)]
    if t.sort in ("njf", "pjf"):
        return "fets", [_junction_fet(t)]
    if t.sort in ("nmos", "pmos"):
        return "fets", [_mosfet(t)]
    if t.sort in ("op-amp", "power-amp") and t.more:
        return "amplifiers", _amplifier(t)
    if t.sort.startswith("regulator"):
        return "fixed", _regulator(t)
    if t.sort in ("triode", "pentode", "rectifier-valve"):
        return "tubes", _valve(t)
    return "", []


def figure(t: Type, what: str) -> float:
    return next(p.value for p in t.published if p.what == what)


def at(t: Type, what: str) -> tuple[float, ...]:
    return next(p.at for p in t.published if p.what == what)


def words(**values: float) -> str:
    return " ".join(f"{k}={v:.4g}" for k, v in values.items())


def rated(t: Type, unit: str, missing: float) -> float:
    found = re.search(rf"([\d.]+) ?(m?){unit}\b", t.ratings)
    return float(found[1]) * (1e-3 if found[2] else 1.0) if found else missing


def _bipolar(t: Type) -> str:
    """Forward Gummel-Poon in the active region, at 5 V from collector to emitter, by least squares in logarithms."""
    amps = rated(t, "A", 0.1)
    germanium = t.sort.startswith("ge")
    small = amps <= 0.2
    rb, re_, rc = (120.0, 0.4, 1.0) if small else (0.3 / amps * 10, 0.03 / amps, 0.06 / amps)
    vaf = 80.0 if t.sort.endswith("npn") else 50.0
    gains = [(p.at[0], p.value) for p in t.published if p.what == "hfe"]
    (ic_vbe,), vbe = at(t, "vbe"), figure(t, "vbe")

    def currents(x: np.ndarray, v: float) -> tuple[float, float]:
        i_s, bf, i_se, ikf = np.exp(x)
        q1 = 1.0 / (1.0 + (VCE - v) / vaf)
        forward = i_s * np.exp(v / VT)
        qb = q1 / 2 * (1 + np.sqrt(1 + 4 * forward / ikf))
        return forward / qb, forward / bf + i_se * np.exp(v / (NE * VT))

    def junction(x: np.ndarray, ic: float) -> float:
        low, high = 0.0, 1.5
        for _ in range(60):
            middle = (low + high) / 2
            low, high = (middle, high) if currents(x, middle)[0] < ic else (low, middle)
        return (low + high) / 2

    def residuals(x: np.ndarray) -> np.ndarray:
        out = []
        for ic, hfe in gains:
            v = junction(x, ic)
            found, base = currents(x, v)
            out.append(np.log(found / base / hfe) * 10)
        v = junction(x, ic_vbe)
        _, base = currents(x, v)
        out.append((v + re_ * ic_vbe + rb * base - vbe) / VT * 10)
        prior = (x - start) * np.array([0, 0.05, 0.05, 0.05])
        return np.array([*out, *prior])

    start = np.log([ic_vbe * np.exp(-vbe / VT), max(g for _, g in gains) * 1.1, 1e-14 if not germanium else 1e-8, amps])
    x = least_squares(residuals, start).x
    i_s, bf, i_se, ikf = np.exp(x)
    (volts,), cob = at(t, "cob"), figure(t, "cob")
    (ic_ft,), ft = at(t, "ft"), figure(t, "ft")
    vj, m = (0.3, 0.4) if germanium else (0.6, 0.35)
    cjc = cob * (1 + volts / vj) ** m
    cje = 2.5 * cjc if small else 4 * cjc
    tf = max(1 / (2 * np.pi * ft) - VT / ic_ft * (1.7 * cje + cjc), 1e-12)
    kind = "npn" if t.sort.endswith("npn") else "pnp"
    extra = " eg=0.67" if germanium else ""
    return (
        f".model {t.model} {kind}({words(**{'is': i_s}, bf=bf, nf=1, vaf=vaf, ikf=ikf, ise=i_se, ne=NE, br=5, nr=1, rb=rb, re=re_, rc=rc)}\n"
        f"+ {words(cje=cje, vje=0.75 if not germanium else 0.3, mje=0.35, cjc=cjc, vjc=vj, mjc=m, tf=tf, tr=20 * tf)}{extra})"
    )


def _diode(t: Type) -> str:
    """V = N·Vt·ln(I/IS) + RS·I through three published points, RS no less than a wire's."""
    points = [(p.at[0], p.value) for p in t.published if p.what == "vf"]
    i, v = (np.array(column) for column in zip(*points, strict=True))
    a = np.stack([np.log(i), np.ones(i.size), i], axis=1)
    slope, level, ohms = np.linalg.lstsq(a, v, rcond=None)[0]
    if ohms < 1e-3:
        ohms = 1e-3
        slope, level = np.linalg.lstsq(a[:, :2], v - ohms * i, rcond=None)[0]
    n = slope / VT
    fast = {"schottky": 0.1e-9, "signal": 5e-9, "germanium": 1e-9, "led": 20e-9}.get(t.sort, 50e-9 if t.name.startswith("UF") else 4e-6)
    broken = "" if t.sort == "led" else f" bv={rated(t, 'V', 100):g} ibv=5u"
    extra = {"schottky": " eg=0.69 xti=2", "germanium": " eg=0.67"}.get(t.sort, "")
    return f".model {t.model} d({words(**{'is': np.exp(-level / slope)}, n=n, rs=ohms, cjo=figure(t, 'cj'), vj=0.6, m=0.4, tt=fast)}{broken}{extra})"


def _zener(t: Type) -> str:
    (amps,), ohms, volts = at(t, "vz"), figure(t, "zz"), figure(t, "vz")
    rs = max(ohms - VT / amps, 0.1)
    (forward,), volt = at(t, "vf"), figure(t, "vf")
    i_s = forward / np.exp((volt - rs * forward) / (1.05 * VT))
    # At the test current the drop over RS is part of the published volts.
    return f".model {t.model} d({words(**{'is': i_s}, n=1.05, rs=rs, bv=volts - amps * rs, ibv=amps, cjo=1e-9 / volts, vj=0.7, m=0.35)})"


def _junction_fet(t: Type) -> str:
    """Square law: the slope at one current gives BETA, the current at zero volts VTO."""
    (vds,), idss = at(t, "idss"), figure(t, "idss")
    (ic,), slope = at(t, "gfs"), figure(t, "gfs")
    lam = 6e-3
    grown = 1 + lam * vds
    beta = slope**2 / (4 * ic * grown)
    vto = -np.sqrt(idss / (beta * grown))
    (volts,), crss = at(t, "crss"), figure(t, "crss")
    cgd = crss * np.sqrt(1 + volts / 0.9)
    return f".model {t.model} {t.sort}({words(vto=vto, beta=beta, **{'lambda': lam, 'is': 6e-15}, cgs=1.5 * cgd, cgd=cgd, pb=0.9, kf=1e-17)})"


def _mosfet(t: Type) -> str:
    (ith,), vth = at(t, "vth"), figure(t, "vth")
    (ic,), slope = at(t, "gfs"), figure(t, "gfs")
    (vgs,), ron = at(t, "ron"), figure(t, "ron")
    kp = slope**2 / (2 * ic)
    vto = vth - np.sqrt(2 * ith / kp)
    rd = ron - 1 / (kp * (vgs - vto))
    assert rd > 0, t.name
    width = 100e-6  # SPICE's own when none is given
    crss = figure(t, "crss")
    sign = 1 if t.sort == "nmos" else -1
    return f".model {t.model} {t.sort}({words(vto=sign * vto, kp=kp, rd=rd, cgdo=crss / width, cgso=10 * crss / width, **{'is': 1e-14})})"


def _amplifier(t: Type) -> list[str]:
    more = dict(t.more)
    drop = more.pop("drop")
    given = words(ib=more["ib"], aol=more["aol"], gbw=figure(t, "gbw"), slew=figure(t, "slew"), ro=more["ro"], drop=drop,
                  iq=figure(t, "iq"), en=figure(t, "noise"), in_=more["in_"])  # fmt: skip
    return [f".subckt {t.model} p n vp vn o vos=0 iq={figure(t, 'iq'):g} ib={more['ib']:g}",
            f"xa p n vp vn o opamp {re.sub(r'iq=[^ ]+', 'iq={iq}', re.sub(r'ib=[^ ]+', 'ib={ib}', given))} vos={{vos}}", ".ends"]  # fmt: skip


def _regulator(t: Type) -> list[str]:
    (amps,), drop = at(t, "dropout"), figure(t, "dropout")
    limit = 1.5 * rated(t, "A", 1.0)
    if "adj" in t.sort:
        base = "regulator_adj_neg" if t.sort.endswith("neg") else "regulator_adj"
        vref, iadj = figure(t, "vref"), figure(t, "iadj")
        return [f".subckt {t.model} in a out vref={vref:g} iadj={iadj:g}",
                f"xr in a out {base} vref={{vref}} iadj={{iadj}} drop={drop - 0.01 * amps:.4g} ilim={limit:g}", ".ends"]  # fmt: skip
    base = "regulator_neg" if t.sort.endswith("neg") else "regulator"
    return [f".subckt {t.model} in g out v={figure(t, 'vout'):g}",
            f"xr in g out {base} v={{v}} drop={drop - 0.02 * amps:.4g} iq={figure(t, 'iq'):g} ilim={limit:g}", ".ends"]  # fmt: skip


def _valve(t: Type) -> list[str]:
    if t.sort == "rectifier-valve":
        first = t.published[0]
        k = first.at[0] / first.value**1.5
        return [f".subckt {t.model} a k k32={k:.4g}", "ba a k i={k32*pwr(uramp(v(a,k)),1.5)}", "ra a k 1g", ".ends"]
    caps = " ".join(f"{k}={v:.4g}" for k, v in t.more)
    if t.sort == "triode":
        mu, ex, kg1, kp, kvb = _triode(t)
        return [f".subckt {t.model} a g k kg1={kg1:.6g}",
                f"xt a g k triode mu={mu:.6g} ex={ex:.6g} kg1={{kg1}} kp={kp:.6g} kvb={kvb:.6g} {caps}", ".ends"]  # fmt: skip
    mu, ex, kg1, kp, kvb, kg2 = _pentode(t)
    return [f".subckt {t.model} a s g k kg1={kg1:.6g}",
            f"xp a s g k pentode mu={mu:.6g} ex={ex:.6g} kg1={{kg1}} kp={kp:.6g} kvb={kvb:.6g} kg2={kg2:.6g} {caps}", ".ends"]  # fmt: skip


def _soft(z: float) -> float:
    return float(np.log1p(np.exp(min(z, 80.0))) + max(z - 80.0, 0.0))


def _fitted(t: Type, current, start: np.ndarray, typical: np.ndarray, skip: tuple[str, ...] = ()) -> np.ndarray:
    """Parameters by logarithms, drawn weakly towards what such valves usually have."""

    def told(x: np.ndarray, p) -> float:
        *plates, grid = p.at
        ia = current(np.exp(x), plates, grid)
        d = 1e-3
        gm = (current(np.exp(x), plates, grid + d) - current(np.exp(x), plates, grid - d)) / (2 * d)
        if p.what == "ia":
            return ia
        if p.what == "gm":
            return gm
        up = [plates[0] + 0.1, *plates[1:]]
        return gm / ((current(np.exp(x), up, grid) - ia) / 0.1)  # mu

    wanted = [p for p in t.published if p.what not in skip]

    def residuals(x: np.ndarray) -> np.ndarray:
        return np.array([*(20 * np.log(max(told(x, p), 1e-12) / p.value) for p in wanted), *(0.2 * (x - np.log(typical)))])

    return np.exp(least_squares(residuals, np.log(start), max_nfev=4000).x)


def _triode(t: Type) -> np.ndarray:
    def current(x, plates, grid):
        mu, ex, kg1, kp, kvb = x
        va = plates[0]
        e = va / kp * _soft(kp * (1 / mu + grid / np.sqrt(kvb + va * va)))
        return 2 * max(e, 0.0) ** ex / kg1

    mu = next((p.value for p in t.published if p.what == "mu"), None)
    if mu is None:
        mu = {"ECC81": 60.0, "ECC82": 18.0}.get(t.name, 50.0)
    start = np.array([mu, 1.35, 1000.0, 4.0 * mu, 300.0])
    return _fitted(t, current, start, start)


def _pentode(t: Type) -> np.ndarray:
    def current(x, plates, grid):
        mu, ex, kg1, kp, kvb = x
        va, vs = plates
        e = vs / kp * _soft(kp * (1 / mu + grid / vs))
        return 2 * max(e, 0.0) ** ex / kg1 * np.arctan(va / kvb)

    p = t.published[0]
    start = np.array([{"EF86": 38.0, "EL34": 11.0}.get(t.name, 0.85 * p.at[1] / -p.at[2] * 0.6), 1.35, 800.0, 60.0, 25.0])
    x = _fitted(t, current, start, start, skip=("is",))
    screen = next(q for q in t.published if q.what == "is")
    _, vs, vg = screen.at
    kg2 = max(vg + vs / x[0], 0.1) ** 1.5 / screen.value
    return np.array([*x, kg2])


if __name__ == "__main__":
    sys.exit(main())
