"""Amounts, rates, dates and units as they are written and shown."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pennyweight import InputError
from pennyweight.quantities.amounts import read_amount, read_number
from pennyweight.quantities.dates import add_months, read_date
from pennyweight.quantities.rates import read_rate
from pennyweight.quantities.units import Style, read_value


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("430k", 430_000), ("1.2mn", 1_200_000), ("2bn", 2e9), ("1,250", 1250), ("1.250", 1.25), ("1.250,00", 1250),
        ("1,250.50", 1250.5), ("EUR 1,250", 1250), ("1 250 000", 1_250_000), ("1'000'000.5", 1_000_000.5),
        ("€ -3", -3), ("-$5.5", -5.5), ("(80)", -80), ("−5", -5), ("10 EUR", 10), ("420_000", 420_000), (".5", 0.5),
        ("1e3", 1000), ("1.250.000", 1_250_000), (7, 7), (0.1, 0.1), ("0.3mn", 300_000),
    ],
)  # fmt: skip
def test_amounts_read(text: str | float, value: float) -> None:
    assert read_amount(text) == value


@pytest.mark.parametrize(
    ("text", "reason"),
    [
        ("1m", "k for thousand, mn for million"), ("5MM", "k for thousand"), ("1,25", "could be 1.25 or 125"),
        ("1,2,3", "not a number"), ("", "not a number"), ("nan", "not a number"), ("1e400", "not a finite number"),
        (float("inf"), "not a finite number"), ("12 34", "not a number"), ("0x10", "not a number"), ("--5", "not a number"),
    ],
)  # fmt: skip
def test_amounts_refused(text: str | float, reason: str) -> None:
    with pytest.raises(InputError, match=reason):
        read_amount(text, what="the price")


@given(st.decimals(-(10**9), 10**9, places=2))
def test_a_shown_amount_reads_back(amount: object) -> None:
    value = float(str(amount))
    for locale in ("en", "de_DE"):
        shown = Style("EUR", locale).with_unit(value, "money")
        assert read_amount(shown if abs(value) >= 1000 or locale == "en" else shown.replace(",", ".")) == value


@pytest.mark.parametrize(
    ("text", "effective"),
    [
        ("5%", 0.05), ("0.05", 0.05), ("500bp", 0.05), ("4 7/8%", 0.04875), ("-1 1/2%", -0.015), (0.05, 0.05), (0, 0.0),
        ("6% effective", 0.06), ("6% monthly", (1 + 0.06 / 12) ** 12 - 1), ("6% continuous", np.expm1(0.06)),
        ("-99%", -0.99), ("12% quarterly", 1.03**4 - 1), ("4.6%", 0.046), ("150%", 1.5),
    ],
)  # fmt: skip
def test_rates_read(text: str | float, effective: float) -> None:
    assert read_rate(text).effective() == pytest.approx(effective, rel=1e-14)


@pytest.mark.parametrize(
    ("text", "reason"),
    [
        (5, "5 is 500% a year; write 5%"), ("5", "5 is 500% a year; write 5%"), (1.0, "100% a year"),
        ("-100%", "above -100%"), ("abc", "not a rate"), ("", "not a rate"), (True, "write a rate"), ("5% dayly", "'daily'"),
        ("4 7/0%", "not a rate"), (float("nan"), "not a finite"), ("-1300% monthly", "above -100%"),
    ],
)  # fmt: skip
def test_rates_refused(text: str | float, reason: str) -> None:
    with pytest.raises(InputError, match=reason):
        read_rate(text)


def test_shares_and_spans() -> None:
    assert read_number("25%") == 0.25
    assert read_number("4.6%") == 0.046
    assert read_value("18 months", "years", what="x") == 1.5
    assert read_value("2 years", "years", what="x") == 2.0
    assert read_value(7, "years", what="x") == 7.0


def test_dates() -> None:
    assert str(read_date("2028-02-29")) == "2028-02-29"
    for wrong, reason in (
        ("2027-02-29", "does not exist"),
        ("01/02/2027", "write dates as"),
        ("2027-1-1", "write dates"),
    ):
        with pytest.raises(InputError, match=reason):
            read_date(wrong)
    ends = add_months(np.datetime64("2027-12-31"), np.arange(4))
    assert ends.astype(str).tolist() == ["2027-12-31", "2028-01-31", "2028-02-29", "2028-03-31"]


@pytest.mark.parametrize(
    ("value", "unit", "shown"),
    [
        (1234.4, "money", "JPY 1,234"), (0.0925, "rate", "9.25% a year"), (-0.00001, "rate", "0.00% a year"),
        (7.25, "years", "7.25 years"), (1.0, "years", "1 year"), (None, "money", "undefined"), (3.0, "count", "3"),
        (1 / 3, "number", "0.3333"), (1.0, "condition", "yes"), (5.0, "trips", "5 trips"), (float("nan"), "rate", "undefined"),
    ],
)  # fmt: skip
def test_figures_are_shown_with_their_unit(value: float | None, unit: str, shown: str) -> None:
    style = Style("JPY")
    assert style.with_unit(value, unit) == shown
    assert style.places == 0
    assert Style("KWD").places == 3
