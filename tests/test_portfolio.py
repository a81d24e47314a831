"""Returns of portfolios against exact fractions and identities, and what is told of doubtful statements."""

from __future__ import annotations

import datetime as dt
import json
from fractions import Fraction
from pathlib import Path

import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pennyweight import Benchmark, CashFlows, InputError, NoAnswer, PennyweightError, Portfolio
from pennyweight.cli.main import status
from tests.builders import STARTERS
from tests.sizes import cases

STATEMENTS = STARTERS / "endowment" / "statements.csv"
INDEX = STARTERS / "endowment" / "index.csv"


def portfolio(*rows: tuple[str, str, float], account: str = "a") -> Portfolio:
    """One account from (date, kind, amount)."""
    return Portfolio.from_rows([(day, account, kind, amount) for day, kind, amount in rows])


def test_one_period_by_hand() -> None:
    """A month of 31 days: 1,000 on the last of December, 500 put in on 11 January, 1,600 at its end.

    At the end of its day the deposit is there for 20 of 31 days, at the start for 21.
    """
    account = portfolio(("2025-12-31", "value", 1000), ("2026-01-11", "deposit", 500), ("2026-01-31", "value", 1600))
    end, start = account.modified_dietz(), account.modified_dietz(timing="start")
    assert end.over_span == pytest.approx(float(100 / (1000 + 500 * Fraction(20, 31))))
    assert start.over_span == pytest.approx(float(100 / (1000 + 500 * Fraction(21, 31))))
    assert end.annualized is None
    assert account.simple().over_span == pytest.approx(100 / 1500)


@given(
    st.lists(st.tuples(st.integers(5, 120), st.floats(0.8, 1.3), st.floats(-200, 400)), min_size=1, max_size=8),
    st.sampled_from(["end", "start"]),
)
@settings(max_examples=cases(40))
def test_growth_known_from_the_start_is_found(steps: list[tuple[int, float, float]], timing: str) -> None:
    """A pot grows by known factors; whatever flows at the turns, the time-weighted return is their product, and
    where nothing flows inside a period the modified Dietz return is the same."""
    day, value, growth = dt.date(2024, 1, 1), 1000.0, 1.0
    rows: list[tuple[str, str, float]] = [(str(day), "value", value)]
    for days, factor, told in steps:
        flow = round(told, 2)
        # At the end of its day a flow is in that day's value; at the start of a day it comes after the value before.
        before = timing == "start"
        flow_day = day + dt.timedelta(days=1) if before else day + dt.timedelta(days=days)
        day += dt.timedelta(days=days)
        growth *= factor
        value = (value + flow) * factor if before else value * factor + flow
        if value <= 1:
            return
        if flow:
            rows.append((str(flow_day), "deposit" if flow > 0 else "withdrawal", abs(flow)))
        rows.append((str(day), "value", value))
    account = portfolio(*rows)
    found = account.time_weighted(timing=timing)
    assert found.over_span == pytest.approx(growth - 1, abs=1e-9)
    assert account.modified_dietz(timing=timing).over_span == pytest.approx(growth - 1, abs=1e-9)
    if account.span > 1:
        assert (1 + (found.annualized or 0)) ** account.span == pytest.approx(1 + found.over_span)


def test_money_weighted_is_the_irr_of_the_investors_flows() -> None:
    account = portfolio(
        ("2024-01-01", "value", 1000), ("2024-07-01", "deposit", 500), ("2025-03-01", "withdrawal", 200), ("2026-01-01", "value", 1450),
    )  # fmt: skip
    flows = CashFlows([-1000, -500, 200, 1450], dates=["2024-01-01", "2024-07-01", "2025-03-01", "2026-01-01"])
    found = account.money_weighted()
    assert found.annualized == pytest.approx(flows.irr(), abs=1e-10)
    assert found.over_span == pytest.approx((1 + flows.irr()) ** (731 / 365) - 1)


