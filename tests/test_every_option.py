"""Every option of every command, every form of every result, and every command on every starter, at least once.

An option that is in no table below fails `test_every_option_is_tried`, so that none is left out; pairs are drawn.
"""

from __future__ import annotations

import importlib
import itertools
import random
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path

import click
import pytest

from pennyweight import Deal
from pennyweight.cli.demo import _copy_data
from pennyweight.cli.main import COMMANDS, status
from pennyweight.report.forms.registry import FORMS
from pennyweight.starters.library import LIBRARY
from tests.sizes import THOROUGH, some

Options = dict[str, list[str]]

COVER: Options = {
    "--title": ["A title"], "--prepared-by": ["The harbour board"], "--dated": ["2027-02-01", "none"], "--logo": ["logo.png"],
    "--without": ["source"],
}  # fmt: skip
TABLE: Options = {"--dates": ["day-first", "month-first"], "--decimal": [".", ","], "--sheet": ["Flows"]}
SAVED = {"grow": ("--opening 1k --deposit 125 --rate 4% --years 8", "--opening"), "repay": ("--owed 10k --rate 5% --years 4", "--owed"), "withdraw": ("--pot 90k --rate 3% --years 20", "--pot")}  # fmt: skip
PLAN: Options = {
    "--months": [], "--per-year": ["12", "quarter"], "--compounding": ["12", "continuous"], "--paid": ["start", "end"], "--growth": ["2%"],
    "--deferred": ["1"], "--currency": ["EUR"], "--working": [""], "--places": ["6"],
    "--find": [], "--rate": [], "--years": [],
}  # fmt: skip
DEAL: Options = {"--scenario": ["dear_hull"], "--with": ["hull=430k"]}
COMMON = {
    "--format": ["table", "csv", "json"],
    "--output": [f"out{ending}" for ending in FORMS],
    "--force": ["--output out.json"],
    **COVER,
}

