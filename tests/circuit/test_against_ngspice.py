"""The same file through Nuvlo and through ngspice 39: node voltages within 0.1 % or 1 mV, response 0.05 dB and 0.5°."""

import itertools

import numpy as np
import pytest

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.small_signal import responses
from nuvlo.workshop import SHIPPED
from tests.circuit import ngspice

BJT = """.model qn npn(is=15f bf=400 nf=1 vaf=80 var=20 ikf=60m ikr=10m ise=6f ne=1.5 isc=2f nc=1.9 br=6 rb=90 re=0.5 rc=1
+ cje=12p vje=0.7 mje=0.33 cjc=5p vjc=0.6 mjc=0.35 tf=0.6n tr=40n)
.model qp pnp(is=12f bf=180 vaf=60 ikf=50m rb=120 cje=14p cjc=7p tf=0.8n)
.model jn njf(vto=-1.4 beta=1.1m lambda=8m is=5f rd=9 rs=7 cgs=4p cgd=3p pb=0.9)
.model jp pjf(vto=-1.1 beta=0.7m lambda=12m is=4f cgs=5p cgd=4p)
.model dd d(is=2n n=1.8 rs=0.6 cjo=3p m=0.4 vj=0.6 tt=4n bv=75)
"""
SMALL = {
    "divider": "v1 a 0 dc 9 ac 1\nr1 a m 1k\nr2 m 0 150",
    "rc low pass": "v1 a 0 dc 1 ac 1\nr1 a m 10k\nc1 m 0 1n",
    "twin tee": "v1 a 0 ac 1\nr1 a b 10k\nr2 b c 10k\nc1 b 0 2n\nc2 a d 1n\nc3 d c 1n\nr3 d 0 5k\nr4 c 0 1meg",
    "current source": "i1 0 a dc 1m ac 1m\nr1 a 0 2.2k\nc1 a 0 10n",
    "diode forward": "v1 a 0 dc 5 ac 1\nr1 a b 1k\nd1 b 0 dd",
    "diode reverse": "v1 a 0 dc -5 ac 1\nr1 a b 1k\nd1 b 0 dd\nr2 b 0 100meg",
    "diode breakdown": "v1 a 0 dc -90 ac 1\nr1 a b 10k\nd1 b 0 dd",
    "antiparallel clipper": "v1 a 0 dc 0.2 ac 1\nr1 a b 4.7k\nd1 b 0 dd\nd2 0 b dd\nc1 b 0 1n",
    "bridge": "v1 a b dc 12 ac 1\nd1 a p dd\nd2 b p dd\nd3 n a dd\nd4 n b dd\nr1 p n 1k\nr2 n 0 10\nr3 b 0 1meg",
    "common emitter": "vc vcc 0 12\nv1 s 0 dc 0 ac 1\nc1 s b 1u\nr1 vcc b 220k\nr2 b 0 47k\nr3 vcc c 4.7k\nr4 e 0 1k\nq1 c b e qn",
    "emitter follower": "vc vcc 0 9\nv1 s 0 dc 4.5 ac 1\nr1 s b 10k\nq1 vcc b e qn\nr2 e 0 2.2k",
    "saturated": "vc vcc 0 5\nv1 s 0 dc 5 ac 1\nr1 s b 1k\nr2 vcc c 1k\nq1 c b 0 qn",
    "cut off": "vc vcc 0 5\nv1 s 0 dc 0.2 ac 1\nr1 s b 1k\nr2 vcc c 1k\nq1 c b 0 qn",
    "inverse": "vc vcc 0 -3\nv1 s 0 dc 1 ac 1\nr1 s b 10k\nr2 vcc c 1k\nq1 c b 0 qn",
    "pnp stage": "vc vcc 0 9\nv1 s 0 dc 0 ac 1\nc1 s b 1u\nr1 vcc b 100k\nr2 b 0 220k\nr3 c 0 2.2k\nr4 vcc e 470\nq1 c b e qp",
    "current mirror": "vc vcc 0 9 ac 1\nr1 vcc a 10k\nq1 a a 0 qn\nq2 b a 0 qn\nr2 vcc b 4.7k",
    "differential pair": "vp p 0 12\nvn n 0 -12\nv1 a 0 dc 5m ac 1\nq1 c1 a e qn\nq2 c2 0 e qn\nr1 p c1 10k\nr2 p c2 10k\nr3 e n 12k",
    "complementary pair": "vp p 0 9\nvn n 0 -9\nv1 s 0 dc 0.5 ac 1\nr1 p a 4.7k\nd1 a s dd\nd2 s b dd\nr2 b n 4.7k\nq1 p a o qn\nq2 n b o qp\nr3 o 0 100",
    "darlington": "vc vcc 0 12\nv1 s 0 dc 3 ac 1\nr1 s b 100k\nq1 vcc b m qn\nq2 vcc m e qn\nr2 e 0 470",
    "pots": ".include pot.lib\nv1 a 0 dc 1 ac 1\nx1 0 w a pot_audio r=100k pos=0.3\nx2 w y 0 pot_reverse r=10k pos=0.8\nr1 y 0 47k",
    "parameters": ".param g={2*3+1} f={sqrt(g+2)}\nv1 a 0 dc {g} ac 1\nr1 a m {f*1k}\nr2 m 0 {max(1k, g*100)}",
    "series resonance": "v1 a 0 dc 1 ac 1\nr1 a b 47\nl1 b c 10m\nc1 c 0 100n\nr2 c 0 1meg",
    "coupled coils": "v1 a 0 dc 1 ac 1\nr1 a b 10\nl1 b 0 100m\nl2 c 0 25m\nk1 l1 l2 0.97\nr2 c 0 150",
    "voltage gain": "v1 a 0 dc 0.1 ac 1\ne1 b 0 a 0 -25\nr1 b c 1k\nc1 c 0 10n\nr2 a 0 1k",
    "transconductance": "v1 a 0 dc 0.5 ac 1\ng1 b 0 a 0 2m\nr1 b 0 4.7k\nc1 b 0 1n\nr2 a 0 1k",
    "current gain": "v1 a 0 dc 2 ac 1\nv2 b 0 0\nr1 a b 1k\nf1 c 0 v2 -3\nr2 c 0 220",
    "transresistance": "v1 a 0 dc 2 ac 1\nv2 b 0 0\nr1 a b 1k\nh1 c 0 v2 500\nr2 c d 220\nc2 d 0 1u",
    "fet source follower": "vd d 0 15\nv1 s 0 dc 3 ac 1\nr1 s g 1meg\nj1 d g o jn\nr2 o 0 4.7k",
    "fet amplifier": "vd vdd 0 12\nv1 s 0 ac 1\nc1 s g 10n\nr1 g 0 2.2meg\nr2 vdd d 4.7k\nj1 d g o jn\nr3 o 0 1k\nc2 o 0 10u",
    "fet as a resistor": "v1 a 0 dc 0.2 ac 1\nr1 a d 2.2k\nj1 d g 0 jn\nvg g 0 -0.5",
    "fet turned round": "v1 a 0 dc -2 ac 1\nr1 a d 2.2k\nj1 d g 0 jn\nvg g 0 -0.4",
    "p-channel fet": "vd vdd 0 -9\nv1 s 0 dc 0 ac 1\nr2 vdd d 2.2k\nj1 d s o jp\nr3 o 0 680",
    "fet gate driven on": "vd vdd 0 9\nv1 s 0 dc 2 ac 1\nr1 s g 10k\nr2 vdd d 1k\nj1 d g 0 jn",
    "gates in cascade": "vd vdd 0 18\nv1 s 0 dc 0 ac 1\nr1 vdd d 3.3k\nj1 d gb m jn\nvb gb 0 4\nj2 m s o jn\nr2 o 0 470",
    "controls in a subcircuit": ".subckt amp i o\nv1 i x 0\nr1 x 0 10k\nf1 0 o v1 40\nr2 o 0 1k\n.ends\nv1 a 0 dc 0.3 ac 1\nx1 a b amp\nc1 b 0 1n",
    "b source of volts": "v1 a 0 dc 0.7 ac 1\nr1 a 0 1k\nb1 b 0 v=tanh(v(a)*3)+0.5*v(a)**2\nr2 b c 1k\nc1 c 0 10n",
    "b source of amps": "v1 a 0 dc 0.7 ac 1\nr1 a 0 1k\nb1 0 b i={1m*exp(v(a,0))+0.1m*v(b)}\nr2 b 0 1k",
    "b of a current": "v1 a 0 dc 2 ac 1\nv2 b 0 0\nr1 a b 1k\nb1 c 0 v={100*i(v2)+1e4*i(v2)**2}\nr2 c 0 1k",
    "expression gain": "v1 a 0 dc 0.4 ac 1\nr1 a 0 1k\ne1 b 0 vol='sin(v(a))*10'\nr2 b 0 1k\ng1 0 c cur='2m*atan(v(b)/3)'\nr3 c 0 1k",
    "square law": ".param k=0.8m vt=1.2\nvd d 0 5\nv1 g 0 dc 2.4 ac 1\nr1 d o 1k\nb1 o 0 i={v(g)>vt ? k*(v(g)-vt)**2 : 0}",
    "soft limit": "v1 a 0 dc 1.5 ac 1\nr1 a 0 1k\nb1 b 0 v={max(min(v(a)*4,3),-3)+min(v(a),1)+max(v(a),1)}\nr2 b 0 1k",
    "b in a subcircuit": ".subckt sq i o g=1\nb1 o 0 v={g*v(i)*abs(v(i))}\nr1 i 0 1meg\n.ends\nv1 a 0 dc -0.6 ac 1\nx1 a b sq g=3\nr1 b 0 1k",
    "triode": "vb b 0 250\nv1 g 0 dc -2 ac 1\nr1 b p 100k\nb1 p 0 i={2/1060*pwr(v(p)/600*ln(1+exp(600*(1/100+v(g)/sqrt(300+v(p)**2)))),1.4)}\nc1 p 0 2p",
    "feedback through an expression": "vb b 0 12\nv1 a 0 dc 0.3 ac 1\nr1 a m 10k\nr2 m o 100k\nb1 x 0 v={-1e4*v(m)}\nr3 x y 1k\nc1 y 0 1n\nb2 o 0 v={10*tanh(v(y)/10)}",
    "area": "v1 a 0 dc 2 ac 1\nr1 a b 100\nd1 b 0 dd area=3\nr2 a c 50k\nq1 a c d qn area=2\nr3 d 0 220",
}  # fmt: skip
WORST: list[tuple[str, str, float, float]] = []


