"""A workshop goes into one file and comes back the same, or does not come back at all."""

import json
import shutil
import zipfile

import pytest

from nuvlo.cli.main import main
from nuvlo.files.kit_folder import read_kit
from nuvlo.logbook import Note
from nuvlo.problems import NuvloError
from nuvlo.workshop.backup import back_up, restore
from nuvlo.workshop.demo import SHIPPED
from nuvlo.workshop.workshop import Workshop
from tests.workshop.test_session import line


@pytest.fixture
def shop(tmp_path, gorsefire):
    """A workshop in use: a shipped kit, one from elsewhere, one out of a zip, a picture and a sheet; its last entry still in
    the write-ahead log."""
    shutil.copytree(SHIPPED / "sluice", tmp_path / "bench" / "my sluice")
    shutil.make_archive(str(tmp_path / "box"), "zip", SHIPPED / "reedling")
    workshop = Workshop(tmp_path / "shop")
    for kit in (gorsefire, read_kit(tmp_path / "bench" / "my sluice"), read_kit(tmp_path / "box.zip")):
        line(workshop.start(kit), "note begun")
    from PIL import Image

    Image.new("RGB", (8, 8)).save(tmp_path / "joints.png")
    session = workshop.open(workshop.builds()[0].id)
    line(session, f"photo {tmp_path / 'joints.png'} left")
    line(session, "review")
    yield workshop
    workshop.close()


def test_everything_comes_back_elsewhere_without_the_old_folders(shop, tmp_path):
    before = shop.builds()
    kept = back_up(shop)
    assert kept.place.parent == tmp_path
    shop.open(before[0].id).record(Note(text="after the backup"))
    shutil.rmtree(tmp_path / "bench")
    away = tmp_path / "shop-old"
    (tmp_path / "shop").rename(away)
    back = restore(kept.place, tmp_path / "other" / "place")
    assert (back.builds, back.events) == (3, kept.events)
    again = Workshop(tmp_path / "other" / "place")
    assert again.builds() == before
    for build in before:
        assert again.open(build.id).kit.name == build.kit
    assert {p.name for p in again.places.pictures.iterdir()} == {p.name for p in (away / "pictures").iterdir()}
    assert list(again.places.sheets.glob("*.pdf"))
    again.close()
    away.rename(tmp_path / "shop")


def test_a_backup_is_an_ordinary_zip_with_sums(shop, tmp_path):
    kept = back_up(shop, tmp_path / "b.zip")
    with zipfile.ZipFile(kept.place) as archive:
        about = json.loads(archive.read("nuvlo-backup.json"))
        assert set(archive.namelist()) == {*about["sha256"], "nuvlo-backup.json"}
    assert about["events"] == sum(shop.logbook.counts().values())
    assert not [n for n in about["sha256"] if n.startswith(".") or "-wal" in n]


@pytest.mark.parametrize("damage", ["a byte", "cut off", "a file gone", "another sum", "no contents", "leads out", "no zip"])
def test_a_damaged_one_is_refused_and_nothing_is_put_back(shop, tmp_path, damage):
    kept = back_up(shop, tmp_path / "b.zip")
    data = bytearray(kept.place.read_bytes())
    with zipfile.ZipFile(kept.place) as archive:
        files = {n: archive.read(n) for n in archive.namelist()}
    about = json.loads(files["nuvlo-backup.json"])
    if damage == "a byte":
        data[len(data) // 3] ^= 0x10
    elif damage == "cut off":
        data = data[: len(data) // 2]
    elif damage == "no zip":
        data = bytearray(b"no zip")
    if damage in ("a byte", "cut off", "no zip"):
        kept.place.write_bytes(data)
    else:
        if damage == "a file gone":
            del files["logbook.db"]
        elif damage == "another sum":
            about["sha256"]["logbook.db"] = "0" * 64
        elif damage == "leads out":
            files["../../evil"] = b"x"
            about["sha256"]["../../evil"] = "0" * 64
        files["nuvlo-backup.json"] = b"{}" if damage == "no contents" else json.dumps(about).encode()
        with zipfile.ZipFile(kept.place, "w") as archive:
            for name, content in files.items():
                archive.writestr(name, content)
    there = sorted(p.name for p in tmp_path.iterdir())
    with pytest.raises(NuvloError):
        restore(kept.place, tmp_path / "new")
    assert sorted(p.name for p in tmp_path.iterdir()) == there


def test_what_is_there_is_never_written_over(shop, tmp_path):
    kept = back_up(shop, tmp_path / "b.zip")
    with pytest.raises(NuvloError, match="is there already"):
        restore(kept.place, tmp_path / "shop")
    with pytest.raises(NuvloError, match="outside its folder"):
        back_up(shop, tmp_path / "shop" / "b.zip")
    before = kept.place.read_bytes()
    with pytest.raises(NuvloError, match="stick is plugged in"):
        back_up(shop, tmp_path / "no" / "such" / "folder.zip")
    assert kept.place.read_bytes() == before


def test_the_verbs(shop, tmp_path, capsys):
    assert main(["backup", str(tmp_path / "shop"), str(tmp_path / "b.zip"), "--json"]) == 0
    made = json.loads(capsys.readouterr().out)
    assert main(["restore", made["file"], str(tmp_path / "new"), "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["events"] == made["events"]
    assert main(["restore", made["file"], str(tmp_path / "new")]) == 1
    assert main(["backup", str(tmp_path)]) == 1
    assert "is not a workshop" in capsys.readouterr().err


@pytest.mark.parametrize("name", ["stick", "media/stick", "media/stick/shop.zip", "stick.tar"])
def test_a_folder_that_is_not_there_is_no_name_for_a_backup(shop, tmp_path, name):
    """A stick that is not plugged in: nothing is written under its name, and nobody is told that it was."""
    before = sorted(tmp_path.iterdir())
    with pytest.raises(NuvloError, match="whether the stick is plugged in"):
        back_up(shop, tmp_path / name)
    assert sorted(tmp_path.iterdir()) == before


def test_a_full_disk_is_said_and_the_backup_before_stays(shop, tmp_path, monkeypatch):
    kept = back_up(shop, tmp_path / "b.zip")
    before = kept.place.read_bytes()

    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("nuvlo.workshop.backup.write_whole", full)
    with pytest.raises(NuvloError, match=r"b\.zip cannot be written: No space left"):
        back_up(shop, tmp_path / "b.zip")
    assert kept.place.read_bytes() == before
