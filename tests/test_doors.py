"""Nothing is lost at the doors: a column, an option, a file, a key is used, told or refused."""

from __future__ import annotations

import contextlib
import datetime as dt
import itertools
import json
import os
import random
import signal
import subprocess
import sys
import warnings
from pathlib import Path
from typing import Any

import click
import numpy as np
import pytest

import pennyweight as pw
from pennyweight import Benchmark, CashFlows, Deal, InputError, Loan, npv
from pennyweight.cli.main import COMMANDS, RENAMED, main, status
from tests.builders import TAXI, deal
from tests.sizes import some

STARTERS = TAXI.parent.parent


def said(capsys: pytest.CaptureFixture[str], *arguments: str) -> tuple[int, str, str]:
    """Exit status, standard output and standard error of a command."""
    code = status(list(arguments))
    out, err = capsys.readouterr()
    return code, out, err


# Options and columns.


def test_an_option_that_counts_once_is_refused_when_it_is_given_twice(capsys: pytest.CaptureFixture[str]) -> None:
    context, tried = click.Context(main), 0
    for name in COMMANDS:
        command = main.get_command(context, name)
        assert command is not None
        for param in command.params:
            if isinstance(param, click.Option) and not (param.multiple or param.is_flag):
                code, _, err = said(capsys, name, *[param.opts[0], "1"] * 2)
                assert (code, f"{param.opts[0]} is given 2 times" in err) == (2, True), (name, param.opts, err)
                tried += 1
    assert tried > 100


@pytest.mark.parametrize(
    "words",
    [
        "weigh TAXI --title x", "weigh TAXI --force", "find TAXI hull --scenario base --scenario base",
        "compare TAXI --scenario base --scenario base", "compare TAXI --scenario all --scenario base",
        "vary TAXI hull=1,2 --show npv,npv", "weigh TAXI --by year --lines net,net", "weigh TAXI --watch --strict",
        "flows FLOWS --rate 5% --working --account-at 3%", "flows FLOWS --column period=none",
        "flows FLOWS --column date=date --column date=amount", "flows FLOWS --column period=amount",
        "returns STATES --kind value=value --kind deposit=value", "returns STATES --kind value=nothing",
        "returns STATES --column level=close", "loan --owed 5k --rate 5% --years 3 --column date=x",
        "loan --owed 5k --rate 5% --years 3 --kind extra=x", "loan --owed 5k --rate 5% --years 3 --by year",
        "new --name x", "new --starter taxi", "repay --owed 5k --rate 5% --years 3 --months 36",
    ],
)  # fmt: skip
def test_what_would_change_nothing_is_refused(words: str, capsys: pytest.CaptureFixture[str]) -> None:
    places = {"TAXI": TAXI, "FLOWS": STARTERS / "flows/boatyard.csv", "STATES": STARTERS / "endowment/statements.csv"}
    code, out, err = said(capsys, *(str(places.get(word, word)) for word in words.split()))
    assert (code, out) == (2, "")
    assert err.startswith("pennyweight: ")


