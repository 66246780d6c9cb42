"""Words of netlists that were read as something else: each means what ngspice takes it for, or is refused by name."""

import os
import subprocess
import sys

import numpy as np
import pytest

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.small_signal import response
from nuvlo.problems import NuvloError
from tests.circuit import ngspice

BIPOLAR = "vb b 0 0.65\nrb b bb 10\nvc cc 0 5\nrc cc c 100\n.model qm npn(bf=100 is=1e-14)\n"
SAME = {
    "ic of a transistor": f"q1 c bb 0 qm ic=0.6,5\n{BIPOLAR}",
    "ic with a space": f"q1 c bb 0 qm ic=0.6 5\n{BIPOLAR}",
    "area and ic": f"q1 c bb 0 qm 2 ic=0.6, 5\n{BIPOLAR}",
    "ic of a fet": "j1 c 0 0 jm ic=1,-2\nvc cc 0 5\nrc cc c 100\n.model jm njf(vto=-2 beta=1m)\n",
    "ic of a mos": "m1 c cc 0 0 mm ic=1,2,3 l=2u w=20u\nvc cc 0 5\nrc cc c 100\n.model mm nmos(vto=1 kp=1m)\n",
    "ic of a diode": "d1 c 0 dm ic=0.3 area=3\nvc cc 0 5\nrc cc c 100\n.model dm d(is=1e-14)\n",
    "u2": "v1 a 0 5\nr1 a 0 1k\nb2 c 0 v=u2(v(a)/10)+2*u2(v(a))+4*u2(-v(a))\nr2 c 0 1k\n",
    "sheet": "v1 a 0 5\nr1 a c rm l=100u w=10u\nr2 c 0 1k\n.model rm r(rsh=50 narrow=1u short=10u)\n",
    "sheet of a usual width": "v1 a 0 5\nr1 a c rm l=100u\nr2 c 0 1k\n.model rm r(rsh=50 defw=5u)\n",
    "its value beside a sheet": "v1 a 0 5\nr1 a c 2k rm l=100u\nr2 c 0 1k\n.model rm r(rsh=50 defw=5u tc1=1m)\n",
    "a model with a value": "v1 a 0 5\nr1 a c rm m=2\nr2 c 0 1k\n.model rm r(r=2k)\n",
    "substrate and a model of figures": "q1 c bb 0 0 2n3904\nvb b 0 0.65\nrb b bb 10\nvc cc 0 5\nrc cc c 100\n.model 2n3904 npn(is=1e-14)\n",
    "the same with an area": "q1 c bb 0 0 2n3904 3\nvb b 0 0.65\nrb b bb 10\nvc cc 0 5\nrc cc c 100\n.model 2n3904 npn(is=1e-14)\n",
    "no substrate, but an area": "q1 c bb 0 2n3904 3\nvb b 0 0.65\nrb b bb 10\nvc cc 0 5\nrc cc c 100\n.model 2n3904 npn(is=1e-14)\n",
    "braces in braces": ".param p=2\nv1 a 0 {({p}+3)*2}\nr1 a c { {p}*1k }\nr2 c 0 1k\n",
    "braces in a source": ".param p=2\nv1 a 0 5\nr1 a 0 1k\nb1 c 0 v={ {p}*v(a) }\nr2 c 0 1k\n",
    "an empty .param": ".param\nv1 a 0 5\nr1 a c 1k\nr2 c 0 1k\n",
}  # fmt: skip


@pytest.mark.parametrize("name", SAME)
def test_it_means_what_it_means_there(tmp_path, name):
    text = f"t\n{SAME[name]}.end\n"
    found = operating_point(Circuit.from_text(text)).voltage("c")[0]
    assert found == pytest.approx(ngspice.operating_point(text, ["c"], tmp_path)[0], rel=2e-5)


def test_a_plate_of_a_model_has_its_farads(tmp_path):
    text = "t\nv1 a 0 dc 0 ac 1\nr1 a c 1meg\nc1 c 0 cm l=10u w=10u\n.model cm c(cj=1e-3 cjsw=1e-9 narrow=1u short=2u)\n"
    _, there = ngspice.response(text, ["c"], 1e5, 1e7, 3, tmp_path)
    point = operating_point(Circuit.from_text(text))
    frequency = np.logspace(5, 7, 7)
    assert response(point, "v1", "c", frequency).transfer[0] == pytest.approx(there[0], rel=1e-5)


