"""Kit folders: read whole, checked in one pass, every finding placed."""

import re
import shutil
import zipfile
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nuvlo.files.kit_folder import check_kit, cover_of, read_kit
from nuvlo.files.recipe import read_recipe
from nuvlo.files.tables import Fields, part, read_table
from nuvlo.files.whole import text_of
from nuvlo.kit import KitError
from nuvlo.problems import NuvloError
from nuvlo.quantity.tolerance import parse_tolerance
from nuvlo.workshop.demo import SHIPPED


@pytest.fixture
def folder(tmp_path) -> Path:
    return Path(shutil.copytree(SHIPPED / "gorsefire", tmp_path / "gorsefire"))


def test_the_demo_kit_is_without_fault(gorsefire):
    assert check_kit(SHIPPED / "gorsefire") == ("Gorsefire", ())
    assert gorsefire.missing == ()
    assert len(gorsefire.parts) == 27
    assert gorsefire.part("r3").limits == pytest.approx((38610.0, 39390.0))
    assert (gorsefire.element_of("RV1"), gorsefire.element_of("Q1"), gorsefire.element_of("J1")) == ("xrv1", "q1", None)


@pytest.mark.parametrize(
    ("file", "old", "new", "says"),
    [
        ("kit.toml", 'name = "Gorsefire"', "name = 3", "kit.name"), ("kit.toml", "volts = 9.0", 'volts = "9 parsec"', "unit"),
        ("kit.toml", "tolerance = 0.03", "tolerance = 1.5", "less than 1"), ("kit.toml", "[prove]", "[prove", "Expected"),
        ("kit.toml", 'node = "c2"\nsays', 'node = "c9"\nsays', "no node 'c9'"), ("kit.toml", 'ref = "RV1"', 'ref = "RV7"', "no part"),
        ("kit.toml", 'watch = "TP5"', 'watch = "TP8"', "no test point"), ("kit.toml", 'element = "vsup"', 'element = "vx"', "no source"),
        ("kit.toml", 'part = "C1"', 'part = "C7"', "no part 'c7'"), ("kit.toml", 'value = "47n"', 'value = "47q"', "unit"),
        ("kit.toml", 'stage = "wake"', 'stage = "tea"', "hazard"), ("kit.toml", "fraction = 0.5", "fracton = 0.5", "fracton"),
        ("kit.toml", 'source = "vin"', 'source = "r1"', "no source 'r1'"),
        ("bom.csv", "R3,resistor,39k", "R3,resistor,39q", "unit"), ("bom.csv", "R3,resistor,39k", "R3,resistor,33k", "in circuit.cir"),
        ("bom.csv", "R4,resistor", "R3,resistor", "listed twice"), ("bom.csv", "R3,resistor,39k,1%", "R3,resistor,39k,1..2", "tolerance"),
        ("bom.csv", "ref,kind,value", "ref,sort,value", "column kind is missing"), ("bom.csv", "bf=420..800", "bf=420", "not a spread"),
        ("bom.csv", "R1,resistor,100R,1%,0.25 W,axial-10,2.4,,,no", "R1,resistor,100R,1%,0.25 W,axial-10,2.4,,,maybe", "yes nor no"),
        ("bom.csv", "R1,resistor,100R", "R1,resistor,", "is empty"), ("bom.csv", "board,lamp series", "board,lamp, series, yes", "fields"),
        ("circuit.cir", "r3 vcc c1 39k", "r3 vcc c1 39k7", "not a number"), ("circuit.cir", "q1 c1 b1 0 bc549c", "q1 c1 b1 0 bc548", "not defined"),
        ("placement.csv", "R1,axial-10,28.0", "R1,axial-10,left", "no value"), ("placement.csv", ",top", ",inside", "neither top nor"),
        ("pads.csv", "1.8,vd", "1.8,vq", "does not have"), ("pads.csv", "1.8,vd", "-1.8,vd", "more than 0"),
        ("outline.csv", "2,0", "two,0", "no value"), ("wiring.csv", "J3.plus,W3", "J3.plus,W33", "neither a pad nor a part"),
        ("panel.csv", "7.2,FUZZ", "big,FUZZ", "no value"),
    ],
)  # fmt: skip
def test_each_mistake_is_found_and_placed(folder, file, old, new, says):
    path = folder / file
    text = path.read_text()
    if old not in text and file == "placement.csv":
        old = re.search(r"R1,axial-10,\S+?(?=,)", text)[0]
    assert old in text
    broken = text.replace(old, new, 1)
    path.write_text(broken)
    _, problems = check_kit(folder)
    assert problems, "the mistake was not seen"
    found = next((p for p in problems if says in str(p)), None)
    assert found, [str(p) for p in problems]
    assert found.file == file
    assert found.line, "a place is given"
    # Where the change is within one line, the finding names that line or the table's first line that it belongs to.
    changed = next(k for k, (a, b) in enumerate(zip(text.splitlines(), broken.splitlines(), strict=False), 1) if a != b)
    assert abs(found.line - changed) <= 4
    with pytest.raises(KitError):
        read_kit(folder)


