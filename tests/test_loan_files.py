"""Loan files, takeovers, several loans, and what a change would do: identities, and sentences for what is wrong."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from pennyweight import (
    InputError,
    Loan,
    LoanSet,
    LoanStudy,
    NoAnswer,
    PaymentHoliday,
    Recurring,
    read_loan_file,
)
from pennyweight.cli.main import status
from pennyweight.report.forms.json_form import plain_values
from tests.clerk import D, books

STARTERS = Path(__file__).parents[1] / "src/pennyweight/starters/loans"
LOAN = Loan(86_000, "4.2%", years=15)


# What a change would do.


def test_extras_save_what_the_clerk_finds() -> None:
    for row in LOAN.extras_table([50, "100", 1_000]):
        rows = books(D(86_000), D("0.042"), 12, 180, events=[(n, "extra", D(row.extra)) for n in range(1, 181)])
        assert row.payments_saved == 180 - len(rows)
        assert row.interest_saved == pytest.approx(LOAN.agreed.total_interest - float(sum(line[1] for line in rows)))


def test_the_extra_needed_is_the_smallest_cent() -> None:
    found = LOAN.extra_needed(120).extra
    for extra, count in ((found, 120), (round(found - 0.01, 2), 121)):
        assert (
            len(books(D(86_000), D("0.042"), 12, 180, events=[(n, "extra", D(str(extra))) for n in range(1, 181)]))
            == count
        )
    with pytest.raises(NoAnswer, match="No extra payment is needed"):
        LOAN.extra_needed(200)
    with pytest.raises(InputError, match="the loan has no dates"):
        LOAN.extra_needed("2030-01-31")


def test_refinancing_is_judged_by_what_is_paid_and_owed() -> None:
    """At every payment: old paid + old owed less new paid, new owed and the costs; it pays from where that stays above 0."""
    told = LOAN.refinancing(on=36, rate="3%", years=12, costs=1_500, horizon=5)
    new = Loan(told.balance, "3%", years=12)
    old_rows, new_rows = LOAN.agreed.plain_rows()[36:], new.agreed.plain_rows()
    gains = []
    for k in range(1, 145):
        old = sum(row["payment"] for row in old_rows[:k]) + old_rows[k - 1]["balance"]
        gains.append(old - sum(row["payment"] for row in new_rows[:k]) - new_rows[k - 1]["balance"] - 1_500)
    assert told.pays_after == next(k for k, gain in enumerate(gains, 1) if gain > 0)
    assert told.gain == pytest.approx(gains[59])
    assert told.balance == LOAN.agreed.balance_after(36)
    assert LOAN.refinancing(on=36, rate="4.2%", years=12, costs=100).pays_after is None
    with pytest.raises(InputError, match="not between the first and the last payment"):
        LOAN.refinancing(on=200, rate="3%", years=12)
    with pytest.raises(InputError, match="costs are -5"):
        LOAN.refinancing(on=36, rate="3%", years=12, costs=-5)


def test_offers_side_by_side() -> None:
    mine, other = LOAN.offers({"b": LOAN.but(rate="3.9%", fee_up_front=2_000)})
    assert (mine.apr, other.total_fees) == (pytest.approx(0.042, abs=2e-6), 2_000)
    assert other.total_paid == pytest.approx(86_000 + other.total_interest + 2_000)
    assert (other.apr or 0) > 0.039


def test_no_loan_beside_another_is_lost_or_in_another_currency(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """Equal titles and equal file names, an offer named as the loan is, and amounts that cannot be compared."""
    for folder, amount in (("a", 1_000), ("b", 2_000), ("c", 3_000)):
        (tmp_path / folder).mkdir()
        (tmp_path / folder / "bank.toml").write_text(f'loan = "bank"\namount = {amount}\nrate = "5%"\nyears = 10\n')
    files = [str(tmp_path / folder / "bank.toml") for folder in "abc"]
    assert status(["loan", *files, "--format", "json"]) == 0
    assert [offer["amount"] for offer in json.loads(capsys.readouterr().out)["offers"]] == [1_000, 2_000, 3_000]
    assert status(["loan", *files, files[1]]) == 2
    assert "bank.toml is named twice" in capsys.readouterr().err
    Path(files[0]).write_text(Path(files[0]).read_text() + '[offers.bank]\nrate = "4%"\n')
    assert status(["loan", files[0]]) == 2
    assert "bank.toml: offers: An offer and the loan itself have one name" in capsys.readouterr().err
    Path(files[1]).write_text(Path(files[1]).read_text() + '[offers.b]\nrate = "4%"\nlabel = "Harbour Bank"\n')
    assert status(["loan", files[1]]) == 0
    assert "Harbour Bank" in capsys.readouterr().out

    mine, foreign = LOAN.but(currency="EUR"), LOAN.but(currency="USD")
    for refused in (
        lambda: mine.offers({"b": foreign}),
        lambda: LoanStudy(mine, offers={"b": foreign}),
        lambda: LoanSet({"a": mine, "b": foreign}),
        lambda: mine.refinancing(on=36, rate="4%", years=12, currency="USD"),
    ):
        with pytest.raises(InputError, match=r" is in EUR and .* is in USD; write amounts .* in one currency"):
            refused()


# Together.


def test_spare_money_pays_the_debts_as_a_plain_loop_does() -> None:
    """Month by month in cents: due payments first, then the spare money and freed payments in the order."""
    loans = {
        "bank": Loan(60_000, "4%", years=10),
        "agency": Loan(20_000, "6%", years=5),
        "shop": Loan(4_000, "0%", years=2),
    }
    plans = LoanSet(loans, spare=350).plans
    rates = {"bank": 4, "agency": 6, "shop": 0}
    for order, names in (
        ("highest rate first", ["agency", "bank", "shop"]),
        ("smallest balance first", ["shop", "agency", "bank"]),
    ):
        owed = {name: round(loan.amount * 100) for name, loan in loans.items()}
        level = {name: round(loan.payment * 100) for name, loan in loans.items()}
        total, month = 0, 0
        terms = {name: len(loan.agreed.rows) for name, loan in loans.items()}
        while any(owed.values()):
            month += 1
            spare = 35_000
            for name in names:
                interest = (2 * owed[name] * rates[name] + 1_200) // 2_400
                total += interest
                wanted = owed[name] + interest if month == terms[name] else level[name]
                paid = min(wanted, owed[name] + interest)
                owed[name] += interest - paid
                spare += max(level[name] - paid, 0)
            for name in names:
                put = min(spare, owed[name])
                owed[name] -= put
                spare -= put
        assert plans[order].payments == month
        assert round(plans[order].total_interest * 100) == total


def test_a_loans_own_extra_is_not_taken_from_the_spare_money() -> None:
    bank = Loan(60_000, "4%", years=10, events=[(3, "extra", 500)])
    plan = LoanSet({"bank": bank, "shop": Loan(900, "9%", years=2)}, spare=200).plans["as listed"]
    assert [plan.schedules["bank"].rows[k][2] for k in (1, 2, 3)] == [20_000, 70_000, 20_000]
    assert not any(row[2] for row in plan.schedules["shop"].rows)
    first = LoanSet({"bank": bank, "shop": Loan(900, "9%", years=2)}, spare=200).plans["highest rate first"]
    assert first.schedules["bank"].rows[2][2] == 50_000


@pytest.mark.parametrize(
    ("make", "sentence"),
    [
        (lambda: LoanSet({}), "There are no loans"),
        (lambda: LoanSet({"a": LOAN}, needs=50_000), "36,000.00 more than the 50,000.00 that is needed"),
        (lambda: LoanSet({"a": LOAN}, needs=100_000, own=10_000), "4,000.00 missing"),
        (lambda: LoanSet({"a": LOAN, "b": LOAN.but(per_year=4)}), "the same number of payments a year"),
        (lambda: LoanSet({"a": LOAN}, spare=-1), "spare is -1"),
        (lambda: LoanSet({"a": LOAN}, order="random"), "order is 'random'"),
    ],
)  # fmt: skip
def test_sets_refused(make: Any, sentence: str) -> None:
    with pytest.raises(InputError) as caught:
        make()
    assert sentence in str(caught.value)


# Files and the command.


def test_the_studio_runs_from_its_file(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """Every row is the clerk's, the statement standing after the payment before its day."""
    picture, table = tmp_path / "studio.png", tmp_path / "studio.csv"
    arguments = [
        "loan",
        str(STARTERS / "studio.toml"),
        "--format",
        "json",
        "--output",
        str(picture),
        "--output",
        str(table),
    ]
    assert status(arguments) == 0
    data = json.loads(capsys.readouterr().out)
    events = [
        (6, "extra", D(2_000)), (13, "rate", D("0.046")), (16, "paid", D(0)), (23, "extra", D(1_500)),
        (25, "rate", D("0.044")), (29, "extra", D(1_200)), (32, "balance", D("70670.12")),
    ]  # fmt: skip
    rows = books(D(86_000), D("0.042"), 12, 180, events=events)
    assert [round(row["balance"] * 100) for row in data["schedule"]] == [int(row[3] * 100) for row in rows]
    assert [round(row["interest"] * 100) for row in data["schedule"]] == [int(row[1] * 100) for row in rows]
    assert data["statements"][0]["difference"] == pytest.approx(12.50)
    assert (data["as_of"], data["payments_made"]) == ("2026-10-15", 32)
    assert data["extra_needed"]["paid_off"] <= "2036-01-31"
    assert picture.stat().st_size > 20_000
    assert table.read_text().splitlines()[1].startswith("2024-02-29,")


