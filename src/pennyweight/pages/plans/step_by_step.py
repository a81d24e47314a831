"""The working of a plan as blocks: the formula, the numbers put in, and every step."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from math import inf

from pennyweight.documents import Block, Cell, Checks, Column, Row, Table, Text
from pennyweight.documents.derivation import Why
from pennyweight.documents.tables import ends, some_rows
from pennyweight.instruments.plans.plan import Plan, PlanWorking
from pennyweight.pages.plans.plan_derivations import step_derivations

__all__ = ["whole_steps", "working_blocks"]


def working_blocks(working: PlanWorking) -> tuple[Block, ...]:
    """What is known, the formula in symbols, the numbers put in, step by step, and the check of the steps."""
    plan, told = working.plan, working.told
    t, by_hand = plan.terms, told.by_hand
    name = plan.find.replace("_", " ")
    lines = [
        f"Formula: {told.symbols}.",
        f"Numbers in: {told.numbers}, which gives {name} {plan.shown(plan.find)}.",
    ]
    if by_hand is not None:
        away = t.style.show(by_hand - plan.answer, "money", sign=True)
        hand = t.style.with_unit(by_hand, "money")
        lines.append(f"With factors rounded to {working.places} places: {hand}, {away} away from the exact answer.")
    known = f"i is the rate of one {t.period}, {t.known_i:.6%}; n is the number of payments, "
    known += "without end" if t.known_n == inf else f"{t.known_n:,.4f}".rstrip("0").rstrip(".")
    known += f"; g is the growth from one payment to the next, {t.g:.6%}." if t.g else "."
    return (*(Text(line) for line in lines), Text(known, "comparison"), _table(plan), Checks(_checks(plan)))


def whole_steps(plan: Plan) -> tuple[Table, ...]:
    """Every period, where the page of a screen leaves some out."""
    table = _table(plan, whole=True)
    cut = ends(len(table.rows), _SHOWN) != list(range(len(table.rows)))
    return (replace(table, title="All periods"),) if cut else ()


_SHOWN = 6


def _table(plan: Plan, *, whole: bool = False) -> Table:
    word = {"grow": "Paid in", "repay": "Paid", "withdraw": "Taken out"}[plan.terms.kind.word]
    columns = (Column("Period", words=True), Column("Opening"), Column("Interest"), Column(word), Column("Closing"))
    show, steps = plan.terms.style.show, plan.steps()
    rows = [
        Row(
            (Cell(f"{step.period}"), *(Cell(show(value, "money")) for value in step[1:])),
            Why(f"Period {step.period}", partial(step_derivations, plan, step)),
        )
        for step in steps
    ]
    shown, note = some_rows(rows, list(range(len(rows))) if whole else ends(len(rows), _SHOWN), "periods")
    return Table("Step by step", columns, shown, note, role="working")


def _checks(plan: Plan) -> tuple[tuple[bool, str], ...]:
    t, steps = plan.terms, plan.steps()
    if t.known_n == inf or not steps or plan.last_payment == 0:
        return ()
    end = steps[-1].closing
    size = max(abs(t.known_start), abs(t.known_end), sum(abs(step.paid) for step in steps), 1e-300)
    fractional = plan.find != "years" and plan.last_payment is not None
    shown = t.style.show(end, "money")
    sentence = f"The steps end at {shown}, as the formula says."
    if fractional:
        sentence = f"The steps end at {shown} after a last, smaller payment."
    return ((bool(abs(end - t.known_end) <= 1e-9 * size), sentence),)
