"""Prove: a log sweep through the finished unit, its response against the model's band, and its gain."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from nuvlo.kit import Kit, Stage
from nuvlo.kit.schema import Tone
from nuvlo.kit.step_id import StepId
from nuvlo.logbook import Build, CurveTaken
from nuvlo.measurement import Observable, gain_read, tone_at
from nuvlo.model import Band, Window
from nuvlo.model.asked import tones as tones_of
from nuvlo.quantity import Measured, Verdict, format_value, judge, sentence
from nuvlo.stages import cabinet
from nuvlo.stages.answer import Asked, Solved, by_place
from nuvlo.stages.task import Finding, Shown, Task, Wants, Windows, finding
from nuvlo.words import listed

DIVIDED = 100  # times more that is set before a divider, where the meter does not read what is to be fed in


@dataclass(frozen=True)
class Proof:
    """A measured response against its band. ``verdict`` is the worst of all frequencies."""

    verdict: Verdict
    words: str
    gain_db: float
    gain_low: float
    gain_high: float


@dataclass(frozen=True)
class Proved(Solved):
    """Where good units lie, and what the newest sweep says."""

    band: Band | None = None
    proof: Proof | None = None


def ask(asked: Asked) -> Solved:
    """The band of good units, the newest sweep judged by it, and the window of the gain."""
    wanted = asked.kit.info.prove
    tones = by_place(asked.model.predict(tones_of(asked.kit)))
    if wanted is None:
        return Solved(tones)
    band = asked.model.response_band
    curves = asked.build.curves
    proof = judge_curve(curves[-1], band, wanted.reference_hz) if curves else None
    return proved(band, proof, wanted.reference_hz, tones)


def proved(band: Band, proof: Proof | None, reference_hz: float, tones: Windows) -> Proved:
    """The answer that a band and a judged sweep make: with the window of the gain at ``reference_hz`` beside those of the tones."""
    low, nominal, high = (
        float(np.interp(np.log(reference_hz), np.log(band.frequency), edge))
        for edge in (band.low, band.nominal, band.high)
    )
    return Proved({**tones, gain_read(): Window(gain_read(), "dB", nominal, low, high)}, "", band, proof)


def gain_finding(build: Build, solved: Solved) -> Finding | None:
    """The gain as swept or typed, against the band; None before there is one."""
    if build.latest(gain_read()) is None:
        return None
    task = Task(
        StepId.of(Stage.PROVE, "gain"), Stage.PROVE, Wants.READING, "Gain", of=gain_read(), unit="dB"
    )
    return finding(task, build, solved.windows)


def judged(kit: Kit, build: Build, found: list[Finding], solved: Solved) -> list[Finding]:
    """A sweep's verdict is that of its curve; where only the gain was measured, that of the gain, which is told after it."""
    gain = gain_finding(build, solved)
    proof = solved.proof if isinstance(solved, Proved) else None
    out = []
    for f in found:
        if f.task.wants is Wants.SWEEP and f.done and build.curves and proof is not None:
            f = Finding(f.task, True, proof.verdict, proof.words, accepted=f.accepted)
        elif f.task.wants is Wants.SWEEP and f.done and not build.curves and gain is not None:
            f = Finding(f.task, True, gain.verdict, gain.words, accepted=f.accepted)
        out.append(f)
    return out


def shown(found: Callable[[Stage], Sequence[Finding]], now: Finding | None) -> Shown:
    """The readings that tell most of a finished unit: its points, each as last read, the newest first."""
    kept = [f for stage in (Stage.WAKE, Stage.SET, Stage.PROVE) for f in found(stage) if f.reading is not None]
    seen = {f.task.target: f for f in kept if f.task.quantity != "resistance" and f.task.wants is Wants.READING}
    if now is not None and now.task.quantity == "tone":
        seen[now.task.target] = now
    return Shown("Readings", tuple(seen.values())[::-1])


def tasks(kit: Kit, build: Build) -> list[Task]:
    """Its tones, one sweep, and what the kit asks for by the clock: a break-in."""
    tones = [_tone(kit, tone) for tone in kit.info.tone]
    by_clock = [cabinet.task(kit, build, c) for c in kit.info.craft if c.stage is Stage.PROVE]
    prove = kit.info.prove
    if prove is None:
        return [*tones, *by_clock]
    title = f"Sweep {format_value(prove.from_hz, 'Hz')} to {format_value(prove.to_hz, 'Hz')}"
    return [
        *tones,
        Task(
            StepId.of(Stage.PROVE, "sweep"),
            Stage.PROVE,
            Wants.SWEEP,
            title,
            prove.says,
            of=Observable("response", "gain"),
            unit="dB",
        ),
        *by_clock,
    ]