def test_one_pass_finds_mistakes_in_several_files(folder):
    for name, old, new in (("bom.csv", "39k", "39q"), ("pads.csv", "1.8,", "0,"), ("kit.toml", "= 9.0", '= "x"')):
        (folder / name).write_text((folder / name).read_text().replace(old, new, 1))
    (folder / "circuit.cir").write_text("t\nr1 a 0 4k7\n")
    _, problems = check_kit(folder)
    assert {p.file for p in problems} == {"bom.csv", "pads.csv", "kit.toml", "circuit.cir"}


def test_a_parts_list_alone_is_a_kit(tmp_path):
    (tmp_path / "bom.csv").write_text('ref,kind,value,tolerance\nR1,resistor,"4,7k",5%\nC1,capacitor,100n,-20/+80%\n')
    kit = read_kit(tmp_path)
    assert kit.part("R1").value == 4700.0
    assert kit.part("c1").tolerance == (-0.2, 0.8)
    assert any("circuit.cir" in m for m in kit.missing)
    assert kit.board is None


def test_folders_that_are_no_kits(tmp_path):
    assert "not a kit folder" in str(check_kit(tmp_path / "nowhere")[1][0])
    assert "is missing" in str(check_kit(tmp_path)[1][0])
    (tmp_path / "bom.csv").write_bytes(b"ref,kind,value\nR1,resistor,1k\xff\n")
    assert "not UTF-8" in str(check_kit(tmp_path)[1][0])


def test_a_zip_reads_like_its_folder(folder, tmp_path):
    for root, base in ((folder.parent, "gorsefire"), (folder, ".")):
        archive = Path(shutil.make_archive(str(tmp_path / f"zip{len(base)}"), "zip", root, base))
        assert read_kit(archive).name == "Gorsefire"
    bad = tmp_path / "bad.zip"
    bad.write_text("no zip")
    with pytest.raises(KitError, match="no zip"):
        read_kit(bad)


def test_a_part_without_element_is_a_warning(folder):
    with (folder / "bom.csv").open("a") as file:
        file.write("R99,resistor,1k,1%,,,,,,no,,,board,\n")
    kit = read_kit(folder)
    assert [p.severity for p in kit.warnings] == ["warning"] or kit.find_part("R99")
    name, problems = check_kit(folder)
    assert (name, [p.severity for p in problems], problems[0].ref) == ("Gorsefire", ["warning"], "R99")


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("5%", (-0.05, 0.05)),
        ("±1 %", (-0.01, 0.01)),
        ("-20/+50%", (-0.2, 0.5)),
        ("", None),
        ("2,5%", (-0.025, 0.025)),
        ("10", (-0.1, 0.1)),
    ],
)
def test_tolerances(text, value):
    assert parse_tolerance(text) == (pytest.approx(value) if value else None)


@pytest.mark.parametrize("text", ["x", "5/6/7", "20/50%", "-120/+5%"])
def test_bad_tolerances(text):
    with pytest.raises(ValueError, match=r"not a tolerance|not enough|too many"):
        parse_tolerance(text)


