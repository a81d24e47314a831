"""A bill taken apart, as a block."""

from __future__ import annotations

from functools import partial

from pennyweight.documents import Cell, FigureLine, Figures
from pennyweight.documents.derivation import Derivation, Why
from pennyweight.documents.model import Tone
from pennyweight.instruments.loans.asked.bill import Bill
from pennyweight.instruments.loans.books.booked_loan import BookedLoan
from pennyweight.pages.loans.explained.derivations import ScheduleDerivations

__all__ = ["bill_block"]


def bill_block(loan: BookedLoan, bill: Bill, parts: dict[str, float], of: ScheduleDerivations) -> Figures:
    """The parts of a bill, and what nothing explains; `of` derives the schedule whose next payment is billed."""
    style = loan.terms.style

    def line(name: str, label: str, note: str = "", tone: Tone = "plain") -> FigureLine:
        shown = Cell(style.with_unit(parts[name], "money"), tone)
        return FigureLine(label, shown, note, Why(label, partial(_part, bill, parts, of, name)))

    lines = [line(name, name.capitalize()) for name in ("interest", "principal", "taxes", "insurance")]
    if abs(parts["unexplained"]) >= 0.01:
        more = parts["unexplained"] > 0
        note = "the bill holds more than that" if more else "the bill is less than its parts"
        lines.append(line("unexplained", "Unexplained", note, "out"))
    lines.append(line("total", "The bill", tone="question"))
    return Figures("The next bill taken apart", tuple(lines))


def _part(bill: Bill, parts: dict[str, float], of: ScheduleDerivations, name: str) -> Derivation:
    """Where a part of the bill comes from."""
    shown = of.money(parts[name])
    if name in ("interest", "principal"):
        own = of.next_interest if name == "interest" else of.next_principal
        return own or Derivation(of.money(0.0), "no payment is to come")
    if name == "total":
        return Derivation(shown)
    if name == "unexplained":
        held = " - ".join(of.money(parts[one]) for one in ("total", "interest", "principal", "taxes", "insurance"))
        return Derivation(shown, "the bill - interest - principal - taxes - insurance", held)
    yearly, often = float(getattr(bill, name)), float(bill.per_year)
    return Derivation(shown, f"{name} of a year / bills a year", f"{of.money(yearly)} / {often:g}")
