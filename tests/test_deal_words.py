"""Tables, choices, dates, answers that are figures, ends of ranges, loans in stages: beside the plain second implementation."""

from __future__ import annotations

import datetime as dt
import math
import random
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import tomlkit

from pennyweight import Deal, InputError, Loan
from pennyweight.analysis.cases import Model
from pennyweight.deals.compiler import recursion
from tests.builders import STARTERS, deal, measure, reason
from tests.plain_deal import PlainDeal
from tests.random_deals import random_deal
from tests.sizes import cases

HOUSE = STARTERS / "house/four-flats-house.toml"


@pytest.mark.parametrize("seed", range(cases(20)))
def test_random_deals_with_every_new_word_agree(seed: int) -> None:
    document = random_deal(seed)
    made, paper = Deal.from_dict(document), PlainDeal(document)
    weighing = made.weigh()
    parts = ["payment", "interest", "drawn", "balance", "principal", "flow"]
    parts += ["settled"] if "counted_to" in document["timeline"] else []
    names = [*("rents", "works", "berth", "worth", "net", "surplus", "taxed", "lost", "worn", "falls", "recent", "ahead"),
             *("usual", "peak", "charged", "levied", "share", "bent", "ours", "shared.us", "shared.them_1", "shared.owed_1"),
             *(f"{loan}.{part}" for loan in [*document["loans"], "loans"] for part in parts)]  # fmt: skip
    for name in names:
        told = [np.nan if value is None else value for value in paper.line(name)]
        assert weighing.line(name).tolist() == pytest.approx(told, rel=1e-9, abs=1e-6, nan_ok=True), name
    for name, figure in weighing.measures.items():
        expected = paper.formula(document["measures"][name], 0)
        assert figure.value == (None if expected is None else pytest.approx(expected, rel=1e-8, abs=1e-8)), name
    for column, values in weighing.tables["kept"].columns.items():
        for n, value in zip(range(1, values.size + 1), values, strict=True):
            expected = paper.cell("kept", column, n=n)
            assert value == pytest.approx(np.nan if expected is None else expected, rel=1e-8, abs=1e-6, nan_ok=True), (
                column,
                n,
            )
    years = document["inputs"]["held"]["high"]
    assert weighing.answers["best"].answers[0].value == paper.best(
        "held", list(range(1, years + 1)), document["measures"]["value"]
    )
    assert weighing.answers["how"].answers[0].shown == paper.best(
        "way", ["own", "rented"], document["measures"]["value"]
    )
    undone = PlainDeal(document, undone=("rents",)).line("rents")
    assert made.weigh("plain").line("rents").tolist() == pytest.approx(undone)


@pytest.mark.parametrize("seed", range(cases(9)))
def test_random_deals_that_solve_an_input_agree(seed: int) -> None:
    """What is given on the first day, and a thing that grows with it, so that the deal is worth no less than is asked."""
    document = random_deal(seed) | {
        "questions": {},
        "tables": {},
        "scenarios": {"rented": {"way": "rented", "rent": 2_000}},
    }
    document["inputs"]["gift"] = {
        "so_that": "npv(net, hurdle) >= -300_000",
        "pick": "largest",
        "between": [0, 900_000],
        "unit": "money",
    }
    document["money_out"] |= {"given": {"formula": "gift", "at": 0}, "thanks": "graduated(gift * 0.01, duty)"}
    document["measures"]["gifted"] = "gift"
    made = Deal.from_dict(document)
    for scenario, changed in {"base": {}, "rented": document["scenarios"]["rented"]}.items():
        weighing, paper = made.weigh(scenario), PlainDeal(document, changed)
        assert weighing.inputs["gift"] == pytest.approx(paper.formula("gift", 0), rel=1e-10)
        assert weighing.solved["gift"].answers
        for name in ("rents", "given", "thanks", "net", "levied"):
            assert weighing.line(name).tolist() == pytest.approx(paper.line(name), rel=1e-9, abs=1e-4), name
        for name in ("value", "middle", "by_days"):
            expected = paper.formula(document["measures"][name], 0)
            assert weighing.measures[name].value == pytest.approx(expected, rel=1e-8, abs=1e-4), name


