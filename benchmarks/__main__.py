"""`python -m benchmarks [NAME...]`: rates, accounts, deals, loans, startup; all when none is named."""

from __future__ import annotations

import sys

from benchmarks import accounts, deals, loans, rates, startup

ALL = {"rates": rates.run, "accounts": accounts.run, "deals": deals.run, "loans": loans.run, "startup": startup.run}

if __name__ == "__main__":
    for name in sys.argv[1:] or ALL:
        ALL[name]()
