"""Cash flows, periodic or dated, read from lists, files and tables; their report and their working."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import ArrayLike

from pennyweight.described import frozen
from pennyweight.errors import InputError
from pennyweight.instruments.flows.flow_files import read_flows
from pennyweight.instruments.flows.flows_report import FlowsReport, report
from pennyweight.instruments.flows.flows_working import FlowsWorking
from pennyweight.instruments.flows.measured_flows import MeasuredFlows, Outlay
from pennyweight.instruments.flows.pandas_flows import read_given
from pennyweight.quantities.argument_checks import a_path
from pennyweight.quantities.dates import Days, read_date, read_day_count
from pennyweight.quantities.numbers import is_pandas
from pennyweight.quantities.units import check_currency
from pennyweight.reading.tables import reading_of

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["CashFlows"]


@dataclass(frozen=True, eq=False, repr=False)
class CashFlows(MeasuredFlows):
    """Flows, money in positive and money out negative, one a period or each on a date.

    Parameters
    ----------
    amounts : array_like
        The flows: a list, an array, or a Series or table of pandas, whose days or periods are read. Without dates the
        first stands at time 0, the others at the ends of the periods.
    period : str | None, optional
        How long a period is: "year" (left out), "quarter", "month"…; only without dates.
    dates : Sequence[str | dt.date | day] | Days | None, optional
        One date a flow, in any order, several on a day allowed; they are put in order.
    day_count : str, default 'actual/365'
        How time between dates is counted; only with dates.
    valued_on : str | dt.date | day | None, optional
        The day on which the flows are valued; left out: the first date.
    currency : str, default ''
        Shown with amounts.

    Notes
    -----
    All rates, given and returned, are yearly and effective. Raises InputError for an empty list, amounts that are
    no numbers, and dates that do not fit the amounts.

    Examples
    --------
    >>> CashFlows([-1000, 300, 420, 680]).irr()  # doctest: +ELLIPSIS
    0.1634...
    """

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

        Parameters
        ----------
        path : str | Path
            The file.
        period, day_count, valued_on, currency
            As in CashFlows.
        columns : Mapping[str, str] | None, optional
            What the file calls these, such as {"date": "Booked on"}.
        decimal : str | None, optional
            Its decimal mark, "." or ",", when the amounts alone do not tell.
        sheet : str | None, optional
            The sheet of a workbook; left out: the first.
        order : str | None, optional
            "day-first" or "month-first", when the dates alone do not tell.

        Returns
        -------
        CashFlows
            See `CashFlows` for what it holds.

        Raises
        ------
        InputError
            Names row and column.

        Notes
        -----
        Periods may be missing (nothing happened) or stand twice (amounts are added).

        Examples
        --------
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

        Parameters
        ----------
        data : pd.Series | pd.DataFrame
            Holds the amounts.
        period, currency
            As in CashFlows.

        Returns
        -------
        CashFlows
            See `CashFlows` for what it holds.

        Raises
        ------
        InputError
            Something given cannot be right; the message names it and says what would be.

        Examples
        --------
        >>> import pandas as pd
        >>> CashFlows.from_pandas(pd.Series([-100.0, 60.0, 60.0])).amounts.tolist()
        [-100.0, 60.0, 60.0]
        """
        if not is_pandas(data):
            raise InputError(f"from_pandas takes a Series or a DataFrame, not {data!r}.", at="from_pandas")
        return cls(data, period=period, currency=currency)

    def working(self, rate: str | float, *, places: int | None = None) -> FlowsWorking:
        """The present value step by step: flow, factor, present value; `places` rounds the factors as by hand.

        Parameters
        ----------
        rate : str | float
            Yearly and effective.
        places : int | None, optional
            Decimals of the factors, as by hand; None: all of them.

        Returns
        -------
        FlowsWorking
            See `FlowsWorking` for what it holds.

        Raises
        ------
        InputError
            Something given cannot be right; the message names it and says what would be.

        Examples
        --------
        >>> CashFlows([-1000, 300, 420]).working("10%", places=4).factors.tolist()
        [1.0, 0.9091, 0.8264]
        """
        return FlowsWorking(self, self._rate(rate), places)

    def plot(self, ax: Any = None, **style: Any) -> Any:
        """Draw the flows and their running total on an axes of Matplotlib and return it; without `ax` on a new figure.

        Parameters
        ----------
        style
            As in the plots of results: color, linewidth, linestyle, alpha.
        ax : optional
            Axes of Matplotlib; None: those of a new figure.

        Returns
        -------
        Any
            Draw the flows and their running total on an axes of Matplotlib and return it; without `ax` on a new
            figure.

        Examples
        --------
        >>> CashFlows([-1000, 300, 420, 680]).plot().get_xlabel()
        'Years from the start'
        """
        return self.report().plot(ax, **style)

    def _repr_html_(self) -> str:
        return self.report()._repr_html_()

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

        Parameters
        ----------
        rate : str | float | None, optional
            The yearly rate asked of the flows; without it nothing is discounted.
        reinvested_at, borrowed_at : str | float | None
            The rates of the modified IRR; left out: `rate`.
        account_at : str | float | None, optional
            The rate of a bank account to compare with.
        on : Outlay, default 'all'
            Whether ROI and profitability index are on all outlays or on the first.

        Returns
        -------
        FlowsReport
            See `FlowsReport` for what it holds.

        Raises
        ------
        InputError
            Something given cannot be right; the message names it and says what would be.

        Examples
        --------
        >>> CashFlows([-1000, 300, 420, 680]).report("10%").undefined
        {}
        """
        account = None if account_at is None else self.account(account_at)
        return report(self, rate, reinvested_at=reinvested_at, borrowed_at=borrowed_at, account=account, on=on)
