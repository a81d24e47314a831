"""One of each kind of result that a call hands out."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path

import pennyweight as pw
from tests.builders import TAXI


def changed() -> pw.Changes:
    one, other = ({"deal": "Kiln", "measures": {"cost": f"{k} * 1.2"}} for k in (8_000, 9_000))
    return pw.Deal.from_dict(one).changes_to(pw.Deal.from_dict(other))


@lru_cache(maxsize=1)
def taxi() -> pw.Deal:
    return pw.Deal.read(TAXI)


@lru_cache(maxsize=1)
def loan() -> pw.Loan:
    return pw.Loan(1_000, "6%", years=1, start="2027-01-31", events=[("2027-06-30", "balance", 600)], title="L")


def bond() -> pw.Bond:
    return pw.Bond("4%", "2031-06-15")


def flows() -> pw.CashFlows:
    return pw.CashFlows([-1_000, 500, 700])


def portfolio() -> pw.Portfolio:
    rows = [("2026-01-01", "a", "value", 100.0), ("2026-03-01", "a", "value", 105.0)]
    return pw.Portfolio.from_rows(rows)


def tabled() -> pw.Deal:
    """A deal with a table."""
    table = {"by": {"held": [2, 4]}, "columns": {"cash": "total(net, 0, held)"}}
    lines = {"money_in": {"pots": 4_000}, "money_out": {"kiln": {"formula": 9_000, "at": 0}}}
    return pw.Deal.from_dict({"deal": "Kiln", "timeline": {"periods": 4}, **lines, "tables": {"kept": table}})


def summed() -> pw.LoanSums:
    """A book of two loans."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "loans.csv"
        path.write_text("amount,rate,months,start\n1000,6%,12,2027-01-31\n2000,4%,24,2027-03-31\n", encoding="utf-8")
        return pw.loan_sums(path)


def weighted() -> pw.Deal:
    """A deal whose scenario has a probability."""
    scenarios = {"poor": {"sales": 60, "probability": "25%"}}
    return pw.Deal.from_dict(
        {"deal": "Kiln", "inputs": {"sales": 100}, "measures": {"gain": "sales - 90"}, "scenarios": scenarios}
    )


RESULTS: dict[str, Callable[[], object]] = {
    "Account": lambda: flows().account("3%"),
    "Answer": lambda: taxi().find("hull", "npv == 0").answers["base"].answers[0],
    "Answers": lambda: taxi().find("hull", "npv == 0").answers["base"],
    "Branch": lambda: taxi().break_even("hull", "npv == 0", along={"grant_share": "0%..30%/3"}).branches[0],
    "BreakEven": lambda: taxi().break_even("hull", "npv == 0", along={"grant_share": "0%..30%/3"}),
    "Bridge": lambda: taxi().bridge("dear_hull", "more_quays", "npv"),
    "BondReport": lambda: bond().report("2026-11-23", price=97.25),
    "Chance": lambda: taxi().simulate(256).chances["npv"],
    "Change": lambda: changed().changes[0],
    "Changes": lambda: changed(),
    "Comparison": lambda: taxi().compare(["base", "dear_hull"]),
    "Coupons": lambda: bond().coupons("2026-11-23"),
    "Drivers": lambda: taxi().drivers("npv", cases=256),
    "Document": lambda: loan().document(),
    "Extra": lambda: loan().extras_table([5])[0],
    "Figure": lambda: taxi().weigh().measures["npv"],
    "FlowsReport": lambda: flows().report("7%"),
    "FlowsWorking": lambda: flows().working("7%"),
    "Found": lambda: taxi().find("hull", "npv == 0"),
    "GoalResult": lambda: taxi().weigh().goals["npv"],
    "IrrOutcomes": lambda: pw.irr_outcomes([[-1.0, 2.0]]),
    "KnownRate": lambda: flows().irr(),
    "LoanSums": lambda: summed(),
    "LoanBook": lambda: pw.amortize([1_000], "6%", [12]),
    "Offer": lambda: loan().offers({})[0],
    "Period": lambda: portfolio().periods[0],
    "Place": lambda: pw.Place("loan.toml, line 3", line=3),
    "Plan": lambda: pw.grow(opening=5, rate="3%", years=3),
    "PlanWorking": lambda: pw.grow(opening=5, rate="3%", years=3).working(),
    "RateFacts": lambda: pw.rate_facts("5%"),
    "Refinancing": lambda: loan().refinancing(on=3, rate="3%", years=1),
    "Return": lambda: portfolio().time_weighted(),
    "ReturnsReport": lambda: portfolio().report(),
    "Schedule": lambda: loan().schedule,
    "Share": lambda: taxi().drivers("npv", cases=256).shares.shares[0],
    "Shares": lambda: taxi().drivers("npv", cases=256).shares,
    "Simulation": lambda: taxi().simulate(256, fan="net"),
    "SparePlan": lambda: pw.LoanSet({"a": pw.Loan(1_000, "6%", years=1)}, spare=5).plans["as listed"],
    "Statement": lambda: loan().schedule.statements[0],
    "Spread": lambda: taxi().simulate(256).spreads["npv"],
    "Step": lambda: taxi().bridge("dear_hull", "more_quays", "npv").steps[0],
    "Swing": lambda: taxi().drivers("npv", cases=256).swings[0],
    "TableResult": lambda: tabled().weigh().tables["kept"],
    "TurningPoint": lambda: taxi().turning_points()[0],
    "Variation": lambda: taxi().vary({"hurdle": ["8%", "9%"]}),
    "Weighted": lambda: weighted().compare().weighted,
    "Weighing": lambda: taxi().weigh(),
    "Reason": lambda: taxi().why("npv").reason,
    "Why": lambda: taxi().why("npv"),
}
WRITTEN: dict[str, Callable[[], object]] = {
    "Benchmark": lambda: pw.Benchmark(["2026-01-01", "2027-01-01"], [100.0, 101.0]),
    "Bill": lambda: pw.Bill(total=900, taxes="1_200"),
    "Bond": bond,
    "CashFlows": flows,
    "Deal": taxi,
    "Event": lambda: pw.Event(3, "extra", 5),
    "PaymentHoliday": lambda: pw.PaymentHoliday("2027-03-31", 2),
    "Loan": loan,
    "LoanSet": lambda: pw.LoanSet({"a": loan()}, needs="2k"),
    "LoanStudy": lambda: pw.LoanStudy(loan(), extra=["5"]),
    "Portfolio": portfolio,
    "Recurring": lambda: pw.Recurring("5", 1),
    "Takeover": lambda: pw.Takeover(on="2027-01-31", balance="71k", rate="4.2%", payment="644"),
}
"""What an analyst writes; two that say the same are equal, but for those that hold arrays."""
