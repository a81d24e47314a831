"""A deal of forty lines over ten years of months on ten thousand cases."""

from __future__ import annotations

from typing import Any

import numpy as np

from benchmarks.measure import Row, best, show
from pennyweight import Deal
from pennyweight.deals.evaluation import evaluate
from pennyweight.deals.inputs import Inputs, stack
from pennyweight.deals.language import windows
from pennyweight.deals.timeline import Timeline

CASES = 10_000


def forty_lines() -> Deal:
    """Ten shops, each with sales, wages, energy and rent, and what it takes to open them."""
    inputs: dict[str, Any] = {"hurdle": "9%", "inflation": "2%", "growth": "3%", "price": 1_900_000}
    inputs |= {"margin": "45%", "energy": 700, "wage": 2_300}
    money_in: dict[str, Any] = {}
    money_out: dict[str, Any] = {}
    for k in range(10):
        inputs[f"sales_{k}"] = 14_000 + 500 * k
        money_in[f"sales_{k}_in"] = f"sales_{k} * grown(growth) * (1 + 0.1 * (t / per_year > {k % 5 + 1}))"
        money_out[f"goods_{k}"] = f"sales_{k}_in * (1 - margin)"
        money_out[f"wages_{k}"] = f"wage * {1 + k % 3} * grown_yearly(inflation)"
        money_out[f"energy_{k}"] = f"max(energy * grown(inflation), 0.05 * sales_{k}_in) - 20"
    money_out["opening"] = {"formula": "price", "at": 0}
    money_in["resale"] = {"formula": "0.4 * price", "at": "end"}
    return Deal.from_dict(
        {
            "deal": "Forty lines",
            "timeline": {"period": "month", "periods": 120},
            "inputs": inputs,
            "money_in": money_in,
            "money_out": money_out,
            "measures": {"npv": "npv(net, hurdle)", "irr": "irr(net)", "payback": "payback(net)"},
            "goals": {"npv": {"at_least": 0}},
        }
    )


def run() -> None:
    """Print the ratios of the deal."""
    deal = forty_lines()
    program = deal.model.program
    generator = np.random.default_rng(2)
    base = stack(deal.definition, [deal.model.inputs_of()])
    spread = {name: value * generator.uniform(0.85, 1.15, CASES) for name, value in base.items()}
    wanted = ["npv", "irr", "payback", "pays_off"]
    batch = best(lambda: evaluate(program, spread, wanted))
    one_thread = best(lambda: evaluate(program, spread, wanted, threads=1))
    singles: list[Inputs] = [{name: float(value[k]) for name, value in spread.items()} for k in range(100)]
    loop = best(lambda: [deal.model.figures([single], wanted) for single in singles], 3) * CASES / len(singles)
    together = evaluate(program, spread, wanted)
    alone = deal.model.figures([singles[17]], wanted)
    agree = all(np.allclose(together[name][17], alone[name][0], rtol=1e-12) for name in wanted)
    show(
        f"42 lines, 120 periods, {CASES:,} cases, every input varied ({batch * 1e3:.0f} ms)",
        [
            Row("times quicker than its own single evaluations in a loop", loop / batch, 100, True),
            Row("the same on one thread", loop / one_thread, 50, True),
        ],
        f"one evaluation alone: {loop / CASES * 1e3:.2f} ms; figures agree with the batch: {agree}",
    )


def run_windows() -> None:
    """Windows that run with time, beside one running sum of the same line."""
    time, line = Timeline("month", 360), np.random.default_rng(1).normal(size=(361, 10_000))
    floor = best(lambda: np.cumsum(line, axis=0))
    lowest = windows.extreme(np.minimum, np.inf)
    summed = best(lambda: windows.total(time, line, time.t - 11, time.t))
    least = best(lambda: lowest(time, line, time.t - 11, time.t))
    show(
        f"The last twelve of 360 months in each month, 10,000 cases (floor: a running sum, {floor * 1e3:.0f} ms)",
        [
            Row("floors, total(x, t - 11, t)", summed / floor, 3, False),
            Row("floors, lowest(x, t - 11, t)", least / floor, 5, False),
        ],
    )
