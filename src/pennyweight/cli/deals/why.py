"""`pennyweight why`"""

from __future__ import annotations

from pathlib import Path
from typing import Any, Literal

import click

from pennyweight.cli.completing import scenarios, whatever
from pennyweight.cli.options import as_made, deal_argument, deliver, output_options, overrides, scenario_option

__all__ = ["command"]


@click.command("why")
@deal_argument
@click.argument("name", shell_complete=whatever)
@click.option("--of", metavar="THING", help="Look at what one thing of a set has, where NAME is worked out for each.")
@click.option("--at", "period", metavar="PERIOD", help="Look at this period, day or 'year N' of a line or level.")
@scenario_option
@click.option(
    "--against",
    metavar="SCENARIO",
    shell_complete=scenarios,
    help="Set another scenario beside it and follow what differs most.",
)
@click.option(
    "--by",
    type=click.Choice(["year", "period"]),
    default="year",
    show_default=True,
    help="Tell what each year, or each period, adds to a figure over time.",
)
@click.option("--depth", type=click.IntRange(0, 40), default=2, show_default=True, help="Go so many formulas down.")
@overrides
@output_options
def command(
    deal: Path,
    name: str,
    of: str | None,
    period: str | None,
    scenario: str,
    against: str | None,
    by: Literal["year", "period"],
    depth: int,
    replaced: tuple[str, ...],
    form: str,
    outputs: tuple[Path, ...],
) -> None:
    """Show where a figure comes from: formula, numbers in, and each name in it down to the inputs.

    NAME is a measure, value, line, level, part of a loan, question, or pays_off.

    Example: pennyweight why taxi.toml npv --against wet_summers
    """
    from pennyweight.analysis.deal import Deal

    def compute() -> Any:
        read = Deal.read(deal)
        chosen, inputs = as_made(read, scenario, replaced)
        return read.why(name, at=period, scenario=chosen, against=against, depth=depth, by=by, inputs=inputs, of=of)

    deliver(
        compute,
        form,
        outputs,
    )
