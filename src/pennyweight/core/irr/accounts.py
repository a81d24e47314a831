"""Internal rates of return of many accounts at once, each with flows of its own at times of its own.

The flows lie one account after the other in flat arrays. For all accounts together Newton's steps are taken on
y(x) = log(inflows' value / outflows' value), x = log(1 + rate), which is nearly straight; sums over an account are
`np.add.reduceat`. A rate found is kept when it is certainly the only one:

- the account's balance at that rate never changes sides before the end (D. Teichroew, A. Robichek, M. Montalbano,
  Management Science 11, 1965), or
- intervals from the rate outwards show the sign on either side: inflows' and outflows' values both rise with x, so
  their values at the two ends of an interval bound the difference inside it.

Every other account is settled by the exact method of `roots`, one by one.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from pennyweight.array_kinds import Floats
from pennyweight.core.irr.find_rates import irr_outcomes
from pennyweight.core.irr.outcome import IrrOutcome, IrrOutcomes

__all__ = ["account_rates"]


_CHUNK = 32_768
_PASSES = 12
_STRAIGHTENED = 3


def account_rates(amounts: ArrayLike, times: ArrayLike, offsets: ArrayLike) -> IrrOutcomes:
    """Return the internal rate of return of each account, with its `IrrOutcome`.

    Parameters
    ----------
    amounts : array_like
        All flows, in positive, out negative, (flows,).
    times : array_like
        When each happens, in years, not falling within an account, (flows,).
    offsets : array_like
        Where each account begins in them, (accounts,), the first 0.

    Returns
    -------
    IrrOutcomes
        Rates (accounts,), NaN where the outcome has no rate.

    Examples
    --------
    >>> account_rates([-100.0, 110.0, -50.0, 60.5], [0.0, 1.0, 0.0, 2.0], [0, 2]).rate.round(6).tolist()
    [0.1, 0.1]
    """
    flows, when = np.asarray(amounts, dtype=np.float64), np.asarray(times, dtype=np.float64)
    begin = np.asarray(offsets, dtype=np.intp)
    if not flows.all():  # flows of zero say nothing, and would only stretch an account's scale
        kept = flows != 0
        begin = np.concatenate([[0], np.cumsum(kept)])[begin]
        flows, when = flows[kept], when[kept]
    filled = np.append(begin[1:], flows.size) > begin
    if not filled.all():
        rates, outcomes = np.full(begin.size, np.nan), np.full(begin.size, IrrOutcome.ONE_SIGN, dtype=np.int8)
        if filled.any():
            rates[filled], outcomes[filled] = account_rates(flows, when, begin[filled])
        return IrrOutcomes(rates, outcomes)
    ends = np.append(begin[1:], flows.size)
    rate = np.full(begin.size, np.nan)
    outcome = np.zeros(begin.size, dtype=np.int8)
    left: list[NDArray[np.intp]] = []
    guesses = np.full(begin.size, np.nan)
    first = 0
    while first < begin.size:
        last = max(int(np.searchsorted(ends, begin[first] + _CHUNK, side="right")), first + 1)
        part = slice(int(begin[first]), int(ends[last - 1]))
        with np.errstate(all="ignore"):
            found, sound = _solve(flows[part], when[part], begin[first:last] - begin[first])
        rate[first:last] = np.where(sound, found, np.nan)
        guesses[first:last] = found
        left.append(first + np.flatnonzero(~sound))
        first = last
    for k in np.concatenate(left) if left else ():
        own = slice(int(begin[k]), int(ends[k]))
        if _only_one(flows[own], when[own], guesses[k]):
            rate[k] = guesses[k]
            continue
        days, place = np.unique(when[own], return_inverse=True)
        row = np.bincount(place, weights=flows[own], minlength=days.size)
        exact = irr_outcomes(row, times=days)
        rate[k], outcome[k] = float(exact.rate), int(exact.outcome)
    return IrrOutcomes(rate, outcome)


def _solve(flows: Floats, times: Floats, begin: NDArray[np.intp]) -> tuple[Floats, NDArray[np.bool_]]:
    """(rate, whether it is certainly the only one) of the accounts of one chunk."""
    lengths = np.diff(np.append(begin, flows.size))
    inflow = np.maximum(flows, 0.0)
    outflow = inflow - flows
    spans = times[begin + lengths - 1]
    # Time counted back from each account's end: positive powers of 1 + rate, near 1 for what comes late.
    back = np.repeat(spans, lengths) - times
    total_in, total_out = np.add.reduceat(inflow, begin), np.add.reduceat(outflow, begin)
    mean_in = np.add.reduceat(inflow * back, begin) / total_in
    mean_out = np.add.reduceat(outflow * back, begin) / total_out
    x = np.log(total_in / total_out) / (mean_out - mean_in)
    step = np.full(begin.size, np.inf)
    weight, worth, moved = np.empty_like(flows), np.empty_like(flows), np.empty_like(flows)
    for number in range(_PASSES):
        np.multiply(np.repeat(x, lengths), back, out=weight)
        np.exp(weight, out=weight)
        np.multiply(weight, flows, out=worth)
        total = np.add.reduceat(worth, begin)
        np.multiply(worth, back, out=moved)
        total_slope = np.add.reduceat(moved, begin)
        if number < _STRAIGHTENED:
            weight *= outflow
            out = np.add.reduceat(weight, begin)
            weight *= back
            out_slope = np.add.reduceat(weight, begin)
            slope = (total_slope + out_slope) / (total + out) - out_slope / out
            step = np.log1p(total / out) / slope
        else:  # near the rate the value itself is straight enough, and costs half
            step = total / total_slope
        x = x - step
        if not (np.abs(step) > 1e-7 * np.maximum(np.abs(x), 1e-3)).any():
            break
    # The balances at the last place but a step of no account.
    balance = np.cumsum(worth)
    before = np.repeat(balance[begin] - worth[begin], lengths)
    side = np.repeat(np.sign(worth[begin]), lengths)
    size = np.repeat(np.add.reduceat(np.abs(worth), begin), lengths)
    stays = (balance - before) * side >= -1e-9 * size
    rate = np.expm1(x)
    settled = np.abs(step) <= 1e-5 * np.maximum(np.abs(x), 1e-2)
    sound = np.logical_and.reduceat(stays, begin) & settled & np.isfinite(rate) & (rate > -1) & (lengths > 1)
    return rate, sound


_REACHES = np.array([0.02, 0.05, 0.1, 0.2, 0.5, 1.0, 3.0])
_OUTWARDS: Floats = 1e-4 * 1.03 ** np.arange(350, dtype=np.float64)  # to 3.0 on either side, in log(1 + rate)


def _only_one(flows: Floats, times: Floats, rate: float) -> bool:
    """Whether no other rate than this one brings an account to zero, shown by intervals; False: not shown."""
    if not (np.isfinite(rate) and rate > -1):
        return False
    back = times[-1] - times
    x = float(np.log1p(rate))
    with np.errstate(over="ignore", invalid="ignore"):
        # Far out: there are at most as many rates as the partial sums there change sign (Laguerre), from the first
        # flow on for higher rates, from the last one back for lower ones.
        higher = np.cumsum(flows * np.exp(np.outer(x + _REACHES, back)), axis=1)
        lower = np.cumsum((flows * np.exp(np.outer(x - _REACHES, back)))[:, ::-1], axis=1)
        up, down = (higher < 0).all(axis=1), (lower > 0).all(axis=1)
        if not (up.any() and down.any()):
            return False
        # Near by: intervals between nodes, as far as those reach; wide ones first, because they often do.
        reach = int(np.searchsorted(_OUTWARDS, _REACHES[max(up.argmax(), down.argmax())])) + 1
        return any(_signs_hold(flows, back, x, np.asarray(_OUTWARDS[: reach + stride : stride])) for stride in (8, 1))


def _signs_hold(flows: Floats, back: Floats, x: float, outwards: Floats) -> bool:
    """Whether the value is above zero all the way below x and below zero above it, node by node."""
    weight = np.exp(np.outer(x + np.concatenate([-outwards[::-1], outwards]), back))
    paid_in, paid_out = np.maximum(flows, 0.0), np.maximum(-flows, 0.0)
    inflow, outflow = weight @ paid_in, weight @ paid_out
    half = outwards.size
    inflow_slope, outflow_slope = weight[half] @ (paid_in * back), weight[half - 1] @ (paid_out * back)
    positive = (inflow[: half - 1] > outflow[1:half]).all() and inflow[half - 1] > outflow[half - 1]
    negative = (inflow[half + 1 :] < outflow[half:-1]).all() and inflow[half] < outflow[half]
    return bool(inflow_slope < outflow_slope and positive and negative)