def test_values_and_moves_of_one_file_are_both_used(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """By hand: gain over average capital in each period, linked; an amount stands before the value of its row."""
    rows = [
        ("2024-12-31", 0, 10_000),
        ("2025-06-30", 500, 10_900),
        ("2025-12-31", -300, 11_500),
        ("2026-12-31", 0, 12_900),
    ]
    (tmp_path / "one.csv").write_text(
        "date,amount,value,note\n" + "".join(f"{d},{a or ''},{v},x\n" for d, a, v in rows)
    )
    linked = 1.0
    for (_, _, before), (_, moved, after) in itertools.pairwise(rows):
        linked *= 1 + (after - before - moved) / before  # a flow on the last day weighs nothing
    code, out, err = said(capsys, "returns", str(tmp_path / "one.csv"), "--format", "json")
    assert code == 0
    assert json.loads(out)["modified_dietz"]["over_span"] == pytest.approx(linked - 1, rel=1e-11)
    assert "not used: the column note" in err


def test_remarks_and_unused_columns_of_a_deal_are_shown() -> None:
    document = Deal.read(TAXI).weigh()
    assert any("ridership.csv: not used: the column note" in sentence for _, sentence in document.checks)
    made = deal({"m": {"formula": "a", "note": "Looks small."}}, inputs={"a": {"value": 1, "note": "From the mayor."}})
    assert "From the mayor." in str(made.weigh())
    assert {"Looks small.", "From the mayor."} <= set(
        str(made.why("m")).replace("m: ", "").replace("a: ", "").split("\n")
    )


def test_old_words_do_what_the_new_ones_do(capsys: pytest.CaptureFixture[str]) -> None:
    values = {"--amount": "9k", "--residual": "1k", "--interest": "30/360"}
    terms = ["loan", "--rate", "5%", "--years", "2", "--start", "2027-01-31", "--format", "json"]
    old, new = (
        [part for word, value in values.items() for part in (by.get(word, word), value)] for by in ({}, RENAMED["loan"])
    )
    (code, first, told), (_, second, silent) = said(capsys, *terms, *old), said(capsys, *terms, *new)
    assert (code, first, silent) == (0, second, "")
    assert told.count("goes on working for a while") == 3


# Tables.


def test_all_mistakes_of_a_table_are_told_at_once(tmp_path: Path) -> None:
    path = tmp_path / "f.csv"
    lines = [f"2027-01-{day:02},{'x' if day % 3 == 0 else day}" for day in range(1, 29)] + ["2027-02-30,5", ",7"]
    path.write_text("date,amount\n" + "\n".join(lines) + "\n")
    with pytest.raises(InputError) as caught:
        CashFlows.from_csv(path)
    rows = [one.place.row for one in caught.value.mistakes]
    assert rows == [4, 7, 10, 13, 16, 19, 22, 25, 28, 30, 31]


@pytest.mark.parametrize("seed", range(6))
def test_days_are_settled_by_the_whole_column(seed: int, tmp_path: Path) -> None:
    drawn = random.Random(seed)
    days = [dt.date(2027, 1, 1) + dt.timedelta(drawn.randrange(700)) for _ in range(30)]
    for form, order in (
        ("%d/%m/%Y", "day-first"),
        ("%m/%d/%Y", "month-first"),
        ("%d.%m.%y", None),
        ("%b %d, %Y", None),
    ):
        for chosen in (days, [day for day in days if day.day <= 12] or [dt.date(2027, 2, 1)]):
            path = tmp_path / "f.csv"
            path.write_text(
                "date;amount\n" + "".join(f"{day.strftime(form)} 07:30;{k}\n" for k, day in enumerate(chosen))
            )
            clear = order is None or any(day.day > 12 for day in chosen) or all(day.day == day.month for day in chosen)
            if not clear:
                with pytest.raises(InputError, match="--dates day-first or --dates month-first"):
                    CashFlows.from_csv(path)
            read = CashFlows.from_csv(path, order=None if clear else order)
            assert [str(day) for day in read.dates] == sorted(str(day) for day in chosen)


def test_many_numbers_and_days_are_read_as_python_reads_them(tmp_path: Path) -> None:
    drawn = np.random.default_rng(3)
    texts = [f"{drawn.normal() * 10.0 ** drawn.integers(-6, 8):.{drawn.integers(0, 7)}f}"[:16] for _ in range(20_000)]
    days = np.arange("1901-01-01", "1955-10-05", dtype="datetime64[D]")[: len(texts)]
    path = tmp_path / "f.csv"
    path.write_text("date,amount\n" + "".join(f"{day},{text}\n" for day, text in zip(days, texts, strict=True)))
    flows = CashFlows.from_csv(path)
    assert flows.amounts.tolist() == [float(text) + 0.0 for text in texts]
    assert (flows.dates == days).all()


# Reports.


@pytest.mark.parametrize("ending", some([".html", ".pdf", ".xlsx"], 3))
def test_files_go_along_under_the_paths_that_name_them(
    ending: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(tmp_path)
    text = 'deal = "x"\n[timeline]\nperiods = 2\n[inputs]\nf = {{ file = "{}", column = "f" }}\n[measures]\nm = "total(f, 1)"\n'
    for folder, file, first in (
        ("v1", "s.csv", 1),
        ("v2", "s.csv", 100),
        ("sub", "data/x.csv", 7),
        ("linked", "ln.csv", 9),
    ):
        (tmp_path / folder / "data").mkdir(parents=True)
        (tmp_path / folder / "deal.toml").write_text(text.format(file))
        real = tmp_path / folder / ("data/real.csv" if file == "ln.csv" else file)
        real.write_text(f"f\n{first}\n{first + 1}\n")
        if file == "ln.csv":
            (tmp_path / folder / file).symlink_to("data/real.csv")
    for name, deals, total in (("c", ["v1/deal.toml", "v2/deal.toml"], 3), ("d", ["v2/deal.toml", "v1/deal.toml"], 201),
                               ("s", ["sub/deal.toml"], 15), ("l", ["linked/deal.toml"], 19)):  # fmt: skip
        assert said(capsys, "compare", *deals, "--output", f"{name}{ending}")[0] == 0
        _, out, _ = said(capsys, "weigh", f"{name}{ending}", "--format", "json")
        assert json.loads(out)["measures"]["m"] == total
    for name in ("a:b", "a" * 130):
        (tmp_path / "v1" / f"{name}.toml").write_text(text.format("s.csv"))
        code, _, err = said(capsys, "weigh", f"v1/{name}.toml", "--output", f"q{ending}")
        assert (code, "cannot go along in a report" in err, Path(f"q{ending}").exists()) == (2, True, False)
    code, _, err = said(capsys, "weigh", f"c{ending}", "--with", "g=3")
    assert code == 2
    assert "/tmp" not in err.replace(str(tmp_path), "")
    if ending == ".pdf":
        from pypdf import PdfWriter

        locked = PdfWriter(clone_from=f"c{ending}")
        locked.encrypt("secret")
        locked.write("locked.pdf")
        assert "is encrypted" in said(capsys, "weigh", "locked.pdf")[2]


def test_what_a_killed_write_leaves_is_cleared_away(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    script = f"""
import os, signal, sys
from pathlib import Path
from pennyweight.report.files import replace_with
from tests.sizes import some
replace_with(Path({str(tmp_path / "k.json")!r}), lambda target: (target.write_text("half"), os.kill(os.getpid(), signal.SIGKILL)))
"""
    ran = subprocess.run([sys.executable, "-c", script], check=False)
    assert ran.returncode == -signal.SIGKILL
    assert len(list(tmp_path.glob(".pennyweight-*"))) == 1
    assert (
        said(capsys, "repay", "--owed", "5k", "--rate", "5%", "--years", "2", "--output", str(tmp_path / "o.json"))[0]
        == 0
    )
    assert sorted(path.name for path in tmp_path.iterdir()) == ["o.json"]


# Hostile input.


@pytest.mark.parametrize(
    "arguments",
    [
        ["grow", "--opening", "100", "--closing", "0", "--years", "3", "--working"],
        ["repay", "--owed", "100", "--payment", "0", "--years", "3", "--still-owed", "0", "--working"],
        ["withdraw", "--pot", "100", "--withdrawal", "0", "--years", "3", "--pot-left", "0", "--working"],
        ["repay", "--owed", "1000000", "--payment", "0.03", "--rate", "0%"],
        ["repay", "--owed", "5k", "--rate", "5%", "--years", "3", "--output", "loop.json"],
        ["repay", "--owed", "5k", "--rate", "5%", "--years", "3", "--output", "o.html", "--logo", "pipe"],
        ["repay", "--owed", "5k", "--rate", "5%", "--years", "3", "--output", "o.html", "--logo", "huge.png"],
        ["new", "x\udcff.toml", "--name", "\udcff"], ["weigh", "\udcfe.toml"], ["flows", "returns.csv"],
        ["flows", "wide.csv"], ["loan", "steep.toml"], ["weigh", "scripts.html"], ["weigh", "u16.html"],
    ],
)  # fmt: skip
def test_hostile_input_gets_a_sentence(
    arguments: list[str], hostile: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(hostile)
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        code, _, err = said(capsys, *arguments)
    assert code in (0, 2, 3)
    assert code == 0 or err.startswith("pennyweight: ")
    assert "<class" not in err


@pytest.fixture(scope="module")
def hostile(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder of files that nobody should trust."""
    from PIL import Image

    folder = tmp_path_factory.mktemp("hostile")
    with contextlib.chdir(folder):
        _hostile_files(Image)
    return folder


def _hostile_files(image: Any) -> None:
    Path("loop.json").symlink_to("loop.json")
    os.mkfifo("pipe")
    image.new("1", (12_000, 12_000)).save("huge.png")
    Path("returns.csv").write_bytes(b"date,amount\r2027-01-01,-5\r2028-01-01,6\r")
    Path("wide.csv").write_text(
        ",".join(f"c{k}" for k in range(20_000)) + "\n" + ",".join("1" for _ in range(20_000)) + "\n"
    )
    Path("steep.toml").write_text('loan = "x"\namount = 1_000\nyears = 3\nrate = "70000% continuous"\n')
    Path("scripts.html").write_text('<script type="application/json" id="pennyweight-carried">' * 5_000)
    Path("u16.html").write_bytes("<p>nothing</p>".encode("utf-16"))


def test_calls_with_wrong_things_are_errors_of_the_family() -> None:
    events = {"loan": [0], "number": [1], "what": ["extra"]}
    for call in (
        lambda: pw.amortize([1_000], "5%", [12], threads="1"), lambda: pw.amortize([1_000], "5%", [12], threads=0.5),
        lambda: pw.amortize([], [], [], events=pw.LoanEvents(**events, value=[5.0])),
        lambda: pw.amortize([1_000], "5%", [12], events=pw.LoanEvents(**events, value=["1"])),
        lambda: pw.amortize([1_000], "5%", [12], events=pw.LoanEvents(**events, value=[b"1"])),
        lambda: Loan(float, "5%", years=3), lambda: npv(object(), 0.05),
    ):  # fmt: skip
        with pytest.raises(InputError) as caught:
            call()
        assert "<class" not in str(caught.value)
        assert "object at 0x" not in str(caught.value)
    index = Benchmark(["2024-01-01", "2024-07-01"], [100.0, 104.0])
    assert index.at("2024-06-01") == 100.0


def test_an_order_of_days_that_changes_nothing_is_told(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "f.csv"
    for day, idle in (("2027-01-02", True), ("2 Jan 2027", True), ("02/01/2027", False)):
        path.write_text(f"date,amount\n{day},5\n{day.replace('2027', '2028')},-6\n")
        code, _, err = said(capsys, "flows", str(path), "--dates", "day-first")
        assert (code, "day-first changes nothing" in err) == (0, idle)
    code, _, err = said(capsys, "flows", str(path), "--column", "in=amount", "--column", "out=amount")
    assert (code, "'amount' is said to be in and out" in err) == (2, True)


def test_a_report_of_reports_names_no_folder_of_ours(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(tmp_path)
    for name, hurdle in (("a", "8%"), ("b", "9%")):
        assert said(capsys, "weigh", str(TAXI), "--with", f"hurdle={hurdle}", "--output", f"{name}.html")[0] == 0
    for turn in ("c.html", "d.html"):
        assert said(capsys, "compare", "a.html", "b.html", "--output", turn)[0] == 0
    assert Path("c.html").read_bytes() == Path("d.html").read_bytes()
    assert b"pennyweight-report-" not in Path("c.html").read_bytes()
    assert said(capsys, "weigh", "c.html")[0] == 0