@given(st.lists(st.lists(st.text(alphabet='ab1k,";\n ', max_size=6), max_size=5), max_size=5))
def test_any_table_gives_rows_or_placed_problems(rows):
    text = "ref,kind,value\n" + "\n".join(",".join(cells) for cells in rows)
    found, problems = read_table(text, "x.csv", ("ref", "kind", "value"), part)
    assert all(p.line and p.column for p in problems)
    assert all(isinstance(line, int) for line, _ in found)


def test_the_column_of_a_quoted_field_is_counted_right():
    def row(f: Fields) -> float:
        return f.number("value")

    _, problems = read_table('ref,note,value\nR1,"a, b",4q\n', "x.csv", ("ref", "value"), row)
    assert (problems[0].line, problems[0].column) == (2, 11)


def test_board_geometry(gorsefire):
    board = gorsefire.board
    assert board.size == (64.0, 42.0)
    for pad in board.pads:
        mirrored = board.seen_from(pad.x_mm, "bottom")
        assert mirrored == pytest.approx(64.0 - pad.x_mm), "turned about its vertical axis"
        assert board.seen_from(mirrored, "bottom") == pytest.approx(pad.x_mm), "turned twice is as before"
        assert board.seen_from(pad.x_mm, "top") == pad.x_mm


def test_pads_keep_clear_of_other_nets(gorsefire):
    """A board a builder could solder: pads of differing nets at least 0.4 mm apart."""
    pads = gorsefire.board.pads
    for i, a in enumerate(pads):
        for b in pads[i + 1 :]:
            if a.net != b.net:
                gap = ((a.x_mm - b.x_mm) ** 2 + (a.y_mm - b.y_mm) ** 2) ** 0.5 - (a.pad_mm + b.pad_mm) / 2
                assert gap > 0.4, (a, b)


def test_pads_are_on_the_nets_of_their_elements(gorsefire):
    """The board and the netlist describe one circuit: each two-terminal part's pads carry its element's nodes."""
    circuit = gorsefire.unit
    names = [*circuit.nodes, "0"]
    for ref in ("R1", "R2", "R3", "R4", "R5", "R6", "C1", "C2", "C3", "C4", "D1", "Q1", "Q2"):
        nets = {p.net for p in gorsefire.board.pads_of(ref)}
        assert nets == {names[n] for n in circuit.element(ref.lower()).nodes}, ref


@pytest.mark.parametrize(
    ("row", "stands"),
    [("R1,resistor,1k,axial-10,3.1", 3.1), ("R1,resistor,1k,axial-10,", 2.5), ("C1,electrolytic,10u,,", 12.0), ("R1,resistor,1k,0805,", 1.0),
     ("X1,capsule,large,,", 8.0)],
)  # fmt: skip
def test_how_high_a_part_stands_is_known_or_usual(row, stands, tmp_path):
    (tmp_path / "bom.csv").write_text(f"ref,kind,value,package,height_mm\n{row}\n")
    (only,) = read_kit(tmp_path).parts.values()
    assert only.stands_mm == stands


def test_a_text_that_cannot_be_read_is_named_without_its_path(tmp_path):
    with pytest.raises(NuvloError, match=r"none\.csv: cannot be read: No such file") as caught:
        text_of(tmp_path / "none.csv")
    assert str(tmp_path) not in str(caught.value)
    (tmp_path / "latin.csv").write_bytes(b"\xb5")
    with pytest.raises(NuvloError, match="not UTF-8"):
        text_of(tmp_path / "latin.csv")
    (tmp_path / "marked.csv").write_bytes(b"\xef\xbb\xbfref")
    assert text_of(tmp_path / "marked.csv") == "ref"


def test_wires_end_at_pads_that_are_no_part_and_no_point(gorsefire):
    assert gorsefire.wire_ends == tuple(f"W{k}" for k in range(1, 10))
    assert read_kit(SHIPPED / "oxbow").wire_ends == ()


