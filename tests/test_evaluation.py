"""The evaluation against plain Python loops: runs, levels, recursions, batches, threads."""

from __future__ import annotations

import csv
from itertools import pairwise

import numpy as np
import pytest

from pennyweight import Deal, InputError
from pennyweight.deals.evaluation import evaluate
from tests.builders import TAXI, deal, line, measure


def plain_taxi(
    *, hull: float = 420_000, trips_scale: float = 1.0, inflation: float = 0.025, swap: int = 7
) -> dict[str, list[float]]:
    """The water-taxi, worked out year by year the way one would on paper."""
    with (TAXI.parent / "ridership.csv").open() as file:
        trips = [0.0] + [float(row["trips"]) * trips_scale for row in csv.DictReader(file)]
    net, reserve, operating = [-hull + 0.25 * hull], [2000.0], [0.0]
    for year in range(1, 13):
        fare = 6.50 if year < 5 else 7.25 if year < 9 else 8.00
        rise = (1 + inflation) ** (year - 1)
        earned = fare * trips[year] - 46_000 * rise - 14_000 * rise - 0.38 * trips[year] * rise
        operating.append(earned)
        net.append(earned - (95_000 if year == swap else 0) + (0.2 * hull if year == 12 else 0))
        reserve.append(reserve[-1] * 1.02 + 0.1 * earned)
    return {"net": net, "reserve": reserve, "operating": operating}


def test_the_taxi_as_worked_out_on_paper() -> None:
    weighing = Deal.read(TAXI).weigh()
    for name, expected in plain_taxi().items():
        assert weighing.values[name] == pytest.approx(expected, rel=1e-12)


def test_ten_thousand_cases_give_what_single_cases_give() -> None:
    """Against the paper for some, against one case alone for others; any number of threads, to the last bit."""
    taxi = Deal.read(TAXI)
    generator = np.random.default_rng(3)
    n = 10_000
    hull, inflation = generator.uniform(3e5, 5e5, n), generator.uniform(0.0, 0.05, n)
    scale = generator.uniform(0.7, 1.3, n)
    swap = generator.integers(1, 14, n).astype(float)
    base = {name: np.atleast_1d(item.value) for name, item in taxi.definition.inputs.items()}
    inputs = {name: value[:, None] if value.size > 1 else value for name, value in base.items()}
    inputs |= {"hull": hull, "inflation": inflation, "trips": inputs["trips"] * scale, "swap_year": swap}
    wanted = ["npv", "irr", "payback", "reserve", "net", "pays_off"]
    one = evaluate(taxi.model.program, inputs, wanted, threads=1)
    two = evaluate(taxi.model.program, inputs, wanted, threads=2)
    assert all(np.array_equal(one[name], two[name], equal_nan=True) for name in wanted)
    for k in range(0, n, 1111):
        paper = plain_taxi(hull=hull[k], trips_scale=scale[k], inflation=inflation[k], swap=int(swap[k]))
        assert one["net"][:, k] == pytest.approx(paper["net"], rel=1e-10, abs=1e-8)
        assert one["reserve"][:, k] == pytest.approx(paper["reserve"], rel=1e-10)
        single = {name: value[..., k : k + 1] if value.shape[-1] > 1 else value for name, value in inputs.items()}
        alone = evaluate(taxi.model.program, single, wanted)
        for name in wanted:
            assert alone[name][..., 0] == pytest.approx(one[name][..., k], rel=1e-12, nan_ok=True)


@pytest.mark.parametrize(
    ("table", "expected"),
    [
        ("5", [0, 5, 5, 5, 5, 5, 5]),
        ({"formula": 5, "at": 0}, [5, 0, 0, 0, 0, 0, 0]),
        ({"formula": 5, "at": "end"}, [0, 0, 0, 0, 0, 0, 5]),
        ({"formula": 5, "at": "year 2"}, [0, 0, 5, 0, 0, 0, 0]),
        ({"formula": 5, "at": "n"}, [0, 0, 0, 5, 0, 0, 0]),
        ({"formula": 5, "at": "n + 9"}, [0, 0, 0, 0, 0, 0, 0]),
        ({"formula": 5, "at": "never"}, [0, 0, 0, 0, 0, 0, 0]),
        ({"formula": 5, "from": 3}, [0, 0, 0, 5, 5, 5, 5]),
        ({"formula": 5, "from": 0, "to": "n"}, [5, 5, 5, 5, 0, 0, 0]),
        ({"formula": 5, "from": 4, "to": 2}, [0, 0, 0, 0, 0, 0, 0]),
        ({"formula": 5, "every": 2}, [0, 0, 5, 0, 5, 0, 5]),
        ({"formula": 5, "every": "n", "from": 1}, [0, 5, 0, 0, 5, 0, 0]),
        ({"formula": 5, "every": 2, "to": 4}, [0, 0, 5, 0, 5, 0, 0]),
        ({"formula": "t * 10", "from": 0, "to": 2, "set": {"1": 7, "5": "n"}}, [0, 7, 20, 0, 0, 3, 0]),
    ],
)
def test_a_line_runs_when_it_says(table: object, expected: list[float]) -> None:
    assert line(table, inputs={"n": 3}) == expected


