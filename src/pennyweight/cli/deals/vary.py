"""`pennyweight vary`"""

from __future__ import annotations

from pathlib import Path

import click

from pennyweight.analysis.deal import Deal
from pennyweight.analysis.varying.variation import Variation
from pennyweight.cli.completing import figures, inputs_to_set
from pennyweight.cli.options import (
    deal_argument,
    deliver,
    names_of,
    on_option,
    output_options,
    overrides,
    read_overrides,
    scenario_option,
    tell_made,
)
from pennyweight.errors import InputError

__all__ = ["command"]


@click.command("vary")
@deal_argument
@click.argument("ranges", nargs=-1, required=True, metavar="INPUT=RANGE...", shell_complete=inputs_to_set)
@click.option(
    "--show",
    multiple=True,
    metavar="MEASURE",
    shell_complete=figures,
    help="Show this measure, or several: npv,irr. Repeatable.",
)
@on_option
@scenario_option
@overrides
@output_options
def command(
    deal: Path,
    ranges: tuple[str, ...],
    show: tuple[str, ...],
    on: str | None,
    scenario: str,
    replaced: tuple[str, ...],
    form: str,
    outputs: tuple[Path, ...],
) -> None:
    """Vary one input (a table) or two (a two-way table, and a heat map with --output map.png).

    A range includes both ends: 380k..460k/9 is nine values, 6%..12%:1% goes in steps, '7; 8; 9' lists them. A series is
    varied by multiples of itself: trips=80%..120%/5. Of an input with choices, mooring=own,rented tries some and
    mooring=all every one.

    Example: pennyweight vary taxi.toml hull=380k..460k/9 hurdle=6%..12%:1% --show npv
    """

    def compute() -> Variation:
        places: dict[str, object] = {}
        for text in ranges:
            name, equals, values = text.partition("=")
            if not equals or not name.strip() or not values.strip():
                raise InputError(
                    f"'{text}': write INPUT=RANGE, such as hull=380k..460k/9, or INPUT=all for every choice."
                )
            if name.strip() in places:
                raise InputError(f"{name.strip()} is varied twice.")
            places[name.strip()] = values.strip()
        names = names_of(show, "--show")
        read = Deal.read(deal)
        tell_made(read)
        return read.vary(places, show=names or None, scenario=scenario, inputs=read_overrides(replaced), on=on)

    deliver(compute, form, outputs)
