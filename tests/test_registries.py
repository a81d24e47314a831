"""Each registry is walked from outside: whatever is in it works, is explained, and is refused by its name when misspelt."""

from __future__ import annotations

from datetime import date
from io import BytesIO
from pathlib import Path

import numpy as np
import pytest

from pennyweight import Deal, Document, Event, InputError, Loan, effective_rate, year_fraction
from pennyweight.analysis.weighing.checks import CHECKS, Case
from pennyweight.cli.main import COMMANDS, status
from pennyweight.core.daycount import DAY_COUNTS
from pennyweight.core.loans.repayment import REPAID
from pennyweight.deals.language.function import Function
from pennyweight.deals.language.functions import FUNCTIONS
from pennyweight.documents.shown import Shown
from pennyweight.instruments.loans.books.events import EVENTS
from pennyweight.quantities.periods import FREQUENCIES, PER_YEAR, read_per_year
from pennyweight.quantities.units import UNITS
from pennyweight.report.charts.figure import DRAWN, draw
from pennyweight.report.files import check_drawable, check_target, write
from pennyweight.report.forms.csv_form import as_csv
from pennyweight.report.forms.registry import FORMS
from pennyweight.starters.library import LIBRARY
from tests.results import RESULTS, loan, taxi
from tests.sizes import some

ARGUMENTS = {
    "line": "sales", "name": "sales", "single": "2", "any": "3", "rate": "5%", "anyrate": "5%", "years": "2", "period": "1", "window": "1",
    "brackets": "levy", "things": "stalls.area", "thing": "'Tea'",
}  # fmt: skip


def _deal(formula: str, section: str, unit: str = "money") -> Deal:
    document: dict[str, object] = {
        "deal": "Ropewalk",
        "timeline": {"periods": 4, "start": date(2027, 1, 1)},
        "brackets": {"levy": {"steps": {"0": "0%", "20": "10%", "90": "20%"}}},
        "sets": {"stalls": {"rows": [{"stall": "Tea", "area": 12}, {"stall": "Rope", "area": 30}]}},
        "money_in": {"sales": {"formula": "30", "from": 1}},
        "money_out": {"rope": {"formula": "80", "at": 0}},
        section: {"asked": {"formula": formula, "unit": unit}},
    }
    return Deal.from_dict(document)


@pytest.mark.parametrize("function", FUNCTIONS.values(), ids=list(FUNCTIONS))
def test_every_function_can_be_called_with_and_without_what_may_be_left_out(function: Function) -> None:
    own = {
        "condition": "sales > 0",
        "flows": "net",
        "above": "-50%",
        "below": "500%",
        "share": "60%",
        "which": "1",
        "curve": "0.9 ** t",
        "growth": "2%",
        "where": "sales > 0 or rope > 0",
        "x": "stalls.area > 20" if function.name == "count_of" else ARGUMENTS[function.parameters[0].kind],
    }
    taken = [p for p in function.parameters if p.name not in ("paid", "counted")]  # said by name alone
    given = [own.get(p.name, ARGUMENTS[p.kind]) for p in taken]
    needed = [text for text, p in zip(given, taken, strict=True) if not p.optional]
    section = "measures" if function.result == "single" else "lines"
    for arguments in (given, needed):
        told = _deal(f"{function.name}({', '.join(arguments)})", section).weigh()
        found = told.as_dict()["measures"]["asked"] if section == "measures" else told.frame["asked"].iloc[-1]
        assert np.isfinite(found), (function.name, found)
    with pytest.raises(InputError, match=function.name):
        _deal(f"{function.name}()", section)
    with pytest.raises(InputError, match=f"'{function.name}'"):
        _deal(f"{function.name}x({needed[0]})", section)


