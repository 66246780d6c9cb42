"""The verb ``nuvlo solve FILE ANALYSIS``: analyses of any netlist, nominal or over an ensemble.

With ``--vary`` each result becomes ``{"nominal", "low", "high"}``, the quantiles of the ensemble beside the nominal
value, and ``failed`` lists the members without a solution.
"""

from __future__ import annotations

import argparse
import csv
import sys
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from nuvlo.cli.answer import Answer, Document, Handler, Verbs
from nuvlo.cli.numbers import BUILDS, SEED, whole
from nuvlo.problems import NuvloError, Problem, reading
from nuvlo.quantity import UnreadableValue, format_value, parse_value


def add_verbs(verbs: Verbs) -> None:
    """Add ``solve`` with its analyses."""
    parser = verbs.group("solve", "solve a SPICE netlist")
    parser.add_argument("file", type=Path)
    analyses = parser.add_subparsers(metavar="ANALYSIS", required=True)
    point = verbs.add("op", _of_file(_op), "operating point: every node and element", analyses)
    ac = verbs.add("ac", _of_file(_ac), "small-signal response", analyses)
    noise = verbs.add("noise", _of_file(_noise), "noise density and total", analyses)
    tran = verbs.add("tran", _of_file(_tran), "course over time", analyses)
    tran.add_argument("--step", type=number, required=True)
    tran.add_argument("--stop", type=number, required=True)
    tran.add_argument("--node", required=True)
    ohms = verbs.add("ohms", _of_file(_ohms), "what an ohmmeter reads between two nodes, supply off", analyses)
    power = verbs.add("power", _of_file(_power), "heat in every part", analyses)
    shares = verbs.add(
        "sensitivity", _of_file(_sensitivity), "how far each part moves a node, and its share of the variance", analyses
    )
    shares.add_argument("--of", required=True, metavar="NODE")
    for each in (point, ac, noise, tran, ohms, power, shares):
        each.add_argument("--lenient", action="store_true", help="exit status 0 though a word of the netlist that may change the answer is passed over")
        each.add_argument("--csv", type=Path, metavar="OUT", help="write the result as a table too")
        each.add_argument("--vary", default="", metavar="LAWS", help="such as r1=4k7:5%%,q1.bf=100..400")
        each.add_argument("--builds", type=BUILDS, default=2000, help="members of the ensemble")
        each.add_argument("--seed", type=SEED, default=1)
        each.add_argument("--quantiles", type=_quantiles, default=(0.01, 0.99), metavar="LOW,HIGH")
    for each in (ac, noise):
        each.add_argument("--from", dest="start", type=number, default=20.0)
        each.add_argument("--to", dest="stop", type=number, default=20000.0)
        each.add_argument("--points", type=whole(1, 10_000), default=50)
        each.add_argument("--source", required=True)
        each.add_argument("--node", required=True)
    noise.add_argument("--weighting", choices=("A",))
    ohms.add_argument("--between", required=True, metavar="A,B", help="red lead, black lead")
    ohms.add_argument("--test-current", type=number, default=1e-3)
    ohms.add_argument("--compliance", type=number, default=2.0)
    ohms.add_argument("--keep", default="", metavar="SOURCES", help="sources left in place, parted by commas")


def _of_file(handler: Handler) -> Handler:
    """The handler of an analysis: whatever cannot be solved is told with the name of the netlist."""

    def named(a: argparse.Namespace) -> Answer:
        with reading(a.file.name, "solved"):
            return handler(a)

    return named


def number(text: str) -> float:
    """A value as builders write it, for argparse."""
    try:
        return parse_value(text)
    except UnreadableValue as bad:
        raise argparse.ArgumentTypeError(str(bad)) from bad


def _quantiles(text: str) -> tuple[float, float]:
    try:
        low, high = (float(part) for part in text.split(","))
    except ValueError:
        low, high = 1.0, 0.0
    if not 0 <= low < high <= 1:
        raise argparse.ArgumentTypeError(f"'{text}' is not a pair of quantiles; write 0.01,0.99")
    return low, high


