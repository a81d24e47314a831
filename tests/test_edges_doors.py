"""What comes in at the doors is used, told or refused: lists, series, columns of sets, reports, books, rates far below."""

from __future__ import annotations

import json
import re
from pathlib import Path

import numpy as np
import pytest

from pennyweight import CashFlows, Deal, InputError, Loan, Recurring
from pennyweight.cli.main import status
from pennyweight.quantities.lists import split_list
from tests.builders import STARTERS, deal_of


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("7;8;9", ["7", "8", "9"]), ("7; 8,5; 9;", ["7", "8,5", "9"]), ("7,8,9", ["7", "8", "9"]), ("own,rented", ["own", "rented"]),
        ("400k,420k", ["400k", "420k"]), ("0%,20%", ["0%", "20%"]), ("30,45,60", ["30", "45", "60"]), ("1.5,2.5", ["1.5", "2.5"]),
        ("430k", ["430k"]), ("7,8", None), ("100,200,400", None), ("40,80,120", None), ("1.500,25", None), ("7,5%", None), ("3,25,000", None),
        ("7;;8", None), (",", None),
    ],
)  # fmt: skip
def test_a_comma_is_a_sign_of_a_list_only_where_no_number_has_it(text: str, found: list[str] | None) -> None:
    if found is not None:
        assert split_list(text, what="rates") == found
        return
    with pytest.raises(InputError, match=r"may be one number or|in which a value is missing"):
        split_list(text, what="rates")


@pytest.mark.parametrize("start", ["joined", "at(joined, members.born)"])
def test_customers_that_bring_customers(start: str) -> None:
    """Cohorts whose start depends on the set itself, one case and many, beside a plain loop."""
    deal = deal_of(
        f"""
        [inputs]
        b = 0.1
        k = 0.9
        [sets.members]
        every = "period"
        [lines]
        joined = "10 + b * prior(active)"
        active = "sum_of(alive)"
        [levels.alive]
        each = "members"
        formula = "prior(alive) * k * (1 - 0.01 * members.age)"
        start = "{start}"
        [measures]
        a = "total(active)"
        """
    )

    def by_hand(b: float, k: float) -> float:
        alive, before, total = dict[int, float](), 0.0, 0.0
        for t in range(11):
            joined = 10 + b * before if t else 0.0
            alive = {born: one * k * (1 - 0.01 * (t - born)) for born, one in alive.items()} | {t: joined}
            before = sum(alive.values())
            total += before
        return total

    assert deal.weigh().measures["a"].value == pytest.approx(by_hand(0.1, 0.9))
    found = deal.vary({"b": [0, 0.1, 0.3], "k": [0.5, 0.9]}).figures["a"]
    np.testing.assert_allclose(found, [[by_hand(b, k) for k in (0.5, 0.9)] for b in (0, 0.1, 0.3)])


