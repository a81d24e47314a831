"""What is owed over time."""

from __future__ import annotations

from typing import TYPE_CHECKING

from pennyweight.documents import BalanceChart
from pennyweight.documents.palette import BRASS, INK, PEWTER, VERDIGRIS
from pennyweight.report.charts.frame import frame, short

if TYPE_CHECKING:
    from matplotlib.axes import Axes

__all__ = ["draw_balance"]


def draw_balance(chart: BalanceChart, ax: Axes) -> Axes:
    """The balance as a line, as agreed dashed beside it; statements as diamonds, today as a dotted upright."""
    from matplotlib.ticker import MaxNLocator

    frame(ax, chart.title, chart.time_title, chart.money_title)
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
                name,
                (float(times[at]), float(balance[at])),
                xytext=(10, 10) if above else (-10, -12),
                textcoords="offset points",
                color=color,
                ha="left" if above else "right",
                va="bottom" if above else "top",
            )
    for time, amount in chart.statements:
        ax.plot([time], [amount], marker="D", markersize=9, color=BRASS, zorder=4)
        ax.annotate(
            f"statement {short(amount)}",
            (time, amount),
            xytext=(-10, -10),
            textcoords="offset points",
            color=INK,
            ha="right",
            va="top",
        )
    if chart.today is not None:
        ax.axvline(chart.today, color=PEWTER, linestyle=":", linewidth=1.6)
        ax.annotate(
            "as of here",
            (chart.today, 0.97),
            xycoords=("data", "axes fraction"),
            xytext=(5, 0),
            textcoords="offset points",
            va="top",
            color=INK,
        )
    ax.set_ylim(bottom=0)
    return ax
