"""Recipes and choices against closed forms from handbooks; the search against trying everything."""

import itertools

import numpy as np
import pytest

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.transient import transient
from nuvlo.files.drawer import Spare
from nuvlo.files.kit_folder import read_kit
from nuvlo.files.recipe import SHIPPED_RECIPES, read_recipe, recipe_folders
from nuvlo.kit.schema import Aim, Move
from nuvlo.markings.marking import preferred
from nuvlo.model.results import amount, results
from nuvlo.problems import NuvloError
from nuvlo.quantity import parse_value
from nuvlo.stages.choose import choice_of, propose
from nuvlo.stages.choose.recipes import work_out
from nuvlo.stages.choose.search import Question, candidates, judge, miss, search, told_apart
from nuvlo.workshop.demo import SHIPPED
from tests.conftest import long_but


def told(name, **given):
    """Results of the first proposal, its values among them."""
    best = work_out(read_recipe(recipe_folders()[name]), {k: str(v) for k, v in given.items()})[0]
    return {**best.results, **best.values}


SLOW = ("rectifier", "box-passive")


@pytest.mark.parametrize("name", long_but([n for n in recipe_folders() if n not in SLOW], list(recipe_folders())))
def test_every_recipe_is_worked_out_as_it_stands(name):
    recipe = read_recipe(recipe_folders()[name])
    found = work_out(recipe, {})
    assert found
    assert all(np.isfinite(list(p.results.values())).all() for p in found)
    if name != "rail-power":  # what is on that box is more than its supply gives
        assert found[0].miss <= 1.0
    assert not list((SHIPPED_RECIPES / name).glob("*.py"))
    for p in found:
        assert all(preferred(v, 96) for v in p.values.values())


@pytest.mark.parametrize("name", recipe_folders())
def test_inputs_that_make_no_sense_are_refused_and_the_rest_gives_numbers(name):
    """Nothing, less than nothing and a billion for each input: a result, or an error that names the input."""
    recipe = read_recipe(recipe_folders()[name])
    for one in (i for i in recipe.info.input if not i.table):
        for text in ("0", "-1", "1e9"):
            try:
                found = work_out(recipe, {one.name: text}, most=1)
            except NuvloError as refused:
                assert one.name in str(refused)
                assert "makes sense here" in str(refused)
            else:
                assert np.isfinite(list(found[0].results.values())).all()


@pytest.mark.parametrize(
    ("content", "says"),
    [("fish", "no curve"), ("10 5\n20 6\n", "no curve"), ("".join(f"{100 + k} {5 + k}\n" for k in range(20)), "less than an octave"),
     (None, "cannot be read")],
)  # fmt: skip
def test_a_file_that_is_no_curve_is_refused_in_words(content, says, tmp_path):
    path = tmp_path / "one.zma"
    if content is not None:
        path.write_text(content)
    with pytest.raises(NuvloError, match=says):
        told("impedance-measured", zma=path)


def test_a_curve_is_read_from_a_file_of_ones_own(tmp_path):
    """With remarks, a decimal comma in none of them, commas between, and phases: a peak of 40 Ω at 50 Hz over 4 Ω."""
    f = np.geomspace(10, 2000, 120)
    s = 1j * f / 50
    z = np.abs(4 + 36 * (s / 5) / (s * s + s / 5 + 1))
    (tmp_path / "one.zma").write_text("* hertz, ohms\n" + "".join(f"{a:.3f}, {b:.4f}, 0\n" for a, b in zip(f, z, strict=True)))
    r = told("impedance-measured", zma=tmp_path / "one.zma")
    assert (r["fs"], r["qms"], r["qes"]) == (pytest.approx(50, rel=0.03), pytest.approx(5, rel=0.06), pytest.approx(5 * 4 / 36, rel=0.06))


def test_a_stiff_source_may_be_given_as_nothing():
    assert told("pad", db=17.7, source=0, load=1e6)["loss"] == pytest.approx(17.7, abs=0.5)


