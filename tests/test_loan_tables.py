"""Tables of loans beside each loan alone: every kind of column, every rhythm, labels, days; and what opens and is told."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest

from pennyweight import Deal, InputError, Loan, amortize, loan_sums
from pennyweight.cli.main import status
from pennyweight.documents import Table
from pennyweight.instruments.loans.many import schedules
from pennyweight.pages.finding.break_even import document
from tests.sizes import cases

KINDS: dict[str, list[Any]] = {
    "amount": [list, np.asarray, lambda values: pd.array(values, dtype="Float64")],
    "rate": [list, lambda values: [f"{value:.3%}" for value in values], lambda values: pd.Categorical([f"{value * 1e4:.1f}bp" for value in values])],
    "payments": [list, lambda values: pd.array(values, dtype="Int64"), lambda values: [float(value) for value in values]],
    "residual": [list, lambda values: [value or np.nan for value in values], lambda values: [value or None for value in values]],
    "start": [list, pd.to_datetime, lambda values: [day.date() for day in pd.DatetimeIndex(values)]],
}  # fmt: skip
"""By column the ways in which it may come."""


def _table(seed: int, count: int, per_year: int) -> pd.DataFrame:
    draw = np.random.default_rng(seed)
    amounts = (draw.integers(1_000, 40_000_000, count) / 100).round(2)
    payments = draw.integers(2, 12 * per_year, count)
    plain = {
        "amount": amounts.tolist(),
        "rate": (draw.integers(0, 9_000, count) / 1e5).tolist(),
        "payments": payments.tolist(),
        "residual": np.where(draw.random(count) < 0.4, (amounts / 3).round(2), 0.0).tolist(),
        "start": [str(day) for day in np.datetime64("2026-11-30") + draw.integers(0, 900, count)],
    }
    made = {name: KINDS[name][int(draw.integers(3))](values) for name, values in plain.items()}
    made["interest_only"] = np.where(draw.random(count) < 0.3, np.minimum(payments - 1, 3), 0)
    made["branch"] = draw.choice(["Quay", "Hill"], count)
    return pd.DataFrame(made, index=[f"L{k}" for k in range(count)])


@pytest.mark.parametrize("per_year", [12, 4, 2, 1, 26])
@pytest.mark.parametrize("seed", range(cases(6)))
def test_a_table_says_what_each_loan_alone_says(seed: int, per_year: int) -> None:
    table = _table(seed, 12, per_year)
    frame = amortize(table, per_year=per_year).frame
    assert frame.index.tolist() == table.index.tolist()
    assert frame["branch"].tolist() == table["branch"].tolist()
    for label, row in zip(table.index.tolist(), table.to_dict(orient="records"), strict=True):
        terms: dict[str, Any] = {}
        if pd.notna(row["residual"]) and row["residual"]:
            terms["residual"] = float(row["residual"])
        if row["interest_only"]:
            terms["interest_only"] = row["interest_only"] / per_year
        count = int(row["payments"])
        span = {"months": count * 12 // per_year} if per_year <= 12 else {"years": count / per_year}
        rate = row["rate"] if isinstance(row["rate"], str) else float(row["rate"])
        loan = Loan(
            float(row["amount"]),
            rate,
            per_year=per_year,
            start=str(pd.Timestamp(str(row["start"])).date()),
            **span,
            **terms,
        )
        alone = loan.as_dict()
        told = frame.loc[label]
        names = ["payment", "payments", "last_payment", "total_interest", "total_paid"]
        assert told[names].tolist() == pytest.approx([alone[name] for name in names], abs=0.004), (label, terms)
        if told["payments"] == count:  # those that rounding does not end sooner
            assert str(told["last_date"].date()) == str(loan.schedule.paid_off_on)


@pytest.mark.parametrize("kind", ["mapping", "table"])
def test_a_table_without_labels_or_days_has_none(kind: str) -> None:
    given: Any = {"amount": [9_000, 500], "rate": "6%", "months": 12}
    book = amortize(given if kind == "mapping" else pd.DataFrame(given))
    assert book.start is None
    assert book.last_date is None
    assert "last_date" not in book.frame
    assert book.payment.tolist() == [774.6, 43.03]


def test_every_pair_of_a_break_even_line_opens() -> None:
    """At the pair the condition just holds; a hundredth to either side the figure lies on either side of it."""
    deal = Deal.starter("taxi")
    found = deal.break_even("hull", "npv == 0", along={"grant_share": "0%..30%/4"}, scenarios=["base", "wet_summers"])
    table = document(found).blocks[0]
    assert isinstance(table, Table)
    assert len(table.rows) == 4
    for place, row in zip(found.places.tolist(), table.rows, strict=True):
        opened = row.why.make()  # type: ignore[union-attr, attr-defined]
        assert len(opened) == 2
        for scenario, told in zip(("base", "wet_summers"), opened.values(), strict=True):
            assert "looked for so that npv == 0" in told.formula
            below, there, above = (one.value for one in told.parts.values())
            assert (there, below[:5] != "EUR -", above[:5] == "EUR -") == ("EUR 0.00", True, True)
            branch = next(one for one in found.branches if one.scenario == scenario)
            hull = float(branch.values[branch.along == place][0])
            at = deal.weigh(scenario, inputs={"grant_share": place, "hull": hull}).measures["npv"].value
            assert at == pytest.approx(0.0, abs=0.01)


def test_versions_are_told_as_their_files_have_them(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(tmp_path)
    assert status(["new", "old.toml", "--starter", "taxi"]) == 0
    text = Path("old.toml").read_text(encoding="utf-8")
    assert "5 = 7.25" in text
    Path("new.toml").write_text(
        text.replace("5 = 7.25", "4 = 7.25").replace("value = 420_000", "value = 450_000"), encoding="utf-8"
    )
    for asked in (["compare", "old.toml", "new.toml"], ["compare", "old.toml", "new.toml", "--bridge", "npv"]):
        capsys.readouterr()
        assert status(asked) == 0
        told = " ".join(capsys.readouterr().out.split())
        assert "{'1'" not in told
        assert "= 7.25" in told
    assert "Fare steps = { 1 = 6.5, 5 = 7.25, 9 = 8.0 }" in told


def test_a_book_has_room_or_says_so(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "loans.csv"
    path.write_text("amount,rate,months\n1000,6%,12\n2000,5%,24\n", encoding="utf-8")
    assert schedules.size_of(path, "months") == "36 rows of schedules at most are being written, about 1 KB."
    monkeypatch.setattr("shutil.disk_usage", lambda folder: type("Usage", (), {"free": 10})())
    with pytest.raises(InputError, match=r"The schedules take about 0\.0 GB, and .* has room for 0\.0 GB"):
        loan_sums(path, schedules=True, folder=tmp_path / "sums")
    assert not (tmp_path / "sums").exists()
