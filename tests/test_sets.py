"""Sets: random deals beside the plain second implementation, the same in any block, changes of columns and of one thing."""

from __future__ import annotations

import datetime as dt
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from pennyweight import Deal, InputError
from pennyweight.deals import evaluation, set_stage
from pennyweight.deals.compiler.program import each_name
from pennyweight.deals.inputs import stack
from pennyweight.documents.text import render
from pennyweight.report.files import write
from tests.plain_deal import PlainDeal
from tests.random_deals import random_sets
from tests.sizes import cases


@pytest.mark.parametrize("seed", range(cases(16)))
def test_random_deals_of_sets_agree_thing_by_thing(seed: int) -> None:
    document = random_sets(seed)
    made, paper = Deal.from_dict(document), PlainDeal(document)
    weighing = made.weigh()
    for name in ("costs", "all", "empty", "kept", "new", "alive", "aged", "net", "loans.balance", "loans.payment"):
        told = [np.nan if value is None else value for value in paper.line(name)]
        assert weighing.line(name).tolist() == pytest.approx(told, rel=1e-9, abs=1e-6, nan_ok=True), name
    parts = [f"{loan}.{part}" for loan in ("van", "pool") for part in ("drawn", "payment", "interest", "balance")]
    for name in ("rented", "relet", "fares", "bought", "trips", "begun", "paid", "stock", "fund", *parts):
        own = paper.each[name.partition(".")[0]]
        for place, thing in enumerate(paper.things(own)):
            told = [np.nan if value is None else value for value in paper.of(own, place).line(name)]
            shown = weighing.line(f"{own}.{thing}.{name}").tolist()
            assert shown == pytest.approx(told, rel=1e-9, abs=1e-6, nan_ok=True), (thing, name)
    for name, figure in weighing.measures.items():
        assert figure.value == pytest.approx(paper.formula(document["measures"][name], 0), rel=1e-8, abs=1e-8), name
    worth = weighing.as_dict()["sets"]["tenants"]["worth"]
    for place, thing in enumerate(paper.things("tenants")):
        assert worth[thing] == pytest.approx(paper.of("tenants", place).formula("npv(income, 8%)", 0), rel=1e-8)


def test_cases_side_by_side_are_those_alone_in_any_block_and_number_of_threads(monkeypatch: pytest.MonkeyPatch) -> None:
    """Columns scaled, one thing's own value, ordinary inputs: bit for bit, and each case as weighing it alone has it."""
    model = Deal.from_dict(random_sets(3)).model
    count, draw = 700, np.random.default_rng(4)
    changes = {
        "market": draw.uniform(80, 220, count), "cap": draw.uniform(300, 900, count), "gap": draw.integers(0, 4, count) * 1.0,
        "tenants.rent": draw.uniform(0.5, 1.5, count), "tenants.Berth 0.rent": draw.uniform(100, 300, count), "vans.price": draw.uniform(0.5, 2.0, count),
    }  # fmt: skip
    wanted = ["value", "net", "all", each_name("worth"), each_name("trips"), each_name("van.balance"), "peak"]
    base, owner = stack(model.definition, [model.inputs_of()]), np.zeros(count, np.intp)
    once = model.sweep(base, owner, changes, wanted)
    monkeypatch.setattr(evaluation, "_BLOCK", 64)
    monkeypatch.setattr(set_stage, "_ELEMENTS", 1_000)
    again = model.sweep(base, owner, changes, wanted)
    assert [name for name in wanted if not np.array_equal(once[name], again[name], equal_nan=True)] == []
    for k in (0, 350, count - 1):
        given = {name: float(values[k]) for name, values in changes.items()}
        scaled = {name: f"scale {given.pop(name)!r}" for name in ("tenants.rent", "vans.price")}
        alone = model.everything(model.inputs_of("base", {**given, **scaled}))
        for name in wanted:
            here = alone[name] if name[0] == "?" else alone[name][..., 0]
            assert once[name][..., k] == pytest.approx(here, rel=1e-12, abs=1e-9), name


