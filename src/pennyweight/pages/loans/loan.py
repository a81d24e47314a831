"""The page of a loan: key facts as agreed and as it is, statements, years, payments, checks, and its charts."""

from __future__ import annotations

from functools import partial

from pennyweight.core.loans.rounding import ROUNDINGS
from pennyweight.documents import Block, Cell, Checks, Column, Document, FigureLine, Figures, Row, Table, Text
from pennyweight.documents.derivation import Derivation, Why
from pennyweight.documents.handout import Handout, sheets_of
from pennyweight.documents.model import Tone
from pennyweight.instruments.loans.asked.loan_values import as_of
from pennyweight.instruments.loans.books.booked_loan import BookedLoan
from pennyweight.instruments.loans.books.facts import facts, last_payment_note
from pennyweight.pages.loans.charts import loan_charts
from pennyweight.pages.loans.explained.derivations import ScheduleDerivations
from pennyweight.pages.loans.explained.loan_derivations import (
    amount_derivation,
    fact_table,
    percentage_rates,
    rate_derivation,
    rates_table,
    titled,
)
from pennyweight.pages.loans.page_one import loan_headline, loan_page_one, rate_told
from pennyweight.pages.loans.schedule import schedule_tables, whole_schedule

__all__ = ["document", "handout"]


def document(loan: BookedLoan, *, as_it_is: str = "As it is") -> Document:
    """Key facts, statements, years, payments, checks; the charts go to pages and files."""
    schedule = loan.schedule
    blocks: list[Block] = [_fact_table(loan, as_it_is) if schedule is not loan.agreed else _fact_lines(loan)]
    if note := last_payment_note(schedule):
        blocks.append(Text(note, "out"))
    blocks += [Text(remark, "out") for remark in schedule.remarks]
    blocks += _statements(loan)
    blocks += schedule_tables(schedule, loan.made)
    blocks.append(Checks(schedule.checks))
    title = loan.title or f"A loan of {loan.terms.style.with_unit(loan.amount, 'money')}"
    return Document(title, tuple(blocks), _subtitle(loan), loan_charts(loan), loan_headline(loan))


def handout(loan: BookedLoan, page: Document) -> Handout:
    """The loan with its key facts on page one, and its schedule in full."""
    return Handout(
        page,
        lambda: sheets_of(loan.frames),
        first=loan_page_one(loan),
        whole=lambda: whole_schedule(loan.schedule),
        places=loan.terms.style.places,
    )


def _owed(loan: BookedLoan) -> str:
    """What is owed, and when: without a day to tell it for, on the first."""
    return "Owed now" if loan.made or loan.as_of is not None else "Owed on the first day"


def _subtitle(loan: BookedLoan) -> str:
    terms = loan.terms
    way = terms.agreement.rounding
    rounding = "not rounded" if way is None else ROUNDINGS[way].told
    counted = "by equal periods" if terms.day_count is None else f"by days, {terms.day_count}"
    told = as_of(loan)
    when = f"; as of {told}" if told else ""
    return f"Interest {counted}; {rounding}{when}."


def _apr_shown(loan: BookedLoan) -> tuple[str, str]:
    style = loan.terms.style
    us, eu = ("undefined" if rate is None else style.show(rate, "rate") for rate in (loan.apr, loan.apr_eu))
    return us, f"by unit-periods (US); {eu} by the EU's equation"


def _fact_lines(loan: BookedLoan) -> Figures:
    """The facts of a loan to which nothing happens."""
    style, schedule, made = loan.terms.style, loan.schedule, loan.made
    now, cases = facts(schedule, made), {"": ScheduleDerivations(schedule, made)}

    def line(label: str, value: float, name: str, note: str = "", *, asked: bool = False) -> FigureLine:
        shown = Cell(style.with_unit(value, "money"), "question" if asked else "plain")
        return FigureLine(label, shown, note, Why(label, partial(fact_table, cases, label, name)))

    solved = [name for name in ("amount", "rate") if loan.given[name] is None]
    many = f"{now.payments} payments"
    many += f", the last on {now.paid_off}" if schedule.dates is not None else ""
    lines = [line("Payment", schedule.payment, "payment", many, asked=not solved)]
    if "amount" in solved:
        label = "Amount that can be lent"
        shown = Cell(style.with_unit(loan.amount, "money"), "question")
        lines.insert(0, FigureLine(label, shown, why=Why(label, partial(_amount_table, loan, label))))
    lines.append(line("Last payment", schedule.last_payment, "last_payment"))
    if now.next_interest is not None and now.next_principal is not None:
        interest, principal = (style.show(one, "money") for one in (now.next_interest, now.next_principal))
        split = f"{interest} interest, {principal} principal"
        label = "Next payment" if made else "First payment"
        lines.append(line(label, now.payment_now or 0.0, "payment_now", split))
    if made:
        lines += [
            line("Paid so far", now.paid_so_far, "paid_so_far"),
            line("Still to pay", now.still_to_pay, "still_to_pay"),
            line(_owed(loan), now.balance_now, "balance_now"),
            line("Interest to date", now.interest_to_date, "interest_to_date"),
            line("Interest to come", now.interest_to_come, "interest_to_come"),
        ]
    lines += [
        line("Total interest", now.total_interest, "total_interest"),
        line("Total paid", now.total_paid, "total_paid"),
    ]
    if schedule.total_fees:
        lines.append(line("Total fees", schedule.total_fees, "total_fees"))
    lines.append(line("Average payment", now.average_payment, "average_payment"))
    if now.principal_leads:
        word = "" if schedule.dates is not None else "payment "
        label, note = "Principal exceeds interest", "the first payment of which more is principal"
        why = Why(label, partial(fact_table, cases, label, "principal_leads"))
        lines.append(FigureLine(label, Cell(f"{word}{now.principal_leads}"), note, why))
    rate, how = rate_told(loan)
    asked: Tone = "question" if "rate" in solved else "plain"
    lines.append(FigureLine("Rate", Cell(rate, asked), how, Why("Rate", partial(_rate_table, loan))))
    us, other = _apr_shown(loan)
    label = "Yearly percentage rate"
    lines.append(FigureLine(label, Cell(us), f"{other}; fees included", Why(label, partial(percentage_rates, loan))))
    return Figures("Key facts", tuple(lines))


