"""Where builders disagree: each question with its sides, and how the difference is found.

Every side can be taken. What is left of a question is either worked out by the same engine as everything else (``tells``
names the command) or said to be a matter of taste.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from nuvlo.problems import NuvloError, Problem

BATCH = 12  # parts taped down at a time (common practice: ten or twelve, no source)


@dataclass(frozen=True)
class School:
    """One way of working that builders hold to, and what speaks for it."""

    name: str
    says: str


@dataclass(frozen=True)
class Question:
    """Something builders disagree on. The first of ``sides`` is taken where nothing is said.

    ``where`` it shows; ``tells``: the command that works the difference out, empty where it is a matter of taste.
    """

    id: str
    title: str
    sides: tuple[School, ...]
    where: str
    tells: str = ""


ORDERS = (
    School("lowest", "lowest profile first: the board lies flat when it is turned over, cheap parts go in before dear ones"),
    School("semiconductors", "sockets and semiconductors first, as many manuals have it: what must sit right is placed on a bare "
           "board, but it takes the heat of every joint after it"),
    School("sections", "section by section, each tested before the next: a fault has few places to hide, and the board is "
           "turned over more often"),
)  # fmt: skip
SOLDERINGS = (
    School("groups", "each kind of part soldered before the next: few legs at a time, nothing falls out"),
    School("together", "everything inserted, then everything soldered: all values and polarities seen at once, a forest of legs"),
    School("batches", f"{BATCH} parts taped down at a time, whatever they are: steady on dense boards"),
)  # fmt: skip
CHIPS = (
    School(
        "socketed", "chips in sockets, put in after the first power test: easy to change, one more contact each leg"
    ),
    School("soldered", "chips soldered in: no contact to fail, but one that was wrong costs an hour with braid"),
)
WIRES = (
    School("posts", "posts for the wires: a wire comes off and goes on again from above, one more joint each end"),
    School(
        "direct",
        "wires straight into the board: one joint less, but each change turns the board over and wears the pad",
    ),
)
ANSWERS = "the order of work"
QUESTIONS = (
    Question("order", "Which part goes in first", ORDERS, ANSWERS, "order"),
    Question("soldering", "When to solder", SOLDERINGS, ANSWERS, "order"),
    Question("measure", "How many resistors to measure", (
        School("every", "every one: a wrong strip is found, and every later window is narrower"),
        School("spot", "one of each strip, the rest by their marking: quicker; a single stray part goes through"),
    ), "Unpack asks for one reading a strip instead of one a part", "predict"),
    Question("power", "How to switch on for the first time", (
        School("limit", "a supply with its current limited: a mistake draws no more than you allow"),
        School("charge", "the charge left in an unplugged adapter: enough to light a lamp, then it dies; low voltage only"),
        School("bulb", "a series lamp, for what runs on mains: it glows and fades, or stays bright and saves the fuse"),
        School("straight", "straight on with a meter in line: nothing between the supply and a mistake but your hand"),
    ), "Wake", "predict"),
    Question("chips", "Chips in sockets", CHIPS, ANSWERS, "order"),
    Question("wires", "Wires to the board", WIRES, ANSWERS, "order"),
    Question("rails", "Rails and bias", (
        School("cool", "conservative: cool, long life"),
        School("hot", "higher: headroom, character, heat"),
    ), "variants of the kit, and its choices", "compare"),
    Question("judging", "When to judge", (
        School("at-once", "measure at once, and again after a while: let the numbers say what burning in did"),
        School("burn-in", "let it run in before it is judged: some parts settle (transformers are said to take 48 h, drivers 24)"),
    ), "Prove", ""),
    Question("compound", "Heat-sink compound", (
        School("where-needed", "only where the sum of heat calls for it"),
        School("always", "always: it costs nothing and nobody opens the unit to put it in later"),
    ), "Fit, at parts on a heat sink", "recipe heat-sink"),
    Question("zener", "One zener or two", (
        School("one", "one of the full voltage"),
        School("two", "two lower ones in series, for less noise; others measured no difference"),
    ), "what you fit", "recipe zener-pair"),
    Question("bypass", "Small capacitors across large ones, dear parts", (
        School("measured", "only what is measured is shown"),
        School("heard", "they are heard, whatever a meter says"),
    ), "what you fit", "recipe bypass"),
    Question("joints", "Wire to a lug", (
        School("twist", "twist first: the joint is mechanical, solder only seals it"),
        School("tin", "tin both, then fuse: easy to undo"),
    ), "Hook up", ""),
    Question("glue", "Cabinet joints", (
        School("clamps", "glue and clamps only: nothing shows, every clamp is needed for hours"),
        School("brads", "glue and brads: the clamp is free at once, holes to fill"),
    ), "the calendar of a cabinet", "calendar"),
)  # fmt: skip
DEFAULT_SCHOOL = f"{ORDERS[0].name}+{SOLDERINGS[0].name}"


def schools() -> list[School]:
    """Every order with every way of soldering."""
    return [School(f"{a.name}+{b.name}", f"{a.says}; {b.says}") for a in ORDERS for b in SOLDERINGS]


def side(word: str) -> tuple[Question, School]:
    """The question that ``word`` answers, and the answer. Raises :class:`NuvloError`."""
    for question in QUESTIONS:
        for school in question.sides:
            if school.name == word.lower():
                return question, school
    known = "; ".join(f"{q.id}: {', '.join(s.name for s in q.sides)}" for q in QUESTIONS)
    raise NuvloError(Problem(f"there is no school '{word}'.", f"Schools by question: {known}."))


def taken(stances: Mapping[str, str], question: str) -> str:
    """The side taken of a question: what was said, or the usual one."""
    return stances.get(question) or next(q.sides[0].name for q in QUESTIONS if q.id == question)


def school_named(text: str) -> str:
    """The full name of an order of work: ``sections``, ``batches``, ``lowest+together``, ``sections+soldered``.

    Raises :class:`NuvloError` for a word that is no side of its questions.
    """
    stances = {}
    for word in text.replace(",", "+").split("+"):
        question, school = side(word.strip())
        if question.where != ANSWERS:
            raise NuvloError(Problem(f"'{word}' does not change the order of work.", f"It shows in {question.where}."))
        stances[question.id] = school.name
    return school_from(stances)


def school_from(stances: Mapping[str, str]) -> str:
    """The full name of the order of work that ``stances`` (question → side) make."""
    said = [taken(stances, q.id) for q in QUESTIONS if q.where == ANSWERS]
    usual = {CHIPS[0].name, WIRES[0].name}
    return "+".join(name for name in said if name not in usual)
