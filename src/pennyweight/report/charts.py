"""Charts with Matplotlib: each function takes an `ax`, touches only it, and returns it."""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING, Literal

import numpy as np
from numpy.typing import NDArray

from pennyweight.documents import BalanceChart, Chart, FlowsChart, GrowthChart, HeatMap, RateChart, SplitChart
from pennyweight.documents.palette import BRASS, INK, OXIDE, PARCHMENT, PEWTER, VERDIGRIS

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure
    from matplotlib.layout_engine import ConstrainedLayoutEngine

__all__ = [
    "draw",
    "draw_balance",
    "draw_flows",
    "draw_growth",
    "draw_heat_map",
    "draw_rates",
    "draw_split",
    "figure",
]


def figure(*charts: Chart, width: float = 10.0, height: float = 6.25) -> Figure:
    """A figure of its own for one chart, or for several below one another, ready to be saved."""
    from matplotlib.figure import Figure

    size = (width, height * len(charts))
    made = Figure(figsize=size, dpi=128, facecolor=PARCHMENT, layout=_layout())
    for ax, chart in zip(made.subplots(len(charts), squeeze=False)[:, 0], charts, strict=True):
        draw(chart, ax)
    return made


def draw(chart: Chart, ax: Axes) -> Axes:
    """Draw any chart on an axes."""
    match chart:
        case FlowsChart():
            return draw_flows(chart, ax)
        case RateChart():
            return draw_rates(chart, ax)
        case HeatMap():
            return draw_heat_map(chart, ax)
        case GrowthChart():
            return draw_growth(chart, ax)
        case BalanceChart():
            return draw_balance(chart, ax)
        case SplitChart():
            return draw_split(chart, ax)


def draw_flows(chart: FlowsChart, ax: Axes) -> Axes:
    """Flows as bars (money out hatched), the running total as a line, the payback point marked."""
    _frame(ax, chart.title, chart.time_title, chart.money_title)
    span = float(chart.times[-1] - chart.times[0]) or 1.0
    gaps = np.diff(chart.times)
    usual = float(np.median(gaps)) if gaps.size else span
    width = 0.6 * usual if chart.spread else min(0.6 * usual, span / 25)
    inflow, outflow = np.maximum(chart.flows, 0), np.minimum(chart.flows, 0)
    ax.bar(chart.times, inflow, width, color=VERDIGRIS, label="in")
    ax.bar(chart.times, outflow, width, color=OXIDE, hatch="///", edgecolor=PARCHMENT, linewidth=0, label="out")
    steps: Literal["default", "steps-post"] = "default" if chart.spread else "steps-post"
    ax.plot(chart.times, chart.running, color=INK, linewidth=1.8, zorder=3, drawstyle=steps)
    ax.axhline(0, color=INK, linewidth=0.8)
    low, high = ax.get_ylim()
    ax.set_ylim(low - 0.04 * (high - low), high + 0.10 * (high - low))
    left, right = ax.get_xlim()
    ax.set_xlim(left, right + 0.02 * (right - left))
    box = {"facecolor": PARCHMENT, "edgecolor": "none", "alpha": 0.85, "pad": 1.5}
    end = float(chart.running[-1])
    ax.annotate(
        f"running total {_short(end)}",
        (float(chart.times[-1]) - width / 2, end),
        xytext=(-4, 8),
        textcoords="offset points",
        ha="right",
        color=INK,
        bbox=box,
        zorder=5,
    )
    if chart.payback is not None:
        ax.plot([chart.payback], [0], marker="D", markersize=9, color=BRASS, zorder=4)
        # Where the total has just come up from below, the free side is to the right, unless the chart ends there.
        late = chart.payback > chart.times[0] + 0.85 * span
        ax.annotate(
            f"paid back: {chart.payback:.2f} years",
            (chart.payback, 0),
            xytext=(-12 if late else 10, -10),
            textcoords="offset points",
            ha="right" if late else "left",
            va="top",
            color=INK,
            bbox=box,
            zorder=5,
        )
    return ax


def draw_rates(chart: RateChart, ax: Axes) -> Axes:
    """Present value against the rate; zeros as diamonds, the rate asked for as a dashed line."""
    from matplotlib.ticker import PercentFormatter

    _frame(ax, chart.title, "Yearly rate, effective", chart.money_title)
    ax.xaxis.set_major_formatter(PercentFormatter(1.0, decimals=0))
    positive = chart.values >= 0
    ax.plot(chart.rates, np.where(positive, chart.values, np.nan), color=VERDIGRIS, linewidth=2)
    ax.plot(chart.rates, np.where(~positive, chart.values, np.nan), color=OXIDE, linewidth=2, linestyle=(0, (4, 1)))
    ax.axhline(0, color=INK, linewidth=0.8)
    shown = [zero for zero in chart.zeros if chart.rates[0] <= zero <= chart.rates[-1]]
    for zero in shown:
        ax.plot([zero], [0], marker="D", markersize=9, color=BRASS, zorder=4)
        ax.annotate(f"{zero:.2%}", (zero, 0), xytext=(7, 9), textcoords="offset points", color=INK, fontweight="bold")
    if chart.asked is not None:
        ax.axvline(chart.asked, color=PEWTER, linestyle="--", linewidth=1.4)
        ax.annotate(
            f"asked {chart.asked:.2%}",
            (chart.asked, 0.96),
            xycoords=("data", "axes fraction"),
            xytext=(6, 0),
            textcoords="offset points",
            color=INK,
            va="top",
        )
    return ax


