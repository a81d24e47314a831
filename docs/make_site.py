"""Write the parts of the site that come from the code: the pages of the Python names, and the keys of every JSON."""

from __future__ import annotations

import ast
import inspect
import itertools
import json
import shlex
import tempfile
from collections.abc import Iterator, Mapping
from contextlib import chdir, redirect_stderr, redirect_stdout
from io import StringIO
from pathlib import Path
from typing import Any

import pennyweight
from docs.json_keys import KEYS
from pennyweight import Deal
from pennyweight.cli.demo import _copy_data
from pennyweight.cli.main import status

ROOT = Path(__file__).parent.parent
FOLDER = ROOT / "docs" / "reference"

GROUPS = {
    "deals": ("Deals and what they answer", ("analysis",)),
    "loans": ("Loans", ("instruments.loans", "core.loans")),
    "flows": ("Cash flows", ("instruments.flows", "core.irr")),
    "plans": ("Savings, debts, withdrawals", ("instruments.plans",)),
    "bonds": ("Bonds", ("instruments.bonds",)),
    "portfolios": ("Portfolios", ("instruments.portfolios",)),
    "rates": ("Rates and days", ("instruments.rates", "quantities")),
    "arrays": ("Array functions", ("instruments.arrays",)),
    "errors": ("Errors and pages", ("errors", "documents")),
}
"""Each page of Python names, and the modules whose names it has."""

_ABOUT = {
    "deals": "A deal is read once and asked many times. Results are frozen; each has `frame` for pandas, `as_dict()` "
    "for JSON, `plot(ax)` where there is something to draw, and prints as a page.",
    "loans": "A loan to the penny, with what happens to it; many loans at once; the books of a file.",
    "flows": "Flows with days or periods, and every measure of them.",
    "plans": "One unknown of five, from the other four.",
    "bonds": "Prices, yields, durations and coupon days.",
    "portfolios": "How an account did, four ways.",
    "rates": "A rate in all its forms, and the days of payments.",
    "arrays": "Arrays in, arrays out; the leading shape is yours. Rates are of one period. Labels of pandas come back.",
    "errors": "What is wrong is an `InputError`, what has no answer a `NoAnswer`; both say where as data.",
}
_WHOLE = ("Deal", "Loan", "CashFlows", "Bond", "Portfolio")
"""Classes of which inherited methods are shown, too."""

JSON = {
    "weigh": ("weigh taxi.toml", "Weighing"),
    "compare": ("compare taxi.toml", "Comparison"),
    "compare --bridge": ("compare taxi.toml --scenario dear_hull --scenario more_quays --bridge npv", "Bridge"),
    "vary": ("vary taxi.toml hull=400k..440k/3", "Variation"),
    "find": ('find taxi.toml hull "npv == 0" --scenario all', "Found"),
    "find --along": ('find taxi.toml hull "npv == 0" --along grant_share=0%..30%:10%', "BreakEven"),
    "why": ("why taxi.toml fares --at 3", "Why"),
    "simulate": ("simulate taxi.toml --cases 1k --fan reserve", "Simulation"),
    "drivers": ("drivers taxi.toml npv --cases 256", "Drivers"),
    "flows": ("flows boatyard.csv --rate 7%", "FlowsReport"),
    "loan": ("loan studio.toml", "Loan"),
    "book": ("book loans.csv --events loans-events.csv --grouped branch", "LoanSums"),
    "returns": ("returns statements.csv --benchmark index.csv", "ReturnsReport"),
    "bond": ("bond --coupon 4% --maturity 2031-06-15 --settlement 2026-11-23 --price 97.25", "BondReport"),
    "grow": ("grow --opening 6k --deposit 350 --per-year month --rate 3.5% --closing 41k", "Plan"),
    "repay": ("repay --owed 86k --rate 4.2% --years 15", "Plan"),
    "withdraw": ("withdraw --withdrawal 24k --growth 2% --rate 4% --years 25 --find pot", "Plan"),
    "rates": ("rates 6% --compounding half-yearly --inflation 2%", "RateFacts"),
}
"""Each command with a run on the demo data, and the class of its result."""


def main() -> None:
    """Write every generated page of the reference."""
    for path, text in generated().items():
        path.parent.mkdir(parents=True, exist_ok=True)
        if not path.exists() or path.read_text(encoding="utf-8") != text:
            path.write_text(text, encoding="utf-8")
            print(f"Written: {path.relative_to(ROOT)}")


def generated() -> dict[Path, str]:
    """Every page with what it must say."""
    pages = {FOLDER / "python" / f"{key}.md": _python_page(key) for key in GROUPS}
    return {**pages, FOLDER / "json.md": _json_page()}


def _python_page(key: str) -> str:
    title, prefixes = GROUPS[key]
    lines = [f"# {title}", "", _ABOUT[key], "", "```{eval-rst}", ".. currentmodule:: pennyweight", ""]
    for name in _names(prefixes):
        if inspect.isclass(getattr(pennyweight, name)):
            lines += [f".. autoclass:: {name}", "   :members:"]
            lines += ["   :inherited-members:"] if name in _WHOLE else []
        else:
            lines += [f".. autofunction:: {name}"]
        lines.append("")
    return "\n".join([*lines, "```", ""])


