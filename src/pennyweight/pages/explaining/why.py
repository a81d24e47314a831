"""Where a figure comes from, as a page: a tree whose branches are drawn with signs every terminal has."""

from __future__ import annotations

from pennyweight.analysis.explaining.reason import Reason
from pennyweight.analysis.explaining.why import Why
from pennyweight.documents import Block, Cell, Column, Document, Table, Text

__all__ = ["document", "how_of", "tree_table"]


def document(why: Why) -> Document:
    """The tree, a row a name; with two cases both values stand beside each other."""
    notes = list(dict.fromkeys(f"{one.label}: {one.note}" for _, one in why.rows if one.note))
    if any(_is_cut(why, depth, one) for depth, one in why.rows):
        notes.append(f"What lies deeper than {why.depth} is not shown; --depth shows more.")
    if len(why.scenarios) > 1:
        notes.append("What differs most stands first; over time the period in which it differs most is shown.")
    blocks: tuple[Block, ...] = (tree_table(why), *(Text(note, "comparison") for note in notes))
    return Document(why.title, blocks, _asked(why))


def tree_table(why: Why) -> Table:
    """The tree alone."""
    rows = []
    files = {one.where.partition(", line ")[0] for _, one in why.rows if ", line " in one.where}
    inside: list[int | None] = []  # the period of each reason above: it is said where it changes
    for depth, reason in why.rows:
        del inside[depth:]
        inside.append(reason.period if reason.period is not None or not inside else inside[-1])
        when = "" if reason.period is None or reason.period in inside[-2:-1] else f", {reason.when}"
        branch = "" if depth == 0 else "  " * (depth - 1) + "└ "
        formula, numbers = how_of(reason)
        formula = f"{formula}  =  {numbers}" if numbers else formula
        rows.append(
            (
                Cell(f"{branch}{_named(reason)}{when}"),
                *(Cell(text, "question") for text in reason.shown),
                Cell(formula),
                Cell(_line(reason.where, len(files) == 1), "comparison"),
            )
        )
    columns = (
        Column("Name", words=True),
        *(Column(name) for name in why.scenarios),
        Column("How", words=True),
        Column("Where", words=True),
    )
    top = why.reason
    title = f"{top.label} = {' and '.join(top.shown)}"
    return Table(title, columns, tuple(rows))


def how_of(reason: Reason) -> tuple[str, str]:
    """(the formula in words, the same with the numbers in), as both stand on a page."""
    if reason.told:
        return f"{reason.formula} (told above)", ""
    if reason.role == "time":  # "flow * factor" would stand in every row; the numbers say it
        return "; ".join(text for text in (reason.filled or reason.formula, reason.so_far) if text), ""
    if not reason.filled or reason.filled == reason.formula:
        return reason.formula or "given", ""
    return reason.formula, reason.filled


def _is_cut(why: Why, depth: int, reason: Reason) -> bool:
    """Whether there is more below it than is shown."""
    more = reason.role == "line" or (bool(reason.filled) and reason.role != "time")
    return more and not (reason.told or reason.below) and depth >= why.depth


def _named(reason: Reason) -> str:
    plain = reason.label in (reason.name, reason.name.replace("_", " "))
    return reason.label if plain else f"{reason.label} ({reason.name})"


def _line(where: str, alone: bool) -> str:
    """File and line of a place, without the key, which is the name; the line `alone` where all are of one file."""
    parts = where.split(", ")[:2]
    return ", ".join(parts[1:] if alone else parts) if ", line " in where else ""


def _asked(why: Why) -> str:
    said = " against ".join("as it stands" if name == "base" else name for name in why.scenarios)
    return f"Scenario: {said}."
