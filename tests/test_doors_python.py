"""What programs hand over is read for what it says: pandas, rates of a period, rows with several rates."""

from __future__ import annotations

import datetime as dt
import math
from typing import Any

import numpy as np
import pandas as pd
import pytest

import pennyweight as pw
from pennyweight import Benchmark, CashFlows, InputError, IrrOutcome, irr, irr_outcomes, npv
from pennyweight.cli.main import status
from tests.builders import TAXI, deal

STARTERS = TAXI.parent.parent


def said(capsys: pytest.CaptureFixture[str], *arguments: str) -> tuple[int, str, str]:
    """Exit status, standard output and standard error of a command."""
    code = status(list(arguments))
    out, err = capsys.readouterr()
    return code, out, err


# pandas, and rates of a period.

PER_PERIOD: dict[str, dict[str, Any]] = {
    "annuity_factor": {"periods": 12}, "perpetuity_factor": {}, "present_value": {"payment": 5.0, "periods": 12},
    "future_value": {"payment": 5.0, "periods": 12}, "level_payment": {"owed": 900.0, "periods": 12},
    "payments_needed": {"owed": 900.0, "payment": 90.0}, "npv": {"flows": [-9.0, 5.0, 6.0]},
    "discount_factors": {"times": [0.0, 1.0]},
}  # fmt: skip


@pytest.mark.parametrize("name", PER_PERIOD)
def test_rates_of_a_period_say_so_and_refuse_what_they_cannot_be(name: str) -> None:
    call, rest = getattr(pw, name), PER_PERIOD[name]
    for wrong in ("6% monthly", "6% continuous", "6% effective",
                  5, 8.0, np.float64(3), [0.05, 8], np.array([5, 6]), pd.Series([5, 6])):  # fmt: skip
        with pytest.raises(InputError, match="rate_per_period"):
            call(rate_per_period=wrong, **rest)
    with pytest.raises(InputError, match="rate is called rate_per_period here"):
        call(rate=0.05, **rest)
    assert np.allclose(call(rate_per_period="5%", **rest), call(rate_per_period=0.05, **rest))


@pytest.mark.parametrize("name", PER_PERIOD)
def test_pandas_in_pandas_out(name: str) -> None:
    call, rest = getattr(pw, name), PER_PERIOD[name]
    rates, labels = np.linspace(0.01, 0.2, 5), list("vwxyz")
    given = pd.Series(rates, index=labels)
    out, plain = call(rate_per_period=given, **rest), call(rate_per_period=rates, **rest)
    assert out.index.tolist() == labels
    assert np.array_equal(out.to_numpy(), plain, equal_nan=True)
    other = {key: pd.Series([value] * 5) for key, value in rest.items() if isinstance(value, int | float)}
    if other:
        with pytest.raises(InputError, match="different indexes"):
            call(rate_per_period=given, **{**rest, **other})


def test_rows_of_a_frame_and_what_goes_back_in() -> None:
    frame = pd.DataFrame([[-1.0, 5.0], [-100.0, 110.0]], index=["far", "near"])
    rates: Any = irr(frame)
    assert rates.index.tolist() == ["far", "near"]
    assert np.abs(npv(frame, rates)).max() < 1e-9
    assert npv([-1.0, 5.0], irr([-1.0, 5.0])) == pytest.approx(0, abs=1e-12)  # 400 %
    assert pw.amortize(pd.Series([1_000, 2_000], index=["a", "b"]), "6%", 12).frame.index.tolist() == ["a", "b"]
    for wrong in (np.ma.masked, np.ma.masked_array([1.0, 2.0], [0, 1])):
        with pytest.raises(InputError, match="masked"):
            npv(wrong, 0.05)


