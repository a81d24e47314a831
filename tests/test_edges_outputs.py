"""What is written and shown: never over somebody's file, never half, never cut, and only as text."""

from __future__ import annotations

import csv
import json
import os
import signal
import stat
import subprocess
import sys
from decimal import ROUND_HALF_UP, Decimal
from io import StringIO
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from rich.console import Console

from pennyweight import Deal, InputError, Loan, LoanSet
from pennyweight.cli.main import status
from pennyweight.documents import Cell, Column, Document, FigureLine, Figures, Table, Text
from pennyweight.documents.charts import flows_chart
from pennyweight.plain_text import one_line, spelled, visible
from pennyweight.quantities.units import Style
from pennyweight.report.charts.figure import figure
from pennyweight.report.forms.csv_form import as_csv
from pennyweight.report.forms.json_form import as_json
from pennyweight.report.terminal import print_document
from tests.builders import STARTERS, deal
from tests.sizes import cases, some


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A folder with the taxi, its series, a loan and its events."""
    for place, names in (("taxi", ("taxi.toml", "ridership.csv")), ("loans", ("studio.toml", "studio-events.csv"))):
        for name in names:
            (tmp_path / name).write_text((STARTERS / place / name).read_text(encoding="utf-8"), encoding="utf-8")
    (tmp_path / "notes.json").write_text('{"mine": 1}', encoding="utf-8")
    (tmp_path / "notes.csv").write_text("mine\n1\n", encoding="utf-8")
    (tmp_path / "notes.txt").write_text("mine\n", encoding="utf-8")
    (tmp_path / "notes.html").write_text("<p>mine", encoding="utf-8")
    (tmp_path / "notes.png").write_bytes(b"\x89PNG mine")
    monkeypatch.chdir(tmp_path)
    return tmp_path


@pytest.mark.parametrize(
    ("arguments", "target", "sentence"),
    [
        (["weigh", "taxi.toml"], "taxi.toml", "unknown file extension"), (["weigh", "taxi.toml"], "ridership.csv", "is read in this run"),
        (["loan", "studio.toml"], "studio-events.csv", "is read in this run"), (["weigh", "taxi.toml"], "notes.json", "Pennyweight has not written it"),
        (["weigh", "taxi.toml"], "notes.csv", "has not written it"), (["weigh", "taxi.toml"], "notes.txt", "has not written it"),
        (["weigh", "taxi.toml"], "notes.html", "has not written it"), (["weigh", "taxi.toml"], "notes.png", "has not written it"),
        (["weigh", "taxi.toml"], "none/x.json", "there is no folder none"),
    ],
)  # fmt: skip
def test_nobodys_file_is_written_over(
    folder: Path, capsys: pytest.CaptureFixture[str], arguments: list[str], target: str, sentence: str
) -> None:
    before = {path: path.read_bytes() for path in folder.iterdir()}
    assert status([*arguments, "--output", target]) == 2
    assert sentence in capsys.readouterr().err
    assert {path: path.read_bytes() for path in folder.iterdir()} == before


def test_force_and_our_own_files(folder: Path, capsys: pytest.CaptureFixture[str]) -> None:
    for ending in ("json", "csv", "png"):  # each form: tests/test_registries.py
        for _ in range(2):  # ours is replaced without asking
            assert status(["weigh", "taxi.toml", "--output", f"own.{ending}"]) == 0
    assert status(["compare", "taxi.toml", "--output", "own.csv"]) == 2  # another table
    assert status(["weigh", "taxi.toml", "--output", "notes.json", "--force"]) == 0
    assert json.loads((folder / "notes.json").read_text(encoding="utf-8"))["format"] == 1
    assert status(["weigh", "taxi.toml", "--output", "ridership.csv", "--force"]) == 2  # never what is read
    assert status(["weigh", "taxi.toml", "--output", "two.json", "--output", "./two.json"]) == 2
    assert "names one file twice" in capsys.readouterr().err


def test_permissions_links_and_the_first_of_two(
    folder: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    kept = os.umask(0o027)
    try:
        assert status(["weigh", "taxi.toml", "--output", "new.json"]) == 0
    finally:
        os.umask(kept)
    new = folder / "new.json"
    assert stat.S_IMODE(new.stat().st_mode) == 0o640
    new.chmod(0o600)
    (folder / "link.json").symlink_to(new)
    os.link(new, folder / "name.json")
    assert status(["weigh", "taxi.toml", "--scenario", "dear_hull", "--output", "link.json"]) == 0
    assert (folder / "link.json").is_symlink()
    assert stat.S_IMODE(new.stat().st_mode) == 0o600
    assert json.loads((folder / "name.json").read_text(encoding="utf-8"))["scenario"] == "dear_hull"
    capsys.readouterr()

    def fail(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "replace", lambda a, b: fail() if str(b).endswith(".txt") else Path(a).rename(b))
    assert status(["weigh", "taxi.toml", "--output", "first.json", "--output", "second.txt"]) == 2
    said = capsys.readouterr().err
    assert "second.txt cannot be written: No space left on device. Written before it: first.json." in said
    assert not list(folder.glob(".pennyweight-*"))


def test_a_signal_leaves_nothing_behind(folder: Path) -> None:
    """SIGTERM while a picture is written: no half file, none of ours beside it."""
    command = [sys.executable, "-c", "import os, time, sys; os.replace = lambda *a: (print('x', flush=True), [time.sleep(0.05) for _ in range(400)]); "
               "from pennyweight.__main__ import run; sys.argv = ['pennyweight', 'weigh', 'taxi.toml', '--output', 'z.png']; run()"]  # fmt: skip
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE) as child:
        assert child.stdout is not None
        child.stdout.readline()
        child.send_signal(signal.SIGTERM)
        assert child.wait(timeout=20) == 143
    assert not [path.name for path in folder.iterdir() if path.name.startswith((".pennyweight", "z.png"))]


WIDE = Document(
    "Wide", (Table("Figures", (Column("Name", words=True), *(Column(f"Year {k}") for k in range(12))),
                   tuple((Cell(f"line {r}"), *(Cell(f"{10**9 + r * 1000 + k:,}.25") for k in range(12))) for r in range(3))),
             Figures("Key", (FigureLine("A label of some length", Cell("123,456,789,012.34"), "and a note that goes on " * 5),)))
)  # fmt: skip


@pytest.mark.parametrize("width", [20, 40, 60, 79, 100, 200, None])
def test_no_figure_is_ever_cut(width: int | None, capsys: pytest.CaptureFixture[str]) -> None:
    stream = StringIO()
    if width is None:  # piped
        print_document(WIDE)
        shown = capsys.readouterr().out
    else:
        print_document(
            WIDE, Console(width=width, file=stream, force_terminal=False, color_system=None, highlight=False)
        )
        shown = stream.getvalue()
    for r in range(3):
        for k in range(12):
            assert f"{10**9 + r * 1000 + k:,}.25" in shown
    assert "123,456,789,012.34" in shown
    assert "…" not in shown
    lines = shown.splitlines()
    heads = [line for line in lines if "Year" in line]
    assert all(line.startswith("Name") for line in heads)
    if width and width >= 60:
        assert max(map(len, lines)) <= width


STRANGE = "Hull [red]x[/] [/] $x^$ \x1b[31m \x07 =1+1 船 \u202e \n two"


def test_text_from_files_is_text_everywhere(folder: Path, capsys: pytest.CaptureFixture[str]) -> None:
    document = json.loads(json.dumps({"deal": STRANGE, "note": STRANGE, "timeline": {"periods": 3}, "inputs": {"x": {"value": 5, "label": STRANGE}},
                                      "money_in": {"m": "x"}, "money_out": {"o": {"formula": "3", "at": 0}}, "measures": {"npv": {"formula": "npv(net, 5%)", "label": STRANGE}},
                                      "goals": {"npv": {"at_least": 0}}}))  # fmt: skip
    weighing = Deal.from_dict(document).weigh()
    page = weighing.document()
    stream = StringIO()
    print_document(page, Console(width=200, file=stream, color_system=None, highlight=False))
    for shown in (stream.getvalue(), str(weighing), weighing._repr_html_()):
        assert "[red]x[/]" in shown
        assert not any(mark in shown for mark in "\x1b\x07\u202e")
    written = as_json(weighing)  # as escapes, for a terminal may show it; a reader gets the very text
    assert not any(mark in written for mark in "\x1b\x07\u202e")
    assert json.loads(written)["deal"] == STRANGE.strip()
    drawn = figure(
        *(flows_chart(np.array([-5.0, 3.0, 3.0]), np.arange(3.0), Style(), money=STRANGE),), width=4, height=3
    )
    drawn.savefig(StringIO(), format="svg")
    with pytest.raises(InputError) as caught:
        Deal.from_dict(document).weigh(STRANGE * 50)
    assert "\n" not in str(caught.value)
    assert len(str(caught.value)) < 1_600
    loans = LoanSet({"=cmd|x": Loan(1_000, "5%", years=1), "@y": Loan(1_000, "5%", years=1)})
    assert {row[0] for row in csv.reader(StringIO(as_csv(loans)))} == {"loan", "'=cmd|x", "'@y"}


@pytest.mark.parametrize("encoding", ["ascii", "cp1252", "latin-1", "utf-8", "no-such"])
def test_streams_that_lack_a_sign_spell_it_out(encoding: str) -> None:
    text = spelled("✓ 3 × 4… – € 船", encoding)
    text.encode("ascii" if encoding == "no-such" else encoding)
    assert text[0] == ("✓" if encoding == "utf-8" else "y")
    stream = StringIO()
    console = Console(width=80, file=stream, color_system=None)
    console._environ = {}
    print_document(Document("✓", (Text("≈"),)), console)
    assert visible("a\x00b\u2028c") == "a\\x00b\\u2028c"
    assert len(one_line("x" * 10**6)) < 1_600


def test_a_full_disk_and_a_closed_pipe() -> None:
    command = [sys.executable, "-m", "pennyweight", "rates", "6%"]
    environment = {**os.environ, "PYTHONIOENCODING": "cp1252"}
    if Path("/dev/full").exists():
        with open("/dev/full", "w", encoding="utf-8") as full:
            ran = subprocess.run(command, stdout=full, stderr=subprocess.PIPE, text=True, env=environment, check=False)
        assert (ran.returncode, ran.stderr) == (
            2,
            "pennyweight: Standard output cannot be written: No space left on device.\n",
        )
    reader, writer = os.pipe()
    os.close(reader)
    ran = subprocess.run(command, stdout=writer, stderr=subprocess.PIPE, text=True, env=environment, check=False)
    os.close(writer)
    assert (ran.returncode, ran.stderr) == (0, "")


def test_pictures_are_the_same_from_run_to_run(folder: Path) -> None:
    for form in some(["svg", "png"], 2):
        for name in ("a", "b"):
            assert status(["weigh", "taxi.toml", "--output", f"{name}.{form}"]) == 0
        assert (folder / f"a.{form}").read_bytes() == (folder / f"b.{form}").read_bytes()


def test_the_bare_command_is_its_help(capsys: pytest.CaptureFixture[str]) -> None:
    assert status([]) == 0
    alone = capsys.readouterr().out
    assert status(["--help"]) == 0
    assert capsys.readouterr().out == alone
    assert "weigh" in alone


@given(st.integers(0, 9 * 10**15), st.sampled_from(["EUR", "JPY", "KWD"]))
@settings(max_examples=cases(75))
def test_amounts_are_shown_as_the_double_is(units: int, currency: str) -> None:
    """Half away from zero of the shortest decimal of the double, up to 9e13, in every currency's decimals."""
    style = Style(currency)
    value = min(units / 10**style.places, 9e13)
    exact = Decimal(repr(value)).quantize(Decimal(1).scaleb(-style.places), rounding=ROUND_HALF_UP)
    assert style.show(value, "money") == f"{exact:,.{style.places}f}"
    assert style.show(-value, "money") == (f"-{exact:,.{style.places}f}" if exact else f"{exact:,.{style.places}f}")


