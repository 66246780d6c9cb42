"""Write docs/kits/NAME.md for every kit: what the solver says of it. Run: make kit-figures (some minutes).

Nothing here is typed in: every figure comes from the kit's own netlists as they are shipped.
"""

from __future__ import annotations

import re
import sys
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.loop import loop_gain, margins
from nuvlo.circuit.noise import noise
from nuvlo.circuit.operating_point import OperatingPoint, operating_point
from nuvlo.circuit.rewritten import LINK, with_link, without
from nuvlo.circuit.small_signal import impedance, load_on, log_frequencies, natural_frequencies, response
from nuvlo.circuit.steady import steady_sine
from nuvlo.circuit.transient import transient
from nuvlo.craft.high_voltage import SAFE_V
from nuvlo.files.kit_folder import read_kit
from nuvlo.quantity import format_value
from nuvlo.workshop.demo import SHIPPED

AUDIO = log_frequencies(20.0, 20e3, 60)
WIDE = log_frequencies(1.0, 10e6, 600)


@dataclass(frozen=True)
class Spec:
    """What to ask of one kit. ``levels`` are volts peak at the source, up to well into clipping."""

    source: str
    node: str
    at: float = 1000.0
    levels: tuple[float, float] | None = None
    loop: tuple[str, ...] = ()  # pins at which it is opened
    settings: tuple[tuple[str, dict[str, float]], ...] = ()
    sound: bool = False  # the output is a sound pressure, not a voltage
    impedances: dict[str, str] = field(default_factory=dict)
    load: bool = True


SPECS = {
    "gorsefire": Spec("vin", "out", levels=(5e-4, 0.1), settings=(("FUZZ at noon", {}), ("FUZZ full up", {"xfuzz.pos": 1.0}))),
    "tidewheel": Spec("vin", "oct", load=False),
    "reedling": Spec("vin", "out", levels=(2.0, 400.0), impedances={"pin 2 to ground": "pin2"}, load=False),
    "millrace": Spec(
        "vin", "out", levels=(0.05, 2.5), loop=("r16.1",),
        settings=tuple((f"gain step {k}", {"xgain.step": float(k)}) for k in range(1, 7)),
        impedances={"hot leg of the output to ground": "outh"},
    ),
    "kilnlight": Spec("vinl", "spl8", levels=(0.05, 1.2), loop=("r110.1", "c104.1"), impedances={"8 Ω tap, its load in place": "spl8"}),
    "lampwick": Spec("vinl", "out", levels=(0.05, 1.2), loop=("r8.1",)),
    "tollgate": Spec("vinl", "outl"),
    "sluice": Spec("vin", "out"),
    "landing": Spec("vin", "amp", levels=(0.3, 6.0), impedances={"AMP jack, amplifier in place": "amp"}),
    "barrowmoor": Spec("vamp", "out", sound=True),
    "oxbow": Spec("vamp", "out", sound=True),
}  # fmt: skip


def page(name: str) -> str:
    """The whole page of one kit."""
    spec = SPECS[name]
    text = (SHIPPED / name / "circuit.cir").read_text(encoding="utf-8")
    kit = read_kit(SHIPPED / name)
    rest = operating_point(kit.setup())
    circuit = kit.setup(having=(spec.source, spec.node))
    point = operating_point(circuit)
    title, says, tests = heading(text)
    lines = [
        f"# {title}",
        "",
        says,
        "",
        "Every figure on this page is the solver's, from the kit's own netlists at their nominal values",
        "(`make kit-figures`). Set-ups:",
        "",
        *(f"- *{s.name}*: {s.says}" for s in kit.info.setup),
        "",
    ]
    lines += ["## Test points at rest", "", "| node | point | volts | what it is |", "|---|---|---|---|"]
    for node, point_name, purpose in tests:
        volts = "—" if name == "tidewheel" and node in ("saw", "cmp", "out") else said(rest.voltage(node)[0], "V")
        lines.append(f"| `{node}` | {point_name} | {volts} | {purpose} |")
    lines += ["", "## Figures", "", "| | |", "|---|---|"]
    lines += [f"| {what} | {figure} |" for what, figure in figures(name, spec, circuit, point)]
    return "\n".join(lines) + "\n"


