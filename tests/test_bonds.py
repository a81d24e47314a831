"""Bonds against decimals on dates written out by hand, and against published prices."""

from __future__ import annotations

import datetime as dt
import json
from decimal import Decimal, localcontext

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pennyweight import Bond, InputError, NoAnswer
from pennyweight.cli.main import status
from tests.sizes import cases


def decimal_dirty(flows: list[tuple[Decimal, Decimal]], rate: float, per_year: int) -> Decimal:
    """Worth of (periods away, amount) at a yield, in fifty digits."""
    with localcontext() as context:
        context.prec = 50
        factor = 1 + Decimal(repr(rate)) / per_year
        return sum((amount / factor**periods for periods, amount in flows), Decimal(0))


def test_published_prices_and_durations() -> None:
    """Fabozzi, "Bond Markets, Analysis, and Strategies": a 20-year 10 % half-yearly bond at 11 % costs 91.977 (ch. 2); of a
    5-year 9 % bond at 9 % the Macaulay duration is 4.13 and the modified one 3.96 (ch. 4)."""
    assert Bond("10%", "2046-01-01").price("11%", "2026-01-01") == pytest.approx(91.977, abs=5e-4)
    five = Bond("9%", "2031-01-01")
    assert five.macaulay_duration("9%", "2026-01-01") == pytest.approx(4.13, abs=5e-3)
    assert five.modified_duration("9%", "2026-01-01") == pytest.approx(3.96, abs=5e-3)
    assert Bond("0%", "2031-01-01").price("5%", "2026-01-01") == pytest.approx(100 / 1.05 ** (1826 / 365))


def test_a_broken_period_against_decimals() -> None:
    """4 % due 15 June 2031, settled 23 November 2026: 161 of 183 days of the period are gone, 22 to come."""
    bond = Bond("4%", "2031-06-15")
    wait = Decimal(22) / Decimal(183)
    flows = [(wait + k, Decimal(2)) for k in range(9)] + [(wait + 9, Decimal(102))]
    assert bond.dirty("4.676%", "2026-11-23") == pytest.approx(float(decimal_dirty(flows, 0.04676, 2)), rel=1e-13)
    assert bond.accrued("2026-11-23") == pytest.approx(2 * 161 / 183)
    simple = bond.dirty("4.676%", "2026-11-23", first="simple")
    i = 0.04676 / 2
    rest = sum(2 / (1 + i) ** k for k in range(9)) + 102 / (1 + i) ** 9
    assert simple == pytest.approx(rest / (1 + 22 / 183 * i), rel=1e-13)
    thirty = Bond("4%", "2031-06-15", day_count="30/360")
    assert thirty.accrued("2026-11-23") == pytest.approx(4 * 158 / 360)
    assert thirty.coupons("2026-11-23").wait == pytest.approx(22 / 180)


def test_short_and_long_first_periods() -> None:
    """Issued 1 February, coupons each 1 July: 150 of 365 days short. Issued 15 August, first coupon 15 July: one whole
    half-year and 153 of 184 days long (the periods of the published day-count examples)."""
    short = Bond("6%", "2003-07-01", per_year=1, issued="1999-02-01")
    assert short.coupons("1999-03-01").coupons[0] == pytest.approx(6 * 150 / 365)
    assert short.accrued("1999-03-01") == pytest.approx(6 * 28 / 365)
    assert short.coupons("1999-08-01").coupons[0] == pytest.approx(6)
    long = Bond("6%", "2010-01-15", per_year=2, issued="2002-08-15", first_coupon="2003-07-15")
    left = long.coupons("2002-08-15")
    assert left.coupons[0] == pytest.approx(6 * (181 / 362 + 153 / 368))
    assert left.wait == pytest.approx(1 + 153 / 184)
    assert left.dates[0].astype(dt.date) == dt.date(2003, 7, 15)
    assert long.accrued("2003-01-15") == pytest.approx(6 * 153 / 368)


