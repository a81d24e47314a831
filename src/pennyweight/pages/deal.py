"""A deal before it is weighed: what goes in, what must come true, and the cases it names."""

from __future__ import annotations

import numpy as np

from pennyweight.analysis.deal import Deal
from pennyweight.analysis.showing import headed, show_base
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.nodes import show
from pennyweight.deals.parts import Input
from pennyweight.documents import Block, Cell, Column, Document, FigureLine, Figures, Table

__all__ = ["document"]


def document(whole: Deal) -> Document:
    """Inputs with their ranges, goals, questions and scenarios."""
    deal = whole.definition
    columns = (
        Column("Input", words=True),
        Column("As it stands"),
        Column("Low"),
        Column("High"),
        Column("Name", words=True),
    )
    blocks: list[Block] = [Table("Inputs", columns, tuple(_input_row(deal, item) for item in deal.inputs.values()))]
    goals = [
        FigureLine(deal.label(name), Cell(f"{word} {show(bound)}"))
        for name, goal in deal.goals.items()
        for word, bound in (("at least", goal.at_least), ("at most", goal.at_most))
        if bound is not None
    ]
    questions = [
        FigureLine(
            item.label,
            Cell(deal.label(item.find), "question"),
            f"so that {item.text}" if item.aim == "true" else f"{item.aim}: {item.text}",
        )
        for item in deal.questions.values()
    ]
    scenarios = [FigureLine(item.label, Cell(name)) for name, item in deal.scenarios.items()]
    for title, lines in (("Goals", goals), ("Questions", questions), ("Scenarios", scenarios)):
        if lines:
            blocks.append(Figures(title, tuple(lines)))
    time = deal.timeline
    span = f"{time.periods} {time.period}s" + (f" from {time.start}" if time.start is not None else "")
    return Document(deal.title, tuple(blocks), f"Over {span}; not weighed yet.")


def _input_row(deal: Definition, item: Input) -> tuple[Cell, ...]:
    def shown(value: float | None) -> Cell:
        return Cell("" if value is None else show_base(deal, item, value))

    value = Cell("changes over time") if isinstance(item.value, np.ndarray) else shown(item.value)
    return (Cell(headed(deal, item.name)), value, shown(item.low), shown(item.high), Cell(item.name))