def heading(text: str) -> tuple[str, str, list[tuple[str, str, str]]]:
    """Title, what the netlist's heading says, and its test points."""
    comments = []
    for line in text.splitlines():
        if not line.startswith("*"):
            break
        comments.append(line[1:].rstrip())
    cut = comments.index(" Test points")
    title, *says = (line.strip() for line in comments[:cut])
    points = [re.fullmatch(r" {3}(\S+) +(TP\d+) +(.+)", line) for line in comments[cut + 1 :]]
    return title, "\n".join(line for line in says if line), [p.groups() for p in points if p]  # type: ignore[misc]


def said(value: float, unit: str, digits: int = 3) -> str:
    return format_value(float(value), unit, digits) if abs(value) > 1e-15 else f"0 {unit}"


def figures(name: str, spec: Spec, circuit: Circuit, point: OperatingPoint) -> list[tuple[str, str]]:
    out = [*power(name, circuit, point), *small_signal(spec, circuit, point)]
    if name != "tidewheel":  # an oscillator is meant to ring
        out.append(("rings down", damping(point)))
    if spec.levels:
        out += headroom(spec, circuit)
    if name == "kilnlight":
        out += valves(circuit, point)
    if name == "tidewheel":
        out += pitch(circuit)
    return out


def power(name: str, circuit: Circuit, point: OperatingPoint) -> list[tuple[str, str]]:
    """Supply currents, and the part that grows warmest."""
    amps = point.currents()
    supplies = [e.name for e in circuit.of_kind("v") if "." not in e.name and abs(circuit.parameter(e, "dc", {})) > 0.5]
    out = [(f"current from `{n}`", said(abs(amps[n][0]), "A")) for n in supplies]
    heat = {n: float(w[0]) for n, w in point.dissipation().items()}
    warmest = max(heat, key=heat.__getitem__)
    if heat[warmest] > 1e-3:
        out.append(("warmest part at rest", f"`{warmest}`, {said(heat[warmest], 'W')}"))
    return out


def small_signal(spec: Spec, circuit: Circuit, point: OperatingPoint) -> list[tuple[str, str]]:
    out = []
    for label, setting in spec.settings or (("", {}),):
        here = operating_point(circuit, setting) if setting else point
        found = response(here, spec.source, spec.node, WIDE).magnitude_db[0]
        middle = float(np.interp(np.log(spec.at), np.log(WIDE), found))
        where = f", {label}" if label else ""
        if spec.sound:
            loud = found + 20 * np.log10(2.83 / 20e-6)
            band = loud[(WIDE > 60) & (WIDE < 15e3)]
            out.append(("pressure at 1 m for 2.83 V, 500 Hz", f"{np.interp(np.log(500), np.log(WIDE), loud):.1f} dB"))
            out.append(("between 60 Hz and 15 kHz", f"{band.min():.1f} to {band.max():.1f} dB"))
        else:
            unit = "dB re 1 V/Pa" if "sound" in circuit.nodes else "dB"
            out.append((f"gain at {spec.at:g} Hz{where}", f"{middle:.2f} {unit}"))
            inside = np.flatnonzero(found > middle - 3.01)
            low, high = WIDE[inside[0]], WIDE[inside[-1]]
            out.append(
                (
                    f"−3 dB{where}",
                    f"{said(low, 'Hz')} to {said(high, 'Hz')}" if low > 1 else f"up to {said(high, 'Hz')}",
                )
            )
            heard = noise(here, spec.source, spec.node, AUDIO, "A")
            out.append((f"noise at the output, A-weighted{where}", said(heard.total[0], "V")))
            out.append(
                (
                    f"noise referred to the input at 1 kHz{where}",
                    said(np.interp(1e3, AUDIO, heard.input_density[0]), "V/√Hz"),
                )
            )
            if "sound" in circuit.nodes:
                out.append(
                    ("own noise as sound", f"{20 * np.log10(heard.total[0] / 10 ** (middle / 20) / 20e-6):.1f} dB(A)")
                )
        if spec.loop:
            opened = operating_point(with_link(circuit, *spec.loop), setting)
            left = margins(WIDE, loop_gain(opened, LINK, WIDE))
            gain = f", {left.gain_db[0]:.0f} dB of gain" if np.isfinite(left.gain_db[0]) else ""
            told = f"{said(left.crossover[0], 'Hz')}, {left.phase_deg[0]:.0f}° of phase{gain} left"
            out.append((f"loop gain is 1 at{where}", told))
    if spec.load:
        seen = np.abs(load_on(point, spec.source, AUDIO)[0])
        label = "impedance the source sees, 20 Hz to 20 kHz"
        out.append((label, f"{said(seen.min(), 'Ω')} to {said(seen.max(), 'Ω')}"))
    for label, node in spec.impedances.items():
        out.append((f"impedance at 1 kHz: {label}", said(abs(impedance(point, node, np.array([1e3]))[0, 0]), "Ω")))
    return out


