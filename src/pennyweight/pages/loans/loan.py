"""How a loan is told: key facts as agreed and as it is, statements, years, payments, checks, and its charts."""

from __future__ import annotations

from dataclasses import asdict
from typing import TYPE_CHECKING, Any

import numpy as np

from pennyweight.core.rate_forms import effective_rate
from pennyweight.documents import (
    BalanceChart,
    Block,
    Cell,
    Checks,
    Column,
    Document,
    FigureLine,
    Figures,
    SplitChart,
    Table,
    Text,
)
from pennyweight.documents.model import Tone
from pennyweight.documents.tables import some_rows
from pennyweight.instruments.loans.asked.effects import Effect, effects
from pennyweight.instruments.loans.books.facts import Facts, facts, last_payment_note
from pennyweight.instruments.loans.books.schedule import Schedule, shown_rows
from pennyweight.plain_text import listed
from pennyweight.quantities.periods import word_for
from pennyweight.quantities.units import Style

if TYPE_CHECKING:
    from pennyweight.instruments.loans.loan import Loan

__all__ = ["loan_as_dict", "loan_charts", "loan_document", "loan_tables"]


def loan_as_dict(loan: Loan) -> dict[str, Any]:
    """Plain values for JSON: the design's keys, then the facts, as agreed beside as it is."""
    schedule, agreed = loan.schedule, loan.agreed
    names = Facts.__dataclass_fields__
    by_schedule = {key: {name: getattr(facts(one, loan.made), name) for name in names} for key, one in
            (("as_agreed", agreed), ("as_it_is", schedule))}  # fmt: skip
    return {
        "format": 1,
        "title": loan.title,
        "amount": loan.amount,
        "rate": loan.terms.rate.value,
        "payment": schedule.payment,
        "payments": len(schedule.rows),
        "last_payment": schedule.last_payment,
        "last_payment_note": last_payment_note(schedule),
        "total_interest": schedule.total_interest,
        "total_paid": schedule.total_paid,
        "total_fees": schedule.total_fees,
        "paid_off_on": schedule.paid_off_on,
        "apr": loan.apr,
        "apr_eu": loan.apr_eu,
        "as_of": _as_of(loan),
        "payments_made": loan.made,
        "effects": [asdict(one) for one in effects(loan)],
        "interest_saved": round(agreed.total_interest - schedule.total_interest, 9),
        "payments_saved": len(agreed.rows) - len(schedule.rows),
        "facts": by_schedule,
        "statements": [
            {
                "date": one.when,
                "by_schedule": one.by_schedule,
                "stated": one.stated,
                "difference": round(one.difference, 9),
            }
            for one in schedule.statements
        ],
        "schedule": schedule.plain_rows(),
        "years": schedule.yearly_rows(),
        "checks": [{"passed": passed, "check": sentence} for passed, sentence in schedule.checks],
        "remarks": list(schedule.remarks),
    }


def loan_document(loan: Loan, *, as_it_is: str = "As it is") -> Document:
    """Key facts, statements, years, payments, checks; the charts go to pages and files."""
    schedule = loan.schedule
    blocks: list[Block] = [_fact_table(loan, as_it_is) if schedule is not loan.agreed else _fact_lines(loan)]
    if note := last_payment_note(schedule):
        blocks.append(Text(note, "out"))
    blocks += [Text(remark, "out") for remark in schedule.remarks]
    blocks += _statements(loan)
    blocks += loan_tables(schedule, loan.made)
    blocks.append(Checks(schedule.checks))
    title = loan.title or f"A loan of {loan.terms.style.with_unit(loan.amount, 'money')}"
    return Document(title, tuple(blocks), _subtitle(loan), loan_charts(loan))


def loan_tables(schedule: Schedule, made: int = 0) -> list[Block]:
    """The years and the payments: the first, those around the last that was made, and the last ones."""
    return [_years(schedule), _payments(schedule, made)]


