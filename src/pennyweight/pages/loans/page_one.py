"""Page one of loans: what came out in a sentence, the facts a borrower or lender asks first, and what was agreed."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import Any

from pennyweight.core.loans.rounding import ROUNDINGS
from pennyweight.core.rate_forms import effective_rate
from pennyweight.documents import Cell, Column, FigureLine, Table
from pennyweight.documents.derivation import Derivation, Why
from pennyweight.documents.handout import PageOne
from pennyweight.instruments.loans.asked.effects import effects
from pennyweight.instruments.loans.books.booked_loan import BookedLoan
from pennyweight.instruments.loans.books.events import EVENTS
from pennyweight.instruments.loans.books.facts import facts
from pennyweight.instruments.loans.books.schedule import Schedule
from pennyweight.pages.loans.charts import payments_as_time, told_effect
from pennyweight.pages.loans.explained.derivations import ScheduleDerivations
from pennyweight.pages.loans.explained.loan_derivations import amount_derivation, fact_table, rate_derivation, titled
from pennyweight.plain_text import listed
from pennyweight.quantities.periods import word_for

__all__ = ["given_table", "loan_headline", "loan_page_one", "payments_told", "rate_told"]


def loan_headline(loan: BookedLoan) -> str:
    """What the loan comes to; what changes do to it where there are some."""
    style, schedule, agreed = loan.terms.style, loan.schedule, loan.agreed
    if schedule is agreed:
        lent, rate = style.with_unit(loan.amount, "money"), rate_told(loan)[0]
        return f"{payments_told(schedule)} {lent} at {rate} a year{_last_day(schedule)}; {_interest_told(schedule)}."
    saved, sooner = agreed.total_interest - schedule.total_interest, len(agreed.rows) - len(schedule.rows)
    when = f"{payments_as_time(abs(sooner), loan)} {'sooner' if sooner > 0 else 'later'} than agreed"
    ends = when if sooner else "when it was agreed to"
    word, alone = "saves" if saved >= 0 else "costs", effects(loan)
    told = f" Of that, {listed([told_effect(loan, one) for one in alone])}." if len(alone) > 1 else ""
    day = "" if schedule.dates is None else f", on {schedule.paid_off_on}"
    return f"It ends {ends}{day}, and {word} {style.with_unit(abs(saved), 'money')} of interest in all.{told}"


def payments_told(schedule: Schedule) -> str:
    """How many payments of how much pay it off."""
    rows, shown = schedule.rows, partial(schedule.terms.style.with_unit, unit="money")
    first, last = (schedule.terms.money(row.payment) for row in (rows[0], rows[-1]))
    if len(rows) == 1:
        return f"One payment of {shown(last)} pays off"
    if len({row.payment for row in rows[:-1]}) == 1:
        near = abs(last - first) <= first / 50
        return f"{len(rows)} payments of {shown(first)}{'' if near else f', the last of {shown(last)},'} pay off"
    return f"{len(rows)} payments, the first of {shown(first)} and the last of {shown(last)}, pay off"


def _last_day(schedule: Schedule) -> str:
    return "" if schedule.dates is None else f", the last on {schedule.paid_off_on}"


def _interest_told(schedule: Schedule) -> str:
    if not schedule.total_interest:
        return "there is no interest"
    return f"{schedule.terms.style.with_unit(schedule.total_interest, 'money')} of what is paid is interest"


def loan_page_one(loan: BookedLoan) -> PageOne:
    """The key facts and what was agreed."""
    return PageOne(figures=tuple(_key_facts(loan)), given=given_table(loan))


def _key_facts(loan: BookedLoan) -> Iterator[FigureLine]:
    style, schedule, agreed, made = loan.terms.style, loan.schedule, loan.agreed, loan.made
    changed, now, then = schedule is not agreed, facts(schedule, made), facts(agreed, made)
    cases = {"": ScheduleDerivations(schedule, made)}
    if changed:
        cases = {", as it is": cases[""], ", as agreed": ScheduleDerivations(agreed, made)}

    def money(value: float) -> str:
        return style.with_unit(value, "money")

    def line(label: str, shown: str, make: Callable[[], Any], note: str = "") -> FigureLine:
        return FigureLine(label, Cell(shown), note, Why(label, make))

    def fact(label: str, shown: str, name: str, note: str = "") -> FigureLine:
        return line(label, shown, partial(fact_table, cases, label, name), note)

    asked = loan.given["amount"] is None
    amount = "Amount that can be lent" if asked else "Amount"
    yield line(amount, money(loan.amount), partial(amount_derivation if asked else _given, loan))
    rate, how = rate_told(loan)
    yield line("Rate", rate, partial(rate_derivation, loan), how)
    if now.payment_now is not None:
        label = "Next payment" if made else "Payment"
        parts = [(now.next_interest, "interest"), (now.next_principal, "principal")]
        split = ", ".join(f"{style.show(value, 'money')} {word}" for value, word in parts if value is not None)
        yield fact(label, money(now.payment_now), "payment_now", split)
    if made:
        yield fact("Owed now", money(now.balance_now), "balance_now", f"after {made} of {now.payments} payments")
    off = "Paid off on" if loan.terms.calendar else "Paid off with payment"
    agreed_off = f"agreed: {then.paid_off}" if changed else f"{now.payments} payments"
    paid_off = now.paid_off if loan.terms.calendar else str(now.payments)
    yield fact(off, paid_off, "paid_off", agreed_off)
    agreed_interest = f"agreed: {style.show(then.total_interest, 'money')}" if changed else ""
    yield fact("Interest in all", money(now.total_interest), "total_interest", agreed_interest)
    if changed:
        saved = then.total_interest - now.total_interest
        label = "Interest saved" if saved >= 0 else "More interest"
        told = partial(_saved, label, cases, money(abs(saved)), saves=saved >= 0)
        yield line(label, money(abs(saved)), told, _sooner(loan))
    yield fact("Paid in all", money(now.total_paid), "total_paid", "fees included" if schedule.total_fees else "")


def _given(loan: BookedLoan) -> Derivation:
    return Derivation(loan.terms.style.with_unit(loan.amount, "money"))


def _saved(label: str, cases: dict[str, ScheduleDerivations], shown: str, *, saves: bool) -> Any:
    interest = {case: of.total_interest for case, of in cases.items()}
    told = {f"Interest{case}": one for case, one in interest.items()}
    now, agreed = (one.value for one in interest.values())
    first, second = (agreed, now) if saves else (now, agreed)
    how = "interest as agreed - interest as it is" if saves else "interest as it is - interest as agreed"
    return titled(label, {label: Derivation(shown, how, f"{first} - {second}"), **told})


def _sooner(loan: BookedLoan) -> str:
    payments = len(loan.agreed.rows) - len(loan.schedule.rows)
    word = "sooner" if payments > 0 else "later"
    return f"{payments_as_time(abs(payments), loan)} {word}" if payments else "the same last day"


def rate_told(loan: BookedLoan) -> tuple[str, str]:
    """The rate, with as many digits as it needs, and how it is meant."""
    rate, compounding = loan.terms.rate.value, loan.terms.rate.compounding
    places = next((places for places in (2, 3) if abs(rate * 100 - round(rate * 100, places)) < 1e-9), 4)
    shown = loan.terms.style.show(rate, "rate", places=places)
    if not compounding:
        return shown, "a year, effective"
    effective = loan.terms.style.show(float(effective_rate(rate, compounding)), "rate")
    return shown, f"a year, {word_for(compounding)} ({effective} effective)"


def given_table(loan: BookedLoan, title: str = "What was agreed") -> Table:
    """The terms as they were given, and what happens to the loan, a row each."""
    rows = tuple((Cell(label), Cell(text)) for label, text in (*_terms(loan), *_happens(loan)))
    return Table(title, (Column("Term", words=True), Column("As given", words=True)), rows)


def _terms(loan: BookedLoan) -> Iterator[tuple[str, str]]:
    given, terms = loan.given, loan.terms
    money = partial(terms.style.with_unit, unit="money")
    for name, label, shown in (
        ("amount", "Amount", money(loan.amount)),
        ("rate", "Rate", " ".join(rate_told(loan))),
        ("payment", "Payment", money(loan.payment)),
    ):
        yield label, shown if given[name] is not None else "worked out"
    for name, label in _TERMS.items():
        value = given[name]
        if value is not None and value != _USUAL.get(name):
            yield label, f"{value:g} {name}" if isinstance(value, int | float) else str(value)
    yield (
        "Paid",
        f"{terms.per_year} times a year" + (", at the start of each period" if given["paid"] == "start" else ""),
    )
    for name, label in (("fee_up_front", "Fee up front"), ("fee_added", "Fee added"), ("fee_each", "Fee a payment")):
        if given[name] is not None:
            yield label, money(getattr(terms, name))
    if terms.agreement.residual:
        yield "Left at the end", money(terms.money(terms.agreement.residual))
    yield "Interest", "by equal periods" if terms.day_count is None else f"by days, {terms.day_count}"
    way = terms.agreement.rounding
    yield "Rounding", "not rounded" if way is None else ROUNDINGS[way].told


_TERMS = {
    "years": "Term",
    "months": "Term",
    "repaid": "Repaid",
    "interest_only": "Interest only for",
    "amortized_over": "Payment as over",
    "start": "Start",
    "first_payment": "First payment",
}
_USUAL = {"repaid": "level payment"}


def _happens(loan: BookedLoan) -> Iterator[tuple[str, str]]:
    """What happens to the loan, kind by kind."""
    show = loan.terms.style.show
    for word, kind in EVENTS.items():
        events = [one for one in loan.timetable.events if one.what == word] if loan.events else []
        if not events:
            continue
        told = [f"{show(one.value, kind.reads.replace('amount', 'money'))} on {one.moment}" for one in events[:_TOLD]]
        more = f" and {len(events) - _TOLD} more" if len(events) > _TOLD else ""
        yield kind.plural.capitalize(), ", ".join(told) + more
    for each in loan.extras:
        until = f" to {each.end}" if each.end else ""
        rising = f", rising by {show(each.growth, 'rate')} a year" if each.growth else ""
        amount = show(each.value, "money")
        yield "Extra payments", f"{amount}, {each.often} times a year from {each.begin}{until}{rising}"
    for pause in loan.holidays:
        yield "Payments left out", f"{pause.long} from {pause.begin} on, their interest {pause.interest}"


_TOLD = 4
