"""Tables as people have them: marks, encodings, workbooks, Parquet, other names, totals, kinds, values apart."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from pathlib import Path
from typing import Any
from zipfile import ZIP_DEFLATED, ZipFile

import openpyxl
import pandas as pd
import pytest

from pennyweight import Benchmark, CashFlows, Deal, InputError, LoanStudy, Portfolio, read_loan_file
from pennyweight.cli.main import status

DAYS = [dt.date(2026, 1, 1), dt.date(2026, 7, 1), dt.date(2027, 1, 1)]
AMOUNTS = [-10_000.5, 800.25, 11_250.0]


def text(separator: str, mark: str, heads: tuple[str, str] = ("date", "amount"), total: bool = True) -> str:
    rows = [f"{day}{separator}{str(amount).replace('.', mark)}" for day, amount in zip(DAYS, AMOUNTS, strict=True)]
    extra = [f"Total{separator}{str(sum(AMOUNTS)).replace('.', mark)}"] if total else []
    return "\n".join([separator.join(heads), rows[0], separator, *rows[1:], *extra]) + "\n"


def workbook(path: Path, heads: tuple[str, str]) -> None:
    book = openpyxl.Workbook()
    book.active.append(["nothing here"])
    sheet = book.create_sheet("Flows")
    for row in (heads, *zip(DAYS, AMOUNTS, strict=True), (None, None), ("Total", sum(AMOUNTS))):
        sheet.append(row)
    book.save(path)


def parquet(path: Path, heads: tuple[str, str]) -> None:
    pd.DataFrame({heads[0]: pd.to_datetime(DAYS), heads[1]: AMOUNTS}).to_parquet(path)


WAYS: dict[str, Callable[[Path, tuple[str, str]], object]] = {
    "comma.csv": lambda path, heads: path.write_text(text(",", ".", heads), encoding="utf-8"),
    "semicolon.csv": lambda path, heads: path.write_text(text(";", ",", heads), encoding="utf-8-sig"),
    "tab.tsv": lambda path, heads: path.write_text(text("\t", ",", heads), encoding="utf-8"),
    "wide.csv": lambda path, heads: path.write_text(text("\t", ".", heads), encoding="utf-16"),
    "book.xlsx": workbook, "table.parquet": parquet,
}  # fmt: skip


@pytest.mark.parametrize("heads", [("date", "amount"), ("Date", "AMOUNT"), ("Booked on", "Sum, net")])
@pytest.mark.parametrize("name", WAYS)
def test_the_same_flows_in_every_form(
    name: str, heads: tuple[str, str], tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """Each form gives the same flows, to the last digit, and says which rows it left out."""
    if "," in heads[1] and name == "comma.csv":
        heads = (heads[0], "Net")
    path = tmp_path / name
    WAYS[name](path, heads)
    named = {"date": heads[0], "amount": heads[1]} if heads[0] == "Booked on" else None
    sheet = "Flows" if name == "book.xlsx" else None
    reading: dict[str, Any] = {"columns": named, "sheet": sheet}
    if name == "table.parquet":
        flows = CashFlows.from_csv(path, **reading)
    else:
        with pytest.warns(UserWarning, match="left out 1 row of totals"):
            flows = CashFlows.from_csv(path, **reading)
    assert flows.amounts.tolist() == AMOUNTS
    assert [str(day) for day in flows.dates] == [str(day) for day in DAYS]
    command = ["flows", str(path), *(["--sheet", sheet] if sheet else [])]
    for ours, theirs in (named or {}).items():
        command += ["--column", f"{ours}={theirs}"]
    assert status(command) == 0
    assert ("left out 1 row of totals" in capsys.readouterr().err) == (name != "table.parquet")


def test_marks_that_do_not_tell_are_said(tmp_path: Path) -> None:
    path = tmp_path / "flows.csv"
    path.write_text("date;amount\n2026-01-01;-1.400\n2027-01-01;1.500\n", encoding="utf-8")
    with pytest.raises(InputError, match="say which: --decimal"):
        CashFlows.from_csv(path)
    assert CashFlows.from_csv(path, decimal=",").amounts.tolist() == [-1400, 1500]
    with pytest.raises(InputError, match=r"decimal is 'x'; it must be '\.' or ','"):
        CashFlows.from_csv(path, decimal="x")


@pytest.mark.parametrize(
    ("ending", "content", "said"),
    [
        (".xlsx", b"no zip", "cannot be opened as a workbook"), (".parquet", b"PAR1 no", "cannot be opened as a Parquet"),
        (".csv", b"\xff\xfea", "UTF-16"), (".csv", b"when;amount\nspring;5\n", "needs a column 'date' or 'period'"),
    ],
)  # fmt: skip
def test_broken_tables_are_told_in_a_sentence(ending: str, content: bytes, said: str, tmp_path: Path) -> None:
    path = tmp_path / f"f{ending}"
    path.write_bytes(content)
    with pytest.raises(InputError, match=said):
        CashFlows.from_csv(path)
    with pytest.raises(InputError, match="There is no file"):
        CashFlows.from_csv(tmp_path / f"none{ending}")
    if ending == ".csv":
        with pytest.raises(InputError, match="is no workbook"):
            CashFlows.from_csv(path, sheet="One")


def test_a_workbook_made_to_swell_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "bomb.xlsx"
    with ZipFile(path, "w", ZIP_DEFLATED) as parts, parts.open("xl/sharedStrings.xml", "w", force_zip64=True) as part:
        for _ in range(600):
            part.write(b"\0" * 2**20)
    assert path.stat().st_size < 2**20
    for read in (CashFlows.from_csv, Deal.read):
        with pytest.raises(InputError, match="unpacks to 600 MB"):
            read(path)


def test_sheets_and_columns_offer_the_nearest(tmp_path: Path) -> None:
    workbook(tmp_path / "b.xlsx", ("date", "amount"))
    with pytest.raises(InputError, match="no sheet 'Flow'; did you mean 'Flows'"):
        CashFlows.from_csv(tmp_path / "b.xlsx", sheet="Flow")
    (tmp_path / "c.csv").write_text("date,amounts\n2026-01-01,5\n", encoding="utf-8")
    with pytest.raises(InputError, match=r"did you mean 'amounts'\? .*--column amount=NAME"):
        CashFlows.from_csv(tmp_path / "c.csv")


def test_a_portfolio_from_values_and_signed_activity_apart(tmp_path: Path) -> None:
    """Two files without kinds say what one with kinds says; other kinds are left out and counted, misspelt ones told."""
    (tmp_path / "values.csv").write_text(
        "Date;Value\n2026-01-01;1000\n2026-06-30;1100\n2026-12-31;1300\n", encoding="utf-8"
    )
    (tmp_path / "moves.csv").write_text("date,amount\n2026-03-01,50\n2026-08-01,-20\n2026-09-01,0\n", encoding="utf-8")
    apart = Portfolio.from_csv(tmp_path / "values.csv", tmp_path / "moves.csv")
    rows = "2026-01-01,value,1000\n2026-03-01,deposit,50\n2026-06-30,value,1100\n2026-08-01,withdrawal,20\n2026-12-31,value,1300\n"
    (tmp_path / "one.csv").write_text(
        f"date,kind,amount\n{rows}2026-05-01,dividend,12\n2026-06-01,Fee,-3\n2026-06-02,Fee,-4\n"
    )
    one = Portfolio.from_csv(tmp_path / "one.csv")
    assert apart.modified_dietz().over_span == one.modified_dietz().over_span
    assert (apart.accounts, one.accounts) == (("values",), ("one",))
    assert one.left_out == (
        "one.csv: 1 row of kind 'dividend' counted as a part of the return, no deposit and no withdrawal.",
        "one.csv: 2 rows of kind 'Fee' counted as a part of the return, no deposit and no withdrawal.",
    )
    assert "2 rows of kind 'Fee' counted" in str(one.report())
    (tmp_path / "slip.csv").write_text(f"date,kind,amount\n{rows.replace('deposit', 'desposit')}")
    with pytest.raises(InputError, match=r"what kind 'desposit' \(1 row\) is; did you mean 'deposit'"):
        Portfolio.from_csv(tmp_path / "slip.csv")
    (tmp_path / "index.tsv").write_text("Day\tlevel\n2026-01-01\t100,5\n2026-12-31\t103,25\n")
    assert Benchmark.from_csv(tmp_path / "index.tsv", columns={"date": "Day"}).levels.tolist() == [100.5, 103.25]


def test_a_series_of_a_deal_from_a_workbook(tmp_path: Path) -> None:
    book = openpyxl.Workbook()
    sheet = book.create_sheet("Trips")
    for row in (("period", "trips"), (1, 10), (2, "20"), (3, 30.5)):
        sheet.append(row)
    book.save(tmp_path / "trips.xlsx")
    (tmp_path / "deal.toml").write_text(
        'deal = "x"\n[timeline]\nperiod = "year"\nperiods = 3\n[inputs]\n'
        'trips = { file = "trips.xlsx", column = "trips", sheet = "Trips" }\n[measures]\nm = "total(trips, 1)"\n'
    )
    assert Deal.read(tmp_path / "deal.toml").weigh().measures["m"].value == 60.5
    path = tmp_path / "deal.toml"
    path.write_text(path.read_text().replace(', sheet = "Trips"', ""))
    with pytest.raises(InputError, match="its first row must name the columns"):
        Deal.read(path)


def test_events_of_a_loan_from_a_table_with_other_names(tmp_path: Path) -> None:
    (tmp_path / "moves.tsv").write_text("Booked at\twhat\tSum\n2026-06-30\textra\t1.250,5\n", encoding="utf-8")
    body = 'loan = "x"\namount = 10_000\nrate = "5%"\nyears = 2\nstart = 2026-01-31\nevents = "moves.tsv"\n'
    path = tmp_path / "loan.toml"
    path.write_text(body + 'event_columns = { date = "Booked at", amount = "Sum" }\n', encoding="utf-8")
    told = read_loan_file(path)
    assert isinstance(told, LoanStudy)
    assert float(told.loan.schedule.frame["extra"].sum()) == 1250.5
    path.write_text(body, encoding="utf-8")  # the only column of days is the date
    again = read_loan_file(path)
    assert isinstance(again, LoanStudy)
    assert float(again.loan.schedule.frame["extra"].sum()) == 1250.5


@pytest.mark.parametrize("ending", [".html", ".pdf", ".xlsx"])
def test_a_deal_with_its_workbook_is_handed_over_whole(
    ending: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(tmp_path)
    workbook(tmp_path / "trips.xlsx", ("day", "trips"))
    pd.DataFrame({"fare": [5.0, 6.0]}).to_parquet(tmp_path / "fares.parquet")
    Path("deal.toml").write_text(
        'deal = "x"\n[timeline]\nperiod = "year"\nperiods = 2\n[inputs]\n'
        'trips = { file = "trips.xlsx", column = "trips", sheet = "Flows" }\n'
        'fare = { file = "fares.parquet", column = "fare" }\n[money_in]\nsold = "trips * fare"\n[measures]\nm = "total(sold)"\n'
    )
    assert status(["weigh", "deal.toml", "--output", f"away{ending}"]) == 0
    capsys.readouterr()
    assert status(["weigh", "deal.toml", "--format", "json"]) == 0
    said = capsys.readouterr().out
    for name in ("deal.toml", "trips.xlsx", "fares.parquet"):
        Path(name).unlink()
    assert status(["weigh", f"away{ending}", "--format", "json"]) == 0
    assert capsys.readouterr().out == said