REFUSED = {
    "v1 a 0 pwl(0 0 1m 1) r=0\nr1 a 0 1k": "'r='", "v1 a 0 pwl(0 0 1m 1 r 0)\nr1 a 0 1k": "'r='", "v1 a 0 pwl(0 0 1m 1) td=1m\nr1 a 0 1k": "'td='",
    "v1 a 0 5 V\nr1 a 0 1k": "'v' is a unit", "v1 a 0 dc 5 Volts\nr1 a 0 1k": "'volts' is a unit", "v1 a 0 5\nr1 a 0 1 kOhm": "'kohm' is a unit",
    "v1 a 0 5\nr1 a 0 1k\nc1 a 0 10 uF": "'uf' is a unit", "v1 a 0 5\nr1 a b 1\nl1 b 0 10 mH": "'mh' is a unit", "i1 0 a 1 mA\nr1 a 0 1k": "'ma' is a unit",
    "v1 a 0 5\nr1 a 0 1k\nu2 a c 0 um": "'U'", "v1 a 0 5\nr1 a 0 1k\n.param x": ".param", "v1 a 0 5\nr1 a 0 1k\n.param x 5": ".param",
    "v1 a 0 5\nr1 a 0 rm\n.model rm r(rsh=50)": "'rm' gives none", "v1 a 0 5\nr1 a 0 rm l=1u": "'rm' is not defined", "v1 a 0 5\nr1 a 0 1k\nc1 a 0 cm\n.model cm c(tc1=1)": "'cm' gives none",
    "v1 a 0 pulse(0 5 1u 1u 1u 10u 20u 3)\nr1 a 0 1k": "8th value", "v1 a 0 5\nr1 a 0 10$comment": "'10$comment'", "v1 a 0 5\nr1 a 0 {1k*(2+{3}": "1k*(2+",
    "v1 a 0 5\nr1 a 0 1k\n.include sub/x.lib": "a path is not followed", "v1 a 0 5\nr1 a 0 1k\n.include ..\\x.lib": "a path is not followed",
}  # fmt: skip


@pytest.mark.parametrize("text", REFUSED)
def test_what_is_not_read_is_refused_by_name(tmp_path, text):
    (tmp_path / "sub").mkdir()
    (tmp_path / "sub" / "x.lib").write_text("* nothing\n")
    with pytest.raises(NuvloError) as told:
        Circuit.from_text(f"t\n{text}\n", tmp_path)
    assert REFUSED[text] in str(told.value)
    assert all(p.line for p in told.value.problems)


def test_a_model_may_be_called_like_a_unit():
    point = operating_point(Circuit.from_text("t\nv1 a 0 5\nr1 a c 1k v\nr2 c 0 1k\n.model v r(tc1=0)\n"))
    assert point.voltage("c")[0] == pytest.approx(2.5)


# docs/kit-format.md says what powers of negative numbers are: as mathematics has them for whole exponents, no number for others;
# pwr keeps the sign of its base. ngspice takes the base without its sign in `^`.
POWERS = {"-2^3": -8.0, "(-2)^2": 4.0, "(-2)**3": -8.0, "(-2)^0": 1.0, "(-2)^(-1)": -0.5, "pow(-2,3)": -8.0, "pwr(-2,2)": -4.0, "pwr(-2,3)": -8.0, "pwr(-2,0.5)": -(2**0.5), "pwr(0,2)": 0.0, "0^2": 0.0}
CODE = """
import sys
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.operating_point import operating_point
for text in sys.stdin.read().split('|'):
    print(operating_point(Circuit.from_text(text)).voltage('c')[0])
"""


def powers(pure: bool) -> list[float]:
    texts = []
    for formula in POWERS:
        of_volts = formula.replace("-2", "v(a)").replace("0,", "v(z),").replace("0^", "v(z)^") if formula != "-2^3" else "v(a)^3"
        texts += [f"t\n.param p={{{formula}}}\nv1 c 0 {{p}}\nr1 c 0 1\n", f"t\nv1 a 0 -2\nvz z 0 0\nr1 a z 1\nb1 c 0 v={{{of_volts}}}\nr2 c 0 1\n"]
    there = os.environ | ({"NUVLO_PURE": "1"} if pure else {})
    done = subprocess.run([sys.executable, "-c", CODE], input="|".join(texts), capture_output=True, text=True, env=there, check=True)
    return [float(line) for line in done.stdout.split()]


@pytest.mark.parametrize("pure", [False, True])
def test_powers_of_what_is_less_than_nothing_are_one_thing_everywhere(pure):
    wanted = [v for v in POWERS.values() for _ in range(2)]
    assert powers(pure) == pytest.approx(wanted, abs=1e-9)


def test_a_root_of_less_than_nothing_is_said():
    circuit = Circuit.from_text("t\n.param p={(-2)^0.5}\nv1 c 0 {p}\nr1 c 0 1\n")
    with pytest.raises(NuvloError, match=r"no number|no value"):
        operating_point(circuit)
