"""Reports in a real browser: they open, draw, explain, sort and print, say no error and ask nothing of the network."""

from __future__ import annotations

import json
import re
import shutil
import subprocess
from base64 import b64encode
from hashlib import sha256
from pathlib import Path

import pytest
from pypdf import PdfReader

from pennyweight import Deal, read_loan_file
from pennyweight.report.cover import Cover
from pennyweight.report.layouts.page import page
from tests.builders import STARTERS, TAXI

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
  found.asked = performance.getEntriesByType("resource").map(function (one) { return one.name; });
  found.refused = refused; found.wide = document.documentElement.scrollWidth; found.window = window.innerWidth;
  document.body.setAttribute("data-found", JSON.stringify(found));
});
</script></body>"""


def browse(path: Path, *options: str, size: str = "1280,800") -> subprocess.CompletedProcess[str]:
    """Chromium without a window."""
    command = [
        BROWSER, "--headless=new", "--no-sandbox", "--disable-gpu", "--hide-scrollbars", f"--window-size={size}",
        f"--user-data-dir={path.parent / 'profile'}", "--no-first-run", "--disable-background-networking",
        "--disable-component-update", "--enable-logging=stderr", "--virtual-time-budget=5000", *options, path.as_uri(),
    ]  # fmt: skip
    return subprocess.run(command, capture_output=True, text=True, timeout=90, check=False)


def pages() -> dict[str, str]:
    """A report of each kind."""
    house = Deal.read(STARTERS / "house/four-flats-house.toml").weigh()
    return {
        "taxi": page(Deal.read(TAXI).weigh("bank_loan").handout(), Cover(prepared_by="The board")),
        "house": page(house.handout(house.document(by="year")), Cover("The house")),
        "studio": page(read_loan_file(STARTERS / "loans/studio.toml").handout(), Cover()),
    }


@pytest.mark.parametrize("size", ["1280,800", "500,900"])
@pytest.mark.parametrize("name", ["taxi", "house", "studio"])
def test_a_report_in_a_browser(name: str, size: str, tmp_path: Path) -> None:
    path = tmp_path / "report.html"
    path.write_text(_probed(pages()[name]), encoding="utf-8")
    ran = browse(path, "--dump-dom", size=size)
    told = re.search(r'data-found="([^"]*)"', ran.stdout)
    assert told, ran.stderr[-2000:]
    found = json.loads(told[1].replace("&quot;", '"'))
    assert not re.findall(r"CONSOLE.*", ran.stderr)
    assert found["charts"]
    assert all(width > 200 and height > 100 for width, height in found["charts"])
    assert found["wide"] <= found["window"] + 1  # tables scroll inside, the page never sideways
    assert found["closed"] < 80 < found["open"]
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


def _probed(text: str) -> str:
    """The page with the probe, which its policy has to name: it lets no other script than its own run."""
    script = PROBE[PROBE.index(">") + 1 : PROBE.rindex("</script>")]
    named = b64encode(sha256(script.encode()).digest()).decode()
    return text.replace("script-src ", f"script-src 'sha256-{named}' ", 1).replace("</body>", PROBE)


def test_the_policy_of_a_page_lets_no_other_script_run(tmp_path: Path) -> None:
    path = tmp_path / "report.html"
    path.write_text(pages()["taxi"].replace("</body>", PROBE), encoding="utf-8")
    ran = browse(path, "--dump-dom")
    assert "data-found=" not in ran.stdout
    assert "Content Security Policy" in ran.stderr


def test_a_report_prints_to_one_pdf(tmp_path: Path) -> None:
    path, printed = tmp_path / "report.html", tmp_path / "printed.pdf"
    path.write_text(pages()["taxi"], encoding="utf-8")
    browse(path, f"--print-to-pdf={printed}", "--no-pdf-header-footer")
    text = "".join(sheet.extract_text() for sheet in PdfReader(printed).pages)
    for said in ("Electric water-taxi for the quay", "Net present value", "Turning points", "Inputs"):
        assert said in text
    assert "[inputs]" not in text  # the file itself goes along, it is not printed
