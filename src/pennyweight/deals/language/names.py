"""What a formula means before it is worked out: which names it may read, over time or one figure, in which unit."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Literal

from pennyweight.deals.language.function import SAID_ELSE, Function
from pennyweight.deals.language.functions import FUNCTIONS
from pennyweight.deals.language.nodes import (
    Binary,
    Call,
    Choose,
    Compare,
    Logic,
    Name,
    Node,
    Number,
    Sum,
    Unary,
    children,
    names_in,
    show,
    walk,
)
from pennyweight.deals.language.operations import combined_unit
from pennyweight.deals.language.set_functions import OF_SETS, set_of
from pennyweight.errors import InputError, nearest

__all__ = [
    "BUILT_IN",
    "Extent",
    "Names",
    "bind",
    "current_names",
    "runs_with_time",
    "steps_of",
    "used_as",
]

Extent = Literal["single", "line", "brackets"]

BUILT_IN: dict[str, tuple[Extent, str]] = {
    "t": ("line", "period"),
    "year": ("line", "years"),
    "end": ("single", "period"),
    "per_year": ("single", "number"),
    "money_in": ("line", "money"),
    "money_out": ("line", "money"),
    "net_before_loans": ("line", "money"),
    "net": ("line", "money"),
}
"""Names that are there without being declared: their shape and unit."""


def bind(call: Call, where: str) -> list[Node | None]:
    """The arguments of a call in the order of the function's parameters; InputError when they do not fit."""
    function = FUNCTIONS.get(call.function)
    if function is None:
        if call.function in SAID_ELSE:
            raise InputError(f"{where}: there is no function '{call.function}'; {SAID_ELSE[call.function]}.", at=where)
        raise InputError(
            f"{where}: there is no function '{call.function}'{nearest(call.function, FUNCTIONS) or '.'} "
            "All of them: pennyweight functions.",
            at=where,
        )
    given = call.arguments
    names = [parameter.name for parameter in function.parameters]
    slots: list[Node | None] = [None] * max(len(names), len(given) if function.many else 0)
    for k, (key, node) in enumerate(given):
        plain = len([name for name in names if name not in _BY_NAME])
        if key is None and k >= (len(slots) if function.many else plain):
            raise _misfit(function, where, f"takes {plain} at most, and {len(given)} are given")
        if key is not None and key not in names:
            raise _misfit(function, where, f"has no '{key}'{nearest(key, names)}")
        place = k if key is None else names.index(key)
        if slots[place] is not None:
            raise _misfit(function, where, f"is given '{names[place]}' twice")
        slots[place] = node
    for parameter, slot in zip(function.parameters, slots, strict=False):
        if slot is None and not parameter.optional:
            raise _misfit(function, where, f"needs '{parameter.name}'")
    return slots


_BY_NAME = ("paid", "counted")
"""Arguments that are said by their name alone."""


def current_names(node: Node) -> set[str]:
    """The names a formula reads in the period at hand: outside `prior` and functions over time."""
    if isinstance(node, Name):
        return {node.name}
    if isinstance(node, Call) and FUNCTIONS[node.function].over_time:
        # Only the arguments that are no line are read now.
        function = FUNCTIONS[node.function]
        slots = bind(node, "")
        now = [
            slot
            for parameter, slot in zip(function.parameters, slots, strict=False)
            if slot is not None and parameter.kind not in ("line", "name")
        ]
        return set().union(*map(current_names, now)) if now else set()
    return set().union(*map(current_names, children(node))) if children(node) else set()


def used_as(nodes: Iterator[Node]) -> dict[str, str]:
    """What the functions that are handed a bare name take it for: name to "rate", "years" or "period"."""
    found: dict[str, str] = {}
    for top in nodes:
        for node in walk(top):
            if isinstance(node, Call) and node.function in FUNCTIONS:
                for parameter, slot in zip(FUNCTIONS[node.function].parameters, bind(node, ""), strict=False):
                    kind = {"anyrate": "rate", "window": "period"}.get(parameter.kind, parameter.kind)
                    if isinstance(slot, Name) and kind in ("rate", "years", "period"):
                        found.setdefault(slot.name, kind)
    return found


