"""What a change would do to a loan: extra payments, a day to be done by, other offers, a refinancing."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import ceil
from typing import Any

from pennyweight.core.loans.exact import LONGEST
from pennyweight.errors import InputError, NoAnswer, nearest
from pennyweight.instruments.loans.events import Recurring, payment_number
from pennyweight.instruments.loans.loan import Loan
from pennyweight.quantities.amounts import read_amount
from pennyweight.quantities.dates import read_date
from pennyweight.quantities.given import a_list, a_mapping, an_instance

__all__ = ["Extra", "Offer", "Refinancing", "extra_needed", "extras_table", "offers", "refinancing"]


@dataclass(frozen=True, slots=True)
class Extra:
    """What an extra amount with every payment from the next one on does."""

    extra: float
    payments_saved: int
    interest_saved: float
    paid_off: str


@dataclass(frozen=True, slots=True)
class Offer:
    """One offer beside others."""

    name: str
    amount: float
    rate: float
    payment: float
    payments: int
    total_interest: float
    total_fees: float
    total_paid: float
    apr: float | None
    apr_eu: float | None


@dataclass(frozen=True, slots=True)
class Refinancing:
    """A loan replaced by another: `gain` is how much better off one is at the horizon, costs paid, debts compared."""

    after: int
    on: str
    balance: float
    costs: float
    payment_before: float
    payment_after: float
    interest_left: float
    interest_after: float
    pays_from: str | None
    pays_after: int | None
    horizon: int
    gain: float


def extras_table(loan: Loan, amounts: Sequence[str | float]) -> tuple[Extra, ...]:
    """What each extra amount, with every payment from the next one on, saves against the loan as it is.

    >>> loan = Loan(100_000, "6%", years=30)
    >>> [(row.payments_saved, row.interest_saved) for row in extras_table(loan, [100])]
    [(108, 39900.41)]
    """
    an_instance(loan, Loan, what="loan")
    found = []
    for given in a_list(amounts, what="amounts", of="amounts"):
        extra = read_amount(given, what="extra")
        if extra <= 0:
            raise InputError(f"extra is {given}; write amounts above zero.", at="extra")
        found.append(_extra(loan, extra))
    return tuple(found)


def extra_needed(loan: Loan, by: str | dt.date | int) -> Extra:
    """The smallest extra amount, with every payment from the next one on, that pays a loan off by a day.

    `by` is a day, or the number of the last payment.

    >>> extra_needed(Loan(100_000, "6%", years=30), 180).extra
    244.31
    """
    number = _number_by(an_instance(loan, Loan, what="loan"), by, "paid_off_by")
    if number >= len(loan.schedule.rows):
        when = loan.schedule.named(len(loan.schedule.rows))
        raise NoAnswer(f"The loan is paid off by then without extra payments, {when}.")
    if number <= loan.made:
        raise InputError(
            f"paid_off_by is {by}, which is not after the payments already made; give a later day.", at="paid_off_by"
        )
    unit = 10.0**-loan.terms.scale
    low, high = 0, ceil(loan.schedule.balance_after(loan.made) / unit)  # in smallest units; all of it at once does
    while high - low > 1:
        middle = (low + high) // 2
        done = len(_with_extra(loan, round(middle * unit, 9)).schedule.rows) <= number
        low, high = (low, middle) if done else (middle, high)
    return _extra(loan, round(high * unit, 9))


def offers(loans: Mapping[str, Loan]) -> tuple[Offer, ...]:
    """Key figures of several offers, as agreed.

    >>> [offer.total_paid for offer in offers({"a": Loan(1_000, "6%", years=1), "b": Loan(1_000, "5%", years=2)})]
    [1032.8, 1052.9]
    """
    loans = a_mapping(loans, what="loans", of="loans by name")
    for name, loan in loans.items():
        an_instance(loan, Loan, what=f"The offer '{name}'")
    return tuple(
        Offer(
            name,
            loan.amount,
            loan.terms.rate.value,
            loan.payment,
            len(loan.agreed.rows),
            loan.agreed.total_interest,
            loan.agreed.total_fees,
            loan.agreed.total_paid,
            loan.apr,
            loan.apr_eu,
        )
        for name, loan in loans.items()
    )


def refinancing(
    loan: Loan,
    *,
    on: str | dt.date | int,
    costs: str | float = 0.0,
    horizon: str | float | None = None,
    **terms: Any,
) -> Refinancing:
    """What it brings to replace a loan, after the payment due on a day (or after payment `on`), by another.

    Args:
        costs: everything paid for the change that day.
        horizon: years after the change at which both are compared; left out: to the end of the longer one.
        terms: rate, years and the rest of the new loan (see Loan); its amount is the balance unless given.

    It pays from the first payment after which what was paid since and what is still owed together are less than with
    the old loan.

    >>> told = refinancing(Loan(100_000, "6%", years=30), on=60, rate="4.5%", years=25, costs=2_000)
    >>> told.pays_after, told.gain
    (18, 22698.44)
    """
    an_instance(loan, Loan, what="loan")
    if "amortized_over" in terms or "residual" in terms or "start" in terms:
        raise InputError("The new loan of a refinancing takes rate, years or payment, fees, and the like; no start.")
    for name in terms:
        if name not in loan.given:
            raise InputError(f"A loan has no '{name}'{nearest(name, loan.given) or '.'}")
    after = _number_by(loan, on, "on")
    old = loan.schedule
    if not 0 < after < len(old.rows):
        raise InputError(f"on is {on}, which is not between the first and the last payment of the loan.", at="on")
    owed = old.balance_after(after)
    paid = read_amount(costs, what="costs")
    if paid < 0:
        raise InputError(f"costs are {costs}; write an amount of zero or more.", at="costs")
    shared = {
        name: loan.given[name] for name in ("per_year", "currency", "locale", "rounding", "compounding", "interest")
    }
    if loan.terms.calendar is not None:
        shared["start"] = str(loan.terms.calendar.due(after))
        shared["first_payment"] = str(loan.terms.calendar.due(after + 1))
    new = Loan(**{**shared, "amount": owed, **terms})
    money, fresh = loan.terms.money, new.agreed
    out_of_pocket = paid + new.terms.fee_up_front + (owed - new.amount)
    longest = max(len(old.rows) - after, len(fresh.rows))
    span = longest if horizon is None else read_amount(horizon, what="horizon") * loan.terms.per_year
    end = round(span) if 0 < span <= LONGEST else 0
    if end < 1:
        raise InputError(f"horizon is {horizon}; it is 1 to {LONGEST:,} payments long.", at="horizon")
    gains = [-out_of_pocket - (fresh.balance_after(0) - owed)]
    spent_old = spent_new = 0.0
    for k in range(1, max(longest, end) + 1):
        row = old.rows[after + k - 1] if after + k <= len(old.rows) else (0, 0, 0, 0, 0)
        spent_old += money(row[0] + row[2]) + (loan.terms.fee_each if after + k <= len(old.rows) else 0.0)
        if k <= len(fresh.rows):
            spent_new += money(fresh.rows[k - 1][0]) + new.terms.fee_each
        left = old.balance_after(after + k)
        gains.append(spent_old + left - spent_new - fresh.balance_after(k) - out_of_pocket)
    pays = next((k for k in range(1, len(gains)) if gains[k] > 0 and all(g > 0 for g in gains[k:])), None)
    horizon_gain = gains[min(end, len(gains) - 1)]
    calendar = loan.terms.calendar
    return Refinancing(
        after=after,
        on=old.named(after),
        balance=owed,
        costs=round(out_of_pocket, 9),
        payment_before=money(old.rows[after][0]),
        payment_after=new.payment,
        interest_left=money(sum(row[1] for row in old.rows[after:])),
        interest_after=fresh.total_interest,
        pays_from=None if pays is None else str(calendar.due(after + pays)) if calendar else f"payment {after + pays}",
        pays_after=pays,
        horizon=end,
        gain=round(horizon_gain, loan.terms.scale),
    )


def _number_by(loan: Loan, when: str | dt.date | int, what: str) -> int:
    """How many payments lie on or before a day."""
    if (number := payment_number(when)) is not None:
        return number
    if loan.terms.calendar is None:
        raise InputError(f"{what} is {when}, and the loan has no dates; give the number of a payment.", at=what)
    day = read_date(when, what=what)
    return 0 if day < loan.terms.calendar.first else loan.terms.calendar.made_by(day)


def _with_extra(loan: Loan, extra: float) -> Loan:
    first = loan.made + 1
    when = first if loan.terms.calendar is None else str(loan.terms.calendar.due(first))
    again = Recurring(extra, when, per_year=loan.terms.per_year)
    return loan.but(extras=(*loan.extras, again), extra_moves="term")


def _extra(loan: Loan, extra: float) -> Extra:
    other = _with_extra(loan, extra).schedule
    return Extra(
        extra,
        len(loan.schedule.rows) - len(other.rows),
        round(loan.schedule.total_interest - other.total_interest, 9),
        other.named(len(other.rows)),
    )
