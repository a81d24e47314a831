"""Day counts against the published examples of their definitions, and dates against the calendar."""

from __future__ import annotations

import datetime as dt
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pennyweight import InputError, payment_dates, year_fraction
from pennyweight.core.dates import add_months
from pennyweight.core.daycount import DAY_COUNTS, actual_actual_icma
from pennyweight.quantities.dates import read_day_count

days = st.dates(dt.date(1950, 1, 1), dt.date(2150, 12, 31))


def day(text: str) -> np.datetime64:
    return np.datetime64(text, "D")


@pytest.mark.parametrize(
    ("start", "end", "isda", "icma", "regular", "per_year"),
    [
        ("2003-11-01", "2004-05-01", 61 / 365 + 121 / 366, 182 / (182 * 2), ("2003-11-01", "2004-05-01"), 2),
        ("1999-02-01", "1999-07-01", 150 / 365, 150 / 365, ("1999-07-01", "2000-07-01"), 1),
        ("1999-07-01", "2000-07-01", 184 / 365 + 182 / 366, 1.0, ("1999-07-01", "2000-07-01"), 1),
        ("2002-08-15", "2003-07-15", 334 / 365, 181 / (181 * 2) + 153 / (184 * 2), ("2003-07-15", "2004-01-15"), 2),
        ("2003-07-15", "2004-01-15", 170 / 365 + 14 / 366, 184 / (184 * 2), ("2003-07-15", "2004-01-15"), 2),
        ("1999-07-30", "2000-01-30", 155 / 365 + 29 / 366, 184 / (184 * 2), ("1999-07-30", "2000-01-30"), 2),
        ("2000-01-30", "2000-06-30", 152 / 366, 152 / (182 * 2), ("1999-07-30", "2000-01-30"), 2),
        (
            "1999-11-30",
            "2000-04-30",
            32 / 365 + 120 / 366,
            91 / (91 * 4) + 61 / (92 * 4),
            ("1999-08-31", "2000-05-31"),
            4,
        ),
    ],
)
def test_actual_actual_as_the_derivatives_association_works_it_out(
    start: str, end: str, isda: float, icma: float, regular: tuple[str, str], per_year: int
) -> None:
    """ISDA, "EMU and Market Conventions: Recent Developments", November 1998, the worked comparison of the two:
    regular, short first, long first, short last and long last periods."""
    assert float(year_fraction(day(start), day(end), "actual/actual")) == pytest.approx(isda, abs=1e-12)
    anchor = (day(regular[0]), day(regular[1]))
    assert float(actual_actual_icma(day(start), day(end), regular=anchor, per_year=per_year)) == pytest.approx(
        icma, abs=1e-12
    )


@pytest.mark.parametrize(
    ("start", "end", "bond", "euro", "isda"),
    [
        ("2007-01-15", "2007-01-30", 15, 15, 15), ("2007-01-15", "2007-02-15", 30, 30, 30), ("2007-01-15", "2007-07-15", 180, 180, 180),
        ("2007-09-30", "2008-03-31", 180, 180, 180), ("2007-09-30", "2007-10-31", 30, 30, 30), ("2007-09-30", "2008-09-30", 360, 360, 360),
        ("2007-01-15", "2007-01-31", 16, 15, 15), ("2007-01-31", "2007-02-28", 28, 28, 30), ("2007-02-28", "2007-03-31", 33, 32, 30),
        ("2006-08-31", "2007-02-28", 178, 178, 180), ("2007-02-28", "2007-08-31", 183, 182, 180), ("2007-02-14", "2007-02-28", 14, 14, 16),
        ("2007-02-26", "2008-02-29", 363, 363, 364), ("2008-02-29", "2009-02-28", 359, 359, 360), ("2008-02-29", "2008-03-30", 31, 31, 30),
        ("2008-02-29", "2008-03-31", 32, 31, 30), ("2007-08-31", "2008-02-29", 179, 179, 180), ("2008-08-31", "2009-02-28", 178, 178, 180),
    ],
)  # fmt: skip
def test_thirty_day_months(start: str, end: str, bond: int, euro: int, isda: int) -> None:
    """Day by day from the text of 4.16 (f), (g) and (h), no date being the termination date."""
    for name, expected in (("30/360", bond), ("30E/360", euro), ("30E/360 ISDA", isda)):
        assert float(year_fraction(day(start), day(end), name)) * 360 == pytest.approx(expected), name


