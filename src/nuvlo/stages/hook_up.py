"""Hook up: wire by wire, then ring out every wired net against ground."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field

from nuvlo.craft.lugs import header_view
from nuvlo.craft.routes import Join, joins
from nuvlo.craft.schools import taken
from nuvlo.craft.wires import DELICATE, Run, ledger, ticked
from nuvlo.kit import Kit, Stage, Wire
from nuvlo.kit.step_id import StepId, join_step, wire_step
from nuvlo.logbook import Build
from nuvlo.measurement import Observable, ohms_at
from nuvlo.model.asked import ringing_out
from nuvlo.model.bonds import shell_bonds
from nuvlo.model.wired import probes
from nuvlo.model.working import CONTACT_OHMS
from nuvlo.quantity import Verdict, format_value, sentence
from nuvlo.stages import discharge, leads
from nuvlo.stages.answer import Asked, Solved, by_place
from nuvlo.stages.task import Finding, Task, Wants
from nuvlo.words import listed

JOINTS = {
    "twist": " Twist first; solder seals it.",
    "tin": " Tin lug and wire, then fuse the two.",
}


def tasks(kit: Kit, build: Build) -> list[Task]:
    """Wires, the meter's own leads, what the pads read before their jacks go on, the jacks; then one reading for each net."""
    if not kit.wires:
        return _headers(kit)
    late = dict(before_jacks(kit))
    runs = ledger(kit)
    jacks = {wire.name for wire in late.values()} | {run.wire.name for run in runs if run.turn == DELICATE}
    out = [_joined(join) for join in joins(kit)]
    out += [_wired(kit, build, run) for run in runs if run.wire.name not in jacks]
    out += leads.tasks(Stage.HOOK_UP, build)
    for pad, wire in late.items():
        lug = wire.start if wire.end == pad else wire.end
        out.append(
            Task(StepId.of(Stage.HOOK_UP, "before", pad), Stage.HOOK_UP, Wants.READING, f"Ring out {pad} before {lug} is soldered",
                 f"A jack is hard to get off again: what {pad} reads to ground now, {lug} must read afterwards.", of=ohms_at(pad),
                 unit="Ω", parts=(pad,))
        )  # fmt: skip
    out += [_wired(kit, build, run) for run in runs if run.wire.name in jacks]
    so, black = _as_it_stands(kit), _ground(kit)
    for place in _places(kit, build, late):
        out.append(
            Task(StepId.of(Stage.HOOK_UP, "ring", place), Stage.HOOK_UP, Wants.READING, f"Ring out {place} to ground",
                 f"Supply off and unplugged, {so}controls where they start. Red lead on the lug, black on {black}.",
                 of=ohms_at(place), unit="Ω", parts=(place,), wrong=risen(kit, build, place),
                 done=False if place in late and _read_before(build, place, late[place]) else None)
        )  # fmt: skip
    for bond in shell_bonds(kit):
        scraped = ", where the paint is off" if bond.scrape else ""
        out.append(
            Task(StepId.of(Stage.HOOK_UP, "ring", bond.other), Stage.HOOK_UP, Wants.READING, f"Ring out {bond.other} to ground",
                 f"It is bonded once, by {bond.by}{scraped}. Red lead on bare metal of {bond.other}, a screw; black on {black}. Open is paint "
                 "or a missing bond: hum where a hand touches it.", of=ohms_at(bond.other), unit="Ω", parts=(bond.other,))
        )  # fmt: skip
    for probe in probes(kit):
        says = f" {probe.throw.says}" if probe.throw.says else ""
        out.append(
            Task(StepId.of(Stage.HOOK_UP, "ring", probe.of.name), Stage.HOOK_UP, Wants.READING,
                 f"{probe.switch.part}, {probe.throw.name}: ring out {probe.red} to {probe.black}",
                 f"Supply off, all else as before; {probe.switch.part}: {probe.throw.name}.{says} Red lead on {probe.red}, black on {probe.black}.",
                 of=probe.of, unit="Ω", parts=(probe.red, probe.black))
        )  # fmt: skip
    out += _headers(kit)
    inside = any(t.wants is Wants.STEP and not t.done and t.id not in build.done for t in out)
    return (discharge.tasks(kit, build, Stage.HOOK_UP) if inside else []) + out