def test_years_of_a_monthly_line_are_stretches() -> None:
    months = line({"formula": 1, "from": "year 2", "to": "year 2"}, period="month", periods=36)
    assert [k for k, value in enumerate(months) if value] == list(range(13, 25))
    assert line({"formula": 1, "at": "year 2"}, period="month", periods=36).index(1.0) == 24
    assert line({"formula": 1, "at": "year 0"}, period="quarter", periods=8).index(1.0) == 0
    stretched = line({"formula": 0, "set": {"year 2": 4}}, period="quarter", periods=12)
    assert [k for k, value in enumerate(stretched) if value] == [5, 6, 7, 8]


def test_a_line_runs_when_any_line_it_names_does() -> None:
    made = deal(
        money_out={"price": {"formula": "100", "at": 0}, "upkeep": {"formula": "3", "from": 2}},
        lines={
            "all": "price + upkeep",
            "fee": "0.1 * price",
            "late": "upkeep * 2",
            "looks_back": "prior(price) + 1",
            "through": "net * -1",
            "swap_or": {"formula": "upkeep + 1", "from": 1},
        },
    )
    values = {name: list(column) for name, column in made.weigh().values.items()}
    assert values["all"] == [100, 0, 3, 3, 3, 3, 3]
    assert values["fee"] == [10, 0, 0, 0, 0, 0, 0]
    assert values["late"] == [0, 0, 6, 6, 6, 6, 6]
    assert values["looks_back"] == [0, 101, 1, 1, 1, 1, 1]
    assert values["through"] == [100, 0, 3, 3, 3, 3, 3]
    assert values["swap_or"] == [0, 1, 4, 4, 4, 4, 4]


def test_a_run_that_inputs_decide_is_inherited_case_by_case() -> None:
    made = deal(
        {"fees": "total(fee)", "first": "first_period(fee > 0)"},
        inputs={"when": 2},
        money_out={"job": {"formula": "100", "at": "when"}},
        lines={"fee": "job * 0.1"},
    )
    figures = made.vary({"when": [0, 2, 5]}, show=["fees", "first"]).figures
    assert figures["fees"].tolist() == [10.0, 10.0, 10.0]
    assert figures["first"].tolist() == [0.0, 2.0, 5.0]


def test_levels_stand_from_period_0_and_set_is_seen_by_prior() -> None:
    made = deal(
        levels={
            "saved": {"formula": "prior(saved) * 1.1", "start": 100},
            "no_start": "prior(no_start) + 2",
            "reset": {"formula": "prior(reset) + 1", "start": "saved", "set": {"3": 50}},
            "plain": {"formula": "t * 2", "start": "7"},
        },
        measures={"end_level": "at(saved, end)", "low": "lowest(reset)"},
    )
    values = made.weigh().values
    assert values["saved"] == pytest.approx([100 * 1.1**k for k in range(7)])
    assert values["no_start"].tolist() == [2, 4, 6, 8, 10, 12, 14]
    assert values["reset"].tolist() == [100, 101, 102, 50, 51, 52, 53]
    assert values["plain"].tolist() == [7, 2, 4, 6, 8, 10, 12]


def test_a_recursion_through_lines_and_totals_is_stepped() -> None:
    """A fee on last period's net, which counts the fee itself; conditions, at() and max() inside the circle."""
    made = deal(
        money_in={"sales": "50"},
        money_out={
            "fee": "0.2 * prior(net) if prior(pot) < 120 else at(pot, t - 2) * 0 + 5",
            "cap": "max(prior(fee), 3)",
        },
        levels={"pot": {"formula": "prior(pot) + net", "start": 10}},
    )
    net, pot, fee, cap = [0.0], [10.0], [0.0], [0.0]
    for t in range(1, 7):
        fee.append(0.2 * net[-1] if pot[-1] < 120 else 5.0)
        cap.append(max(fee[t - 1], 3.0))
        net.append(50 - fee[-1] - cap[-1])
        pot.append(pot[-1] + net[-1])
    values = made.weigh().values
    assert values["fee"] == pytest.approx(fee)
    assert values["cap"] == pytest.approx(cap)
    assert values["net"] == pytest.approx(net)
    assert values["pot"] == pytest.approx(pot)


def test_a_recursion_in_a_batch_equals_case_by_case() -> None:
    made = deal(
        {"left": "at(pot, end)"},
        period="month",
        periods=36,
        inputs={"rate": "5%", "spend": 100, "stop": 20},
        money_out={"spent": {"formula": "min(spend, prior(pot))", "to": "stop"}},
        levels={"pot": {"formula": "prior(pot) * (1 + per_period(rate)) - spent", "start": 2_000}},
    )
    batch = made.vary({"rate": [0.0, 0.04, 0.3], "stop": [3, 20, 40]}, show=["left"]).figures["left"]
    for i, rate in enumerate([0.0, 0.04, 0.3]):
        for j, stop in enumerate([3, 20, 40]):
            pot = 2000.0
            for month in range(1, 37):
                pot = pot * (1 + rate) ** (1 / 12) - (min(100.0, pot) if month <= stop else 0.0)
            assert batch[i, j] == pytest.approx(pot, rel=1e-12)


