"""The page of a schedule: its years and its payments, and where each of their figures comes from."""

from __future__ import annotations

from functools import partial
from typing import Any

from pennyweight.documents import Block, Cell, Checks, Column, Document, Row, Table
from pennyweight.documents.derivation import Derivation, Why, added
from pennyweight.documents.tables import ends, some_rows
from pennyweight.instruments.loans.books.schedule import Schedule
from pennyweight.pages.loans.explained.derivations import ScheduleDerivations
from pennyweight.quantities.units import Style

__all__ = ["document", "schedule_tables", "whole_schedule"]

_HEAD = 12


def document(schedule: Schedule) -> Document:
    """The years, the payments and the checks."""
    owed = schedule.terms.style.with_unit(schedule.balance_after(0), "money")
    blocks = (*schedule_tables(schedule), Checks(schedule.checks))
    return Document(f"The schedule of a loan of {owed}", blocks)


def schedule_tables(schedule: Schedule, made: int = 0) -> list[Block]:
    """The years and the payments: the first, those around the last that was made, and the last ones."""
    of = ScheduleDerivations(schedule, made)
    return [_years(schedule, of), _payments(schedule, of)]


def _years(schedule: Schedule, of: ScheduleDerivations) -> Table:
    style, table = schedule.terms.style, schedule.yearly_rows()
    always = ("payments", "interest", "principal", "balance")
    names = [name for name in table[0] if name != "year" and (name in always or any(row[name] for row in table))]
    numbers: dict[int, list[int]] = {}
    for number, year in enumerate(schedule.years, 1):
        numbers.setdefault(year, []).append(number)
    rows = tuple(
        Row(
            (Cell(str(row["year"])), *(_amount(style, name, row[name]) for name in names)),
            Why(f"The year {row['year']}", partial(_of_year, of, row, numbers[row["year"]])),
        )
        for row in table
    )
    columns = tuple(Column(name.capitalize()) for name in names)
    note = "Principal includes the extra payments." if "extra" in names else ""
    title = "By calendar year" if schedule.dates is not None else "By year of the loan"
    return Table(title, (Column("Year", words=True), *columns), rows, note)


def _amount(style: Style, name: str, value: float) -> Cell:
    """An amount; a dash where nothing extra happened."""
    return Cell("–") if not value and name in ("extra", "fee", "correction") else Cell(style.show(value, "money"))


def whole_schedule(schedule: Schedule, title: str = "All payments") -> tuple[Table, ...]:
    """Every payment, where the page of a screen leaves some out."""
    table = _payments(schedule, None, title)
    return (table,) if _shown_rows(len(table.rows), 0) != list(range(len(table.rows))) else ()


def _payments(schedule: Schedule, of: ScheduleDerivations | None, title: str = "Payments") -> Table:
    """The payments, some of them with their derivations, or all without."""
    style, rows = schedule.terms.style, schedule.plain_rows()
    names = ["payment", "interest", "principal", "extra", "fee", "correction", "balance"]
    names = [
        name
        for name in names
        if name in ("payment", "interest", "principal", "balance") or any(row[name] for row in rows)
    ]
    cells = [
        Row(
            (
                Cell(str(row["number"])),
                *((Cell(row["date"]),) if row["date"] else ()),
                *(_amount(style, name, row[name]) for name in names),
                *((Cell("history" if row["history"] else "", "comparison"),) if schedule.history else ()),
            ),
            None if of is None else Why(f"Payment {row['number']}", partial(_of_payment, of, row["number"])),
        )
        for row in rows
    ]
    notes = ["Principal includes the extra payments."] if "extra" in names else []
    kept = list(range(len(cells))) if of is None else _shown_rows(len(cells), of.asked)
    shown, left_out = some_rows(cells, kept, "payments")
    titles = [Column("No.", words=True), *([Column("Date", words=True)] if schedule.dates is not None else [])]
    titles += [Column(name.capitalize()) for name in names]
    titles += [Column("", words=True)] if schedule.history else []
    return Table(title, tuple(titles), shown, " ".join([*notes, left_out]).strip())


def _shown_rows(count: int, made: int) -> list[int]:
    """Which rows a page shows of `count` payments, from 0: the first, those around the last that was made, the last."""
    if made == 0 or count <= 2 * _HEAD + 6:
        return ends(count, _HEAD, spared=6)
    around = range(max(made - _HEAD // 2, 0), min(made + _HEAD // 2, count))
    return sorted({*range(_HEAD // 2), *around, *range(count - _HEAD // 2, count)})


def _of_payment(of: ScheduleDerivations, number: int) -> dict[str, Derivation]:
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


def _of_year(of: ScheduleDerivations, year: dict[str, Any], numbers: list[int]) -> dict[str, Derivation]:
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
    return found
