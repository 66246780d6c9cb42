"""A kit and a changed one side by side: values, supplies and chips swapped, with what it wins and what it costs."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from nuvlo.circuit.circuit import Array, Circuit
from nuvlo.circuit.noise import noise
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.small_signal import log_frequencies, responses
from nuvlo.circuit.steady import steady_sine
from nuvlo.circuit.transient import TransientError
from nuvlo.circuit.unsolved import explain
from nuvlo.kit import Kit
from nuvlo.kit.schema import Aim, Supply
from nuvlo.model.results import AUDIBLE, GRID, results
from nuvlo.model.stress import overstressed
from nuvlo.problems import NuvloError, Problem
from nuvlo.quantity import UnreadableValue, format_value, parse_value

CLIPPED = 0.01  # distortion at which a unit is said to clip
LEVELS, CYCLES = 9, 6
TOPS = (0.7, 0.05)  # of all supplies together, that the output is driven to: a transformer's is much less
LOUD = log_frequencies(20.0, 20e3, 80)


@dataclass(frozen=True)
class Change:
    """One part from what to what, and why."""

    part: str
    was: str
    to: str
    why: str = ""


@dataclass(frozen=True)
class Figures:
    """What a kit does. ``clips`` V r.m.s. at the output, NaN where it was not asked or never does; ``hottest`` (part, W);
    ``over`` (part, sentence) of every part that its rating does not allow for. ``response`` dB over ``frequency`` Hz."""

    gain_db: float
    corner_low: float
    corner_high: float
    noise: float
    clips: float
    currents: dict[str, float]
    hottest: tuple[str, float]
    over: tuple[tuple[str, str], ...]
    frequency: Array = field(repr=False)
    response: Array = field(repr=False)


def changes_in(kit: Kit, words: Sequence[str]) -> list[Change]:
    """``r9=100k``, ``u2=tl072``, ``vsup=12`` or the name of a variant. Raises :class:`NuvloError` naming what is no change."""
    out: list[Change] = []
    for word in words:
        variant = next((v for v in kit.info.variant if v.id == word.lower()), None)
        name, equals, to = word.partition("=")
        if variant is not None:
            out += [Change(c.part, _was(kit, c.part), c.to, c.why) for c in variant.change]
        elif equals and to:
            out.append(Change(name.strip(), _was(kit, name.strip()), to.strip()))
        else:
            known = ", ".join(v.id for v in kit.info.variant)
            raise NuvloError(
                Problem(f"'{word}' is no change.", f"Write r9=100k, or a variant{': ' + known if known else ''}.")
            )
    if not out:
        raise NuvloError(Problem("nothing is changed.", "Write r9=100k, u2=tl072, or the name of a variant."))
    return out


def _was(kit: Kit, name: str) -> str:
    part = kit.find_part(name)
    if part is not None:
        return part.text
    supply = _supply(kit, name)
    if supply is None:
        raise NuvloError(
            Problem(f"there is no part and no supply '{name}' in {kit.name}.", "Check the reference.", ref=name)
        )
    return format_value(supply.volts, "V")


def _supply(kit: Kit, name: str) -> Supply | None:
    return next((s for s in kit.info.supply if name.lower() in (s.element, s.name.lower())), None)


def changed(kit: Kit, changes: Sequence[Change]) -> tuple[Circuit, dict[str, float], dict[str, float]]:
    """Circuit, values and supplies with ``changes`` made. Raises :class:`NuvloError` for one that cannot be made."""
    if kit.circuit is None:
        raise NuvloError(Problem(f"{kit.name} has no circuit.cir, so nothing can be compared.", "Add one."))
    values: dict[str, float] = {}
    supplies: dict[str, float] = {}
    swaps: dict[str, str] = {}
    for change in changes:
        supply, part = _supply(kit, change.part), kit.find_part(change.part)
        try:
            if supply is not None:
                supplies[supply.element] = parse_value(change.to, "V")
            elif part is not None and part.unit and (element := kit.element_of(part.ref)):
                values[f"{element}.r" if element.startswith("x") else element] = parse_value(
                    change.to.split()[0], part.unit
                )
            else:
                swaps[change.part.lower()] = change.to.lower()
        except UnreadableValue as bad:
            raise NuvloError(bad.problems) from bad
    return _swapped(kit, swaps) if swaps else kit.circuit, values, supplies


def _swapped(kit: Kit, swaps: Mapping[str, str]) -> Circuit:
    """The kit's netlist with chips, valves or transistors of another type in the same places."""
    path = kit.folder / "circuit.cir"
    lines = path.read_text(encoding="utf-8").splitlines()
    for ref, to in swaps.items():
        hits = [k for k, line in enumerate(lines) if re.match(rf"x?{re.escape(ref)}[a-z]?\s", line, re.IGNORECASE)]
        if not hits:
            raise NuvloError(
                Problem(f"'{ref}' stands nowhere in circuit.cir.", "Only parts of the circuit can be swapped.", ref=ref)
            )
        for k in hits:
            head, _, _ = lines[k].rstrip().rpartition(" ")
            lines[k] = f"{head} {to}"
    wanted = {
        "ne5532": "opamp.lib",
        "tl072": "opamp.lib",
        "opamp": "opamp.lib",
        "ecc83": "valves.lib",
        "el84": "valves.lib",
    }
    more = {wanted.get(to, "semiconductors.lib") for to in swaps.values()}
    end = next((k for k, line in enumerate(lines) if line.strip().lower() == ".end"), len(lines))
    lines[end:end] = [f".include {lib}" for lib in sorted(more) if f".include {lib}" not in lines]
    return Circuit.from_text("\n".join(lines), folder=kit.folder)


