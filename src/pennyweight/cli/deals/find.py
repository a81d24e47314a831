"""`pennyweight find`"""

from __future__ import annotations

from pathlib import Path

import click

from pennyweight.analysis.deal import Deal
from pennyweight.analysis.finding.break_even import BreakEven
from pennyweight.analysis.finding.found import Found
from pennyweight.cli.completing import figures, inputs, inputs_to_set, scenarios
from pennyweight.cli.options import (
    deal_argument,
    deliver,
    each_name_once,
    output_options,
    overrides,
    read_overrides,
    tell_made,
)
from pennyweight.errors import InputError, NoAnswer, Place

__all__ = ["command"]


@click.command("find")
@deal_argument
@click.argument("name", metavar="INPUT", shell_complete=inputs)
@click.argument("condition", required=False)
@click.option(
    "--most", metavar="FIGURE", shell_complete=figures, help="Find the value at which this figure is largest."
)
@click.option(
    "--least", metavar="FIGURE", shell_complete=figures, help="Find the value at which this figure is smallest."
)
@click.option(
    "--scenario",
    "scenarios",
    shell_complete=scenarios,
    multiple=True,
    metavar="NAME",
    help="Look for the value in this scenario, or in 'all'. Repeatable.",
)
@click.option(
    "--between", metavar="LOW..HIGH", help="Look in this range; without it, the unit of the input sets the range."
)
@click.option(
    "--along",
    metavar="INPUT=RANGE",
    shell_complete=inputs_to_set,
    help="Find it along another input, as a line: grant_share=0%..30%.",
)
@overrides
@output_options
def command(
    deal: Path,
    name: str,
    condition: str | None,
    most: str | None,
    least: str | None,
    scenarios: tuple[str, ...],
    between: str | None,
    along: str | None,
    replaced: tuple[str, ...],
    form: str,
    outputs: tuple[Path, ...],
) -> None:
    """Find the value of INPUT at which CONDITION comes true; without one: at which the deal pays off.

    It shows all answers. The exit status is 3 if there is none in any scenario.

    With --along it shows for each value of another input where CONDITION just holds: a break-even line.

    Example: pennyweight find taxi.toml hull "npv == 0" --scenario all
    """

    def compute() -> Found | BreakEven:
        asked = Deal.read(deal)
        tell_made(asked)
        chosen = list(each_name_once(scenarios, "--scenario")) or ["base"]
        if "all" in chosen:
            if len(chosen) > 1:
                raise InputError(
                    "--scenario all are all of them; leave the others out.", at=Place.of_option("--scenario")
                )
            chosen = asked.scenarios
        if along is not None:
            if most is not None or least is not None:
                raise InputError("--along goes with a condition; leave --most and --least out.")
            other, equals, values = along.partition("=")
            if not equals or not other.strip() or not values.strip():
                raise InputError(
                    f"--along {along}: write INPUT=RANGE, such as grant_share=0%..30%.", at=Place.of_option("--along")
                )
            return asked.break_even(
                name,
                condition,
                along={other.strip(): values.strip()},
                scenarios=chosen,
                between=_limits(between),
                inputs=read_overrides(replaced),
            )
        return asked.find(
            name,
            condition,
            most=most,
            least=least,
            scenarios=chosen,
            between=_limits(between),
            inputs=read_overrides(replaced),
        )

    found = deliver(compute, form, outputs)
    if isinstance(found, BreakEven):
        if not found.branches:
            raise NoAnswer(f"No pair makes '{found.so_that}' come true.")
        return
    if not any(one.answers for one in found.answers.values()):
        why: dict[str, list[str]] = {}
        for scenario, item in found.answers.items():
            why.setdefault(item.reason, []).append(found.labels.get(scenario, scenario))
        reasons = [f"{reason} ({', '.join(where)})" for reason, where in why.items()] if len(why) > 1 else list(why)
        said = f"No value of {name} makes '{found.so_that}' come true"
        if any(item.always for item in found.answers.values()):
            said = f"'{found.so_that}' does not turn with {name}"
        raise NoAnswer(f"{said}: {'; '.join(reasons)}.")


def _limits(text: str | None) -> tuple[str, str] | None:
    if text is None:
        return None
    low, dots, high = text.partition("..")
    if not dots or not low.strip() or not high.strip():
        raise InputError(f"--between {text}: write LOW..HIGH, such as 300k..600k.", at=Place.of_option("--between"))
    return low.strip(), high.strip()
