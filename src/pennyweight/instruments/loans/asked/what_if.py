"""What a change would do to a loan: extra payments, a day to be done by, other offers, a refinancing."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import ceil
from typing import Any

from pennyweight.core.brackets import whole_turn_between
from pennyweight.core.loans.agreement import LONGEST
from pennyweight.described import Described
from pennyweight.errors import InputError, NoAnswer, nearest
from pennyweight.instruments.loans.books.booked_loan import BookedLoan
from pennyweight.instruments.loans.books.events import Moment, Recurring, When
from pennyweight.quantities.amounts import read_amount
from pennyweight.quantities.argument_checks import a_list, a_mapping, an_instance
from pennyweight.quantities.as_written import Amount, Span
from pennyweight.quantities.units import one_currency

__all__ = [
    "Extra",
    "Offer",
    "Race",
    "Refinancing",
    "extra_needed",
    "extras_table",
    "offers",
    "race",
    "read_extras",
    "read_offers",
    "refinanced",
    "refinancing",
    "with_extra",
]


@dataclass(frozen=True, slots=True, repr=False)
class Extra(Described):
    """What an extra amount with every payment from the next one on does.

    Examples
    --------
    >>> from pennyweight import Loan
    >>> Loan(100_000, "6%", years=30).extras_table([100])[0].payments_saved
    108
    """

    extra: float
    payments_saved: int
    interest_saved: float
    paid_off: str


@dataclass(frozen=True, slots=True, repr=False)
class Offer(Described):
    """One offer beside others.

    Examples
    --------
    >>> from pennyweight import Loan
    >>> [offer.apr for offer in Loan(1_000, "6%", years=1).offers({})]
    [0.060007128435508594]
    """

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


@dataclass(frozen=True, slots=True, repr=False)
class Refinancing(Described):
    """A loan replaced by another: `gain` is how much better off one is at the horizon, costs paid, debts compared.

    Examples
    --------
    >>> from pennyweight import Loan
    >>> Loan(100_000, "6%", years=30).refinancing(on=60, rate="4.5%", years=25).payment_after
    517.23
    """

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


def extras_table(loan: BookedLoan, amounts: Sequence[Amount]) -> tuple[Extra, ...]:
    """See `Loan.extras_table`."""
    return tuple(_extra(loan, extra) for extra in read_extras(amounts, what="amounts"))


def read_extras(amounts: Sequence[Amount], *, what: str) -> list[float]:
    """Extra payments as they were written, as numbers.

    `what` is the parameter they come from. InputError for one that is not above zero.

    >>> read_extras(["1k", 250], what="extra")
    [1000.0, 250.0]
    """
    found = []
    for given in a_list(amounts, what=what, of="amounts"):
        found.append(read_amount(given, what="extra"))
        if found[-1] <= 0:
            raise InputError(f"extra is {given}; write amounts above zero.", at="extra")
    return found


def extra_needed(loan: BookedLoan, by: When) -> Extra:
    """See `Loan.extra_needed`."""
    number = _number_by(loan, by, "paid_off_by")
    if number >= len(loan.schedule.rows):
        last = loan.schedule.named(len(loan.schedule.rows))
        when = last if loan.schedule.dates is not None else f"payment {last}"
        raise NoAnswer(f"No extra payment is needed: the loan is paid off by {when} anyway.")
    if number <= loan.made:
        raise InputError(
            f"paid_off_by is {by}, which is not after the payments already made; give a later day.", at="paid_off_by"
        )
    unit = 10.0**-loan.terms.scale

    def done(units: int) -> bool:
        return len(with_extra(loan, round(units * unit, 9)).schedule.rows) <= number

    all_of_it = ceil(loan.schedule.balance_after(loan.made) / unit)  # in smallest units; it does, whatever else
    return _extra(loan, round(whole_turn_between(done, 0, all_of_it) * unit, 9))


def read_offers(loan: BookedLoan, others: Mapping[str, BookedLoan], *, what: str) -> dict[str, BookedLoan]:
    """The loan and the offers beside it by name, the loan first.

    `what` is the parameter the offers come from. InputError when one is no Loan, is in another currency, or has the
    name of the loan itself.

    >>> from pennyweight import Loan
    >>> list(read_offers(Loan(1_000, "6%", years=1), {"agency": BookedLoan(1_000, "5%", years=2)}, what="offers"))
    ['this loan', 'agency']
    """
    others = a_mapping(others, what=what, of="loans by name")
    own = loan.title or "this loan"
    for name, other in others.items():
        an_instance(other, BookedLoan, what=f"The offer '{name}'", called="Loan")
        if name == own:
            raise InputError(f"An offer and the loan itself have one name, '{name}'; change one of them.", at=what)
    one_currency(
        {"the loan": loan.currency, **{f"the offer '{name}'": other.currency for name, other in others.items()}},
        at=what,
    )
    return {own: loan, **others}


def offers(loan: BookedLoan, others: Mapping[str, BookedLoan]) -> tuple[Offer, ...]:
    """See `Loan.offers`."""
    return tuple(
        Offer(
            name,
            one.amount,
            one.terms.rate.value,
            one.payment,
            len(one.agreed.rows),
            one.agreed.total_interest,
            one.agreed.total_fees,
            one.agreed.total_paid,
            one.apr,
            one.apr_eu,
        )
        for name, one in read_offers(loan, others, what="others").items()
    )


@dataclass(frozen=True, slots=True)
class Race:
    """The old loan and the one that replaces it, payment by payment after the change: what both cost until then.

    Each list begins on the day of the change; `gains` are how much better off one is by then.
    """

    after: int
    new: BookedLoan
    given_costs: float
    out_of_pocket: float
    spent_old: list[float]
    spent_new: list[float]
    left_old: list[float]
    left_new: list[float]
    gains: list[float]
    end: int
    """The payments after which both are compared."""


def race(loan: BookedLoan, *, on: When, costs: Amount, horizon: Span | None, terms: Mapping[str, Any]) -> Race:
    """Set the loan against the one that replaces it; see `Loan.refinancing`.

    >>> from pennyweight import Loan
    >>> found = race(Loan(1_000, "6%", years=1), on=6, costs=5, horizon=None, terms={"rate": "4%", "months": 6})
    >>> found.end, round(found.gains[-1], 2)
    (6, -2.01)
    """
    if "amortized_over" in terms or "residual" in terms or "start" in terms:
        raise InputError("The new loan of a refinancing has no start, residual or amortized_over; leave them out.")
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
        raise InputError(f"costs are {costs}; they must be 0 or more.", at="costs")
    shared = {
        name: loan.given[name] for name in ("per_year", "currency", "locale", "rounding", "compounding", "interest")
    }
    if loan.terms.calendar is not None:
        shared["start"] = loan.terms.calendar.due(after)
        shared["first_payment"] = loan.terms.calendar.due(after + 1)
    new = type(loan)(**{**shared, "amount": owed, **terms})
    one_currency({"the loan": loan.currency, "the new loan": new.currency}, at="currency")
    money, fresh = loan.terms.money, new.agreed
    out_of_pocket = paid + new.terms.fee_up_front + (owed - new.amount)
    longest = max(len(old.rows) - after, len(fresh.rows))
    span = longest if horizon is None else read_amount(horizon, what="horizon") * loan.terms.per_year
    end = round(span) if 0 < span <= LONGEST else 0
    if end < 1:
        raise InputError(f"horizon is {horizon}; it must be 1 to {LONGEST:,} payments long.", at="horizon")
    spent_old, spent_new = [0.0], [0.0]
    left_old, left_new = [owed], [fresh.balance_after(0)]
    gains = [-out_of_pocket - (left_new[0] - owed)]
    for k in range(1, max(longest, end) + 1):
        spent_old.append(spent_old[-1])
        spent_new.append(spent_new[-1])
        if after + k <= len(old.rows):
            row = old.rows[after + k - 1]
            spent_old[-1] += money(row.payment + row.extra) + loan.terms.fee_each
        if k <= len(fresh.rows):
            spent_new[-1] += money(fresh.rows[k - 1].payment) + new.terms.fee_each
        left_old.append(old.balance_after(after + k))
        left_new.append(fresh.balance_after(k))
        gains.append(spent_old[-1] + left_old[-1] - spent_new[-1] - left_new[-1] - out_of_pocket)
    end = min(end, len(gains) - 1)
    return Race(after, new, paid, out_of_pocket, spent_old, spent_new, left_old, left_new, gains, end)


def refinanced(
    loan: BookedLoan, *, on: When, costs: Amount = 0.0, horizon: Span | None = None, **terms: Any
) -> Refinancing:
    """The same with the terms of the new loan as arguments."""
    return refinancing(loan, on=on, costs=costs, horizon=horizon, terms=terms)


def refinancing(
    loan: BookedLoan, *, on: When, costs: Amount, horizon: Span | None, terms: Mapping[str, Any]
) -> Refinancing:
    """See `Loan.refinancing`."""
    both = race(loan, on=on, costs=costs, horizon=horizon, terms=terms)
    old, after, gains, money = loan.schedule, both.after, both.gains, loan.terms.money
    pays = next((k for k in range(1, len(gains)) if gains[k] > 0 and all(g > 0 for g in gains[k:])), None)
    calendar = loan.terms.calendar
    return Refinancing(
        after=after,
        on=old.named(after),
        balance=old.balance_after(after),
        costs=round(both.out_of_pocket, 9),
        payment_before=money(old.rows[after].payment),
        payment_after=both.new.payment,
        interest_left=money(sum(row.interest for row in old.rows[after:])),
        interest_after=both.new.agreed.total_interest,
        pays_from=None if pays is None else str(calendar.due(after + pays)) if calendar else f"payment {after + pays}",
        pays_after=pays,
        horizon=both.end,
        gain=round(gains[both.end], loan.terms.scale),
    )


def _number_by(loan: BookedLoan, when: When, what: str) -> int:
    """How many payments lie on or before a day."""
    moment = Moment.read(when, what)
    if moment.day is None:
        return moment.number or 0
    day = moment.day
    if loan.terms.calendar is None:
        raise InputError(f"{what} is {when}, and the loan has no dates; give the number of a payment.", at=what)
    return 0 if day < loan.terms.calendar.first else loan.terms.calendar.made_by(day)


def with_extra(loan: BookedLoan, extra: float) -> BookedLoan:
    """The loan with an extra amount with every payment, from the next one on.

    >>> from pennyweight import Loan
    >>> len(with_extra(Loan(1_000, "6%", years=1), 100.0).schedule.rows)
    6
    """
    first = loan.made + 1
    when: When = first if loan.terms.calendar is None else loan.terms.calendar.due(first)
    again = Recurring(extra, when, per_year=loan.terms.per_year)
    return loan.but(extras=(*loan.extras, again), extra_moves="term")


def _extra(loan: BookedLoan, extra: float) -> Extra:
    other = with_extra(loan, extra).schedule
    return Extra(
        extra,
        len(loan.schedule.rows) - len(other.rows),
        round(loan.schedule.total_interest - other.total_interest, 9),
        other.named(len(other.rows)),
    )