def test_rates_are_yearly_on_every_timeline() -> None:
    """One outlay and one return two years on: whatever the periods, the return is 10 % a year and paid back late."""
    for period, periods in (("year", 2), ("quarter", 8), ("month", 24)):
        sections = {
            "period": period,
            "periods": periods,
            "money_out": {"paid": {"formula": "100", "at": 0}},
            "money_in": {"back": {"formula": "121", "at": "end"}},
        }
        assert measure("irr(net)", **sections) == pytest.approx(0.10, abs=1e-12)
        assert measure("npv(net, '10%')", **sections) == pytest.approx(0.0, abs=1e-9)
        assert measure("equivalent_annual(net, 10%)", **sections) == pytest.approx(0.0, abs=1e-9)
        assert measure("profitability_index(net, 10%)", **sections) == pytest.approx(1.0)
        per_year = periods // 2
        assert measure("payback(net)", **sections) == pytest.approx((periods - 1 + 100 / 121) / per_year)


def test_irr_and_npv_of_a_shorter_holding() -> None:
    sections = {
        "inputs": {"held": {"value": 2, "unit": "years"}},
        "money_out": {"paid": {"formula": "100", "at": 0}},
        "money_in": {"rent": "10"},
    }
    expected = -100 + 10 / 1.1 + 110 / 1.21
    assert measure("npv(net, 10%, years=held, plus=100)", **sections) == pytest.approx(expected)
    assert measure("irr(net, years=held, plus=100)", **sections) == pytest.approx(0.10)
    assert measure("irr(net, years=held + 0.5)", **sections) is None


def test_series_steps_and_files(tmp_path: object) -> None:
    stepped = {"fee": {"steps": {"0": 1.5, "year 3": "2.50"}}}
    assert line({"formula": "fee", "from": 0}, inputs=stepped) == [1.5, 1.5, 1.5, 2.5, 2.5, 2.5, 2.5]
    late = deal(
        inputs={"fee": {"steps": {"3": 2}}}, lines={"x": {"formula": "fee", "from": 3}}, measures={"m": "total(x)"}
    )
    assert late.weigh().measures["m"].value == 8.0
    early = deal(inputs={"fee": {"steps": {"3": 2}}}, lines={"x": "fee"}, measures={"m": "total(x)"})
    assert "fee in year 1 has no value" in early.weigh().measures["m"].reason


def test_a_bare_amount_beside_a_line_of_period_0_is_refused() -> None:
    sections = {"money_out": {"price": {"formula": "100", "at": 0}}}
    with pytest.raises(InputError, match="'5' stands beside price, which may run in period 0"):
        deal(**sections, lines={"x": "price + 5"})
    with pytest.raises(InputError, match="'5' stands beside net"):
        deal(**sections, lines={"x": "net * 2 - 5"})
    assert deal(**sections, lines={"x": "price * 5 + 0"}).weigh().values["x"][0] == 500
    assert deal(**sections, lines={"x": {"formula": "price + 5", "from": 1}}).weigh().values["x"][0] == 0


def test_a_period_that_is_not_whole_is_refused_not_missed() -> None:
    made = deal(inputs={"share": 0.7}, money_in={"x": {"formula": "1", "at": "end_of_year(12) * share"}}, periods=12)
    with pytest.raises(InputError, match=r"'at' of x is period 8\.4, which is not a whole one"):
        made.weigh()
    varied = made.vary({"share": [0.5, 0.7, 0.75]}, show=["everything"]).figures["everything"]
    assert varied[[0, 2]].tolist() == [1.0, 1.0]
    assert np.isnan(varied[1])


def test_what_does_not_happen_is_said() -> None:
    made = deal(
        inputs={"when": 3}, money_in={"x": {"formula": "1", "at": "when"}}, measures={"everything": "total(net)"}
    )
    checks = made.weigh(inputs={"when": 9}).checks
    assert (False, "x: 1.00 fall in period 9, outside the timeline of 0 to 6, and are counted nowhere.") in checks


def test_only_what_is_asked_is_worked_out() -> None:
    """An undefined line that no wanted name needs does not disturb, and a chain is worked out in its order."""
    chain = {f"x{k}": f"x{k - 1} + 1" for k in range(1, 30)}
    made = deal(
        {"last": "at(x29, 1)", "bad": "total(broken)"},
        lines={**dict(reversed(chain.items())), "x0": "1", "broken": "1 / (t - t)"},
    )
    weighing = made.weigh()
    assert weighing.measures["last"].value == 30.0
    assert weighing.measures["bad"].value is None
    values = [weighing.values[f"x{k}"][1] for k in range(30)]
    assert all(b == a + 1 for a, b in pairwise(values))
