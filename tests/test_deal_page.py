"""What a deal's page tells: why a figure is what it is, lines that are chosen, differences, charts, what is generated."""

from __future__ import annotations

import json
import tracemalloc
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from benchmarks.house import by_hand
from docs.make_reference import generated
from hypothesis import given, settings
from hypothesis import strategies as st
from matplotlib.figure import Figure

from pennyweight import Deal, InputError
from pennyweight.core.irr.balances import each_by_itself
from pennyweight.core.irr.find_rates import irr
from pennyweight.deals import evaluation
from pennyweight.deals.compiler import recursion
from pennyweight.deals.evaluation import evaluate
from pennyweight.deals.file.shape import SECTIONS
from pennyweight.deals.inputs import stack
from pennyweight.documents import LinesChart
from pennyweight.report.charts.lines import draw_lines
from tests.builders import STARTERS, TAXI, deal
from tests.sizes import cases

HOUSE = STARTERS / "house/four-flats-house.toml"


@pytest.fixture(scope="module")
def house() -> Deal:
    return Deal.read(HOUSE)


@pytest.mark.parametrize("seed", range(cases(6)))
def test_the_house_is_what_plain_python_makes_of_it(house: Deal, seed: int) -> None:
    """Month by month by hand, with other inputs each time; choices, terms and years among them."""
    generator = np.random.default_rng(seed)
    case = dict(house.model.inputs_of())
    if seed:
        for name, item in house.definition.inputs.items():
            if item.choices:
                case[name] = float(generator.integers(0, len(item.choices)))
            elif item.step is None and item.low is not None and item.high is not None:
                case[name] = generator.uniform(item.low, item.high)
        case |= {
            "held": float(generator.integers(2, 31)),
            "loan_made": float(generator.integers(0, 250)),
            "lent_due": float(generator.integers(1, 21)),
        }
    case["partner"] = 0.0
    expected = by_hand(case)
    figures = house.model.figures([case], list(expected))
    for name, value in expected.items():
        assert float(figures[name][0]) == pytest.approx(value, rel=1e-7, abs=1e-6), name


def test_the_page_of_the_house_reads_from_the_first_line_to_the_last(house: Deal) -> None:
    text = " ".join(str(house.weigh()).split())
    for words in ("PAYS OFF: All 3 goals are met. Nearest to turning it: Rent of a flat after medium works at EUR 1,168.37, -6% of its range, by Cash on cash",
                  "Best way to let", "rooms", "Sold after so many years", "Return by price and rent", "pays off with medium or heavy",
                  "below about EUR", "It pays off at every value looked at of: Light works", "The bank's bill is the loan's payment, the taxes and the insurance."):  # fmt: skip
        assert words in text, words
    for word in ("12 in ", "-0.00", "nan", "inf ", "e+", "works = 0", "Let by, choice"):
        assert word not in text, word


def test_why_goes_down_to_the_inputs_and_follows_what_differs(tmp_path: Path) -> None:
    made = Deal.read(TAXI)
    told = made.why("net", at=3, depth=6)
    assert told.reason.values[0] == pytest.approx(float(made.weigh().line("net")[3]))
    rows = {reason.name: reason for _, reason in told.rows}
    assert rows["fares"].filled == "6.50 * 18,800"
    assert rows["fares"].formula == "fare * trips"
    assert rows["fare"].where.startswith("taxi.toml, line 19, [inputs] fare")
    assert made.why("resale", at=3).reason.formula == "resale_value (does not run in this period)"
    assert "resale" not in rows
    assert {"1 is nothing here", "2 are nothing here"} <= {reason.formula for _, reason in told.rows}
    assert {"money_in", "money_out", "crew", "inflation"} <= rows.keys()
    both = made.why("operating", at=3, against="wet_summers", depth=5)
    depths = [(depth, reason.name) for depth, reason in both.rows]
    assert depths.index((2, "trips")) < next(k for k, (_, name) in enumerate(depths) if name == "crew")
    assert len(both.reason.values) == 2
    assert "told above" in str(Deal.read(HOUSE).why("pays_off", depth=6))
    assert made.why("pays_off", depth=0).reason.values == (1.0,)
    house = Deal.read(HOUSE)
    assert house.why("top_price").reason.shown == (house.weigh().answers["top_price"].answers[0].shown.strip(),)
    with pytest.raises(InputError, match="Nothing is named 'nvp'; did you mean 'npv'"):
        made.why("nvp")
    with pytest.raises(InputError, match="npv is a single figure; leave the period out"):
        made.why("npv", at=2)