def loan_charts(loan: Loan) -> tuple[BalanceChart, SplitChart]:
    """The balance as agreed and as it is; interest and principal over time."""
    schedule, agreed, style = loan.schedule, loan.agreed, loan.terms.style
    start = loan.terms.agreement.amount
    x, x_title = _axis(loan, max(len(schedule.rows), len(agreed.rows)))
    balances = [
        np.array([loan.terms.money(value) for value in (start, *(row.balance for row in one.rows))])
        for one in (agreed, schedule)
    ]
    changed = schedule is not agreed
    title = f"Paid off {_ending(schedule)}"
    if changed:
        sooner = len(agreed.rows) - len(schedule.rows)
        word = (
            f"{_span(abs(sooner), loan)} {'sooner' if sooner > 0 else 'later'} than agreed" if sooner else "as agreed"
        )
        title += f", {word}"
        saved = agreed.total_interest - schedule.total_interest
        if alone := [one for one in effects(loan) if one.kind == "extra"]:
            title += f"; {_effect(loan, alone[0])}"
        elif saved:
            kept = style.with_unit(abs(saved), "money")
            title += f", {kept} of interest {'saved' if saved > 0 else 'more'}"
    statements = [
        (float(x[min(number, len(schedule.rows))]), schedule.balance_after(number)) for number in _stated_rows(loan)
    ]
    balance = BalanceChart(
        "balance", title, x[: len(balances[0])], balances[0], x[: len(balances[1])], balances[1],
        changed, x_title, style.headed("Owed", "money"), tuple(statements), _today(loan, x),
    )  # fmt: skip
    table = schedule.yearly_rows()
    years, interest, principal = (
        np.array([float(row[key]) for row in table]) for key in ("year", "interest", "principal")
    )
    total = style.with_unit(schedule.total_interest, "money")
    split = SplitChart(
        "split", f"{total} of interest in total", years, interest, principal,
        "Year" if schedule.dates is not None else "Year of the loan", style.headed("Paid in the year", "money"),
    )  # fmt: skip
    return balance, split


def _stated_rows(loan: Loan) -> list[int]:
    """The payments after which a stated balance stands."""
    return [k for k, row in enumerate(loan.schedule.rows, 1) if row.correction] or (
        [loan.schedule.history] if loan.schedule.statements and loan.schedule.history else []
    )


def _axis(loan: Loan, rows: int) -> tuple[np.ndarray[Any, np.dtype[np.float64]], str]:
    calendar = loan.terms.calendar
    if calendar is None:
        return np.arange(rows + 1) / loan.terms.per_year, "Years"
    days = np.concatenate([[calendar.start], calendar.days(rows)])
    months = days.astype("datetime64[M]")
    # A calendar year with its part: 2027.5 is the first of July.
    part = (days - months.astype("datetime64[Y]").astype("datetime64[D]")).astype(np.float64) / 365.25
    return months.astype("datetime64[Y]").astype(np.float64) + 1970 + part, "Year"


def _today(loan: Loan, x: np.ndarray[Any, np.dtype[np.float64]]) -> float | None:
    return float(x[loan.made]) if 0 < loan.made < len(loan.schedule.rows) else None


def _as_of(loan: Loan) -> str | None:
    if loan.as_of is not None:
        return str(loan.as_of)
    known = loan.timetable.last_known if loan.events else None
    return None if known is None else str(known)


def _owed(loan: Loan) -> str:
    """What is owed, and when: without a day to tell it for, on the first."""
    return "Owed now" if loan.made or loan.as_of is not None else "Owed on the first day"


def _subtitle(loan: Loan) -> str:
    terms = loan.terms
    rounding = {
        None: "not rounded", "half up": "to the smallest unit, halves up", "half even": "halves to even",
        "payment up": "payments rounded up",
    }[terms.agreement.rounding]  # fmt: skip
    counted = "by equal periods" if terms.day_count is None else f"by days, {terms.day_count}"
    as_of = _as_of(loan)
    when = f"; as of {as_of}" if as_of else ""
    return f"Interest {counted}; {rounding}{when}."


def _ending(schedule: Schedule) -> str:
    return f"on {schedule.paid_off_on}" if schedule.dates is not None else f"after {len(schedule.rows)} payments"


def _span(payments: int, loan: Loan) -> str:
    """So many payments as months (weeks), in words."""
    months = payments * 12 / loan.terms.per_year
    if months == round(months):
        return f"{round(months)} month{'s' if months != 1 else ''}"
    return f"{payments} payments"


