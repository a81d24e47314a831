"""`python -m benchmarks [NAME...]`: doors, rates, accounts, deals, windows, house, loans, books, sets, solved,
cases, reports and startup; all when none is named. `--keep` puts the ratios into docs/ratios.json, for the trust page.
"""

from __future__ import annotations

import datetime as dt
import json
import sys
from pathlib import Path

from benchmarks import accounts, cases, deals, doors, house, loans, rates, reports, sets, solved, startup
from benchmarks.measure import SHOWN

ALL = {
    "doors": doors.run,
    "rates": rates.run,
    "accounts": accounts.run,
    "deals": deals.run,
    "windows": deals.run_windows,
    "house": house.run,
    "loans": loans.run,
    "books": loans.run_books,
    "sets": sets.run,
    "solved": solved.run,
    "cases": cases.run,
    "reports": reports.run,
    "startup": startup.run,
}

RATIOS = Path(__file__).parent.parent / "docs" / "ratios.json"


def main(arguments: list[str]) -> None:
    """Run the benchmarks that are named, or all."""
    names = [name for name in arguments if name != "--keep"]
    if unknown := [name for name in names if name not in ALL]:
        sys.exit(f"There is no benchmark '{unknown[0]}'. It must be one of {', '.join(ALL)}.")
    for name in names or ALL:
        ALL[name]()
    if "--keep" in arguments:
        known = json.loads(RATIOS.read_text(encoding="utf-8")) if RATIOS.exists() else {}
        today = dt.date.today().isoformat()
        for title, rows in SHOWN.items():
            # What a title tells of its size may differ from run to run, what stands before it does not.
            key = title.partition(" (")[0]
            known[key] = {
                "on": today,
                "rows": [
                    [row.what, round(float(row.ratio), 2), float(row.goal), bool(row.larger_is_better)] for row in rows
                ],
            }
        RATIOS.write_text(json.dumps(known, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main(sys.argv[1:])
