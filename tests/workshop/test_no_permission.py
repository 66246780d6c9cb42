"""What may not be read or written: a plain word, and nothing half-done. Tested without privileges: root may do anything."""

import contextlib
import io
import shutil

import pytest

from nuvlo.cli.main import main
from nuvlo.logbook import Note
from nuvlo.problems import NuvloError
from nuvlo.workshop.demo import SHIPPED
from nuvlo.workshop.shelf import shelf
from nuvlo.workshop.workshop import Workshop
from tests.logbook.test_logbook import as_nobody
from tests.workshop.test_session import line

LINES = ("r1 100", "next", "note hello", "undo", "photo {picture}", "review", "shopping", "letter", "export", "variant twelve")


@pytest.fixture
def shop(tmp_path, gorsefire):
    """A workshop with a build, reachable by anyone; its folder and the build's name."""
    for above in (*tmp_path.parents[: len(tmp_path.parts) - 3], tmp_path):
        above.chmod(0o755)
    folder = tmp_path / "shop"
    workshop = Workshop(folder)
    session = workshop.start(gorsefire)
    session.record(Note(text="kept"))
    workshop.close()
    from PIL import Image

    Image.new("RGB", (8, 8)).save(tmp_path / "picture.png")
    (tmp_path / "picture.png").chmod(0o444)
    workshop = Workshop(tmp_path / "another")  # what is loaded when first needed: nobody may not read the interpreter's files
    session_there = workshop.start(gorsefire)
    for text in LINES:
        with contextlib.suppress(NuvloError):
            line(session_there, text.format(picture=tmp_path / "picture.png"))
    shelf(workshop)
    workshop.close()
    return folder, session.build.id


def freeze(folder, files: int, folders: int) -> None:
    for item in sorted(folder.rglob("*"), reverse=True):
        item.chmod(folders if item.is_dir() else files)
    folder.chmod(folders)


def test_a_read_only_workshop_is_seen_and_nothing_is_half_done(shop, tmp_path):
    folder, build = shop
    freeze(folder, 0o444, 0o555)

    def check() -> int:
        workshop = Workshop(folder)
        if shelf(workshop).in_hand[0].serial != "001":
            return 10
        session = workshop.open(build)
        before = session.snapshot()
        for k, text in enumerate(LINES):
            try:
                line(session, text.format(picture=tmp_path / "picture.png"))
            except NuvloError as refused:
                if "Traceback" in str(refused) or not str(refused).strip():
                    return 20 + k
        if session.snapshot().build != before.build or session.looking_at is not None:
            return 11
        try:
            workshop.start(session.box)
        except NuvloError as refused:
            return 0 if "viewed but not changed" in str(refused) else 12
        return 13

    assert as_nobody(check) == 0
    assert sorted(p.name for p in folder.iterdir()) == ["logbook.db"]


@pytest.mark.parametrize(
    ("files", "folders"), [(0o000, 0o755), (0o644, 0o000), (0o644, 0o444)], ids=["file", "folder", "no way in"]
)
def test_a_workshop_that_may_not_be_read_says_so(shop, files, folders):
    folder, _ = shop
    freeze(folder, files, folders)

    def check() -> int:
        try:
            Workshop(folder)
        except NuvloError as refused:
            return 0 if "Permission denied" in str(refused) or "no permission" in str(refused) else 1
        return 2

    assert as_nobody(check) == 0
    folder.chmod(0o755)


@pytest.mark.parametrize("what", ["bom.csv", "circuit.cir", "kit.toml", ""], ids=lambda x: x or "the folder")
def test_a_kit_that_may_not_be_read_says_so(tmp_path, what):
    for above in (*tmp_path.parents[: len(tmp_path.parts) - 3], tmp_path):
        above.chmod(0o755)
    kit = shutil.copytree(SHIPPED / "gorsefire", tmp_path / "kit")
    main(["kit", "check", str(kit), "--json"])  # all is loaded
    (kit / what).chmod(0o000)

    def check() -> int:
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            status = main(["kit", "check", str(kit)])
        said = out.getvalue() + err.getvalue()
        return 0 if status == 1 and ("Permission denied" in said or "not a kit folder" in said) else 1

    assert as_nobody(check) == 0
    (kit / what).chmod(0o755)


@pytest.mark.parametrize("mode", [0o555, 0o111, 0o000])
def test_a_home_that_takes_nothing_is_named(tmp_path, mode):
    for above in (*tmp_path.parents[: len(tmp_path.parts) - 3], tmp_path):
        above.chmod(0o755)
    home = tmp_path / "home"
    home.mkdir()
    home.chmod(mode)
    Workshop(tmp_path / "another").close()  # what is loaded when first needed

    def check() -> int:
        try:
            Workshop(home / ".local" / "share" / "nuvlo" / "demo")
        except NuvloError as told:
            return 0 if str(home)[:40] in str(told) and "ermission" in str(told) else 11
        return 10

    assert as_nobody(check) == 0


def test_a_temporary_folder_that_takes_nothing_is_named(tmp_path, monkeypatch, capsys):
    packed = shutil.make_archive(str(tmp_path / "box"), "zip", SHIPPED / "sluice")
    monkeypatch.setattr("tempfile.tempdir", None)
    monkeypatch.setattr("tempfile._candidate_tempdir_list", lambda: [str(tmp_path / "none"), str(tmp_path / "gone")])
    assert main(["kit", "check", packed, "--json"]) == 1
    said = capsys.readouterr().out
    assert str(tmp_path / "gone") in said
    assert "TMPDIR" in said
