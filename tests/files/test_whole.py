"""What is read is bounded and stays in its folder; what is written is whole or not there."""

import os
import shutil
import stat
import time
import zipfile

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nuvlo.files.kit_folder import check_kit, read_kit
from nuvlo.files.whole import MOST_BYTES, bytes_of, file_name, folder_whole, text_of, unpack, write_whole
from nuvlo.problems import NuvloError
from nuvlo.quantity import UnreadableValue, parse_value
from nuvlo.workshop.demo import SHIPPED


@pytest.fixture
def kit(tmp_path):
    shutil.copytree(SHIPPED / "sluice", tmp_path / "kit")
    return tmp_path / "kit"


def said(folder) -> str:
    return " ".join(str(p) for p in check_kit(folder)[1])


@pytest.mark.parametrize("name", ["kit.toml", "bom.csv", "circuit.cir", "pads.csv"])
@pytest.mark.parametrize("target", ["/dev/zero", "/etc/hostname", "../outside.txt"])
def test_a_link_that_leads_out_of_a_kit_is_refused(kit, name, target):
    (kit.parent / "outside.txt").write_text("secret")
    (kit / name).unlink()
    (kit / name).symlink_to(target)
    assert "leads out of its folder" in said(kit)
    assert "secret" not in said(kit)


@pytest.mark.parametrize("wanted", ["../outside.lib", "/etc/hostname", "linked.lib"])
def test_an_include_that_leads_out_is_refused(kit, wanted):
    (kit.parent / "outside.lib").write_text(".subckt secret a b\n.ends\n")
    (kit / "linked.lib").symlink_to(kit.parent / "outside.lib")
    text = (kit / "circuit.cir").read_text()
    (kit / "circuit.cir").write_text(text.replace(".end\n", f".include {wanted}\n.end\n"))
    assert "neither in the kit folder nor in the library" in said(kit)


def test_a_file_that_is_too_large_or_no_file_is_refused(tmp_path):
    (tmp_path / "big.csv").write_bytes(b"x" * (MOST_BYTES + 1))
    with pytest.raises(NuvloError, match="larger than 8 MB"):
        text_of(tmp_path / "big.csv")
    os.mkfifo(tmp_path / "pipe.csv")
    with pytest.raises(NuvloError, match="not a file"):
        text_of(tmp_path / "pipe.csv")
    with pytest.raises(NuvloError, match="not a file"):
        bytes_of(tmp_path)


def zipped(path, **files) -> None:
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(name.replace("__", "/"), data)


def test_a_zip_that_would_unpack_to_too_much_is_refused_before_a_byte_is_written(tmp_path):
    zipped(tmp_path / "bomb.zip", bom=b"\0" * 70_000_000)
    assert (tmp_path / "bomb.zip").stat().st_size < 100_000
    with pytest.raises(NuvloError, match="more than 500 files and 64 MB"):
        unpack(tmp_path / "bomb.zip", tmp_path / "out")
    assert not (tmp_path / "out").exists()
    with zipfile.ZipFile(tmp_path / "many.zip", "w") as archive:
        for k in range(600):
            archive.writestr(f"f{k}", "")
    with pytest.raises(NuvloError, match="more than 500"):
        read_kit(tmp_path / "many.zip")


def test_a_zip_that_leads_out_is_encrypted_or_odd_is_refused(tmp_path):
    with zipfile.ZipFile(tmp_path / "up.zip", "w") as archive:
        archive.writestr("../evil.txt", "x")
    with pytest.raises(NuvloError, match="leads out"):
        unpack(tmp_path / "up.zip", tmp_path / "a" / "out")
    assert not (tmp_path / "a" / "evil.txt").exists()
    link = zipfile.ZipInfo("bom.csv")
    link.external_attr = (stat.S_IFLNK | 0o777) << 16
    with zipfile.ZipFile(tmp_path / "link.zip", "w") as archive:
        archive.writestr(link, "/etc/passwd")
    with pytest.raises(NuvloError, match="leads out"):
        unpack(tmp_path / "link.zip", tmp_path / "out")
    zipped(tmp_path / "locked.zip", bom="x")
    data = bytearray((tmp_path / "locked.zip").read_bytes())
    data[data.rindex(b"PK\x01\x02") + 8] |= 1
    (tmp_path / "locked.zip").write_bytes(data)
    with pytest.raises(NuvloError, match="encrypted"):
        unpack(tmp_path / "locked.zip", tmp_path / "out")
    (tmp_path / "odd.zip").write_bytes(b"PK\x03\x04" + os.urandom(300))
    with pytest.raises(NuvloError, match="no zip"):
        unpack(tmp_path / "odd.zip", tmp_path / "out")


def test_what_is_written_is_whole_or_as_it_was(tmp_path):
    path = tmp_path / "sheet.csv"
    path.write_text("old")

    def half(there) -> None:
        there.write_text("ha")
        raise OSError("disk full")

    with pytest.raises(OSError, match="full"):
        write_whole(path, half)
    assert path.read_text() == "old"
    write_whole(path, lambda there: there.write_text("new"))
    assert [p.name for p in tmp_path.iterdir()] == ["sheet.csv"]
    assert path.read_text() == "new"
    with pytest.raises(OSError, match="full"):
        folder_whole(tmp_path / "kit", lambda there: half(there / "bom.csv"))
    assert not (tmp_path / "kit").exists(), "its name is free again"
    folder_whole(tmp_path / "kit", lambda there: (there / "bom.csv").write_text("x"))
    assert [p.name for p in (tmp_path / "kit").iterdir()] == ["bom.csv"]


def test_names_of_files_are_unique_and_bounded():
    names = [file_name(n, "001") for n in ("A/B", "A-B", "a b", "a-b ", "Ä B", "日本", "x" * 400, "x" * 401, "")]
    assert len(set(names)) == len(names)
    assert all(len(n) < 100 and n.isascii() and "/" not in n for n in names)
    assert file_name("Gorsefire", "001") == "gorsefire-001", "plain names stay plain"


@given(st.text(max_size=600), st.text(max_size=8))
def test_any_name_makes_a_name_of_a_file(kit, serial):
    made = file_name(kit, serial)
    assert made
    assert len(made) < 100
    assert all(c.isascii() and (c.isalnum() or c == "-") for c in made)


@pytest.mark.parametrize(
    "text", ["1" * 8000, "1" * 8000 + "k", "0." + "1" * 90000, "R" * 5000, "1" + " " * 9000 + "k", "9" * 400]
)
def test_a_value_of_thousands_of_digits_is_refused_at_once(text):
    began = time.process_time()
    with pytest.raises(UnreadableValue):
        parse_value(text, "Ω")
    assert time.process_time() - began < 0.5


def test_a_zip_whose_names_are_no_text_is_refused(tmp_path):
    import zipfile

    file = tmp_path / "box.zip"
    with zipfile.ZipFile(file, "w") as archive:
        archive.writestr("ünd.csv", "ref,kind,value\n")
    file.write_bytes(file.read_bytes().replace("ünd".encode(), b"\xa3\xa3nd"))
    with pytest.raises(NuvloError, match="no zip that can be opened"):
        unpack(file, tmp_path / "out")
