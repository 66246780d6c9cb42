"""Zener diodes, as the two families kits are made of. Test currents and impedances are those of the families' usual tables,
from memory."""

from __future__ import annotations

from nuvlo.catalogue.type import Pin, Published, Type, TypeSpread

# Volts, test current in mA and impedance in Ω of 1N4728A to 1N4764A (1 W, 5 %).
_ONE_WATT = (
    (3.3, 76, 10), (3.6, 69, 10), (3.9, 64, 9), (4.3, 58, 9), (4.7, 53, 8), (5.1, 49, 7), (5.6, 45, 5), (6.2, 41, 2),
    (6.8, 37, 3.5), (7.5, 34, 4), (8.2, 31, 4.5), (9.1, 28, 5), (10, 25, 7), (11, 23, 8), (12, 21, 9), (13, 19, 10),
    (15, 17, 14), (16, 15.5, 16), (18, 14, 20), (20, 12.5, 22), (22, 11.5, 23), (24, 10.5, 25), (27, 9.5, 35), (30, 8.5, 40),
    (33, 7.5, 45), (36, 7, 50), (39, 6.5, 60), (43, 6, 70), (47, 5.5, 80), (51, 5, 95), (56, 4.5, 110), (62, 4, 125),
    (68, 3.7, 150), (75, 3.3, 175), (82, 3, 200), (91, 2.8, 250), (100, 2.5, 350),
)  # fmt: skip
# Volts and impedance in Ω at 5 mA of BZX55C2V4 to 33 (0.5 W, 5 %).
_HALF_WATT = (
    (2.4, 75), (2.7, 75), (3.0, 75), (3.3, 75), (3.6, 75), (3.9, 75), (4.3, 70), (4.7, 55), (5.1, 35), (5.6, 25), (6.2, 10),
    (6.8, 8), (7.5, 7), (8.2, 7), (9.1, 10), (10, 15), (11, 20), (12, 20), (13, 26), (15, 30), (16, 40), (18, 50), (20, 55),
    (22, 55), (24, 60), (27, 60), (30, 60), (33, 60),
)  # fmt: skip
FIRST = 4728
TOLERANCE = 0.05


def zeners() -> list[Type]:
    """Both families, by rising volts."""
    out = []
    for k, (volts, milliamps, ohms) in enumerate(_ONE_WATT):
        name = f"1N{FIRST + k}A"
        other = f"BZX55C{_written(volts)}" if volts <= _HALF_WATT[-1][0] else ""
        instead = ((other, "half the power"),) if other else ()
        out.append(_zener(name, (name[:-1],), volts, milliamps * 1e-3, ohms, "DO-41", "1 W", instead))
    numbers = {volts: f"1N{FIRST + k}A" for k, (volts, _, _) in enumerate(_ONE_WATT)}
    for volts, ohms in _HALF_WATT:
        written = _written(volts)
        also = (f"BZX79C{written}", f"BZX55-C{written}", f"zener_{written}")
        instead = ((numbers[volts], "twice the power, larger"),) if volts in numbers else ()
        out.append(_zener(f"BZX55C{written}", also, volts, 5e-3, ohms, "DO-35", "0.5 W", instead))
    return out


def _written(volts: float) -> str:
    """``5V1``, ``12``."""
    return f"{volts:.1f}".replace(".", "V") if volts < 10 else f"{volts:.0f}"


def _zener(
    name: str, also: tuple[str, ...], volts: float, amps: float, ohms: float, package: str, power: str,
    instead: tuple[tuple[str, str], ...],
) -> Type:  # fmt: skip
    published = (
        Published("vz", (amps,), volts), Published("zz", (amps,), ohms), Published("vf", (1e-3,), 0.66),
    )  # fmt: skip
    spread = (TypeSpread("bv", volts * (1 - TOLERANCE), volts * (1 + TOLERANCE)),)
    pins = (Pin(1, "anode"), Pin(2, "cathode"))
    return Type(name, also, "zener", package, pins, power, spread, published, instead, False, f"{volts:g} V, 5 %")
