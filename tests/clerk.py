"""The books of one loan as a clerk would keep them, in decimals: slow, plain, and independent of the engines."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable
from decimal import ROUND_HALF_UP, Decimal, localcontext

D = Decimal
CENT, NONE = Decimal("0.01"), Decimal(0)
Row = tuple[Decimal, Decimal, Decimal, Decimal]
Event = tuple[int, str, Decimal]


def cents(exact: Decimal, rounding: str = ROUND_HALF_UP) -> Decimal:
    """To the cent; first to 25 places, so that a half that came out of a division is a half."""
    with localcontext() as context:
        context.prec = 60
        return exact.quantize(Decimal("1e-25")).quantize(CENT, rounding=rounding)


def level(
    balance: Decimal, rate: Decimal, per_year: int, count: int, rounding: str = ROUND_HALF_UP, left: Decimal = NONE
) -> Decimal:
    i = rate / per_year
    owed = balance - left * (1 + i) ** -count
    return cents(owed / count if rate == 0 else owed * i / (1 - (1 + i) ** -count), rounding)


def books(
    amount: Decimal, rate: Decimal, per_year: int, count: int, *, payment: Decimal | None = None,
    events: Iterable[Event] = (), lowers: bool = False, rounding: str = ROUND_HALF_UP, left: Decimal = NONE, rest: int = 0,
) -> list[Row]:  # fmt: skip
    """(payment, interest, extra, balance) of every row. Events are (payment number, what, amount or rate); `left` is
    cleared by the last payment, the first `rest` payments are interest alone."""
    with localcontext() as context:
        context.prec = 50
        todo = list(events)
        due = level(amount, rate, per_year, count, rounding, left) if payment is None and not rest else payment or D(0)
        balance, rows = amount, []
        for number in range(1, count + 1):
            here = [event for event in todo if event[0] == number]
            for _, what, value in here:
                if what == "rate":
                    rate = value
                    due = level(balance, rate, per_year, count - number + 1, rounding, left)
            if number == rest + 1 and rest:
                due = level(balance, rate, per_year, count - number + 1, rounding, left)
            interest = cents(balance * rate / per_year, rounding)
            paid = next((value for _, what, value in here if what == "paid"), interest if number <= rest else due)
            if number == count or paid >= balance + interest:
                paid = balance + interest
            balance += interest - paid
            extra = Decimal(0)
            for _, what, value in here:
                if what == "extra":
                    taken = min(value, balance)
                    balance -= taken
                    extra += taken
            for _, what, value in here:
                if what == "balance":
                    balance = value
            if extra and lowers and balance and number < count:
                due = level(balance, rate, per_year, count - number, rounding, left)
            rows.append((paid, interest, extra, balance))
            if not balance:
                break
        return rows


def diary(
    amount: Decimal, rate: Decimal, basis: int, start: dt.date, due: list[dt.date], events: Iterable[tuple[dt.date, str, Decimal]],
) -> list[Row]:  # fmt: skip
    """The same for interest by actual days, kept day by day: each night adds balance times rate over the basis."""
    with localcontext() as context:
        context.prec = 50
        count, todo = len(due), list(events)
        payment = level(amount, rate, 12, count)
        balance, owed, day, number, extra, stale = amount, Decimal(0), start, 0, Decimal(0), False
        rows: list[Row] = []
        while True:
            today = [event for event in todo if event[0] == day]
            if number < count and day == due[number]:
                interest, owed, number = cents(owed), Decimal(0), number + 1
                paid = next((value for _, what, value in today if what == "paid"), payment)
                paid = balance + interest if number == count or paid >= balance + interest else paid
                balance += interest - paid
            else:
                paid = interest = Decimal(-1)
            for _, what, value in today:
                if what == "extra":
                    extra += min(value, balance)
                    balance -= min(value, balance)
            balance = next((value for _, what, value in today if what == "balance"), balance)
            for _, what, value in today:
                if what == "rate":
                    rate, stale = value, True
            if paid >= 0:
                rows.append((paid, interest, extra, balance))
                extra = Decimal(0)
                if stale and balance and number < count:
                    payment, stale = level(balance, rate, 12, count - number), False
                if not balance:
                    break
            if not balance and paid < 0 and not _stated_later(due, number, day, todo):
                # paid off between due days: the interest so far falls due on the next
                rows.append((cents(owed), cents(owed), extra, balance))
                break
            owed += balance * rate / basis
            day += dt.timedelta(days=1)
        return rows


def _stated_later(
    due: list[dt.date], number: int, day: dt.date, events: Iterable[tuple[dt.date, str, Decimal]]
) -> bool:
    """Whether the lender states a balance later in the same period: what is paid off goes on from it."""
    return number < len(due) and any(what == "balance" and day < when <= due[number] for when, what, _ in events)
