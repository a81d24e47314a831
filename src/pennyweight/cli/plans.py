"""What `grow`, `repay` and `withdraw` share: their options are the names of their five quantities."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from pennyweight.cli.options import deliver, output_options
from pennyweight.instruments.plans.plan import Plan, PlanKind

__all__ = ["plan_command"]


def plan_command(kind: PlanKind, solve: Callable[..., Plan], text: str) -> click.Command:
    """The command of one kind of plan."""

    def run(
        find: str | None,
        per_year: str,
        compounding: str | None,
        paid: str,
        growth: str,
        deferred: str,
        currency: str,
        working: bool,
        places: int | None,
        form: str,
        outputs: tuple[Path, ...],
        **quantities: str | None,
    ) -> None:
        def compute() -> Any:
            plan = solve(
                **quantities,
                find=find,
                per_year=per_year,
                compounding=compounding,
                paid=paid,
                growth=growth,
                deferred=deferred,
                currency=currency,
            )
            return plan.working(places=places) if working or places is not None else plan

        deliver(compute, form, outputs)

    command: Any = output_options(run)
    for option in reversed(_options(kind)):
        command = option(command)
    made: click.Command = click.command(kind.word, help=text)(command)
    return made


def _options(kind: PlanKind) -> list[Callable[[Any], Any]]:
    pay = kind.names[1].replace("_", " ")
    meant = "quoted, compounding as often as is paid" if kind.quoted else "effective"
    helps = {"rate": f"Yearly; {meant} unless it says otherwise.", "years": "How long, in years, or 'forever'."}
    five = [
        click.option(f"--{name.replace('_', '-')}", name, metavar="RATE" if name == "rate" else "AMOUNT",
                     help=helps.get(name, f"The {name.replace('_', ' ')}."))
        for name in kind.names
    ]  # fmt: skip
    return [
        *five,
        click.option("--find", type=click.Choice(kind.names), help="The unknown; left out: the one not given."),
        click.option("--per-year", default=str(kind.per_year), show_default=True, metavar="N",
                     help=f"How often a {pay} is made: a number, or month, quarter…"),
        click.option("--compounding", metavar="N", help="How often a bare rate compounds, or continuous."),
        click.option("--paid", type=click.Choice(["end", "start"]), default="end", show_default=True,
                     help="When in each period."),
        click.option("--growth", default="0%", metavar="RATE", help=f"How fast each {pay} grows, a year."),
        click.option("--deferred", default="0", metavar="YEARS", help="Years before the first period begins."),
        click.option("--currency", default="", metavar="CODE", help="Three letters, shown with amounts."),
        click.option("--working", is_flag=True, help="Show formula, numbers and steps."),
        click.option("--places", type=int, help="Show the working with factors rounded as by hand."),
    ]  # fmt: skip
