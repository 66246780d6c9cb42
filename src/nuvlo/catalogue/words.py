"""A type in words, for a hand that holds one."""

from __future__ import annotations

from nuvlo.catalogue.bench import UNITS, WORDS, shown
from nuvlo.catalogue.marks import print_of
from nuvlo.catalogue.spread import spread_of
from nuvlo.catalogue.type import Type
from nuvlo.circuit.shipped import node_order
from nuvlo.quantity import format_value

SORTS = {
    "npn": "NPN transistor", "pnp": "PNP transistor", "genpn": "germanium NPN transistor", "gepnp": "germanium PNP transistor",
    "njf": "N-channel junction FET", "pjf": "P-channel junction FET", "nmos": "N-channel MOSFET", "pmos": "P-channel MOSFET",
    "signal": "signal diode", "rectifier": "rectifier diode", "schottky": "Schottky diode", "germanium": "germanium diode",
    "zener": "zener diode", "led": "lamp", "op-amp": "operational amplifier", "power-amp": "power amplifier",
    "regulator": "regulator", "regulator-neg": "negative regulator", "regulator-adj": "adjustable regulator",
    "regulator-adj-neg": "adjustable negative regulator", "triode": "triode", "pentode": "pentode",
    "rectifier-valve": "rectifier valve", "ota": "transconductance amplifier", "comparator": "comparator", "timer": "timer",
    "inverter": "unbuffered inverter", "switch": "analogue switch", "reference": "shunt reference",
    "ldr-opto": "lamp and light-dependent resistor",
}  # fmt: skip
AT = {
    "vbe": ("A",), "hfe": ("A",), "cob": ("V",), "ft": ("A",), "vf": ("A",), "cj": ("V",), "vz": ("A",), "zz": ("A",),
    "idss": ("V",), "crss": ("V",), "gfs": ("A",), "vth": ("A",), "ron": ("V",), "noise": ("Hz",), "dropout": ("A",),
    "vd": ("A",), "iq": ("V",), "vout": ("V",), "iout": ("A",), "vabc": ("A",), "vsat": ("A",), "ctrl": ("V",), "vtrip": ("V",),
    "gain": ("V",), "imid": ("V",), "vref": ("A",), "zka": ("A",), "ohms": ("A",),
}  # fmt: skip
DIFFERS = {
    "bf": ("gain", ""), "is": ("junction current", "A"), "vos": ("offset", "V"), "iq": ("supply current", "A"),
    "ib": ("input current", "A"), "vto": ("cut-off voltage", "V"), "beta": ("slope factor", ""), "kg1": ("plate current", "A"),
    "v": ("output", "V"), "vref": ("reference", "V"), "iadj": ("current of the adjust pin", "A"), "bv": ("zener voltage", "V"),
}  # fmt: skip


def told(t: Type, *, figures: bool = True) -> list[str]:
    """Lines: what it is, its pins, what it bears, how units differ, what may stand in; with ``figures`` those of data sheets
    beside what its model gives, which takes up to a second."""
    ended = " No longer made." if t.ended else ""
    out = [f"{t.name}: {SORTS[t.sort]}, {t.package}.{ended}" + (f" {t.says[0].upper()}{t.says[1:]}." if t.says else "")]
    if t.also:
        out.append(f"also written {', '.join(t.also)}")
    out.append(f"pins{', ' + t.seen if t.seen else ''}: " + ", ".join(f"{p.number} {p.name}" for p in t.pins))
    out.append(print_of(t))
    if nodes := node_order(t.model):
        out.append(f"nodes in a netlist, in this order: {' '.join(nodes)}")
    if t.way_round:
        out.append(t.way_round)
    if t.ratings:
        out.append(f"may bear {t.ratings}")
    minds = [what for what, so in (("heat", t.heat_sensitive), ("static charge", t.static_sensitive)) if so]
    if minds:
        out.append(f"minds {' and '.join(minds)}")
    for s in spread_of(t):
        what, unit = DIFFERS.get(s.parameter, (s.parameter, ""))
        if s.relative:
            out.append(f"units differ: {what} by {100 * s.low:+.0f} to {100 * s.high:+.0f} %")
        else:
            out.append(f"units differ: {what} {format_value(s.low, unit)} to {format_value(s.high, unit)}")
    out += [f"in its place: {name}" + (f" ({change})" if change else "") for name, change in t.instead]
    if figures:
        for p in t.published:
            unit = UNITS.get(p.what, "")
            at = (" at " + " / ".join(format_value(v, u) for v, u in zip(p.at, _units(t, p.what), strict=False))) if p.at else ""
            here = shown(t, p)
            out.append(
                f"{WORDS.get(p.what, p.what)}{at}: {format_value(p.value, unit, 3)} typical, its model {format_value(here, unit, 3)}"
            )
    return out


def _units(t: Type, what: str) -> tuple[str, ...]:
    if what in ("ia", "gm", "mu", "is"):
        return ("A",) if t.sort == "ota" else ("V", "V", "V")  # of a bias current; of plate, screen and grid
    return AT.get(what, ("",))
