"""`pennyweight rates`"""

from __future__ import annotations

from pathlib import Path

import click

from pennyweight.cli.options import deliver, output_options
from pennyweight.instruments.rates.rate_facts import rate_facts
from pennyweight.quantities.amounts import read_amount

__all__ = ["command"]


@click.command("rates", context_settings={"ignore_unknown_options": True})  # -0.5% is a rate
@click.argument("rate")
@click.option(
    "--compounding", metavar="N", help="Set how often a plain rate compounds: a number, monthly… or continuous."
)
@click.option(
    "--per-year",
    default="12",
    show_default=True,
    metavar="N",
    help="Show the quoted rate that compounds this often: a number, month… or continuous.",
)
@click.option("--inflation", metavar="RATE", help="Set the yearly rise of prices, for the real rate.")
@click.option(
    "--times", default="2", metavar="MULTIPLE", show_default=True, help="Show the time to grow to this multiple."
)
@click.option("--in-advance", is_flag=True, help="Read RATE as a rate of discount: interest taken at the start.")
@output_options
def command(
    rate: str,
    compounding: str | None,
    per_year: str,
    inflation: str | None,
    times: str,
    in_advance: bool,
    form: str,
    outputs: tuple[Path, ...],
) -> None:
    """Turn a rate into its other forms: quoted and effective, per payment, real, and the time to double.

    Example: pennyweight rates 6% --compounding half-yearly --per-year month --inflation 2%
    """
    deliver(
        lambda: rate_facts(
            rate,
            compounding=compounding,
            per_year=per_year,
            inflation=inflation,
            times=read_amount(times, what="--times"),
            in_advance=in_advance,
        ),
        form,
        outputs,
    )
