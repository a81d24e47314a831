"""Documents, terminal and charts: aligned, told without color, and touching nothing of anybody else's."""

from __future__ import annotations

from io import StringIO

import numpy as np
import pytest
from matplotlib import pyplot
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure
from rich.console import Console

from pennyweight import Benchmark, CashFlows, Deal, Loan, Portfolio, read_loan_file
from pennyweight.documents import (
    BalanceChart,
    Cell,
    Chart,
    Checks,
    Column,
    Document,
    FigureLine,
    Figures,
    LinesChart,
    RateChart,
    Table,
    Text,
    Verdict,
    text,
)
from pennyweight.report.charts.figure import draw, figure
from pennyweight.report.terminal import renderable
from tests.builders import STARTERS, TAXI
from tests.sizes import some

PAGE = Document(
    "A <b>",
    (
        Verdict("PAYS OFF", "Yes.", "in"),
        Figures("Figures", (FigureLine("one", Cell("1.50"), "note"), FigureLine("twelve", Cell("12", "out")))),
        Table(
            "Rows",
            (Column("Word", words=True), Column("Figure")),
            ((Cell("x"), Cell("1,000.5")), (Cell("yy"), Cell("-3%"))),
        ),
        Checks(((True, "holds"), (False, "fails & says so"))),
        Text("The end.", "comparison"),
    ),
    "Below the title",
)


def test_figures_align_on_their_point() -> None:
    shown = text.aligned(["1,234.50", "-7.25%", "12", "undefined", "1.250,75", "9 years"], words=False)
    assert len({len(line) for line in shown}) == 1
    points = {line.index(mark) for line, mark in zip(shown[:2], "..", strict=True)}
    assert len(points) == 1
    assert shown[2].rstrip()[-1] == "2"
    assert shown[2].index("2") == points.pop() - 1


@pytest.mark.parametrize("name", ["text", "terminal"])
def test_columns_of_every_renderer_stand_on_their_point(name: str) -> None:
    """The last column of the taxi's goals holds an amount, a rate and a span: one place for all points."""
    page = Deal.read(TAXI).weigh().document()
    if name == "text":
        lines = text.render(page).split("\n")
    else:
        console = Console(width=120, record=True, color_system=None, file=StringIO())
        console.print(renderable(page))
        lines = console.export_text().split("\n")
    goals = [line for line in lines if " met " in line]
    assert len(goals) == 3
    assert len({line.rstrip().rindex(".") for line in goals}) == 1


@pytest.mark.parametrize("name", ["text", "html", "terminal"])
def test_every_renderer_shows_every_part(name: str) -> None:
    if name == "text":
        shown = text.render(PAGE)
    elif name == "html":
        shown = PAGE._repr_html_().replace("&amp;", "&")
    else:
        console = Console(width=100, record=True, color_system=None, file=StringIO())
        console.print(renderable(PAGE))
        shown = console.export_text()
    for part in (
        "PAYS OFF",
        "Yes.",
        "one",
        "1.50",
        "note",
        "twelve",
        "Rows",
        "1,000.5",
        "-3%",
        "holds",
        "fails & says so",
        "The end.",
    ):
        assert part in shown
    failed = {"text": "NO", "html": "✗ fails:", "terminal": "✗"}[name]
    assert failed in shown


def charts() -> list[Chart]:
    taxi = Deal.read(TAXI)
    varied = taxi.vary({"hull": "380k..500k/4", "hurdle": "6%..14%:4%"}).document()
    dated = CashFlows([-10, 4, 12], dates=["2026-01-01", "2026-05-01", "2027-01-01"]).report("5%").document()
    lost = CashFlows([-10.0, 4.0]).report().document()
    endowment = Portfolio.from_csv(STARTERS / "endowment" / "statements.csv")
    growth = endowment.report(benchmark=Benchmark.from_csv(STARTERS / "endowment" / "index.csv")).document()
    return [
        *taxi.weigh().document().charts, *varied.charts, *dated.charts, *lost.charts, *growth.charts, *loan_charts(),
    ]  # fmt: skip


def loan_charts() -> list[Chart]:
    files = [read_loan_file(path).document() for path in sorted((STARTERS / "loans").glob("*.toml"))]
    early = Loan(86_000, "4.2%", years=15, start="2024-01-31", events=[("2024-04-30", "balance", 60_000)])
    late = Loan(86_000, "4.2%", years=15, events=[(170, "paid", 0), (171, "balance", 9_000)])
    yearly = Loan(5_000, "0%", years=2, per_year=1)
    return [chart for page in (*files, early.document(), late.document(), yearly.document()) for chart in page.charts]


