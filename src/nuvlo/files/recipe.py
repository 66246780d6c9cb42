"""Recipes: small circuits with inputs, values that may be picked, and aims. A folder of ``recipe.toml`` and ``circuit.cir``.

A recipe holds no program: its circuit is a netlist in which inputs are ``.param``, and its formulas are those of netlists.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from pydantic import Field, ValidationError

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.expression import parse_expression
from nuvlo.files.whole import folder_whole, text_of, toml_of
from nuvlo.kit.schema import Aim, Move, _Strict
from nuvlo.problems import NuvloError, Problem, reader
from nuvlo.quantity import UnreadableValue, format_value, parse_value

GROUPS = (
    "Levels", "Filters", "Supplies", "Amplifiers", "Valves", "Semiconductors", "Pickups and microphones", "Loudspeakers", "Parts",
)  # fmt: skip
FIGURES = ("first", "peak", "peak_at", "low_at", "high_at", "least", "least_at")  # that a measured curve gives
SHIPPED_RECIPES = Path(__file__).parent.parent / "recipes"


class Input(_Strict):
    """Something the builder knows, with a value to begin with, and between what it makes sense: values, or formulas in other inputs where these
    limit it (a lamp of 3 V at a supply of 2). ``units`` are those it may be written with besides, and what one of them is.

    ``zero``: what 0 is taken as, where very little and nothing come to the same (a source without resistance). ``words`` are
    values by name, such as volts by the colour of a lamp. A ``table`` is a file of a measured curve: hertz and value in each
    line, as in ZMA and FRD; formulas know it by what :func:`curve_figures` tells, such as ``zma_peak_at``.
    """

    name: str
    unit: str = ""
    default: str
    least: str | None = None
    most: str | None = None
    zero: str | None = None
    words: dict[str, str] = Field(default_factory=dict)
    units: dict[str, float] = Field(default_factory=dict)
    table: bool = False
    says: str = ""


class RecipeFile(_Strict):
    """All of ``recipe.toml``. ``caution`` is shown first where the thing can hurt."""

    title: str
    group: str = "Others"
    says: str = ""
    caution: str = ""
    input: tuple[Input, ...] = ()
    move: tuple[Move, ...] = ()
    aim: tuple[Aim, ...] = Field(min_length=1)


@dataclass(frozen=True)
class Recipe:
    """A recipe that was read. ``name`` is its folder's."""

    name: str
    info: RecipeFile
    circuit: Circuit
    folder: Path

    def inputs(self, given: Mapping[str, str]) -> dict[str, float]:
        """Values of all inputs, ``given`` ones as builders write them. Raises :class:`NuvloError` naming the wrong one."""
        known = {i.name: i for i in self.info.input}
        for name in given:
            if name not in known:
                raise NuvloError(
                    Problem(f"'{self.name}' has no input '{name}'.", f"Inputs: {', '.join(known) or 'none'}.")
                )
        out: dict[str, float] = {}
        for name, one in known.items():
            text = given.get(name, one.default)
            if one.table:
                try:
                    out |= {f"{name}_{what}": value for what, value in curve_figures(self._file(text)).items()}
                except NuvloError as bad:
                    raise NuvloError(Problem(bad.problems[0].message, bad.problems[0].remedy, bad.problems[0].file, ref=name)) from bad
                continue
            try:
                out[name] = _written(one, one.words.get(text.lower(), text))
            except UnreadableValue as bad:
                words = f" Or one of: {', '.join(one.words)}." if one.words else ""
                raise NuvloError(Problem(bad.problems[0].message, bad.problems[0].remedy + words, ref=name)) from bad
        return out | {name: _within(one, out[name], out) for name, one in known.items() if not one.table}

    def _file(self, text: str) -> Path:
        """A file that was named: as it stands, or beside the recipe."""
        path = Path(text).expanduser()
        return path if path.exists() or path.is_absolute() else self.folder / text


@reader
def curve_figures(path: Path) -> dict[str, float]:
    """What a measured curve tells: its ``first`` value, ``least`` and ``least_at``, ``peak`` and ``peak_at`` of its lowest
    resonance, and ``low_at`` and ``high_at``, the frequencies either side at which it is the geometric mean of both.

    Lines hold hertz and value (ohms of a ZMA), perhaps more; others are remarks. Raises :class:`NuvloError`.
    """
    rows = []
    for line in text_of(path).replace(",", " ").replace(";", " ").splitlines():
        try:
            hertz, value = (float(word) for word in line.split()[:2])
        except ValueError:
            continue
        if hertz > 0 and value > 0 and np.isfinite([hertz, value]).all():
            rows.append((hertz, value))
    if len(rows) < 8:
        raise NuvloError(Problem("holds no curve.", "Each line is hertz and ohms, as in 20.0 7.31 12.5.", path.name))
    f, z = np.array(sorted(dict(rows).items())).T
    if f[-1] < 2 * f[0]:
        raise NuvloError(Problem("spans less than an octave.", "Measure from well below the resonance.", path.name))
    low = f <= 10 * f[int(np.argmax(z[f <= 30 * f[0]]))]  # the coil rises again at the top
    fl, zl = f[low], z[low]
    at = int(np.argmax(zl))
    after = z[at:]
    middle = float(np.sqrt(min(z[0], after.min()) * zl[at]))
    below = float(np.interp(middle, zl[: at + 1], fl[: at + 1]))
    above = zl[at:][::-1]
    high = float(np.interp(middle, np.minimum.accumulate(zl[at:])[::-1], fl[at:][::-1])) if above.size > 1 else float(fl[at])
    return {
        "first": float(z[0]), "peak": float(zl[at]), "peak_at": float(fl[at]), "low_at": below, "high_at": high,
        "least": float(after.min()), "least_at": float(f[at:][int(np.argmin(after))]),
    }  # fmt: skip


