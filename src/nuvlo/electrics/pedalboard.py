"""What a pedalboard does to the sound of a guitar: its plan as a circuit, solved beside the same guitar with one short lead."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nuvlo.arrays import Array
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.small_signal import responses
from nuvlo.kit.pedalboard import Piece, Plan
from nuvlo.quantity import format_value

HERTZ = np.geomspace(50.0, 12e3, 61)
PLAIN_METRES, PLAIN_PF = 3.0, 100.0  # the lead that all is compared with, straight into the amplifier
BUFFER_IN, BUFFER_OUT, BUFFERED_IN = 1e6, 100.0, 470e3  # Ω (usual values; common practice, no source)
WIRE_OHMS, STRAY_F, AMP_F = 0.1, 30e-12, 100e-12
LOST_DB, MIDDLE_HZ = 1.0, 1000.0


@dataclass(frozen=True)
class End:
    """One amplifier: dB over ``HERTZ`` less what it has with one short lead; how much of the treble is lost, and in the middle."""

    name: str
    db: Array
    treble_db: float
    middle_db: float

    @property
    def words(self) -> str:
        treble = f"{self.treble_db:+.1f} dB at 5 kHz against the middle".replace("-", "−")
        return f"{self.name}: {treble}, {self.middle_db:+.1f} dB in all".replace("-", "−")


@dataclass(frozen=True)
class Pedalboard:
    """What a plan comes to. ``ports`` and what is plugged into each; ``normals`` in words; ``amps`` A of its buffers."""

    ports: tuple[tuple[str, str], ...]
    normals: tuple[str, ...]
    amps: float
    watts: float
    ends: tuple[End, ...]


def judged(plan: Plan) -> Pedalboard:
    """Solve a plan."""
    ports, normals = [], []
    for piece in plan.piece:
        if piece.kind == "jack":
            ports.append((piece.name, piece.says or f"behind {piece.after}"))
        elif piece.kind == "loop":
            ports += [(f"{piece.name} send", piece.says or "to what is inserted"), (f"{piece.name} return", "from it")]
            now = "something is plugged in: it is open" if piece.in_use else "nothing is plugged in: the way goes on through it"
            normals.append(f"the normal of {piece.name} return joins it to the send; {now}")
    amps = sum(p.milliamperes for p in plan.piece if p.kind == "buffer") / 1e3
    circuit = Circuit.from_text(netlist(plan))
    node = {p.name: _node(k) for k, p in enumerate(plan.piece)}
    last = [p.name for p in plan.piece if p.kind == "amplifier"] or [plan.piece[-1].name]
    found = responses(operating_point(circuit), "vin_", [node[n] for n in last], HERTZ)
    plain = _plain()
    ends = tuple(_end(name, found[node[name]].magnitude_db[0] - plain) for name in last)
    return Pedalboard(tuple(ports), tuple(normals), amps, amps * plan.volts, ends)


def _end(name: str, db: Array) -> End:
    at = [float(np.interp(np.log(f), np.log(HERTZ), db)) for f in (MIDDLE_HZ, 5 * MIDDLE_HZ)]
    return End(name, db, at[1] - at[0], at[0])


def current(plan: Plan, found: Pedalboard) -> str:
    """What its buffers draw, in words."""
    buffers = sum(p.kind == "buffer" and p.milliamperes > 0 for p in plan.piece)
    draw = "No buffer draws anything" if not buffers else "One buffer draws" if buffers == 1 else f"{buffers} buffers draw"
    return f"{draw} {format_value(found.amps, 'A', 2)} at {plan.volts:g} V: {format_value(found.watts, 'W', 2)}" if buffers else f"{draw}."


def advice(plan: Plan, found: Pedalboard) -> str:
    """What to do about treble that is lost; empty where little is."""
    if all(end.treble_db >= -LOST_DB for end in found.ends):
        return ""
    metres = 0.0
    for piece in plan.piece:
        if piece.kind == "buffer" or (piece.kind == "pedal" and piece.buffered):
            return f"What is lost hangs on the pickup before the first buffer, {metres:g} m of lead: a shorter one, or one of less capacitance."
        metres += piece.metres
    return f"All {metres:g} m of lead hang on the pickup: a buffer as the first piece gives back what is lost behind it."


def _plain() -> Array:
    """dB of the guitar with one short lead in an amplifier."""
    plan = Plan(title="", piece=(Piece(kind="source"), Piece(kind="cable", metres=PLAIN_METRES, pf_per_metre=PLAIN_PF), Piece(kind="amplifier")))
    point = operating_point(Circuit.from_text(netlist(plan)))
    db: Array = responses(point, "vin_", [_node(2)], HERTZ)[_node(2)].magnitude_db[0]
    return db


def _node(k: int) -> str:
    return f"p{k}"


def netlist(plan: Plan) -> str:
    """The plan as SPICE: a pickup as the library has it, cables as capacitance, buffers with their input and output."""
    lines = [f"* {plan.title}"]
    number = {p.name: k for k, p in enumerate(plan.piece)}
    for k, p in enumerate(plan.piece):
        here, there = _node(k), _node(number[p.after]) if p.after else ""
        if p.kind == "source":
            # The library's pickup has its source inside; here it is outside, to be driven. The lead is a piece of its own.
            lines += [f"vin_ e{k} 0 dc 0 ac 1", f"rc{k} e{k} a{k} 6k", f"lc{k} a{k} {here} 3", f"cc{k} {here} 0 100p", f"rv{k} {here} 0 250k", f"rt{k} {here} 0 250k"]
            continue
        lines.append(f"rw{k} {there} i{k} {WIRE_OHMS:g}")
        lines += _piece(k, here, p)
    return "\n".join([*lines, ".end", ""])


def _piece(k: int, here: str, p: Piece) -> list[str]:
    """One piece between its inlet ``i<k>`` and ``here``."""
    through = f"ro{k} i{k} {here} {WIRE_OHMS:g}"
    if p.kind == "cable":
        return [f"c{k} i{k} 0 {max(p.metres * p.pf_per_metre, 1e-3):g}p", through]
    if p.kind == "amplifier":
        return [f"r{k} i{k} 0 {p.ohms:g}", f"c{k} i{k} 0 {AMP_F:g}", through]
    if p.kind == "buffer" or p.buffered:
        ohms = BUFFER_IN if p.kind == "buffer" else BUFFERED_IN
        return [f"r{k} i{k} 0 {ohms:g}", f"c{k} i{k} 0 {STRAY_F:g}", f"e{k} o{k} 0 i{k} 0 1", f"ro{k} o{k} {here} {BUFFER_OUT:g}"]
    return [f"c{k} i{k} 0 {STRAY_F:g}", through]
