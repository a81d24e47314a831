"""The page of a pot or a debt: its answer, what it means in practice, and how to have a debt to the cent."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from math import inf

import numpy as np

from pennyweight.documents import Block, Cell, Column, Document, FigureLine, Figures, LinesChart, Table, Text
from pennyweight.documents.derivation import Why
from pennyweight.documents.handout import Handout, PageOne, sheets_of
from pennyweight.instruments.plans.plan import Plan
from pennyweight.pages.plans.plan_derivations import derived, interest, paid_in_all
from pennyweight.pages.plans.step_by_step import whole_steps, working_blocks

__all__ = ["document", "handout"]


def document(plan: Plan) -> Document:
    """The answer, what it means in practice, and the command that gives a debt to the cent."""
    t = plan.terms
    blocks: list[Block] = [Figures("Answer", _lines(plan)), Text(_habits(plan), "comparison")]
    if t.kind.word == "repay" and t.known_n != inf:
        blocks.append(Text(f"Unrounded. {_to_the_cent(plan)}", "comparison"))
    titles = {"grow": "Growing a pot", "repay": "Paying down a debt", "withdraw": "Living on a pot"}
    chart = _chart(plan)
    return Document(titles[t.kind.word], tuple(blocks), "", (chart,) if chart else (), _headline(plan))


def handout(plan: Plan, page: Document) -> Handout:
    """The plan with its working."""
    answer = next(block for block in page.blocks if isinstance(block, Figures))
    return Handout(
        replace(page, blocks=(*page.blocks, *working_blocks(plan.working()))),
        lambda: sheets_of({"steps": plan.frame}),
        first=PageOne((), answer.lines, _given(plan), (answer,)),
        whole=lambda: () if plan.terms.known_n == inf else whole_steps(plan),
    )


def _headline(plan: Plan) -> str:
    """What the answer means, as one would tell it."""
    t, style = plan.terms, plan.terms.style
    start, pay, end = (style.with_unit(value, "money") for value in (t.known_start, t.known_pay, t.known_end))
    long = "for ever" if t.known_n == inf else f"for {style.with_unit(plan.quantities['years'], 'years')}"
    rate = f"at {style.show(plan.effective, 'rate')} a year (effective)"
    steps = [] if t.known_n == inf else plan.steps()
    interest = f"{style.with_unit(sum(step.interest for step in steps), 'money')}"
    each = f"{pay} {'an' if t.period[0] in 'aeiou' else 'a'} {t.period}"
    if t.g:
        each += f", rising by {style.show(t.yearly(t.g), 'rate')} a year"
    if t.is_lump_sum:
        return f"{start} becomes {end} {rate} {long}; {interest} of it is interest."
    if t.kind.word == "grow":
        opening, come = (f"{start} at the start and ", "come") if t.known_start else ("", "comes")
        return f"{opening}{each} {long}, {rate}, {come} to {end}; {interest} of it is interest."
    left = f", and {end} is left" if t.known_end else ""
    if t.kind.word == "repay":
        return f"{each} {long}, {rate}, pays off {start}{left}; {interest} of what is paid is interest."
    return f"{start} pays {each} {long}, {rate}{left}."


def _chart(plan: Plan) -> LinesChart | None:
    """What stands over time, beside what was paid; none of a term without end."""
    t, style = plan.terms, plan.terms.style
    if t.known_n == inf:
        return None
    steps = plan.steps()
    times = np.array([step.period for step in steps]) / t.often
    standing = np.array([t.known_start, *(step.closing for step in steps)])
    paid = np.cumsum([0.0, *(step.paid for step in steps)]) + (t.known_start if t.kind.word == "grow" else 0.0)
    words = {"grow": ("In the pot", "Paid in"), "repay": ("Owed", "Paid"), "withdraw": ("In the pot", "Taken out")}
    first, second = words[t.kind.word]
    lines = [(first, standing)] if t.is_lump_sum else [(first, standing), (second, paid)]
    end, long = style.with_unit(float(standing[-1]), "money"), style.with_unit(t.known_n / t.often, "years")
    title = f"{first}: {end} after {long}"
    x = np.concatenate([[0.0], times])
    x[-1] = min(x[-1], t.known_n / t.often) if t.is_lump_sum else x[-1]
    return LinesChart("standing", title, x, tuple(lines), "Years from the start", style.currency)


def _given(plan: Plan) -> Table:
    """What was put in; the unknown is what is asked."""
    t = plan.terms
    rows = [(_words(name).capitalize(), plan.shown(name)) for name in t.kind.names if name != plan.find]
    rows.append(("Asked", _words(plan.find)))
    rows.append(("Paid", f"{t.often} times a year, at the {t.paid} of each period"))
    if t.g:
        rows.append(("Rising by", f"{t.style.show(t.yearly(t.g), 'rate')} a year"))
    if t.wait:
        rows.append(("First period begins after", t.style.with_unit(t.wait / t.often, "years")))
    cells = tuple((Cell(label), Cell(text)) for label, text in rows)
    return Table("What was put in", (Column("What", words=True), Column("As given", words=True)), cells)


def _lines(plan: Plan) -> tuple[FigureLine, ...]:
    """The answer first, then what was given, then what was paid and earned in all."""
    t, style = plan.terms, plan.terms.style
    names = [plan.find, *(name for name in t.kind.names if name != plan.find)]
    lines = [_line(plan, name) for name in names]
    if t.known_n != inf and not t.is_lump_sum:
        word = {"grow": "Paid in", "repay": "Total paid", "withdraw": "Total taken out"}[t.kind.word]
        steps = plan.steps()
        for label, value, make in (
            (word, sum(step.paid for step in steps), paid_in_all),
            ("Total interest", sum(step.interest for step in steps), interest),
        ):
            lines.append(FigureLine(label, Cell(style.with_unit(value, "money")), why=Why(label, partial(make, plan))))
    return tuple(lines)


def _line(plan: Plan, name: str) -> FigureLine:
    label, asked = _words(name).capitalize(), name == plan.find
    shown = Cell(plan.shown(name), "question" if asked else "plain")
    return FigureLine(label, shown, _practice(plan) if asked else "", Why(label, partial(derived, plan, name)))


def _practice(plan: Plan) -> str:
    if plan.find != "years":
        return ""
    if plan.terms.is_lump_sum:
        whole = abs(plan.terms.known_n - plan.whole_payments) <= 1e-9 * max(plan.terms.known_n, 1.0)
        return "" if whole else f"reached in {plan.terms.period} {plan.whole_payments + 1}"
    count = plan.whole_payments
    if plan.last_payment is None:
        return f"{count} payments"
    if plan.last_payment == 0:
        paid = f"{count} {_words(plan.terms.kind.names[1])}s"
        return f"reached in {plan.terms.period} {count + 1}, by interest alone after {paid}"
    return f"{count} payments in full, then one of {plan.terms.style.show(plan.last_payment, 'money')}"


def _to_the_cent(plan: Plan) -> str:
    """The `loan` command that gives the same debt as a lender's books have it, where it can."""
    t = plan.terms
    count = t.known_n
    if (
        t.paid == "start"
        or t.is_lump_sum
        or t.g
        or t.wait
        or t.known_end
        or (abs(count - round(count)) > 1e-9 and plan.find != "years")
    ):
        return "A lender's books round every payment to the cent."
    owed, rate = f"{t.known_start:.{t.style.places}f}", f"{plan.nominal * 100:.10g}%"
    years = f"--payment {t.known_pay:.2f}" if plan.find == "years" else f"--years {count / t.often:g}"
    often = "" if t.often == 12 else f" --per-year {t.often}"
    if t.quoted != t.often:
        often += f" --compounding {'continuous' if t.quoted == inf else f'{t.quoted:g}'}"
    currency = f" --currency {t.style.currency}" if t.style.currency else ""
    return f"To the cent: pennyweight loan --owed {owed} --rate {rate} {years}{often}{currency}"


def _habits(plan: Plan) -> str:
    t = plan.terms
    pay = _words(t.kind.names[1])
    if t.is_lump_sum:
        return f"Nothing is paid along the way; interest is added each {t.period}."
    said = f"A {pay} at the {t.paid} of each {t.period}"
    if t.g:
        said += f", growing by {t.yearly(t.g):.2%} a year from one to the next"
    if t.wait:
        said += f", the first period beginning after {t.wait / t.often:g} years"
    return said + "."


def _words(name: str) -> str:
    return name.replace("_", " ")
