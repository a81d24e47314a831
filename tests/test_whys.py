"""Every figure on every page opens where it comes from, and the numbers told there come to the figure.

What is told is put into a calculator of its own (`value_of`): plain arithmetic on the text, as a reader would type it.
"""

from __future__ import annotations

import ast
import math
import operator
import re
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pennyweight import (
    Benchmark,
    Bill,
    Bond,
    CashFlows,
    Deal,
    InputError,
    Loan,
    LoanSet,
    LoanStudy,
    NoAnswer,
    Portfolio,
    Recurring,
    Takeover,
    grow,
    rate_facts,
    repay,
    withdraw,
)
from pennyweight.documents import Figures, Table
from pennyweight.documents.derivation import Whys
from pennyweight.documents.handout import Handout
from tests.builders import STARTERS, TAXI
from tests.refusals import few_refused, refused, used
from tests.sizes import cases
from tests.test_deal_words import random_deal

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


def lines_of(whys: Whys) -> Iterator[tuple[str, str, str, str]]:
    """(block, name, figure, numbers) of everything that is told with numbers."""
    for (title, _), table in whys.items():
        for name, figure, how, *_ in table.rows:
            _, sign, numbers = how.text.partition("  =  ")
            if sign:
                yield title, name.text.strip("└ "), figure.text, numbers


def holds(handed: Handout, *, exact: bool) -> int:
    """Every told sum comes to its figure; how many there are. What is exact does so to the half of the last digit."""
    count = 0
    for title, name, figure, numbers in lines_of(handed.whys()):
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
    whys = handed.whys()
    for block in handed.document.blocks:
        if isinstance(block, Figures):
            for line in block.lines:
                assert (block.title, line.label) in whys, (block.title, line.label)
        if isinstance(block, Table) and block.title not in WORKING and (block.title, "") not in whys:
            for row in block.rows:
                label = row[0].text.strip()
                if label not in ("…", "or") and not label.startswith("… ") and any(cell.text for cell in row[1:]):
                    assert (block.title, label) in whys, (block.title, label)
    for table in whys.values():
        assert table.rows, table.title


WORKING = ("How the payment comes about", "The first payments, step by step", "Step by step")
"""Tables that are themselves the working of what stands above them."""


# One of each kind, drawn from a number


def a_loan(rng: np.random.Generator, **more: Any) -> Loan:
    often = int(rng.choice([12, 12, 4, 2, 1, 26, 52]))
    terms: dict[str, Any] = {
        "amount": int(rng.integers(2_000, 900_000)), "rate": f"{rng.integers(0, 1400) / 100}%", "per_year": often,
        "years": int(rng.integers(2, 26)), "start": str(rng.choice(["2026-01-31", "2027-02-28", "2026-12-15"])),
    }  # fmt: skip
    if rng.random() < 0.3:
        terms["interest"] = str(rng.choice(["actual/365", "actual/360", "30/360"]))
    if rng.random() < 0.3:
        terms |= {"fee_up_front": int(rng.integers(1, 900)), "fee_each": int(rng.integers(0, 9))}
    way = rng.random()
    if way < 0.15:
        terms["repaid"] = "constant principal"
    elif way < 0.25:
        terms["interest_only"] = 1
    elif way < 0.35:
        terms["paid"] = "start"
        terms.pop("interest", None)
    elif way < 0.45:
        terms["residual"] = terms["amount"] // 3
    if rng.random() < 0.25 and "interest" not in terms | more:
        terms["compounding"] = str(rng.choice(["half-yearly", "yearly", "continuous", "daily"]))
    made = Loan(**{**terms, **more})
    if made.terms.agreement.shape == "level" and rng.random() < 0.25:  # one left out, and found again
        left_out = "amount" if rng.random() < 0.5 else "rate"
        return made.but(payment=float(made.payment), **{left_out: None})
    return made


