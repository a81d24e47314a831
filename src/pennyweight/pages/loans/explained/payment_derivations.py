"""Where each payment of a schedule comes from: how it was worked out, its interest, and what it leaves.

A formula that holds for plain loans alone (interest as what is owed times the rate) is put forward with its numbers
only where these come to the figure that is booked.
"""

from __future__ import annotations

from pennyweight.core.loans.agreement import Setting
from pennyweight.documents.derivation import Derivation, bracketed, digits
from pennyweight.instruments.loans.books.facts import Facts, facts
from pennyweight.instruments.loans.books.schedule import Schedule
from pennyweight.pages.rates.rate_derivations import period_derivation

__all__ = ["PaymentDerivations"]


class PaymentDerivations:
    """The derivations of a schedule's payments when `made` of them have been made.

    >>> from pennyweight import Loan
    >>> PaymentDerivations(Loan(1_000, "6%", years=1).schedule, 0).interest(1).numbers
    '1,000.00 × 0.005'
    """

    def __init__(self, schedule: Schedule, made: int) -> None:
        self.schedule, self.terms = schedule, schedule.terms
        self.rows = schedule.rows
        self.asked = made
        self.made = min(made, len(self.rows))
        self.facts: Facts = facts(schedule, made)

    @property
    def payment(self) -> Derivation:
        """The level payment, or the first one."""
        settings = self.schedule.books.settings
        if self.terms.agreement.shape != "level" or not settings:
            return self.of_payment(1)
        return self.setting(settings[0])

    def setting(self, setting: Setting) -> Derivation:
        """How a payment was worked out, from what was owed when it was."""
        terms = self.terms.agreement
        value = self.units(setting.payment)
        if terms.payment is not None or setting.over < 1:
            return Derivation(value)
        i, n = float(setting.rate), setting.over
        parts = {
            "Owed then": Derivation(self.units(setting.balance), "what is still to be repaid"),
            "i, the rate of a period": self.periodic(float(setting.yearly), i),
            "n, payments left": Derivation(str(n), "over which it is worked out"),
        }
        first = terms.at_start and setting.number == 1
        gap = n + (1 if terms.at_start and not first else 0)
        owed, numbers = "owed", self.units(setting.balance)
        if terms.residual:
            parts["Residual"] = Derivation(self.units(terms.residual), "what the last payment clears")
            owed, numbers = (
                f"(owed - residual × (1 + i)^-{'(n + 1)' if gap > n else 'n'})",
                (f"({numbers} - {self.units(terms.residual)} × {self.growth(i)}^-{gap})"),
            )
        if i == 0:
            return Derivation(value, f"{owed} / n, rounded", f"{numbers} / {n}", parts)
        once = " / (1 + i)" if first else ""
        return Derivation(
            value,
            f"{owed} × i / (1 - (1 + i)^-n){once}, rounded",
            f"{numbers} × {self.digits(i)} / (1 - {self.growth(i)}^-{n}){f' / {self.growth(i)}' if first else ''}",
            parts,
        )

    def periodic(self, yearly: float, i: float) -> Derivation:
        """The rate of a period out of the yearly one."""
        return period_derivation(
            self.terms.style.show(i, "rate", places=6),
            i,
            yearly=yearly,
            yearly_shown=self.rate(yearly),
            often=self.terms.rate.compounding,
            m=self.terms.per_year,
            mark=self.terms.style.mark,
        )

    def of_payment(self, number: int) -> Derivation:
        """One payment by its two parts."""
        row = self.rows[number - 1]
        interest, principal = self.units(row.interest), self.units(row.payment - row.interest)
        return Derivation(
            self.units(row.payment),
            "interest + principal",
            f"{interest} + {principal}",
            {
                "Interest": self.interest(number),
                "Principal": Derivation(principal, "what the payment leaves beside it"),
            },
        )

    @property
    def payment_now(self) -> Derivation | None:
        """The payment that comes next: as it was worked out, where it is that one."""
        if self.made >= len(self.rows):
            return None
        row = self.rows[self.made]
        settings = [one for one in self.schedule.books.settings if one.number <= self.made + 1]
        if self.terms.agreement.shape == "level" and settings and settings[-1].payment == row.payment:
            return self.setting(settings[-1])
        return self.of_payment(self.made + 1)

    @property
    def next_interest(self) -> Derivation | None:
        """The interest of the next payment."""
        return None if self.made >= len(self.rows) else self.interest(self.made + 1)

    @property
    def next_principal(self) -> Derivation | None:
        """What the next payment repays."""
        if self.made >= len(self.rows):
            return None
        row = self.rows[self.made]
        numbers = f"{self.units(row.payment)} - {self.units(row.interest)}"
        return Derivation(self.units(row.payment - row.interest), "payment - interest", numbers)

    def interest(self, number: int) -> Derivation:
        """The interest of one payment: what was owed times its rate, in pieces where something happened between."""
        value = self.units(self.rows[number - 1].interest)
        terms = self.terms.agreement
        if number == 1 and terms.at_start:
            return Derivation(value, "paid the day it is lent, before any interest runs")
        pieces, exact = self._pieces(number)
        if abs(exact - float(self.rows[number - 1].interest)) > (0.5 + 1e-6 if terms.rounding else 1e-6):
            return Derivation(value, "what was owed, day by day, at the rates in force")
        how = "owed × rate × part of a year" if terms.shares is not None else "owed × i, the rate of a period"
        if terms.shares is None and number == 1 and terms.odd:
            how = "owed × (i + rate × part of a year before the first period)"
        return Derivation(value, f"{how}, rounded" if terms.rounding else how, " + ".join(pieces))

    def _pieces(self, number: int) -> tuple[list[str], float]:
        """The terms of the sum that is a period's interest, and what it comes to, in units."""
        terms, table = self.terms.agreement, self.schedule.timetable
        entries = [] if table is None else list(table.entries)
        owed = float(terms.amount if number == 1 else self.rows[number - 2].balance)
        for one in entries if number == 1 else []:
            if one.number == 0 and one.what in ("extra", "balance"):  # before the first payment
                owed = float(one.value) if one.what == "balance" else owed - float(one.value)
        yearly = terms.rate
        for one in entries:
            if one.what == "rate" and (one.number < number or (one.number == number and not one.share)):
                yearly = type(yearly)(one.value)
        if terms.shares is None:
            i = float(terms.periodic(yearly))
            odd = yearly * terms.odd if number == 1 else 0
            factor = f"({self.digits(i)} + {self.digits(float(yearly))} × {terms.odd})" if odd else self.digits(i)
            return [f"{self.units(owed)} × {factor}"], owed * (i + float(odd))
        told, total, since = [], 0.0, type(yearly)(0)
        inside = sorted((one for one in entries if one.number == number and one.share), key=lambda one: one.share or 0)
        for entry in [*inside, None]:
            until = terms.shares(number) if entry is None else (entry.share or since)
            if until > since:
                told.append(f"{self.units(owed)} × {self.digits(float(yearly))} × {until - since}")
                total += owed * float(yearly * (until - since))
            since = until
            if entry is not None and entry.what == "rate":
                yearly = type(yearly)(entry.value)
            elif entry is not None and entry.what == "extra":
                owed -= min(float(entry.value), owed)
            elif entry is not None and entry.what == "balance":
                owed = float(entry.value)
        return told or ["0"], total

    @property
    def last_payment(self) -> Derivation:
        """The payment that clears what is owed."""
        return self._cleared(len(self.rows))

    def _cleared(self, number: int) -> Derivation:
        row, before = self.rows[number - 1], self.owed(number - 1)
        numbers = f"{self.units(before)} + {self.units(row.interest)}"
        formula = "owed before it + its interest"
        if row.correction:
            formula, numbers = f"{formula} + what a statement added", f"{numbers} + {self.units(row.correction)}"
        if row.extra:
            formula, numbers = f"{formula} - extra payment", f"{numbers} - {self.units(row.extra)}"
        return Derivation(self.units(row.payment), formula, numbers, {"Its interest": self.interest(number)})

    def balance(self, number: int) -> Derivation:
        """What is owed after a payment, from the payment before it on."""
        if number < 1:
            return Derivation(self.units(self.owed(0)), "the amount; nothing is paid yet")
        row = self.rows[number - 1]
        formula = "owed before + interest - payment"
        numbers = f"{self.units(self.owed(number - 1))} + {self.units(row.interest)} - {self.units(row.payment)}"
        if row.extra:
            formula, numbers = f"{formula} - extra payment", f"{numbers} - {self.units(row.extra)}"
        if row.correction:
            formula, numbers = f"{formula} + what a statement added", f"{numbers} + {self.signed(row.correction)}"
        return Derivation(self.units(row.balance), formula, numbers, {"Its interest": self.interest(number)})

    # Shown figures

    def owed(self, number: int) -> float:
        """What is owed after a payment, in units."""
        return self.rows[number - 1].balance if number else self.terms.agreement.amount

    def units(self, units: float) -> str:
        """Smallest units, shown as an amount."""
        return self.money(self.terms.money(units))

    def digits(self, number: float) -> str:
        """A rate or factor as it is put into a formula."""
        return digits(number, self.terms.style.mark)

    def growth(self, i: float) -> str:
        """What one grows to in a period."""
        return f"(1 + {self.digits(i)})"

    def signed(self, units: float) -> str:
        """An amount that may be below zero, as it is put into a sum."""
        return bracketed(self.units(units))

    def money(self, value: float) -> str:
        """An amount in the currency."""
        return self.terms.style.show(value, "money")

    def rate(self, yearly: float) -> str:
        """A yearly rate."""
        return self.terms.style.show(yearly, "rate", places=4)
