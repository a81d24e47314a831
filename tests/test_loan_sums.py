"""Books of many loans beside their schedules one by one, from Parquet and CSV, broken off and gone on with."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest

from pennyweight import InputError, LoanEvents, amortize, loan_sums
from pennyweight.cli.main import status
from pennyweight.instruments.loans.many import arrow_columns
from pennyweight.instruments.loans.many.book_folder import BookFolder
from tests.sizes import some

_FIGURES = ["loans", "paid_out", "payment", "interest", "balance", "extra", "correction"]


def _loans(seed: int, count: int = 120) -> pd.DataFrame:
    """Loans of all sizes, some so small that rounding ends them early, some without interest."""
    draw = np.random.default_rng(seed)
    most = [300, 60_000, 60_000_000][seed % 3]
    rate = draw.integers(0, 9_000, count) / 1e5 if seed % 4 else draw.uniform(0, 0.09, count)
    cents, months = draw.integers(1, most, count), draw.integers(1, 70, count)
    some = draw.random((2, count)) < [[0.2], [0.3]]
    return pd.DataFrame(
        {
            "amount": cents / 100, "rate": rate, "months": months, "id": [f"L{k}" for k in range(count)],
            "residual": np.where(some[0], draw.integers(0, cents + 1) / 100, np.nan),
            "interest_only": np.where(some[1], draw.integers(0, months + 1), 0),
            "start": pd.to_datetime("2026-11-30") + pd.to_timedelta(draw.integers(0, 900, count), unit="D"),
            "branch": draw.choice(["Quay", "Hill", "Mill"], count),
        }
    )  # fmt: skip


def _events(loans: pd.DataFrame, seed: int, decimal: bool) -> pd.DataFrame:
    """Events of every kind, by day and by number; some of loans that nobody knows."""
    draw = np.random.default_rng(seed)
    rows = []
    for row in loans[loans["months"] > 2].sample(40, random_state=seed).itertuples():
        for number in draw.choice(np.arange(1, row.months), min(3, int(row.months) - 1), replace=False).tolist():
            what = str(draw.choice(["rate", "extra", "paid", "balance"]))
            month = (row.start + pd.DateOffset(months=number)).strftime("%Y-%m-15")
            value = round(float(draw.uniform(0, row.amount)), 2)
            if what == "rate":
                value = int(draw.integers(0, 9000)) / 1e5 if decimal else float(draw.uniform(0, 0.09))
            rows.append((row.id, str(draw.choice([month, str(number)])), what, value, number))
    return pd.DataFrame([*rows, ("nobody", "3", "extra", 5.0, 3)], columns=["id", "date", "what", "amount", "number"])


def _one_by_one(loans: pd.DataFrame, events: pd.DataFrame | None = None) -> dict[tuple[str, str], np.ndarray]:
    """(month, branch) to loans that still owe, paid out, paid, interest, owed, paid extra and corrected, from every
    loan's schedule."""
    found: dict[tuple[str, str], np.ndarray] = {}
    for row in loans.itertuples():
        happens = None
        if events is not None and (mine := events[events["id"] == row.id]).size:
            happens = LoanEvents(
                np.zeros(len(mine), int), *(mine[name].tolist() for name in ("number", "what", "amount"))
            )
        left = 0.0 if np.isnan(row.residual) else row.residual
        terms: dict[str, Any] = {"residual": left, "interest_only": row.interest_only, "events": happens}
        book = amortize([row.amount], [row.rate], [row.months], rows=True, **terms)
        begin = row.start.year * 12 + row.start.month - 1
        for k in range(row.months + 1):
            month = f"{(begin + k) // 12:04d}-{(begin + k) % 12 + 1:02d}"
            here = found.setdefault((month, row.branch), np.zeros(7))
            if k == 0:
                here += [1, row.amount, 0, 0, row.amount, 0, 0]
                before = row.amount
            else:
                paid, interest, owed, extra = (
                    float(one[k - 1, 0])
                    for one in (book.payment_rows, book.interest_rows, book.balance_rows, book.extra_rows)
                )
                here += [owed > 0, 0, paid, interest, owed, extra, owed - (before + interest - paid - extra)]
                before = owed
    return found