@given(
    coupon=st.integers(1, 1500), rate=st.integers(-100, 3000), per_year=st.sampled_from([1, 2, 4, 12]),
    day=st.dates(dt.date(2026, 1, 1), dt.date(2040, 12, 1)), simple=st.booleans(),
)  # fmt: skip
@settings(max_examples=cases(40))
def test_price_and_yield_are_each_others_inverse(
    coupon: int, rate: int, per_year: int, day: dt.date, simple: bool
) -> None:
    bond = Bond(f"{coupon / 100}%", "2041-03-31", per_year=per_year)
    first = "simple" if simple else "compound"
    clean = bond.price(f"{rate / 100}%", day, first=first)
    if clean <= 0:
        return
    assert bond.yield_at(clean, day, first=first) == pytest.approx(rate / 10_000, abs=1e-10)
    report = bond.report(day, price=clean, first=first).as_dict()
    assert report["coupons_worth"] + report["face_worth"] == pytest.approx(report["dirty"], rel=1e-12)
    assert report["dirty"] == pytest.approx(report["clean"] + report["accrued"])


@pytest.mark.parametrize("first", ["compound", "simple"])
def test_duration_and_convexity_are_the_slopes_of_the_price(first: str) -> None:
    """Against differences of the price itself; the Macaulay duration against the weighted mean of times."""
    bond, day, step = Bond("3.5%", "2036-09-30", per_year=4), "2027-01-10", 1e-4
    low, here, high = (bond.dirty(f"{(0.045 + k * step) * 100!r}%", day, first=first) for k in (-1, 0, 1))
    assert bond.modified_duration("4.5%", day, first=first) == pytest.approx((low - high) / (2 * step) / here, rel=1e-6)
    assert bond.convexity("4.5%", day, first=first) == pytest.approx((low - 2 * here + high) / step**2 / here, rel=1e-4)
    if first == "compound":
        frame = bond.report(day, at_yield="4.5%").frame
        left = bond.coupons(day)
        times = [(left.wait + k) / 4 for k in range(len(frame))]
        mean = (frame["present_value"] * times).sum() / frame["present_value"].sum()
        assert bond.macaulay_duration("4.5%", day) == pytest.approx(mean, rel=1e-12)


def test_perpetual_bonds() -> None:
    """On a coupon day a perpetual 5 % is worth 5 / yield; its duration is (1 + y) / y."""
    consol = Bond("5%", "perpetual", per_year=1, issued="2020-01-01")
    assert consol.price("4%", "2026-01-01") == pytest.approx(125)
    assert consol.macaulay_duration("4%", "2026-01-01") == pytest.approx(1.04 / 0.04)
    assert consol.dirty("4%", "2026-07-01") == pytest.approx(125 * 1.04 ** (181 / 365))
    assert consol.yield_at(125, "2026-01-01") == pytest.approx(0.04)
    step = 1e-5
    prices = [consol.dirty(f"{(0.04 + k * step) * 100!r}%", "2026-05-01") for k in (-1, 0, 1)]
    assert consol.convexity("4%", "2026-05-01") == pytest.approx(
        (prices[0] - 2 * prices[1] + prices[2]) / step**2 / prices[1], rel=1e-4
    )
    with pytest.raises(NoAnswer, match="no finite price"):
        consol.price("-1%", "2026-01-01")


def test_bills() -> None:
    """91 days at a discount of 5 % by actual/360 cost 100 - 5 * 91 / 360."""
    bill = Bond("0%", "2027-02-22")
    price = 100 - 5 * 91 / 360
    assert bill.discount_rate(price, "2026-11-23") == pytest.approx(0.05)
    assert bill.simple_yield(price, "2026-11-23") == pytest.approx((100 - price) / price * 365 / 91)
    assert bill.yield_at(price, "2026-11-23") == pytest.approx((100 / price) ** (365 / 91) - 1)
    assert "Discount rate" in str(bill.report("2026-11-23", price=price))
    assert bill.accrued("2026-11-23") == 0.0


def test_current_yield_and_looks() -> None:
    bond = Bond("4%", "2031-06-15")
    assert bond.current_yield(97.25) == pytest.approx(4 / 97.25)
    shown = str(bond.report("2026-11-23", price=97.25))
    for part in ("4.6760%", "half-yearly (4.73% effective)", "Worth of the face", "add up to the dirty price"):
        assert part in shown
    long = str(Bond("4%", "2056-06-15").report("2026-11-23", at_yield="4%", first="simple"))
    assert "simple interest in the broken period" in long
    assert "…" in long


