"""The same files through Nuvlo and through ngspice 39, over all nodes; a table of the worst deviations is printed.

Voltages within 0.1 % or 1 mV, response within 0.05 dB and 0.5°, courses within 1 % of their peak (oscillators: period
0.5 %, peak 1 %), noise within 0.2 dB, both sides at reltol 1e-6, abstol 1e-15, vntol 1e-9, gmin 1e-15.
"""

import itertools

import numpy as np
import pytest

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.noise import noise
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.small_signal import responses
from nuvlo.circuit.transient import transient
from tests.circuit import ngspice
from tests.circuit.circuits import COURSES, KITS, LIBRARY, MODELS, NOISE, SMALL, kit_text
from tests.conftest import long_but

OPERATING_POINT, RESPONSE, COURSE, NOISY = "op", "ac", "tran", "noise"
ROWS = [
    *(("small", name, analysis) for name in SMALL for analysis in (OPERATING_POINT, RESPONSE)),
    *(("small", name, NOISY) for name in NOISE),
    *(("small", name, COURSE) for name in COURSES),
    *(("library", name, a) for name in LIBRARY for a in (OPERATING_POINT, RESPONSE, NOISY, COURSE)
      if (name, a) != ("lm393", COURSE)),  # it jumps: where within a time step is each simulator's own affair
    *(("kit", name, a) for name in KITS for a in (OPERATING_POINT, RESPONSE, NOISY, COURSE)),
]  # fmt: skip
SLOW = [("tidewheel", COURSE), ("lampwick", COURSE)]
USUAL = ("opamp", "ecc83", "regulator", "optoresistor")  # of which all is followed each time


def every_time(row):
    group, name, analysis = row
    return (name, analysis) not in SLOW and (group != "library" or name in USUAL or analysis == OPERATING_POINT)


# What each analysis is allowed: of the larger of voltage and 1 V; dB and degrees; share of the peak; dB.
ALLOWED = {OPERATING_POINT: (1e-3,), RESPONSE: (0.05, 0.5), COURSE: (0.01,), NOISY: (0.2,)}


@pytest.mark.parametrize("row", long_but(filter(every_time, ROWS), ROWS), ids=" ".join)
def test_agreement(row, tmp_path, record_property):
    group, name, analysis = row
    worst = [0.0, 0.0]
    for text, source, node, course in _decks(group, name, analysis):
        circuit = Circuit.from_text(text)
        if analysis == OPERATING_POINT:
            found: tuple[float, ...] = _operating_point(text, circuit, tmp_path)
        elif analysis == RESPONSE:
            found = _response(text, circuit, tmp_path)
        elif analysis == NOISY:
            found = _noise(text, circuit, source, node, tmp_path)
        elif name == "tidewheel":
            found = _oscillator(text, circuit, node, *course, tmp_path)
        else:
            found = _course(text, circuit, *course, tmp_path)
        worst = [max(a, b) for a, b in itertools.zip_longest(worst, found, fillvalue=0.0)]
    record_property("deviation", (*row, *map(float, worst[: len(ALLOWED[analysis])])))  # the table is made of these
    assert all(w < limit for w, limit in zip(worst, ALLOWED[analysis], strict=False)), worst


def _decks(group, name, analysis):
    """(text, source, node listened at, (step, stop)) of everything a row runs."""
    if group == "kit":
        source, node, wave, step, stop = KITS[name]
        text = kit_text(name)
        if name == "tidewheel" and analysis != COURSE:
            # An oscillator's point of rest is no stable one, and ngspice finds none: hold its integrator by a resistor.
            text = text.replace("c3 saw kx 2.2n", "c3 saw kx 2.2n\nrhold saw kx 500k")
        if analysis == COURSE and wave:
            (line,) = (one for one in text.splitlines() if one.split(" ")[0] == source)
            text = text.replace(line, f"{line} {wave}")
        return [(text, source, node, (step, stop))]
    if group == "library":
        body, points, node = LIBRARY[name]
        if analysis == COURSE:  # from end to end of the range in one sine
            middle, swing = (points[0] + points[-1]) / 2, max((points[-1] - points[0]) / 2, 0.3)
            text = body.format(x=points[-1] if "pos={x}" in body else middle)
            text = text.replace("ac 1", f"ac 1 sin({middle} {swing} 500)").replace(
                "ac 2.83", f"ac 2.83 sin(0 {swing} 500)"
            )
            return [(_whole(name, text), "v1", node, (1e-5, 6e-3))]
        return [(_whole(name, body.format(x=x)), "v1", node, None) for x in points]
    if analysis == NOISY:
        body, source, node = NOISE[name]
        return [(_whole(name, body), source, node, None)]
    if analysis == COURSE:
        body, _, step, stop = COURSES[name]
        return [(_whole(name, body), "", "", (step, stop))]
    return [(_whole(name, SMALL[name]), "", "", None)]


def _whole(name, body):
    return f"{name}\n{body}\n{MODELS}.end\n"