def draw_heat_map(chart: HeatMap, ax: Axes) -> Axes:
    """Values as a grid of colored cells with their figures, and the line where the verdict turns."""
    from matplotlib.colors import LinearSegmentedColormap, TwoSlopeNorm

    rows, columns = chart.values.shape
    known = chart.values[np.isfinite(chart.values)]
    low, high = (float(known.min()), float(known.max())) if known.size else (-1.0, 1.0)
    colors = LinearSegmentedColormap.from_list("house", [OXIDE, PARCHMENT, VERDIGRIS])
    if chart.passes is not None and low < 0 < high:
        norm = TwoSlopeNorm(0.0, low, high)
    else:
        middle = (low + high) / 2
        norm = TwoSlopeNorm(middle, min(low, middle - 1e-12), max(high, middle + 1e-12))
    _frame(ax, chart.title, chart.x_title, chart.y_title)
    ax.grid(False)
    ax.imshow(chart.values, cmap=colors, norm=norm, aspect="auto", alpha=0.75)
    ax.set_xticks(range(columns), [_drawable(text) for text in chart.x])
    ax.set_yticks(range(rows), [_drawable(text) for text in chart.y])
    ax.tick_params(length=0)
    if rows * columns <= 150:
        size = 10 if columns <= 8 else 8
        for i in range(rows):
            for j in range(columns):
                mark = "" if chart.passes is None else ("" if chart.passes[i, j] else "✗ ")
                ax.text(j, i, _drawable(mark + chart.cells[i][j]), ha="center", va="center", fontsize=size, color=INK)
    if chart.passes is not None:
        _turning_line(chart.passes, ax)
    if chart.base is not None:
        from matplotlib.patches import Rectangle

        i, j = chart.base
        ax.add_patch(Rectangle((j - 0.46, i - 0.46), 0.92, 0.92, fill=False, edgecolor=BRASS, linewidth=2.2))
    parts = [] if chart.passes is None else ["heavy line: where the verdict turns; ✗ does not pay off"]
    parts += ["framed: as it stands"] if chart.base is not None else []
    if parts:
        ax.set_xlabel(f"{_drawable(chart.x_title)}\n{'; '.join(parts)}")
    return ax


def draw_growth(chart: GrowthChart, ax: Axes) -> Axes:
    """Growth of 100, the benchmark dashed beside it; triangles where money was put in (up) or taken out (down)."""
    _frame(ax, chart.title, "Valuation date", "Growth of 100")
    days = chart.dates.astype(object)
    ax.plot(days, chart.growth, color=VERDIGRIS, linewidth=2.2, marker="o", markersize=4)
    ends = [("portfolio", chart.growth, VERDIGRIS)]
    if chart.benchmark is not None:
        ax.plot(days, chart.benchmark, color=PEWTER, linewidth=1.8, linestyle="--")
        ends.append(("benchmark", chart.benchmark, INK))
    top = max(float(row[-1]) for _, row, _ in ends)
    for name, row, color in ends:
        above = float(row[-1]) == top
        ax.annotate(
            f"{name} {row[-1]:.1f}", (days[-1], float(row[-1])), xytext=(8, 4 if above else -4),
            textcoords="offset points", va="bottom" if above else "top", color=color,
        )  # fmt: skip
    axis = chart.dates.astype(np.int64).astype(np.float64)
    for day, amount in zip(chart.flow_dates, chart.flows, strict=True):
        height = float(np.interp(float(day.astype(np.int64)), axis, chart.growth))
        mark, color = ("^", BRASS) if amount > 0 else ("v", OXIDE)
        ax.plot([day.astype(object)], [height], marker=mark, color=color, markersize=11, zorder=4)
    left, right = ax.get_xlim()
    ticks = [tick for tick in ax.get_xticks() if left <= tick <= right]
    ax.set_xlim(left, right + 0.16 * (right - left))
    ax.set_xticks(ticks)
    ax.set_xticklabels([np.datetime64(int(tick), "D").astype(object).strftime("%b %Y") for tick in ticks])
    if chart.flows.size:
        ax.set_xlabel("Valuation date\n▲ put in, ▼ taken out")
    return ax


