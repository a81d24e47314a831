"""Windows, running totals and losses within a recursion, beside a plain loop; debts that are sculpted to what there is."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pennyweight import Deal, InputError
from tests.sizes import cases

PERIODS = 30
Window = Callable[[list[float], int], float]


def _window(how: Callable[[list[float]], float], first: int | None, last: int, least: int = 1) -> Window:
    """A function of x from t - first (or from the beginning) to t - last, of what lies there."""

    def of(x: list[float], t: int) -> float:
        low = least if first is None else max(t - first, least)
        seen = x[low : max(t - last + 1, low)]
        return how(seen) if seen or how is sum else math.nan

    return of


def _mean(seen: list[float]) -> float:
    return sum(seen) / len(seen)


# Formulas of what has gone by of `saved`, which is worked out of them, and the same in plain Python.
LOOKS: dict[str, Window] = {
    "total(saved, t - 3, t - 1)": _window(sum, 3, 1, 0),
    "total(saved, t - 11, t - 1)": _window(sum, 11, 1, 0),
    "total(saved, last = t - 1)": _window(sum, None, 1, 0),
    "average(saved, t - 4, t - 2)": _window(_mean, 4, 2),
    "highest(saved, t - 3, t - 1)": _window(max, 3, 1),
    "lowest(2 * saved + 1, t - 5, t - 1)": lambda x, t: _window(min, 5, 1)([2 * v + 1 for v in x], t),
    "total(saved, t - 6, t - 1, where = saved > 2)": lambda x, t: sum(v for v in x[max(t - 6, 0) : t] if v > 2),
    "average(saved, t - 6, t - 1, where = saved > 2)": lambda x, t: _or_nan(_mean, [v for v in x[max(t - 6, 1) : t] if v > 2]),
    "running(prior(saved))": lambda x, t: sum(x[:t]),
    "total(saved, t - back, t - 1)": _window(sum, 7, 1, 0),
}  # fmt: skip


def _or_nan(how: Callable[[list[float]], float], seen: list[float]) -> float:
    return how(seen) if seen else math.nan


@pytest.mark.parametrize("look", sorted(LOOKS))
@settings(max_examples=cases(20))
@given(rate=st.floats(0.0, 0.2), wage=st.floats(0.5, 5.0))
def test_what_has_gone_by_is_seen_within_a_recursion(look: str, rate: float, wage: float) -> None:
    """One case (plain floats) and many (arrays), each beside the loop; `back` moves from case to case."""
    deal = Deal.from_dict(
        {
            "deal": "D", "timeline": {"periods": PERIODS},
            "inputs": {"rate": rate, "wage": {"value": wage}, "back": {"value": 7, "whole": True}},
            "lines": {"saved": {"formula": "wage + rate * seen", "from": 1}, "seen": {"formula": f"max(0, {look} + 0 * prior(saved)) if t > 8 else 0", "from": 1}},
            "measures": {"all": "total(saved)"},
        }
    )  # fmt: skip

    def by_hand(wage: float) -> float:
        x = [0.0]
        for t in range(1, PERIODS + 1):
            seen = float(np.maximum(0.0, LOOKS[look](x, t))) if t > 8 else 0.0
            x.append(wage + rate * seen)
        return sum(x)

    alone, right = deal.weigh().measures["all"].value, by_hand(wage)
    assert (alone is None) if math.isnan(right) else alone == pytest.approx(right, rel=1e-12)
    wages = np.linspace(0.5, 5.0, 23)
    found = deal.vary({"wage": wages.tolist()}).figures["all"]
    np.testing.assert_allclose(found, [by_hand(one) for one in wages.tolist()], rtol=1e-12)


@settings(max_examples=cases(40))
@given(profits=st.lists(st.floats(-100, 100), min_size=12, max_size=12), share=st.sampled_from([1.0, 0.6, 0.0]))
def test_losses_are_carried_within_a_recursion(profits: list[float], share: float) -> None:
    """What is owed bears interest, which lowers the profit that is taxed, which is paid out of what is owed."""
    deal = Deal.from_dict(
        {
            "deal": "D", "timeline": {"periods": 12}, "inputs": {"share": share, "made": {"steps": {str(t + 1): p for t, p in enumerate(profits)}}},
            "levels": {"owed": {"formula": "prior(owed) * 1.05 + tax - 5", "start": 100}},
            "lines": {"profit": "made - 0.05 * prior(owed)", "tax": "0.3 * after_losses(profit, share)", "kept": "losses_left(profit, share)", "sum": "running(profit)"},
            "measures": {"owed_at_last": "at(owed, end)", "kept_at_last": "at(kept, end)", "sums": "total(sum)"},
        }
    )  # fmt: skip
    owed, pool, sums, run = 100.0, 0.0, 0.0, 0.0
    for made in profits:
        profit = made - 0.05 * owed
        used = min(pool, share * max(profit, 0))
        tax = 0.3 * (max(profit, 0) - used)
        pool += max(-profit, 0) - used
        owed = owed * 1.05 + tax - 5
        run += profit
        sums += run
    found = {name: figure.value for name, figure in deal.weigh().measures.items()}
    assert found == pytest.approx({"owed_at_last": owed, "kept_at_last": pool, "sums": sums}, rel=1e-10, abs=1e-9)


@pytest.mark.parametrize(
    ("formula", "said"),
    [("total(x)", "total looks at all periods, and x is worked out of it, period by period; give it a window that has gone by, as in total(x, t - 3, t - 1)"),
     ("total(x, t, t + 2)", "total looks at periods to come, and x is worked out of it"),
     ("total(x, t - 2, t)", "'x' needs itself within one period"),
     ("npv(x, 5%)", "npv looks at all periods, and x is worked out of it, period by period; use what has gone by")],
)  # fmt: skip
def test_what_is_to_come_is_refused_with_what_is_true(formula: str, said: str) -> None:
    with pytest.raises(InputError) as raised:
        Deal.from_dict({"deal": "D", "timeline": {"periods": 9}, "lines": {"x": "1 + y", "y": f"prior(x) + {formula}"}})
    assert said in str(raised.value)
