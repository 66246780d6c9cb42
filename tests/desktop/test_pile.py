"""Rows of a lane: kept where they look the same, in order, and never in the colours of another light."""

import pytest
from PyQt6.QtWidgets import QLabel

from nuvlo.desktop import theme
from nuvlo.desktop.pile import Pile, Row, gap, words


@pytest.fixture
def pile(qtbot):
    theme.load_fonts()
    out = Pile((0, 0, 0, 0), 4)
    qtbot.addWidget(out)
    out.show()
    return out


def seen(pile) -> list[str]:
    """Its words from the top."""
    return [w.text() for w in sorted(pile.findChildren(QLabel), key=lambda w: w.y()) if w.isVisible()]


def test_what_looks_the_same_is_the_same_widget(pile):
    first = pile.show_rows([words("a", 20, bold=True), words("b", 11)])
    again = pile.show_rows([words("c", 20, bold=True), words("d", 11)])
    assert first == again
    assert [w.text() for w in again] == ["c", "d"]


@pytest.mark.parametrize("between", [1, 3, 0])
def test_rows_come_and_go_and_keep_their_order(pile, qtbot, between):
    pile.show_rows([words("title", 20), words("x", 11), words("y", 11)])
    rows = [words("new title", 20), gap(), *(words(f"{k}", 11, "faint") for k in range(between)), words("last", 11)]
    pile.show_rows(rows)
    qtbot.wait(10)
    assert seen(pile) == ["new title", *map(str, range(between)), "last"]


def test_what_is_rare_is_made_anew_and_the_old_one_goes(pile, qtbot):
    made = []

    def card() -> QLabel:
        made.append(QLabel(f"card {len(made)}"))
        return made[-1]

    for _ in range(2):
        pile.show_rows([words("a", 11), Row("card", card, kept=False)])
    qtbot.wait(10)
    assert seen(pile) == ["a", "card 1"]


def test_another_light_has_other_colours(pile):
    (before,) = pile.show_rows([words("a", 11)])
    theme.use("lamp")
    try:
        (after,) = pile.show_rows([words("a", 11)])
        assert after is not before
        assert after.palette().windowText().color().name() == theme.LAMP.ink.lower()
    finally:
        theme.use("daylight")
