"""`pennyweight loan`"""

from __future__ import annotations

from pathlib import Path

import click

from pennyweight.cli.options import deliver, output_options
from pennyweight.instruments.loan import Loan

__all__ = ["command"]


@click.command("loan")
@click.option("--amount", required=True, metavar="AMOUNT", help="What is lent.")
@click.option("--rate", required=True, metavar="RATE", help="Yearly, quoted, compounding as often as is paid.")
@click.option("--years", metavar="YEARS", help="The term; or give the payment.")
@click.option("--payment", metavar="AMOUNT", help="The level payment; or give the years.")
@click.option(
    "--per-year", default="12", show_default=True, metavar="N", help="Payments a year: a number, or month, quarter…"
)
@click.option("--first-payment", metavar="DATE", help="The day of the first payment, for dates.")
@click.option("--currency", default="", metavar="CODE", help="Three letters; they set the smallest unit too.")
@output_options
def command(
    amount: str,
    rate: str,
    years: str | None,
    payment: str | None,
    per_year: str,
    first_payment: str | None,
    currency: str,
    form: str,
    outputs: tuple[Path, ...],
) -> None:
    """The schedule of a loan with level payments, to the cent, as a lender's books have it.

    Example: pennyweight loan --amount 86k --rate 4.2% --years 15 --currency EUR --first-payment 2027-01-31
    """
    deliver(
        lambda: Loan(
            amount,
            rate,
            years=years,
            payment=payment,
            per_year=per_year,
            first_payment=first_payment,
            currency=currency,
        ),
        form,
        outputs,
    )
