"""Page one: what somebody who has to decide reads first, on paper, on the page and in the workbook."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from io import BytesIO
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from openpyxl import load_workbook
from pypdf import PdfReader

from pennyweight import (
    Bond,
    CashFlows,
    Deal,
    InputError,
    Loan,
    LoanSet,
    NoAnswer,
    Portfolio,
    Takeover,
    grow,
    read_loan_file,
    withdraw,
)
from pennyweight.analysis.weighing.what_if import moved_inputs
from pennyweight.cli.main import status
from pennyweight.deals.language.nodes import names_in
from pennyweight.documents import Verdict
from pennyweight.report.cover import Cover
from pennyweight.report.layouts.page import page
from pennyweight.report.layouts.paper import paper
from pennyweight.report.layouts.workbook import workbook
from tests.builders import STARTERS, TAXI
from tests.sizes import some

KINDS: dict[str, Callable[[], Any]] = {
    "loan": lambda: Loan(86_000, "4.2%", years=15, currency="EUR"),
    "changed": lambda: read_loan_file(STARTERS / "loans/studio.toml"),
    "takeover": lambda: Takeover(on="2027-01-31", balance=71_266.88, rate="4.2%", payment=644.79, original_years=15),
    "layers": lambda: LoanSet({"bank": Loan(60_000, "4%", years=10), "town": Loan(20_000, "6%", years=10)}, spare=200),
    "flows": lambda: CashFlows([-1_000, 300, 420, 680]).report("7%"),
    "returns": lambda: Portfolio.from_csv(STARTERS / "endowment/statements.csv").report(),
    "bond": lambda: Bond("4%", maturity="2031-06-15").report("2026-11-23", price=97.25),
    "plan": lambda: grow(opening=6_000, deposit=350, rate="3.5%", closing=41_000, per_year="month"),
    "for ever": lambda: withdraw(withdrawal=24_000, rate="4%", years="forever", find="pot"),
    "deal": lambda: Deal.starter("taxi").weigh(),
}


def said_by(result: Any) -> dict[str, float]:
    """The figures that decide, of each kind by its own names."""
    plain = result.as_dict()
    names = ("payment", "total_interest", "npv", "irr", "clean", "yield", "answer", "interest_to_come")
    found = {name: plain[name] for name in names if isinstance(plain.get(name), float)}
    return found | {name: value for name, value in plain.get("measures", {}).items() if isinstance(value, float)}


@pytest.mark.parametrize("kind", some(list(KINDS), 3))
def test_page_one_says_what_came_out_and_what_went_in(kind: str) -> None:
    """A sentence with figures in it, key figures that open, a chart, what was put in: before anything else."""
    result = KINDS[kind]()
    handed = result.handout()
    first, document = handed.page_one, handed.document
    verdicts = [block for block in first.blocks if isinstance(block, Verdict)]
    sentence = verdicts[0].sentence if verdicts else document.headline
    assert len(re.findall(r"\d", sentence)) >= 4
    assert sentence.endswith(".")
    assert len(first.figures) + len(first.blocks) >= 4
    assert all(line.why is not None and line.why.make() for line in first.figures)
    assert first.given is not None
    assert document.charts or kind == "for ever"
    sheet = " ".join(PdfReader(BytesIO(paper(handed, Cover()))).pages[0].extract_text().split())
    web = page(handed, Cover())
    cells = " ".join(
        str(cell.value)
        for row in load_workbook(BytesIO(workbook(handed, Cover())))["Page one"].iter_rows()
        for cell in row
        if cell.value is not None
    )
    for told in (*sentence.split()[:6], *(line.value.text for line in first.figures), first.given.title):
        for shown in (sheet, web, cells):
            assert told.replace("'", "&#39;") in shown.replace("'", "&#39;")
    assert web.index(first.given.title) < web.index("What it was made of") if "What it was made of" in web else True
    figures = " ".join([sentence, *(line.value.text for line in first.figures), *(str(b) for b in first.blocks)])
    amounts = {float(text.replace(",", "")) for text in re.findall(r"\d[\d,]*\.\d+", figures)}
    for name, value in said_by(result).items():
        near = {round(value, 2), round(value * 100, 2), round(value, 4)}
        if (kind, name) != ("changed", "payment") and (kind != "deal" or name in result.goals):
            assert amounts & near, name


def test_a_deal_names_the_figures_of_page_one(tmp_path: Path) -> None:
    named = TAXI.read_text(encoding="utf-8").replace(
        "[timeline]", 'page_one = ["margin", "top_price"]\n\n[timeline]', 1
    )
    for name in ("taxi.toml", "ridership.csv"):
        (tmp_path / name).write_text((TAXI.parent / name).read_text(encoding="utf-8"), encoding="utf-8")
    (tmp_path / "taxi.toml").write_text(named, encoding="utf-8")
    lines = Deal.read(tmp_path / "taxi.toml").weigh().handout().page_one.figures
    assert [(line.label, line.value.text) for line in lines] == [
        ("Operating margin", "44.15%"),
        ("Highest price of the hull", "EUR 537,185.75"),
    ]


@pytest.mark.parametrize(
    ("names", "told"),
    [(["irrr"], "'irrr' is no measure and no question; did you mean 'irr'?"), (["irr", "irr"], "names irr twice")],
)
def test_names_of_page_one_that_cannot_be(names: list[str], told: str) -> None:
    with pytest.raises(InputError, match=re.escape(told)):
        Deal.from_dict({"deal": "x", "page_one": names, "money_out": {"a": {"formula": "5", "at": 0}},
                        "money_in": {"b": "6"}, "measures": {"irr": "irr(net)"}})  # fmt: skip


def test_a_report_says_when_it_was_made_or_is_the_same_every_day(tmp_path: Path, capsys, monkeypatch) -> None:
    monkeypatch.chdir(tmp_path)
    terms = ["loan", "--owed", "5k", "--rate", "5%", "--years", "1"]
    for ending in ("html", "pdf", "xlsx"):
        for name, day in (("a", "2027-01-31"), ("b", "none"), ("c", "none")):
            assert status([*terms, "--output", f"{name}.{ending}", "--dated", day]) == 0
        assert Path(f"b.{ending}").read_bytes() == Path(f"c.{ending}").read_bytes()
    assert "Made on 2027-01-31" in Path("a.html").read_text()
    assert "Made on 2027-01-31" in PdfReader("a.pdf").pages[0].extract_text()
    assert load_workbook("a.xlsx")["Page one"]["A2"].value == "Made on 2027-01-31"
    capsys.readouterr()
    assert status([*terms, "--format", "json"]) == 0
    assert "Made on" not in capsys.readouterr().out
    for bad, said in (("31.01.2027", "write dates as 2027-02-01"), ("soon", "write dates as")):
        assert status([*terms, "--output", "d.html", "--dated", bad]) == 2
        assert said in capsys.readouterr().err
        assert not Path("d.html").exists()


def test_the_source_may_stay_off_the_pages_and_goes_along(tmp_path: Path, capsys, monkeypatch) -> None:
    monkeypatch.chdir(tmp_path)
    assert status(["new", "taxi.toml", "--starter", "taxi"]) == 0
    for ending in ("html", "pdf", "xlsx"):
        assert status(["weigh", "taxi.toml", "--output", f"o.{ending}", "--without", "source", "--dated", "none"]) == 0
        capsys.readouterr()
        assert status(["weigh", f"o.{ending}", "--format", "json"]) == 0
        assert json.loads(capsys.readouterr().out)["verdict"] == "pays off"
    assert "[money_in]" not in re.sub(r"<script.*?</script>", "", Path("o.html").read_text(), flags=re.DOTALL)
    assert "[money_in]" not in " ".join(sheet.extract_text() for sheet in PdfReader("o.pdf").pages)
    book = load_workbook("o.xlsx")
    assert {sheet.sheet_state for sheet in book.worksheets if sheet.title.startswith("File ")} == {"hidden"}
    assert status(["weigh", "taxi.toml", "--output", "p.pdf", "--without", "charts"]) == 2
    assert "write --without source" in capsys.readouterr().err


def test_the_screen_is_short_and_as_wide_as_it_is_told(tmp_path: Path, capsys, monkeypatch) -> None:
    """The largest deal fits sixty lines at 120 columns; what is left out is counted, what fails is not."""
    monkeypatch.setenv("COLUMNS", "120")
    assert status(["weigh", str(STARTERS / "house/four-flats-house.toml")]) == 0
    lines = capsys.readouterr().out.split("\n")
    assert len(lines) <= 61
    assert max(map(len, lines)) <= 120
    assert any("turn it too, farther away" in line for line in lines)
    taxi = str(STARTERS / "taxi/taxi.toml")
    assert status(["weigh", taxi, "--with", "hull=500k"]) == 0
    text = capsys.readouterr().out
    assert text.index("✗") < text.index("Goals")
    assert "Net present value" in text
    assert (
        status(["compare", str(STARTERS / "house/four-flats-house.toml"), "--scenario", "base", "--scenario", "worst"])
        == 0
    )
    assert "Sold after so many years" not in capsys.readouterr().out
    args = [
        "compare",
        str(STARTERS / "house/four-flats-house.toml"),
        "--scenario",
        "base",
        "--scenario",
        "worst",
        "--tables",
    ]
    assert status(args) == 0
    assert "Sold after so many years" in capsys.readouterr().out
    assert status(["compare", taxi, "--tables"]) == 2


def test_everything_an_analyst_writes_shows_itself_in_a_notebook() -> None:
    """One element without a script, whose figures open all the same; two of a notebook share no name of a place."""
    written = [Bond("4%", maturity="2031-06-15"), CashFlows([-1_000, 300, 420, 680]), Deal.starter("taxi"),
               Portfolio.from_csv(STARTERS / "endowment/statements.csv"), Loan(5_000, "4%", years=1).schedule,
               Deal.starter("taxi").weigh().measures["npv"], Deal.starter("taxi").weigh().turning_points[0]]  # fmt: skip
    shown = [one._repr_html_() for one in (*(make() for make in KINDS.values()), *written)]
    for html in shown:
        assert html.strip().startswith('<div class="pennyweight notebook">')
        assert html.count("<div") == html.count("</div>")
        assert "<script" not in html
        assert "<button" not in html
    for html in shown[: len(KINDS) - 1]:  # the last of the kinds, a deal, has a verdict instead
        assert 'class="headline"' in html
        assert html.count("<details") >= 3
    places = [place for html in set(shown) for place in set(re.findall(r'id="([^"]+)"', html))]
    assert len(places) == len(set(places))


@pytest.mark.parametrize("name", some(["taxi", "four-flats", "stop-working", "land"], 2))
def test_what_if_is_what_weighing_says(name: str) -> None:
    """Every input that moves is worked out as a weighing with that value, its answers as they were."""
    weighing = Deal.starter(name).weigh()
    deal, rng = Deal.starter(name), np.random.default_rng(7)
    moved = moved_inputs(weighing, list(weighing.measures))
    turns = [point.nearness for one in moved for point in weighing.turning_points if point.input == one.input]
    known = [near for near in turns if near is not None]
    assert known == sorted(known)
    assert len(moved) >= 8
    asked = any(item.find for item in weighing.definition.questions.values())
    for one in moved:
        assert one.places.size <= 21
        item, k = weighing.definition.inputs[one.input], int(rng.integers(one.places.size))
        value = float(one.places[k])
        given: object = f"scale {value!r}" if item.is_series else item.choices[round(value)] if item.choices else value
        try:
            now = deal.weigh(inputs={one.input: given})
        except (InputError, NoAnswer):  # a loan that cannot be: among other cases it is undefined
            continue
        for figure, values in one.figures.items():
            reads_answers = asked and reaches_a_question(weighing.definition, figure)
            if figure in now.measures and not reads_answers:
                expected = now.measures[figure].value
                assert (expected is None and not np.isfinite(values[k])) or values[k] == pytest.approx(
                    expected, rel=1e-9
                )
        if not any(reaches_a_question(weighing.definition, goal) for goal in weighing.goals):
            assert one.verdicts[k] == now.verdict
        base = one.places[one.base]
        assert base == (1.0 if item.is_series else float(np.asarray(weighing.case[one.input])))


def reaches_a_question(deal: Any, name: str) -> bool:
    """Whether a figure hangs on an answer, by the names its formulas lead to."""
    seen, todo = set(), [name]
    while todo:
        one = todo.pop()
        if one in deal.questions:
            return True
        if one in seen:
            continue
        seen.add(one)
        node = deal.names.nodes.get(one)
        todo += names_in(node) if node is not None else ()
        todo += [
            part
            for loan in deal.loans.values()
            if one.startswith(f"{loan.name}.")
            for term in loan.terms.values()
            for part in names_in(term)
        ]
    return False


def test_numbers_that_count_periods_are_no_guess() -> None:
    made = Deal.from_dict({
        "deal": "x", "timeline": {"periods": 30},
        "money_in": {"a": "max(0, t - 4) * 7 / 100", "b": "at(a, 12) + 3 * (end - 5)"},
        "measures": {"m": "total(net, 13, 24) + 8"}, "values": {"v": "average(a, 2, 6) * 0.2"},
    })  # fmt: skip
    assert made.weigh().as_dict()["not_varied"] == ["0.2 in v", "7 in a", "3 in b"]