def _places(kit: Kit, build: Build, late: Collection[str]) -> list[str]:
    """Where this unit is rung out. Nuvlo once read each net at its first end alone: what was read there stays (of a pad before its jack, ``late``,
    that is asked anyway), and where the unit was powered since, no other end of that net is asked."""
    read = {r.of.place for r in build.readings if r.of.quantity == "resistance"}
    first: dict[str, str] = {}
    for wire in kit.ringing.to_black:
        first.setdefault(wire.net, wire.start)
    before = {net: end for net, end in first.items() if end in read and net != kit.ringing.black}
    settled = before if build.powered_at is not None else {}
    asked = [place for place, net in kit.ringing.places if net not in settled or place in read]
    return list(dict.fromkeys([*asked, *(end for end in before.values() if end not in late)]))


def _read_before(build: Build, place: str, wire: Wire) -> bool:
    """Whether a pad was last read before its wire went on, and that only: nothing is known of the wire. One that was powered since shows it otherwise."""
    reading, wired = build.latest(ohms_at(place)), build.done_at.get(wire_step(wire.name))
    return build.powered_at is None and reading is not None and wired is not None and reading.at < wired


@dataclass(frozen=True)
class Rung(Solved):
    """Windows of the ring-out, and for how many seconds a reading rises before it stands still."""

    settles: Mapping[Observable, float] = field(default_factory=dict)


def ask(asked: Asked) -> Solved:
    """What every lug should read to ground, and every pad before its jack is on."""
    model = asked.model
    windows = model.predict(ringing_out(asked.kit))
    return Rung(by_place(windows), settles=model.settling(windows))


def advice_on(now: Finding, solved: Solved) -> str:
    """What to do about a lug that reads wrong, and how long to wait for one that has not been read."""
    seconds = solved.settles.get(now.task.of, 0.0) if isinstance(solved, Rung) and now.task.of and now.reading is None else 0.0
    if seconds and now.task.quantity == "resistance":
        return f"It rises for some {seconds:.0f} s while a capacitor charges: wait until it stands still."
    out = now.verdict is Verdict.OUT and now.task.quantity == "resistance" and now.task.target != leads.LEADS
    return "'explain' says which single mistake, of a wire or of a part, reads so; each further lug that is read makes it surer." if out else ""


def _headers(kit: Kit) -> list[Task]:
    """The flat lead of a supply, by its red stripe."""
    out = []
    for part in kit.parts.values():
        view = header_view(kit, part.ref) if part.kind == "header" else None
        if view is not None and kit.board is not None:
            low = min(kit.info.supply, key=lambda s: s.volts)
            lit = tuple(f"{part.ref}.{pad.pin}" for pad in kit.board.pads if pad.ref == part.ref and pad.net == low.node)
            out.append(
                Task(StepId.of(Stage.HOOK_UP, "plug", part.ref), Stage.HOOK_UP, Wants.STEP, f"The supply's lead on {part.ref}: red stripe to {low.name}",
                     f"{view.seen}. Supply off while it goes on. Turned round, the rails change places; look at its other end too: not every lead is "
                     "made alike, so ring out the stripe from end to end.", part.ref, parts=(part.ref, *lit))
            )  # fmt: skip
    return out


def _joined(join: Join) -> Task:
    many = "1 lead" if len(join.leads) == 1 else f"{len(join.leads)} leads"
    pads = dict.fromkeys(pad.ref for lead in join.leads for pad in (lead.start, lead.end))
    under = " Before the ties are pulled." if any(lead.under for lead in join.leads) else ""
    return Task(
        join_step(join.letter), Stage.HOOK_UP, Wants.STEP, f"Join {join.letter} to {join.letter}: {many}",
        f"On the back, in this order: {join.words}.{under}", join.letter, parts=tuple(pads),
    )  # fmt: skip


