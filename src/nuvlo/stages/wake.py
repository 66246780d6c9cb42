"""Wake: first power. Shorts first, then the supply current, then each test point."""

from __future__ import annotations

from dataclasses import dataclass, replace

from nuvlo.craft.high_voltage import CLIPPED, TOUCHABLE_V, WARM_SECONDS, is_high
from nuvlo.craft.order import Step, board_order, plugged
from nuvlo.craft.schools import taken
from nuvlo.electrics.first_power import FirstPower, first_powers, way_for
from nuvlo.electrics.heat import Warmth, warmths
from nuvlo.kit import Kit, Stage
from nuvlo.kit.kinds import kind_of
from nuvlo.kit.nets import GROUND_NAMES
from nuvlo.kit.schema import Cold, Heater, Supply
from nuvlo.kit.step_id import StepId
from nuvlo.logbook import Build
from nuvlo.measurement import Observable, amps_of, ohms_at, tone_at, volts_at
from nuvlo.model import Window
from nuvlo.model import asked as asking
from nuvlo.model.rectifier import rippling
from nuvlo.quantity import format_value, sentence
from nuvlo.stages import discharge, leads
from nuvlo.stages.answer import Asked, Solved, by_place
from nuvlo.stages.holds import begun_hold
from nuvlo.stages.task import Finding, Task, Wants

MAINS_SIDE = (
    "Not for whoever is not trained in it: local code and licensed practice decide. A qualified person looks at, and measures with a "
    "tester made for it: the earth bond from the earth pin of the inlet to every metal part, the fuse (its rating, and that it is in the "
    "live wire), and the insulation between mains and case. Note who it was."
)
MOST_WARM = 5  # parts whose warmth is told
WARM_MINUTES = 10.0
HELD_OHMS = 2.0  # between a heater and ground, leads and all
HEATERS = (0.9, 1.2)  # of the stated volts that heaters may get while nothing loads them (mains of 10 %, and the winding's own resistance)
BOTH_HIGH = "Both leads stand at high voltage: the meter lies on dry wood, and no hand is on it. "
SOCKETS = {
    "power": "Sockets empty. Power on, look at each rail at its socket, power off. What is wrong now costs no chip.",
    "plug": "Power off and gone. Earth yourself. Notch to notch, every leg in its hole: {parts}.",
}
FIRST_POWER = {
    "limit": "Current limited.",
    "charge": "Charge the adapter, pull it from the wall, then connect it: the lamp lights and dies. No lamp, no mains.",
    "bulb": "Through a series lamp: it may glow and must fade. Bright means a short.",
    "straight": "Straight on, the meter in line and a hand at the switch.",
}


@dataclass(frozen=True)
class Woken(Solved):
    """Windows, the ways of switching on with the one that was chosen, and what gets warm, hottest first."""

    first: tuple[FirstPower, ...] = ()
    warm: tuple[Warmth, ...] = ()
    school: str = ""


def tasks(kit: Kit, build: Build) -> list[Task]:
    """Readings in the order in which they protect the unit, and the hand that holds the probe."""
    high = is_high(kit)
    out = [] if kit.passive else [_look(kit)]
    for supply in kit.info.supply:
        out += _shorts(supply)
    out += [] if kit.passive else _before_power(kit, build)
    out += [_heaters_cold(heater) for heater in kit.info.heater]
    if any(s.mains_hz for s in kit.info.supply):
        out.append(Task(StepId.of(Stage.WAKE, "mains"), Stage.WAKE, Wants.STEP, "Mains side: by a qualified person", MAINS_SIDE))
    how = taken(build.stances, "power")
    steps = [step for step in board_order(kit, build.school) if step.verb in SOCKETS and plugged(kit)]
    if high:
        out += _empty_sockets(kit, build, steps)
    else:
        for step in steps:
            first = f"{_way(kit, how)} " if step.verb == "power" else ""
            out.append(Task(step.id, Stage.WAKE, Wants.STEP, step.action, first + SOCKETS[step.verb].format(parts=", ".join(step.parts)), parts=step.parts))
            out += _at_empty_sockets(kit) if step.verb == "power" else []
    empty = any(step.verb == "power" for step in steps)
    for supply in kit.info.supply:
        if high and (supply.mains_hz or abs(supply.volts) > TOUCHABLE_V):
            out.append(_by_lamp(kit, build, supply))
            continue
        way = "The same way as with the sockets empty." if empty else _way(kit, how)
        out.append(
            Task(StepId.of(Stage.WAKE, "current", supply.name), Stage.WAKE, Wants.READING, f"Power on: current of the {supply.name}",
                 f"{kit.said_of_setup()}{way} Controls where they start. Off at once if it passes the window.",
                 of=amps_of(supply.name), unit="A")
        )  # fmt: skip
    if kit.passive:
        return out + _without_power(kit, build)
    trims = {t.watch for t in kit.info.trim}
    for point in kit.info.point:
        later = " It is set in the next stage." if point.name in trims else ""
        out.append(
            Task(StepId.of(Stage.WAKE, point.name), Stage.WAKE, Wants.READING, f"Measure {point.name}",
                 f"{kit.said_of_setup(point.setup) if point.setup else ''}{sentence(point.says)}. {CLIPPED + ' ' if high else ''}"
                 f"{'' if point.reference in GROUND_NAMES or not high else BOTH_HIGH}"
                 f"Black lead on {kit.named_place(point.reference)}.{later}", of=volts_at(point.name), unit="V",
                 parts=(point.name,))
        )  # fmt: skip
        out += [_ripple(kit, of, supply) for of, supply in rippling(kit).items() if supply.point == point.name]
    return out + _before_others(kit, build) + discharge.tasks(kit, build, Stage.WAKE, always=True)


