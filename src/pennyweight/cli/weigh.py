"""`pennyweight weigh`"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from pennyweight.cli.options import (
    deal_argument,
    deliver,
    output_options,
    overrides,
    read_overrides,
    scenario_option,
)

__all__ = ["command"]


class _Lines:
    """The lines and levels of a weighing by period or year, in place of its figures."""

    def __init__(self, weighing: Any, by: str) -> None:
        self.frame = weighing.lines(by)
        self.as_dict, self.document = weighing.as_dict, weighing.document


@click.command("weigh")
@deal_argument
@scenario_option
@overrides
@click.option("--by", type=click.Choice(["period", "year"]), help="Add a table of all lines by period or by year.")
@click.option("--strict", is_flag=True, help="Exit with status 1 if the deal does not pay off.")
@output_options
def command(
    deal: Path,
    scenario: str,
    replaced: tuple[str, ...],
    by: str | None,
    strict: bool,
    form: str,
    outputs: tuple[Path, ...],
) -> int:
    """Weigh a deal file: show verdict, goals, figures, answers, turning points and checks.

    Example: pennyweight weigh taxi.toml --scenario wet_summers --with hull=430k --by year
    """
    from pennyweight.analysis.deal import Deal
    from pennyweight.report.forms.csv_form import as_csv

    result = deliver(
        lambda: Deal.read(deal).weigh(scenario, inputs=read_overrides(replaced)),
        form,
        outputs,
        page=lambda weighing: weighing.document(by=by),
        table=lambda weighing: as_csv(weighing if by is None else _Lines(weighing, by)),
    )
    return 1 if strict and result.verdict != "pays off" else 0
