"""The order of work: the events that the rules of precedence allow, taken in the order a school prefers, told as steps.

First every part gets its place by the school's own liking, as far as the rules of :mod:`nuvlo.craft.precedence` let it. Then
parts are grouped as the school solders them, and all events are drawn up anew. Left to itself the drawing up is hasty: it
prefers work to checks and the end to the beginning, so that whatever is done early or looked at in time is the doing of a rule.
"""

from __future__ import annotations

import heapq
import math
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import groupby

from nuvlo.craft.high_voltage import is_high
from nuvlo.craft.plan import Event, Plan, has_value
from nuvlo.craft.precedence import LOOK, SECTION, SET, TIGHT, WIRED, YIELDING, Precedence, precedences
from nuvlo.craft.schools import BATCH, DEFAULT_SCHOOL, school_named
from nuvlo.craft.sections import read_at
from nuvlo.craft.wording import fit_reason, mount_reason, mounted, names_of
from nuvlo.kit.kinds import kind_of, plural_of
from nuvlo.kit.kit import Kit
from nuvlo.kit.parts import Part
from nuvlo.kit.schema import Stage
from nuvlo.kit.step_id import StepId, board_step

HEAT_SHY_MM = (
    3.0  # how much taller a heat-shy part is taken to be when its turn is decided (common practice, no source)
)
DIODE_MM = 0.5
# Minutes at the bench: for each part, and for the step as a whole (rough figures; the log's own take their place).
MINUTES = {
    "fit": (1.5, 0.0), "solder": (0.7, 0.0), "values": (0.1, 1.0), "polarity": (0.1, 1.0), "contact": (0.5, 0.0), "insulate": (1.0, 0.0),
    "screw": (3.0, 0.0), "test": (0.0, 10.0), "joints": (0.0, 4.0), "wash": (0.0, 5.0), "bake": (0.0, 5.0), "snap": (0.0, 5.0),
    "panel": (0.0, 8.0), "posts": (0.7, 2.0), "leads": (1.5, 2.0), "mount": (2.0, 0.0), "bolt": (4.0, 0.0), "heaters": (0.0, 20.0), "power": (0.0, 10.0), "plug": (1.0, 0.0), "recheck": (0.0, 5.0), "close": (0.0, 5.0),
    "look": (0.3, 1.0), "tighten": (0.5, 1.0), "wire": (0.0, 5.0), "set": (0.0, 10.0), "delicate": (5.0, 0.0), "battery": (1.0, 0.0), "knob": (0.5, 0.0),
}  # fmt: skip
WAITS_HOURS = {"wash": 0.5, "bake": 1.0}  # before the next step may begin
GATES = {"look", "values", "polarity", "contact", "test", "joints", "wash", "recheck"}
STAGES = {"set": Stage.SET, "delicate": Stage.HAND_OVER, "battery": Stage.HAND_OVER, "knob": Stage.HAND_OVER, "power": Stage.WAKE, "plug": Stage.WAKE, "recheck": Stage.HAND_OVER, "close": Stage.HAND_OVER}
# When each thing is done in its group, left to itself: work first, checks after, what they guard or not.
PHASES = {
    "insulate": (0, 0),
    "fit": (0, 1),
    "contact": (0, 2),
    "screw": (1, 0),
    "solder": (1, 1),
    "values": (2, 0),
    "polarity": (2, 1),
}
# What an impatient builder does first, of what is to be done when all parts are in.
HASTE = ("knob", "close", "battery", "delicate", "set", "plug", "recheck", "power", "wire", "look", "heaters", "bolt", "tighten", "bake", "mount", "wash", "joints", "panel", "leads", "posts", "snap")


@dataclass(frozen=True)
class Step:
    """One step of the order. ``gate`` names the check a gate step is; ``after`` are numbers of earlier steps it waits for.

    ``because`` are the reasons of the rules that put it here, ``waits_hours`` what must dry or cool before the next.
    """

    n: int
    action: str
    parts: tuple[str, ...]
    gate: str | None
    after: tuple[int, ...]
    reason: str
    minutes: float
    verb: str = ""
    because: tuple[str, ...] = ()
    waits_hours: float = 0.0

    has_wiring: bool = False

    @property
    def stage(self) -> Stage:
        """The stage in which it is done. Wires whose ends the kit names are gone through one by one in Hook up."""
        if self.verb == "wire" and self.has_wiring:
            return Stage.HOOK_UP
        return STAGES.get(self.verb, Stage.FIT)

    @property
    def id(self) -> StepId:
        """What the log calls it."""
        return board_step(self.stage, self.verb, self.parts)

    def ring_id(self, number: int) -> StepId:
        """What the log calls one ring of joints that are looked over."""
        return StepId(f"{self.id}.{number}")


