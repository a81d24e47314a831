"""What is handed over: pages, papers and workbooks, read back cell by cell, and weighed again from what they carry."""

from __future__ import annotations

import datetime as dt
import json
import math
import re
import runpy
from html.parser import HTMLParser
from io import BytesIO
from pathlib import Path
from typing import Any
from zipfile import ZipFile

import pytest
from openpyxl import load_workbook
from openpyxl.utils import get_column_letter
from pypdf import PdfReader, PdfWriter

from pennyweight import CashFlows, Deal, InputError, rate_facts, read_loan_file, repay
from pennyweight.cli.main import status
from pennyweight.report.cover import Cover
from pennyweight.report.layouts.page import page
from pennyweight.report.layouts.paper import paper
from pennyweight.report.layouts.workbook import workbook
from tests.builders import STARTERS, TAXI, deal
from tests.sizes import some

REPORTS = [".html", ".pdf", ".xlsx"]


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A folder with the water-taxi and the studio loan, gone into."""
    monkeypatch.chdir(tmp_path)
    for name in ("taxi/taxi.toml", "taxi/ridership.csv", "loans/studio.toml", "loans/studio-events.csv"):
        Path(name.split("/")[1]).write_text((STARTERS / name).read_text(encoding="utf-8"), encoding="utf-8")
    return tmp_path


@pytest.mark.parametrize("ending", some(REPORTS, 3))
def test_what_was_handed_over_is_weighed_again_to_the_same_bytes(
    ending: str, folder: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    given: list[tuple[str, str, list[str]]] = [
        ("weigh", "taxi.toml", ["--scenario", "wet_summers", "--with", "hull=430k"]), ("compare", "taxi.toml", []),
        ("loan", "studio.toml", []),
    ]  # fmt: skip
    for command, file, more in some(given, 3, 2):
        report = f"report{ending}"
        assert status([command, file, *more, "--output", report, "--title", "For the bank"]) == 0
        first = (folder / report).read_bytes()
        assert status([command, file, *more, "--output", report, "--title", "For the bank"]) == 0  # it is ours
        assert (folder / report).read_bytes() == first
        capsys.readouterr()
        assert status([command, file, *more, "--format", "json"]) == 0
        said = capsys.readouterr().out
        Path("kept").mkdir(exist_ok=True)
        away = folder / "kept" / report  # nothing beside it
        away.write_bytes(first)
        assert status([command, str(away), *more, "--format", "json"]) == 0
        assert capsys.readouterr().out == said
        assert status([command, str(away), *more, "--output", str(away)]) == 2  # it is read in this run
        assert "is read in this run" in capsys.readouterr().err
        away.unlink()


class _Page(HTMLParser):
    """What a page asks for, says and holds."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.tags: list[tuple[str, dict[str, str | None]]] = []
        self.said: list[str] = []
        self.open: list[str] = []
        self.feed(text)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.tags.append((tag, dict(attrs)))
        self.open.append(tag)

    def handle_endtag(self, tag: str) -> None:
        while self.open and self.open.pop() != tag:
            pass

    def handle_data(self, data: str) -> None:
        if not {"style", "script"} & set(self.open):
            self.said.append(data)


def test_a_page_asks_nothing_of_the_network_and_runs_nothing_of_its_texts() -> None:
    nasty = '<script>alert(1)</script>" onload="x & y'
    made = deal({"gain": {"formula": "total(net)", "label": nasty}}, money_in={"sold": {"formula": "5", "label": nasty}},
                goals={"gain": {"at_least": 1}}, charts={"c": {"lines": ["sold"], "label": nasty}},
                deal=nasty, note=nasty)  # fmt: skip
    text = page(made.weigh().handout(), Cover(nasty, nasty))
    shown = _Page(text)
    asked = [
        value for _, attributes in shown.tags for key, value in attributes.items() if key in ("src", "href", "data")
    ]
    assert all(str(value).startswith(("#", "data:")) for value in asked)
    assert not [attributes for _, attributes in shown.tags if any(key.startswith("on") for key in attributes)]
    assert [tag for tag, _ in shown.tags].count("script") == 1
    assert "".join(shown.said).count(nasty) >= 4
    assert "default-src 'none'" in text
    headings = [attributes["id"] for tag, attributes in shown.tags if tag == "section"]
    assert len(set(headings)) == len(headings)
    inside = {value for value in asked if str(value).startswith("#")}
    places = {f"#{attributes['id']}" for _, attributes in shown.tags if attributes.get("id")}
    assert {one for one in inside if not re.match(r"#[mpDg][0-9a-z]", str(one))} <= places


