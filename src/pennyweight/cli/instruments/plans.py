"""What `grow`, `repay` and `withdraw` share: their options are the names of their five quantities."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from pennyweight.cli.options import deliver, output_options
from pennyweight.errors import InputError, Place
from pennyweight.instruments.plans.plan import Plan
from pennyweight.instruments.plans.plan_terms import PlanKind

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
        months: str | None,
        form: str,
        outputs: tuple[Path, ...],
        **quantities: str | None,
    ) -> None:
        def compute() -> Any:
            if months is not None:
                if quantities["years"] is not None:
                    where = Place.of_option("--months")
                    raise InputError("--months and --years say the same; give one of them.", at=where)
                quantities["years"] = f"{months} months"
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
    meant = "it is quoted and compounds with each payment" if kind.quoted else "it is effective"
    helps = {
        "rate": f"Set the yearly rate; {meant} unless it says otherwise.",
        "years": "Set the years, or 'forever'.",
        "owed": "Set the amount owed at the start.",
        "still_owed": "Set the amount still owed at the end.",
        "pot": "Set the pot at the start.",
        "pot_left": "Set what is left of the pot at the end.",
        "opening": "Set the pot at the start.",
        "closing": "Set the pot at the end.",
    }
    words = {"rate": "RATE", "years": "YEARS"}
    five = [
        click.option(
            f"--{name.replace('_', '-')}",
            name,
            metavar=words.get(name, "AMOUNT"),
            help=helps.get(name, f"Set the {name.replace('_', ' ')} of each period."),
        )
        for name in kind.names
    ]
    return [
        *five,
        click.option("--months", metavar="MONTHS", help="Set the months, instead of the years."),
        click.option(
            "--find", type=click.Choice(kind.names), help="Find this one; without it, the one that is not given."
        ),
        click.option(
            "--per-year",
            default=str(kind.per_year),
            show_default=True,
            metavar="N",
            help=f"Set how often a {pay} is made: a number, or month, quarter…",
        ),
        click.option("--compounding", metavar="N", help="Set how often a plain rate compounds, or continuous."),
        click.option(
            "--paid",
            type=click.Choice(["end", "start"]),
            default="end",
            show_default=True,
            help="Pay at the end or at the start of each period.",
        ),
        click.option("--growth", default="0%", metavar="RATE", help=f"Let each {pay} grow by this yearly rate."),
        click.option("--deferred", default="0", metavar="YEARS", help="Wait this many years before the first period."),
        click.option(
            "--currency",
            default="",
            metavar="CODE",
            help="Show this currency with amounts (three letters, such as EUR).",
        ),
        click.option("--working", is_flag=True, help="Show the formula, the numbers and the steps."),
        click.option("--places", type=int, help="Show the working with factors rounded to so many decimals."),
    ]
