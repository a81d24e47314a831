"""A function of the deal language: what it takes, what it gives, and how it is worked out."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal, cast

from pennyweight.array_kinds import Floats

__all__ = ["SAID_ELSE", "Function", "Parameter", "Takes", "_takes"]


Takes = Literal[
    "line", "name", "single", "rate", "years", "period", "window", "any", "anyrate", "things", "thing", "brackets"
]
"""What a parameter takes. `line`: something over time; `name`: the name of one; `any`: either shape;
`window`: an end of some periods, a single one or one that runs with `t`; `things`: what each thing of a set has;
`thing`: the name of one of them; `brackets`: the name of brackets."""


@dataclass(frozen=True, slots=True)
class Parameter:
    """A parameter of a function; one with a `default` text may be left out."""

    name: str
    kind: Takes
    optional: bool = False


@dataclass(frozen=True, slots=True)
class Function:
    """A function of the language."""

    name: str
    parameters: tuple[Parameter, ...]
    result: Literal["single", "line", "same"]
    unit: str
    """The unit of the result; `=` for that of the first argument."""
    summary: str
    compute: Callable[..., Floats]
    example: str
    """A formula in which it can be seen at work, in the small deal of the reference."""
    why: Callable[..., str] | None = None
    beside: Callable[..., str] | None = None
    """What is to be said beside a value, for one case; empty where there is nothing."""
    many: bool = False
    """Whether the last parameter may be repeated."""
    by_hand: bool = False
    """Whether a reader can work it out with the numbers in; where not, a formula is told with what it comes to."""

    @property
    def signature(self) -> str:
        """name(a, b, [c])"""
        parts = [f"[{p.name}]" if p.optional else p.name for p in self.parameters]
        return f"{self.name}({', '.join(parts)}{', …' if self.many else ''})"

    @property
    def over_time(self) -> bool:
        """Whether it looks at other periods than the one at hand."""
        return any(p.kind in ("line", "name") for p in self.parameters)


def _takes(text: str) -> tuple[Parameter, ...]:
    """Read "x:line rate:rate years:years?" as parameters, `?` for one that may be left out."""
    found = []
    for part in text.split():
        name, _, kind = part.partition(":")
        found.append(Parameter(name, cast(Takes, kind.rstrip("?")), kind.endswith("?")))
    return tuple(found)


SAID_ELSE = {
    "sum": "the sum of a line is total(line), a sum of names is a + b",
    "mean": "the mean of a line is average(line)",
    "avg": "the mean of a line is average(line)",
    "maximum": "it is highest(line) over time, max(a, b) of two",
    "minimum": "it is lowest(line) over time, min(a, b) of two",
    "cumsum": "the running total of a line is running(line)",
    "last": "the last value of a line is at(line, end)",
    "first": "the value in one period is at(line, period)",
    "previous": "the value one period earlier is prior(line)",
    "lag": "the value one period earlier is prior(line)",
    "when": "write b if a else c",
    "pow": "a power is written **, as in 2 ** 3",
    "ln": "the natural logarithm is log(x)",
    "ceiling": "it is ceil(x)",
    "years": "a span is a plain number of years, or years_between(day, day)",
}
"""What people write for a function, and how it is said here."""
