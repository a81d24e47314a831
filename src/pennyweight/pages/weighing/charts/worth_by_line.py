"""Where the present value of a deal comes from, line by line: drawn, and as a sheet."""

from __future__ import annotations

from pennyweight.analysis.explaining.reason import Reason
from pennyweight.analysis.explaining.why import why
from pennyweight.analysis.weighing.weighing import Weighing
from pennyweight.deals.language.nodes import Call
from pennyweight.documents import StepsChart
from pennyweight.documents.handout import Sheet, SheetColumn

__all__ = ["worth_chart", "worth_sheet"]

_MOST = 9
"""So many lines have a bar; the others share one."""


def worth_chart(weighing: Weighing) -> StepsChart | None:
    """What each line adds to the deal's first present value; None of a deal without one, or with a single line."""
    found = _first_worth(weighing)
    if found is None:
        return None
    name, lines = found
    deal = weighing.definition
    parts = [(line.label, line.values[0] or 0.0) for line in lines if line.values[0]]
    parts.sort(key=lambda part: -abs(part[1]))
    if len(parts) > _MOST + 1:
        rest = sum(value for _, value in parts[_MOST:])
        parts = [*parts[:_MOST], (f"{len(parts) - _MOST} others together", rest)]
    if len(parts) < 2:
        return None
    figure = weighing.measures[name]
    total = float(figure.value or 0.0)
    label, amount = parts[0]
    shown = deal.style.with_unit(abs(amount), "money")
    word = "most comes from" if amount >= 0 else "most goes to"
    title = f"{figure.label}: {deal.style.with_unit(total, 'money')}; {word} {label}, {shown}"
    money = deal.style.headed("Worth today", "money")
    return StepsChart("worth_by_line", title, tuple(parts), total, figure.label, money)


def worth_sheet(weighing: Weighing) -> Sheet | None:
    """The same with every line; None where there is none."""
    found = _first_worth(weighing)
    if found is None:
        return None
    name, lines = found
    rows = tuple((line.label, line.name, line.values[0]) for line in lines if line.values[0])
    label = weighing.definition.style.headed(weighing.measures[name].label, "money")
    columns = (SheetColumn("Line"), SheetColumn("Name"), SheetColumn(label, "money"))
    return Sheet("Worth by line", columns, rows, summed=frozenset({2}))


def _first_worth(weighing: Weighing) -> tuple[str, list[Reason]] | None:
    """The first measure that is a present value, of those with a goal first, and what each line adds to it."""
    deal = weighing.definition
    named = [*deal.goals, *deal.page_one, *deal.measures]
    for name in dict.fromkeys(name for name in named if name in deal.measures):
        node = deal.measures[name].node
        if isinstance(node, Call) and node.function == "npv" and weighing.measures[name].value is not None:
            reason = why({weighing.scenario: weighing}, name, None, 1).reason
            lines = [one for one in reason.below if one.role == "line"]
            return (name, lines) if lines else None
    return None
