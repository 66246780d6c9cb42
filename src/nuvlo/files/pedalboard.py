"""Plans of pedalboards: those that ship, and one's own, each a TOML file."""

from __future__ import annotations

from pathlib import Path

from pydantic import ValidationError

from nuvlo.files.whole import text_of, toml_of
from nuvlo.kit.pedalboard import Plan
from nuvlo.problems import NuvloError, Problem, reader

SHIPPED = Path(__file__).parents[1] / "pedalboards"


def shipped() -> list[str]:
    """Names of the plans that ship."""
    return sorted(p.stem for p in SHIPPED.glob("*.toml"))


@reader
def read_plan(name: str) -> Plan:
    """A shipped plan by its name, or a file. Raises :class:`NuvloError` with what is wrong."""
    path = SHIPPED / f"{name}.toml"
    if not path.exists():
        path = Path(name)
    if not path.exists():
        raise NuvloError(Problem(f"there is no plan '{name}'.", f"Those that ship: {', '.join(shipped())}. Or name a file of your own."))
    try:
        return Plan.model_validate(toml_of(text_of(path), path.name))
    except ValidationError as bad:
        raise NuvloError([
            Problem(f"{'.'.join(str(x) for x in e['loc']) or 'the plan'}: {e['msg'].removeprefix('Value error, ')}.", "Mend it.", path.name)
            for e in bad.errors()
        ]) from bad  # fmt: skip
