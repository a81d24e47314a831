"""The returns of a portfolio on one page: four ways, each period, calendar years, beside a benchmark."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any

from pennyweight.documents.shown import Shown
from pennyweight.errors import NoAnswer
from pennyweight.instruments.portfolios.benchmark import Benchmark
from pennyweight.instruments.portfolios.measured_portfolio import MeasuredPortfolio
from pennyweight.instruments.portfolios.periods import Return, Timing

if TYPE_CHECKING:
    import pandas as pd


__all__ = ["ReturnsReport"]


@dataclass(frozen=True, eq=False, repr=False)
class ReturnsReport(Shown):
    """Every return of a portfolio; one that cannot be worked out carries its reason.

    Examples
    --------
    >>> from pennyweight import Portfolio
    >>> rows = [("2026-01-01", "a", "value", 100.0), ("2026-03-01", "a", "value", 105.0)]
    >>> found, reason = Portfolio.from_rows(rows).report().returns["time_weighted"]
    >>> round(found.over_span, 9), reason
    (0.05, '')
    """

    portfolio: MeasuredPortfolio
    timing: Timing
    benchmark: Benchmark | None
    currency: str

    @cached_property
    def to_date(self) -> tuple[str, MeasuredPortfolio] | None:
        """The part of the last year that has gone by, and its name; None where the year is whole."""
        p = self.portfolio
        last = p.dates[-1]
        if str(last)[5:] == "12-31" or p.dates[0] >= last.astype("datetime64[Y]"):
            return None
        return f"{str(last)[:4]} to date", p.year_to_date()

    @cached_property
    def returns(self) -> dict[str, tuple[Return | None, str]]:
        """Each way with its return, or None and the reason."""
        p = self.portfolio
        ways: dict[str, Callable[[], Return]] = {
            "modified_dietz": lambda: p.modified_dietz(timing=self.timing),
            "time_weighted": lambda: p.time_weighted(timing=self.timing),
            "money_weighted": p.money_weighted,
            "simple": p.simple,
        }
        found: dict[str, tuple[Return | None, str]] = {}
        for name, compute in ways.items():
            try:
                found[name] = compute(), ""
            except NoAnswer as error:
                found[name] = None, str(error)
        return found

    @cached_property
    def benchmark_return(self) -> Return | None:
        """The benchmark over the same span."""
        if self.benchmark is None:
            return None
        first, last = self.benchmark.at(self.portfolio.dates[[0, -1]])
        return self.portfolio.as_return(float(last / first - 1.0))

    @property
    def checks(self) -> tuple[tuple[bool, str], ...]:
        """What the report tells of itself: whether each holds, and its sentence."""
        p = self.portfolio
        put_in, gain = (sum(getattr(period, name) for period in p.periods) for name in ("put_in", "gain"))
        gap = abs(float(p.values[0]) + put_in + gain - float(p.values[-1]))
        size = max(map(abs, p.values.tolist()), default=0.0) or 1.0
        said = "Opening value, what was put in and what was gained add up to the closing value."
        return ((gap <= 1e-9 * size, said),)

    @property
    def note(self) -> str:
        """What is to be said of values alone: nothing was put in or taken out, so far as the files say."""
        if any(period.flows for period in self.portfolio.periods):
            return ""
        return (
            "Nothing was put in or taken out in these files. If something was, the return is another: money that was "
            "put in counts as earned here, and money taken out as lost."
        )

    @property
    def frame(self) -> pd.DataFrame:
        """One row a period: start, opening, put in, gain, closing, return, the benchmark's; its end is the index."""
        import pandas as pd

        rows = [
            (p.start, p.opening, p.put_in, p.gain, p.closing, self.of_period(k))
            for k, p in enumerate(self.portfolio.periods)
        ]
        names = ["start", "opening", "put_in", "gain", "closing", "return"]
        ends = pd.Index([p.end for p in self.portfolio.periods], name="end")
        table = pd.DataFrame(rows, columns=names, index=ends)
        return table if self.beside is None else table.assign(benchmark=self.beside)

    @property
    def beside(self) -> Any:
        """The benchmark's return of each period."""
        if self.benchmark is None:
            return None
        levels = self.benchmark.at(self.portfolio.dates)
        return levels[1:] / levels[:-1] - 1

    def of_period(self, k: int) -> float | None:
        """The modified Dietz return of a period; None where it is undefined.

        Parameters
        ----------
        k : int
            Its number, from 0.

        Returns
        -------
        float | None
            The modified Dietz return of a period; None where it is undefined.

        Examples
        --------
        >>> from pennyweight import Portfolio
        >>> rows = [("2026-01-01", "a", "value", 100.0), ("2026-03-01", "a", "value", 105.0)]
        >>> round(Portfolio.from_rows(rows).report().of_period(0), 9)
        0.05
        """
        try:
            return self.portfolio.periods[k].modified_dietz(self.timing)
        except NoAnswer:
            return None

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON.

        Returns
        -------
        dict[str, Any]
            Plain values for JSON.
        """
        found: dict[str, Any] = {"format": 1, "span": self.portfolio.span, "timing": self.timing}
        for name, (value, reason) in self.returns.items():
            found[name] = (
                {"over_span": None, "annualized": None, "reason": reason} if value is None else value._asdict()
            )
        found["benchmark"] = None if self.benchmark_return is None else self.benchmark_return._asdict()
        found["periods"] = [
            {
                "start": str(p.start),
                "end": str(p.end),
                "opening": p.opening,
                "put_in": p.put_in,
                "gain": p.gain,
                "closing": p.closing,
                "flows": [{"day": day, "of": p.days, "amount": amount} for day, amount in p.flows],
                "average_capital": p.capital(self.timing),
                "return": self.of_period(k),
                **({} if self.beside is None else {"benchmark": float(self.beside[k])}),
            }
            for k, p in enumerate(self.portfolio.periods)
        ]
        found["calendar_years"] = {str(year): value for year, value in self.years().items()}
        found["checks"] = [{"passed": passed, "check": sentence} for passed, sentence in self.checks]
        found["note"] = self.note
        found["remarks"] = self.portfolio.remarks(benchmark=self.benchmark, timing=self.timing)
        return found

    def years(self) -> dict[int, float | None]:
        """The modified Dietz return of each calendar year; None where it is undefined.

        Returns
        -------
        dict[int, float | None]
            The modified Dietz return of each calendar year; None where it is undefined.

        Examples
        --------
        >>> from pennyweight import Portfolio
        >>> rows = [("2026-12-31", "a", "value", 100.0), ("2027-12-31", "a", "value", 105.0)]
        >>> {year: round(value, 9) for year, value in Portfolio.from_rows(rows).report().years().items()}
        {2027: 0.05}
        """
        found: dict[int, float | None] = {}
        for year, part in self.portfolio.calendar_years().items():
            try:
                found[year] = part.modified_dietz(timing=self.timing).over_span
            except NoAnswer:
                found[year] = None
        return found
