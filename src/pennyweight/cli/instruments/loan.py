"""`pennyweight loan`"""

from __future__ import annotations

import datetime as dt
from pathlib import Path
from typing import Any

import click

from pennyweight.cli.options import deliver, output_options, read_pairs, table_options
from pennyweight.core.loans.repayment import REPAID
from pennyweight.core.loans.rounding import ROUNDINGS
from pennyweight.errors import InputError, Place
from pennyweight.instruments.loans.books.events import EVENTS
from pennyweight.instruments.loans.books.terms import BASIS
from pennyweight.instruments.loans.files.event_files import EVENT_COLUMNS
from pennyweight.plain_text import quoted
from pennyweight.quantities.argument_checks import each_once
from pennyweight.quantities.dates import read_date
from pennyweight.quantities.lists import split_list
from pennyweight.report.forms.csv_form import as_csv, frame_as_csv

__all__ = ["command"]

MARK = "'"

_TERMS = (
    ("--owed amount", "AMOUNT", "Set the amount lent; without it, the amount is worked out."),
    ("--rate", "RATE", "Set the quoted yearly rate; it compounds with each payment unless it says otherwise."),
    ("--years", "YEARS", "Set the term in years."),
    ("--months", "MONTHS", "Set the term in months."),
    ("--payment", "AMOUNT", "Set the level payment."),
    ("--per-year", "N", "Set the payments a year: a number, or month, quarter… (12)."),
    ("--compounding", "N", "Set how often the rate compounds, if not with each payment."),
    ("--paid", "WHEN", "Pay at the 'end' or the 'start' of each period (end)."),
    ("--repaid", "HOW", f"Repay by {quoted(REPAID, MARK)}."),
    ("--interest-only", "SPAN", "Pay interest only for this time at the beginning: years, or '18 months'."),
    ("--amortized-over", "YEARS", "Work out the payment over this many years, though the rest is due earlier."),
    ("--still-owed residual", "AMOUNT", "Leave this amount to be paid with the last payment."),
    ("--start", "DATE", "Set the day on which the loan is paid out."),
    ("--first-payment", "DATE", "Set the first due day."),
    ("--day-count interest", "HOW", f"Charge interest by 'equal periods', or by days: {', '.join(BASIS)}."),
    ("--fee-up-front", "AMOUNT", "Pay this fee at the start: an amount, or a share such as 1.5%."),
    ("--fee-added", "AMOUNT", "Add this fee to the amount owed."),
    ("--fee-each", "AMOUNT", "Pay this fee with each payment."),
    ("--rounding", "HOW", f"Round by {quoted([*ROUNDINGS, 'none'], MARK)} (half up)."),
    ("--rate-moves", "WHAT", "Let a rate step change the 'payment' or the 'term' (payment)."),
    ("--extra-moves", "WHAT", "Let an extra payment change the 'term' or the 'payment' (term)."),
    ("--balance-moves", "WHAT", "Let a stated balance change the 'last payment', the 'payment' or the 'term'."),
    ("--as-of", "DATE", "Report the key figures as of this date, or 'today'."),
    ("--currency", "CODE", "Set the currency (three letters); it sets the smallest unit too."),
)


def _terms(function: Any) -> Any:
    for option, metavar, text in reversed(_TERMS):
        function = click.option(*option.split(), metavar=metavar, help=text)(function)
    return function


@click.command("loan")
@click.argument("loans", nargs=-1, metavar="[FILE]...", type=click.Path(path_type=Path))
@_terms
@click.option(
    "--events",
    type=click.Path(path_type=Path),
    metavar="FILE",
    help="Read events from a CSV with the columns date, what and amount.",
)
@table_options(*EVENT_COLUMNS, sheet=False)
@click.option(
    "--kind",
    "kinds",
    multiple=True,
    metavar="KIND=WORD",
    help="Say how the file of events calls a rate, extra, paid or balance. Repeatable.",
)
@click.option("--extra", metavar="AMOUNTS", help="Compare extra amounts with every payment: 50;100;200.")
@click.option("--paid-off-by", metavar="DATE", help="Find the extra amount that pays the loan off by this date.")
@click.option(
    "--by",
    type=click.Choice(["payment", "year"]),
    default="payment",
    show_default=True,
    help="Write CSV by payment or by year.",
)
@click.option("--strict", is_flag=True, help="Exit with status 1 if a check fails.")
@click.option("--working", is_flag=True, help="Show how each payment is worked out.")
@output_options
def command(
    loans: tuple[Path, ...],
    events: Path | None,
    columns: tuple[str, ...],
    decimal: str | None,
    order: str | None,
    kinds: tuple[str, ...],
    extra: str | None,
    paid_off_by: str | None,
    by: str,
    strict: bool,
    working: bool,
    form: str,
    outputs: tuple[Path, ...],
    **terms: Any,
) -> int:
    """Show the schedule of a loan to the cent, with its key figures; from options or from a loan file.

    Leave out one of amount, rate, term and payment; it is worked out. A file may hold one loan with its events, a loan
    taken over, or several loans together. Several files are shown as offers, side by side.

    Example: pennyweight loan --owed 86k --rate 4.2% --years 15 --currency EUR --start 2027-01-31
    """
    given = {name: value for name, value in terms.items() if value is not None}
    if given.get("as_of") == "today":
        given["as_of"] = str(dt.date.today())

    def compute() -> Any:
        from pennyweight.instruments.loans.asked.loan_study import LoanStudy

        tried = [] if extra is None else split_list(extra, what=Place.of_option("--extra", "extra"))
        if loans:
            how = {"--column": columns, "--kind": kinds, "--decimal": decimal, "--dates": order}
            if option := next((one for one, said in how.items() if said), None):
                raise InputError(
                    f"{option} is not for loan files; write event_columns, event_words or event_dates in "
                    f"{loans[0].name}.",
                    at=Place.of_option(option),
                )
            return _from_files(loans, given, tried, paid_off_by, events, working)
        happened = _events(events, columns, kinds, decimal, order)
        return LoanStudy(_loan(given, happened), extra=tried, paid_off_by=paid_off_by, working=working)

    if by == "year" and form != "csv" and not any(path.suffix.lower() == ".csv" for path in outputs):
        raise InputError("--by year is for CSV; tables and JSON have the years anyway.", at=Place.of_option("--by"))
    found = deliver(compute, form, outputs, table=as_csv if by == "payment" else _years)
    return 1 if strict and not all(check["passed"] for check in _checks(found)) else 0


