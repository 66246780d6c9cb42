"""What a builder's meter reads of AC, and where a tone goes that it does not. Band and floor of a hand-held one are common practice, no source."""

import pytest

from nuvlo.diagnosis.diagnosis import Diagnosis
from nuvlo.diagnosis.probes import readings_of
from nuvlo.files.kit_folder import read_kit
from nuvlo.files.meter import read_reach
from nuvlo.kit import Stage
from nuvlo.kit.kit import HAND_HELD, Reach
from nuvlo.kit.reach import within
from nuvlo.measurement import Observable, volts_at
from nuvlo.model import WorkingModel
from nuvlo.model.asked import powered, tones
from nuvlo.problems import NuvloError
from nuvlo.stages.prove import tasks
from nuvlo.stages.task import Wants
from nuvlo.stages.unpack import tasks as unpacked
from nuvlo.workshop.demo import SHIPPED
from nuvlo.workshop.workshop import Workshop

HALVED = """[kit]
name = "Half"
[[supply]]
name = "battery"
element = "vs"
node = "vcc"
volts = 9.0
[[point]]
name = "TP1"
node = "mid"
"""
KITS = [p.name for p in sorted(SHIPPED.iterdir())]


@pytest.mark.parametrize("name", KITS)
def test_no_tone_is_asked_for_that_a_hand_held_meter_does_not_read(name):
    kit = read_kit(SHIPPED / name)
    assert all(t.hertz <= HAND_HELD.hertz for t in kit.info.tone)
    assert {t.name for t in (*kit.info.tone, *kit.waiting)} == {t.name for t in kit.written}
    for w, tone in zip(WorkingModel(kit).predict(tones(kit)) if kit.info.tone else [], kit.info.tone, strict=True):
        assert tone.common or w.nominal >= HAND_HELD.volts, "what is read is no noise of the meter"
    followed = [r for r in readings_of(kit) if r.tone] if kit.unit else []
    assert all(r.tone.hertz <= HAND_HELD.hertz for r in followed)


@pytest.mark.parametrize(("hertz", "waiting"), [(1e3, {"A3", "A6"}), (400.0, {"A3", "A6"}), (20e3, set()), (16e3, set()), (8e3, {"A3", "A6"})])
def test_a_tone_beyond_is_moved_or_waits(hertz, waiting):
    """Kilnlight has 40 Hz, 1 kHz and 16 kHz of each channel: what a meter to 8 kHz is given there 1 kHz tells as well but for the last octaves."""
    kit = within(read_kit(SHIPPED / "kilnlight"), Reach(hertz))
    if hertz in (8e3,):
        assert {t.hertz for t in kit.info.tone} >= {8e3}
        return
    assert {t.name for t in kit.waiting} - {"A2", "A5", "A8"} == waiting


def test_within_is_taken_from_what_the_kit_has_and_not_from_what_another_meter_left_of_it():
    kit = read_kit(SHIPPED / "kilnlight")
    again = within(within(kit, Reach(400.0)), Reach(20e3))
    assert again.info.tone == kit.written
    assert again.waiting == ()


@pytest.mark.parametrize(("name", "says"), [("millrace", "set 1 V before a divider of 100"), ("kilnlight", "A3 (16 kHz) and A6 (16 kHz) wait for a meter"), ("barrowmoor", "A4 (8 kHz) and A5 (8 kHz) wait"), ("lampwick", "8 kHz as the kit has it, 1 kHz for this meter")])
def test_what_is_moved_divided_or_left_is_said(name, says, tmp_path):
    workshop = Workshop(tmp_path / "shop")
    session = workshop.start(read_kit(SHIPPED / name), bench="typed")
    said = " ".join(t.detail for t in tasks(session.kit, session.build)).replace("\u202f", " ")
    assert says in said
    workshop.close()


