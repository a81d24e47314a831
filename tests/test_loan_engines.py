"""Both loan engines against a clerk's books in decimals: every row of random loans with random events."""

from __future__ import annotations

from decimal import ROUND_CEILING, ROUND_HALF_EVEN, Decimal
from fractions import Fraction
from typing import Any

import numpy as np
import pytest

from pennyweight import InputError, Loan, LoanEvents, amortize
from pennyweight.core.loans.agreement import Agreement, Entry
from pennyweight.core.loans.exact import keep_books
from tests.clerk import Event, books
from tests.sizes import THOROUGH, cases

LOANS = cases(300)  # times six ways of paying


def random_loans(rng: np.random.Generator) -> tuple[Any, ...]:
    """Amounts, rates (many that make exact halves of a cent), payments, and events by loan."""
    count = rng.integers(2, 160, LOANS)
    cents = rng.integers(10_000, 60_000_000, LOANS)
    rate = rng.choice([0, 1500, 3000, 4125, 4200, 6000, 12_000, 1], LOANS) + rng.choice([0, 0, 1, 13], LOANS)
    events: list[tuple[int, int, str, int]] = []
    for loan in range(LOANS):
        seen = set()
        for what in rng.choice(["rate", "extra", "extra", "paid", "balance"], int(rng.integers(0, 6))):
            number = int(rng.integers(1, count[loan]))
            if what != "extra" and (what, number) in seen:
                continue
            seen.add((what, number))
            part = int(cents[loan] / count[loan] * rng.choice([0, 1, 3, 20]) * rng.random())
            value = {"rate": int(rng.integers(0, 9000)), "balance": int(cents[loan] * rng.random()) + 1}.get(what, part)
            events.append((loan, number, str(what), value))
    return cents, rate, count, events


@pytest.mark.parametrize(
    ("per_year", "lowers"), [(12, False), (12, True), (4, False), (26, True), (52, False), (6, True)]
)
def test_random_loans_agree_with_the_clerk_in_every_row(per_year: int, lowers: bool) -> None:
    rng = np.random.default_rng(per_year + lowers)
    cents, rate, count, events = random_loans(rng)
    moves = "payment" if lowers else "term"
    scale = np.array([1e-5 if what == "rate" else 1e-2 for _, _, what, _ in events])
    left = np.where(rng.random(LOANS) < 0.3, rng.integers(0, cents + 1), 0)
    rest = np.where(rng.random(LOANS) < 0.3, rng.integers(1, count + 1), 0)
    terms: dict[str, Any] = {"residual": left / 100, "interest_only": rest, "per_year": per_year, "extra_moves": moves}
    loan, number, what, value = (np.array(part) for part in zip(*events, strict=True))
    happenings = LoanEvents(loan, number, what, value * scale)
    many = amortize(cents / 100, rate / 1e5, count, events=happenings, rows=True, **terms)
    totals = amortize(cents / 100, rate / 1e5, count, events=happenings, threads=1, **terms)
    for name in ("payment", "payments", "last_payment", "total_interest", "total_paid"):
        assert np.array_equal(getattr(many, name), getattr(totals, name))
    tables = np.stack([getattr(many, f"{name}_rows") for name in ("payment", "interest", "extra", "balance")], axis=-1)
    tables = np.rint(tables * 100).astype(np.int64)
    mine: dict[int, list[tuple[int, str, int]]] = {k: [] for k in range(LOANS)}
    for k, when, kind, amount in events:
        mine[k].append((when, kind, amount))
    for k in range(LOANS):
        told: list[Event] = [(n, w, Decimal(v) / (100_000 if w == "rate" else 100)) for n, w, v in mine[k]]
        rows = books(
            Decimal(int(cents[k])) / 100,
            Decimal(int(rate[k])) / 100_000,
            per_year,
            int(count[k]),
            events=told,
            lowers=lowers,
            left=Decimal(int(left[k])) / 100,
            rest=int(rest[k]),
        )
        expected = [tuple(int(value * 100) for value in row) for row in rows]
        assert tables[: len(rows), k].tolist() == [list(row) for row in expected], (k, told)
        assert not tables[len(rows) :, k].any()
        assert many.payments[k] == len(rows)
        assert round(many.total_interest[k] * 100) == sum(row[1] for row in expected)
        assert round(many.total_paid[k] * 100) == sum(row[0] + row[2] for row in expected)
        agreed = Agreement(
            amount=int(cents[k]),
            rate=Fraction(int(rate[k]), 100_000),
            periodic=lambda r: r / per_year,
            count=int(count[k]),
            extra_moves=moves,
            residual=int(left[k]),
            interest_only=int(rest[k]),
        )
        entries = [
            Entry(n, w, Fraction(v, 100_000) if w == "rate" else v, Fraction(0) if w == "rate" else None)
            for n, w, v in mine[k]
        ]
        assert [(row[0], row[1], row[2], row[4]) for row in keep_books(agreed, entries).rows] == expected