def board_order(kit: Kit, school: str = DEFAULT_SCHOOL, without: Iterable[str] = ()) -> list[Step]:
    """Steps in the order of a ``school``, kept with the kit. ``without`` leaves rules of precedence out, to see what they are for.

    Raises :class:`NuvloError` for a school that is none, ``ValueError`` for relations of the kit that go in a circle.
    """
    key = ("order", school, tuple(without))
    if key not in kit.memory:
        plan = plan_of(kit, school, key[2])
        wanted = precedences(plan, key[2])
        kit.memory[key] = _told(plan, events(plan, wanted), wanted)
    found: list[Step] = kit.memory[key]
    return found


def plan_of(kit: Kit, school: str = DEFAULT_SCHOOL, without: Iterable[str] = ()) -> Plan:
    """Which parts go in, in which groups, and which are plugged in last."""
    order, soldering, *unusual = school_named(school).split("+")
    soldered_chips = "soldered" in unusual
    socketed = [] if soldered_chips else plugged(kit)
    later = {p.ref for p in socketed}
    if soldered_chips:
        later = {p.ref for p in kit.parts.values() if p.kind == "socket"}
    parts = [p for p in kit.parts.values() if p.on_board and p.ref not in later]
    named = list(dict.fromkeys(p.section for p in parts)) if order == "sections" else []
    points = read_at(kit, named)
    sections = list(points)

    carriers = sorted(set(kit.on_tags.values()), key=natural)

    def liking(part: Part) -> tuple[float, ...]:
        section = sections.index(part.section) if sections else 0
        first = kind_of(part.kind).early or math.inf
        tagged = carriers.index(kit.on_tags[part.ref]) + 1 if part.ref in kit.on_tags else 0
        return part.through_panel or tagged > 0, tagged, section, first if order == "semiconductors" else 0, *_turn(part)

    ranked = sorted(parts, key=lambda p: (liking(p), p.kind, p.cost or 0.0, natural(p.ref)))
    in_sockets = tuple(p.ref for p in socketed)
    # Where a voltage can kill no section is powered by itself: half an amplifier on a bench has no lid.
    # Nor one whose parts hang on a switch that is mounted later.
    later = {kit.part(ref).section for ref in kit.on_tags}
    told = kit.unit is not None and not kit.passive
    tested = () if is_high(kit) else tuple(s for s in sections if s and s not in later and (points[s] or not told))
    alone = Plan(
        kit, tuple((p.ref,) for p in ranked), in_sockets, tested, order == "semiconductors", kit.wire_ends, "direct" not in unusual,
        points,
    )  # fmt: skip
    wanted = precedences(alone, without)
    # What must wait for another part comes after the whole of that one's kind, not in the midst of it.
    turn = {p.ref: (liking(p), 0) for p in ranked}
    waits = _waiting(wanted)
    for ref in [ref for verb, ref in events(alone, wanted) if verb == "fit"]:
        turn[ref] = max([turn[ref], *((turn[other][0], turn[other][1] + 1) for other in waits.get(ref, ()))])
    ranked.sort(key=lambda p: turn[p.ref])
    alone = replace(alone, groups=tuple((p.ref,) for p in ranked))
    sequence = [ref for verb, ref in events(alone, wanted) if verb == "fit"]
    groups = _grouped(kit, sequence, soldering, bool(sections), _parted(wanted))
    return replace(alone, groups=groups)


def plugged(kit: Kit) -> list[Part]:
    """Chips and valves that go into sockets, where the kit has any: they are never soldered."""
    return kit.plugged


def natural(ref: str) -> tuple[str, int, str]:
    """R2 before R10."""
    found = re.match(r"(\D*)(\d*)(.*)", ref)
    assert found is not None
    return found[1], int(found[2] or 0), found[3]