@pytest.mark.parametrize("seed", range(cases(12)))
def test_a_case_in_plain_floats_is_the_same_to_the_last_bit(seed: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """Recursions and loans with all that can happen to them: what few cases go by against the arrays of many."""
    document, pick = random_deal(seed), random.Random(seed)
    document["levels"]["pot"] = {
        "formula": pick.choice(
            [
                "prior(pot) * 1.01 + rents - bank.payment",
                "max(prior(pot), 0) ** 1.01 + net",
                "prior(pot) + at(pot, t - 1) * 0.01 if t > 2 else 5",
            ]
        ),
        "start": 5_000,
    }
    document["loans"]["bank"] = {
        "amount": pick.choice(["10_000 + 0.1 * prior(pot)", 12_000]), "rate": 0.05, "years": 4, "paid_out": pick.randint(0, 3), "extra": pick.choice(["0", "0.01 * max(prior(pot), 0)"]),
        "rate_steps": {"4": "6%"}, "to_the_cent": pick.random() < 0.3, "interest_only": pick.choice([0, 1]),
    }  # fmt: skip
    model = Deal.from_dict(document).model
    case = model.inputs_of()
    names = [name for name in model.program.names if name[0] != "?" and name not in document["questions"]]
    plain = model.figures([case], names)
    monkeypatch.setattr(recursion, "_FEW", 0)
    arrays = model.figures([case], names)
    assert [name for name in names if not np.array_equal(plain[name], arrays[name], equal_nan=True)] == []


def test_loans_in_stages_taken_over_and_with_a_balloon_are_those_of_loan() -> None:
    """Against `Loan` to the last digit: the taken-over one is the rest of the original schedule."""
    whole = Loan(200_000, "4%", years=20, rounding=None).schedule.plain_rows()
    made = deal(
        period="month", periods=240, loans={"old": {"amount": 200_000, "rate": "4%", "years": 20, "payments_made": 77}}
    )
    assert made.weigh().line("old.balance")[:164] == pytest.approx([row["balance"] for row in whole[76:]], abs=1e-6)
    balloon = Loan(200_000, "4%", years=7, amortized_over=20, rounding=None).schedule.plain_rows()
    made = deal(period="month", periods=100, loans={"b": {"amount": 200_000, "rate": "4%", "years": 20, "balloon": 7}})
    assert made.weigh().line("b.payment")[1:85] == pytest.approx([row["payment"] for row in balloon])
    never = deal(
        period="month", periods=240, loans={"b": {"amount": 200_000, "rate": "4%", "years": 20, "balloon": "never"}}
    )
    assert never.weigh().line("b.payment")[1:] == pytest.approx([row["payment"] for row in whole])


def test_an_answer_is_a_figure_that_measures_goals_tables_and_vary_use() -> None:
    """The highest price is worth of the rents less the fee, by hand; saved is what the deal leaves of it."""
    made = deal(
        {"npv": "npv(net, rate)", "saved": "top - price"},
        inputs={"price": {"value": 1_000, "unit": "money"}, "rent": 400, "rate": "8%", "fee": {"value": 50, "low": 0, "high": 90}},
        money_in={"rents": "rent"}, money_out={"paid": {"formula": "price + fee", "at": 0}},
        questions={"top": {"find": "price", "so_that": "npv == 0"}, "fair": {"find": "fee", "so_that": "saved == 500"}},
        goals={"top": {"at_least": 1_700}}, tables={"tops": {"by": {"rate": ["5%", "8%"], "rent": [300, 400]}, "columns": {"top": "top"}}},
    )  # fmt: skip

    def by_hand(rate: float, rent: float, fee: float = 50) -> float:
        return sum(rent / (1 + rate) ** k for k in range(1, 7)) - fee

    weighing = made.weigh()
    assert weighing.measures["saved"].value == pytest.approx(by_hand(0.08, 400) - 1_000)
    assert weighing.goals["top"].state == "met"
    assert weighing.answers["fair"].answers[0].value == pytest.approx(by_hand(0.08, 400, 0) - 1_500)
    expected = [[by_hand(rate, rent) for rent in (300, 400)] for rate in (0.05, 0.08)]
    assert weighing.tables["tops"].columns["top"] == pytest.approx(np.array(expected))
    assert made.vary({"fee": [0, 90]}, show=["top"]).figures["top"] == pytest.approx(
        [by_hand(0.08, 400, fee) for fee in (0, 90)]
    )
    # The turn of the verdict is the answer, to the last digit.
    assert [p.turns_at for p in made.turning_points() if p.input == "fee"] == pytest.approx(
        [by_hand(0.08, 400, 0) - 1_700]
    )


def test_a_figure_is_made_largest_and_smallest() -> None:
    made = deal(
        {"gain": "x * (10 - x) + bonus", "cost": "abs(x - 2)"},
        inputs={"x": 1.0, "bonus": {"value": 0, "low": 0, "high": 5}, "n": {"value": 3, "whole": True}},
        lines={"l": "x"},
    )
    assert made.find("x", most="gain").answers["base"].values == pytest.approx([5.0], abs=1e-6)
    assert made.find("x", least="cost", between=(0, 9)).answers["base"].values == pytest.approx([2.0], abs=1e-9)
    assert made.find("n", most="gain - (n - 4) ** 2", between=(1, 12)).answers["base"].values == (4.0,)
    edge = made.find("bonus", most="gain", between=(0, 5)).answers["base"]
    assert (edge.answers[0].value, edge.edge) == (5.0, True)
    with pytest.raises(InputError, match="Give one of so_that, most and least"):
        made.find("x", "gain > 0", most="gain")


def test_scenarios_at_the_ends_of_ranges_and_on_several_others() -> None:
    made = deal(
        {"npv": "npv(net, 8%)", "cost": "total(paid) + total(upkeep)"},
        inputs={"price": {"value": 1_000, "low": 900, "high": 1_200}, "rent": {"value": 300, "low": 250, "high": 320},
                "upkeep_cost": {"value": 20, "low": 10, "high": 40}, "age": {"value": 5, "low": 1, "high": 9, "fixed": True}},
        money_in={"rents": "rent"}, money_out={"paid": {"formula": "price", "at": 0}, "upkeep": "upkeep_cost + age"},
        goals={"npv": {"at_least": 0}},
        scenarios={"worst": {"all_inputs": "worst"}, "best": {"all_inputs": "best"}, "dear": {"all_inputs": "best", "judged_by": "cost"}, "low": {"all_inputs": "low"},
                   "high_price": {"price": "high"}, "low_rent": {"rent": "low", "price": 950}, "both": {"based_on": ["high_price", "low_rent"], "upkeep_cost": "low"}},
    )  # fmt: skip
    chosen = {
        name: tuple(made.weigh(name).inputs[key] for key in ("price", "rent", "upkeep_cost", "age"))
        for name in made.scenarios
    }
    assert chosen == {
        "base": (1_000, 300, 20, 5), "worst": (1_200, 250, 40, 5), "best": (900, 320, 10, 5), "dear": (1_200, 300, 40, 5),
        "low": (900, 250, 10, 5), "high_price": (1_200, 300, 20, 5), "low_rent": (950, 250, 20, 5), "both": (950, 250, 10, 5),
    }  # fmt: skip
    assert "age" not in {point.input for point in made.turning_points()}
    assert made.weigh(inputs={"price": "low"}).inputs["price"] == 900


def test_turns_are_honest() -> None:
    """A limit is no turn: the return stops existing when nothing is invested, a term when it is no whole payment."""
    made = deal(
        {"irr": "irr(net)"}, inputs={"lent": {"value": "50%", "low": "0%", "high": "100%"}, "span": {"value": 4, "unit": "years"}, "way": {"value": "a", "choices": ["a", "b", "c"]}},
        loans={"bank": {"amount": "lent * 1_000", "rate": "2%", "years": "span"}},
        money_in={"rents": "260 if way != 'c' else 100"}, money_out={"paid": {"formula": "1_000", "at": 0}}, goals={"irr": {"at_least": "5%"}},
    )  # fmt: skip
    points = {point.input: point for point in made.turning_points()}
    assert (points["lent"].turns_at, points["lent"].reason) == (None, "pays off at every value")
    assert (points["span"].turns_at, points["span"].reason) == (None, "pays off at every value")
    assert points["way"].choices == ("a", "b")
    text = str(made.weigh())
    assert "pays off with a or b" in text
    assert "It pays off at every value looked at of: lent" in text


@pytest.mark.parametrize(
    ("figure", "below", "above"),
    [
        ("7.25 - x", None, 7.25), ("x ** 3 - 8", 2.0, None), ("min(40 - 5 * x, 3)", None, 8.0), ("10 if x < 6.5 else -10", None, 6.5),
        ("(x - 1.5) * (9 - x)", 1.5, 9.0), ("exp(x) - 20", math.log(20), None), ("1 / x - 0.125", None, 8.0), ("sqrt(x) - 1.75", 3.0625, None),
        ("max(x - 3, 0) * (7 - x) + 0 * x", None, 7.0), ("1 - abs(x - 5) ** 5", 4.0, 6.0), ("log(x / 2) + 1e-3", 2 * math.exp(-1e-3), None),
    ],
)  # fmt: skip
def test_turns_and_answers_lie_where_algebra_says(figure: str, below: float | None, above: float | None) -> None:
    """Straight, bent, kinked, stepped, with a pole beside it: the nearest turn on each side, and the answers of `find`."""
    made = deal({"m": figure}, inputs={"x": 5.0}, lines={"l": "x"}, goals={"m": {"at_least": 0}})
    (point,) = made.turning_points()
    for found, expected in ((point.below, below), (point.above, above)):
        assert found == (None if expected is None else pytest.approx(expected, rel=1e-9)), figure
    answers = made.find("x", "m >= 0", between=(0.5, 12)).answers["base"].values
    assert [value for value in (below, above) if value is not None] == pytest.approx(answers, rel=1e-9)


def test_a_limit_is_told_alike_by_a_turning_point_and_an_answer() -> None:
    made = deal({"m": "sqrt(x - 2.3) + 0.1 * (9 - x)"}, inputs={"x": 5.0}, lines={"l": "x"}, goals={"m": {"at_least": 0.5}}, questions={"q": {"find": "x", "so_that": "m >= 0.5", "between": [0.5, 12]}})  # fmt: skip
    (point,) = made.turning_points()
    assert (point.below, point.limit_below) == (None, pytest.approx(2.3, rel=5e-4))
    (answer,) = made.weigh().answers.values()
    assert (answer.told, answer.reason) == ("every value", "true for every value between 0.5000 and 12.0000 that has its figures; below about 2.30 a figure is undefined")  # fmt: skip


def test_all_searches_of_a_weighing_take_few_cases(monkeypatch: pytest.MonkeyPatch) -> None:
    """The house's answers and turning points: a dozen rounds at most, some twenty cases an input."""
    made, sizes = Deal.read(HOUSE), []
    sweep = Model.sweep

    def counted(self: Model, base: Any, owner: Any, changes: Any, wanted: Any) -> Any:
        sizes.append(owner.size)
        return sweep(self, base, owner, changes, wanted)

    monkeypatch.setattr(Model, "sweep", counted)
    made.weigh().work_out()
    assert len(sizes) <= 12
    assert sum(sizes) <= 40 * len(made.definition.inputs)


def test_series_steps_and_rates_go_by_dates(tmp_path: Path) -> None:
    document = {"deal": "D", "timeline": {"period": "month", "periods": 12, "start": dt.date(2027, 1, 15)},
                "inputs": {"fare": {"steps": {"2027-02-01": 5, "2027-06-15": 6}}, "trips": {"file": "t.csv", "column": "trips"}},
                "loans": {"b": {"amount": 1_200, "rate": "6%", "years": 1, "paid_out": dt.date(2027, 1, 15), "rate_steps": {"2027-04-20": "12%", "2027-08-01": "0%"}}},
                "money_in": {"a": "fare * trips"}, "measures": {"m": "total(a)"}}  # fmt: skip
    path = tmp_path / "d.toml"
    path.write_text(tomlkit.dumps(document), encoding="utf-8")
    rows = [f"2027-{k % 12 + 1:02d}-20,{100 + k}" for k in range(11)] + ["2027-12-16,111"]
    (tmp_path / "t.csv").write_text("\n".join(["date,trips", *rows]), encoding="utf-8")
    values = Deal.read(path).weigh()
    assert values.line("a")[1:].tolist() == [5 * (100 + k) if k < 4 else 6 * (100 + k) for k in range(12)]
    interest = values.line("b.interest")[1:]
    assert [round(12 * i / b, 9) for i, b in zip(interest, values.line("b.balance")[:-1], strict=True)] == [
        0.06
    ] * 3 + [0.12] * 3 + [0.0] * 6
    (tmp_path / "t.csv").write_text("\n".join(["date,trips", *rows, "2027-05-21,5"]), encoding="utf-8")
    with pytest.raises(InputError, match="two rows for one period"):
        Deal.read(path)


def test_checks_and_charts_of_ones_own() -> None:
    made = deal(
        {"npv": "npv(net, 8%)"}, inputs={"price": {"value": 100, "unit": "money"}, "bill": 20}, money_in={"rents": "30"}, money_out={"paid": {"formula": "price", "at": 0}},
        levels={"pot": {"formula": "prior(pot) + rents", "start": 5}},
        checks={"fits": {"formula": "abs(bill - 22) <= 1", "label": "The bill is the rent's part"}, "above": "pot > 40"},
        questions={"top": {"find": "price", "so_that": "npv >= 0"}},
        charts={"pots": {"lines": ["pot", "rents"], "target": "bill * 5", "mark": "top", "label": "The pot"}},
    )  # fmt: skip
    weighing = made.weigh()
    told = {sentence: passed for passed, sentence in weighing.checks}
    assert told["The bill is the rent's part: abs(bill - 22) <= 1 does not hold."] is False
    assert told["above: pot > 40 does not hold at the start."] is False
    chart, _ = weighing.document().charts
    assert (chart.title, chart.about, len(chart.lines)) == ("pot stays above rents", "The pot", 2)
    assert [round(place, 2) for _, place in chart.targets] == [100.0, round(30 * sum(1.08**-k for k in range(1, 7)), 2)]


def test_dates_in_formulas_and_units_that_survive() -> None:
    dated = {"period": "month", "periods": 24}
    document = {"deal": "D", "timeline": {**dated, "start": dt.date(2027, 1, 31)}, "inputs": {"born": dt.date(1980, 2, 29), "go": {"value": dt.date(2027, 6, 15)}},
                "money_in": {"a": {"formula": "1", "from": "go"}, "b": {"formula": "1", "at": "2028-02-29"}},
                "measures": {"age": "years_between(born, '2027-02-28')", "first": "first_period(a > 0)", "when": "first_period(b > 0)", "on": "date(1)", "days": "date(2) - date(1)"}}  # fmt: skip
    weighing = Deal.from_dict(document).weigh()
    values = {name: figure.value for name, figure in weighing.measures.items()}
    assert (values["age"], values["first"], values["when"], values["days"]) == (
        pytest.approx(47 - 1 / 12 + 30 / 31 / 12, abs=0.003),
        5,
        13,
        31,
    )
    assert "2027-02-28" in str(weighing)
    made = deal({"a": "max(0, total(net))", "b": "0 if total(net) < 0 else total(net)", "c": "clamp(total(net), 0, 5)", "d": "round(-total(net), 0)", "e": "at(pot, 1)"},
                inputs={"x": {"value": 5, "unit": "money"}}, money_in={"m": "x"}, levels={"pot": {"formula": "prior(pot) * 1.1", "start": "x"}})  # fmt: skip
    assert {made.definition.unit(name) for name in "abcde"} == {"money"}


def test_a_loan_payment_is_monthly_and_a_level_is_read_where_it_is_sold() -> None:
    monthly = 100_000 * 0.005 / (1 - 1.005**-360)
    assert measure("loan_payment(100_000, 6%, 30)") == pytest.approx(monthly)
    assert measure("loan_payment(100_000, 6%, 30, per_year=1)") == pytest.approx(100_000 * 0.06 / (1 - 1.06**-30))
    assert measure(
        "equivalent_annual(net, 10%, years=2)", money_in={"a": {"formula": "121", "at": 2}}
    ) == pytest.approx(100 / (1 / 1.1 + 1 / 1.21))
    sold = measure("npv(net, 10%, years=2, plus=worth)", money_in={"a": "0"}, levels={"worth": "100 * t"})
    assert sold == pytest.approx(200 / 1.21)
    assert (
        reason("irr(net, years=2, plus=worth)", money_in={"a": "1"}, levels={"worth": "1"})
        == "no period is below zero, so that nothing earns a return"
    )


REFUSED: list[tuple[dict[str, Any], str]] = [
    ({"questions": {"a": {"find": "x", "so_that": "b >= 1"}, "b": {"find": "x", "so_that": "a >= 1"}}}, "the answer needs itself: a needs b needs a"),
    ({"questions": {"a": {"find": "x", "so_that": "a >= 1"}}}, "the answer needs itself: a needs a"),
    ({"questions": {"a": {"find": "x", "most": "x", "pick": "largest"}}}, "leave out 'pick'"),
    ({"questions": {"a": {"find": "x", "so_that": "x > 1", "between": [5, 1]}}}, "runs from 5 to 1; write the smaller first"),
    ({"inputs": {"x": 1, "w": {"value": "a", "choices": ["a", "b", "a"]}}}, "the choice 'a' stands there twice"),
    ({"inputs": {"x": 1, "w": {"value": "c", "choices": ["a", "b"]}}}, "it must be 'a' or 'b'"),
    ({"inputs": {"x": 1, "w": {"value": "a", "choices": ["a", "b"]}}, "lines": {"l": "w + 1"}}, "'w' is one of 'a', 'b'; compare it, as in w == 'a'"),
    ({"inputs": {"x": 1, "w": {"value": "a", "choices": ["a", "b"]}}, "lines": {"l": "1 if w == 'bb' else 2"}}, "'bb' is no choice of w; did you mean 'b'?"),
    ({"inputs": {"x": "y * 2"}}, "put it under [values]"),
    ({"inputs": {"x": "2 + 3"}}, "a formula; put it under [values]"),
    ({"inputs": {"x": {"value": 1, "unit": "percent"}}}, 'write unit = "share"'),
    ({"inputs": {"x": {"value": 1, "unit": "EUR"}}}, 'write unit = "money"'),
    ({"tables": {"tt": {"by": {"x": "0..1/1000001"}, "columns": {"c": "x"}}}}, "2 or more"),
    ({"tables": {"tt": {"by": {"x": "0..1/2000", "n": "0..1/2000"}, "columns": {"c": "x"}}}}, "makes 4,000,000 cells; the most is 1,000,000"),
    ({"tables": {"tt": {"by": {"l": [1, 2]}, "columns": {"c": "x"}}}}, "must be an input, or a name that nothing else has"),
    ({"tables": {"tt": {"by": {"n": [1, 1]}, "columns": {"c": "n"}}}}, "a value stands there twice"),
    ({"tables": {"tt": {"by": {"n": [1, 2]}, "columns": {"c": "l * n"}}}}, "must be a single number"),
    ({"lines": {"l": {"formula": "x", "at": dt.date(2027, 1, 1)}}}, "the periods have no dates"),
    ({"lines": {"l": "date(t)"}}, "the periods have no dates"),
    ({"loans": {"b": {"amount": 5, "rate": "5%", "years": 2, "advances": {"0": "40%", "1": "50%"}}}}, "add up to 90% of the amount; they must make 100%"),
    ({"loans": {"b": {"amount": 5, "rate": "5%", "years": 2, "advances": {"2": "40%", "1": "60%"}}}}, "must follow one another in time"),
    ({"loans": {"b": {"amount": 5, "rate": "5%", "years": 2, "balloon": 1, "residual": 2}}}, "give 'balloon' or 'residual', not both"),
    ({"scenarios": {"s": {"all_inputs": "worst"}}}, "no input has a 'low' or a 'high'"),
    ({"scenarios": {"s": {"x": "low"}}}, "x has no 'low' to go to"),
    ({"scenarios": {"s": {"undo": ["l.set"]}}}, "l has no 'set' to undo"),
    ({"scenarios": {"s": {"based_on": ["u", "s"]}}}, "there is no scenario 'u'"),
    ({"goals": {"m": {"at_most": 5, "nearly": 4}}}, "'nearly' is 4; with at_most = 5 it must lie above that"),
    ({"checks": {"c": "x + 1"}}, "write a condition"),
    ({"charts": {"c": {"lines": ["ll"]}}}, "there is no line, level or table 'll'; did you mean 'l'?"),
    ({"lines": {"l": "if(x > 1, 2, 3)"}}, "written the other way round, as in b if a else c"),
    ({"lines": {"l": "sum(x)"}}, "the sum of a line is total(line)"),
    ({"lines": {"l": "mean(x)"}}, "the mean of a line is average(line)"),
    ({"lines": {"l": "x ^ 2"}}, "a power is written **"),
    ({"lines": {"l": "1 if x = 1 else 2"}}, "to compare two figures write =="),
    ({"lines": {"l": "1 if x > 1 && x < 3 else 2"}}, "joined by the words and, or"),
    ({"lines": {"l": {"formula": "x", "at": "start"}}}, "write 0 for the day of the deal"),
    ({"lines": {"l": {"formula": "x", "every": "year"}}}, "the number of periods from one to the next: every = 1"),
    ({"loans": {"b": {"amount": 5, "rate": "5%", "years": 2, "fee": 1}}}, "a fee is a line of its own under [money_out]"),
    ({"loans": {"b": {"amount": 5, "rate": "5%", "years": 2, "start": 1}}}, "write when it is paid out as paid_out = 0"),
    ({"inputs": {"x": {"value": [1, 2]}}}, "written as steps = { 1 = 1, 2 = 2 … }"),
    ({"tables": {"tt": {"by": {"n": "36k-42k"}, "columns": {"c": "n"}}}}, "a range is written 36k..42k"),
]  # fmt: skip


@pytest.mark.parametrize(("sections", "sentence"), REFUSED)
def test_each_new_word_gets_its_sentence(sections: dict[str, Any], sentence: str) -> None:
    with pytest.raises(InputError) as caught:
        deal({"m": "x"}, **{"inputs": {"x": 1}, "lines": {"l": "x"}, **sections})
    assert sentence in str(caught.value)


def test_every_mistake_of_a_file_is_told_in_one_run(tmp_path: Any) -> None:
    """Twelve lines are broken at once, each in its own way; all are told, in order, and nothing else."""
    text = HOUSE.read_text(encoding="utf-8")
    broken = {"label = \"Price\",": "labl = \"Price\",", "= { value = 3_200,": "= { value = \"x\",", "closing      = { value": "closing      = { valeu",
              "rate          = \"loan_rate\"": "rate          = \"loan_rat\"", "\"4 * rent_now\"": "\"4 ^ rent_now\"", "0 - lowest(running(net), 0, works_months)": "sum(net)",
              "at_least = 1.2,": "at_least = 1.0,", "most    = \"gain\"\nbetween": "most    = \"gaim\"\nbetween", "lent  = \"0%\"": "lentt  = \"0%\""}  # fmt: skip
    for old, new in broken.items():
        assert text.count(old) == 1, old
        text = text.replace(old, new)
    path = tmp_path / "house.toml"
    path.write_text(text, encoding="utf-8")
    with pytest.raises(InputError) as caught:
        Deal.read(path)
    lines = [mistake.place.line for mistake in caught.value.mistakes]
    pairs = zip(HOUSE.read_text(encoding="utf-8").splitlines(), text.splitlines(), strict=True)
    assert lines == [number for number, (before, after) in enumerate(pairs, 1) if before != after]