def draw_balance(chart: BalanceChart, ax: Axes) -> Axes:
    """The balance as a line, as agreed dashed beside it; statements as diamonds, today as a dotted upright."""
    from matplotlib.ticker import MaxNLocator

    _frame(ax, chart.title, chart.time_title, chart.money_title)
    ax.xaxis.set_major_locator(MaxNLocator(integer=True))
    ax.plot(chart.times, chart.balance, color=VERDIGRIS, linewidth=2.4, drawstyle="steps-post", zorder=3)
    lines = [("as it is", chart.times, chart.balance, VERDIGRIS)]
    if chart.changed:
        ax.plot(
            chart.agreed_times,
            chart.agreed,
            color=PEWTER,
            linewidth=1.8,
            linestyle="--",
            drawstyle="steps-post",
            zorder=2,
        )
        lines.append(("as agreed", chart.agreed_times, chart.agreed, INK))
        # Named in the second half, away from what happened so far.
        at = min(chart.agreed.size, chart.balance.size) * 5 // 9
        higher = chart.agreed[at] >= chart.balance[at]
        for name, times, balance, color in lines:
            above = higher == (name == "as agreed")
            ax.annotate(
                name, (float(times[at]), float(balance[at])), xytext=(10, 10) if above else (-10, -12),
                textcoords="offset points", color=color,
                ha="left" if above else "right", va="bottom" if above else "top",
            )  # fmt: skip
    for time, amount in chart.statements:
        ax.plot([time], [amount], marker="D", markersize=9, color=BRASS, zorder=4)
        ax.annotate(
            f"statement {_short(amount)}", (time, amount), xytext=(-10, -10), textcoords="offset points", color=INK,
            ha="right", va="top",
        )  # fmt: skip
    if chart.today is not None:
        ax.axvline(chart.today, color=PEWTER, linestyle=":", linewidth=1.6)
        ax.annotate(
            "as of here", (chart.today, 0.97), xycoords=("data", "axes fraction"), xytext=(5, 0),
            textcoords="offset points", va="top", color=INK,
        )  # fmt: skip
    ax.set_ylim(bottom=0)
    return ax


def draw_split(chart: SplitChart, ax: Axes) -> Axes:
    """A bar a year: principal below, interest (hatched) on top."""
    from matplotlib.ticker import MaxNLocator

    _frame(ax, chart.title, chart.time_title, chart.money_title)
    ax.xaxis.set_major_locator(MaxNLocator(integer=True))
    ax.bar(chart.years, chart.principal, 0.7, color=VERDIGRIS)
    ax.bar(
        chart.years, chart.interest, 0.7, bottom=np.maximum(chart.principal, 0), color=OXIDE, hatch="///",
        edgecolor=PARCHMENT, linewidth=0,
    )  # fmt: skip
    ax.axhline(0, color=INK, linewidth=0.8)
    ax.set_xlabel(f"{_drawable(chart.time_title)}\nplain: principal, extra payments too; hatched: interest")
    return ax


def _layout() -> ConstrainedLayoutEngine:
    """Room around every chart, so that no title or label stands against the edge."""
    from matplotlib.layout_engine import ConstrainedLayoutEngine

    return ConstrainedLayoutEngine(w_pad=0.18, h_pad=0.18, hspace=0.02)


def _turning_line(passes: NDArray[np.bool_], ax: Axes) -> None:
    rows, columns = passes.shape
    for i in range(rows):
        for j in range(columns):
            if j + 1 < columns and passes[i, j] != passes[i, j + 1]:
                ax.plot([j + 0.5, j + 0.5], [i - 0.5, i + 0.5], color=INK, linewidth=3, solid_capstyle="round")
            if i + 1 < rows and passes[i, j] != passes[i + 1, j]:
                ax.plot([j - 0.5, j + 0.5], [i + 0.5, i + 0.5], color=INK, linewidth=3, solid_capstyle="round")


@lru_cache(maxsize=1)
def _letters() -> frozenset[int]:
    """The signs the charts' font can draw."""
    from matplotlib.font_manager import FontProperties, findfont, get_font

    return frozenset(get_font(findfont(FontProperties())).get_charmap())


def _drawable(text: str) -> str:
    """The text as it can be drawn: dollar signs are no formulas, signs the font lacks become a square."""
    known = _letters()
    drawn = "".join(mark if ord(mark) in known or mark == "\n" else "□" for mark in text)
    return drawn.replace("$", r"\$")


def _frame(ax: Axes, title: str, x_title: str, y_title: str) -> None:
    from matplotlib.ticker import FuncFormatter

    ax.set_facecolor(PARCHMENT)
    title, x_title, y_title = map(_drawable, (title, x_title, y_title))
    ax.set_title(title, loc="left", color=INK, fontsize=14, pad=14)
    ax.set_xlabel(x_title, color=INK)
    ax.set_ylabel(y_title, color=INK)
    ax.tick_params(colors=INK)
    for side in ("top", "right"):
        ax.spines[side].set_visible(False)
    for side in ("left", "bottom"):
        ax.spines[side].set_color(PEWTER)
    ax.grid(axis="y", color=PEWTER, alpha=0.25, linewidth=0.6)
    ax.set_axisbelow(True)
    ax.yaxis.set_major_formatter(FuncFormatter(lambda value, _: _short(value)))


def _short(value: float) -> str:
    return f"{value + 0.0:,.0f}" if abs(value) >= 10 or value == 0 else f"{value:,.2f}"
