"""The share of good units that read in or near at every point at once: as the catalogue says that units differ, and as a meter errs."""

import numpy as np
import pytest

from nuvlo.circuit.ohms import resistance
from nuvlo.circuit.operating_point import operating_point
from nuvlo.files.kit_folder import read_kit
from nuvlo.instruments.protocols import MeterSpec
from nuvlo.model import WorkingModel, asked
from nuvlo.model.ensemble import known_to, laws, sample
from nuvlo.model.rectifier import ripple, rippling
from nuvlo.model.tones import tone_volts
from nuvlo.model.working import farads
from nuvlo.quantity import Verdict, judge
from nuvlo.workshop.demo import SHIPPED
from tests.conftest import long_but

KITS = sorted(p.name for p in SHIPPED.iterdir())
UNITS, SEED = 600, 77


@pytest.mark.parametrize("name", long_but([k for k in KITS if k not in ("tidewheel", "reedling", "millrace", "lampwick")], KITS))
def test_good_units_pass(name, capsys):
    kit = read_kit(SHIPPED / name)
    model, rng, spec = WorkingModel(kit), np.random.default_rng(SEED), MeterSpec()
    true = sample(laws(kit), UNITS, SEED)
    if kit.passive:
        windows = model.predict(asked.at_points(kit))
        values = known_to(kit.unit, true)
        rows = [resistance(kit.unit, p.node, p.reference, None, values).ohms for p in kit.info.point]
    else:
        windows = model.predict(asked.powered(kit))
        points = {
            n: operating_point(c, known_to(c, true))
            for n in {p.setup for p in kit.info.point} | {""}
            for c in (kit.setup(n),)
        }
        rows = [-points[""].currents()[s.element] for s in kit.info.supply]
        rows += [points[p.setup].voltage(p.node, p.reference) for p in kit.info.point]
        rows += [ripple(kit, points[""], s) for s in rippling(kit).values()]
    tones = model.predict(asked.tones(kit))
    windows = windows + tones
    at = {t.name: operating_point(c, known_to(c, true)) for t in kit.info.tone for c in (kit.tone_setup(t),)}
    rows += [tone_volts(at[t.name], t) for t in kit.info.tone]
    for w in (cold := model.predict(asked.cold(kit))):
        c = kit.cold(w.of.name)
        unit = kit.unpowered(c.node, c.reference)
        ohms = w.unit == "Ω"
        rows.append(resistance(unit, c.node, c.reference, None, known_to(unit, true)).ohms if ohms else farads(kit, c, true))
    windows += cold
    passed = np.ones(UNITS, bool)
    gain = rng.uniform(-1, 1, UNITS)  # of each unit's own meter
    runs = {p.name for p in kit.info.point if p.running}  # their windows are those of courses, and not of rest
    for window, row in ((w, r) for w, r in zip(windows, rows, strict=True) if w.of.name not in runs):
        shown = [
            spec.measured(float(v) * (1 + g * spec.percent / 100), window.unit) for v, g in zip(row, gain, strict=True)
        ]
        passed &= [judge(m, window.low, window.high) is not Verdict.OUT for m in shown]
    share = float(passed.mean())
    widths = ", ".join(f"{w.of.name} {w.low:.4g}…{w.high:.4g} {w.unit}" for w in windows)
    with capsys.disabled():
        print(f"\n  {name:11s} {100 * share:5.1f} in 100 good units read in or near at every point at once: {widths}")
    assert share >= 0.95
