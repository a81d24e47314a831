"""The monthly four-flat house: one case beside plain Python, a whole weighing, scenarios, ten thousand cases."""

from __future__ import annotations

from typing import Any

import numpy as np

from benchmarks.measure import Row, best, show
from pennyweight import Deal
from pennyweight.deals.evaluation import evaluate
from pennyweight.deals.inputs import stack

CASES = 10_000
WANTED = ["cash_needed", "on_cash", "cover", "gain", "worth_today", "to_come", "pays_off"]


def run() -> None:
    """Print the ratios of the house."""
    deal = Deal.starter("four-flats")
    model = deal.model
    case = model.inputs_of()
    figures = model.figures([case], list(deal.definition.measures))
    own = by_hand(dict(case))
    agree = all(abs(own[name] - float(figures[name][0])) <= 1e-7 * max(abs(own[name]), 1) for name in own)
    hand = best(lambda: by_hand(dict(case)), 20)
    one = best(lambda: model.figures([case], list(own)), 20)

    def whole() -> None:
        weighing = deal.weigh()
        weighing.work_out()
        _ = weighing.tables, weighing.checks

    weighing = best(whole, 3)
    everything = best(lambda: model.everything(case), 10)
    scenarios = deal.scenarios
    cases = [model.inputs_of(name) for name in scenarios]
    separate = best(lambda: [model.everything(one) for one in cases], 3)
    compared = best(lambda: deal.compare().weighings, 3)

    generator = np.random.default_rng(2)
    varied = [item.name for item in deal.definition.inputs.values() if item.step is None and not item.fixed]
    base = stack(deal.definition, [case])
    spread = {
        name: value * generator.uniform(0.9, 1.1, CASES) if name in varied else value for name, value in base.items()
    }
    many = best(lambda: evaluate(model.program, spread, WANTED, threads=1), 3)
    floor = operations(model.program, spread) * cached_pass(deal.definition.timeline.rows)
    show(
        f"The four-flat house: 360 months, two loans, {len(deal.definition.inputs)} inputs ({one * 1e3:.1f} ms a case)",
        [
            Row("figures of one case, by hand in plain Python", one / hand, 3, False),
            Row("a whole weighing, in figures of one case", weighing / everything, 10, False),
            Row(f"comparing {len(scenarios)} scenarios, in their figures", compared / separate, 2, False),
            Row(f"{CASES:,} cases on one thread, in cached passes", many / floor, 3, False),
        ],
        f"by hand {hand * 1e3:.2f} ms, the same figures: {agree}; weighing {weighing * 1e3:.0f} ms; cases {many:.2f} s",
    )


def operations(program: Any, inputs: dict[str, Any]) -> int:
    """The array operations over time that the varied inputs reach; a loan's payment is six."""
    from pennyweight.deals.compiler.stages import planned

    varied = frozenset(name for name, value in inputs.items() if value.shape[-1] > 1)
    plan = planned(program, varied, tuple(WANTED))
    return sum(6 if item.steps else 1 for item in [*plan.stepped, *plan.by_period] if program.over_time[item.outs[0]])


def cached_pass(rows: int) -> float:
    """One addition over all periods and cases, in pieces that stay in the cache."""
    size = 24_576
    a, b, c = np.ones(size), np.ones(size), np.ones(size)
    pieces = rows * CASES // size

    def passes() -> None:
        for _ in range(pieces):
            np.add(a, b, out=c)

    return best(passes)


def by_hand(i: dict[str, Any]) -> dict[str, float]:
    """The figures that matter, month by month in plain floats, as an engineer would write them."""
    price, months, years = i["price"], round(i["works_months"]), round(i["held"])
    gone = 12 * years
    works = [i["works_light"], i["works_medium"], i["works_heavy"]][round(i["works"])]
    more = [1 - i["less_light"], 1.0, 1 + i["more_heavy"]][round(i["works"])]
    letting = round(i["letting"])
    season = (i["season_week"] * i["season_weeks"] + i["winter_rent"] * i["winter_let"]) / 3
    flats = [4 * i["rent_flat"], 12 * i["rent_room"], 4 * i["rent_week"] * i["weeks_let"] / 12, season][letting]
    entry = price * (i["finder"] + i["closing"]) + i["arrears"] + (i["furnishing"] if letting else 0.0)
    owed, rate = i["loan_amount"], i["loan_rate"] / 12
    pay = owed * rate / (1 - (1 + rate) ** (-12 * i["loan_years"]))
    for _ in range(round(i["loan_made"])):
        owed -= pay - owed * rate
    left = round(12 * i["loan_years"] - i["loan_made"])
    lent, lent_rate = i["lent"] * price, i["lent_rate"] / 12
    lent_pay = lent * lent_rate / (1 - (1 + lent_rate) ** (-12 * i["lent_years"]))
    due = round(12 * i["lent_due"])
    net = [owed + lent - price - entry]
    noi, cash, debts, interest_to_come = [0.0], [0.0], [0.0], 0.0
    equity = []
    equity.append(price * (1 - i["sale_costs"]) - owed - lent)
    for t in range(1, 361):
        year = -(-t // 12)
        costs_up = (1 + i["cost_rise"]) ** (year - 1)
        rent = 4 * i["rent_now"] if t <= months else flats * more * (1 + i["rent_rise"]) ** (year - 1)
        costs = (i["vacancy"] + i["upkeep"] + i["management"]) * rent
        costs += (price * i["tax_rate"] / 12 + i["insurance"] / 12 + (i["utilities"] if letting else 0.0)) * costs_up
        reserve = i["reserve"] * rent
        interest = owed * rate
        paid = owed + interest if t == left else min(pay, owed + interest)
        owed = owed + interest - paid
        interest_to_come += interest
        lent_interest = lent * lent_rate
        lent_paid = lent + lent_interest if t == due else min(lent_pay, lent + lent_interest)
        lent = lent + lent_interest - lent_paid
        noi.append(rent - costs)
        debts.append(paid + lent_paid)
        cash.append(rent - costs - reserve - paid - lent_paid)
        net.append(cash[-1] - (works / months if t <= months else 0.0))
        equity.append(price * (1 + i["value_rise"]) ** (t / 12) * (1 - i["sale_costs"]) - owed - lent)
    running, lowest = 0.0, float("inf")
    for t in range(months + 1):
        running += net[t]
        lowest = min(lowest, running)
    flows = [*net[:gone], net[gone] + equity[gone]]
    discount = (1 + i["hurdle"]) ** (-1 / 12)
    worth = 0.0
    for flow in reversed(flows):
        worth = worth * discount + flow
    low, high = -0.2, 0.05
    for _ in range(60):
        middle = (low + high) / 2
        value, v = 0.0, 1 / (1 + middle)
        for flow in reversed(flows):
            value = value * v + flow
        low, high = (middle, high) if value > 0 else (low, middle)
    return {
        "cash_needed": -lowest,
        "noi_year": sum(noi[13:25]),
        "on_cash": sum(cash[13:25]) / -lowest,
        "cover": sum(noi[13:25]) / sum(debts[13:25]),
        "gain": (1 + low) ** 12 - 1,
        "worth_today": worth,
        "to_come": interest_to_come,
    }
