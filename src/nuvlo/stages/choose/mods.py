"""A kit and a changed one side by side: values, supplies and chips swapped, with what it wins and what it costs."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from nuvlo.arrays import Array
from nuvlo.circuit.balance import onset
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.noise import noise
from nuvlo.circuit.operating_point import OperatingPoint, operating_point
from nuvlo.circuit.small_signal import log_frequencies, responses
from nuvlo.circuit.unsolved import explain
from nuvlo.electrics.stress import heat_of, overstressed
from nuvlo.kit import Kit
from nuvlo.kit.schema import Aim
from nuvlo.model.ensemble import known_to
from nuvlo.model.results import AUDIBLE, LOWEST, results
from nuvlo.problems import NuvloError
from nuvlo.quantity import format_value

TRAVEL = 41  # positions of a trimmer that are tried
CLIPPED = 0.01  # distortion at which a unit is said to clip
SOFTEST = 0.003  # of all supplies together: what the output is driven to at first
STILL_V, MOST_POINTS = 5e-3, 4  # what a test point must move to be told of, and how many are told
LOUD = log_frequencies(20.0, 20e3, 80)


@dataclass(frozen=True)
class Signal:
    """What a kit does from its input to its output. ``clips`` V r.m.s. at the output, NaN where it was not asked or never
    does; ``response`` dB over ``frequency`` Hz."""

    gain_db: float
    corner_low: float
    corner_high: float
    noise: float
    clips: float
    frequency: Array = field(repr=False)
    response: Array = field(repr=False)


@dataclass(frozen=True)
class Figures:
    """What a kit does. ``signal`` is None where it names no input and output; ``points`` V at rest at each test point;
    ``hottest`` (part, W); ``over`` (part, sentence) of every part that its rating does not allow for; ``trimmed`` (share of the travel,
    clockwise, and whether it gets there) of each trimmer that a trim of the kit sets: all else is told with these set."""

    signal: Signal | None
    points: dict[str, float]
    currents: dict[str, float]
    watts: float  # from all supplies together, at rest
    hottest: tuple[str, float]
    over: tuple[tuple[str, str], ...]
    trimmed: dict[str, tuple[float, bool]] = field(default_factory=dict)


def figures(kit: Kit, *, clipping: bool = True) -> Figures:
    """What the kit does, solved; ``clipping`` drives it until it distorts, which takes some seconds.

    Raises :class:`NuvloError` where the kit has no circuit, or that no operating point.
    """
    trimmed = set_again(kit)
    turned = {kit.position_of(ref): share for ref, (share, _) in trimmed.items()}
    points = {name: _found(kit.setup(name), turned) for name in {"", *(p.setup for p in kit.info.point)}}
    point = points[""]
    currents = {s.name: float(abs(point.currents()[s.element][0])) for s in kit.info.supply}
    heat = heat_of(kit, point)
    return Figures(
        _signal(kit, clipping, turned), {p.name: float(points[p.setup].voltage(p.node, p.reference)[0]) for p in kit.info.point}, currents,
        sum(abs(s.volts) * currents[s.name] for s in kit.info.supply),
        max(heat.items(), key=lambda one: one[1], default=("", 0.0)), tuple(overstressed(kit, quick=not clipping)), trimmed,
    )  # fmt: skip


def set_again(kit: Kit) -> dict[str, tuple[float, bool]]:
    """Where each trimmer that a trim of the kit sets stands once it is set, as a share of its travel, and whether it gets there: a changed kit is
    trimmed again before anybody hears it."""
    out: dict[str, tuple[float, bool]] = {}
    for trim in kit.info.trim if kit.unit else ():
        if not kit.element_of(trim.trimmer):
            continue
        travel, supply, watched = np.linspace(0.0, 1.0, TRAVEL), kit.point(trim.supply_point), kit.point(trim.watch)
        others = {kit.position_of(ref): np.full(TRAVEL, share) for ref, (share, _) in out.items()}
        point = operating_point(kit.setup(trim.setup), {**others, kit.position_of(trim.trimmer): travel})
        off = point.voltage(watched.node, watched.reference) - trim.fraction * point.voltage(supply.node, supply.reference)
        cross = np.flatnonzero(np.diff(np.sign(off)) != 0)
        if cross.size:
            k = int(cross[0])
            out[trim.trimmer] = float(travel[k] - off[k] * (travel[k + 1] - travel[k]) / (off[k + 1] - off[k])), True
        elif np.isfinite(off).any():
            out[trim.trimmer] = float(travel[int(np.nanargmin(np.abs(off)))]), False
    return out


def _found(circuit: Circuit, turned: Mapping[str, float]) -> OperatingPoint:
    point = operating_point(circuit, known_to(circuit, turned))
    if point.failed:
        raise NuvloError(explain(point, point.failed[0]))
    return point


def _signal(kit: Kit, clipping: bool, turned: Mapping[str, float]) -> Signal | None:
    source, node = kit.source, kit.output
    if not source or not node:
        return None
    circuit = kit.setup(having=[source, node])
    point = _found(circuit, turned)
    aims = [
        Aim(name="gain", kind="gain", source=source, node=node), Aim(name="low", kind="corner_low", source=source, node=node),
        Aim(name="high", kind="corner_high", source=source, node=node),
    ]  # fmt: skip
    told = {k: float(v[0]) for k, v in results(circuit, aims, known_to(circuit, turned)).items()}
    return Signal(
        told["gain"], told["low"] if told["low"] > 1.01 * LOWEST else 0.0, told["high"],
        float(noise(point, source, node, AUDIBLE, "A").total[0]),
        _clips(kit, point, source, node, told["gain"]) if clipping else float("nan"),
        LOUD, responses(point, source, [node], LOUD)[node].magnitude_db[0],
    )  # fmt: skip


def _clips(kit: Kit, point: OperatingPoint, source: str, node: str, gain_db: float) -> float:
    """V r.m.s. at the output where distortion of 1 kHz passes 1 %; NaN where it never does."""
    whole = sum(abs(s.volts) for s in kit.info.supply) or 10.0
    full = whole / 10 ** (gain_db / 20)
    found = onset(point, source, node, CLIPPED, 1000.0, SOFTEST * full, full)
    return float("nan") if found is None else found.output


def in_words(before: Figures, after: Figures) -> list[tuple[str, str, str]]:
    """(what, before, after) of every figure, as a builder reads them."""
    rows = _heard(before.signal, after.signal) if before.signal and after.signal else []
    rows += [
        (f"current, {n}", format_value(before.currents[n], "A", 3), format_value(after.currents[n], "A", 3))
        for n in before.currents
    ]
    rows.append(("heat, all of it", format_value(before.watts, "W", 3), format_value(after.watts, "W", 3)))
    rows.append(("warmest part", _hot(before), _hot(after)))
    for ref in after.trimmed:
        rows.append((f"{ref} set to", _set_to(before.trimmed.get(ref)), _set_to(after.trimmed[ref])))
    moved = sorted(before.points, key=lambda n: -abs(after.points[n] - before.points[n]))[:MOST_POINTS]
    rows += [
        (f"{name} at rest", format_value(before.points[name], "V", 3), format_value(after.points[name], "V", 3))
        for name in before.points if name in moved and abs(after.points[name] - before.points[name]) > STILL_V
    ]  # fmt: skip
    rows += [("over its rating", dict(before.over).get(ref, ""), f"{ref}: {words}") for ref, words in after.over]
    return rows


def _set_to(where: tuple[float, bool] | None) -> str:
    if where is None:
        return ""
    share, there = where
    return f"{100 * share:.0f} % of its travel" if there else f"its end at {100 * share:.0f} %: it does not get there"


def _heard(before: Signal, after: Signal) -> list[tuple[str, str, str]]:
    def db(f: Signal) -> str:
        return format_value(f.gain_db, "dB", 3)

    def corners(f: Signal) -> str:
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
    return rows


def _hot(f: Figures) -> str:
    return f"{f.hottest[0]} {format_value(f.hottest[1], 'W', 2)}" if f.hottest[0] else "nothing of note"
