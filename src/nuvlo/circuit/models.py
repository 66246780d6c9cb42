"""The types of ``.model`` and the parameters that each knows, by the names SPICE gives them."""

from __future__ import annotations

from collections.abc import Mapping

from nuvlo.circuit.expression import Expression, constant, joined

MODEL_TYPES = {
    "d": ("d",), "q": ("npn", "pnp"), "j": ("njf", "pjf"), "m": ("nmos", "pmos", "vdmos"), "r": ("r", "res"), "c": ("c", "cap"), "s": ("sw", "vswitch"),
    "w": ("csw", "iswitch"),
}  # fmt: skip
_DIODE = "is js n rs bv ibv nbv cjo cj0 m vj pb fc tt eg xti kf af ikf ik isr nr"
_BIPOLAR = """is bf br nf nr vaf va var vb ikf ik ikr ise ne isc nc rb rc re rbm irb cje vje pe mje me cjc vjc pc mjc mc xcjc cjs ccs vjs ps
mjs ms fc tf tr xtf itf vtf eg xti xtb kf af"""
_JFET = "beta vto vt0 lambda is n rs rd cgs cgd pb fc kf af b betatce vtotc"
_MOS = "vto vt0 kp gamma phi lambda is rs rd rsh cbd cbs pb mj fc cgso cgdo cgbo ld kf af tox uo u0"
_BY_KIND = {
    "d": _DIODE, "q": _BIPOLAR, "j": _JFET, "m": _MOS, "r": "tc1 tc2 r res rsh narrow short defw", "c": "tc1 tc2 cap cj cjsw narrow short defw", "s": "vt vh ron roff von voff", "w": "it ih ron roff ion ioff",
}  # fmt: skip
_VERTICAL = """vto vt0 vth kp lambda theta mtriode ksubthres subshift rd rs rg rds rb is n bv ibv nbv tt cjo cj0 m vj fc eg xti a cgdmin cgdmax
cgs bex pchan nchan"""
KNOWN_PARAMETERS = {name: frozenset((*_BY_KIND[kind].split(), "tnom")) for kind, names in MODEL_TYPES.items() for name in names}
KNOWN_PARAMETERS["vdmos"] = frozenset(_VERTICAL.split())
ALIASES = {
    "cj0": "cjo", "va": "vaf", "vb": "var", "ik": "ikf", "pe": "vje", "me": "mje", "pc": "vjc", "mc": "mjc", "vt0": "vto", "js": "is",
    "res": "r", "ccs": "cjs", "ps": "vjs", "ms": "mjs", "u0": "uo",
}  # fmt: skip
OF_DIODES, OF_VERTICAL = {"pb": "vj"}, {"m": "mj", "vth": "vto", "vt0": "vto"}
# What makers write beside the model: ratings and names, which no simulator works with.
FOR_PEOPLE = frozenset(["mfg", "type", "vpk", "iave", "irms", "vceo", "icrating", "vds", "qg", "ron_max", "vrev", "ksubthres_max", "version_of"])
LEVELS = {"d": (1,), "q": (1,), "j": (1,), "m": (1,), "r": (), "c": (), "s": (), "w": ()}


def sheet_value(kind: str, model: Mapping[str, Expression], own: Mapping[str, Expression]) -> Expression | None:
    """Ω or F of a resistor or capacitor by its model; None where that gives none."""
    nothing, twice = constant(0.0), constant(2.0)
    narrow, short = model.get("narrow", nothing), model.get("short", nothing)
    width, length = own.get("w", model.get("defw", constant(1e-5))), own.get("l")
    if kind == "r":
        if "rsh" not in model or length is None:
            return model.get("r")
        squares = joined("/", joined("-", length, joined("*", twice, short)), joined("-", width, joined("*", twice, narrow)))
        return joined("*", model["rsh"], squares)  # both edges, where a capacitor's plate loses one
    if "cj" in model and length is not None:
        length, width = joined("-", length, short), joined("-", width, narrow)
        area = joined("*", model["cj"], joined("*", length, width))
        edge = joined("*", model.get("cjsw", nothing), joined("*", twice, joined("+", length, width)))
        return joined("+", area, edge)
    return model.get("cap")