def _wired(kit: Kit, build: Build, run: Run) -> Task:
    wire = run.wire
    length = f", {wire.length_mm:g} mm" if wire.length_mm else ""
    note = f" {sentence(wire.note)}." if wire.note else ""
    if run.twisted:
        note += f" Twisted with wire{'s' if len(run.twisted) > 1 else ''} {listed(run.twisted)}."
    there = ticked(kit, build.done)
    for end, others in run.shares.items():
        if to_come := [o for o in others if o not in there]:
            more = f"wires {listed(to_come)} come" if len(to_come) > 1 else f"wire {to_come[0]} comes"
            note += f" Leave {end} open: {more} to it too."
    if any((part := kit.find_part(end.partition(".")[0])) is not None and part.kind == "driver" for end in wire.ends):
        note += " Tie it to the wall, clear of the cone and the port."
    inside = next((pad for pad in wire.ends if pad in kit.wire_ends), "")
    if inside and taken(build.stances, "wires") == "direct":
        note += f" It is in the board at {inside} already."
    note += JOINTS[taken(build.stances, "joints")]
    return Task(
        wire_step(wire.name), Stage.HOOK_UP, Wants.STEP, f"Wire {wire.name}: {wire.start} to {wire.end}",
        f"{sentence(wire.colour) or 'Wire'}{length}.{note}", wire.name, parts=wire.ends,
        done=True if wire.name in there else None,
    )  # fmt: skip


def _as_it_stands(kit: Kit) -> str:
    """How switches stand for readings to ground: known throw by throw, else on."""
    known = {s.part: s.throws[0].name for s in kit.info.switch}
    plain = any(p.kind == "switch" and p.ref not in known for p in kit.parts.values())
    named = [f"{ref} to {throw}" for ref, throw in known.items() if kit.part(ref).kind == "switch"]
    return "".join(f"{words}, " for words in (*(["switches on"] if plain else []), *named))


def _ground(kit: Kit) -> str:
    """Where the black lead lies: on the pad of the first wire to ground, for not every case is bonded."""
    return f"ground at {kit.ringing.black_at}" if kit.ringing.black_at else "ground"


def before_jacks(kit: Kit) -> list[tuple[str, Wire]]:
    """Pads from which a wire goes to a jack, but for ground: once soldered there, the jack is hard to get off."""
    pads = {p.ref for p in kit.board.pads} if kit.board else set()
    pads |= {end for w in kit.ringing.wires for end in w.ends if end.partition(".")[0] in kit.ringing.contacts}
    jacks = {p.ref for p in kit.parts.values() if p.kind in ("jack", "socket") and not p.on_board}
    out: dict[str, Wire] = {}
    for wire in kit.ringing.wires:
        for pad, lug in (wire.ends, (wire.end, wire.start)):
            if wire.net != kit.ringing.black and pad in pads and lug.partition(".")[0] in jacks:
                out.setdefault(pad, wire)
    return list(out.items())


def risen(kit: Kit, build: Build, lug: str) -> str:
    """What a jack's lug reads more than the pad before it: contact resistance, not luck. Empty where it agrees."""
    for pad, wire in before_jacks(kit):
        then, now = build.latest(ohms_at(pad)), build.latest(ohms_at(lug))
        if lug in wire.ends and then is not None and now is not None and now.at >= then.at:
            rise = now.measured.value - then.measured.value
            doubt = math.hypot(now.measured.uncertainty, then.measured.uncertainty)
            if math.isfinite(rise) and rise > CONTACT_OHMS + doubt:
                return f"{lug} reads {format_value(rise, 'Ω', 2)} more than {pad} did before the jack: a bad joint or a bad contact"
    return ""
