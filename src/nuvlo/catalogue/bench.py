"""Published figures of a type, as its model shows them in a circuit: what a test and ``nuvlo type`` put beside each other."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from nuvlo.catalogue.type import Published, Type
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.noise import noise
from nuvlo.circuit.operating_point import OperatingPoint, operating_point
from nuvlo.circuit.small_signal import responses
from nuvlo.circuit.transient import transient

UNITS = {
    "vbe": "V", "cob": "F", "ft": "Hz", "vf": "V", "cj": "F", "vz": "V", "zz": "Ω", "idss": "A", "gfs": "S", "crss": "F",
    "vth": "V", "ron": "Ω", "gbw": "Hz", "slew": "V/s", "noise": "V/√Hz", "iq": "A", "vout": "V", "dropout": "V", "vref": "V",
    "iadj": "A", "ia": "A", "gm": "S", "is": "A", "vd": "V", "iout": "A", "vabc": "V", "vsat": "V", "vtrip": "V", "ctrl": "V",
    "hertz": "Hz", "imid": "A", "iref": "A", "zka": "Ω", "ohms": "Ω",
}  # fmt: skip
WORDS = {
    "vbe": "base to emitter", "hfe": "current gain", "cob": "collector to base", "ft": "transit frequency", "vf": "forward",
    "cj": "capacitance", "vz": "zener voltage", "zz": "its impedance", "idss": "drain current at 0 V", "gfs": "slope",
    "crss": "gate to drain", "vth": "threshold", "ron": "on resistance", "gbw": "gain-bandwidth", "slew": "slew rate",
    "noise": "noise", "iq": "supply current", "vout": "output", "dropout": "lost at least", "vref": "reference",
    "iadj": "from the adjust pin", "ia": "plate current", "gm": "slope", "mu": "gain factor", "is": "screen current",
    "vd": "drop", "iout": "output current", "vabc": "bias input", "vsat": "low output", "vtrip": "trips at", "ctrl": "control",
    "hertz": "astable of 1 kΩ, 4.5 kΩ and 100 nF", "imid": "current at the middle", "gain": "gain", "iref": "into the reference",
    "zka": "dynamic impedance", "ohms": "resistance",
}  # fmt: skip


def shown(t: Type, point: Published) -> float:
    """What the type's model gives for a published ``point``, solved at 27 °C."""
    return _FIGURES[t.sort](t, point)


def _solve(body: str) -> tuple[Circuit, OperatingPoint]:
    circuit = Circuit.from_text(f"t\n{body}\n")
    return circuit, operating_point(circuit)


def _slope(point: OperatingPoint, source: str, node: str, hertz: float = 1.0) -> complex:
    """V at a node for 1 V or 1 A of a source."""
    return complex(responses(point, source, [node], np.array([hertz]))[node].transfer[0, 0])


def _capacitance(body: str, hertz: float = 1e5) -> float:
    """F seen by 1 A driven into node x, whose volts are held by way of a very large inductor."""
    _, point = _solve(body)
    return float((1.0 / _slope(point, "ix", "x", hertz)).imag / (2 * np.pi * hertz))


def _bipolar(t: Type, p: Published) -> float:
    s = 1 if t.sort.endswith("npn") else -1
    (first,) = p.at
    if p.what == "cob":
        return _capacitance(f"vx y 0 {s * first}\nlx y x 1meg\nix 0 x dc 0\nq1 x 0 e {t.model}\nre e 0 1t")
    # The emitter is driven, so that the collector current is known whatever the gain; 5 V across.
    at = f"vc c 0 {s * 5}\nie e 0 {s * first}\nvb b 0 0 ac 1\nq1 c b e {t.model}"
    if p.what in ("vbe", "hfe"):
        _, point = _solve(at)
        if p.what == "vbe":
            return float(-s * point.voltage("e")[0])
        amps = point.currents()
        return float(abs(amps["vc"][0] / amps["vb"][0]))
    hertz = p.value / 20  # where the gain falls as 1/f, far above the corner
    body = f"vc c 0 {s * 5}\nie e 0 {s * first}\nce e 0 1\nrb b 0 1g\nib 0 b dc 0 ac 1\nq1 c b e {t.model}\nvz z 0 0"
    body = body.replace("vc c 0", "rc c cc 0.001\nvc cc 0").replace("rb b 0 1g", f"lb b 0 {1e9 / (2 * np.pi * hertz):g}")
    _, point = _solve(body)
    return float(abs(_slope(point, "ib", "c", hertz)) / 0.001 * hertz)


