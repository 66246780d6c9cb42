"""``wires``: the ledger of a kit's wires, in the order to run them."""

from __future__ import annotations

import argparse
from pathlib import Path

from nuvlo.cli.answer import Answer, Verbs


def add_verbs(verbs: Verbs) -> None:
    """Add wires."""
    one = verbs.add("wires", _wires, "the wires of a kit in the order to run them, why, and what their labels say")
    one.add_argument("folder", type=Path)
    one.add_argument("--labels", action="store_true", help="only the words for the labels, one for each end")


def _wires(a: argparse.Namespace) -> Answer:
    from nuvlo.craft.routes import joins
    from nuvlo.craft.wires import ledger
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.words import listed

    kit = read_kit(a.folder)
    runs, lettered = ledger(kit), joins(kit)
    rows = [
        {
            "n": n, "wire": r.wire.name, "from": r.wire.start, "to": r.wire.end, "net": r.wire.net, "colour": r.wire.colour,
            "length_mm": r.wire.length_mm, "turn": r.turn, "reason": r.why, "twist": r.wire.twist, "twisted_with": list(r.twisted),
            "shares": {end: list(others) for end, others in r.shares.items()}, "labels": list(r.labels), "note": r.wire.note,
        }
        for n, r in enumerate(runs, 1)
    ]  # fmt: skip
    letters = [
        {
            "letter": j.letter, "net": j.net, "leads": [
                {"from": f"{x.start.ref}.{x.start.pin}", "to": f"{x.end.ref}.{x.end.pin}", "cut_mm": x.cut_mm, "crosses": list(x.crosses), "under": list(x.under)}
                for x in j.leads
            ],
        }
        for j in lettered
    ]  # fmt: skip
    if a.labels:
        return 0, {"wires": rows, "joins": letters}, "\n".join(words for r in runs for words in r.labels)
    lines, turn = [f"  {j.letter} to {j.letter}  {j.words}" for j in lettered], ""
    if lines:
        lines.insert(0, "The board first, on its back, letter to letter.")
    numbers = {r.wire.name: n for n, r in enumerate(runs, 1)}
    for n, r in enumerate(runs, 1):
        if r.turn != turn:
            turn = r.turn
            lines.append(r.why)
        length = f"{r.wire.length_mm:g} mm" if r.wire.length_mm else ""
        ends = f"{r.wire.start} to {r.wire.end}"
        twisted = f"twisted with {listed([str(numbers[t]) for t in r.twisted if t in numbers])}" if r.twisted else ""
        notes = "; ".join(w for w in (twisted, r.wire.note) if w)
        lines.append(f"{n:4d}. wire {r.wire.name:>3s}  {ends:26s} {r.wire.colour:8s} {length:>7s}  {notes}".rstrip())
    return 0, {"wires": rows, "joins": letters}, "\n".join(lines) or "No wires: the kit has no wiring.csv."