def _way(kit: Kit, how: str) -> str:
    """How to switch on for the first time: the way that was taken, or what stands in its place where it makes no sense here, and why."""
    supply = max(kit.info.supply, key=lambda s: abs(s.volts), default=None)
    if supply is None:
        return ""
    way = way_for(kit, supply, how)
    why = {"bulb": "No series lamp: that is for mains. ", "charge": "Not by the charge of an adapter: one feeds neither two rails nor high volts. "}
    return (why.get(how, "") if way != how else "") + FIRST_POWER[way]


def _ripple(kit: Kit, of: Observable, supply: Supply) -> Task:
    """While the leads are still there: volts alone do not tell a rectifier that half works from a low transformer."""
    clipped = f"{CLIPPED} " if is_high(kit) else ""
    return Task(
        StepId.of(Stage.WAKE, "ripple", of.place), Stage.WAKE, Wants.READING, f"Ripple of the {supply.name}: AC volts at {supply.point}",
        f"The meter on AC volts: it keeps the d.c. out. {clipped}Black lead on ground. Twice as much says that half of the wave is lost, or the reservoir.",
        of=of, unit="V", parts=(str(supply.point),),
    )  # fmt: skip


def _step(name: str, title: str, detail: str, parts: tuple[str, ...] = ()) -> Task:
    return Task(StepId.of(Stage.WAKE, name), Stage.WAKE, Wants.STEP, title, detail, parts=parts)


def _look(kit: Kit) -> Task:
    """Before anything is measured: what an eye finds costs nothing."""
    turned = [p.ref for p in kit.parts.values() if p.on_board and (p.polarised or kind_of(p.kind).one_way_round)]
    ways = f" Which way round: {', '.join(turned)}." if turned else ""
    return _step("look", "Look it over, under a lamp", f"Joints bright and apart, no ends of wire, no swarf.{ways} The right fuse, the right plug.", tuple(turned))


def _shorts(supply: Supply) -> list[Task]:
    """Ohms at a supply, both ways round: junctions and electrolytics tell the two apart."""
    if not supply.point:
        return []
    usual, back = ohms_at(supply.point), ohms_at(supply.point, exchanged=True)
    return [
        Task(StepId.of(Stage.WAKE, "short", usual.name), Stage.WAKE, Wants.READING, f"Look for a short at {supply.point}",
             f"Power off. Ohms from {supply.point} to ground.", of=usual, unit="Ω", parts=(supply.point,)),
        Task(StepId.of(Stage.WAKE, "short", back.name), Stage.WAKE, Wants.READING, f"{supply.point}, leads exchanged",
             f"Power off. Black on {supply.point}, red on ground. It climbs while electrolytics charge: wait until it stands.",
             of=back, unit="Ω", parts=(supply.point,)),
    ]  # fmt: skip


def _at_empty_sockets(kit: Kit) -> list[Task]:
    """Power with the sockets empty: what each supply gives then, and what stands at the sockets."""
    places = kit.at_sockets
    if not places:
        return []
    out = [
        Task(StepId.of(Stage.WAKE, "empty", s.name), Stage.WAKE, Wants.READING, f"Sockets empty: current of the {s.name}",
             "Power on. Off at once if it passes the window: what is wrong now costs no chip.", of=amps_of(s.name, empty=True), unit="A")
        for s in kit.info.supply
    ]  # fmt: skip
    return out + [
        Task(StepId.of(Stage.WAKE, "empty", place), Stage.WAKE, Wants.READING, f"Sockets empty: volts at {place}", "Power on. Black lead on ground. Then off.",
             of=volts_at(place, empty=True), unit="V", parts=(place.partition(".")[0],))
        for place, node in places
    ]  # fmt: skip


