"""`pennyweight compare`"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import click

from pennyweight.analysis.comparing.bridge import Bridge
from pennyweight.analysis.comparing.changes import Changes
from pennyweight.analysis.comparing.comparison import Comparison, compare_deals
from pennyweight.analysis.deal import Deal
from pennyweight.cli.completing import figures, scenarios
from pennyweight.cli.options import deliver, each_name_once, output_options, overrides, read_overrides, tell_made
from pennyweight.documents import Document
from pennyweight.errors import InputError, Place
from pennyweight.quantities.argument_checks import each_once

__all__ = ["command"]


@click.command("compare")
@click.argument("deals", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option(
    "--scenario",
    "scenarios",
    shell_complete=scenarios,
    multiple=True,
    metavar="NAME",
    help="Show this scenario, or 'all', as without it. Repeatable.",
)
@click.option(
    "--against", metavar="NAME", shell_complete=scenarios, help="Add the differences to this scenario or deal."
)
@click.option(
    "--bridge",
    metavar="MEASURE",
    shell_complete=figures,
    help="Show what made the difference of this measure between the two.",
)
@overrides
@click.option("--tables", is_flag=True, help="Show the tables of the deal, too.")
@click.option("--strict", is_flag=True, help="Exit with status 1 if one of them does not pay off.")
@output_options
def command(
    deals: tuple[Path, ...],
    scenarios: tuple[str, ...],
    against: str | None,
    bridge: str | None,
    replaced: tuple[str, ...],
    tables: bool,
    strict: bool,
    form: str,
    outputs: tuple[Path, ...],
) -> int:
    """Put the scenarios of a deal, or several deals, side by side: inputs that differ, figures, goals.

    Two versions of one deal are told by their names: then what differs between the files comes first, and what each
    difference did to the figures. With --bridge npv each difference has its share of what became of that measure.

    Example: pennyweight compare taxi.toml --scenario base --scenario wet_summers
    """

    def compute() -> Comparison | Changes | Bridge:
        chosen = each_name_once(scenarios, "--scenario")
        if "all" in chosen:
            if len(chosen) > 1 or len(deals) > 1:
                where = Place.of_option("--scenario")
                raise InputError("--scenario all are all scenarios of one deal; say nothing beside it.", at=where)
            chosen = ()
        read = {path: Deal.read(path) for path in each_once(deals)}
        for one in read.values():
            tell_made(one)
        if bridge is not None:
            if against is not None or tables:
                raise InputError("--bridge stands alone: leave --against and --tables out.")
            if strict:
                raise InputError("--strict asks for a verdict, and --bridge gives none; leave one out.")
            return _bridge(list(read.values()), chosen, bridge, read_overrides(replaced))
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

    def asked() -> Comparison | Changes | Bridge:
        found = compute()
        has = isinstance(found, Comparison) and any(one.definition.tables for one in found.weighings.values())
        if tables and not has:
            raise InputError(
                "--tables shows the tables of a deal; there are none here.", at=Place.of_option("--tables")
            )
        return found

    def page(found: Comparison | Changes | Bridge) -> Document:
        return found.document(tables=tables) if isinstance(found, Comparison) else found.document()

    found = deliver(asked, form, outputs, page=page)
    return 1 if strict and not _all_pay_off(found) else 0


def _bridge(deals: list[Deal], scenarios: Sequence[str], measure: str, inputs: dict[str, object]) -> Bridge:
    """The bridge between two scenarios of a deal, or between two versions of it."""
    if len(deals) == 1:
        if len(scenarios) != 2:
            raise InputError(
                "--bridge leads from one scenario to another: name both, such as --scenario base --scenario "
                "wet_summers; or two versions of a file.",
                at=Place.of_option("--bridge"),
            )
        return deals[0].bridge(scenarios[0], scenarios[1], measure, inputs=inputs)
    if len(deals) > 2 or len(scenarios) > 1 or inputs:
        raise InputError(
            "--bridge takes two versions of a deal in one scenario, without --with.", at=Place.of_option("--bridge")
        )
    return deals[0].bridge_to(deals[1], measure, scenarios[0] if scenarios else "base")


def _all_pay_off(found: Comparison | Changes | Bridge) -> bool:
    from pennyweight.analysis.weighing.verdict import PAYS_OFF

    plain = found.as_dict()
    told = plain["scenarios"].values()
    return all(one["verdict"] == PAYS_OFF for one in told)


def _versions(old: Deal, new: Deal) -> bool:
    """Whether two deals are versions of one: at least half of their inputs and lines bear the same names."""
    one, other = ({*deal.definition.inputs, *deal.definition.lines} for deal in (old, new))
    return len(one & other) * 2 >= max(len(one), len(other), 1)