def test_large_and_broken_amounts() -> None:
    euro = Style("EUR")
    assert euro.show(300_000_000_000.01, "money") == "300,000,000,000.01"
    assert euro.show(0.835, "money") == "0.84"
    assert euro.show(1.005, "money") == "1.01"
    assert euro.show(0.1 + 0.2 + 0.005 - 1e-17, "money") == "0.31"
    assert euro.show(1e15, "money") == "1,000,000,000,000,000"
    assert euro.show(2.0**53 * 8, "money") == "72,057,594,037,927,936"
    assert [euro.show(value, "money") for value in (float("nan"), float("inf"), None)] == ["undefined"] * 3


def test_comparisons_and_weighings_as_csv_name_their_rows() -> None:
    made = deal(
        {"npv": "npv(net, 5%)"},
        inputs={"x": 5},
        money_in={"m": "x"},
        scenarios={"s": {"x": 6}},
        goals={"npv": {"at_least": 0}},
    )
    rows = list(csv.DictReader(StringIO(as_csv(made.compare()))))
    assert [row["figure"] for row in rows] == ["verdict", "npv"]
    assert float(rows[1]["s"]) == pytest.approx(1.2 * float(rows[1]["base"]))
    figures = {row["name"]: row for row in csv.DictReader(StringIO(as_csv(made.weigh())))}
    assert figures["npv"]["kind"] == "goal"
    assert figures["verdict"]["value"] == "pays off"