def damping(point: OperatingPoint) -> str:
    found = natural_frequencies(point)[0]
    found = found[np.isfinite(found)]
    assert (found.real < 0).all(), "it oscillates"
    worst = found[np.argmin(-found.real / np.abs(found))]
    return f"least damping {-worst.real / abs(worst):.2f}, at {said(abs(worst) / (2 * np.pi), 'Hz')} (1 and above does not ring)"


def headroom(spec: Spec, circuit: Circuit) -> list[tuple[str, str]]:
    assert spec.levels
    setting = {"xgain.step": 3.0} if "rotary" in circuit.netlist.top.subcircuits else {}
    found = steady_sine(circuit, spec.source, spec.node, 1000.0, np.geomspace(*spec.levels, 12), setting)
    unit = "Pa" if "sound" in circuit.nodes else "V"
    out = []
    for limit in (0.01, 0.05):
        onset = found.onset(limit)
        if np.isfinite(onset[0]):
            rms = found.fundamental_at(onset)[0] / np.sqrt(2)
            told = (
                f"{said(onset[0], unit)} peak in, {said(rms, 'V')} r.m.s. out ({20 * np.log10(rms / 0.7746):+.1f} dBu)"
            )
            out.append((f"{100 * limit:.0f} % distortion at 1 kHz", told))
    hardest = f"{100 * found.distortion[0, -1]:.0f} %, asymmetry {100 * found.asymmetry[0, -1]:.0f} %"
    hardest += f", gain down {found.compression_db[0, -1]:.1f} dB"
    return [*out, (f"driven to {said(found.levels[-1], unit)} peak", hardest)]


def valves(circuit: Circuit, point: OperatingPoint) -> list[tuple[str, str]]:
    """Plate and screen of the left output valve, and how long the reservoir stays dangerous with the valves cold."""
    plate = point.currents()["xv2.xp.ba"][0] * point.voltage("pl", "k101")[0]
    screen = point.currents()["xv2.xp.bs"][0] * point.voltage("sl", "k101")[0]
    cold = without(circuit, [c.name for c in circuit.netlist.top.cards if c.name.startswith("xv")])
    course = transient(cold, 0.05, 120.0, ["hv"], signals={"vht": lambda t: max(306.0 * (1 - 10 * t), 0.0)})
    safe = course.time[np.argmax(course.voltage["hv"][0] < SAFE_V)]
    return [
        ("plate dissipation, V2", said(plate, "W")), ("screen dissipation, V2", said(screen, "W")),
        (f"reservoir below {SAFE_V:g} V after switching off, valves cold", f"{safe:.0f} s"),
    ]  # fmt: skip


def pitch(circuit: Circuit) -> list[tuple[str, str]]:
    """Frequency over three octaves, from the course over time."""
    volts = (-1.0, 0.0, 1.0, 2.0)
    hertz = []
    for v in volts:
        stop = 2e-3 + 4 / (440 * 2**v)
        course = transient(circuit, stop / 4000, stop, ["saw"], {"vin": v})
        wave = course.voltage["saw"][0]
        at = np.flatnonzero((wave[:-1] < 2.5) & (wave[1:] >= 2.5))
        crossings = course.time[at] + (2.5 - wave[at]) / (wave[at + 1] - wave[at]) * course.time[1]
        hertz.append(1 / np.diff(crossings)[-1])
    octaves = np.diff(np.log2(hertz))
    return [
        *((f"frequency at {v:+g} V", said(f, "Hz", 4)) for v, f in zip(volts, hertz, strict=True)),
        ("octave per volt", ", ".join(f"{o:.4f}" for o in octaves)),
    ]


def main() -> None:
    folder = Path(sys.argv[1])
    folder.mkdir(parents=True, exist_ok=True)
    for name in sys.argv[2:] or SPECS:
        (folder / f"{name}.md").write_text(page(name), encoding="utf-8")
        print(f"wrote {name}.md")


if __name__ == "__main__":
    main()
