"""Random deals worked out twice: by the library on arrays, and by the plain second implementation."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, reject, settings
from hypothesis import strategies as st

from pennyweight import Deal, InputError
from tests.plain_deal import PlainDeal
from tests.refusals import few_refused, refused, used
from tests.sizes import cases

INPUTS = ("i0", "i1", "series")
LINES = ("a0", "a1", "b0", "b1", "c0", "c1")
LEVELS = ("l0", "l1")


@st.composite
def formulas(draw: st.DrawFn, own: str) -> str:
    """A formula of a few terms; names of later lines only through prior, so that no circle closes within a period."""
    order = [*LINES, *LEVELS]
    earlier = order[: order.index(own)]
    terms = []
    for _ in range(draw(st.integers(1, 3))):
        kind = draw(st.sampled_from(["number", "input", "line", "prior", "growth", "choice", "minmax"]))
        number = draw(st.integers(1, 9))
        name = draw(st.sampled_from([*INPUTS[:2], *earlier]))
        back = draw(st.sampled_from([*order, "net"]))
        terms.append(
            {
                "number": f"{number}",
                "input": f"{draw(st.sampled_from(INPUTS))} * 0.5",
                "line": f"0.3 * {name}",
                "prior": f"0.2 * prior({back})",
                "growth": f"{number} * {draw(st.sampled_from(['grown', 'grown_yearly', 'per_period']))}({number}%)",
                "choice": f"({name} if t > {number % 4} else {number})",
                "minmax": f"{draw(st.sampled_from(['min', 'max']))}({name}, {number})",
            }[kind]
        )
    signs = draw(st.lists(st.sampled_from([" + ", " - "]), min_size=len(terms), max_size=len(terms)))
    return "".join(sign + term for sign, term in zip(["", *signs], terms, strict=False))


@st.composite
def runs(draw: st.DrawFn, end: int) -> dict[str, Any]:
    """When a line runs; mostly said, because bare amounts beside early lines are refused."""
    kind = draw(st.sampled_from(["none", "at", "from", "to", "every", "year", "all"]))
    period = draw(st.integers(0, end))
    said: dict[str, dict[str, Any]] = {
        "none": {}, "at": {"at": period}, "from": {"from": period}, "to": {"to": period},
        "every": {"every": 1 + period % 3}, "year": {"from": "year 1"}, "all": {"from": 0},
    }  # fmt: skip
    return said[kind]


@st.composite
def deals(draw: st.DrawFn) -> dict[str, Any]:
    """A deal with lines of every role, levels, recursions and series."""
    period = draw(st.sampled_from(["year", "quarter"]))
    end = draw(st.integers(4, 9))
    document: dict[str, Any] = {
        "deal": "Random", "timeline": {"period": period, "periods": end},
        "inputs": {
            "i0": draw(st.integers(-5, 20)), "i1": draw(st.integers(1, 9)),
            "series": {"steps": {"0": draw(st.integers(1, 9)), "3": draw(st.integers(1, 9))}},
        },
        "money_in": {}, "money_out": {}, "lines": {}, "levels": {}, "measures": {"m": "total(net)"},
    }  # fmt: skip
    for name in LINES:
        section = {"a": "money_in", "b": "money_out", "c": "lines"}[name[0]]
        item: dict[str, Any] = {"formula": draw(formulas(name)), **draw(runs(end))}
        if draw(st.booleans()) and draw(st.booleans()):
            item["set"] = {str(draw(st.integers(0, end))): draw(st.integers(0, 50))}
        document[section][name] = item
    for name in LEVELS:
        item = {"formula": draw(formulas(name))}
        if draw(st.booleans()):
            item["start"] = draw(st.integers(0, 100))
        document["levels"][name] = item
    return document


def accepted(document: dict[str, Any]) -> Deal:
    """The deal; one that is refused, rightly, for a bare amount beside an early line is not an example."""
    try:
        deal = Deal.from_dict(document)
    except InputError as error:
        assert "may run in period 0" in str(error)
        refused()
        reject()
    used()
    return deal


@few_refused
@given(deals())
@settings(max_examples=cases(60))
def test_two_implementations_agree_on_every_line(document: dict[str, Any]) -> None:
    deal = accepted(document)
    plain = PlainDeal(document)
    weighing = deal.weigh()
    for name in (*LINES, *LEVELS, "money_in", "money_out", "net"):
        expected = [np.nan if value is None else value for value in plain.line(name)]
        assert weighing.values[name] == pytest.approx(expected, rel=1e-9, abs=1e-9, nan_ok=True), name


@few_refused
@given(deals(), st.lists(st.integers(-5, 20), min_size=3, max_size=5, unique=True))
@settings(max_examples=cases(20))
def test_two_implementations_agree_case_by_case(document: dict[str, Any], values: list[int]) -> None:
    deal = accepted(document)
    varied = deal.vary({"i0": values, "i1": [2, 7]}, show=["m"]).figures["m"]
    for j, i0 in enumerate(values):
        for k, i1 in enumerate((2, 7)):
            lines = PlainDeal(document, {"i0": i0, "i1": i1}).line("net")
            expected = np.nan if None in lines else sum(value or 0.0 for value in lines)
            assert varied[j, k] == pytest.approx(expected, rel=1e-9, abs=1e-9, nan_ok=True)


def test_the_second_implementation_knows_its_own_rules() -> None:
    """A deal worked out by hand, so that the oracle itself is not taken on trust."""
    plain = PlainDeal(
        {
            "timeline": {"period": "quarter", "periods": 5},
            "inputs": {"fee": {"steps": {"2": 3}}},
            "money_in": {"x": {"formula": "10", "every": 2}, "y": {"formula": "fee", "from": "year 1"}},
            "lines": {"twice": "2 * x", "back": "prior(twice) + 1"},
            "levels": {"pot": {"formula": "prior(pot) * 2 + x", "start": 1, "set": {"4": 100}}},
        }
    )
    assert plain.line("x") == [0, 0, 10, 0, 10, 0]
    assert plain.line("y") == [0, None, 3, 3, 3, 3]
    assert plain.line("twice") == [0, 0, 20, 0, 20, 0]
    assert plain.line("back") == [0, 1, 1, 21, 1, 21]
    assert plain.line("pot") == [1, 2, 14, 28, 100, 200]
    assert plain.line("net")[2] == 13
