"""What the functions of the deal language make of flows, annuities and depreciation; like `arithmetic`."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats
from pennyweight.core import annuity, flows, rate_forms
from pennyweight.core.irr import find_rates as returns
from pennyweight.core.irr.balances import each_by_itself
from pennyweight.core.irr.one_row import one_row
from pennyweight.core.irr.outcome import ALL_LOST, IrrOutcome
from pennyweight.deals.language.arithmetic import whole
from pennyweight.deals.language.windows import kept_flows
from pennyweight.deals.timeline import Timeline

__all__ = [
    "beside_irrs",
    "cut",
    "equivalent_annual",
    "future_value",
    "growing_perpetuity",
    "irr",
    "irrs",
    "loan_payment",
    "modified_irr",
    "npv",
    "payback",
    "present_value",
    "profitability_index",
    "roi",
    "when_of",
    "why_growing_perpetuity",
    "why_irr",
    "why_irrs",
    "why_modified_irr",
    "why_payback",
]


# Flows.


def cut(time: Timeline, x: Floats, years: Floats | None, plus: Floats | None) -> tuple[Floats, Floats]:
    """(flows until `years`, with `plus` added there; the last period)."""
    if years is None:
        last = np.full(1, float(time.periods))
    else:
        last = years * time.per_year
        last = np.where(whole(last) & (last >= 0) & (last <= time.periods), np.round(last), np.nan)
        x = np.where(time.t <= last, x, np.where(np.isnan(last), np.nan, 0.0))
    if plus is not None:  # a level is read in the period itself
        x = x + np.where(time.t == last, plus, 0.0)
    return x, last


def npv(
    time: Timeline,
    x: Floats,
    rate: Floats,
    years: Floats | None = None,
    plus: Floats | None = None,
    where: Floats | None = None,
    paid: Floats | None = None,
    counted: Floats | None = None,
) -> Floats:
    """The present value at a yearly rate."""
    x, _ = cut(time, kept_flows(x, where), years, plus)
    if paid is not None or counted is not None:
        return flows.npv(x.T, rate, times=when_of(time, paid, counted))
    period_rate = rate_forms.per_period(rate, time.per_year)
    if x.shape[1] == 1 and period_rate.size == 1:
        if np.isnan(period_rate[0]):
            return np.full(1, np.nan)
        # The same steps in plain floats: a row of one is all call overhead otherwise.
        factor, total = 1.0 / (1.0 + float(period_rate[0])), 0.0
        for flow in reversed(x[:, 0].tolist()):
            total = total * factor + flow
        return np.array([total])
    return flows.npv(x.T, period_rate)


def irr(
    time: Timeline,
    x: Floats,
    years: Floats | None = None,
    plus: Floats | None = None,
    above: Floats | None = None,
    below: Floats | None = None,
    where: Floats | None = None,
    paid: Floats | None = None,
    counted: Floats | None = None,
) -> Floats:
    """The yearly rate at which the present value is zero; with `above` or `below`, the one between them, ends in."""
    x, _ = cut(time, kept_flows(x, where), years, plus)
    if paid is not None or counted is not None:
        return np.atleast_1d(returns.irr(x.T, times=when_of(time, paid, counted)))
    if above is not None or below is not None:
        return _rate_between(time, x, above, below)
    found = np.array([one_row(x[:, 0].tolist())[0]]) if x.shape[1] == 1 else each_by_itself(x.T)
    found = found if time.per_year == 1 else rate_forms.effective_rate(found * time.per_year, time.per_year)
    several = np.flatnonzero(np.isnan(found) & _turns_above(x, (1 + ALL_LOST) ** (1 / time.per_year)))
    if several.size:  # others may say that all is lost within the year, which is no answer
        found[several] = _rate_between(time, x[:, several], np.array([ALL_LOST]), None)
    return found


def _turns_above(x: Floats, growth: float) -> NDArray[np.bool_]:
    """Whether the present value at this growth a period has another sign than the first flow, as at endless rates."""
    known = np.isfinite(x).all(axis=0) & (x > 0).any(axis=0) & (x < 0).any(axis=0)
    first = np.take_along_axis(x, np.argmax(x != 0, axis=0)[None, :], axis=0)[0]
    with np.errstate(all="ignore"):
        worth = np.zeros(x.shape[1])
        for row in x[::-1]:
            worth = worth / growth + row
    return np.asarray(known & np.isfinite(worth) & (np.sign(worth) != np.sign(first)))


def irrs(
    time: Timeline,
    x: Floats,
    which: Floats,
    years: Floats | None = None,
    plus: Floats | None = None,
    where: Floats | None = None,
    paid: Floats | None = None,
    counted: Floats | None = None,
) -> Floats:
    """Of all yearly rates at which the present value is zero the first, second…, the lowest first."""
    x, _ = cut(time, kept_flows(x, where), years, plus)
    width = max(x.shape[1], which.size)
    rows, places = np.broadcast_to(x, (x.shape[0], width)), np.broadcast_to(which, width)
    found = np.full(width, np.nan)
    for case in np.flatnonzero(whole(places) & (places >= 1) & np.isfinite(rows).all(axis=0)):
        every = _every(time, rows[:, case : case + 1], None, None, None, paid, counted)
        place = round(float(places[case]))
        found[case] = every[place - 1] if place <= len(every) else np.nan
    return found


def why_irrs(time: Timeline, x: Floats, which: Floats, *asked: Floats | None) -> str:
    """How many rates there are."""
    if not (whole(which[:1])[0] and which[0] >= 1):
        return f"which of the rates is meant must be 1, 2, 3…, and is {which[0]:g}"
    return f"{_rates_told(_every(time, x, *asked))}, and rate {which[0]:g} is asked for"


def beside_irrs(time: Timeline, x: Floats, which: Floats, *asked: Floats | None) -> str:
    """All of them."""
    return _rates_told(_every(time, x, *asked))


def _every(time: Timeline, x: Floats, *asked: Floats | None) -> list[float]:
    years, plus, *rest = (*asked, None, None)
    return all_yearly_rates(time, x, years, plus, None, None, *rest)


def _rates_told(every: list[float]) -> str:
    told = " and ".join(f"{rate:.2%}" for rate in every)
    return f"the present value is zero at {told} alone" if every else "no rate brings the present value to zero"


def when_of(time: Timeline, paid: Floats | None, counted: Floats | None) -> Floats:
    """The years from period 0 at which each period's amount counts.

    `counted` by real days over 365; `paid` in the middle of its period, half a period earlier, period 0 where it is.
    """
    ends = np.asarray(time.years, dtype=np.float64)
    if counted is not None:
        if time.dates is None:
            return np.full(time.rows, np.nan)
        ends = (time.dates - time.dates[0]).astype(np.float64) / 365.0
    if paid is None:
        return ends
    return np.append(ends[:1], (ends[1:] + ends[:-1]) / 2)


def _rate_between(time: Timeline, x: Floats, above: Floats | None, below: Floats | None) -> Floats:
    """The one rate between two yearly ones of each case; NaN where there is not exactly one."""
    low = np.full(1, -1.0) if above is None else rate_forms.per_period(above, time.per_year)
    high = np.full(1, np.inf) if below is None else rate_forms.per_period(below, time.per_year)
    found = returns.rates_between(x.T, low, high)
    return found if time.per_year == 1 else rate_forms.effective_rate(found * time.per_year, time.per_year)


def all_yearly_rates(time: Timeline, x: Floats, *asked: Floats | None) -> list[float]:
    """Every yearly rate at which one case is worth nothing, touching ones included, smallest first."""
    when = _times_of(time, *asked)
    crossing, touching = returns.all_rates(_asked_of(time, x, *asked), times=when)
    found = sorted([*crossing, *touching])
    if when is not None:
        return [float(rate) for rate in found]
    return [float(rate_forms.effective_rate(rate * time.per_year, time.per_year)) for rate in found]


def _asked_of(time: Timeline, x: Floats, *asked: Floats | None) -> Floats:
    """The flows of one case as `irr` looks at them."""
    years, plus, _, _, where = (*asked, *[None] * 5)[:5]
    return cut(time, kept_flows(x, where), years, plus)[0][:, 0]


def _times_of(time: Timeline, *asked: Floats | None) -> Floats | None:
    """When the flows of one case count, where that is not the end of each period."""
    paid, counted = (*asked, *[None] * 7)[5:7]
    return None if paid is None and counted is None else when_of(time, paid, counted)


def beside_irr(time: Timeline, x: Floats, *asked: Floats | None) -> str:
    """The other rates, where there are several."""
    every = all_yearly_rates(time, x, *asked)
    if len(every) < 2:
        return ""
    chosen = float(irr(time, x, *asked)[0])
    others = [f"{rate:.2%}" for rate in every if abs(rate - chosen) > 1e-9 * (1 + abs(chosen))]
    limits = any(end is not None for end in asked[2:4])
    least = "zero" if chosen > 0 and max(every) <= chosen * (1 + 1e-9) else "-99%"
    why = "the one within the limits" if limits else f"the only one above {least}"
    return f"{why}, the present value is zero at {' and '.join(others)}, too"


def why_irr(time: Timeline, x: Floats, *asked: Floats | None) -> str:
    """How many rates there are, and which."""
    row = _asked_of(time, x, *asked)
    outcome = returns.irr_outcomes(row, times=_times_of(time, *asked)).outcome
    several = [f"{rate:.2%}" for rate in all_yearly_rates(time, x, *asked)]
    ends = dict(zip(("above", "below"), asked[2:4], strict=False))
    if several and any(end is not None for end in ends.values()):
        limits = [f"{word} {float(end[0]):.2%}" for word, end in ends.items() if end is not None]
        return f"not exactly one rate lies {' and '.join(limits)}: the present value is zero at {', '.join(several)}"
    if not (row < 0).any():
        return "no period is below zero, so that nothing earns a return"
    if not (row > 0).any():
        return "no period is above zero"
    return {
        IrrOutcome.SEVERAL: f"several rates bring the present value to zero: {', '.join(several)}",
        IrrOutcome.TOUCHES: f"the present value touches zero at {', '.join(several)} without crossing it",
        IrrOutcome.EDGE: "the return lies at -100% or beyond every number",
    }.get(IrrOutcome(int(outcome)), "no rate brings the present value to zero")


def payback(time: Timeline, x: Floats, rate: Floats | None = None, where: Floats | None = None) -> Floats:
    """The time from which the running total stays at or above zero."""
    x = kept_flows(x, where)
    if rate is not None:
        period_rate = rate_forms.per_period(rate, time.per_year)
        x = x * flows.discount_factors(period_rate, time.t[:, 0]).T
    return flows.payback(x.T) / time.per_year


def why_payback(time: Timeline, x: Floats, rate: Floats | None = None, where: Floats | None = None) -> str:
    """Never paid back, or lost again."""
    table = kept_flows(x, where)[:, 0]
    if rate is not None:
        table = flows.discounted(table, rate_forms.per_period(rate[0], time.per_year))
    first = float(flows.payback(table, first=True)) / time.per_year
    left = f"the running total ends at {table.sum():,.2f}"
    if np.isfinite(first):
        return f"paid back after {first:.2f} years but lost again; {left}"
    return f"never paid back; {left}"


def profitability_index(time: Timeline, x: Floats, rate: Floats, where: Floats | None = None) -> Floats:
    """Worth of what comes in over worth of what goes out."""
    return flows.profitability_index(kept_flows(x, where).T, rate_forms.per_period(rate, time.per_year))


def equivalent_annual(
    time: Timeline,
    x: Floats,
    rate: Floats,
    years: Floats | None = None,
    plus: Floats | None = None,
    where: Floats | None = None,
) -> Floats:
    """The level yearly amount worth the same."""
    x, last = cut(time, kept_flows(x, where), years, plus)
    if years is None:
        return flows.equivalent_annual(x.T, rate, times=time.years)
    return flows.equivalent_annual(x.T, rate, times=time.years, span=last / time.per_year)


def roi(
    time: Timeline, x: Floats, years: Floats | None = None, plus: Floats | None = None, where: Floats | None = None
) -> Floats:
    """Gain over all money out, undiscounted."""
    x, _ = cut(time, kept_flows(x, where), years, plus)
    return flows.roi(x.T)


def modified_irr(
    time: Timeline,
    x: Floats,
    reinvested_at: Floats,
    borrowed_at: Floats | None = None,
    years: Floats | None = None,
    plus: Floats | None = None,
    where: Floats | None = None,
) -> Floats:
    """The yearly rate that turns the money out into what the money in has become at the end."""
    x, last = cut(time, kept_flows(x, where), years, plus)
    return flows.modified_irr(
        x.T,
        reinvested_at=reinvested_at,
        borrowed_at=reinvested_at if borrowed_at is None else borrowed_at,
        times=time.years,
        span=last / time.per_year,
    )


def why_modified_irr(time: Timeline, x: Floats, *asked: Floats | None) -> str:
    """No money goes out, or none comes in."""
    years, plus, where = (*asked, *[None] * 5)[2:5]
    row = cut(time, kept_flows(x, where), years, plus)[0][:, 0]
    if not (row < 0).any():
        return "no period is below zero, so that nothing earns a return"
    if not (row > 0).any():
        return "no period is above zero"
    return "there is no time between the flows"


# Annuities, per period of the timeline.


def growing_perpetuity(time: Timeline, payment: Floats, rate: Floats, growth: Floats) -> Floats:
    """The worth of a payment each period without end, the first one a period on, which rises by a yearly rate."""
    i, g = (rate_forms.per_period(one, time.per_year) for one in (rate, growth))
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(i > g, payment / (i - g), np.nan)


def why_growing_perpetuity(time: Timeline, payment: Floats, rate: Floats, growth: Floats) -> str:
    """It rises as fast as it is discounted."""
    return f"it rises by {float(growth[0]):.2%} a year, which must be below the rate of {float(rate[0]):.2%}"


def present_value(time: Timeline, payment: Floats, rate: Floats, years: Floats) -> Floats:
    """The worth today of a payment each period."""
    i = rate_forms.per_period(rate, time.per_year)
    return annuity.present_value(payment=payment, rate_per_period=i, periods=years * time.per_year)


def future_value(time: Timeline, payment: Floats, rate: Floats, years: Floats) -> Floats:
    """What a payment each period has become."""
    i = rate_forms.per_period(rate, time.per_year)
    return annuity.future_value(payment=payment, rate_per_period=i, periods=years * time.per_year)


def loan_payment(time: Timeline, owed: Floats, rate: Floats, years: Floats, per_year: Floats | None = None) -> Floats:
    """The level payment that clears a debt."""
    # A loan is paid monthly whatever the deal's timeline, as loans in deals are.
    often = np.full(1, 12.0) if per_year is None else per_year
    often = np.where((often >= 1) & (often == np.round(often)), often, np.nan)
    return annuity.level_payment(owed=owed, rate_per_period=rate / often, periods=years * often)
