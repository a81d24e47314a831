"""Files of loans and events that are wrong in every way: one sentence that says what, where and what would be right."""

from __future__ import annotations

import datetime as dt
import decimal
from pathlib import Path
from typing import Any

import pyarrow as pa
import pytest
from pyarrow import parquet

from pennyweight import InputError, amortize, loan_sums
from pennyweight.cli.main import status

HEAD = "amount,rate,months,start\n"

TEXTS: dict[str, tuple[bytes, str]] = {
    "empty": (b"", "is empty; write amount,rate,months,start"),
    "header alone": (HEAD.encode(), "has no loans."),
    "short row": (f"{HEAD}1000,6%,12\n".encode(), "the row has 3 cells where the first line has 4"),
    "long row": (f"{HEAD}1000,6%,12,2027-01-31,7,8\n".encode(), "the row has 6 cells where the first line has 4"),
    "no text": (bytes(range(256)) * 9, "is no UTF-8 text; save it as UTF-8"),
    "latin": ("amount,rate,months,place\n1000,6%,12,Münster\n".encode("latin-1"), "is no UTF-8 text; save it as UTF-8"),
    "semicolons": (b"amount;rate;months\n1000;6%;12\n", "has ';' between its cells; write commas"),
    "tabs": (b"amount\trate\tmonths\n1000\t6%\t12\n", "has tabs between its cells; write commas"),
    "a column twice": (b"amount,amount,rate,months\n1,2,6%,12\n", "has two columns 'amount'; rename one"),
    "no amount": (b"lent,rate,months\n1000,6%,12\n", "has no column 'amount'"),
    "not finite": (f"{HEAD}1e400,6%,12,2027-01-31\n".encode(), "amount is 1e400, which is not a finite number"),
    "too large": (f"{HEAD}1e15,6%,12,2027-01-31\n".encode(), "it is too large for every half of the smallest unit"),
    "too long": (f"{HEAD}1000,6%,60001,2027-01-31\n".encode(), "it must be a whole number from 1 to 60,000"),
    "months of text": (f"{HEAD}1000,6%,twelve,2027-01-31\n".encode(), "months is 'twelve', which is not a number"),
    "below zero": (f"{HEAD}-1000,6%,12,2027-01-31\n".encode(), "it must be 0 or more"),
    "nan": (f"{HEAD}nan,6%,12,2027-01-31\n".encode(), "amount is 'nan', which is not a number"),
    "percent typed as a number": (f"{HEAD}1000,5,12,2027-01-31\n".encode(), "5 is 500% a year; write 5%"),
    "rate below zero": (f"{HEAD}1000,-1%,12,2027-01-31\n".encode(), "it must be 0 or more"),
    "a comma as decimal mark": (b'amount,rate,months\n1000,"4,5%",12\n', "which is not a rate; write it as '5%'"),
    "day first": (f"{HEAD}1000,6%,12,31/01/2027\n".encode(), "write dates as 2027-02-01"),
    "no such day": (f"{HEAD}1000,6%,12,2027-02-30\n".encode(), "2027-02-30"),
    "residual above": (b"amount,rate,months,residual\n1000,6%,12,2000\n", "residual is 2000; it must be at most what is lent"),
    "residual below": (b"amount,rate,months,residual\n1000,6%,12,-1\n", "it must be 0 or more"),
    "rests too long": (b"amount,rate,months,interest_only\n1000,6%,12,13\n", "interest_only is 13; it must be at most the months"),
    "rests in words": (b"amount,rate,months,interest_only\n1000,6%,12,half\n", "interest_only is 'half', which is not a number"),
    "rests in parts": (b"amount,rate,months,interest_only\n1000,6%,12,2.5\n", "it must be a whole number of months"),
    "an open quote": (b'amount,rate,months\n"1000,6%,12\n', "the row has 1 cells where the first line has 3"),
}  # fmt: skip
"""By what is wrong a CSV, and what is said of it."""

SOUND: dict[str, bytes] = {
    "byte order mark": f"\ufeff{HEAD}1000,6%,12,2027-01-31\n".encode(),
    "blank lines": f"{HEAD}\n1000,6%,12,2027-01-31\n\n".encode(),
    "blanks about names": b" amount , rate , months \n1000,6%,12\n",
    "thousands": b'amount,rate,months\n"1,000.00",6%,12\n',
    "empty residual": b"amount,rate,months,residual,interest_only\n1000,6%,12,,\n",
    "line ends of another system": b"amount,rate,months\r\n1000,6%,12\r\n",
}
"""What a person reads without a thought."""


