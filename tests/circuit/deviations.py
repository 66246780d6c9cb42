"""The table of the worst deviations from the independent simulator, of all rows that were run, on whatever worker."""

from collections.abc import Iterable

COLUMNS = {"op": ("op share",), "ac": ("ac dB", "ac deg"), "noise": ("noise dB",), "tran": ("tran share",)}


def table(found: Iterable[tuple]) -> list[str]:
    """Lines of the table. ``found``: (group, name, analysis, deviations ...); the small circuits are put together."""
    worst: dict[tuple[str, str], dict[str, float]] = {}
    small = set()
    for group, name, analysis, *deviations in found:
        if group == "small":
            small.add(name)
        cells = worst.setdefault((group, "" if group == "small" else name), {})
        for column, deviation in zip(COLUMNS[analysis], deviations, strict=True):
            cells[column] = max(cells.get(column, 0.0), deviation)
    heads = [head for heads in COLUMNS.values() for head in heads]
    lines = [f"  {'worst against ngspice':28s}" + "".join(f"{h:>12s}" for h in heads)]
    for (group, name), cells in sorted(worst.items()):
        what = f"{group} {name}" if name else f"{len(small)} small circuits"
        lines.append(f"  {what:28s}" + "".join(f"{cells[h]:12.2g}" if h in cells else f"{'':12s}" for h in heads))
    return lines
