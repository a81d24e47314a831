"""IRR of many rows, and all IRRs of mixed rows."""

from __future__ import annotations

import numpy as np
from scipy.optimize import brentq
from tests.oracles import count_roots

from benchmarks.measure import Row, best, show
from pennyweight.array_kinds import Floats
from pennyweight.core.irr.exact import solve_rows
from pennyweight.core.irr.find_rates import irr_outcomes

ROWS, FLOWS, CHUNK = 100_000, 31, 8192


def run() -> None:
    """Print the ratios of item 1."""
    many_rows()
    all_rates()


def many_rows() -> None:
    """100,000 rows of 31 flows: outlays in the first period, in a third of them in the second too."""
    generator = np.random.default_rng(7)
    rows = generator.lognormal(2.5, 0.5, (ROWS, FLOWS))
    rows[:, 0] = -generator.uniform(20, 400, ROWS)
    rows[generator.random(ROWS) < 0.33, 1] *= -1
    ours = best(lambda: irr_outcomes(rows))
    floor = min(best(lambda: one_pass(rows)), best(lambda: one_pass_turned(rows)))
    some = 400
    loop = best(lambda: [brentq_row(row) for row in rows[:some]], 3) * ROWS / some
    tuned = best(lambda: [brentq_floats(row.tolist()) for row in rows[:some]], 3) * ROWS / some
    rates = irr_outcomes(rows).rate
    left = np.zeros(ROWS)
    for column in rows.T[::-1]:
        left = left / (1 + rates) + column
    worst = float(np.max(np.abs(left) / np.abs(rows).sum(axis=1)))
    show(
        f"IRR of {ROWS:,} rows of {FLOWS} flows ({ours * 1e3:.0f} ms)",
        [
            Row("times one NPV pass over the data", ours / floor, 9, False),
            Row("times quicker than scipy.optimize.brentq row by row", loop / ours, 250, True),
            Row("times quicker than brentq over Horner's rule in plain floats", tuned / ours, 60, True),
        ],
        f"|NPV at the IRR| is at most {worst:.1e} of the sum of |flows| (bound 1e-9)",
    )


def one_pass(rows: Floats) -> None:
    """Horner's rule in chunks, straight from the rows."""
    v = 1 / 1.1
    for start in range(0, ROWS, CHUNK):
        chunk = rows[start : start + CHUNK]
        total = chunk[:, -1].copy()
        for k in range(FLOWS - 2, -1, -1):
            total *= v
            total += chunk[:, k]


def one_pass_turned(rows: Floats) -> None:
    """The same with each chunk turned into time-first order beforehand."""
    v = 1 / 1.1
    buffer = np.empty((FLOWS, CHUNK))
    for start in range(0, ROWS, CHUNK):
        chunk = rows[start : start + CHUNK].T
        turned = buffer[:, : chunk.shape[1]]
        np.copyto(turned, chunk)
        total = turned[-1].copy()
        for k in range(FLOWS - 2, -1, -1):
            total *= v
            total += turned[k]


def brentq_row(row: Floats) -> float:
    """What an engineer writes: the definition inside a general-purpose root finder."""
    periods = np.arange(row.size)
    return float(brentq(lambda rate: np.sum(row / (1 + rate) ** periods), -0.95, 10.0))


def brentq_floats(row: list[float]) -> float:
    """The same tuned by hand for short rows."""
    backward = row[::-1]

    def worth(rate: float) -> float:
        v, total = 1 / (1 + rate), 0.0
        for flow in backward:
            total = total * v + flow
        return total

    return float(brentq(worth, -0.95, 10.0))


def all_rates() -> None:
    """1,000 rows of 31 whole flows: a third ordinary, a third with a few changes of sign, a third with many."""
    generator = np.random.default_rng(11)
    rows = np.round(generator.normal(0, 40, (1000, FLOWS)))
    rows[:333, 1:] = np.abs(rows[:333, 1:])
    rows[:333, 0] = -np.abs(rows[:333, 1:]).sum(axis=1) * generator.uniform(0.2, 0.9, 333)
    rows[:333] = np.round(rows[:333])
    few = rows[333:666]
    few[:] = np.abs(few)
    few[:, 0] *= -20
    few[:, [12, 24]] *= -4
    rows[rows[:, 0] == 0, 0] = -1
    ours = best(lambda: solve_rows(rows))
    eigenvalues = best(lambda: [companion(row) for row in rows], 2)
    found = np.bincount(solve_rows(rows).row, minlength=1000)
    checked = range(0, 1000, 4)
    wrong = sum(found[k] != count_roots([int(flow) for flow in rows[k]]) for k in checked)
    show(
        f"All IRRs of 1,000 mixed rows ({ours * 1e3:.0f} ms, {found.sum()} rates)",
        [
            Row("times quicker than companion eigenvalues", eigenvalues / ours, 10, True),
            Row("rows wrong by Sturm's theorem in exact fractions (every fourth row)", wrong, 0, False),
        ],
    )


def companion(row: Floats) -> Floats:
    """Positive real roots by the eigenvalues of the companion matrix."""
    roots = np.roots(row[::-1])
    real = np.abs(roots.imag) <= 1e-9 * np.abs(roots)
    return np.asarray(roots.real[real & (roots.real > 0)])