def _diode(t: Type, p: Published) -> float:
    (at,) = p.at
    if p.what == "cj":
        return _capacitance(f"vx y 0 {-at}\nlx y x 1meg\nix 0 x dc 0\nd1 x 0 {t.model}")
    if p.what == "vf":
        return float(_solve(f"i1 0 a {at}\nd1 a 0 {t.model}")[1].voltage("a")[0])
    # Through a resistor from three times its volts, as it is used: of a current alone it would have to be found in the dark.
    volts = next(q.value for q in t.published if q.what == "vz")
    ohms = 2 * volts / at
    _, point = _solve(f"vs s 0 {3 * volts}\nrs s k {ohms}\nd1 0 k {t.model}\ni1 0 k dc 0 ac 1")
    return float(point.voltage("k")[0]) if p.what == "vz" else abs(1 / (1 / _slope(point, "i1", "k") - 1 / ohms))


def _junction_fet(t: Type, p: Published) -> float:
    s = 1 if t.sort == "njf" else -1
    (at,) = p.at
    if p.what == "crss":
        return _capacitance(f"vx y 0 {-s * at}\nlx y x 1meg\nix 0 x dc 0\nvd d 0 0\nj1 d x s {t.model}\nrs s 0 1t")
    if p.what == "idss":
        return float(abs(_solve(f"vd d 0 {s * at}\nj1 d 0 0 {t.model}")[1].currents()["vd"][0]))
    # The drain current held by a source in the source lead, the source at ground for signals.
    body = f"vd dd 0 {s * 15}\nrd dd d 0.001\nis s 0 {s * at}\ncs s 0 1\nvg g 0 0 ac 1\nj1 d g s {t.model}"
    return abs(_slope(_solve(body)[1], "vg", "d", 1e3)) / 0.001


def _mosfet(t: Type, p: Published) -> float:
    s = 1 if t.sort == "nmos" else -1
    (at,) = p.at
    if p.what == "crss":
        return _capacitance(f"vx y 0 {-s * at}\nlx y x 1meg\nix 0 x dc 0\nvd d 0 0\nm1 d x s s {t.model}\nrs s 0 1t")
    if p.what == "vth":
        return float(abs(_solve(f"i1 0 d {s * at}\nm1 d d 0 0 {t.model}")[1].voltage("d")[0]))
    if p.what == "ron":
        return float(abs(_solve(f"vg g 0 {s * at}\ni1 0 d {s * 1e-3}\nm1 d g 0 0 {t.model}")[1].voltage("d")[0]) / 1e-3)
    body = f"vd dd 0 {s * 25}\nrd dd d 0.001\nis s 0 {s * at}\ncs s 0 1\nvg g 0 0 ac 1\nm1 d g s s {t.model}"
    return abs(_slope(_solve(body)[1], "vg", "d", 1e3)) / 0.001


def _amplifier(t: Type, p: Published) -> float:
    # The published supply of ±15 V but where the type bears less.
    rails = "vp p 0 7.5\nvn n 0 -7.5" if t.model in ("tlc272", "ca3130") else "vp p 0 15\nvn n 0 -15"
    follower = f"{rails}\nvi i 0 dc 0 ac 1\nx1 i o p n o {t.model}\nrl o 0 10k"
    if p.what == "iq":
        return float(abs(_solve(follower)[1].currents()["vp"][0]))
    if p.what == "gbw":
        hertz = p.value / 10
        loop = f"{rails}\nvi i 0 dc 0 ac 1\nx1 i m p n o {t.model}\nrf o m 1meg\ncf m 0 1\nrl o 0 10k"
        return abs(_slope(_solve(loop)[1], "vi", "o", hertz)) * hertz
    if p.what == "noise":
        point = _solve(follower)[1]
        return float(noise(point, "vi", "o", np.array((*p.at, 2 * p.at[0]))).input_density[0, 0])
    rise = 4.0 / p.value  # s for 4 V
    pulse = follower.replace("dc 0 ac 1", f"pulse(-4 4 0 {rise / 100:g} {rise / 100:g} {20 * rise:g} {60 * rise:g})")
    course = transient(Circuit.from_text(f"t\n{pulse}\n"), rise / 100, 3 * rise, ["o"])
    volts = course.voltage["o"][0]
    return float(np.max(np.gradient(volts, course.time)))