def _before_others(kit: Kit, build: Build) -> list[Task]:
    """What a unit shows by itself before it meets others: silence where there must be silence, no thump, no hum, nothing too hot."""
    out = []
    pedal, modular = "pedal" in kit.info.kit.family, "modular" in kit.info.kit.family
    if pedal and any(p.kind == "switch" for p in kit.parts.values()):
        out.append(_step("bypass", "Bypass, without power", "Unplug the supply. Bypassed, the guitar comes through; engaged, it is silent."))
    outputs = [p for p in kit.info.port if p.kind == "output"]
    if outputs or kit.info.tone:
        load = "loads" if is_high(kit) else "a load or a cheap loudspeaker"
        out.append(_step("thump", "Switch on and off: thump and hum", f"Into {load}, nothing at the input: a soft thump at most, then no hum at arm's length."))
    feel = "Smell and look, from outside: hands stay out while it is on." if is_high(kit) else "Smell first. Then the back of a finger, or a thermometer."
    warm = _step("warm", "Ten minutes on: what is warm", f"{feel} Space starts the clock when it is on, and ends the step when it is over.")
    out.append(replace(warm, minutes=WARM_MINUTES, holds=begun_hold(build, warm.id, warm.title, WARM_MINUTES)))
    if pedal or modular:
        others = "the rack" if modular else "the board"
        out.append(_step("alone", f"Only now to the others on {others}", f"Off. Join it to {others}; then look whether the others' supply still stands."))
    return out


def advice_on(now: Finding, solved: Solved) -> str:
    """How to switch on by the way that was chosen, and what gets warm."""
    if not isinstance(solved, Woken):
        return ""
    if now.task.id.verb in ("current", "lamp"):
        return _first_of(solved, amps_of(now.task.id.about))
    if now.task.id.verb == "power":  # of each supply, sockets empty
        every = dict.fromkeys(f.of for f in solved.first if f.of.empty)
        many = len(every) > 1
        return " ".join(f"{of.place + ': ' if many else ''}{_first_of(solved, of)}" for of in every)
    if now.task.id.verb == "warm":
        hot = [f"{w.ref} {w.celsius:.0f}\u202f°C after {_long(w.seconds)}: {w.says}{'. ' + w.over if w.over else ''}" for w in solved.warm[:MOST_WARM]]
        return "; ".join(hot) + "." if hot else "Nothing in it gets warm: what does is wrong."
    if now.task.id.verb == "look":
        over = [f"{w.ref}: {w.over}" for w in solved.warm if w.over]
        return f"Before power: {'; '.join(over)}." if over else ""
    return ""


def _first_of(solved: Woken, of: Observable) -> str:
    """The way of switching a supply on that was chosen, in words; else the first there is."""
    mine = [f for f in solved.first if f.of == of]
    found = next((f for f in mine if f.school == solved.school), next(iter(mine), None))
    return found.words if found else ""


def _long(seconds: float) -> str:
    return f"{seconds:.0f}\u202fs" if seconds < 100 else f"{seconds / 60:.0f}\u202fmin"


def _before_power(kit: Kit, build: Build) -> list[Task]:
    """Ohms and capacitances before first power; of a unit that has been powered meanwhile, only once its reservoirs are empty."""
    left = any(build.latest(Observable(c.name, c.quantity)) is None for c in kit.info.cold)
    return (discharge.tasks(kit, build, Stage.WAKE, about="cold") if left else []) + [_cold(cold) for cold in kit.info.cold]


def _cold(cold: Cold) -> Task:
    how = "Capacitance, once it has settled" if cold.kind == "capacitance" else "Ohms"
    says = f" {sentence(cold.says)}." if cold.says else ""
    return Task(
        StepId.of(Stage.WAKE, cold.name), Stage.WAKE, Wants.READING, f"Cold: measure {cold.name}",
        f"{how}: {cold.read}. Power off, nothing plugged in.{says}", of=Observable(cold.name, cold.quantity), unit=cold.unit
    )  # fmt: skip


def _empty_sockets(kit: Kit, build: Build, steps: list[Step]) -> list[Task]:
    """First power with the sockets empty, where a voltage can kill: nobody looks at a socket while it is on, and a voltage is
    measured before a hand puts anything into it."""
    out = []
    for step in steps:
        if step.verb == "power":
            clips = "; ".join(f"{_lug(h.across[0])} and {_lug(h.across[1])}" for h in kit.info.heater)
            read = f"First, unplugged: the meter on AC volts, clipped to {clips}; it is read from outside. " if clips else "Nothing is probed now. "
            text = f"Sockets empty, loads on the outputs. {read}Lid on or hands away. {FIRST_POWER['bulb']} Then unplug."
            out.append(Task(step.id, Stage.WAKE, Wants.STEP, "First power with the sockets empty, through a series lamp", text))
            out += [_heaters_on(heater) for heater in kit.info.heater]
        else:
            # Once they are in, this reading has done its work; the one at the end of Wake is another.
            out += [] if step.id in build.done else discharge.tasks(kit, build, Stage.WAKE, always=True, about="sockets")
            text = f"Unplugged, discharged and measured. Pins by the gap, straight down, every one in its hole: {', '.join(step.parts)}."
            out.append(Task(step.id, Stage.WAKE, Wants.STEP, step.action, text, parts=step.parts))
    return out


