"""What charts show, as data: the figures, their titles, what is marked. The floor of reports draws them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats
from pennyweight.plain_text import visible

__all__ = [
    "AxisKind",
    "BalanceChart",
    "Chart",
    "CurvesChart",
    "FanChart",
    "FlowsChart",
    "GrowthChart",
    "HeatMap",
    "HistogramChart",
    "LinesChart",
    "RateChart",
    "SplitChart",
    "StepsChart",
    "SwingsChart",
    "keep_visible",
]


def keep_visible(owner: object, *names: str) -> None:
    """Text from files is text: control characters are shown, not sent, whoever renders them."""
    for name in names:
        text = getattr(owner, name)
        if not text.isprintable():
            object.__setattr__(owner, name, visible(text))


@dataclass(frozen=True, slots=True)
class FlowsChart:
    """Flows as bars, their running total as a line, the payback point marked."""

    name: str
    title: str
    times: Floats
    flows: Floats
    running: Floats
    payback: float | None
    time_title: str
    money_title: str
    spread: bool = True

    def __post_init__(self) -> None:
        keep_visible(self, "title", "time_title", "money_title")


@dataclass(frozen=True, slots=True)
class RateChart:
    """Present value against the rate, every rate at which it is zero marked, and the rate asked of it."""

    name: str
    title: str
    rates: Floats
    values: Floats
    zeros: tuple[float, ...]
    asked: float | None
    money_title: str

    def __post_init__(self) -> None:
        keep_visible(self, "title", "money_title")


@dataclass(frozen=True, slots=True)
class HeatMap:
    """A measure over two inputs: values (y, x), `passes` where the verdict is "pays off"."""

    name: str
    title: str
    x: tuple[str, ...]
    y: tuple[str, ...]
    x_title: str
    y_title: str
    values: Floats
    cells: tuple[tuple[str, ...], ...]
    passes: NDArray[np.bool_] | None
    base: tuple[int, int] | None = None
    good: Good = ""
    turn: float | None = None
    """The value at which good begins."""

    def __post_init__(self) -> None:
        keep_visible(self, "title", "x_title", "y_title")
        for name in ("x", "y"):
            object.__setattr__(self, name, tuple(map(visible, getattr(self, name))))
        object.__setattr__(self, "cells", tuple(tuple(map(visible, row)) for row in self.cells))


@dataclass(frozen=True, slots=True)
class GrowthChart:
    """Growth of 100 over time beside a benchmark, with the flows marked."""

    name: str
    title: str
    dates: NDArray[np.datetime64]
    growth: Floats
    benchmark: Floats | None
    flow_dates: NDArray[np.datetime64]
    flows: Floats

    def __post_init__(self) -> None:
        keep_visible(self, "title")


@dataclass(frozen=True, slots=True)
class BalanceChart:
    """What is owed over time, as agreed (dashed when it is otherwise) and as it is; statements and today marked."""

    name: str
    title: str
    agreed_times: Floats
    agreed: Floats
    times: Floats
    balance: Floats
    changed: bool
    time_title: str
    money_title: str
    statements: tuple[tuple[float, float], ...] = ()
    today: float | None = None

    def __post_init__(self) -> None:
        keep_visible(self, "title", "time_title", "money_title")


@dataclass(frozen=True, slots=True)
class SplitChart:
    """Interest and principal paid, a stacked bar a year."""

    name: str
    title: str
    years: Floats
    interest: Floats
    principal: Floats
    time_title: str
    money_title: str

    def __post_init__(self) -> None:
        keep_visible(self, "title", "time_title", "money_title")


@dataclass(frozen=True, slots=True)
class StepsChart:
    """What each part, (label, amount), adds to a total, in the order in which they are drawn.

    `opens` says that the first part is where it starts from, and adds nothing.
    """

    name: str
    title: str
    parts: tuple[tuple[str, float], ...]
    total: float
    total_label: str
    money_title: str
    opens: bool = False
    percent: bool = False
    good: Good = "high"

    def __post_init__(self) -> None:
        keep_visible(self, "title", "total_label", "money_title")
        object.__setattr__(self, "parts", tuple((visible(label), value) for label, value in self.parts))


AxisKind: TypeAlias = Literal["number", "percent", "days"]
Good: TypeAlias = Literal["", "high", "low"]
"""Which way of a figure is good: where no goal says so none is, and no color tells one."""
"""What the figures along an axis are; days are those since 1970."""


@dataclass(frozen=True, slots=True)
class LinesChart:
    """Lines over time or over an input: (label, values) each; `targets` and `marks` are (label, place).

    Over the words of a choice `x_words` holds these and `x` is empty.
    """

    name: str
    title: str
    x: Floats
    lines: tuple[tuple[str, Floats], ...]
    x_title: str
    y_title: str
    kind: Literal["lines", "area", "bars"] = "lines"
    targets: tuple[tuple[str, float], ...] = ()
    marks: tuple[tuple[str, float], ...] = ()
    x_words: tuple[str, ...] = ()
    percent: bool = False
    x_kind: AxisKind = "number"
    about: str = ""
    """What the chart is about, where its title does not say it."""

    def __post_init__(self) -> None:
        keep_visible(self, "title", "x_title", "y_title", "about")
        object.__setattr__(self, "lines", tuple((visible(label), values) for label, values in self.lines))
        object.__setattr__(self, "x_words", tuple(map(visible, self.x_words)))
        for name in ("targets", "marks"):
            object.__setattr__(self, name, tuple((visible(label), place) for label, place in getattr(self, name)))


@dataclass(frozen=True, slots=True)
class HistogramChart:
    """In which share of the cases a figure lies where: `edges` one more than `shares`; those that miss told apart.

    `bound` is (label, place) of what is asked, `missed` which bars lie on its wrong side, `base` the figure as it
    stands.
    """

    name: str
    title: str
    edges: Floats
    shares: Floats
    missed: NDArray[np.bool_]
    x_title: str
    bound: tuple[str, float] | None = None
    base: float | None = None
    x_kind: AxisKind = "number"

    def __post_init__(self) -> None:
        keep_visible(self, "title", "x_title")
        if self.bound is not None:
            object.__setattr__(self, "bound", (visible(self.bound[0]), self.bound[1]))


@dataclass(frozen=True, slots=True)
class FanChart:
    """How a line spreads over time: bands, each (label, low, high), the widest first, and the line in the middle."""

    name: str
    title: str
    x: Floats
    bands: tuple[tuple[str, Floats, Floats], ...]
    middle: tuple[str, Floats]
    x_title: str
    y_title: str
    percent: bool = False

    def __post_init__(self) -> None:
        keep_visible(self, "title", "x_title", "y_title")


@dataclass(frozen=True, slots=True)
class SwingsChart:
    """How far a figure swings as inputs move one at a time: (label, at low, at high, words at both ends).

    A figure that is undefined at an end is NaN there.
    """

    name: str
    title: str
    swings: tuple[tuple[str, float, float, str, str], ...]
    base: float
    x_title: str
    bound: tuple[str, float] | None = None
    x_kind: AxisKind = "number"
    good: Good = ""

    def __post_init__(self) -> None:
        keep_visible(self, "title", "x_title")
        object.__setattr__(
            self,
            "swings",
            tuple((visible(one[0]), one[1], one[2], visible(one[3]), visible(one[4])) for one in self.swings),
        )


@dataclass(frozen=True, slots=True)
class CurvesChart:
    """Lines through pairs, (label, x, y) each, and single cases, (label, x, y), beside them."""

    name: str
    title: str
    lines: tuple[tuple[str, Floats, Floats], ...]
    points: tuple[tuple[str, float, float], ...]
    x_title: str
    y_title: str
    x_kind: AxisKind = "number"
    y_kind: AxisKind = "number"

    def __post_init__(self) -> None:
        keep_visible(self, "title", "x_title", "y_title")
        for name in ("lines", "points"):
            object.__setattr__(self, name, tuple((visible(label), x, y) for label, x, y in getattr(self, name)))


Chart: TypeAlias = (
    FlowsChart
    | RateChart
    | HeatMap
    | GrowthChart
    | BalanceChart
    | SplitChart
    | StepsChart
    | LinesChart
    | HistogramChart
    | FanChart
    | SwingsChart
    | CurvesChart
)
