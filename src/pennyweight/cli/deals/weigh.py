"""`pennyweight weigh`"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from pennyweight.cli.completing import lines
from pennyweight.cli.options import (
    as_made,
    deal_argument,
    deliver,
    names_of,
    output_options,
    overrides,
    read_overrides,
    scenario_option,
)
from pennyweight.errors import InputError, Place

__all__ = ["command"]


class _Lines:
    """A weighing whose lines and levels are told by period or year, as they were asked for."""

    def __init__(self, weighing: Any, wanted: dict[str, Any]) -> None:
        from pennyweight.analysis.weighing.asked_lines import selection
        from pennyweight.analysis.weighing.things import things_frame
        from pennyweight.analysis.weighing.weighing import lines_frame

        self.weighing, self.by, self.each = weighing, wanted["by"], wanted["each"]
        if self.each is None:
            self.frame = lines_frame(weighing, **{key: value for key, value in wanted.items() if key != "each"})
        else:
            chosen = selection(weighing.definition, **wanted)
            own = chosen.lines and [name for name in chosen.lines if weighing.definition.each.get(name) == self.each]
            self.frame = things_frame(weighing.definition, weighing.worked_out, self.each, chosen, own).set_index(
                "thing"
            )
        self.document, self.handout, self.verdict = weighing.document, weighing.handout, weighing.verdict

    def _for_csv(self) -> Any:
        return self.frame

    def as_dict(self) -> dict[str, Any]:
        """The weighing's values, its lines by the periods or years that were asked for."""
        plain = self.weighing.as_dict()
        if self.each is not None:
            rows = self.frame.reset_index().astype({self.frame.columns[1]: str}).to_dict(orient="records")
            return {**plain, "by": self.by, "each": self.each, "lines": rows}
        lines = {str(name): self.frame[name].tolist() for name in self.frame.columns}
        plain.pop("periods")
        told = {"periods": lines} if self.by == "period" else {"years": self.frame.index.tolist(), "lines": lines}
        return {**plain, "by": self.by, **told}


@click.command("weigh")
@deal_argument
@scenario_option
@overrides
@click.option("--by", type=click.Choice(["period", "year"]), help="Add a table of all lines by period or by year.")
@click.option(
    "--lines",
    metavar="NAMES",
    shell_complete=lines,
    help="Show these lines, levels or groups, with commas between; needs --by.",
)
@click.option("--each", metavar="SET", help="Open what is worked out for each thing of a set; needs --by.")
@click.option("--from", "first", metavar="PERIOD", help="Begin with this period, day or 'year N'; needs --by.")
@click.option("--to", "last", metavar="PERIOD", help="End with this period, day or 'year N'; needs --by.")
@click.option("--watch", is_flag=True, help="Weigh again whenever the deal or a file it reads is saved.")
@click.option("--strict", is_flag=True, help="Exit with status 1 if the deal does not pay off.")
@output_options
def command(
    deal: Path,
    scenario: str,
    replaced: tuple[str, ...],
    by: str | None,
    lines: str | None,
    each: str | None,
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

    if by is None and (lines or first or last or each):
        option = "--lines" if lines else "--each" if each else "--from" if first else "--to"
        raise InputError(
            f"{option} chooses from a table; say --by period or --by year, too.", at=Place.of_option(option)
        )
    named = None if lines is None else names_of([lines], "--lines")
    wanted = {"by": by, "lines": named, "first": first, "last": last, "each": each}
    if watch and scenario != "all":
        return _watch(deal, scenario, replaced, wanted, form, outputs, strict)

    def asked() -> Any:
        if scenario == "all":
            if by is not None or watch:
                where = Place.of_option("--scenario")
                raise InputError("--scenario all puts the scenarios side by side; it goes without --by.", at=where)
            return Deal.read(deal).compare(inputs=read_overrides(replaced))
        read = Deal.read(deal)
        name, inputs = as_made(read, scenario, replaced)
        weighing = read.weigh(name, inputs=inputs)
        return weighing if by is None else _Lines(weighing, wanted)

    result = deliver(
        asked,
        form,
        outputs,
        page=lambda weighing: weighing.document() if scenario == "all" else weighing.document(**wanted),
    )
    from pennyweight.analysis.weighing.verdict import PAYS_OFF

    told = [one.verdict for one in result.weighings.values()] if scenario == "all" else [result.verdict]
    return 1 if strict and any(verdict != PAYS_OFF for verdict in told) else 0


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
    from pennyweight.cli.deals.watching import saved, watch

    if form != "table" or outputs or strict:
        option = "--output" if outputs else "--format" if form != "table" else "--strict"
        raise InputError(f"{option} does not go with --watch, which shows the page alone.", at=Place.of_option(option))
    inputs = read_overrides(replaced)
    watch(deal, lambda: Deal.read(deal).weigh(scenario, inputs=inputs), lambda w: w.document(**wanted), saved)
    return 0
