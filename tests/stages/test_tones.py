"""A tone is fed in, its level set by the meter, and read further on: what volts at rest do not show."""

import numpy as np
import pytest

from nuvlo.circuit.operating_point import operating_point
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage
from nuvlo.kit.kit import KitError
from nuvlo.kit.schema import Tone
from nuvlo.logbook import Build
from nuvlo.model import WorkingModel
from nuvlo.model.asked import tones
from nuvlo.model.tones import MOST_TONE, tone_volts
from nuvlo.quantity import Verdict
from nuvlo.stages import prove
from nuvlo.stages.task import Wants
from nuvlo.workshop.commands.arguments import NotUnderstood
from nuvlo.workshop.demo import SHIPPED
from nuvlo.workshop.journey import run
from nuvlo.workshop.workshop import Workshop
from tests.stages.test_unpack import a_kit
from tests.workshop.test_journey import type_line

RC = "v1 in 0 dc 0 ac 1\nr1 in out 10k\nc1 out 0 {farads}\n"
BOX = "R1,resistor,10k,1%,,\nC1,capacitor,100n,5%,,\n"
TOML = '[[tone]]\nname = "A1"\nsource = "v1"\nat = "in"\nnode = "out"\nhertz = 159.155\nlevel = "1"\nsays = "in to out"\n'


def test_volts_at_a_tone_are_those_of_the_closed_form(tmp_path):
    """|H| of one pole at its corner is 1/√2."""
    kit = a_kit(tmp_path, BOX, TOML, RC.format(farads="100n"))
    (window,) = WorkingModel(kit).predict(tones(kit))
    assert window.nominal == pytest.approx(2**-0.5, rel=6e-4)  # less the half in a thousand that a meter of 10 MΩ takes
    assert (window.of.quantity, window.unit) == ("tone", "V")
    # 1 % and 5 % at their ends, by hand: x = ωRC, |H| = 1/√(1 + x²).
    ends = [1 / np.hypot(1, x) for x in (0.99 * 0.95, 1.01 * 1.05)]
    assert window.high == pytest.approx(ends[0], rel=0.01)
    assert window.low == pytest.approx(ends[1], rel=0.01)


def test_into_a_short_no_generator_gives_its_level(tmp_path):
    kit = a_kit(tmp_path, BOX, TOML, "v1 s 0 dc 0 ac 1\nrs s in 1k\nr1 in out 10k\nc1 out 0 100n\nr9 in 0 {r9}\n.param r9=1meg\n")
    tone, circuit = kit.tone("a1"), kit.tone_setup(kit.tone("A1"))
    good, shorted = (float(tone_volts(operating_point(circuit, {"r9": r}), tone)[0]) for r in (1e6, 0.5))
    assert good == pytest.approx(2**-0.5, rel=1e-3)
    assert shorted < MOST_TONE * 0.5 / 1000


def test_both_readings_may_have_a_black_lead_of_their_own():
    tone = Tone(name="A1", source="vin", at="in2", at_reference="in3", node="out2", reference="out3")
    assert tone.fed_at == ("in2", "in3")
    assert Tone(name="A1", source="vin", at="in2", node="out2", reference="gnd1").fed_at == ("in2", "gnd1")


@pytest.mark.parametrize(
    ("toml", "says"),
    [(TOML.replace('"out"', '"nowhere"'), "no node 'nowhere'"), (TOML.replace('"v1"', '"v9"'), "no source 'v9'"),
     (TOML + 'setup = "loud"\n', "no set-up 'loud'"), (TOML.replace("159.155", "3"), "hertz")],
)  # fmt: skip
def test_a_tone_that_cannot_be_played_is_refused(toml, says, tmp_path):
    with pytest.raises(KitError, match=says):
        a_kit(tmp_path, BOX, toml, RC.format(farads="100n"))


@pytest.mark.parametrize("name", ["kilnlight", "lampwick", "landing", "millrace", "sluice", "tollgate", "barrowmoor"])
def test_no_tone_sends_a_hand_inside(name):
    """It goes in and is read at jacks, posts and loads."""
    kit = read_kit(SHIPPED / name)
    for task in (t for t in prove.tasks(kit, Build("x")) if t.quantity == "tone"):
        assert "pin" not in task.detail.replace("pin 1", "").replace("pin 2", "").replace("pin 3", "")
        assert " of R" not in task.detail
        assert not any(p.name in task.detail for p in kit.info.point)


def test_a_coupling_capacitor_that_is_open_is_found_by_its_tone(tmp_path):
    """Landing's C5 carries no direct current: every point of Wake reads right without it."""
    session = Workshop(tmp_path / "shop").start(read_kit(SHIPPED / "landing"), bench="simulated:3")
    session.bench.unit.wrong = {"c5": 1e-12}
    outcome = run(session)
    assert (outcome.stage, outcome.stopped_at) == (Stage.PROVE, "A1")
    assert "low" in outcome.reason


def test_a_tone_is_asked_for_in_words_and_typed(tmp_path):
    session = Workshop(tmp_path / "shop").start(read_kit(SHIPPED / "sluice"), bench="typed")
    type_line(session, "stage prove")
    found = session.findings(Stage.PROVE)
    assert [f.task.target for f in found if f.task.wants is Wants.READING] == ["A1", "A2"]
    assert "until it shows 1\u202fV at the microphone side, pin 2 against pin 3, then read the preamplifier side" in found[0].task.detail
    session.settle()
    window = session.findings(Stage.PROVE)[0].window
    words = type_line(session, f"a1 {1000 * window.nominal:.2f}m").words
    assert "in window" in words
    for line in ("a2 -1m", "-1m"):
        with pytest.raises(NotUnderstood, match="never less than nothing"):
            type_line(session, line)
    type_line(session, "a2 1m")
    session.settle()
    assert session.findings(Stage.PROVE)[1].verdict is Verdict.OUT


def test_of_what_should_not_come_through_less_is_better():
    """What Millrace's input has in common is kept out; ten times the resistance in one leg of it lets through what the divider of that leg and its
    base resistor loses, by hand, but for what the base draws."""
    kit = read_kit(SHIPPED / "millrace")
    windows = {w.of.name: w for w in WorkingModel(kit).predict(tones(kit))}
    assert windows["A5"].low == 0.0 < windows["A5"].nominal < windows["A5"].high < 0.01 * windows["A2"].nominal
    assert all(w.low > 0 for name, w in windows.items() if name != "A5")
    tone, gain = kit.tone("A5"), windows["A2"].nominal / 10e-3
    wrong = float(tone_volts(operating_point(kit.tone_setup(tone), {"r28": 100.0}), tone)[0])
    by_hand = tone.level * gain * (4700 / 4710 - 4700 / 4800)
    assert wrong == pytest.approx(by_hand, rel=0.25)
    assert wrong > 20 * windows["A5"].high
