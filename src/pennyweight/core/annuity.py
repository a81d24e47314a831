"""Level and growing payments: worth today, worth later, the payment, the number of payments, the rate.

Array functions (numbers in, a number out), everything per period: `rate_per_period`, `growth_per_period`, `periods` how
many payments. Payments are at the end of each period, or at its start. Each value satisfies

    present = payment * a(periods, rate, growth) + future * (1 + rate) ** -periods

with a = (1 - ((1 + growth) / (1 + rate)) ** periods) / (rate - growth), times 1 + rate when paid at the start. With
d = (growth - rate) / (1 + rate) it is expm1(periods * log1p(d)) / (d * (1 + rate)), which keeps its digits for zero and
tiny rates and for growth next to the rate.

Source: S. Kellison, "The Theory of Interest", 3rd ed., sections 3.2-3.6 and 4.6 (payments in geometric progression).
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import ArrayLike

from pennyweight.array_kinds import Floats
from pennyweight.errors import choice

__all__ = [
    "annuity_factor",
    "future_value",
    "level_payment",
    "payments_needed",
    "perpetuity_factor",
    "present_value",
    "rate_needed",
]

Paid = Literal["end", "start"]
PAID: tuple[Paid, ...] = ("end", "start")

_CHUNK = 8_192


def annuity_factor(
    rate_per_period: ArrayLike, periods: ArrayLike, *, growth_per_period: ArrayLike = 0.0, paid: Paid = "end"
) -> Floats:
    """Return the worth today of payments 1, 1 + growth, (1 + growth) ** 2…, one a period.

    Parameters
    ----------
    rate_per_period, growth_per_period : array_like
        Of one period.
    periods : array_like
        How many there are.
    paid : Paid, default 'end'
        At the "end" or the "start" of each.

    Returns
    -------
    array of float
        The worth today of payments 1, 1 + growth, (1 + growth) ** 2…, one a period.

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Notes
    -----
    NaN where rate or growth is -1 or less. Shapes broadcast. Source: S. Kellison, "The Theory of Interest", 3rd ed.,
    ch. 3

    Examples
    --------
    >>> round(float(annuity_factor(0.05, 10)), 6), float(annuity_factor(0.05, 10, growth_per_period=0.05)) == 10 / 1.05
    (7.721735, True)
    """
    i, n, g = _floats(rate_per_period), _floats(periods), _floats(growth_per_period)
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        d = (g - i) / (1.0 + i)
        factor = np.where(d == 0, n, np.expm1(n * np.log1p(d)) / np.where(d == 0, 1.0, d))
        if choice(paid, PAID, "paid") == "end":
            factor = factor / (1.0 + i)
        return _scalar(np.where((i > -1) & (g > -1), factor, np.nan))


def perpetuity_factor(rate_per_period: ArrayLike, *, growth_per_period: ArrayLike = 0.0, paid: Paid = "end") -> Floats:
    """Return the worth today of payments that never end: 1 / (rate - growth), NaN unless rate > growth.

    Parameters
    ----------
    rate_per_period, growth_per_period : array_like
        Of one period.
    paid : Paid, default 'end'
        At the "end" or the "start" of each.

    Returns
    -------
    array of float
        The worth today of payments that never end: 1 / (rate - growth), NaN unless rate > growth.

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Notes
    -----
    Shapes broadcast

    Examples
    --------
    >>> float(perpetuity_factor(0.05)), float(perpetuity_factor(0.05, growth_per_period=0.05))
    (20.0, nan)
    """
    i, g = _floats(rate_per_period), _floats(growth_per_period)
    with np.errstate(divide="ignore", invalid="ignore"):
        factor = (1.0 + i if choice(paid, PAID, "paid") == "start" else 1.0) / (i - g)
    return _scalar(np.where((i > g) & (g > -1), factor, np.nan))


def present_value(
    *,
    payment: ArrayLike = 0.0,
    future: ArrayLike = 0.0,
    rate_per_period: ArrayLike,
    periods: ArrayLike,
    growth_per_period: ArrayLike = 0.0,
    paid: Paid = "end",
) -> Floats:
    """Return the worth today of `payment` each period and of `future` at the end of the last.

    Parameters
    ----------
    rate_per_period : array_like
        The rate of one period, a fraction (of a yearly 6% paid monthly 0.06 / 12).
    periods : array_like
        How many periods, zero or more.
    growth_per_period : array_like, default 0.0
        By how much each payment is larger than the one before, a fraction.
    paid : Paid, default 'end'
        Whether payments come at the "end" or the "start" of each period.
    payment : array_like, default 0.0
        The amount of each period, in the currency.
    future : array_like, default 0.0
        What comes at the end of the last period besides.

    Returns
    -------
    array of float
        The worth today of `payment` each period and of `future` at the end of the last.

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Notes
    -----
    Shapes broadcast

    Examples
    --------
    >>> round(float(present_value(payment=100.0, rate_per_period=0.05, periods=10)), 2)
    772.17
    """
    i, n = _floats(rate_per_period), _floats(periods)
    worth = _floats(payment) * annuity_factor(i, n, growth_per_period=growth_per_period, paid=paid) + _floats(
        future
    ) / _growth(i, n)
    return _scalar(worth)


def future_value(
    *,
    payment: ArrayLike = 0.0,
    present: ArrayLike = 0.0,
    rate_per_period: ArrayLike,
    periods: ArrayLike,
    growth_per_period: ArrayLike = 0.0,
    paid: Paid = "end",
) -> Floats:
    """Return what `payment` each period and `present` today have become at the end of the last period.

    Parameters
    ----------
    rate_per_period, periods, growth_per_period, paid
        As in `present_value`.
    payment : array_like, default 0.0
        The amount of each period, in the currency.
    present : array_like, default 0.0
        What there is today, in the currency.

    Returns
    -------
    array of float
        What `payment` each period and `present` today have become at the end of the last period.

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Notes
    -----
    Shapes broadcast

    Examples
    --------
    >>> round(float(future_value(payment=100.0, rate_per_period=0.05, periods=10)), 2)
    1257.79
    """
    i, n = _floats(rate_per_period), _floats(periods)
    worth = _floats(payment) * annuity_factor(i, n, growth_per_period=growth_per_period, paid=paid) + _floats(present)
    return _scalar(worth * _growth(i, n))


def level_payment(
    *,
    owed: ArrayLike,
    still_owed: ArrayLike = 0.0,
    rate_per_period: ArrayLike,
    periods: ArrayLike,
    growth_per_period: ArrayLike = 0.0,
    paid: Paid = "end",
) -> Floats:
    """Return the payment each period that takes a debt from `owed` to `still_owed`; with growth, the first one.

    Parameters
    ----------
    rate_per_period, periods, growth_per_period, paid
        As in `present_value`.
    owed : array_like
        What is owed today, in the currency.
    still_owed : array_like, default 0.0
        What is left after the last payment.

    Returns
    -------
    array of float
        The payment each period that takes a debt from `owed` to `still_owed`; with growth, the first one.

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Notes
    -----
    Shapes broadcast. NaN where there is no period to pay in

    Examples
    --------
    >>> round(float(level_payment(owed=100_000.0, rate_per_period=0.06 / 12, periods=360)), 2)
    599.55
    """
    i, n = _floats(rate_per_period), _floats(periods)
    factor = annuity_factor(i, n, growth_per_period=growth_per_period, paid=paid)
    with np.errstate(divide="ignore", invalid="ignore"):
        payment = (_floats(owed) - _floats(still_owed) / _growth(i, n)) / factor
    return _scalar(np.where(np.isfinite(payment), payment, np.nan))


def payments_needed(
    *, owed: ArrayLike, payment: ArrayLike, still_owed: ArrayLike = 0.0, rate_per_period: ArrayLike, paid: Paid = "end"
) -> Floats:
    """Return how many level payments take a debt from `owed` to `still_owed`; not whole as a rule.

    Parameters
    ----------
    owed : array_like
        What is owed today, in the currency.
    payment : array_like
        Each payment, in the currency.
    still_owed : array_like, default 0.0
        What is left after the last payment.
    rate_per_period : array_like
        The rate of one period, a fraction: 0.005 is 0.5 %.
    paid : Paid, default 'end'
        Whether payments come at the "end" or the "start" of a period.

    Returns
    -------
    array of float
        How many level payments take a debt from `owed` to `still_owed`; not whole as a rule.

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Notes
    -----
    log((payment - still_owed i) / (payment - owed i)) / log(1 + i). NaN where the payment never gets there.
    `rate_per_period` is of one period; `paid` at the "end" or the "start" of each. Shapes broadcast.

    Examples
    --------
    >>> round(float(payments_needed(owed=100_000.0, payment=599.5505251527570, rate_per_period=0.005)), 6)
    360.0
    """
    i = _floats(rate_per_period)
    each = _floats(payment) * (1.0 + i if choice(paid, PAID, "paid") == "start" else 1.0)
    a, b = _floats(owed), _floats(still_owed)
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        # (each - b i) / (each - a i) = 1 + (a - b) i / (each - a i)
        gone = (a - b) * i / (each - a * i)
        count = np.where(i == 0, (a - b) / each, np.log1p(gone) / np.where(i == 0, 1.0, np.log1p(i)))
        reached = (i > -1) & np.isfinite(count) & (count >= 0)
    return _scalar(np.where(reached, count, np.nan))


def rate_needed(*, owed: ArrayLike, payment: ArrayLike, periods: ArrayLike, paid: Paid = "end") -> Floats:
    """Return the rate per period at which level payments, `paid` at its "end" or "start", just clear what is owed.

    Parameters
    ----------
    owed : array_like
        What is owed today, in the currency.
    payment : array_like
        Each payment, in the currency.
    periods : array_like
        How many periods, zero or more.
    paid : Paid, default 'end'
        Whether payments come at the "end" or the "start" of a period.

    Returns
    -------
    array of float
        The rate per period at which level payments, `paid` at its "end" or "start", just clear what is owed.

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Notes
    -----
    NaN where payment or owed is not above zero. The payment at the rate agrees with the one given to 1e-12
    of itself. A million rows take one call; shapes broadcast.

    Method: Halley's steps from a rational start, on i / (1 - (1 + i) ** -n) - payment / owed, which is smooth and
    monotone in i (zero included).

    Examples
    --------
    >>> round(float(rate_needed(owed=100_000.0, payment=599.55, periods=360)), 7)
    0.005
    """
    a, p, n = (_floats(owed), _floats(payment), _floats(periods))
    a, p, n = np.broadcast_arrays(a, p, n)
    shape = a.shape
    if (
        choice(paid, PAID, "paid") == "start"
    ):  # the first payment at once leaves one payment fewer, each at the end, on what is left
        a, n = a - p, n - 1
    with np.errstate(divide="ignore", invalid="ignore", over="ignore", under="ignore"):
        share = np.divide(p, a).reshape(-1)
        count = np.ascontiguousarray(n).reshape(-1)
        found = np.empty(share.size)
        room = np.empty((9, min(_CHUNK, share.size)))
        for start in range(0, share.size, _CHUNK):
            part = slice(start, start + _CHUNK)
            _rates_of(share[part], count[part], found[part], room)
        sound = (share > 0) & (count >= 1) & np.isfinite(found) & (found > -1)
    return _scalar(np.where(sound, found, np.nan).reshape(shape))


def _rates_of(share: Floats, n: Floats, i: Floats, room: Floats) -> None:
    """Fill in i with i / (1 - (1 + i) ** -n) = share: a rational start, then Halley's steps without branches."""
    room = room[:, : share.size]
    y, start, spare = room[:3]
    np.multiply(share, n, out=y)
    y -= 1.0
    np.add(n, 1.0, out=spare)
    np.divide(y, spare, out=start)
    start *= 2.0
    np.multiply(y, 1.0 / 3.0, out=spare)
    spare += 1.0
    np.multiply(start, spare, out=i)
    start *= n
    start *= 1.0 / 3.0
    start += 1.0
    i /= start
    # Far above the start's reach the rate is nearly the share itself; far below, keep above -100 %.
    wide = np.flatnonzero((share > 1.0) & (n > 1.0) | ~(i > -0.99))
    i[wide] = np.where(share[wide] > 1.0, np.maximum(i[wide], 0.5 * share[wide]), -0.9)
    # Next to a rate of zero the start is exact to y squared, and the steps would divide zero by zero.
    tiny = np.flatnonzero(np.abs(y) < 1e-7)
    exact = i[tiny]
    i[tiny] = 1e-3
    for _ in range(2):
        away = _halley(i, share, n, room)
    # A step is cubic: from 1e-4 away it lands within the last digits. The few that were further go on.
    far = ~(np.abs(away) <= 1e-4 * share) | ~(i > -1)
    far[tiny] = False
    left = np.flatnonzero(far)
    for _ in range(100):
        if not left.size:
            break
        rest = i[left]
        rest = np.where(rest > -1, rest, -1.0 + 1e-12)
        away = _halley(rest, share[left], n[left], np.empty((9, left.size)))
        before = i[left]
        i[left] = np.where(rest > -1, rest, (np.maximum(before, -1.0) - 1.0) / 2.0)
        left = left[~(np.abs(away) <= 1e-5 * share[left])]
    i[left] = np.nan
    i[tiny] = exact