class _Ensemble:
    """The circuit of a call, the values its members have, and how their results are told."""

    def __init__(self, a: argparse.Namespace) -> None:
        from nuvlo.circuit.circuit import Circuit
        from nuvlo.circuit.variation import parse_variations, sample

        self.circuit = Circuit.from_file(a.file)
        for warning in self.circuit.warnings:
            print(warning, file=sys.stderr)
        # The answer may be another than the netlist means: it is given, and not passed off as a good one.
        self.status = int(any(w.alters for w in self.circuit.warnings) and not a.lenient)
        self.varied = bool(a.vary)
        self.quantiles = a.quantiles
        laws = parse_variations(a.vary, self.circuit)
        if self.varied and a.builds < 2:
            raise NuvloError(Problem("an ensemble needs at least 2 builds.", "Use --builds 2000."))
        self.values: Any = sample(laws, a.builds, a.seed) if laws else {}
        self.failed: list[int] = []

    def point(self) -> Any:
        """The operating point; members that failed are remembered, and a nominal one that did is an error."""
        from nuvlo.circuit.operating_point import operating_point

        found = operating_point(self.circuit, self.values)
        self.failed = found.failed
        return found

    def must_hold(self, point: Any) -> None:
        """Raise where the nominal member has no solution."""
        if not point.converged[0]:
            from nuvlo.circuit.unsolved import explain

            raise NuvloError(explain(point))

    def told(self, values: Any) -> Any:
        """(N,) or (N, F) → a number or list; with an ensemble a dictionary of three of them."""
        import numpy as np

        values = np.asarray(values, float)
        if not self.varied:
            return _plain(values[0])
        kept = np.delete(values, self.failed, axis=0)
        # Quantiles by order, not by interpolation: an open circuit among the members must not make all of it nothing.
        low, high = np.quantile(kept, self.quantiles, axis=0, method="nearest")
        return {"nominal": _plain(values[0]), "low": _plain(low), "high": _plain(high)}

    def document(self, **entries: Any) -> Document:
        out = dict(entries)
        if self.varied:
            out["failed"] = self.failed
        if self.circuit.warnings:
            out["problems"] = [w.as_json() for w in self.circuit.warnings]
        return out


def _plain(value: Any) -> Any:
    """Numbers and lists as JSON knows them: neither infinite nor no number."""
    import numpy as np

    if np.ndim(value) == 0:
        return float(value) if np.isfinite(value) else None
    return [float(v) if np.isfinite(v) else None for v in value]


def _spread(value: Any) -> list[Any]:
    """A told number as table cells: one, or nominal, low and high."""
    return list(value.values()) if isinstance(value, dict) else [value]


def _heads(name: str, varied: bool) -> list[str]:
    return [f"{name}_{part}" for part in ("nominal", "low", "high")] if varied else [name]


def _said(value: Any, unit: str, digits: int = 6) -> str:
    return "   ".join(format_value(float("nan") if v is None else v, unit, digits) for v in _spread(value))


def _op(a: argparse.Namespace) -> Answer:
    e = _Ensemble(a)
    point = e.point()
    converged = bool(point.converged[0])
    nodes = {n: e.told(point.voltage(n)) for n in e.circuit.nodes} if converged or not e.varied else {}
    currents = {n: e.told(i) for n, i in point.currents().items()} if converged else {}
    document = e.document(nodes=nodes, currents=currents, converged=converged)
    if not converged:
        from nuvlo.circuit.unsolved import explain

        problem = explain(point)
        document["problems"] = [*document.get("problems", []), problem.as_json()]
        print(problem, file=sys.stderr)
    rows = [("node", n, v, "V") for n, v in nodes.items()] + [("element", n, i, "A") for n, i in currents.items()]
    if a.csv:
        heading = ["what", "name", *_heads("value", e.varied), "unit"]
        _write_csv(a.csv, heading, ([what, n, *_spread(v), u] for what, n, v, u in rows))
    # A transmission line is a ladder of many sections: what stands in it is in the document, and nothing to read through.
    text = "\n".join(f"{name:16s} {_said(v, u)}" for _, name, v, u in rows if not ("." in name and name[0] == "t"))
    return (e.status if converged else 1), document, text


def _frequencies(a: argparse.Namespace) -> Any:
    from nuvlo.circuit.small_signal import log_frequencies

    if not 0 < a.start <= a.stop:
        raise NuvloError(Problem("the sweep is empty.", "Give 0 < --from ≤ --to."))
    return log_frequencies(a.start, a.stop, a.points)


def _curve(
    a: argparse.Namespace, e: _Ensemble, along: list[float], columns: dict[str, Any], head: str = "frequency_hz"
) -> str:
    """The table of a curve: what it runs along, then each column; written as CSV where asked, and returned as text."""
    cells = [c for column in columns.values() for c in (column.values() if e.varied else [column])]
    rows = list(zip(along, *cells, strict=True))
    if a.csv:
        _write_csv(a.csv, [head, *(h for name in columns for h in _heads(name, e.varied))], rows)
    heads = [h for name in columns for h in _heads(name, e.varied)]
    wide = [max(10, len(h)) for h in heads]
    lines = [f"{head:>12s} " + " ".join(f"{h:>{w}s}" for h, w in zip(heads, wide, strict=True))]
    lines += [f"{f:12.6g} " + " ".join(f"{'—':>{w}s}" if v is None else f"{v:{w}.5g}" for v, w in zip(rest, wide, strict=True)) for f, *rest in rows]
    return "\n".join(lines)


