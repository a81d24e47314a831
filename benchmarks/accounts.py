"""Rates of a million annuities, and returns of ten thousand dated accounts."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq

from benchmarks.measure import Row, best, show
from pennyweight.array_kinds import Floats
from pennyweight.core.annuity import level_payment, rate_needed
from pennyweight.core.irr.accounts import account_rates
from pennyweight.core.irr.one_row import one_row

ANNUITIES, ACCOUNTS, CHUNK = 1_000_000, 10_000, 32_768


def run() -> None:
    """Print the ratios."""
    annuities()
    accounts()
    single()


def annuities() -> None:
    """1,000,000 rates: terms of 6 to 480 periods, 0.01 % to 3 % a period."""
    generator = np.random.default_rng(1)
    periods = generator.integers(6, 481, ANNUITIES).astype(float)
    rate = np.exp(generator.uniform(np.log(1e-4), np.log(0.03), ANNUITIES))
    owed = generator.uniform(1e3, 1e6, ANNUITIES)
    payment = level_payment(owed=owed, rate_per_period=rate, periods=periods)
    ours = best(lambda: rate_needed(owed=owed, payment=payment, periods=periods))
    floor = best(lambda: discount(rate, periods))
    some = 1_000
    loop = best(lambda: [annuity_brentq(owed[k], payment[k], periods[k]) for k in range(some)], 2) * ANNUITIES / some
    found = rate_needed(owed=owed, payment=payment, periods=periods)
    error = np.abs(level_payment(owed=owed, rate_per_period=found, periods=periods) / payment - 1).max()
    show(
        f"Rates of {ANNUITIES:,} annuities ({ours * 1e3:.0f} ms)",
        [
            Row("times one log1p, multiply, expm1 pass", ours / floor, 8, False),
            Row("times quicker than scipy.optimize.brentq one by one", loop / ours, 600, True),
        ],
        f"the payment at the rate agrees to {error:.1e} (bound 1e-12)",
    )


def discount(rate: Floats, periods: Floats) -> None:
    """What the data alone costs."""
    buffer = np.empty(8_192)
    for start in range(0, ANNUITIES, 8_192):
        part = buffer[: min(8_192, ANNUITIES - start)]
        np.log1p(rate[start : start + 8_192], out=part)
        part *= periods[start : start + 8_192]
        np.expm1(part, out=part)


def annuity_brentq(owed: float, payment: float, periods: float) -> float:
    """What an engineer writes."""
    return float(brentq(lambda i: i / (1 - (1 + i) ** -periods) - payment / owed, 1e-9, 1.0))


def accounts() -> None:
    """10,000 accounts of 5 to 200 flows: deposits, withdrawals of part of what is there, a closing value."""
    amounts, times, offsets = statements()
    ours = best(lambda: account_rates(amounts, times, offsets))
    floor = best(lambda: one_exp(amounts, times))
    found = account_rates(amounts, times, offsets)
    ends = np.append(offsets[1:], amounts.size)
    some = 300
    loop = best(
        lambda: [account_brentq(amounts[a:b], times[a:b]) for a, b in zip(offsets[:some], ends[:some], strict=True)], 2
    )
    left = amounts * np.exp(-np.repeat(np.log1p(found.rate), ends - offsets) * times)
    residual = np.abs(np.add.reduceat(left, offsets)) / np.add.reduceat(np.abs(amounts), offsets)
    show(
        f"Returns of {ACCOUNTS:,} dated accounts, {amounts.size:,} flows ({ours * 1e3:.0f} ms)",
        [
            Row("times one exp pass over the flows", ours / floor, 16, False),
            Row("times quicker than scipy.optimize.brentq one by one", loop * ACCOUNTS / some / ours, 35, True),
        ],
        f"accounts with one rate: {int((found.outcome == 0).sum()):,}; residual at most {residual.max():.1e}",
    )


def statements() -> tuple[Floats, Floats, NDArray[np.intp]]:
    """Flat arrays of made-up accounts."""
    generator = np.random.default_rng(3)
    amounts, times, offsets, total = [], [], [], 0
    for _ in range(ACCOUNTS):
        n, span = int(generator.integers(5, 201)), generator.uniform(0.5, 15)
        days = np.sort(generator.integers(0, int(span * 365) + 1, n))
        days[0], days[-1] = 0, int(span * 365) + 1
        when = days / 365
        growth = 1 + generator.normal(0.06, 0.05)
        steps = growth ** np.diff(when, prepend=0.0)
        wish, gone = generator.lognormal(5, 1, n), generator.random(n) < 0.3
        standing, flows = 0.0, np.empty(n)
        for k in range(n - 1):
            standing *= steps[k]
            flows[k] = 0.4 * standing if gone[k] and k else -wish[k]
            standing -= flows[k]
        flows[-1] = standing * steps[-1] * generator.uniform(0.9, 1.1)
        amounts.append(flows)
        times.append(when)
        offsets.append(total)
        total += n
    return np.concatenate(amounts), np.concatenate(times), np.array(offsets, dtype=np.intp)


def one_exp(amounts: Floats, times: Floats) -> None:
    """What the data alone costs."""
    buffer = np.empty(CHUNK)
    for start in range(0, amounts.size, CHUNK):
        part = buffer[: min(CHUNK, amounts.size - start)]
        np.multiply(times[start : start + CHUNK], -0.05, out=part)
        np.exp(part, out=part)
        part *= amounts[start : start + CHUNK]


def account_brentq(amounts: Floats, times: Floats) -> float:
    """What an engineer writes."""
    return float(brentq(lambda rate: np.sum(amounts * (1 + rate) ** -times), -0.95, 10.0))


def single() -> None:
    """One IRR of eleven flows, in plain floats, against brentq over the same."""
    row = [-1000.0, *(95.0 + 12.0 * k for k in range(10))]
    ours = best(lambda: [one_row(row) for _ in range(1000)]) / 1000

    def worth(rate: float) -> float:
        v, total = 1 / (1 + rate), 0.0
        for flow in reversed(row):
            total = total * v + flow
        return total

    loop = best(lambda: [brentq(worth, -0.9, 10.0) for _ in range(200)]) / 200
    show(
        f"One IRR of 11 flows ({ours * 1e6:.1f} microseconds)",
        [Row("times quicker than brentq over Horner's rule in floats", loop / ours, 1, True)],
    )
