"""`python -m benchmarks [NAME...]`: doors, rates, accounts, deals, windows, house, loans, sets, solved, cases,
reports and startup; all when none is named.
"""

from __future__ import annotations

import sys

from benchmarks import accounts, cases, deals, doors, house, loans, rates, reports, sets, solved, startup

ALL = {
    "doors": doors.run,
    "rates": rates.run,
    "accounts": accounts.run,
    "deals": deals.run,
    "windows": deals.run_windows,
    "house": house.run,
    "loans": loans.run,
    "sets": sets.run,
    "solved": solved.run,
    "cases": cases.run,
    "reports": reports.run,
    "startup": startup.run,
}

if __name__ == "__main__":
    if unknown := [name for name in sys.argv[1:] if name not in ALL]:
        sys.exit(f"There is no benchmark '{unknown[0]}'. It must be one of {', '.join(ALL)}.")
    for name in sys.argv[1:] or ALL:
        ALL[name]()