def _operating_point(text, circuit, folder):
    theirs = ngspice.operating_point(text, circuit.nodes, folder)
    point = operating_point(circuit)
    ours = np.array([point.voltage(n)[0] for n in circuit.nodes])
    return (float((np.abs(ours - theirs) / np.maximum(np.abs(theirs), 1.0)).max()),)


def _response(text, circuit, folder):
    sized = [(e, circuit.parameter(e, "ac", {})) for e in circuit.elements if e.kind in "vi"]
    ((source, size),) = ((e.name, float(s)) for e, s in sized if s)
    frequency, theirs = ngspice.response(text, circuit.nodes, 10, 1e6, 5, folder)
    found = responses(operating_point(circuit), source, circuit.nodes, frequency)
    ours = size * np.array([found[n].transfer[0] for n in circuit.nodes])
    heard = np.abs(theirs) > 1e-9
    assert np.abs(ours[~heard]).max(initial=0.0) < 1e-8
    db = np.abs(20 * np.log10(np.abs(ours[heard]) / np.abs(theirs[heard])))
    return float(db.max(initial=0.0)), float(np.abs(np.degrees(np.angle(ours[heard] / theirs[heard]))).max(initial=0.0))


def _noise(text, circuit, source, node, folder):
    control = (
        f"noise v({node}) {source} dec 10 10 100k 1\nset wr_singlescale\nset numdgt=12\nsetplot noise1\n"
        "wrdata out.txt onoise_spectrum inoise_spectrum\nsetplot noise2\nprint onoise_total"
    )
    printed = ngspice.run(ngspice.deck(ngspice.with_library(text), control), folder)
    frequency, output, referred = np.loadtxt(folder / "out.txt", ndmin=2).T[:3]
    found = noise(operating_point(circuit), source, node, frequency)
    total = float(next(line for line in printed.splitlines() if "onoise_total" in line).split("=")[1])
    assert sum(p[0] for p in found.parts.values()) == pytest.approx(found.total[0] ** 2, rel=1e-9)
    pairs = [(found.output_density[0], output), (found.input_density[0], referred), (found.total, np.array([total]))]
    worst = 0.0
    for ours, theirs in pairs:
        passes = np.isfinite(ours) & (theirs > 0)  # noise has no size at an input that does not reach the output
        assert passes.all() or theirs is referred
        worst = max(worst, float(np.abs(20 * np.log10(ours[passes] / theirs[passes])).max(initial=0.0)))
    return (worst,)


def _course(text, circuit, step, stop, folder):
    time, theirs = ngspice.course(text, circuit.nodes, step, stop, folder)
    found = transient(circuit, step, stop, circuit.nodes)
    worst = 0.0
    for node, wave in zip(circuit.nodes, theirs, strict=True):
        off = np.abs(np.interp(time, found.time, found.voltage[node][0]) - wave).max()
        worst = max(worst, float(off / max(np.ptp(wave), 0.1 * np.abs(wave).max(), 1e-3)))
    return (worst,)


def _oscillator(text, circuit, node, step, stop, folder):
    """Worst of the peaks, and of the period at twice its weight, as it may stray half as far."""
    time, (theirs,) = ngspice.course(text, [node], step, stop, folder)
    found = transient(circuit, step, stop, [node])
    periods, peaks = zip(
        *(_period_and_peak(t, v) for t, v in ((found.time, found.voltage[node][0]), (time, theirs))), strict=True
    )
    return (max(abs(peaks[0] / peaks[1] - 1), 2 * abs(periods[0] / periods[1] - 1)),)


def _period_and_peak(time, wave):
    level = wave.max() / 2
    at = np.flatnonzero((wave[:-1] < level) & (wave[1:] >= level))
    crossings = time[at] + (level - wave[at]) / (wave[at + 1] - wave[at]) * (time[1] - time[0])
    return np.diff(crossings)[-1], wave[wave.size // 2 :].max()


@pytest.mark.parametrize(("trim", "fuzz"), list(itertools.product((0.0, 0.5, 1.0), (0.0, 1.0))))
def test_gorsefire_over_its_controls(trim, fuzz, tmp_path):
    """Not only where the file stands: both ends of trimmer and FUZZ, by overrides here and by an edited file there."""
    text = kit_text("gorsefire")
    circuit = Circuit.from_text(text)
    edited = text.replace("pot_lin r=10k pos=0.5", f"pot_lin r=10k pos={trim}").replace(
        "pot_lin r=1k pos=0.5", f"pot_lin r=1k pos={fuzz}"
    )
    theirs = ngspice.operating_point(edited, circuit.nodes, tmp_path)
    point = operating_point(circuit, {"xrv1.pos": trim, "xfuzz.pos": fuzz})
    ours = np.array([point.voltage(n)[0] for n in circuit.nodes])
    assert ours == pytest.approx(theirs, rel=1e-4, abs=1e-5)
