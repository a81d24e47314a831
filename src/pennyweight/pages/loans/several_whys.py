"""Where each figure on the page of several loans together comes from."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import TYPE_CHECKING

from pennyweight.documents.derivation import Derivation, Whys, derivation_table
from pennyweight.documents.model import Table
from pennyweight.instruments.loans.books.schedule import Schedule
from pennyweight.instruments.loans.loan import Loan
from pennyweight.pages.loans.derivations import ScheduleDerivations
from pennyweight.pages.loans.loan_whys import amount_derivation, rate_derivation

if TYPE_CHECKING:
    from pennyweight.instruments.loans.together.loan_set import LoanSet

__all__ = ["several_whys"]


def several_whys(loans: LoanSet, chosen: Mapping[str, Schedule], years_title: str) -> Whys:
    """Every layer and total, what each order of paying brings, and one year of the table of years.

    `chosen` are the schedules by name as they are paid, `years_title` names the table of years.
    """
    of = {name: ScheduleDerivations(chosen[name], 0) for name in loans.loans}
    found: dict[tuple[str, str], Table] = {}
    for name, loan in loans.loans.items():
        label = loan.title or name
        found["Layers", label] = derivation_table(label, _layer(loans, loan, of[name]))
    found["Layers", "Own money"] = derivation_table("Own money", _own(loans))
    found["Layers", "Together"] = derivation_table("Together", _together(loans, of))
    if loans.extra:
        found |= _orders(loans)
    found[years_title, ""] = _year(loans, chosen)
    return found


def _layer(loans: LoanSet, loan: Loan, of: ScheduleDerivations) -> dict[str, Derivation]:
    amount = Derivation(of.money(loan.amount)) if loan.given["amount"] is not None else amount_derivation(loan)
    figures = {"Amount": amount}
    if loans.needs:
        figures["Share"] = _share(loans, loan.amount)
    return figures | {
        "Rate": rate_derivation(loan), "Payment": ScheduleDerivations(loan.agreed, 0).payment, "Payments": of.payments,
        "Paid off": of.paid_off, "Interest": of.total_interest,
    }  # fmt: skip


def _share(loans: LoanSet, amount: float) -> Derivation:
    show, needs = loans.style.show, float(loans.needs)
    return Derivation(
        show(amount / needs, "share"), "amount / what is needed", f"{show(amount, 'money')} / {show(needs, 'money')}"
    )


def _own(loans: LoanSet) -> dict[str, Derivation]:
    if loans.own_money is None:
        return {}
    show = loans.style.show
    told = f"{show(float(loans.needs), 'money')} - {show(loans.lent, 'money')}"
    amount = Derivation(show(loans.own_money, "money"), "what is needed - all loans together", told)
    return {"Amount": amount, "Share": _share(loans, loans.own_money)}


def _together(loans: LoanSet, of: Mapping[str, ScheduleDerivations]) -> dict[str, Derivation]:
    show = loans.style.show
    amounts = [loan.amount for loan in loans.loans.values()] + (
        [loans.own_money] if loans.own_money is not None else []
    )
    columns = {
        "Amount": amounts,
        "Payment": [loan.payment for loan in loans.loans.values()],
        "Interest": [one.schedule.total_interest for one in of.values()],
    }
    return {
        label: Derivation(show(sum(values), "money"), "of all layers, added up", _sum(loans, values))
        for label, values in columns.items()
    }


def _orders(loans: LoanSet) -> dict[tuple[str, str], Table]:
    title, show = "What each order of paying brings", loans.style.show
    before = sum(loan.schedule.total_interest for loan in loans.loans.values())
    found = {}
    without = "interest without spare money - interest with it"
    for order, plan in loans.plans.items():
        last = max(plan.schedules, key=lambda name: len(plan.schedules[name].rows))
        of = {name: ScheduleDerivations(schedule, 0) for name, schedule in plan.schedules.items()}
        interest = show(plan.total_interest, "money")
        found[title, order] = derivation_table(order.capitalize(), {
            "Payments": Derivation(str(plan.payments), f"until the last of them, {last}, is paid off", "", {
                f"Payments of {last}": of[last].payments}),
            "Interest": Derivation(interest, "of all loans, added up", " + ".join(
                one.total_interest.value for one in of.values()),
                {f"Interest of {name}": one.total_interest for name, one in of.items()}),
            "Saved": Derivation(
                show(before - plan.total_interest, "money"), without, f"{show(before, 'money')} - {interest}"),
        })  # fmt: skip
    return found


def _year(loans: LoanSet, chosen: Mapping[str, Schedule]) -> Table:
    """One year of all loans, as the sum of theirs."""
    show = loans.style.show
    by_loan = {name: {row["year"]: row for row in one.yearly_rows()} for name, one in chosen.items()}
    years = sorted({year for rows in by_loan.values() for year in rows})
    year = years[1] if len(years) > 1 else years[0]
    rows = [rows[year] for rows in by_loan.values() if year in rows]
    columns = {
        "Payments": [row["payments"] + row["extra"] for row in rows],
        **{name.capitalize(): [row[name] for row in rows] for name in ("interest", "principal", "balance")},
    }
    return derivation_table(f"The year {year}", {
        label: Derivation(show(sum(values), "money"), "of each loan, added up", _sum(loans, values))
        for label, values in columns.items()
    })  # fmt: skip


def _sum(loans: LoanSet, values: Iterable[float]) -> str:
    return " + ".join(loans.style.show(value, "money") for value in values)
