"""Every figure on every page opens where it comes from, and the numbers told there come to the figure.

What is told is put into a calculator of its own (`value_of`): plain arithmetic on the text, as a reader would type it.
"""

from __future__ import annotations

import ast
import math
import operator
import re
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pennyweight import (
    CashFlows,
    Deal,
    InputError,
    Loan,
    NoAnswer,
    grow,
)
from pennyweight.analysis.explaining.why import why
from pennyweight.documents import Figures, Table
from pennyweight.documents.handout import Handout
from pennyweight.documents.why_table import why_of, why_table
from pennyweight.report.cover import Cover
from pennyweight.report.layouts.page import page
from tests.builders import STARTERS, TAXI, deal
from tests.drawn import KINDS
from tests.random_deals import random_deal
from tests.refusals import few_refused, refused, used
from tests.sizes import WHOLE, cases, some

_OPERATORS: dict[type, Callable[..., float]] = {
    ast.Add: operator.add, ast.Sub: operator.sub, ast.Mult: operator.mul, ast.Div: operator.truediv,
    ast.Pow: operator.pow, ast.USub: operator.neg,
}  # fmt: skip


def value_of(told: str) -> float:
    """What a text of numbers, signs and brackets comes to; a percentage is a hundredth of its number."""
    plain = re.sub(r"(?<=\d),(?=\d{3})", "", told).replace("×", "*").replace("^", "**")
    return _value(ast.parse(re.sub(r"([\d.]+)%", r"(\1 / 100)", plain), mode="eval").body)


def _value(node: ast.AST) -> float:
    match node:
        case ast.Constant(value=int() | float() as number):
            return float(number)
        case ast.BinOp():
            return _OPERATORS[type(node.op)](_value(node.left), _value(node.right))
        case ast.UnaryOp():
            return _OPERATORS[type(node.op)](_value(node.operand))
        case ast.Call(func=ast.Name(id="log"), args=[inner]):
            return math.log(_value(inner))
        case _:
            raise AssertionError(ast.dump(node))


def shown(text: str) -> tuple[float, float]:
    """A figure as it is shown, and the half of its last digit."""
    found = re.search(r"[+-]?\d[\d,]*(?:\.(\d+))?(e\+\d+)?(%?)", text)
    assert found, text
    scale = (0.01 if found[3] else 1.0) * float(f"1{found[2] or ''}")
    number = float(re.sub(r"e.*|%|,", "", found[0]))
    return number * scale, 0.5 * 10.0 ** -len(found[1] or "") * scale


def whys_of(handed: Handout) -> dict[tuple[str, str], Table]:
    """By the title of its block and its label what every line, every row, and every table as a whole tells."""
    first = handed.page_one.figures
    found = {("Page one", one.label): why_table(one.why) for one in first if one.why is not None}
    for block in handed.document.blocks:
        if isinstance(block, Figures):
            found |= {(block.title, one.label): why_table(one.why) for one in block.lines if one.why is not None}
        if isinstance(block, Table):
            rows = ((row[0].text.strip(), why_of(row)) for row in block.rows)
            found |= {(block.title, label): why_table(why) for label, why in rows if why is not None}
            if block.why is not None:
                found[block.title, ""] = why_table(block.why)
    return found


def lines_of(handed: Handout) -> Iterator[tuple[str, str, str, str]]:
    """(block, name, figure, numbers) of everything that is told with numbers."""
    for (title, _), table in whys_of(handed).items():
        for name, figure, how, *_ in table.rows:
            _, sign, numbers = how.text.partition("  =  ")
            if sign:
                yield title, name.text.strip("└ "), figure.text, numbers


def holds(handed: Handout, *, exact: bool) -> int:
    """Every told sum comes to its figure; how many there are. What is exact does so to the half of the last digit."""
    count = 0
    for title, name, figure, numbers in lines_of(handed):
        value, half = shown(figure)
        got = value_of(numbers)
        slack = half * (1 + 1e-6) + 2e-9 * abs(got)
        if not exact:  # amounts that were rounded to be shown stand in the sum
            slack += (numbers.count("+") + numbers.count(" - ") + 1) * half
        assert abs(got - value) <= slack, (title, name, figure, numbers, got)
        count += 1
    return count