def _halley(i: Floats, share: Floats, n: Floats, room: Floats) -> Floats:
    """One step on f(i) = i / w - share, w = 1 - (1 + i) ** -n, in place; returns f before the step.

    With q = 1 + i, s = dw/di = n (1 + i) ** -n / q and R = i / w: R' = (1 - R s) / w and
    R'' = (R s (n + 1) / q - 2 R' s) / w.
    """
    q, w, s, ratio, first, second, f, newton, spare = room
    np.add(i, 1.0, out=q)
    np.log1p(i, out=w)
    w *= n
    np.negative(w, out=w)
    np.expm1(w, out=w)
    np.add(w, 1.0, out=s)
    s *= n
    s /= q
    np.negative(w, out=w)
    np.divide(i, w, out=ratio)
    np.subtract(ratio, share, out=f)
    ratio *= s
    np.subtract(1.0, ratio, out=first)
    first /= w
    np.add(n, 1.0, out=second)
    second /= q
    second *= ratio
    np.multiply(first, s, out=spare)
    spare *= 2.0
    second -= spare
    second /= w
    np.divide(f, first, out=newton)
    second *= newton
    second /= first
    second *= -0.5
    second += 1.0
    newton /= second
    i -= newton
    return np.asarray(f)


def _growth(i: Floats, n: Floats) -> Floats:
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        return np.where(i > -1, np.exp(n * np.log1p(i)), np.nan)


def _floats(value: ArrayLike) -> Floats:
    return np.asarray(value, dtype=np.float64)


def _scalar(value: Floats) -> Floats:
    """A number for numbers, an array for arrays."""
    return value[()]