# Of every command one call that is right, and what each of its options may be; where none is listed the call has it.
CALLS: dict[str, tuple[str, Options]] = {
    **{
        name: (call, {**PLAN, subject: [], **{option: [] for option in ("--deposit", "--closing", "--payment", "--still-owed", "--withdrawal", "--pot-left")}})
        for name, (call, subject) in SAVED.items()
    },
    "rates": ("6%", {"--compounding": ["4", "continuous"], "--per-year": ["12"], "--inflation": ["2%"], "--times": ["3"], "--in-advance": [""]}),
    "weigh": ("taxi.toml", {**DEAL, "--by": ["period", "year"], "--lines": ["fares,upkeep --by year"], "--each": ["tenants --by year"], "--from": ["2 --by period"], "--to": ["5 --by period"], "--watch": [], "--strict": [""]}),
    "compare": ("taxi.toml", {**DEAL, "--scenario": ["dear_hull --scenario wet_summers"], "--against": ["wet_summers"], "--bridge": ["npv --scenario base --scenario wet_summers"], "--tables": [], "--strict": [""]}),
    "vary": ("taxi.toml hull=380k..440k/3 hurdle=6%..8%:1%", {**DEAL, "--show": ["irr", "npv"], "--on": []}),
    "why": ("taxi.toml npv", {**DEAL, "--of": [], "--at": [], "--against": ["wet_summers"], "--by": ["year", "period"], "--depth": ["1"]}),
    "find": ("taxi.toml hull", {"--with": ["hurdle=5%"], "--most": [], "--least": [], "--scenario": ["all"], "--between": ["300k..500k"], "--along": ["hurdle=5%..9%"]}),
    "drivers": ("taxi.toml npv", {**DEAL, "--moved": ["10%"], "--cases": ["512"], "--hold": ["crew"], "--only": ["hull"], "--seed": ["5"], "--on": []}),
    "simulate": ("taxi.toml --cases 512", {**DEAL, "--cases": [], "--until": [], "--hold": ["crew"], "--only": ["crew"], "--show": ["irr"], "--fan": ["reserve"], "--seed": ["7"], "--plain": [""], "--on": []}),
    "flows": ("boatyard.csv --rate 7%", {**TABLE, "--column": ["date=date"], "--decimal": ["."], "--dates": [], "--sheet": [], "--rate": [], "--period": [], "--reinvested-at": ["4%"], "--borrowed-at": ["5%"], "--outlay": ["all", "first"], "--day-count": ["actual/360"], "--valued-on": ["2025-01-01"], "--account-at": ["5%"], "--working": [""], "--strict": [""], "--places": ["6"], "--currency": ["EUR"]}),
    "loan": ("--owed 86k --rate 4.2% --years 15 --start 2026-12-31", {**TABLE, "--sheet": [], "--owed": [], "--rate": [], "--years": [], "--months": [], "--payment": [], "--per-year": ["4"], "--compounding": ["2"], "--paid": ["start"], "--repaid": ["constant principal"], "--interest-only": ["12"], "--amortized-over": ["25"], "--still-owed": ["10k"], "--start": [], "--first-payment": ["2027-02-15"], "--day-count": ["actual/360"], "--fee-up-front": ["500"], "--fee-added": ["300"], "--fee-each": ["2"], "--rounding": ["half~even"], "--rate-moves": [], "--extra-moves": [], "--balance-moves": [], "--as-of": ["2029-01-31"], "--currency": ["EUR"], "--events": [], "--column": [], "--dates": [], "--decimal": [], "--kind": [], "--extra": ["100"], "--paid-off-by": ["2035-06-30"], "--by": ["payment"], "--strict": [""], "--working": [""]}),
    "book": ("loans.csv --output sums", {"--column": [], "--grouped": ["branch"], "--places": ["0"], "--currency": ["EUR"], "--events": ["loans-events.csv"], "--event-column": [], "--strict": [""], "--schedules": [""], "--on": [], "--output": []}),
    "returns": ("statements.csv", {**TABLE, "--dates": [], "--decimal": ["."], "--sheet": [], "--column": ["kind=kind"], "--kind": [], "--from": ["2024-06-30"], "--to": ["2024-12-31"], "--year-to-date": [""], "--timing": ["start"], "--benchmark": ["index.csv"], "--currency": ["EUR"], "--strict": [""]}),
    "bond": ("--coupon 4% --maturity 2031-06-15 --settlement 2027-02-01 --yield 3.5%", {"--coupon": [], "--maturity": [], "--settlement": [], "--yield": [], "--price": [], "--per-year": ["2"], "--day-count": ["30/360"], "--issued": ["2026-06-15"], "--first-coupon": ["2027-06-15 --issued 2026-09-01"], "--last-coupon": ["2030-12-15"], "--end-of-month": [], "--discount": [], "--first": ["simple"], "--redemption": ["101"]}),
    "new": ("mine.toml", {"--starter": ["plant"], "--list": [], "--name": ["Mine"]}),
    "functions": ("", {}),
}  # fmt: skip
# Calls of their own, for options that do not go with the call above.
ALONE = """
grow --opening 1k --rate 4% --closing 2k
grow --opening 1k --deposit 50 --rate 4% --months 30 --per-year month
grow --deposit 50 --rate 4% --years 9 --closing 3k --find opening
grow --deposit 50 --years 9 --closing 900
repay --owed 86k --payment 900 --rate 4%
repay --owed 86k --payment 86k --rate 5% --per-year 1 --working
repay --payment 900 --rate 4% --months 200 --still-owed 5k
repay --owed 86k --rate 4% --years 10 --find payment
withdraw --withdrawal 4k --rate 3% --years 20 --pot-left 1k
withdraw --pot 90k --withdrawal 4k --rate 3%
withdraw --pot 90k --rate 3% --months 120 --per-year month
withdraw --pot 90k --rate 3% --years 20 --find withdrawal
why offices.toml worth --of Bakery
why taxi.toml fares --at 5
find taxi.toml swap_year --most npv
find taxi.toml swap_year --least npv
simulate taxi.toml --until 2%
flows plain.csv --period month --rate 6%
flows flows.xlsx --sheet Flows --dates day-first --decimal , --rate 5%
flows book.csv --dates day-first --decimal , --rate 5% --column date=Tag
returns flows.xlsx --sheet Values --column date=day
returns days.csv --dates day-first
returns words.csv --kind deposit=Aport
bond --coupon 4% --maturity 2031-06-30 --settlement 2027-02-01 --yield 3.5% --end-of-month
compare offices.toml --tables
loan --owed 86k --rate 4.2% --years 15 --start 2023-12-31 --events studio-events.csv
loan --owed 86k --rate 4.2% --years 15 --by year --format csv
book loans.csv --format json --output sums
loan --owed 86k --rate 4.2% --payment 900
loan --rate 4.2% --months 60 --payment 900
loan --owed 86k --rate 4.2% --years 15 --rate-moves term
loan --owed 86k --rate 4.2% --years 15 --extra-moves payment
loan --owed 86k --rate 4.2% --years 15 --balance-moves payment
loan --owed 86k --rate 4.2% --years 15 --start 2024-01-31 --events semi.csv --dates day-first --decimal , --column date=Tag --kind extra=Sonder
loan studio.toml --working
loan layers.toml
loan takeover.toml
loan studio.toml --by year --format csv
book renamed.csv --column rate=Zins --output sums
book loans.csv --events renamed-events.csv --event-column date=Tag --output sums
bond --coupon 4% --maturity 2031-06-15 --settlement 2027-02-01 --price 101
bond --maturity 2027-12-15 --settlement 2027-02-01 --discount 3%
new --list
weigh offices.toml --each tenants --by year
demo --folder all
"""


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with the demo's data and every starter."""
    place = tmp_path_factory.mktemp("options")
    _copy_data(place)
    for name, starter in LIBRARY.items():
        (place / f"{name}.toml").write_text(starter.text(), encoding="utf-8")
        for other in starter.data:
            (place / other).write_text(starter.beside(other), encoding="utf-8")
    shutil.copy(Path(__file__).parent.parent / "docs" / "screenshots" / "flows.png", place / "logo.png")
    (place / "plain.csv").write_text("period,amount\n0,-1000\n1,300\n2,420\n3,680\n", encoding="utf-8")
    (place / "book.csv").write_text('Tag;amount\n01.02.2027;"-1.204,50"\n15.03.2028;1.300,00\n', encoding="utf-8")
    (place / "semi.csv").write_text("Tag;what;amount\n15.02.2025;Sonder;1.204,50\n", encoding="utf-8")
    (place / "words.csv").write_text("date,account,kind,amount\n2026-01-31,a,value,100\n2026-03-01,a,Aport,5\n2026-12-31,a,value,110\n", encoding="utf-8")  # fmt: skip
    (place / "days.csv").write_text("date,value\n01/02/2026,100\n03/02/2026,104\n", encoding="utf-8")
    for old, new, word, other in (
        ("loans", "renamed", "rate", "Zins"),
        ("loans-events", "renamed-events", "date", "Tag"),
    ):
        text = (place / f"{old}.csv").read_text(encoding="utf-8")
        (place / f"{new}.csv").write_text(text.replace(word, other, 1), encoding="utf-8")
    import pandas as pd

    with pd.ExcelWriter(place / "flows.xlsx") as book:
        pd.DataFrame({"date": ["01.02.2027", "15.03.2028"], "amount": ["-1.000,50", "1.300"]}).to_excel(book, sheet_name="Flows", index=False)  # fmt: skip
        pd.DataFrame({"day": ["2026-01-31", "2026-12-31"], "value": [100, 108]}).to_excel(book, sheet_name="Values", index=False)  # fmt: skip
    return place


