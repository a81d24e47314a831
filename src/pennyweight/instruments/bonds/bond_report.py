"""A bond on one day: all figures, the payments to come, and what each is worth."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np

from pennyweight.core.bonds import factors
from pennyweight.documents.shown import Shown
from pennyweight.instruments.bonds.coupon_days import Coupons
from pennyweight.instruments.bonds.priced_bond import First, PricedBond
from pennyweight.quantities.rates import KnownRate
from pennyweight.quantities.units import Style

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["BondReport"]


@dataclass(frozen=True, eq=False, repr=False)
class BondReport(Shown):
    """The figures of a bond on a settlement day, per 100 of face.

    Examples
    --------
    >>> from pennyweight import Bond
    >>> report = Bond("4%", "2031-06-15").report("2026-11-23", price=97.25)
    >>> round(report.modified_duration, 4)
    4.039
    """

    bond: PricedBond
    settlement: np.datetime64
    rate: float
    first: First
    currency: str
    clean: float
    accrued: float
    macaulay_duration: float
    modified_duration: float
    convexity: float

    @classmethod
    def of(cls, bond: PricedBond, day: np.datetime64, rate: float, first: First, currency: str) -> BondReport:
        """Work out every figure at a yield.

        Parameters
        ----------
        day : day
            The settlement.
        rate : float
            The yield.
        first, currency
            As in `Bond.report`.
        bond : PricedBond
            The bond.

        Returns
        -------
        BondReport
            See `BondReport` for what it holds.

        Examples
        --------
        >>> from pennyweight import Bond
        >>> bond, day = Bond("4%", "2031-06-15"), np.datetime64("2026-12-15")
        >>> round(BondReport.of(bond, day, 0.04, "compound", "EUR").clean, 9)
        100.0
        """
        accrued = bond.accrued(day)
        known = KnownRate(rate)
        return cls(
            bond,
            day,
            rate,
            first,
            currency,
            bond.dirty(known, day, first=first) - accrued,
            accrued,
            bond.macaulay_duration(known, day, first=first),
            bond.modified_duration(known, day, first=first),
            bond.convexity(known, day, first=first),
        )

    @property
    def style(self) -> Style:
        """How amounts are shown."""
        return Style(self.currency)

    @property
    def dirty(self) -> float:
        """Clean price and accrued interest: what is paid."""
        return self.clean + self.accrued

    @cached_property
    def payments(self) -> Coupons:
        """What is to come."""
        return self.bond.coupons(self.settlement)

    @cached_property
    def factors(self) -> np.ndarray[tuple[int], np.dtype[np.float64]]:
        """The discount factor of each payment."""
        i = self.rate / self.bond.compounding
        return factors(self.payments.times, i, self.first == "simple")[0]

    @property
    def frame(self) -> pd.DataFrame:
        """One row a payment: coupon, face, factor, present value; the index is the date."""
        import pandas as pd

        left = self.payments
        table = {"coupon": left.coupons, "face": left.redemption, "factor": self.factors}
        frame = pd.DataFrame(table, index=pd.Index(left.dates, name="date"))
        frame["present_value"] = (frame["coupon"] + frame["face"]) * frame["factor"]
        return frame

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON, per 100 of face.

        Returns
        -------
        dict[str, Any]
            Plain values for JSON, per 100 of face.
        """
        left = self.payments
        return {
            "format": 1,
            "settlement": str(self.settlement),
            "clean": self.clean,
            "dirty": self.dirty,
            "accrued": self.accrued,
            "yield": self.rate,
            "compounding": self.bond.compounding,
            "current_yield": self.bond.current_yield(self.clean),
            "macaulay_duration": self.macaulay_duration,
            "modified_duration": self.modified_duration,
            "convexity": self.convexity,
            "coupons_worth": float((left.coupons * self.factors).sum()),
            "face_worth": float((left.redemption * self.factors).sum()),
            "formula": self.formula,
            "numbers": self.numbers,
            "payments": [
                {"date": str(day), "coupon": float(coupon), "face": float(face), "factor": float(factor)}
                for day, coupon, face, factor in zip(
                    left.dates, left.coupons, left.redemption, self.factors, strict=True
                )
            ],
        }

    @property
    def formula(self) -> str:
        """The dirty price's formula in symbols."""
        return f"dirty = {self.price_formula}"

    @property
    def price_formula(self) -> str:
        """What the dirty price is, in symbols."""
        if self.bond.perpetual:
            odd = " + (first coupon - coupon) × (1 + i)^-w" if self._odd_first else ""
            return f"coupon × (1 + i)^(1 - w) / i{odd}"
        if self.first == "simple":
            return "sum of payment / ((1 + f i) (1 + i)^(t - f)), f the broken part of the next t"
        return "sum of payment / (1 + i)^t, t periods from settlement, w for the next"

    @property
    def _odd_first(self) -> bool:
        """Whether the next coupon of a perpetual bond is not like the others."""
        return self.bond.perpetual and abs(float(self.payments.coupons[0] - self.payments.coupons[-1])) > 1e-12

    @property
    def numbers(self) -> str:
        """What is put into the formula."""
        i, wait = self.rate / self.bond.compounding, self.payments.wait
        if self.bond.perpetual:
            level = self.payments.coupons[-1]
            told = f"{level:.4f} × {1 + i:.8f}^{1 - wait:.6f} / {i:.8f}"
            if self._odd_first:
                told += f" + ({self.payments.coupons[0]:.6f} - {level:.4f}) × {1 + i:.8f}^-{wait:.6f}"
            return told
        count = self.payments.dates.size
        return f"i = {i:.8f} a period, w = {wait:.6f} periods to the next payment, {count} payments"