@pytest.mark.parametrize("seed", some(range(12), every=7))
def test_sums_are_those_of_every_schedule(seed: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(arrow_columns, "AT_ONCE", 37)
    loans = _loans(seed)
    loans.to_parquet(tmp_path / "loans.parquet")
    plain = loans.assign(start=loans["start"].dt.date)
    if seed % 4:
        plain["rate"] = [f"{rate * 100:.3f}%" for rate in loans["rate"]]
    plain.to_csv(tmp_path / "loans.csv", index=False)
    expected = _one_by_one(loans)
    for name in ("loans.parquet", "loans.csv"):
        book = loan_sums(tmp_path / name, grouped="branch")
        frame = book.frame.set_index(["month", "branch"])
        for key, values in expected.items():
            assert frame.loc[key, _FIGURES[:5]].tolist() == pytest.approx(values[:5].tolist(), abs=0.004)
        assert frame["loans"].sum() == pytest.approx(sum(one[0] for one in expected.values()))
        assert (book.loans, book.rejected, book.sampled) == (120, 0, min(200, 120))
        whole = loan_sums(tmp_path / name)
        assert whole.amount("interest").sum() == pytest.approx(frame["interest"].sum())
        assert whole.unused == ("id", "branch")


@pytest.mark.parametrize("seed", some(range(12), every=7))
def test_events_and_schedules_are_those_of_every_loan(
    seed: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(arrow_columns, "AT_ONCE", 37)
    loans = _loans(seed)
    events = _events(loans, seed, bool(seed % 4))
    loans.to_parquet(tmp_path / "loans.parquet")
    events.drop(columns="number").astype(str).to_csv(tmp_path / "events.csv", index=False)
    expected = _one_by_one(loans, events)
    book = loan_sums(
        tmp_path / "loans.parquet", grouped="branch", events=tmp_path / "events.csv", schedules=True, folder=tmp_path
    )
    frame = book.frame.set_index(["month", "branch"])
    for key, values in expected.items():
        assert frame.loc[key, _FIGURES].tolist() == pytest.approx(values.tolist(), abs=0.006)
    assert book.events is not None
    assert (book.events.used, book.events.others, book.events.rejected) == (len(events) - 1, 1, 0)
    given = sum(events.loc[events["what"] == "extra", "amount"][:-1])
    paid = events[events["what"] == "paid"].merge(loans[["id"]])
    rows = pd.concat([pd.read_parquet(one) for one in sorted((tmp_path / "schedules").iterdir())])
    assert len(rows) == book.schedule_rows
    assert rows["row"].is_monotonic_increasing
    made = paid.merge(rows.assign(number=rows["number"]), on=["id", "number"], how="left").fillna(0)
    beyond = given - rows["extra"].sum() + (made["amount"] - made["payment"]).clip(lower=0).sum()
    assert book.events.left_over == pytest.approx(beyond, abs=0.01)
    by_month = rows.assign(month=rows["month"].map("{:%Y-%m}".format)).merge(loans[["id", "branch"]])
    sums = by_month.groupby(["month", "branch"])[["payment", "interest", "extra", "principal", "balance"]].sum()
    for place, row in sums.iterrows():
        assert frame.loc[place, ["payment", "interest", "extra", "principal"]].tolist() == pytest.approx(
            row.tolist()[:4], abs=0.006
        )


def test_events_that_cannot_happen_are_told_and_written(tmp_path: Path) -> None:
    path, happens = tmp_path / "loans.csv", tmp_path / "events.csv"
    path.write_text(
        "no,amount,rate,months,start\nA,1000,6%,12,2027-01-31\nB,500,5%,6,2027-02-10\nA,7,5%,6,2027-02-10\n"
    )
    happens.write_text(
        "id,date,what,amount\nA,2027-01-20,extra,5\nA,2029-01-20,extra,5\nB,3,rate,4.5\nB,6,paid,20\nB,2,gift,20\nB,2,extra,-1\n"
        "B,2,rate,4%\nB,2,rate,3%\nB,soon,extra,5\nB,1,extra,0.001\nB,4,extra,9000\nB,5,extra,10\nC,1,extra,1\n"
    )
    asked: dict[str, Any] = {"columns": {"id": "no"}, "events": happens, "folder": tmp_path / "sums"}
    book = loan_sums(path, **asked)
    assert book.events is not None
    told = (tmp_path / "sums" / "rejected_events.csv").read_text().splitlines()[1:]
    said = [
        "before the loan's first payment", "after the loan's last payment, 12", "4.5 is 450% a year", "the last payment clears",
        "one of rate, extra, paid, balance", "0 or more", "payment 2 of the loan has one already", "write dates as", "2 decimals",
    ]  # fmt: skip
    assert [int(line.split(",")[0]) for line in told] == [1, 2, 3, 4, 5, 6, 8, 9, 10]
    assert all(word in line for word, line in zip(said, told, strict=True))
    assert (book.events.rows, book.events.used, book.events.others, book.events.late) == (13, 3, 1, 1)
    assert "1 event came after" in " ".join(str(book).split())
    assert book.rejects[0].reason == "A is the name of an earlier row, too"
    assert book.events.left_over == pytest.approx(9010 - book.amount("extra").sum())
    with pytest.raises(InputError, match=r"events.csv, row 3: amount: 4.5 is 450%"):
        loan_sums(path, columns={"id": "no"}, events=happens, strict=True)
    with pytest.raises(InputError, match="has no column 'id'; events need the names"):
        loan_sums(path, events=happens)
    path.write_text("id,amount,rate,months\nA,1000,6%,12\n")
    with pytest.raises(InputError, match=r"has days, and loans\.csv no column 'start'"):
        loan_sums(path, events=happens)
    with pytest.raises(InputError, match="the names of the loans serve events and schedules"):
        loan_sums(path, columns={"id": "id"})
    with pytest.raises(InputError, match="schedules are written into a folder"):
        loan_sums(path, schedules=True)


def test_a_run_that_is_broken_off_goes_on_to_the_same_sums(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(arrow_columns, "AT_ONCE", 25)
    loans = _loans(5)
    loans.loc[[3, 60, 110], "months"] = 0
    loans.to_parquet(tmp_path / "loans.parquet")
    whole = loan_sums(tmp_path / "loans.parquet", grouped="branch", folder=tmp_path / "whole")
    real, calls = BookFolder.keep, []

    def keep(self: BookFolder, run: Any) -> None:
        real(self, run)
        calls.append(run.parts)
        if len(calls) == 3:
            raise KeyboardInterrupt

    monkeypatch.setattr(BookFolder, "keep", keep)
    with pytest.raises(KeyboardInterrupt):
        loan_sums(tmp_path / "loans.parquet", grouped="branch", folder=tmp_path / "sums")
    monkeypatch.setattr(BookFolder, "keep", real)
    assert not (tmp_path / "sums" / "sums.csv").exists()
    again = loan_sums(tmp_path / "loans.parquet", grouped="branch", folder=tmp_path / "sums")
    assert (again.resumed, again.loans, again.rejected) == (75, whole.loans, 3)
    assert "Went on after 75 rows" in " ".join(str(again).split())
    for name in ("sums.csv", "rejects.csv"):
        assert (tmp_path / "sums" / name).read_text() == (tmp_path / "whole" / name).read_text()
    assert sorted(one.name for one in (tmp_path / "sums").iterdir()) == ["rejects.csv", "sums.csv", "sums.parquet"]
    assert pd.read_parquet(tmp_path / "sums" / "sums.parquet").equals(again.frame)
    # Another file of that name is begun anew.
    loans.head(40).to_parquet(tmp_path / "loans.parquet")
    assert loan_sums(tmp_path / "loans.parquet", grouped="branch", folder=tmp_path / "sums").resumed == 0


def test_rows_that_make_no_loan_are_left_out_told_or_refused(tmp_path: Path) -> None:
    path = tmp_path / "loans.csv"
    path.write_text(
        "lent,rate,months,start\n1000,6%,12,2027-01-31\n-5,6%,12,2027-01-31\n1000,4.5,12,2027-01-31\n1000,6%,0,2027-01-31\n1000,6%,12,soon\n1000,,12,2027-01-31\n"
        "12.345,6%,12,2027-01-31\nmuch,6%,12,2027-01-31\n2000,6%,12.5,2027-01-31\n",
        encoding="utf-8",
    )
    book = loan_sums(path, columns={"amount": "lent"}, folder=tmp_path / "sums")
    assert (book.loans, book.rows, book.rejected) == (1, 9, 8)
    told = (tmp_path / "sums" / "rejects.csv").read_text().splitlines()
    said = [
        "-5; it must be 0 or more",
        "450% a year",
        "whole number from 1",
        "write dates as",
        "rate is empty",
        "2 decimals at most",
        "much",
        "whole number",
    ]
    assert [int(line.split(",")[0]) for line in told[1:]] == list(range(2, 10))
    assert all(word in line for word, line in zip(said, told[1:], strict=True))
    with pytest.raises(InputError, match=r"loans.csv, row 2: lent is -5; it must be 0 or more\."):
        loan_sums(path, columns={"amount": "lent"}, strict=True)
    with pytest.raises(InputError, match=r"has no column 'amount'.*--column amount=NAME"):
        loan_sums(path)
    with pytest.raises(InputError, match="has no column 'branch'"):
        loan_sums(path, columns={"amount": "lent"}, grouped="branch")
    path.write_text("amount,rate,months\n", encoding="utf-8")
    with pytest.raises(InputError, match="has no loans"):
        loan_sums(path)
    path.write_text("amount,rate,months\n1000,6%,12\n", encoding="utf-8")
    assert "paid out in month 0" in " ".join(str(loan_sums(path)).split())
    with pytest.raises(InputError, match="There is no file"):
        loan_sums(tmp_path / "none.parquet")
    with pytest.raises(InputError, match=r"a \.parquet or a \.csv file"):
        loan_sums(path.rename(tmp_path / "loans.txt"))


@pytest.mark.parametrize("name", ["rejects.csv", "sums.csv", "sums.parquet"])
def test_a_file_of_the_user_stays_as_it_is(tmp_path: Path, name: str) -> None:
    path, own = tmp_path / "loans.csv", tmp_path / "sums" / name
    path.write_text("amount,rate,months\n1000,6%,12\n-5,6%,12\n", encoding="utf-8")
    own.parent.mkdir()
    own.write_text("month,what\n2027-01,mine\n", encoding="utf-8")
    with pytest.raises(InputError, match="is there already, and no book of loans has written it"):
        loan_sums(path, folder=own.parent)
    assert [one.read_text() for one in own.parent.iterdir()] == ["month,what\n2027-01,mine\n"]
    own.unlink()
    for _ in range(2):  # what it has written itself, it writes again
        assert loan_sums(path, folder=own.parent).rejected == 1
    with pytest.raises(InputError, match="column 'rate' is named for two of amount, rate"):
        loan_sums(path, columns={"months": "rate"})


def test_a_broken_off_run_does_not_go_on_as_a_strict_one(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "loans.csv"
    path.write_text("amount,rate,months\n-5,6%,12\n1000,6%,12\n", encoding="utf-8")
    with monkeypatch.context() as patched:
        patched.setattr(BookFolder, "finish", lambda self, frame, rejected: None)
        loan_sums(path, folder=tmp_path / "sums")
    with pytest.raises(InputError, match="row 1"):
        loan_sums(path, folder=tmp_path / "sums", strict=True)


def test_the_command_writes_a_folder(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    _loans(2).to_parquet(tmp_path / "loans.parquet")
    asked = ["book", str(tmp_path / "loans.parquet"), "--grouped", "branch", "--currency", "EUR"]
    assert status([*asked, "--output", str(tmp_path / "sums"), "--format", "json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["loans"] == 120
    assert len(told["months"]) == len(pd.read_csv(tmp_path / "sums" / "sums.csv"))