def test_lines_are_chosen_and_stand_under_their_headings(house: Deal) -> None:
    weighing = house.weigh()
    table = weighing.frames["years"].loc[2:3]
    assert table["net"].tolist() == pytest.approx([weighing.line("net")[k : k + 12].sum() for k in (13, 25)])
    assert table["worth"].tolist() == pytest.approx(weighing.line("worth")[[24, 36]])
    page = str(weighing.document(by="year", lines=["Costs"], first="year 2", last="year 3"))
    (together,) = [line for line in page.split("\n") if "Costs together" in line]
    costs = sum(
        weighing.line(name)[13:25].sum() for name, line in house.definition.lines.items() if line.group == "Costs"
    )
    assert f"{costs:,.2f}" in together
    with pytest.raises(InputError, match="no line or level 'nett'; did you mean 'net'"):
        weighing.document(by="period", lines=["nett"])
    with pytest.raises(InputError, match="after last, period 12; write the earlier one first"):
        weighing.document(by="year", first="year 3", last="year 1")


def test_a_comparison_tells_differences_and_the_best() -> None:
    both = Deal.read(TAXI).compare(["dear_hull", "more_quays"], against="base")
    assert list(both.weighings) == ["base", "dear_hull", "more_quays"]
    base, dear = (both.weighings[name].measures["npv"].value for name in ("base", "dear_hull"))
    assert both.differences["dear_hull"]["npv"] == pytest.approx(dear - base)
    assert both.frame.loc["dear_hull less base", "npv"] == pytest.approx(dear - base)
    assert both.frame.loc["base", "top_price"] == pytest.approx(537_185.75, abs=0.01)
    text = str(both)
    assert "▼ 45,611.94" in text
    assert "▲ 127,340.49" in text
    assert "▼ 8.05" in text  # of a payback the longest is the worst


@pytest.mark.parametrize(
    ("sections", "titles"),
    [
        ({"money_in": {"a": "40"}, "money_out": {"b": {"formula": "100", "at": 0}}}, ["flows", "rates"]),
        ({"money_in": {"a": "40"}, "levels": {"pot": {"formula": "prior(pot) + a", "unit": "money"}}}, ["levels"]),
        ({"lines": {"lease": {"formula": "40", "unit": "money"}, "buy": {"formula": "30 + t", "unit": "money"}}}, ["courses"]),
        ({"money_in": {"a": "40"}, "money_out": {"b": "30"}}, ["money"]),
    ],
)  # fmt: skip
def test_without_a_word_the_page_draws_what_the_deal_is_about(sections: dict[str, Any], titles: list[str]) -> None:
    charts = deal(**sections).weigh().document().charts
    assert [chart.name for chart in charts] == titles
    assert titles == ["flows", "rates"] or not any("paid back" in chart.title for chart in charts)


def test_finding_and_varying_are_drawn() -> None:
    made = Deal.read(TAXI)
    (curve,) = made.find("hull", "npv == 0", scenarios=["base", "wet_summers"]).document().charts
    assert [label for label, _ in curve.lines] == ["as it stands", "Two wet summers in three"]
    assert curve.marks[0][1] == pytest.approx(537_185.75, abs=0.01)
    (curve,) = made.find("hull").document().charts  # the whole verdict turns by the payback of eight years
    assert (curve.targets[0][1], [label for label, _ in curve.lines]) == (8.0, ["Payback"])
    varied = made.vary({"hull": "400k..580k/4"}, show=["npv"])
    assert varied.verdicts.tolist() == ["pays off", "pays off", "nearly", "falls short"]
    (line,) = varied.document().charts
    assert (line.targets[0][1], line.marks[0][1]) == (0.0, 420_000)
    (line,) = made.vary({"hurdle": "6%..9%/4"}, show=["irr"]).document().charts
    assert line.title == "Internal rate of return is 13.07% a year at every value"


@pytest.mark.parametrize(("top", "expected"), [(12, ["0", "5", "10"]), (1.1, ["0.0", "0.5", "1.0"]), (5e7, ["0", "25 mn", "50 mn"])])  # fmt: skip
def test_numbers_along_an_axis_have_the_same_decimals(top: float, expected: list[str]) -> None:
    x = np.array([0.0, top])
    ax = draw_lines(LinesChart("c", "C", x, (("a", x),), "x", "y"), Figure().subplots())
    ax.set_xticks([float(text.removesuffix(" mn")) * (1e6 if "mn" in text else 1) for text in expected])
    assert [label.get_text() for label in ax.get_xticklabels()] == expected