def test_every_figure_of_a_page_opens_its_why() -> None:
    weighing = Deal.read(TAXI).weigh("bank_loan")
    text = page(weighing.handout(), Cover(prepared_by="The board"))
    shown = _Page(text)
    opening = [given for tag, given in shown.tags if tag == "details" and not given.get("class")]
    rows = [given for tag, given in shown.tags if tag == "button" and given.get("class") == "opens"]
    assert len(opening) == len(weighing.measures.keys() - weighing.goals.keys())
    assert len(rows) >= len(weighing.goals) + len(weighing.turning_points) // 2
    words = " ".join(" ".join(shown.said).split())
    for said in ("Prepared by The board", "NEARLY" if weighing.verdict == "nearly" else weighing.verdict.upper(),
                 "fare * trips", "Hull and drive, delivered, EUR", "400,000 to 470,000", "holds:"):  # fmt: skip
        assert said in words
    keys = [float(value) for _, attributes in shown.tags if (value := attributes.get("data-k")) is not None]
    assert round(weighing.measures["npv"].value or 0, 2) in keys
    assert page(weighing.handout(), Cover()) == page(weighing.handout(), Cover())


def test_a_workbook_read_back_cell_by_cell(tmp_path: Path) -> None:
    made = Deal.read(TAXI)
    weighing = made.weigh()
    path = tmp_path / "taxi.xlsx"
    path.write_bytes(workbook(weighing.handout(), Cover()))
    book = load_workbook(path)
    cells = {sheet.title: list(sheet.iter_rows(values_only=True)) for sheet in book.worksheets}
    figures = {row[1]: row for row in cells["Figures"][1:]}
    for name, figure in weighing.measures.items():
        assert figures[name][2] == (None if figure.value is None else pytest.approx(figure.value, rel=1e-14))
    inputs = {row[1]: row for row in cells["Inputs"][1:]}
    assert inputs["hull"][2:6] == (420_000, 400_000, 470_000, "EUR")
    frame = weighing.frame
    head, *rows, sums = cells["By period"]
    for k, title in enumerate(head):
        if sums[k] is not None and k:
            letter = get_column_letter(k + 1)
            assert sums[k] == f"=SUBTOTAL(109,{letter}2:{letter}14)", title
    assert [row[1] for row in rows] == [dt.datetime(2027 + k, 1, 1) for k in range(13)]
    for name in frame.columns:
        place = head.index(made.definition.style.headed(made.definition.label(name), made.definition.unit(name)))
        for value, row in zip(frame[name], rows, strict=True):
            assert math.isclose(row[place], value, rel_tol=1e-14, abs_tol=1e-300), name
    scenarios = made.compare()
    for k, name in enumerate(scenarios.weighings, start=2):
        assert cells["Scenarios"][1][k] == scenarios.weighings[name].verdict
        column = [row[k] for row in cells["Scenarios"][2:]]
        for value, figure in zip(column, scenarios.weighings[name].measures.values(), strict=True):
            assert value == (None if figure.value is None else pytest.approx(figure.value, rel=1e-14))
    formats = {(sheet.title, cell.number_format) for sheet in book.worksheets for row in sheet.iter_rows() for cell in row
               if isinstance(cell.value, float | int)}  # fmt: skip
    assert {("Figures", "#,##0.00"), ("Figures", "0.00%"), ("By period", "0"), ("Figures", "0.00")} - {
        ("By period", "0")
    } <= formats
    for sheet in book.worksheets:
        assert sheet.print_area, sheet.title
        if sheet.title in ("Page one", "File taxi.toml", "File ridership.csv"):
            continue
        assert sheet.freeze_panes == "B2", sheet.title
        assert sheet.print_title_rows == "$1:$1"
        for cells_below in sheet.iter_cols():
            width = sheet.column_dimensions[cells_below[0].column_letter].width
            for cell in cells_below[1:]:
                if isinstance(cell.value, float | int):
                    assert width >= len(f"{cell.value:,.2f}"), f"{sheet.title} {cell.coordinate}"