def _rate_shown(loan: Loan, rate: float) -> str:
    compounding = loan.terms.rate.compounding or 1.0
    quoted = f"{loan.terms.style.show(rate, 'rate', places=_places(rate))} a year"
    if not loan.terms.rate.compounding:
        return f"{quoted}, effective"
    effective = float(effective_rate(rate, compounding))
    return f"{quoted}, {word_for(compounding)} ({loan.terms.style.show(effective, 'rate')} effective)"


def _places(rate: float) -> int:
    """Two decimals of a percent, or as many as the rate needs, up to four."""
    return next((places for places in (2, 3) if abs(rate * 100 - round(rate * 100, places)) < 1e-9), 4)


def _apr_shown(loan: Loan) -> str:
    style = loan.terms.style
    us, eu = ("undefined" if rate is None else style.show(rate, "rate") for rate in (loan.apr, loan.apr_eu))
    return f"{us} by unit-periods (US); {eu} by the EU's equation"


def _fact_lines(loan: Loan) -> Figures:
    """The facts of a loan to which nothing happens."""
    style, schedule, made = loan.terms.style, loan.schedule, loan.made
    now = facts(schedule, made)

    def line(label: str, value: float, note: str = "", question: bool = False) -> FigureLine:
        return FigureLine(label, Cell(style.with_unit(value, "money"), "question" if question else "plain"), note)

    solved = [name for name in ("amount", "rate") if loan.given[name] is None]
    lines = [line("Payment", schedule.payment, f"{now.payments} payments, the last on {now.paid_off}"
                  if schedule.dates is not None else f"{now.payments} payments", not solved)]  # fmt: skip
    if "amount" in solved:
        lines.insert(0, line("Amount that can be lent", loan.amount, "", True))
    lines.append(line("Last payment", schedule.last_payment))
    if now.next_interest is not None and now.next_principal is not None:
        split = (
            f"{style.show(now.next_interest, 'money')} interest, {style.show(now.next_principal, 'money')} principal"
        )
        lines.append(line("Next payment" if made else "First payment", now.payment_now or 0.0, split))
    if made:
        lines += [
            line("Paid so far", now.paid_so_far),
            line("Still to pay", now.still_to_pay),
            line(_owed(loan), now.balance_now),
        ]
        lines.append(line("Interest to date", now.interest_to_date))
        lines.append(line("Interest to come", now.interest_to_come))
    lines += [line("Total interest", now.total_interest), line("Total paid", now.total_paid)]
    if schedule.total_fees:
        lines.append(line("Total fees", schedule.total_fees))
    lines.append(line("Average payment", now.average_payment))
    if now.principal_leads:
        word = "" if schedule.dates is not None else "payment "
        lines.append(
            FigureLine(
                "Principal exceeds interest",
                Cell(f"{word}{now.principal_leads}"),
                "the first payment of which more is principal",
            )
        )
    rate, how = _rate_shown(loan, loan.terms.rate.value).split("%", 1)
    tone: Tone = "question" if "rate" in solved else "plain"
    lines.append(FigureLine("Rate", Cell(f"{rate}%", tone), how.strip(" ,")))
    us, other = _apr_shown(loan).split(" ", 1)
    lines.append(FigureLine("Yearly percentage rate", Cell(us), f"{other}; fees included"))
    return Figures("Key facts", tuple(lines))


