"""Reports in a real browser: they open, draw, explain, sort and print, say no error and ask nothing of the network."""

from __future__ import annotations

import json
import re
import shutil
import subprocess
from base64 import b64encode
from hashlib import sha256
from pathlib import Path
from typing import Any

import pytest
from pypdf import PdfReader

from pennyweight import Deal, read_loan_file
from pennyweight.report.cover import Cover
from pennyweight.report.layouts.page import page
from tests.builders import STARTERS
from tests.sizes import WHOLE

BROWSER = shutil.which("chromium") or shutil.which("chromium-browser") or ""
pytestmark = pytest.mark.skipif(not BROWSER, reason="no Chromium here; .ci/run installs it")

PROBE = """<script>
var refused = [];
window.addEventListener("securitypolicyviolation", function (event) { refused.push(event.blockedURI); });
window.addEventListener("load", function () {
  var found = {}, figure = document.querySelector("details"), table = document.querySelector("table.sortable");
  found.charts = Array.from(document.querySelectorAll("figure svg")).map(function (svg) {
    var box = svg.getBoundingClientRect(); return [Math.round(box.width), Math.round(box.height)]; });
  if (figure) {
    found.closed = figure.getBoundingClientRect().height;
    figure.querySelector("summary").click();
    found.open = figure.getBoundingClientRect().height;
  }
  var rows = Array.from(document.querySelectorAll("button.opens")), whys = rows.map(function (button) {
    return document.getElementById(button.getAttribute("aria-controls")); });
  var shown = function () { return whys.filter(function (why) { return why.getBoundingClientRect().height > 0; }).length; };
  found.rows = rows.length; found.before = shown();
  rows.forEach(function (button) { button.click(); });
  found.after = shown(); found.said = rows.every(function (one) { return one.getAttribute("aria-expanded") === "true"; });
  document.querySelectorAll("details").forEach(function (one) { one.open = true; });
  if (table) {
    var heads = table.querySelectorAll("th button"), last = heads[found.column = 1];
    var lines = function () { return table.classList.contains("opening")
      ? Array.from(table.tBodies).map(function (body) { return body.rows[0]; }) : Array.from(table.tBodies[0].rows); };
    var keys = function () { return lines().map(function (row) {
      return row.cells[1].dataset.k === undefined ? null : Number(row.cells[1].dataset.k); }); };
    last.click(); found.up = keys(); last.click(); found.down = keys();
    found.sort = last.parentNode.getAttribute("aria-sort");
    found.together = lines().every(function (row) { var why = row.nextElementSibling;
      return !why || why.id === row.id + "-why"; });
  }
  var box = document.querySelector(".whatif");
  if (box) {
    var which = box.querySelector("select"), place = box.querySelector("input"), out = [];
    var told = function () { return [which.selectedOptions[0].textContent, place.getAttribute("aria-valuetext"),
      box.querySelector("[role=status] strong").textContent, box.querySelector("tbody tr").cells[2].textContent,
      box.querySelector("tbody tr").cells[3].textContent]; };
    found.begun = told();
    [0, which.options.length - 1].forEach(function (n) {
      which.selectedIndex = n; which.dispatchEvent(new Event("change"));
      place.focus(); found.focused = document.activeElement === place;
      place.value = 0; place.dispatchEvent(new Event("input")); out.push(told());
      place.value = place.max; place.dispatchEvent(new Event("input")); out.push(told());
    });
    box.querySelector(".back").click();
    found.moved = out; found.hidden = box.hidden; found.named = [which, place].every(function (one) { return one.labels.length === 1; });
  }
  found.asked = performance.getEntriesByType("resource").map(function (one) { return one.name; });
  found.refused = refused; found.wide = document.documentElement.scrollWidth; found.window = window.innerWidth;
  parent.postMessage({page: window.name, found: found}, "*");
});
</script></body>"""


WATCH = """<body><script>
var found = {};
window.addEventListener("message", function (event) {
  found[event.data.page] = event.data.found;
  document.body.setAttribute("data-found", JSON.stringify(found));
});
</script>%s</body>"""
"""The page that shows all reports at once, each in a frame of its size, and keeps what they say of themselves."""

SIZES = {"wide": (1280, 800), "narrow": (500, 900)}


def browse(path: Path, *options: str) -> subprocess.CompletedProcess[str]:
    """Chromium without a window."""
    command = [
        BROWSER, "--headless=new", "--no-sandbox", "--disable-gpu", "--hide-scrollbars", "--window-size=1300,820",
        f"--user-data-dir={path.parent / 'profile'}", "--no-first-run", "--disable-background-networking",
        "--disable-component-update", "--enable-logging=stderr", "--virtual-time-budget=20000", *options, path.as_uri(),
    ]  # fmt: skip
    return subprocess.run(command, capture_output=True, text=True, timeout=180, check=False)