@pytest.mark.parametrize("inside", ["", "sluice/"])
def test_a_zip_leaves_nothing_behind(tmp_path, monkeypatch, inside):
    """Whether it holds a folder or the files themselves: what was unpacked is gone when the program ends."""
    from nuvlo.files import kit_folder

    scratch = tmp_path / "scratch"
    scratch.mkdir()
    monkeypatch.setattr("tempfile.tempdir", str(scratch))
    monkeypatch.setattr(kit_folder, "_scratch", [])
    with zipfile.ZipFile(tmp_path / "Sluice box.zip", "w") as archive:
        for file in (SHIPPED / "sluice").iterdir():
            archive.write(file, f"{inside}{file.name}")
    kit = read_kit(tmp_path / "Sluice box.zip")
    assert kit.name == "Sluice"
    assert kit_folder.is_scratch(kit.folder)
    kit_folder.leave_nothing()
    assert list(scratch.iterdir()) == []


def test_a_kit_of_a_zip_is_kept_in_the_workshop(tmp_path):
    """It can be opened after the program has ended; the same zip is the same kit, another is not."""
    from nuvlo.files import kit_folder
    from nuvlo.workshop.workshop import Workshop

    def zipped(name: str, more: str = "") -> Path:
        with zipfile.ZipFile(tmp_path / name, "w") as archive:
            for file in (SHIPPED / "sluice").iterdir():
                archive.writestr(f"sluice/{file.name}", file.read_text() + (more if file.name == "kit.toml" else ""))
        return tmp_path / name

    workshop = Workshop(tmp_path / "shop")
    first = workshop.start(read_kit(zipped("a.zip"))).build
    kit_folder.leave_nothing()
    workshop.close()
    again = Workshop(tmp_path / "shop")
    assert again.open(first.id).kit.name == "Sluice"
    assert again.places.keep_kit(read_kit(zipped("b.zip"))) == first.folder
    assert again.places.keep_kit(read_kit(zipped("c.zip", "\n# another revision\n"))) != first.folder


def test_another_revision_of_a_kit_says_what_it_has_otherwise(tmp_path):
    from nuvlo.workshop.workshop import Workshop

    kit = shutil.copytree(SHIPPED / "sluice", tmp_path / "sluice")
    workshop = Workshop(tmp_path / "shop")

    def opened(**changes: tuple[str, str]) -> tuple[str, str]:
        for file in kit.iterdir():
            before, after = changes.get(file.stem, ("", ""))
            assert before in file.read_text()
            file.write_text(file.read_text().replace(before, after, 1) if before else file.read_text())
        archive = Path(shutil.make_archive(str(tmp_path / f"box{len(list(tmp_path.iterdir()))}"), "zip", kit))
        session, words = workshop.open_kit(read_kit(archive))
        return session.build.serial, words

    assert opened() == ("001", "")
    assert opened() == ("001", ""), "the same contents are the same kit"
    row = next(r for r in (kit / "bom.csv").read_text().splitlines()[1:] if r.startswith("R"))
    ref, kind, value = row.split(",")[:3]
    card = next(c for c in (kit / "circuit.cir").read_text().splitlines() if c.lower().startswith(ref.lower() + " "))
    serial, words = opened(bom=(f"{ref},{kind},{value},", f"{ref},{kind},12k,"), circuit=(card, card.replace(card.split()[3], "12k")))
    assert serial == "002"
    assert words == f"This is another revision of Sluice than No. 001 was begun with: {ref} {value} → 12k."
    serial, words = opened(kit=("[kit]", "# a remark\n[kit]"))
    assert (serial, "in its notes alone" in words) == ("003", True)
    assert opened() == ("003", "")
    workshop.close()


@pytest.mark.parametrize("text", [
    "open_minutes = 1e300", "open_minutes = inf", "wait_hours = 1e9", "minutes = nan", "clamps = 999999999999",
])  # fmt: skip
def test_every_number_of_cabinet_work_has_bounds(tmp_path, text):
    """1e300 minutes passed the check, and ended the window at every opening."""
    shutil.copytree(SHIPPED / "barrowmoor", tmp_path / "kit")
    toml = (tmp_path / "kit" / "kit.toml").read_text()
    craft = (
        '\n[[craft]]\nid = "odd"\ntitle = "Odd"\n'
        + ("" if text.startswith("minutes") else "minutes = 5\n")
        + text
        + "\n"
    )
    (tmp_path / "kit" / "kit.toml").write_text(toml + craft)
    _, problems = check_kit(tmp_path / "kit")
    (wrong,) = [p for p in problems if p.severity == "error"]
    assert text.split()[0] in wrong.message
    assert wrong.line


