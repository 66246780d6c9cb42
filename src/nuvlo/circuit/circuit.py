"""A netlist with its subcircuits opened out: numbered nodes, flat elements, and their values for an ensemble."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Hashable, Iterable, Mapping
from copy import copy
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from threading import Lock
from typing import Any

import numpy as np

from nuvlo.arrays import Array
from nuvlo.circuit.cards import Block, Card, Model, Netlist
from nuvlo.circuit.expression import Expression
from nuvlo.circuit.faults import STANDS
from nuvlo.circuit.models import MODEL_TYPES
from nuvlo.circuit.netlist import NetlistError, parse_netlist, read_netlist
from nuvlo.circuit.shipped import completed
from nuvlo.circuit.standins import switch, vertical
from nuvlo.problems import Problem, errors, reading
from nuvlo.progress import pause

Overrides = Mapping[str, "float | Array"]
GROUND = ("0", "gnd")
MOST_ELEMENTS, DEEPEST = 10_000, 50  # opened out, and subcircuits in subcircuits
MOST_COPIES = 100  # of a block side by side
REMEMBERED = 16  # first members a circuit keeps the solutions of
MOST_ASKED = 6  # equations it keeps for those with transistors in other holes


@dataclass(frozen=True)
class Element:
    """One flat element. ``nodes`` are indices into ``Circuit.nodes``; −1 is ground."""

    name: str
    kind: str
    nodes: tuple[int, ...]
    card: Card
    scope: _Scope
    polarity: int = 1  # −1 for a PNP transistor or a P-channel FET
    controls: tuple[str, ...] = ()  # full names of the elements that F, H and K speak of
    senses: tuple[tuple[str, tuple[int, int] | str], ...] = ()  # what a B source's expression speaks of
    copy_of: str = ""  # of what stands between other nodes in some members: the element it is
    stands_by: str = ""  # and the override by which it does
    model: Model | None = None

    @property
    def part(self) -> str:
        """The name of the part, shared by its copies."""
        return self.copy_of or self.name

    @property
    def gives_volts(self) -> bool:
        """Whether this is a B source of voltage."""
        return self.kind == "b" and self.card.model == "volts"


class _Scope:
    """Names visible to the expressions of one block instance, innermost first."""

    def __init__(self, prefix: str, block: Block, given: Mapping[str, Expression], parent: _Scope | None) -> None:
        self.prefix, self.block, self.given, self.parent = prefix, block, given, parent
        self.ports: Mapping[str, int] = {}  # its terminals, and the nodes they are on

    @property
    def root(self) -> _Scope:
        return self if self.parent is None else self.parent.root

    def value(self, name: str, overrides: Overrides) -> float | Array:
        """What a name comes to: overridden, given by the instance, defined by the block, or by the block around it."""
        return self._found((name,), overrides)[self, name]

    def evaluate(self, expression: Expression, overrides: Overrides) -> float | Array:
        known = self._found(expression.names, overrides) if expression.names else {}
        result: float | Array = expression(partial(_looked_up, known, self))
        return result

    def _found(self, names: Iterable[str], overrides: Overrides) -> Known:
        """What ``names`` come to, and all that they are made of, each worked out once. A chain of them may be long."""
        known: Known = overrides.known if isinstance(overrides, Asked) else {}
        todo = [(self, name) for name in names]
        begun: set[tuple[_Scope, str]] = set()
        while todo:
            at = todo[-1]
            if at in known:
                todo.pop()
                continue
            source, scope = at[0]._definition(at[1], overrides)
            if not isinstance(source, Expression):
                known[at] = source
                continue
            needs = [(scope, name) for name in source.names if (scope, name) not in known]
            if needs and at in begun:
                circle = next(name for where, name in needs if (where, name) in begun)
                raise NetlistError(Problem(f"the parameter '{circle}' is defined by itself.", "Break the circle."))
            begun.add(at)
            if not needs:
                known[at] = source(partial(_looked_up, known, scope))
            todo += needs
        return known

    def hangs_on(self, name: str, known: dict[tuple[_Scope, str], set[str]]) -> set[str]:
        """Full names that, overridden, change what a name comes to here; what was found out is ``known``. A chain may be long."""
        todo, begun = [(self, name)], set[tuple[_Scope, str]]()
        while todo:
            at = todo[-1]
            if at in known:
                todo.pop()
                continue
            keys: set[str] = set()
            needs: list[tuple[_Scope, str]] = []
            scope: _Scope | None = at[0]
            while scope is not None:
                keys.add(scope.prefix + at[1])
                given = at[1] in scope.given and scope.parent is not None
                if given or at[1] in scope.block.parameters:
                    source = scope.given[at[1]] if given else scope.block.parameters[at[1]]
                    where = scope.parent if given and scope.parent is not None else scope
                    needs = [(where, one) for one in source.names]
                    break
                scope = scope.parent
            if at not in begun and any(one not in known for one in needs):
                begun.add(at)
                todo += [one for one in needs if one not in known and one not in begun]
                continue
            known[at] = keys.union(*(known.get(one, set()) for one in needs))
            todo.pop()
        return known[self, name]

    def defining(self, model: str) -> _Scope:
        """The scope of the block in which a model is defined: the names in it are those of that block."""
        scope: _Scope | None = self
        while scope is not None:
            if model in scope.block.models:
                return scope
            scope = scope.parent
        return self.root

    def _definition(self, name: str, overrides: Overrides) -> tuple[Expression | float | Array, _Scope]:
        """The value or the expression of a name, and the scope in which the names of that stand."""
        scope: _Scope | None = self
        while scope is not None:
            if scope.prefix + name in overrides:
                return overrides[scope.prefix + name], scope
            if name in scope.given and scope.parent is not None:
                return scope.given[name], scope.parent
            if name in scope.block.parameters:
                return scope.block.parameters[name], scope
            scope = scope.parent
        raise NetlistError(Problem(f"the parameter '{name}' is not defined.", "Add .param, or mend the name."))


Known = dict[tuple[_Scope, str], "float | Array"]


def _looked_up(known: Known, scope: _Scope, name: str) -> float | Array:
    return known[scope, name]


class Asked(dict[str, "float | Array"]):
    """Overrides of one question, which nobody changes: what parameters come to under them is ``known``."""

    def __init__(self, overrides: Overrides) -> None:
        super().__init__(overrides)
        self.known: Known = {}
        self.moved = tuple(name for name in overrides if any(mark in name for mark in STANDS))
        self.faultless = not self.moved and not any(mark in name for name in overrides for mark in (".missing", ".reversed"))


class Memory:
    """The few things that were found out last, whoever asked: threads may share it."""

    def __init__(self, most: int = REMEMBERED) -> None:
        self.most = most
        self._lock = Lock()
        self._known: dict[Hashable, Any] = {}

    def recall(self, key: Hashable, make: Callable[[], Any]) -> Any:
        """What is known by ``key``, or what ``make`` makes of it; the one asked for longest ago is forgotten."""
        with self._lock:
            found = self._known.pop(key, None)
            if found is None:
                found = make()
            self._known[key] = found
            while len(self._known) > self.most:
                del self._known[next(iter(self._known))]
            return found

    def forget(self, key: Hashable) -> None:
        with self._lock:
            self._known.pop(key, None)


class Circuit:
    """Flat circuit. ``nodes`` are names in order of appearance, ground left out.

    Names inside a subcircuit instance ``x1`` read ``x1.m``. Raises :class:`NetlistError` for an unknown model or
    subcircuit, a wrong number of terminals, a node that nothing holds at any voltage, or a loop of voltage sources. The
    last two are not looked for without ``check``: a unit apart from its bench may float.
    """

    def __init__(self, netlist: Netlist, *, check: bool = True) -> None:
        self.netlist = netlist = completed(netlist)
        self.nodes: list[str] = []
        self.elements: list[Element] = []
        self.temperature = netlist.temperature  # °C
        self.nominal = netlist.nominal  # °C, at which parameters are stated
        self.eased: set[str] = set()  # coils that close a loop of coils: they have a little resistance at d.c.
        self.held: list[int] = []  # nodes whose own voltage nothing sets, held at ground by next to nothing
        self.warnings: list[Problem] = list(netlist.warnings)
        self.checked = check  # where it was not, some node may be held by nothing
        self._index: dict[str, int] = {}
        self._problems: list[Problem] = []
        self._scopes: dict[str, _Scope] = {}  # of each instance of a subcircuit
        self._used: set[str] = set()  # models
        self._opened = 0  # elements and instances so far
        self.memory = Memory()  # of the solver: what it found out about first members
        self.orders = Memory()  # of elimination
        self.formulas: Any = None  # its expressions as code
        self.equations: Any = None  # of the circuit as it stands, which others start from
        self.upright: Circuit | None = None  # the same with its transistors in their own holes, where that is all that differs
        self.asked = Memory(MOST_ASKED)  # equations that circuits with other holes start from, by what was overridden
        self._hanging: dict[str, set[str]] | None = None
        self._open(netlist.top, _Scope("", netlist.top, {}, None), {}, ())
        if not self.elements and not self._problems:
            self._problems.append(Problem("the netlist has no elements.", "Add at least one."))
        if self._problems:
            raise NetlistError(self._problems)
        self._by_name = {e.name: e for e in self.elements}
        self._check_controls()
        if check:
            self._check_connected()

    @classmethod
    def from_file(cls, path: Path, *, check: bool = True) -> Circuit:
        with reading(Path(path).name):
            return cls(read_netlist(path), check=check)

    @classmethod
    def from_text(cls, text: str, folder: Path | None = None) -> Circuit:
        return cls(parse_netlist(text, folder=folder))

    def with_elements(self, extra: list[Element]) -> Circuit:
        """The same circuit with more elements between its nodes; one of a name that it has stands in the other's place."""
        out = copy(self)
        own = {e.name: e for e in self.elements}
        out.elements = list((own | {e.name: e for e in extra}).values())
        out._by_name = {e.name: e for e in out.elements}
        out.memory, out.orders, out.formulas, out.equations, out._hanging = Memory(), Memory(), None, None, None
        out.upright, out.asked = None, Memory(MOST_ASKED)
        return out

    def element(self, name: str) -> Element:
        found = self._by_name.get(name.lower())
        if found is None:
            raise NetlistError(Problem(f"there is no element '{name}'.", "Names are as in the netlist.", ref=name))
        return found

    def given(self, instance: str, parameter: str) -> float:
        """A parameter of an instance of a subcircuit, as the netlist has it."""
        return float(self._scopes[instance].value(parameter, {}))

    def pins(self, instance: str) -> dict[str, str]:
        """The nodes that an instance of a subcircuit hangs on, by the names that the block has for its terminals."""
        names = ["0", *self.nodes]
        return {port: names[node + 1] for port, node in self._scopes[instance].ports.items()}

    def of_kind(self, kind: str) -> list[Element]:
        return [e for e in self.elements if e.kind == kind]

    def node(self, name: str) -> int:
        """Index of a node; −1 for ground. Raises :class:`NetlistError` naming the nearest thing that exists."""
        name = name.lower()
        if name in GROUND:
            return -1
        if name not in self._index:
            known = ", ".join(self.nodes[:20])
            raise NetlistError(Problem(f"there is no node '{name}'.", f"Nodes here: {known}.", ref=name))
        return self._index[name]

    def parameter(self, element: Element, name: str, overrides: Overrides, default: float = 0.0) -> float | Array:
        """Value of ``name`` for ``element``: an override ``element.name``, the card's own, its model's, or the default.

        The main value of an element (``value`` of R and C, ``dc`` of sources) is overridden by the bare name too.
        """
        full = f"{element.part}.{name}"
        if full in overrides:
            return overrides[full]
        main = "dc" if element.kind in "vi" else "value"
        if name == main and element.part in overrides:
            return overrides[element.part]
        if name in element.card.parameters and element.kind != "b":
            return element.scope.evaluate(element.card.parameters[name], overrides)
        if element.model is not None:
            model = element.model
            if name in model.parameters:
                scope = element.scope.defining(model.name)
                return scope.evaluate(model.parameters[name], overrides)
        return default

    def touched(self, overrides: Overrides) -> set[str] | None:
        """Names of the elements whose parameters hang on ``overrides``; None where more than parameters may: temperature, mistakes."""
        if self._hanging is None:
            self._hanging = self._all_hanging()
        out: set[str] = set()
        for name in overrides:
            head, _, tail = name.rpartition(".")
            if name == "temper" or tail in ("missing", "reversed", "temp", "dtemp") or any(mark in name for mark in STANDS) or " " in name:
                return None
            found = {e for e in (name, head) if e in self._by_name} | self._hanging.get(name, set())
            if not found and name not in self._hanging:
                return None
            out |= found
        return out

    def _all_hanging(self) -> dict[str, set[str]]:
        """For each name that can be overridden and is no element's, the elements whose parameters come to something else with it."""
        closures: dict[tuple[_Scope, str], set[str]] = {}
        out: dict[str, set[str]] = {}
        for element in self.elements:
            known = [(element.scope, expression) for expression in element.card.parameters.values()]
            if element.model is not None:
                where = element.scope.defining(element.model.name)
                known += [(where, expression) for expression in element.model.parameters.values()]
            for scope, expression in known:
                for name in expression.names:
                    for key in scope.hangs_on(name, closures):
                        out.setdefault(key, set()).add(element.name)
        return out

    def has_parameter(self, name: str) -> bool:
        """Whether ``name`` (``r1``, ``q1.bf``, ``xfuzz.pos``) can be overridden here."""
        head, _, tail = name.rpartition(".")
        if (
            name in self.netlist.top.parameters
            or name in self._by_name
            or (head in self._by_name and self._by_name[head].card.model)
        ):
            return True
        scope = self._scopes.get(head)
        return scope is not None and (tail in scope.block.parameters or tail in scope.given)

    # -- opening out ------------------------------------------------------------------------------------------

    def _number(self, name: str, prefix: str, ports: Mapping[str, int]) -> int:
        if name in GROUND:
            return -1
        if name in ports:
            return ports[name]
        full = name if name in self.netlist.everywhere else prefix + name
        if full not in self._index:
            self._index[full] = len(self.nodes)
            self.nodes.append(full)
        return self._index[full]

    def _open(self, block: Block, scope: _Scope, ports: Mapping[str, int], inside: tuple[str, ...]) -> None:
        pause()
        for card in block.cards:
            self._opened += 1
            if self._opened > MOST_ELEMENTS:
                at = card.token
                raise NetlistError(
                    Problem(f"opened out, this circuit has more than {MOST_ELEMENTS:,} elements.",
                            "Look for subcircuits that double each time.", at.file, at.line, at.column)
                )  # fmt: skip
            numbers = tuple(self._number(n, scope.prefix, ports) for n in card.nodes)
            if card.kind == "x":
                self._instance(card, block, scope, numbers, inside)
                continue
            polarity, model = 1, None
            if card.kind in MODEL_TYPES and (card.kind not in "rc" or card.model):
                model = block.find_model(card.model or "")
                wanted = MODEL_TYPES[card.kind]
                self._use(model)
                if model is not None and errors(model.problems):
                    continue
                if model is None or model.kind not in wanted:
                    why = "is not defined" if model is None else f"is of type {model.kind}"
                    self._say(card, f"the model '{card.model}' {why}.", f"Add .model {card.model} {wanted[0]}(…).")
                    continue
                if model.kind == "vdmos":
                    self._instance(vertical(card, model), block, scope, numbers[:3], inside)
                    continue
                if len(numbers) < 4 and card.kind == "m":
                    self._say(card, f"'{card.name}' needs 4 nodes and a model.", "Only models of type vdmos have three.")
                    continue
                polarity = -1 if model.kind in ("pnp", "pjf", "pmos") else 1
                if card.kind in "sw":
                    card, said = switch(card, model, partial(scope.defining(model.name).evaluate, overrides={}))
                    self.warnings += said
            if card.kind in "vr" and numbers[0] == numbers[1] and card.kind == "v":
                self._say(card, "both ends of this source are on the same node.", "Mend one of the nodes.")
            controls = tuple(scope.prefix + name for name in card.controls)
            senses: list[tuple[str, tuple[int, int] | str]] = []
            for sense in card.parameters["value"].senses if card.kind == "b" else ():
                if sense.kind == "i":
                    senses.append((sense.label, scope.prefix + sense.names[0]))
                else:
                    pair = [self._number(n, scope.prefix, ports) for n in sense.names] + [-1]
                    senses.append((sense.label, (pair[0], pair[1])))
            self.elements.append(
                Element(scope.prefix + card.name, card.kind, numbers, card, scope, polarity, controls, tuple(senses), model=model)
            )

    def _use(self, model: Model | None) -> None:
        """What is wrong with a model is of interest once it is used."""
        if model is None or model.name in self._used:
            return
        self._used.add(model.name)
        if model.kind in ("nmos", "pmos") and "tox" in model.parameters:
            self.warnings.append(
                Problem(f"the charge of the gate of '{model.name}' is not counted but for what overlaps.", "Add capacitors for it: response and courses are too fast.",
                        severity="warning", alters=True)
            )  # fmt: skip
        for problem in model.problems:
            (self._problems if problem.severity == "error" else self.warnings).append(problem)

    def _instance(
        self, card: Card, block: Block, scope: _Scope, numbers: tuple[int, ...], inside: tuple[str, ...]
    ) -> None:
        sub = block.find_subcircuit(card.model or "")
        if sub is None:
            self._say(card, f"the subcircuit '{card.model}' is not defined.", "Add .include or .subckt.")
        elif len(sub.ports) != len(numbers):
            self._say(card, f"'{sub.name}' has {len(sub.ports)} terminals, not {len(numbers)}.", "Give as many nodes as its .subckt line has.")
        elif sub.name in inside:
            self._say(card, f"the subcircuit '{sub.name}' contains itself.", "Break the circle.")
        elif len(inside) >= DEEPEST:
            self._say(card, f"subcircuits stand in each other more than {DEEPEST} deep.", "Look for blocks that stand in themselves, or open some out.")
        else:
            for k in range(self._copies(card, scope, sub)):
                name = card.name if k == 0 else f"{card.name}:{k + 1}"  # side by side, each with nodes of its own
                inner = _Scope(f"{scope.prefix}{name}.", sub, card.parameters, scope)
                inner.ports = dict(zip(sub.ports, numbers, strict=True))
                self._scopes[f"{scope.prefix}{name}"] = inner
                self._open(sub, inner, inner.ports, (*inside, sub.name))

    def _copies(self, card: Card, scope: _Scope, sub: Block) -> int:
        """How many of a block stand side by side: its ``m``, where that is no parameter of its own."""
        for name in card.parameters:
            if name not in sub.parameters and name != "m":
                at = card.token
                self.warnings.append(
                    Problem(f"'{sub.name}' has no parameter '{name}', so it is passed over.", "Mend the name.", at.file, at.line, at.column, card.name,
                            severity="warning", alters=True)
                )  # fmt: skip
        if "m" not in card.parameters or "m" in sub.parameters:
            return 1
        many = float(np.mean(scope.evaluate(card.parameters["m"], {})))
        if many != int(many) or not 1 <= many <= MOST_COPIES:
            self._say(card, f"{many:g} of a block cannot stand side by side.", f"Give a whole number up to {MOST_COPIES}.")
            return 1
        return int(many)

    def _say(self, card: Card, message: str, remedy: str) -> None:
        at = card.token
        self._problems.append(Problem(message, remedy, at.file, at.line, at.column, card.name))

    def _check_controls(self) -> None:
        """Elements that F, H and K name must be there, and be of the kind that carries what they speak of."""
        for element in self.elements:
            for name in (*element.controls, *(of for _, of in element.senses if isinstance(of, str))):
                found = self._by_name.get(name)
                carries = found is not None and (found.kind == "l" if element.kind == "k" else found.kind in "vleh" or found.gives_volts)
                if not carries:
                    what = "inductor" if element.kind == "k" else "voltage source or coil"
                    self._say(element.card, f"there is no {what} '{name}'.", "Mend the name.")
        if self._problems:
            raise NetlistError(self._problems)
        self._check_coupled()

    def _check_coupled(self) -> None:
        """Coils cannot couple by more than wholly, nor three of them each to each in ways that no field has."""
        pairs = [(e, float(np.mean(self.parameter(e, "value", {})))) for e in self.of_kind("k")]
        names = sorted({name for e, _ in pairs for name in e.controls})
        if not names:
            return
        matrix = np.eye(len(names))
        for e, k in pairs:
            if not abs(k) <= 1:
                self._say(e.card, f"a coupling of {k:g} is more than there can be.", "Give a number between −1 and 1.")
            a, b = (names.index(name) for name in e.controls)
            matrix[a, b] = matrix[b, a] = k
        if not self._problems and np.linalg.eigvalsh(matrix)[0] < -1e-9:
            self._say(pairs[0][0].card, f"no field couples {', '.join(names)} so.", "Where two couple closely to a third, they couple to each other.")
        if self._problems:
            raise NetlistError(self._problems)

    # -- can it have an operating point at all? ----------------------------------------------------------------

    def _check_connected(self) -> None:
        group = list(range(len(self.nodes) + 1))  # union-find; the last entry is ground (index −1)

        def root(node: int) -> int:
            while group[node] != node:
                group[node] = group[group[node]]
                node = group[node]
            return node

        joined: dict[int, list[tuple[int, str]]] = {}
        # At d.c. an inductor holds its ends together just as a source of 0 V does.
        for element in (e for e in self.elements if e.kind in "vleh" or e.gives_volts):
            a, b = element.nodes[:2]
            if (ends := (root(a % len(group)), root(b % len(group))))[0] == ends[1]:
                at = element.card.token
                loop = _way(joined, a, b)
                if loop and element.kind == "l" and all(self._by_name[name].kind == "l" for name in loop):
                    self.eased.add(element.name)  # coils side by side share their current
                    continue
                others = ", ".join(f"'{name}'" for name in loop[:6])
                raise NetlistError(
                    Problem(
                        f"'{element.name}' closes a loop of voltage sources or inductors with {others}."
                        if loop
                        else f"'{element.name}' has both ends on one node.",
                        "Put a resistance in the loop, or take one source out.",
                        at.file,
                        at.line,
                        at.column,
                        element.name,
                    )
                )
            group[ends[0]] = ends[1]
            joined.setdefault(a, []).append((b, element.name))
            joined.setdefault(b, []).append((a, element.name))
        for element in self.elements:
            if element.kind in "rlvdqehjm" or element.gives_volts:
                first, *rest = (n % len(group) for n in element.nodes[: 2 if element.kind in "eh" else 4])
                for other in rest:
                    group[root(first)] = root(other)
        ground = root(len(self.nodes))
        loose = [name for i, name in enumerate(self.nodes) if root(i) != ground]
        driven = {root(n % len(group)) for e in self.elements if e.kind in "igfb" and not e.gives_volts for n in e.nodes[:2]} - {ground}
        if loose and not any(root(self._index[name]) in driven for name in loose) and len(loose) < len(self.nodes):
            # Only its own voltage is undefined: it is told, and held by next to nothing.
            self.held = [self._index[name] for name in loose]
            names = ", ".join(f"'{n}'" for n in loose[:6])
            self.warnings.append(
                Problem(f"nothing sets the d.c. voltage of node {names}; it is held at ground by 1 TΩ.", "A resistor to another node may be missing.",
                        file=self.elements[0].card.token.file, ref=loose[0], severity="warning")
            )  # fmt: skip
        elif loose:
            names = ", ".join(f"'{n}'" for n in loose[:6])
            raise NetlistError(
                Problem(
                    f"nothing sets the d.c. voltage of node {names}.",
                    "A resistor to another node is missing, or the ground node 0 is.",
                    file=self.elements[0].card.token.file,
                    ref=loose[0],
                )
            )


def _way(joined: Mapping[int, list[tuple[int, str]]], start: int, end: int) -> list[str]:
    """Names of the elements along the shortest way from ``start`` to ``end``, which there is; none where they are the same."""
    came: dict[int, tuple[int, str]] = {start: (start, "")}
    open_ends = deque([start])
    while end not in came:
        here = open_ends.popleft()
        for other, name in joined.get(here, ()):
            if other not in came:
                came[other] = (here, name)
                open_ends.append(other)
    out = []
    while end != start:
        end, name = came[end]
        out.append(name)
    return out[::-1]