def _shops(**more: Any) -> dict[str, Any]:
    rows = [
        {"shop": "Quay", "rent": 100, "opens": dt.date(2027, 3, 31)},
        {"shop": "Mill No. 2", "rent": 300, "opens": dt.date(2027, 6, 30)},
    ]
    return {
        "deal": "Shops", "currency": "EUR", "timeline": {"period": "quarter", "periods": 8, "start": dt.date(2026, 12, 31)},
        "sets": {"shops": {"rows": rows, "columns": {"rent": {"unit": "money", "low": 0.9, "high": 1.2}}}},
        "money_in": {"sales": {"each": "shops", "formula": "900", "from": "shops.opens"}}, "money_out": {"paid": {"each": "shops", "formula": "shops.rent"}},
        "measures": {"left": {"each": "shops", "formula": "total(sales - paid)"}, "sum": "total(net)"}, "goals": {"left": {"at_least": 4_000}}, **more,
    }  # fmt: skip


def test_a_column_and_one_thing_change_wherever_an_input_does() -> None:
    made = Deal.from_dict(
        _shops(
            scenarios={
                "dear": {"shops": {"rent": {"scale": 2}, "Quay": {"rent": 150}}},
                "late": {"based_on": "dear", "shops": {"opens": {"shift": "6 months"}, "rent": {"shift": 10}}},
            },
            questions={"rent": {"find": "shops.Mill No. 2.rent", "so_that": "sum == 8_000"}, "all": {"find": "shops.rent", "so_that": "sum == 8_000"}},
        )
    )  # fmt: skip

    def left(scenario: str = "base", **inputs: Any) -> dict[str, float]:
        found: dict[str, float] = made.weigh(scenario, inputs=inputs.get("given")).as_dict()["sets"]["shops"]["left"]
        return found

    assert left() == {"Quay": 8 * 900 - 800, "Mill No. 2": 7 * 900 - 2_400}
    assert left("dear") == {"Quay": 7_200 - 8 * 150, "Mill No. 2": 6_300 - 8 * 600}  # its own value is not scaled
    assert left("late") == {"Quay": 6 * 900 - 8 * 150, "Mill No. 2": 5 * 900 - 8 * 610}
    assert left(given={"shops.Quay.rent": 0, "shops.rent": "scale 3"}) == {"Quay": 7_200, "Mill No. 2": 6_300 - 7_200}
    answers = made.weigh().answers
    assert answers["rent"].answers[0].value == pytest.approx((13_500 - 8_000 - 800) / 8)
    assert answers["all"].answers[0].value == pytest.approx((13_500 - 8_000) / 3_200)
    figures = made.vary({"shops.Quay.rent": [100, 200]}).figures["sum"]
    assert figures.tolist() == [13_500 - 3_200, 13_500 - 4_000]
    point = next(one for one in made.weigh().turning_points if one.input == "shops.rent")
    assert point.turns_at == pytest.approx(
        made.find("shops.rent", "lowest_of(left) >= 4_000").answers["base"].answers[0].value
    )
    goal = made.weigh("dear").goals["left"]
    assert (goal.state, goal.value) == ("missed", 1_500)
    assert "Mill No. 2" in goal.label


def test_what_each_thing_adds_is_told_and_written(tmp_path: Path) -> None:
    made = Deal.from_dict(_shops(tables={"roll": {"by": {"shops": "all"}}}))
    weighing = made.weigh()
    page = render(weighing.document(by="year", each="shops"))
    assert "left, lowest of shops (Mill No. 2)" in page
    assert "  Mill No. 2" in page
    assert "2027-06-30" in page
    told = made.why("left", of="Quay").reason
    assert told.values == (6_400.0,)
    assert {one.name for one in told.below if one.role == "line"} == {
        "shops.Quay.sales",
        "shops.Quay.paid",
    }
    assert [one.name for one in made.why("sum").reason.below[:2]] == ["sales", "paid"]
    long = weighing.frames["shops"]
    assert set(long.columns) == {"thing", "line", "date", "value"}
    assert long["value"].sum() == pytest.approx(13_500 + 3_200)
    assert weighing.tables["roll"].as_dict()["rows"][0]["opens"] == "2027-03-31"
    write(weighing, tmp_path / "shops.xlsx")
    import openpyxl

    sheets = openpyxl.load_workbook(tmp_path / "shops.xlsx")
    assert [cell.value for cell in sheets["Shops"][2]][:2] == ["Quay", 100]
    assert sheets["Shops by period"].max_row == 2 * 2 * 9 + 1