@pytest.mark.parametrize(("key", "value"), [("volts", "1e300"), ("travel_deg", "inf"), ("to_hz", "1e99")])
def test_every_number_of_a_kit_has_bounds(tmp_path, key, value):
    shutil.copytree(SHIPPED / "gorsefire", tmp_path / "kit")
    toml = (tmp_path / "kit" / "kit.toml").read_text()
    worse, changed = re.subn(rf"\b{key} = [\d.]+", f"{key} = {value}", toml, count=1)
    assert changed
    (tmp_path / "kit" / "kit.toml").write_text(worse)
    assert any(key in p.message for p in check_kit(tmp_path / "kit")[1] if p.severity == "error")


@pytest.mark.parametrize("row", ["R99," + "9" * 200_000 + ",1k", "R99,resis\rtor,1k"])
def test_a_table_that_cannot_be_cut_into_fields_is_told_of(tmp_path, row):
    shutil.copytree(SHIPPED / "sluice", tmp_path / "kit")
    with (tmp_path / "kit" / "bom.csv").open("a", newline="") as file:
        file.write(row + "\n")
    assert any(
        p.file == "bom.csv" and p.line and "cut into fields" in p.message for p in check_kit(tmp_path / "kit")[1]
    )


@pytest.mark.parametrize(
    ("text", "says"),
    [("kit = 3", "valid dictionary"), ("a = " + "[" * 20_000 + "]" * 20_000, "nested too deeply"), ("a = " + "9" * 6000, "thousands of digits"),
     ("[kit", "Expected")],
)  # fmt: skip
def test_a_kit_file_that_is_none_is_told_of_and_hides_no_other_kit(tmp_path, text, says):
    """``kit = 3`` in one folder took the whole shelf down."""
    shutil.copytree(SHIPPED / "sluice", tmp_path / "odd")
    (tmp_path / "odd" / "kit.toml").write_text(text)
    assert any(p.file == "kit.toml" and p.line and says in p.message for p in check_kit(tmp_path / "odd")[1])
    cover = cover_of(tmp_path / "odd")
    assert cover.name == "odd"
    assert bool(cover.problem) == (text != "kit = 3")
    (tmp_path / "recipe.toml").write_text(text)
    with pytest.raises(NuvloError, match=r"recipe\.toml"):
        read_recipe(tmp_path)


def test_an_included_file_may_be_in_older_letters(tmp_path):
    shutil.copytree(SHIPPED / "sluice", tmp_path / "kit")
    (tmp_path / "kit" / "own.inc").write_bytes("* 10 µF\n".encode("latin-1"))
    with (tmp_path / "kit" / "circuit.cir").open("a") as file:
        file.write("\n.include own.inc\n")
    assert not [p for p in check_kit(tmp_path / "kit")[1] if p.severity == "error"]


@pytest.mark.parametrize("rating", ["9" * 400 + " V", "٤٠٠ V", "1e999 V", "-5 V", "nan V", "²50V"])
def test_any_rating_is_read_or_refused(tmp_path, rating):
    from nuvlo.electrics.stress import overstressed

    kit = shutil.copytree(SHIPPED / "gorsefire", tmp_path / "kit")
    lines = (kit / "bom.csv").read_text().splitlines()
    at = lines[0].split(",").index("rating")
    row = next(k for k, line in enumerate(lines) if line.startswith("C1,"))
    cells = lines[row].split(",")
    cells[at] = rating
    lines[row] = ",".join(cells)
    (kit / "bom.csv").write_text("\n".join(lines) + "\n")
    try:
        overstressed(read_kit(kit))
    except NuvloError as refused:
        assert "bom.csv" in str(refused)