def test_flows_of_pandas_keep_their_days() -> None:
    days = ["2027-01-31", "2028-06-30", "2029-01-31"]
    plain = CashFlows([-100.0, 60.0, 70.0], dates=days)
    for index in (pd.to_datetime(days), days, [dt.date.fromisoformat(day) for day in days]):
        series = pd.Series([-100.0, 60.0, 70.0], index=index)
        for given in (series, series.to_frame("amount"), series.to_frame("x"), series.to_frame().T, series[::-1]):
            assert CashFlows(given).irr() == pytest.approx(plain.irr(), rel=1e-12)
        with pytest.raises(InputError, match="dates of their own"):
            CashFlows(series, dates=["2027-01-31", "2028-01-31", "2029-01-31"])
        with pytest.raises(InputError, match="has days as labels"):
            irr(pd.Series([-100.0, 60.0, 70.0], index=pd.to_datetime(days)))
    assert (
        CashFlows(pd.Series([-100.0, 110.0], index=pd.period_range("2027-01", periods=2, freq="M"))).period == "month"
    )
    twice = pd.DataFrame({"date": days, "period": [0, 1, 2], "amount": [-100.0, 60.0, 70.0]})
    for given in (twice, twice.drop(columns="period").set_index(pd.to_datetime(days))):
        with pytest.raises(InputError, match="says twice when its flows happen"):
            CashFlows(given)
    for wrong in (pd.DataFrame(np.ones((3, 2))), pd.Series([1.0, 2.0, 3.0], index=[0, 2, 5]),
                  pd.Series([1.0, 2.0], index=pd.PeriodIndex(["2027-01", "2027-03"], freq="M"))):  # fmt: skip
        with pytest.raises(InputError, match=r"CashFlows\(|to_numpy|to_timestamp"):
            CashFlows(wrong)
    with pytest.raises(InputError, match="days of its own"):
        Benchmark(["2027-01-01", "2027-02-01"], pd.Series([1.0, 2.0], index=pd.to_datetime(days[:2])))


def test_compounding_and_times_as_they_are_told() -> None:
    assert pw.effective_rate(0.0425, math.inf) == pytest.approx(math.exp(0.0425) - 1)
    assert pw.effective_rate(0.1, 0.5) == pytest.approx(1.2**0.5 - 1)  # 20 % every two years
    assert pw.nominal_rate(pw.effective_rate(0.07, 0.5), 0.5) == pytest.approx(0.07)
    times, flows = np.array([2.0, 0.0, 1.0, 1.0]), np.array([50.0, -100.0, 40.0, 30.0])
    assert npv(flows, 0.07, times=times) == pytest.approx(sum(f * 1.07**-t for f, t in zip(flows, times, strict=True)))
    assert irr(flows, times=times) == pytest.approx(irr([-100.0, 70.0, 50.0]))
    both = irr(np.vstack([flows, flows[::-1]]), times=np.vstack([times, times[::-1]]))
    assert both == pytest.approx([irr([-100.0, 70.0, 50.0])] * 2)


# Several rates.


@pytest.mark.parametrize("seed", range(8))
def test_the_one_rate_above_zero(seed: int) -> None:
    """Norstrøm's criterion against all roots of the polynomial, found by its companion matrix."""
    rows = np.random.default_rng(seed).integers(-40, 41, size=(250, 9)).astype(float)
    found = irr_outcomes(rows)
    for row, rate, outcome in zip(rows, found.rate, found.outcome, strict=True):
        total = np.cumsum(row)
        signs = np.sign(total[total != 0])
        unique = bool((np.diff(signs) != 0).sum() == 1 and total[-1] != 0)
        if outcome == IrrOutcome.ONE_ABOVE_ZERO:
            roots = np.roots(row[::-1])
            real = roots[np.abs(roots.imag) < 1e-7].real
            above = [1 / v - 1 for v in real if 0 < v < 1 - 1e-9]
            assert unique
            assert above == pytest.approx([rate], rel=1e-5)
        assert not (outcome == IrrOutcome.SEVERAL and unique)


def test_a_deal_that_ends_with_a_cost_has_its_return() -> None:
    made = deal(
        {"irr": "irr(net)", "low": "irr(net, above = -90%, below = 0%)", "no": "irr(net, above = 20%)"},
        money_in={"sold": "12"}, goals={"irr": {"at_least": 0.08}}, timeline={"periods": 20},
        money_out={"bought": {"formula": "100", "at": 0}, "closed": {"formula": "15", "at": "end"}},
    )  # fmt: skip
    told = made.weigh().as_dict()
    assert told["verdict"] == "pays off"
    assert told["irrs"]["irr"] == pytest.approx([-0.8, 0.0998982], abs=1e-6)
    assert (told["measures"]["irr"], told["measures"]["low"]) == pytest.approx((0.0998982, -0.8), abs=1e-6)
    assert "not exactly one rate lies above 20.00%" in told["undefined"]["no"]
    assert "the only one above zero, the present value is zero at -80.00%, too" in str(made.weigh())
    flows = CashFlows([-100.0, *[12.0] * 19, -3.0])
    assert flows.report().as_dict()["irr"] == pytest.approx(0.0998982, abs=1e-6)
    assert len(flows.report().as_dict()["irrs"]) == 2


