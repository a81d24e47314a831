"""One result of each kind, drawn from a number: loans, plans, flows, bonds, rates and portfolios."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from pennyweight import (
    Benchmark,
    Bill,
    Bond,
    CashFlows,
    Loan,
    LoanSet,
    LoanStudy,
    Portfolio,
    Recurring,
    Takeover,
    grow,
    rate_facts,
    repay,
    withdraw,
)

__all__ = ["KINDS"]


def a_loan(rng: np.random.Generator, **more: Any) -> Loan:
    often = int(rng.choice([12, 12, 4, 2, 1, 26, 52]))
    terms: dict[str, Any] = {
        "amount": int(rng.integers(2_000, 900_000)), "rate": f"{rng.integers(0, 1400) / 100}%", "per_year": often,
        "years": int(rng.integers(2, 26)), "start": str(rng.choice(["2026-01-31", "2027-02-28", "2026-12-15"])),
    }  # fmt: skip
    if rng.random() < 0.3:
        terms["interest"] = str(rng.choice(["actual/365", "actual/360", "30/360"]))
    if rng.random() < 0.3:
        terms |= {"fee_up_front": int(rng.integers(1, 900)), "fee_each": int(rng.integers(0, 9))}
    way = rng.random()
    if way < 0.15:
        terms["repaid"] = "constant principal"
    elif way < 0.25:
        terms["interest_only"] = 1
    elif way < 0.35:
        terms["paid"] = "start"
        terms.pop("interest", None)
    elif way < 0.45:
        terms["residual"] = terms["amount"] // 3
    if rng.random() < 0.25 and "interest" not in terms | more:
        terms["compounding"] = str(rng.choice(["half-yearly", "yearly", "continuous", "daily"]))
    made = Loan(**{**terms, **more})
    if made.terms.agreement.shape == "level" and rng.random() < 0.25:  # one left out, and found again
        left_out = "amount" if rng.random() < 0.5 else "rate"
        return made.but(payment=float(made.payment), **{left_out: None})
    return made


def a_busy_loan(rng: np.random.Generator) -> Loan:
    """One to which something happens: a new rate, extra payments, a statement, one payment left out."""
    loan = a_loan(rng, per_year=12, paid="end")
    due = loan.terms.calendar.due
    events: list[Any] = []
    if rng.random() < 0.6:
        events.append((str(due(int(rng.integers(1, 9)))), "rate", f"{rng.integers(100, 900) / 100}%"))
    if rng.random() < 0.6:
        day = due(int(rng.integers(9, 14))) + (0 if rng.random() < 0.5 else 5)
        events.append((str(day), "extra", int(loan.amount) // 20))
    if rng.random() < 0.4:
        number = int(rng.integers(15, 20))
        events.append((str(due(number)), "balance", round(loan.agreed.balance_after(number) * 0.93, 2)))
    extras = [Recurring(50, str(due(2)), per_year=12)] if rng.random() < 0.4 else []
    return loan.but(events=events, extras=extras, as_of=str(due(int(rng.integers(0, 20)) or 1)))


def a_study(rng: np.random.Generator) -> LoanStudy:
    loan = a_loan(
        rng,
        per_year=12,
        paid="end",
        residual=None,
        repaid="level payment",
        interest_only=None,
        years=int(rng.integers(2, 9)),
    )
    n = len(loan.schedule.rows)
    return LoanStudy(
        loan, extra=[25, 400], paid_off_by=max(n // 2, 2), offers={"other": a_loan(rng, title="other")},
        refinance={"on": n // 3 + 1, "rate": "2.5%", "years": 8, "costs": 300},
        bill=Bill(total=round(loan.payment + 90, 2), taxes=600, insurance=240),
    )  # fmt: skip


def a_takeover(rng: np.random.Generator) -> Takeover:
    made = int(rng.integers(1, 100))
    agreed = Loan(int(rng.integers(40_000, 600_000)), f"{rng.integers(50, 900) / 100}%", years=20)
    told: dict[str, Any] = {"on": "2027-01-31", "rate": agreed.rate, "payment": agreed.payment}
    told |= {"balance": agreed.agreed.balance_after(made), "original_years": 20}
    way = rng.random()
    if way < 0.3:
        told |= {"missed_payments": int(rng.integers(1, 4))}
        told["balance"] = agreed.agreed.balance_after(max(made - told["missed_payments"], 0))
        told.pop("original_years")
    elif way < 0.5:
        told |= {"original_amount": agreed.amount, "payments_made": made}
    elif way < 0.8:  # one of the three follows from the others and from what is left
        told |= {"payments_left": len(agreed.agreed.rows) - made}
        told[str(rng.choice(["balance", "rate", "payment"]))] = None
    return Takeover(**told, bill=Bill(total=agreed.payment + 100, taxes=960))


def some_loans(rng: np.random.Generator) -> LoanSet:
    plain: dict[str, Any] = {
        "per_year": 12,
        "start": "2027-01-31",
        "paid": "end",
        "residual": None,
        "interest": "equal periods",
    }
    loans = {name: a_loan(rng, **plain) for name in ("bank", "agency", "seller")[: int(rng.integers(1, 4))]}
    needs = round(sum(loan.amount for loan in loans.values()) * 1.2, 2)
    return LoanSet(loans, needs=needs, spare=int(rng.integers(0, 500)))


def a_plan(rng: np.random.Generator) -> Any:
    often, rate = int(rng.choice([1, 4, 12])), f"{rng.integers(0, 1200) / 100}%"
    common = {"per_year": often, "growth": f"{rng.integers(0, 400) / 100}%" if rng.random() < 0.4 else 0.0,
              "paid": str(rng.choice(["end", "start"])), "deferred": int(rng.integers(1, 5)) if rng.random() < 0.2 else 0}  # fmt: skip
    money = [int(rng.integers(500, 90_000)) for _ in range(2)]
    kind, years = int(rng.integers(0, 8)), int(rng.integers(2, 31))
    if kind == 0:
        return grow(opening=money[0], deposit=money[1] // 40, rate=rate, years=years, **common)
    if kind == 1:
        return grow(opening=money[0], deposit=money[1] // 40, rate=rate, closing=money[0] * 3, **common)
    if kind == 2:
        return grow(opening=money[0], rate=rate, closing=money[0] * 2, per_year=often)
    if kind == 3:
        return grow(
            opening=money[0], deposit=50, years=years, closing=money[0] * 2 + 50 * years * often, find="rate", **common
        )
    if kind == 4:
        return repay(owed=money[0], rate=rate, years=years, per_year=often)
    if kind == 5:
        return repay(owed=money[0], rate="4%", payment=money[0] // 9, per_year=often)
    if kind == 6:
        return withdraw(withdrawal=money[1], rate=rate, years=years, find="pot", **common)
    return withdraw(pot=money[0] * 9, rate="7%", years="forever", **{**common, "growth": "1%"})


def some_flows(rng: np.random.Generator) -> Any:
    n = int(rng.integers(2, 45))
    amounts = np.round(np.concatenate([[-rng.uniform(500, 9e5)], rng.normal(40_000, 60_000, n - 1)]), 2)
    if rng.random() < 0.5:
        days = np.datetime64("2026-03-15") + np.sort(rng.integers(1, 4000, n)).astype("timedelta64[D]")
        valued = str(days[0] + np.timedelta64(90, "D")) if rng.random() < 0.3 else None
        flows = CashFlows(amounts, dates=days, day_count=str(rng.choice(["actual/365", "30/360"])), valued_on=valued)
    else:
        flows = CashFlows(amounts, period=str(rng.choice(["year", "month", "quarter"])))
    on = "first" if rng.random() < 0.3 else "all"
    if rng.random() < 0.1:
        return flows.working("4%", places=None if rng.random() < 0.5 else 4)
    return flows.report(f"{rng.integers(0, 1500) / 100}%", reinvested_at="3%", account_at="2%", on=on)


def a_bond(rng: np.random.Generator) -> Any:
    first = "simple" if rng.random() < 0.3 else "compound"
    kind = rng.random()
    if kind < 0.15:
        return Bond(0, "2027-03-01", per_year=0).report("2026-12-01", price=float(rng.uniform(90, 99.5)))
    if kind < 0.3:
        issued = str(rng.choice(["2020-01-15", "2026-10-01"]))  # the second with a short first coupon
        bond = Bond("4%", "perpetual", issued=issued, first_coupon=None if issued < "2026" else "2027-01-15")
        return bond.report("2026-11-23", at_yield=f"{rng.integers(100, 900) / 100}%", currency="EUR")
    bond = Bond(f"{rng.integers(1, 900) / 100}%", f"{rng.integers(2028, 2056)}-{rng.integers(1, 13):02}-15",
                per_year=int(rng.choice([1, 2, 4])))  # fmt: skip
    return bond.report("2026-11-23", price=round(float(rng.uniform(60, 130)), 3), first=first)


def some_rates(rng: np.random.Generator) -> Any:
    return rate_facts(
        f"{rng.integers(-300, 3000) / 100}%", compounding=str(rng.choice(["monthly", "half-yearly", "daily", "continuous"])),
        per_year=int(rng.choice([1, 2, 12])), inflation=f"{rng.integers(0, 900) / 100}%", times=3.0,
        in_advance=bool(rng.random() < 0.3),
    )  # fmt: skip


def a_portfolio(rng: np.random.Generator) -> Any:
    n = int(rng.integers(2, 60))
    days = np.datetime64("2023-12-31") + np.arange(n) * np.timedelta64(31, "D")
    rows: list[Any] = [(str(day), "a", "value", round(float(value), 2)) for day, value in
                       zip(days, 1e5 * np.cumprod(rng.normal(1.004, 0.02, n)), strict=True)]  # fmt: skip
    for _ in range(int(rng.integers(0, 6))):
        day = str(days[0] + np.timedelta64(int(rng.integers(1, 31 * (n - 1) + 1)), "D"))
        rows.append((day, "a", str(rng.choice(["deposit", "withdrawal"])), round(float(rng.uniform(10, 900)), 2)))
    index = Benchmark(days, 100 * np.cumprod(rng.normal(1.003, 0.01, n))) if rng.random() < 0.5 else None
    return Portfolio.from_rows(rows).report(timing="start" if rng.random() < 0.5 else "end", benchmark=index)


KINDS: dict[str, tuple[Callable[[np.random.Generator], Any], bool]] = {
    "loan": (a_loan, True), "busy loan": (a_busy_loan, True), "study": (a_study, True), "takeover": (a_takeover, True),
    "layers": (some_loans, True), "plan": (a_plan, False), "flows": (some_flows, False), "bond": (a_bond, False),
    "rates": (some_rates, False), "portfolio": (a_portfolio, False),
}  # fmt: skip
"""Each kind, and whether its amounts are whole cents, so that the sums told hold to the last of them."""