def test_every_command_has_help_and_every_starter_its_files(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    for name, (_, summary) in some(list(COMMANDS.items()), 3):
        assert status([name, "--help"]) == 0
        assert f"pennyweight {name}" in capsys.readouterr().out
        assert summary.endswith(".")
    assert status(["new", "--list"]) == 0
    listed = capsys.readouterr().out
    assert (status(["new"]), capsys.readouterr().out) == (0, listed)
    for name, starter in some(list(LIBRARY.items()), 5):
        assert f"{name} {starter.answers}" in " ".join(listed.split())
        (tmp_path / name).mkdir()
        mine = tmp_path / name / "mine.toml"
        assert status(["new", str(mine), "--starter", name]) == 0
        assert "THIS_FILE" not in mine.read_text(encoding="utf-8")
        assert status(["loan" if starter.is_loan else "weigh", str(mine)]) == 0


@pytest.mark.parametrize("repaid", REPAID)
@pytest.mark.parametrize("what", EVENTS)
def test_every_event_happens_to_loans_repaid_in_every_way(repaid: str, what: str) -> None:
    value = {"rate": "7%", "extra": 250.0, "paid": 900.0, "balance": 9_000.0}[what]
    day = "2026-06-20" if repaid == "half every two weeks" else "2026-06-30"  # what is paid is paid on a due day
    plain = Loan(10_000, "5%", years=2, repaid=repaid, start="2026-01-31")
    told = Loan(10_000, "5%", years=2, repaid=repaid, start="2026-01-31", events=[Event(day, what, value)])
    assert float(plain.schedule.frame["principal"].sum()) == pytest.approx(10_000, abs=0.005)
    assert told.schedule.total_interest != plain.schedule.total_interest
    with pytest.raises(InputError, match=f"'{what}s'"):
        _ = Loan(10_000, "5%", years=2, start="2026-01-31", events=[Event(day, f"{what}s", value)]).schedule


@pytest.mark.parametrize("ending", some(list(FORMS), 2))
def test_every_form_is_written_and_known_again_as_ours(ending: str, tmp_path: Path) -> None:
    result = Loan(10_000, "5%", years=2)
    path = tmp_path / f"result{ending}"
    write(result, path)
    table = as_csv(result).split("\n", 1)[0]
    check_target(path, read=(), force=False, header=table)
    write(result, path)
    again = path.read_bytes()
    write(result, path)
    assert path.read_bytes() == again  # the same figures give the same file
    path.write_bytes(b"dear diary\n" * 9)
    with pytest.raises(InputError, match="Pennyweight has not written it"):
        check_target(path, read=(), force=False, header=table)
    if FORMS[ending].draws:
        with pytest.raises(InputError, match="nothing to draw"):
            check_drawable(path, Document("Bare", ()))


def test_every_chart_is_drawn() -> None:
    from matplotlib.figure import Figure

    shown = [*(result() for result in RESULTS.values()), loan()]
    shown.append(taxi().vary({"hurdle": ["8%", "9%"], "hull": ["400k", "450k"]}))
    documents = [one.document() for one in shown if isinstance(one, Shown)]
    charts = {type(chart): chart for document in documents for chart in document.charts}
    assert charts.keys() == DRAWN.keys()
    for chart in charts.values():
        made = Figure()
        draw(chart, made.subplots())
        made.savefig(BytesIO())


@pytest.mark.parametrize("name", DAY_COUNTS)
def test_every_day_count_makes_a_year_of_a_year(name: str) -> None:
    start, end = np.datetime64("2026-03-15"), np.datetime64("2027-03-15")
    exact = {"actual/360": 365 / 360}.get(name, 1.0)
    assert float(year_fraction(start, end, name)) == pytest.approx(exact, abs=1e-15)
    for_loans = DAY_COUNTS[name].for_loans
    try:
        charged = Loan(1_000, "36%", months=1, start="2026-03-15", interest=name).schedule.total_interest
    except InputError as error:
        assert not for_loans, error
    else:
        # thirty-one days of March and April, or a month of thirty
        basis = DAY_COUNTS[name].basis or 0.0
        days = 30 if name.startswith("30") else 31
        assert for_loans
        assert charged == round(360 * days / basis, 2)


def test_every_check_is_a_question_of_its_own() -> None:
    """Each is asked of the taxi, and what they find together is what the weighing shows."""
    weighing = taxi().weigh()
    case = Case(weighing.model, weighing.inputs, weighing.worked_out)
    found = [check for look in CHECKS for check in look(case)]
    assert tuple(found) == weighing.checks
    assert len({look.__name__ for look in CHECKS}) == len(CHECKS)


def test_every_word_for_so_many_times_a_year_and_every_unit() -> None:
    for word, times in PER_YEAR.items():
        assert read_per_year(word) == times
    for word, often in FREQUENCIES.items():
        expected = 2.718281828459045**0.06 - 1 if often == float("inf") else (1 + 0.06 / often) ** often - 1
        assert float(effective_rate(0.06, word)) == pytest.approx(expected, rel=1e-12)
    for unit in UNITS:
        formula = "sales > 20" if unit == "condition" else "1"
        assert _deal(formula, "lines", unit).weigh().frame["asked"].iloc[-1] == 1
        with pytest.raises(InputError, match=f"the unit '{unit}x' is not known"):
            _deal("1", "lines", f"{unit}x")
