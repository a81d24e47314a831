"""What happened to an account, or to several added up: values, deposits and withdrawals, and the returns they make."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import KW_ONLY, dataclass, replace
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.core.irr import find_rates as irr
from pennyweight.core.irr.outcome import IrrOutcome
from pennyweight.described import Described
from pennyweight.errors import InputError, NoAnswer
from pennyweight.instruments.flows.pandas_flows import check_days
from pennyweight.instruments.portfolios.benchmark import Benchmark, keep_copies
from pennyweight.instruments.portfolios.periods import Period, Return, Timing, read_timing
from pennyweight.instruments.portfolios.statements import Date, read_statements, values_and_flows
from pennyweight.instruments.portfolios.unusual import unusual_periods
from pennyweight.quantities.argument_checks import a_list, a_mapping, a_text, an_instance, each_once
from pennyweight.quantities.dates import Days, read_date, read_dates
from pennyweight.quantities.numbers import read_row
from pennyweight.quantities.units import check_currency
from pennyweight.reading.tables import reading_of

if TYPE_CHECKING:
    from pennyweight.instruments.portfolios.returns_report import ReturnsReport

__all__ = ["Portfolio"]

Floats: TypeAlias = NDArray[np.float64]


_DAYS_A_YEAR = 365.0


@dataclass(frozen=True, eq=False, repr=False)
class Portfolio(Described):
    """Values and flows of one or more accounts.

    Values stand at the end of their day, that day's flows included. Accounts are added up on the days on which
    every one of them has a value. Build it with `from_csv` or `from_rows`.

    Args:
        dates, values: the valuations, one a day, two at least, in order.
        flow_dates, flows: money paid in (positive) and taken out (negative), and its days.
        accounts: their names. left_out: sentences on what was left out, to be shown.

    Raises:
        InputError: when dates and amounts do not belong together, or there are fewer than two values.

    >>> days = ["2026-01-01", "2026-07-01"]
    >>> fund = Portfolio(days, [100.0, 161.0], flow_dates=["2026-03-01"], flows=[50.0], accounts=("fund",))
    >>> fund.flows.sum()
    np.float64(50.0)
    """

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

    @classmethod
    def from_rows(cls, rows: Sequence[tuple[Date, str, str, float]]) -> Portfolio:
        """From (date, account, kind, amount) rows; kind is value, deposit or withdrawal, amounts are positive.

        >>> account = Portfolio.from_rows([
        ...     ("2026-01-01", "a", "value", 100.0), ("2026-07-01", "a", "value", 105.0),
        ... ])
        >>> round(account.modified_dietz().over_span, 9)
        0.05
        """
        return cls._of(*values_and_flows(rows))

    @classmethod
    def from_csv(
        cls,
        *paths: str | Path,
        columns: Mapping[str, str] | None = None,
        kinds: Mapping[str, str] | None = None,
        decimal: str | None = None,
        sheet: str | None = None,
        order: str | None = None,
    ) -> Portfolio:
        """Read one CSV (or workbook, or Parquet file) or several with the columns date, account, kind, amount.

        Without a column of kinds, a file with the columns date and value holds values, one with date and amount (or in
        and out) signed activity: deposits above zero, withdrawals below; with both, a row may have a value, an amount
        or both, and the value stands after the amount. Files without accounts are one account, when there are a file
        of values and one of activity; else each is an account of its own, called by its name.

        Args:
            columns: other names of these in the files, such as {"date": "Day"}.
            kinds: other words for the kinds in the file, several for one if need be, such as {"Kauf": "deposit"}. Kinds
                that are none of ours, such as dividends and fees, are left out, and `left_out` says so.
            decimal: the decimal mark, "." or ",", when the amounts alone do not tell. sheet: that of a workbook.
            order: "day-first" or "month-first", when the dates alone do not tell.

        `paths` are the files, each once; InputError names row and column.

        >>> from importlib.resources import files
        >>> folder = files("pennyweight.starters")
        >>> Portfolio.from_csv(str(folder / "endowment" / "statements.csv")).accounts
        ('fund', 'savings')
        """
        reading = reading_of(columns, decimal, sheet, order)
        rows, left_out = read_statements(
            each_once(paths), reading, a_mapping(kinds, what="kinds", of="our kinds by word")
        )
        made = cls.from_rows(rows)
        return replace(made, left_out=(*left_out, *made.left_out)) if left_out else made

    @classmethod
    def _of(
        cls, values: Mapping[str, Mapping[np.datetime64, float]], flows: list[tuple[np.datetime64, float]]
    ) -> Portfolio:
        for account, own in values.items():
            if not own:
                raise InputError(f"Account '{account}' has flows and no value.")
        common = sorted(set.intersection(*(set(own) for own in values.values()))) if values else []
        if len(common) < 2:
            raise InputError(
                f"A return needs two days on which every account has a value; there are {len(common)} "
                f"for {', '.join(values) or 'no account'}."
            )
        flows = sorted(flows)
        left_out = [
            f"{account} has no value on {day}, so that day is not used."
            for day in sorted(set().union(*(set(own) for own in values.values())) - set(common))
            for account, own in values.items()
            if day not in own and common[0] < day < common[-1]
        ]
        return cls(
            np.array(common, dtype="datetime64[D]"),
            np.array([sum(own[day] for own in values.values()) for day in common]),
            flow_dates=np.array([day for day, _ in flows], dtype="datetime64[D]"),
            flows=np.array([amount for _, amount in flows], dtype=np.float64),
            accounts=tuple(values),
            left_out=tuple(left_out),
        )

    def between(self, start: Date | None = None, end: Date | None = None) -> Portfolio:
        """The same over a part of the time: from the last valuation on or before `start` to that on or before `end`.

        >>> rows = [("2026-01-01", "a", "value", 100.0),
        ...     ("2026-07-01", "a", "deposit", 20.0), ("2027-01-01", "a", "value", 130.0)]
        >>> len(Portfolio.from_rows(rows).between("2026-01-01", "2027-06-30").dates)
        2
        """
        low = 0 if start is None else self._place(read_date(start, what="start"))
        high = self.dates.size - 1 if end is None else self._place(read_date(end, what="end"))
        if low >= high:
            raise InputError(f"Between {start} and {end} there are no two valuations; they are on {self._listed()}.")
        kept = (self.flow_dates > self.dates[low]) & (self.flow_dates <= self.dates[high])
        return Portfolio(
            self.dates[low : high + 1],
            self.values[low : high + 1],
            flow_dates=self.flow_dates[kept],
            flows=self.flows[kept],
            accounts=self.accounts,
        )

    def year_to_date(self) -> Portfolio:
        """From the last valuation of the year before to the last one.

        >>> rows = [("2026-01-01", "a", "value", 100.0),
        ...     ("2026-07-01", "a", "deposit", 20.0), ("2027-01-01", "a", "value", 130.0)]
        >>> Portfolio.from_rows(rows).year_to_date().dates.astype(str).tolist()
        ['2026-01-01', '2027-01-01']
        """
        year = self.dates[-1].astype("datetime64[Y]").astype("datetime64[D]")
        return self.between(year - np.timedelta64(1, "D"))

    def calendar_years(self) -> dict[int, Portfolio]:
        """Each year that begins and ends with a valuation at its turn (31 December), by its number.

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

        >>> rows = [("2026-01-01", "a", "value", 100.0),
        ...     ("2026-07-01", "a", "deposit", 20.0), ("2027-01-01", "a", "value", 130.0)]
        >>> round(Portfolio.from_rows(rows).modified_dietz().over_span, 6)
        0.090841
        """
        linked = float(np.prod([1.0 + period.modified_dietz(read_timing(timing)) for period in self.periods]))
        return self._return(linked - 1.0)

    def unvalued_flows(self, timing: Timing = "end") -> list[np.datetime64]:
        """The days on which a value would be needed beside a flow: the flow's own, or the day before its start.

        `timing` as in `modified_dietz`.

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
        return self._return(growth - 1.0)

    def money_weighted(self) -> Return:
        """The rate at which the opening value and the flows grow to the closing value (the IRR of the investor).

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
        return self._return(sum(period.gain for period in self.periods) / base)

    def remarks(self, *, benchmark: Benchmark | None = None, timing: Timing = "end") -> list[str]:
        """What looks as if something were wrong: gains that do not fit the other periods, flows outside every period.

        `benchmark` is what the periods are set against; `timing` as in `modified_dietz`.

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

    def report(
        self, *, timing: Timing = "end", benchmark: Benchmark | None = None, currency: str = ""
    ) -> ReturnsReport:
        """All four returns, each period, calendar years, and the benchmark beside them.

        `timing` as in `modified_dietz`; `currency` is shown with amounts.

        >>> rows = [("2026-01-01", "a", "value", 100.0),
        ...     ("2026-07-01", "a", "deposit", 20.0), ("2027-01-01", "a", "value", 130.0)]
        >>> Portfolio.from_rows(rows).report().returns["time_weighted"][0] is None
        True
        """
        from pennyweight.instruments.portfolios.returns_report import ReturnsReport

        if benchmark is not None:
            an_instance(benchmark, Benchmark, what="benchmark")
        return ReturnsReport(self, read_timing(timing), benchmark, check_currency(currency))

    def _return(self, over: float) -> Return:
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