def test_accounts_are_added_up_on_common_days() -> None:
    """The demo's two accounts against pandas: values of both on quarter ends, flows of both."""
    endowment = Portfolio.from_csv(STATEMENTS)
    rows = pd.read_csv(STATEMENTS)
    totals = rows[rows["kind"] == "value"].groupby("date")["amount"].sum()
    assert endowment.values.tolist() == pytest.approx(totals.tolist())
    put_in = rows[rows["kind"] == "deposit"]["amount"].sum() - rows[rows["kind"] == "withdrawal"]["amount"].sum()
    assert sum(period.put_in for period in endowment.periods) == pytest.approx(put_in)
    years = endowment.calendar_years()
    assert list(years) == [2024, 2025]
    linked = 1.0
    for part in (*years.values(), endowment.year_to_date()):
        linked *= 1 + part.modified_dietz().over_span
    assert linked - 1 == pytest.approx(endowment.modified_dietz().over_span)
    part = endowment.between("2025-01-15", "2025-08-01")
    assert (str(part.dates[0]), str(part.dates[-1])) == ("2024-12-31", "2025-06-30")
    report = endowment.report(benchmark=Benchmark.from_csv(INDEX))
    levels = pd.read_csv(INDEX)["level"]
    assert report.benchmark_return is not None
    assert report.benchmark_return.over_span == pytest.approx(levels.iloc[-1] / levels.iloc[0] - 1)
    assert len(report.frame) == 11


def test_what_lacks_a_value_is_named() -> None:
    with pytest.raises(NoAnswer, match="2024-05-20, 2024-08-12"):
        Portfolio.from_csv(STATEMENTS).time_weighted()


def test_doubtful_statements_are_pointed_out() -> None:
    account = portfolio(
        ("2026-01-31", "value", 100), ("2026-02-28", "value", 101), ("2026-03-31", "value", 236.34), ("2026-04-30", "value", 120),
        ("2026-06-15", "deposit", 50), ("2026-01-10", "withdrawal", 5),
    )  # fmt: skip
    assert account.remarks() == [
        "Up 134% in March 2026, and -49% to +1% in the other periods: is a deposit of about 135 missing?",
        "Down 49% in April 2026, and +1% to +134% in the other periods: is a withdrawal of about 116 missing?",
        "The withdrawal of 5.00 on 2026-01-10 lies outside every period and is left out.",
        "The deposit of 50.00 on 2026-06-15 lies outside every period and is left out.",
    ]
    assert "missing?" in str(account.report())


def test_an_average_capital_of_nothing_is_refused() -> None:
    account = portfolio(("2026-01-01", "value", 100), ("2026-01-02", "withdrawal", 100), ("2026-02-01", "value", 3))
    with pytest.raises(NoAnswer, match=r"From 2026-01-01 to 2026-02-01 the average capital is 0\.00"):
        portfolio(("2026-01-01", "value", 0), ("2026-02-01", "value", 3)).modified_dietz()
    assert account.modified_dietz().over_span > 0
    report = portfolio(("2026-01-01", "value", 0), ("2026-02-01", "value", 0)).report()
    assert {reason != "" for _, reason in report.returns.values()} == {True}
    assert json.dumps(report.as_dict(), allow_nan=False)


@pytest.mark.parametrize(
    ("text", "sentence"),
    [
        (
            "date,account,kind,amount\n2026-01-01,a,valu,5\n",
            "column 'kind': it is not known what kind 'valu' (1 row) is; did you mean 'value'?",
        ),
        ("date,account,kind,amount\n2026-01-01,a,deposit,-5\n", "row 2: a deposit of -5.00; write it positive"),
        ("date,account,kind,amount\n2026-01-01,a,value,5\n2026-01-01,a,value,6\n", "two values on 2026-01-01"),
        (
            "date,account,kind,amount\n2026-01-01,a,value,5\n",
            "two days on which every account has a value; there are 1",
        ),
        ("date,account,kind,amount\n2026-01-01,a,deposit,5\n", "Account 'a' has flows and no value"),
        ("date,account,kind,amount\n", "there are 0 for no account"),
        ("date,account,kind,amount\n2026-02-30,a,value,5\n", "a day that does not exist"),
        ('date,account,kind,amount\n2026-02-03,a,value,"1,25"\n', "row 2, column 'amount' is '1,25', which could be"),
        ("when,account,kind,amount\nspring,a,value,5\n", "has no column 'date'. Its columns are when, account"),
        (
            "date,account,kind,amount\n2026-01-01,a,value,5\n2026-01-01,b,value,5\n2026-03-01,a,value,5\n2026-02-01,b,value,5\n",
            "there are 1 for a, b",
        ),
        ("", "is empty"),
    ],
)
def test_statements_refused(tmp_path: Path, text: str, sentence: str) -> None:
    path = tmp_path / "s.csv"
    path.write_text(text, encoding="utf-8")
    with pytest.raises(InputError) as caught:
        Portfolio.from_csv(path)
    assert sentence in str(caught.value)


