"""Cash flows as they lie in time, and every measure of whether they pay off."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any, Literal

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.core import flows as core
from pennyweight.core import rate_forms as core_rates
from pennyweight.core.daycount import year_fraction
from pennyweight.core.irr import find_rates as core_irr
from pennyweight.core.irr.outcome import ALL_LOST, IrrOutcome
from pennyweight.described import Described
from pennyweight.errors import NoAnswer, SeveralAnswers, choice
from pennyweight.instruments.flows.account import Account
from pennyweight.instruments.flows.flow_files import by_day
from pennyweight.quantities.argument_checks import a_flag
from pennyweight.quantities.dates import Days
from pennyweight.quantities.periods import PER_YEAR
from pennyweight.quantities.rates import KnownRate, read_rate

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["MeasuredFlows", "Outlay"]

Outlay = Literal["all", "first"]


@dataclass(frozen=True, eq=False, repr=False)
class MeasuredFlows(Described):
    """Flows, each at its time, and what they come to; see `CashFlows`, which reads them."""

    amounts: Floats
    period: str = "year"
    dates: Days | None = None
    day_count: str = "actual/365"
    valued_on: np.datetime64 | None = None
    currency: str = ""

    @cached_property
    def times(self) -> Floats:
        """When each flow happens, in years from the first."""
        if self.dates is None:
            return np.arange(self.amounts.size) / PER_YEAR[self.period]
        return year_fraction(self.dates[0], self.dates, self.day_count)

    @cached_property
    def valued_after(self) -> float:
        """The day of valuation, in years from the first flow."""
        if self.dates is None or self.valued_on is None:
            return 0.0
        return float(year_fraction(self.dates[0], self.valued_on, self.day_count))

    def npv(self, rate: str | float) -> float:
        """Worth on the day of valuation (the first date, or period 0, unless told), at a yearly effective rate.

        >>> from pennyweight import CashFlows
        >>> round(CashFlows([-1000, 300, 420, 680]).npv("10%"), 2)
        130.73
        """
        at = self._rate(rate)
        with np.errstate(all="ignore"):
            worth = float(core.npv(self.amounts, at, times=self.times - self.valued_after))
        return self._defined(worth, "The present value is more than a number can hold.")

    def irrs(self) -> list[float]:
        """Every rate above -100 % at which the present value is zero, smallest first; touching ones included.

        >>> from pennyweight import CashFlows
        >>> [round(rate, 9) for rate in CashFlows([-100, 230, -132]).irrs()]
        [0.1, 0.2]
        """
        flows, times = self._for_irr()
        crossing, touching = core_irr.all_rates(flows, times=times)
        return sorted(self._yearly(rate) for rate in (*crossing, *touching))

    def irr(self) -> float:
        """The internal rate of return; of several, the one above zero when the running total crosses zero just once,
        or the only one that is not below -99 %.

        Raises NoAnswer when there is none, or when the present value touches zero without crossing it, and
        SeveralAnswers, which carries all of them.

        >>> from pennyweight import CashFlows
        >>> round(CashFlows([-1000, 300, 420, 680]).irr(), 6)
        0.163406
        """
        flows, times = self._for_irr()
        found = core_irr.irr_outcomes(flows, times=times)
        outcome = IrrOutcome(int(found.outcome))
        if outcome.has_rate:
            return self._yearly(float(found.rate))
        if outcome is IrrOutcome.SEVERAL:
            rates = self.irrs()
            touching = core_irr.all_rates(flows, times=times)[1]
            sound = [rate for rate in rates if rate >= ALL_LOST]
            if len(sound) == 1 and not any(self._yearly(rate) >= ALL_LOST for rate in touching):
                return sound[0]
            shown = ", ".join(f"{rate:.2%}" for rate in rates)
            raise SeveralAnswers(f"Several rates bring the present value to zero: {shown}.", rates)
        raise NoAnswer(self._why_no_irr(outcome))

    def modified_irr(self, *, reinvested_at: str | float, borrowed_at: str | float) -> float:
        """The yearly rate that turns the outflows into the inflows' value at the end.

        Inflows earn `reinvested_at` until the last flow, outflows are discounted at `borrowed_at`.

        >>> from pennyweight import CashFlows
        >>> round(CashFlows([-1000, 300, 420, 680]).modified_irr(reinvested_at="5%", borrowed_at="8%"), 6)
        0.132306
        """
        rate = float(
            core.modified_irr(
                self.amounts,
                reinvested_at=self._rate(reinvested_at),
                borrowed_at=self._rate(borrowed_at),
                times=self.times,
            )
        )
        return KnownRate(self._defined(rate, "A modified IRR needs money out, money in, and time between them."))

    def payback(self, rate: str | float | None = None, *, first: bool = False) -> float:
        """Years until the running total stays at or above zero; with a rate, of the discounted flows.

        A periodic flow comes evenly over its period, a dated one on its day. `first`: the first time the total
        reaches zero, even when it is lost again. Raises NoAnswer when it never does.

        `rate` is yearly and effective.

        >>> from pennyweight import CashFlows
        >>> round(CashFlows([-1000, 300, 420, 680]).payback(), 6)
        2.411765
        """
        at = None if rate is None else self._rate(rate)
        spread, once = self.dates is None, a_flag(first, what="first")
        with np.errstate(all="ignore"):
            when = float(core.payback(self.amounts, rate=at, times=self.times, spread=spread, first=once))
            total = float(core.npv(self.amounts, at or 0.0, times=self.times))
        return self._defined(when, f"Never paid back: the running total ends at {total:,.2f}.")

    def roi(self, *, on: Outlay = "all") -> float:
        """Gain over outlay, undiscounted, over the whole span: on all money out, or on the first outlay.

        `on` is "all" or "first".

        >>> from pennyweight import CashFlows
        >>> round(CashFlows([-1000, 300, 420, 680]).roi(), 9)
        0.4
        """
        return self._defined(float(core.roi(self.amounts, on=choice(on, core.OUTLAYS, "on"))), _NO_OUTLAY[on])

    def profitability_index(self, rate: str | float, *, on: Outlay = "all") -> float:
        """Present value in over present value out; `on="first"`: of all later flows over the first outlay.

        `rate` is yearly and effective.

        >>> from pennyweight import CashFlows
        >>> round(CashFlows([-1000, 300, 420, 680]).profitability_index("10%"), 6)
        1.130729
        """
        choice(on, core.OUTLAYS, "on")
        with np.errstate(all="ignore"):
            value = core.profitability_index(self.amounts, self._rate(rate), times=self.times, on=on)
        return self._defined(float(value), _NO_OUTLAY[on])

    def equivalent_annual(self, rate: str | float) -> float:
        """The level amount at the end of each year of the span that is worth the same.

        `rate` is yearly and effective. NPV * rate / (1 - (1 + rate) ** -years).

        >>> from pennyweight import CashFlows
        >>> round(CashFlows([-1000, 300, 420, 680]).equivalent_annual("10%"), 2)
        52.57
        """
        with np.errstate(all="ignore"):
            value = core.equivalent_annual(self.amounts, self._rate(rate), times=self.times)
        return self._defined(float(value), "All flows fall on one day, so there is no year to spread them over.")

    def discount_factors(self, rate: str | float) -> Floats:
        """One factor a flow.

        `rate` is yearly and effective: (1 + rate) ** -years, (flows,).

        >>> from pennyweight import CashFlows
        >>> CashFlows([-1000, 300, 420]).discount_factors("10%").round(6).tolist()
        [1.0, 0.909091, 0.826446]
        """
        with np.errstate(all="ignore"):
            found = core.discount_factors(self._rate(rate), self.times - self.valued_after)
        if not np.isfinite(found).all():
            raise NoAnswer("The discount factors are more than a number can hold.")
        return found

    def account(self, rate: str | float) -> Account:
        """What a bank account would have made of it: the same deposits, and what came in put there too.

        Parameters
        ----------
        rate : str | float
            The yearly effective rate the account pays.

        Examples
        --------
        >>> from pennyweight import CashFlows
        >>> account = CashFlows([-1000, 0, 1210]).account("5%")
        >>> round(account.deposits, 2), round(account.ahead, 2)
        (1102.5, 107.5)
        """
        at = self._rate(rate)
        with np.errstate(all="ignore"):
            grown = self.amounts * core.discount_factors(at, self.times - self.times[-1])
        if not np.isfinite(grown).all():
            raise NoAnswer("The account would hold more than a number can.")
        return Account(at, float(-grown[grown < 0].sum()), float(grown[grown > 0].sum()))

    @property
    def money_in(self) -> float:
        """All money in."""
        return float(self.amounts[self.amounts > 0].sum())

    @property
    def money_out(self) -> float:
        """All money out, as a positive amount."""
        return float(-self.amounts[self.amounts < 0].sum())

    @property
    def frame(self) -> pd.DataFrame:
        """One row a flow: time in years, amount, running total; the index is the period or the date."""
        import pandas as pd

        index: Any = range(self.amounts.size) if self.dates is None else self.dates
        frame = pd.DataFrame(
            {"years": self.times, "amount": self.amounts, "running": np.cumsum(self.amounts)}, index=index
        )
        frame.index.name = "period" if self.dates is None else "date"
        return frame

    def _for_irr(self) -> tuple[Floats, Floats | None]:
        """Periodic flows are solved per period, which is exact and quicker."""
        return (self.amounts, None) if self.dates is None else by_day(self.amounts, self.times)

    def _yearly(self, rate: float) -> KnownRate:
        if self.dates is not None or self.period == "year":
            return KnownRate(rate)
        per_year = PER_YEAR[self.period]
        with np.errstate(over="ignore"):
            yearly = float(core_rates.effective_rate(rate * per_year, per_year))
        if not np.isfinite(yearly):
            raise NoAnswer(
                f"The rate is {rate:.4g} a {self.period}, which comes to more in a year than a number can hold."
            )
        return KnownRate(yearly)

    def _why_no_irr(self, outcome: IrrOutcome) -> str:
        if outcome is IrrOutcome.TOUCHES:
            at = ", ".join(f"{rate:.2%}" for rate in self.irrs())
            return f"The present value touches zero at {at} without crossing it, so it is no rate of return."
        if outcome is IrrOutcome.EDGE:
            return "All is lost or gained at once: the return lies at -100% or beyond every number."
        if not self.money_out:
            return "No money goes out, so there is nothing to earn a return on."
        if not self.money_in:
            return "No money comes in."
        return "No rate brings the present value to zero."

    def _rate(self, rate: object) -> float:
        return read_rate(rate).effective()

    def _defined(self, value: float, otherwise: str) -> float:
        if not np.isfinite(value):
            raise NoAnswer(otherwise)
        return value


_NO_OUTLAY = {
    "all": "No money goes out, so there is nothing to measure a return on.",
    "first": "The first flow is no outlay; measure on all outlays instead.",
}