@pytest.mark.parametrize(("source", "load", "db"), [(150, 10e3, 20), (600, 10e3, 18), (50, 2.4e3, 10), (600, 600, 6)])
def test_a_pad_takes_away_what_it_says(source, load, db):
    """Voltage division: insertion loss of a series and a shunt arm between source and load."""
    r = told("pad", db=db, source=source, load=load)
    shunt = r["shunt"] * load / (r["shunt"] + load)
    loss = 20 * np.log10((load / (source + load)) / (shunt / (source + r["series"] + shunt)))
    assert r["loss"] == pytest.approx(loss, abs=1e-6)
    assert r["loss"] == pytest.approx(db, abs=0.5)


def test_the_pad_of_the_trade_forwards_and_backwards():
    """TRADE.md section 2: 1 kΩ over 150 Ω gives −17.7 dB unloaded; backwards about −3 dB into 2.4 kΩ from a stiff source."""
    c = read_recipe(recipe_folders()["pad"]).circuit
    aims = [Aim(name=n, kind="gain", source="vin", node=n) for n in ("out", "wrong")]
    found = results(c, aims, {"source": 0.001, "load": np.array([1e9, 2.4e3]), "series": 1e3, "shunt": 150.0})
    assert found["out"][0] == pytest.approx(-17.7, abs=0.05)
    assert found["wrong"][1] == pytest.approx(-3.0, abs=0.05)


@pytest.mark.parametrize(("farads", "hertz"), [(1000e-6, 20), (2200e-6, 9)])
def test_the_coupling_capacitor_of_the_trade(farads, hertz):
    """TRADE.md section 2: 1000 µF into 8 Ω is −3 dB at 20 Hz, 2200 µF at 9 Hz."""
    c = read_recipe(recipe_folders()["coupling"]).circuit
    aim = Aim(name="f", kind="corner_low", source="vin", node="out", at="20k")
    assert results(c, [aim], {"source": 1e-3, "c": farads})["f"][0] == pytest.approx(hertz, rel=0.02)


@pytest.mark.parametrize(("supply", "load", "watts"), [(32, 8, 12), (32, 4, 18), (24, 8, 6)])
def test_power_that_a_supply_gives(supply, load, watts):
    """TRADE.md section 2, figures of chip-amplifier data sheets (practice)."""
    assert told("rail-power", supply=supply, load=load)["power"] == pytest.approx(watts, rel=0.06)


@pytest.mark.parametrize(("ratio", "db"), [(8, 18.06), (16, 24.08)])
def test_a_step_up_transformer_has_its_ratio(ratio, db):
    r = told("step-up", ratio=ratio, cartridge=10, load=100)
    assert r["of_the_ratio"] == pytest.approx(db, abs=0.01)
    windings = 1 + 100 / ratio**2
    assert r["seen"] == pytest.approx(r["r"] * 47e3 / (r["r"] + 47e3) / ratio**2 + windings, rel=0.02)


@pytest.mark.parametrize("order", [1, 2, 3, 4])
def test_crossovers_find_the_handbook_values(order):
    """High-pass tables, f = 2.5 kHz, 8 Ω. First 1/(2πfR); second (Linkwitz–Riley) 1/(4πfR), R/(πf); third (Butterworth)
    1/(3πfR), 3R/(8πf), 1/(πfR): V. Dickason, Loudspeaker Design Cookbook, tables of crossover formulas (from memory)."""
    r = told(f"crossover-{order}")
    w = 2 * np.pi * 2500
    table = {
        1: {"c1": 1 / (8 * w)},
        2: {"c1": 1 / (2 * 8 * w), "l1": 2 * 8 / w},
        3: {"c1": 2 / (3 * 8 * w), "l1": 3 * 8 / (4 * w), "c2": 2 / (8 * w)},
    }
    for name, value in table.get(order, {}).items():
        assert r[name] == pytest.approx(value, rel=0.12)
    assert r["at_corner"] == pytest.approx(-3.01 if order % 2 else -6.02, abs=0.5)


