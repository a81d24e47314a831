"""A bond, and its report on any day."""

from __future__ import annotations

from dataclasses import dataclass

from pennyweight.errors import InputError, choice
from pennyweight.instruments.bonds.bond_report import BondReport
from pennyweight.instruments.bonds.priced_bond import FIRSTS, Date, First, PricedBond

__all__ = ["Bond"]


@dataclass(frozen=True, repr=False)
class Bond(PricedBond):
    """A bond with level coupons; all prices are per 100 of face.

    Parameters
    ----------
    coupon
        The yearly coupon as a rate of face ("4%"); 0 for a bill or a zero bond.
    maturity
        The day the face is paid, or "perpetual".
    per_year
        Coupons a year: 0, 1, 2, 4 or 12; left out: 2, or 0 without a coupon. The yield is quoted to compound as often,
        also of a zero bond; once a year with 0.
    day_count
        Of the accrued interest; actual/actual by coupon periods (ICMA) unless said otherwise.
    issued
        The day interest begins; needed for a short or long first period, and for a perpetual bond.
    first_coupon
        The first coupon's day, when it is not the first regular one after `issued`.
    redemption
        What is paid back at maturity.
    last_coupon
        The last coupon's day before maturity, when maturity is not a regular coupon day: the last period is short or
        long then, and coupon days are counted from here.
    end_of_month
        Whether coupons of a bond due on the last day of a month always fall on one (30 June, 31 December); otherwise
        they fall on the same day of the month (30 June, 30 December), or a shorter month's last.

    Notes
    -----
    In its methods `settlement` is the day of payment, `at_yield` the yearly yield ("4.6%"), `price` the clean price
    per 100, `first` how the broken period is discounted ("compound" or "simple"), `day_count` that of a bill's
    discount.

    Raises InputError for dates in the wrong order and terms that cannot be.

    A regular coupon is coupon / per_year of face; that of an irregular period is the part of a year it covers by the
    day count. In a regular period the part gone by and the part to come add up to one; by 30/360 no more accrues than
    the coupon.

    Examples
    --------
    >>> bond = Bond("5%", "2030-01-15", per_year=1)
    >>> round(bond.price("5%", "2026-01-15"), 9)
    100.0
    """

    def report(
        self,
        settlement: Date,
        *,
        at_yield: str | float | None = None,
        price: float | None = None,
        first: First = "compound",
        currency: str = "",
    ) -> BondReport:
        """All figures on a day, from a yield or from a clean price, with the payments to come.

        Parameters
        ----------
        currency : str, default ''
            Shown with amounts.
        settlement : Date
            The day on which it is paid for.
        at_yield : str | float | None, optional
            The yearly yield, quoted at the rhythm of the coupons.
        price : float | None, optional
            The clean price of 100 of face.
        first : First, default 'compound'
            How the time to the next coupon is discounted: "compound" or "simple".

        Returns
        -------
        BondReport
            See `BondReport` for what it holds.

        Raises
        ------
        InputError
            Something given cannot be right; the message names it and says what would be.

        Examples
        --------
        >>> bond = Bond("4%", "2031-06-15")
        >>> round(bond.report("2026-11-23", price=97.25).rate, 6)
        0.04676
        """
        if (at_yield is None) == (price is None):
            raise InputError("Give either a yield or a price; the other is worked out.")
        choice(first, FIRSTS, "first")
        rate = self.yield_at(price, settlement, first=first) if price is not None else self._yield(at_yield)
        return BondReport.of(self, self._day(settlement), rate, first, currency)
