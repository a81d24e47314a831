"""Write docs/trust.md: what the figures are checked against, counted from the tests themselves."""

from __future__ import annotations

import ast
import json
import re
import subprocess
import sys
from collections import Counter
from pathlib import Path

ROOT = Path(__file__).parent.parent
TESTS = ROOT / "tests"

_CITED = re.compile(
    r"[^.\n]*?(?:Kellison|CFR \d|appendix J|ISDA|ICMA|Ishigami|Norstr|Directive 2008|Proceedings|Journal|textbook|published)"
    r"[^\n]*"
)
_TOLERANCE = re.compile(r"\b(abs|rel)=(\d[\d._]*(?:e-?\d+)?)")


def main() -> None:
    """Write the page."""
    path = ROOT / "docs" / "trust.md"
    path.write_text(page(), encoding="utf-8")
    print("Written: docs/trust.md")


def page() -> str:
    """What is checked, by module of the tests, and what is not supported."""
    counts = _counted()
    rows, cited = [], []
    for path in sorted(TESTS.glob("test_*.py")):
        text = path.read_text(encoding="utf-8")
        tree = ast.parse(text)
        about = (ast.get_docstring(tree) or "").split("\n\n")[0].replace("\n", " ").replace("|", "\\|")
        found = sorted({float(one[2].replace("_", "")) for one in _TOLERANCE.finditer(text)})
        within = "exactly" if not found else f"{found[0]:g}" if len(found) == 1 else f"{found[0]:g} to {found[-1]:g}"
        rows.append(f"| {about} | {counts[path.name]:,} | {within} |")
        for node in ast.walk(tree):
            if isinstance(node, ast.FunctionDef) and (told := ast.get_docstring(node)):
                said = " ".join(told.split())
                if _CITED.search(said):
                    cited.append(f"- {said.replace('**', '^')}")
    total, examples = sum(counts.values()), counts["examples of the documentation"]
    return "\n".join(
        [
            _HEAD.format(total=f"{total:,}", examples=f"{examples:,}"),
            *cited,
            "",
            "## Every group of tests",
            "",
            "How many of each run in `make whole` (those that draw examples try many in each), and the widest and the closest "
            "tolerance that stands in them; most compare whole units or bits.",
            "",
            "| what is checked | tests | within |",
            "|---|---|---|",
            *rows,
            "",
            _TAIL.format(ratios=_ratios()),
        ]
    )


def _ratios() -> str:
    """The last ratios that were kept, those that miss their goal among them."""
    path = ROOT / "docs" / "ratios.json"
    rows = ["| what was measured | ratio | goal | |", "|---|---|---|---|"]
    for title, told in json.loads(path.read_text(encoding="utf-8")).items():
        rows.append(f"| **{title}**, {told['on']} | | | |")
        for what, ratio, goal, larger in told["rows"]:
            reached = ratio >= goal if larger else ratio <= goal
            rows.append(
                f"| {what} | {ratio:g} | at {'least' if larger else 'most'} {goal:g} | {'reached' if reached else 'missed'} |"
            )
    return "\n".join(rows)


def _counted() -> Counter[str]:
    """The tests of each module, as pytest collects them; examples in docstrings together."""
    asked = [sys.executable, "-m", "pytest", "--collect-only", "--tests", "whole", "-n0"]
    told = subprocess.run(asked, cwd=ROOT, capture_output=True, text=True, check=True).stdout
    found: Counter[str] = Counter()
    for line in told.split("\n"):
        if "::" in line:
            name = Path(line.partition("::")[0]).name
            found[name if line.startswith("tests/") else "examples of the documentation"] += 1
    return found


_HEAD = """# Can I believe it?

Every figure is checked against something that is not Pennyweight: examples that others have published, arithmetic in decimals and fractions, a clerk who keeps a loan's books row by row, a
second, plain implementation of the whole deal language, and identities that must hold (what is lent comes back, parts add up, a rate found brings the present value to nothing). {total} tests
run in `make whole`; {examples} of them are the examples of the functions. Each page of this site is run, too: what stands below a command is what it prints.

## Published examples and sources

From the tests, as they stand there:
"""

_TAIL = """## What is not supported

- Taxes of a particular country: there are tariffs, losses carried forward and write-offs to write them with, and no rules of law.
- Options, futures and anything whose price hangs on a market's moves; prices are not fetched.
- Bonds with coupons that float, are linked to prices, or may be called; loans in several currencies.
- Interest that compounds daily within equal periods of a loan (a rate may say how it compounds; a day count charges by days).
- Calendars of holidays come from you; none is built in.
- Rates below -100 % a year.
- `book` pays monthly, from the month after the pay-out's; other rhythms and days are `Loan`'s.

## Rounding

A deal is worked out unrounded; a loan to the smallest unit of its currency, because lenders book it so (halves go up unless it says otherwise). What is shown is rounded half away from zero. JSON has
twelve digits. [Conventions](conventions.md) tell the rest.

## Speed

`make bench` measures ratios in one run, each against a plain loop or the least that the work can take, beside a goal; a wall clock is never a test. `python -m benchmarks --keep` writes
what stands here; on two cores that others use, too, ratios move by a third from run to run.

{ratios}

## If you find a figure that is wrong

Tell us the deal file (or the call) and what the figure should be, with its source: the test comes first, then the figure. How to send it without publishing it: [SECURITY.md](security.md).
"""


if __name__ == "__main__":
    main()
