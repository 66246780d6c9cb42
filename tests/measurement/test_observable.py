"""What can be read of a unit is known by its fields; its text form goes to logs and tables and comes back as it was."""

import ast
from datetime import UTC, datetime
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import nuvlo
from nuvlo.diagnosis.probes import readings_of
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage
from nuvlo.kit.step_id import StepId
from nuvlo.logbook import Build
from nuvlo.logbook.build import Reading
from nuvlo.measurement import Observable, amps_of, ohms_at, read_stored, ripple_at, tone_at, volts_at
from nuvlo.measurement.observable import BACK, EMPTY, IN, OFF, RIPPLE
from nuvlo.model.windows import Window
from nuvlo.quantity import Measured
from nuvlo.stages.task import Task, Wants, finding
from nuvlo.workshop.demo import SHIPPED

TAKES_APART = ("partition", "rpartition", "split", "rsplit", "removesuffix", "removeprefix", "endswith", "startswith", "find", "rfind", "index", "strip", "rstrip")
KITS = sorted(p.name for p in SHIPPED.iterdir())
PLACES = st.text(st.sampled_from("TP1.-:@~\\ bckofwithups"), min_size=1, max_size=12) | st.sampled_from(["a back", "a off", "b in set-up c", "x without chips", "b~", "\\ off"])


# As they stand in logs that were written before they were values.
@pytest.mark.parametrize(
    ("name", "quantity", "is_it"),
    [
        ("TP1", "voltage", volts_at("TP1")), ("TP1~", "tone", ripple_at("TP1")), ("TP1 back", "resistance", ohms_at("TP1", exchanged=True)),
        ("U1.8 without chips", "voltage", volts_at("U1.8", empty=True)), ("9 V supply without chips", "current", amps_of("9 V supply", empty=True)),
        ("TP2 off", "voltage", volts_at("TP2", unplugged=True)), ("TP5 in set-up quiet", "voltage", volts_at("TP5", setup="quiet")), ("plus of C2 off", "voltage", volts_at("plus of C2", unplugged=True)),
        ("T1000@R5.2", "tone", tone_at("T1000", "R5.2")), ("SW1.bypass:a-b", "resistance", ohms_at("a-b", throw="SW1.bypass")),
        ("J2.plug-in:W5-J3.switch", "resistance", ohms_at("W5-J3.switch", throw="J2.plug-in")),
        # Names of a kit's own that look like one: only what goes with the quantity is a mark.
        ("IN:L", "voltage", volts_at("IN:L")), ("switch off", "resistance", ohms_at("switch off")), ("A~", "voltage", volts_at("A~")), ("way back", "voltage", volts_at("way back")),
    ],
)  # fmt: skip
def test_what_logs_of_before_hold(name, quantity, is_it):
    assert read_stored(name, quantity) == is_it


@given(
    PLACES, st.sampled_from(["voltage", "current", "resistance", "capacitance", "tone", "gain", "look"]), st.booleans(), st.booleans(), st.booleans(),
    st.booleans(), st.just("") | PLACES,
)  # fmt: skip
def test_the_text_form_comes_back(place, quantity, is_ripple, exchanged, empty, unplugged, other):
    """Whatever a stranger calls his points."""
    made = Observable(
        place, quantity, quantity == "tone" and is_ripple, quantity == "resistance" and exchanged, quantity in ("voltage", "current") and empty,
        quantity == "voltage" and unplugged, other if quantity == "resistance" else "", other if quantity == "tone" else "", other if quantity == "voltage" else "",
    )  # fmt: skip
    assert read_stored(made.name, quantity) == made


@pytest.mark.parametrize("of", [volts_at("OUT:L"), volts_at("A~"), volts_at("L@R"), amps_of("play back"), ohms_at("A~"), Observable("IN:L", "capacitance")])
def test_a_name_that_means_nothing_else_is_written_as_it_is(of):
    assert of.name == of.short == of.place


@pytest.mark.parametrize(("of", "words"), [
    (ohms_at("TP0", exchanged=True), "TP0, leads exchanged"), (volts_at("TP1", unplugged=True), "TP1, plug pulled"), (tone_at("T100", "R5.2"), "T100 at R5.2"),
    (ripple_at("TP1"), "TP1, ripple"), (ohms_at("2-3", throw="SW1.bypass"), "2-3, SW1.bypass"), (volts_at("U1.8", empty=True), "U1.8 without chips"), (volts_at("TP2"), "TP2"),
])  # fmt: skip
def test_in_a_sentence_it_is_told_without_marks(of, words):
    """'TP0 back reads 200 µΩ' was told to the builder."""
    assert of.words == words
    window = Window(of, "V", 1.5, 1.0, 2.0)
    task = Task(StepId.of(Stage.WAKE, "read", of.name), Stage.WAKE, Wants.READING, "Read it", of=of, unit="V", window=window)
    build = Build("", readings=[Reading(of, Measured(5.0, 0.01, "V"), Stage.WAKE.value, datetime.now(UTC), "typed")])
    assert finding(task, build, {}).words.startswith(f"{words} reads 5")


@pytest.mark.parametrize("name", KITS)
def test_every_reading_of_a_kit_has_a_text_form_of_its_own(name):
    every = readings_of(read_kit(SHIPPED / name))
    found = [r.of for r in every]
    assert len({r.words for r in every}) == len(every), "and words of their own"
    assert len({(of.name, of.quantity) for of in found}) == len(found)
    assert [read_stored(of.name, of.quantity) for of in found] == found


def test_no_other_module_knows_the_marks():
    """A mark that another module put on or took off would be a second text form."""
    home = Path(nuvlo.__file__).parent
    for path in home.rglob("*.py"):
        if path.parent.name == "measurement":
            continue
        tree = ast.parse(path.read_text())
        for node in ast.walk(tree):
            if isinstance(node, ast.Constant) and node.value in (BACK, EMPTY, IN, OFF):
                raise AssertionError(f"{path.name}:{node.lineno} writes {node.value!r} itself")
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr in TAKES_APART:
                cut = {a.value for a in node.args if isinstance(a, ast.Constant)}
                assert not cut & ({RIPPLE, BACK, EMPTY, OFF} if path.parent.name in ("files", "catalogue") else {RIPPLE, "@", BACK, EMPTY, OFF}), f"{path.name}:{node.lineno}"
            if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("nuvlo.measurement"):
                assert not {a.name for a in node.names} & {"BACK", "EMPTY", "OFF", "RIPPLE"}, path.name