def a_busy_loan(rng: np.random.Generator) -> Loan:
    """One to which something happens: a new rate, extra payments, a statement, one payment left out."""
    loan = a_loan(rng, per_year=12, paid="end")
    due = loan.terms.calendar.due
    events: list[Any] = []
    if rng.random() < 0.6:
        events.append((str(due(int(rng.integers(1, 9)))), "rate", f"{rng.integers(100, 900) / 100}%"))
    if rng.random() < 0.6:
        day = due(int(rng.integers(9, 14))) + (0 if rng.random() < 0.5 else 5)
        events.append((str(day), "extra", int(loan.amount) // 20))
    if rng.random() < 0.4:
        number = int(rng.integers(15, 20))
        events.append((str(due(number)), "balance", round(loan.agreed.balance_after(number) * 0.93, 2)))
    extras = [Recurring(50, str(due(2)), per_year=12)] if rng.random() < 0.4 else []
    return loan.but(events=events, extras=extras, as_of=str(due(int(rng.integers(0, 20)) or 1)))


def a_study(rng: np.random.Generator) -> LoanStudy:
    loan = a_loan(
        rng,
        per_year=12,
        paid="end",
        residual=None,
        repaid="level payment",
        interest_only=None,
        years=int(rng.integers(2, 9)),
    )
    n = len(loan.schedule.rows)
    return LoanStudy(
        loan, extra=[25, 400], paid_off_by=max(n // 2, 2), offers={"other": a_loan(rng, title="other")},
        refinance={"on": n // 3 + 1, "rate": "2.5%", "years": 8, "costs": 300},
        bill=Bill(total=round(loan.payment + 90, 2), taxes=600, insurance=240),
    )  # fmt: skip


def a_takeover(rng: np.random.Generator) -> Takeover:
    made = int(rng.integers(1, 100))
    agreed = Loan(int(rng.integers(40_000, 600_000)), f"{rng.integers(50, 900) / 100}%", years=20)
    told: dict[str, Any] = {"on": "2027-01-31", "rate": agreed.rate, "payment": agreed.payment}
    told |= {"balance": agreed.agreed.balance_after(made), "original_years": 20}
    way = rng.random()
    if way < 0.3:
        told |= {"missed_payments": int(rng.integers(1, 4))}
        told["balance"] = agreed.agreed.balance_after(max(made - told["missed_payments"], 0))
        told.pop("original_years")
    elif way < 0.5:
        told |= {"original_amount": agreed.amount, "payments_made": made}
    elif way < 0.8:  # one of the three follows from the others and from what is left
        told |= {"payments_left": len(agreed.agreed.rows) - made}
        told[str(rng.choice(["balance", "rate", "payment"]))] = None
    return Takeover(**told, bill=Bill(total=agreed.payment + 100, taxes=960))


def some_loans(rng: np.random.Generator) -> LoanSet:
    plain: dict[str, Any] = {
        "per_year": 12,
        "start": "2027-01-31",
        "paid": "end",
        "residual": None,
        "interest": "equal periods",
    }
    loans = {name: a_loan(rng, **plain) for name in ("bank", "agency", "seller")[: int(rng.integers(1, 4))]}
    needs = round(sum(loan.amount for loan in loans.values()) * 1.2, 2)
    return LoanSet(loans, needs=needs, spare=int(rng.integers(0, 500)))


def a_plan(rng: np.random.Generator) -> Any:
    often, rate = int(rng.choice([1, 4, 12])), f"{rng.integers(0, 1200) / 100}%"
    common = {"per_year": often, "growth": f"{rng.integers(0, 400) / 100}%" if rng.random() < 0.4 else 0.0,
              "paid": str(rng.choice(["end", "start"])), "deferred": int(rng.integers(1, 5)) if rng.random() < 0.2 else 0}  # fmt: skip
    money = [int(rng.integers(500, 90_000)) for _ in range(2)]
    kind, years = int(rng.integers(0, 8)), int(rng.integers(2, 31))
    if kind == 0:
        return grow(opening=money[0], deposit=money[1] // 40, rate=rate, years=years, **common)
    if kind == 1:
        return grow(opening=money[0], deposit=money[1] // 40, rate=rate, closing=money[0] * 3, **common)
    if kind == 2:
        return grow(opening=money[0], rate=rate, closing=money[0] * 2, per_year=often)
    if kind == 3:
        return grow(
            opening=money[0], deposit=50, years=years, closing=money[0] * 2 + 50 * years * often, find="rate", **common
        )
    if kind == 4:
        return repay(owed=money[0], rate=rate, years=years, per_year=often)
    if kind == 5:
        return repay(owed=money[0], rate="4%", payment=money[0] // 9, per_year=often)
    if kind == 6:
        return withdraw(withdrawal=money[1], rate=rate, years=years, find="pot", **common)
    return withdraw(pot=money[0] * 9, rate="7%", years="forever", **{**common, "growth": "1%"})


def some_flows(rng: np.random.Generator) -> Any:
    n = int(rng.integers(2, 45))
    amounts = np.round(np.concatenate([[-rng.uniform(500, 9e5)], rng.normal(40_000, 60_000, n - 1)]), 2)
    if rng.random() < 0.5:
        days = np.datetime64("2026-03-15") + np.sort(rng.integers(1, 4000, n)).astype("timedelta64[D]")
        valued = str(days[0] + np.timedelta64(90, "D")) if rng.random() < 0.3 else None
        flows = CashFlows(amounts, dates=days, day_count=str(rng.choice(["actual/365", "30/360"])), valued_on=valued)
    else:
        flows = CashFlows(amounts, period=str(rng.choice(["year", "month", "quarter"])))
    on = "first" if rng.random() < 0.3 else "all"
    if rng.random() < 0.1:
        return flows.working("4%", places=None if rng.random() < 0.5 else 4)
    return flows.report(f"{rng.integers(0, 1500) / 100}%", reinvested_at="3%", account_at="2%", on=on)


def a_bond(rng: np.random.Generator) -> Any:
    first = "simple" if rng.random() < 0.3 else "compound"
    kind = rng.random()
    if kind < 0.15:
        return Bond(0, "2027-03-01", per_year=0).report("2026-12-01", price=float(rng.uniform(90, 99.5)))
    if kind < 0.3:
        issued = str(rng.choice(["2020-01-15", "2026-10-01"]))  # the second with a short first coupon
        bond = Bond("4%", "perpetual", issued=issued, first_coupon=None if issued < "2026" else "2027-01-15")
        return bond.report("2026-11-23", at_yield=f"{rng.integers(100, 900) / 100}%", currency="EUR")
    bond = Bond(f"{rng.integers(1, 900) / 100}%", f"{rng.integers(2028, 2056)}-{rng.integers(1, 13):02}-15",
                per_year=int(rng.choice([1, 2, 4])))  # fmt: skip
    return bond.report("2026-11-23", price=round(float(rng.uniform(60, 130)), 3), first=first)


def some_rates(rng: np.random.Generator) -> Any:
    return rate_facts(
        f"{rng.integers(-300, 3000) / 100}%", compounding=str(rng.choice(["monthly", "half-yearly", "daily", "continuous"])),
        per_year=int(rng.choice([1, 2, 12])), inflation=f"{rng.integers(0, 900) / 100}%", times=3.0,
        in_advance=bool(rng.random() < 0.3),
    )  # fmt: skip


def a_portfolio(rng: np.random.Generator) -> Any:
    n = int(rng.integers(2, 60))
    days = np.datetime64("2023-12-31") + np.arange(n) * np.timedelta64(31, "D")
    rows: list[Any] = [(str(day), "a", "value", round(float(value), 2)) for day, value in
                       zip(days, 1e5 * np.cumprod(rng.normal(1.004, 0.02, n)), strict=True)]  # fmt: skip
    for _ in range(int(rng.integers(0, 6))):
        day = str(days[0] + np.timedelta64(int(rng.integers(1, 31 * (n - 1) + 1)), "D"))
        rows.append((day, "a", str(rng.choice(["deposit", "withdrawal"])), round(float(rng.uniform(10, 900)), 2)))
    index = Benchmark(days, 100 * np.cumprod(rng.normal(1.003, 0.01, n))) if rng.random() < 0.5 else None
    return Portfolio.from_rows(rows).report(timing="start" if rng.random() < 0.5 else "end", benchmark=index)


KINDS: dict[str, tuple[Callable[[np.random.Generator], Any], bool]] = {
    "loan": (a_loan, True), "busy loan": (a_busy_loan, True), "study": (a_study, True), "takeover": (a_takeover, True),
    "layers": (some_loans, True), "plan": (a_plan, False), "flows": (some_flows, False), "bond": (a_bond, False),
    "rates": (some_rates, False), "portfolio": (a_portfolio, False),
}  # fmt: skip
"""Each kind, and whether its amounts are whole cents, so that the sums told hold to the last of them."""


@pytest.mark.parametrize("kind", KINDS)
@few_refused
@given(seed=st.integers(0, 2**32))
@settings(max_examples=cases(50))
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
    flows = CashFlows([-1_000, 300, 420, 680]).report("7%").handout().whys()["Measures", "Internal rate of return"]
    below, at, above = (shown(row[1].text)[0] for row in flows.rows[1:])
    assert below > 0.0 == at > above
    loan = Loan(100_000, "6%", years=10, fee_up_front=900).handout().whys()["Key facts", "Yearly percentage rate"]
    received, *worths = (shown(row[1].text)[0] for row in loan.rows[1:5])
    assert received == worths[1] == 99_100
    assert worths[0] > received > worths[2]
    # The same worth, payment by payment: a month's rate is a twelfth of the unit-period rate.
    rate = shown(loan.rows[3][0].text.split(" at ")[1])[0]
    i, payment = rate / 12, 1_110.21
    assert sum(payment / (1 + i) ** k for k in range(1, 121)) == pytest.approx(99_100, abs=1)
    pot = grow(opening=6_000, deposit=350, years=10, per_year="month", closing=61_000, find="rate").handout().whys()
    sides = [(shown(row[1].text)[0], shown(row[2].text)[0]) for row in pot["Answer", "Rate"].rows[2:]]
    assert sides[0][0] < sides[0][1]
    assert sides[1][0] == sides[1][1]
    assert sides[2][0] > sides[2][1]
    solved = Loan(100_000, years=10, payment=1_110.21).handout().whys()["Key facts", "Rate"]
    assert [shown(row[1].text)[0] for row in solved.rows[3:4]] == [1_110.21]


def opens_in_a_deal(handed: Handout) -> None:
    """The same, but that lines open in their first table, to which the later ones link."""
    later = [one for one in handed.document.blocks if getattr(one, "title", "").startswith("By ")][1:]
    kept = tuple(one for one in handed.document.blocks if one not in later)
    opens(Handout(replace(handed.document, blocks=kept), whys=handed.whys))


@given(seed=st.integers(0, 2**32))
@settings(max_examples=cases(80))
def test_every_figure_of_a_drawn_deal_opens(seed: int) -> None:
    weighing = Deal.from_dict(random_deal(seed)).weigh()
    opens_in_a_deal(weighing.handout(weighing.document(by="period")))


@pytest.mark.parametrize("name", ["taxi", "house", "equipment", "stop-working", "refinance", "income-fund"])
def test_every_figure_of_a_deal_opens(name: str) -> None:
    """Figures, goals, answers, turning points, tables and lines; what a goal leaves to spare is what its numbers say."""
    path = next(STARTERS.rglob(f"*{name}*.toml")) if name != "taxi" else TAXI
    deal = Deal.read(path)
    weighing = deal.weigh()
    handed = weighing.handout(weighing.document(by="year"))
    opens_in_a_deal(handed)
    whys = handed.whys()
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
    told = deal.compare(against="base").handout().whys()["Differences to base", "Net present value, EUR"]
    for row in told.rows:
        assert value_of(row[2].text.split("  =  ")[1]) == pytest.approx(shown(row[1].text)[0], abs=0.011)