def _changed(section: str, name: str, item: Any) -> dict[str, Any]:
    made = _shops(scenarios={})
    made["sets"]["vans"] = {"rows": [{"van": "Anna", "price": 5}]}
    made["measures"]["prices"] = "sum_of(vans.price)"
    if section == "shops":
        made["sets"]["shops"][name] = item
    else:
        made.setdefault(section, {})[name] = item
    return made


@pytest.mark.parametrize(
    ("section", "name", "item", "said"),
    [
        ("shops", "rows", [], "'rows' of shops has no rows"),
        ("shops", "rows", [{"shop": "Quay", "rent": 1, "opens": 1}] * 2, "row 2: 'Quay' stands there twice"),
        ("shops", "rows", [{"shop": "Quay", "rent": 1, "opens": 1}, {"shop": "Mill", "opens": 2}], "row 2, column 'rent' is empty"),
        ("shops", "rows", [{"shop": "rent", "rent": 1, "opens": 1}], "a thing is named 'rent' as a column is"),
        ("shops", "name", "tenant", "has no column 'tenant'"),
        ("shops", "columns", {"rnt": {}}, "has no column 'rnt'; did you mean 'rent'"),
        ("shops", "columns", {"rent": {"unit": "share"}}, "100 is 10,000%"),
        ("shops", "file", "shops.csv", "has file and rows; give it one of"),
        ("lines", "x", {"each": "shop", "formula": "1"}, "there is no set 'shop'; did you mean 'shops'"),
        ("lines", "x", "shops.rent * 2", "shops.rent has a value for each of shops, and this is worked out once"),
        ("lines", "x", "sum_of(shops.rent * vans.price)", "a formula goes by one set"),
        ("lines", "x", {"each": "vans", "formula": "sales"}, "and this is worked out for each of vans"),
        ("lines", "x", "sum_of(3)", "is the same for all of them"),
        ("lines", "x", "sum_of(shops.rnt)", "shops has no column 'rnt'; did you mean 'shops.rent'"),
        ("lines", "rent", {"each": "shops", "formula": "1"}, "shops has a column 'rent'"),
        ("lines", "x", {"each": "vans", "formula": "1", "at": "vans.price / 2"}, "of x for Anna is period 2.5, which is not a whole one"),
        ("lines", "x", {"formula": "by_age(all_sales, kept)", "from": 0}, "is 0 at age 0"),
        ("measures", "x", "one_of(left, 'Kay')", "there is no 'Kay'"),
        ("scenarios", "x", {"shops": {"Quay": {"rnt": 3}}}, "shops has no column 'rnt'"),
        ("scenarios", "x", {"shops": {"Kay": {"rent": 3}}}, "no column and no thing 'Kay'"),
        ("scenarios", "x", {"shops": {"opens": {"shift": "3 weeks"}}}, "write whole months"),
        ("questions", "x", {"find": "shops.rent", "so_that": "left >= 0"}, "left has a value for each of shops"),
        ("tables", "x", {"by": {"shops": "all", "vans": "all"}}, "names two sets"),
    ],
)  # fmt: skip
def test_what_cannot_be_right_is_refused_in_one_sentence(section: str, name: str, item: Any, said: str) -> None:
    made = _changed(section, name, item)
    made["lines"] = {"all_sales": "sum_of(sales)", "kept": "0.9 ** t"} | made.get("lines", {})
    with pytest.raises(InputError) as caught:
        Deal.from_dict(made).weigh()
    assert said in str(caught.value)
    assert "mistakes:" not in str(caught.value)


def test_the_day_of_a_thing_that_never_comes_is_looked_for_within_the_timeline() -> None:
    """Two things bring 20 and 30 a year; the first ends after a year, so that 80 are brought when the other ends after two."""
    rows = [{"n": "p", "d": dt.date(2027, 12, 31), "w": 2}, {"n": "q", "d": "never", "w": 3}]
    made = Deal.from_dict({
        "deal": "x", "timeline": {"periods": 5, "start": dt.date(2026, 12, 31)},
        "sets": {"a": {"rows": rows, "columns": {"d": {"unit": "date"}, "w": {"whole": True}}}},
        "money_in": {"r": {"each": "a", "formula": "10 * a.w", "to": "a.d"}}, "measures": {"m": "total(net)"},
    })  # fmt: skip
    assert made.find("a.q.d", "m <= 100").answers["base"].answers[0].shown == "2028-12-31"
    assert made.find("a.q.w", "m <= 115").answers["base"].answers[0].value == 1.0
