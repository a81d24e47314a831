"""Where each figure comes from that answers what is asked of a loan: extras, a day, offers, a refinancing, its bill."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING

from pennyweight.documents.derivation import Derivation, Whys, derivation_table
from pennyweight.documents.model import Table
from pennyweight.instruments.loans.asked.bill import Bill
from pennyweight.instruments.loans.asked.what_if import Extra, Offer, race, with_extra
from pennyweight.instruments.loans.loan import Loan
from pennyweight.pages.loans.derivations import ScheduleDerivations
from pennyweight.pages.loans.loan_whys import fact_derivations, rate_derivation

if TYPE_CHECKING:
    from pennyweight.instruments.loans.asked.loan_study import LoanStudy

__all__ = ["bill_whys", "study_whys"]


def study_whys(study: LoanStudy) -> Whys:
    """Every answer of the study, by the titles and labels of its page."""
    found: dict[tuple[str, str], Table] = {}
    title = "Extra amounts with every payment, from the next one on"
    for extra in study.extras:
        shown = study.loan.terms.style.show(extra.extra, "money")
        found[title, shown] = derivation_table(f"{shown} more with every payment", _extra(study.loan, extra))
    if isinstance(study.needed, Extra):
        found[f"To be paid off by {study.paid_off_by}", "Extra needed"] = _needed(study)
    if study.side_by_side:
        loans = dict(zip((row.name for row in study.side_by_side), (study.loan, *study.offers.values()), strict=True))
        found |= {("Offers side by side", label): table for label, table in _offers(study, loans).items()}
    if study.change is not None:
        found |= {("Refinancing", label): table for label, table in _refinancing(study).items()}
    if study.bill is not None:
        found |= bill_whys(study.loan, study.bill, ScheduleDerivations(study.loan.schedule, study.loan.made))
    return found


def _extra(loan: Loan, extra: Extra) -> dict[str, Derivation]:
    """What an extra amount saves, as the difference of two schedules."""
    without = ScheduleDerivations(loan.schedule, loan.made)
    other = ScheduleDerivations(with_extra(loan, extra.extra).schedule, loan.made)
    interest = other.total_interest
    return {
        "Payments saved": Derivation(
            str(extra.payments_saved), "payments without it - payments with it",
            f"{len(without.rows)} - {len(other.rows)}", {"Payments with it": other.payments},
        ),
        "Interest saved": Derivation(
            without.money(extra.interest_saved), "total interest without it - with it",
            f"{without.total_interest.value} - {interest.value}", {"Total interest with it": interest},
        ),
        "Paid off": other.paid_off,
    }  # fmt: skip


def _needed(study: LoanStudy) -> Table:
    """The smallest extra that does: with it the loan ends in time, with one unit less it does not."""
    loan, needed = study.loan, study.needed
    assert isinstance(needed, Extra)
    style, unit = loan.terms.style, 10.0**-loan.terms.scale
    parts = {}
    for amount in (needed.extra, round(needed.extra - unit, 9)):
        if amount > 0:
            ended = with_extra(loan, amount).schedule
            shown = style.show(amount, "money")
            parts[f"Last payment with {shown} more"] = Derivation(
                ended.named(len(ended.rows)), f"after {len(ended.rows)} payments in all"
            )
    value = style.with_unit(needed.extra, "money")
    how = f"the smallest extra amount with which the last payment is by {study.paid_off_by}"
    return derivation_table(f"Extra needed: {value}", {"Extra needed": Derivation(value, how, "", parts)})


def _offers(study: LoanStudy, loans: Mapping[str, Loan]) -> dict[str, Table]:
    told: dict[str, dict[str, Derivation]] = {}
    cheapest = min(study.side_by_side, key=lambda row: row.total_paid - row.amount)
    for row, (name, loan) in zip(study.side_by_side, loans.items(), strict=True):
        of = ScheduleDerivations(loan.agreed, 0)
        facts = fact_derivations(of)
        figures = {
            "Amount": Derivation(of.money(row.amount), "what is lent"),
            "Rate": rate_derivation(loan),
            "Rate with fees (US)": of.percentage_rate("us", row.apr),
            "Rate with fees (EU)": of.percentage_rate("eu", row.apr_eu),
            "Costs more than the cheapest": _dearer(of.money, row, cheapest),
            "Total fees": of.total_fees,
            **{label: facts[label] for label in ("Payment", "Payments", "Total interest", "Total paid")},
        }
        for label, figure in figures.items():
            told.setdefault(label, {})[f"{label}, {name}"] = figure
    return {label: derivation_table(label, figures) for label, figures in told.items()}


def _dearer(money: Callable[[float], str], row: Offer, cheapest: Offer) -> Derivation:
    costs, least = row.total_paid - row.amount, cheapest.total_paid - cheapest.amount
    numbers = f"{money(row.total_paid)} - {money(row.amount)} - {money(least)}"
    formula = f"total paid - amount - what {cheapest.name} costs so, the cheapest"
    return Derivation(money(costs - least), formula, numbers)


def _refinancing(study: LoanStudy) -> dict[str, Table]:
    loan, change, asked = study.loan, study.change, dict(study.refinance or {})
    assert change is not None
    both = race(
        loan, on=asked.pop("on"), costs=asked.pop("costs", 0.0), horizon=asked.pop("horizon", None), terms=asked
    )
    old, new = ScheduleDerivations(loan.schedule, both.after), ScheduleDerivations(both.new.agreed, 0)
    money, upfront = old.money, both.new.terms.fee_up_front
    unlent = both.left_old[0] - both.new.amount
    costs = Derivation(
        money(both.out_of_pocket), "costs + fee up front + balance that the new loan does not cover",
        f"{money(both.given_costs)} + {money(upfront)} + {money(both.left_old[0])} - {money(both.new.amount)}",
    ) if upfront or unlent else Derivation(money(both.out_of_pocket))  # fmt: skip

    def gain(k: int) -> Derivation:
        numbers = (
            f"{money(both.spent_old[k])} + {money(both.left_old[k])} - {money(both.spent_new[k])} - "
            f"{money(both.left_new[k])} - {money(both.out_of_pocket)}"
        )
        formula = "old loan's payments since + what is owed on it - new loan's payments - what is owed on it - costs"
        return Derivation(old.terms.style.show(both.gains[k], "money", sign=True), formula, numbers)

    saved = money(change.interest_left - change.interest_after)
    figures = {
        "Balance replaced": old.balance_now,
        "Costs of the change": costs,
        "Payment before": old.payment_now or old.last_payment,
        "Payment after": new.payment,
        "Interest left on the old loan": old.interest_to_come,
        "Interest of the new one": new.total_interest,
        "Net gain": gain(both.end),
    }
    found = {label: {label: one} for label, one in figures.items()}
    found["Interest of the new one"]["Saved"] = Derivation(
        saved, "interest left on the old loan - interest of the new one",
        f"{money(change.interest_left)} - {money(change.interest_after)}",
    )  # fmt: skip
    if change.pays_after is None:
        label = "Breaks even"
        found[label] = {label: Derivation("never", "the gain never stays above zero", "", {"Gain at the end": gain(
            len(both.gains) - 1)})}  # fmt: skip
    else:
        label, k = "Breaks even on", change.pays_after
        parts = {f"Gain after {n} payments": gain(n) for n in (k - 1, k)}
        found[label] = {label: Derivation(
            change.pays_from or "", f"payment {k} after the change is the first from which the gain stays above zero",
            "", parts,
        )}  # fmt: skip
    return {label: derivation_table(label, told) for label, told in found.items()}


def bill_whys(loan: Loan, bill: Bill, of: ScheduleDerivations) -> Whys:
    """The parts of a bill.

    `of` are the derivations of the schedule whose next payment is billed.

    >>> loan, bill = Loan(1_000, "6%", years=1), Bill(total=100, taxes=60)
    >>> sorted(label for _, label in bill_whys(loan, bill, ScheduleDerivations(loan.schedule, 0)))
    ['Insurance', 'Interest', 'Principal', 'Taxes', 'The bill', 'Unexplained']
    """
    money, now = of.money, of.facts
    parts = bill.parts(now.next_interest or 0.0, now.next_principal or 0.0, loan.terms.style.places)
    none = Derivation(money(0.0), "no payment is to come")
    figures = {"Interest": of.next_interest or none, "Principal": of.next_principal or none}
    for name in ("taxes", "insurance"):
        yearly, often = float(getattr(bill, name)), float(bill.per_year)
        figures[name.capitalize()] = Derivation(
            money(parts[name]), f"{name} of a year / bills a year", f"{money(yearly)} / {often:g}"
        )
    held = " - ".join(money(parts[name]) for name in ("total", "interest", "principal", "taxes", "insurance"))
    figures["Unexplained"] = Derivation(
        money(parts["unexplained"]), "the bill - interest - principal - taxes - insurance", held
    )
    figures["The bill"] = Derivation(money(parts["total"]))
    title = "The next bill taken apart"
    return {(title, label): derivation_table(label, {label: figure}) for label, figure in figures.items()}
