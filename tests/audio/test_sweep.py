"""The sweep that proves a unit: it begins and ends without a click, and a filter's response comes back from it."""

import numpy as np
import pytest
from scipy.signal import bilinear, freqz, lfilter

from nuvlo.audio.sweep import RATE, log_sweep, measured_response


@pytest.mark.parametrize("stop", [2e3, 20e3])
def test_it_begins_and_ends_without_a_click(stop):
    """The envelope never moves by more than a hundredth from one sample to the next."""
    sweep = log_sweep(20.0, stop, 1.0)
    sounding = np.flatnonzero(sweep)
    first, last = sounding[0], sounding[-1]
    assert abs(sweep[first]) < 1e-3
    end = np.abs(sweep[last - 40 : last + 1])
    assert end[-3:].max() < 0.05, "the last samples are all but silent"
    peaks = np.maximum.accumulate(np.abs(sweep[first : last + 1])[::-1])[::-1]  # envelope from the end
    assert np.abs(np.diff(peaks)).max() < 0.12
    assert np.abs(sweep).max() == pytest.approx(1.0, abs=0.01)


def test_a_known_filter_comes_back():
    """A first-order low-pass at 1 kHz against scipy's own response of the same filter."""
    b, a = bilinear([1.0], [1 / (2 * np.pi * 1e3), 1.0], fs=RATE)
    played = log_sweep(20.0, 20e3, 0.5)
    frequency = np.geomspace(25.0, 18e3, 40)
    _, wanted = freqz(b, a, worN=frequency, fs=RATE)
    found = measured_response(played, lfilter(b, a, played), RATE, frequency)
    assert np.abs(found - 20 * np.log10(np.abs(wanted))).max() < 0.06
