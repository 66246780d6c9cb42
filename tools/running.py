"""What a meter on DC shows at the points of a unit that runs: means of the settled course, for a few units.

Run: python tools/running.py KIT [--units N]. Prints ``running = [low, nominal, high]`` for each point whose mean, while it runs,
differs from its volts at rest, to be put into kit.toml. Slow: some ten seconds a unit.
"""

from __future__ import annotations

import argparse

import numpy as np

from nuvlo.circuit.operating_point import operating_point
from nuvlo.files.kit_folder import read_kit
from nuvlo.model.ensemble import laws, sample
from nuvlo.model.running import means
from nuvlo.workshop.demo import SHIPPED

WIDE = 4.0  # standard deviations on either side, of few units


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("kit")
    asked.add_argument("--units", type=int, default=10)
    a = asked.parse_args()
    kit = read_kit(SHIPPED / a.kit)
    values = sample(laws(kit), a.units, 7)
    rest = operating_point(kit.setup(), {})
    found = []
    for k in range(a.units):
        found.append(means(kit, {name: float(v[k]) for name, v in values.items()}))
        print(f"unit {k + 1}: " + ", ".join(f"{name} {volts:.4g} V" for name, volts in found[-1].items()), flush=True)
    for point in kit.info.point:
        rows = np.array([f[point.name] for f in found])
        still = float(rest.voltage(point.node, point.reference)[0])
        if abs(rows[0] - still) > 0.05:
            half = max(WIDE * float(rows.std(ddof=1)), 0.02 * abs(rows[0]))
            print(f"{point.name}: running = [{rows[0] - half:.3g}, {rows[0]:.3g}, {rows[0] + half:.3g}]")


if __name__ == "__main__":
    main()