@pytest.mark.parametrize("litres", [10.0, 20.0, 60.0])
def test_a_closed_box_follows_small(litres):
    """R. H. Small, "Closed-box loudspeaker systems", J. Audio Eng. Soc. 20, 1972: QTC = QTS·√(1 + VAS/VB), and the −3 dB
    frequency of a second-order high-pass of that Q."""
    c = read_recipe(recipe_folders()["box-closed"]).circuit
    aim = Aim(name="f3", kind="corner_low", source="vin", node="out", at="2k")
    found = results(c, [aim], {"litres": litres})["f3"][0]
    rise = np.sqrt(1 + 60 / litres)
    q, f = 0.38 * rise, 40 * rise
    x = 1 / (2 * q**2) - 1
    assert found == pytest.approx(f * np.sqrt(x + np.sqrt(x**2 + 1)), rel=0.02)


def test_a_butterworth_closed_box_is_flat_and_found():
    """QTC = 0.707 has no rise: VB = VAS/((0.707/QTS)² − 1)."""
    r = told("box-closed", rise=0.05)
    assert r["litres"] == pytest.approx(60 / ((0.7071 / 0.38) ** 2 - 1), rel=0.15)


def test_a_port_that_fits_and_one_that_does_not():
    assert 5 <= told("box-vented")["port"] <= 300
    tight = work_out(read_recipe(recipe_folders()["box-vented"]), {"longest": "20", "bore": "120"})[0]
    assert tight.miss > 1 or tight.results["port"] <= 20


def test_the_ripple_formula_against_a_course_over_time():
    """Half-wave, 100 mA, 3300 µF, 50 Hz: the estimate is on the safe side of a solved rectifier by less than a third."""
    text = "t\nv1 a 0 sin(0 17 50)\nd1 a r 1n4007\nc1 r 0 3300u\ni1 r 0 100m\n.include semiconductors.lib"
    course = transient(Circuit.from_text(text), 1e-4, 0.2, ["r"]).voltage["r"][0]
    swing = np.ptp(course[-400:])
    estimate = told("ripple", current="100m")["ripple"]
    assert 0.67 * estimate < swing * 3300e-6 / told("ripple", current="100m")["c"] < estimate * 1.02


@pytest.mark.parametrize(
    ("name", "given", "result", "value"),
    [
        # Closed forms, each by hand.
        ("phantom", {"draws": "4m"}, "left", 48 - 2e-3 * 6810), ("divider", {"draws": "1m"}, "loaded", 9.0),
        ("led", {"supply": "9", "current": "2m"}, "flows", 2e-3), ("heat-sink", {"watts": "10"}, "sink_at", None),
        ("nine-from-twelve", {"draws": "20m"}, "regulated", 9.0), ("battery-split", {}, "buffered", 4.5),
        ("gate-resistor", {"capsule": "60p", "corner": "10"}, "corner_at", None),
        ("impedance-correction", {}, "at_4k", 6.6), ("level-pad", {"db": "3"}, "change", -3.0),
        ("gain-range", {}, "gain_high", 1000.0), ("taper", {}, "audio_50", -20.0), ("low-pass", {}, "corner_at", 5e3),
        ("lc-low-pass", {}, "corner_at", 2.5e3), ("pad-balanced", {"db": "20"}, "loss", 20.0),
    ],
)  # fmt: skip
def test_results_are_those_of_the_closed_forms(name, given, result, value):
    r = told(name, **given)
    if name == "heat-sink":
        value = 30 + 10 * r["sink"]
    elif name == "gate-resistor":
        value = 1 / (2 * np.pi * r["r"] * 65e-12)
    assert r[result] == pytest.approx(value, rel=0.1 if value else 0)


def test_a_buffer_keeps_the_treble_of_a_pickup():
    r = told("buffer-input")
    assert r["top"] > 1.5 * r["top_low"]
    assert r["peak"] > 1.0


# -- the search ---------------------------------------------------------------------------------------------------