def _regulator(t: Type, p: Published) -> float:
    s = -1 if t.sort.endswith("neg") else 1
    if "adj" in t.sort:
        held = f"x1 i j o {t.model}\nr1 o j 240\nr2 j 0 2.4k"
        amps = p.at[0] if p.at else 0.0
        _, high = _solve(f"vi i 0 {s * 25}\n{held}\nil o 0 {s * amps}")
        if p.what == "vref":
            return float(s * high.voltage("o", "j")[0])
        if p.what == "iadj":
            return float(s * (high.voltage("j")[0] / 2400 - high.voltage("o", "j")[0] / 240))
    else:
        amps = p.at[0] if p.at else 0.0
        held = f"x1 i 0 o {t.model}"
        _, high = _solve(f"vi i 0 {s * 30}\n{held}\nil o 0 {s * max(amps, 5e-3)}")
        if p.what == "vout":
            return float(s * high.voltage("o")[0])
        if p.what == "iq":
            return float(abs(high.currents()["vi"][0]) - 5e-3)
    want = s * high.voltage("o")[0]  # dropout: what is left across it when the input is 0.3 V short
    _, low = _solve(f"vi i 0 {s * (want + p.value - 0.3)}\n{held}\nil o 0 {s * amps}")
    return float(s * low.voltage("i", "o")[0])


def _valve(t: Type, p: Published) -> float:
    *plates, grid = p.at
    screen = f"vs s 0 {plates[1]}\n" if len(plates) > 1 else ""
    legs = "a s g 0" if screen else "a g 0"
    body = f"va aa 0 {plates[0]} ac 0\nra aa a 0.001\n{screen}vg g 0 {grid} ac 1\nx1 {legs} {t.model}"
    _, point = _solve(body)
    if p.what == "ia":
        return float(abs(point.currents()["va"][0]))
    if p.what == "is":
        return float(abs(point.currents()["vs"][0]))
    slope = abs(_slope(point, "vg", "a")) / 0.001
    if p.what == "gm":
        return slope
    held = f"ia 0 a {abs(point.currents()['va'][0]):.12g}\nvg g 0 {grid} ac 1\nx1 {legs} {t.model}"
    return abs(_slope(_solve(held)[1], "vg", "a", 1e-3))


def _rectifier_valve(t: Type, p: Published) -> float:
    return float(_solve(f"i1 0 a {p.at[0]}\nx1 a 0 {t.model}")[1].voltage("a")[0])


def _power_chip(t: Type, p: Published) -> float:
    if t.model != "lm386":
        return _amplifier(t, p)
    supply = p.at[0] if p.what in ("vout", "iq") else 9.0
    _, point = _solve(f"vs vs 0 {supply}\nvi i 0 dc 0 ac 1\nx1 1 0 i 0 o vs 7 8 lm386\nco o l 1000u\nrl l 0 1k\nc7 7 0 10u")
    if p.what == "gain":
        return abs(_slope(point, "vi", "l", p.at[0]))
    return float(point.voltage("o")[0] if p.what == "vout" else abs(point.currents()["vs"][0]))


def _ota(t: Type, p: Published) -> float:
    volts = 0.1 if p.what == "iout" else 0.0
    _, point = _solve(
        f"vp p 0 15\nvn n 0 -15\nii 0 b {p.at[0]}\nvi i 0 dc {volts} ac 1\nx1 i 0 b p n o {t.model}\nvo o 0 0\nro o r 1g\nrr r 0 1"
    )
    if p.what == "vabc":
        return float(point.voltage("b")[0] + 15.0)
    if p.what == "iout":
        return float(abs(point.currents()["vo"][0]))
    _, loaded = _solve(f"vp p 0 15\nvn n 0 -15\nii 0 b {p.at[0]}\nvi i 0 dc 0 ac 1\nx1 i 0 b p n o {t.model}\nro o 0 1")
    return abs(_slope(loaded, "vi", "o"))


