"""Make the pictures of docs/screenshots from the demo data: `make shots`.

Terminal output is drawn segment by segment in a monospaced face, so a picture shows what rich prints.
"""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import tempfile
import textwrap
from collections.abc import Sequence
from importlib.resources import files
from pathlib import Path

from matplotlib.figure import Figure
from matplotlib.patches import Rectangle
from PIL import Image
from rich.console import Console, RenderableType
from rich.segment import Segment

from pennyweight import Benchmark, Bond, CashFlows, Deal, Portfolio, rate_facts, read_loan_file, repay
from pennyweight.documents import Chart, Document
from pennyweight.documents.handout import Handout
from pennyweight.documents.palette import INK, PARCHMENT
from pennyweight.report.charts.figure import figure
from pennyweight.report.cover import Cover
from pennyweight.report.layouts.page import page
from pennyweight.report.layouts.paper import paper
from pennyweight.report.terminal import renderable
from pennyweight.starters.library import LIBRARY

OPENED = ["Owed now", "Interest saved"]
"""The key figures of the studio loan that stand open in its picture."""
OPEN = """document.querySelectorAll(".key details").forEach(function (one) {
  if (%s.includes(one.querySelector(".label").textContent)) one.open = true; });"""
MOVED = """var part = document.querySelector(".part-whatif"), place = part.querySelector("input");
while (part.previousElementSibling) part.previousElementSibling.remove();
document.querySelector("nav").remove(); document.querySelector(".story").remove();
place.value = 2; place.dispatchEvent(new Event("input"));"""
"""What a reader would do with the pages of the pictures: open figures; move the first assumption."""
SHOTS = Path(__file__).parent / "screenshots"
STARTERS = Path(str(files("pennyweight") / "starters"))
COLUMNS, CHARACTER, LINE = 118, 7.8, 17.0


def main() -> None:
    """Draw every picture anew."""
    SHOTS.mkdir(exist_ok=True)
    taxi = Deal.read(STARTERS / "taxi" / "taxi.toml")
    weighing = taxi.weigh()
    varied = taxi.vary({"hull": "380k..500k/7", "hurdle": "6%..14%:2%"}, show="npv")
    flows = CashFlows.from_csv(STARTERS / "flows" / "boatyard.csv", currency="EUR").report("7%")

    terminal("weigh", ("pennyweight weigh taxi.toml", weighing.document()))
    house = Deal.read(STARTERS / "house" / "four-flats-house.toml")
    weighed = house.weigh()
    terminal(
        "why",
        (
            "pennyweight why taxi.toml npv --against wet_summers",
            taxi.why("npv", against="wet_summers").document(),
        ),
    )
    terminal("compare", ("pennyweight compare taxi.toml", taxi.compare().document()))
    terminal(
        "vary_find",
        ("pennyweight vary taxi.toml hull=380k..500k/7 hurdle=6%..14%:2% --show npv", varied.document()),
        (
            'pennyweight find taxi.toml hull "npv == 0" --scenario all',
            taxi.find("hull", "npv == 0", scenarios=taxi.scenarios).document(),
        ),
    )
    terminal("flows", ("pennyweight flows boatyard.csv --rate 7% --currency EUR", flows.document()))
    endowment = Portfolio.from_csv(STARTERS / "endowment" / "statements.csv").report(
        benchmark=Benchmark.from_csv(STARTERS / "endowment" / "index.csv")
    )
    terminal("returns", ("pennyweight returns statements.csv --benchmark index.csv", endowment.document()))
    terminal(
        "rates_bond",
        (
            "pennyweight repay --owed 86k --rate 4.2% --years 15 --currency EUR --working",
            repay(owed="86k", rate="4.2%", years=15, currency="EUR").working().document(),
        ),
        (
            "pennyweight rates 6% --compounding half-yearly --inflation 2%",
            rate_facts("6%", compounding="half-yearly", inflation="2%").document(),
        ),
        (
            "pennyweight bond --coupon 4% --maturity 2031-06-15 --settlement 2026-11-23 --price 97.25",
            Bond("4%", "2031-06-15").report("2026-11-23", price=97.25).document(),
        ),
    )
    studio = read_loan_file(STARTERS / "loans" / "studio.toml").document()
    takeover = read_loan_file(STARTERS / "loans" / "four-flats-takeover.toml").document()
    terminal("loan", ("pennyweight loan studio.toml", studio), ("pennyweight loan four-flats-takeover.toml", takeover))
    figure(*studio.charts).savefig(SHOTS / "chart_loan.png")
    dated = (flows.document().charts[0], endowment.document().charts[0])
    figure(*weighing.document().charts, *dated).savefig(SHOTS / "chart_flows.png")
    drawn, driven = taxi.simulate(fan="reserve").document(), taxi.drivers("npv").document()
    terminal("what_may_come", ("pennyweight simulate taxi.toml", drawn), ("pennyweight drivers taxi.toml npv", driven))
    bridged = taxi.bridge("dear_hull", "more_quays", "npv").document()
    line = taxi.break_even("hull", "npv == 0", along={"grant_share": "0%..30%"}, scenarios=["base", "wet_summers"])
    several = (*varied.document().charts, drawn.charts[0], drawn.charts[2], *driven.charts, *bridged.charts)
    beside(several + line.document().charts).save(SHOTS / "chart_cases.png")
    rooms = house.compare(["base", "by_the_room", "by_the_week", "heavy_works"]).document().charts
    figure(weighed.document().charts[0], rooms[0]).savefig(SHOTS / "chart_house.png")
    stop, old, van, offices, plant = (
        Deal.read(STARTERS / LIBRARY[name].place).weigh().document()
        for name in ("stop-working", "replacement", "loan-lease-cash", "offices", "plant")
    )
    terminal("sets", ("pennyweight weigh offices.toml", offices), ("pennyweight weigh plant.toml", plant))
    figure(stop.charts[0], old.charts[0], van.charts[1], offices.charts[0]).savefig(SHOTS / "chart_starters.png")
    errors()
    handed_over(weighed.handout())