def test_a_loans_charts_say_what_came_of_it() -> None:
    titles = [chart.title for chart in loan_charts()]
    assert titles[1:5] == [
        "EUR 74,843.91 of interest in total", "EUR 150,007.87 of interest on all loans together",
        "Paid off on 2038-10-31, 3 months sooner than agreed; the extra payments save EUR 2,105.55", "EUR 29,758.49 of interest in total",
    ]  # fmt: skip
    balance = Loan(1_000, "0%", years=1, events=[(6, "extra", 250)]).document().charts[0]
    assert isinstance(balance, BalanceChart)
    assert balance.agreed[0] == balance.balance[0] == 1_000
    apart = balance.agreed - np.pad(balance.balance, (0, balance.agreed.size - balance.balance.size))
    assert apart.max() == pytest.approx(250)
    assert balance.changed


def test_charts_touch_only_their_ax_and_return_it() -> None:
    assert pyplot.get_fignums() == []
    for chart in charts():
        made = Figure()
        mine, other = made.subplots(1, 2)
        assert draw(chart, mine) is mine
        assert not other.has_data()
        assert mine.get_title(loc="left").replace("\n", " ") == chart.title
        assert mine.get_xlabel()
        assert mine.get_ylabel()
    assert pyplot.get_fignums() == []


@pytest.mark.parametrize("width", [10.0, 6.0])
def test_charts_stand_the_long_the_large_and_the_lonely(width: float) -> None:
    """Long labels, trillions, one point, a thousand of them, all below zero: all inside, and the lines have the room."""
    long = "A label of a line that somebody wrote without thinking of the chart it will stand in"
    years, many = np.arange(0.0, 11.0), np.linspace(0, 30, 1000)
    hard = [
        LinesChart("a", f"{long}: {long}", years, ((long, years * 1e12 - 5e12), ("b", -years * 1e12)), "Years", "EUR"),
        LinesChart("b", "One point", np.array([1.0]), (("only", np.array([5.0])),), "Years", "EUR"),
        LinesChart(
            "c", "Many", many, (("w", np.sin(many)), (long, np.cos(many))), "Years", "EUR", targets=((long, 0.5),)
        ),
        LinesChart("d", long, years, (("loss", years - 20),), "Years", "EUR", "bars", marks=((long, 5.0),)),
        LinesChart("e", long, years, ((long, years + 1), ("b", years)), "Years", "EUR", "area"),
    ]
    for chart in hard:
        made = figure(chart, width=width, height=width * 0.625)
        canvas = FigureCanvasAgg(made)
        canvas.draw()
        renderer, whole = canvas.get_renderer(), made.bbox
        (ax,) = made.axes
        legend = ax.get_legend()
        texts = [
            *ax.get_xticklabels(),
            *ax.get_yticklabels(),
            *ax.texts,
            ax._left_title,  # type: ignore[attr-defined]
            ax.xaxis.label,
            ax.yaxis.label,
        ]
        texts += legend.get_texts() if legend else []
        for shown in texts:
            box = shown.get_window_extent(renderer)
            inside = box.x0 >= -1 and box.y0 >= -1 and box.x1 <= whole.x1 + 1 and box.y1 <= whole.y1 + 1
            assert inside or not shown.get_text(), f"{chart.name}: {shown.get_text()}"
        assert ax.get_window_extent(renderer).width > 0.4 * whole.width, chart.name
    assert figure(hard[1]).axes[0].lines[0].get_marker() == "o"


def test_nothing_drawn_is_clipped_or_overlaps() -> None:
    """Every text of every chart lies inside the picture, and no two annotations cover each other."""
    for chart in some(charts(), 3):
        made = figure(chart)
        canvas = FigureCanvasAgg(made)
        canvas.draw()
        renderer = canvas.get_renderer()
        (ax,) = made.axes
        boxes = [t.get_window_extent(renderer) for t in ax.texts if t.get_text()]
        everything = [*boxes, ax.title.get_window_extent(renderer), ax.xaxis.label.get_window_extent(renderer)]
        width, height = canvas.get_width_height()
        for box in everything:
            assert box.x0 >= 0
            assert box.y0 >= 0
            assert box.x1 <= width
            assert box.y1 <= height
        for i, first in enumerate(boxes):
            assert not any(first.overlaps(second) for second in boxes[i + 1 :])


def test_titles_state_the_finding() -> None:
    titles = [chart.title for chart in charts()]
    assert titles[0] == "Paid back after 7.46 years"
    assert titles[1] == "Worth EUR 79,556.59 at 9.00%; zero at 13.07%"
    assert titles[2] == "Net present value: EUR 79,556.59; most comes from Fares, EUR 955,918.49"
    assert titles[3].startswith("Net present value: pays off in ")
    assert "100 became 113.3 (+13.3%); the benchmark 114.5" in titles
    assert titles[6] == "Not paid back in 1.00 years: -6.00 at the end"


def test_the_profile_reaches_every_zero() -> None:
    (_, profile) = CashFlows([-100.0, 230.0, -132.0]).report("15%").document().charts
    assert isinstance(profile, RateChart)
    assert profile.zeros == pytest.approx((0.1, 0.2))
    assert profile.rates[0] <= 0.1
    assert profile.rates[-1] >= 0.2
    assert np.isclose(profile.values[0], -2.0)
