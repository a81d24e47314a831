"""Lines and levels on a page, by period or by year: under their headings, with subtotals, some of them or all."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.analysis.weighing.asked_period import read_period
from pennyweight.deals.definition import PARTS, Definition
from pennyweight.documents import Block, Cell, Column, Table
from pennyweight.documents.model import Tone
from pennyweight.errors import InputError, choice, nearest
from pennyweight.quantities.argument_checks import a_list, a_text

__all__ = ["Selection", "groups_of", "line_label", "period_tables", "selection", "span_of"]

Floats: TypeAlias = NDArray[np.float64]

_COLUMNS_A_BLOCK = 6


@dataclass(frozen=True, slots=True)
class Selection:
    """What a table of periods shows: by period or year, which lines, from where to where (in periods)."""

    by: str
    lines: tuple[str, ...] | None
    first: int
    last: int


def selection(deal: Definition, by: str, lines: object = None, first: object = None, last: object = None) -> Selection:
    """Read what an asker wants to see; InputError says what there is.

    `lines` are names of lines, levels and parts of loans, or of groups; `first` and `last` periods, days, or "year 3".
    """
    choice(by, ("period", "year"), "by")
    chosen: tuple[str, ...] | None = None
    if lines is not None:
        groups = groups_of(deal)
        loans = [*deal.loans, *(["loans"] if deal.loans else [])]
        known = [*deal.lines, *deal.levels, *_TOTALS, *(f"{loan}.{part}" for loan in loans for part in PARTS)]
        names: dict[str, None] = {}
        for one in a_list(lines, what="lines", of="names of lines and levels"):
            name = a_text(one, what="A line").strip()
            if name in groups:
                names.update(dict.fromkeys(groups[name]))
            elif name in known:
                names[name] = None
            else:
                raise InputError(
                    f"There is no line or level '{name}'{nearest(name, [*known, *groups]) or '.'}", at="lines"
                )
        if not names:
            raise InputError("lines is empty; name at least one line.", at="lines")
        chosen = tuple(names)
    start = 0 if first is None else read_period(deal, first, "first", first_of_year=True)
    end = deal.timeline.periods if last is None else read_period(deal, last, "last", first_of_year=False)
    if start > end:
        raise InputError(f"first is period {start}, after last, period {end}; write the earlier one first.", at="first")
    return Selection(by, chosen, start, end)


_SPAN = re.compile(r"By (year|period), [a-z-]+ (\d+) to [a-z-]+ (\d+)(?:, .* where no other unit is said)?")


def span_of(title: str) -> tuple[str, int, int] | None:
    """Whether a table goes by year or by period, and its first and last; None for any other table.

    >>> span_of("By year, year 0 to year 5, EUR where no other unit is said"), span_of("By year, rents")
    (('year', 0, 5), None)
    """
    found = _SPAN.fullmatch(title)
    return None if found is None else (found[1], int(found[2]), int(found[3]))


_TOTALS = ("money_in", "money_out", "net_before_loans", "net")


def period_tables(
    deal: Definition, names: Sequence[str], line: Callable[[str], Floats], wanted: Selection
) -> list[Block]:
    """The tables, a few periods or years each: of `names`, or of the lines that are wanted; `line` gives one."""
    time = deal.timeline
    yearly = wanted.by == "year" and time.per_year > 1
    shown = np.arange(wanted.first, wanted.last + 1)
    groups = time.year[shown, 0] if yearly else time.t[shown, 0]
    heads = np.unique(groups)
    titles = [f"{'Year' if yearly or time.per_year == 1 else time.period.capitalize()} {head:.0f}" for head in heads]
    body = _body(deal, names, line, wanted, shown, groups, heads)
    tables: list[Block] = []
    size = _COLUMNS_A_BLOCK + 1 if _wide_blocks(heads) else _COLUMNS_A_BLOCK
    for start in range(0, heads.size, size):
        stop = start + size
        rows = tuple(
            (Cell(label), *(_amount(deal, name, value, tone) for value in ends[start:stop]))
            if ends is not None
            else (Cell(label, "comparison"), *(Cell("") for _ in titles[start:stop]))
            for label, name, ends, tone in body
        )
        columns = (Column("", words=True), *(Column(head) for head in titles[start:stop]))
        title = f"By {wanted.by}, {titles[start].lower()} to {titles[min(stop, len(titles)) - 1].lower()}"
        if deal.style.currency:
            title += f", {deal.style.currency} where no other unit is said"
        tables.append(Table(title, columns, rows))
    return tables


def _body(
    deal: Definition,
    names: Sequence[str],
    line: Callable[[str], Floats],
    wanted: Selection,
    shown: NDArray[np.intp],
    groups: Floats,
    heads: Floats,
) -> list[tuple[str, str, list[float] | None, Tone]]:
    """(label, name, figures or nothing for a heading, tone) of each row, groups under their headings."""

    def ends(values: Floats, name: str) -> list[float]:
        values = values[shown]
        if deal.stands(name):
            return [float(values[groups == head][-1]) for head in heads]
        return [float(values[groups == head].sum()) for head in heads]

    if wanted.lines is not None:
        names = wanted.lines
    else:  # a loan, or a part of one, of which there is nothing is left out
        names = [name for name in names if not ("." in name and not line(name).any())]
    member = {name: group for group, members in groups_of(deal).items() for name in members}
    rows: list[tuple[str, str, list[float] | None, Tone]] = []
    seen: set[str] = set()
    for name in names:
        group = member.get(name)
        if group is None:
            rows.append((line_label(deal, name), name, ends(line(name), name), _tone(deal, name)))
            continue
        if group in seen:
            continue
        seen.add(group)
        members = [one for one in names if member.get(one) == group]
        rows.append((group, "", None, "comparison"))
        rows.extend((f"  {line_label(deal, one)}", one, ends(line(one), one), _tone(deal, one)) for one in members)
        for label, signs in group_sums(deal, group, members):
            first = next(iter(signs))
            total = np.asarray(sum(sign * line(one) for one, sign in signs.items()))
            tone = "plain" if len(set(signs.values())) > 1 else _tone(deal, first)
            rows.append((f"  {label}", first, ends(total, first), tone))
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


def groups_of(deal: Definition) -> dict[str, list[str]]:
    """The headings of a deal with the lines and levels under each, amounts of one side apart from another's."""
    found: dict[str, list[str]] = {}
    headings = {name: line.group for name, line in deal.lines.items()}
    headings |= {name: level.group for name, level in deal.levels.items()}
    for name, group in headings.items():
        if group:
            found.setdefault(group, []).append(name)
    return found


def line_label(deal: Definition, name: str) -> str:
    """What a line is called in a table of periods: with its unit, unless that is money."""
    unit = deal.unit(name)
    return deal.label(name) if unit == "money" else deal.style.headed(deal.label(name), unit)


def _amount(deal: Definition, name: str, value: float, tone: Tone) -> Cell:
    """One amount of a table of periods; where nothing happens a dash keeps the eye on what does."""
    if value == 0:
        return Cell("-", "comparison")
    return Cell(deal.style.show(value, deal.unit(name)), tone)


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