def _fact_table(loan: Loan, as_it_is: str) -> Table:
    """The facts as agreed beside those as it is."""
    style, made = loan.terms.style, loan.made
    agreed, actual = (facts(one, made) for one in (loan.agreed, loan.schedule))

    def money(value: float | None) -> str:
        return "–" if value is None else style.show(value, "money")

    names = (
        ("Payment now", "payment_now"), ("  of it interest", "next_interest"), ("  of it principal", "next_principal"),
        (_owed(loan), "balance_now"), ("Paid so far", "paid_so_far"), ("Still to pay", "still_to_pay"),
        ("Interest to date", "interest_to_date"), ("Interest to come", "interest_to_come"),
        ("Total interest", "total_interest"), ("Total paid", "total_paid"), ("Average payment", "average_payment"),
    )  # fmt: skip
    rows = [_row(label, money(getattr(agreed, name)), money(getattr(actual, name))) for label, name in names]
    rows.append(_row("Last payment", money(loan.agreed.last_payment), money(loan.schedule.last_payment)))
    rows.append(_row("Payments", str(agreed.payments), str(actual.payments)))
    rows.append(
        _row("Paid off" + (" on" if loan.terms.calendar else " with payment"), agreed.paid_off, actual.paid_off)
    )
    rows.append(_row("Principal exceeds interest from", agreed.principal_leads or "–", actual.principal_leads or "–"))
    saved = agreed.total_interest - actual.total_interest
    sooner = agreed.payments - actual.payments
    ends = f"{_span(abs(sooner), loan)} {'sooner' if sooner > 0 else 'later'}" if sooner else "when it was agreed to"
    word = "saves" if saved >= 0 else "costs"
    shown = style.with_unit(abs(saved), "money")
    alone = effects(loan)
    told = ""
    if len(alone) > 1:
        told = f" Of that, {listed([_effect(loan, one) for one in alone])}."
    note = (
        f"It ends {ends} and {word} {shown} of interest in all.{told} Rate {_rate_shown(loan, loan.terms.rate.value)}; "
        f"yearly percentage rate {_apr_shown(loan)}, as agreed."
    )
    columns = (Column(style.currency, words=True), Column("As agreed"), Column(as_it_is))
    return Table("Key facts", columns, tuple(rows), note)


def _effect(loan: Loan, one: Effect) -> str:
    word = "cost" if one.interest >= 0 else "save"
    plural = word if one.what.startswith("the ") or " and " in one.what else f"{word}s"
    return f"{one.what} {plural} {loan.terms.style.with_unit(abs(one.interest), 'money')}"


def _row(label: str, agreed: str, actual: str) -> tuple[Cell, ...]:
    return Cell(label), Cell(agreed, "comparison"), Cell(actual)


def _statements(loan: Loan) -> list[Block]:
    statements, style = loan.schedule.statements, loan.terms.style
    if not statements:
        return []
    rows = tuple(
        (
            Cell(one.when),
            Cell(style.show(one.by_schedule, "money")),
            Cell(style.show(one.stated, "money")),
            Cell(style.show(one.difference, "money", sign=True) if one.difference else "agrees", "question"),
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


def _years(schedule: Schedule) -> Table:
    style, table = schedule.terms.style, schedule.yearly_rows()
    always = ("payments", "interest", "principal", "balance")
    names = [name for name in table[0] if name != "year" and (name in always or any(row[name] for row in table))]
    rows = tuple((Cell(str(row["year"])), *(_amount(style, name, row[name]) for name in names)) for row in table)
    columns = tuple(Column(name.capitalize()) for name in names)
    note = "Principal includes the extra payments." if "extra" in names else ""
    title = "By calendar year" if schedule.dates is not None else "By year of the loan"
    return Table(title, (Column("Year", words=True), *columns), rows, note)


def _amount(style: Style, name: str, value: float) -> Cell:
    """An amount; a dash where nothing extra happened."""
    return Cell("–") if not value and name in ("extra", "fee", "correction") else Cell(style.show(value, "money"))


def _payments(schedule: Schedule, made: int) -> Table:
    style, rows = schedule.terms.style, schedule.plain_rows()
    names = ["payment", "interest", "principal", "extra", "fee", "correction", "balance"]
    names = [
        name
        for name in names
        if name in ("payment", "interest", "principal", "balance") or any(row[name] for row in rows)
    ]
    cells = [
        (
            Cell(str(row["number"])),
            *((Cell(row["date"]),) if row["date"] else ()),
            *(_amount(style, name, row[name]) for name in names),
            *((Cell("history" if row["history"] else "", "comparison"),) if schedule.history else ()),
        )
        for row in rows
    ]
    notes = ["Principal includes the extra payments."] if "extra" in names else []
    shown, left_out = some_rows(cells, shown_rows(len(cells), made), "payments")
    titles = [Column("No.", words=True), *([Column("Date", words=True)] if schedule.dates is not None else [])]
    titles += [Column(name.capitalize()) for name in names]
    titles += [Column("", words=True)] if schedule.history else []
    return Table("Payments", tuple(titles), shown, " ".join([*notes, left_out]).strip())