def _checks(result: Any) -> list[dict[str, Any]]:
    """The checks of a loan, of a takeover, or of each of several loans."""
    plain = result.as_dict()
    loans = plain.get("loans", {})
    return list(plain.get("checks", [])) + [check for one in loans.values() for check in one.get("checks", [])]


def _years(result: Any) -> str:
    """The yearly totals as CSV."""
    years = getattr(result, "frames", {}).get("years")
    if years is None:
        raise InputError("--by year is for files with one loan.", at=Place.of_option("--by"))
    return frame_as_csv(years)


def _events(
    file: Path | None, columns: tuple[str, ...], kinds: tuple[str, ...], decimal: str | None, order: str | None
) -> list[Any]:
    """The events of a file; an option that says how it is read needs one."""
    said = {"--column": columns, "--kind": kinds, "--decimal": decimal, "--dates": order}
    if file is None:
        if option := next((option for option, given in said.items() if given), None):
            raise InputError(
                f"{option} says how a file of events is read; say --events, too.", at=Place.of_option(option)
            )
        return []
    from pennyweight.instruments.loans.files.event_files import read_events

    return read_events(
        file,
        columns=read_pairs(columns, EVENT_COLUMNS, "--column"),
        words=read_pairs(kinds, EVENTS, "--kind", turned=True),
        decimal=decimal,
        order=order,
    )


def _loan(given: dict[str, Any], events: list[Any]) -> Any:
    from pennyweight.instruments.loans.loan import Loan

    terms = dict(given)
    if terms.get("rounding") == "none":
        terms["rounding"] = None
    return Loan(**terms, events=events)


def _from_files(
    files: tuple[Path, ...],
    given: dict[str, Any],
    tried: list[str],
    paid_off_by: str | None,
    events: Path | None,
    working: bool,
) -> Any:
    from dataclasses import replace

    from pennyweight.instruments.loans.asked.loan_study import LoanStudy
    from pennyweight.instruments.loans.files.loan_file import read_loan_file

    files = tuple(each_once(files))
    if missing := [file for file in files if not file.exists()]:
        read_loan_file(missing[0])  # says so, before anything is said of what stands in it
    options = sorted(name for name in given if name != "as_of")
    if options or events is not None:
        first = "events" if not options else options[0]
        words = {param.name: param.opts[0] for param in click.get_current_context().command.params}
        option = Place.of_option(words[first], first)
        raise InputError(f"{option} is not for loan files; write it in {files[0].name}.", at=option)
    if "as_of" in given:
        read_date(given["as_of"], what=Place.of_option("--as-of", "as_of"))
    results = [read_loan_file(file, as_of=given.get("as_of")) for file in files]
    asked = tried or paid_off_by or working or len(files) > 1
    for file, result in zip(files, results, strict=True):
        if asked and not isinstance(result, LoanStudy):
            raise InputError(
                f"{file.name} does not hold a single loan; --extra, --paid-off-by and offers need files with one loan.",
                at=Place.of_file(file.name),
            )
    study = results[0]
    if not isinstance(study, LoanStudy):
        return study
    short = len({file.stem for file in files}) == len(files)
    others = {
        f"{one.loan.title} ({file.stem if short else file})": one.loan
        for file, one in zip(files[1:], results[1:], strict=True)
        if isinstance(one, LoanStudy)
    }
    return replace(
        study,
        extra=tried or study.extra,
        paid_off_by=paid_off_by or study.paid_off_by,
        offers={**study.offers, **others},
        working=working,
    )