def pages() -> dict[str, str]:
    """A report of each kind."""
    house = Deal.starter("four-flats").weigh()
    return {
        "taxi": page(Deal.starter("taxi").weigh("bank_loan").handout(), Cover(prepared_by="The board")),
        "house": page(house.handout(house.document(by="year")), Cover("The house")),
        "studio": page(read_loan_file(STARTERS / "loans/studio.toml").handout(), Cover()),
    }


def test_reports_in_a_browser(tmp_path: Path) -> None:
    """All reports in both sizes, and one with a script that is not its own, in one start of the browser."""
    frames, made = [], pages()
    for name, text in made.items():
        (tmp_path / f"{name}.html").write_text(_probed(text), encoding="utf-8")
        frames += [
            f'<iframe name="{name} {size}" src="{name}.html" width="{width}" height="{height}"></iframe>'
            for size, (width, height) in SIZES.items()
        ]
    (tmp_path / "stranger.html").write_text(made["taxi"].replace("</body>", PROBE), encoding="utf-8")
    frames.append('<iframe name="stranger" src="stranger.html"></iframe>')
    watching = tmp_path / "watch.html"
    watching.write_text(WATCH % "".join(frames), encoding="utf-8")
    ran = browse(watching, "--dump-dom")
    told = re.search(r'data-found="([^"]*)"', ran.stdout)
    assert told, ran.stderr[-2000:]
    found = json.loads(told[1].replace("&quot;", '"'))
    assert sorted(found) == sorted(f"{name} {size}" for name in made for size in SIZES)
    for one, said in found.items():
        is_whole(said, SIZES[one.split()[1]][0])
    for name, deal in (("taxi wide", Deal.starter("taxi")), ("house narrow", Deal.starter("four-flats"))):
        moves_as_weighed(found[name], deal, "bank_loan" if name.startswith("taxi") else "base")
    # The policy of a page lets no other script run: that of the stranger said nothing, and the console says why.
    complaints = re.findall(r"CONSOLE.*", ran.stderr)
    assert complaints
    assert all("stranger.html" in one and "Content Security Policy" in one for one in complaints), complaints


def is_whole(found: dict[str, Any], width: int) -> None:
    """A report is drawn, opens all there is to open, sorts, and asks nothing of the network."""
    assert found["charts"]
    assert all(wide > 200 and high > 100 for wide, high in found["charts"])
    assert found["window"] == width
    assert found["wide"] <= width + 1  # tables scroll inside, the page never sideways
    assert found["closed"] < 120 < found["open"]  # a key figure: its name, its value and a note
    # Every row that opens was closed, opens, says so, keeps its why when sorted; all of them leave the page as wide.
    assert (found["before"], found["after"]) == (0, found["rows"])
    assert found["rows"] > 10
    assert found["said"]
    assert found["together"]
    up, down = ([key for key in found[way] if key is not None] for way in ("up", "down"))
    assert up == sorted(up)
    assert down == sorted(down, reverse=True)
    assert len(set(up)) > 1
    assert found["sort"] == "descending"
    assert (found["asked"], found["refused"]) == ([], [])


def moves_as_weighed(found: dict[str, Any], deal: Deal, scenario: str) -> None:
    """Moving an assumption on the page shows what weighing the deal with that value says."""
    assert (found["hidden"], found["focused"], found["named"]) == (False, True, True)
    weighing = deal.weigh(scenario)
    goal = next(iter(weighing.goals))
    style, unit = weighing.definition.style, weighing.goals[goal].unit
    inputs = {item.label: item for item in weighing.definition.inputs.values()}
    assert len(found["moved"]) == 4
    for label, value, verdict, figure, state in (found["begun"], *found["moved"]):
        item = inputs[label]
        given = f"scale {value.strip('× ')}" if item.is_series else re.sub(r"[A-Z]{3} |(?<=%) a year| \w+$", "", value)
        now = deal.weigh(scenario, inputs={item.name: given})
        told = now.goals[goal]
        assert (verdict, state.split()[1]) == (now.verdict.upper(), told.state), (label, value)
        assert figure == ("undefined" if told.value is None else style.show(told.value, unit))


def _probed(text: str) -> str:
    """The page with the probe, which its policy has to name: it lets no other script than its own run."""
    script = PROBE[PROBE.index(">") + 1 : PROBE.rindex("</script>")]
    named = b64encode(sha256(script.encode()).digest()).decode()
    return text.replace("script-src ", f"script-src 'sha256-{named}' ", 1).replace("</body>", PROBE)


@pytest.mark.skipif(not WHOLE, reason="printing takes a start of the browser of its own; make whole")
def test_a_report_prints_to_one_pdf(tmp_path: Path) -> None:
    path, printed = tmp_path / "report.html", tmp_path / "printed.pdf"
    path.write_text(pages()["taxi"], encoding="utf-8")
    browse(path, f"--print-to-pdf={printed}", "--no-pdf-header-footer")
    text = "".join(sheet.extract_text() for sheet in PdfReader(printed).pages)
    for said in ("Electric water-taxi for the quay", "Net present value", "Turning points", "Inputs"):
        assert said in text
    assert "[inputs]" not in text  # the file itself goes along, it is not printed
