"""Commands that read, turn, sweep and hand over."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from nuvlo.craft.high_voltage import is_high
from nuvlo.diagnosis.diagnosis import Group
from nuvlo.diagnosis.mistakes import ids_of
from nuvlo.diagnosis.probes import BOARD, TOUCH, WHOLE, looks_of, touched_of
from nuvlo.diagnosis.wires import LEAST_TOLD, MOST_TOLD, every_mistake, in_words_of
from nuvlo.instruments import InstrumentError
from nuvlo.instruments.bench import observed
from nuvlo.kit import Stage
from nuvlo.logbook import CurveTaken, Exported, HoldPassed, MistakeFound, PartReworked, ReadingTaken, TrimmerTurned
from nuvlo.measurement import LEADS, Observable, loose
from nuvlo.measurement.trace import Sweep
from nuvlo.model import Band
from nuvlo.model.asked import ringing_out
from nuvlo.problems import Problem
from nuvlo.progress import pause
from nuvlo.quantity import Verdict, judge
from nuvlo.stages import leads as meter_leads
from nuvlo.stages import prove
from nuvlo.stages.fit import reopened
from nuvlo.stages.set_up import Trims
from nuvlo.stages.suspects import PROBING, taken_of
from nuvlo.stages.task import Finding, Wants
from nuvlo.words import listed
from nuvlo.workshop import answers, papers
from nuvlo.workshop.answers import Answer
from nuvlo.workshop.commands.arguments import Looked, Nothing, PartValue, PointReading, Turned, Words, feels, looks
from nuvlo.workshop.commands.outcome import Outcome, Reply, Work, verdict_words
from nuvlo.workshop.commands.unpack import measure, with_prefix, without_leads
from nuvlo.workshop.session import Refused, Session


def reading(s: Session, given: PointReading, instrument: str = "typed") -> Reply:
    stage, of = s.stage, given.of
    with_prefix(of.name, given.value)
    value, leads = (given.value, 0.0) if of == LEADS else without_leads(s, given.value)
    if of == LEADS and not value.value <= meter_leads.MOST_OHMS:
        raise Refused(
            Problem(
                f"the leads read {value}.",
                f"Held together they read less than {meter_leads.MOST_OHMS:g} Ω: press the tips on each other and read again.",
            )
        )
    snapshot = s.snapshot()
    solved = snapshot.solved(stage)
    window = solved.windows.get(of) if solved and snapshot.fresh(stage) else None
    expected = (window.nominal, window.low, window.high) if window else None
    f = _asked(s, stage, of)
    passed = passing(f) if f is not None and not f.task.unplugged else None  # off, the reading itself tells what there was to wait for
    taken = ReadingTaken(
        point=of.name, quantity=of.quantity, value=value.value, uncertainty=value.uncertainty, unit=value.unit, stage=stage.value,
        instrument=instrument, expected=expected, shown=given.value.value if leads else None, leads=leads,
    )  # fmt: skip
    s.record(*((passed,) if passed else ()), taken)
    f = _asked(s, stage, of)
    words = verdict_words(f, of.words, value)
    return Reply(f"{words} That was {f.ahead}: the sheet will say so, unless it is read again after that." if f is not None and f.ahead else words)


def _asked(s: Session, stage: Stage, of: Observable) -> Finding | None:
    return next((f for f in s.findings(stage) if f.task.of == of), None)


def refuse_while_held(f: Finding) -> None:
    """Refuse to do a step that waits."""
    if f.waits:
        raise Refused(Problem(f.words, "" if f.task.unplugged else "Or 'accept' to go on without waiting."))


def passing(f: Finding, why: str = "") -> HoldPassed | None:
    """That a step goes ahead of what holds it, and why if it was said; None where nothing does, or where only a part is in the post."""
    hold = f.task.held
    if not f.waits or (hold is None and not f.task.awaits):
        return None
    what = hold.cut_short if hold is not None else f"while '{f.task.awaits}' is still open"
    return HoldPassed(step=f.task.id, what="; ".join(w for w in (what, why) if w), until=hold.until if hold is not None else None)


def turn(s: Session, given: Turned) -> Reply:
    if s.bench is not None:
        s.bench.turn(given.ref, given.degrees)
    s.record(TrimmerTurned(ref=given.ref, degrees=given.degrees))
    way = "clockwise" if given.degrees >= 0 else "anticlockwise"
    return Reply(f"{given.ref} turned {abs(given.degrees):g}° {way}.")


def turn_as_advised(s: Session, now: Finding) -> Outcome:
    """Turn the trimmer in hand as far as the model says. Where it has not said so yet, it is asked first."""
    if s.wants_solving(Stage.SET):

        def advised(answer: Answer) -> Reply:
            s.adopt(answer)
            return _turn_by_advice(s, now)

        question, asked = s.asking(Stage.SET)
        return Work("Working out the turn", lambda: answers.solve(question, asked), advised)
    return _turn_by_advice(s, now)


def _turn_by_advice(s: Session, now: Finding) -> Reply:
    trims = s.answer(Stage.SET, Trims)
    advice = trims.advice.get(now.task.id.verb) if trims else None
    if advice is None or not s.snapshot().fresh(Stage.SET):
        raise Refused(Problem("the advice is still being worked out.", "Wait a moment."))
    if not advice.degrees:
        raise Refused(Problem(advice.words, ""))
    degrees = float(round(advice.degrees)) or (1.0 if advice.degrees > 0 else -1.0)
    return turn(s, Turned(advice.trim.trimmer, degrees))


def read(s: Session, given: Nothing) -> Outcome:
    f = s.now()
    if f is None:
        raise Refused(Problem("there is nothing to read.", ""))
    task = f.task
    if task.wants not in (Wants.MEASURE, Wants.READING, Wants.SWEEP, Wants.LOOK):
        raise Refused(Problem("no reading is asked for here.", ""))
    if task.wants is Wants.SWEEP:
        return sweep(s, given)
    refuse_while_held(f)
    if s.bench is None:
        raise Refused(
            Problem(f"no instrument is connected: type what {task.target} reads.", f"For example: {task.example}")
        )
    if task.wants is Wants.MEASURE:
        return measure(s, PartValue(task.target, s.bench.take(loose(task.target))), s.bench.name)
    found = s.snapshot().suspicion
    if found is not None and found.next is not None and found.next.of == task.of:
        if task.wants is Wants.LOOK:
            seen = observed(s.bench, found.next)
            asked = found.next.quantity
            whole, kind = asked if asked in WHOLE else "", TOUCH if asked == TOUCH else "look"
            return _looked(s, {of.place: bool(shown.value) for of, shown in seen.items() if of.quantity == kind}, s.bench.name, whole, kind)
        return reading(s, PointReading(found.next.of, s.bench.take(found.next.of)), s.bench.name)
    assert task.of is not None, "a reading is of something"
    return reading(s, PointReading(task.of, s.bench.take(task.of)), s.bench.name)


def look(s: Session, given: Looked) -> Reply:
    """What a look at some parts showed, or a finger on them felt."""
    if given.quantity == TOUCH and is_high(s.kit):
        raise Refused(Problem("no finger goes inside where a voltage can kill.", "Nothing inside is touched before it is off, unplugged and measured below 10 V. By then warmth tells nothing."))
    reply = _looked(s, dict.fromkeys(given.refs, given.wrong), "typed", given.whole, given.quantity)
    tells = {r.part for r in (touched_of if given.quantity == TOUCH else looks_of)(s.kit)}
    mute = [ref for ref in given.refs if ref not in tells]
    if not mute:
        return reply
    why = f"How warm {listed(mute)} should be is not known" if given.quantity == TOUCH else f"No suspect is known by the looks of {listed(mute)}"
    return Reply(f"{reply.words} {why}: it is noted, and weighs nothing.", reply.shows)


def _looked(s: Session, wrong: Mapping[str, bool], instrument: str, whole: str = "", kind: str = "look") -> Reply:
    seen = [(BOARD, whole, any(wrong.values()))] * bool(whole) + [(ref, kind, so) for ref, so in wrong.items()]
    s.record(*(ReadingTaken(point=point, quantity=quantity, value=float(so), uncertainty=0.0, unit="", stage=s.stage.value, instrument=instrument) for point, quantity, so in seen))
    in_words = feels if kind == TOUCH else looks
    said = [in_words(refs, so) for so in (True, False) if (refs := [ref for ref, this in wrong.items() if this is so])]
    return Reply(f"{'; '.join(said) or 'The whole board looks right'}.", next((ref for ref, so in wrong.items() if so), next(iter(wrong), "")))


def found(s: Session, given: Words) -> Reply:
    """What it was, and that it is put right: steps it touches are open again, and readings are taken anew."""
    suspicion = s.snapshot().suspicion
    letter, number = given.text[:1].upper(), given.text[1:].strip() or "1"
    suspect = next((x for x in suspicion.suspects if x.letter == letter), None) if suspicion and number.isdigit() else None
    if suspect is None and len(given.text) < FEW_LETTERS:
        raise Refused(Problem(f"there is no suspect '{given.text}'.", "Type a letter of the list, or in a few words what it was."))
    if suspect is not None and not 1 <= int(number) <= len(suspect.words):
        raise Refused(Problem(f"{letter} has {len(suspect.words)} mistakes, no number {number}.", f"For example: found {letter.lower()}1."))
    text = suspect.words[int(number) - 1] if suspect else given.text
    every = every_mistake(s.kit)
    known = ids_of(every, [(suspect.ids[int(number) - 1] if suspect and suspect.ids else "", text)])
    mistake = next((m for m in every if m.id in known), None)
    refs, cause = (mistake.refs, mistake.kind) if mistake else ((), OTHER)
    again = reopened(s.kit, s.build, refs, cause in REPLACED)
    touched = [ref for ref in refs if cause in SOLDERED and s.kit.part(ref).on_board]
    s.record(
        MistakeFound(text=text, cause=cause, refs=refs, mistake=mistake.id if mistake else ""),
        *(PartReworked(ref=ref, what="off" if cause in REPLACED else "hot", reopened=again, why=text) for ref in touched),
    )
    s.hunt(False)
    s.follow_log()
    told = s.bench.told(s.build, s.hunts()) if s.bench is not None and s.build.hunted else ""
    if told:
        return Reply(told, refs[0] if refs else "")
    open_again = f" {len(again)} steps are open again." if again else ""
    return Reply(f"Noted: {text}. It is put right, so the readings are taken anew.{open_again}", refs[0] if refs else "")


FEW_LETTERS = 4  # that say nothing
OTHER = "other"  # a cause that the table of mistakes does not know
REPLACED = ("decade", "value", "strip", "look-alike", "exchanged", "variant", "reversed", "leaky", "short", "turned", "weak")  # another part goes in
SOLDERED = (*REPLACED, "open", "cold", "bridge", "lead", "crossed")  # an iron is needed


def skip(s: Session, given: Nothing) -> Reply:
    """Ask for another reading than the one that would tell most."""
    suspicion, now = s.snapshot().suspicion, s.now()
    if suspicion is None or suspicion.next is None or now is None or now.task.id.verb != PROBING:
        raise Refused(Problem("no reading is asked for that could be left out.", "A step of a stage is passed by 'accept' and a reason."))
    s.skip(suspicion.next.of)
    return Reply(f"Left out: {suspicion.next.words}.")


def hunt(s: Session, given: Nothing) -> Reply:
    """Look for a mistake though no reading stops anything; again, and no more."""
    if s.kit.unit is None:
        raise Refused(Problem(f"{s.kit.name} has no circuit.cir, so no reading tells what went wrong.", "Look at its joints, ways round and values."))
    s.hunt(not s.hunting)
    return Reply("Every mistake is tried: read what is asked for." if s.hunting else "No mistake is looked for any more.")


def reveal(s: Session, given: Nothing) -> Reply:
    """What is hidden in the unit of a practice bench."""
    if s.bench is None or not s.build.hunted:
        raise Refused(Problem("nothing is hidden in this unit.", "Begin one on the shelf by 'Hunt'."))
    return Reply("; ".join(m.text for m in s.bench.hidden) + "." if s.bench.hidden else "Nothing is wrong with it any more.")


@dataclass(frozen=True)
class _Swept:
    curve: CurveTaken
    band: Band


def sweep(s: Session, given: Nothing) -> Work:
    """Sweep at a level that keeps every stage clean, and keep the response and the gain. The log is free meanwhile."""
    wanted, bench = s.kit.info.prove, s.bench
    if bench is None:
        raise Refused(Problem("no audio interface is connected.", "Measure the gain and type it, as in 'gain 41.5'."))
    if wanted is None:
        raise Refused(Problem(f"{s.kit.name} does not say what to sweep.", "Add [prove] to kit.toml."))
    for f in s.findings(Stage.PROVE):
        if f.task.wants is Wants.SWEEP:
            refuse_while_held(f)
    model = s.working_model()

    def play() -> _Swept:
        level = model.clean_level()
        pause()
        if not level > 0:
            raise InstrumentError(Problem("no level keeps this unit clean.", "Check its bias first."))
        band = model.response_band
        pause()
        trace = bench.play(Sweep(wanted.from_hz, wanted.to_hz, level), band.frequency)
        curve = CurveTaken(
            name="response", frequency=trace.axis, magnitude_db=trace.values, uncertainty_db=trace.uncertainty, level=level, instrument=bench.name,
        )  # fmt: skip
        pause()
        return _Swept(curve, band)

    def keep(swept: _Swept) -> Reply:
        proof = prove.judge_curve(swept.curve, swept.band, wanted.reference_hz)
        gain = ReadingTaken(
            point="gain", quantity="gain", value=proof.gain_db, uncertainty=swept.curve.uncertainty_db, unit="dB",
            stage=Stage.PROVE.value, instrument=bench.name,
            expected=((proof.gain_low + proof.gain_high) / 2, proof.gain_low, proof.gain_high),
        )  # fmt: skip
        s.record(swept.curve, gain)
        before = s.answer(Stage.PROVE, prove.Proved)
        tones = {k: w for k, w in (before.windows if before else {}).items() if w.of.quantity == "tone"}
        s.adopt(Answer(s.question(Stage.PROVE), prove.proved(swept.band, proof, wanted.reference_hz, tones)))
        return Reply(proof.words)

    return Work("Sweeping", play, keep)


def explain(s: Session, given: Nothing) -> Work:
    """Which single mistake, of a wire or of a part, explains what was rung out so far."""
    places = ringing_out(s.kit) if s.kit.unit is not None else []
    if not any(s.build.latest(of, Stage.HOOK_UP.value) for of in places):
        raise Refused(Problem("nothing is rung out yet.", "Read a lug first: its ohms to ground."))
    model, diagnosis = s.working_model(), s.diagnosis(Stage.HOOK_UP)
    taken = taken_of(s.build, diagnosis)

    def look() -> list[Group] | None:
        if not any(judge(taken[w.of], w.low, w.high) is Verdict.OUT for w in model.predict(places) if w.of in taken):
            return None
        pause()
        return [g for g in diagnosis.rank(taken).groups if not g.silent and g.probability >= LEAST_TOLD]

    def told(suspects: list[Group] | None) -> Reply:
        if suspects is None:
            return Reply("Nothing that was rung out is wrong.")
        if not suspects:
            return Reply("No single mistake explains what was rung out: look for two, or read again what is furthest off.")
        first, *others = (f"{in_words_of(g.mistakes)} ({100 * g.probability:.0f} in 100)" for g in suspects[:MOST_TOLD])
        return Reply(f"Most likely: {'; or '.join([first, *others])}.")

    return Work("Trying every mistake with wires and parts", look, told)


def sheet(s: Session, given: Nothing) -> Reply:
    pdf = papers.write_sheet(s)
    s.record(Exported(file=pdf.name))
    return Reply(f"Written: {pdf.name} and {pdf.stem}.csv in {s.places.sheets.name}/.", "sheet")