def _turn(part: Part) -> tuple[float]:
    # A diode stands the heat of a quick joint: it goes in right after the resistors, which are as low.
    shy = 0.0 if not part.heat_sensitive else DIODE_MM if part.kind == "diode" else HEAT_SHY_MM
    return (part.stands_mm + shy,)


def _parted(wanted: Sequence[Precedence]) -> Mapping[str, set[str]]:
    """For each part those that must be soldered, or tested, before it goes in: they cannot be of one group."""
    following: dict[Event, list[Event]] = {}
    for p in wanted:
        following.setdefault(p.before, []).append(p.after)
    out: dict[str, set[str]] = {}
    for start in [e for e in following if e[0] == "solder"]:
        seen, stack = set(), [start]
        while stack:
            here = stack.pop()
            for event in following.get(here, ()):
                if event not in seen:
                    seen.add(event)
                    stack.append(event)
        for verb, ref in seen:
            if verb == "fit":
                out.setdefault(ref, set()).add(start[1])
    return out


def _waiting(wanted: Sequence[Precedence]) -> Mapping[str, list[str]]:
    """For each part those that must go in before it for a reason of their own."""
    out: dict[str, list[str]] = {}
    for p in wanted:
        if p.before[0] == p.after[0] == "fit" and p.rule not in YIELDING:
            out.setdefault(p.after[1], []).append(p.before[1])
    return out


def _grouped(
    kit: Kit, sequence: Sequence[str], soldering: str, by_section: bool, parted: Mapping[str, set[str]]
) -> tuple[tuple[str, ...], ...]:
    tagged = kit.on_tags
    groups: list[list[str]] = []
    for ref in sequence:
        part = kit.parts[ref]
        last = kit.parts[groups[-1][-1]] if groups else None
        fresh = (
            last is None or part.through_panel != last.through_panel or tagged.get(ref) != tagged.get(last.ref) or bool(parted.get(ref, set()) & set(groups[-1]))
        )
        fresh = fresh or (by_section and ref not in tagged and part.section != kit.parts[groups[-1][-1]].section)
        kinds_apart = soldering == "groups" and not part.through_panel and ref not in tagged
        fresh = fresh or (kinds_apart and last is not None and part.kind != last.kind)
        fresh = fresh or (soldering == "batches" and len(groups[-1]) >= BATCH)
        if fresh:
            groups.append([])
        groups[-1].append(ref)
    return tuple(tuple(g) for g in groups)


def events(plan: Plan, wanted: Sequence[Precedence]) -> list[Event]:
    """Every event of ``plan`` in an order that keeps to ``wanted``, hasty wherever nothing forbids it."""
    group = {ref: k for k, refs in enumerate(plan.groups) for ref in refs}
    place = {ref: k for k, ref in enumerate(plan.fitted)}
    end = len(plan.groups)

    # Posts go in just before the first group that would stand in their way, and not in the midst of another.
    barring = [group[p.after[1]] for p in wanted if p.before[0] == "posts" and p.after[1] in group]

    def key(event: Event) -> tuple[int, ...]:
        verb, ref = event
        if verb in HASTE:
            return (min(barring), -1) if verb == "posts" and barring else (end, HASTE.index(verb))
        if verb == "test":
            return max(group[r] for r in plan.fitted if plan.part(r).section == ref), 3
        return group[ref], *PHASES[verb], place[ref]

    every = _all_events(plan, wanted)
    waits = dict.fromkeys(every, 0)
    following: dict[Event, list[Event]] = {}
    for p in wanted:
        waits[p.after] += 1
        following.setdefault(p.before, []).append(p.after)
    heap = [(key(e), e) for e in every if not waits[e]]
    heapq.heapify(heap)
    out = []
    while heap:
        _, event = heapq.heappop(heap)
        out.append(event)
        for then in following.get(event, ()):
            waits[then] -= 1
            if not waits[then]:
                heapq.heappush(heap, (key(then), then))
    return out


