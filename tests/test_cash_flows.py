"""`CashFlows`: definitions against plain arithmetic, dates, and what cannot be answered."""

from __future__ import annotations

import datetime as dt

import numpy as np
import pandas as pd
import pytest

from pennyweight import CashFlows, InputError, NoAnswer, SeveralAnswers
from tests.builders import STARTERS
from tests.oracles import bisect


def test_dated_flows_against_the_definition() -> None:
    """The boatyard, discounted by actual days over 365, one flow at a time."""
    flows = CashFlows.from_csv(STARTERS / "flows" / "boatyard.csv", currency="EUR")
    rows = pd.read_csv(STARTERS / "flows" / "boatyard.csv")
    first = dt.date.fromisoformat(rows["date"][0])
    years = [(dt.date.fromisoformat(day) - first).days / 365 for day in rows["date"]]

    def worth(rate: float) -> float:
        return sum(a / (1 + rate) ** t for a, t in zip(rows["amount"], years, strict=True))

    assert flows.npv("7%") == pytest.approx(worth(0.07), rel=1e-12)
    assert flows.irr() == pytest.approx(bisect(worth, -0.5, 1.0), abs=1e-12)
    assert flows.payback() == years[-1]
    assert flows.roi() == pytest.approx((rows["amount"].sum()) / -rows["amount"][rows["amount"] < 0].sum())
    assert flows.discount_factors(0.07)[2] == pytest.approx(1.07 ** -years[2])
    assert flows.frame.index[0] == np.datetime64("2024-03-15")


def test_dates_in_any_order_and_twice_on_a_day() -> None:
    tidy = CashFlows([-100.0, 115.0], dates=["2026-01-01", "2027-01-01"])
    messy = CashFlows([60.0, -100.0, 55.0], dates=[dt.date(2027, 1, 1), "2026-01-01", np.datetime64("2027-01-01")])
    assert messy.irr() == pytest.approx(tidy.irr(), abs=1e-13)
    assert tidy.irr() == pytest.approx(0.15, abs=1e-12)
    assert messy.times.tolist() == [0.0, 1.0, 1.0]


@pytest.mark.parametrize(
    ("period", "per_year"), [("month", 12), ("quarter", 4), ("half-year", 2), ("week", 52), ("day", 365)]
)
def test_rates_are_yearly_whatever_the_period(period: str, per_year: int) -> None:
    flows = CashFlows([-100.0, 0.0, 102.0], period=period)
    assert flows.irr() == pytest.approx(1.02 ** (per_year / 2) - 1, rel=1e-12)
    assert flows.npv("5%") == pytest.approx(-100 + 102 * 1.05 ** (-2 / per_year))
    assert flows.equivalent_annual("5%") == pytest.approx(flows.npv("5%") * 0.05 / (1 - 1.05 ** (-2 / per_year)))


def test_flows_days_apart_reach_extreme_rates() -> None:
    gained = CashFlows([-100.0, 105.0], dates=["2026-01-01", "2026-01-02"])
    assert gained.irr() == pytest.approx(1.05**365 - 1, rel=1e-9)
    assert CashFlows([-100.0, 104.6], dates=["2026-01-01", "2026-01-02"]).irr() == pytest.approx(
        1.046**365 - 1, rel=1e-9
    )
    nearly_all = CashFlows([-100.0, 93.3], dates=["2026-01-01", "2026-01-02"]).irr()
    assert 1 + nearly_all == pytest.approx(0.933**365, rel=1e-4)  # -99.999999999 %
    lost = CashFlows([-100.0, 95.0], dates=["2026-01-01", "2026-01-02"])
    assert 1 + lost.irr() == pytest.approx(0.95**365, rel=1e-6)


@pytest.mark.parametrize(
    ("amounts", "error", "sentence"),
    [
        ([-100, 230, -132], SeveralAnswers, "10.00%, 20.00%"),
        ([-100, 240, -144], NoAnswer, "touches zero at 20.00% without crossing"),
        ([1, 2], NoAnswer, "No money goes out"),
        ([-1, -2], NoAnswer, "No money comes in"),
        ([-100, 100, -100], NoAnswer, "No rate brings"),
        ([-1e30, 1e-30], NoAnswer, "All is lost or gained"),
    ],
)
def test_no_rate_is_never_a_guess(amounts: list[float], error: type[NoAnswer], sentence: str) -> None:
    with pytest.raises(error, match=sentence) as caught:
        CashFlows(amounts).irr()
    if isinstance(caught.value, SeveralAnswers):
        assert caught.value.answers == pytest.approx((0.1, 0.2))


def test_what_else_has_no_answer() -> None:
    gifts, loss = CashFlows([5.0, 6.0]), CashFlows([-5.0, 1.0])
    with pytest.raises(NoAnswer, match="No money goes out"):
        gifts.roi()
    with pytest.raises(NoAnswer, match="first flow is no outlay"):
        gifts.profitability_index("5%", on="first")
    with pytest.raises(NoAnswer, match=r"Never paid back: the running total ends at -4\.00"):
        loss.payback()
    with pytest.raises(NoAnswer, match="modified IRR needs"):
        gifts.modified_irr(reinvested_at="5%", borrowed_at="5%")
    with pytest.raises(NoAnswer, match="fall on one day"):
        CashFlows([1.0]).equivalent_annual("5%")


