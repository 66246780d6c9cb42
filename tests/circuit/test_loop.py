"""Loop gain, margins and natural frequencies against closed forms."""

import numpy as np
import pytest

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.loop import loop_gain, margins
from nuvlo.circuit.netlist import NetlistError
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.rewritten import LINK, with_link
from nuvlo.circuit.small_signal import log_frequencies, natural_frequencies

FREQUENCY = log_frequencies(1, 1e7, 2000)
# Three equal sections inside an inverting loop of gain A: it rings at √3/RC and is on the edge at A = 8
# (the phase-shift oscillator of the handbooks).
THREE = "t\nv1 in 0 ac 1\nrin in sum 1g\nrs sum 0 1g\nea a 0 0 back {gain}\nvl a l 0\n" + "".join(
    f"e{k} b{k} 0 {'l' if k == 1 else f'n{k - 1}'} 0 1\nr{k} b{k} n{k} 1k\nc{k} n{k} 0 100n\n" for k in (1, 2, 3)
) + "ef back 0 n3 0 1\nrb back 0 1meg"  # fmt: skip


def _three(gain):
    return operating_point(Circuit.from_text(THREE.format(gain=gain)))


@pytest.mark.parametrize("gain", [2.0, 4.0, 7.9])
def test_three_sections_have_the_margins_of_the_closed_form(gain):
    left = margins(FREQUENCY, loop_gain(_three(gain), "vl", FREQUENCY))
    assert left.gain_db[0] == pytest.approx(20 * np.log10(8 / gain), abs=0.01)
    crossover = np.sqrt(gain ** (2 / 3) - 1) / (2 * np.pi * 1e-4)
    assert left.crossover[0] == pytest.approx(crossover, rel=1e-3)
    assert left.phase_deg[0] == pytest.approx(180 - 3 * np.degrees(np.arctan(crossover * 2 * np.pi * 1e-4)), abs=0.05)


@pytest.mark.parametrize(("gain", "decays"), [(7.9, True), (8.1, False)])
def test_natural_frequencies_tell_whether_it_rings_down(gain, decays):
    found = natural_frequencies(_three(gain))[0]
    ringing = found[np.argmax(found.imag)]
    assert (ringing.real < 0) == decays
    assert abs(ringing.imag) == pytest.approx(np.sqrt(3) * 1e4, rel=0.02)


def test_a_loop_that_never_reaches_one_has_no_margin_to_tell():
    left = margins(FREQUENCY, loop_gain(_three(0.5), "vl", FREQUENCY))
    assert np.isnan(left.crossover[0])
    assert np.isnan(left.phase_deg[0])


def test_an_rlc_rings_where_it_should():
    """s = −R/2L ± j√(1/LC − R²/4L²)."""
    c = Circuit.from_text("t\nv1 a 0 1\nr1 a b 10\nl1 b c 1m\nc1 c 0 1u")
    found = natural_frequencies(operating_point(c))[0]
    expected = -10 / 2e-3 + 1j * np.sqrt(1e9 - (10 / 2e-3) ** 2)
    assert sorted(found, key=np.imag)[-1] == pytest.approx(expected, rel=1e-9)


def test_a_loop_is_opened_at_pins_of_one_net():
    """Where a netlist has no link: the same margins, whether one pin or all that hang there are parted."""
    circuit = Circuit.from_text(
        THREE.format(gain=4.0).replace("vl a l 0\n", "").replace("e1 b1 0 l 0 1", "e1 b1 0 a 0 1")
    )
    want = margins(FREQUENCY, loop_gain(_three(4.0), "vl", FREQUENCY))
    for pins in (("e1.3",), ("r1.1",)):
        found = margins(FREQUENCY, loop_gain(operating_point(with_link(circuit, *pins)), LINK, FREQUENCY))
        assert found.phase_deg[0] == pytest.approx(want.phase_deg[0], abs=0.01)
    for pins, says in ((("e1.9",), "no pin 'e1.9'"), (("zz.1",), "no pin"), (("e1.3", "r1.1"), "not on one net")):
        with pytest.raises(NetlistError, match=says):
            with_link(circuit, *pins)