def _heaters_cold(heater: Heater) -> Task:
    """That the heaters are held to ground, before power: a winding that floats hums, and strains what insulates the cathodes."""
    red = _lug(heater.across[0])
    place = f"{heater.name}-ground"
    return Task(
        StepId.of(Stage.WAKE, "heater", place), Stage.WAKE, Wants.READING, f"Cold: heaters {heater.name} are held to ground",
        f"Ohms from {red} to the chassis, nothing plugged in: next to none, by way of half the winding and {_lug(heater.held)}.", of=ohms_at(place), unit="Ω",
        parts=(heater.across[0], heater.held), window=Window(ohms_at(place), "Ω", 0.3, 0.0, HELD_OHMS),
    )  # fmt: skip


def _heaters_on(heater: Heater) -> Task:
    """What the heaters get, read at the first power, before a valve goes in."""
    red, black = (_lug(lug) for lug in heater.across)
    low, high = HEATERS[0] * heater.volts, HEATERS[1] * heater.volts
    return Task(
        StepId.of(Stage.WAKE, "heater", heater.name), Stage.WAKE, Wants.READING, f"Heaters {heater.name}: what the meter showed at the first power",
        f"AC volts from {red} to {black}; unloaded they read a little over {format_value(heater.volts, 'V')}. If it was not clipped on then: unplug, discharge and "
        "measure as below first, clip it on, and power once more.", of=tone_at(heater.name), unit="V", parts=heater.across,
        window=Window(tone_at(heater.name), "V", heater.volts, low, high),
    )  # fmt: skip


def _lug(end: str) -> str:
    part, _, pin = end.partition(".")
    return f"pin {pin} of {part}"


def _by_lamp(kit: Kit, build: Build, supply: Supply) -> Task:
    """Power where a meter in line would be in the way of a hand: through a series lamp, the current told by resistors."""
    warm = f" Wait {WARM_SECONDS} s for the valves." if any(p.kind == "valve" for p in kit.parts.values()) else ""
    all_in = "all in its sockets" if plugged(kit) else "for the first time"
    step, minutes = StepId.of(Stage.WAKE, "lamp", supply.name), WARM_SECONDS / 60 if warm else 0.0
    return Task(
        step, Stage.WAKE, Wants.STEP, f"Power of the {supply.name}, {all_in}, through a series lamp",
        f"{kit.said_of_setup()}Lid on or hands away. {FIRST_POWER['bulb']}{warm} No meter in line: currents are told by the volts "
        "across resistors. Then unplug, take the lamp out, and go on.", supply.name,
        minutes=minutes, holds=begun_hold(build, step, "The valves warm up", minutes),
    )  # fmt: skip


def _without_power(kit: Kit, build: Build) -> list[Task]:
    """A kit that is never powered: the meter's leads, then ohms at each of its points."""
    if not kit.info.point and not kit.info.cold:
        return []
    out = leads.tasks(Stage.WAKE, build) + [_cold(cold) for cold in kit.info.cold]
    for point in kit.info.point:
        out.append(
            Task(StepId.of(Stage.WAKE, point.name), Stage.WAKE, Wants.READING, f"Measure {point.name}",
                 f"{sentence(point.says)}. Nothing plugged in, nothing joined on. Black lead on {kit.named_place(point.reference)}.",
                 of=ohms_at(point.name), unit="Ω", parts=(point.name,))
        )  # fmt: skip
    return out


def ask(asked: Asked) -> Solved:
    """Ohms at the supplies before power, then the current of each supply and the volts at each point; of a kit without a
    supply, the ohms at each point."""
    model = asked.model
    if asked.kit.passive:
        return Solved(by_place([*model.predict(asking.at_points(asked.kit)), *model.predict(asking.cold(asked.kit))]))
    every = (asking.across_supplies, asking.cold, asking.at_empty_sockets, asking.powered)
    found = model.predict([of for some in every for of in some(asked.kit)])
    currents = {w.of: w for w in found if w.of.quantity == "current"}
    return Woken(by_place(found), first=tuple(first_powers(asked.kit, currents)), warm=tuple(warmths(asked.kit)),
                 school=taken(asked.build.stances, "power"))  # fmt: skip