@pytest.mark.parametrize(
    ("make", "sentence"),
    [
        (lambda: CashFlows([]), "at least one number"),
        (lambda: CashFlows([[1, 2]]), "in one row"),
        (lambda: CashFlows(["a"]), "must be numbers"),
        (lambda: CashFlows([1.0, float("nan")]), "number 2 is missing"),
        (lambda: CashFlows([1, 2], dates=["2026-01-01"]), "2 amounts and 1 dates"),
        (lambda: CashFlows([1], dates=["2026-13-01"]), "does not exist"),
        (lambda: CashFlows([1], period="mounth"), "did you mean 'month'"),
        (lambda: CashFlows([-1, 2]).npv(5), "5 is 500% a year"),
    ],
)
def test_flows_refused(make: object, sentence: str) -> None:
    with pytest.raises(InputError, match=sentence):
        make()


def test_the_report_says_which_definition_it_used() -> None:
    report = CashFlows([-100.0, 150.0, -100.0, 200.0], currency="EUR").report("10%", on="first")
    shown = str(report)
    assert "gain over the first outlay" in shown
    assert "first reached after 0.67 years and lost again" in shown
    assert report.as_dict()["undefined"] == {}
    assert report.frame["present_value"].sum() == pytest.approx(report.measures["npv"])
    short = str(CashFlows([-100, 101], dates=["2026-01-01", "2026-02-01"]).report())
    assert "the span is under a year" in short


def test_flows_are_frozen() -> None:
    flows = CashFlows([-1.0, 2.0])
    with pytest.raises(AttributeError):
        flows.period = "month"
    with pytest.raises(ValueError, match="read-only"):
        flows.amounts[0] = 5.0


def test_flows_from_pandas() -> None:
    dated = pd.Series([-100.0, 115.0], index=pd.to_datetime(["2026-01-01", "2027-01-01"]))
    assert CashFlows.from_pandas(dated).irr() == pytest.approx(0.15)
    table = pd.DataFrame({"date": ["2027-01-01", "2026-01-01"], "amount": [115.0, -100.0]})
    assert CashFlows.from_pandas(table).irr() == pytest.approx(0.15)
    plain = CashFlows.from_pandas(pd.DataFrame({"amount": [-100.0, 1.0, 101.0]}), period="month")
    assert plain.irr() == pytest.approx(1.01**12 - 1)
    with pytest.raises(InputError, match="none is 'amount'"):
        CashFlows.from_pandas(pd.DataFrame({"amt": [1.0, 2.0], "other": [3.0, 4.0]}))


def test_day_counts_and_the_day_of_valuation() -> None:
    """Half a year by 30/360 is half a year; valued a year on, everything is worth a year's interest more."""
    dates = ["2026-01-31", "2026-07-31"]
    thirty = CashFlows([-100.0, 110.0], dates=dates, day_count="30/360")
    assert thirty.times.tolist() == [0.0, 0.5]
    assert thirty.irr() == pytest.approx(1.1**2 - 1)
    later = CashFlows([-100.0, 110.0], dates=dates, valued_on="2027-01-31")
    first = CashFlows([-100.0, 110.0], dates=dates)
    assert later.npv("8%") == pytest.approx(first.npv("8%") * 1.08)
    assert later.irr() == first.irr()
    assert (later.discount_factors("8%") * later.amounts).sum() == pytest.approx(later.npv("8%"))
    with pytest.raises(InputError, match="need dates"):
        CashFlows([1.0], day_count="30/360")
    with pytest.raises(InputError, match="did you mean '30/360'"):
        CashFlows([1.0], dates=["2026-01-01"], day_count="30/36")


def test_a_bank_account_beside_the_flows() -> None:
    """At the flows' own IRR the account comes to exactly the same; below it the flows are ahead."""
    flows = CashFlows([-1000.0, 300.0, 420.0, 680.0])
    assert flows.account(flows.irr()).ahead == pytest.approx(0.0, abs=1e-9)
    slow = flows.account("2%")
    assert slow.deposits == pytest.approx(1000 * 1.02**3)
    assert slow.returns == pytest.approx(300 * 1.02**2 + 420 * 1.02 + 680)
    assert "ahead of it" in str(flows.report("5%", account_at="2%"))
    assert "behind it" in str(flows.report("5%", account_at="40%"))


def test_working_with_the_factors_of_a_table() -> None:
    """10 % to three places: 0.909, 0.826, 0.751, as printed in every table."""
    working = CashFlows([-1000.0, 300.0, 420.0, 680.0], currency="EUR").working("10%", places=3)
    assert working.factors.tolist() == [1.0, 0.909, 0.826, 0.751]
    assert working.by_hand == pytest.approx(-1000 + 272.7 + 346.92 + 510.68)
    data = working.as_dict()
    assert data["difference"] == pytest.approx(working.by_hand - working.answer)
    assert "rounding them to 3 places makes -0.43" in str(working)
    exact = CashFlows([-1000.0, 300.0, 420.0, 680.0]).working("10%")
    assert exact.by_hand == pytest.approx(exact.answer, rel=1e-12)
    assert "The sum is the NPV." in exact._repr_html_()
    assert exact.frame["present_value"].sum() == pytest.approx(exact.answer)
    with pytest.raises(InputError, match="from 0 to 12"):
        CashFlows([1.0]).working("5%", places=-1)


def test_a_return_under_a_year_is_told_over_its_span() -> None:
    report = CashFlows([-100.0, 101.0], dates=["2026-01-01", "2026-02-01"]).report()
    assert report.measures["over_span"] == pytest.approx(0.01)
    assert "not a year's: over 0.08 years" in str(report)
