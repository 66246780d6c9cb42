"""Every recipe beside its closed form, over five sets of inputs."""

import pytest

from nuvlo.files.recipe import read_recipe, recipe_folders
from nuvlo.stages.choose.recipes import work_out
from tests.conftest import long_but
from tests.stages.recipe_formulas import FORMULAS

EVERY = [(name, k) for name, (_, sets) in FORMULAS.items() for k in range(len(sets))]
# One set of each with every run, and not those that take seconds.
SHORT = [(name, 0) for name in FORMULAS if name not in ("rectifier", "box-passive", "cathode-bias")]
DECIBELS = {"pad": (0, 1), "pad-balanced": (0,), "pad-t": (0,), "pad-h": (0,), "cathode-bias": (2, 3), "step-up": (2,),
            "phase-inverter": (1,), "riaa": (3,), "rail-power": (1,)}  # fmt: skip


def test_no_recipe_is_left_out():
    assert sorted(FORMULAS) == sorted(recipe_folders())
    assert all(len(sets) >= 5 for _, sets in FORMULAS.values())


@pytest.mark.parametrize("case", long_but(SHORT, EVERY), ids=lambda case: f"{case[0]} {case[1]}")
def test_it_gives_what_the_formula_gives(case):
    name, k = case
    check, sets = FORMULAS[name]
    recipe = read_recipe(recipe_folders()[name])
    best = work_out(recipe, sets[k], most=1)[0]
    found = {**best.results, **best.values}
    for n, (got, want, off) in enumerate(check(recipe.inputs(sets[k]), found)):
        # Levels are compared in dB, all else as a share; what cannot be less than nothing stands beside nothing.
        apart = abs(got - want) if want <= 0 or n in DECIBELS.get(name, ()) else abs(got / want - 1)
        assert apart <= off, f"{name} {sets[k]}, check {n}: {got:.6g} against {want:.6g}; {found}"