DIVIDER = "t\nv1 a 0 10 ac 1\nr1 a m 1k\nr2 m 0 1k\nc1 m 0 10n"
MOVES = (Move(element="r1", low="1k", high="10k"), Move(element="r2", low="1k", high="10k"))


def a_question(*aims, moves=MOVES):
    return Question(Circuit.from_text(DIVIDER), moves, aims, {}, {}, {})


def test_the_best_is_as_good_as_the_best_of_all():
    aim = Aim(name="v", kind="voltage", node="m", want="3.21", within="0.05")
    q = a_question(aim)
    every = np.array(list(itertools.product(*(candidates(m, 1e3, {}) for m in MOVES))))
    least = np.abs(10 * every[:, 1] / every.sum(axis=1) - 3.21).min()
    found = search(q, most=20)
    assert min(abs(p.results["v"] - 3.21) for p in found) == pytest.approx(least, abs=1e-9)
    assert [p.good for p in found] == sorted((p.good for p in found), reverse=True)


def test_what_no_move_touches_and_what_nobody_wants():
    """A result that is the same for all sets of values is told with each; without a wish there is nothing to search by."""
    still, wanted = Aim(name="top", kind="voltage", node="a"), Aim(name="v", kind="voltage", node="m", want="5")
    assert {p.results["top"] for p in search(a_question(wanted, still))} == {10.0}
    out_of_reach = Aim(name="top", kind="voltage", node="a", want="3")
    assert all(p.good == 0.0 for p in search(a_question(out_of_reach)))
    assert search(a_question(Aim(name="v", kind="voltage", node="m", prefer="low")))[0].results["v"] < 1.0
    with pytest.raises(NuvloError, match="nothing is wanted"):
        search(a_question(still))


def test_three_moves_are_refined_to_a_good_one():
    moves = (*MOVES, Move(element="c1", unit="F", low="1n", high="1u"))
    aims = (
        Aim(name="v", kind="voltage", node="m", want="5", within="0.1"),
        Aim(name="f", kind="corner_high", source="v1", node="m", at="20", want="3k", within="60"),
    )
    best = search(a_question(*aims, moves=moves))[0]
    assert best.miss < 1.0
    assert best.results["f"] == pytest.approx(3e3, abs=60)


def test_yield_counts_the_units_that_are_right():
    """Two 1 % resistors, uniform: the share within ± w of the middle, against the triangular law of their sum."""
    q = a_question(Aim(name="v", kind="voltage", node="m", want="5", within="0.025"))
    good = judge(q, np.array([[1e3, 1e3]]), 1)[0]
    # ΔV ≈ 2.5·(δ2 − δ1), triangular over ± 0.05: three quarters lie within half of that.
    assert good == pytest.approx(0.75, abs=0.06)


def test_how_far_a_wish_is_missed():
    aims = [
        Aim(name="a", kind="voltage", node="m", want="5", within="1"),
        Aim(name="b", kind="voltage", node="m", at_most="6"),
    ]
    found = miss(aims, {"a": np.array([5.0, 5.5, 6.0, 7.0]), "b": np.array([5.0, 5.5, 6.0, 7.0])}, {})
    assert found == pytest.approx([0.0, 0.5, 1.0, 1 + 1 / 0.3])


@pytest.mark.parametrize(
    ("move", "says"),
    [(Move(element="r1", low="10", high="1"), "no 'r1' does this"), (Move(element="r1", low="1.01k", high="1.05k", series="E6"), "no value"),
     (Move(element="r1", low="fish", high="2k"), "neither an input")],
)  # fmt: skip
def test_a_move_that_cannot_be_is_refused(move, says):
    with pytest.raises(NuvloError, match=says):
        search(a_question(Aim(name="v", kind="voltage", node="m", want="5"), moves=(move,)))


def test_amounts_are_values_or_formulas():
    assert amount("4k7", {}) == 4700
    assert amount("2*load/3", {"load": 600.0}) == 400.0
    with pytest.raises(NuvloError, match="neither a value nor a formula"):
        amount("2*(", {})


