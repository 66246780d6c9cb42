"""Typed and simulated instruments."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nuvlo.audio.sweep import RATE, log_sweep, measured_response
from nuvlo.instruments import InstrumentError, MeterSpec, typed_reading
from nuvlo.instruments.simulated import HiddenUnit, SimulatedBench
from nuvlo.measurement import LEADS, loose, volts_at
from nuvlo.quantity import UnreadableValue


@pytest.mark.parametrize(
    ("value", "resolution"),
    [(5.999, 1e-3), (6.5, 1e-2), (0.5, 1e-4), (59.0, 1e-2), (4700.0, 1.0), (9.0, 1e-2), (0.0, 0.0), (math.inf, 0.0)],
)
def test_a_6000_count_meter_resolves_its_ranges(value, resolution):
    assert MeterSpec().resolution(value) == pytest.approx(resolution)


def test_limits_are_those_of_the_scenario():
    """± (0.5 % + 2 digits), rectangular: at 4.5 V that is 22.5 mV + 2 mV."""
    spec = MeterSpec()
    assert spec.limits(4.5, "V") == pytest.approx(0.0245)
    assert spec.measured(4.5, "V").limits == pytest.approx((4.4755, 4.5245))


def test_typed_readings():
    assert typed_reading("4,48", "V").value == 4.48
    assert typed_reading("OL", "Ω").value == math.inf
    with pytest.raises(UnreadableValue):
        typed_reading("OL", "dB")


@given(st.integers(0, 10_000))
def test_a_hidden_unit_lies_inside_its_tolerances(seed):
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.workshop.demo import SHIPPED

    global _KIT
    _KIT = globals().get("_KIT") or read_kit(SHIPPED / "gorsefire")
    unit = HiddenUnit(_KIT, seed)
    assert unit.values() == HiddenUnit(_KIT, seed).values()
    for name, value in unit.values().items():
        assert unit.law[name].low <= value <= unit.law[name].high


def test_wrong_parts_are_wrong_and_good_ones_replace_them(gorsefire):
    unit = HiddenUnit(gorsefire, 3, {"R3": "390R", "q1.bf": 12.0})
    assert unit.values()["r3"] == pytest.approx(390.0, rel=0.011)
    unit.fit_part("R3", "39k")
    unit.fit_part("Q1", "BC549C")
    assert unit.values()["r3"] == pytest.approx(39e3, rel=0.011)
    assert unit.values()["q1.bf"] > 400
    unit.fit_part("J1", "anything")  # no element: nothing to do


def test_the_meter_errs_inside_its_limits(gorsefire):
    for seed in range(12):
        bench = SimulatedBench(HiddenUnit(gorsefire, seed))
        truth = bench._point().voltage("c2")[0]
        shown = bench.take(volts_at("TP5"))
        assert shown.limits[0] <= truth <= shown.limits[1]
        assert bench.take(loose("R3")).value == pytest.approx(bench.unit.values()["r3"] + 0.2, rel=0.006)
        assert 0.0 <= bench.take(LEADS).value <= 0.4
    with pytest.raises(InstrumentError, match="does not measure"):
        bench.take(loose("J1"))


def test_a_hand_turns_about_as_told_and_stops_at_the_end(gorsefire):
    bench = SimulatedBench(HiddenUnit(gorsefire, 2))
    before = bench.unit.values()["xrv1.pos"]
    bench.turn("RV1", 60.0)
    moved = (bench.unit.values()["xrv1.pos"] - before) * 240
    assert moved == pytest.approx(60.0, abs=0.08 * 60 + 1.5)
    bench.turn("RV1", 900.0)
    assert bench.unit.values()["xrv1.pos"] == 1.0


def test_the_audio_interface_plays_through_the_solved_circuit(gorsefire):
    """The swept response is the small-signal response of the very unit on the bench, within the interface's limits."""
    from nuvlo.circuit.small_signal import log_frequencies, response

    bench = SimulatedBench(HiddenUnit(gorsefire, 4))
    played = log_sweep(20, 20e3, 0.004)
    recording = bench.play_and_record(played, RATE)
    f = log_frequencies(25, 18e3, 30)
    found = measured_response(played, recording.signal, recording.rate, f)
    true = response(bench._point("signal"), "vin", "out", f).magnitude_db[0]
    assert found == pytest.approx(true, abs=0.16)
    assert np.ptp(found - true) < 0.1, "the level error is one for all frequencies"
    with pytest.raises(InstrumentError, match="overloads"):
        bench.play_and_record(2.0 * played / np.abs(played).max(), RATE)


@pytest.mark.parametrize("level", [0.01, 1.0])
def test_the_sweep_covers_its_band_at_its_level(level):
    sweep = log_sweep(20, 20e3, level)
    assert np.abs(sweep).max() == pytest.approx(level, rel=1e-3)
    spectrum = np.abs(np.fft.rfft(sweep))
    f = np.fft.rfftfreq(sweep.size, 1 / RATE)
    band = spectrum[(f > 20) & (f < 20e3)]
    assert band.min() > 0.02 * band.max()
    assert sweep[0] == sweep[-1] == 0.0


def test_a_known_filter_is_measured_as_it_is():
    """A one-pole low pass applied in the frequency domain comes back as its closed form."""
    played = log_sweep(20, 20e3, 1.0)
    f = np.fft.rfftfreq(played.size, 1 / RATE)
    came = np.fft.irfft(np.fft.rfft(played) / (1 + 1j * f / 1000.0), played.size)
    at = np.array([50.0, 1000.0, 8000.0])
    assert measured_response(played, came, RATE, at) == pytest.approx(-10 * np.log10(1 + (at / 1000) ** 2), abs=0.02)


@pytest.mark.parametrize(("unit", "least"), [("V", 2e-4), ("Ω", 0.2), ("F", 2e-11), ("A", 2e-6)])
def test_nothing_is_read_to_the_last_digit_of_the_lowest_range(unit, least):
    """A capacitor that showed 0 F was once in doubt by two millifarads, and so never out."""
    assert MeterSpec().limits(0.0, unit) == pytest.approx(least)
