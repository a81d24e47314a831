"""Where the lines in a table of periods come from: a tree of each, in one period as an example."""

from __future__ import annotations

from typing import TYPE_CHECKING, TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.explaining.why import why
from pennyweight.deals.definition import PARTS, TOTALS
from pennyweight.documents import Document, Table
from pennyweight.documents.derivation import Derivation, Whys, derivation_table
from pennyweight.pages.explaining.trees import derivation_of
from pennyweight.pages.weighing.lines_by_period import group_sums, groups_of, line_label, span_of

if TYPE_CHECKING:
    from pennyweight.analysis.weighing.weighing import Weighing

__all__ = ["line_whys"]

Periods: TypeAlias = NDArray[np.intp]


def line_whys(weighing: Weighing, document: Document) -> Whys:
    """Each line of the first table of periods, in the last period it shows in which there is something."""
    spans = [(one, span) for one in document.blocks if isinstance(one, Table) and (span := span_of(one.title))]
    if not spans:
        return {}
    block, (by, first, last) = spans[0]
    deal, time = weighing.definition, weighing.definition.timeline
    yearly = by == "year" and time.per_year > 1
    numbers = time.year[:, 0] if yearly else time.t[:, 0]
    inside = np.flatnonzero((numbers >= first) & (numbers <= last))
    shown = {row[0].text.strip() for row in block.rows}
    loans = [*deal.loans, *(["loans"] if deal.loans else [])]
    names = [*deal.lines, *deal.levels, *TOTALS, *(f"{loan}.{part}" for loan in loans for part in PARTS)]
    by_label: dict[str, list[str]] = {}
    for name in names:
        if name in weighing.model.program.names and (label := line_label(deal, name)) in shown:
            by_label.setdefault(label, []).append(name)
    found = {}
    for label, called in by_label.items():
        told, notes = {}, []
        for name in called:  # several lines may be called the same
            period = _example(weighing, name, inside)
            head = f"{deal.label(name)}, period {period}" if len(called) == 1 else f"{name}, period {period}"
            told[head] = derivation_of(why({weighing.scenario: weighing}, name, period, 1).reason)
            notes.append(
                "A year shows what stands at its end." if deal.stands(name) else "A year is the sum of its periods."
            )
        found[block.title, label] = derivation_table(label, told, note=notes[0] if yearly else "")
    return {**found, **_together(weighing, block, inside)}


def _example(weighing: Weighing, name: str, inside: Periods) -> int:
    """The last of some periods in which a line has something; the last of all when it never has."""
    busy = inside[np.flatnonzero(np.nan_to_num(weighing.line(name)[inside]))]
    return int(busy[-1]) if busy.size else int(inside[-1])


def _together(weighing: Weighing, block: Table, inside: Periods) -> Whys:
    """The sum of each group of lines, in the last of the periods."""
    deal, period = weighing.definition, int(inside[-1])
    show = deal.style.show
    found = {}
    labels = {row[0].text.strip() for row in block.rows}
    for group, members in groups_of(deal).items():
        for label, signs in group_sums(deal, group, members):
            if label not in labels:
                continue
            values = {name: float(weighing.line(name)[period]) for name in signs}
            told = "".join(_term(show(abs(value), "money"), signs[name] * value) for name, value in values.items())
            told = (
                told.removeprefix(" + ").replace(" - ", "-", 1) if told.startswith(" - ") else told.removeprefix(" + ")
            )
            parts = {deal.label(name): Derivation(show(value, "money"), "its line") for name, value in values.items()}
            total = sum(signs[name] * value for name, value in values.items())
            how = "money in - money out" if len(set(signs.values())) > 1 else "of its lines, added up"
            made = Derivation(show(total, "money"), how, told, parts)
            found[block.title, label] = derivation_table(label, {f"{label}, period {period}": made})
    return found


def _term(shown: str, value: float) -> str:
    return f" - {shown}" if value < 0 else f" + {shown}"