@pytest.mark.parametrize(("text", "hertz", "volts"), [('ac_hertz = "20k"', 20e3, 0.03), ("ac_hertz = 400\nac_volts = 0.1", 400.0, 0.1), ('ac_volts = "3m"', 1e3, 3e-3), ("", 1e3, 0.03)])
def test_a_workshop_states_its_own_meter(text, hertz, volts, tmp_path):
    (tmp_path / "shop").mkdir()
    (tmp_path / "shop" / "meter.toml").write_text(text)
    assert read_reach(tmp_path / "shop" / "meter.toml") == Reach(hertz, volts)
    workshop = Workshop(tmp_path / "shop")
    session = workshop.start(read_kit(SHIPPED / "landing"), bench="typed")
    tone = next(t for t in session.kit.info.tone if t.name == "A2")
    assert tone.hertz == min(8e3, hertz)
    assert any(f"Tone of {'8 kHz' if hertz >= 8e3 else '1 kHz' if hertz == 1e3 else '400 Hz'}" in t.title.replace("\u202f", " ") for t in tasks(session.kit, session.build) if t.stage is Stage.PROVE)
    workshop.close()


@pytest.mark.parametrize(("given", "ohms"), [('"200k"', 2e5), ("1e6", 1e6), ('"10M"', 1e7), ('"1G"', 1e9)])
def test_a_workshops_voltmeter_lies_across_what_it_reads(given, ohms, tmp_path):
    """Half the battery from two alike of R: (V/2)·Rm/(Rm + R/2) by hand (Thévenin), in windows and in the table of mistakes."""
    (tmp_path / "half").mkdir()
    (tmp_path / "half" / "kit.toml").write_text(HALVED)
    (tmp_path / "half" / "bom.csv").write_text("ref,kind,value,tolerance\nR1,resistor,220k,1%\nR2,resistor,220k,1%\n")
    (tmp_path / "half" / "circuit.cir").write_text("* half\nvs vcc 0 9\nr1 vcc mid 220k\nr2 mid 0 220k\n.end\n")
    (tmp_path / "meter.toml").write_text(f"volts_ohms = {given}")
    reach = read_reach(tmp_path / "meter.toml")
    assert reach == Reach(ohms=ohms)
    kit = within(read_kit(tmp_path / "half"), reach)
    by_hand = 4.5 * ohms / (ohms + 110e3)
    (window,) = (w for w in WorkingModel(kit).predict(powered(kit)) if w.of.name == "TP1")
    assert window.nominal == pytest.approx(by_hand, rel=0.004)
    d = Diagnosis(kit, draws=8)
    (row,) = (k for k, r in enumerate(d.readings) if r.of == volts_at("TP1"))
    assert d.many[row].mean() == pytest.approx(by_hand, rel=0.004)


@pytest.mark.parametrize(("text", "says"), [("volts_ohms = 0", "no meter has"), ('volts_ohms = "20 V"', "is no value"), ("ac_herz = 5", "nothing that is stated"), ('ac_hertz = "fish"', "is no value"), ("ac_volts = -1", "no meter has"), ("ac_hertz = true", "is no value"), ("ac_hertz = nan", "no meter has"), ('ac_hertz = "1k', "quotation mark")])
def test_what_no_meter_has_is_refused_with_its_file(text, says, tmp_path):
    (tmp_path / "meter.toml").write_text(text)
    with pytest.raises(NuvloError, match=says) as refused:
        read_reach(tmp_path / "meter.toml")
    assert refused.value.problems[0].file == "meter.toml"


@pytest.mark.parametrize(("stated", "measured"), [(None, False), ('"20M"', False), ('"900M"', False), ('"2G"', True), ("1e12", True)])
def test_what_the_meters_highest_range_does_not_reach_is_found_by_its_marking(stated, measured, tmp_path):
    """Reedling's gate resistor of 1 GΩ: neither measured loose nor with a leg up, but by a meter that says it can."""
    (tmp_path / "shop").mkdir()
    if stated:
        (tmp_path / "shop" / "meter.toml").write_text(f"most_ohms = {stated}")
    workshop = Workshop(tmp_path / "shop")
    session = workshop.start(read_kit(SHIPPED / "reedling"), bench="typed")
    (task,) = (t for t in unpacked(session.kit, session.build) if t.target == "R1")
    assert (task.wants is Wants.MEASURE) is measured
    assert ("its marking has to do" in task.detail) is not measured
    assert (Observable("R1", "lifted") in {r.of for r in readings_of(session.kit)}) is measured
    assert all(t.wants is Wants.MEASURE for t in unpacked(session.kit, session.build) if t.target in ("R4", "R5", "R10"))
    workshop.close()