@pytest.fixture
def call(
    folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> Callable[..., int]:
    """Run a command in a copy of the folder: it does it, or says in a sentence why not; whatever else fails here."""
    shutil.copytree(folder, tmp_path / "here")
    monkeypatch.chdir(tmp_path / "here")

    def run(line: str, *, refuse: bool = False) -> int:
        shutil.rmtree("sums", ignore_errors=True)
        code = status([part.replace("~", " ") for part in line.split()])
        told = capsys.readouterr()
        assert code in (0, 1) or (refuse and code in (2, 3)), f"{line}\n{told.err}"
        for word in ("Traceback", "Warning", "Error:"):
            assert word not in told.err, f"{line}\n{told.err}"
        return code

    return run


def _options(name: str) -> list[click.Option]:
    command: click.Command = importlib.import_module(f"pennyweight.cli.{COMMANDS[name][0]}").command
    return [one for one in command.params if isinstance(one, click.Option)]


def _spaced(text: str) -> str:
    return text.replace("constant principal", "constant~principal").replace("A title", "A~title").replace("The harbour board", "The~harbour~board")  # fmt: skip


def _singles(name: str) -> Iterator[str]:
    """The call of a command with each of its options, one at a time."""
    call, own = CALLS[name]
    listed = {**(COMMON if name not in ("new", "functions", "book") else {}), **own}
    for option, values in listed.items():
        for value in values:
            if option == "--output" and value[-4:] in (".png", ".svg") and name in ("rates", "why"):
                continue  # there is nothing to draw
            line = f"{name} {call} {option} {value}"
            if option == "--each":
                line = line.replace("taxi.toml", "offices.toml")
            if option in COVER:
                line += " --output page.html"
            yield _spaced(line)


def test_every_option_is_tried() -> None:
    """Each option of each command stands in a table above, with a value or in a call."""
    for name in COMMANDS:
        if name == "demo":
            continue
        tried = " ".join([*_singles(name), *(line for line in ALONE.splitlines() if line.startswith(name + " "))])
        for one in _options(name):
            if one.opts[0] not in ("--on", "--watch", "--help"):  # need a cluster, and somebody who saves
                assert f" {one.opts[0]} " in f" {tried} ", f"{name} {one.opts[0]} is tried nowhere"


@pytest.mark.parametrize("line", some([line for name in CALLS for line in _singles(name)], 9))
def test_each_option_by_itself(call: Callable[..., int], line: str) -> None:
    """What a command takes it takes."""
    call(line)


@pytest.mark.parametrize("line", some(ALONE.strip().splitlines(), 9, 1))
def test_each_call_of_its_own(call: Callable[..., int], line: str) -> None:
    call(line)


def _on(name: str) -> list[str]:
    """Every command of deals on a starter."""
    starter = LIBRARY[name]
    if starter.is_loan:
        return [
            f"loan {name}.toml",
            *([f"loan {name}.toml --by year", f"loan {name}.toml --working"] * (name == "loan")),
        ]
    deal = Deal.starter(name).definition
    figure = next(iter(deal.measures))
    item = next(
        one for one, own in deal.inputs.items() if not (own.fixed or own.is_series or own.solved or own.choices)
    )
    scenarios = list(deal.scenarios)[:1]
    drawn = [one for one, own in deal.inputs.items() if own.low is not None or own.fall is not None]
    lines = [
        "weigh",
        "weigh --by year",
        "compare --tables" if deal.tables else "compare",
        f"vary {item}={deal.inputs[item].low or 0:g};{deal.inputs[item].value:g}",
        f"why {figure}",
        f"find {item}",
    ]
    lines += [f"drivers {figure} --cases 256", *(["simulate --cases 256"] if drawn else [])]
    lines += [f"weigh --by period --each {own}" for own in deal.sets]
    lines += [f"compare --bridge {figure} --scenario base --scenario {own}" for own in scenarios]
    return [f"{first} {name}.toml {rest}".strip() for first, _, rest in (line.partition(" ") for line in lines)]


@pytest.mark.parametrize("name", some(list(LIBRARY), 8, 5))
def test_every_command_on_every_starter_in_every_form(call: Callable[..., int], name: str) -> None:
    for line in _on(name):
        full = line.startswith(("weigh", "loan")) and "--by" not in line
        forms = [ending for ending in FORMS if full or ending in (".csv", ".json", ".txt", ".xlsx")]
        call(
            line + "".join(f" --output out{ending}" for ending in forms) + " --force",
            refuse="find" in line or "bridge" in line,
        )


@pytest.mark.skipif(not THOROUGH, reason="pairs are drawn in make thorough")
@pytest.mark.parametrize("seed", range(24))
def test_pairs_of_options_and_forms(call: Callable[..., int], seed: int) -> None:
    """Two options and a form together: done, or refused in a sentence. All pairs come up over the runs."""
    pairs = []
    for name in CALLS:
        lines = list(_singles(name))
        head = f"{name} {CALLS[name][0]}"
        for one, other in itertools.combinations(lines, 2):
            pairs.append(f"{one} {other[len(_spaced(head)) :] if other.startswith(_spaced(head)) else ''}")
    random.Random(0).shuffle(pairs)
    for k, line in enumerate(pairs[seed::24]):
        form = list(FORMS)[(k + seed) % len(FORMS)]
        plain = line.startswith(("new", "functions", "book"))
        call(line if plain else f"{line} --output pair{form} --force", refuse=True)
