"""Any chart on an axes, and several below one another as a figure."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING, Any

from pennyweight.documents import (
    BalanceChart,
    Chart,
    CurvesChart,
    FanChart,
    FlowsChart,
    GrowthChart,
    HeatMap,
    HistogramChart,
    LinesChart,
    RateChart,
    SplitChart,
    StepsChart,
    SwingsChart,
)
from pennyweight.documents.palette import PARCHMENT
from pennyweight.errors import InputError
from pennyweight.report.charts.balance import draw_balance
from pennyweight.report.charts.flows import draw_flows
from pennyweight.report.charts.growth import draw_growth
from pennyweight.report.charts.heat_map import draw_heat_map
from pennyweight.report.charts.lines import draw_lines
from pennyweight.report.charts.of_cases.curves import draw_curves
from pennyweight.report.charts.of_cases.fan import draw_fan
from pennyweight.report.charts.of_cases.histogram import draw_histogram
from pennyweight.report.charts.of_cases.swings import draw_swings
from pennyweight.report.charts.rate_curve import draw_rates
from pennyweight.report.charts.split import draw_split
from pennyweight.report.charts.steps import draw_steps

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.axis import Axis
    from matplotlib.figure import Figure
    from matplotlib.layout_engine import ConstrainedLayoutEngine

__all__ = ["DRAWN", "artists", "draw", "figure", "styled"]

DRAWN: dict[type, Callable[[Any, Axes], Axes]] = {
    FlowsChart: draw_flows,
    RateChart: draw_rates,
    HeatMap: draw_heat_map,
    GrowthChart: draw_growth,
    BalanceChart: draw_balance,
    SplitChart: draw_split,
    StepsChart: draw_steps,
    LinesChart: draw_lines,
    HistogramChart: draw_histogram,
    FanChart: draw_fan,
    SwingsChart: draw_swings,
    CurvesChart: draw_curves,
}
"""Which function draws which chart; one more is a module beside these, and a line here."""


def figure(*charts: Chart, width: float = 10.0, height: float = 6.25) -> Figure:
    """A figure of its own for one chart, or for several below one another, ready to be saved."""
    from matplotlib.figure import Figure

    size = (width, height * len(charts))
    made = Figure(figsize=size, dpi=128, facecolor=PARCHMENT, layout=_layout())
    for ax, chart in zip(made.subplots(len(charts), squeeze=False)[:, 0], charts, strict=True):
        draw(chart, ax)
        for axis in (ax.xaxis, ax.yaxis):
            _settle(axis)
    return made


def draw(chart: Chart, ax: Axes) -> Axes:
    """Draw any chart on an axes."""
    return DRAWN[type(chart)](chart, ax)


def artists(ax: Axes) -> list[Any]:
    """The lines of figures that stand on an axes, not those across all of it (zero, a target), and its bars."""
    bars = [bar for container in ax.containers for bar in container]
    return [*(line for line in ax.lines if line.get_transform() == ax.transData), *bars]


def styled(ax: Axes, there: Sequence[Any], style: Mapping[str, Any]) -> Axes:
    """Give the lines that were not `there` before another style, or where there are none the bars."""
    if not style:
        return ax
    known = {id(one) for one in there}
    drawn = [one for one in artists(ax) if id(one) not in known]
    drawn = [one for one in drawn if one in ax.lines] or drawn  # beside lines the colors of bars say in and out
    for name, value in style.items():
        able = [one for one in drawn if hasattr(one, f"set_{name}")]
        if not able:
            raise InputError(
                f"What this chart draws has no '{name}'; a style is one of Matplotlib's, such as color or linewidth.",
                at=name,
            )
        try:
            for one in able:
                one.set(**{name: value})
        except (TypeError, ValueError) as error:
            raise InputError(f"{name} is {value!r}: {error}", at=name) from None
    if (legend := ax.get_legend()) is not None:
        ax.legend(loc=legend._loc, frameon=legend.get_frame_on())  # type: ignore[attr-defined]
    return ax


def _settle(axis: Axis) -> None:
    """Fix the ticks and what they say: a layout would work them out some twenty times, a third of a picture's time."""
    from matplotlib.ticker import FixedFormatter, FixedLocator

    low, high = sorted(axis.get_view_interval())
    places = [place for place in axis.get_majorticklocs() if low <= place <= high]
    words = axis.get_major_formatter().format_ticks(places)
    if not axis.get_major_formatter().get_offset():
        axis.set_major_locator(FixedLocator(places))
        axis.set_major_formatter(FixedFormatter(words))


def _layout() -> ConstrainedLayoutEngine:
    """Room around every chart, so that no title or label stands against the edge."""
    from matplotlib.layout_engine import ConstrainedLayoutEngine

    return ConstrainedLayoutEngine(w_pad=0.18, h_pad=0.18, hspace=0.02)
