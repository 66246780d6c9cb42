"""Wake: first power. Shorts first, then the supply current, then each test point."""

from __future__ import annotations

from nuvlo.craft.high_voltage import CLIPPED, TOUCHABLE_V, WARM_SECONDS, is_high
from nuvlo.craft.order import Step, board_order, plugged
from nuvlo.craft.schools import taken
from nuvlo.kit import Kit, Stage
from nuvlo.kit.kit import GROUND_NAMES
from nuvlo.kit.schema import Cold, Supply
from nuvlo.kit.step_id import StepId
from nuvlo.logbook import Build
from nuvlo.quantity import format_value, sentence
from nuvlo.stages import discharge, leads
from nuvlo.stages.answer import Asked, Solved, by_place
from nuvlo.stages.task import Task, Wants

MAINS_SIDE = (
    "Not for whoever is not trained in it: local code and licensed practice decide. A qualified person looks at, and measures with a "
    "tester made for it: the earth bond from the earth pin of the inlet to every metal part, the fuse (its rating, and that it is in the "
    "live wire), and the insulation between mains and case. Note who it was."
)
LOW_VOLTS = 30.0  # above it no charged capacitor is played with (common practice, no source)
BOTH_HIGH = "Both leads stand at high voltage: the meter lies on dry wood, and no hand is on it. "
SOCKETS = {
    "power": "Sockets empty. Power on, look at each rail at its socket, power off. What is wrong now costs no chip.",
    "plug": "Power off and gone. Earth yourself. Notch to notch, every leg in its hole: {parts}.",
}
FIRST_POWER = {
    "limit": "Current limit at {limit}.",
    "charge": "Charge the adapter, pull it from the wall, then connect it: the lamp lights and dies. No lamp, no mains.",
    "bulb": "Through a series lamp: it may glow and must fade. Bright means a short.",
    "straight": "Straight on, the meter in line and a hand at the switch.",
}


def tasks(kit: Kit, build: Build) -> list[Task]:
    """Readings in the order in which they protect the unit, and the hand that holds the probe."""
    high = is_high(kit)
    out = []
    for supply in kit.info.supply:
        if supply.point:
            out.append(
                Task(StepId.of(Stage.WAKE, "short", supply.point), Stage.WAKE, Wants.READING, f"Look for a short at {supply.point}",
                     f"Power off. Ohms from {supply.point} to ground.", supply.point, "resistance", "Ω",
                     parts=(supply.point,), nodes=(supply.node,))
            )  # fmt: skip
    out += [] if kit.passive else _before_power(kit, build)
    if any(s.mains_hz for s in kit.info.supply):
        out.append(Task(StepId.of(Stage.WAKE, "mains"), Stage.WAKE, Wants.STEP, "Mains side: by a qualified person", MAINS_SIDE))
    steps = [step for step in board_order(kit, build.school) if step.verb in SOCKETS and plugged(kit)]
    if high:
        out += _empty_sockets(kit, build, steps)
    else:
        out += [Task(step.id, Stage.WAKE, Wants.STEP, step.action, SOCKETS[step.verb].format(parts=", ".join(step.parts)),
                     parts=step.parts) for step in steps]  # fmt: skip
    how = taken(build.stances, "power")
    for supply in kit.info.supply:
        if high and (supply.mains_hz or abs(supply.volts) > TOUCHABLE_V):
            out.append(_by_lamp(kit, supply))
            continue
        limit = FIRST_POWER[how].format(limit=format_value(supply.current_limit, "A"))
        if how == "charge" and abs(supply.volts) > LOW_VOLTS:
            limit = f"Not by stored charge: that is for low voltage. {FIRST_POWER['bulb']}"
        out.append(
            Task(StepId.of(Stage.WAKE, "current", supply.name), Stage.WAKE, Wants.READING, f"Power on: current of the {supply.name}",
                 f"{kit.said_of_setup()}{limit} Controls where they start. Off at once if it passes the window.",
                 supply.name, "current", "A", nodes=(supply.node,))
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
                 f"Black lead on {kit.named_place(point.reference)}.{later}", point.name, "voltage", "V",
                 parts=(point.name,), nodes=(point.node, point.reference), setup=point.setup)
        )  # fmt: skip
    return out + discharge.tasks(kit, build, Stage.WAKE, always=True)


def _before_power(kit: Kit, build: Build) -> list[Task]:
    """Ohms and capacitances before first power; of a unit that has been powered meanwhile, only once its reservoirs are empty."""
    left = any(build.latest(c.name, c.quantity) is None for c in kit.info.cold)
    return (discharge.tasks(kit, build, Stage.WAKE, about="cold") if left else []) + [_cold(cold) for cold in kit.info.cold]


def _cold(cold: Cold) -> Task:
    how = "Capacitance, once it has settled" if cold.kind == "capacitance" else "Ohms"
    says = f" {sentence(cold.says)}." if cold.says else ""
    return Task(
        StepId.of(Stage.WAKE, cold.name), Stage.WAKE, Wants.READING, f"Cold: measure {cold.name}",
        f"{how}: {cold.read}. Power off, nothing plugged in.{says}", cold.name, cold.quantity, cold.unit, nodes=(cold.node, cold.reference)
    )  # fmt: skip


def _empty_sockets(kit: Kit, build: Build, steps: list[Step]) -> list[Task]:
    """First power with the sockets empty, where a voltage can kill: nobody looks at a socket while it is on, and a voltage is
    measured before a hand puts anything into it."""
    out = []
    for step in steps:
        if step.verb == "power":
            text = f"Sockets empty, loads on the outputs, lid on or hands away. {FIRST_POWER['bulb']} Nothing is probed now. Then unplug."
            out.append(Task(step.id, Stage.WAKE, Wants.STEP, "First power with the sockets empty, through a series lamp", text))
        else:
            # Once they are in, this reading has done its work; the one at the end of Wake is another.
            out += [] if step.id in build.done else discharge.tasks(kit, build, Stage.WAKE, always=True, about="sockets")
            text = f"Unplugged, discharged and measured. Pins by the gap, straight down, every one in its hole: {', '.join(step.parts)}."
            out.append(Task(step.id, Stage.WAKE, Wants.STEP, step.action, text, parts=step.parts))
    return out


def _by_lamp(kit: Kit, supply: Supply) -> Task:
    """Power where a meter in line would be in the way of a hand: through a series lamp, the current told by resistors."""
    warm = f" Wait {WARM_SECONDS} s for the valves." if any(p.kind == "valve" for p in kit.parts.values()) else ""
    all_in = "all in its sockets" if plugged(kit) else "for the first time"
    return Task(
        StepId.of(Stage.WAKE, "lamp", supply.name), Stage.WAKE, Wants.STEP, f"Power of the {supply.name}, {all_in}, through a series lamp",
        f"{kit.said_of_setup()}Lid on or hands away. {FIRST_POWER['bulb']}{warm} No meter in line: currents are told by the volts "
        "across resistors. Then unplug, take the lamp out, and go on.", supply.name, nodes=(supply.node,)
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
                 point.name, "resistance", "Ω", parts=(point.name,), nodes=(point.node, point.reference))
        )  # fmt: skip
    return out


def ask(asked: Asked) -> Solved:
    """Ohms at the supplies before power, then the current of each supply and the volts at each point; of a kit without a
    supply, the ohms at each point."""
    model = asked.model
    if asked.kit.passive:
        return Solved(by_place(model.resistance_windows(model.point_pairs()) + model.cold_windows()))
    return Solved(by_place(model.resistance_windows(model.supply_pairs()) + model.cold_windows() + model.voltage_windows()))
