"""`pennyweight drivers`"""

from __future__ import annotations

from pathlib import Path

import click

from pennyweight.analysis.deal import Deal
from pennyweight.analysis.driving.drivers import Drivers
from pennyweight.cli.completing import figures, inputs
from pennyweight.cli.options import (
    as_made,
    deal_argument,
    deliver,
    names_of,
    on_option,
    output_options,
    overrides,
    scenario_option,
)

__all__ = ["command"]


@click.command("drivers")
@deal_argument
@click.argument("measure", required=False, shell_complete=figures)
@click.option("--moved", metavar="SHARE", help="Move every input by so much of itself, 10%, not from low to high.")
@click.option("--cases", default="4_096", metavar="COUNT", show_default=True, help="Draw so many points.")
@click.option(
    "--hold", multiple=True, metavar="INPUT", shell_complete=inputs, help="Leave this input as it stands. Repeatable."
)
@click.option(
    "--only", multiple=True, metavar="INPUT", shell_complete=inputs, help="Move this input alone, or these. Repeatable."
)
@click.option("--seed", type=click.IntRange(0, 2**32 - 1), default=1, show_default=True, help="Draw other points.")
@on_option
@scenario_option
@overrides
@output_options
def command(
    deal: Path,
    measure: str | None,
    moved: str | None,
    cases: str,
    hold: tuple[str, ...],
    only: tuple[str, ...],
    seed: int,
    on: str | None,
    scenario: str,
    replaced: tuple[str, ...],
    form: str,
    outputs: tuple[Path, ...],
) -> None:
    """Show which inputs drive MEASURE: its swing as each moves alone, and the share of its variance each brings.

    Without MEASURE it is that of the first goal; pays_off asks what drives the verdict.

    Example: pennyweight drivers taxi.toml npv
    """

    def compute() -> Drivers:
        read = Deal.read(deal)
        chosen, inputs = as_made(read, scenario, replaced)
        return read.drivers(
            measure,
            moved=moved,
            cases=cases,
            seed=seed,
            hold=names_of(hold, "--hold"),
            only=names_of(only, "--only"),
            scenario=chosen,
            inputs=inputs,
            on=on,
        )

    deliver(compute, form, outputs)