def _all_events(plan: Plan, wanted: Sequence[Precedence]) -> list[Event]:
    own: list[Event] = [(verb, ref) for ref in plan.fitted for verb in ("fit", "solder")]
    own += [("values", ref) for ref in plan.fitted if has_value(plan.part(ref))]
    own += [("polarity", ref) for ref in plan.fitted if plan.part(ref).polarised]
    own += [("mount", ref) for ref in plan.mounted] + [("plug", ref) for ref in plan.plugged]
    own += [("tighten", "")] * bool(plan.mounted) + [("wire", "")] * plan.wired + [("set", "")] * plan.trimmed
    own += [("delicate", ref) for ref in plan.delicate]
    own += [(kind, ref) for kind in ("battery", "knob") for ref in plan.last(kind)]
    if plan.fitted:
        own += [("posts" if plan.posts else "leads", "")] if plan.wires else []
        own += [("joints", "")] * bool(plan.boarded) + [("wash", "")] * plan.washed + [("power", "")] * plan.powered
        own += [("look", "")] * bool(plan.late)
        own += [("recheck", ""), ("close", "")] if plan.has_case else []
    named = [event for p in wanted for event in (p.before, p.after)]
    return list(dict.fromkeys([*own, *named]))


def moved(before: Sequence[Step], after: Sequence[Step], kit: Kit) -> list[str]:
    """What another order moves, kind by kind, what moves farthest first: ``sockets from 2nd to 1st``."""
    places = []
    for steps in (before, after):
        kinds = [kit.parts[ref].kind for s in steps if s.verb == "fit" for ref in s.parts]
        places.append({kind: k for k, kind in enumerate(dict.fromkeys(kinds), 1)})
    shifts = [
        (abs(places[0][k] - places[1][k]), k) for k in places[0] if k in places[1] and places[0][k] != places[1][k]
    ]
    return [
        f"{plural_of(k)} from place {places[0][k]} to {places[1][k]}"
        for _, k in sorted(shifts, key=lambda s: (-s[0], s[1]))
    ]


# -- in words -------------------------------------------------------------------------------------------------------


def _told(plan: Plan, order: Sequence[Event], wanted: Sequence[Precedence]) -> list[Step]:
    group = {ref: k for k, refs in enumerate(plan.groups) for ref in refs}
    after: dict[Event, list[Precedence]] = {}
    guards: dict[Event, str] = {}
    for p in wanted:
        after.setdefault(p.after, []).append(p)
        guards.setdefault(p.before, p.reason)
    names = names_of(plan)

    def mixed(k: object) -> bool:
        return isinstance(k, int) and k >= 0 and len({plan.part(r).kind for r in plan.groups[k]}) > 1

    steps: list[Step] = []
    number: dict[Event, int] = {}
    fitted_before: list[Part] = []
    for (verb, k), run in groupby(order, key=lambda e: (e[0], group.get(e[1], e[1] if e[0] == "test" else -1))):
        mine = list(run)
        n = len(steps) + 1
        parts = tuple(ref for _, ref in mine if ref in plan.kit.parts) or _whole(plan, verb, str(k))
        because = tuple(dict.fromkeys(p.reason for e in mine for p in after.get(e, ())
                                  if p.rule not in PLAIN and not (verb == "fit" and p.rule in OF_OTHERS)))  # fmt: skip
        name = names[k] if isinstance(k, int) and k >= 0 else str(k)
        if verb == "mount":
            name = mounted(plan, parts)
        elif verb in ("delicate", "bolt") or (verb in ("insulate", "screw", "contact") and mixed(k)):
            name = ", ".join(parts)
        elif verb == "look":
            name = "what was soldered last"
        if verb == "fit":
            own = [p.reason for e in mine for p in after.get(e, ()) if p.rule in TELLING]
            reason = fit_reason(plan, parts, fitted_before, own, because)
            fitted_before = [plan.part(r) for r in parts]
        elif verb == "solder":
            reason = FAST_ON_TAGS if parts[0] in plan.on_tags else FAST
        elif verb == "mount":
            reason = mount_reason(plan, parts)
        elif verb == "tighten" and any(plan.part(r).kind == "driver" for r in parts):
            reason = RATTLE
        elif verb == "power":
            reason = EMPTY_SOCKETS if plan.plugged else LIMITED
        elif verb in ("delicate", "battery", "knob", "bolt"):
            reason = because[0]
        elif verb == "test":
            read = ", ".join(plan.points.get(str(k), ()))
            reason = (f"Alive with it: {read}. " if read else "") + SECTION
        elif verb in ("contact", "insulate"):
            reason = " ".join(dict.fromkeys(p.reason for p in wanted if p.rule == verb and (p.before in mine or p.after in mine)))
        else:
            reason = WHY.get(verb) or guards.get(mine[0]) or (*because, *(p.reason for p in after.get(mine[0], ())))[0]
        each, whole = MINUTES[verb]
        earlier = sorted({number[p.before] for e in mine for p in after.get(e, ()) if p.before in number} - {n})
        for event in mine:
            number[event] = n
        steps.append(
            Step(n, _action(plan, verb, name, parts), parts, {"test": "section"}.get(verb, verb) if verb in GATES else None,
                 tuple(earlier), reason, each * len(parts) + whole, verb, because, WAITS_HOURS.get(verb, 0.0), bool(plan.kit.wires))
        )  # fmt: skip
    return steps


