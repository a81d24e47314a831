"""`pennyweight weigh`"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from pennyweight.cli.options import (
    deal_argument,
    deliver,
    each_name_once,
    output_options,
    overrides,
    read_overrides,
    scenario_option,
)
from pennyweight.errors import InputError, Place

__all__ = ["command"]


class _Lines:
    """The lines and levels of a weighing by period or year, in place of its figures."""

    def __init__(self, weighing: Any, wanted: dict[str, Any]) -> None:
        self.frame = weighing.lines(**wanted)
        self.as_dict, self.document, self.handout = weighing.as_dict, weighing.document, weighing.handout


@click.command("weigh")
@deal_argument
@scenario_option
@overrides
@click.option("--by", type=click.Choice(["period", "year"]), help="Add a table of all lines by period or by year.")
@click.option("--lines", metavar="NAMES", help="Show these lines, levels or groups, with commas between; needs --by.")
@click.option("--from", "first", metavar="PERIOD", help="Show from this period, day or 'year N' on; needs --by.")
@click.option("--to", "last", metavar="PERIOD", help="Show up to this period, day or 'year N'; needs --by.")
@click.option("--watch", is_flag=True, help="Weigh again whenever the deal or a file it reads is saved.")
@click.option("--strict", is_flag=True, help="Exit with status 1 if the deal does not pay off.")
@output_options
def command(
    deal: Path,
    scenario: str,
    replaced: tuple[str, ...],
    by: str | None,
    lines: str | None,
    first: str | None,
    last: str | None,
    watch: bool,
    strict: bool,
    form: str,
    outputs: tuple[Path, ...],
) -> int:
    """Weigh a deal file: show verdict, goals, figures, answers, turning points and checks.

    Example: pennyweight weigh taxi.toml --scenario wet_summers --with hull=430k --by year --lines net
    """
    from pennyweight.analysis.deal import Deal
    from pennyweight.report.forms.csv_form import as_csv

    if by is None and (lines or first or last):
        option = "--lines" if lines else "--from" if first else "--to"
        raise InputError(
            f"{option} chooses from a table; say --by period or --by year, too.", at=Place.of_option(option)
        )
    named = None if lines is None else list(each_name_once((name.strip() for name in lines.split(",")), "--lines"))
    wanted = {"by": by, "lines": named, "first": first, "last": last}
    if watch:
        return _watch(deal, scenario, replaced, wanted, form, outputs, strict)
    result = deliver(
        lambda: Deal.read(deal).weigh(scenario, inputs=read_overrides(replaced)),
        form,
        outputs,
        page=lambda weighing: weighing.document(**wanted),
        table=lambda weighing: as_csv(weighing if by is None else _Lines(weighing, wanted)),
    )
    return 1 if strict and result.verdict != "pays off" else 0


def _watch(
    deal: Path,
    scenario: str,
    replaced: tuple[str, ...],
    wanted: dict[str, Any],
    form: str,
    outputs: tuple[Path, ...],
    strict: bool,
) -> int:
    from pennyweight.analysis.deal import Deal
    from pennyweight.cli.watching import saved, watch

    if form != "table" or outputs or strict:
        option = "--output" if outputs else "--format" if form != "table" else "--strict"
        raise InputError(f"{option} does not go with --watch, which shows the page alone.", at=Place.of_option(option))
    inputs = read_overrides(replaced)
    watch(deal, lambda: Deal.read(deal).weigh(scenario, inputs=inputs), lambda w: w.document(**wanted), saved)
    return 0