def test_a_workbook_of_many_months_has_its_years_and_their_sums() -> None:
    weighing = Deal.starter("four-flats").weigh()
    book = load_workbook(BytesIO(workbook(weighing.handout(), Cover())))
    head, *rows, sums = book["By year"].iter_rows(values_only=True)
    assert len(set(head)) == len(head)
    place = next(k for k, title in enumerate(head) if str(title).startswith("Net,"))
    values = [float(str(row[place])) for row in rows]
    assert math.fsum(values) == pytest.approx(float(weighing.line("net").sum()), abs=1e-6)
    assert str(sums[place]).startswith("=SUBTOTAL(109,")
    parts = {
        str(name): float(str(value)) for name, _, value in list(book["Worth by line"].iter_rows(values_only=True))[1:-1]
    }
    assert math.fsum(parts.values()) == pytest.approx(weighing.measures["worth_today"].value or 0, abs=1e-6)


def test_texts_are_no_formulas_in_a_workbook(tmp_path: Path) -> None:
    made = deal({"gain": {"formula": "total(net)", "label": "=1+1"}}, money_in={"sold": {"formula": "5", "label": "@SUM(A1)"}},
                deal="-cmd", note="+cmd|' /C calc'!A0")  # fmt: skip
    path = tmp_path / "o.xlsx"
    path.write_bytes(workbook(made.weigh().handout(), Cover("=HYPERLINK(1)", "=2")))
    with ZipFile(path) as parts:
        told = b"".join(parts.read(name) for name in parts.namelist())
    assert b"hyperlink" not in told
    assert all(formula.startswith(b"SUBTOTAL(109,") for formula in re.findall(rb"<f>(.*?)</f>", told))
    words = [
        cell for sheet in load_workbook(path).worksheets for row in sheet.iter_rows(values_only=True) for cell in row
    ]
    assert {"=1+1", "=HYPERLINK(1)"} <= set(words)