@pytest.mark.parametrize("name", TEXTS)
def test_a_csv_that_is_wrong_is_told_in_one_sentence(
    name: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    content, said = TEXTS[name]
    path = tmp_path / "loans.csv"
    path.write_bytes(content)
    assert status(["book", str(path), "--output", str(tmp_path / "sums")]) == 2
    told = capsys.readouterr().err
    assert said in told
    assert told.count("\n") == 1
    assert "loans.csv" in told
    assert not (tmp_path / "sums" / "sums.csv").exists()
    # The same row beside a sound one is left out and told, where it is the row alone that is wrong.
    if (
        b"\n" in content
        and content.split(b"\n", 1)[0].startswith(b"amount,rate,months")
        and content.count(b"\n") == 2
        and '"' not in content.decode("latin-1")
    ):
        head, row = content.split(b"\n")[:2]
        extra = head.count(b",") - 2
        path.write_bytes(
            b"\n".join([head, row, b"1000,6%,12" + (b",2027-01-31" if b"start" in head else b"," * extra), b""])
        )
        if name not in ("no text", "latin"):
            book = loan_sums(path)
            assert (book.loans, book.rows, book.rejected, book.rejects[0].row) == (1, 2, 1, 1)


@pytest.mark.parametrize("name", SOUND)
def test_a_csv_as_people_have_it_is_read(name: str, tmp_path: Path) -> None:
    path = tmp_path / "loans.csv"
    path.write_bytes(SOUND[name])
    assert loan_sums(path).amount("interest").sum() == pytest.approx(32.8)


def test_rows_of_other_widths_keep_the_numbers_of_the_others(tmp_path: Path) -> None:
    path = tmp_path / "loans.csv"
    rows = ["1000,6%,12", "1000,6%", "-5,6%,12", "1000,6%,12,9", "1000,6%,0", "1000,6%,12"]
    path.write_text("\n".join(["amount,rate,months", *rows]) + "\n", encoding="utf-8")
    book = loan_sums(path, folder=tmp_path / "sums")
    assert (book.loans, book.rows, [one.row for one in book.rejects]) == (2, 6, [2, 3, 4, 5])
    with pytest.raises(InputError, match=r"loans\.csv, row 2: the row has 2 cells where the first line has 3"):
        loan_sums(path, strict=True)


def test_a_group_is_called_as_the_file_calls_it(tmp_path: Path) -> None:
    """What other readers take for nothing is a name here; an empty cell is told as such."""
    path = tmp_path / "loans.csv"
    path.write_text("amount,rate,months,land\n1,0%,1,NA\n1,0%,1,null\n1,0%,1,\n1,0%,1,NA\n", encoding="utf-8")
    assert loan_sums(path, grouped="land").groups == ("NA", "null", "(empty)")


def _table(**columns: Any) -> pa.Table:
    return pa.table({"amount": [1000.0], "rate": [0.06], "months": [12], **columns})


@pytest.mark.parametrize(
    ("columns", "said"),
    [
        ({"amount": pa.array([[1.0]])}, "the column 'amount' cannot be read"), ({"rate": pa.array([{"a": 1}])}, "the column 'rate' cannot be read"),
        ({"months": pa.array([2**62])}, "the column 'months' cannot be read"), ({"start": pa.array([dt.time(1, 2)])}, "the column 'start' cannot be read"),
        ({"start": pa.array([5], pa.duration("s"))}, "the column 'start' cannot be read"), ({"amount": pa.array([True])}, "amount is 'true', which is not a number"),
        ({"amount": pa.array([None], pa.float64())}, "it must be a number"), ({"months": pa.array([12.5])}, "it must be a whole number"),
    ],
)  # fmt: skip
def test_a_parquet_column_of_another_kind_is_told(columns: dict[str, Any], said: str, tmp_path: Path) -> None:
    parquet.write_table(_table(**columns), tmp_path / "loans.parquet")
    with pytest.raises(InputError, match=said):
        loan_sums(tmp_path / "loans.parquet")


@pytest.mark.parametrize(
    "columns",
    [
        {"amount": pa.array([1000])}, {"amount": pa.array([decimal.Decimal("1000.00")])}, {"rate": pa.array(["6%"]).dictionary_encode()},
        {"start": pa.array([dt.date(2027, 1, 31)])}, {"start": pa.array([dt.datetime(2027, 1, 31)], pa.timestamp("us", "UTC"))},
        {"residual": pa.array([None])}, {"residual": pa.array([float("nan")])}, {"rate": pa.array(["6%"], pa.large_string())},
    ],
)  # fmt: skip
def test_a_parquet_column_of_every_sound_kind_is_read(columns: dict[str, Any], tmp_path: Path) -> None:
    parquet.write_table(_table(**columns), tmp_path / "loans.parquet")
    assert loan_sums(tmp_path / "loans.parquet").amount("interest").sum() == pytest.approx(32.8)


def test_a_parquet_file_that_is_none_or_torn_is_told(tmp_path: Path) -> None:
    parquet.write_table(_table(), tmp_path / "loans.parquet")
    whole = (tmp_path / "loans.parquet").read_bytes()
    for content in (whole[:-20], whole[:9], b"amount,rate,months\n"):
        (tmp_path / "torn.parquet").write_bytes(content)
        with pytest.raises(InputError, match=r"torn\.parquet is no Parquet file, or a part of it is missing"):
            loan_sums(tmp_path / "torn.parquet")


EVENTS = {
    "no column": (b"id,date,amount\nA,1,5\n", "has no column 'what'"), "empty": (b"", "is empty; write id,date,what,amount"),
    "semicolons": (b"id;date;what;amount\nA;1;extra;5\n", "has ';' between its cells"), "no text": (b"id,date,what,amount\nA,1,extra,\xff\n", "is no UTF-8 text"),
    "short row": (b"id,date,what,amount\nA,1,extra\n", "is no sound table"),
}  # fmt: skip


@pytest.mark.parametrize("name", EVENTS)
def test_events_that_cannot_be_read_are_told(name: str, tmp_path: Path) -> None:
    content, said = EVENTS[name]
    (tmp_path / "loans.csv").write_text("id,amount,rate,months\nA,1000,6%,12\n", encoding="utf-8")
    (tmp_path / "events.csv").write_bytes(content)
    with pytest.raises(InputError, match=said):
        loan_sums(tmp_path / "loans.csv", events=tmp_path / "events.csv")


def test_one_rate_of_many_decimals_leaves_the_others_exact(tmp_path: Path) -> None:
    """Loans are booked by the decimals of their own rates: beside one of sixteen decimals the sums stay to the cent."""
    rates = [0.0425, 0.0399999, 0.031415926535]
    parquet.write_table(
        pa.table({"amount": [250_000.0] * 3, "rate": rates, "months": [360] * 3}), tmp_path / "loans.parquet"
    )
    alone = sum(float(amortize([250_000], [rate], [360]).total_interest[0]) for rate in rates)
    assert loan_sums(tmp_path / "loans.parquet").amount("interest").sum() == pytest.approx(alone, abs=0.001)


@pytest.mark.parametrize(
    ("asked", "said"),
    [
        (["--events", "none.csv"], "There is no file"), (["--event-column", "id=no"], "--events says which file has them"), (["--schedules"], "--output says into which folder"),
        (["--column", "id=no"], "the names of the loans serve events and schedules"), (["--column", "residual=left"], "has no column 'left'"),
        (["--on", "here"], "must be the address of a cluster|a cluster reads books from Parquet"), (["--output", "sums.csv"], "a book is written into a folder"),
        (["--events", "loans.csv"], "has no column 'id'"), (["--grouped", "amounts"], "did you mean 'amount'"), (["--places", "9"], "--places"),
    ],
)  # fmt: skip
def test_options_that_do_not_fit_are_told(
    asked: list[str], said: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(tmp_path)
    Path("loans.csv").write_text("amount,rate,months\n1000,6%,12\n", encoding="utf-8")
    assert status(["book", "loans.csv", *asked]) == 2
    told = capsys.readouterr().err
    assert any(word in told for word in said.split("|")), told
    assert sorted(path.name for path in tmp_path.iterdir()) == ["loans.csv"]


def test_names_of_columns_that_there_are_not_are_told(tmp_path: Path) -> None:
    (tmp_path / "loans.csv").write_text("id,amount,rate,months\nA,1000,6%,12\n", encoding="utf-8")
    (tmp_path / "events.csv").write_text("id,date,what,amount\nA,2,extra,50\n", encoding="utf-8")
    asked: dict[str, Any] = {"events": tmp_path / "events.csv"}
    with pytest.raises(InputError, match=r"columns is 'amont'.*did you mean 'amount'"):
        loan_sums(tmp_path / "loans.csv", columns={"amont": "amount"})
    with pytest.raises(InputError, match="event_columns is 'when'"):
        loan_sums(tmp_path / "loans.csv", **asked, event_columns={"when": "date"})
    with pytest.raises(InputError, match="say which file has them"):
        loan_sums(tmp_path / "loans.csv", event_columns={"date": "date"})
    assert loan_sums(tmp_path / "loans.csv", **asked).amount("extra").sum() == 50