def test_a_loan_for_each_thing_in_every_form(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    Path("f.toml").write_text(
        'deal = "F"\ncurrency = "EUR"\n[timeline]\nperiods = 6\n[sets.flats]\nrows = [{ name = "N", price = 100 }, { name = "S", price = 80 }]\n'
        '[loans.bank]\neach = "flats"\namount = "0.5 * flats.price"\nrate = "5%"\nyears = 4\n[money_in.rent]\neach = "flats"\nformula = "flats.price * 0.1"\n'
        '[measures]\npeak = "highest(sum_of(bank.balance))"\n'
    )
    out = [word for ending in ("html", "pdf", "xlsx", "json", "csv", "txt") for word in ("--output", f"f.{ending}")]
    assert status(["weigh", "f.toml", *out]) == 0
    assert status(["weigh", "f.toml", "--by", "year", "--each", "flats"]) == 0
    assert Deal.read("f.toml").why("peak", depth=9).rows


def test_what_is_no_set_is_refused_in_a_sentence() -> None:
    for formula in ("sum_of(5)", "count_of(end)", "average_of(r)"):
        with pytest.raises(InputError, match="takes the things of a set together, but"):
            deal_of(f'[inputs]\nr = 5\n[measures]\na = "{formula}"')


def test_a_column_of_a_set_is_one_column_and_a_total_no_thing(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path, table = tmp_path / "d.toml", tmp_path / "flats.csv"
    path.write_text(
        'deal = "D"\n[sets.flats]\nfile = "flats.csv"\n[sets.flats.columns]\nrent = { column = "Rent 2027" }\n[measures]\na = "sum_of(flats.rent)"\n'
    )
    table.write_text("name,Rent 2027,rent\nNorth,100,1\nSouth,200,2\nTotal,300,3\n")
    assert status(["weigh", str(path), "--format", "json"]) == 0
    told = capsys.readouterr()
    assert json.loads(told.out)["measures"] == {"a": 300}
    assert "left out 1 row of totals" in told.err
    assert "the column 'rent' is not read, because rent stands for 'Rent 2027' here" in told.err
    table.write_text("name,Rent 2027,m 2,m_2\nNorth,100,1,2\n")
    with pytest.raises(InputError, match="has the columns 'm 2' and 'm_2', and a formula would call both m_2"):
        Deal.read(path)


SERIES = 'deal = "S"\n[timeline]\nperiods = 6\nstart = 2026-12-31\n[inputs]\nrent = {{ file = "s.csv", column = "rent"{} }}\n[lines]\nx = "rent"\n[measures]\na = "total(x)"\n'


@pytest.mark.parametrize(
    ("said", "found"),
    [
        (', period = "month", empty = "last"', 700.0), (', period = "month", empty = 0', 350.0), (', date = "Booked", empty = 0', 350.0),
        ("", r"column 'month' that is not 1, 2, 3…"), (', period = "month"', "period 2 is the first without one. Say what stands in those"),
        (', date = "Bookd"', "did you mean 'Booked'"), (', period = "month", date = "Booked"', "has both 'period' and 'date'"),
    ],
)  # fmt: skip
def test_rows_of_a_series_stand_in_their_periods(tmp_path: Path, said: str, found: float | str) -> None:
    (tmp_path / "s.csv").write_text("month,rent,Booked\n1,100,2027-06-01\n3,120,2029-06-01\n5,130,2031-06-01\n")
    (tmp_path / "s.toml").write_text(SERIES.format(said))
    if isinstance(found, float):
        assert Deal.read(tmp_path / "s.toml").weigh().measures["a"].value == found
        return
    with pytest.raises(InputError, match=re.escape(found)):
        Deal.read(tmp_path / "s.toml")


@pytest.mark.parametrize("ending", ["html", "pdf", "xlsx"])
def test_a_report_is_weighed_as_it_was_made(
    ending: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    """Again and again, by the command and from Python; the deal as it stands is asked for by its name."""
    monkeypatch.chdir(tmp_path)
    taxi = str(STARTERS / "taxi" / "taxi.toml")
    made = ["--scenario", "dear_hull", "--with", "fare=scale 1.2"]
    assert status(["weigh", taxi, *made, "--output", f"r.{ending}"]) == 0
    assert status(["weigh", f"r.{ending}", "--output", f"again.{ending}"]) == 0
    capsys.readouterr()
    found = {}
    for name, words in {"file": [taxi, *made], "report": [f"r.{ending}"], "again": [f"again.{ending}"], "base": [f"r.{ending}", "--scenario", "base"]}.items():  # fmt: skip
        assert status(["weigh", *words, "--format", "json"]) == 0
        told = capsys.readouterr()
        found[name] = told.out
        assert name == "file" or "made" in told.err
    assert found["file"] == found["report"] == found["again"] != found["base"]
    deal = Deal.read(f"r.{ending}")
    assert (deal.weigh().scenario, deal.weigh("base").scenario) == ("dear_hull", "base")


def test_a_rate_far_below_is_told_and_no_answer() -> None:
    """Losing all within the year brings any present value to zero, too; a deal and bare flows say the same."""
    amounts = [-1_000, 300, 300, 200, -0.0001]
    flows = CashFlows(amounts, period="year")
    assert flows.irrs()[0] < -0.99
    assert flows.irr() == flows.irrs()[1] == pytest.approx(-0.11022, abs=1e-5)
    shown = str(flows.report("5%"))
    assert "the only one above -99%" in shown
    assert "fails" not in shown
    steps = ", ".join(f'"{k}" = {amount}' for k, amount in enumerate(amounts))
    deal = deal_of(
        f'[inputs]\nk = 1\n[lines]\nx = {{ formula = "0 * k", from = 0, set = {{ {steps} }} }}\n[measures]\nirr = "irr(x)"',
        periods=4,
    )
    assert deal.weigh().measures["irr"].value == pytest.approx(flows.irr(), rel=1e-9)
    assert deal.vary({"k": [1, 2]}, show=["irr"]).figures["irr"] == pytest.approx([flows.irr()] * 2, rel=1e-9)


def test_bounds_are_there_before_anything_is_made() -> None:
    loan = {"amount": 86_000, "rate": "4.2%", "years": 15, "start": "2026-12-31"}
    with pytest.raises(InputError, match="payment 999999999 lies beyond 60,000, the most payments that a loan has"):
        _ = Loan(**loan, extras=[Recurring(100, "2027-01-31", 999_999_999)]).schedule
    ends = Loan(**loan, extras=[Recurring(100, "2027-01-31", 20)]).schedule.frame["extra"]
    assert (ends > 0).sum() == 20


def test_a_book_writes_no_formula_and_follows_no_link(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    rows = "id,amount,rate,months,start,branch\na,=HYPERLINK(1),5%,12,2027-01-31,Quay\nb,1000,5%,12,2027-01-31,=1+1\nc,1000,5%,12,0207-01-31,Hill\n"
    (tmp_path / "loans.csv").write_text(rows)
    book = ["book", str(tmp_path / "loans.csv"), "--grouped", "branch", "--output"]
    assert status([*book, str(tmp_path / "sums")]) == 0
    assert "'=HYPERLINK(1)" in (tmp_path / "sums" / "rejects.csv").read_text()
    assert "its year must be from 1900 to 2199" in (tmp_path / "sums" / "rejects.csv").read_text()
    assert ",'=1+1," in (tmp_path / "sums" / "sums.csv").read_text()
    (tmp_path / "linked").mkdir()
    (tmp_path / "linked" / "sums.csv").symlink_to(tmp_path / "elsewhere.csv")
    assert status([*book, str(tmp_path / "linked")]) == 2
    assert "is a link, which a book of loans does not follow" in capsys.readouterr().err
    assert not (tmp_path / "elsewhere.csv").exists()


def test_a_sentence_is_true_of_the_case_at_hand() -> None:
    """An input behind a goal on a value is reached; a start that says the same in other words leaves nothing out."""
    reached = deal_of(
        '[inputs]\nprice = 100\n[values]\ngain = "500 - price"\n[money_in]\nx = "gain"\n[goals]\ngain = { at_least = 0 }'
    )
    assert [said for passed, said in reached.weigh().checks if not passed] == [
        "No measure, goal or question reaches x."
    ]
    level = '[inputs]\nprice = 100\n[lines]\nbought = {{ formula = "price", at = 0 }}\n[levels]\na = {{ formula = "prior(a) + bought", start = "{}" }}\n[measures]\nx = "at(a, end)"'
    said = [
        [sentence for passed, sentence in deal_of(level.format(start)).weigh().checks if not passed]
        for start in ("price", "5")
    ]
    assert said == [[], ["a starts at a value of its own and leaves out bought of period 0."]]
    for flows, words in (
        ([5, 6], "11.00 comes in altogether, and nothing goes out"),
        ([-5, -6], "11.00 goes out altogether, and nothing comes in"),
    ):
        assert words in " ".join(str(CashFlows(flows, period="year").report("5%")).split())
