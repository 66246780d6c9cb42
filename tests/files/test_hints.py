"""What a stranger gets wrong in a kit, and the word that helps."""

import shutil

import pytest

from nuvlo.cli.main import main
from nuvlo.workshop.places import SHIPPED


@pytest.mark.parametrize(("kit", "file", "was", "becomes", "says"), [
    ("gorsefire", "kit.toml", "[[point]]", "[[points]]", "Did you mean [[point]]?"),
    ("landing", "kit.toml", "[[tone]]", "[[tones]]", "Did you mean [[tone]]?"),
    ("gorsefire", "kit.toml", "[[trim]]", "[[trims]]", "Did you mean [[trim]]?"),
    ("gorsefire", "kit.toml", 'name = "TP0"', 'name = "TP0', "a quotation mark is missing"),
    ("sluice", "kit.toml", 'family = "', "family = ", ""),
    ("gorsefire", "bom.csv", "ref,kind,value", "ref,Type,Value", "is read by 'nuvlo bom'"),
    ("tollgate", "bom.csv", "ref,", "Designator,", "is read by 'nuvlo bom'"),
    ("gorsefire", "circuit.cir", "r6 vcc led_a", "r6 vcc vcc", "both ends of 'r6' are on the net 'vcc'"),
    ("gorsefire", "circuit.cir", "c3 c2 vtop", "c3 vtop vtop", "both ends of 'c3' are on the net 'vtop'"),
    ("gorsefire", "circuit.cir", "r1 vd vcc", "r1 vcc vcc", "both ends of 'r1' are on the net 'vcc'"),
])  # fmt: skip
def test_the_check_says_what_helps(tmp_path, capsys, kit, file, was, becomes, says):
    folder = shutil.copytree(SHIPPED / kit, tmp_path / kit)
    text = (folder / file).read_text()
    assert was in text
    (folder / file).write_text(text.replace(was, becomes) if becomes.startswith("[[") else text.replace(was, becomes, 1))
    assert main(["kit", "check", str(folder)]) == 1
    printed = capsys.readouterr()
    assert says in printed.out + printed.err
    assert file in printed.out + printed.err


@pytest.mark.parametrize("kit", sorted(p.parent.name for p in SHIPPED.glob("*/bom.csv")))
def test_no_kit_of_our_own_has_both_ends_on_one_net(kit, capsys):
    main(["kit", "check", str(SHIPPED / kit)])
    assert "both ends" not in capsys.readouterr().out