def opens(handed: Handout) -> None:
    """Every figure and every row of the page opens, or its table tells how all of its figures come about."""
    for line in handed.page_one.figures:
        assert line.why is not None, line.label
    for block in handed.document.blocks:
        if isinstance(block, Figures):
            for line in block.lines:
                assert line.why is not None, (block.title, line.label)
        if isinstance(block, Table) and block.role != "working" and block.why is None:
            for row in block.rows:
                label = row[0].text.strip()
                if label not in ("…", "or") and not label.startswith("… ") and any(cell.text for cell in row[1:]):
                    assert why_of(row) is not None, (block.title, label)
    for table in whys_of(handed).values():
        assert table.rows, table.title


@pytest.mark.parametrize("kind", KINDS)
@few_refused
@given(seed=st.integers(0, 2**32))
@settings(max_examples=cases(25))
def test_every_figure_opens_and_its_numbers_come_to_it(kind: str, seed: int) -> None:
    made, exact = KINDS[kind]
    try:
        handed = made(np.random.default_rng(seed)).handout()
    except (InputError, NoAnswer):
        refused()
        return
    used()
    opens(handed)
    assert holds(handed, exact=exact) >= 5


def test_what_was_searched_is_bracketed() -> None:
    """Beside a rate that was searched, its equation turns: what is told at both sides lies on both sides."""
    flows = whys_of(CashFlows([-1_000, 300, 420, 680]).report("7%").handout())["Measures", "Internal rate of return"]
    below, at, above = (shown(row[1].text)[0] for row in flows.rows if "Present value at" in row[0].text)
    assert below > 0.0 == at > above
    assert [row[0].text.strip("└ ") for row in flows.rows[3:7]] == ["Year 0", "Year 1", "Year 2", "Year 3"]
    loan = whys_of(Loan(100_000, "6%", years=10, fee_up_front=900).handout())["Key facts", "Yearly percentage rate"]
    received, *worths = (shown(row[1].text)[0] for row in loan.rows[1:5])
    assert received == worths[1] == 99_100
    assert worths[0] > received > worths[2]
    # The same worth, payment by payment: a month's rate is a twelfth of the unit-period rate.
    rate = shown(loan.rows[3][0].text.split(" at ")[1])[0]
    i, payment = rate / 12, 1_110.21
    assert sum(payment / (1 + i) ** k for k in range(1, 121)) == pytest.approx(99_100, abs=1)
    pot = whys_of(grow(opening=6_000, deposit=350, years=10, per_year="month", closing=61_000, find="rate").handout())
    sides = [(shown(row[1].text)[0], shown(row[2].text)[0]) for row in pot["Answer", "Rate"].rows[2:]]
    assert sides[0][0] < sides[0][1]
    assert sides[1][0] == sides[1][1]
    assert sides[2][0] > sides[2][1]
    solved = whys_of(Loan(100_000, years=10, payment=1_110.21).handout())["Key facts", "Rate"]
    assert [shown(row[1].text)[0] for row in solved.rows[3:4]] == [1_110.21]


@given(seed=st.integers(0, 2**32))
@settings(max_examples=cases(40))
def test_every_figure_of_a_drawn_deal_opens(seed: int) -> None:
    weighing = Deal.from_dict(random_deal(seed)).weigh()
    opens(weighing.handout(weighing.document(by="period")))


@pytest.mark.parametrize("name", some(["taxi", "house", "equipment", "stop-working", "refinance", "income-fund"], 3))
def test_every_figure_of_a_deal_opens(name: str) -> None:
    """Figures, goals, answers, turning points, tables and lines; what a goal leaves to spare is what its numbers say."""
    path = next(STARTERS.rglob(f"*{name}*.toml")) if name != "taxi" else TAXI
    deal = Deal.read(path)
    weighing = deal.weigh()
    handed = weighing.handout(weighing.document(by="year"))
    opens(handed)
    whys = whys_of(handed)
    for goal in weighing.goals.values():
        table = whys["Goals", deal.definition.style.headed(goal.label, goal.unit)]
        spare = [row for row in table.rows if row[0].text == "To spare"]
        for row in spare:
            value, half = shown(row[1].text)
            assert value_of(row[2].text.split("  =  ")[1]) == pytest.approx(value, abs=3 * half)
    for point in weighing.turning_points:  # just beside a turn its goal is met on one side and missed on the other
        item = deal.definition.inputs[point.input]
        if point.turns_at is None or point.choices or item.step is not None or len(point.goals) != 1:
            continue
        label = deal.definition.style.headed(item.label, item.unit)
        rows = [row for row in whys["Turning points", label].rows if row[0].text.startswith("└")][:3]
        if any(row[1].text == "undefined" for row in rows):
            continue
        sign = 1 if weighing.goals[point.goals[0]].side == "at_least" else -1
        left, at, right = (sign * (shown(row[1].text)[0] - shown(row[2].text)[0]) for row in rows)
        half = 2.1 * shown(rows[1][1].text)[1]
        assert abs(at) <= half, (label, rows)
        assert min(left, right) <= half, (label, rows)
        assert max(left, right) >= -half, (label, rows)