CHOICES = [(k.name, c.id) for k in sorted(SHIPPED.iterdir()) for c in read_kit(k).info.choice]


@pytest.mark.parametrize(
    "pair", long_but([c for c in CHOICES if c[0] not in ("tidewheel", "lampwick")], CHOICES), ids=" ".join
)
def test_every_choice_of_every_kit_has_something_right_to_offer(pair):
    kit, choice = pair
    opened = read_kit(SHIPPED / kit)
    found = propose(opened, choice_of(opened, choice))
    assert found[0].good > 0.5
    if choice_of(opened, choice).move:
        assert found[0].miss <= 1.0


def test_an_unknown_choice_is_told_with_those_there_are():
    with pytest.raises(NuvloError, match="bass, lamp"):
        choice_of(read_kit(SHIPPED / "gorsefire"), "treble")


# -- recipes of one's own -------------------------------------------------------------------------------------------

OWN = """title = "Mine"
[[input]]
name = "v"
unit = "V"
default = "9"
[[aim]]
name = "half"
kind = "voltage"
node = "m"
"""


@pytest.mark.parametrize(
    ("toml", "circuit", "says"),
    [
        (OWN, "t\n.param v=9\nv1 a 0 {v}\nr1 a m 1k\nr2 m 0 1k\n", ""), (OWN, "t\nv1 a 0 9\nr1 a m 1k\nr2 m 0 1k\n", "neither a .param"),
        ("title = 3", "t\nr1 a 0 1\n", "title"), ("title = [", "t\nr1 a 0 1\n", "Mend the TOML"), (OWN, "t\nr1 a 0\n", "r1"),
    ],
)  # fmt: skip
def test_a_recipe_of_ones_own_is_a_folder(toml, circuit, says, tmp_path):
    (tmp_path / "mine").mkdir()
    (tmp_path / "mine" / "recipe.toml").write_text(toml)
    (tmp_path / "mine" / "circuit.cir").write_text(circuit)
    if says:
        with pytest.raises(NuvloError, match=says):
            read_recipe(tmp_path / "mine")
        return
    assert "mine" in recipe_folders([tmp_path])
    recipe = read_recipe(recipe_folders([tmp_path])["mine"])
    assert work_out(recipe, {"v": "12"})[0].results == {"half": pytest.approx(6.0)}
    with pytest.raises(NuvloError, match="no input"):
        work_out(recipe, {"w": "1"})
    with pytest.raises(NuvloError, match="v:"):
        work_out(recipe, {"v": "fish"})


def test_only_what_is_in_the_drawer_is_proposed():
    kit = read_kit(SHIPPED / "gorsefire")
    drawer = [Spare("resistor", v, "Ω", (-0.01, 0.01), "0.25 W", 2) for v in (8.2e3, 9.1e3, 22e3)]
    found = propose(kit, choice_of(kit, "lamp"), drawer=drawer, only_drawer=True)
    assert {p.values["r6"] for p in found} <= {8.2e3, 9.1e3, 22e3}
    assert found[0].values["r6"] == 9.1e3
    with pytest.raises(NuvloError, match="no value"):
        propose(kit, choice_of(kit, "lamp"), drawer=[Spare("capacitor", 1e-9, "F", (0, 0), "", 1)], only_drawer=True)


@pytest.mark.parametrize("gain", [32, 36, 42, 55])
def test_the_figures_of_a_record_equaliser_are_those_of_the_gain_chosen(gain):
    r = told("riaa", gain=gain)
    assert r["middle"] == pytest.approx(gain, abs=0.4)
    assert r["g20"] - r["middle"] == pytest.approx(19.27, abs=0.6)


@pytest.mark.parametrize(("qts", "vas"), [("0.38", "60"), ("0.3", "60"), ("0.33", "100"), ("0.28", "25")])
def test_a_vented_box_is_near_the_usual_tables(qts, vas):
    """VB = 15·QTS^2.87·VAS (D. B. Keele, 1973, as R. H. Small's alignments are commonly approximated; from memory)."""
    assert told("box-vented", qts=qts, vas=vas)["litres"] == pytest.approx(15 * float(qts) ** 2.87 * float(vas), rel=0.2)


