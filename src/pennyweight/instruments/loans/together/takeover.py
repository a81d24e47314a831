"""A loan taken over in the middle: what is left of it, what it was, what is in arrears, what does not fit."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

from pennyweight.instruments.loans.books.facts import facts
from pennyweight.instruments.loans.together.known_loan import KnownLoan

__all__ = ["Takeover"]


@dataclass(frozen=True, kw_only=True, repr=False)
class Takeover(KnownLoan):
    """A level-payment loan taken over on a day: three of balance, rate, payment and what is left of the term suffice.

    Parameters
    ----------
    on
        The day of takeover.
    next_payment
        The next due day; left out, one period after.
    balance
        What is owed that day, arrears included.
    rate
        Yearly, quoted.
    payment
        The level payment.
    maturity
        The day of the last payment; or payments_left, or years_left.
    original_amount, original_years, first_payment
        What is known of the loan as it was made.
    payments_made
        How many payments were due before, where the first one's day is not known.
    per_year
        Payments a year.
    bill
        What the lender bills.
    currency, locale, title, note
        How amounts and page are shown.
    missed_payments
        How many of the last due payments were not made.
    arrears
        Or their amount with interest.

    Notes
    -----
    So does the loan as it was made: original_amount, rate, original_years and first_payment.

    Examples
    --------
    >>> takeover = Takeover(on="2027-01-31", balance=71_266.88, rate="4.2%", payment=644.79, original_years=15)
    >>> str(takeover.remaining.agreed.paid_off_on), round(takeover.original.amount)
    ('2038-09-30', 86000)
    """

    @cached_property
    def contradictions(self) -> tuple[str, ...]:
        """Facts that do not fit together, with by how much."""
        return _contradictions(self)

    @property
    def frame(self) -> Any:
        """The remaining schedule (see `Schedule.frame`)."""
        return self.remaining.frame

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON.

        Returns
        -------
        dict[str, Any]
            Plain values for JSON.
        """
        rest, original = self.remaining, self.original
        plain: dict[str, Any] = {
            **rest.as_dict(),
            "taken_over_on": str(self.calendar.start),
            "balance": round(rest.amount + self.overdue, 9),
            "arrears": self.overdue,
            "interest_to_come": rest.agreed.total_interest,
            "original": None,
            "contradictions": list(self.contradictions),
        } | ({} if self.bill is None else {"bill": self.bill_parts()})
        if original is not None:
            plain["original"] = {
                "amount": original.amount,
                "payments": len(original.agreed.rows),
                "first_payment": str(original.terms.calendar.first) if original.terms.calendar else None,
                "payments_made": self.made,
                "total_interest": original.agreed.total_interest,
            }
        return plain

    def bill_parts(self) -> dict[str, float]:
        """The next bill taken apart; empty without a bill.

        Returns
        -------
        dict[str, float]
            The next bill taken apart; empty without a bill.

        Examples
        --------
        >>> from pennyweight import Bill
        >>> bill = Bill(total=900, taxes=1_200)
        >>> taken = Takeover(on="2027-01-31", balance="71k", rate="4.2%", payment="644", bill=bill)
        >>> taken.bill_parts()["interest"], taken.bill_parts()["unexplained"]
        (248.5, 156.0)
        """
        if self.bill is None:
            return {}
        now = facts(self.remaining.schedule, 0)
        return self.bill.parts(now.next_interest or 0.0, now.next_principal or 0.0, self.remaining.terms.style.places)


def _contradictions(takeover: Takeover) -> tuple[str, ...]:
    """Facts of a takeover that do not fit together, with by how much."""
    rest, found = takeover.remaining, []
    style = rest.terms.style

    def shown(value: float) -> str:
        return style.with_unit(value, "money")

    if takeover.left is not None and len(rest.agreed.rows) != takeover.left:
        fitting = rest.but(payment=None, months=takeover.left * 12 / takeover.calendar.per_year, payments_before=0)
        gap, count = fitting.payment - rest.payment, len(rest.agreed.rows)
        found.append(
            f"The payment of {shown(rest.payment)} pays off {shown(rest.amount)} in {count} payments, "
            f"not {takeover.left}. To end with payment {takeover.left} it would be {shown(fitting.payment)}, "
            f"{shown(abs(gap))} {'more' if gap > 0 else 'less'}."
        )
    original = takeover.original
    if original is not None and takeover.made:
        scheduled = original.agreed.balance_after(takeover.made)
        gap = rest.amount - scheduled
        unit = 10.0**-rest.terms.scale
        if abs(gap) > max(unit * (takeover.made + 1), 2e-5 * rest.amount):
            reason = "; the difference may be arrears" if gap > 0 and not takeover.overdue else ""
            found.append(
                f"After {takeover.made} payments the original loan of {shown(original.amount)} would stand at "
                f"{shown(scheduled)}, and {shown(rest.amount)} is stated: {shown(abs(gap))} "
                f"{'more' if gap > 0 else 'less'}{reason}."
            )
        if takeover.original_years is not None:
            agreed = round(takeover.original_years * takeover.calendar.per_year)
            if abs(len(original.agreed.rows) - agreed) > 0:
                found.append(
                    f"The original loan of {shown(original.amount)} runs over {len(original.agreed.rows)} payments "
                    f"at {shown(rest.payment)}, not the {agreed} of {takeover.original_years:g} years."
                )
    return tuple(found)
