"""Cash flows, periodic or dated, and every measure of whether they pay off."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal, TypeAlias

import numpy as np
from numpy.typing import ArrayLike, NDArray

from pennyweight.core import flows as core
from pennyweight.core import rate_forms as core_rates
from pennyweight.core.daycount import year_fraction
from pennyweight.core.irr import find_rates as core_irr
from pennyweight.core.irr.outcome import IrrOutcome
from pennyweight.described import Described, frozen
from pennyweight.errors import InputError, NoAnswer, SeveralAnswers, choice
from pennyweight.instruments.flows.account import Account
from pennyweight.instruments.flows.flow_files import by_day, read_flows
from pennyweight.instruments.flows.pandas_flows import read_given
from pennyweight.quantities.argument_checks import a_flag, a_path
from pennyweight.quantities.dates import Days, read_date, read_day_count
from pennyweight.quantities.numbers import is_pandas
from pennyweight.quantities.periods import PER_YEAR
from pennyweight.quantities.rates import KnownRate, read_rate
from pennyweight.quantities.units import check_currency
from pennyweight.reading.tables import reading_of

if TYPE_CHECKING:
    import pandas as pd

    from pennyweight.instruments.flows.flows_report import FlowsReport
    from pennyweight.instruments.flows.flows_working import FlowsWorking

__all__ = ["CashFlows"]

Floats: TypeAlias = NDArray[np.float64]
Outlay = Literal["all", "first"]


@dataclass(frozen=True, eq=False, repr=False)
class CashFlows(Described):
    """Flows, money in positive and money out negative, one a period or each on a date.

    Args:
        amounts: the flows: a list, an array, or a Series or table of pandas, whose days or periods are read. Without
            dates the first stands at time 0, the others at the ends of the periods.
        period: how long a period is: "year" (left out), "quarter", "month"…; only without dates.
        dates: one date a flow, in any order, several on a day allowed; they are put in order.
        day_count: how time between dates is counted; only with dates.
        valued_on: the day on which the flows are valued; left out: the first date.
        currency: shown with amounts.

    All rates, given and returned, are yearly and effective. Raises InputError for an empty list, amounts that are
    no numbers, and dates that do not fit the amounts.

    >>> CashFlows([-1000, 300, 420, 680]).irr()  # doctest: +ELLIPSIS
    0.1634...
    """

    amounts: Floats
    period: str = "year"
    dates: Days | None = None
    day_count: str = "actual/365"
    valued_on: np.datetime64 | None = None
    currency: str = ""

    def __init__(
        self,
        amounts: ArrayLike,
        *,
        period: str | None = None,
        dates: Sequence[str | dt.date | np.datetime64] | Days | None = None,
        day_count: str = "actual/365",
        valued_on: str | dt.date | np.datetime64 | None = None,
        currency: str = "",
    ) -> None:
        check_currency(currency)
        flows, days, period = read_given(amounts, dates, period)
        count = read_day_count(day_count)
        valued = None if valued_on is None else read_date(valued_on, what="valued_on")
        if days is None and (valued is not None or count != "actual/365"):
            raise InputError("day_count and valued_on need dates; these flows have none, one comes each period.")
        frozen(self, amounts=flows, period=period, dates=days, day_count=count, valued_on=valued, currency=currency)

    @classmethod
    def from_csv(
        cls,
        path: str | Path,
        *,
        period: str | None = None,
        day_count: str = "actual/365",
        valued_on: str | dt.date | np.datetime64 | None = None,
        currency: str = "",
        columns: Mapping[str, str] | None = None,
        decimal: str | None = None,
        sheet: str | None = None,
        order: str | None = None,
    ) -> CashFlows:
        """Read a CSV, a workbook or a Parquet file with the columns `amount` and `date` or `period` (from 0 on).

        Periods may be missing (nothing happened) or stand twice (amounts are added). InputError names row and column.

        Args:
            path: the file. period, day_count, valued_on, currency: as in CashFlows.
            columns: what the file calls these, such as {"date": "Booked on"}.
            decimal: its decimal mark, "." or ",", when the amounts alone do not tell.
            sheet: the sheet of a workbook; left out: the first.
            order: "day-first" or "month-first", when the dates alone do not tell.

        >>> from importlib.resources import files
        >>> folder = files("pennyweight.starters")
        >>> CashFlows.from_csv(str(folder / "flows" / "boatyard.csv")).amounts[:3].tolist()
        [-180000.0, -42500.0, 9800.0]
        """
        amounts, dates = read_flows(a_path(path), period, reading_of(columns, decimal, sheet, order))
        if dates is not None:
            return cls(amounts, dates=dates, day_count=day_count, valued_on=valued_on, currency=currency)
        return cls(amounts, period=period, day_count=day_count, valued_on=valued_on, currency=currency)

    @classmethod
    def from_pandas(cls, data: pd.Series | pd.DataFrame, *, period: str | None = None, currency: str = "") -> CashFlows:
        """Flows of a Series, or of the columns `amount` and `date` or `period` of a DataFrame, as CashFlows reads them.

        `data` holds the amounts; `period` and `currency` as in CashFlows.

        >>> import pandas as pd
        >>> CashFlows.from_pandas(pd.Series([-100.0, 60.0, 60.0])).amounts.tolist()
        [-100.0, 60.0, 60.0]
        """
        if not is_pandas(data):
            raise InputError(f"from_pandas takes a Series or a DataFrame, not {data!r}.", at="from_pandas")
        return cls(data, period=period, currency=currency)

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

        >>> round(CashFlows([-1000, 300, 420, 680]).npv("10%"), 2)
        130.73
        """
        at = self._rate(rate)
        with np.errstate(all="ignore"):
            worth = float(core.npv(self.amounts, at, times=self.times - self.valued_after))
        return self._defined(worth, "The present value is more than a number can hold.")

    def irrs(self) -> list[float]:
        """Every rate above -100 % at which the present value is zero, smallest first; touching ones included.

        >>> [round(rate, 9) for rate in CashFlows([-100, 230, -132]).irrs()]
        [0.1, 0.2]
        """
        flows, times = self._for_irr()
        crossing, touching = core_irr.all_rates(flows, times=times)
        return sorted(self._yearly(rate) for rate in (*crossing, *touching))

    def irr(self) -> float:
        """The internal rate of return; of several, the one above zero when the running total crosses zero just once.

        Raises NoAnswer when there is none, or when the present value touches zero without crossing it, and
        SeveralAnswers, which carries all of them.

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
            shown = ", ".join(f"{rate:.2%}" for rate in rates)
            raise SeveralAnswers(f"Several rates bring the present value to zero: {shown}.", rates)
        raise NoAnswer(self._why_no_irr(outcome))

    def modified_irr(self, *, reinvested_at: str | float, borrowed_at: str | float) -> float:
        """The yearly rate that turns the outflows into the inflows' value at the end.

        Inflows earn `reinvested_at` until the last flow, outflows are discounted at `borrowed_at`.

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

        >>> round(CashFlows([-1000, 300, 420, 680]).roi(), 9)
        0.4
        """
        return self._defined(float(core.roi(self.amounts, on=choice(on, core.OUTLAYS, "on"))), _NO_OUTLAY[on])

    def profitability_index(self, rate: str | float, *, on: Outlay = "all") -> float:
        """Present value in over present value out; `on="first"`: of all later flows over the first outlay.

        `rate` is yearly and effective.

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

        >>> round(CashFlows([-1000, 300, 420, 680]).equivalent_annual("10%"), 2)
        52.57
        """
        with np.errstate(all="ignore"):
            value = core.equivalent_annual(self.amounts, self._rate(rate), times=self.times)
        return self._defined(float(value), "All flows fall on one day, so there is no year to spread them over.")

    def discount_factors(self, rate: str | float) -> Floats:
        """One factor a flow.

        `rate` is yearly and effective: (1 + rate) ** -years, (flows,).

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

        Args:
            rate: the yearly effective rate the account pays.

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

    def working(self, rate: str | float, *, places: int | None = None) -> FlowsWorking:
        """The present value step by step: flow, factor, present value; `places` rounds the factors as by hand.

        `rate` is yearly and effective.

        >>> CashFlows([-1000, 300, 420]).working("10%", places=4).factors.tolist()
        [1.0, 0.9091, 0.8264]
        """
        from pennyweight.instruments.flows.flows_working import FlowsWorking

        return FlowsWorking(self, self._rate(rate), places)

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

    def report(
        self,
        rate: str | float | None = None,
        *,
        reinvested_at: str | float | None = None,
        borrowed_at: str | float | None = None,
        account_at: str | float | None = None,
        on: Outlay = "all",
    ) -> FlowsReport:
        """All measures at once, to print, to show or to hand on as JSON.

        Args:
            rate: the yearly rate asked of the flows; without it nothing is discounted.
            reinvested_at, borrowed_at: the rates of the modified IRR; left out: `rate`.
            account_at: the rate of a bank account to compare with.
            on: whether ROI and profitability index are on all outlays or on the first.

        >>> CashFlows([-1000, 300, 420, 680]).report("10%").undefined
        {}
        """
        from pennyweight.instruments.flows.flows_report import report

        account = None if account_at is None else self.account(account_at)
        return report(self, rate, reinvested_at=reinvested_at, borrowed_at=borrowed_at, account=account, on=on)

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