def _names(prefixes: tuple[str, ...]) -> list[str]:
    """The public names of some modules, functions and what one writes before what comes out."""
    stub = (ROOT / "src/pennyweight/__init__.pyi").read_text(encoding="utf-8")
    found = []
    for node in ast.parse(stub).body:
        if isinstance(node, ast.ImportFrom) and node.module:
            module = node.module.removeprefix("pennyweight.")
            if any(module == one or module.startswith(f"{one}.") for one in prefixes):
                found += [one.name for one in node.names]
    first = {name: place for place, name in enumerate(_WHOLE)}
    return sorted(found, key=lambda name: (first.get(name, len(first)), name.lower()))


def _json_page() -> str:
    parts = [
        "# The JSON of every command",
        "",
        "Every command that answers gives JSON with `--format json`, every result in Python with `as_dict()`. `format` "
        "is the version of its keys: it grows by one when a key changes its meaning or goes; new keys may come without "
        "it. Amounts are plain numbers, rates fractions (0.05 is 5 %), days texts (2027-01-31), what is undefined "
        "`null`.",
        "",
        "The tables are made of a run of each command on the demo's data: `<name>` stands for a name of yours, `[]` "
        "for each element of a list.",
    ]
    with tempfile.TemporaryDirectory() as folder, chdir(folder):
        _copy_data(Path("."))
        for title, (command, kind) in JSON.items():
            data = json.loads(_printed(f"{command} --format json"))
            told = _told(kind)
            rows: dict[str, tuple[set[str], str]] = {}
            for key, value in _flat(data, "", _own_names()):
                kinds, example = rows.get(key, (set[str](), ""))
                rows[key] = (kinds | {_kind(value)}, example or _example(value))
            parts += ["", f"## `{title}`", "", f"`pennyweight {command} --format json`", ""]
            parts += ["| key | what it is | kind | such as |", "|---|---|---|---|"]
            if title == "compare":
                rows = {key: row for key, row in rows.items() if not key.startswith("scenarios.<name>.")}
                rows["scenarios.<name>"] = ({"mapping"}, "as in `weigh`")
            for key, (kinds, example) in rows.items():
                said = _said(key, told)
                parts.append(f"| `{key}` | {said} | {' or '.join(sorted(kinds))} | {example} |")
    return "\n".join([*parts, ""])


def _said(key: str, told: Mapping[str, str]) -> str:
    """What stands under a key: as its class says, else by its last part; of a name of yours by the part before."""
    parts = [part.removesuffix("[]") for part in key.split(".")]
    if len(parts) == 1 and told.get(parts[0]):
        return told[parts[0]]
    last = next(part for part in reversed(parts) if part != "<name>")
    said = KEYS.get(last) or told.get(last) or ""
    return f"{said}, by name" if said and parts[-1] == "<name>" else said


def _printed(command: str) -> str:
    said, aside = StringIO(), StringIO()
    with redirect_stdout(said), redirect_stderr(aside):
        code = status(shlex.split(command))
    if code:
        raise SystemExit(f"{command}: {aside.getvalue()}")
    return said.getvalue()


def _own_names() -> set[str]:
    """Names that an analyst has given: keys that stand for a name of yours."""
    deal = Deal.read("taxi.toml").definition
    found = {*deal.inputs, *deal.values, *deal.measures, *deal.lines, *deal.levels, *deal.scenarios, *deal.questions}
    return {*found, *deal.goals, "base", "pays_off", "net", "bank", "money_in", "money_out"}


def _flat(value: Any, key: str, own: set[str]) -> Iterator[tuple[str, Any]]:
    """Every key with a value, those of lists and of mappings by name told once."""
    if isinstance(value, Mapping) and value:
        by_name = all(one in own or one.partition(".")[0] in own or one[:1].isdigit() for one in value)
        for one, inner in value.items():
            part = "<name>" if by_name or (one in own and one not in KEYS) else one
            yield from _flat(inner, f"{key}.{part}" if key else part, own)
    elif isinstance(value, list) and value:
        for inner in value:
            yield from _flat(inner, f"{key}[]", own)
    else:
        yield key, value


_KINDS = {
    bool: "truth",
    int: "number",
    float: "number",
    str: "text",
    type(None): "null",
    list: "list",
    dict: "mapping",
}


def _kind(value: Any) -> str:
    kinds = {
        bool: "truth",
        int: "number",
        float: "number",
        str: "text",
        type(None): "null",
        list: "list",
        dict: "mapping",
    }
    return kinds[type(value)]


def _example(value: Any) -> str:
    if value is None or value == [] or value == {}:
        return ""
    text = f"{value:.6g}" if isinstance(value, float) else str(value)
    text = text.replace("|", "\\|").replace("\n", " ").replace("<", "&lt;")
    return text if len(text) <= 40 else f"{text[:37]}…"


def _told(kind: str) -> dict[str, str]:
    """What the fields of a class are, as stands below each."""
    found: dict[str, str] = {}
    for one in reversed(getattr(pennyweight, kind).__mro__):
        try:
            tree = ast.parse(inspect.cleandoc("\n" + inspect.getsource(one)))
        except (OSError, TypeError):
            continue
        for node in ast.walk(tree):
            if isinstance(node, ast.FunctionDef) and node.decorator_list and ast.get_docstring(node):
                found[node.name] = (ast.get_docstring(node) or "").split("\n\n")[0].replace("\n", " ")
        body = tree.body[0].body if isinstance(tree.body[0], ast.ClassDef) else []
        for node, below in itertools.pairwise(body):
            if (
                isinstance(node, ast.AnnAssign)
                and isinstance(below, ast.Expr)
                and isinstance(below.value, ast.Constant)
            ):
                found[ast.unparse(node.target)] = " ".join(str(below.value.value).split())
    return {name: said.replace("|", "\\|") for name, said in found.items()}


if __name__ == "__main__":
    main()
