"""Money outside the timeline: what falls in no period is counted nowhere, and is told."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from functools import partial
from typing import TypeAlias

import numpy as np

from pennyweight.analysis.weighing.told import Remark
from pennyweight.array_kinds import Floats
from pennyweight.deals.definition import Definition
from pennyweight.deals.language.nodes import Node
from pennyweight.deals.parts import DealLoan, Line, Run
from pennyweight.deals.undefined import each_value_of, loan_named, value_of

__all__ = ["outside_of"]

Check: TypeAlias = tuple[bool, str]


def outside_of(deal: Definition, values: Mapping[str, Floats]) -> Iterator[Check]:
    """A failed check for each amount or loan whose one period lies outside; a sentence for each run that an end cuts.

    A period that is "never" is meant to be none, and is silent.
    """
    end = deal.timeline.periods
    for name, line in deal.lines.items():
        if line.each:
            yield from _of_things(deal, values, name, line)
        elif line.run.at is not None:
            yield from _at(deal, values, name, line.run.at, line.node)
        elif line.run.said:
            yield from _run(deal, values, name, line)
    for name, level in deal.levels.items():
        for setting in level.settings:
            when = _number(deal, values, setting.first)
            if setting.switch is None and when is not None and not 0 <= when <= end:
                yield False, f"{deal.label(name)} is set in period {when:g}, outside 0 to {end}; it is not set at all."
    for loan in (one for name in deal.loans for one in _loans_outside(deal, values, name)):
        when = _number(deal, values, loan.terms["paid_out"])
        amount = _number(deal, values, loan.terms["amount"])
        if when is not None and not 0 <= when <= end and amount != 0:
            shown = "it" if amount is None else deal.style.with_unit(amount, "money")
            yield (
                False,
                f"{loan.label}: {shown} would be paid out in period {when:g}, outside 0 to {end}; there is no loan.",
            )


def _of_things(deal: Definition, values: Mapping[str, Floats], name: str, line: Line) -> Iterator[Check]:
    """The same for a line of each thing of a set: the first few by name, the others counted."""
    things, end, run = deal.sets[line.each], deal.timeline.periods, line.run
    outside = np.zeros(things.size, dtype=np.bool_)
    for node in (run.at, run.first, run.last):
        if node is not None:
            when = each_value_of(deal, values, node)
            outside |= np.broadcast_to(np.isfinite(when) & ((when < 0) | (when > end)), outside.shape)
    told: list[Check] = []
    for thing in (things.things[k] for k in np.flatnonzero(outside)):
        own = partial(_own, deal, line.each, thing)
        here = Run(*(own(node) for node in (run.at, run.first, run.last, run.every)))
        inner = deal.for_thing(line.node, line.each, thing)
        own_name = f"{line.each}.{thing}.{name}"
        if here.at is not None:
            told += _at(deal, values, own_name, here.at, inner)
        else:
            told += _run(deal, values, own_name, replace(line, node=inner, run=here))
        if len(told) > _MOST_TOLD:
            break
    yield from told[:_MOST_TOLD]
    if len(told) > _MOST_TOLD:
        rest = int(outside.sum()) - _MOST_TOLD
        said = f"{deal.label(name)}: so it may be for {rest} more of {things.label}; the table by {things.label} tells."
        yield all(holds for holds, _ in told), Remark(said)


_MOST_TOLD = 5


def _own(deal: Definition, each: str, thing: str, node: Node | None) -> Node | None:
    return None if node is None else deal.for_thing(node, each, thing)


def _loans_outside(deal: Definition, values: Mapping[str, Floats], name: str) -> list[DealLoan]:
    """A loan, or those of the things of a set that are paid out outside the timeline."""
    loan = deal.loans[name]
    if not loan.each:
        return [loan]
    things = deal.sets[loan.each]
    when = np.broadcast_to(each_value_of(deal, values, loan.terms["paid_out"]), (things.size,))
    outside = np.isfinite(when) & ((when < 0) | (when > deal.timeline.periods))
    found = [
        (thing := things.things[k], loan_named(deal, f"{loan.each}.{thing}.{name}")) for k in np.flatnonzero(outside)
    ]
    return [replace(one, label=f"{thing}: {one.label}") for thing, one in found[:_MOST_TOLD]]


def _at(deal: Definition, values: Mapping[str, Floats], name: str, at: Node, node: Node) -> Iterator[Check]:
    when, amount, end = _number(deal, values, at), _number(deal, values, node), deal.timeline.periods
    if when is None or 0 <= when <= end or amount == 0:
        return
    where = f"in period {when:g}, outside the timeline of 0 to {end}"
    if amount is None:
        yield False, f"{deal.label(name)} would fall {where}; it is counted nowhere."
    else:
        yield (
            False,
            f"{deal.label(name)}: {deal.style.with_unit(amount, 'money')} fall {where}, and are counted nowhere.",
        )


def _run(deal: Definition, values: Mapping[str, Floats], name: str, line: Line) -> Iterator[Check]:
    run, end = line.run, deal.timeline.periods
    every = 1.0 if run.every is None else _number(deal, values, run.every)
    first = every if run.first is None else _number(deal, values, run.first)
    last = float(end) if run.last is None else _number(deal, values, run.last)
    if run.last is None and first is not None and first > end:
        yield (
            True,
            Remark(
                f"{deal.label(name)} begins in period {first:g}, after the end of the timeline; none of it is counted."
            ),
        )
        return
    if run.last is not None and last is None:  # it runs on for ever, or nobody knows how long
        last = float(end)
    if first is None or last is None or every is None or every < 1 or last < first:
        return
    before = _count(first, min(last, -1.0), every)
    after = _count(first + every * np.ceil(max(end + 1 - first, 0.0) / every), last, every)
    if not before + after:
        return
    amount = _number(deal, values, line.node)
    if amount == 0:
        return
    whole = _count(first, last, every)
    lost = [_stretch(first, min(last, -1.0), "before the day of the deal")] if before else []
    lost += [_stretch(max(first, end + 1.0), last, "after the end")] if after else []
    said = f"{deal.label(name)} runs from period {first:g} to {last:g}; {' and '.join(lost)}"
    if amount is None:
        yield True, Remark(f"{said}, and what falls there is not counted.")
        return
    shown, all_of_it = (deal.style.with_unit(amount * many, "money") for many in (before + after, whole))
    yield True, Remark(f"{said}: {shown} of {all_of_it} are not counted.")


def _count(first: float, last: float, every: float) -> int:
    """How many periods first, first + every… there are up to last."""
    return int(max(0.0, np.floor((last - first) / every + 1e-9) + 1))


def _stretch(first: float, last: float, where: str) -> str:
    many = f"periods {first:g} to {last:g} lie" if last > first else f"period {first:g} lies"
    return f"{many} {where}"


def _number(deal: Definition, values: Mapping[str, Floats], node: Node) -> float | None:
    """The value of a formula that is one finite number; None of one that runs over time, is undefined or is never."""
    value = value_of(deal, values, node)
    return float(value[0]) if value.ndim == 1 and np.isfinite(value[0]) else None