def beside(charts: Sequence[Chart]) -> Image.Image:
    """Charts two in a row, in one picture."""
    made = []
    for chart in charts:
        with tempfile.NamedTemporaryFile(suffix=".png") as file:
            figure(chart).savefig(file.name, dpi=80)
            made.append(Image.open(file.name).convert("RGB"))
    width, height = made[0].size
    whole = Image.new("RGB", (2 * width, -(-len(made) // 2) * height), PARCHMENT)
    for k, one in enumerate(made):
        whole.paste(one.resize((width, height)), (k % 2 * width, k // 2 * height))
    return whole


def handed_over(handout: Handout) -> None:
    """The report of the house: its page at 1280 by 800 and on a phone, and page one on paper.

    Drawn by Chromium and Poppler; where these are missing the pictures stay as they are.
    """
    cover = Cover("The house in Reed Lane: a deal for the savings bank", "J. Alder, Larkmere")
    browser, poppler = shutil.which("chromium"), shutil.which("pdftoppm")
    if not browser or not poppler:
        print("Chromium and pdftoppm are needed for report.png and paper.png; they stay as they are.")
        return
    with tempfile.TemporaryDirectory() as folder:
        page_file, paper_file = Path(folder, "report.html"), Path(folder, "report.pdf")
        page_file.write_text(page(handout, cover), encoding="utf-8")
        paper_file.write_bytes(paper(handout, cover))
        shots = []
        for name, size in (("wide.png", "1280,800"), ("phone.png", "500,800")):
            shots.append(Path(folder, name))
            photograph(browser, page_file, size, shots[-1])
        studio = page(read_loan_file(STARTERS / "loans/studio.toml").handout(), Cover())
        for name, text, script, size in (
            ("studio.png", studio, OPEN % OPENED, "1280,800"),
            ("moved.png", page(handout, cover), MOVED, "1280,700"),
        ):
            page_file.write_text(acted(text, script), encoding="utf-8")
            shots.append(Path(folder, name))
            photograph(browser, page_file, size, shots[-1])
        stacked([Image.open(shot).convert("RGB") for shot in shots[2:]]).save(SHOTS / "opened.png")
        wide, phone = (Image.open(shot).convert("RGB") for shot in shots[:2])
        both = Image.new("RGB", (wide.width + 24 + phone.width, max(wide.height, phone.height)), "white")
        both.paste(wide, (0, 0))
        both.paste(phone, (wide.width + 24, 0))
        both.save(SHOTS / "report.png")
        first = ["-png", "-r", "110", "-f", "1", "-l", "1", "-singlefile"]
        subprocess.run([poppler, *first, str(paper_file), str(SHOTS / "paper")], check=True, capture_output=True)


def acted(text: str, script: str) -> str:
    """A page on which a reader has done something, whose own policy would let no other script run."""
    free = re.sub(r'<meta http-equiv="Content-Security-Policy"[^>]*>', "", text)
    return free.replace(
        "</body>", f'<script>window.addEventListener("load", function () {{{script}}});</script></body>'
    )


def stacked(pictures: Sequence[Image.Image]) -> Image.Image:
    """Pictures of one width below one another."""
    made = Image.new("RGB", (pictures[0].width, sum(one.height + 24 for one in pictures) - 24), "white")
    top = 0
    for one in pictures:
        made.paste(one, (0, top))
        top += one.height + 24
    return made


def photograph(browser: str, page_file: Path, size: str, picture: Path) -> None:
    """A page in a browser window of a size."""
    subprocess.run(
        [browser, "--headless=new", "--no-sandbox", "--disable-gpu", "--hide-scrollbars",
         f"--window-size={size}", f"--screenshot={picture}", page_file.as_uri()],
        check=True, capture_output=True,
    )  # fmt: skip


def errors() -> None:
    """A few mistakes and what is said of them."""
    from contextlib import redirect_stderr
    from io import StringIO

    from pennyweight.cli.main import status

    text = (STARTERS / "taxi" / "taxi.toml").read_text(encoding="utf-8")
    said = StringIO()
    with tempfile.TemporaryDirectory() as folder, redirect_stderr(said):
        os.chdir(folder)
        Path("ridership.csv").write_text((STARTERS / "taxi" / "ridership.csv").read_text(encoding="utf-8"))
        for old, new in (
            ('value = "9%"', "value = 9"),
            ("fare * trips", "fare * trip"),
            ("periods = 12", "periods = 14"),
            ('"resale_value", at', '"resale_value + 0 * resale", at'),
        ):
            Path("taxi.toml").write_text(text.replace(old, new, 1), encoding="utf-8")
            said.write("$ pennyweight weigh taxi.toml\n")
            status(["weigh", "taxi.toml"])
            said.write("\n")
        os.chdir(SHOTS)
    draw("errors", [[Segment(line)] for line in wrapped(said.getvalue().rstrip().split("\n"))])


def wrapped(lines: Sequence[str]) -> list[str]:
    """Lines folded at the width of the picture."""
    return [part for line in lines for part in textwrap.wrap(line, COLUMNS) or [""]]


def terminal(name: str, *runs: tuple[str, Document]) -> None:
    """Commands and what each prints, as a picture."""
    console = Console(width=COLUMNS, color_system="truecolor", force_terminal=True, highlight=False)
    lines: list[list[Segment]] = []
    for command, document in runs:
        lines += [[Segment("")], [Segment("")]] if lines else []
        lines += [[Segment(f"$ {command}")], [Segment("")]]
        lines += rendered(console, renderable(document, COLUMNS))
    draw(name, lines)


def rendered(console: Console, shown: RenderableType) -> list[list[Segment]]:
    """The lines of a renderable as rich would print them."""
    return console.render_lines(shown, console.options, pad=False)


def draw(name: str, lines: Sequence[Sequence[Segment]]) -> None:
    """Lines of segments on parchment."""
    width, height = COLUMNS * CHARACTER + 40, len(lines) * LINE + 40
    made = Figure(figsize=(width / 100, height / 100), dpi=132, facecolor=PARCHMENT)
    ax = made.add_axes((0, 0, 1, 1))
    ax.set_xlim(0, width)
    ax.set_ylim(height, 0)
    ax.axis("off")
    for row, line in enumerate(lines):
        column = 0
        for segment in line:
            style = segment.style
            color = style.color.triplet.hex if style and style.color and style.color.triplet else INK
            left, top = 20 + column * CHARACTER, 20 + row * LINE
            text = segment.text.rstrip("\n")
            if style and style.reverse:
                ax.add_patch(Rectangle((left, top), len(text) * CHARACTER, LINE, color=color))
                color = PARCHMENT
            weight = "bold" if style and style.bold else "normal"
            for k, mark in enumerate(text):
                if mark != " ":
                    ax.text(
                        left + k * CHARACTER, top + LINE * 0.78, mark, color=color, fontsize=9.3,
                        family="DejaVu Sans Mono", fontweight=weight,
                    )  # fmt: skip
            column += len(text)
    made.savefig(SHOTS / f"{name}.png")


if __name__ == "__main__":
    main()
