"""The formula language: what it means, checked against Python's own arithmetic, and what it refuses."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pennyweight import InputError
from pennyweight.deals.language.nodes import show
from pennyweight.deals.language.parse import parse
from tests.builders import deal, measure
from tests.refusals import few_refused, refused, used
from tests.sizes import cases

NAMES = {"a": 3.5, "b": -2.0, "c": 0.25}
atoms = st.sampled_from([*NAMES, "2", "0.5", "7", "1_000"])
formulas = st.recursive(
    atoms,
    lambda inner: st.one_of(
        st.tuples(inner, st.sampled_from(["+", "-", "*", "/"]), inner).map(lambda p: f"({p[0]} {p[1]} {p[2]})"),
        inner.map(lambda x: f"-{x}" if not x.startswith("-") else x),
        st.tuples(inner, inner, st.sampled_from(["<", "<=", ">", ">="]), inner, inner).map(
            lambda p: f"({p[0]} if {p[1]} {p[2]} {p[3]} else {p[4]})"
        ),
        st.tuples(st.sampled_from(["min", "max"]), inner, inner).map(lambda p: f"{p[0]}({p[1]}, {p[2]})"),
    ),
    max_leaves=12,
)


@given(st.lists(formulas, min_size=1, max_size=6))
@settings(max_examples=cases(40))
def test_arithmetic_is_pythons_and_the_same_in_a_batch(texts: list[str]) -> None:
    """Python's evaluation of the same text is the oracle; cases side by side give what one case gives."""
    made = deal({f"m{k}": text for k, text in enumerate(texts)}, inputs=dict(NAMES), lines={"x": "1"})
    figures = made.weigh().measures
    varied = made.vary({"a": [3.5, 1.0, 3.5]}, show=list(figures))
    for k, text in enumerate(texts):
        try:
            expected: float | None = eval(text, {"__builtins__": {}, "min": min, "max": max}, dict(NAMES))
        except ZeroDivisionError:
            continue
        found = figures[f"m{k}"].value
        if found is None:  # a branch not taken, or a side of min and max, may divide by zero
            continue
        assert found == pytest.approx(expected, rel=1e-12, abs=1e-12)
        row = varied.figures[f"m{k}"]
        assert row[0] == row[2] == found


@given(formulas)
@settings(max_examples=cases(30))
def test_a_shown_formula_reads_back_as_itself(text: str) -> None:
    node = parse(text, where="x")
    assert parse(show(node), where="x") == node


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("4.6%", 0.046),
        ("100 * 12.5 %", 12.5),
        ("10% if 1 < 2 else 5%", 0.10),
        ("2 ** 3 ** 2", 512.0),
        ("-2 ** 2", -4.0),
        ("1 < 2 < 3", 1.0),
        ("not 1 > 2", 1.0),
        ("round(2.5) + round(-2.5) + round(1.005, 2)", 1.01),
        ("floor(-1.5) + ceil(1.2)", 0.0),
        ("clamp(7, 0, 5) + abs(-2)", 7.0),
        ("sqrt(16) + log(exp(3))", 7.0),
        ("min(3, 1, 2) + max(1, 5, 2)", 6.0),
        ("'6% monthly'", (1 + 0.06 / 12) ** 12 - 1),
        ("5\n + 6", 11.0),
    ],
)
def test_literals_and_plain_functions(text: str, value: float) -> None:
    assert measure(text, lines={"x": "1"}) == pytest.approx(value, abs=1e-12)


