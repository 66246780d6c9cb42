"""The demo workshop is set out by the program's own commands, and its shelf tells where each build stands."""

import pytest

from nuvlo.problems import NuvloError
from nuvlo.progress import Progress, under
from nuvlo.workshop import demo
from nuvlo.workshop.demo import SCENES, demo_workshop
from nuvlo.workshop.shelf import shelf


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


def test_a_demo_that_was_cut_off_is_set_out_to_its_end(tmp_path, monkeypatch):
    monkeypatch.setattr(demo, "SCENES", SCENES[2:5])
    progress = Progress(lambda words: progress.stop() if words == "Millrace" else None)
    with pytest.raises(NuvloError, match="stopped"), under(progress):
        demo_workshop(tmp_path)
    assert [b.kit for b in demo_workshop(tmp_path).builds()] == ["Reedling", "Millrace", "Barrowmoor"]
    another = demo_workshop(tmp_path, another=True).builds()
    assert (another[-1].kit, another[-1].bench) == ("Gorsefire", "simulated:10")