def test_a_table_of_loans_keeps_its_rows_and_what_else_it_says() -> None:
    table = pd.DataFrame(
        {
            "no": [7, 9, 4], "amount": [9_000.0, 40_000.0, 500.0], "rate": ["6%", "4.5%", "6%"], "months": [12, 36, 6],
            "start": ["2027-01-31", "2026-11-30", "2028-02-29"], "residual": [0, 10_000, np.nan], "interest_only": [3, 0, 6],
        },
        index=["a", "b", "c"],
    )  # fmt: skip
    frame = pw.amortize(table).frame
    assert frame.index.tolist() == ["a", "b", "c"]
    assert frame["no"].tolist() == [7, 9, 4]
    assert [str(day.date()) for day in frame["last_date"]] == ["2028-01-31", "2029-11-30", "2028-08-29"]
    for label, row in table.iterrows():
        rests = (
            {"repaid": "interest only"}
            if row["interest_only"] == row["months"]
            else {"interest_only": f"{row['interest_only']} months"}
        )
        residual = {} if not row["residual"] > 0 else {"residual": row["residual"]}
        loan = pw.Loan(
            row["amount"], row["rate"], months=row["months"], **(rests if row["interest_only"] else {}), **residual
        )
        told = [loan.as_dict()[name] for name in ("payment", "last_payment", "total_interest", "total_paid")]
        assert frame.loc[label, ["payment", "last_payment", "total_interest", "total_paid"]].tolist() == pytest.approx(
            told
        )
    columns = {name: table[name].tolist() for name in ("amount", "rate", "months")}
    assert pw.amortize(columns).payment.tolist() == pw.amortize(table[list(columns)]).payment.tolist()
    for wrong, said in (
        (table.drop(columns="rate"), "no column 'rate'"), (table.assign(payments=3), "both months and payments"),
        (table.assign(total_paid=3), "rename it first"), (table.assign(residual=1e6), r"residual\[0\] is 1e\+06, more than the amount"),
        (table.assign(start="soon"), "soon"), (pd.concat([table, table], axis=1), "two columns 'no'; rename one"), (table.assign(interest_only=-1), "must be 0 or more"),
    ):  # fmt: skip
        with pytest.raises(InputError, match=said):
            pw.amortize(wrong)
    with pytest.raises(InputError, match="give their number, payments"):
        pw.amortize(table, per_year=4)
    with pytest.raises(InputError, match="in its columns"):
        pw.amortize(table, 0.05)
    with pytest.raises(InputError, match="residual stands in the table and beside it; say it once"):
        pw.amortize(table, residual=5)
    assert (
        pw.amortize(table.drop(columns="residual"), residual=100).last_payment[1]
        > pw.amortize(table.drop(columns="residual")).last_payment[1] + 90
    )


def test_labels_that_are_no_order_are_refused_and_slips_are_told() -> None:
    """One question, one answer at every door: days down a frame, numbers and texts of days as labels, places, rates."""
    days = pd.date_range("2027-01-01", periods=3, freq="YS")
    for flows, said in (
        (pd.DataFrame({"a": [-100.0, 60, 70], "b": [-100.0, 70, 70]}, index=days), "days down its rows"),
        (pd.Series([60.0, -100], index=[1, 0]), "the numbers 1, 0 as labels"),
        (pd.Series([-100.0, 160], index=[2024, 2027]), "the numbers 2024, 2027 as labels"),
        (pd.Series([-100.0, 160], index=["2024-01-01", "2027-01-01"]), "has days as labels"),
    ):
        for function in (pw.irr, lambda x: pw.npv(x, 0.05)):
            with pytest.raises(InputError, match=said):
                function(flows)
    assert list(pw.irr(pd.DataFrame([[-100.0, 160]], index=["deal"]))) == pytest.approx([0.6])
    with pytest.raises(InputError, match=r"nominal is 12, which is 1200% a year; write 12% as 0.12"):
        pw.effective_rate(12, 12)
    with pytest.raises(InputError, match=r"given 3 arguments by their place; name them, as in level_payment\(owed=…"):
        pw.level_payment(100_000, 0.005, 360)  # type: ignore[call-arg]
    with pytest.raises(InputError, match=r"Deal is given 'taxi.toml'; read a file with Deal.read"):
        pw.Deal("taxi.toml")  # type: ignore[arg-type]
