"""A loan to the cent, and what can be asked of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from pennyweight.instruments.loans.asked import what_if
from pennyweight.instruments.loans.asked.loan_study import LoanStudy
from pennyweight.instruments.loans.asked.loan_values import loan_values
from pennyweight.instruments.loans.asked.what_if import Extra, Offer, Refinancing
from pennyweight.instruments.loans.books.booked_loan import BookedLoan
from pennyweight.quantities.as_written import Amount, Day, Span

__all__ = ["Loan"]


class Loan(BookedLoan):
    """A loan and everything that happens to it. Of amount, rate, term and payment leave one out: it is worked out.

    Parameters
    ----------
    amount
        What is lent.
    rate
        Yearly, quoted, compounding as often as is paid unless it says otherwise ("4.2% half-yearly").
    years, months
        The term.
    payment
        The level payment.
    per_year
        Payments a year, 1 to 52, or a word.
    compounding
        How often the rate compounds, when otherwise.
    paid
        At the "end" or "start" of each period.
    repaid
        "level payment", "constant principal", "interest only" (all at the end) or "half every two weeks" (half the
        monthly payment).
    interest_only
        Years, or "18 months", in which only interest is paid.
    amortized_over
        The years over which the payment is worked out, when the loan falls due before.
    residual
        What the payments leave, due with the last.
    start
        The day of drawdown.
    first_payment
        The first due day; days before its period begins count over 365.
    interest
        "equal periods", or a day count: "actual/365", "actual/360", "30/360".
    fee_up_front, fee_added
        An amount or a share of the loan.
    fee_each
        An amount with each payment.
    rounding
        "half up", "half even", "payment up" (interest half up), or None for textbooks.
    events, extras, holidays
        What happens.
    rate_moves, extra_moves, holiday_moves
        Whether a rate step, an extra payment or a payment holiday changes the "payment" or the "term".
    balance_moves
        What a stated balance changes: the "last payment", which clears what is left, the "payment", worked out anew,
        or the "term".
    payments_before
        How many payments were made before, when this is the rest of a loan: a given payment was rounded over them too,
        so the last one may differ that much more.
    currency
        Three letters, which set the smallest unit.
    locale
        How figures are shown.
    title
        What the page is called.
    as_of
        The day the key facts are told for; left out: the last of which it is known what was paid, or the start.

    Notes
    -----
    The terms left out are filled in: `payment` is always the level (or first) payment, `amount` and `rate` likewise.

    Examples
    --------
    >>> Loan(100_000, "6%", years=30).payment
    599.55
    >>> Loan(rate="6%", years=30, payment=599.55).amount
    99999.91
    """

    def extras_table(self, amounts: Sequence[Amount]) -> tuple[Extra, ...]:
        """What each extra amount, with every payment from the next one on, saves against the loan as it is.

        Parameters
        ----------
        amounts : Sequence[Amount]
            In the currency; InputError for one that is not above zero.

        Returns
        -------
        tuple[Extra, ...]
            What each extra amount, with every payment from the next one on, saves against the loan as it is.

        Examples
        --------
        >>> [(row.payments_saved, row.interest_saved) for row in Loan(100_000, "6%", years=30).extras_table([100])]
        [(108, 39900.41)]
        """
        return what_if.extras_table(self, amounts)

    def extra_needed(self, paid_off_by: Day | int) -> Extra:
        """The smallest extra amount, with every payment from the next one on, that pays the loan off by a day.

        Parameters
        ----------
        paid_off_by : Day | int
            A day, or the number of the last payment.

        Returns
        -------
        Extra
            See `Extra` for what it holds.

        Notes
        -----
        NoAnswer when the loan is paid off by then anyway

        Examples
        --------
        >>> Loan(100_000, "6%", years=30).extra_needed(180).extra
        244.31
        """
        return what_if.extra_needed(self, paid_off_by)

    def offers(self, others: Mapping[str, BookedLoan]) -> tuple[Offer, ...]:
        """Key figures of this loan and of others by name, as agreed.

        Parameters
        ----------
        others : Mapping[str, BookedLoan]
            Loans, or offers, by name.

        Returns
        -------
        tuple[Offer, ...]
            Key figures of this loan and of others by name, as agreed.

        Raises
        ------
        InputError
            When one of `others` is no Loan, is in another currency, or has the name of this loan.

        Examples
        --------
        >>> rows = Loan(1_000, "6%", years=1, title="bank").offers({"agency": Loan(1_000, "5%", years=2)})
        >>> [(offer.name, offer.total_paid) for offer in rows]
        [('bank', 1032.8), ('agency', 1052.9)]
        """
        return what_if.offers(self, others)

    def refinancing(
        self, *, on: Day | int, costs: Amount = 0.0, horizon: Span | None = None, **terms: Any
    ) -> Refinancing:
        """What it brings to replace the loan, after the payment due on a day (or after payment `on`), by another.

        Parameters
        ----------
        costs : Amount, default 0.0
            Everything paid for the change that day.
        horizon : Span | None, optional
            Years after the change at which both are compared; left out: to the end of the longer one.
        terms
            Rate, years and the rest of the new loan (see Loan); its amount is the balance unless given.
        on : Day | int
            The day of the change, or the number of the last payment before it.

        Returns
        -------
        Refinancing
            See `Refinancing` for what it holds.

        Raises
        ------
        InputError
            When `on` is not between the first and the last payment.

        Notes
        -----
        It pays from the first payment after which what was paid since and what is still owed together are less than
        with the old loan.

        Examples
        --------
        >>> found = Loan(100_000, "6%", years=30).refinancing(on=60, rate="4.5%", years=25, costs=2_000)
        >>> found.pays_after, found.gain
        (18, 22698.44)
        """
        return what_if.refinancing(self, on=on, costs=costs, horizon=horizon, terms=terms)

    def working(self) -> LoanStudy:
        """The loan with its working: how each payment came to be, the first ones step by step.

        Returns
        -------
        LoanStudy
            See `LoanStudy` for what it holds.

        Examples
        --------
        >>> shown = Loan(100_000, "6%", years=30).working().as_dict()["working"]
        >>> round(shown["payments"][0]["not_rounded"], 4)
        599.5505
        """
        return LoanStudy(self, working=True)

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON.

        Returns
        -------
        dict[str, Any]
            Plain values for JSON.

        Examples
        --------
        >>> sorted(Loan(1_000, "6%", years=1).as_dict())[:3]
        ['amount', 'apr', 'apr_eu']
        """
        return loan_values(self)