def test_options_do_what_the_file_does(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    events = STARTERS / "studio-events.csv"
    arguments = ["--owed", "86k", "--rate", "4.2%", "--years", "15", "--start", "2024-01-31", "--currency", "EUR"]
    assert status(["loan", *arguments, "--events", str(events), "--extra", "50;100", "--format", "json"]) == 0
    told = json.loads(capsys.readouterr().out)
    whole = read_loan_file(STARTERS / "studio.toml").as_dict()
    assert told["schedule"] == whole["schedule"]
    assert told["extras"] == whole["extras"][:2]
    assert status(["loan", str(STARTERS / "studio.toml"), "--rate", "5%"]) == 2
    assert "--rate is not for loan files" in capsys.readouterr().err


def test_a_bill_is_taken_apart(tmp_path: Path) -> None:
    path = tmp_path / "bill.toml"
    path.write_text(
        'loan = "House"\namount = 150_000\nrate = "4.8%"\n[bill]\ntotal = "1,250"\ntaxes = 2_400\ninsurance = 900\n'
    )
    data = read_loan_file(path).as_dict()
    assert data["payment"] == 1_250 - 200 - 75
    assert data["bill"]["interest"] == 600.0
    assert sum(value for name, value in data["bill"].items() if name != "total") == pytest.approx(1_250)
    path.write_text(
        'loan = "House"\namount = 150_000\nrate = "4.8%"\nyears = 20\n[bill]\ntotal = "1,250"\ntaxes = 2_400\n'
    )
    told = read_loan_file(path)
    assert told.as_dict()["bill"]["unexplained"] == pytest.approx(1_050 - Loan(150_000, "4.8%", years=20).payment)
    assert "Unexplained" in str(told)


def test_parts_of_a_bill_and_shares_of_a_price_are_whole_units(tmp_path: Path) -> None:
    path = tmp_path / "loan.toml"
    path.write_text('loan = "House"\namount = 150_000\nrate = "4.8%"\n[bill]\ntotal = "1,250"\ntaxes = 2_500\n')
    assert read_loan_file(path).as_dict()["payment"] == 1_041.67  # a twelfth of the taxes is no whole cent
    path.write_text(
        'loan = "H"\ncurrency = "JPY"\nneeds = 4_000_001\n[loans.bank]\namount = "60%"\nrate = "1%"\nyears = 9\n'
    )
    assert read_loan_file(path).as_dict()["lent"] == 2_400_001


FILE = 'loan = "L"\nstart = 2027-01-31\namount = 1_000\nrate = "5%"\nyears = 1\n'


@pytest.mark.parametrize(
    ("text", "events", "sentence"),
    [
        ("", "", "'loan' is missing"),
        ('loan = "L"\namount = 1_000\nrate = 5\nyears = 1', "", "loan.toml, line 3, rate: 5 is 500% a year; write 5%"),
        ('loan = "L"\namount = -1_000\nrate = "5%"\nyears = 1', "", "line 2, amount is -1000"),
        ('loan = "L"\namout = 1_000\nrate = "5%"\nyears = 1', "", "there is no key 'amout'; did you mean 'amount'?"),
        (FILE + "[takeover]\non = 2027-01-31", "", "with [takeover], write 'amount' inside it"),
        (FILE + "[spare]\namount = 5", "", "are for files with several [loans]"),
        ('loan = "L"\n[loans.a]\namount = "60%"\nrate = "5%"\nyears = 1', "", "60% is a share of 'needs', which is missing"),
        (FILE + "[bill]\ntotal = 50\ntaxes = 900", "", "[bill] total is 50.00, and taxes and insurance of the year take all of it"),
        (FILE + '[refinance]\non = 2027-06-30\nrate = "x"\nyears = 1', "", "line 8, [refinance] rate"),
        (FILE + 'events = "../x.csv"', "", "lies outside the folder of the loan file"),
        (FILE + 'events = "none.csv"', "", "there is no file 'none.csv' beside the loan file"),
        (FILE + 'events = "e.csv"', "date,what\n2027-02-28,extra", "e.csv has no column 'amount'"),
        (FILE + 'events = "e.csv"', "date,what,amount\n,rate,5%", "e.csv, row 2: 'date' is empty"),
        (FILE + 'events = "e.csv"', "date,what,amount\n2027-02-28,bonus,5", "e.csv, row 2: what is 'bonus'"),
        (FILE + 'events = "e.csv"', "date,what,amount\n2027-02-30,extra,5", "row 2, column 'date' is '2027-02-30', a day that does not exist"),
        (FILE + 'events = "e.csv"', "date,what,amount\n2027-04-30,extra,5\n2027-02-28,extra,5", "row 3 is of 2027-02-28, after one of 2027-04-30"),
        (FILE + 'events = "e.csv"', "date,what,amount\n2027-02-28,balance,5\n2027-02-28,balance,6", "two balances on 2027-02-28"),
        (FILE + 'events = "e.csv"', "date,what,amount\n2027-02-28,extra,5.001", "2 decimals at most"),
    ],
)  # fmt: skip
def test_files_refused(
    tmp_path: Path, text: str, events: str, sentence: str, capsys: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "loan.toml").write_text(text)
    if events:
        (tmp_path / "e.csv").write_text(events)
    picture = tmp_path / "out.png"
    assert status(["loan", str(tmp_path / "loan.toml"), "--output", str(picture)]) == 2
    told = capsys.readouterr().err
    assert sentence in told
    assert told.count("\n") == 1
    assert not picture.exists()


@pytest.mark.parametrize(
    ("option", "name", "value"),
    [
        ("--months", "months", "90"), ("--per-year", "per_year", "quarter"), ("--compounding", "compounding", "half-yearly"),
        ("--paid", "paid", "start"), ("--repaid", "repaid", "constant principal"), ("--interest-only", "interest_only", "18 months"),
        ("--amortized-over", "amortized_over", "25"), ("--still-owed", "residual", "5k"), ("--first-payment", "first_payment", "2027-04-15"),
        ("--day-count", "interest", "30/360"), ("--fee-up-front", "fee_up_front", "1.5%"), ("--fee-added", "fee_added", "300"),
        ("--fee-each", "fee_each", "2.50"), ("--rounding", "rounding", "half even"), ("--as-of", "as_of", "2029-01-01"),
        ("--currency", "currency", "JPY"),
    ],
)  # fmt: skip
def test_every_option_is_the_term_of_the_same_name(
    option: str, name: str, value: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """The same schedule from an option, from Python, and from a file."""
    terms: dict[str, Any] = {"amount": 60_000, "rate": "4.5%", "years": 8, "start": "2027-01-31"}
    if name == "months":
        del terms["years"]
    arguments = [part for key, given in terms.items() for part in (f"--{key}", str(given))]
    assert status(["loan", *arguments, option, value, "--format", "json"]) == 0
    told = json.loads(capsys.readouterr().out)
    loan = Loan(**{**terms, name: value})
    assert told == json.loads(json.dumps(plain_values(loan.as_dict())))
    lines = [
        f"{key} = {given if isinstance(given, int) else repr(given)}" for key, given in {**terms, name: value}.items()
    ]
    (tmp_path / "loan.toml").write_text('loan = ""\n' + "\n".join(lines) + "\n")
    assert read_loan_file(tmp_path / "loan.toml").as_dict() == loan.as_dict()


def test_a_file_says_what_python_says(tmp_path: Path) -> None:
    """Recurring extras, holidays, offers and what moves."""
    path = tmp_path / "loan.toml"
    path.write_text(
        'loan = "L"\namount = 60_000\nrate = "4.5%"\nyears = 8\nstart = 2027-01-31\nextra_moves = "payment"\n'
        '[[extras]]\namount = 50\nfrom = 2027-05-31\nto = 2030-01-31\nevery = "quarter"\nrising = "3%"\n'
        '[[holidays]]\nfrom = 2028-02-29\npayments = 2\ninterest = "paid"\n'
        '[offers.other]\nrate = "4.1%"\nfee_up_front = 500\nlabel = "other bank"\n'
    )
    told = read_loan_file(path)
    loan = Loan(
        60_000, "4.5%", years=8, start="2027-01-31", extra_moves="payment", title="L",
        extras=[Recurring(50, "2027-05-31", "2030-01-31", per_year="quarter", rising="3%")], holidays=[PaymentHoliday("2028-02-29", 2, interest="paid")],
    )  # fmt: skip
    data = told.as_dict()
    assert data["schedule"] == loan.as_dict()["schedule"]
    assert [offer["name"] for offer in data["offers"]] == ["L", "other"]
    other = Loan(60_000, "4.1%", years=8, start="2027-01-31", fee_up_front=500)
    assert (data["offers"][1]["payment"], data["offers"][1]["apr"]) == (other.payment, other.apr)
    assert set(told.frames) == {"payments", "years", "agreed_payments", "agreed_years", "offers"}
    years = told.frames["years"]
    assert years["interest"].sum() == pytest.approx(loan.schedule.total_interest)
    assert years["principal"].sum() == pytest.approx(60_000)
    assert list(years.index) == list(range(2027, 2036))
    for word in ("Offers side by side", "Costs more than the cheapest", "By calendar year"):
        assert word in str(told)


def test_layers_by_share_with_their_totals(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    picture = tmp_path / "layers.png"
    assert status(["loan", str(STARTERS / "four-flats.toml"), "--format", "json", "--output", str(picture)]) == 0
    data = json.loads(capsys.readouterr().out)
    assert data["loans"]["bank"]["amount"] == 288_000
    assert data["own_money"] == 480_000 - 288_000 - 72_000 - 30_000
    saved = {row["order"]: row["interest_saved"] for row in data["orders"]}
    assert saved["highest rate first"] == max(saved.values()) > 0
    paid = sum(
        row["payments"] + row["extra"]
        for one in LoanSet(
            {n: Loan(loan["amount"], loan["rate"], months=loan["payments"]) for n, loan in data["loans"].items()}
        ).loans.values()
        for row in one.schedule.yearly_rows()
    )
    assert paid == pytest.approx(sum(loan["total_paid"] for loan in data["loans"].values()))
    assert picture.stat().st_size > 10_000
    assert "With EUR 250.00 more a payment" in str(read_loan_file(STARTERS / "four-flats.toml"))


def test_two_files_are_offers_side_by_side(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    first, second = tmp_path / "first.toml", tmp_path / "second.toml"
    first.write_text('loan = "Savings bank"\namount = 60_000\nrate = "4.5%"\nyears = 8\n')
    second.write_text('loan = "Other bank"\namount = 60_000\nrate = "4.1%"\nyears = 9\nfee_up_front = 700\n')
    assert status(["loan", str(first), str(second), "--format", "json"]) == 0
    rows = json.loads(capsys.readouterr().out)["offers"]
    assert [row["name"] for row in rows] == ["Savings bank", "Other bank (second)"]
    assert [row["payments"] for row in rows] == [96, 108]
    assert rows[1]["apr"] == pytest.approx(Loan(60_000, "4.1%", years=9, fee_up_front=700).apr, rel=1e-11)
    assert status(["loan", str(first), str(STARTERS / "four-flats.toml")]) == 2
    assert "four-flats.toml does not hold a single loan" in capsys.readouterr().err


@pytest.mark.parametrize("starter", ["loan", "takeover", "layers"])
def test_a_loan_file_of_ones_own(starter: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "mine.toml"
    assert status(["new", str(path), "--starter", starter, "--title", "Mine"]) == 0
    assert f"See it with: pennyweight loan {path}" in capsys.readouterr().out
    assert status(["loan", str(path)]) == 0
    assert capsys.readouterr().out.startswith("Mine\n")
