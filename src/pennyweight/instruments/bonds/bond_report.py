"""A bond on one day: all figures, the payments to come, and what each is worth."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any, ClassVar

import numpy as np

from pennyweight.core.bonds import factors
from pennyweight.documents import Block, Cell, Checks, Column, Document, FigureLine, Figures, Table, Text
from pennyweight.documents.derivation import Whys
from pennyweight.documents.shown import Shown
from pennyweight.quantities.periods import word_for
from pennyweight.quantities.rates import KnownRate
from pennyweight.quantities.units import Style

if TYPE_CHECKING:
    import pandas as pd

    from pennyweight.instruments.bonds.bond import Bond, First
    from pennyweight.instruments.bonds.coupon_days import Coupons

__all__ = ["BondReport"]


@dataclass(frozen=True, eq=False, repr=False)
class BondReport(Shown):
    """The figures of a bond on a settlement day, per 100 of face.

    >>> from pennyweight import Bond
    >>> report = Bond("4%", "2031-06-15").report("2026-11-23", price=97.25)
    >>> round(report.modified_duration, 4)
    4.039
    """

    bond: Bond
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
    def of(cls, bond: Bond, day: np.datetime64, rate: float, first: First, currency: str) -> BondReport:
        """Work out every figure at a yield.

        `day` is the settlement, `rate` the yield; `first` and `currency` as in `Bond.report`.

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

    PAYMENTS: ClassVar[str] = "Payments to come, per 100 of face"

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
        """Plain values for JSON, per 100 of face."""
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
            "numbers": self._numbers(),
            "payments": [
                {"date": str(day), "coupon": float(coupon), "face": float(face), "factor": float(factor)}
                for day, coupon, face, factor in zip(
                    left.dates, left.coupons, left.redemption, self.factors, strict=True
                )
            ],
        }

    def _whys(self) -> Whys:
        from pennyweight.pages.bonds.bond_whys import bond_whys

        return bond_whys(self)

    def document(self) -> Document:
        """Figures, payments with their worth, and the check that they add up."""
        bond, style, left = self.bond, self.style, self.payments
        effective = (1 + self.rate / bond.compounding) ** bond.compounding - 1
        coupons = float((left.coupons * self.factors).sum())
        face = float((left.redemption * self.factors).sum())

        def money(value: float) -> str:
            return style.show(value, "money", places=4)

        quoted = f"a year, {word_for(bond.compounding)} ({style.show(effective, 'rate')} effective)"
        lines = [
            FigureLine("Yield", Cell(style.show(self.rate, "rate", places=4), "question"), quoted),
            FigureLine("Clean price", Cell(money(self.clean), "question"), "per 100 of face"),
            FigureLine("Accrued interest", Cell(money(self.accrued)), f"by {bond.day_count}" if self.accrued else ""),
            FigureLine("Dirty price", Cell(money(self.dirty)), "what is paid"),
            FigureLine("Macaulay duration", Cell(style.show(self.macaulay_duration, "years", places=4)), "years"),
            FigureLine(
                "Modified duration",
                Cell(style.show(self.modified_duration, "years", places=4)),
                "if the yield rises by 1%, the price falls by about this many percent",
            ),
            FigureLine("Convexity", Cell(style.show(self.convexity, "number", places=4)), "years squared"),
        ]
        if bond.current_yield(self.clean):
            lines.append(
                FigureLine(
                    "Current yield",
                    Cell(style.show(bond.current_yield(self.clean), "rate", places=4)),
                    "coupons of a year over the clean price",
                )
            )
        if not bond.current_yield(self.clean):
            discount, simple = (
                bond.discount_rate(self.clean, self.settlement),
                bond.simple_yield(self.clean, self.settlement),
            )
            lines.append(
                FigureLine("Discount rate", Cell(style.show(discount, "rate", places=4)), "a year, by actual/360")
            )
            lines.append(
                FigureLine("Simple yield", Cell(style.show(simple, "rate", places=4)), "a year, by actual/365")
            )
        elif not bond.perpetual:
            lines.append(FigureLine("Worth of the coupons", Cell(money(coupons)), "in the dirty price"))
            lines.append(FigureLine("Worth of the face", Cell(money(face)), "in the dirty price"))
        formula, numbers = self.formula, self._numbers()
        blocks: list[Block] = [
            Figures(f"On {self.settlement}", tuple(lines)),
            Text(f"Formula: {formula}."),
            Text(f"Numbers in: {numbers}, which gives {money(self.dirty)}."),
            self._table(style),
        ]
        if not bond.perpetual:
            gap = abs(coupons + face - self.dirty)
            blocks.append(
                Checks(((bool(gap <= 1e-9 * self.dirty), "The payments' present values add up to the dirty price."),))
            )
        how = (
            "simple interest in the broken period"
            if self.first == "simple"
            else "compound in every period, the broken one included"
        )
        return Document(f"A bond of {bond.coupon}, {self._until()}", tuple(blocks), f"Discounting: {how}.")

    @property
    def formula(self) -> str:
        """The dirty price's formula in symbols."""
        if self.bond.perpetual:
            odd = " + (first coupon - coupon) × (1 + i)^-w" if self._odd_first else ""
            return f"dirty = coupon × (1 + i)^(1 - w) / i{odd}"
        if self.first == "simple":
            return "dirty = sum of payment / ((1 + f i) (1 + i)^(t - f)), f the broken part of the next t"
        return "dirty = sum of payment / (1 + i)^t, t periods from settlement, w for the next"

    @property
    def _odd_first(self) -> bool:
        """Whether the next coupon of a perpetual bond is not like the others."""
        return self.bond.perpetual and abs(float(self.payments.coupons[0] - self.payments.coupons[-1])) > 1e-12

    def _numbers(self) -> str:
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

    def _until(self) -> str:
        return "perpetual" if self.bond.perpetual else f"due {self.bond.maturity}"

    def _table(self, style: Style) -> Table:
        columns = (
            Column("Date", words=True),
            Column("Coupon"),
            Column("Face"),
            Column("Factor"),
            Column("Present value"),
        )
        left = self.payments
        rows = [
            (
                Cell(str(day)),
                Cell(style.show(float(coupon), "money", places=4), "in"),
                Cell(style.show(float(face), "money", places=2), "in") if face else Cell("-", "comparison"),
                Cell(f"{factor:.8f}", "comparison"),
                Cell(style.show(float((coupon + face) * factor), "money", places=4), "in"),
            )
            for day, coupon, face, factor in zip(left.dates, left.coupons, left.redemption, self.factors, strict=True)
        ]
        if len(rows) > 16:
            rows = [*rows[:7], (Cell("…", "comparison"),) * 5, *rows[-7:]]
        note = "The next ten of payments without end." if self.bond.perpetual else ""
        return Table(self.PAYMENTS, columns, tuple(rows), note)
