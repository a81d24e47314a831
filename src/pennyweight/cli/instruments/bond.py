"""`pennyweight bond`"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from pennyweight.cli.options import deliver, output_options
from pennyweight.errors import InputError
from pennyweight.instruments.bonds.bond import Bond
from pennyweight.instruments.bonds.coupon_days import ICMA
from pennyweight.quantities.amounts import read_amount

__all__ = ["command"]


@click.command("bond")
@click.option(
    "--coupon", default="0%", show_default=True, metavar="RATE", help="Set the yearly coupon, as a rate of face."
)
@click.option("--maturity", required=True, metavar="DATE", help="Set the day the face is paid, or 'perpetual'.")
@click.option("--settlement", required=True, metavar="DATE", help="Set the day the bond is paid for.")
@click.option("--yield", "at_yield", metavar="RATE", help="Set the yearly yield; it compounds with each coupon.")
@click.option("--price", metavar="PRICE", help="Set the clean price per 100.")
@click.option(
    "--per-year",
    type=click.Choice(["0", "1", "2", "4", "12"]),
    help="Set the coupons a year; without it, 2, or 0 without a coupon.",
)
@click.option(
    "--day-count", default=ICMA, show_default=True, metavar="NAME", help="Count accrued interest by this rule."
)
@click.option("--issued", metavar="DATE", help="Set the day interest begins, for a short or long first period.")
@click.option(
    "--first-coupon", metavar="DATE", help="Set the day of the first coupon, if it is not the first regular one."
)
@click.option(
    "--last-coupon",
    metavar="DATE",
    help="Set the day of the last coupon before maturity, if maturity is not a regular coupon day.",
)
@click.option("--end-of-month", is_flag=True, help="Pay coupons on the last day of the month always.")
@click.option(
    "--discount", metavar="RATE", help="Set the discount rate of a bill, by actual/360, instead of its price."
)
@click.option(
    "--first",
    type=click.Choice(["compound", "simple"]),
    default="compound",
    show_default=True,
    help="Discount the broken first period by compound or simple interest.",
)
@click.option(
    "--redemption", default="100", show_default=True, metavar="AMOUNT", help="Set the amount paid back, per 100."
)
@output_options
def command(
    coupon: str,
    maturity: str,
    settlement: str,
    at_yield: str | None,
    price: str | None,
    per_year: str | None,
    day_count: str,
    issued: str | None,
    first_coupon: str | None,
    last_coupon: str | None,
    end_of_month: bool,
    discount: str | None,
    first: Any,
    redemption: str,
    form: str,
    outputs: tuple[Path, ...],
) -> None:
    """Show price, yield, accrued interest, duration and convexity of a bond, per 100 of face.

    Example: pennyweight bond --coupon 4% --maturity 2031-06-15 --settlement 2026-11-23 --price 97.25
    """

    def compute() -> Any:
        often = None if per_year is None else int(per_year)
        bond = Bond(
            coupon,
            maturity,
            per_year=often,
            day_count=day_count,
            issued=issued,
            first_coupon=first_coupon,
            redemption=read_amount(redemption, what="redemption"),
            last_coupon=last_coupon,
            end_of_month=end_of_month,
        )
        given = [name for name, value in (("--yield", at_yield), ("--price", price), ("--discount", discount)) if value]
        if len(given) != 1:
            said = f"not {' and '.join(given)}" if given else "the others are worked out"
            raise InputError(f"Give one of --yield, --price and --discount; {said}.")
        clean = None if price is None else read_amount(price, what="--price")
        if discount is not None:
            clean = bond.price_at_discount(discount, settlement)
        return bond.report(settlement, at_yield=at_yield, price=clean, first=first)

    deliver(compute, form, outputs)