@pytest.mark.parametrize(
    ("text", "reason"),
    [
        ("(a + b).c", "asks for a part of something"),
        ("a.__class__", "asks for a part of something"),
        ("a[0]", "no square brackets"),
        ("f(1)(2)", "only functions called by their name"),
        ("(lambda: 1)()", "only functions called by their name"),
        ("lambda: 1", "cannot define a function"),
        ("a % b", "there is no modulo"),
        ("5 % 3", "there is no modulo"),
        ("9 ** 9 ** 9", "the most is 1,000"),
        ("2 ** 5000", "the most is 1,000"),
        ("10.0 ** 999", "too large a number"),
        ("1 / 0", "divides by zero"),
        ("(-8) ** 0.5", "has no real value"),
        ("1e999", "too large"),
        ("9" * 400, "too large"),
        ("(" * 10_000 + "1" + ")" * 10_000, "20,001 characters"),
        ("-" * 10_000 + "1", "10,001 characters"),
        ("+".join(["a"] * 50_000), "99,999 characters"),
        ("(" * 100 + "1" + ")" * 100, "nested more than 60 deep"),
        ("-" * 100 + "1", "nested more than 60 deep"),
        ("a**" * 300 + "a", "nested more than"),
        ("not " * 450 + "a", "nested more than"),
        ("[x for x in y]", "not part of the formula language"),
        ("a is b", "not part of the formula language"),
        ("f(*a)", "'*' before an argument"),
        ("f(**a)", "'**' before an argument"),
        ("True", "not part of the formula language"),
        ("1j", "cannot be read near"),
        ("'abc'", "is not a rate"),
        ("a := 3", "cannot be read near"),
        ("a +", "cannot be read"),
        ("a = 3", "write =="),
        ("a == 10mn", "written out"),
        ("é + 1", "is not a name"),
        ("_x", "is not a name"),
        ("", "the formula is empty"),
        ("\0", "control character"),
    ],
)
def test_what_is_refused_says_why(text: str, reason: str) -> None:
    with pytest.raises(InputError) as caught:
        parse(text, where="t.toml, line 3")
    message = str(caught.value)
    assert message.startswith("t.toml, line 3")
    assert reason in message
    assert len(message) < 400


ATOMS = st.sampled_from(
    ["a", "b_2", "1", "2.5", "420_000", "4.6%", "bank.payment", "t", "max(a, 3)", "at(net, year * 2)"]
)
WRITTEN = st.recursive(
    ATOMS,
    lambda inner: st.one_of(
        st.builds("({} {} {})".format, inner, st.sampled_from(["+", "-", "*", "<=", "==", "and", "or"]), inner),
        st.builds("{} / ({} + a)".format, ATOMS, inner),
        st.builds("({} if {} else {})".format, inner, inner, inner),
        st.builds("-({})".format, inner),
        st.builds("not ({})".format, inner),
        st.builds("clamp({}, low={}, high={})".format, inner, inner, inner),
    ),
    max_leaves=12,
)


@few_refused
@given(WRITTEN)
@settings(max_examples=cases(125))
def test_a_formula_is_shown_as_it_is_read(text: str) -> None:
    """What a formula shows of itself is read as the same formula."""
    try:
        node = parse(text, where="x")
    except InputError:
        refused()
        return
    used()
    assert parse(show(node), where="x") == node


@given(st.text(max_size=60))
@settings(max_examples=cases(75))
def test_any_text_is_parsed_or_refused_in_a_sentence(text: str) -> None:
    try:
        node = parse(text, where="x")
    except InputError as error:
        assert str(error).startswith("x: ")
        assert "\n" not in str(error)
    else:
        assert parse(show(node), where="x") == node


# Three values: true, false, undefined.

TRUTH = {1.0: "1 < 2", 0.0: "2 < 1", None: "0 < 1 / (a - a)"}


@pytest.mark.parametrize("left", TRUTH)
@pytest.mark.parametrize("right", TRUTH)
def test_and_or_not_know_three_values(left: float | None, right: float | None) -> None:
    """Kleene's tables: false and anything is false, true or anything is true."""
    expected_and = 0.0 if 0.0 in (left, right) else None if None in (left, right) else 1.0
    expected_or = 1.0 if 1.0 in (left, right) else None if None in (left, right) else 0.0
    sections = {"inputs": {"a": 2}, "lines": {"x": "1"}}
    assert measure(f"({TRUTH[left]}) and ({TRUTH[right]})", **sections) == expected_and
    assert measure(f"({TRUTH[left]}) or ({TRUTH[right]})", **sections) == expected_or
    expected_not = None if left is None else 1.0 - left
    assert measure(f"not ({TRUTH[left]})", **sections) == expected_not


