"""A circuit that cannot be solved gets a sentence that names the node or the loop."""

import pytest

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.netlist import NetlistError
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.unsolved import explain
from nuvlo.cli.main import main


@pytest.mark.parametrize(
    ("body", "named"),
    [
        ("v1 a 0 1\nr1 a 0 1k\nc1 a b 1n\nr2 b c 1k\ni1 0 c 1u", ["'b'", "'c'"]),
        ("v1 a 0 1\nv2 b a 2\nl1 b 0 1m\nr1 b 0 1k", ["'l1'", "'v1'", "'v2'"]),
        ("v1 a 0 1\ne1 a 0 b 0 2\nr1 b 0 1k\nr2 a b 1k", ["'e1'", "'v1'"]),
        ("v1 a a 1\nr1 a 0 1k", ["same node"]),
        ("i1 0 a 1m\nc1 a 0 1u", ["'a'"]),
    ],
)
def test_what_cannot_work_is_refused_by_name(body, named):
    with pytest.raises(NetlistError) as refused:
        Circuit.from_text(f"t\n{body}")
    assert all(name in str(refused.value) for name in named), str(refused.value)


@pytest.mark.parametrize(
    ("body", "named"),
    [
        ("v1 a 0 1\nr1 a b 1k\nb1 b 0 v={v(b)+1}", "'b'"),  # one volt above itself
        (
            "v1 a 0 1\nr1 a 0 1k\nb1 c 0 v={v(a)>0.5 ? (v(c)>0 ? -1 : 1) : 0}\nr2 c 0 1k",
            "'b1'",
        ),  # up when down, down when up
    ],
)
def test_no_operating_point_names_the_culprit(body, named, tmp_path, capsys):
    point = operating_point(Circuit.from_text(f"t\n{body}"))
    assert point.failed == [0]
    assert named in explain(point).message
    (tmp_path / "x.cir").write_text(f"t\n{body}\n")
    assert main(["solve", str(tmp_path / "x.cir"), "op"]) == 1
    assert named in capsys.readouterr().err
