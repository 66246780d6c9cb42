"""A rectifier with one diode not at work, against the same circuit followed over time with the wave itself."""

import math

import numpy as np
import pytest

from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.transient import transient
from nuvlo.diagnosis.diagnosis import Diagnosis
from nuvlo.diagnosis.mistakes import single_mistakes
from nuvlo.diagnosis.why import why
from nuvlo.files.kit_folder import read_kit
from nuvlo.instruments.measured import read_places
from nuvlo.instruments.practice import PracticeBench
from nuvlo.kit import Stage
from nuvlo.measurement import amps_of, ripple_at, volts_at
from nuvlo.model import WorkingModel
from nuvlo.model.rectifier import half_wave_ohms, rectifiers, ripple, rippling
from nuvlo.problems import NuvloError
from nuvlo.quantity import Verdict
from nuvlo.workshop.commands.arguments import NotUnderstood
from nuvlo.workshop.demo import SHIPPED
from nuvlo.workshop.workshop import Workshop
from tests.workshop.test_journey import type_line

POINTS = ["hv", "hs", "hp"]


@pytest.fixture(scope="module")
def kit():
    return read_kit(SHIPPED / "kilnlight")


def steady(peak: float, ohms: float, amps: float, pulses: int) -> float:
    """V at which so many pulses in a period give this mean current, by halving."""
    angle, low, high = np.linspace(-np.pi, np.pi, 20_001), 0.0, peak
    for _ in range(60):
        volts = (low + high) / 2
        given = pulses * np.maximum(peak * np.cos(angle) - volts, 0.0).mean() / ohms
        low, high = (volts, high) if given > amps else (low, volts)
    return low


def mistake(kit, text):
    return next(m for m in single_mistakes(kit) if m.text.startswith(text))


@pytest.mark.parametrize("diode", ["D1", "D2", "D3", "D4"])
def test_half_of_the_wave_is_what_it_is_over_time(kit, diode):
    """By a transient of the half wave, its last tenth of a second: volts within 1 %."""
    step, stop, late = 2e-4, 2.5, 500
    half = transient(kit.setup(), step, stop, POINTS, signals={"vht": lambda t: 306.0 * max(0.0, math.cos(2 * math.pi * 50 * t))}).voltage
    point = operating_point(kit.setup(), dict(mistake(kit, f"{diode} is missing").overrides))
    whole = operating_point(kit.setup()).voltage("hv")[0]
    for node in POINTS:
        assert point.voltage(node)[0] == pytest.approx(half[node][0][-late:].mean(), rel=0.01)
    assert point.voltage("hv")[0] < 0.95 * whole


@pytest.mark.parametrize(("ohms", "amps"), [(10.0, 1e-3), (120.0, 0.09), (500.0, 0.05)])
def test_less_is_left_of_one_pulse_than_of_two(ohms, amps):
    """Followed here by itself: a capacitor so large that its volts stand still, charged by one pulse through the winding, a resistor across it."""
    peak = 306.0
    with_two = steady(peak, ohms, amps, pulses=2)
    load, settled = with_two / amps, with_two + ohms * amps
    more = half_wave_ohms(peak, settled, ohms, amps)
    left = settled * load / (load + more)
    assert left < with_two
    angle = np.linspace(-np.pi, np.pi, 200_001)
    charged = np.maximum(peak * np.cos(angle) - left, 0.0).mean() / ohms
    assert charged == pytest.approx(left / load, rel=1e-3)


@pytest.mark.parametrize("text", ["D1 is shorted", "D3 is shorted", "D2 is the wrong way round", "D4 is the wrong way round"])
def test_what_shorts_the_winding_blows_its_fuse(kit, text):
    one = mistake(kit, text)
    assert "shorted through" in one.hurts
    assert abs(operating_point(kit.setup(), dict(one.overrides)).voltage("hv")[0]) < 1.0


def test_the_bench_and_the_table_draw_the_same_way_round(kit):
    """Whichever half of the wave gives it, what the unit draws is drawn from the rectifier: never less than nothing."""
    good = PracticeBench(kit, 3).take(amps_of("high tension")).value
    for diode in ("D1", "D2"):
        amps = PracticeBench(kit, 3, mistake(kit, f"{diode} is missing")).take(amps_of("high tension")).value
        assert 0.8 * good < amps < good


def test_a_missing_diode_leaves_volts_that_kill(kit):
    """No row of the table says that all is dead with one of them gone: what is written there is read before a hand goes in."""
    d = Diagnosis(kit, draws=4)
    row = next(k for k, r in enumerate(d.readings) if r.of == volts_at("TP1"))
    at = {m.text[:2]: k for k, m in enumerate(d.mistakes, start=1) if m.text[:13] in {f"D{n} is missing" for n in (1, 2, 3, 4)}}
    assert len(at) == 4
    for k in at.values():
        assert (d.table[row, k] > 200).all()
    assert d.table[row, [at["D1"], at["D4"]]] == pytest.approx(d.table[row, [at["D2"], at["D3"]]], rel=1e-3)


