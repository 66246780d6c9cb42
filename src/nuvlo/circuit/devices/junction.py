"""Semiconductor junctions: current, depletion charge, breakdown, and how temperature changes each.

Sources: L. W. Nagel, SPICE2, UCB/ERL M520, 1975, appendix 4; the ngspice 39 manual, chapters 7.3 and 8.2. The band gap of
silicon over temperature is Y. P. Varshni's fit (Physica 34, 1967) with SPICE's figures.
"""

from __future__ import annotations

import numpy as np

from nuvlo.arrays import Array

BOLTZMANN = 1.380649e-23  # J/K, exact by definition (SI Brochure, 9th edition)
CHARGE = 1.602176634e-19  # C, exact by definition
ZERO_CELSIUS = 273.15  # K
NOMINAL_TEMPERATURE = 300.15  # K: SPICE's TNOM of 27 °C
THERMAL_VOLTAGE = BOLTZMANN * NOMINAL_TEMPERATURE / CHARGE
LARGEST_EXPONENT = 200.0  # far above any junction at rest; keeps a wild first step finite
CAPACITANCE_SLOPE = 4e-4  # per kelvin (Nagel 1975, appendix 4)


def thermal_voltage(temperature: Array) -> Array:
    """kT/q in V at ``temperature`` in K."""
    return BOLTZMANN / CHARGE * temperature


def junction(v: Array, saturation: Array, n: Array, vt: Array) -> tuple[Array, Array]:
    """Current and conductance of an ideal junction."""
    nvt = n * vt
    exponential = saturation * np.exp(np.minimum(v / nvt, LARGEST_EXPONENT))
    return exponential - saturation, exponential / nvt


def knee(p: dict[str, Array]) -> Array:
    """Voltage from which breakdown grows so that IBV flows at BV, by fixed point; infinite without breakdown.

    As SPICE does, an IBV too small to be more than leakage at BV is raised to it (Nagel 1975, appendix 4).
    """
    nvt = p.get("nbv", p["n"]) * p["vt"]
    breaks = np.isfinite(p["bv"])
    bv = np.where(breaks, p["bv"], 1.0)
    share = np.maximum(p["ibv"] / p["is"], bv / nvt)
    at = bv - nvt * np.log1p(share)
    for _ in range(25):
        at = bv - nvt * np.log(np.maximum(share + 1.0 - at / nvt, 1e-12))
    return np.where(breaks, at, np.inf)


def unlimited(value: Array) -> Array:
    """A limit of 0 is none, as SPICE has it for knee currents and Early voltages."""
    return np.where(value > 0, value, np.inf)


def depletion(v: Array, cj: Array, vj: Array, m: Array, fc: Array) -> tuple[Array, Array]:
    """Charge and capacitance of a depletion layer, linear beyond FC·VJ."""
    bend = fc * vj
    beyond = v > bend
    arg = 1.0 - (np.minimum(v, bend) if beyond.any() else v) / vj
    rest = 1.0 - m
    capacitance = cj * arg**-m
    charge = vj / rest * (cj - arg * capacitance)
    if beyond.any():  # on along the tangent from the bend
        slope = capacitance * m / (vj * arg)
        over = np.where(beyond, v - bend, 0.0)
        charge = charge + over * (capacitance + 0.5 * slope * over)
        capacitance = capacitance + slope * over
    return charge, capacitance


def band_gap(temperature: Array) -> Array:
    """eV of silicon at ``temperature`` in K."""
    return np.asarray(1.16 - 7.02e-4 * temperature**2 / (temperature + 1108.0))


def saturation_growth(temperature: Array, eg: Array, xti: Array, n: Array | float = 1.0, nominal: Array | float = NOMINAL_TEMPERATURE) -> Array:
    """Factor on a saturation current from the ``nominal`` temperature to this one."""
    ratio = temperature / nominal
    out: Array = np.exp((ratio - 1.0) * eg / (n * thermal_voltage(temperature)) + xti / n * np.log(ratio))
    return out


def _shifted(temperature: Array) -> tuple[Array, Array]:
    """Factor and sum by which a built-in potential moves from SPICE's 27 °C to this temperature."""
    ratio = temperature / NOMINAL_TEMPERATURE
    vt = thermal_voltage(temperature)
    nominal_gap = band_gap(np.asarray(NOMINAL_TEMPERATURE))
    shift = (
        -2.0 * vt * (1.5 * np.log(ratio) - band_gap(temperature) / (2.0 * vt) + nominal_gap / (2.0 * THERMAL_VOLTAGE))
    )
    return np.asarray(ratio), np.asarray(shift)


def potential_at(temperature: Array, stated: Array, nominal: Array | float = NOMINAL_TEMPERATURE) -> Array:
    """Built-in potential in V that is ``stated`` at the ``nominal`` temperature."""
    factor, shift = _shifted(np.asarray(nominal, float))
    at_27 = (stated - shift) / factor
    factor, shift = _shifted(temperature)
    return np.asarray(factor * at_27 + shift)


def depletion_at(temperature: Array, cj: Array, vj: Array, m: Array, nominal: Array | float = NOMINAL_TEMPERATURE) -> tuple[Array, Array]:
    """Zero-bias capacitance and built-in potential at ``temperature`` from those at the ``nominal`` one."""
    at_27, moved = potential_at(np.asarray(NOMINAL_TEMPERATURE), vj, nominal), potential_at(temperature, vj, nominal)

    def grown(kelvin: Array | float, volts: Array) -> Array:
        return np.asarray(1.0 + m * (CAPACITANCE_SLOPE * (kelvin - NOMINAL_TEMPERATURE) - (volts - at_27) / at_27))

    return cj * grown(temperature, moved) / grown(nominal, vj), moved
