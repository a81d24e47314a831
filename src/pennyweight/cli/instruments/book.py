"""`pennyweight book`"""

from __future__ import annotations

from pathlib import Path

import click

from pennyweight.cli.options import deliver, on_option, read_pairs
from pennyweight.errors import InputError, Place
from pennyweight.instruments.loans.many.loan_columns import COLUMNS, open_loans
from pennyweight.instruments.loans.many.loan_events import EVENT_COLUMNS
from pennyweight.instruments.loans.many.loan_sums import LoanSums, loan_sums
from pennyweight.instruments.loans.many.schedules import size_of
from pennyweight.report.forms.registry import STREAMS

__all__ = ["command"]


@click.command("book")
@click.argument("loans", type=click.Path(path_type=Path))
@click.option(
    "--column",
    "columns",
    multiple=True,
    metavar="COLUMN=NAME",
    help=f"Say what the file calls a column: {', '.join(COLUMNS)}. Repeatable.",
)
@click.option("--grouped", metavar="NAME", help="Tell the sums apart by the values of this column.")
@click.option("--places", type=click.IntRange(0, 6), default=2, show_default=True, help="Decimals of the currency.")
@click.option(
    "--currency", default="", metavar="CODE", help="Show this currency with amounts (three letters, such as EUR)."
)
@click.option(
    "--events",
    type=click.Path(path_type=Path),
    metavar="FILE",
    help="Read what happens to the loans: a Parquet file or a CSV with id, date, what and amount.",
)
@click.option(
    "--event-column",
    "event_columns",
    multiple=True,
    metavar="COLUMN=NAME",
    help=f"Say what the events call a column: {', '.join(EVENT_COLUMNS)}. Repeatable.",
)
@click.option("--strict", is_flag=True, help="Stop at the first row that makes no loan.")
@click.option(
    "--schedules", is_flag=True, help="Write every row of every schedule, too, as Parquet files; --output says where."
)
@on_option
@click.option(
    "--output",
    "folder",
    type=click.Path(path_type=Path),
    metavar="FOLDER",
    help="Write sums.csv, sums.parquet and the rows that make no loan here; a broken-off run goes on.",
)
@click.option(
    "--format",
    "form",
    type=click.Choice(["table", *STREAMS]),
    default="table",
    show_default=True,
    help="Choose the format of the standard output.",
)
def command(
    loans: Path,
    columns: tuple[str, ...],
    grouped: str | None,
    places: int,
    currency: str,
    events: Path | None,
    event_columns: tuple[str, ...],
    strict: bool,
    schedules: bool,
    on: str | None,
    folder: Path | None,
    form: str,
) -> None:
    """Sum up what very many loans pay and owe, by month: a Parquet file or a CSV, read part by part.

    A row is a loan: amount, rate (yearly, quoted), months and, where they are there, start (the day of the pay-out),
    residual (what the level payments leave for the last), interest_only (so many first months) and id. They are paid
    monthly, level, to the smallest unit; a sample is kept in exact books beside. Events are rate, extra, paid (instead
    of what was due) and balance (as stated); their date is a day, a month or the number of a payment.

    Example: pennyweight book loans.parquet --grouped branch --output sums/
    """

    def compute() -> LoanSums:
        if folder is not None and folder.suffix:
            raise InputError(
                f"--output {folder}: a book is written into a folder, such as sums/.", at=Place.of_option("--output")
            )
        if schedules and folder is None:
            raise InputError(
                "--schedules writes files; --output says into which folder.", at=Place.of_option("--schedules")
            )
        named = read_pairs(columns, COLUMNS, "--column")
        if schedules:
            opened = open_loans(loans, named, None, places, names=True)
            click.echo(size_of(loans, opened.names["months"]), err=True)
        if event_columns and events is None:
            raise InputError(
                "--event-column names columns of events; --events says which file has them.",
                at=Place.of_option("--event-column"),
            )
        return loan_sums(
            loans,
            columns=named,
            grouped=grouped,
            places=places,
            currency=currency,
            strict=strict,
            events=events,
            event_columns=read_pairs(event_columns, EVENT_COLUMNS, "--event-column"),
            schedules=schedules,
            folder=folder,
            on=on,
        )

    deliver(compute, form, ())
    if folder is not None:
        click.echo(f"Written: {folder}", err=True)
