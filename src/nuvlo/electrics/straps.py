"""What each setting of a strap does: which grounds it joins, what hangs on either side of it, and what becomes of the sound."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nuvlo.circuit.ohms import resistance
from nuvlo.circuit.operating_point import operating_point
from nuvlo.kit import Kit
from nuvlo.kit.schema import Switch, Throw
from nuvlo.model.bonds import shell_bonds
from nuvlo.model.tones import tone_volts
from nuvlo.model.wired import thrown, wired

JOINED_OHMS = 1.0
HANGS_OHMS = 1e5  # to ground: more is no way for a current to return
SAME_DB, LOST_DB = 0.1, 20.0


@dataclass(frozen=True)
class Setting:
    """One setting: whether it joins the grounds at its two lugs, the ``sides`` (what lies on the ground of each), those of them that
    ``hang`` on what is plugged in, and the dB that each of the kit's tones changes by."""

    strap: str
    throw: str
    joined: bool
    sides: tuple[tuple[str, ...], ...]
    hang: tuple[str, ...]
    tones: dict[str, float]

    @property
    def lost(self) -> tuple[str, ...]:
        """Tones that are gone."""
        return tuple(name for name, db in self.tones.items() if db < -LOST_DB)

    @property
    def words(self) -> list[str]:
        first, other = (", ".join(side) for side in self.sides)
        out = [f"{self.strap} {self.throw}: {first} {'and' if self.joined else 'on one ground,'} {other} on {'one ground' if self.joined else 'another'}."]
        if self.hang:
            out.append(f"Then the ground of {', '.join(self.hang)} hangs on what is plugged in there: it needs a lead of its own to the other, or it hums.")
        changed = {n: db for n, db in self.tones.items() if abs(db) > SAME_DB and n not in self.lost}
        if self.lost:
            out.append(f"NO RETURN: {', '.join(self.lost)} cannot be heard so. Join it, or give that channel a way back.")
        if changed:
            out.append("Changed: " + ", ".join(f"{n} by {db:+.1f} dB".replace("-", "−") for n, db in changed.items()) + ".")
        if self.tones and not self.lost and not changed:
            out.append("The sound is the same.")
        return out


def settings(kit: Kit) -> list[Setting]:
    """Every setting of every strap of a kit, all others as the circuit has them."""
    if kit.unit is None or not kit.wires:
        return []
    return [_setting(kit, s, t) for s in kit.info.switch if s.strap for t in s.throws]


def _setting(kit: Kit, strap: Switch, throw: Throw) -> Setting:
    state, circuit = f"{strap.part}.{throw.name}", wired(kit)
    lugs = [end for w in kit.wires for end in w.ends if end.partition(".")[0] == strap.part]
    nets = {end: w.net for w in kit.wires for end in w.ends}
    one, other = dict.fromkeys(nets[lug] for lug in lugs)
    ends = [f"lug#{next(lug for lug in lugs if nets[lug] == net).lower()}" for net in (one, other)]
    set_so = thrown(kit, state)
    joined = float(resistance(circuit, ends[0], ends[1], None, set_so).ohms[0]) < JOINED_OHMS
    sides = tuple(_on(kit, net, strap.part) for net in (one, other))
    hang, tones = [], {}
    for tone in kit.info.tone:
        setup = kit.tone_setup(tone)
        override = {k: v for k, v in set_so.items() if setup.has_parameter(k)}
        usual, now = (float(tone_volts(operating_point(setup, o), tone)[0]) for o in ({}, override))
        tones[tone.name] = 20 * float(np.log10(max(now, 1e-12) / max(usual, 1e-12)))
        hang += [net for net in (one, other) if net != "0" and float(resistance(setup, net, "0", None, override).ohms[0]) > HANGS_OHMS]
    hanging = tuple(place for net, side in zip((one, other), sides, strict=True) if net in hang for place in side)
    return Setting(strap.part, throw.name, joined, sides, hanging, tones)


def _on(kit: Kit, net: str, but: str) -> tuple[str, ...]:
    """Sockets, jacks and metal on a net."""
    kinds = ("jack", "socket")
    ends = [end for w in kit.wires if w.net == net for end in w.ends]
    parts = [part.ref for end in ends if (part := kit.find_part(end.partition(".")[0])) is not None and part.kind in kinds and part.ref != but]
    return tuple(dict.fromkeys([*parts, *(b.other for b in shell_bonds(kit) if b.net == net)]))
