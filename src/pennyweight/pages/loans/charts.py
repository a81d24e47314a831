"""The charts of a loan: its balance as agreed and as it is, and interest and principal over time."""

from __future__ import annotations

from typing import Any

import numpy as np

from pennyweight.documents import BalanceChart, SplitChart
from pennyweight.instruments.loans.asked.effects import Effect, effects
from pennyweight.instruments.loans.books.booked_loan import BookedLoan
from pennyweight.instruments.loans.books.schedule import Schedule

__all__ = ["loan_charts", "payments_as_time", "told_effect"]


def loan_charts(loan: BookedLoan) -> tuple[BalanceChart, SplitChart]:
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
            f"{payments_as_time(abs(sooner), loan)} {'sooner' if sooner > 0 else 'later'} than agreed"
            if sooner
            else "as agreed"
        )
        title += f", {word}"
        saved = agreed.total_interest - schedule.total_interest
        if alone := [one for one in effects(loan) if one.kind == "extra"]:
            title += f"; {told_effect(loan, alone[0])}"
        elif saved:
            kept = style.with_unit(abs(saved), "money")
            title += f", {kept} of interest {'saved' if saved > 0 else 'more'}"
    statements = [
        (float(x[min(number, len(schedule.rows))]), schedule.balance_after(number)) for number in _stated_rows(loan)
    ]
    balance = BalanceChart(
        "balance",
        title,
        x[: len(balances[0])],
        balances[0],
        x[: len(balances[1])],
        balances[1],
        changed,
        x_title,
        style.headed("Owed", "money"),
        tuple(statements),
        _today(loan, x),
    )
    table = schedule.yearly_rows()
    years, interest, principal = (
        np.array([float(row[key]) for row in table]) for key in ("year", "interest", "principal")
    )
    total = style.with_unit(schedule.total_interest, "money")
    split = SplitChart(
        "split",
        f"{total} of interest in total",
        years,
        interest,
        principal,
        "Year" if schedule.dates is not None else "Year of the loan",
        style.headed("Paid in the year", "money"),
    )
    return balance, split


def _stated_rows(loan: BookedLoan) -> list[int]:
    """The payments after which a stated balance stands."""
    return [k for k, row in enumerate(loan.schedule.rows, 1) if row.correction] or (
        [loan.schedule.history] if loan.schedule.statements and loan.schedule.history else []
    )


def _axis(loan: BookedLoan, rows: int) -> tuple[np.ndarray[Any, np.dtype[np.float64]], str]:
    calendar = loan.terms.calendar
    if calendar is None:
        return np.arange(rows + 1) / loan.terms.per_year, "Years"
    days = np.concatenate([[calendar.start], calendar.days(rows)])
    months = days.astype("datetime64[M]")
    # A calendar year with its part: 2027.5 is the first of July.
    part = (days - months.astype("datetime64[Y]").astype("datetime64[D]")).astype(np.float64) / 365.25
    return months.astype("datetime64[Y]").astype(np.float64) + 1970 + part, "Year"


def _today(loan: BookedLoan, x: np.ndarray[Any, np.dtype[np.float64]]) -> float | None:
    return float(x[loan.made]) if 0 < loan.made < len(loan.schedule.rows) else None


def _ending(schedule: Schedule) -> str:
    return f"on {schedule.paid_off_on}" if schedule.dates is not None else f"after {len(schedule.rows)} payments"


def payments_as_time(payments: int, loan: BookedLoan) -> str:
    """So many payments as months (weeks), in words."""
    months = payments * 12 / loan.terms.per_year
    if months == round(months):
        return f"{round(months)} month{'s' if months != 1 else ''}"
    return f"{payments} payments"


def told_effect(loan: BookedLoan, one: Effect) -> str:
    """What one kind of event does to the interest, in words."""
    word = "cost" if one.interest >= 0 else "save"
    plural = word if one.what.startswith("the ") or " and " in one.what else f"{word}s"
    return f"{one.what} {plural} {loan.terms.style.with_unit(abs(one.interest), 'money')}"
