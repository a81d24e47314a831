"""`pennyweight flows`"""

from __future__ import annotations

from pathlib import Path
from typing import Literal

import click

from pennyweight.cli.options import deliver, output_options
from pennyweight.instruments.cashflows import PERIODS, CashFlows

__all__ = ["command"]


@click.command("flows")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--rate", metavar="RATE", help="The yearly rate asked of the flows, effective.")
@click.option("--period", type=click.Choice(list(PERIODS)), help="How long a period is; only for a CSV without dates.")
@click.option("--reinvested-at", metavar="RATE", help="What money that came in earns, for the modified IRR.")
@click.option("--borrowed-at", metavar="RATE", help="What money to pay in costs, for the modified IRR.")
@click.option(
    "--outlay",
    type=click.Choice(["all", "first"]),
    default="all",
    show_default=True,
    help="What ROI and profitability index are measured on.",
)
@click.option("--currency", default="", metavar="CODE", help="Three letters, shown with amounts.")
@output_options
def command(
    file: Path,
    rate: str | None,
    period: str | None,
    reinvested_at: str | None,
    borrowed_at: str | None,
    outlay: Literal["all", "first"],
    currency: str,
    form: str,
    outputs: tuple[Path, ...],
) -> None:
    """Measure the flows in a CSV with the columns 'amount' and 'date' or 'period'; in positive, out negative.

    Example: pennyweight flows boatyard.csv --rate 7% --currency EUR
    """
    deliver(
        lambda: CashFlows.from_csv(file, period=period, currency=currency).report(
            rate, reinvested_at=reinvested_at, borrowed_at=borrowed_at, on=outlay
        ),
        form,
        outputs,
    )
