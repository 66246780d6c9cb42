"""A kit built otherwise than printed: values, supplies and types changed. What comes of it is a kit like any other."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from nuvlo.circuit.rewritten import rewritten
from nuvlo.kit.kinds import KINDS, kind_of
from nuvlo.kit.kit import Change, Kit, override_of_element
from nuvlo.kit.parts import Part
from nuvlo.kit.schema import Supply
from nuvlo.problems import NuvloError, Problem
from nuvlo.quantity import format_value, parse_value


def changes_in(kit: Kit, words: Sequence[str]) -> list[Change]:
    """``r9=100k``, ``u2=tl072``, ``vsup=12`` or the name of a variant. Raises :class:`NuvloError` naming what is no change."""
    out: list[Change] = []
    for word in words:
        variant = next((v for v in kit.info.variant if v.id == word.lower()), None)
        name, equals, to = word.partition("=")
        if variant is not None:
            out += [change(kit, c.part, c.to, c.why) for c in variant.change]
        elif equals and to:
            out.append(change(kit, name.strip(), to.strip()))
        else:
            known = ", ".join(v.id for v in kit.info.variant)
            raise NuvloError(
                Problem(f"'{word}' is not a change.", f"Write r9=100k, or a variant{': ' + known if known else ''}.")
            )
    if not out:
        raise NuvloError(Problem("nothing is changed.", "Write r9=100k, u2=tl072, or the name of a variant."))
    return list(dict.fromkeys(out))  # named twice, made once


def change(kit: Kit, name: str, to: str, why: str = "") -> Change:
    """The part or supply ``name`` of ``kit`` from what it is ``to`` something else. Raises :class:`NuvloError`."""
    part = kit.find_part(name)
    if part is not None:
        return Change(part.ref, part.text, to, why)
    supply = supply_named(kit, name)
    if supply is None:
        known = ", ".join(f"{s.element} ({s.name})" for s in kit.info.supply) or "none"
        raise NuvloError(
            Problem(
                f"there is no part and no supply '{name}' in {kit.name}.",
                f"Check the reference. Supplies: {known}.",
                ref=name,
            )
        )
    return Change(supply.name, format_value(supply.volts, "V"), to, why)


def told(part: Part, what: str) -> Part:
    """A part of which it was not known what it is, and now is: a kind, or where it goes. Raises :class:`NuvloError`."""
    word = what.strip().lower()
    if word in KINDS:
        kind = kind_of(word)
        return replace(part, kind=word, polarised=kind.one_way_round, on_board=kind.on_board, static_sensitive=word == "chip", asked=False)
    if word not in ("board", "case", "panel"):
        places = "'board' or 'case', or a kind of part such as 'jack' or 'switch'"
        raise NuvloError(Problem(f"'{what}' says neither what {part.ref} is nor where it goes.", f"Write {places}.", ref=part.ref))
    return replace(part, on_board=word == "board", asked=False)


def changes_of(kit: Kit, changed: Mapping[str, tuple[str, str]]) -> list[Change]:
    """What a build ``changed`` (name → to what, why), as changes of ``kit``."""
    return [change(kit, name, to, why) for name, (to, why) in changed.items()]


def supply_named(kit: Kit, name: str) -> Supply | None:
    """The supply of this name, or with this element; plain ``supply`` where there is but one."""
    if name.lower() == "supply" and len(kit.info.supply) == 1:
        return kit.info.supply[0]
    return next((s for s in kit.info.supply if name.lower() in (s.element, s.name.lower())), None)


def varied(kit: Kit, changes: Sequence[Change]) -> Kit:
    """``kit`` with ``changes`` made: its list, its supplies and its circuit. ``100u 35 V`` changes a rating as well.

    Raises :class:`NuvloError` for a change that cannot be made.
    """
    if not changes:
        return kit
    values: dict[str, float] = {}
    types: dict[str, str] = {}
    parts, supplies = dict(kit.parts), list(kit.info.supply)
    for one in changes:
        supply, part = supply_named(kit, one.part), kit.find_part(one.part)
        if part is not None and part.asked:
            parts[part.ref] = told(part, one.to)
        elif part is not None:
            text, _, rating = one.to.partition(" ") if part.unit else (one.to, "", "")
            value = parse_value(text, part.unit) if part.unit else None
            parts[part.ref] = replace(part, text=text, value=value, rating=rating or part.rating)
            for element in kit.elements_of(part.ref):
                if value is None:
                    types[element] = text.lower()
                else:
                    values[override_of_element(element)] = value
        elif supply is not None:
            volts = parse_value(one.to, "V")
            at = next(k for k, s in enumerate(supplies) if s.element == supply.element)
            settled = None if supply.settled is None else supply.settled * volts / supply.volts
            supplies[at] = supply.model_copy(update={"volts": volts, "settled": settled})
            values[supply.element] = supplies[at].running
        else:
            change(kit, one.part, one.to)  # says what is wrong with the name
    unit, setups = kit.unit, kit.setups
    if unit is not None and (values or types):
        unit = rewritten(unit, values, types)
        setups = {name: rewritten(circuit, values, types) for name, circuit in setups.items()}
    info = kit.info.model_copy(update={"supply": tuple(supplies)})
    return replace(kit, info=info, parts=parts, unit=unit, setups=setups, changes=tuple(changes), memory={})
