"""Odd lines and odd files at the bench: refused in words, and nothing of the build is lost."""

import pytest

from nuvlo.files.recipe import read_recipe, save_recipe
from nuvlo.problems import NuvloError
from nuvlo.quantity import parse_value
from nuvlo.workshop.commands.grammar import NotUnderstood
from tests.conftest import reopened
from tests.workshop.test_session import line


@pytest.mark.parametrize("text", ["tonight 99999999999999999999", "tonight 1e300", "tonight -1", "r1 5e-324", "r1 1e300", "r1 ٤..k"])
def test_sizes_that_nothing_has(bench, text):
    with pytest.raises((NuvloError, NotUnderstood)):
        line(bench(kind="typed"), text)


def test_half_a_letter_is_kept_as_a_question_mark(bench):
    session = bench(kind="typed")
    line(session, "note half \ud800 a letter")
    assert reopened(session).build.notes == session.build.notes
    assert any("half ? a letter" in str(n) for n in session.build.notes)


@pytest.mark.parametrize("name", ["~nosuchuser/x.png", "x" * 5000, "a\0b", "."])
def test_files_that_are_not_there(bench, name):
    with pytest.raises(NuvloError, match="there is no file"):
        line(bench(kind="typed"), f"photo {name}")


@pytest.mark.parametrize("content", [b"", b"no picture", b"\x89PNG\r\n\x1a\n cut off", b"\xff\xd8\xff\xe0" + b"\0" * 100])
def test_a_photo_that_is_no_picture_is_refused_when_it_is_kept(bench, tmp_path, content):
    session = bench(kind="typed")
    (tmp_path / "joints.png").write_bytes(content)
    with pytest.raises(NuvloError, match="not a picture"):
        line(session, f"photo {tmp_path / 'joints.png'}")
    assert session.build.photos == []
    assert "Written" in line(session, "review").words


@pytest.mark.parametrize("quote", ["'", '"'])
def test_a_recipe_is_saved_however_its_names_are_quoted(tmp_path, quote):
    from nuvlo.files.recipe import recipe_folders

    shipped = read_recipe(next(iter(recipe_folders([]).values())))
    mine = tmp_path / "mine"
    mine.mkdir()
    text = (shipped.folder / "recipe.toml").read_text()
    first = shipped.info.input[0].name
    (mine / "recipe.toml").write_text(text.replace(f'name = "{first}"', f"name = {quote}{first}{quote}"))
    (mine / "circuit.cir").write_bytes((shipped.folder / "circuit.cir").read_bytes())
    recipe = read_recipe(mine)
    inputs = {one.name: parse_value(one.default) * 2 for one in recipe.info.input}
    again = read_recipe(save_recipe(recipe, inputs, tmp_path, "doubled"))
    assert {one.name: parse_value(one.default) for one in again.info.input} == pytest.approx(inputs, rel=1e-5)
