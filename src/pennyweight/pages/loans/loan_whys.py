"""Where each figure on the page of a loan comes from, by the labels of its page."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from pennyweight.core.annuity import annuity_factor
from pennyweight.documents.derivation import Derivation, Whys, added, derivation_table
from pennyweight.documents.model import Table
from pennyweight.instruments.loans.books.schedule import Schedule, shown_rows
from pennyweight.instruments.loans.books.unknown import exact_rate, level_of
from pennyweight.pages.loans.derivations import STEP, ScheduleDerivations
from pennyweight.pages.rates.rate_derivations import effective_derivation

if TYPE_CHECKING:
    from pennyweight.instruments.loans.loan import Loan

__all__ = ["amount_derivation", "fact_derivations", "loan_whys", "rate_derivation", "schedule_whys"]

KEY_FACTS = "Key facts"

_FACTS = {
    "Payment": "payment", "Payment now": "payment_now", "Next payment": "payment_now", "First payment": "payment_now",
    "of it interest": "next_interest", "of it principal": "next_principal", "Owed now": "balance_now", "Owed "
    "on the first day": "balance_now",
    "Paid so far": "paid_so_far", "Still to pay": "still_to_pay", "Interest to date": "interest_to_date",
    "Interest to come": "interest_to_come", "Total interest": "total_interest", "Total paid": "total_paid",
    "Total fees": "total_fees", "Average payment": "average_payment", "Last payment": "last_payment",
    "Payments": "payments", "Paid off on": "paid_off", "Paid off with payment": "paid_off",
    "Principal exceeds interest": "principal_leads", "Principal exceeds interest from": "principal_leads",
}  # fmt: skip


def loan_whys(loan: Loan) -> Whys:
    """Every key fact, as agreed and as it is, and how the figures of its tables come about."""
    cases = {"": ScheduleDerivations(loan.schedule, loan.made)}
    if loan.schedule is not loan.agreed:
        cases = {", as agreed": ScheduleDerivations(loan.agreed, loan.made), ", as it is": cases[""]}
    found: dict[tuple[str, str], Table] = {}
    by_case = {case: fact_derivations(of) for case, of in cases.items()}
    for label in _FACTS:
        if told := {f"{label}{case}": facts[label] for case, facts in by_case.items() if label in facts}:
            found[KEY_FACTS, label] = _table(label, told)
    rate = rate_derivation(loan)
    found[KEY_FACTS, "Rate"] = _table("Rate", {"Rate": rate})
    of = ScheduleDerivations(loan.agreed, 0)
    rates = {"By unit-periods (US)": of.percentage_rate("us", loan.apr), "By the EU's equation": of.percentage_rate(
        "eu", loan.apr_eu)}  # fmt: skip
    found[KEY_FACTS, "Yearly percentage rate"] = derivation_table("Yearly percentage rate", rates)
    if loan.given["amount"] is None:
        found[KEY_FACTS, "Amount that can be lent"] = _table(
            "Amount that can be lent", {"Amount that can be lent": amount_derivation(loan)}
        )
    if len(cases) > 1:  # the facts stand in a table, whose note names the rates
        found[KEY_FACTS, ""] = derivation_table("The rates of the note", {"Rate": rate, **rates})
    for one in loan.schedule.statements:
        found["Statements", one.when] = _statement(loan, one.by_schedule, one.stated)
    return {**found, **schedule_whys(loan.schedule, loan.made)}


def fact_derivations(of: ScheduleDerivations) -> Mapping[str, Derivation]:
    """The derivation of each key fact, by its label on the page; those that there are none of are left out."""
    found = {label: getattr(of, name) for label, name in _FACTS.items()}
    return {label: one for label, one in found.items() if one is not None}


def schedule_whys(schedule: Schedule, made: int = 0) -> Whys:
    """Every row that a page shows of the tables of years and of payments."""
    of = ScheduleDerivations(schedule, made)
    years = "By calendar year" if schedule.dates is not None else "By year of the loan"
    found = {(years, str(year)): table for year, table in _years(of).items()}
    for k in shown_rows(len(schedule.rows), made):
        found["Payments", str(k + 1)] = derivation_table(f"Payment {k + 1}", _row(of, k + 1))
    return found


def _table(label: str, told: Mapping[str, Derivation]) -> Table:
    values = " and ".join(dict.fromkeys(one.value for one in told.values()))
    return derivation_table(f"{label}: {values}", told)


def _row(of: ScheduleDerivations, number: int) -> dict[str, Derivation]:
    """The columns of one payment."""
    row, terms = of.rows[number - 1], of.terms
    settings = [one for one in of.schedule.books.settings if one.number <= number]
    level = settings[-1] if settings and terms.agreement.shape == "level" else None
    found = {"Payment": of.setting(level) if level and level.payment == row.payment else of.of_payment(number)}
    if number == len(of.rows):
        found["Payment"] = of.last_payment
    found["Interest"] = of.interest(number)
    paid = f"{of.units(row.payment)} - {of.units(row.interest)}"
    formula = "payment - interest"
    if row.extra:
        found["Extra"] = Derivation(of.units(row.extra), "paid on top, as the events say")
        formula, paid = (
            "payment + extra - interest",
            f"{of.units(row.payment)} + {of.units(row.extra)} - {of.units(row.interest)}",
        )
    found["Principal"] = Derivation(of.units(row.principal), formula, paid)
    if terms.fee_each:
        found["Fee"] = Derivation(of.money(terms.fee_each), "given, with each payment")
    if row.correction:
        found["Correction"] = Derivation(of.units(row.correction), "what a statement adds to the schedule's balance")
    found["Balance"] = of.balance(number)
    return found


def _years(of: ScheduleDerivations) -> dict[int, Table]:
    """Each row of the table of years."""
    numbers: dict[int, list[int]] = {}
    for number, year in enumerate(of.schedule.years, 1):
        numbers.setdefault(year, []).append(number)
    return {row["year"]: _year(of, row, numbers[row["year"]]) for row in of.schedule.yearly_rows()}


def _year(of: ScheduleDerivations, year: dict[str, Any], numbers: list[int]) -> Table:
    """The columns of one year, whose payments have these numbers."""
    rows = [of.rows[k - 1] for k in numbers]

    def summed(value: float, units: list[float]) -> Derivation:
        return Derivation(of.money(value), "of the year's payments, added up", added(units, of.units))

    found = {
        "Payments": summed(year["payments"], [row.payment for row in rows]),
        "Interest": summed(year["interest"], [row.interest for row in rows]),
        "Principal": summed(year["principal"], [row.principal for row in rows]),
    }
    if year["extra"]:
        found["Extra"] = summed(year["extra"], [row.extra for row in rows if row.extra])
    if year["fee"]:
        found["Fee"] = Derivation(
            of.money(year["fee"]), "fee of a payment × payments", f"{of.money(of.terms.fee_each)} × {len(rows)}"
        )
    before, corrected = of.owed(numbers[0] - 1), sum(row.correction for row in rows)
    formula = "balance before - principal of the year"
    told = f"{of.units(before)} - {of.money(year['principal'])}"
    if corrected:
        formula, told = f"{formula} + what statements added", f"{told} + {of.signed(corrected)}"
    found["Balance"] = Derivation(of.money(year["balance"]), formula, told)
    return derivation_table(f"The year {year['year']}", found)


def _statement(loan: Loan, by_schedule: float, stated: float) -> Table:
    style = loan.terms.style
    ours, theirs = style.show(by_schedule, "money"), style.show(stated, "money")
    return derivation_table("Statement", {
        "By our schedule": Derivation(ours, "what all that happened until then leaves to be repaid"),
        "Stated": Derivation(theirs, "as the lender states it"),
        "Difference": Derivation(
            style.show(stated - by_schedule, "money", sign=True), "stated - by our schedule", f"{theirs} - {ours}"
        ),
    })  # fmt: skip


def amount_derivation(loan: Loan) -> Derivation:
    """The amount that was left out: what the payments are worth, rounded down, and the level payment of it."""
    agreed = loan.terms.agreement
    of = ScheduleDerivations(loan.agreed, 0)
    parts = {"Payment": Derivation(of.units(agreed.payment or 0))}
    i = float(agreed.periodic(agreed.rate))
    # While only interest is paid the balance stands, so the payments are worth what they are at its end.
    over, count = ((many or 1) - agreed.interest_only for many in (agreed.spread or agreed.count, agreed.count))
    growth, start = of.growth(i), agreed.at_start
    how, told = (
        "payment × (1 - (1 + i)^-n) / i",
        f"{of.units(agreed.payment or 0)} × (1 - {growth}^-{over}) / {of.digits(i)}",
    )
    if not i:
        how, told = "payment × n", f"{of.units(agreed.payment or 0)} × {over}"
    worth = float(loan.payment) * float(annuity_factor(i, over)) * (1 + i if start else 1)
    if start:
        how, told = f"{how} × (1 + i)", f"{told} × {growth}"
    if agreed.residual:
        how, told = f"{how} + residual × (1 + i)^-payments", f"{told} + {of.units(agreed.residual)} × {growth}^-{count}"
        worth += loan.terms.money(agreed.residual) * (1 + i) ** -count
    parts |= {
        "i, the rate of a period": of.periodic(float(agreed.rate), i),
        "n, level payments": Derivation(str(over), "over which the payment is worked out"),
        "Worth of the payments": Derivation(loan.terms.style.show(worth, "money", places=4), how, told),
    }
    parts[f"Level payment of {of.units(agreed.amount)}"] = Derivation(
        of.units(level_of(agreed)), "not above the given one"
    )
    return Derivation(of.units(agreed.amount), "what the payments are worth, rounded down", "", parts)


def rate_derivation(loan: Loan) -> Derivation:
    """The rate: as it was given, or the one whose level payment is the given one."""
    rate, style = loan.terms.rate, loan.terms.style
    shown = style.show(rate.value, "rate")
    parts = {
        "Effective": effective_derivation(
            style.show(rate.effective(), "rate"), rate.value, rate.compounding, style.mark
        )
    }
    if loan.given["rate"] is not None:
        return Derivation(shown, parts=parts)
    agreed = loan.terms.agreement
    for beside in (rate.value - STEP, rate.value, rate.value + STEP):
        if beside >= 0:
            payment = level_of(replace(agreed, rate=exact_rate(beside)))
            parts[f"Level payment at {style.show(beside, 'rate', places=4)}"] = Derivation(
                style.show(loan.terms.money(payment), "money"), "owed × i / (1 - (1 + i)^-n), rounded"
            )
    return Derivation(shown, "the rate with the fewest digits whose level payment is the given one", "", parts)
