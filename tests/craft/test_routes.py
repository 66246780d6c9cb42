"""Leads of a lettered board: every letter joined by a tree, crossings and ties told as geometry has them."""

import json

import networkx as nx
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.sparse.csgraph import minimum_spanning_tree

from nuvlo.cli.main import main
from nuvlo.craft.routes import crossings, joins, lettered, routed
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Pad, Stage
from nuvlo.logbook import Build
from nuvlo.stages import hook_up
from nuvlo.workshop.demo import SHIPPED


def pad(name, x, y, net="n", size=2.0):
    return Pad(name, "1", x, y, size, net)


def length(tree):
    return sum(np.hypot(a.x_mm - b.x_mm, a.y_mm - b.y_mm) for a, b in tree)


places = st.lists(st.tuples(st.integers(0, 40), st.integers(0, 40)), min_size=2, max_size=9, unique=True)


@given(places)
@settings(max_examples=40, deadline=None)
def test_one_letter_alone_is_joined_by_the_shortest_tree(spots):
    """Against scipy's spanning tree over all distances."""
    (tree,) = routed([[pad(f"P{k}", *at) for k, at in enumerate(spots)]])
    apart = np.hypot(*(np.array(spots)[:, None] - np.array(spots)).transpose(2, 0, 1))
    assert length(tree) == pytest.approx(minimum_spanning_tree(apart).sum())


@given(places, places)
@settings(max_examples=40, deadline=None)
def test_two_letters_are_both_whole(one, other):
    nets = [[pad(f"{net}{k}", *at, net=net) for k, at in enumerate(spots)] for net, spots in (("a", one), ("b", other))]
    trees = routed(nets)
    for pads, tree in zip(nets, trees, strict=True):
        graph = nx.Graph(tree)
        assert set(graph) == set(pads)
        assert nx.is_tree(graph)


def test_a_lead_goes_round_rather_than_across():
    """The shortest tree of B would cross A; by its third pad it does not."""
    a = [pad("A1", 0, 0, "a"), pad("A2", 40, 0, "a")]
    b = [pad("B1", 20, 12, "b"), pad("B2", 20, -12, "b"), pad("B3", 62, 0, "b")]
    trees = routed([a, b])
    assert crossings(trees[0] + trees[1]) == 0
    assert crossings(routed([a])[0] + routed([b])[0]) == 1


def test_a_bare_lead_keeps_off_a_foreign_pad():
    a = [pad("A1", 0, 0, "a"), pad("A2", 40, 0, "a"), pad("A3", 20, 15, "a")]
    (first, _) = routed([a, [pad("B1", 20, 0, "b"), pad("B2", 20, -20, "b")]])
    assert {frozenset(p.ref for p in lead) for lead in first} == {frozenset(("A1", "A3")), frozenset(("A3", "A2"))}


def test_the_crossover_is_joined_letter_to_letter_and_crossings_are_told_once(capsys):
    kit = read_kit(SHIPPED / "barrowmoor")
    found = joins(kit)
    assert {j.net for j in found} == set(lettered(kit).values())
    leads = [lead for j in found for lead in j.leads]

    def meet(m, n):
        """By linear algebra: a + s·(b − a) = c + t·(d − c) with both shares inside."""
        a, b, c, d = (np.array([p.x_mm, p.y_mm]) for p in (m.start, m.end, n.start, n.end))
        matrix = np.array([b - a, c - d]).T
        if abs(np.linalg.det(matrix)) < 1e-9:
            return False
        return bool(np.all((shares := np.linalg.solve(matrix, c - a)) > 1e-9) and np.all(shares < 1 - 1e-9))

    pairs = {frozenset((m.letter, n.letter)) for k, m in enumerate(leads) for n in leads[:k] if m.letter != n.letter and meet(m, n)}
    assert {frozenset((m.letter, other)) for m in leads for other in m.crosses} == pairs
    j_words = next(j for j in found if "L4" in j.words).words
    assert "under the ties of C3, L2 and L4" in j_words
    tasks = hook_up.tasks(kit, Build(""))
    assert next(t.title for t in tasks if t.id.does(Stage.HOOK_UP, "join")) == "Join A to A: 4 leads"
    assert any("Tie it to the wall, clear of the cone" in t.detail for t in tasks)
    assert main(["wires", str(SHIPPED / "barrowmoor"), "--json"]) == 0
    said = json.loads(capsys.readouterr().out)
    assert sum(len(j["leads"]) for j in said["joins"]) == len(leads)
    assert all(lead["cut_mm"] % 5 == 0 for j in said["joins"] for lead in j["leads"])
