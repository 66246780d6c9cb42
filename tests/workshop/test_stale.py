"""What was true of a state before must not be said of the next one."""

import pytest

from nuvlo.kit import Stage
from nuvlo.measurement import volts_at
from nuvlo.model import Window
from nuvlo.stages.answer import Solved
from nuvlo.workshop.answers import Answer
from tests.workshop.test_session import line


def test_a_reading_is_not_judged_by_a_stale_window(bench):
    """The windows were worked out before a part was measured: a reading taken after it waits for the new ones."""
    session = bench(3, kind="typed")
    line(session, "stage wake")
    session.adopt(
        Answer(session.question(Stage.WAKE), Solved({volts_at("TP1"): Window(volts_at("TP1"), "V", 1.0, 0.9, 1.1)}))
    )
    line(session, "r3 39.1k")
    assert line(session, "tp1 8.5").words == "TP1 reads 8.5\u202fV."
    taken = session.build.latest(volts_at("TP1"))
    assert taken.expected is None
    session.settle()
    low, high = session.build.latest(volts_at("TP1")).expected[1:]
    assert low < 8.5 < high, "the window of its own state came later, and is kept with it"


def test_a_change_of_the_kit_lets_go_of_what_was_chosen_for_the_part(bench):
    session = bench(3, kind="typed")
    line(session, "stage choose")
    line(session, "confirm") if session.now().task.hazard else None
    line(session, "choose 220n")
    assert session.build.chosen_values["C1"] == "220n"
    line(session, "mod c1 470n because in between")
    assert "C1" not in session.build.chosen_values
    assert session.kit.part("C1").text == "470n"


def test_a_variant_may_change_a_rating(gorsefire):
    from nuvlo.kit.variant import change, varied

    part = gorsefire.part("C4")
    other = varied(gorsefire, [change(gorsefire, "C4", f"{part.text} 50V")])
    assert (other.part("C4").value, other.part("C4").rating) == (part.value, "50V")
    assert varied(gorsefire, [change(gorsefire, "C4", "47u")]).part("C4").rating == part.rating


@pytest.mark.parametrize(("factor", "wrong"), [(1.0005, False), (1.1, True), (0.91, True), (10.0, True)])
def test_a_list_that_differs_from_its_netlist_is_an_error(tmp_path, factor, wrong):
    """By a tenth as well as by a decade; a tenth of a per cent is rounding."""
    import shutil

    from nuvlo.files.kit_folder import check_kit
    from nuvlo.problems import errors
    from nuvlo.workshop.demo import SHIPPED

    folder = tmp_path / "kit"
    shutil.copytree(SHIPPED / "sluice", folder)
    text = (folder / "circuit.cir").read_text()
    refs = {row.split(",")[0].lower() for row in (folder / "bom.csv").read_text().splitlines()}
    name, value = next((w[0], w[3]) for w in (row.split() for row in text.splitlines()) if len(w) == 4 and w[0] in refs)
    from nuvlo.circuit.number import spice_number

    changed = "\n".join(
        f"{row.rsplit(' ', 1)[0]} {spice_number(value) * factor:.9g}" if row.split()[:1] == [name] else row
        for row in text.splitlines()
    )
    (folder / "circuit.cir").write_text(changed + "\n")
    found = errors(check_kit(folder)[1])
    assert bool(found) == wrong, found
    assert all(p.ref and p.ref.lower() == name for p in found)


def test_the_clean_level_is_that_of_the_frequency_that_clips_first(gorsefire, monkeypatch):
    """Three frequencies are tried for each member; a stage that clips at the low end alone must set the level."""
    from nuvlo.model import WorkingModel, working

    tried = []

    def level(point, source, nodes, limit, frequency, levels):
        tried.append(frequency)
        return 0.1 if frequency < 100 else 1.0

    monkeypatch.setattr(working, "largest_clean_level", level)
    assert WorkingModel(gorsefire, members=50).clean_level() == pytest.approx(working.CLEAN_MARGIN * 0.1)
    assert len({round(f) for f in tried}) == 3


def test_an_answer_belongs_to_one_build(tmp_path, gorsefire):
    """Two units of one kit in the same state: what the model said of one is not taken in by the other."""
    from nuvlo.workshop.workshop import Workshop

    workshop = Workshop(tmp_path)
    first, second = (workshop.start(gorsefire) for _ in range(2))
    answer = first.solve(Stage.WAKE)
    assert not second.adopt(answer)
    assert second.solved(Stage.WAKE) is None
    assert first.adopt(answer)