def test_a_later_table_of_lines_links_to_the_first_and_nowhere_else() -> None:
    """Vacancy is an input, with a turning point, and a line: the later tables of lines lead to the line."""
    weighing = Deal.read(next(STARTERS.rglob("four-flats-house.toml"))).weigh()
    text = page(weighing.handout(weighing.document(by="year")), Cover())
    (place,) = set(re.findall(r'<a href="#([^"]*)">  Vacancy</a>', text))
    first = text.index("By year, year 0 to year 5", text.index("<main"))
    assert first < text.index(f'id="{place}"') < text.index("By year, year 6 to year 11", first)
    assert text.count(f'href="#{place}"') == 5


def test_a_table_that_is_called_like_one_of_lines_is_none() -> None:
    tables = {"by_year": {"label": "By year, rents", "by": {"held": [2, 4]}, "columns": {"sum": "total(net) * held"}}}
    weighing = deal({"everything": "total(net)"}, money_in={"rent": 5}, tables=tables).weigh()
    opens(weighing.handout(weighing.document(by="year")))
    assert ("By year, rents", "") in whys_of(weighing.handout())


def test_another_decimal_mark_is_one_throughout() -> None:
    """What is told in German has commas for points and points for commas, and else nothing that differs."""
    terms: dict[str, Any] = {"years": 15, "compounding": "half-yearly", "fee_up_front": 250.5, "currency": "EUR"}
    here, there = (
        [row[2:] for row in lines_of(Loan(86_000, "4.2%", **terms, locale=locale).handout())] for locale in ("en", "de")
    )
    assert [(a.translate(SWAPPED), b.translate(SWAPPED)) for a, b in there] == here
    assert sum("," in numbers for _, numbers in there) > 20


SWAPPED = str.maketrans(",.", ".,")


@pytest.mark.parametrize("part", ["payment", "interest", "principal", "balance", "flow"])
def test_a_part_of_a_loan_in_a_deal_is_told_by_the_others(part: str) -> None:
    """In every period of thirty years by month, what is told comes to the part, to the cent that is shown."""
    weighing = Deal.starter("four-flats").weigh()
    line = weighing.line(f"private.{part}")
    for period in range(0, line.size, 7 if WHOLE else 41):
        told = why({"base": weighing}, f"private.{part}", period, 0)
        words, _, numbers = told.reason.filled.partition(" = ")
        assert value_of(numbers.replace("*", "×")) == pytest.approx(line[period], abs=0.0101), (words, period)
        assert words


def test_every_figure_of_the_other_answers_about_a_deal_opens(tmp_path: Path) -> None:
    deal = Deal.read(TAXI)
    (tmp_path / "ridership.csv").write_bytes((TAXI.parent / "ridership.csv").read_bytes())
    newer = tmp_path / "newer.toml"
    newer.write_text(TAXI.read_text(encoding="utf-8").replace("46_000", "52_000"), encoding="utf-8")
    dearer = deal.changes_to(Deal.read(newer))
    for made in (
        deal.compare(against="base"), deal.find("hull", scenarios=["base", "wet_summers"]), deal.vary({"hurdle": ["8%", "9%"]}),
        deal.vary({"hurdle": ["8%", "9%"], "hull": [400_000, 420_000]}), dearer,
    ):  # fmt: skip
        opens(made.handout())
    told = whys_of(deal.compare(against="base").handout())["Differences to base", "Net present value, EUR"]
    for row in told.rows:
        assert value_of(row[2].text.split("  =  ")[1]) == pytest.approx(shown(row[1].text)[0], abs=0.011)
