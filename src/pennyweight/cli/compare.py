"""`pennyweight compare`"""

from __future__ import annotations

from pathlib import Path

import click

from pennyweight.analysis.changes import Changes
from pennyweight.analysis.comparison import Comparison, compare_deals
from pennyweight.analysis.deal import Deal
from pennyweight.cli.options import deliver, each_name_once, output_options, overrides, read_overrides
from pennyweight.errors import InputError
from pennyweight.quantities.given import each_once

__all__ = ["command"]


@click.command("compare")
@click.argument("deals", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option(
    "--scenario",
    "scenarios",
    multiple=True,
    metavar="NAME",
    help="Show this scenario; without it, all are shown. Repeatable.",
)
@click.option("--against", metavar="NAME", help="Add the differences to this scenario or deal.")
@overrides
@output_options
def command(
    deals: tuple[Path, ...],
    scenarios: tuple[str, ...],
    against: str | None,
    replaced: tuple[str, ...],
    form: str,
    outputs: tuple[Path, ...],
) -> None:
    """Put the scenarios of a deal, or several deals, side by side: inputs that differ, figures, goals.

    Two versions of one deal are told by their names: then what differs between the files comes first, and what each
    difference did to the figures.

    Example: pennyweight compare taxi.toml --scenario base --scenario wet_summers
    """

    def compute() -> Comparison | Changes:
        chosen = each_name_once(scenarios, "--scenario")
        read = {path: Deal.read(path) for path in each_once(deals)}
        if len(deals) == 1:
            return read[deals[0]].compare(chosen or None, inputs=read_overrides(replaced), against=against)
        if replaced or len(scenarios) > 1:
            raise InputError("Several deals can be compared in one scenario only, and without --with.")
        names = {path: path.stem for path in deals}
        if len(set(names.values())) < len(names):
            names = {path: str(path) for path in deals}
        if len(deals) == 2 and against is None and _versions(*read.values()):
            first, second = read.values()
            return first.changes_to(second, scenarios[0] if scenarios else "base")
        models = {names[path]: deal.model for path, deal in read.items()}
        return compare_deals(models, scenarios[0] if scenarios else "base", against)

    deliver(compute, form, outputs)


def _versions(old: Deal, new: Deal) -> bool:
    """Whether two deals are versions of one: at least half of their inputs and lines bear the same names."""
    one, other = ({*deal.definition.inputs, *deal.definition.lines} for deal in (old, new))
    return len(one & other) * 2 >= max(len(one), len(other), 1)