def _written(one: Input, text: str) -> float:
    """What an input was given as, in its own unit or another that it may be written with. Raises :class:`UnreadableValue`."""
    for unit, worth in one.units.items():
        head = text.strip()[: -len(unit)]
        if text.strip().lower().endswith(unit.lower()) and head.strip():
            try:
                return parse_value(head, "") * worth
            except UnreadableValue:
                continue
    return parse_value(text, one.unit)


def _within(one: Input, value: float, others: Mapping[str, float]) -> float:
    """``value`` of an input, or what stands for it. Raises :class:`NuvloError` where it makes no sense."""
    if value == 0 and one.zero:
        return parse_value(one.zero, one.unit)
    for text, end, beyond, sign in ((one.least, "Least", "less", 1.0), (one.most, "Most", "more", -1.0)):
        if text is None:
            continue
        limit, why = _limit(text, one.unit, others)
        if sign * value < sign * limit:
            said = f"{format_value(value, one.unit)} is {beyond} than makes sense here."
            raise NuvloError(Problem(said, f"{end}: {format_value(limit, one.unit)}{why}.", ref=one.name))
    return value


def _limit(text: str, unit: str, others: Mapping[str, float]) -> tuple[float, str]:
    """A limit, and what it comes from where other inputs set it."""
    try:
        return parse_value(text, unit), ""
    except UnreadableValue:
        return float(np.asarray(parse_expression(text.lower())(lambda name: others[name]))), f", which is {text}"


def recipe_folders(more: Iterable[Path] = ()) -> dict[str, Path]:
    """Name → folder of every recipe: the shipped ones, and those in the folders ``more``, which go before."""
    out: dict[str, Path] = {}
    for place in (SHIPPED_RECIPES, *more):
        if place.is_dir():
            out |= {p.name: p for p in sorted(place.iterdir()) if (p / "recipe.toml").exists()}
    return dict(sorted(out.items()))


def save_recipe(recipe: Recipe, inputs: Mapping[str, float], place: Path, name: str) -> Path:
    """A recipe of one's own: ``recipe`` with these ``inputs`` to begin with, as the folder ``name`` in ``place``.

    Raises :class:`NuvloError` for a name that is no folder's or taken.
    """
    if not re.fullmatch(r"[\w-]+", name) or name in (*recipe_folders([place]), "save"):
        raise NuvloError(
            Problem(f"'{name}' cannot be the name of a recipe.", "Take one of letters and dashes that is not in use.")
        )
    folder = place / name
    text = (recipe.folder / "recipe.toml").read_text(encoding="utf-8")
    # Only the default of each input's own table is replaced; everything else, comments too, stays as it is.
    units = {one.name: one.unit for one in recipe.info.input if one.name in inputs}
    tables = re.split(r"(?m)^(?=\[)", text)
    for k, table in enumerate(tables):
        (named,) = toml_of(table, "recipe.toml").get("input", [{}]) if table.startswith("[[input]]") else ({},)
        if named.get("name") in units:
            value = format_value(inputs[named["name"]], units[named["name"]], 6)
            default = value.replace("\u2009", "").replace("\u202f", "")
            tables[k] = re.sub(r"(?m)^default\s*=.*$", f'default = "{default}"', table, count=1)
    circuit = (recipe.folder / "circuit.cir").read_bytes()

    def fill(there: Path) -> None:
        (there / "recipe.toml").write_text("".join(tables), encoding="utf-8")
        (there / "circuit.cir").write_bytes(circuit)

    try:
        folder_whole(folder, fill)
    except OSError as bad:
        raise NuvloError(Problem(f"'{name}' cannot be written: {bad.strerror}.", "Check the folder.")) from bad
    return folder


@reader
def read_recipe(folder: Path) -> Recipe:
    """Read the recipe in ``folder``. Raises :class:`NuvloError` with every problem and its place."""
    folder = Path(folder)
    name = f"{folder.name}/recipe.toml"
    try:
        info = RecipeFile.model_validate(toml_of(text_of(folder / "recipe.toml", folder), name))
    except ValidationError as bad:
        raise NuvloError(
            Problem(f"{'.'.join(str(p) for p in e['loc'])}: {e['msg']}.", "docs/recipes.md lists what belongs there.",
                    name)
            for e in bad.errors()
        ) from bad  # fmt: skip
    circuit = Circuit.from_file(folder / "circuit.cir")
    wanted = [n for i in info.input for n in ([f"{i.name}_{what}" for what in FIGURES] if i.table else [i.name])]
    unknown = [name for name in wanted if name not in circuit.netlist.top.parameters]
    unknown += [m.element for m in info.move if not circuit.has_parameter(m.element)]
    if unknown:
        raise NuvloError(
            Problem(f"'{unknown[0]}' is neither a .param nor an element of circuit.cir.", "Make the names agree.",
                    name, ref=unknown[0])
        )  # fmt: skip
    return Recipe(folder.name, info, circuit, folder)
