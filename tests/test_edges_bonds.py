"""Bonds at every month's end, irregular periods, bills; day counts that keep their digits."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from pennyweight import Bond, InputError, actual_actual_icma, days_between, year_fraction
from pennyweight.core.daycount import DAY_COUNTS
from tests.sizes import THOROUGH, WHOLE, some

ICMA = "actual/actual ICMA"


def month_ends() -> list[tuple[str, bool]]:
    """Due days from the 28th to the 31st of every month, with and without end_of_month where it may be said."""
    found = []
    for year, month, day in itertools.product((2027, 2028), range(1, 13), (28, 29, 30, 31)):
        try:
            due = np.datetime64(f"{year}-{month:02}-{day}")
        except ValueError:
            continue
        found.append((str(due), False))
        if (due + 1).astype(object).day == 1:
            found.append((str(due), True))
    return found


@pytest.mark.parametrize("per_year", [1, 2, 4, 12])
def test_a_bond_priced_at_its_coupon_on_a_coupon_day_is_100(per_year: int) -> None:
    """Whatever the day it is due and however days are counted; the parts gone by and to come add up to one."""
    for number, (due, at_end) in some(list(enumerate(month_ends())), 2):
        day_count = [ICMA, *DAY_COUNTS][number % 7]
        bond = Bond("6%", due, per_year=per_year, day_count=day_count, end_of_month=at_end)
        dates = bond.coupons("2025-01-10").dates
        for day in dates[: -1 : max(len(dates) // 3, 1)]:
            assert bond.price("6%", day) == pytest.approx(100, abs=1e-10), (due, day_count, day)
        coupon = 6 / per_year
        step = 1 if THOROUGH else (11 if per_year > 1 else 37) * (1 if WHOLE else 16)
        for day in np.arange(dates[0], dates[1], step):
            part, wait = bond.accrued(day) / coupon, bond.coupons(day).wait
            assert 0 <= wait <= 1
            if day_count == ICMA or day_count.startswith("30"):
                assert part + wait == pytest.approx(1, abs=1e-12), (due, day_count, day)
            elif day_count == "actual/365":
                assert bond.accrued(day) == pytest.approx(6 * (day - dates[0] + 0).astype(int) / 365, rel=1e-12)


def test_the_days_that_were_wrong() -> None:
    bond = Bond("6%", "2027-08-31")
    assert bond.price("6%", "2026-08-31") == pytest.approx(100, abs=1e-12)
    assert bond.accrued("2027-02-27") == pytest.approx(3 * 180 / 181, rel=1e-12)
    assert bond.accrued("2027-05-31") == pytest.approx(3 * 92 / 184, rel=1e-12)
    june = {
        at_end: Bond("5%", "2030-06-30", end_of_month=at_end).coupons("2029-07-01").dates.astype(str).tolist()
        for at_end in (False, True)
    }
    assert june == {False: ["2029-12-30", "2030-06-30"], True: ["2029-12-31", "2030-06-30"]}
    with pytest.raises(InputError, match="last day of a month, but 2030-06-15 is not one"):
        Bond("5%", "2030-06-15", end_of_month=True)


@pytest.mark.parametrize("issued", ["2026-09-20", "2026-03-20", "2025-05-05"])
def test_irregular_first_periods(issued: str) -> None:
    """Short and long ones: the coupon by notional periods, each payment discounted over the periods to it."""
    bond = Bond("4%", "2029-01-31", issued=issued, first_coupon="2027-01-31")
    start, rhythm = (
        np.datetime64(issued),
        [np.datetime64(day) for day in ("2025-01-31", "2025-07-31", "2026-01-31", "2026-07-31", "2027-01-31")],
    )
    periods = sum(
        max((min(end, rhythm[-1]) - max(begin, start)).astype(int), 0) / (end - begin).astype(int)
        for begin, end in itertools.pairwise(rhythm)
    )
    left = bond.coupons(issued)
    assert left.coupons[0] == pytest.approx(2 * periods, rel=1e-12)
    assert left.times == pytest.approx(periods + np.arange(5), rel=1e-12)
    plain = sum(amount / 1.02**time for amount, time in zip(left.coupons + left.redemption, left.times, strict=True))
    assert bond.dirty("4%", issued) == pytest.approx(plain, rel=1e-12)
    # 31 CFR 356, appendix B: simple interest for the part of a period, compound for the whole ones.
    whole, part = divmod(periods, 1)
    simple = sum(
        amount / ((1 + part * 0.02) * 1.02 ** (whole + k)) for k, amount in enumerate(left.coupons + left.redemption)
    )
    assert bond.dirty("4%", issued, first="simple") == pytest.approx(simple, rel=1e-12)
    assert bond.yield_at(bond.price("4%", issued, first="simple"), issued, first="simple") == pytest.approx(
        0.04, rel=1e-10
    )


@pytest.mark.parametrize(
    ("due", "periods"), [("2029-03-31", 59 / 181), ("2029-10-15", 1 + 76 / 184), ("2029-07-31", 1.0)]
)
@pytest.mark.parametrize("day_count", [ICMA, "30/360", "actual/365"])
def test_irregular_last_periods(due: str, periods: float, day_count: str) -> None:
    bond = Bond("4%", due, per_year=2, day_count=day_count, last_coupon="2029-01-31")
    left = bond.coupons("2028-01-31")
    assert left.dates.astype(str).tolist() == ["2028-07-31", "2029-01-31", due]
    regular = periods == 1.0
    thirty = float(year_fraction("2029-01-31", due, "30/360"))
    by_count = {
        ICMA: periods / 2,
        "30/360": thirty,
        "actual/365": (np.datetime64(due) - np.datetime64("2029-01-31")).astype(int) / 365,
    }[day_count]
    share = 0.5 if regular else by_count
    assert left.coupons == pytest.approx([2, 2, 4 * share], rel=1e-12)
    assert left.times == pytest.approx([1, 2, 2 + (2 * share if day_count == "30/360" else periods)], rel=1e-12)
    if due > "2029-03":
        assert bond.accrued("2029-03-15") == pytest.approx(
            4 * {ICMA: 43 / 181 / 2, "30/360": 45 / 360, "actual/365": 43 / 365}[day_count], rel=1e-12
        )
        assert bond.coupons("2029-03-15").dates.size == 1


def test_a_first_coupon_off_the_calendar_is_told() -> None:
    with pytest.raises(InputError, match="fall on 2027-01-31 and 2027-07-31; choose one of them, or give last_coupon"):
        Bond("4%", "2029-01-31", issued="2026-09-20", first_coupon="2027-03-15")


def test_bills_from_their_discount_and_zero_bonds_quoted_half_yearly() -> None:
    bill = Bond(0, "2027-03-01")
    for discount in (0.0, 0.031, 0.2):
        price = bill.price_at_discount(discount, "2026-09-01")
        assert price == pytest.approx(100 * (1 - discount * 181 / 360), rel=1e-14)
        assert bill.discount_rate(price, "2026-09-01") == pytest.approx(discount, abs=1e-14)
    zero = Bond(0, "2036-08-31", per_year=2)
    assert zero.price("5%", "2026-08-31") == pytest.approx(100 / 1.025**20, rel=1e-12)
    assert zero.price("5% half-yearly", "2026-12-01") == pytest.approx(100 / 1.025 ** (19 + 89 / 181), rel=1e-12)
    assert zero.yield_at(zero.price("5%", "2026-12-01"), "2026-12-01") == pytest.approx(0.05, rel=1e-12)
    assert zero.coupons("2026-12-01").dates.size == 1


def test_the_last_digits_of_a_part_of_a_year() -> None:
    """Actual/actual: within one year the days over its length, not a difference of two dates in years."""
    for year, length in ((2027, 365), (2028, 366), (9998, 365)):
        for days in (1, 59, 181):
            start = np.datetime64(f"{year}-01-01")
            assert year_fraction(start, start + days, "actual/actual") == days / length
    assert year_fraction("2027-11-01", "2030-02-01", "actual/actual") == 61 / 365 + 2 + 31 / 365
    assert year_fraction("2028-02-01", "2027-11-01", "actual/actual") == pytest.approx(
        -(61 / 365 + 31 / 366), rel=1e-15
    )


def test_days_are_public_as_fractions_are() -> None:
    for start, end in (("2026-01-31", "2026-02-28"), ("2028-02-29", "2029-03-31"), ("2026-05-15", "2026-05-15")):
        assert days_between(start, end) == (np.datetime64(end) - np.datetime64(start)).astype(int)
        for name in DAY_COUNTS:
            if name != "actual/actual":
                basis = 365 if name == "actual/365" else 360
                assert year_fraction(start, end, name) == days_between(start, end, name) / basis
    assert days_between(["2026-01-31", "2026-03-01"], "2026-03-31", "30E/360").tolist() == [60, 29]


def test_icma_by_the_rule_books_periods() -> None:
    """Whichever regular period of the schedule is named, the parts are the same, and whole periods are whole."""
    days = [
        np.datetime64(day)
        for day in ("2025-08-31", "2026-02-28", "2026-08-31", "2027-02-28", "2027-08-31", "2028-02-29", "2028-08-31")
    ]
    for regular in itertools.pairwise(days):
        assert actual_actual_icma(days[0], days[-1], regular=regular, per_year=2) == pytest.approx(3, rel=1e-15)
        assert actual_actual_icma(days[5], days[1], regular=regular, per_year=2) == pytest.approx(-2, rel=1e-15)
        assert actual_actual_icma("2026-10-01", "2027-12-01", regular=regular, per_year=2) == pytest.approx(
            (150 / 181 + 1 + 92 / 182) / 2
        )