def _text(name: str) -> str:
    if name == "Gorsefire":
        return (SHIPPED / "gorsefire" / "circuit.cir").read_text()
    return f"{name}\n{SMALL[name]}\n{BJT}.end\n"


CASES = ["Gorsefire", *SMALL]


@pytest.mark.parametrize("name", CASES)
def test_operating_point(name, tmp_path):
    text = _text(name)
    circuit = Circuit.from_text(text)
    theirs = ngspice.operating_point(text, circuit.nodes, tmp_path)
    point = operating_point(circuit)
    ours = np.array([point.voltage(n)[0] for n in circuit.nodes])
    off = np.abs(ours - theirs)
    WORST.append((name, "op", float(off.max()), float((off / np.maximum(np.abs(theirs), 1e-3)).max())))
    assert (off <= np.maximum(1e-3 * np.abs(theirs), 1e-3)).all(), dict(zip(circuit.nodes, off, strict=True))
    # Far inside what is asked for: a real disagreement of the equations would show here first.
    assert (off <= 2e-5 * np.maximum(np.abs(theirs), 1.0)).all()


@pytest.mark.parametrize("name", CASES)
def test_small_signal(name, tmp_path):
    text = _text(name)
    circuit = Circuit.from_text(text)
    source = next(e.name for e in circuit.elements if e.kind in "vi" and circuit.parameter(e, "ac", {}) not in (0, 0.0))
    size = circuit.parameter(circuit.element(source), "ac", {})
    frequency, theirs = ngspice.response(text, circuit.nodes, 10, 1e6, 5, tmp_path)
    found = responses(operating_point(circuit), source, circuit.nodes, frequency)
    ours = size * np.array([found[n].transfer[0] for n in circuit.nodes])
    heard = np.abs(theirs) > 1e-9
    db = np.abs(20 * np.log10(np.abs(ours[heard]) / np.abs(theirs[heard])))
    phase = np.abs(np.degrees(np.angle(ours[heard] / theirs[heard])))
    WORST.append((name, "ac", float(db.max()), float(phase.max())))
    assert db.max() < 0.05
    assert phase.max() < 0.5
    assert np.abs(ours[~heard]).max(initial=0.0) < 1e-8


