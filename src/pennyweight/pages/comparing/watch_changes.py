"""What a deal's page shows after a change: the figures that moved, and why the verdict did."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pennyweight.analysis.showing import show_base, show_figure
from pennyweight.analysis.weighing.weighing import Weighing
from pennyweight.documents import Cell, Column, Document, Figures, Row, Table
from pennyweight.documents.why_table import why_of
from pennyweight.plain_text import listed

__all__ = ["marked", "what_changed"]

_MOST = 4


def marked(document: Document, before: Weighing, now: Weighing) -> Document:
    """The page of `now` with what each figure was before, where it moved."""
    was = {
        name: show_figure(before.definition, name, figure.value)
        for name, figure in before.measures.items()
        if name in now.measures and now.measures[name].value != figure.value
    }
    blocks = tuple(
        replace(
            block,
            lines=tuple(
                replace(line, value=replace(line.value, tone="question"), note=f"was {was[line.name]}; {line.note}")
                if line.name in was
                else line
                for line in block.lines
            ),
        )
        if isinstance(block, Figures)
        else _goals(block, was, now)
        if isinstance(block, Table) and block.role == "goals" and was.keys() & now.goals.keys()
        else block
        for block in document.blocks
    )
    return replace(document, blocks=blocks)


def _goals(block: Table, was: dict[str, str], now: Weighing) -> Table:
    """The goals with what each figure was, in a column of its own."""
    rows = tuple(
        Row((*row, Cell(was.get(name, ""), "question")), why_of(row))
        for name, row in zip(now.goals, block.rows, strict=True)
    )
    return replace(block, columns=(*block.columns, Column("Was")), rows=rows)


def what_changed(before: Weighing, now: Weighing) -> str:
    """One line: what was changed, what the verdict made of it and by which goals.

    >>> from pennyweight import Deal
    >>> deal = Deal.starter("taxi")
    >>> print(what_changed(deal.weigh(), deal.weigh(inputs={"hull": "470k"})))
    Hull and drive, delivered 420,000 → 470,000: pays off → nearly, because Payback is 8.05 years, asked at most 8.
    """
    causes = _causes(before, now)
    cause = listed(causes[:_MOST]) + (f" and {len(causes) - _MOST} more" if len(causes) > _MOST else "")
    moved = [
        name
        for name, figure in now.measures.items()
        if name not in before.measures or before.measures[name].value != figure.value
    ]
    cause = cause or ("formulas or goals" if moved or before.verdict != now.verdict else "nothing that moves a figure")
    if before.verdict == now.verdict:
        count = f"{len(moved)} figure{'s' if len(moved) != 1 else ''} moved" if moved else "no figure moved"
        return f"{cause}: {count}, the verdict stays: {now.verdict}."
    style = now.definition.style
    reasons = [
        f"{goal.label} is {style.with_unit(goal.value, goal.unit)}, asked "
        f"{goal.side.replace('_', ' ')} {style.show(goal.bound, goal.unit)}"
        for name, goal in now.goals.items()
        if name not in before.goals or before.goals[name].state != goal.state
    ]
    because = f", because {listed(reasons[:_MOST])}" if reasons else ""
    return f"{cause}: {before.verdict} → {now.verdict}{because}."


def _causes(before: Weighing, now: Weighing) -> list[str]:
    """The inputs whose values differ."""
    found = []
    for name, item in now.definition.inputs.items():
        value, was = now.inputs[name], before.inputs.get(name)
        if was is None:
            found.append(f"{item.label} is new")
        elif isinstance(value, np.ndarray) or isinstance(was, np.ndarray):
            if not np.array_equal(np.asarray(value), np.asarray(was), equal_nan=True):
                found.append(f"{item.label} (a series)")
        elif value != was:
            old, new = (show_base(now.definition, item, float(one)) for one in (was, value))
            found.append(f"{item.label} {old} → {new}")
    return found
