"""From one valuation to the next: what a period has gained, and on which capital."""

from __future__ import annotations

from typing import Literal, NamedTuple

import numpy as np

from pennyweight.errors import NoAnswer, choice

__all__ = ["TIMINGS", "Period", "Return", "Timing", "read_timing"]

Timing = Literal["end", "start"]
TIMINGS: tuple[Timing, ...] = ("end", "start")


class Return(NamedTuple):
    """A return over the whole span, and a year's; None when the span is a year or less.

    Examples
    --------
    >>> from pennyweight import Portfolio
    >>> account = Portfolio.from_rows([("2026-01-01", "a", "value", 100.0), ("2028-01-01", "a", "value", 121.0)])
    >>> round(account.time_weighted().annualized, 6)
    0.1
    """

    over_span: float
    annualized: float | None


class Period(NamedTuple):
    """From one valuation to the next. Flows are (day within the period, amount), deposits positive.

    Examples
    --------
    >>> from pennyweight import Portfolio
    >>> account = Portfolio.from_rows([("2026-01-01", "a", "value", 100.0), ("2026-03-01", "a", "value", 105.0)])
    >>> [(period.days, period.opening, period.closing) for period in account.periods]
    [(59, 100.0, 105.0)]
    """

    start: np.datetime64
    end: np.datetime64
    opening: float
    closing: float
    flows: tuple[tuple[int, float], ...]

    @property
    def days(self) -> int:
        """Calendar days, the last counted, the first not."""
        return int((self.end - self.start).astype(np.int64))

    @property
    def put_in(self) -> float:
        """Deposits less withdrawals."""
        return sum(amount for _, amount in self.flows)

    @property
    def gain(self) -> float:
        """What the period earned."""
        return self.closing - self.opening - self.put_in

    def capital(self, timing: Timing) -> float:
        """The average capital: the opening value, and each flow for the part of the period it was there.

        Parameters
        ----------
        timing : Timing
            When in its day a flow comes, "end" or "start".

        Returns
        -------
        float
            The average capital: the opening value, and each flow for the part of the period it was there.

        Examples
        --------
        >>> from pennyweight import Portfolio
        >>> rows = [("2026-01-01", "a", "value", 100.0),
        ...     ("2026-07-01", "a", "deposit", 20.0), ("2027-01-01", "a", "value", 130.0)]
        >>> round(Portfolio.from_rows(rows).periods[0].capital("end"), 4)
        110.0822
        """
        late = 0 if choice(timing, TIMINGS, "timing") == "end" else 1
        return self.opening + sum(amount * (self.days - day + late) / self.days for day, amount in self.flows)

    def modified_dietz(self, timing: Timing) -> float:
        """Gain over average capital.

        Parameters
        ----------
        timing : Timing
            As in `capital`.

        Returns
        -------
        float
            Gain over average capital.

        Raises
        ------
        NoAnswer
            When that capital is zero or less.

        Examples
        --------
        >>> from pennyweight import Portfolio
        >>> rows = [("2026-01-01", "a", "value", 100.0),
        ...     ("2026-07-01", "a", "deposit", 20.0), ("2027-01-01", "a", "value", 130.0)]
        >>> round(Portfolio.from_rows(rows).periods[0].modified_dietz("end"), 6)
        0.090841
        """
        capital = self.capital(timing)
        if capital <= 0:
            raise NoAnswer(
                f"From {self.start} to {self.end} the average capital is {capital:,.2f}; a return needs it above zero."
            )
        return self.gain / capital


def read_timing(timing: object) -> Timing:
    """When in its day a flow comes, checked.

    >>> read_timing("end")
    'end'
    """
    return choice(timing, TIMINGS, "timing")
