"""``crossover-board``: how the coils of a crossover couple, what that does, and where they had better lie."""

from __future__ import annotations

import argparse
import re

from nuvlo.cli.answer import Answer, Document, Verbs


def add_verbs(verbs: Verbs) -> None:
    """Add crossover-board."""
    one = verbs.add("crossover-board", _board, "coils of a crossover: how they couple, what that changes, where they had better lie")
    one.add_argument("folder")
    one.add_argument("--opening", metavar="WxH", default="", help="search places in so many millimetres, 280x180: the board must go in there")
    one.add_argument("--steel", metavar="MM", help="a sheet of steel, or a magnet, so far below the board")
    one.add_argument("--seed", type=int, default=1, help="of the search")


def _board(a: argparse.Namespace) -> Answer:
    from nuvlo.electrics.crossover import Coil, arranged, coils_of, couplings, heard, near_steel, placed
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.problems import NuvloError, Problem
    from nuvlo.quantity import format_value, parse_value

    kit = read_kit(a.folder)
    coils = coils_of(kit)

    def told(title: str, placed: list[Coil], grown: dict[str, float]) -> tuple[Document, list[str]]:
        factors = couplings(placed)
        off = heard(kit, factors, grown)
        lines = [title]
        for c in placed:
            lies = {"flat": "flat, axis upright", "edge": "on its edge, axis along the board", "across": "on its edge, axis across the board"}[c.way]
            more = f", {100 * grown[c.ref]:.1f} % more inductance by the steel" if c.ref in grown else ""
            lines.append(f"  {c.ref}  at {c.x_mm:.0f}, {c.y_mm:.0f} mm, {lies}{more}")
        lines += [f"  {a} and {b} couple by {100 * abs(k):.2f} %" for (a, b), k in factors.items()]
        lines += [f"  {ref}: at most {db:.2f} dB, at {format_value(hz, 'Hz', 2)}" for ref, (db, hz) in off.db.items()]
        lines.append(f"  impedance: at most {format_value(off.ohms[0], 'Ω', 2)}, at {format_value(off.ohms[1], 'Hz', 2)}")
        lines.append("  " + ("It matters: half a decibel can be heard." if off.worst_db >= MATTERS_DB else "Too little to be heard."))
        document: Document = {
            "coils": [{"part": c.ref, "x_mm": c.x_mm, "y_mm": c.y_mm, "lies": c.way} for c in placed],
            "coupling": [{"coils": list(pair), "k": k} for pair, k in factors.items()],
            "error_db": {ref: db for ref, (db, _) in off.db.items()}, "error_ohms": off.ohms[0],
        }  # fmt: skip
        return document, lines

    depth = parse_value(a.steel) if a.steel else 0.0
    if depth < 0:
        raise NuvloError(Problem(f"'{a.steel}' is above the board.", "Give the millimetres from the board down to the steel."))
    grown = near_steel(coils, depth) if a.steel else {}
    document, lines = told("As the kit has them", coils, grown)
    if a.opening:
        size = re.fullmatch(r"(\d+(?:\.\d+)?)\s*[x×]\s*(\d+(?:\.\d+)?)", a.opening.strip())
        if size is None:
            raise NuvloError(Problem(f"'{a.opening}' is no opening.", "Give its sides in mm: 280x180."))
        wide, high = float(size[1]), float(size[2])
        moved = arranged(coils, wide, high, a.seed)
        better, more = told(f"Found for {size[1]} × {size[2]} mm", moved, grown)
        spots = placed(kit, moved, wide, high)
        better["parts"] = [{"part": s.ref, "x_mm": s.x_mm, "y_mm": s.y_mm, "lies": "across" if s.turned else "along"} for s in spots]
        document["found"] = better
        lines += ["", *more, "And the others round them:"]
        lines += [f"  {s.ref}  at {s.x_mm:.0f}, {s.y_mm:.0f} mm, {'across' if s.turned else 'along'} the board" for s in spots]
    return 0, document, "\n".join(lines)


MATTERS_DB = 0.5  # that is heard (common practice, no source)
