"""Internal rates of return: one row or a hundred thousand, each told exactly how it stands.

The equation is solved in x = log(discount factor) on y(x) = log(inflows' value / outflows' value), which is nearly a
straight line: one row in plain floats (`one_row`), many in chunks (`batch`), and whatever is left by the exact methods
(`any_rows`, on `cells`, `exact`, `intervals` and `precise`).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from pennyweight.array_kinds import Floats
from pennyweight.core.irr import exact
from pennyweight.core.irr.any_rows import any_rows
from pennyweight.core.irr.balances import settled_rows
from pennyweight.core.irr.batch import in_chunks
from pennyweight.core.irr.one_row import one_row
from pennyweight.core.irr.outcome import IrrOutcomes

__all__ = ["all_rates", "irr", "irr_outcomes", "rates_between"]


_FAST_FROM = 32  # rows from which the chunked method wins over the exact ones


def irr(flows: ArrayLike, *, times: ArrayLike | None = None) -> Floats:
    """Return the internal rate of return of each row of flows, NaN where there is none.

    Parameters
    ----------
    flows : array_like
        Money in positive, money out negative; shape (..., n).
    times : array_like | None, optional
        When each flow happens, shape (n,) or (..., n), in any order, in years; left out: 0, 1, 2….

    Returns
    -------
    array of float
        Rates per unit of time as fractions, shape (...). The present value at the rate, without its sign, is at most
        1e-9 of the sum of the flows without theirs. Rates are those above -100 %.

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Notes
    -----
    Where several rates bring the present value to zero, it is the one above zero when the undiscounted running total
    changes its sign exactly once and does not end at zero (Norstrøm's criterion: then there is exactly one above
    zero).

    Source: the definition, as in R. Brealey, S. Myers, F. Allen, "Principles of Corporate Finance", ch. 5; C.
    Norstrøm, Journal of Financial and Quantitative Analysis 7 (1972), 1835-1839.

    Examples
    --------
    >>> round(float(irr([-1000.0, 600.0, 600.0])), 6)
    0.130662
    """
    return irr_outcomes(flows, times=times).rate[()]


def irr_outcomes(flows: ArrayLike, *, times: ArrayLike | None = None) -> IrrOutcomes:
    """Return the rate of each row, NaN where it has none, and beside it the `IrrOutcome` that says why.

    Parameters
    ----------
    flows, times
        As in `irr`.

    Returns
    -------
    IrrOutcomes
        The rate of each row, NaN where it has none, and beside it the `IrrOutcome` that says why.

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Notes
    -----
    `IrrOutcome(code).reason` puts a code in words

    Examples
    --------
    >>> from pennyweight.core.irr.outcome import IrrOutcome
    >>> rows = [[-100.0, 110.0, 0.0], [-100.0, 230.0, -132.0], [1.0, 1.0, 1.0]]
    >>> [IrrOutcome(code).name for code in irr_outcomes(rows).outcome]
    ['ONE', 'SEVERAL', 'ONE_SIGN']
    """
    table, when = _merged(np.asarray(flows, dtype=np.float64), times)
    lead, n = table.shape[:-1], table.shape[-1]
    if table.size == n:
        row = table.reshape(n).tolist()
        rate, outcome = one_row(row, None if when is None else when.reshape(-1).tolist())
        return IrrOutcomes(np.full(lead, rate), np.full(lead, outcome, dtype=np.int8))
    rows = table.reshape(-1, n)
    rate_rows = np.full(rows.shape[0], np.nan)
    outcomes = np.zeros(rows.shape[0], dtype=np.int8)
    if when is not None and when.ndim > 1:
        when = np.broadcast_to(when, table.shape).reshape(-1, n)
    if when is None and rows.shape[0] < _FAST_FROM:
        for k, row in enumerate(rows.tolist()):
            rate_rows[k], outcomes[k] = one_row(row)
        return IrrOutcomes(rate_rows.reshape(lead), outcomes.reshape(lead))
    rest = in_chunks(rows, rate_rows) if when is None and n > 1 else np.arange(rows.shape[0])
    if rest.size and when is None and n > 1:
        found = np.full(rest.size, np.nan)
        settled = settled_rows(rows[rest], found)
        rate_rows[rest[settled]] = found[settled]
        rest = rest[~settled]
    if rest.size:
        here = when if when is None or when.ndim == 1 else when[rest]
        rate_rows[rest], outcomes[rest] = any_rows(rows[rest], here)
    return IrrOutcomes(rate_rows.reshape(lead), outcomes.reshape(lead))


def all_rates(flows: ArrayLike, *, times: ArrayLike | None = None) -> tuple[list[float], list[float]]:
    """Every real rate above -100 % at which one row of flows is worth nothing: (crossing, touching).

    Args as in `irr`, one row. Crossing: the present value changes sign there; touching: it does not.

    >>> crossing, touching = all_rates([-100.0, 230.0, -132.0])
    >>> [round(rate, 9) for rate in crossing], touching
    ([0.1, 0.2], [])
    """
    row, when = _merged(np.asarray(flows, dtype=np.float64).reshape(1, -1), times)
    if not np.isfinite(row).all():
        return [], []
    found = exact.solve_rows(row, when)
    with np.errstate(over="ignore"):
        rates = np.expm1(-found.x) + 0.0
    inside = np.isfinite(rates) & (rates > -1)
    order = np.argsort(rates)
    return (
        [float(rates[k]) for k in order if inside[k] and not found.touches[k]],
        [float(rates[k]) for k in order if inside[k] and found.touches[k]],
    )


def rates_between(flows: ArrayLike, low: ArrayLike, high: ArrayLike) -> Floats:
    """The rate of each row of periodic flows (rows, n) from `low` to `high`, both in; NaN where it is not the only one.

    A rate at which the present value touches zero counts, and is none. `low` and `high` are (1,) or (rows,).

    >>> rates_between([[-100.0, 230.0, -132.0]], [0.15], [0.5]).round(9).tolist()
    [0.2]
    """
    rows = np.asarray(flows, dtype=np.float64)
    lows, highs = (np.broadcast_to(np.asarray(end, dtype=np.float64), rows.shape[:1]) for end in (low, high))
    found = np.full(rows.shape[0], np.nan)
    sound = np.isfinite(rows).all(axis=1) & (rows > 0).any(axis=1) & (rows < 0).any(axis=1)
    work = np.flatnonzero(sound & (lows <= highs))
    if not work.size:
        return found
    roots = exact.solve_rows(rows[work], None)
    with np.errstate(over="ignore"):
        at = np.expm1(-roots.x) + 0.0
    row = work[roots.row]
    room = 1e-12 * (1 + np.abs(at))
    inside = np.isfinite(at) & (at > -1) & (at >= lows[row] - room) & (at <= highs[row] + room)
    once = np.bincount(row[inside], minlength=rows.shape[0]) == 1
    chosen = inside & once[row] & ~roots.touches
    found[row[chosen]] = at[chosen]
    return found


def _merged(table: Floats, times: ArrayLike | None) -> tuple[Floats, Floats | None]:
    """Flows put in the order of their times, those of one time added up."""
    if times is None:
        return table, None
    when = np.asarray(times, dtype=np.float64)
    if (np.diff(when, axis=-1) > 0).all():
        return table, when
    if when.ndim > 1:
        when = np.broadcast_to(when, table.shape)
        order = np.argsort(when, axis=-1, kind="stable")
        when, table = np.take_along_axis(when, order, axis=-1), np.take_along_axis(table, order, axis=-1)
        return _once_each(table, when)
    order = np.argsort(when, kind="stable")
    when, table = when[order], table[..., order]
    once, place = np.unique(when, return_inverse=True)
    starts = np.flatnonzero(np.append([True], np.diff(place) > 0))
    return np.asarray(np.add.reduceat(table, starts, axis=-1)), once


def _once_each(table: Floats, when: Floats) -> tuple[Floats, Floats]:
    """Rows whose times repeat, each with its own: what repeats is added to the first, and the rest comes later as 0."""
    again = np.diff(when, axis=-1) == 0
    if not again.any():
        return table, when
    lead, n = table.shape[:-1], table.shape[-1]
    rows, times = table.reshape(-1, n).copy(), when.reshape(-1, n).copy()
    for row, at in zip(rows, times, strict=True):
        once, place = np.unique(at, return_inverse=True)
        spread = max(float(once[-1] - once[0]), 1.0)
        row[:] = np.bincount(place, weights=row, minlength=n)
        at[: once.size] = once
        at[once.size :] = once[-1] + spread * np.arange(1, n - once.size + 1) / n
    return rows.reshape(*lead, n), times.reshape(*lead, n)