@pytest.mark.parametrize(
    ("formula", "why"),
    [
        ("b / (a - 2)", "'b / (a - 2)' divides by zero"),
        ("min(5, b / (a - 2))", "'b / (a - 2)' divides by zero"),
        ("5 if b / (a - 2) > 1 else 6", "'b / (a - 2)' divides by zero"),
        ("log(a - 3)", "'log(a - 3)' has no finite value"),
        ("exp(1000 * a)", "has no finite value"),
        ("at(x, 9)", "there is no period 9; they run from 0 to 6"),
        ("at(x, a / 4)", "period 0.5 is not a whole one"),
        ("irr(x)", "no period is below zero"),
        ("irr(-x)", "no period is above zero"),
        ("irr(two)", "several rates bring the present value to zero: 10.00%, 20.00%"),
        ("irr(touch)", "touches zero at 50.00% without crossing"),
        ("payback(-x)", "never paid back; the running total ends at -6.00"),
        ("payback(lost)", "paid back after 1.00 years but lost again"),
        ("first_period(x > 5)", "it holds in no period"),
        ("total(shaky)", "shaky in year 3: '1 / (t - 3)' divides by zero"),
        ("profitability_index(x, 5%)", "no money goes out"),
        ("m2 + 1", "'b / (a - 2)' divides by zero"),
    ],
)
def test_an_undefined_figure_says_why(formula: str, why: str) -> None:
    made = deal(
        {"m": formula, "m2": "b / (a - 2)"},
        inputs={"a": 2, "b": 7},
        lines={
            "x": "1",
            "shaky": "1 / (t - 3)",
            "two": {"formula": "-100 if t == 0 else 230 if t == 1 else -132 if t == 2 else 0", "from": 0},
            "touch": {"formula": "-4 if t == 0 else 12 if t == 1 else -9 if t == 2 else 0", "from": 0},
            "lost": {"formula": "-1 if t == 0 else 1 if t == 1 else -1", "from": 0},
        },
    )
    figure = made.weigh().measures["m"]
    assert figure.value is None
    assert why in figure.reason


def test_a_branch_not_taken_may_be_undefined() -> None:
    assert measure("5 if a == 2 else 1 / (a - 2)", inputs={"a": 2}, lines={"x": "1"}) == 5.0
    assert measure("1 / (a - 2) if a != 2 else 6", inputs={"a": 2}, lines={"x": "1"}) == 6.0


def test_functions_over_time_against_plain_loops() -> None:
    values = [3.0, -1.0, 4.0, 1.0, -5.0, 9.0, 2.0]
    body = " ".join(f"{v} if t == {k} else" for k, v in enumerate(values[:-1])) + f" {values[-1]}"
    made = deal(
        {
            "total": "total(x)", "part": "total(x, 2, 4)", "average": "average(x)", "low": "lowest(x)",
            "low_all": "lowest(x, 0, end)", "high": "highest(x, 1, 4)", "first": "first_period(x > 3)",
            "one": "at(x, 5)", "run": "at(running(x), 4)", "before": "at(earlier, 3)", "shifted": "total(back)",
        },
        lines={"x": {"formula": body, "from": 0}, "earlier": "prior(x)", "back": {"formula": "at(x, t - 2)", "from": 2}},
    )  # fmt: skip
    figures = {name: figure.value for name, figure in made.weigh().measures.items()}
    assert figures == {
        "total": sum(values), "part": 0.0, "average": pytest.approx(np.mean(values[1:])), "low": -5.0,
        "low_all": -5.0, "high": 4.0, "first": 2.0, "one": 9.0, "run": 2.0, "before": 4.0, "shifted": sum(values[:5]),
    }  # fmt: skip


def test_annuity_and_depreciation_functions() -> None:
    """A monthly timeline: rates are yearly, spans in years, payments monthly."""
    sections = {"period": "month", "periods": 24, "inputs": {"rate": "6%"}, "lines": {"x": "1"}}
    i = 1.06 ** (1 / 12) - 1
    assert measure("present_value(100, rate, 2)", **sections) == pytest.approx(100 * (1 - (1 + i) ** -24) / i)
    assert measure("future_value(100, rate, 2)", **sections) == pytest.approx(100 * ((1 + i) ** 24 - 1) / i)
    assert measure("loan_payment(100_000, rate, 30)", **sections) == pytest.approx(599.5505, abs=1e-4)
    assert measure("total(straight_line(1_000, 100, 1.5))", **sections) == pytest.approx(900.0)
    assert measure("at(straight_line(1_000, 100, 1.5), 18)", **sections) == pytest.approx(50.0)
    assert measure("at(straight_line(1_000, 100, 1.5), 19)", **sections) == 0.0
    assert measure("at(declining_balance(1_200, 25%), 13)", **sections) == pytest.approx(1200 * 0.75 * 0.25 / 12)
    assert measure("end_of_year(1.5)", **sections) == 18.0
    assert measure("(1 + per_period(rate)) ** 12 - 1", **sections) == pytest.approx(0.06)
    assert measure("at(grown(rate), 6)", **sections) == pytest.approx(math.sqrt(1.06))
    assert measure("at(grown_yearly(rate), 12)", **sections) == 1.0
    assert measure("at(grown_yearly(rate), 13)", **sections) == pytest.approx(1.06)
