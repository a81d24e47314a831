"""The command line as a user meets it: what it prints, writes, refuses, and its exit status."""

from __future__ import annotations

import csv
import json
import subprocess
import sys
from io import StringIO
from pathlib import Path

import pytest

from pennyweight import Deal
from pennyweight.cli.demo import _copy_data
from pennyweight.cli.main import COMMANDS, status
from tests.builders import STARTERS, TAXI

BOATYARD = STARTERS / "flows" / "boatyard.csv"


class Ran:
    """What a call of the command line left."""

    def __init__(self, code: int, out: str, err: str) -> None:
        self.code, self.out, self.err = code, out, err


@pytest.fixture
def run(capsys: pytest.CaptureFixture[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    """Call the command line in an empty folder that holds the taxi."""
    for name in ("taxi.toml", "ridership.csv"):
        (tmp_path / name).write_text((TAXI.parent / name).read_text(encoding="utf-8"), encoding="utf-8")
    monkeypatch.chdir(tmp_path)

    def call(*arguments: str) -> Ran:
        code = status(list(arguments))
        captured = capsys.readouterr()
        return Ran(code, captured.out, captured.err)

    return call


def test_weigh_prints_the_verdict_and_its_parts(run) -> None:
    ran = run("weigh", "taxi.toml", "--by", "year")
    assert ran.code == 0
    for part in (
        "PAYS OFF",
        "Goals",
        "Figures",
        "Answers",
        "Turning points",
        "By year, year 0 to year 6",
        "79,556.59",
    ):
        assert part in ran.out
    assert ran.err == ""


def test_strict_turns_the_verdict_into_the_exit_status(run) -> None:
    assert run("weigh", "taxi.toml", "--strict").code == 0
    assert run("weigh", "taxi.toml", "--strict", "--scenario", "dear_hull").code == 1
    assert run("weigh", "taxi.toml", "--scenario", "dear_hull").code == 0


def test_json_has_the_stable_keys(run) -> None:
    weighed = json.loads(run("weigh", "taxi.toml", "--format", "json", "--with", "hull=430k").out)
    assert weighed["format"] == 1
    assert weighed["inputs"]["hull"] == 430_000
    assert weighed["inputs"]["trips"][0] is None
    assert weighed["verdict"] == "pays off"
    assert set(weighed["goals"]["payback"]) == {"met", "state", "value", "at_most", "slack"}
    assert weighed["turning_points"]["hull"].keys() >= {"base", "turns_at", "distance"}
    assert weighed["answers"]["top_price"] == pytest.approx([537_185.75], abs=0.01)
    compared = json.loads(run("compare", "taxi.toml", "--format", "json").out)
    assert compared["scenarios"]["wet_summers"]["verdict"] == "falls short"
    varied = json.loads(run("vary", "taxi.toml", "hull=400k,420k", "--format", "json", "--show", "npv").out)
    assert [sorted(row) for row in varied["rows"]] == [["hull", "npv", "pays_off", "verdict"]] * 2
    found = json.loads(run("find", "taxi.toml", "hull", "npv == 0", "--format", "json", "--scenario", "all").out)
    assert found["input"] == "hull"
    assert set(found["answers"]) == set(Deal.read("taxi.toml").scenarios)
    flows = json.loads(run("flows", str(BOATYARD), "--rate", "7%", "--format", "json").out)
    assert flows.keys() >= {"npv", "irr", "irrs", "payback", "discounted_payback", "roi", "profitability_index", "money_in", "money_out"}  # fmt: skip
    assert flows["irrs"] == [flows["irr"]]


def test_csv_is_the_main_table(run) -> None:
    rows = list(csv.DictReader(StringIO(run("weigh", "taxi.toml", "--format", "csv").out)))
    figures = {row["name"]: row["value"] for row in rows if row["kind"] == "measure"}
    assert float(figures["npv"]) == json.loads(run("weigh", "taxi.toml", "--format", "json").out)["measures"]["npv"]
    beside = list(csv.DictReader(StringIO(run("compare", "taxi.toml", "--format", "csv").out)))
    assert [row["base"] for row in beside if row["figure"] == "npv"] == [figures["npv"]]
    rows = list(csv.DictReader(StringIO(run("weigh", "taxi.toml", "--by", "period", "--format", "csv").out)))
    assert len(rows) == 13
    assert rows[0]["date"] == "2027-01-01"
    assert float(rows[0]["net"]) == -315_000
    rows = list(
        csv.DictReader(StringIO(run("vary", "taxi.toml", "hull=400k,420k", "hurdle=8%,9%", "--format", "csv").out))
    )
    assert [row["pays_off"] for row in rows] == ["True"] * 4
    rows = list(csv.DictReader(StringIO(run("find", "taxi.toml", "hull", "--format", "csv").out)))
    assert rows[0]["kind"] == "at most"


def test_files_take_the_form_of_their_ending(run, tmp_path: Path) -> None:
    names = ["a.json", "a.csv", "a.txt", "a.html", "a.png", "a.svg"]
    ran = run("weigh", "taxi.toml", *(part for name in names for part in ("--output", name)))
    assert ran.code == 0
    assert ran.err.count("Written: ") == len(names)
    assert json.loads((tmp_path / "a.json").read_text())["deal"] == "Electric water-taxi for the quay"
    assert (tmp_path / "a.png").read_bytes()[:4] == b"\x89PNG"
    assert (tmp_path / "a.svg").read_text().count("<svg") == 1
    page = (tmp_path / "a.html").read_text()
    assert page.count("<svg") == 3  # flows, worth over the rate, worth by line
    assert "Turning points" in page
    assert "http://" not in page.replace("http://www.w3.org", "").replace("http://purl.org", "").replace("http://creativecommons.org", "")  # fmt: skip
    assert (tmp_path / "a.txt").read_text().startswith("Electric water-taxi for the quay\n====")
    assert sorted(path.name for path in tmp_path.iterdir() if path.name.startswith(".")) == []


@pytest.mark.parametrize(
    ("arguments", "sentence"),
    [
        (["weigh", "tax.toml"], "There is no file tax.toml; did you mean 'taxi.toml'?"),
        (["weigh", "taxi.toml", "--scenario", "wet_sumers"], "no scenario 'wet_sumers'; did you mean 'wet_summers'?"),
        (["weigh", "taxi.toml", "--with", "hul=3"], "no input 'hul'; did you mean 'hull'?"),
        (["weigh", "taxi.toml", "--with", "hull"], "write INPUT=VALUE"),
        (["weigh", "taxi.toml", "--with", "hull=1", "--with", "hull=2"], "gives hull twice"),
        (["weigh", "taxi.toml", "--with", "hull=abc"], "hull is 'abc', which is not a number"),
        (["weigh", "taxi.toml", "--with", "hurdle=9"], "9 is 900% a year; write 9%"),
        (["weigh", "taxi.toml", "--with", "trips=scale x"], "the scale of trips is 'x'"),
        (["weigh", "taxi.toml", "--output", "x.doc"], "unknown file extension"),
        (["weigh", "taxi.toml", "--output", "no/x.json"], "there is no folder no"),
        (["weigh", "taxi.toml", "--format", "xml"], "'xml' is not one of"),
        (
            ["rates", "6%", "--output", "x.png"],
            "there is nothing to draw here",
        ),
        (["compare", "taxi.toml", "taxi.toml"], "named twice"),
        (
            ["compare", "taxi.toml", "--bridge", "npv", "--scenario", "base", "--scenario", "dear_hull", "--strict"],
            "--bridge gives none",
        ),
        (["loan", "10000", "--rate", "5%", "--years", "2"], "There is no file 10000"),
        (["wiegh", "taxi.toml"], "no command 'wiegh'; did you mean 'weigh'?"),
        (["weigh"], "Missing argument 'DEAL'"),
        (["vary", "taxi.toml", "hull"], "write INPUT=RANGE"),
        (["vary", "taxi.toml", "hull=1;2", "--show", "nvp"], "no measure 'nvp'; did you mean 'npv'?"),
        (["vary", "taxi.toml", "hull=1;2", "hull=3;4"], "varied twice"),
        (["find", "taxi.toml", "hull", "npv"], "must compare two values"),
        (["find", "taxi.toml", "hull", "npv = 0"], "write =="),
        (["find", "taxi.toml", "hull", "npv == 0", "--between", "5..1"], "write the smaller first"),
        (["find", "taxi.toml", "hull", "npv == 0", "--between", "5"], "write LOW..HIGH"),
        (["find", "taxi.toml", "hull", "npv == 0", "--with", "hull=3"], "cannot be given a value too"),
        (["flows", "no.csv"], "There is no file no.csv"),
        (["flows", "ridership.csv"], "no column 'amount'"),
        (["flows", str(BOATYARD), "--rate", "7"], "7 is 700% a year; write 7%"),
        (["flows", str(BOATYARD), "--period", "month"], "has dates, so there is no period to give"),
        (["new", "taxi.toml"], "is there already"),
        (["new", "x.txt"], "ends in .toml"),
        (["new", "no/x.toml"], "there is no folder no"),
    ],
)
def test_bad_input_is_one_sentence_and_status_2(run, tmp_path: Path, arguments: list[str], sentence: str) -> None:
    before = sorted(tmp_path.iterdir())
    ran = run(*arguments)
    assert ran.code == 2
    assert sentence in ran.err
    assert ran.err.startswith("pennyweight: ")
    assert ran.err.count("\n") == 1
    assert ran.out == ""
    assert sorted(tmp_path.iterdir()) == before


def test_plans_and_rates_answer_in_every_form(run) -> None:
    ran = json.loads(
        run(
            "grow",
            "--opening",
            "10k",
            "--deposit",
            "200",
            "--per-year",
            "month",
            "--rate",
            "4.5%",
            "--years",
            "12",
            "--format",
            "json",
        ).out
    )
    i = 1.045 ** (1 / 12) - 1
    assert ran["find"] == "closing"
    assert ran["closing"] == ran["answer"] == pytest.approx(10_000 * 1.045**12 + 200 * (1.045**12 - 1) / i)
    assert ran.keys() >= {"opening", "deposit", "rate", "years", "closing", "nominal", "effective"}
    ran = run("repay", "--owed", "250k", "--rate", "4.2%", "--years", "25", "--working", "--currency", "EUR")
    assert "EUR 1,347.36" in ran.out
    assert "payment = (owed - still_owed × v) / a" in ran.out
    rows = list(
        csv.DictReader(StringIO(run("repay", "--owed", "1k", "--rate", "6%", "--years", "1", "--format", "csv").out))
    )
    assert len(rows) == 12
    assert float(rows[-1]["closing"]) == pytest.approx(0.0, abs=1e-9)
    forever = json.loads(
        run(
            "withdraw", "--withdrawal", "30k", "--rate", "4%", "--years", "forever", "--find", "pot", "--format", "json"
        ).out
    )
    assert (forever["answer"], forever["years"], forever["forever"]) == (pytest.approx(750_000), None, True)
    rates = json.loads(run("rates", "12%", "--compounding", "monthly", "--format", "json").out)
    assert (rates["nominal"], rates["effective"]) == (pytest.approx(0.12), pytest.approx(0.126825, abs=1e-6))
    assert run("repay", "--owed", "250k", "--rate", "5.04%", "--payment", "900").code == 3
    assert run("repay", "--owed", "250k", "--rate", "5", "--years", "3").code == 2
    assert "5 is 500% a year; write 5%" in run("rates", "5").err
    assert json.loads(run("rates", "-0.5%", "--format", "json").out)["years"] is None
    assert "a rate must be above -100%" in run("rates", "-100%").err
    refused = run("loan", "--owed", "100", "--rate", "5%", "--years", "3", "--currency", "EURO")
    assert (refused.code, "write its three letters" in refused.err) == (2, True)


def test_one_file_that_cannot_be_leaves_none(run, tmp_path: Path) -> None:
    """A result without a chart is not half written when one of its files is a picture."""
    before = sorted(tmp_path.iterdir())
    ran = run("rates", "6%", "--output", "a.json", "--output", "b.png")
    assert ran.code == 2
    assert "there is nothing to draw here" in ran.err
    assert sorted(tmp_path.iterdir()) == before


def test_the_demo_keeps_what_is_not_its_own(run, tmp_path: Path) -> None:
    (tmp_path / "taxi.toml").write_text("my own", encoding="utf-8")
    ran = run("demo", "--folder", ".")
    assert ran.code == 2
    assert "is there already and is not the demo's" in ran.err
    assert (tmp_path / "taxi.toml").read_text(encoding="utf-8") == "my own"
    assert not (tmp_path / "boatyard.csv").exists()
    (tmp_path / "taxi.toml").unlink()
    (tmp_path / "deal.schema.json").write_text("{}", encoding="utf-8")
    _copy_data(tmp_path)  # an older version's schema does not stop it; the demo's commands run in the README's block
    assert len((tmp_path / "deal.schema.json").read_text(encoding="utf-8")) > 10_000


def test_no_answer_is_status_3(run) -> None:
    ran = run("find", "taxi.toml", "hull", "margin == 2")
    assert ran.code == 3
    assert "No value of hull makes 'margin == 2' come true" in ran.err
    ran = run("find", "taxi.toml", "swap_year", "npv >= 0", "--scenario", "base", "--scenario", "wet_summers")
    assert (
        "'npv >= 0' does not turn with swap_year: true for every value between 0 and 12 years (as it stands); "
        in ran.err
    )
    assert "true for no value between 0 and 12 years (Two wet summers in three)" in ran.err


def test_flows_from_periods_and_from_dates(run, tmp_path: Path) -> None:
    (tmp_path / "p.csv").write_text('period,amount\n0,-1000\n2,700\n2,"600,5"\n1,0\n', encoding="utf-8")
    refused = run("flows", "p.csv", "--rate", "10%")
    assert refused.code == 2
    assert "row 4, column 'amount' is '600,5', which could be 600.5 or 6005" in refused.err
    (tmp_path / "p.csv").write_text("period;amount\n0;-1.000,00\n2;700\n2;EUR 600\n1;0\n", encoding="utf-8")
    ran = json.loads(run("flows", "p.csv", "--rate", "10%", "--format", "json").out)
    assert ran["npv"] == pytest.approx(-1000 + 1300 / 1.21)
    assert ran["irr"] == pytest.approx(1.3**0.5 - 1)
    (tmp_path / "e.csv").write_text("date,amount\n", encoding="utf-8")
    assert "a header and no flows" in run("flows", "e.csv").err
    (tmp_path / "d.csv").write_text("date,amount\n2026-02-30,5\n", encoding="utf-8")
    assert "row 2, column 'date' is '2026-02-30', a day that does not exist" in run("flows", "d.csv").err
    (tmp_path / "n.csv").write_text("period,amount\n-1,5\n", encoding="utf-8")
    assert "row 2, column 'period' is -1" in run("flows", "n.csv").err


def test_flows_working_and_its_options(run) -> None:
    ran = run("flows", str(BOATYARD), "--rate", "7%", "--working")
    assert "Formula: npv = sum of flow × (1 + r)^-t" in ran.out
    data = json.loads(run("flows", str(BOATYARD), "--rate", "7%", "--places", "3", "--format", "json").out)
    assert data["by_hand"] - data["npv"] == pytest.approx(data["difference"])
    refused = run("flows", str(BOATYARD), "--working")
    assert (refused.code, "so it needs --rate" in refused.err) == (2, True)
    beside = json.loads(
        run("flows", str(BOATYARD), "--account-at", "3%", "--day-count", "30E/360", "--format", "json").out
    )
    assert beside["account"]["ahead"] == pytest.approx(beside["account"]["returns"] - beside["account"]["deposits"])
    assert run("flows", str(BOATYARD), "--day-count", "30E/365").code == 2


def test_several_rates_are_all_told(run, tmp_path: Path) -> None:
    (tmp_path / "two.csv").write_text("period,amount\n0,-100\n1,230\n2,-132\n", encoding="utf-8")
    ran = json.loads(run("flows", "two.csv", "--format", "json").out)
    assert ran["irr"] is None
    assert ran["irrs"] == pytest.approx([0.1, 0.2])
    assert "10.00% and 20.00%" in run("flows", "two.csv").out


def test_new_writes_a_deal_that_weighs(run, tmp_path: Path) -> None:
    ran = run("new", "kiln.toml", "--title", 'A "kiln"')
    assert ran.code == 0
    assert "pennyweight weigh kiln.toml" in ran.out
    text = (tmp_path / "kiln.toml").read_text()
    assert text.count("#") > 10
    assert Deal.read("kiln.toml").definition.title == 'A "kiln"'
    assert run("weigh", "kiln.toml", "--strict").code == 0
    (tmp_path / "sub").mkdir()
    assert run("new", "sub/boat.toml", "--starter", "taxi").code == 0
    assert (tmp_path / "sub" / "ridership.csv").exists()
    assert run("weigh", "sub/boat.toml").code == 0


def test_whole_files_are_put_together(run) -> None:
    run("new", "kiln.toml")
    ran = run("compare", "taxi.toml", "kiln.toml")
    assert ran.code == 0
    assert "ALL PAY OFF" in ran.out
    assert run("compare", "taxi.toml", "kiln.toml", "--with", "hull=3").code == 2
    ran = run("compare", "taxi.toml", "kiln.toml", "--scenario", "wet_summers")
    assert "(Two wet summers in three)" in ran.out
    assert "(as it stands)" in ran.out
    assert "did you mean 'wet_summers'?" in run("compare", "taxi.toml", "kiln.toml", "--scenario", "wet_sumers").err
    Path("kiln.toml").write_text(Path("kiln.toml").read_text().replace("EUR", "USD"))
    assert "'taxi' is in EUR and 'kiln' is in USD" in run("compare", "taxi.toml", "kiln.toml").err
    Path("new").mkdir()
    header = "date,account,kind,amount\n"
    Path("values.csv").write_text(header + "2024-12-31,a,value,100\n2025-12-31,a,value,120\n")
    Path("new/paid.csv").write_text(header + "2025-06-30,a,deposit,10\n")
    assert run("returns", "values.csv", "new/paid.csv").code == 0
    assert "paid.csv is named twice" in run("returns", "values.csv", "new/paid.csv", "new/../new/paid.csv").err


def test_functions_lists_every_function(run) -> None:
    from pennyweight.deals.language.functions import FUNCTIONS

    out = run("functions").out
    for function in FUNCTIONS.values():
        assert function.signature in out
        assert function.summary[:20] in out
        assert function.example in out


@pytest.mark.parametrize("command", COMMANDS)
def test_every_command_has_help_with_an_example(run, command: str) -> None:
    ran = run(command, "--help")
    assert ran.code == 0
    assert f"Example: pennyweight {command}" in " ".join(ran.out.split())


def test_help_loads_neither_numbers_nor_tables() -> None:
    """`--help` and `import pennyweight` stay light: only what they need is imported."""
    script = (
        "import sys; from pennyweight.cli.main import status; status(['--help']);"
        "print(sorted({'numpy','pandas','scipy','matplotlib','pydantic','rich'} & set(sys.modules)), file=sys.stderr)"
    )
    ran = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    assert ran.stderr.strip() == "[]"
    for name in COMMANDS:
        assert f"  {name} " in ran.stdout
    script = (
        "import sys, pennyweight; pennyweight.npv([-1.0, 2.0], 0.1); pennyweight.irr([-1.0, 2.0]);"
        "print(sorted({'pandas','scipy','matplotlib','pydantic','rich','click'} & set(sys.modules)))"
    )
    assert subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True).stdout == "[]\n"


def test_a_closed_pipe_ends_quietly(tmp_path: Path) -> None:
    command = f"'{sys.executable}' -m pennyweight weigh '{TAXI}' --by year | head -1"
    ran = subprocess.run(["bash", "-c", command], capture_output=True, text=True, check=True)
    assert ran.stdout.startswith("Electric water-taxi")
    assert "Traceback" not in ran.stderr


def test_a_file_for_another_command_says_which(run, tmp_path: Path) -> None:
    (tmp_path / "loan.toml").write_text('loan = "L"\namount = 1_000\nrate = "5%"\nyears = 1\n', encoding="utf-8")
    assert "loan.toml, line 1, loan: this is a loan file; use 'pennyweight loan'" in run("weigh", "loan.toml").err
    assert "taxi.toml, line 5, deal: this is a deal file; use 'pennyweight weigh'" in run("loan", "taxi.toml").err
