"""The commands, a row each. Grammar, help, completion, the action strip, dispatch and ``docs/bench-line.md`` are made of them.

A command is added by its row here and, where it acts on a build, its function in the module of its family; one that the
window carries out has its method named in ``desktop/handles.py``.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from nuvlo.kit import Stage
from nuvlo.quantity import Verdict
from nuvlo.stages.task import Wants
from nuvlo.workshop.commands import arguments as arg
from nuvlo.workshop.commands import bench, choose, fit, hook_up, steps, unpack
from nuvlo.workshop.commands.outcome import Outcome
from nuvlo.workshop.session import Session
from nuvlo.workshop.snapshot import Snapshot

Does = Callable[[Session, Any], Outcome]
EVERY = frozenset(Stage)
STEP, STAGE, SIDE, TOOL = "step", "stage", "side", "tool"  # what a command may leave as it is


@dataclass(frozen=True)
class Verb:
    """One command.

    ``says`` what it does; ``reads`` what stands behind its word; ``does`` carries it out, None where the window does.
    ``example`` is a line that is understood where a Gorsefire is being built. A ``named`` command has no word: its line
    begins with the name of what it is about. ``needs`` asks for the words it wants, which may be missing where they are ``optional``. ``keeps`` what is left as it
    is: the ``step`` looked back at, a ``stage`` gone to, the ``side`` of the board shown, the ``tool`` shown. ``looks``: nothing
    is logged by it. ``button`` are its words on the action strip in its ``stages``; ``first`` those where it stands before the
    others. ``offered`` says whether it makes sense in a state. ``key`` is a key of its own.
    """

    name: str
    says: str
    example: str
    reads: arg.Reader = arg.nothing
    does: Does | None = None
    short: tuple[str, ...] = ()
    needs: str = ""
    optional: bool = False
    named: bool = False
    keeps: frozenset[str] = frozenset()
    looks: bool = False
    stages: frozenset[Stage] = EVERY
    button: str = ""
    first: frozenset[Stage] = frozenset()
    offered: Callable[[Snapshot], bool] = lambda snapshot: True
    key: str = ""

    @property
    def begins(self) -> bool:
        """Whether it wants words: its button puts the beginning on the bench line."""
        return bool(self.needs)


def _in(*stages: Stage) -> frozenset[Stage]:
    return frozenset(stages)


def _keeps(*what: str) -> frozenset[str]:
    return frozenset(what)


def _has_board(s: Snapshot) -> bool:
    return s.kit.board is not None


def _has_panel(s: Snapshot) -> bool:
    return bool(s.kit.panel) and s.kit.info.enclosure is not None


def _wants(*wants: Wants) -> Callable[[Snapshot], bool]:
    return lambda s: (now := s.now()) is not None and now.task.wants in wants


def _accused(s: Snapshot) -> bool:
    return (found := s.suspicion) is not None and bool(found.suspects)


def _acceptable(s: Snapshot) -> bool:
    """Whether the step in hand stands in the way and may be passed all the same: never what is left in a reservoir."""
    return (now := s.stop() or s.now()) is not None and (now.stuck or now.waits) and not now.task.unplugged


def _written(s: Snapshot) -> bool:
    """Whether a sheet of this build is there to be opened."""
    return bool(s.build.exports) and s.sheet_path.exists()


def _glue(s: Snapshot) -> bool:
    return (now := s.now()) is not None and any(c.open_minutes and now.task.id.about == c.id for c in s.kit.info.craft)


def _wrong_parts(s: Snapshot) -> bool:
    return bool(s.build.marks) or any(f.stuck for f in s.findings(Stage.UNPACK))


def _rung_wrong(s: Snapshot) -> bool:
    return any(f.verdict is Verdict.OUT and f.task.quantity == "resistance" for f in s.findings(Stage.HOOK_UP))


UNPACK, CHOOSE, SEQUENCE, FIT, HOOK_UP, WAKE, SET, PROVE, HAND_OVER = Stage
MAPS = _in(FIT, HOOK_UP, WAKE)
HUNTED_BY = ("found", "skip", "accept")  # what is at hand while a mistake is looked for

ROWS: tuple[Verb, ...] = (
    # -- moving along
    Verb("next", "Do what the step in hand asks for, and go on.", "next", does=steps.next_step, short=("n", "ok"),
         keeps=_keeps(STEP), key="Space"),
    Verb("back", "Look at the step before.", "back", does=steps.back, short=("b",), keeps=_keeps(STEP, STAGE), looks=True,
         button="Step before"),
    Verb("step", "Look at another step of this stage, to read it again.", "step tp3", arg.words, steps.step, needs="Which step?",
         keeps=_keeps(STEP, STAGE), looks=True),
    Verb("trace", "Where the wires of a lug or a pad go; in Hook up, the step of the first that is not in.", "trace j1.tip", arg.words, steps.trace,
         needs="Which lug, pad or wire?", keeps=_keeps(STEP, STAGE), looks=True),
    Verb("stage", "Go to another stage.", "stage wake", arg.stage, steps.stage, needs="Which stage?",
         keeps=_keeps(STEP, STAGE), looks=True),
    Verb("undo", "Take the last entry back.", "undo", does=steps.undo, short=("u",), button="Undo",
         offered=lambda s: s.build.can_undo is not None, key="Ctrl+Z"),
    Verb("redo", "Put in again what was taken back.", "redo", does=steps.redo, button="Put in again",
         offered=lambda s: s.build.can_redo is not None, key="Ctrl+Y"),
    Verb("confirm", "Confirm the caution in hand: you have read it and done what it says.", "confirm", does=steps.confirm),
    Verb("accept", "Accept the step in hand as it is, with a reason.", "accept it sounds right", arg.words, steps.accept,
         needs="Why is it all right?", optional=True, button="Accept as it is", first=EVERY, offered=_acceptable),
    Verb("note", "Keep a note with the build.", "note lid scratched", arg.words, steps.note, needs="What is to be noted?",
         keeps=_keeps(STAGE, TOOL), button="Note"),
    Verb("find", "Show where a part, a pad or a test point lies.", "find c2", arg.on_the_map, steps.find, needs="Which part?",
         keeps=_keeps(STAGE, SIDE), looks=True, button="Find a part", stages=_in(UNPACK, FIT, HOOK_UP, WAKE)),
    # -- unpack
    Verb("measure", "Log what a loose part measures.", "r4 99.2k", does=unpack.measure, named=True),
    Verb("tick", "Log that a part is there.", "d1", does=unpack.tick, named=True),
    Verb("mark", "Say what is the matter with a part: missing, wrong, reversed, doubtful, posted (it is in the post), or "
         "swapped for another.", "r4 missing", does=unpack.mark, named=True),
    Verb("tray", "Lay the tray out by value, by strip, by section or as listed.", "tray strip", arg.tray_order, unpack.tray,
         needs="By what?", stages=_in(UNPACK), button="Sort the tray"),
    Verb("what", "Say what colour bands or a code can be; alone it asks for the bands one by one.", "what 104K", arg.words,
         unpack.what, keeps=_keeps(STAGE, TOOL), looks=True, stages=_in(UNPACK, CHOOSE, FIT), button="What part is this",
         first=_in(UNPACK)),
    Verb("reads", "Say which parts a reading fits.", "reads 99.4k", arg.words, unpack.reads, needs="What does the meter show?",
         keeps=_keeps(STAGE, TOOL), looks=True, stages=_in(UNPACK, FIT), button="Which part reads this"),
    Verb("instead", "Say what the drawer can put in place of a part, and what it would bear there.", "instead r4",
         arg.spare_for, unpack.instead, needs="In place of which part?", keeps=_keeps(STAGE), looks=True,
         stages=_in(UNPACK, CHOOSE), button="From the drawer"),
    Verb("match", "Say which measured part goes where, so that pairs agree.", "match", does=unpack.match,
         keeps=_keeps(STAGE), looks=True, stages=_in(UNPACK), button="Match pairs", first=_in(UNPACK),
         offered=lambda s: bool(s.kit.info.match)),
    Verb("reference", "Learn what the meter is off by from a part that is known better than the meter: its value, its tolerance, "
         "and what the meter shows.", "reference 10k 0.1% 9.97k", arg.reference, unpack.reference,
         needs="Which value, of what tolerance, and what does the meter show?", keeps=_keeps(STAGE), stages=_in(UNPACK),
         button="Check the meter"),
    Verb("alike", "Show which parts of this kit are easily taken for one another.", "alike", keeps=_keeps(STAGE, TOOL),
         looks=True, stages=_in(UNPACK, FIT), button="Look-alikes", first=_in(UNPACK)),
    Verb("shopping", "Write what is still to be bought.", "shopping", does=unpack.shopping, keeps=_keeps(STAGE), looks=True,
         stages=_in(UNPACK, CHOOSE), button="Shopping list", first=_in(UNPACK)),
    Verb("letter", "Write to the seller what is wrong with the box.", "letter", does=unpack.letter, keeps=_keeps(STAGE),
         looks=True, stages=_in(UNPACK), button="Letter to the seller", first=_in(UNPACK), offered=_wrong_parts),
    # -- choose
    Verb("choose", "Take an option, or a set of values by its number.", "choose 220n", arg.choice, choose.choose,
         needs="Which?", optional=True, stages=_in(CHOOSE), button="Choose another", first=_in(CHOOSE), offered=_wants(Wants.CHOOSE)),
    Verb("variant", "Build a named variant of the kit.", "variant darker", arg.words, choose.variant, needs="Which variant?",
         keeps=_keeps(STAGE), stages=_in(CHOOSE), button="Build a variant", first=_in(CHOOSE),
         offered=lambda s: bool(s.box.info.variant)),
    Verb("mod", "Make a part or supply something else, with the reason; alone it lists what was changed.",
         "mod r3 47k because more gain", arg.modification, choose.mod, needs="What becomes what?", optional=True,
         keeps=_keeps(STAGE), stages=_in(CHOOSE), button="Change a part"),
    Verb("drawer", "Choose only from the drawer, or from all values again.", "drawer", does=choose.drawer,
         keeps=_keeps(STAGE), looks=True, stages=_in(CHOOSE), button="Only from the drawer", first=_in(CHOOSE),
         offered=lambda s: any(c.move for c in s.kit.info.choice)),
    Verb("school", "Take a side where builders disagree.", "school sections", arg.side_taken, choose.school,
         needs="Which way of working?", keeps=_keeps(STAGE), stages=_in(SEQUENCE, FIT, WAKE), button="Way of working",
         first=_in(SEQUENCE)),
    Verb("compare", "Show the kit and a changed one side by side; alone it lists the variants.", "compare r3=47k", arg.words,
         keeps=_keeps(TOOL), looks=True, stages=_in(CHOOSE, PROVE), button="Compare", first=_in(CHOOSE)),
    Verb("recipe", "Work out a small recurring problem; alone it lists them.", "recipe pad db=20", arg.words,
         keeps=_keeps(TOOL), looks=True, stages=_in(CHOOSE), button="Recipes", first=_in(CHOOSE)),
    # -- sequence and fit
    Verb("both", "Show where builders disagree, with both sides.", "both", keeps=_keeps(TOOL), looks=True,
         stages=_in(SEQUENCE, CHOOSE), button="Where builders disagree", first=_in(SEQUENCE)),
    Verb("calendar", "Plan when to do what in your free evenings; 'all' plans every build, 'save' writes it.", "calendar all",
         arg.words, keeps=_keeps(TOOL), looks=True, stages=_in(SEQUENCE, FIT), button="Calendar", first=_in(SEQUENCE)),
    Verb("tonight", "Say what fits in so many minutes.", "tonight 40", arg.minutes, fit.tonight, needs="How many minutes?",
         keeps=_keeps(STAGE), looks=True, stages=_in(SEQUENCE, FIT, HOOK_UP), button="What fits tonight", first=_in(SEQUENCE)),
    Verb("manual", "Check a manual's own order of work.", "manual order.txt", arg.words, needs="Which file?",
         keeps=_keeps(TOOL), looks=True, stages=_in(SEQUENCE), button="Check a manual"),
    Verb("begin", "The glue is spread: start its clock.", "begin", does=fit.begin, stages=_in(FIT), button="Glue is spread",
         first=_in(FIT), offered=_glue),
    Verb("joint", "Mark a joint dull, bridge or missing; reflowed once it is put right.", "joint r4.1 dull", arg.joint,
         fit.joint, needs="Which joint, and what of it?", stages=_in(FIT, WAKE), button="Bad joint"),
    Verb("rework", "Log that a part was taken off, or its joints heated again.", "rework r4 off because wrong value",
         arg.rework, fit.rework, needs="Which part?", stages=_in(FIT, HOOK_UP, WAKE, SET), button="Rework a part"),
    Verb("photo", "Keep a picture with the step in hand.", "photo joints.jpg left edge", arg.photo, fit.photo,
         needs="Which file?", stages=_in(FIT, HOOK_UP, WAKE), button="Keep a picture"),
    Verb("review", "Write the sheet on which someone else looks over the joints.", "review", does=fit.review, looks=True,
         stages=_in(FIT, HOOK_UP), button="Second pair of eyes", offered=_has_board),
    Verb("side", "Turn the board over.", "side", keeps=_keeps(SIDE, TOOL), looks=True, stages=MAPS, button="Turn the board",
         first=MAPS, offered=_has_board),
    Verb("zoom", "Look nearer, or at all of the board again.", "zoom 2", arg.words, keeps=_keeps(SIDE, TOOL), looks=True,
         stages=MAPS, button="Look nearer", offered=_has_board),
    Verb("rotate", "Turn the map.", "rotate 90", arg.words, keeps=_keeps(SIDE, TOOL), looks=True, stages=MAPS,
         button="Turn the map", offered=_has_board),
    Verb("net", "Light every pad of a net.", "net vcc", arg.words, needs="Which net?", keeps=_keeps(SIDE, TOOL), looks=True,
         stages=MAPS, button="Light a net", first=_in(FIT), offered=_has_board),
    Verb("picture", "Lay a picture of the board beneath the map, by two clicks; 'picture off' takes it away.",
         "picture board.jpg", arg.words, needs="Which file?", keeps=_keeps(SIDE, TOOL), looks=True, stages=MAPS,
         button="Picture beneath", offered=_has_board),
    # -- bench
    Verb("reading", "Log a reading at a test point, a lug, or at what is asked for.", "tp3 4.48", does=bench.reading, named=True),
    Verb("current", "Log the current of a supply.", "current 2.3m", arg.current, bench.reading, needs="How much?",
         stages=_in(WAKE)),
    Verb("leads", "Log what the meter's leads read when they are held together; it is taken off every reading of ohms.",
         "leads 0.2", arg.leads, bench.reading, needs="How many ohms?", stages=_in(UNPACK, HOOK_UP), button="Meter leads"),
    Verb("gain", "Log a gain that was measured.", "gain 41.5", arg.gain, bench.reading, needs="How many dB?",
         stages=_in(PROVE), button="Type a gain", first=_in(PROVE), offered=lambda s: s.kit.info.prove is not None),
    Verb("read", "Read the instrument that is connected.", "read", does=bench.read, short=("measure",),
         stages=_in(UNPACK, HOOK_UP, WAKE, SET, PROVE), button="Read the meter again", first=_in(HOOK_UP, WAKE),
         offered=lambda s: s.has_bench),
    Verb("explain", "Say which single mistake, of a wire or of a part, explains what was rung out.", "explain", does=bench.explain, looks=True,
         stages=_in(HOOK_UP), button="Which mistake?", first=_in(HOOK_UP), offered=_rung_wrong),
    Verb("look", "Log what a look through a lens showed: right or wrong.", "look r4 wrong", arg.look, bench.look,
         needs="Which part, and does it look right or wrong?", stages=_in(HOOK_UP, WAKE, SET, PROVE), button="What a look showed",
         offered=_accused),
    Verb("touch", "Log what a finger on a part felt: hot or cool.", "touch q1 hot", arg.touch, bench.look,
         needs="Which part, and is it hot or cool?", stages=_in(WAKE, SET, PROVE), button="What a finger felt", offered=_accused),
    Verb("found", "Log what it was and that it is put right: the letter of a suspect, or in your own words. The readings are taken anew.",
         "found a", arg.words, bench.found, needs="What was it? The letter of a suspect, or your own words.",
         stages=_in(HOOK_UP, WAKE, SET, PROVE), button="Found it", first=_in(HOOK_UP, WAKE, SET, PROVE), offered=_accused),
    Verb("why", "Say which parts widen a window, and which single mistakes would move the reading and where to.", "why tp4", arg.words,
         keeps=_keeps(STAGE, TOOL), looks=True, stages=_in(WAKE, SET), button="Why this window", first=_in(WAKE), optional=True,
         offered=lambda s: s.kit.unit is not None and not s.kit.passive),
    Verb("hunt", "Look for a mistake though no reading is out of its window; again to stop.", "hunt", does=bench.hunt, keeps=_keeps(STAGE), looks=True,
         stages=_in(WAKE, SET, PROVE), button="Something is wrong", offered=lambda s: s.kit.unit is not None and not _accused(s)),
    Verb("skip", "Ask for another reading while a mistake is looked for: this place is out of reach.", "skip", does=bench.skip, keeps=_keeps(STAGE),
         looks=True, stages=_in(WAKE, SET, PROVE), button="Out of reach", first=_in(WAKE, SET, PROVE), offered=_accused),
    Verb("reveal", "Tell what is hidden in a unit of the practice bench.", "reveal", does=bench.reveal, keeps=_keeps(STAGE), looks=True),
    Verb("cabinet", "Show the ways to wire loudspeakers, and what their cones say of their polarity.", "cabinet 6x8 min=4", arg.words,
         keeps=_keeps(TOOL), looks=True, stages=_in(CHOOSE, HOOK_UP, PROVE), button="Wire the drivers", first=_in(HOOK_UP), optional=True,
         offered=lambda s: sum(p.kind == "driver" for p in s.kit.parts.values()) > 1),
    Verb("power", "Say what the unit draws from each supply, and what is left of it.", "power", keeps=_keeps(STAGE, TOOL), looks=True,
         stages=_in(HOOK_UP, WAKE), button="What it draws", offered=lambda s: bool(s.kit.info.supply)),
    Verb("rack", "Add up what a rack of modules or a board of pedals draws, kept as CSV, and what its supply has left.", "rack case.csv", arg.words,
         needs="Which file?", keeps=_keeps(STAGE, TOOL), looks=True, stages=_in(HOOK_UP), button="The whole rack",
         offered=lambda s: bool(s.kit.info.supply)),
    Verb("interface", "Show plans of a pedalboard's interface, and what each does to the treble; one of your own is a file.", "interface stereo",
         arg.words, keeps=_keeps(STAGE, TOOL), looks=True, stages=_in(CHOOSE, HOOK_UP), button="Plans of a board", optional=True,
         offered=lambda s: "pedal" in s.kit.info.kit.family),
    Verb("bonds", "Say which metal is bonded and by what, where a ring of ground closes, what floats.", "bonds",
         keeps=_keeps(STAGE, TOOL), looks=True, stages=_in(HOOK_UP), button="Ground and case", offered=lambda s: bool(s.kit.info.metal)),
    Verb("template", "Write what panel and box are drilled by, at true scale, as PDF and DXF.", "template", does=hook_up.template,
         keeps=_keeps(STAGE), looks=True, stages=_in(SEQUENCE, FIT, HOOK_UP), button="Template to drill by", offered=_has_panel),
    Verb("mockup", "Write the panel in paper, with what stands behind it.", "mockup", does=hook_up.mock_up, keeps=_keeps(STAGE),
         looks=True, stages=_in(SEQUENCE, FIT, HOOK_UP), button="Mock-up in paper", offered=_has_panel),
    Verb("labels", "Write scales for controls, labels, and a flag for both ends of each wire.", "labels", does=hook_up.labels,
         keeps=_keeps(STAGE), looks=True, stages=_in(HOOK_UP, HAND_OVER), button="Labels", offered=lambda s: bool(s.kit.wires or s.kit.panel)),
    Verb("turn", "Log that a trimmer was turned, clockwise positive.", "turn 30", arg.turn, bench.turn,
         needs="How far?", stages=_in(SET), button="Turned by hand", first=_in(SET), offered=lambda s: bool(s.kit.info.trim)),
    Verb("sweep", "Play the sweep and record it.", "sweep", does=bench.sweep, stages=_in(PROVE), button="Sweep again",
         first=_in(PROVE), offered=lambda s: s.has_bench and s.kit.info.prove is not None),
    Verb("sheet", "Write the sheet for the owner.", "sheet", does=bench.sheet, short=("export",), stages=_in(HAND_OVER),
         button="Write the sheet", first=_in(HAND_OVER)),
    # -- lists
    Verb("import", "Read a parts list, whatever its habits.", "import parts.csv", arg.words, needs="Which file?",
         keeps=_keeps(TOOL), looks=True, stages=_in(UNPACK), button="Read a parts list"),
    Verb("column", "Take a column of the open list for something else.", "column Marking note", arg.column,
         needs="Which column is what?", keeps=_keeps(TOOL), looks=True),
    Verb("line", "Put a line of the open list right; with nothing behind its number it is left out.", "line 14 R7 47k", arg.list_line,
         needs="Which line says what?", keeps=_keeps(TOOL), looks=True),
    Verb("take", "Make a kit of the open list and begin a build of it.", "take Lampwick two", arg.words, keeps=_keeps(TOOL)),
    # -- the window
    Verb("open", "Open the sheet that was written.", "open", keeps=_keeps(STEP, STAGE, SIDE, TOOL), looks=True, stages=_in(HAND_OVER),
         button="Open the sheet", first=_in(HAND_OVER), offered=_written),
    Verb("folder", "Open the folder in which the sheet lies.", "folder", keeps=_keeps(STEP, STAGE, SIDE, TOOL), looks=True,
         stages=_in(HAND_OVER), button="Open its folder", first=_in(HAND_OVER), offered=_written),
    Verb("backup", "Write all of the workshop to one file, beside its folder where none is named.", "backup /media/stick",
         arg.words, optional=True, keeps=_keeps(STEP, STAGE, SIDE, TOOL), looks=True, stages=_in(HAND_OVER),
         button="Back up the workshop"),
    Verb("restore", "Put a backup back as a workshop of its own, every file looked over, and open it.",
         "restore shop-20261126.zip", arg.words, needs="Which file?", keeps=_keeps(STEP, STAGE, SIDE, TOOL), looks=True),
    Verb("shelf", "Show the kits and builds of the workshop.", "shelf", keeps=_keeps(STEP, STAGE, SIDE), looks=True, key="F2"),
    Verb("pictured", "Log a picture laid beneath the map.", "picture off", does=fit.pictured, named=True, keeps=_keeps(SIDE)),
    Verb("large", "Large print, to be read from two metres away, on or off.", "large", keeps=_keeps(STEP, STAGE, SIDE, TOOL),
         looks=True, key="F11"),
    Verb("daylight", "Light colours.", "daylight", keeps=_keeps(STEP, STAGE, SIDE, TOOL), looks=True),
    Verb("lamp", "Dark colours.", "lamp", keeps=_keeps(STEP, STAGE, SIDE, TOOL), looks=True),
    Verb("help", "List what can be typed here.", "help", keeps=_keeps(STEP, STAGE, SIDE, TOOL), looks=True, key="F1"),
)  # fmt: skip

VERBS: Mapping[str, Verb] = {v.name: v for v in ROWS}
WORDS: Mapping[str, Verb] = {word: v for v in ROWS if not v.named for word in (v.name, *v.short)}


def offered(snapshot: Snapshot) -> list[Verb]:
    """What the action strip shows in a state: the rows that belong to the stage and make sense there, the likeliest first."""
    stage = snapshot.stage
    mine = [v for v in ROWS if v.button and stage in v.stages and v.offered(snapshot)]
    hunted = HUNTED_BY if snapshot.suspicion is not None else ()
    return sorted(mine, key=lambda v: (v.name not in hunted, stage not in v.first))
