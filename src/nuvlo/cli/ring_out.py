"""``ring-out``: what every lug should read, what it does read, and which mistake, of a wire or of a part, explains it."""

from __future__ import annotations

import argparse
import math
from pathlib import Path

from nuvlo.cli.answer import Answer, Document, Verbs, beside
from nuvlo.problems import Problem


def add_verbs(verbs: Verbs) -> None:
    """Add ring-out."""
    one = verbs.add("ring-out", _ring_out, "ohms from every lug and pad to ground, and what a wrong one means")
    one.add_argument("folder", type=Path)
    one.add_argument("--measured", type=Path, metavar="CSV", help="point,quantity,value,unit,uncertainty of what was read; inf for open")


def _ring_out(a: argparse.Namespace) -> Answer:
    from platformdirs import user_cache_path

    from nuvlo.diagnosis.diagnosis import Diagnosis
    from nuvlo.diagnosis.wires import LEAST_TOLD, in_words_of
    from nuvlo.files.kit_folder import read_kit
    from nuvlo.instruments.measured import read_readings
    from nuvlo.kit.nets import GROUND_NAMES
    from nuvlo.model import WorkingModel
    from nuvlo.model.asked import ringing_out
    from nuvlo.model.windows import finite
    from nuvlo.model.wired import probes
    from nuvlo.quantity import Verdict, format_span, judge

    kit = read_kit(a.folder)
    model = WorkingModel(kit)
    between = {probe.of: probe for probe in probes(kit)}
    windows = model.predict(ringing_out(kit))
    settles = model.settling(windows)
    left_out: list[Problem] = []
    read = read_readings(a.measured, [w.of for w in windows], "resistance", "Ω", left_out) if a.measured else {}
    lines: list[str] = []
    rows: list[Document] = []
    for w in windows:
        found = read.get(w.of)
        verdict = judge(found, w.low, w.high) if found else Verdict.NOT_TAKEN
        probe = between.get(w.of)
        places = (probe.red, probe.black, probe.state) if probe else (w.of.place, kit.ringing.black, "")
        rows.append({"point": w.of.name, "from": places[0], "to": places[1], "throw": places[2], "low": finite(w.low), "high": finite(w.high), "measured": finite(found.value) if found else None,
                     "open": found is not None and not math.isfinite(found.value), "settles_s": settles.get(w.of, 0.0), "verdict": verdict.value})  # fmt: skip
        said = f"  {found}: {verdict.words}" if found else ""
        rises = f"  rises for some {settles[w.of]:.0f} s" if w.of in settles else ""
        where = kit.named_place(places[1]) if places[1] in GROUND_NAMES else places[1]
        leads = f"red on {places[0]}, black on {where}{places[2] and ', ' + places[2].replace('.', ' in ')}"
        lines.append(f"{w.of.name:14s} {leads}: {format_span(w.low, w.high, 'Ω')}{rises}{said}")
    wrong = any(r["verdict"] == Verdict.OUT.value for r in rows)
    diagnosis = Diagnosis(kit, keep=user_cache_path("nuvlo", appauthor=False) / "tables", wiring=True) if wrong else None
    suspects = [g for g in diagnosis.rank(read).groups if not g.silent and g.probability >= LEAST_TOLD] if diagnosis else []
    lines += [f"{100 * g.probability:3.0f} %  {in_words_of(g.mistakes)}" for g in suspects]
    document = {"pairs": rows, "suspects": [{"mistakes": [m.text for m in g.mistakes], "share": g.probability} for g in suspects]}
    return beside((0, document, "\n".join(lines) or "No wires: the kit has no wiring.csv."), left_out)
