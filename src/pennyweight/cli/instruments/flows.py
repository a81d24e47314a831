"""`pennyweight flows`"""

from __future__ import annotations

from pathlib import Path
from typing import Any, Literal

import click

from pennyweight.cli.options import deliver, output_options, read_pairs, table_options
from pennyweight.errors import InputError, NoAnswer, Place
from pennyweight.instruments.flows.cash_flows import CashFlows
from pennyweight.instruments.flows.flow_files import COLUMNS
from pennyweight.quantities.periods import PER_YEAR

__all__ = ["command"]


@click.command("flows")
@click.argument("file", type=click.Path(path_type=Path))
@table_options(*COLUMNS)
@click.option("--rate", metavar="RATE", help="Discount at this effective yearly rate.")
@click.option(
    "--period", type=click.Choice(list(PER_YEAR)), help="Set the length of a period, for a CSV without dates."
)
@click.option("--reinvested-at", metavar="RATE", help="Set the rate that money in earns, for the modified IRR.")
@click.option("--borrowed-at", metavar="RATE", help="Set the rate that money out costs, for the modified IRR.")
@click.option(
    "--outlay",
    type=click.Choice(["all", "first"]),
    default="all",
    show_default=True,
    help="Measure ROI and profitability index on all outlays or on the first.",
)
@click.option(
    "--day-count",
    default="actual/365",
    show_default=True,
    metavar="NAME",
    help="Count the time between dates by this rule.",
)
@click.option("--valued-on", metavar="DATE", help="Value the flows on this day; without it, on the first date.")
@click.option("--account-at", metavar="RATE", help="Compare with a bank account at this rate.")
@click.option("--working", is_flag=True, help="Show the present value step by step (needs --rate).")
@click.option("--strict", is_flag=True, help="Exit with status 3 if there is no internal rate of return.")
@click.option("--places", type=int, help="Show the working with factors rounded to so many decimals.")
@click.option(
    "--currency", default="", metavar="CODE", help="Show this currency with amounts (three letters, such as EUR)."
)
@output_options
def command(
    file: Path,
    columns: tuple[str, ...],
    decimal: str | None,
    sheet: str | None,
    order: str | None,
    rate: str | None,
    period: str | None,
    reinvested_at: str | None,
    borrowed_at: str | None,
    outlay: Literal["all", "first"],
    day_count: str,
    valued_on: str | None,
    account_at: str | None,
    working: bool,
    places: int | None,
    strict: bool,
    currency: str,
    form: str,
    outputs: tuple[Path, ...],
) -> None:
    """Measure the flows in a CSV, workbook or Parquet file with the columns 'amount' and 'date' or 'period'.

    What comes in is positive, what goes out negative; or there is a column 'in' and one 'out'.

    Example: pennyweight flows boatyard.csv --rate 7% --currency EUR
    """

    def compute() -> Any:
        named = read_pairs(columns, COLUMNS, "--column")
        flows = CashFlows.from_csv(
            file,
            period=period,
            day_count=day_count,
            valued_on=valued_on,
            currency=currency,
            columns=named,
            decimal=decimal,
            sheet=sheet,
            order=order,
        )
        if working or places is not None:
            if rate is None:
                raise InputError("--working discounts the flows, so it needs --rate.", at=Place.of_option("--working"))
            idle = {
                "--reinvested-at": reinvested_at,
                "--borrowed-at": borrowed_at,
                "--account-at": account_at,
                "--outlay": None if outlay == "all" else outlay,
            }
            if option := next((one for one, said in idle.items() if said is not None), None):
                where = Place.of_option(option)
                raise InputError(f"{where} changes nothing in the working of a present value; leave it out.", at=where)
            return flows.working(rate, places=places)
        return flows.report(
            rate, reinvested_at=reinvested_at, borrowed_at=borrowed_at, account_at=account_at, on=outlay
        )

    if strict and (working or places is not None):
        raise InputError("--strict asks for a return, and --working shows none.", at=Place.of_option("--strict"))
    found = deliver(compute, form, outputs)
    if strict and found.measures["irr"] is None:
        raise NoAnswer(found.undefined["irr"])