FAST = "Checked, so it may be made fast: one leg, see that it sits flush, then the rest."
FAST_ON_TAGS = "Checked, so it may be made fast, tag by tag; one to which a wire still comes stays open until it is there."
RATTLE = "A screw that is only finger-tight rattles, and leaks air past the gasket."
EMPTY_SOCKETS = "The first power test: nothing dear is in a socket yet."
LIMITED = "The first power test, its current limited: what is wrong shows before it costs a part."
OF_OTHERS = ("posts", "wash", "tags", "section", "snap")  # rules that tell of what goes before a part, and not of the part
TELLING = ("decides", "contact", "below", "static")  # rules that say why a part is fitted when it is
PLAIN = ("loose", "values", "polarity", "joints", "look", "wired", "tighten")  # rules whose reason their own step says
WHY = {
    "posts": "A wire to a post comes off and goes on again from above, without turning the board.",
    "leads": "A board with wires hanging from it neither lies flat nor is turned over without strain: they go in when all else is soldered.",
    "wire": WIRED, "look": LOOK, "tighten": TIGHT, "set": SET, "close": "What is inside was looked at, and read again.",
    "plug": "The rails have been checked.", "recheck": "What has changed since they were last taken can still be found; once the lid is on it cannot.",
}  # fmt: skip
ACTIONS = {
    "fit": "Fit {name}", "solder": "Solder {name}", "values": "Check the {what} of {name}", "polarity": "Check which way round {name} {sit}",
    "contact": "See that {name} really {touch} what {it} to touch", "insulate": "Put the insulation under {name}",
    "screw": "Screw {name} to the heat sink", "bolt": "Screw {name} down for good, and ring out tab against case",
    "heaters": "Run and solder the heater wires", "test": "Section {name}: look over its joints, then test it",
    "posts": "Press in and solder the posts for the wires", "leads": "Solder the wires into the board, each with its label",
    "look": "Look over the joints of {name}", "tighten": "See that all lines up, and tighten it", "wire": "Wire up, and ring out each wire",
    "set": "Set the trimmers", "delicate": "Mount {name}", "battery": "Put the battery in", "knob": "Put the knobs on",
    "joints": "Look over the solder side for dull joints and bridges", "wash": "Brush and wash the solder side", "bake": "Dry the board in the oven",
    "snap": "Snap the boards apart and file the edges", "panel": "Offer up the panel and do everything up finger-tight",
    "mount": "Mount {name}", "power": "First power test", "plug": "Plug in what goes into sockets",
    "recheck": "Take the readings once more before the lid", "close": "Close the case",
}  # fmt: skip


def _action(plan: Plan, verb: str, name: str, parts: Sequence[str]) -> str:
    one = name in parts or name.startswith(("batch", "all ", "what hangs", "what stands"))
    what = "values" if any(plan.part(r).unit for r in parts if r in plan.kit.parts) else "types"
    return ACTIONS[verb].format(
        name=name, what=what.removesuffix("s") if len(parts) == 1 and name in parts else what, sit="sits" if one else "sit", touch="touches" if one else "touch",
        it="it is" if one else "they are",
    )  # fmt: skip


def _whole(plan: Plan, verb: str, section: str) -> tuple[str, ...]:
    """The parts that a step about more than named ones is about."""
    if verb == "test":
        return tuple(r for r in plan.fitted if plan.part(r).section == section)
    if verb == "panel":
        return tuple(plan.through_panel)
    if verb in ("posts", "leads"):
        return plan.wires
    if verb == "look":
        return tuple(plan.late)
    if verb == "tighten":
        return tuple(plan.mounted)
    if verb == "set":
        return tuple(p.ref for p in plan.kit.parts.values() if p.kind == "trimmer")
    return tuple(plan.boarded) if verb in ("joints", "wash", "bake") else ()
