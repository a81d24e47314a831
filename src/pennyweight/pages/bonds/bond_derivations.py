"""Where each figure of a bond comes from."""

from __future__ import annotations

from math import floor

import numpy as np

from pennyweight.core.daycount import year_fraction
from pennyweight.documents.derivation import Derivation, digits
from pennyweight.instruments.bonds.bond_report import BondReport
from pennyweight.pages.rates.rate_derivations import effective_derivation
from pennyweight.quantities.rates import KnownRate

__all__ = ["BondDerivations"]

_MOST_TERMS = 16
_STEP = 0.0001


class BondDerivations:
    """The derivations of a bond's figures on one day, and of its payments."""

    def __init__(self, report: BondReport) -> None:
        self.report, self.bond, self.left = report, report.bond, report.payments
        self.m = report.bond.compounding
        self.i = report.rate / self.m
        self.worths = (self.left.coupons + self.left.redemption) * report.factors

    def money(self, value: float, places: int = 4) -> str:
        return self.report.style.show(value, "money", places=places)

    def put(self, value: float) -> str:
        """A price or a worth as it is put into a formula."""
        return f"{value:,.8f}".rstrip("0").rstrip(".")

    def rate(self, value: float) -> str:
        return self.report.style.show(value, "rate", places=4)

    def clean(self) -> Derivation:
        """The price without accrued interest."""
        report = self.report
        told = f"{self.put(report.dirty)} - {self.put(report.accrued)}"
        how = "dirty price - accrued interest"
        return Derivation(self.money(report.clean), how, told, {"Dirty price": self.dirty()})

    def macaulay(self) -> Derivation:
        """The duration by which the payments are weighted."""
        report = self.report
        told = f"{self.put(report.modified_duration)} × (1 + {digits(self.i)})"
        how, parts = "modified duration × (1 + i), i the yield of a period", {"Modified duration": self.modified()}
        return Derivation(self.years(report.macaulay_duration), how, told, parts)

    def current_yield(self) -> Derivation:
        """A year's coupons over the price."""
        clean = self.report.clean
        told = f"{digits(self.bond.yearly_coupon)} / {self.put(clean)}"
        return Derivation(self.rate(self.bond.current_yield(clean)), "coupons of a year / clean price", told)

    def worth_of(self, what: str) -> Derivation:
        """The worth of the "coupons", or of the "face"."""
        part = self.left.coupons if what == "coupons" else self.left.redemption
        worths = (part * self.report.factors)[part != 0]
        return Derivation(self.money(float(worths.sum())), f"{what} × factors, added up", self.added(worths))

    def years(self, value: float) -> str:
        return self.report.style.show(value, "years", places=4)

    def added(self, worths: np.ndarray[tuple[int], np.dtype[np.float64]]) -> str:
        return " + ".join(map(self.put, worths.tolist())) if worths.size <= _MOST_TERMS else ""

    def yielded(self) -> Derivation:
        report = self.report
        effective = report.style.show((1 + self.i) ** self.m - 1, "rate")
        parts = {"Effective": effective_derivation(effective, report.rate, self.m if self.m > 1 else None)}
        for beside in (report.rate - _STEP, report.rate, report.rate + _STEP):
            if beside > (0 if self.bond.perpetual else -self.m):
                worth = self.bond.dirty(KnownRate(beside), report.settlement, first=report.first)
                parts[f"Worth of the payments at {self.rate(beside)}"] = Derivation(
                    self.money(worth), "by the dirty price's formula"
                )
        how = "given, or the yearly yield at which the payments to come are worth the dirty price"
        return Derivation(self.rate(report.rate), how, "", parts)

    def accrued(self) -> Derivation:
        value, rate = self.report.accrued, self.bond.yearly_coupon / 100
        if not value:
            return Derivation(self.money(value), "no interest has run since the last coupon")
        told = f"100 × {digits(rate)} × {digits(value / 100 / rate)}"
        how = f"100 × coupon rate × years since the last coupon by {self.bond.day_count}"
        return Derivation(self.money(value), how, told)

    def dirty(self) -> Derivation:
        value, formula = self.money(self.report.dirty), self.report.price_formula
        if self.bond.perpetual:
            level, wait, i = self.bond.yearly_coupon / self.bond.often, self.left.wait, digits(self.i)
            told = f"{digits(level)} × (1 + {i})^{digits(1 - wait)} / {i}"
            first = float(self.left.coupons[0])
            if abs(first - level) > 1e-12:
                told += f" + ({digits(first)} - {digits(level)}) × (1 + {i})^-{digits(wait)}"
            return Derivation(value, formula, told)
        return Derivation(value, f"{formula}; the table has them all", self.added(self.worths))

    def modified(self) -> Derivation:
        """By the weighted time to the payments, where every period compounds."""
        report, value = self.report, self.report.modified_duration
        shown = self.years(value)
        if self.bond.perpetual:
            told = f"(1 / {digits(self.i)} - {digits(1 - self.left.wait)} / (1 + {digits(self.i)})) / {self.m}"
            plain = (1 / self.i - (1 - self.left.wait) / (1 + self.i)) / self.m
            how = "(1 / i - (1 - w) / (1 + i)) / periods a year"
            return Derivation(shown, how, told if abs(plain / value - 1) < 1e-9 else "")
        weighted = float((self.worths * self.left.times).sum())
        plain = weighted / (self.m * (1 + self.i) * report.dirty)
        parts = {"Sum of t × present value": self._sum(weighted, "t")}
        if abs(plain / value - 1) > 1e-9:
            return Derivation(
                shown, "the fall of the dirty price as the yield rises, per unit of yield, over the price"
            )
        told = f"{self.put(weighted)} / ({self.m} × (1 + {digits(self.i)}) × {self.put(report.dirty)})"
        how = "sum of t × present value / (periods a year × (1 + i) × dirty price)"
        return Derivation(shown, how, told, parts)

    def convexity(self) -> Derivation:
        report, value = self.report, self.report.convexity
        shown, i, m = report.style.show(value, "number", places=4), self.i, self.m
        if self.bond.perpetual:
            first = (1 - self.left.wait) / (1 + i) - 1 / i
            plain = (first**2 - (1 - self.left.wait) / (1 + i) ** 2 + 1 / i**2) / m**2
            w, each = digits(1 - self.left.wait), digits(i)
            told = f"(({w} / (1 + {each}) - 1 / {each})^2 - {w} / (1 + {each})^2 + 1 / {each}^2) / {m}^2"
            how = "(((1 - w) / (1 + i) - 1 / i)^2 - (1 - w) / (1 + i)^2 + 1 / i^2) / periods a year^2"
            return Derivation(shown, how, told if abs(plain / value - 1) < 1e-9 else "")
        weighted = float((self.worths * self.left.times * (self.left.times + 1)).sum())
        plain = weighted / (m**2 * (1 + i) ** 2 * report.dirty)
        if abs(plain / value - 1) > 1e-9:
            return Derivation(shown, "how fast the fall of the price slows as the yield rises, over the price")
        told = f"{self.put(weighted)} / ({m}^2 × (1 + {digits(i)})^2 × {self.put(report.dirty)})"
        how = "sum of t × (t + 1) × present value / (periods a year^2 × (1 + i)^2 × dirty price)"
        return Derivation(shown, how, told, {"Sum of t × (t + 1) × present value": self._sum(weighted, "t (t + 1)")})

    def _sum(self, value: float, by: str) -> Derivation:
        times = self.left.times
        weights = times if by == "t" else times * (times + 1)
        told = " + ".join(
            f"{digits(w)} × {self.put(one)}" for w, one in zip(weights.tolist(), self.worths.tolist(), strict=True)
        )
        return Derivation(
            self.money(value), "t periods from settlement to each payment", told if times.size <= _MOST_TERMS else ""
        )

    def discount_rate(self) -> Derivation:
        """What is taken off the redemption, a year."""
        value = self.bond.discount_rate(self.report.clean, self.report.settlement)
        return self._bill(value, self.bond.redemption, "redemption", "actual/360")

    def simple_yield(self) -> Derivation:
        """What is gained on the price, a year."""
        value = self.bond.simple_yield(self.report.clean, self.report.settlement)
        return self._bill(value, self.report.clean, "price", "actual/365")

    def _bill(self, value: float, base: float, of: str, count: str) -> Derivation:
        time = digits(float(year_fraction(self.report.settlement, self.left.dates[-1], count)))
        told = f"({self.put(self.bond.redemption)} - {self.put(self.report.clean)}) / {self.put(base)} / {time}"
        return Derivation(self.rate(value), f"(redemption - price) / {of} / years to maturity by {count}", told)

    def payment(self, k: int) -> dict[str, Derivation]:
        """The columns of one payment."""
        left, report = self.left, self.report
        coupon, face, factor = float(left.coupons[k]), float(left.redemption[k]), float(report.factors[k])
        rate, often = self.bond.yearly_coupon, self.bond.often or 1
        level = abs(coupon - rate / often) < 1e-12
        found = {}
        if coupon or rate:
            how = (
                "coupon rate × 100 / coupons a year"
                if level
                else "coupon rate × 100 × the longer or shorter period, in years"
            )
            told = f"{digits(rate)} / {often}" if level else f"{digits(rate)} × {digits(coupon / rate)}"
            found["Coupon"] = Derivation(self.money(coupon), how, told)
        if face:
            found["Face"] = Derivation(self.money(face, 2), "repaid, per 100 of face")
        found["Factor"] = self.factor(k)
        found["Present value"] = Derivation(
            self.money((coupon + face) * factor),
            "(coupon + face) × factor",
            f"({self.put(coupon)} + {self.put(face)}) × {digits(factor)}",
        )
        return found

    def factor(self, k: int) -> Derivation:
        t, i = float(self.left.times[k]), digits(self.i)
        shown = f"{float(self.report.factors[k]):.8f}"
        part = (
            float(self.left.times[0]) - floor(float(self.left.times[0]) + 1e-12)
            if self.report.first == "simple"
            else 0.0
        )
        if part > 0:
            told = f"1 / ((1 + {digits(part)} × {i}) × (1 + {i})^{digits(t - part)})"
            return Derivation(
                shown, "1 / ((1 + f i) (1 + i)^(t - f)), t periods from settlement, f the broken part", told
            )
        return Derivation(shown, "(1 + i)^-t, t periods from settlement", f"(1 + {i})^{digits(0.0 - t)}")
