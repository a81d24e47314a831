"""A loan's terms as they are written become what the books need: the missing one worked out, all in whole units."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from decimal import Decimal, localcontext
from fractions import Fraction
from functools import partial
from typing import Any

import numpy as np

from pennyweight.core.dates import DATED
from pennyweight.core.loans.agreement import LONGEST, Agreement
from pennyweight.core.loans.level_payment import level_payment_units
from pennyweight.core.loans.repayment import REPAID, Repaid
from pennyweight.core.loans.rounding import ROUNDINGS
from pennyweight.errors import InputError, choice, nearest
from pennyweight.instruments.loans.books.due_days import Calendar
from pennyweight.instruments.loans.books.loan_request import LoanRequest
from pennyweight.instruments.loans.books.terms import BASIS, LoanTerms, share_between, units_of
from pennyweight.instruments.loans.books.unknown import exact_rate, fits, largest_amount, level_of, rate_that_fits
from pennyweight.quantities.amounts import read_amount
from pennyweight.quantities.as_written import Amount, RateWritten
from pennyweight.quantities.dates import read_date, read_day_count
from pennyweight.quantities.numbers import whole
from pennyweight.quantities.periods import read_compounding, read_per_year
from pennyweight.quantities.rates import Rate, read_rate
from pennyweight.quantities.units import Style, read_value

__all__ = ["settle"]


_MOST_RATE = 100  # 10,000 % a year: beyond, growth leaves what decimals hold


def settle(asked: LoanRequest) -> LoanTerms:
    """Read all terms of a loan as they were asked for; InputError or NoAnswer when they cannot be."""
    return _Reader(asked).terms()


class _Reader:
    def __init__(self, loan: LoanRequest) -> None:
        self.loan = loan
        # As they were written; the request's own types say what they are when they have been read.
        self.amount: Amount | None = loan.amount
        self.rate: RateWritten | None = loan.rate
        self.payment: Amount | None = loan.payment
        self.said: float | None = None
        self.style = Style(loan.currency, loan.locale)
        if loan.rounding is not None:
            choice(loan.rounding, tuple(ROUNDINGS), "rounding")
        self.repaid: Repaid = choice(loan.repaid, tuple(REPAID), "repaid")
        self.way = REPAID[self.repaid]
        self.fortnightly = self.way.fortnightly
        self.per_year = 26 if self.fortnightly else read_per_year(loan.per_year)
        if not 1 <= self.per_year <= 52:
            raise InputError(f"per_year is {self.per_year}; it must be from 1 to 52.", at="per_year")
        self.at_start = choice(loan.paid, ("start", "end"), "paid") == "start"
        for what in ("rate_moves", "extra_moves", "holiday_moves"):
            choice(getattr(loan, what), ("payment", "term"), what)
        self.before = whole(loan.payments_before, what="payments_before", least=0, most=LONGEST)
        choice(loan.balance_moves, ("last payment", "payment", "term"), "balance_moves")

    def terms(self) -> LoanTerms:
        self._check_given()
        calendar = self._calendar()
        rate = self._rate()
        day_count = self._day_count()
        if day_count is not None and calendar is None:
            raise InputError(f"interest by {day_count} needs days; give the start or the first payment.")
        count = self._count()
        agreement = Agreement(
            amount=0,
            rate=exact_rate(rate.value) if rate else Fraction(0),
            periodic=self._periodic(rate),
            count=count,
            spread=self._spread(count),
            payment=self._money(self.payment, "payment"),
            residual=self._money(self.loan.residual, "residual") or 0,
            shape=self.way.shape,
            interest_only=self._interest_only(count),
            at_start=self.at_start,
            shares=None if day_count is None or calendar is None else partial(_share, calendar, day_count),
            odd=self._odd(calendar) if day_count is None else Fraction(0),
            rounding=self.loan.rounding,
            rate_moves=self.loan.rate_moves,
            extra_moves=self.loan.extra_moves,
            holiday_moves=self.loan.holiday_moves,
            balance_moves=self.loan.balance_moves,
        )
        agreement, rate, lent = self._solved(agreement, rate)
        fees = [self._fee(getattr(self.loan, what), lent, what) for what in ("fee_up_front", "fee_added", "fee_each")]
        return LoanTerms(
            agreement, self.style, self.per_year, self.style.places, calendar, day_count, rate, self.said, lent, *fees
        )

    def _day_count(self) -> str | None:
        """The day count by which interest runs; None for equal periods."""
        equal = "equal periods"
        given: object = self.loan.interest
        if isinstance(given, str) and given == equal:
            return None
        hint = ""
        try:
            given = read_day_count(given)
        except InputError:  # it does not know of equal periods
            hint = nearest(given, [equal, *BASIS]) if isinstance(given, str) else ""
        if isinstance(given, str) and given in BASIS:
            return given
        raise InputError(
            f"interest is {given!r}{hint or ';'} {'I' if hint else 'i'}t must be '{equal}' or one of "
            f"{', '.join(BASIS)}.",
            at="interest",
        )

    # What is given and what is missing.

    def _check_given(self) -> None:
        loan = self.loan
        if loan.years is not None and loan.months is not None:
            raise InputError("Give the term in years or in months, not both.")
        has = {"amount": self.amount, "rate": self.rate, "years": loan.years if loan.months is None else loan.months}
        missing = [name for name, value in has.items() if value is None]
        if self.repaid != "level payment":
            if self.payment is not None:
                raise InputError(f"The payment follows from the terms when a loan is repaid by {self.repaid}.")
            if missing:
                raise InputError(f"A loan repaid by {self.repaid} needs its {missing[0]}.")
            if self.at_start:
                raise InputError("Only a loan with a level payment can be paid at the start of each period.")
            if self.fortnightly and (loan.residual is not None or loan.amortized_over is not None):
                raise InputError(
                    "A loan repaid by half the monthly payment every two weeks cannot have a balloon or a residual."
                )
            return
        known = 4 - len(missing) - (self.payment is None)
        if known < 3:
            raise InputError("A loan needs three of amount, rate, years and payment (or months instead of years).")

    def _count(self) -> int | None:
        loan = self.loan
        if loan.years is None and loan.months is None:
            if loan.amortized_over is not None or loan.residual is not None:
                raise InputError("A balloon or a residual is due at the end of a term; give the years.")
            return None
        return self._payments("years" if loan.months is None else "months")

    def _payments(self, name: str) -> int:
        given = getattr(self.loan, name)
        span = read_value(given, "years", what=name) if name != "months" else read_amount(given, what=name) / 12
        often = 12 if self.fortnightly else self.per_year
        count = span * often
        if not 0 < count <= LONGEST or abs(count - round(count)) > 1e-9:
            raise InputError(
                f"{name} is {given}; it must make a whole number of payments ({often} a year), from 1 to {LONGEST:,}.",
                at=name,
            )
        return round(count)

    def _spread(self, count: int | None) -> int | None:
        if self.loan.amortized_over is None or count is None:
            return None
        spread = self._payments("amortized_over")
        if spread < count:
            raise InputError(
                f"amortized_over is {self.loan.amortized_over}, shorter than the term: the balloon would fall due "
                "after the loan is paid off.",
                at="amortized_over",
            )
        if self.loan.residual is not None:
            raise InputError("Give amortized_over or a residual, not both; each of them fixes the balloon.")
        return spread

    def _interest_only(self, count: int | None) -> int:
        given = self.loan.interest_only
        if given is None:
            return 0
        if count is None:
            raise InputError("An interest-only time needs a term; give the years.")
        payments = read_value(given, "years", what="interest_only") * self.per_year
        if abs(payments - round(payments)) > 1e-9 or not 0 <= payments < count:
            raise InputError(
                f"interest_only is {given}; it must be a whole number of payments and end before the term; "
                "write years, or '18 months'.",
                at="interest_only",
            )
        if self.at_start:
            raise InputError("Only a loan with a level payment can be paid at the start of each period.")
        return round(payments)

    # Rates and days.

    def _rate(self) -> Rate:
        if self.rate is None:
            return Rate(0.0, self._compounding(None))
        read = read_rate(self.rate, what="rate")
        self.said = read.compounding
        if read.value < 0:
            raise InputError(f"rate is {self.rate}; it must be 0 or more.")
        return Rate(read.value, self._compounding(read.compounding))

    def _compounding(self, said: float | None) -> float:
        given = self.loan.compounding
        if given is None:
            return float(self.per_year) if said is None else said
        own = read_compounding(given)
        if said is not None and said != own:
            raise InputError(
                f"The rate '{self.rate}' says how it compounds, and compounding is {given}; give one of them."
            )
        return own

    def _periodic(self, rate: Rate) -> Callable[[Fraction], Fraction]:
        compounding = rate.compounding
        if compounding == self.per_year or self.loan.interest != "equal periods":
            if compounding != self.per_year:
                raise InputError("Interest by days is simple within a period; leave out the compounding.")
            return partial(_divided, self.per_year)
        return partial(_converted, compounding or 0.0, self.per_year)

    def _calendar(self) -> Calendar | None:
        loan = self.loan
        if loan.start is None and loan.first_payment is None:
            return None
        if self.per_year not in DATED:
            known = ", ".join(map(str, DATED))
            raise InputError(f"A loan with dates has {known} payments a year, not {self.per_year}.")
        if loan.start is None:
            first = read_date(loan.first_payment or "", what="first_payment")
            start = first if self.at_start else Calendar(first, first, 1, self.per_year).regular(0)
            return Calendar(start, first, 1, self.per_year)
        start = read_date(loan.start, what="start")
        regular = Calendar(start, start, 1 if self.at_start else 0, self.per_year)
        first = regular.first if loan.first_payment is None else read_date(loan.first_payment, what="first_payment")
        if first == regular.first:  # counted from the start, so that a 31st returns after February
            return regular
        if self.at_start:
            raise InputError(f"Paid at the start of each period, the first payment is on the first day, {start}.")
        if first <= start:
            raise InputError(f"The first payment on {first} must come after the start on {start}.")
        return Calendar(start, first, 1, self.per_year)

    def _odd(self, calendar: Calendar | None) -> Fraction:
        """Days before (below zero: missing from) the first equal period, over 365."""
        if calendar is None or self.at_start:
            return Fraction(0)
        return Fraction(int((calendar.regular(0) - calendar.start).astype(np.int64)), 365)

    # Amounts, and the unknown.

    def _money(self, given: Amount | None, what: str) -> Any:
        if given is None:
            return None
        value = read_amount(given, what=what)
        if value < 0 or (value == 0 and what in ("amount", "payment")):
            raise InputError(f"{what} is {given}; it must be above zero.", at=what)
        return units_of(value, self.style, self.loan.rounding, what)

    def _fee(self, given: Amount | None, lent: float, what: str) -> float:
        if given is None:
            return 0.0
        if isinstance(given, str) and given.strip().endswith("%"):
            if what == "fee_each":
                raise InputError(f"{what} is {given}; write an amount.", at=what)
            share = read_value(given, "share", what=what)
            if not 0 <= share < 1:
                raise InputError(f"{what} is {given}; a fee must be 0 or more, and less than the loan.", at=what)
            value = float(round(Decimal(repr(share)) * Decimal(repr(lent)), self.style.places))
        else:
            value = read_amount(given, what=what)
        if value < 0 or (what == "fee_up_front" and value >= lent):
            raise InputError(f"{what} is {given}; a fee must be 0 or more, and less than the loan.", at=what)
        units_of(value, self.style, self.loan.rounding, what)
        return value

    def _solved(self, agreed: Agreement, rate: Rate) -> tuple[Agreement, Rate, float]:
        """The agreement with the missing one of amount, rate and payment worked out (the term shows itself)."""
        loan, unit = self.loan, 1 if self.loan.rounding is None else 10**self.style.places
        if self.amount is None:
            balance = largest_amount(agreed)
            lent = balance / unit
            part = self._share_added()
            lent = lent / (1 + part) if part else lent - self._fee(loan.fee_added, lent, "fee_added")
            if loan.rounding is not None:
                lent = int(lent * unit + 1e-6) / unit
        else:
            lent = read_amount(self.amount, what="amount")
            self._money(self.amount, "amount")
        owed = lent + self._fee(loan.fee_added, lent, "fee_added")
        balance = owed if loan.rounding is None else round(owed * unit)
        agreed = replace(agreed, amount=balance)
        if agreed.residual >= balance and agreed.residual:
            raise InputError(
                f"residual is {loan.residual}; it must be less than the loan of {lent:,.2f}.", at="residual"
            )
        if self.rate is None:
            found = rate_that_fits(agreed, self.style)
            rate = Rate(found, rate.compounding)
            agreed = replace(agreed, rate=exact_rate(found))
        if self.amount is not None and self.rate is not None and agreed.payment is not None and agreed.count:
            self._refuse_contradiction(agreed)
        if self.fortnightly:
            monthly = level_payment_units(balance, agreed.rate / 12, agreed.count or 1, loan.rounding)
            half = monthly / 2 if loan.rounding is None else (int(monthly) + 1) // 2
            agreed = replace(agreed, payment=half, count=None)
        return agreed, rate, lent

    def _share_added(self) -> float:
        given = self.loan.fee_added
        in_percent = isinstance(given, str) and given.strip().endswith("%")
        return read_value(given, "share", what="fee_added") if in_percent and given is not None else 0.0

    def _refuse_contradiction(self, agreed: Agreement) -> None:
        """Amount, rate, term and payment all given: the last payment may differ by some cents, no more."""
        # By the loan's own interest; a payment worked out for equal periods serves for interest by days too.
        if agreed.shares is not None and fits(replace(agreed, shares=None), self.before):
            return
        if fits(agreed, self.before):
            return
        count = agreed.count or 1
        fitting = level_of(agreed)
        gap = fitting - (agreed.payment or 0)
        shown = [self.style.with_unit(float(value) / 10**self.style.places, "money") for value in (fitting, abs(gap))]
        raise InputError(
            f"Amount, rate, term and payment contradict each other: over {count} payments the payment is {shown[0]}, "
            f"{shown[1]} {'more' if gap > 0 else 'less'} than given; leave one of the four out."
        )


def _divided(per_year: int, yearly: Fraction) -> Fraction:
    return yearly / per_year


def _converted(compounding: float, per_year: int, yearly: Fraction) -> Fraction:
    """The rate of a payment period of one that compounds otherwise, to fifty digits."""
    with localcontext() as context:
        context.prec = 60
        if yearly > _MOST_RATE:
            raise InputError(f"rate is {float(yearly):.0%}; a loan that compounds in its own way has 10,000% at most.")
        j = Decimal(yearly.numerator) / Decimal(yearly.denominator)
        if compounding == float("inf"):
            growth = (j / per_year).exp()
        elif compounding == 0:
            growth = ((1 + j).ln() / per_year).exp()
        else:
            m = Decimal(repr(compounding))
            growth = ((1 + j / m).ln() * m / per_year).exp()
        return Fraction((growth - 1).quantize(Decimal("1e-50")))


def _share(calendar: Calendar, day_count: str, number: int) -> Fraction:
    """The part of a year that a period is."""
    return share_between(calendar.due(number - 1), calendar.due(number), day_count)
