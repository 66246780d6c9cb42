"""The demo workshop is set out by the program's own commands, and its shelf tells where each build stands."""

from datetime import datetime, timedelta

import pytest

from nuvlo.clock import standing
from nuvlo.problems import NuvloError
from nuvlo.progress import Progress, under
from nuvlo.workshop import demo
from nuvlo.workshop.demo import SCENES, demo_workshop, write_sheets
from nuvlo.workshop.shelf import card_of, shelf


def test_the_shelf_of_the_demo(tmp_path):
    """Kits on the shelf, some builds half-way, some finished, one misbehaving."""
    workshop = demo_workshop(tmp_path)
    found = shelf(workshop)
    assert [(c.kit, c.serial) for c in found.finished] == [("Gorsefire", "001")]
    assert found.finished[0].verdict == "as meant"
    stands = {f"{c.kit} {c.serial}": c for c in found.in_hand}
    assert len(stands) == len(SCENES) - 1
    stuck = [name for name, c in stands.items() if c.stuck]
    assert stuck == ["Gorsefire 002"]
    assert f"{found.in_hand[0].kit} {found.in_hand[0].serial}" == stuck[0], "what is stuck comes first"
    assert "in the post" in stands["Millrace 001"].waits
    assert stands["Barrowmoor 001"].dries
    assert {k.name for k in found.kits} >= {"Kilnlight", "Tidewheel", "Landing", "Oxbow", "Sluice", "Lampwick"}
    workshop.close()
    assert len(demo_workshop(tmp_path).builds()) == len(SCENES), "it is set out once"


def without_ids(events: list[dict]) -> list[dict]:
    """What happened, whatever its events are called."""
    places = {e["id"]: k for k, e in enumerate(events)}
    return [{"at": round(e["at"] / 60), **{k: places.get(v, v) if isinstance(v, str) else v for k, v in e["body"].items()}} for e in events]


def cards(written: dict) -> dict:
    """What the shelf says, to the minute."""
    dries = [{**d, "until": round(d["until"] / 60)} for d in written["card"]["dries"]]
    return {**written["card"], "build": "", "dries": dries}


@pytest.mark.parametrize("which", [slice(2, 5), pytest.param(slice(None), marks=pytest.mark.long)], ids=["quick ones", "all"])
def test_what_is_written_down_is_what_the_programs_commands_do(tmp_path, monkeypatch, which):
    """Where this fails, what a build asks for has changed: run make demo-log."""
    monkeypatch.setattr(demo, "SCENES", SCENES[which])
    written = demo._written_down()
    for scene, made in demo.carried_out(tmp_path).items():
        assert without_ids(made["events"]) == without_ids(written[scene]["events"]), scene
        assert cards(made) == cards(written[scene]), scene


def test_scenes_written_down_are_all_there_are_and_their_cards_are_those_made_anew(tmp_path):
    assert list(demo._written_down()) == [repr(scene) for scene in SCENES]
    workshop = demo_workshop(tmp_path)
    for (build, kept), scene in zip(workshop.logbook.cards().items(), SCENES, strict=True):
        anew = card_of(workshop.open(build).snapshot())
        gone_to = {"stage", "states"} if any(line.startswith("stage") for line in scene.first) else set()  # where one looks is not logged
        others = {"last_at", "dries", "step"} | gone_to
        assert anew.model_dump(exclude=others) == kept.model_dump(exclude=others)
        assert abs(anew.last_at - kept.last_at) < timedelta(seconds=2)
        assert [d.words for d in anew.dries] == [d.words for d in kept.dries]
        assert anew.last_at <= datetime.now().astimezone()


def test_a_scene_that_is_not_written_down_is_played(tmp_path, monkeypatch):
    monkeypatch.setattr(demo, "SCENES", SCENES[2:3])
    monkeypatch.setattr(demo, "WRITTEN_DOWN", tmp_path / "none.json")
    assert [b.kit for b in demo_workshop(tmp_path / "demo").builds()] == ["Reedling"]


def test_sheets_of_the_demo_are_written_once_it_is_shown(tmp_path):
    workshop = demo_workshop(tmp_path)
    sheets = workshop.places.sheets
    assert not list(sheets.glob("*.pdf"))
    write_sheets(workshop)
    (pdf,) = sheets.glob("*.pdf")
    assert "practice" in pdf.name
    before = pdf.stat().st_mtime_ns
    write_sheets(workshop)
    assert pdf.stat().st_mtime_ns == before


def test_a_demo_that_was_cut_off_is_set_out_to_its_end(tmp_path, monkeypatch):
    monkeypatch.setattr(demo, "SCENES", SCENES[2:5])
    progress = Progress(lambda words: progress.stop() if words == "Millrace" else None)
    with pytest.raises(NuvloError, match="stopped"), under(progress):
        demo_workshop(tmp_path)
    assert [b.kit for b in demo_workshop(tmp_path).builds()] == ["Reedling", "Millrace", "Barrowmoor"]
    another = demo_workshop(tmp_path, another=True).builds()
    assert (another[-1].kit, another[-1].bench) == ("Gorsefire", "simulated:10")


def test_a_card_is_made_anew_once_what_it_waits_for_is_dry_and_not_before(tmp_path, monkeypatch):
    monkeypatch.setattr(demo, "SCENES", SCENES[4:5])
    workshop = demo_workshop(tmp_path)
    opened = []
    plain = workshop.open
    monkeypatch.setattr(workshop, "open", lambda build: (opened.append(build), plain(build))[1])
    (card,) = shelf(workshop).in_hand
    assert card.dries
    assert not opened, "nothing has changed: it need not be folded"
    with standing(datetime.now() + timedelta(days=1)):
        (later,) = shelf(workshop).in_hand
    assert opened
    assert not later.dries