def _ac(a: argparse.Namespace) -> Answer:
    from nuvlo.circuit.small_signal import response

    frequency = _frequencies(a)
    e = _Ensemble(a)
    point = e.point()
    e.must_hold(point)
    found = response(point, a.source.lower(), a.node, frequency)
    db, phase = e.told(found.magnitude_db), e.told(found.phase_deg)
    text = _curve(a, e, frequency.tolist(), {"magnitude_db": db, "phase_deg": phase})
    return e.status, e.document(frequency=frequency.tolist(), magnitude_db=db, phase_deg=phase), text


def _noise(a: argparse.Namespace) -> Answer:
    from nuvlo.circuit.noise import noise

    frequency = _frequencies(a)
    e = _Ensemble(a)
    point = e.point()
    e.must_hold(point)
    found = noise(point, a.source.lower(), a.node, frequency, a.weighting)
    output, referred, total = e.told(found.output_density), e.told(found.input_density), e.told(found.total)
    text = _curve(a, e, frequency.tolist(), {"output_density": output, "input_density": referred})
    document = e.document(frequency=frequency.tolist(), output_density=output, input_density=referred, total=total)
    return e.status, document, f"{text}\ntotal {_said(total, 'V', 4)}"


def _tran(a: argparse.Namespace) -> Answer:
    from nuvlo.circuit.transient import transient

    if not 0 < a.step <= a.stop:
        raise NuvloError(Problem("the step must lie between 0 and the stop time.", "Try --step 10u --stop 10m."))
    e = _Ensemble(a)
    course = transient(e.circuit, a.step, a.stop, [a.node], e.values)
    value = e.told(course.voltage[a.node])
    text = _curve(a, e, course.time.tolist(), {"value": value}, "time_s")
    return e.status, e.document(time=course.time.tolist(), value=value), text


def _ohms(a: argparse.Namespace) -> Answer:
    from nuvlo.circuit.ohms import Ohmmeter, resistance

    leads = [lead.strip() for lead in a.between.split(",")]
    if len(leads) != 2:
        raise NuvloError(Problem(f"'{a.between}' is not a pair of nodes.", "Write --between red,black."))
    if not (a.test_current > 0 and a.compliance > 0):
        raise NuvloError(Problem("a meter needs a test current and a compliance above 0.", "Try 1m and 2."))
    e = _Ensemble(a)
    keep = tuple(filter(None, (name.strip() for name in a.keep.split(","))))
    red, black = leads
    found = resistance(e.circuit, red, black, Ohmmeter(a.test_current, a.compliance), e.values, keep)
    ohms, volts = e.told(found.ohms), e.told(found.volts)
    document = e.document(ohms=ohms, volts=volts)
    if a.csv:
        _write_csv(a.csv, [*_heads("ohms", e.varied), *_heads("volts", e.varied)], [[*_spread(ohms), *_spread(volts)]])
    said = "   ".join("open" if v is None else format_value(v, "Ω", 5) for v in _spread(ohms))
    return e.status, document, said


def _power(a: argparse.Namespace) -> Answer:
    e = _Ensemble(a)
    point = e.point()
    e.must_hold(point)
    parts = {name: e.told(watts) for name, watts in point.dissipation().items()}
    if a.csv:
        _write_csv(a.csv, ["part", *_heads("watts", e.varied)], ([name, *_spread(w)] for name, w in parts.items()))
    return e.status, e.document(parts=parts), "\n".join(f"{name:16s} {_said(w, 'W', 4)}" for name, w in parts.items())


def _sensitivity(a: argparse.Namespace) -> Answer:
    from nuvlo.circuit.sensitivity import even_laws, sensitivity
    from nuvlo.circuit.variation import parse_variations

    e = _Ensemble(a)
    laws = parse_variations(a.vary, e.circuit) or even_laws(e.circuit)
    found = sensitivity(e.circuit, a.of, laws)
    parts = {name: {"slope": _plain(s.slope), "share": _plain(s.share)} for name, s in found.items()}
    if a.csv:
        _write_csv(a.csv, ["part", "slope", "share"], ([name, p["slope"], p["share"]] for name, p in parts.items()))
    e.varied = False  # one answer for all laws together, not one for each member
    rows = sorted(parts.items(), key=lambda item: -(item[1]["share"] or 0.0))
    return (
        e.status,
        e.document(parts=parts),
        "\n".join(f"{name:16s} {100 * p['share']:6.2f} %   {p['slope']:.4g}" for name, p in rows),
    )


def _write_csv(path: Path, heading: Iterable[str], rows: Iterable[Iterable[object]]) -> None:
    try:
        with path.open("w", encoding="utf-8", newline="") as file:
            writer = csv.writer(file, lineterminator="\n")
            writer.writerow(heading)
            writer.writerows(rows)
    except OSError as error:
        raise NuvloError(Problem(f"cannot be written: {error.strerror}.", "Name another place.", path.name)) from error