@pytest.mark.parametrize(("re", "le"), [("6", "0.5m"), ("5.5", "1.2m"), ("3.4", "0.3m"), ("12", "1m")])
def test_the_correction_of_a_coil_is_its_own_resistance_and_le_over_re_squared(re, le):
    """R = Re and C = Le/Re² make coil and correction together a resistance at every frequency (O. J. Zobel, Bell Syst. Tech. J. 2, 1923)."""
    r = told("impedance-correction", re=re, le=le)
    ohms, henries = float(re), float(le[:-1]) * 1e-3
    assert r["r"] == pytest.approx(ohms, rel=0.11)
    assert r["c"] == pytest.approx(henries / ohms**2, rel=0.25)


@pytest.mark.parametrize(("corner", "load"), [("2k5", "8"), ("3k", "6"), ("800", "8"), ("4k", "4")])
def test_a_fourth_order_crossover_is_that_of_the_tables(corner, load):
    """Linkwitz-Riley of the fourth order: 0.0844 and 0.1688 over R·f in farads, 0.1000 and 0.4501 times R/f in henries (handbook tables, from memory)."""
    r, f, ohms = told("crossover-4", corner=corner, load=load), parse_value(corner), float(load)
    wanted = {"c1": 0.0844 / ohms / f, "l1": 0.1 * ohms / f, "c2": 0.1688 / ohms / f, "l2": 0.4501 * ohms / f}
    assert {name: r[name] for name in wanted} == pytest.approx(wanted, rel=0.22)


@pytest.mark.parametrize(
    ("name", "given", "says"),
    [
        ("rail-power", {"drop": "30"}, "Most: 12.V, which is supply/2"), ("rail-power", {"supply": "10", "drop": "6"}, "Most: 5.V"),
        ("regulator-pair", {"supply": "14"}, "Least: 17.V, which is volts"), ("led", {"supply": "1.5"}, "Most: 1.4.V"),
        ("led", {"supply": "3", "colour": "blue"}, "more than makes sense"), ("zener-dropper", {"zener": "24"}, "Most: 19.8.V"),
        ("zener-dropper", {"least": "20", "most": "15"}, "Least: 20.V"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_said_with_what_limits_it(name, given, says):
    with pytest.raises(NuvloError, match=says):
        work_out(read_recipe(recipe_folders()[name]), given)


@pytest.mark.parametrize("charge", ["2500mAh", "2500 mAh", "2.5Ah", "2500", "aa"])
def test_a_battery_may_be_written_in_either_unit(charge):
    assert told("battery-life", charge=charge)["hours"] == pytest.approx(2.5 * 0.8 / 15e-3)


@pytest.mark.parametrize(("seen", "most"), [("600", "900"), ("2k", "3k"), ("100", "190"), ("5k", "8k")])
def test_a_pad_is_no_higher_than_the_source_asks_for(seen, most):
    assert parse_value(seen) <= told("pad", seen=seen)["sees"] <= parse_value(most)


def test_a_divider_rises_little_when_its_load_is_gone():
    assert told("divider", out="5")["unloaded"] < 6.3


@pytest.mark.parametrize(("corner", "passes"), [("0.5", 0.5), ("10", 10.0), ("2", 2.0)])
def test_a_corner_is_found_and_not_where_the_search_ends(corner, passes):
    r = told("gate-resistor", corner=corner)
    assert r["corner_at"] == pytest.approx(1 / (2 * np.pi * r["r"] * 65e-12), rel=0.03)
    assert r["corner_at"] <= passes


@pytest.mark.parametrize("good", [0.5, 0.9, 1.0])
def test_what_the_draws_cannot_tell_is_a_tie(good):
    """Of 200 draws of a share p the standard deviation is √(p·(1 − p)/200)."""
    assert told_apart(good) == pytest.approx(2 * np.sqrt(good * (1 - good) / 200) + 1 / 200)
