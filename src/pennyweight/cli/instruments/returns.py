"""`pennyweight returns`"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from pennyweight.cli.options import deliver, output_options, read_pairs, table_options
from pennyweight.errors import InputError, Place
from pennyweight.instruments.portfolios.benchmark import Benchmark
from pennyweight.instruments.portfolios.portfolio import Portfolio
from pennyweight.instruments.portfolios.statements import COLUMNS, SAID_KINDS

__all__ = ["command"]


@click.command("returns")
@click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path))
@table_options(*COLUMNS, "level")
@click.option(
    "--kind",
    "kinds",
    multiple=True,
    metavar="KIND=WORD",
    help="Say how the file calls a value, deposit or withdrawal. Repeatable.",
)
@click.option("--from", "start", metavar="DATE", help="Begin on this day: with the last valuation on or before it.")
@click.option("--to", "end", metavar="DATE", help="End on this day: with the last valuation on or before it.")
@click.option("--year-to-date", is_flag=True, help="Begin with the last valuation of the year before.")
@click.option(
    "--timing",
    type=click.Choice(["end", "start"]),
    default="end",
    show_default=True,
    help="Count a flow at the start or at the end of its day.",
)
@click.option(
    "--benchmark",
    type=click.Path(path_type=Path),
    metavar="FILE",
    help="Compare with an index from a CSV with the columns date and level.",
)
@click.option(
    "--currency", default="", metavar="CODE", help="Show this currency with amounts (three letters, such as EUR)."
)
@click.option("--strict", is_flag=True, help="Exit with status 1 if a check fails or something looks wrong.")
@output_options
def command(
    files: tuple[Path, ...],
    columns: tuple[str, ...],
    decimal: str | None,
    sheet: str | None,
    order: str | None,
    kinds: tuple[str, ...],
    start: str | None,
    end: str | None,
    year_to_date: bool,
    timing: Any,
    benchmark: Path | None,
    currency: str,
    strict: bool,
    form: str,
    outputs: tuple[Path, ...],
) -> int:
    """Work out the returns of a portfolio from CSVs, workbooks or Parquet files.

    The columns are date, account, kind (value, deposit, withdrawal) and amount; or date and value in one file and date
    and amount, signed, in another.

    Example: pennyweight returns statements.csv --benchmark index.csv --from 2024-12-31
    """

    def compute() -> Any:
        common, own = _by_file(columns, files)
        named: dict[str, Any] = dict(read_pairs(common, (*COLUMNS, "level"), "--column"))
        for file, texts in own.items():
            named[file] = read_pairs(texts, COLUMNS, "--column")
        level = named.pop("level", None)
        if level is not None and benchmark is None:
            raise InputError(
                "--column level=… is a column of a benchmark; say --benchmark, too.", at=Place.of_option("--column")
            )
        portfolio = Portfolio.from_csv(
            *files,
            columns=named,
            kinds=read_pairs(kinds, SAID_KINDS, "--kind", turned=True),
            decimal=decimal,
            sheet=sheet,
            order=order,
        )
        if year_to_date:
            if start or end:
                raise InputError(
                    "--year-to-date sets its own days; leave out --from and --to.", at=Place.of_option("--year-to-date")
                )
            portfolio = portfolio.year_to_date()
        elif start or end:
            portfolio = portfolio.between(start, end)
        beside = (
            None
            if benchmark is None
            else Benchmark.from_csv(
                benchmark, columns={} if level is None else {"level": level}, decimal=decimal, order=order
            )
        )
        return portfolio.report(timing=timing, benchmark=beside, currency=currency)

    found = deliver(compute, form, outputs)
    plain = found.as_dict()
    return 1 if strict and (plain["remarks"] or not all(check["passed"] for check in plain["checks"])) else 0


def _by_file(columns: tuple[str, ...], files: tuple[Path, ...]) -> tuple[list[str], dict[str, list[str]]]:
    """The columns that were said for all files, and for one: "v.csv:date=Month end"."""
    common, own = list[str](), dict[str, list[str]]()
    for text in columns:
        for file in files:
            if text.startswith(f"{file.name}:"):
                own.setdefault(file.name, []).append(text.removeprefix(f"{file.name}:"))
                break
        else:
            common.append(text)
    return common, own