def _comparator(t: Type, p: Published) -> float:
    if p.what == "vsat":
        return float(_solve(f"vp p 0 5\nvi m 0 0.1\nil 0 o {p.at[0]}\nx1 0 m p 0 o {t.model}")[1].voltage("o")[0])
    if p.what == "iq":
        return float(abs(_solve(f"vp p 0 5\nvi m 0 -0.1\nx1 0 m p 0 o {t.model}\nrl o 0 1meg")[1].currents()["vp"][0]))
    volts = np.linspace(-2e-3, 2e-3, 401)
    circuit, _ = _solve(f"vp p 0 5\nvi m 0 0\nrl p o 10k\nx1 0 m p 0 o {t.model}")
    out = operating_point(circuit, {"vi": volts}).voltage("o")
    return float(volts[np.argmin(np.abs(out - 2.5))])


def _timer(t: Type, p: Published) -> float:
    supply = p.at[0] if p.at else 9.0
    if p.what == "hertz":
        body = (
            f"vs v 0 {supply}\nra v d 1k\nrb d c 4.5k\nct c 0 100n\nx1 0 c o v k c d v {t.model}\nck k 0 10n\nrl o 0 10k"
        )
        course = transient(Circuit.from_text(f"t\n{body}\n"), 2e-6, 6e-3, ["c"], signals={"vs": lambda t: supply * min(t / 1e-5, 1)})
        volts = course.voltage["c"][0] - supply / 2
        ups = np.flatnonzero((volts[:-1] < 0) & (volts[1:] >= 0))
        return float((ups.size - 2) / (course.time[ups[-1]] - course.time[ups[1]]))
    _, point = _solve(f"vs v 0 {supply}\nvt t 0 {supply}\nx1 0 t o v k 0 d v {t.model}\nrl o 0 1meg\nrd d v 1meg")
    return float(point.voltage("k")[0] if p.what == "ctrl" else abs(point.currents()["vs"][0]))


def _inverter(t: Type, p: Published) -> float:
    (supply,) = p.at
    joined = f"vd d 0 {supply}\nx1 o o d 0 {t.model}"
    _, point = _solve(joined)
    if p.what == "vtrip":
        return float(point.voltage("o")[0])
    if p.what == "imid":
        return float(abs(point.currents()["vd"][0]))
    middle = float(point.voltage("o")[0])
    return abs(_slope(_solve(f"vd d 0 {supply}\nvi i 0 dc {middle:.9g} ac 1\nx1 i o d 0 {t.model}")[1], "vi", "o"))


def _switch(t: Type, p: Published) -> float:
    (supply,) = p.at
    _, point = _solve(f"vd d 0 {supply}\ni1 0 a 10u\nx1 a 0 d d 0 {t.model}")
    return float(point.voltage("a")[0] / 10e-6)


def _reference(t: Type, p: Published) -> float:
    amps = p.at[0] if p.at else 10e-3
    _, point = _solve(f"i1 0 k {amps} ac 1\nvx k r 0\nx1 r 0 k {t.model}")
    if p.what == "vref":
        return float(point.voltage("k")[0])
    return float(abs(point.currents()["vx"][0])) if p.what == "iref" else abs(_slope(point, "i1", "k"))


def _opto(t: Type, p: Published) -> float:
    _, point = _solve(f"i1 0 a {p.at[0]}\nx1 a 0 r 0 {t.model}\nir 0 r 1u")
    return float(point.voltage("r")[0] / 1e-6)


_FIGURES: dict[str, Callable[[Type, Published], float]] = {
    **dict.fromkeys(("npn", "pnp", "genpn", "gepnp"), _bipolar),
    **dict.fromkeys(("signal", "rectifier", "schottky", "germanium", "led", "zener"), _diode),
    **dict.fromkeys(("njf", "pjf"), _junction_fet), **dict.fromkeys(("nmos", "pmos"), _mosfet), "op-amp": _amplifier,
    "power-amp": _power_chip, **dict.fromkeys(("regulator", "regulator-neg", "regulator-adj", "regulator-adj-neg"), _regulator),
    **dict.fromkeys(("triode", "pentode"), _valve), "rectifier-valve": _rectifier_valve, "ota": _ota, "comparator": _comparator,
    "timer": _timer, "inverter": _inverter, "switch": _switch, "reference": _reference, "ldr-opto": _opto,
}  # fmt: skip