def test_plain_loans_need_no_events_to_agree() -> None:
    """The fused kernel, and loans whose rounded-up payment ends them before their term."""
    rng = np.random.default_rng(5)
    cents, rate, count = rng.integers(5, 40_000_000, 3_000), rng.integers(0, 25_000, 3_000), rng.integers(1, 360, 3_000)
    cents[:400] = rng.integers(1, 2_000, 400)
    book = amortize(cents / 100, rate / 1e5, count)
    for k in range(0, 3_000, 1 if THOROUGH else 6):
        rows = books(Decimal(int(cents[k])) / 100, Decimal(int(rate[k])) / 100_000, 12, int(count[k]))
        assert (book.payments[k], round(book.last_payment[k] * 100)) == (len(rows), int(rows[-1][0] * 100))
        assert round(book.total_interest[k] * 100) == int(sum(row[1] for row in rows) * 100)


@pytest.mark.parametrize(("name", "mode"), [("half even", ROUND_HALF_EVEN), ("payment up", ROUND_CEILING)])
def test_other_roundings(name: Any, mode: str) -> None:
    for amount in range(1_001, 1_400, 7):
        agreed = Agreement(amount=amount, rate=Fraction(6, 100), periodic=lambda r: r / 12, count=9, rounding=name)
        rows = books(Decimal(amount) / 100, Decimal("0.06"), 12, 9, rounding=mode)
        mine = keep_books(agreed).rows
        if name == "half even":
            assert [row[0] for row in mine] == [int(row[0] * 100) for row in rows]
        else:  # interest still half up: only the payment differs
            assert mine[0][0] == int(rows[0][0] * 100)
            assert all(
                row[1] == (2 * before * 5 + 1000) // 2000
                for before, row in zip([amount, *(r[4] for r in mine)], mine, strict=False)
            )


def test_a_half_is_never_missed() -> None:
    """1.50 at 4 % a month's twelfth is 0.005 exactly; a float product may lie just below."""
    amounts = np.arange(1, 400) * 150 / 100
    book = amortize(amounts, 0.04, 2, rows=True)
    expected = [(2 * round(a * 100) * 4 + 1200) // 2400 for a in amounts]
    assert np.rint(book.interest_rows[0] * 100).astype(int).tolist() == expected


@pytest.mark.parametrize(
    ("arguments", "sentence"),
    [
        (([-5], [0.05], [12]), "amount[0] is -5; it must be 0 or more"),
        (([5], [5], [12]), "rate[0] is 500% a year; write 5% as 0.05"),
        (([5], [0.05], [1.5]), "payments[0] is 1.5, which is not a whole number"),
        (([5], [0.05], [0]), "payments[0] is 0; it must be 1 or more"),
        (([5.001], [0.05], [12]), "amount[0] is 5.001; it has 2 decimals at most"),
        (([1e15], [0.05], [12]), "too large for every half of a unit"),
        (([5], [float("nan")], [12]), "rate[0] is nan"),
        (([5, 6], [0.05] * 3, [12]), "one a loan each, or one for all"),
        ((["x"], [0.05], [12]), "amount holds 'x'; it must hold numbers"),
        (([[5, 6]], [0.05], [12]), "have the shape (1, 2)"),
    ],
)  # fmt: skip
def test_many_loans_refused(arguments: tuple[Any, ...], sentence: str) -> None:
    with pytest.raises(InputError) as caught:
        amortize(*arguments)
    assert sentence in str(caught.value)


@pytest.mark.parametrize(
    ("event", "sentence"),
    [
        ((0, 3, "bonus", 5), "must be rate, extra, paid or balance"),
        ((7, 3, "extra", 5), "the loan must be one of 0 to 0"),
        ((0, 13, "extra", 5), "the payment must be one of those agreed"),
        ((0, 12, "paid", 5), "the agreed last payment clears the loan"),
        ((0, 3, "extra", -5), "the value must be zero or more"),
        ((0, 3, "rate", 5), "5% is written 0.05"),
    ],
)  # fmt: skip
def test_events_refused(event: tuple[Any, ...], sentence: str) -> None:
    with pytest.raises(InputError) as caught:
        amortize([100], [0.05], [12], events=LoanEvents(*([part] for part in event)))
    assert sentence in str(caught.value)


def test_an_extra_payment_of_which_nothing_is_taken_moves_no_payment() -> None:
    """The sixth payment clears the loan, so nothing is left for the extra; then the lender states that 900 are owed."""
    events = [(5, "paid", 790.0), (6, "extra", 50.0), (6, "balance", 900.0)]
    loan, number, what, value = [0] * 3, *(list(part) for part in zip(*events, strict=True))
    book = amortize([1_200.0], [0.0], [12], events=LoanEvents(loan, number, what, value), extra_moves="payment")
    alone = Loan(1_200, "0%", years=1, events=events, extra_moves="payment").schedule
    assert [row.payment for row in alone.rows[6:]] == [10_000] * 5 + [40_000]
    assert (book.payments[0], book.last_payment[0], book.total_paid[0]) == (12, 400.0, alone.total_paid)
