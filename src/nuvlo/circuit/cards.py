"""What a netlist is made of: words and where they stood, cards, models, and the blocks they stand in."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from nuvlo.circuit.expression import Expression
from nuvlo.problems import Problem


@dataclass(frozen=True)
class Token:
    """One word of a card, in lower case, where it stood, and as it was written."""

    text: str
    file: str
    line: int
    column: int
    index: int = 0  # in its logical line
    written: str = ""


@dataclass(frozen=True)
class Card:
    """One element: its name, terminals (node names) and parameters."""

    name: str
    kind: str
    nodes: tuple[str, ...]
    parameters: dict[str, Expression]
    model: str | None
    token: Token
    controls: tuple[str, ...] = ()  # elements named by F, H and K
    waveform: tuple[str, tuple[Expression, ...]] | None = None  # of a source: its kind and values


@dataclass(frozen=True)
class Model:
    """A ``.model`` card."""

    name: str
    kind: str
    parameters: dict[str, Expression]
    problems: tuple[Problem, ...] = ()  # with it, of interest only where it is used


@dataclass
class Block:
    """The top level of a netlist, or one ``.subckt``."""

    name: str
    ports: tuple[str, ...] = ()
    parameters: dict[str, Expression] = field(default_factory=dict)
    cards: list[Card] = field(default_factory=list)
    models: dict[str, Model] = field(default_factory=dict)
    subcircuits: dict[str, Block] = field(default_factory=dict)
    parent: Block | None = None

    def around(self) -> Iterator[Block]:
        """This block, then those around it."""
        block: Block | None = self
        while block is not None:
            yield block
            block = block.parent

    def find_subcircuit(self, name: str) -> Block | None:
        return next((b.subcircuits[name] for b in self.around() if name in b.subcircuits), None)

    def find_model(self, name: str) -> Model | None:
        return next((b.models[name] for b in self.around() if name in b.models), None)


@dataclass(frozen=True)
class Netlist:
    """A whole file: its title, the top block, and warnings found on the way."""

    title: str
    top: Block
    warnings: tuple[Problem, ...] = ()
    temperature: float = 27.0  # °C
    nominal: float = 27.0  # °C, at which parameters are stated
    everywhere: frozenset[str] = frozenset()  # nodes of that name are one in all blocks
    leads: Mapping[str, Expression] = field(default_factory=dict)  # V of ``.nodeset``: where the search begins
    holds: Mapping[str, Expression] = field(default_factory=dict)  # V of ``.ic``: where a course begins
    from_stated: bool = False  # ``uic``: a course begins from stated values, not from a solved rest
