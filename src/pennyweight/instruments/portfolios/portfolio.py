"""What happened to an account, or to several added up: values, deposits and withdrawals, and the returns they make."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from pennyweight.errors import InputError
from pennyweight.instruments.portfolios.benchmark import Benchmark
from pennyweight.instruments.portfolios.measured_portfolio import MeasuredPortfolio
from pennyweight.instruments.portfolios.periods import Timing, read_timing
from pennyweight.instruments.portfolios.returns_report import ReturnsReport
from pennyweight.instruments.portfolios.statements import Date, read_statements, values_and_flows
from pennyweight.quantities.argument_checks import a_mapping, an_instance, each_once
from pennyweight.quantities.units import check_currency
from pennyweight.reading.tables import reading_of

__all__ = ["Portfolio"]


_DAYS_A_YEAR = 365.0


@dataclass(frozen=True, eq=False, repr=False)
class Portfolio(MeasuredPortfolio):
    """Values and flows of one or more accounts.

    Parameters
    ----------
    dates, values
        The valuations, one a day, two at least, in order.
    flow_dates, flows
        Money paid in (positive) and taken out (negative), and its days.
    accounts
        Their names.
    left_out
        Sentences on what was left out, to be shown.

    Raises
    ------
    InputError
        When dates and amounts do not belong together, or there are fewer than two values.

    Notes
    -----
    Values stand at the end of their day, that day's flows included. Accounts are added up on the days on which
    every one of them has a value. Build it with `from_csv` or `from_rows`.

    Examples
    --------
    >>> days = ["2026-01-01", "2026-07-01"]
    >>> fund = Portfolio(days, [100.0, 161.0], flow_dates=["2026-03-01"], flows=[50.0], accounts=("fund",))
    >>> fund.flows.sum()
    np.float64(50.0)
    """

    @classmethod
    def from_rows(cls, rows: Sequence[tuple[Date, str, str, float]]) -> Portfolio:
        """From (date, account, kind, amount) rows; kind is value, deposit or withdrawal, amounts are positive.

        Parameters
        ----------
        rows : Sequence[tuple[Date, str, str, float]]
            (date, account, kind, amount) of each movement.

        Returns
        -------
        Portfolio
            See `Portfolio` for what it holds.

        Raises
        ------
        InputError
            Something given cannot be right; the message names it and says what would be.

        Examples
        --------
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
        columns: Mapping[str, str | Mapping[str, str]] | None = None,
        kinds: Mapping[str, str] | None = None,
        decimal: str | None = None,
        sheet: str | None = None,
        order: str | None = None,
    ) -> Portfolio:
        """Read one CSV (or workbook, or Parquet file) or several with the columns date, account, kind, amount.

        Parameters
        ----------
        columns : Mapping[str, str | Mapping[str, str]] | None, optional
            Other names of these in the files, such as {"date": "Day"}; of one file alone {"v.csv": {"date": "Day"}}.
        kinds : Mapping[str, str] | None, optional
            Other words for the kinds in the file, several for one if need be, such as {"Kauf": "deposit"}; "inside" is
            what neither comes from the owner nor goes there, such as dividends that stay in the account. The usual
            words of six languages are known; any other is refused.
        decimal : str | None, optional
            The decimal mark, "." or ",", when the amounts alone do not tell.
        sheet : str | None, optional
            That of a workbook.
        order : str | None, optional
            "day-first" or "month-first", when the dates alone do not tell.
        paths : str | Path
            The files.

        Returns
        -------
        Portfolio
            See `Portfolio` for what it holds.

        Raises
        ------
        InputError
            Names row and column.

        Notes
        -----
        Without a column of kinds, a file with the columns date and value holds values, one with date and amount (or in
        and out) signed activity: deposits above zero, withdrawals below; with both, a row may have a value, an amount
        or both, and the value stands after the amount. Files without accounts are one account, when there are a file
        of values and one of activity; else each is an account of its own, called by its name.

        `paths` are the files, each once;

        Examples
        --------
        >>> from importlib.resources import files
        >>> folder = files("pennyweight.starters")
        >>> Portfolio.from_csv(str(folder / "endowment" / "statements.csv")).accounts
        ('fund', 'savings')
        """
        said = a_mapping(columns, what="columns", of="their names in the file")
        own = {
            file: a_mapping(one, what="columns", of="names") for file, one in said.items() if isinstance(one, Mapping)
        }
        reading = reading_of({name: one for name, one in said.items() if name not in own}, decimal, sheet, order)
        rows, left_out = read_statements(
            each_once(paths), reading, a_mapping(kinds, what="kinds", of="our kinds by word"), own
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

    def _repr_html_(self) -> str:
        return self.report()._repr_html_()

    def report(
        self, *, timing: Timing = "end", benchmark: Benchmark | None = None, currency: str = ""
    ) -> ReturnsReport:
        """All four returns, each period, calendar years, and the benchmark beside them.

        Parameters
        ----------
        timing : Timing, default 'end'
            As in `modified_dietz`.
        currency : str, default ''
            Shown with amounts.
        benchmark : Benchmark | None, optional
            The index to set beside.

        Returns
        -------
        ReturnsReport
            See `ReturnsReport` for what it holds.

        Raises
        ------
        InputError
            Something given cannot be right; the message names it and says what would be.

        Examples
        --------
        >>> rows = [("2026-01-01", "a", "value", 100.0),
        ...     ("2026-07-01", "a", "deposit", 20.0), ("2027-01-01", "a", "value", 130.0)]
        >>> Portfolio.from_rows(rows).report().returns["time_weighted"][0] is None
        True
        """
        if benchmark is not None:
            an_instance(benchmark, Benchmark, what="benchmark")
        return ReturnsReport(self, read_timing(timing), benchmark, check_currency(currency))
