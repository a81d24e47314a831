"""Which lines may run in period 0, and what follows from it for conditions about them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import fields, is_dataclass, replace
from typing import Any, TypeVar

from pennyweight.deals.language.names import current_names
from pennyweight.deals.language.nodes import Call, Node, Number, rebuilt
from pennyweight.deals.parts import TOTALS, DealLoan, Line, Run

__all__ = ["Early", "begun"]

Item = TypeVar("Item")


def begun(items: Mapping[str, Item], early: Early) -> dict[str, Item]:
    """The items with their `first_period(condition)` looking from period 1 where the condition's amounts begin there.

    A line is 0 before it runs, so `first_period(income >= need)` would hold on the first day, when nothing is earned
    or needed yet. Conditions of levels alone, or of lines that run in period 0, are looked at from there.
    """

    return {name: _begun(item, early) for name, item in items.items()}


def _begun(item: Item, early: Early) -> Item:
    def change(node: Node) -> Node:
        if not isinstance(node, Call) or node.function != "first_period" or len(node.arguments) != 1:
            return node
        named = [name for name in current_names(node.arguments[0][1]) if early.is_amount(name)]
        if not named or any(early.starts(name) for name in named):
            return node
        return Call(node.function, (*node.arguments, ("first", Number(1.0, "1"))))

    if not is_dataclass(item) or isinstance(item, type):
        return item
    changed: dict[str, Any] = {}
    for field in fields(item):
        value = getattr(item, field.name)
        new = rebuilt(value, change) if isinstance(value, Node) else value
        new = _begun(new, early) if isinstance(new, Run) else new
        if new is not value and new != value:
            changed[field.name] = new
    return replace(item, **changed) if changed else item


class Early:
    """Which lines may run in period 0, and what is added to them without being a line itself."""

    def __init__(self, lines: Mapping[str, Line], loans: Mapping[str, DealLoan]) -> None:
        self.lines, self.loans = lines, loans
        self.known: dict[str, bool] = {}

    def is_amount(self, name: str) -> bool:
        """Whether a name is an amount in a period: a line, a total or a part of a loan but what is owed."""
        loan, _, part = name.partition(".")
        return name in self.lines or name in TOTALS or (part not in ("", "balance") and loan in (*self.loans, "loans"))

    def named(self, line: Line) -> list[str]:
        """The lines this one names that may run in period 0."""
        return sorted(name for name in current_names(line.node) if self.starts(name))

    def starts(self, name: str) -> bool:
        """Whether a line or a total may run in period 0."""
        loan, _, part = name.partition(".")
        if part in ("drawn", "flow") and loan == "loans":
            return any(self.starts(f"{one}.{part}") for one in self.loans)
        if part in ("drawn", "flow") and loan in self.loans:
            paid_out = self.loans[loan].terms["paid_out"]
            return not isinstance(paid_out, Number) or paid_out.value == 0
        if name == "net" and any(self.starts(f"{loan}.flow") for loan in self.loans):
            return True
        if name in TOTALS:
            return any(self.starts(other) for other, line in self.lines.items() if line.role != "other")
        if name not in self.lines:
            return False
        todo = [] if name in self.known else [name]
        while todo:
            top = todo[-1]
            run, first_seen = self.lines[top].run, top not in self.known
            self.known.setdefault(top, run.said and self._said_early(run))  # stands while a circle is followed
            if not run.said:
                named = self._lines_named(top)
                unknown = [other for other in named if other not in self.known]
                if first_seen and unknown:
                    todo += unknown
                    continue
                self.known[top] = any(self.known[other] for other in named)
            todo.pop()
        return self.known[name]

    def _lines_named(self, name: str) -> list[str]:
        """The lines a line names in the period at hand, totals taken apart."""
        names = current_names(self.lines[name].node)
        if names & set(TOTALS):
            names |= {other for other, line in self.lines.items() if line.role != "other"}
        return sorted(names & self.lines.keys() - {name})

    def _said_early(self, run: Run) -> bool:
        first = run.at if run.at is not None else run.first
        if first is None:
            return False
        return not isinstance(first, Number) or first.value == 0