def figures(kit: Kit, changes: Sequence[Change] = (), *, clipping: bool = True) -> Figures:
    """What the kit does with ``changes``, solved; ``clipping`` follows a sine in time, which takes some seconds.

    Raises :class:`NuvloError` where the kit names no input and output, or has no operating point.
    """
    circuit, values, supplies = changed(kit, changes)
    source = next((p.element for p in kit.info.port if p.kind == "input" and p.element), None)
    node = next((p.node for p in kit.info.port if p.kind == "output"), None)
    if source is None or node is None:
        raise NuvloError(
            Problem(f"{kit.name} names no input and output.", "Add [[port]] with an element for the input to kit.toml.")
        )
    overrides = {**values, **supplies}
    point = operating_point(circuit, overrides)
    if point.failed:
        raise NuvloError(explain(point, point.failed[0]))
    aims = [
        Aim(name="gain", kind="gain", source=source, node=node), Aim(name="low", kind="corner_low", source=source, node=node),
        Aim(name="high", kind="corner_high", source=source, node=node),
    ]  # fmt: skip
    told = {k: float(v[0]) for k, v in results(circuit, aims, overrides).items()}
    currents = {s.name: float(abs(point.currents()[s.element][0])) for s in kit.info.supply}
    heat = {p.ref: float(h[0]) for p in kit.parts.values()
            if (e := kit.element_of(p.ref)) and (h := point.dissipation().get(e)) is not None}  # fmt: skip
    hottest = max(heat.items(), key=lambda one: one[1], default=("", 0.0))
    return Figures(
        told["gain"], told["low"] if told["low"] > 1.01 * GRID[0] else 0.0, told["high"],
        float(noise(point, source, node, AUDIBLE, "A").total[0]),
        _clips(kit, circuit, overrides, source, node, told["gain"]) if clipping else float("nan"), currents, hottest,
        tuple(overstressed(kit, supplies, circuit, values)), LOUD,
        responses(point, source, [node], LOUD)[node].magnitude_db[0],
    )  # fmt: skip


def _clips(kit: Kit, circuit: Circuit, overrides: Mapping[str, float], source: str, node: str, gain_db: float) -> float:
    """V r.m.s. at the output where distortion of 1 kHz passes 1 %."""
    whole = sum(abs(overrides.get(s.element, s.volts)) for s in kit.info.supply) or 10.0
    for top in TOPS:
        levels = np.geomspace(top / 70, top, LEVELS) * whole / 10 ** (gain_db / 20)
        try:
            found = steady_sine(circuit, source, node, 1000.0, levels, dict(overrides), CYCLES)
        except TransientError:
            continue
        onset = found.onset(CLIPPED)
        if np.isfinite(onset[0]) and onset[0] > levels[0]:
            return float(found.fundamental_at(onset)[0] / np.sqrt(2.0))
    return float("nan")


def in_words(before: Figures, after: Figures) -> list[tuple[str, str, str]]:
    """(what, before, after) of every figure, as a builder reads them."""

    def db(f: Figures) -> str:
        return format_value(f.gain_db, "dB", 3)

    def corners(f: Figures) -> str:
        low = format_value(f.corner_low, "Hz", 2) if f.corner_low else "below 2 Hz"
        return f"{low} to {format_value(f.corner_high, 'Hz', 2)}"

    def volts(value: float) -> str:
        return f"{format_value(value, 'V', 3)} r.m.s." if np.isfinite(value) else "not reached"

    rows = [
        ("gain at 1 kHz", db(before), db(after)), ("3 dB down", corners(before), corners(after)),
        ("noise, A-weighted", format_value(before.noise, "V", 3), format_value(after.noise, "V", 3)),
    ]  # fmt: skip
    if np.isfinite(before.clips) or np.isfinite(after.clips):
        rows.append(("1 % distortion", volts(before.clips), volts(after.clips)))
        if np.isfinite(before.clips) and np.isfinite(after.clips):
            rows.append(("headroom won", "", format_value(20 * np.log10(after.clips / before.clips), "dB", 2)))
    rows += [
        (f"current, {n}", format_value(before.currents[n], "A", 3), format_value(after.currents[n], "A", 3))
        for n in before.currents
    ]
    rows.append(("warmest part", _hot(before), _hot(after)))
    rows += [("over its rating", dict(before.over).get(ref, ""), f"{ref}: {words}") for ref, words in after.over]
    return rows


def _hot(f: Figures) -> str:
    return f"{f.hottest[0]} {format_value(f.hottest[1], 'W', 2)}" if f.hottest[0] else "nothing of note"
