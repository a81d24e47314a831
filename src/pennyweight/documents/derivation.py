"""Where a figure comes from, told as a table: its formula, the same with the numbers in, and what went in."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import TypeAlias

from pennyweight.documents.model import Cell, Column, Table

__all__ = ["GIVEN", "Derivation", "Whys", "added", "bracketed", "derivation_table", "digits", "in_full"]

Whys: TypeAlias = Mapping[tuple[str, str], Table]
"""By the title of a block and the label of a line or row in it, where that comes from; without a label: how all the
figures of a table come about."""

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


def derivation_table(title: str, derivations: Mapping[str, Derivation], *, note: str = "") -> Table:
    """A row a figure, and below it what went in, one step further in.

    >>> interest = Derivation("5.00", "owed × i", "1,000.00 × 0.005", {"Owed": Derivation("1,000.00")})
    >>> [[cell.text for cell in row] for row in derivation_table("Interest", {"Interest": interest}).rows]
    [['Interest', '5.00', 'owed × i  =  1,000.00 × 0.005'], ['└ Owed', '1,000.00', 'given']]
    """
    rows: list[tuple[Cell, ...]] = []

    def walk(label: str, one: Derivation, depth: int) -> None:
        branch = "" if depth == 0 else "  " * (depth - 1) + "└ "
        how = f"{one.formula}  =  {one.numbers}" if one.numbers else one.formula
        rows.append((Cell(f"{branch}{label}"), Cell(one.value, "question"), Cell(how)))
        for name, part in one.parts.items():
            walk(name, part, depth + 1)

    for label, one in derivations.items():
        walk(label, one, 0)
    return Table(title, (Column("Name", words=True), Column("Figure"), Column("How", words=True)), tuple(rows), note)


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
    told = "".join(f" {'-' if value < 0 else '+'} {put(abs(value))}" for value in values).strip()
    return told.removeprefix("+ ") if told.startswith("+") else told.replace("- ", "-", 1) or "0"


def bracketed(number: str) -> str:
    """A number that stands behind a sign: in brackets when it is below zero.

    >>> bracketed("3.00"), bracketed("-3.00")
    ('3.00', '(-3.00)')
    """
    return f"({number})" if number.startswith("-") else number
