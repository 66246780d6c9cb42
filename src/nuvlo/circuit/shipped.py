"""What the shipped library defines, found by name: a netlist may name a registered type without giving its model."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace
from functools import cache
from pathlib import Path

from nuvlo.circuit.cards import Block, Model, Netlist
from nuvlo.circuit.netlist import LIBRARY, library_file

_DEFINES = re.compile(r"^\.(model|subckt|ends)\b[ \t]*(\S*)", re.MULTILINE | re.IGNORECASE)


def completed(netlist: Netlist) -> Netlist:
    """``netlist`` with what it names, does not define, and the shipped library has. Its own definitions stand."""
    top = netlist.top
    missing = {name for name, block in _named(top) if not defines(block, name) and name in index()}
    if not missing:
        return netlist
    # Blocks of the netlist look for names in the block around them, which is ``top`` itself.
    for name in missing:
        book = library_file(index()[name])
        if name in book.models:
            top.models = {**top.models, name: book.models[name]}
        else:
            top.subcircuits = {**top.subcircuits, name: replace(book.subcircuits[name], parent=top)}
    return completed(netlist)  # what was taken may stand on more


def defines(block: Block, name: str) -> bool:
    """Whether a model or subcircuit of this name is known within ``block``."""
    return block.find_model(name) is not None or block.find_subcircuit(name) is not None


@cache
def index() -> dict[str, Path]:
    """The file of each model and subcircuit of the library; what stands within a subcircuit is its own."""
    out: dict[str, Path] = {}
    for path in sorted(LIBRARY.glob("*.lib")):
        depth = 0
        for what, name in _DEFINES.findall(path.read_text(encoding="utf-8")):
            if what.lower() != "ends" and not depth:
                out.setdefault(name.lower(), path)
            depth += {"subckt": 1, "ends": -1}.get(what.lower(), 0)
    return out


ENDS = {"npn": ("c", "b", "e"), "pnp": ("c", "b", "e"), "njf": ("d", "g", "s"), "pjf": ("d", "g", "s"), "nmos": ("d", "g", "s", "b"), "pmos": ("d", "g", "s", "b"), "vdmos": ("d", "g", "s"), "d": ("anode", "cathode")}  # fmt: skip


def node_order(name: str) -> tuple[str, ...]:
    """The nodes of a model or subcircuit of the library in the order in which a netlist gives them; empty where it has none of this name."""
    path = index().get(name.lower())
    if path is None:
        return ()
    book = library_file(path)
    if name.lower() in book.subcircuits:
        return tuple(book.subcircuits[name.lower()].ports)
    return ENDS.get(book.models[name.lower()].kind, ())


def vertical_block(model: Model) -> str:
    """The block of the library that a model of type vdmos is solved as."""
    return "vdmos_p" if "pchan" in model.parameters else "vdmos_n"


def _named(block: Block) -> Iterator[tuple[str, Block]]:
    """Every model and subcircuit that cards name, with the block they stand in."""
    for card in block.cards:
        if card.model and (card.kind == "x" or card.kind in "dqjmr"):
            yield card.model, block
            model = block.find_model(card.model)
            if model is not None and model.kind == "vdmos":
                yield vertical_block(model), block
    for inner in block.subcircuits.values():
        if inner.parent is block:
            yield from _named(inner)
