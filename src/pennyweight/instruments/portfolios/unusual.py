"""Periods of an account that cannot be right by its own measure: a flow missing, booked twice, or turned around.

Each period is judged against the others. Its return, less that of the benchmark and the drift of the others, is set
against how far the others lie from theirs, both by the square root of their days. The scale is the larger of the median
deviation (1.4826 times, as for a normal) and the mean one; few others make the bound wider. An account that swings
widely is left alone: what stands out must be twice as far out as any other period, or far beyond the bound. Where there
are one or two others alone, the bound is a fixed one for a month, growing with the root of the days.

Source: P. Rousseeuw, C. Croux, "Alternatives to the Median Absolute Deviation", JASA 88 (1993), for the scale.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats
from pennyweight.errors import NoAnswer
from pennyweight.instruments.portfolios.periods import Period, Timing

__all__ = ["unusual_periods"]


_FAR = 8.0
"""So many times the scale of the others is unusual, when there are many of them."""
_FEW = 4.0
_LEAST_OTHERS = 3
_ALONE = 0.4
_LEAST = 0.02
"""Whatever the account does, two percent of it in a period are never unusual."""
_CALM = 0.005 / np.sqrt(365.0)
"""The scale is that of half a percent a year at least."""
_ALIKE = 0.01
"""Flows are the same where they differ by less."""
_MOST_ALIKE = 0.75
"""Where so many of the other periods have the same flow, it comes with a rhythm."""


def unusual_periods(periods: Sequence[Period], beside: Floats | None, timing: Timing) -> list[str]:
    """A sentence for each period whose gain does not fit the others; `beside` are the benchmark's returns of them."""
    returns = np.array([_return(period, timing) for period in periods])
    known = np.isfinite(returns) & (returns > -1)
    with np.errstate(divide="ignore", invalid="ignore"):
        gone = np.where(known, np.log1p(np.where(known, returns, 0.0)), np.nan)
    gone = gone if beside is None else gone - np.log1p(beside)
    days = np.array([float(period.days) for period in periods])
    found = []
    for k in np.flatnonzero(known):
        others = known.copy()
        others[k] = False
        if not others.any():
            continue
        excess, bound, furthest = _beside_others(gone, days, int(k), others)
        if said := _out_of_rhythm(periods, int(k), others, excess, float(bound), timing):
            found.append(said)
            continue
        stands_out = abs(excess) / np.sqrt(days[k]) > 2 * furthest or abs(excess) > 2.5 * bound
        if abs(excess) > max(bound, _LEAST) and stands_out:
            low, high = float(returns[others].min()), float(returns[others].max())
            found.append(_said(periods[int(k)], float(returns[k]), float(np.expm1(excess)), low, high, timing))
    return found


def _out_of_rhythm(
    periods: Sequence[Period], k: int, others: NDArray[np.bool_], excess: float, bound: float, timing: Timing
) -> str:
    """A sentence where a flow that comes with a rhythm seems forgotten or booked twice: the gain makes up for it."""
    flows = np.array([sum(amount for _, amount in period.flows) for period in periods])
    usual = float(np.median(flows[others]))
    alike = np.abs(flows - usual) <= _ALIKE * abs(usual)
    if others.sum() < _LEAST_OTHERS or not usual or alike[others].mean() < _MOST_ALIKE:
        return ""
    lacking = float(excess * periods[k].capital(timing))
    if abs(excess) < 0.5 * bound or abs(lacking - (usual - flows[k])) > 0.25 * abs(usual):
        return ""
    when = periods[k].end.astype(object).strftime("%B %Y")
    kind = "deposit" if usual > 0 else "withdrawal"
    if abs(flows[k]) <= _ALIKE * abs(usual):
        return (
            f"There is no {kind} in the period to {when}, and one of {abs(usual):,.2f} in most others, and it gained "
            f"{lacking:+,.2f} more than they did: was a {kind} forgotten?"
        )
    if abs(flows[k] - 2 * usual) <= _ALIKE * abs(usual):
        return f"The {kind} of {abs(usual):,.2f} stands there twice in the period to {when}: was it booked twice?"
    return ""


def _beside_others(gone: Floats, days: Floats, k: int, others: NDArray[np.bool_]) -> tuple[float, float, float]:
    """How far a period lies from the others' drift, how far it may, and how far the furthest of them lies a "
    "root day."""
    if others.sum() < _LEAST_OTHERS:
        return float(gone[k]), float(_ALONE * np.sqrt(max(days[k] / 30.0, 1.0))), 0.0
    drift = float(np.median(gone[others] / days[others]))
    off = (gone - drift * days) / np.sqrt(days)
    rest = off[others]
    scale = max(1.4826 * float(np.median(np.abs(rest - np.median(rest)))), 0.8 * float(np.abs(rest).mean()), _CALM)
    bound = _FAR * (1 + _FEW / rest.size) * scale * np.sqrt(days[k])
    return float(off[k] * np.sqrt(days[k])), float(bound), float(np.abs(rest).max())


def _return(period: Period, timing: Timing) -> float:
    try:
        return period.modified_dietz(timing)
    except NoAnswer:
        return float("nan")


def _said(period: Period, gained: float, excess: float, low: float, high: float, timing: Timing) -> str:
    when = period.end.astype(object).strftime("%B %Y")
    word = "Up" if gained >= 0 else "Down"
    said = f"{word} {abs(gained):.0%} in {when}, and {low:+.0%} to {high:+.0%} in the other periods"
    missing = excess * period.capital(timing)
    for _, amount in period.flows:
        kind = "deposit" if amount > 0 else "withdrawal"
        if abs(missing + amount) <= 0.25 * abs(amount):
            return f"{said}: is the {kind} of {abs(amount):,.2f} booked twice, or did it go elsewhere?"
        if abs(missing + 2 * amount) <= 0.25 * abs(amount):
            return f"{said}: does the {kind} of {abs(amount):,.2f} have the wrong sign?"
    kind = "deposit" if missing > 0 else "withdrawal"
    return f"{said}: is a {kind} of about {abs(missing):,.0f} missing?"
