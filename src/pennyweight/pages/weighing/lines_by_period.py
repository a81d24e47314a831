"""Lines and levels on a page, by period or by year: under their headings, with subtotals, some of them or all."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.explaining.why import why
from pennyweight.analysis.weighing.asked_lines import Selection, groups_of
from pennyweight.analysis.weighing.weighing import Weighing
from pennyweight.array_kinds import Floats
from pennyweight.deals.definition import Definition
from pennyweight.deals.worked_out import of_each
from pennyweight.documents import Cell, Column, Row, Span, Table
from pennyweight.documents.derivation import Derivation, Why, added
from pennyweight.documents.model import Tone
from pennyweight.pages.explaining.trees import derivation_of

__all__ = ["line_label", "period_tables"]

Periods: TypeAlias = NDArray[np.intp]

_COLUMNS_A_BLOCK = 6
_MOST_THINGS = 40


def period_tables(weighing: Weighing, wanted: Selection) -> list[Table]:
    """The tables, a few periods or years each: of all lines, or of those that are wanted."""
    deal, time = weighing.definition, weighing.definition.timeline
    yearly = wanted.by == "year" and time.per_year > 1
    shown = np.arange(wanted.first, wanted.last + 1)
    groups = time.year[shown, 0] if yearly else time.t[shown, 0]
    heads = np.unique(groups)
    titles = [f"{'Year' if yearly or time.per_year == 1 else time.period.capitalize()} {head:.0f}" for head in heads]
    body = _body(weighing, wanted, shown, groups, heads)
    size = _COLUMNS_A_BLOCK + 1 if _wide_blocks(heads) else _COLUMNS_A_BLOCK
    # Each line opens once, in the first table, by a period that this table shows.
    inside = shown[groups <= heads[min(size, heads.size) - 1]]
    whys = [one.why(weighing, inside, yearly=yearly) for one in body]
    tables: list[Table] = []
    for start in range(0, heads.size, size):
        stop = start + size
        rows = tuple(
            Row((Cell(one.label), *(_amount(deal, one, value) for value in one.ends[start:stop])), why)
            if one.ends is not None
            else (Cell(one.label, "comparison"), *(Cell("") for _ in titles[start:stop]))
            for one, why in zip(body, whys, strict=True)
        )
        columns = (Column("", words=True), *(Column(head) for head in titles[start:stop]))
        title = f"By {wanted.by}, {titles[start].lower()} to {titles[min(stop, len(titles)) - 1].lower()}"
        if deal.style.currency:
            title += f", {deal.style.currency} where no other unit is said"
        span = Span(wanted.by, round(heads[start]), round(heads[min(stop, heads.size) - 1]))
        tables.append(Table(title, columns, rows, role="periods", span=span))
    return tables


@dataclass(frozen=True, slots=True)
class _Line:
    """A row of the tables: a line, the sum of some under a heading, or (without figures) a heading."""

    label: str
    unit: str = ""
    ends: list[float] | None = None
    tone: Tone = "plain"
    name: str = ""
    signs: Mapping[str, int] = field(default_factory=dict)
    """Of a sum, the lines in it, each +1 or -1."""

    def why(self, weighing: Weighing, inside: Periods, *, yearly: bool) -> Why | None:
        """Where it comes from, in one of the periods `inside` as an example."""
        if self.ends is None:
            return None
        label = self.label.strip()
        if self.signs:
            return Why(label, partial(_together, weighing, label, self.signs, int(inside[-1])))
        said = {
            "last": "A year shows what stands at its end.",
            "average": "A year is the average of its periods.",
            "sum": "A year is the sum of its periods.",
        }[weighing.definition.year_shows(self.name)]
        return Why(label, partial(_of_line, weighing, self.name, inside), said if yearly else "")


def _body(weighing: Weighing, wanted: Selection, shown: Periods, groups: Floats, heads: Floats) -> list[_Line]:
    """The rows, groups under their headings."""
    deal, line = weighing.definition, weighing.line

    def ends(values: Floats, name: str) -> list[float]:
        values = values[shown]
        how = deal.year_shows(name)
        if how == "last":
            return [float(values[groups == head][-1]) for head in heads]
        sums = [float(values[groups == head].sum()) for head in heads]
        return (
            [one / int((groups == head).sum()) for one, head in zip(sums, heads, strict=True)]
            if how == "average"
            else sums
        )

    def of(name: str, indent: str = "") -> _Line:
        return _Line(indent + line_label(deal, name), deal.unit(name), ends(line(name), name), _tone(deal, name), name)

    if wanted.lines is not None:
        names = list(wanted.lines)
    else:  # a loan, or a part of one, of which there is nothing is left out
        names = [name for name in weighing.values if not ("." in name and not line(name).any())]

    def opened(name: str, indent: str) -> list[_Line]:
        """The row of a line, and below it that of each thing where these are asked for."""
        rows = [of(name, indent)]
        if not wanted.each or deal.each.get(name) != wanted.each:
            return rows
        things = deal.sets[wanted.each]
        size = np.abs(np.nan_to_num(of_each(weighing.worked_out, name)[shown])).sum(axis=0)
        order = np.argsort(-size, kind="stable")
        for k in sorted(order[:_MOST_THINGS].tolist()):
            own = f"{things.name}.{things.things[k]}.{name}"
            rows.append(replace(of(own, indent), label=f"{indent}  {things.things[k]}", tone="comparison"))
        left = order[_MOST_THINGS:]
        if left.size and deal.together(name) == "sum":
            rest = of_each(weighing.worked_out, name)[:, left].sum(axis=1)
            label = f"{indent}  the other {left.size:,} {things.label}"
            signs = {f"{things.name}.{things.things[k]}.{name}": 1 for k in left[:_MOST_THINGS].tolist()}
            rows.append(_Line(label, deal.unit(name), ends(rest, name), "comparison", name, signs))
        return rows

    member = {name: group for group, members in groups_of(deal).items() for name in members}
    rows: list[_Line] = []
    seen: set[str] = set()
    for name in names:
        group = member.get(name)
        if group is None:
            rows.extend(opened(name, ""))
            continue
        if group in seen:
            continue
        seen.add(group)
        members = [one for one in names if member.get(one) == group]
        rows.append(_Line(group))
        rows.extend(row for one in members for row in opened(one, "  "))
        for label, signs in group_sums(deal, group, members):
            first = next(iter(signs))
            total = np.asarray(sum(sign * line(one) for one, sign in signs.items()))
            tone: Tone = "plain" if len(set(signs.values())) > 1 else _tone(deal, first)
            rows.append(_Line(f"  {label}", deal.unit(first), ends(total, first), tone, first, signs))
    return rows


def group_sums(deal: Definition, group: str, members: Sequence[str]) -> list[tuple[str, dict[str, int]]]:
    """What the lines under a heading come to, like with like: (label, +1 or -1 by line).

    Money in and money out apart, and their difference where there are both. Levels and other lines are never added.
    """
    roles = {name: deal.lines[name].role for name in members if name in deal.lines}
    coming, going = ({name: 1 for name, role in roles.items() if role == side} for side in ("in", "out"))
    if coming and going:
        less = coming | dict.fromkeys(going, -1)
        return [(f"{group}: money in", coming), (f"{group}: money out", going), (f"{group}: in less out", less)]
    alone = coming or going
    return [(f"{group} together", alone)] if len(alone) > 1 else []


def line_label(deal: Definition, name: str) -> str:
    """What a line is called in a table of periods: with its unit, unless that is money."""
    unit = deal.unit(name)
    return deal.label(name) if unit == "money" else deal.style.headed(deal.label(name), unit)


def _amount(deal: Definition, line: _Line, value: float) -> Cell:
    """One amount of a table of periods; where nothing happens a dash keeps the eye on what does."""
    if value == 0:
        return Cell("-", "comparison")
    return Cell(deal.style.show(value, line.unit), line.tone)


def _wide_blocks(heads: Floats) -> bool:
    """Whether seven columns a block come out more even than six."""
    return heads.size % (_COLUMNS_A_BLOCK + 1) in (0, _COLUMNS_A_BLOCK)


def _tone(deal: Definition, name: str) -> Tone:
    if name in deal.lines:
        role = deal.lines[name].role
        return "comparison" if role == "other" else role
    if name in ("money_in", "money_out"):
        return "in" if name == "money_in" else "out"
    return "plain"


def _of_line(weighing: Weighing, name: str, inside: Periods) -> dict[str, Derivation]:
    """A line in the last of some periods in which it has something; in the last of all when it never has."""
    busy = inside[np.flatnonzero(np.nan_to_num(weighing.line(name)[inside]))]
    period = int(busy[-1]) if busy.size else int(inside[-1])
    deal = weighing.definition
    head = f"{deal.label(name)}, {deal.timeline.named(period)}"
    return {head: derivation_of(why({weighing.scenario: weighing}, name, period, 1).reason)}


def _together(weighing: Weighing, label: str, signs: Mapping[str, int], period: int) -> dict[str, Derivation]:
    """The sum of the lines under a heading, in one period."""
    deal, show = weighing.definition, weighing.definition.style.show
    values = {name: float(weighing.line(name)[period]) for name in signs}
    told = added([signs[name] * value for name, value in values.items()], partial(show, unit="money"))
    parts = {deal.label(name): Derivation(show(value, "money"), "its line") for name, value in values.items()}
    total = sum(signs[name] * value for name, value in values.items())
    how = "money in - money out" if len(set(signs.values())) > 1 else "of its lines, added up"
    return {f"{label}, {deal.timeline.named(period)}": Derivation(show(total, "money"), how, told, parts)}
