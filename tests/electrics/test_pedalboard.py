"""Plans of pedalboards: capacitance on the pickup against its resonance, buffers against none, plans of one's own."""

import json

import numpy as np
import pytest

from nuvlo.cli.main import main
from nuvlo.electrics.pedalboard import HERTZ, advice, judged, netlist
from nuvlo.files.pedalboard import read_plan, shipped
from nuvlo.kit.pedalboard import Piece, Plan
from nuvlo.problems import NuvloError
from tests.circuit import ngspice

LEAD = Piece(kind="cable", metres=3.0)


def plan(*pieces, **more):
    return Plan(title="t", piece=(Piece(kind="source"), *pieces), **more)


def test_the_lead_that_all_is_compared_with_changes_nothing():
    (end,) = judged(plan(LEAD, Piece(kind="amplifier"))).ends
    assert np.abs(end.db).max() < 0.01


@pytest.mark.parametrize("metres", [1.0, 6.0, 12.0])
def test_a_longer_lead_is_heard_as_its_capacitance_on_the_coil_says(metres):
    """By hand: a coil of 3 H and 6 kΩ into 250 kΩ twice, 1 MΩ, and 100 pF of its own, as much a metre, and the amplifier's."""

    def volts(picofarads):
        w = 2j * np.pi * HERTZ
        return 1 / (1 + (6e3 + 3 * w) * (2 / 250e3 + 1 / 1e6 + picofarads * 1e-12 * w))

    (end,) = judged(plan(Piece(kind="cable", metres=metres), Piece(kind="amplifier"))).ends
    by_hand = 20 * np.log10(np.abs(volts(200 + 100 * metres) / volts(500)))
    assert end.db == pytest.approx(by_hand, abs=0.02)


@pytest.mark.parametrize("name", shipped())
def test_every_plan_sounds_as_the_independent_simulator_says(name, tmp_path):
    """ngspice on the netlist of the plan and on that of the plain lead: what each end gets against it, dB over the band."""
    made = read_plan(name)
    plain = plan(LEAD, Piece(kind="amplifier"))
    number = {p.name: k for k, p in enumerate(made.piece)}
    ends = judged(made).ends
    hertz, theirs = ngspice.response(netlist(made), [f"p{number[e.name]}" for e in ends], 45, 13e3, 300, tmp_path)
    _, straight = ngspice.response(netlist(plain), ["p2"], 45, 13e3, 300, tmp_path)
    for end, row in zip(ends, theirs, strict=True):
        expected = 20 * np.log10(np.abs(row / straight[0]))
        assert end.db == pytest.approx(np.interp(np.log(HERTZ), np.log(hertz), expected), abs=0.005)


def test_behind_a_buffer_no_length_of_lead_is_heard():
    buffer = Piece(kind="buffer")
    near = judged(plan(LEAD, buffer, Piece(kind="cable", metres=1), Piece(kind="amplifier"))).ends[0]
    far = judged(plan(LEAD, buffer, Piece(kind="cable", metres=30), Piece(kind="amplifier"))).ends[0]
    assert np.abs(near.db - far.db).max() < 0.1
    bare = judged(plan(LEAD, Piece(kind="cable", metres=30), Piece(kind="amplifier"))).ends[0]
    assert bare.treble_db < -15


@pytest.mark.parametrize("name", shipped())
def test_each_plan_that_ships_is_sound_and_says_its_ports(name):
    found = judged(read_plan(name))
    assert found.ports[0] == ("IN", "the guitar")
    assert all(np.isfinite(e.db).all() for e in found.ends)
    buffered = any(p.kind == "buffer" for p in read_plan(name).piece)
    assert (found.amps > 0) == buffered
    assert all((e.treble_db > -3) == buffered for e in found.ends)
    assert ("before the first buffer" in advice(read_plan(name), found)) == buffered


def test_a_normal_says_whether_it_is_open():
    assert "nothing is plugged in" in judged(read_plan("four-cable")).normals[0]
    assert "it is open" in judged(read_plan("effects-loop")).normals[0]


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ('title = "t"\n[[piece]]\nkind = "cable"\n[[piece]]\nkind = "amplifier"', "follows nothing"),
        ('title = "t"\n[[piece]]\nkind = "source"\n[[piece]]\nkind = "jack"\nafter = "x"', "comes after 'x', which is no piece before it"),
        ('title = "t"\nvolts = 48\n[[piece]]\nkind = "source"\n[[piece]]\nkind = "jack"', "volts"),
        ('title = "t"\n[[piece]]\nkind = "source"\n[[piece]]\nkind = "fuzz"', "piece.1.kind"),
        ('title = "t', "a quotation mark is missing"),
    ],
)
def test_a_plan_of_ones_own_is_refused_with_its_place(text, said, tmp_path):
    (tmp_path / "own.toml").write_text(text)
    with pytest.raises(NuvloError, match=said.replace(".", r"\.")):
        read_plan(str(tmp_path / "own.toml"))


def test_the_verb(capsys):
    assert main(["interface", "stereo", "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    assert [r["at"] for r in found["responses"]] == ["left amplifier", "right amplifier"]
    assert found["current"]["A"] == pytest.approx(9e-3)
    assert main(["interface"]) == 0
    assert "wet-dry-wet" in capsys.readouterr().out
    assert main(["interface", "octopus"]) == 1
    assert "Those that ship" in capsys.readouterr().err
