"""`pennyweight simulate`"""

from __future__ import annotations

from pathlib import Path

import click

from pennyweight.analysis.deal import Deal
from pennyweight.analysis.simulating.simulation import Simulation
from pennyweight.cli.completing import figures, inputs, lines
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


@click.command("simulate")
@deal_argument
@click.option("--cases", default="16_384", metavar="COUNT", show_default=True, help="Draw so many cases: 100k, 1mn.")
@click.option("--until", metavar="SHARE", help="Go on until the chance that it pays off is known so well: 0.5%.")
@click.option(
    "--hold", multiple=True, metavar="INPUT", shell_complete=inputs, help="Leave this input as it stands. Repeatable."
)
@click.option(
    "--only", multiple=True, metavar="INPUT", shell_complete=inputs, help="Draw this input alone, or these. Repeatable."
)
@click.option(
    "--show",
    multiple=True,
    metavar="MEASURE",
    shell_complete=figures,
    help="Show this measure, or several: npv,irr. Repeatable.",
)
@click.option(
    "--fan",
    multiple=True,
    metavar="LINE",
    shell_complete=lines,
    help="Show how this line or level spreads over time. Repeatable.",
)
@click.option("--seed", type=click.IntRange(0, 2**32 - 1), default=1, show_default=True, help="Draw other cases.")
@click.option("--plain", is_flag=True, help="Draw plain numbers instead of evenly spread points.")
@on_option
@scenario_option
@overrides
@output_options
def command(
    deal: Path,
    cases: str,
    until: str | None,
    hold: tuple[str, ...],
    only: tuple[str, ...],
    show: tuple[str, ...],
    fan: tuple[str, ...],
    seed: int,
    plain: bool,
    on: str | None,
    scenario: str,
    replaced: tuple[str, ...],
    form: str,
    outputs: tuple[Path, ...],
) -> None:
    """Draw uncertain inputs many times: the chance that the deal pays off, and how its figures fall.

    Inputs that say 'uncertain' are drawn; where none does, those with a low and a high, as triangles about the value.
    Decisions, facts and what the scenario sets are held. Ctrl-C ends early and shows what is done.

    Example: pennyweight simulate taxi.toml --cases 100k --fan cash_left
    """

    def compute() -> Simulation:
        read = Deal.read(deal)
        chosen, inputs = as_made(read, scenario, replaced)
        return read.simulate(
            cases,
            seed=seed,
            plain=plain,
            until=until,
            hold=names_of(hold, "--hold"),
            only=names_of(only, "--only"),
            show=names_of(show, "--show"),
            fan=names_of(fan, "--fan"),
            scenario=chosen,
            inputs=inputs,
            on=on,
        )

    deliver(compute, form, outputs)
