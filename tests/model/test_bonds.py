"""Ground and case: kits as meant, faults planted, and random wirings against counting by hand."""

import json
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nuvlo.cli.main import main
from nuvlo.files.kit_folder import read_kit
from nuvlo.model.bonds import Link, bonds, found
from nuvlo.workshop.demo import SHIPPED

METAL = sorted(p.parent.name for p in SHIPPED.glob("*/kit.toml") if "[[metal]]" in p.read_text())


@pytest.mark.parametrize("name", METAL)
def test_each_kit_bonds_its_case_once(name):
    now = bonds(read_kit(SHIPPED / name))
    assert now.sound
    assert len(now.bonds) == 1


def changed(kit, part, **how):
    metal = tuple(m.model_copy(update=how) if m.part == part else m for m in kit.info.metal)
    return replace(kit, info=kit.info.model_copy(update={"metal": metal}), memory={})


def test_a_second_jack_on_the_case_closes_a_loop_and_names_its_links():
    (loop,) = bonds(changed(read_kit(SHIPPED / "gorsefire"), "J2", how="bare")).loops
    assert {x.by for x in loop} == {"J1.sleeve screwed to CASE", "J2.sleeve screwed to CASE", "wire 4", "wire 13"}


def test_paint_leaves_the_case_and_all_that_touches_it_floating():
    now = bonds(read_kit(SHIPPED / "gorsefire"), painted=["J1"])
    assert (now.bonds, now.floating) == ((), ("CASE", "SW1", "FUZZ", "VOLUME"))


PLACES = st.sampled_from(["CASE", "PLATE", "a", "b", "c", "d"])
WIRING = st.lists(st.tuples(PLACES, PLACES), max_size=9)


@given(WIRING)
def test_random_wirings_have_as_many_loops_and_as_much_floating_metal_as_counting_finds(pairs):
    """Loops: links − places + pieces (G. Kirchhoff, 1847). What floats: places from which no link with a net is reached."""
    there = [Link(a, b, f"{k}", "0" if "a" in (a, b) else "") for k, (a, b) in enumerate(pairs)]
    now = found(there, ["CASE", "PLATE"], ["CASE", "PLATE"])
    places = {"CASE", "PLATE", *(end for pair in pairs for end in pair)}
    piece = {p: p for p in places}
    for _ in pairs:
        for a, b in pairs:
            piece[a] = piece[b] = min(piece[a], piece[b])
    assert len(now.loops) == len(pairs) - len(places) + len(set(piece.values()))
    live = {piece[e] for link in there if link.net for e in (link.one, link.other)}
    assert set(now.floating) == {p for p in ("CASE", "PLATE") if piece[p] not in live}


def test_the_verb_says_what_floats_and_fails(capsys):
    assert main(["bonds", str(SHIPPED / "gorsefire"), "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["bonds"] == [{"between": ["J1.sleeve", "CASE"], "by": "J1.sleeve screwed to CASE", "net": "0"}]
    assert main(["bonds", str(SHIPPED / "gorsefire"), "--painted", "j1"]) == 1
    assert "CASE, SW1, FUZZ, VOLUME are on no net" in capsys.readouterr().out
    assert main(["bonds", str(SHIPPED / "oxbow")]) == 0
