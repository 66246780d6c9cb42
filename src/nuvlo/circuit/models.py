"""The types of ``.model`` and the parameters that each knows, by the names SPICE gives them."""

from __future__ import annotations

MODEL_TYPES = {"d": ("d",), "q": ("npn", "pnp"), "j": ("njf", "pjf"), "m": ("nmos", "pmos"), "r": ("r", "res")}
_DIODE = "is n rs bv ibv cjo cj0 m vj fc tt eg xti kf af"
_BIPOLAR = """is bf br nf nr vaf va var vb ikf ik ikr ise ne isc nc rb rc re cje vje pe mje me cjc vjc pc mjc mc fc tf tr
eg xti xtb kf af"""
_JFET = "beta vto lambda is n rs rd cgs cgd pb fc kf af"
_MOS = "level vto vt0 kp gamma phi lambda is rs rd cbd cbs pb mj fc cgso cgdo cgbo ld kf af"
_BY_KIND = {"d": _DIODE, "q": _BIPOLAR, "j": _JFET, "m": _MOS, "r": "tc1 tc2"}
KNOWN_PARAMETERS = {name: frozenset(_BY_KIND[kind].split()) for kind, names in MODEL_TYPES.items() for name in names}
ALIASES = {
    "cj0": "cjo", "va": "vaf", "vb": "var", "ik": "ikf", "pe": "vje", "me": "mje", "pc": "vjc", "mc": "mjc", "vt0": "vto",
}  # fmt: skip