@pytest.mark.parametrize(("given", "of_wave"), [("", abs), ("C1 is half of it", abs), ("D1 is missing", lambda v: max(v, 0.0)), ("D3 is missing", lambda v: max(v, 0.0))])
def test_ripple_is_what_it_is_over_time(kit, given, of_wave):
    """R.m.s. of the last fifth of a second, without its mean, within 6 %."""
    own = {"c1": 23.5e-6} if given.startswith("C1") else {}
    course = transient(
        kit.setup(), 1e-4, 2.0, ["hv"], own, signals={"vht": lambda t: 306.0 * of_wave(math.cos(2 * math.pi * 50 * t))}
    ).voltage["hv"][0][-2000:]
    (supply,) = rippling(kit).values()
    found = ripple(kit, operating_point(kit.setup(), own or (dict(mistake(kit, given).overrides) if given else {})), supply)
    assert found[0] == pytest.approx(course.std(), rel=0.06)


def test_ripple_tells_a_missing_diode_from_a_low_supply(kit):
    """Volts alone do not: a transformer may be as low."""
    d = Diagnosis(kit, draws=8)
    bench = PracticeBench(kit, 5, mistake(kit, "D3 is missing"))
    wanted = [r for r in d.readings if r.of in (volts_at("TP1"), ripple_at("TP1"))]
    taken = {r.of: bench.take(r.of) for r in wanted}
    assert not any(m.text.startswith("D3 is missing") for m in d.rank({wanted[0].of: taken[wanted[0].of]}).groups[0].mistakes)
    first = d.rank(taken)
    assert any(m.text.startswith("D3 is missing") for m in first.groups[0].mistakes)
    assert first.good_unit < 0.02


def test_ripple_shows_a_reservoir_that_is_not_there(kit):
    """In volts of d.c. of one sign it makes no difference."""
    d = Diagnosis(kit, draws=4)
    row = next(k for k, r in enumerate(d.readings) if r.of == ripple_at("TP1"))
    at = {m.text[:13]: k for k, m in enumerate(d.mistakes, start=1)}
    assert (d.table[row, at["C1 is missing"]] > 5 * d.table[row, 0].max()).all()


def test_wake_asks_for_ripple_where_the_leads_are(tmp_path):
    """Right after the volts there, with a window; typed by its name at any time, never less than nothing."""
    session = Workshop(tmp_path / "shop").start(read_kit(SHIPPED / "kilnlight"), bench="typed")
    type_line(session, "stage wake")
    session.settle()
    found = session.findings(Stage.WAKE)
    names = [f.task.target for f in found]
    asked = found[names.index("TP1~")]
    assert names[names.index("TP1~") - 1] == "TP1"
    assert asked.window.low < 3.6 < asked.window.high < 7.0
    with pytest.raises(NotUnderstood, match="never less than nothing"):
        type_line(session, "tp1~ -3.6")
    type_line(session, "tp1~ 7.2")
    session.settle()
    assert next(f for f in session.findings(Stage.WAKE) if f.task.target == "TP1~").verdict is Verdict.OUT


@pytest.mark.parametrize(("amps", "settled"), [(0.0, 300.0), (5.0, 300.0)])
def test_a_winding_without_current_or_all_lost_in_it_stays_as_it_is(amps, settled):
    assert half_wave_ohms(306.0, settled, 120.0, amps) == 120.0


def test_a_supply_that_feeds_nothing_has_no_ripple(kit):
    """All valves out and both bleeders gone: there is no number, or next to none, and nothing breaks."""
    (supply,) = rippling(kit).values()
    idle = operating_point(kit.setup(), {f"{r}.missing": 1.0 for r in ("r1", "r4", "r2", "xt1", "xt2")})
    assert not ripple(kit, idle, supply)[0] > 0.01


def test_why_its_window_is_so_wide(kit):
    """By the reservoir and what is drawn; and a diode that is missing is among what moves it."""
    found = why(WorkingModel(kit, members=200), "tp1~")
    assert (found.of.name, found.unit) == ("TP1~", "V")
    assert "C1" in [of for of, _ in found.widened[:2]]
    assert any(text.startswith("D3 is missing") and volts > found.high for text, volts in found.moved)


def test_a_file_of_readings_with_ac_volts_below_nothing_says_where(tmp_path):
    file = tmp_path / "r.csv"
    file.write_text("point,quantity,value,unit\nTP1~,tone,-6.5,V\n")
    with pytest.raises(NuvloError, match="AC volts are never less than nothing"):
        read_places(file, {ripple_at("TP1"): "V"})


def test_only_mains_are_rectified():
    assert not rectifiers(read_kit(SHIPPED / "millrace"))