@pytest.mark.parametrize(
    ("make", "sentence"),
    [
        (lambda: Bond("4%", "2031-06-15", per_year=3), "0, 1, 2, 4 or 12 times a year"),
        (lambda: Bond("-4%", "2031-06-15"), "it must be 0 or more"),
        (lambda: Bond("4", "2031-06-15"), "4 is 400% a year"),
        (lambda: Bond("4%", "2031-06-15", per_year=0), "say how often it is paid"),
        (lambda: Bond("4%", "2031-06-31"), "a day that does not exist"),
        (lambda: Bond("4%", "perpetual"), "needs a coupon, and 'issued'"),
        (lambda: Bond("4%", "2031-06-15", issued="2032-01-01"), "out of order"),
        (lambda: Bond("4%", "2031-06-15", first_coupon="2027-01-01"), "needs 'issued'"),
        (lambda: Bond("4%", "2031-06-15", day_count="30/361"), "did you mean '30/360'"),
        (lambda: Bond("4%", "2031-06-15", redemption=0), "it must be above zero"),
        (lambda: Bond("4%", "2031-06-15").price("4%", "2031-06-15"), "is not before maturity"),
        (lambda: Bond("4%", "2031-06-15", issued="2026-06-15").price("4%", "2026-01-01"), "before interest begins"),
        (lambda: Bond("4%", "2031-06-15").price("4% monthly", "2026-01-01"), "must compound 2 times a year"),
        (lambda: Bond("4%", "2031-06-15").yield_at(-5, "2026-01-01"), "above zero"),
        (lambda: Bond("4%", "2031-06-15").report("2026-01-01"), "either a yield or a price"),
        (lambda: Bond("4%", "2031-06-15").report("2026-01-01", price=9, first="both"), "'compound' or 'simple'"),
        (lambda: Bond("4%", "2031-06-15").discount_rate(99, "2026-01-01"), "for bills"),
    ],
)
def test_bonds_refused(make: object, sentence: str) -> None:
    with pytest.raises(InputError) as caught:
        make()
    assert sentence in str(caught.value)


def test_the_command(capsys: pytest.CaptureFixture[str]) -> None:
    terms = ["bond", "--coupon", "4%", "--maturity", "2031-06-15", "--settlement", "2026-11-23"]
    assert status([*terms, "--price", "97.25", "--format", "json"]) == 0
    data = json.loads(capsys.readouterr().out)
    assert data.keys() >= {"clean", "dirty", "accrued", "yield", "macaulay_duration", "modified_duration", "convexity"}
    assert data["yield"] == pytest.approx(0.04676, abs=1e-6)
    assert status(terms) == 2
    assert "Give one of --yield, --price and --discount" in capsys.readouterr().err
    assert status([*terms, "--price", "97", "--yield", "4%"]) == 2
    capsys.readouterr()


@pytest.mark.parametrize("price", [0.01, 5.0, 60.0, 250.0, 400.0])
@pytest.mark.parametrize("first", ["compound", "simple"])
def test_yields_far_from_the_coupon(price: float, first: str) -> None:
    """From ruinous to absurd prices, of a bond and of a bill; the yield found gives the price back."""
    bond = Bond("5%", "2029-03-01", per_year=4)
    assert bond.price(
        f"{bond.yield_at(price, '2026-11-23', first=first) * 100!r}%", "2026-11-23", first=first
    ) == pytest.approx(price, rel=1e-9)
    bill = Bond("0%", "2027-02-01")
    if price >= 60:
        assert bill.price(f"{bill.yield_at(price, '2026-11-23') * 100!r}%", "2026-11-23") == pytest.approx(
            price, rel=1e-9
        )


def test_a_price_no_yield_reaches() -> None:
    with pytest.raises(NoAnswer, match="No yield gives a price"):
        Bond("0%", "2036-11-23").yield_at(1e80, "2026-11-23")


def test_a_redemption_may_be_written_as_a_text() -> None:
    bill = Bond(0, "2027-03-01", redemption="EUR 100")
    assert bill.redemption == 100.0
    assert bill.discount_rate(99, "2026-12-01") == Bond(0, "2027-03-01").discount_rate(99, "2026-12-01")
    assert bill.simple_yield(99, "2026-12-01") == Bond(0, "2027-03-01").simple_yield(99, "2026-12-01")
