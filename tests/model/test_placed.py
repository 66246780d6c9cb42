"""Where the leads lie: known in one room, and the same for solver, bench and diagnosis."""

from dataclasses import replace

import numpy as np
import pytest

from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage
from nuvlo.logbook import Build, ReadingTaken, TrimmerTurned
from nuvlo.measurement import LEADS, Observable, amps_of, farads_at, ohms_at, read_stored, ripple_at, tone_at, volts_at
from nuvlo.model import WorkingModel, asked
from nuvlo.model.placed import NoPlace, placed, watched_at
from nuvlo.model.working import ModelError
from nuvlo.stages import hook_up, prove, set_up, wake
from nuvlo.workshop.demo import SHIPPED
from tests.stages.test_stages import build

KITS = sorted(p.name for p in SHIPPED.iterdir() if (p / "circuit.cir").exists())


# By hand, from each kit's own files.
@pytest.mark.parametrize(
    ("kit", "of", "nodes"),
    [
        ("gorsefire", volts_at("TP5"), ("c2", "0")), ("gorsefire", ohms_at("TP0"), ("dcin", "0")), ("gorsefire", ohms_at("TP0", exchanged=True), ("0", "dcin")),
        ("gorsefire", amps_of("9 V supply"), ("dcin", "0")), ("gorsefire", volts_at("TP5-TP2"), ("c2", "c1")), ("gorsefire", volts_at("ground"), ("0", "0")),
        ("gorsefire", ohms_at("FUZZ.3"), ("e2", "0")), ("millrace", ohms_at("TP1-ground"), ("vp", "0")), ("kilnlight", ripple_at("TP1"), ("hv", "0")),
    ],
)  # fmt: skip
def test_where_red_and_black_lie(kit, of, nodes):
    assert placed(read_kit(SHIPPED / kit), of).nodes == nodes


@pytest.mark.parametrize("of", [volts_at("TP99"), volts_at("R99.1"), ohms_at("TP5-"), amps_of("mains"), tone_at("T9"), tone_at("T1000", "R99.1"), farads_at("TP5"), Observable("TP5", "smell")])
def test_what_is_not_there_is_named(of):
    with pytest.raises(NoPlace, match="there is no place") as said:
        placed(read_kit(SHIPPED / "gorsefire"), of)
    assert of.name in str(said.value)


@pytest.mark.parametrize("name", KITS)
def test_every_reading_that_a_stage_asks_for_has_its_place(name):
    """But for what is in no circuit: the meter's own leads, a response, what is left in a reservoir without a point."""
    kit = read_kit(SHIPPED / name)
    every = [t.of for s in (wake, hook_up, prove, set_up) for t in s.tasks(kit, Build("")) if t.of is not None]
    assert every
    for of in every:
        if of != LEADS and of.quantity != "gain" and not of.unplugged:
            assert placed(kit, of).unit, of


@pytest.mark.parametrize("name", ["gorsefire", "millrace", "lampwick"])
def test_windows_come_in_the_order_in_which_they_are_asked_for(name):
    """And what is read in another sitting changes nothing about them."""
    kit = read_kit(SHIPPED / name)
    model = WorkingModel(kit, members=120)
    apart = [w for some in (asked.across_supplies, asked.cold, asked.at_empty_sockets, asked.powered, asked.tones) for w in model.predict(some(kit))]
    mixed = list(reversed([w.of for w in apart]))
    again = model.predict(mixed)
    assert [w.of for w in again] == mixed
    assert [(w.nominal, w.low, w.high) for w in again] == [pytest.approx((w.nominal, w.low, w.high), rel=1e-6, abs=1e-12) for w in reversed(apart)]
    assert model.predict([]) == []


def test_of_what_is_in_no_circuit_nothing_is_foretold():
    kit = read_kit(SHIPPED / "kilnlight")
    heater = kit.info.heater[0]
    with pytest.raises(ModelError, match=f"'{heater.name}'"):
        WorkingModel(kit, members=60).predict([tone_at(heater.name)])


def elsewhere(kit):
    """The kit with its trim read while a set-up stands that its point knows nothing of."""
    other = next(n for n in kit.setups if n.lower() != kit.point(kit.info.trim[0].watch).setup.lower() and n != next(iter(kit.setups)))
    trim = kit.info.trim[0].model_copy(update={"setup": other})
    return replace(kit, info=kit.info.model_copy(update={"trim": (trim,)}), memory={}), trim, other


def test_a_trim_in_a_set_up_of_its_own_is_another_reading(gorsefire):
    """What was read in Wake at the same point, in another set-up, says nothing of where its trimmer is."""
    kit, trim, other = elsewhere(gorsefire)
    of = watched_at(kit, trim)
    assert of != volts_at(trim.watch)
    assert read_stored(of.name, "voltage") == of
    assert placed(kit, of).setup == other
    assert next(t for t in set_up.tasks(kit, build())).of == of
    woken = build(ReadingTaken(point=trim.watch, quantity="voltage", value=4.0, uncertainty=0.01, unit="V", stage=Stage.WAKE.value, instrument="typed"))
    assert WorkingModel(kit, woken).reading_since_turn(trim) is None
    # A log of before knew it by the point alone, in Set.
    before = build(ReadingTaken(point=trim.watch, quantity="voltage", value=4.0, uncertainty=0.01, unit="V", stage=Stage.SET.value, instrument="typed"))
    assert WorkingModel(kit, before).reading_since_turn(trim) == 4.0
    now = build(
        TrimmerTurned(ref=trim.trimmer, degrees=20.0),
        ReadingTaken(point=of.name, quantity="voltage", value=4.2, uncertainty=0.01, unit="V", stage=Stage.SET.value, instrument="typed"),
    )  # fmt: skip
    model = WorkingModel(kit, now, members=40)
    circuit = kit.setup(other)
    shown = model.point_in(circuit).voltage(kit.point(trim.watch).node)
    assert np.allclose(shown, 4.2, atol=5e-3), "every member shows the reading in that set-up"
