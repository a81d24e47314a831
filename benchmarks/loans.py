"""A book of loans to the cent against the floor and a loop; one schedule; a loan in a deal of ten thousand cases."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from fractions import Fraction
from functools import partial
from math import floor
from pathlib import Path

import numpy as np
import pyarrow as pa
from pyarrow import parquet

from benchmarks.measure import Row, best, show
from pennyweight import Deal, LoanEvents, amortize, loan_sums
from pennyweight.core.loans.agreement import Agreement
from pennyweight.core.loans.exact import keep_books
from pennyweight.deals.evaluation import evaluate
from pennyweight.deals.inputs import stack

LOANS, MONTHS, SAMPLE = 200_000, 360, 200


def run() -> None:
    """Print the ratios of loans."""
    generator = np.random.default_rng(4)
    amount = generator.integers(5_000_000, 60_000_000, LOANS) / 100
    rate = generator.integers(1_000, 9_000, LOANS) / 1e5
    count = np.full(LOANS, MONTHS)
    events = _events(generator)
    floor_time = best(_five_passes, 9)
    plain_one = best(lambda: amortize(amount, rate, count, threads=1), 9)
    plain = best(lambda: amortize(amount, rate, count), 9)
    busy_one = best(lambda: amortize(amount, rate, count, events=events), 9)
    sample = list(zip(amount[:SAMPLE].tolist(), rate[:SAMPLE].tolist(), strict=True))
    loop = best(lambda: [_float_loop(a, r) for a, r in sample], 3) * LOANS / SAMPLE
    book = amortize(amount, rate, count)
    agree = all(abs(_float_loop(a, r) - book.total_interest[k]) < 0.005 for k, (a, r) in enumerate(sample))
    show(
        f"{LOANS:,} loans over {MONTHS} months, to the cent (floor: five cached passes, {floor_time * 1e3:.0f} ms)",
        [
            Row("floors, plain terms, one thread", plain_one / floor_time, 1.2, False),
            Row("floors, plain terms, all threads", plain / floor_time, 1.2, False),
            Row("floors, a rate step, an extra and a missed payment each", busy_one / floor_time, 3, False),
            Row("times quicker than a loop in floats", loop / plain_one, 300, True),
        ],
        f"the loop's interest agrees with the book's to the cent: {agree}",
    )
    terms = Agreement(amount=25_000_000, rate=Fraction(5, 100), periodic=lambda r: r / 12, count=MONTHS)
    single = best(lambda: keep_books(terms), 200)
    floats = best(lambda: _float_loop(250_000, 0.05), 200)
    show(
        "one schedule of 360 payments, exact, payment and every row",
        [
            Row("microseconds", single * 1e6, 150, False),
            Row("times a loop in plain floats that keeps no rows", single / floats, 2, False),
        ],
    )
    _deal()


def _events(generator: np.random.Generator) -> LoanEvents:
    """A rate step, an extra payment and a missed payment for each loan."""
    each = np.arange(LOANS)
    rates, extras = generator.integers(1_000, 9_000, LOANS) / 1e5, generator.integers(0, 500_000, LOANS) / 100
    value = [rates, extras, np.zeros(LOANS)]
    what = np.repeat(["rate", "extra", "paid"], LOANS)
    return LoanEvents(np.tile(each, 3), generator.integers(1, 300, 3 * LOANS), what, np.concatenate(value))


def _five_passes() -> None:
    """Multiply, add, subtract, round down, clip: loans times months, in cache."""
    size = 16_384
    x, y = np.random.default_rng(0).random(size), np.empty(size)
    for _ in range(LOANS * MONTHS // size):
        np.multiply(x, 1.0001, out=y)
        np.add(y, x, out=y)
        np.subtract(y, x, out=y)
        np.floor(y, out=y)
        np.maximum(y, 0.0, out=y)


def _float_loop(amount: float, rate: float) -> float:
    """All interest of one loan, month by month, rounded to the cent as plainly as can be."""
    i = rate / 12
    payment = floor(amount * i / (1 - (1 + i) ** -MONTHS) * 100 + 0.5) / 100
    balance, total = amount, 0.0
    for month in range(1, MONTHS + 1):
        interest = floor(balance * i * 100 + 0.5000001) / 100
        paid = balance + interest if month == MONTHS or payment >= balance + interest else payment
        balance = round(balance + interest - paid, 2)
        total += interest
        if balance == 0:
            break
    return round(total, 2)


def _deal() -> None:
    """What a monthly loan adds to a deal of thirty years of months."""
    sections = {
        "deal": "House", "timeline": {"period": "month", "periods": 360}, "inputs": {"price": 400_000, "rent": 2_000},
        "money_in": {"rents": "rent * grown(2%)"}, "money_out": {"house": {"formula": "price", "at": 0}},
        "measures": {"npv": "npv(net, 6%)"},
    }  # fmt: skip
    with_loan = {**sections, "loans": {"bank": {"amount": "0.6 * price", "rate": "4%", "years": 25}}}
    times = []
    for document in (sections, with_loan):
        deal = Deal.from_dict(document)
        base = stack(deal.definition, [deal.model.inputs_of()])
        cases = {name: value * np.random.default_rng(1).uniform(0.9, 1.1, 10_000) for name, value in base.items()}
        cases = {name: np.full(10_000, 25.0) if name == "bank.years" else value for name, value in cases.items()}
        times.append(best(partial(evaluate, deal.model.program, cases, ["npv"]), 3))
    cells = 361 * 10_000
    print(f"\na monthly loan in a deal of 360 months, 10,000 cases: {(times[1] - times[0]) * 1e3:.0f} ms more, "
          f"{(times[1] - times[0]) / cells * 1e9:.0f} ns a case and month")  # fmt: skip


def run_books(loans: int = 500_000) -> None:
    """Sums by month of a Parquet file against the kernel that works the same loans out in memory."""
    draw = np.random.default_rng(3)
    columns = {
        "amount": draw.integers(10_000, 50_000_000, loans) / 100,
        "rate": draw.integers(100, 900, loans) / 1e4,
        "months": np.full(loans, 360),
        "start": (np.datetime64("2020-01") + draw.integers(0, 60, loans)).astype("datetime64[D]"),
    }
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "loans.parquet"
        parquet.write_table(pa.table(columns), path, row_group_size=131_072)
        kernel = of_the_processor(
            lambda: amortize(columns["amount"], columns["rate"], columns["months"].astype(float), threads=1)
        )
        book = of_the_processor(lambda: loan_sums(path))
    show(
        f"A book of {loans:,} loans over 360 months, summed by month from Parquet",
        [Row("times the kernel in memory, one thread, of the processor's time", book / kernel, 1.3, False)],
        f"kernel {kernel:.2f} s, book {book:.2f} s, {book / loans / 360 * 1e9:.1f} ns a payment",
    )


def of_the_processor(call: Callable[[], object], times: int = 3) -> float:
    """The least time of the processor that a call takes."""
    least = float("inf")
    for _ in range(times):
        start = time.process_time()
        call()
        least = min(least, time.process_time() - start)
    return least
