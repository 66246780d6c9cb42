"""A slip of the finger is asked about before anybody is accused; what is read twice stands."""

import pytest

from nuvlo.cli.main import main
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage
from nuvlo.measurement import volts_at
from nuvlo.stages.suspects import PROBING, suspect
from nuvlo.workshop.commands.arguments import StageNamed, Words
from nuvlo.workshop.commands.command import Command
from nuvlo.workshop.commands.execute import execute
from nuvlo.workshop.commands.grammar import understand
from nuvlo.workshop.places import SHIPPED
from nuvlo.workshop.workshop import Workshop

GOOD = {
    "gorsefire": ("tp0 9.0", "tp1 8.57", "tp2 1.265", "tp3 0.597", "tp4 0.637"),
    "landing": ("tp0 9.0", "tp1 8.54", "tp2 4.27", "tp3 4.27", "tp4 4.27"),
    "kilnlight": ("tp1 259", "tp2 255", "tp3 239", "tp6 156", "tp7 156"),
}


@pytest.fixture
def woken(tmp_path):
    """``woken(kit, *lines)``: a typed build in Wake with these readings taken; and what is asked for then."""
    shops = []

    def make(kit, *lines):
        shops.append(Workshop(tmp_path / f"shop{len(shops)}"))
        session = shops[-1].start(read_kit(SHIPPED / kit))
        execute(session, Command("stage", StageNamed(Stage.WAKE)))
        for line in lines:
            say(session, line)
        return session

    yield make
    for shop in shops:
        shop.close()


def say(session, line):
    execute(session, understand(line, session.kit, None, session.stage))
    session.settle()


def suspicion(session):
    """Whom the newest readings accuse, whatever the step in hand."""
    diagnosis = session.diagnosis(Stage.WAKE)
    return suspect(diagnosis, session.build, next(f.task for f in session.findings(session.stage) if f.task.quantity == "voltage"))


@pytest.mark.parametrize(("kit", "odd", "says"), [
    ("gorsefire", "tp2 12.65", "one place on"), ("gorsefire", "tp2 -1.265", "leads exchanged"), ("gorsefire", "tp1 8.57m", "without its milli"),
    ("gorsefire", "tp1 0.857", "one place back"), ("gorsefire", "tp1 34", "nothing in this unit reaches"), ("landing", "tp2 42.7", "one place on"),
    ("landing", "tp3 -4.27", "leads exchanged"), ("landing", "tp4 0.427", "one place back"), ("kilnlight", "tp2 12", "no single mistake explains"),
    ("kilnlight", "tp3 -239", "leads exchanged"), ("kilnlight", "tp6 1560", "one place on"),
])  # fmt: skip
def test_a_slip_is_asked_about_before_anybody_is_accused(woken, kit, odd, says):
    point = odd.split()[0]
    session = woken(kit, *(line for line in GOOD[kit] if line.split()[0] != point), odd)
    found = suspicion(session)
    assert says in found.again
    assert not found.suspects
    assert found.next.of.name == point.upper()
    say(session, odd)
    assert not suspicion(session).again, "what was read twice stands"
    session.build.readings[-2:] = []
    say(session, next(line for line in GOOD[kit] if line.split()[0] == point))
    assert not suspicion(session).again


@pytest.mark.parametrize("lines", [
    ("tp0 9.0", "tp1 0"), ("tp0 9.0", "tp1 8.57", "tp2 8.57"), ("tp0 9.0", "tp1 8.57", "tp2 0.001"), ("tp0 9.0", "tp1 8.57", "tp2 1.265", "tp5 8.1"), GOOD["gorsefire"],
])  # fmt: skip
def test_what_a_mistake_explains_is_no_slip(woken, lines):
    assert not suspicion(woken("gorsefire", *lines)).again


def test_the_step_in_hand_asks_for_it_again_by_name(bench):
    session = bench(3)
    while (now := session.now()).task.target != "TP2" or now.task.stage is not Stage.WAKE:
        execute(session, Command("confirm" if now.task.hazard else "accept" if now.waits else "next", *([Words("")] if now.waits else [])))
        session.settle()
    good = session.bench.take(volts_at("TP2")).value
    session.make_table()
    say(session, f"tp2 {10 * good:.2f}")
    session.accuse_at_once()
    now = session.now()
    assert now.task.id.verb == PROBING
    assert now.task.title == "Read TP2 again"
    assert "with the point one place on" in now.task.detail
    execute(session, Command("next"))
    session.settle()
    assert session.now().task.id.verb != PROBING, "read rightly, the work goes on"


def test_the_command_says_it_first(tmp_path, capsys):
    csv = tmp_path / "r.csv"
    csv.write_text("point,quantity,value,unit\nTP0,voltage,9,V\nTP2,voltage,12.65,V\n")
    assert main(["diagnose", str(SHIPPED / "gorsefire"), "--readings", str(csv)]) == 0
    assert capsys.readouterr().out.startswith("Read TP2 again: TP2 reads 12.65")
