"""`pennyweight loan`"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from pennyweight.cli.options import deliver, output_options
from pennyweight.errors import InputError, Place

__all__ = ["command"]

_TERMS = (
    ("--amount", "AMOUNT", "What is lent; left out, what can be borrowed."),
    ("--rate", "RATE", "Yearly, quoted, compounding as often as is paid unless it says otherwise."),
    ("--years", "YEARS", "The term in years."),
    ("--months", "MONTHS", "The term in months."),
    ("--payment", "AMOUNT", "The level payment."),
    ("--per-year", "N", "Payments a year: a number, or month, quarter… (12)."),
    ("--compounding", "N", "How often the rate compounds, when not as often as is paid."),
    ("--paid", "WHEN", "At the 'end' or the 'start' of each period (end)."),
    ("--repaid", "HOW", "'level payment', 'constant principal', 'interest only' or 'half every two weeks'."),
    ("--interest-only", "SPAN", "Time at the beginning in which only interest is paid: years, or '18 months'."),
    ("--amortized-over", "YEARS", "The years the payment is worked out over, when all falls due before."),
    ("--residual", "AMOUNT", "What the payments leave, due with the last."),
    ("--start", "DATE", "The day of drawdown."),
    ("--first-payment", "DATE", "The first due day."),
    ("--interest", "HOW", "'equal periods', or by days: actual/365, actual/360, 30/360."),
    ("--fee-up-front", "AMOUNT", "A fee paid at drawdown: an amount, or a share such as 1.5%."),
    ("--fee-added", "AMOUNT", "A fee added to what is owed."),
    ("--fee-each", "AMOUNT", "A fee with each payment."),
    ("--rounding", "HOW", "'half up', 'half even', 'payment up', or 'none' (half up)."),
    ("--rate-moves", "WHAT", "Whether a rate step changes the 'payment' or the 'term' (payment)."),
    ("--extra-moves", "WHAT", "Whether an extra payment changes the 'term' or the 'payment' (term)."),
    ("--balance-moves", "WHAT", "What a stated balance changes: the 'last payment', the 'payment' or the 'term'."),
    ("--as-of", "DATE", "The day the key facts are told for."),
    ("--currency", "CODE", "Three letters; they set the smallest unit too."),
)


def _terms(function: Any) -> Any:
    for option, metavar, text in reversed(_TERMS):
        function = click.option(option, metavar=metavar, help=text)(function)
    return function


@click.command("loan")
@click.argument("loans", nargs=-1, metavar="[FILE]...", type=click.Path(path_type=Path))
@_terms
@click.option("--events", type=click.Path(path_type=Path), metavar="FILE", help="A CSV with date, what, amount.")
@click.option("--extra", metavar="AMOUNTS", help="Try extra amounts with every payment: 50;100;200.")
@click.option("--paid-off-by", metavar="DATE", help="The extra amount that pays it off by then.")
@click.option("--working", is_flag=True, help="Show how each payment comes about.")
@output_options
def command(
    loans: tuple[Path, ...],
    events: Path | None,
    extra: str | None,
    paid_off_by: str | None,
    working: bool,
    form: str,
    outputs: tuple[Path, ...],
    **terms: Any,
) -> None:
    """A loan's schedule to the cent, as a lender's books have it, with its key facts; from options or a loan file.

    Of amount, rate, term and payment leave one out. A file may hold one loan with its events, a loan taken over, or
    several loans together; several files are offers, side by side.

    Example: pennyweight loan --amount 86k --rate 4.2% --years 15 --currency EUR --start 2027-01-31
    """
    given = {name: value for name, value in terms.items() if value is not None}

    def compute() -> Any:
        from pennyweight.instruments.loans.study import LoanStudy

        if "," in (extra or ""):
            raise InputError(
                f"--extra {extra} could be one amount or several; put ; between several, and write one without "
                "a comma.",
                at=Place.of_option("--extra", "extra"),
            )
        tried = [part for part in (extra or "").split(";") if part.strip()]
        if loans:
            return _from_files(loans, given, tried, paid_off_by, events, working)
        return LoanStudy(_loan(given, events), extra=tried, paid_off_by=paid_off_by, working=working)

    deliver(compute, form, outputs)


def _loan(given: dict[str, Any], events: Path | None) -> Any:
    from pennyweight.instruments.loans.file import read_events
    from pennyweight.instruments.loans.loan import Loan

    terms = dict(given)
    if terms.get("rounding") == "none":
        terms["rounding"] = None
    return Loan(**terms, events=[] if events is None else read_events(events))


def _from_files(
    files: tuple[Path, ...],
    given: dict[str, Any],
    tried: list[str],
    paid_off_by: str | None,
    events: Path | None,
    working: bool,
) -> Any:
    from dataclasses import replace

    from pennyweight.instruments.loans.file import read_loan_file
    from pennyweight.instruments.loans.study import LoanStudy

    options = sorted(name for name in given if name != "as_of")
    if options or events is not None:
        first = "events" if not options else options[0]
        option = Place.of_option(f"--{first.replace('_', '-')}", first)
        raise InputError(f"{option} is not for loan files; write it in {files[0].name}.", at=option)
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
    others = {f"{one.loan.title} ({file.stem})": one.loan for file, one in zip(files[1:], results[1:], strict=True)
              if isinstance(one, LoanStudy)}  # fmt: skip
    return replace(
        study,
        extra=tried or study.extra,
        paid_off_by=paid_off_by or study.paid_off_by,
        offers={**study.offers, **others},
        working=working,
    )
