"""Rates of many dated accounts against one account at a time."""

from __future__ import annotations

import numpy as np
import pytest

from pennyweight.core.irr.accounts import account_rates
from pennyweight.core.irr.find_rates import all_rates
from pennyweight.core.irr.outcome import IrrOutcome
from tests.oracles import bisect
from tests.sizes import cases


def test_each_account_has_the_rate_it_has_alone() -> None:
    """Openings, deposits, withdrawals and closings at random; the exact method and bisection as oracles."""
    generator = np.random.default_rng(8)
    accounts = []
    for _ in range(cases(100)):
        n = int(generator.integers(2, 40))
        times = np.sort(generator.uniform(0, 9, n))
        times -= times[0]
        flows = -generator.lognormal(4, 1, n)
        flows[generator.random(n) < 0.25] *= -0.4
        flows[0] = -abs(flows[0])
        flows[-1] = abs(flows[:-1].sum()) * generator.uniform(0.5, 2.0)
        accounts.append((flows, times))
    lengths = [flows.size for flows, _ in accounts]
    offsets = np.concatenate([[0], np.cumsum(lengths)[:-1]])
    found = account_rates(np.concatenate([a for a, _ in accounts]), np.concatenate([t for _, t in accounts]), offsets)
    several = 0
    for k, (flows, times) in enumerate(accounts):
        crossing, touching = all_rates(flows, times=times)
        if len(crossing) == 1 and not touching:
            assert IrrOutcome(found.outcome[k]) is IrrOutcome.ONE
            assert found.rate[k] == pytest.approx(crossing[0], rel=1e-9, abs=1e-11)
            if k % 20 == 0:
                walked = bisect(lambda r, f=flows, t=times: float((f * (1 + r) ** -t).sum()), -0.99, 1e3)
                assert found.rate[k] == pytest.approx(walked, rel=1e-8, abs=1e-9)
        else:
            several += 1
            assert np.isnan(found.rate[k])
    assert several < 100


def test_odd_accounts_among_ordinary_ones() -> None:
    flows = [-100, 230, -132, -100, 110, 5, 6, -1, -100, 240, -144]
    times = [0, 1, 2, 0, 1, 0, 1, 0, 0, 1, 2]
    found = account_rates(flows, times, [0, 3, 5, 7, 8])
    assert [IrrOutcome(code) for code in found.outcome] == [
        IrrOutcome.SEVERAL, IrrOutcome.ONE, IrrOutcome.ONE_SIGN, IrrOutcome.ONE_SIGN, IrrOutcome.TOUCHES,
    ]  # fmt: skip
    assert found.rate[1] == pytest.approx(0.1)