def _divided(kit: Kit, tone: Tone) -> str:
    """How a level is set that the meter does not read, and which tones wait for a better one."""
    said = ""
    if tone.level < kit.reach.volts:
        before, from_ = format_value(DIVIDED * tone.level, "V"), format_value(kit.reach.volts, "V")
        said = f" Your meter reads AC from {from_}: set {before} before a divider of {DIVIDED} (9.9 kΩ above 100 Ω), and feed what is left."
    if kit.waiting and kit.info.tone[-1] is tone:
        names = listed([f"{t.name} ({format_value(t.hertz, 'Hz')})" for t in kit.waiting])
        said += f" {names} {'waits' if len(kit.waiting) == 1 else 'wait'} for a meter that is good to there: yours is to {format_value(kit.reach.hertz, 'Hz')}."
    return said


def _tone(kit: Kit, tone: Tone) -> Task:
    level, hertz = format_value(tone.level, "V"), format_value(tone.hertz, "Hz")
    black, (fed, fed_black) = kit.named_place(tone.reference), tone.fed_at
    moved = f" against {kit.named_place(fed_black)}" if fed_black != tone.reference else ""
    against = f" against {black}" if moved else ""
    held = "" if moved or tone.read else f", black on {black}"
    there = tone.fed or f"{kit.named_place(fed)}{moved}"
    where = tone.read or f"{kit.named_place(tone.node)}{against}"
    return Task(
        StepId.of(Stage.PROVE, tone.name), Stage.PROVE, Wants.READING, f"Tone of {hertz}: measure {tone.name}",
        f"{kit.said_of_setup(tone.setup) if tone.setup else ''}{f'{sentence(tone.says)}. ' if tone.says else ''}Meter on AC volts{held}. Turn the tone up until it "
        f"shows {level} at {there}, then read {where}.{_divided(kit, tone)}",
        of=tone_at(tone.name), unit="V", parts=tuple(ref for ref, _ in map(kit.lead_on, (fed, tone.node)) if ref),
    )  # fmt: skip


def judge_curve(curve: CurveTaken, band: Band, reference_hz: float) -> Proof:
    """Verdict over all frequencies; where it is out, the widest stretch and by how much."""
    frequency = np.array(curve.frequency)
    measured = np.array(curve.magnitude_db)
    low = np.interp(np.log(frequency), np.log(band.frequency), band.low)
    high = np.interp(np.log(frequency), np.log(band.frequency), band.high)
    verdicts = [
        judge(Measured(float(m), curve.uncertainty_db, "dB"), float(a), float(b))
        for m, a, b in zip(measured, low, high, strict=True)
    ]
    at = float(np.interp(np.log(reference_hz), np.log(frequency), measured))
    gain_low, gain_high = (
        float(np.interp(np.log(reference_hz), np.log(band.frequency), edge)) for edge in (band.low, band.high)
    )
    gain = f"Gain at {format_value(reference_hz, 'Hz')}: {format_value(at, 'dB')}"
    expected = f"{format_value(gain_low, 'dB')} to {format_value(gain_high, 'dB')}"
    out = [k for k, v in enumerate(verdicts) if v is Verdict.OUT]
    if not out:
        verdict = Verdict.NEAR if Verdict.NEAR in verdicts else Verdict.IN
        return Proof(verdict, f"{gain}, expected {expected}. The response lies in its band.", at, gain_low, gain_high)
    miss = np.where(measured < low, measured - low, np.where(measured > high, measured - high, 0.0))
    worst = max(out, key=lambda k: abs(miss[k]))
    span = f"{format_value(float(frequency[out[0]]), 'Hz', 2)} to {format_value(float(frequency[out[-1]]), 'Hz', 2)}"
    side = "low" if miss[worst] < 0 else "high"
    words = (
        f"{gain}, expected {expected}. The response leaves its band from {span}; worst at "
        f"{format_value(float(frequency[worst]), 'Hz', 2)}, {format_value(abs(float(miss[worst])), 'dB', 2)} {side}."
    )
    return Proof(Verdict.OUT, words, at, gain_low, gain_high)