@pytest.mark.parametrize(
    ("ask", "sentence"),
    [
        (lambda p: p.between("2020-01-01"), "there is no valuation yet"),
        (lambda p: p.between("2026-01-01", "2026-01-05"), "there are no two valuations"),
        (lambda p: p.modified_dietz(timing="noon"), "timing is 'noon'; it must be 'end' or 'start'"),
        (lambda p: p.report(benchmark=Benchmark.from_csv(STATEMENTS)), "no column 'level'"),
    ],
)
def test_spans_refused(ask: object, sentence: str) -> None:
    with pytest.raises(PennyweightError) as caught:
        ask(Portfolio.from_csv(STATEMENTS))
    assert sentence in str(caught.value)


def test_the_command_with_other_names(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "bank.csv"
    path.write_text(
        "Day;Type;Sum\n2025-12-31;Stand;1.000,00\n2026-01-11;Einzahlung;500\n2026-01-31;Stand;1.600,00\n",
        encoding="utf-8",
    )
    names = [
        "--column",
        "date=Day",
        "--column",
        "kind=Type",
        "--column",
        "amount=Sum",
        "--kind",
        "value=Stand",
        "--kind",
        "deposit=Einzahlung",
    ]
    assert status(["returns", str(path), *names, "--format", "json"]) == 0
    data = json.loads(capsys.readouterr().out)
    for way in ("modified_dietz", "time_weighted", "money_weighted", "simple"):
        assert data[way].keys() >= {"over_span", "annualized"}
    assert data["modified_dietz"]["over_span"] == pytest.approx(100 / (1000 + 500 * 20 / 31))
    assert data["periods"][0]["put_in"] == 500
    assert status(["returns", str(STATEMENTS), "--year-to-date", "--currency", "EUR", "--benchmark", str(INDEX)]) == 0
    assert "not a year's" in capsys.readouterr().out
    assert status(["returns", str(STATEMENTS), "--year-to-date", "--from", "2025-01-01"]) == 2
    assert status(["returns", str(STATEMENTS), "--column", "day=Day"]) == 2
    assert "NAME one of date, account, kind, amount" in capsys.readouterr().err


def test_several_files_and_days_left_out(tmp_path: Path) -> None:
    """Two files without an account column are two accounts; a day on which one has no value is left out, and said."""
    (tmp_path / "one.csv").write_text(
        "date,kind,amount\n2026-01-01,value,100\n2026-02-01,value,110\n2026-03-01,value,120\n", encoding="utf-8"
    )
    (tmp_path / "two.csv").write_text("date,kind,amount\n2026-01-01,value,50\n2026-03-01,value,60\n", encoding="utf-8")
    both = Portfolio.from_csv(tmp_path / "one.csv", tmp_path / "two.csv")
    assert both.accounts == ("one", "two")
    assert both.modified_dietz().over_span == pytest.approx(30 / 150)
    assert both.remarks() == ["two has no value on 2026-02-01, so that day is not used."]


def test_the_working_of_a_period() -> None:
    account = portfolio(("2025-12-31", "value", 1000), ("2026-01-11", "deposit", 500), ("2026-01-31", "value", 1600))
    shown = str(account.report())
    assert "100.00 / (1,000.00 + 500.00 × 20/31) = 100.00 / 1,322.58" in shown
    assert account.report().as_dict()["periods"][0]["average_capital"] == pytest.approx(1000 + 500 * 20 / 31)


def test_kinds_in_the_words_of_six_languages_and_what_is_not_known(tmp_path: Path) -> None:
    """One and many, with capitals; what is not known is refused, all at once; what stays inside is no flow."""
    rows = "date,kind,amount\n2026-01-01,{0},1000\n2026-03-01,{1},100\n2026-06-01,{2},50\n2026-12-31,{0},1100\n"
    right = Portfolio.from_rows(
        [("2026-01-01", "s", "value", 1000.0), ("2026-03-01", "s", "deposit", 100.0), ("2026-06-01", "s", "withdrawal", 50.0), ("2026-12-31", "s", "value", 1100.0)]
    ).modified_dietz()  # fmt: skip
    path = tmp_path / "s.csv"
    for words in (
        ("Ending value", "Deposits", "Withdrawals"), ("Wert", "Einzahlung", "Auszahlungen"), ("Valeur", "Versements", "Retrait"),
        ("Saldo final", "Aportaciones", "Retiros"), ("Valore", "Versamenti", "Prelievo"), ("Waarde", "Storting", "Opnames"),
    ):  # fmt: skip
        path.write_text(rows.format(*words), encoding="utf-8")
        assert Portfolio.from_csv(path).modified_dietz() == right
        with pytest.raises(InputError, match="is a statement: its column 'kind' tells values, deposits"):
            CashFlows.from_csv(path)
    path.write_text(rows.format("value", "Gift", "Levy"), encoding="utf-8")
    with pytest.raises(
        InputError, match=r"what kind 'Gift' \(1 row\) and 'Levy' \(1 row\) are\. Say it for each: --kind"
    ):
        Portfolio.from_csv(path)
    assert Portfolio.from_csv(path, kinds={"Gift": "deposit", "Levy": "withdrawal"}).modified_dietz() == right
    kept = Portfolio.from_csv(path, kinds={"Gift": "deposit", "Levy": "inside"})
    assert kept.modified_dietz().over_span == pytest.approx(0.0, abs=1e-12)


def test_a_deposit_that_was_forgotten_in_a_rhythm_is_told() -> None:
    """Ten months of 600, one without and a gain of as much more; values alone say that nothing was put in."""
    value, rows = 20_000.0, [("2026-01-31", "a", "value", 20_000.0)]
    for month in range(2, 13):
        day = f"2026-{month:02d}"
        if month != 7:
            rows.append((f"{day}-15", "a", "deposit", 600.0))
        value = value * 1.004 + 600
        rows.append((f"{day}-28", "a", "value", round(value, 2)))
    (told,) = Portfolio.from_rows(rows).remarks()
    assert told.startswith("There is no deposit in the period to July 2026, and one of 600.00 in most others")
    calm = [row for row in rows if row[2] == "value"]
    assert Portfolio.from_rows(calm).report().note.startswith("Nothing was put in or taken out in these files.")
    assert Portfolio.from_rows(rows).report().note == ""


def test_columns_of_one_file_alone(tmp_path: Path) -> None:
    (tmp_path / "v.csv").write_text("Month end,date,value\n2026-01-31,x,100\n2026-12-31,y,110\n", encoding="utf-8")
    (tmp_path / "m.csv").write_text("date,amount\n2026-06-30,5\n", encoding="utf-8")
    files = tmp_path / "v.csv", tmp_path / "m.csv"
    made = Portfolio.from_csv(*files, columns={"v.csv": {"date": "Month end"}})
    assert made.report().as_dict()["modified_dietz"]["over_span"] == pytest.approx(5 / (100 + 5 * 184 / 334))
    with pytest.raises(InputError, match=r"there is no file 'w.csv'; did you mean 'v.csv'"):
        Portfolio.from_csv(*files, columns={"w.csv": {"date": "Month end"}})