@pytest.mark.parametrize(("trim", "fuzz"), list(itertools.product((0.0, 0.5, 1.0), (0.0, 1.0))))
def test_gorsefire_over_its_controls(trim, fuzz, tmp_path):
    """Not only where the file stands: both ends of trimmer and FUZZ, by overrides here and by an edited file there."""
    text = _text("Gorsefire")
    circuit = Circuit.from_text(text)
    edited = text.replace("pot_lin r=10k pos=0.5", f"pot_lin r=10k pos={trim}").replace(
        "pot_lin r=1k pos=0.5", f"pot_lin r=1k pos={fuzz}"
    )
    theirs = ngspice.operating_point(edited, circuit.nodes, tmp_path)
    point = operating_point(circuit, {"xrv1.pos": trim, "xfuzz.pos": fuzz})
    ours = np.array([point.voltage(n)[0] for n in circuit.nodes])
    assert ours == pytest.approx(theirs, rel=1e-4, abs=1e-5)


def test_worst_deviations_are_told(capsys):
    """Not a check of its own: prints what the checks above found, for those who want the figures."""
    assert WORST
    with capsys.disabled():
        for kind, first, second in (("op", "V", "share"), ("ac", "dB", "degrees")):
            rows = [w for w in WORST if w[1] == kind]
            a, b = max(rows, key=lambda w: w[2]), max(rows, key=lambda w: w[3])
            print(f"\n  worst {kind}: {a[2]:.2g} {first} ({a[0]}), {b[3]:.2g} {second} ({b[0]})", end="")
