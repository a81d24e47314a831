"""A refinancing as a block: the old loan beside the new one, when it breaks even, and what is gained."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from pennyweight.documents import Cell, FigureLine, Figures
from pennyweight.documents.derivation import Derivation, Why
from pennyweight.documents.model import Tone
from pennyweight.instruments.loans.asked.loan_study import LoanStudy
from pennyweight.instruments.loans.asked.what_if import Race, Refinancing, race
from pennyweight.pages.loans.explained.derivations import ScheduleDerivations

__all__ = ["refinancing_block"]


def refinancing_block(study: LoanStudy, change: Refinancing) -> Figures:
    """The balance replaced, both payments, both interests, when it pays, and the gain."""
    style, of = study.loan.terms.style, _RaceDerivations(study)

    def line(
        label: str,
        value: float,
        make: Callable[[], Derivation | dict[str, Derivation]],
        note: str = "",
        *,
        sign: bool = False,
    ) -> FigureLine:
        tone: Tone = "plain" if not sign else ("in" if value >= 0 else "out")
        return FigureLine(label, Cell(style.with_unit(value, "money", sign=sign), tone), note, Why(label, make))

    if change.pays_after is None:
        shown = Cell("never", "out")
        note = "what is paid and still owed stays above the old loan's"
        pays = FigureLine("Breaks even", shown, note, Why("Breaks even", of.never))
    else:
        label, note = "Breaks even on", f"after {change.pays_after} payments"
        why = Why(label, partial(of.breaks_even, change.pays_from or "", change.pays_after))
        pays = FigureLine(label, Cell(change.pays_from or "", "in"), note, why)
    saved = change.interest_left - change.interest_after
    replaced = f"on {change.on}" if study.loan.terms.calendar is not None else f"after payment {change.on}"
    word = "saves" if saved >= 0 else "costs"
    counted = f"after {change.horizon} payments, debts and costs counted"
    return Figures(
        "Refinancing",
        (
            line("Balance replaced", change.balance, of.balance, replaced),
            line("Costs of the change", change.costs, of.costs),
            line("Payment before", change.payment_before, of.payment_before),
            line("Payment after", change.payment_after, of.payment_after),
            line("Interest left on the old loan", change.interest_left, of.interest_left),
            line(
                "Interest of the new one",
                change.interest_after,
                partial(of.interest_after, change),
                f"{word} {style.show(abs(saved), 'money')}",
            ),
            pays,
            line("Net gain", change.gain, of.net_gain, counted, sign=True),
        ),
    )


class _RaceDerivations:
    """The derivations of a refinancing; both loans are raced when the first is asked for."""

    def __init__(self, study: LoanStudy) -> None:
        self.study = study

    @property
    def both(self) -> Race:
        asked = dict(self.study.refinance or {})
        on, costs, horizon = asked.pop("on"), asked.pop("costs", 0.0), asked.pop("horizon", None)
        return race(self.study.loan, on=on, costs=costs, horizon=horizon, terms=asked)

    @property
    def old(self) -> ScheduleDerivations:
        return ScheduleDerivations(self.study.loan.schedule, self.both.after)

    @property
    def new(self) -> ScheduleDerivations:
        return ScheduleDerivations(self.both.new.agreed, 0)

    def balance(self) -> Derivation:
        return self.old.balance_now

    def payment_before(self) -> Derivation:
        return self.old.payment_now or self.old.last_payment

    def payment_after(self) -> Derivation:
        return self.new.payment

    def interest_left(self) -> Derivation:
        return self.old.interest_to_come

    def interest_after(self, change: Refinancing) -> dict[str, Derivation]:
        money = self.old.money
        told = f"{money(change.interest_left)} - {money(change.interest_after)}"
        how = "interest left on the old loan - interest of the new one"
        saved = Derivation(money(change.interest_left - change.interest_after), how, told)
        return {"Interest of the new one": self.new.total_interest, "Saved": saved}

    def costs(self) -> Derivation:
        both, money = self.both, self.old.money
        upfront, replaced = both.new.terms.fee_up_front, both.left_old[0]
        if not (upfront or replaced - both.new.amount):
            return Derivation(money(both.out_of_pocket))
        told = f"{money(both.given_costs)} + {money(upfront)} + {money(replaced)} - {money(both.new.amount)}"
        how = "costs + fee up front + balance that the new loan does not cover"
        return Derivation(money(both.out_of_pocket), how, told)

    def gain(self, k: int) -> Derivation:
        """How much better off one is `k` payments after the change."""
        both, money = self.both, self.old.money
        numbers = (
            f"{money(both.spent_old[k])} + {money(both.left_old[k])} - {money(both.spent_new[k])} - "
            f"{money(both.left_new[k])} - {money(both.out_of_pocket)}"
        )
        formula = "old loan's payments since + what is owed on it - new loan's payments - what is owed on it - costs"
        return Derivation(self.old.terms.style.show(both.gains[k], "money", sign=True), formula, numbers)

    def net_gain(self) -> Derivation:
        return self.gain(self.both.end)

    def never(self) -> Derivation:
        last = {"Gain at the end": self.gain(len(self.both.gains) - 1)}
        return Derivation("never", "the gain never stays above zero", "", last)

    def breaks_even(self, shown: str, k: int) -> Derivation:
        how = f"payment {k} after the change is the first from which the gain stays above zero"
        return Derivation(shown, how, "", {f"Gain after {n} payments": self.gain(n) for n in (k - 1, k)})
