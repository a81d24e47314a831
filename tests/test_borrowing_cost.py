"""Yearly percentage rates against the regulations' own worked examples."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from pennyweight import InputError, Loan, NoAnswer, apr
from pennyweight.core.apr import Span, Unit, unit_period_rate, unit_periods, unit_to_maturity, units_a_year
from pennyweight.core.dates import due_days

MONTH, TWO_MONTHS, QUARTER, HALF_MONTH = Unit(1, "months"), Unit(2, "months"), Unit(3, "months"), Unit(1, "half months")
WEEK, TWO_WEEKS, FOUR_WEEKS = Unit(7, "days"), Unit(14, "days"), Unit(28, "days")


@pytest.mark.parametrize(
    ("lent", "on", "first", "unit", "count", "payment", "odd", "percent"),
    [
        (5000, "1978-01-10", "1978-02-10", MONTH, 24, 230, {}, 9.69),  # (c)(1)(i)
        (6000, "1978-02-10", "1978-04-01", MONTH, 36, 200, {}, 11.82),  # (c)(1)(ii), long first period
        (5000, "1978-02-23", "1978-03-01", HALF_MONTH, 24, 219.17, {}, 10.34),  # (c)(1)(iii), short first period
        (10_000, "1978-05-23", "1978-10-01", QUARTER, 40, 385, {}, 8.97),  # (c)(1)(iv)
        (500, "1978-03-20", "1978-04-21", WEEK, 30, 17.60, {}, 14.96),  # (c)(1)(v)
        (5000, "1978-01-10", "1978-02-10", MONTH, 24, 230, {0: 250}, 10.08),  # (c)(2)(i), odd first payment
        (400, "1978-03-18", "1978-04-20", FOUR_WEEKS, 12, 38.31, {0: 39.50}, 28.50),  # (c)(2)(ii)
        (5000, "1978-01-10", "1978-02-10", MONTH, 24, 230, {-1: 280}, 10.50),  # (c)(3)(i), odd last payment
        (200, "1978-04-03", "1978-04-11", TWO_WEEKS, 20, 9.50, {-1: 30}, 12.22),  # (c)(3)(ii)
        (5000, "1978-01-10", "1978-02-10", MONTH, 24, 230, {0: 250, -1: 280}, 10.90),  # (c)(4)(i)
        (8000, "1978-01-10", "1978-03-01", TWO_MONTHS, 20, 465, {0: 449.36, -1: 200}, 7.30),  # (c)(4)(ii)
    ],
)  # fmt: skip
def test_regulation_z_appendix_j_section_c(
    lent: float, on: str, first: str, unit: Unit, count: int, payment: float, odd: dict[int, float], percent: float
) -> None:
    """12 CFR 1026, appendix J, (c): single advance, regular but for the first period, first or last payment."""
    begin = unit_periods(np.datetime64(on), np.datetime64(first), unit)
    payments = [(Span(begin.whole + k, begin.part), payment) for k in range(count)]
    for place, amount in odd.items():
        payments[place] = (payments[place][0], amount)
    rate = unit_period_rate([(Span(0, 0.0), lent)], payments, units_a_year(unit))
    assert rate is not None
    assert abs(rate * 100 - percent) < 0.0065


@pytest.mark.parametrize(
    ("paid", "on", "due", "unit", "percent"),
    [
        (1080, "1978-01-03", "1978-09-15", Unit(255, "days"), 11.45),  # (c)(5)(i)
        (1044, "1978-07-15", "1979-01-15", Unit(6, "months"), 8.80),  # (c)(5)(ii)
        (1240, "1978-01-03", "1980-01-03", Unit(12, "months"), 11.36),  # (c)(5)(iv)
    ],
)  # fmt: skip
def test_regulation_z_appendix_j_single_payments(paid: float, on: str, due: str, unit: Unit, percent: float) -> None:
    assert unit_to_maturity(np.datetime64(on), np.datetime64(due)) == unit
    assert round(apr([(on, 1000)], [(due, paid)]) * 100, 2) == percent


def test_the_equation_of_the_eu() -> None:
    """Directive 98/7/EC, annex III, the first three examples (rounded there to a tenth of a percent)."""
    lent = [("2023-01-01", 1000)]
    assert apr(lent, [("2024-07-01", 1200)], method="eu") == pytest.approx(1.2 ** (1 / 1.5) - 1, rel=1e-12)
    assert round(apr(lent, [("2024-07-01", 1200)], method="eu"), 3) == 0.129
    assert round(apr([("2023-01-01", 950)], [("2024-07-01", 1200)], method="eu"), 3) == 0.169
    assert round(apr(lent, [("2024-01-01", 600), ("2025-01-01", 600)], method="eu"), 3) == 0.131


def test_days_left_over_count_in_their_own_year() -> None:
    """The annex: days over 365, or 366 where the year that ends with them holds the 29th of February."""
    plain = apr([("2027-01-15", 1000)], [("2027-03-01", 1010)], method="eu")
    leap = apr([("2028-02-20", 1000)], [("2028-04-01", 1010)], method="eu")
    assert plain == pytest.approx(1.01 ** (1 / (1 / 12 + 17 / 365)) - 1, rel=1e-12)
    assert leap == pytest.approx(1.01 ** (1 / (1 / 12 + 10 / 366)) - 1, rel=1e-12)


def test_a_loans_rate_is_its_quoted_rate_without_fees_and_above_it_with() -> None:
    for changes in (
        {},
        {"per_year": 26},
        {"per_year": 24},
        {"per_year": 4},
        {"start": "2024-01-31"},
        {"paid": "start"},
    ):
        loan = Loan(86_000, "4.2%", years=15, rounding=None, **changes)
        assert loan.apr == pytest.approx(0.042, rel=1e-9)
    loan = Loan(
        6_000, payment=200, months=36, start="1978-02-10", first_payment="1978-04-01", fee_up_front=100, rounding=None
    )
    days = due_days(np.datetime64("1978-04-01"), 12, np.arange(len(loan.agreed.rows)))
    flows = [(str(day), row["payment"]) for day, row in zip(days, loan.agreed.plain_rows(), strict=True)]
    assert loan.apr == pytest.approx(apr([("1978-02-10", 5_900)], flows, unit="month"), rel=1e-12)
    assert loan.apr_eu == pytest.approx(apr([("1978-02-10", 5_900)], flows, method="eu"), rel=1e-12)
    assert loan.apr > Loan(6_000, payment=200, months=36, rounding=None).apr  # type: ignore[operator]


@pytest.mark.parametrize(
    ("arguments", "keywords", "sentence"),
    [
        (([], [("2027-01-01", 5)]), {}, "advances: write a list"),
        (([("2027-01-01", 5)], []), {}, "payments: write a list"),
        (([("2027-01-01", 5)], [("2026-01-01", 5)]), {}, "comes before the first advance"),
        (([("2027-01-01", 5)], [("2027-02-01", 5), ("2027-03-01", 1)]), {}, "Give the unit"),
        (([("2027-01-01", 5)], [("2027-03-01", 5), ("2027-02-01", 1)]), {"unit": "month"}, "put them in order"),
        (([("2027-01-01", -5)], [("2027-03-01", 5)]), {}, "write amounts above zero"),
        (([("2027-01-01", 5)], [("2027-03-01", 5)]), {"unit": "moon"}, "unit is 'moon'"),
        (([("2027-01-01", 5)], [("2027-03-01", 5)]), {"method": "uk"}, "method is 'uk'"),
    ],
)  # fmt: skip
def test_flows_refused(arguments: tuple[Any, ...], keywords: Any, sentence: str) -> None:
    with pytest.raises(InputError) as caught:
        apr(*arguments, **keywords)
    assert sentence in str(caught.value)


def test_a_credit_that_gives_back_nothing_has_no_rate() -> None:
    with pytest.raises(NoAnswer, match="No yearly rate"):
        apr([("2027-01-01", 5)], [("2028-01-01", 0)])
