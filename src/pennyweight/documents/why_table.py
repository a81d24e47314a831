"""Where a figure comes from, told as a table."""

from __future__ import annotations

from collections.abc import Mapping

from pennyweight.documents.derivation import Derivation, Why
from pennyweight.documents.model import Cell, Column, Row, Table

__all__ = ["derivation_table", "why_of", "why_table"]


def why_table(why: Why) -> Table:
    """What a why tells, a row a figure, and below it what went in.

    >>> why_table(Why("Interest", lambda: Derivation("5.00", "owed × i", "1,000.00 × 0.005"))).title
    'Interest'
    """
    made = why.make()
    if isinstance(made, Table):
        return made
    return derivation_table(why.title, {why.title: made} if isinstance(made, Derivation) else made, note=why.note)


def why_of(row: tuple[Cell, ...]) -> Why | None:
    """Where the figures of a row come from; None when it does not say.

    >>> why_of((Cell("Rent"),)), why_of(Row([Cell("Rent")], Why("Rent", dict))).title
    (None, 'Rent')
    """
    return row.why if isinstance(row, Row) else None


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
