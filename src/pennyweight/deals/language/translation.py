"""The one walk of a formula: what its parts become is the target's, in which order they do is told here alone.

The targets: slots for whole arrays (`compiler/slots`), cells for one period's row (`compiler/recursion`), the values of
one case that is explained (`undefined`), and a plain number where there are numbers alone (`Folded`, here).
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping
from typing import Generic, TypeVar

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.deals.language.nodes import Binary, Call, Choose, Compare, Logic, Name, Node, Number, Sum, Unary
from pennyweight.deals.language.operations import OPERATIONS

__all__ = ["Target", "folded"]

Value = TypeVar("Value")


class Target(ABC, Generic[Value]):
    """What formulas are translated into; operations go by their names in `operations.OPERATIONS`."""

    def translate(self, node: Node) -> Value:
        """A formula, its parts first."""
        match node:
            case Number():
                return self.number(node.value)
            case Name():
                return self.name(node.name)
            case Unary():
                return self.operation("negate" if node.operator == "-" else "not", self.translate(node.operand))
            case Binary() | Compare():
                return self.operation(node.operator, self.translate(node.left), self.translate(node.right))
            case Logic() | Sum():
                operator = node.operator if isinstance(node, Logic) else "+"
                parts = [self.translate(part) for part in node.parts]
                if not parts:
                    return self.nothing()
                result = parts[0]
                for other in parts[1:]:
                    result = self.operation(operator, result, other)
                return result
            case Choose():
                return self.operation("choose", *map(self.translate, (node.condition, node.yes, node.no)))
            case Call():
                return self.call(node)

    @abstractmethod
    def number(self, value: float) -> Value:
        """A literal."""

    @abstractmethod
    def name(self, name: str) -> Value:
        """What stands under a name."""

    @abstractmethod
    def operation(self, name: str, *parts: Value) -> Value:
        """An operation of the language on what its parts became."""

    @abstractmethod
    def call(self, call: Call) -> Value:
        """A function of the language; it translates its arguments itself, because some are looked at over time."""

    @abstractmethod
    def nothing(self) -> Value:
        """The sum of no lines at all."""


def folded(node: Node, known: Mapping[str, float] | None = None) -> float | None:
    """The value of a formula that reads nothing but numbers and what is `known`; None when it reads more.

    Infinite when it overflows, NaN when it has no real value or divides by zero.

    >>> folded(Binary("*", Number(2.0, "2"), Name("end")), {"end": 6.0})
    12.0
    """
    try:
        value = _Folded(known or {}).translate(node)
    except _ReadsMore:
        return None
    return float(value[0])


class _ReadsMore(Exception):
    pass


class _Folded(Target[Floats]):
    """The same arithmetic as everywhere, one case wide."""

    def __init__(self, known: Mapping[str, float]) -> None:
        self.known = known

    def number(self, value: float) -> Floats:
        return np.array([value])

    def name(self, name: str) -> Floats:
        if name not in self.known:
            raise _ReadsMore
        return np.array([self.known[name]])

    def operation(self, name: str, *parts: Floats) -> Floats:
        with np.errstate(all="ignore"):
            return np.asarray(OPERATIONS[name](*parts), dtype=np.float64)

    def call(self, call: Call) -> Floats:
        if call.function != "max":  # "year 1" begins with the largest of two periods; others are left to the deal
            raise _ReadsMore
        result = self.translate(call.arguments[0][1])
        for _, argument in call.arguments[1:]:
            result = np.maximum(result, self.translate(argument))
        return result

    def nothing(self) -> Floats:
        return np.zeros(1)
