"""Values and flows of accounts, and the returns they make."""

from __future__ import annotations

from dataclasses import KW_ONLY, dataclass
from functools import cached_property
from typing import Any, Self

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.core.irr import find_rates as irr
from pennyweight.core.irr.outcome import IrrOutcome
from pennyweight.described import Described
from pennyweight.errors import InputError, NoAnswer
from pennyweight.instruments.flows.pandas_flows import check_days
from pennyweight.instruments.portfolios.benchmark import Benchmark, keep_copies
from pennyweight.instruments.portfolios.periods import Period, Return, Timing, read_timing
from pennyweight.instruments.portfolios.statements import Date
from pennyweight.instruments.portfolios.unusual import unusual_periods
from pennyweight.quantities.argument_checks import a_list, a_text
from pennyweight.quantities.dates import Days, read_date, read_dates
from pennyweight.quantities.numbers import read_row

__all__ = ["MeasuredPortfolio"]


_DAYS_A_YEAR = 365.0


@dataclass(frozen=True, eq=False, repr=False)
class MeasuredPortfolio(Described):
    """Values and flows of one or more accounts, and what they come to; see `Portfolio`, which reads them."""

    dates: Days
    values: Floats
    _: KW_ONLY
    flow_dates: Any = ()
    flows: Any = ()
    accounts: tuple[str, ...] = ()
    left_out: tuple[str, ...] = ()
    """Sentences about days on which only some accounts have a value."""

    def __post_init__(self) -> None:
        dates, values = read_dates(self.dates), read_row(self.values, what="values")
        flow_dates, flows = np.empty(0, "datetime64[D]"), np.empty(0)
        if not all(_is_empty(one) for one in (self.flows, self.flow_dates)):
            flow_dates, flows = read_dates(self.flow_dates), read_row(self.flows, what="flows")
        check_days(self.values, dates, "values")
        check_days(self.flows, flow_dates, "flows")
        if dates.size != values.size or flow_dates.size != flows.size:
            raise InputError("Each value needs its date, and each flow its own.")
        if dates.size < 2 or (np.diff(dates).astype(np.int64) <= 0).any():
            raise InputError("A return needs values on two days or more, one a day, in order.")
        accounts, left_out = (
            tuple(a_text(one, what=what) for one in a_list(given, what=what, of="texts"))
            for given, what in ((self.accounts, "accounts"), (self.left_out, "left_out"))
        )
        keep_copies(
            self, dates=dates, values=values, flow_dates=flow_dates, flows=flows, accounts=accounts, left_out=left_out
        )

    def between(self, start: Date | None = None, end: Date | None = None) -> Self:
        """The same over a part of the time: from the last valuation on or before `start` to that on or before `end`.

        >>> from pennyweight import Portfolio
        >>> rows = [("2026-01-01", "a", "value", 100.0),
        ...     ("2026-07-01", "a", "deposit", 20.0), ("2027-01-01", "a", "value", 130.0)]
        >>> len(Portfolio.from_rows(rows).between("2026-01-01", "2027-06-30").dates)
        2
        """
        low = 0 if start is None else self._place(read_date(start, what="start"))
        high = self.dates.size - 1 if end is None else self._place(read_date(end, what="end"))
        if low >= high:
            span = (
                f"From {start} on" if end is None else f"Up to {end}" if start is None else f"Between {start} and {end}"
            )
            raise InputError(f"{span} there are no two valuations; they are on {self._listed()}.")
        kept = (self.flow_dates > self.dates[low]) & (self.flow_dates <= self.dates[high])
        return type(self)(
            self.dates[low : high + 1],
            self.values[low : high + 1],
            flow_dates=self.flow_dates[kept],
            flows=self.flows[kept],
            accounts=self.accounts,
        )

    def year_to_date(self) -> Self:
        """From the last valuation of the year before to the last one.

        >>> from pennyweight import Portfolio
        >>> rows = [("2026-01-01", "a", "value", 100.0),
        ...     ("2026-07-01", "a", "deposit", 20.0), ("2027-01-01", "a", "value", 130.0)]
        >>> Portfolio.from_rows(rows).year_to_date().dates.astype(str).tolist()
        ['2026-01-01', '2027-01-01']
        """
        year = self.dates[-1].astype("datetime64[Y]").astype("datetime64[D]")
        return self.between(year - np.timedelta64(1, "D"))

    def calendar_years(self) -> dict[int, Self]:
        """Each year that begins and ends with a valuation at its turn (31 December), by its number.

        >>> from pennyweight import Portfolio
        >>> rows = [("2026-01-01", "a", "value", 100.0),
        ...     ("2026-07-01", "a", "deposit", 20.0), ("2027-01-01", "a", "value", 130.0)]
        >>> list(Portfolio.from_rows(rows).calendar_years())
        []
        """
        found = {}
        years = self.dates.astype("datetime64[Y]").astype(np.int64) + 1970
        for year in range(int(years[0]) + 1, int(years[-1]) + 1):
            turns = [np.datetime64(f"{y}-12-31", "D") for y in (year - 1, year)]
            if all(turn in self.dates for turn in turns):
                found[year] = self.between(turns[0], turns[1])
        return found

    @cached_property
    def periods(self) -> tuple[Period, ...]:
        """Every period between two valuations, with its flows."""
        found = []
        for k in range(1, self.dates.size):
            start, end = self.dates[k - 1], self.dates[k]
            inside = (self.flow_dates > start) & (self.flow_dates <= end)
            days = (self.flow_dates[inside] - start).astype(np.int64)
            flows = tuple(zip(days.tolist(), self.flows[inside].tolist(), strict=True))
            found.append(Period(start, end, float(self.values[k - 1]), float(self.values[k]), flows))
        return tuple(found)

    @property
    def span(self) -> float:
        """Years from the first to the last valuation, actual days over 365."""
        return float((self.dates[-1] - self.dates[0]).astype(np.int64)) / _DAYS_A_YEAR

    def modified_dietz(self, *, timing: Timing = "end") -> Return:
        """Each period's gain over its average capital, linked.

        A flow on day d of D counts (D - d) / D of itself when it comes at the end of its day, and
        (D - d + 1) / D at the start.

        Source: P. Dietz, "Pension Funds: Measuring Investment Performance", 1966; weights by days as in the GIPS
        guidance on calculation methodology.

        `timing`: when in its day a flow comes, "end" or "start".

        >>> from pennyweight import Portfolio
        >>> rows = [("2026-01-01", "a", "value", 100.0),
        ...     ("2026-07-01", "a", "deposit", 20.0), ("2027-01-01", "a", "value", 130.0)]
        >>> round(Portfolio.from_rows(rows).modified_dietz().over_span, 6)
        0.090841
        """
        linked = float(np.prod([1.0 + period.modified_dietz(read_timing(timing)) for period in self.periods]))
        return self.as_return(linked - 1.0)

    def unvalued_flows(self, timing: Timing = "end") -> list[np.datetime64]:
        """The days on which a value would be needed beside a flow: the flow's own, or the day before its start.

        `timing` as in `modified_dietz`.

        >>> from pennyweight import Portfolio
        >>> rows = [("2026-01-01", "a", "value", 100.0),
        ...     ("2026-07-01", "a", "deposit", 20.0), ("2027-01-01", "a", "value", 130.0)]
        >>> [str(day) for day in Portfolio.from_rows(rows).unvalued_flows()]
        ['2026-07-01']
        """
        inside = (self.flow_dates > self.dates[0]) & (self.flow_dates <= self.dates[-1])
        needed = np.unique(self.flow_dates[inside]) - np.timedelta64(0 if timing == "end" else 1, "D")
        return [day for day in needed if day not in self.dates]

    def time_weighted(self, *, timing: Timing = "end") -> Return:
        """The true time-weighted return: growth between flows, linked.

        Flows at the end of their day need a value on that day, flows at its start one on the day before. NoAnswer names
        the days that lack one.

        `timing` as in `modified_dietz`.

        >>> from pennyweight import Portfolio
        >>> rows = [("2026-01-01", "a", "value", 100.0), ("2026-07-01", "a", "value", 110.0)]
        >>> round(Portfolio.from_rows(rows).time_weighted().over_span, 9)
        0.1
        """
        missing = self.unvalued_flows(read_timing(timing))
        if missing:
            shown = ", ".join(map(str, missing))
            when = "on the day of each flow" if timing == "end" else "on the day before each flow"
            raise NoAnswer(f"A true time-weighted return needs a value {when}; {shown} lack one.")
        growth = 1.0
        for period in self.periods:
            base = period.opening if timing == "end" else period.opening + period.put_in
            top = period.closing - period.put_in if timing == "end" else period.closing
            if base <= 0:
                raise NoAnswer(f"On {period.start} nothing stands in the account, so there is nothing to grow.")
            growth *= top / base
        return self.as_return(growth - 1.0)

    def money_weighted(self) -> Return:
        """The rate at which the opening value and the flows grow to the closing value (the IRR of the investor).

        >>> from pennyweight import Portfolio
        >>> rows = [("2026-01-01", "a", "value", 100.0),
        ...     ("2026-07-01", "a", "deposit", 20.0), ("2027-01-01", "a", "value", 130.0)]
        >>> round(Portfolio.from_rows(rows).money_weighted().over_span, 6)
        0.091021
        """
        inside = (self.flow_dates > self.dates[0]) & (self.flow_dates <= self.dates[-1])
        days = np.concatenate([self.dates[:1], self.flow_dates[inside], self.dates[-1:]])
        amounts = np.concatenate([[-self.values[0]], -self.flows[inside], [self.values[-1]]])
        if self.span > 1 and (amounts > 0).sum() == 0 and (amounts < 0).any():
            return Return(-1.0, -1.0)  # all that was there and was put in is lost
        times, place = np.unique((days - days[0]).astype(np.float64) / _DAYS_A_YEAR, return_inverse=True)
        found = irr.irr_outcomes(np.bincount(place, weights=amounts), times=times)
        if not IrrOutcome(int(found.outcome)).has_rate:
            raise NoAnswer("No single rate leads from the opening value and the flows to the closing value.")
        yearly = float(found.rate)
        with np.errstate(over="ignore"):
            over = float(np.exp(self.span * np.log1p(yearly))) - 1.0
        if not np.isfinite(over):
            raise NoAnswer("The return is more than a number can hold.")
        return Return(over, yearly if self.span > 1 else None)

    def simple(self) -> Return:
        """The gain over the opening value and all that was put in, whenever that was.

        >>> from pennyweight import Portfolio
        >>> rows = [("2026-01-01", "a", "value", 100.0),
        ...     ("2026-07-01", "a", "deposit", 20.0), ("2027-01-01", "a", "value", 130.0)]
        >>> round(Portfolio.from_rows(rows).simple().over_span, 6)
        0.083333
        """
        deposits = sum(amount for period in self.periods for _, amount in period.flows if amount > 0)
        base = float(self.values[0]) + deposits
        if base <= 0:
            raise NoAnswer(
                "Nothing was in the account and nothing was put in, so there is nothing to earn a return on."
            )
        return self.as_return(sum(period.gain for period in self.periods) / base)

    def remarks(self, *, benchmark: Benchmark | None = None, timing: Timing = "end") -> list[str]:
        """What looks as if something were wrong: gains that do not fit the other periods, flows outside every period.

        `benchmark` is what the periods are set against; `timing` as in `modified_dietz`.

        >>> from pennyweight import Portfolio
        >>> rows = [("2026-01-01", "a", "value", 100.0),
        ...     ("2026-07-01", "a", "deposit", 20.0), ("2027-01-01", "a", "value", 130.0)]
        >>> Portfolio.from_rows(rows).remarks()
        []
        """
        found = list(self.left_out)
        levels = None if benchmark is None else benchmark.at(self.dates)
        beside = None if levels is None else levels[1:] / levels[:-1] - 1
        found += unusual_periods(self.periods, beside, read_timing(timing))
        for day, amount in zip(self.flow_dates, self.flows, strict=True):
            if not self.dates[0] < day <= self.dates[-1]:
                word = "deposit" if amount > 0 else "withdrawal"
                found.append(f"The {word} of {abs(amount):,.2f} on {day} lies outside every period and is left out.")
        return found

    def as_return(self, over: float) -> Return:
        if self.span <= 1 or over < -1:  # more than all is lost: there is no rate for that
            return Return(over, None)
        return Return(over, (1.0 + over) ** (1.0 / self.span) - 1.0)

    def _place(self, day: np.datetime64) -> int:
        place = int(np.searchsorted(self.dates, day, side="right")) - 1
        if place < 0:
            raise InputError(f"On {day} there is no valuation yet; they are on {self._listed()}.")
        return place

    def _listed(self) -> str:
        shown = [str(day) for day in self.dates]
        return ", ".join(shown if len(shown) <= 6 else [*shown[:3], "…", *shown[-2:]])


def _is_empty(given: object) -> bool:
    return not a_list(given, what="flows", of="amounts, one a flow date")
