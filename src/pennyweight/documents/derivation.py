"""Where a figure comes from: its formula, the same with the numbers in, and what went in."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Any

__all__ = ["GIVEN", "Derivation", "Why", "added", "bracketed", "digits", "in_full"]

GIVEN = "given"


@dataclass(frozen=True, slots=True)
class Derivation:
    """A figure as it is shown, its formula in words, the same with the numbers in, and the figures that went in.

    `numbers` can be typed into a calculator as they stand: they come to `value`, but for its rounding.
    """

    value: str
    formula: str = GIVEN
    numbers: str = ""
    parts: Mapping[str, Derivation] = field(default_factory=lambda: MappingProxyType({}))


@dataclass(frozen=True, slots=True)
class Why:
    """Where a figure comes from, made when somebody asks: `make` is called with no argument. It is a function of a
    module, a method, or one of these with some arguments (`functools.partial`), so that a result that keeps a why can
    be pickled.

    It gives one `Derivation`, which stands under `title`; several by name; or a `Table` that tells it all.

    >>> Why("Interest", lambda: Derivation("5.00", "owed × i", "1,000.00 × 0.005")).make().numbers
    '1,000.00 × 0.005'
    """

    title: str
    make: Callable[[], Any]
    note: str = ""


def digits(number: float, mark: str = ".") -> str:
    """A rate or factor as it is put into a formula: as many digits as its result needs; `mark` is the decimal mark.

    >>> digits(0.06 / 12), digits(1.005**-360, ",")
    ('0.005', '0,166041928')
    """
    return f"{number:.10g}".replace(".", mark)


def in_full(value: float, places: int = 2) -> str:
    """An amount as it is put into a formula: as it is shown, with six decimals where these are not all of it.

    >>> in_full(1_234.5), in_full(644.785285)
    ('1,234.50', '644.785285')
    """
    near = abs(value - round(value, places)) <= 1e-9 * max(1.0, abs(value))
    return f"{value + 0.0:,.{places if near else 6}f}"


def added(values: Iterable[float], put: Callable[[float], str]) -> str:
    """Amounts as a sum, those below zero taken off; `put` writes one.

    >>> added([5.0, -3.0], in_full), added([-3.0], in_full)
    ('5.00 - 3.00', '-3.00')
    """
    first, *others = [*values] or [0.0]
    rest = "".join(f" {'-' if value < 0 else '+'} {put(abs(value))}" for value in others)
    return f"{'-' if first < 0 else ''}{put(abs(first))}{rest}"


def bracketed(number: str) -> str:
    """A number that stands behind a sign: in brackets when it is below zero.

    >>> bracketed("3.00"), bracketed("-3.00")
    ('3.00', '(-3.00)')
    """
    return f"({number})" if number.startswith("-") else number