def test_what_is_generated_is_what_the_code_says() -> None:
    for path, text in generated().items():
        assert path.read_text(encoding="utf-8") == text, f"{path.name}: run docs/make_reference.py"
    schema = json.loads((STARTERS / "schemas/deal.schema.json").read_text(encoding="utf-8"))
    assert set(schema["properties"]) >= set(SECTIONS)
    undescribed = [
        f"{name}.{key}"
        for name, part in schema["definitions"].items()
        for key, held in part.get("properties", {}).items()
        if not held.get("description")
    ]
    assert undescribed == []
    for path in STARTERS.rglob("*.toml"):
        kind = "loan" if "loans" in path.parts else "deal"
        assert path.read_text(encoding="utf-8").startswith(f"#:schema ../schemas/{kind}.schema.json\n")


@given(st.integers(0, 10**6))
@settings(max_examples=cases(30))
def test_each_row_by_itself_has_the_rate_of_the_exact_method(seed: int) -> None:
    """Rows of every kind: one change of sign, many, idle ends, none; NaN where the exact method finds none or several."""
    generator = np.random.default_rng(seed)
    rows = generator.normal(size=(30, int(generator.integers(2, 60)))) * 10 ** generator.uniform(0, 3, (30, 1))
    rows[::3, 0] = -np.abs(rows[::3]).sum(axis=1) * generator.uniform(0, 1, rows[::3].shape[0])
    rows[1::3][generator.random(rows[1::3].shape) < 0.5] = 0.0
    assert each_by_itself(rows) == pytest.approx(irr(rows), rel=1e-9, abs=1e-9, nan_ok=True)


def test_figures_are_the_same_in_blocks_of_any_size_and_any_number_of_threads(
    house: Deal, monkeypatch: pytest.MonkeyPatch
) -> None:
    generator = np.random.default_rng(4)
    base = stack(house.definition, [house.model.inputs_of()])
    names = [item.name for item in house.definition.inputs.values() if item.step is None]
    spread = {
        name: value * generator.uniform(0.8, 1.2, 600) if name in names else value for name, value in base.items()
    }
    wanted = ["gain", "worth_today", "on_cash", "cover", "cash", "put_by", "paid_so_far", "pays_off"]
    found = []
    for block, elements, threads in ((2_048, 24_576, 1), (512, 24_576, 2), (100, 9_000, 1), (37, 40_000, 2)):
        monkeypatch.setattr(evaluation, "_BLOCK", block)
        monkeypatch.setattr(evaluation, "_CHUNK_ELEMENTS", elements)
        found.append(evaluate(house.model.program, spread, wanted, threads=threads))
    for other in found[1:]:
        for name in wanted:
            assert np.array_equal(found[0][name], other[name], equal_nan=True), name


@pytest.mark.parametrize("formula", [
    "prior(pot) * 1e140 + 3", "prior(pot) / 1e-140", "(prior(pot) + 2) ** 9.5", "-prior(pot) * 1e145 - 1", "abs(prior(pot)) * 1e149", "(t - 3) ** 0.5",
    "max(prior(pot) * 1e140, 2)", "min(prior(pot) * -1e140, 2)", "1 / (t - 2) + prior(pot)", "at(pot, t - 1.5) + prior(pot)", "0 / t + prior(pot) * -1",
    "exp(prior(pot) + 300)", "log(prior(pot) - 3)", "round(prior(pot) + 1.25, 1)", "prior(pot) + 1 if prior(pot) * 1e149 * 1e149 * 1e149 > 5 else 1 / t",
])  # fmt: skip
def test_what_overflows_or_is_undefined_in_plain_floats_is_so_in_arrays(
    formula: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    model = deal(lines={"l": "1"}, levels={"pot": {"formula": formula, "start": "2"}}).model
    plain = model.figures([model.inputs_of()], ["pot"])["pot"]
    monkeypatch.setattr(recursion, "_FEW", 0)
    arrays = model.figures([model.inputs_of()], ["pot"])["pot"]
    assert np.array_equal(plain, arrays, equal_nan=True)
    known = ~np.isnan(plain)
    assert np.array_equal(np.signbit(plain[known]), np.signbit(arrays[known]))


def test_memory_does_not_grow_with_the_cases_when_only_summaries_are_asked(house: Deal) -> None:
    """Twenty thousand cases take what two thousand take, but for the figures themselves."""
    base = stack(house.definition, [house.model.inputs_of()])
    peaks = []
    for count in (2_048, 20_480):
        price = np.linspace(400_000, 460_000, count)
        tracemalloc.start()
        evaluate(house.model.program, {**base, "price": price}, ["on_cash", "pays_off"], threads=1)
        peaks.append(tracemalloc.get_traced_memory()[1])
        tracemalloc.stop()
    assert peaks[1] <= peaks[0] + 6 * 8 * 20_480