def test_a_paper_says_on_page_one_what_a_lender_asks(folder: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert status(["weigh", "taxi.toml", "--output", "o.pdf", "--title", "The taxi", "--prepared-by", "A. Alder"]) == 0
    paper = PdfReader("o.pdf")
    first = paper.pages[0].extract_text()
    for said in ("The taxi", "Prepared by A. Alder", "PAYS OFF", "Net present value", "79,556.59", "What is assumed",
                 "Hull and drive", f"Page 1 of {len(paper.pages)}"):  # fmt: skip
        assert said in first, said
    assert paper.metadata is not None
    assert (paper.metadata.title, paper.metadata.author) == ("The taxi", "A. Alder")
    marks = [str(mark["/Title"]) for mark in paper.outline if isinstance(mark, dict)]
    assert {"Figures", "Answers", "Turning points", "Checks", "Inputs"} <= set(marks)
    assert {"taxi.toml", "ridership.csv"} <= set(paper.attachments)
    assert not any("/XObject" in image for image in paper.pages[0].images)  # charts are lines, not pictures
    (folder / "logo.png").write_bytes(b"\x89PNG\r\n\x1a\nbroken")
    for logo, said in (("none.png", "cannot be read"), ("taxi.toml", "no PNG or JPEG"), ("logo.png", "damaged")):
        assert status(["weigh", "taxi.toml", "--output", "p.pdf", "--logo", logo]) == 2
        assert said in capsys.readouterr().err
        assert not Path("p.pdf").exists()


@pytest.mark.parametrize(
    "name",
    some(["property/land", "business/project", "business/loan-lease-cash", "house/four-flats-house"], 4, first=1),
)
def test_no_page_of_a_paper_is_empty_and_page_one_is_whole(name: str) -> None:
    weighing = Deal.read(STARTERS / f"{name}.toml").weigh()
    long = "A rather long title for a report that somebody hands to a bank in a town by a lake"
    for cover in (Cover(), Cover(long, "A. Alder")):
        sheets = [sheet.extract_text() for sheet in PdfReader(BytesIO(paper(weighing.handout(), cover))).pages]
        assert min(map(len, sheets)) > 200
        for said in (weighing.verdict.upper(), "Goals", "Assumptions nearest to turning the verdict"):
            assert said in sheets[0]
        nearest = sorted(
            (p for p in weighing.turning_points if p.nearness is not None), key=lambda p: p.nearness or 0.0
        )
        for point in nearest[:3]:
            assert " ".join(weighing.definition.label(point.input).split()[:3]) in sheets[0]


def _carrying(ending: str, files: dict[str, str], path: Path) -> Path:
    """A stranger's report that carries these files."""
    target = path.with_suffix(ending)
    if ending == ".html":
        text = json.dumps({"format": 1, "files": files}).replace("<", "\\u003c")
        target.write_text(f'<script type="application/json" id="pennyweight-carried">{text}</script>', encoding="utf-8")
    elif ending == ".pdf":
        writer = PdfWriter()
        writer.add_blank_page(72, 72)
        writer.add_attachment("pennyweight-carried", json.dumps(list(files)).encode())
        for name, text in files.items():
            writer.add_attachment(name, text.encode())
        writer.write(target)
    else:
        from xlsxwriter import Workbook

        book = Workbook(str(target))
        for k, (name, text) in enumerate(files.items()):
            sheet = book.add_worksheet(f"File {k}")
            for row, line in enumerate([name, *text.split("\n")]):
                sheet.write_string(row, 0, line)
        book.close()
    return target


@pytest.mark.parametrize("ending", REPORTS)
def test_a_strangers_report_is_read_as_data_only(ending: str, tmp_path: Path) -> None:
    body = 'deal = "x"\n[measures]\nm = "1"\n'
    good = _carrying(ending, {"a.toml": body}, tmp_path / "good")
    assert Deal.read(good).weigh().measures["m"].value == 1
    bad: Any
    for bad, said in (
        ({}, "carries no deal"), ({"../a.toml": body}, "not taken out"), ({"/etc/a.toml": body}, "not taken out"),
        ({"a\\b.toml": body}, "not taken out"), ({f"{k}.toml": body for k in range(60)}, "."),
    ):  # fmt: skip
        with pytest.raises(InputError, match=re.escape(said)):
            Deal.read(_carrying(ending, bad, tmp_path / "bad"))
    torn = tmp_path / f"torn{ending}"
    torn.write_bytes(good.read_bytes()[:100])
    with pytest.raises(InputError):
        Deal.read(torn)
    (tmp_path / f"other{ending}").write_bytes(b"dear diary")
    for path in (tmp_path / f"other{ending}", tmp_path / f"none{ending}"):
        with pytest.raises(InputError):
            read_loan_file(path)


def test_results_show_themselves_in_a_notebook() -> None:
    """The example notebook runs, cell by cell; a result brings its chart, and draws on the axes it is given alone."""
    cells = runpy.run_path(str(Path(__file__).parents[1] / "docs" / "notebook.py"))
    assert "<svg" in cells["weighing"]._repr_html_()
    assert cells["left"].get_title(loc="left").replace("\n", " ") == cells["weighing"].document().charts[0].title
    assert len(cells["made"].axes) >= 2
    with pytest.raises(InputError, match="nothing to draw"):
        rate_facts("6%").plot()
    with pytest.raises(InputError, match="from 0 to 1"):
        cells["loan"].plot(chart=2)


def test_what_is_handed_over_brings_its_working() -> None:
    """A plan, flows at a rate and a loan say how their figures come about, once."""
    study = read_loan_file(STARTERS / "loans/studio.toml")
    flows = CashFlows([-1000, 300, 420, 680], period="year").report("10%")
    plan = repay(owed="86k", rate="4.2%", years=15)
    for result, said in (
        (plan, "Formula: payment ="),
        (flows, "Formula: npv ="),
        (study, "Payment = owed * i"),
    ):
        words = " ".join(" ".join(_Page(page(result.handout(), Cover())).said).split())
        assert words.count(said) == 1, said
        assert said not in str(result)


def test_a_workbook_has_the_rows_that_a_page_leaves_out(tmp_path: Path) -> None:
    path, study = tmp_path / "loan.xlsx", read_loan_file(STARTERS / "loans/studio.toml")
    for result, sheet, left, count in (
        (study, "Payments", "balance", 177),
        (repay(owed="86k", rate="4.2%", years=15), "Steps", "closing", 180),
    ):
        path.write_bytes(workbook(result.handout(), Cover()))
        assert ".xlsx have all" in page(result.handout(), Cover())
        head, *rows = load_workbook(path)[sheet].iter_rows(values_only=True)
        rows = [row for row in rows if row[0] != "Together"]
        place = next(k for k, title in enumerate(head) if str(title).lower().startswith(left))
        owed = [float(str(row[place])) for row in rows]
        assert len(owed) == count
        assert abs(owed[-1]) < 1e-6 < min(owed[:-1])
