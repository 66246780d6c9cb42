"""What must come before what when a kit is put together, rule by rule, each with its reason.

An order of work is a sequence of events: a verb and what it is done to. A rule looks at the kit, and at how its parts
are grouped for soldering, and says which events must come before which others. Rules that only prefer (``YIELDING``) give
way where another rule wants the contrary. Nothing here knows how an order is found: see :mod:`nuvlo.craft.order`.
All rules are common practice of the trade, no source, as told in the reasons.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from math import hypot

from nuvlo.craft.plan import POWER, Event, Plan, has_value

TALL_MM, REACH_MM = 12.0, 9.0  # a part so much taller than one so near bars the way of an iron or a finger to it
POST_MM = 10.0  # how high a post stands (common practice, no source)


LOOK = "Found now, a dull joint is a minute's work; found at power-up it may cost a part."
TIGHT = "A nut that is only finger-tight turns with the first plug, and its wires with it."
HEATERS = "They carry the most hum: twisted, along the edge and under all else, they go on while nothing hangs on the tags yet."
SECTION = "A fault has few places to hide while only one section is new."
WIRED = "Wires go on when what they go to no longer moves, and are rung out before anything is switched on."
SET = "Trimmers are set on a unit that is powered and warm, and before it is shut in."


@dataclass(frozen=True)
class Precedence:
    """``before`` must come before ``after``, by a ``rule``, for a reason."""

    before: Event
    after: Event
    rule: str
    reason: str


Rule = Callable[[Plan], Iterator[Precedence]]


def precedences(plan: Plan, without: Iterable[str] = ()) -> list[Precedence]:
    """All that the rules demand of ``plan``, but for those named in ``without``; no two contradict each other.

    Raises ``ValueError`` where the kit's own relations go round in a circle.
    """
    left_out = set(without)
    out: list[Precedence] = []
    reach = _Reach()
    for name, rule in RULES.items():
        if name in left_out:
            continue
        for one in rule(plan):
            if reach.comes_after(one.before, one.after):
                if name in YIELDING:
                    continue
                raise ValueError(f"{one.before[1]} and {one.after[1]} each want to come before the other ({name})")
            reach.add(one.before, one.after)
            out.append(one)
    return out


def broken(order: Iterable[Event], wanted: Iterable[Precedence]) -> list[Precedence]:
    """What an order of events does not keep to, in the order in which it shows. Events that are not in it count as never done."""
    at = {event: k for k, event in reversed(list(enumerate(order)))}
    never = len(at) + 1
    wrong = [p for p in wanted if p.after in at and at.get(p.before, never) > at[p.after]]
    return sorted(wrong, key=lambda p: at[p.after])


class _Reach:
    """Which event comes before which, by all that was said so far."""

    def __init__(self) -> None:
        self.following: dict[Event, list[Event]] = {}

    def add(self, before: Event, after: Event) -> None:
        self.following.setdefault(before, []).append(after)

    def comes_after(self, event: Event, other: Event) -> bool:
        """Whether ``event`` is ``other`` or must come after it."""
        seen, stack = set(), [other]
        while stack:
            here = stack.pop()
            if here == event:
                return True
            if here not in seen:
                seen.add(here)
                stack += self.following.get(here, ())
        return False


# -- rules ----------------------------------------------------------------------------------------------------------


def _loose(plan: Plan) -> Iterator[Precedence]:
    for ref in plan.fitted:
        why = f"{ref} must be in before it can be made fast."
        yield Precedence(("fit", ref), ("solder", ref), "loose", why)


def _values(plan: Plan) -> Iterator[Precedence]:
    why = "A wrong value is easy to lift now and hard once soldered."
    for group in plan.groups:
        yield from _looked_at("values", [ref for ref in group if has_value(plan.part(ref))], group, why)


def _polarity(plan: Plan) -> Iterator[Precedence]:
    why = "Polarity deserves a look of its own, before anything is hot."
    for group in plan.groups:
        yield from _looked_at("polarity", [ref for ref in group if plan.part(ref).polarised], group, why)


def _looked_at(check: str, refs: Sequence[str], group: Sequence[str], why: str) -> Iterator[Precedence]:
    """``refs`` are in, are looked at one after the other, and only then is anything of their ``group`` soldered. One after
    the other: to say it of each look and each joint by itself would take millions of words for a large kit."""
    for ref in refs:
        yield Precedence(("fit", ref), (check, ref), check, why)
    for ref, following in pairwise(refs):
        yield Precedence((check, ref), (check, following), check, why)
    for other in group if refs else ():
        yield Precedence((check, refs[-1]), ("solder", other), check, why)


def _snap(plan: Plan) -> Iterator[Precedence]:
    if plan.kit.info.work.snap:
        for then in [*[("fit", ref) for ref in plan.fitted], *plan.early]:
            why = "Boards that come joined are snapped apart and filed first: bending a fitted board cracks joints and parts."
            yield Precedence(("snap", ""), then, "snap", why)


def _surface(plan: Plan) -> Iterator[Precedence]:
    flat = [r for r in plan.fitted if plan.part(r).surface_mount and not plan.part(r).through_panel]
    why = "Surface-mount parts lie under the iron only while the board is flat and bare."
    others: list[Event] = [("fit", ref) for ref in plan.fitted if ref not in flat]
    for ref in flat:
        for other in [*others, *plan.early]:
            yield Precedence(("solder", ref), other, "surface", why)


def _related(how: str, rule: str, words: str) -> Rule:
    def found(plan: Plan) -> Iterator[Precedence]:
        for relation in plan.kit.info.relation:
            if relation.how == how and relation.part in plan.fitted and relation.to in plan.fitted:
                reason = relation.why or words.format(part=relation.part, to=relation.to)
                first, then = (relation.part, relation.to) if how == "below" else (relation.to, relation.part)
                yield Precedence(("fit", first), ("fit", then), rule, reason)
                if how == "touches":
                    yield Precedence(("fit", then), ("contact", then), rule, reason)
                    yield Precedence(("contact", then), ("solder", then), rule, reason)

    return found


def _insulate(plan: Plan) -> Iterator[Precedence]:
    for relation in plan.kit.info.relation:
        if relation.how == "insulate" and relation.part in plan.fitted:
            why = relation.why or f"{relation.part} lies on {relation.to}: it cannot be slipped under later."
            yield Precedence(("insulate", relation.part), ("fit", relation.part), "insulate", why)
            if plan.kit.info.work.snap:
                yield Precedence(("snap", ""), ("insulate", relation.part), "insulate", why)


def _sink(plan: Plan) -> Iterator[Precedence]:
    for relation in plan.kit.info.relation:
        if relation.how == "sink" and relation.part in plan.fitted:
            why = (
                relation.why
                or f"{relation.part} is screwed to {relation.to} before its legs are soldered: nothing is strained."
            )
            if relation.part in plan.cased:
                why += " Then it comes off again, so that its joints can be looked over and washed."
            yield Precedence(("fit", relation.part), ("screw", relation.part), "sink", why)
            yield Precedence(("screw", relation.part), ("solder", relation.part), "sink", why)


def _bolt(plan: Plan) -> Iterator[Precedence]:
    for ref in plan.cased:
        tab = "washer and sleeve in place, and no reading from tab to case" if ref in plan.insulated else "flat and tight"
        why = f"The board is clean and in its place: {ref} is screwed to {plan.cased[ref]} for good, {tab}."
        cleaned: list[Event] = [(verb, "") for verb, there in (("joints", True), ("wash", plan.washed), ("bake", plan.baked)) if there]
        for before in [*cleaned, *[("mount", r) for r in plan.mounted]]:
            yield Precedence(before, ("bolt", ref), "bolt", why)
        for then in plan.live_next:
            yield Precedence(("bolt", ref), then, "bolt", why)


def _heaters(plan: Plan) -> Iterator[Precedence]:
    if not plan.heaters:
        return
    for then in [("fit", ref) for ref in plan.on_tags if plan.kit.on_tags[ref] in plan.heated]:
        yield Precedence(("heaters", ""), then, "heaters", HEATERS)
    yield Precedence(("heaters", ""), ("wire", ""), "heaters", HEATERS)
    for before in [("tighten", "")] if plan.mounted else []:
        yield Precedence(before, ("heaters", ""), "heaters", HEATERS)


def _access(plan: Plan) -> Iterator[Precedence]:
    """A tall part goes in after what it would bar the way to: by the board where there is one, else as the kit says."""
    for relation in plan.kit.info.relation:
        if relation.how == "bars" and {relation.part, relation.to} <= set(plan.fitted):
            why = relation.why or f"{relation.part} would bar the way to {relation.to}."
            yield Precedence(("solder", relation.to), ("fit", relation.part), "access", why)
    board = plan.kit.board
    if board is None:
        return
    placed = [(ref, board.placements[ref], plan.part(ref).stands_mm) for ref in plan.fitted if ref in board.placements and ref not in plan.on_tags]
    lowest = min((height for _, _, height in placed), default=0.0)
    for tall, there, height in placed:
        for low, here, own in placed if height - lowest >= TALL_MM else ():
            near = hypot(there.x_mm - here.x_mm, there.y_mm - here.y_mm) < REACH_MM
            if height - own >= TALL_MM and near and there.side == here.side:
                why = f"{tall} stands {height:g} mm and would bar the way to {low}."
                yield Precedence(("fit", low), ("fit", tall), "access", why)


def _panel(plan: Plan) -> Iterator[Precedence]:
    why = "Pots, jacks, lamps and switches are placed, the panel offered up and made finger-tight, and only then soldered: they line up."
    for ref in plan.through_panel:
        yield Precedence(("fit", ref), ("panel", ""), "panel", why)
        yield Precedence(("panel", ""), ("solder", ref), "panel", why)


def _posts(plan: Plan) -> Iterator[Precedence]:
    why = "Posts go in while nothing stands in the way of the iron at their foot, and are looked over and washed with the rest."
    for posts in plan.early:
        yield Precedence(posts, ("joints", ""), "posts", why)
        for part in map(plan.part, plan.fitted):
            if part.through_panel or (part.stands_mm > POST_MM and not part.surface_mount):
                yield Precedence(posts, ("fit", part.ref), "posts", why)


def _leads(plan: Plan) -> Iterator[Precedence]:
    if not plan.wires or plan.posts:
        return
    why = "A board with wires hanging from it neither lies flat nor is turned over without strain: they go in when all else is soldered."
    for ref in plan.boarded:
        yield Precedence(("solder", ref), ("leads", ""), "leads", why)
    if plan.boarded:
        why = "Wires soldered into the board are looked over and washed with the rest, and before the board is in its case."
        yield Precedence(("leads", ""), ("joints", ""), "leads", why)


def _joints(plan: Plan) -> Iterator[Precedence]:
    why = "Found now, a dull joint or a bridge is a minute's work; found at power-up it may cost a part."
    for ref in plan.boarded:
        yield Precedence(("solder", ref), ("joints", ""), "joints", why)
    if plan.boarded:
        washed: list[Event] = [("wash", "")] if plan.washed else [("mount", ref) for ref in plan.mounted]
        for then in [*washed, *POWER[: plan.powered]]:
            yield Precedence(("joints", ""), then, "joints", why)


def _look(plan: Plan) -> Iterator[Precedence]:
    for ref in plan.late:
        yield Precedence(("solder", ref), ("look", ""), "look", LOOK)
    for then in plan.live_next if plan.late else ():
        yield Precedence(("look", ""), then, "look", LOOK)


def _wash(plan: Plan) -> Iterator[Precedence]:
    if not plan.washed:
        return
    why = "Flux left at high resistances leaks and hisses; what is powered or plugged in cannot be washed."
    for ref in plan.boarded:
        yield Precedence(("solder", ref), ("wash", ""), "wash", why)
    if plan.boarded:
        for ref in plan.late:
            spoilt = "Pots, jacks and switches drink what a board is washed with: they go in when it is clean and dry."
            yield Precedence(("wash", ""), ("fit", ref), "wash", spoilt if ref not in plan.on_tags else why)
        for then in POWER[: plan.powered]:
            yield Precedence(("wash", ""), then, "wash", why)
        for ref in plan.mounted:
            yield Precedence(("wash", ""), ("mount", ref), "wash", why)


def _bake(plan: Plan) -> Iterator[Precedence]:
    if plan.baked:
        why = "A washed board holds water under its parts: 20 to 30 minutes in an oven brought to about 93 °C and switched off."
        yield Precedence(("wash", ""), ("bake", ""), "bake", why)
        late: list[Event] = [("fit", ref) for ref in plan.late]
        for then in [*POWER[: plan.powered], *[("mount", ref) for ref in plan.mounted], *late]:
            yield Precedence(("bake", ""), then, "bake", why)


def _socket(plan: Plan) -> Iterator[Precedence]:
    why = "The socket now, the chip after the first power test: wrong rails then meet an empty socket. No iron comes near a chip."
    for ref in plan.plugged:
        yield Precedence(("power", ""), ("plug", ref), "socket", why)


def _guard(plan: Plan) -> Iterator[Precedence]:
    """Before the lid the last check is repeated: what is shut in is seen no more."""
    if not plan.has_case or not plan.fitted:
        return
    why = "Before the lid goes on the readings are taken once more and compared with the last: what changed since is still at hand."
    clean = "wash" if plan.washed else "joints"
    last = POWER if plan.powered else [(clean, ""), *[("mount", ref) for ref in plan.mounted]]
    for before in [*last, *[("plug", ref) for ref in plan.plugged], *plan.finished]:
        yield Precedence(before, ("recheck", ""), "guard", why)
    yield Precedence(("recheck", ""), ("close", ""), "guard", why)


def _tighten(plan: Plan) -> Iterator[Precedence]:
    for ref in plan.mounted:
        yield Precedence(("mount", ref), ("tighten", ""), "tighten", TIGHT)
    if plan.mounted:
        for ref in plan.through_panel:
            yield Precedence(("solder", ref), ("tighten", ""), "tighten", TIGHT)
        for then in plan.live_next:
            yield Precedence(("tighten", ""), then, "tighten", TIGHT)


def _tags(plan: Plan) -> Iterator[Precedence]:
    for ref, to in plan.on_tags.items():
        why = f"{ref} hangs on the tags of {to}: that is in its place and tight before a lead goes round a tag."
        for mounted in plan.mounted:
            yield Precedence(("mount", mounted), ("fit", ref), "tags", why)
        if plan.mounted:
            yield Precedence(("tighten", ""), ("fit", ref), "tags", why)


def _wired(plan: Plan) -> Iterator[Precedence]:
    if not plan.wired:
        return
    for ref in plan.mounted:
        yield Precedence(("mount", ref), ("wire", ""), "wired", WIRED)
    clean = "wash" if plan.washed else "joints"
    if plan.boarded:
        yield Precedence((clean, ""), ("wire", ""), "wired", WIRED)
    for then in [*POWER[: plan.powered], ("recheck", "")] if plan.has_case and plan.fitted else POWER[: plan.powered]:
        yield Precedence(("wire", ""), then, "wired", WIRED)


def _set(plan: Plan) -> Iterator[Precedence]:
    if not plan.trimmed:
        return
    for before in [*POWER[: plan.powered], *[("plug", ref) for ref in plan.plugged]]:
        yield Precedence(before, ("set", ""), "set", SET)


def _delicate(plan: Plan) -> Iterator[Precedence]:
    for ref in plan.delicate:
        why = f"{ref} comes last: it is dear, and what goes before it makes heat, dust and mistakes."
        earlier: list[Event] = [("set", "")] if plan.trimmed else list(POWER[: plan.powered])
        for before in [*earlier, *[("plug", r) for r in plan.plugged]]:
            yield Precedence(before, ("delicate", ref), "delicate", why)


def _last(plan: Plan) -> Iterator[Precedence]:
    for ref in plan.last("battery"):
        why = "First power comes from a supply whose current is limited; a battery gives all it has into a short."
        ready: list[Event] = [("set", "")] if plan.trimmed else list(POWER[: plan.powered])
        for before in [*ready, *[("plug", r) for r in plan.plugged], *[("delicate", r) for r in plan.delicate]]:
            yield Precedence(before, ("battery", ref), "last", why)
    for ref in plan.last("knob"):
        why = "A knob hides the nut under it and is pulled off for every look inside: it goes on when the lid does."
        earlier: list[Event] = [("tighten", "")] if plan.mounted else []
        earlier += [("close", "")] if plan.has_case and plan.fitted else [*POWER[: plan.powered], *plan.finished]
        earlier += [("plug", r) for r in plan.plugged]
        for one in earlier:
            yield Precedence(one, ("knob", ref), "last", why)


def _section(plan: Plan) -> Iterator[Precedence]:
    for k, section in enumerate(plan.tested):
        mine = [r for r in plan.boarded if plan.part(r).section == section]
        later = [r for r in plan.boarded if plan.part(r).section in plan.tested[k + 1 :]]
        for ref in mine:
            yield Precedence(("solder", ref), ("test", section), "section", SECTION)
        for ref in later:
            yield Precedence(("test", section), ("fit", ref), "section", SECTION)


def _static(plan: Plan) -> Iterator[Precedence]:
    """Within its section, or on the whole board where sections are not tested one by one."""
    if plan.manual:
        return
    shy = [r for r in plan.fitted if plan.part(r).static_sensitive]
    why = "Static kills it: it is handled last, and whoever holds it is at one potential with it."
    for ref in shy:
        for other in plan.fitted:
            if other not in shy and plan.together(ref, other) and not plan.part(other).through_panel:
                yield Precedence(("fit", other), ("fit", ref), "static", why)


def _decides(plan: Plan) -> Iterator[Precedence]:
    """What makes one variant or another of the board, or of a section that is tested, waits until all else there is in."""
    deciding = {c.part for v in plan.kit.info.variant for c in v.change} & set(plan.fitted)
    if plan.kit.changes:
        return  # it is decided
    why = "What decides which variant the board becomes is left out until last: so long it stays good for either."
    for ref in plan.fitted:
        for last in sorted(deciding):
            together = plan.on_tags.get(ref) == plan.on_tags.get(last) and plan.together(ref, last)
            if ref not in deciding and together:
                yield Precedence(("fit", ref), ("fit", last), "decides", why)


RULES: Mapping[str, Rule] = {
    "loose": _loose, "values": _values, "polarity": _polarity, "snap": _snap,
    "contact": _related("touches", "contact", "{part} must touch {to}, so {to} is in first."),
    "below": _related("below", "below", "{part} lies below {to}."),
    "insulate": _insulate, "sink": _sink, "surface": _surface, "panel": _panel, "posts": _posts, "leads": _leads, "joints": _joints, "look": _look, "wash": _wash, "bake": _bake,
    "socket": _socket, "guard": _guard, "section": _section, "access": _access, "static": _static,
    "decides": _decides, "tighten": _tighten, "tags": _tags, "wired": _wired, "set": _set, "delicate": _delicate, "last": _last,
    "bolt": _bolt, "heaters": _heaters,
}  # fmt: skip
YIELDING = ("surface", "posts", "section", "access", "static", "decides")
