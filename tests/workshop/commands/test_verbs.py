"""Every command is a row: understood, handled, in the help, in the manual, and on the strip where it belongs."""

from pathlib import Path

import pytest

from nuvlo.desktop.handles import HANDLES
from nuvlo.desktop.keys import own_keys
from nuvlo.desktop.tools.help import typed
from nuvlo.kit import Stage
from nuvlo.workshop.commands.grammar import NotUnderstood, names, understand
from nuvlo.workshop.commands.manual import manual_page
from nuvlo.workshop.commands.verbs import EVERY, ROWS, VERBS, WORDS, offered

MANUAL = Path(__file__).parents[3] / "docs" / "bench-line.md"
NOT_TYPED = {"pictured"}  # what two clicks on the map log


@pytest.mark.parametrize("verb", [v for v in ROWS if v.name not in NOT_TYPED], ids=lambda v: v.name)
def test_its_example_is_understood_as_it(gorsefire, verb):
    command = understand(verb.example, gorsefire, None, Stage.WAKE)
    assert command.verb == verb.name
    assert command.echo
    assert type(command.given).__name__ != "str"


@pytest.mark.parametrize("verb", ROWS, ids=lambda v: v.name)
def test_it_is_handled_in_one_place(verb):
    assert (verb.does is None) == (verb.name in HANDLES) or verb.name == "what", (
        "'what' asks for bands where nothing is said"
    )


def test_handles_and_keys_speak_of_rows_only():
    assert set(HANDLES) <= set(VERBS)
    assert set(own_keys().values()) == {v.name for v in ROWS if v.key and v.key != "Space"}


def test_words_are_those_of_one_row_each():
    said = [word for v in ROWS if not v.named for word in (v.name, *v.short)]
    assert sorted(said) == sorted(WORDS)
    assert len(VERBS) == len(ROWS)


def test_the_manual_is_the_table(gorsefire):
    assert MANUAL.read_text(encoding="utf-8") == manual_page(), "run make manual"
    for verb in ROWS:
        assert f"| `{verb.example}` | {verb.says} |" in manual_page()
        assert typed(verb).startswith(verb.example)
    assert {v.name for v in ROWS if not v.named} <= set(names(gorsefire))


@pytest.mark.parametrize("verb", [v for v in ROWS if v.needs and not v.optional and not v.named], ids=lambda v: v.name)
def test_one_that_wants_words_asks_for_them_with_an_example(gorsefire, verb):
    with pytest.raises(NotUnderstood) as asked:
        understand(verb.name, gorsefire, None, Stage.WAKE)
    assert str(asked.value) == f"{verb.needs} For example: {verb.example}."


@pytest.mark.parametrize("verb", ROWS, ids=lambda v: v.name)
def test_it_is_said_plainly(verb):
    assert verb.says[0].isupper()
    assert verb.says.endswith(".")
    assert verb.stages == EVERY or verb.button or verb.name in ("mod", "current", "read"), (
        "what belongs to a stage can be clicked"
    )


@pytest.mark.parametrize("stage", Stage)
def test_the_strip_offers_a_few_in_each_stage(bench, stage):
    session = bench(3)
    session.go_to(stage)
    found = offered(session.snapshot())
    assert 2 <= len(found) <= 24
    first = [v for v in found if stage in v.first]
    assert found[: len(first)] == first
    assert all(stage in v.stages for v in found)