def _amount_table(loan: BookedLoan, label: str) -> Table:
    return titled(label, {label: amount_derivation(loan)})


def _rate_table(loan: BookedLoan) -> Table:
    return titled("Rate", {"Rate": rate_derivation(loan)})


def _fact_table(loan: BookedLoan, as_it_is: str) -> Table:
    """The facts as agreed beside those as it is."""
    style, made = loan.terms.style, loan.made
    agreed, actual = (facts(one, made) for one in (loan.agreed, loan.schedule))

    def money(value: float | None) -> str:
        return "–" if value is None else style.show(value, "money")

    names = (
        ("Payment now", "payment_now"),
        ("  of it interest", "next_interest"),
        ("  of it principal", "next_principal"),
        (_owed(loan), "balance_now"),
        ("Paid so far", "paid_so_far"),
        ("Still to pay", "still_to_pay"),
        ("Interest to date", "interest_to_date"),
        ("Interest to come", "interest_to_come"),
        ("Total interest", "total_interest"),
        ("Total paid", "total_paid"),
        ("Average payment", "average_payment"),
    )
    cases = {
        ", as agreed": ScheduleDerivations(loan.agreed, made),
        ", as it is": ScheduleDerivations(loan.schedule, made),
    }
    leads = [one.principal_leads or "–" for one in (agreed, actual)]
    paid_off = "Paid off" + (" on" if loan.terms.calendar else " with payment")
    shown = [(label, name, money(getattr(agreed, name)), money(getattr(actual, name))) for label, name in names]
    shown += [
        ("Last payment", "last_payment", money(loan.agreed.last_payment), money(loan.schedule.last_payment)),
        ("Payments", "payments", str(agreed.payments), str(actual.payments)),
        (paid_off, "paid_off", agreed.paid_off, actual.paid_off),
        ("Principal exceeds interest from", "principal_leads", leads[0], leads[1]),
    ]
    rows = [_fact_row(cases, *one) for one in shown]
    note = f"Rate {' '.join(rate_told(loan))}; yearly percentage rate {' '.join(_apr_shown(loan))}, as agreed."
    columns = (Column(style.currency, words=True), Column("As agreed"), Column(as_it_is))
    return Table("Key facts", columns, tuple(rows), note, why=Why("The rates of the note", partial(rates_table, loan)))


def _fact_row(cases: dict[str, ScheduleDerivations], label: str, name: str, agreed: str, actual: str) -> Row:
    plain = label.strip()
    known = any(getattr(of, name) is not None for of in cases.values())
    why = Why(plain, partial(fact_table, cases, plain, name)) if known else None
    return Row((Cell(label), Cell(agreed, "comparison"), Cell(actual)), why)


def _statements(loan: BookedLoan) -> list[Block]:
    statements, style = loan.schedule.statements, loan.terms.style
    if not statements:
        return []
    rows = tuple(
        Row(
            (
                Cell(one.when),
                Cell(style.show(one.by_schedule, "money")),
                Cell(style.show(one.stated, "money")),
                Cell(style.show(one.difference, "money", sign=True) if one.difference else "agrees", "question"),
            ),
            Why("Statement", partial(_told_statement, loan, one.by_schedule, one.stated)),
        )
        for one in statements
    )
    columns = (Column("Statement", words=True), Column("By our schedule"), Column("Stated"), Column("Difference"))
    return [
        Table(
            "Statements",
            columns,
            rows,
            "The schedule goes on from the stated balance; the payments before it are history.",
        )
    ]


def _told_statement(loan: BookedLoan, by_schedule: float, stated: float) -> dict[str, Derivation]:
    style = loan.terms.style
    ours, theirs = style.show(by_schedule, "money"), style.show(stated, "money")
    return {
        "By our schedule": Derivation(ours, "what all that happened until then leaves to be repaid"),
        "Stated": Derivation(theirs, "as the lender states it"),
        "Difference": Derivation(
            style.show(stated - by_schedule, "money", sign=True), "stated - by our schedule", f"{theirs} - {ours}"
        ),
    }
