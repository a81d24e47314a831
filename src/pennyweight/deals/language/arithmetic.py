"""What the functions of the deal language work out, on arrays; the registry is `functions`.

Each takes the timeline, then its arguments in the order of the registry; one that was left out is None. Lines
are (periods + 1, width), single values (width,); widths broadcast. NaN is undefined. `why_…` tells, for one case, why a
result is undefined.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats
from pennyweight.core import rate_forms
from pennyweight.core.dates import add_months
from pennyweight.core.dates import months_between as whole_and_broken_months
from pennyweight.deals.timeline import Timeline

__all__ = [
    "WHOLE",
    "at_period",
    "clamp",
    "date",
    "end_of_year",
    "fold",
    "grown",
    "grown_yearly",
    "months_between",
    "per_period",
    "period_of",
    "plain",
    "prior",
    "rounded",
    "running",
    "whole",
    "why_at",
    "years_between",
]


WHOLE = 1e-6

# Growth.


def per_period(time: Timeline, rate: Floats) -> Floats:
    """A yearly rate turned into one of a period."""
    return rate_forms.per_period(rate, time.per_year)


def grown(time: Timeline, rate: Floats) -> Floats:
    """(1 + rate) to the power of the years gone by."""
    return np.exp(time.years[:, None] * np.log1p(np.where(rate > -1, rate, np.nan)))


def grown_yearly(time: Timeline, rate: Floats) -> Floats:
    """The same in yearly steps, 1 all through year 1."""
    since = np.maximum(time.year - 1, 0)
    whole = np.arange(since[-1, 0] + 1)[:, None]
    by_year = np.exp(whole * np.log1p(np.where(rate > -1, rate, np.nan)))
    return np.take(by_year, since[:, 0].astype(np.intp), axis=0)


def end_of_year(time: Timeline, years: Floats) -> Floats:
    """The last period of a year."""
    return years * time.per_year


# One line over time.


def whole(x: Floats) -> NDArray[np.bool_]:
    """Whether each is a whole number, but for rounding."""
    return np.asarray(np.abs(x - np.round(x)) <= WHOLE)


def at_period(time: Timeline, x: Floats, k: Floats, otherwise: Floats | None = None) -> Floats:
    """The value in one period; outside the timeline what is said otherwise, undefined without that.

    A single number is the same in every period of the timeline, and in none outside it.
    """
    x = np.broadcast_to(x, (time.rows, x.shape[-1]))
    width = max(x.shape[1], k.shape[-1])
    inside = whole(k) & (k >= -WHOLE) & (k <= time.periods + WHOLE)
    index = np.where(inside, np.round(np.where(inside, k, 0)), 0).astype(np.intp)
    columns = np.broadcast_to(x, (x.shape[0], width))
    index = np.broadcast_to(index, (*k.shape[:-1], width))
    taken = np.take_along_axis(columns, np.atleast_2d(index), axis=0).reshape(index.shape)
    if otherwise is None:
        return np.where(inside, taken, np.nan)
    return np.where(inside, taken, np.where(whole(k), otherwise, np.nan))


def why_at(time: Timeline, x: Floats, k: Floats, otherwise: Floats | None = None) -> str:
    """There is no such period."""
    asked = float(k.reshape(-1)[0])
    if not whole(k).all():
        return f"period {asked:g} is not a whole one"
    return f"there is no period {asked:g}; they run from 0 to {time.periods}"


def prior(time: Timeline, x: Floats) -> Floats:
    """The value one period earlier."""
    result = np.empty_like(x)
    result[0] = 0.0
    result[1:] = x[:-1]
    return result


def running(time: Timeline, x: Floats) -> Floats:
    """The running total."""
    return np.cumsum(x, axis=0)


# Days, as numbers of days since 1970.


def date(time: Timeline, k: Floats) -> Floats:
    """The day a period ends on."""
    if time.dates is None:
        return np.full(k.shape, np.nan)
    days = time.dates.astype(np.int64).astype(np.float64)
    inside = whole(k) & (k >= -WHOLE) & (k <= time.periods + WHOLE)
    return np.where(inside, days[np.where(inside, np.round(np.where(inside, k, 0)), 0).astype(np.intp)], np.nan)


def period_of(time: Timeline, day: Floats) -> Floats:
    """The period that holds a day; before the day of the deal and beyond the end as if the timeline went on."""
    if time.dates is None:
        return np.full(day.shape, np.nan)
    days = time.dates.astype(np.int64).astype(np.float64)
    held = np.searchsorted(days, np.where(np.isfinite(day), day, 0.0)).astype(np.float64)
    outside = np.isfinite(day) & ((day < days[0]) | (day > days[-1]))
    if outside.any():
        held[outside] = _period_outside(time, day[outside])
    return np.where(np.isnan(day), np.nan, np.where(np.isposinf(day), np.inf, held))


def _period_outside(time: Timeline, day: Floats) -> Floats:
    """The period of days outside the timeline: the first whose end is not before the day."""
    assert time.dates is not None
    step = 12 // time.per_year
    asked = np.clip(day, -719_162, 2_932_896).astype(np.int64).astype("datetime64[D]")
    months = (asked.astype("datetime64[M]") - time.dates[0].astype("datetime64[M]")).astype(np.int64)
    found = np.full(day.shape, np.inf)
    for near in (1, 0, -1):  # the calendar month is at most one step from the period
        period = months // step + near
        ends = add_months(time.dates[0], period * step)
        found = np.where(ends >= asked, period, found)
    return found


def months_between(time: Timeline, start: Floats, end: Floats) -> Floats:
    """Months from one day to another."""
    known = np.isfinite(start) & np.isfinite(end)
    first = np.where(known, start, 0.0).astype(np.int64).astype("datetime64[D]")
    last = np.where(known, end, 0.0).astype(np.int64).astype("datetime64[D]")
    return np.where(known, whole_and_broken_months(first, last), np.nan)


def years_between(time: Timeline, start: Floats, end: Floats) -> Floats:
    """Years from one day to another."""
    return months_between(time, start, end) / 12.0


# Plain arithmetic, element by element.


def fold(ufunc: np.ufunc) -> Callable[..., Floats]:
    """A function of two values, for any number of them."""

    def compute(time: Timeline, *arguments: Floats) -> Floats:
        result = arguments[0]
        for argument in arguments[1:]:
            result = ufunc(result, argument)
        return result

    return compute


def plain(ufunc: np.ufunc) -> Callable[..., Floats]:
    """A function of one value that is undefined where it has no finite result."""

    def compute(time: Timeline, x: Floats) -> Floats:
        with np.errstate(all="ignore"):
            result: Floats = ufunc(x)
        return np.where(np.isinf(result), np.nan, result)

    return compute


def clamp(time: Timeline, x: Floats, low: Floats, high: Floats) -> Floats:
    """The value kept between two."""
    return np.where(low <= high, np.minimum(np.maximum(x, low), high), np.nan)


def rounded(time: Timeline, x: Floats, places: Floats | None = None) -> Floats:
    """The value rounded, halves away from zero."""
    scale = 1.0 if places is None else 10.0 ** np.round(places)
    # Half away from zero, as written arithmetic rounds; a hair lets 1.005 written in binary round up.
    scaled = np.abs(x) * scale
    return np.sign(x) * np.floor(scaled * (1 + 4e-16) + 0.5) / scale