def test_the_termination_date_keeps_its_february() -> None:
    start, end = day("2006-08-31"), day("2007-02-28")
    assert float(year_fraction(start, end, "30E/360 ISDA", termination=end)) * 360 == pytest.approx(178)
    assert float(year_fraction(start, end, "30E/360 ISDA", termination=day("2012-02-28"))) * 360 == pytest.approx(180)


@given(days, days)
def test_actual_counts_are_the_calendars(a: dt.date, b: dt.date) -> None:
    count = (b - a).days
    assert float(year_fraction(np.datetime64(a), np.datetime64(b), "actual/360")) == pytest.approx(count / 360)
    assert float(year_fraction(np.datetime64(a), np.datetime64(b))) == pytest.approx(count / 365)
    low, high = min(a, b), max(a, b)
    exact, walked = Fraction(0), low
    while walked < high:
        turn = min(high, dt.date(walked.year + 1, 1, 1))
        leap = walked.year % 4 == 0 and (walked.year % 100 != 0 or walked.year % 400 == 0)
        exact += Fraction((turn - walked).days, 366 if leap else 365)
        walked = turn
    found = float(year_fraction(np.datetime64(a), np.datetime64(b), "actual/actual"))
    assert found == pytest.approx(float(exact) * (1 if b >= a else -1), abs=1e-9)


@given(days, st.integers(-500, 500))
def test_months_step_to_the_same_day_or_the_months_last(start: dt.date, months: int) -> None:
    found = add_months(np.datetime64(start), months).astype(object)
    year, month = divmod(start.year * 12 + start.month - 1 + months, 12)
    last = (dt.date(year + month // 11, (month + 1) % 12 + 1, 1) - dt.timedelta(days=1)).day
    assert found == dt.date(year, month + 1, min(start.day, last))


def test_whole_arrays_of_days_at_once() -> None:
    starts = np.array(["2026-01-01", "2026-06-30"], dtype="datetime64[D]")
    ends = np.array([["2026-07-01"], ["2027-01-01"]], dtype="datetime64[D]")
    for name in DAY_COUNTS:
        table = year_fraction(starts, ends, name)
        assert table.shape == (2, 2)
        assert float(table[1, 0]) == float(year_fraction(starts[0], ends[1, 0], name))


def test_payment_dates_return_to_their_day_and_roll() -> None:
    assert payment_dates("2028-01-31", count=4).astype(str).tolist() == [
        "2028-01-31",
        "2028-02-29",
        "2028-03-31",
        "2028-04-30",
    ]
    assert payment_dates("2027-08-31", count=3, per_year=2).astype(str).tolist() == [
        "2027-08-31",
        "2028-02-29",
        "2028-08-31",
    ]
    rolled = {
        roll: payment_dates("2027-01-31", count=2, roll=roll, holidays=["2027-03-01"]).astype(str).tolist()
        for roll in ("following", "modified following", "preceding", "modified preceding")
    }
    assert rolled == {
        "following": ["2027-02-01", "2027-03-02"],
        "modified following": ["2027-01-29", "2027-02-26"],
        "preceding": ["2027-01-29", "2027-02-26"],
        "modified preceding": ["2027-01-29", "2027-02-26"],
    }


@pytest.mark.parametrize(
    ("call", "sentence"),
    [
        (lambda: payment_dates("2027-01-31", count=3, per_year=5), "1, 2, 3, 4, 6 or 12 times a year"),
        (lambda: payment_dates("2027-02-30", count=3), "a day that does not exist"),
        (lambda: payment_dates("2027-01-31", count=-1), "from 0 to 100,000"),
        (lambda: payment_dates("2027-01-31", count=1, roll="folowing"), "did you mean 'following'"),
        (lambda: year_fraction(day("2026-01-01"), day("2026-02-01"), "30/365"), "did you mean '30/360'"),
        (lambda: read_day_count("actual/366"), "did you mean 'actual/365'"),
    ],
)
def test_dates_refused(call: object, sentence: str) -> None:
    with pytest.raises(InputError) as caught:
        call()
    assert sentence in str(caught.value)
    assert read_day_count("Act/Act") == "actual/actual"