def steps_of(nodes: Iterator[Node], per_year: int) -> dict[str, float]:
    """The names that functions take for a period, or for the years after which flows end: name to its least step."""
    found: dict[str, float] = {}
    for top in nodes:
        for node in walk(top):
            if isinstance(node, Call) and node.function in FUNCTIONS:
                for parameter, slot in zip(FUNCTIONS[node.function].parameters, bind(node, ""), strict=False):
                    if isinstance(slot, Name) and parameter.kind in ("period", "window"):
                        found[slot.name] = 1.0
                    elif isinstance(slot, Name) and node.function in _ENDING and parameter.name == "years":
                        found.setdefault(slot.name, 1.0 / per_year)
    return found


_ENDING = ("npv", "irr", "irrs", "equivalent_annual", "roi", "modified_irr")
"""Functions whose `years` end the flows at a period."""


def _misfit(function: Function, where: str, problem: str) -> InputError:
    return InputError(f"{where}: {function.name} {problem}; it is {function.signature}.", at=where)


@dataclass
class Names:
    """Every name of a deal with its shape, and the formulas behind, for checking and for units."""

    shapes: Mapping[str, Extent]
    nodes: Mapping[str, Node]
    said_units: Mapping[str, str]
    levels: frozenset[str]
    starts: Mapping[str, Node] = field(default_factory=dict)
    """What levels start at."""
    sets: Mapping[str, str] = field(default_factory=dict)
    """The set of every column, and of every name that is worked out for each of its things."""
    unread: frozenset[str] = frozenset()
    """Sets with a mistake of their own: nothing else is blamed for what they lack."""
    _units: dict[str, str] = field(default_factory=dict)

    def with_verdict(self) -> Names:
        """The same with `pays_off`, which conditions may name."""
        return replace(self, shapes={**self.shapes, "pays_off": "single"}, _units={})

    def check_set(self, node: Node, each: str, where: str) -> None:
        """Refuse a formula that names the things of a set and does not stand where each of them is worked out."""
        together = not self.sets and any(isinstance(one, Call) and one.function in OF_SETS for one in walk(node))
        unread = any(name.partition(".")[0] in self.unread for name in (each, *names_in(node)))
        if unread or not (self.sets or together):
            return
        self.with_verdict().shape(node, where)  # a name or a function that is not there is told first
        own = set_of(node, self.sets, where)
        if own in ("", each):
            return
        named = next(name for name in sorted(names_in(node)) if self.sets.get(name) == own)
        here = f"for each of {each}" if each else "once for the whole deal"
        raise InputError(
            f"{where}: {named} has a value for each of {own}, and this is worked out {here}. Take them together, as in "
            f"sum_of({named}), or take the one that is meant, as in one_of({named}, 'its name').",
            at=where,
        )

    def shape(self, node: Node, where: str) -> Extent:
        """Check a formula and say whether it is one figure or runs over time."""
        match node:
            case Number():
                return "single"
            case Name():
                if (shape := self._shape_of_name(node.name, where)) == "brackets":
                    raise InputError(
                        f"{where}: {node.name} are brackets; they stand in graduated(x, {node.name}), looked_up or "
                        "interpolated.",
                        at=where,
                    )
                return shape
            case Call():
                return self._shape_of_call(node, where)
            case _:
                shapes = [self.shape(child, where) for child in children(node)]
                return "line" if "line" in shapes else "single"

    def unit(self, node: Node) -> str:
        """The unit of a formula, worked out from the units of its names."""
        match node:
            case Number():
                return node.unit or ("share" if node.percent else "number")
            case Name():
                return self.unit_of(node.name)
            case Unary():
                return "condition" if node.operator == "not" else self.unit(node.operand)
            case Compare() | Logic():
                return "condition"
            case Choose():
                yes = self.unit(node.yes)
                return self.unit(node.no) if yes == "number" else yes
            case Binary():
                return combined_unit(node.operator, self.unit(node.left), self.unit(node.right))
            case Call():
                unit = FUNCTIONS[node.function].unit
                if unit == "brackets":
                    return self.unit(node.arguments[1][1])
                if unit != "=":
                    return unit
                if node.function not in _OF_ALL:
                    return self.unit(node.arguments[0][1])
                units = [self.unit(argument) for _, argument in node.arguments]
                return "money" if "money" in units else next((one for one in units if one != "number"), "number")
            case Sum():
                return "money"

    def unit_of(self, name: str) -> str:
        """The unit of a name: said, or worked out of its formula."""
        if name in self.said_units:
            return self.said_units[name]
        if name in BUILT_IN:
            return BUILT_IN[name][1]
        if name.count(".") > 1 and (inner := self._inner(name)):
            return self.unit_of(inner)
        # What it reads comes first, by hand: a chain of lines may be longer than Python's own stack.
        todo = [] if name in self._units else [name]
        while todo:
            top = todo[-1]
            first_seen = top not in self._units
            self._units.setdefault(top, "number")  # stands while a recursion is being followed
            read = names_in(self.nodes[top]) if top in self.nodes else set()
            if top in self.starts:
                read = read | names_in(self.starts[top])
            unknown = sorted(read - self._units.keys())
            unknown = [other for other in unknown if other in self.nodes and other not in self.said_units]
            if first_seen and unknown:
                todo += unknown
                continue
            todo.pop()
            if top in self.nodes:
                unit = self.unit(self.nodes[top])
                if unit == "number" and top in self.starts:  # a pot that only grows is what it starts as
                    unit = self.unit(self.starts[top])
                self._units[top] = unit
        return self._units[name]

    def _inner(self, name: str) -> str:
        """What of a thing a name such as tenants.Bakery.rented means: rented, or the column."""
        head, _, rest = name.partition(".")
        while rest := rest.partition(".")[2]:
            for full in (f"{head}.{rest}", rest):
                if self.sets.get(full) == head:
                    return full
        return ""

    def _shape_of_name(self, name: str, where: str) -> Extent:
        if name in BUILT_IN:
            return BUILT_IN[name][0]
        if name.partition(".")[0] in self.unread:
            return "single"
        if name not in self.shapes:
            known = [*(one for one in self.shapes if not one.startswith("?")), *BUILT_IN]
            if name in FUNCTIONS:
                raise InputError(f"{where}: {name} is a function and needs its arguments in parentheses.", at=where)
            head, dot, _ = name.partition(".")
            if head == "loans" and dot and "loans.balance" not in self.shapes:
                raise InputError(f"{where}: '{name}' is of all loans together, and there are no loans.", at=where)
            if columns := sorted(one for one, own in self.sets.items() if own == head and one.startswith(f"{head}.")):
                if not dot:
                    raise InputError(f"{where}: {head} is a set; name a column of it: {', '.join(columns)}.", at=where)
                raise InputError(
                    f"{where}: {head} has no column '{name.partition('.')[2]}'{nearest(name, columns) or '.'} "
                    f"Formulas can name {', '.join(columns)}.",
                    at=where,
                )
            parts = [one for one in self.shapes if one.startswith(f"{head}.")]
            if dot and not parts:
                raise InputError(
                    f"{where}: '{name}' asks for a part of {head}, but only loans and splits have parts.", at=where
                )
            if dot:
                raise InputError(f"{where}: {head} has no part '{name}'{nearest(name, parts) or '.'}", at=where)
            raise InputError(
                f"{where}: nothing is named '{name}'{nearest(name, [*known, *FUNCTIONS]) or '.'} "
                "Names are declared as inputs, values, loans, lines, levels or measures.",
                at=where,
            )
        return self.shapes[name]

    def _shape_of_call(self, call: Call, where: str) -> Extent:
        slots = bind(call, where)
        function = FUNCTIONS[call.function]
        shapes: list[Extent] = []
        for k, slot in enumerate(slots):
            if slot is None:
                continue
            parameter = function.parameters[min(k, len(function.parameters) - 1)]
            if parameter.kind == "brackets":
                self._check_brackets(slot, function, where)
                continue
            shape = self.shape(slot, where)
            described = f"'{parameter.name}' of {function.signature}"
            if parameter.kind == "name" and not isinstance(slot, Name):
                raise InputError(
                    f"{where}: {function.name} takes the name of a line or level, not '{show(slot)}'; "
                    "give that a line of its own.",
                    at=where,
                )
            if parameter.kind in ("line", "name") and shape == "single" and call.function != "at":
                raise InputError(
                    f"{where}: {described} must have a value for each period, but '{show(slot)}' is a single number.",
                    at=where,
                )
            if parameter.name == "where" and shape == "line" and self.unit(slot) != "condition":
                raise InputError(
                    f"{where}: {described} must be a condition, but '{show(slot)}' is not one; compare it, as in "
                    f"{show(slot)} > 0.",
                    at=where,
                )
            runs = parameter.kind == "window" and bool(names_in(slot) & _RUNNING)
            if parameter.kind in ("single", "rate", "years", "period", "window") and shape == "line" and not runs:
                raise InputError(
                    f"{where}: {described} must be a single number, but '{show(slot)}' has a value for each period. "
                    "Take one with at(line, period).",
                    at=where,
                )
            if parameter.kind in ("rate", "anyrate") and isinstance(slot, Number) and not slot.percent:
                _refuse_large_rate(slot, described, where)
            if (
                call.function in _SUMS
                and parameter.kind == "line"
                and parameter.name != "where"
                and isinstance(slot, Name)
                and slot.name in self.levels
            ):
                raise InputError(
                    f"{where}: '{slot.name}' is a level, what stands at the end of a period; "
                    f"{call.function} adds amounts. Use at, lowest, highest or average on it.",
                    at=where,
                )
            if parameter.kind != "line" and parameter.kind != "name":
                shapes.append(shape)
        if function.result == "same":
            return "line" if "line" in shapes else "single"
        return "line" if runs_with_time(call) else function.result

    def _check_brackets(self, slot: Node, function: Function, where: str) -> None:
        """Refuse anything but the name of brackets."""
        known = [name for name, shape in self.shapes.items() if shape == "brackets"]
        if isinstance(slot, Name) and (slot.name in known or slot.name in self.unread):
            return
        hint = nearest(slot.name, known) if isinstance(slot, Name) else ""
        raise InputError(
            f"{where}: {function.signature} goes by brackets, and '{show(slot)}' is none{hint or '; '}"
            f"{'' if hint else 'write them under [brackets.NAME].'}",
            at=where,
        )


_RUNNING = {"t", "year"}


def runs_with_time(call: Call) -> bool:
    """Whether a call looks at other periods in each period: its window names `t` or `year`.

    >>> from pennyweight.deals.language.parse import parse
    >>> [runs_with_time(parse(text, where="")) for text in ("total(x, t - 11, t)", "total(x, 1, 12)")]
    [True, False]
    """
    slots = zip(FUNCTIONS[call.function].parameters, bind(call, ""), strict=False)
    return any(
        parameter.kind == "window" and slot is not None and bool(names_in(slot) & _RUNNING) for parameter, slot in slots
    )


_OF_ALL = ("min", "max", "clamp")
"""Functions whose result is one of their arguments, so that max(0, money) is money."""
_SUMS = {
    *("total", "npv", "irr", "irrs", "payback", "profitability_index", "equivalent_annual", "running", "roi"),
    *("modified_irr", "written_off", "after_losses", "losses_left"),
}


def _refuse_large_rate(number: Number, described: str, where: str) -> None:
    if abs(number.value) >= 1:
        percent = f"{number.value:g}%"
        raise InputError(
            f"{where}: {described}: {number.text} is {number.value * 100:g}% a year; write {percent}.", at=where
        )
