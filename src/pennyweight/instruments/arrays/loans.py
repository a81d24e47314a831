"""Many loans at once, arguments read at the edge: as arrays, or as a table with a row a loan."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from functools import wraps
from typing import TYPE_CHECKING, Any, Literal, ParamSpec

import numpy as np
from numpy.typing import ArrayLike

from pennyweight.core.dates import Days, add_months
from pennyweight.core.loans import batch
from pennyweight.core.loans.batch_events import LoanEvents
from pennyweight.core.loans.loan_book import Books
from pennyweight.errors import InputError, nearest
from pennyweight.instruments.arrays.loan_book import FIGURES, LoanBook
from pennyweight.instruments.arrays.reading import reading
from pennyweight.quantities.dates import read_dates
from pennyweight.quantities.numbers import is_pandas

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["amortize"]

_COLUMNS = ("amount", "rate", "payments", "months", "residual", "interest_only", "start")
_WEEKS = {13: 4, 26: 2, 52: 1}


def amortize(
    amount: ArrayLike | pd.DataFrame | Mapping[str, Any],
    rate: ArrayLike | str | None = None,
    payments: ArrayLike | None = None,
    *,
    per_year: int = 12,
    places: int = 2,
    residual: ArrayLike = 0.0,
    interest_only: ArrayLike = 0.0,
    events: LoanEvents | None = None,
    extra_moves: Literal["term", "payment"] = "term",
    rows: bool = False,
    threads: int | None = None,
) -> LoanBook:
    """Keep the books of many level-payment loans, each rounded half up to the smallest unit at every payment.

    Parameters
    ----------
    amount : array_like | pd.DataFrame | Mapping[str, Any]
        What is lent, (loans,); or a table with a row a loan, whose columns amount, rate, payments (or months) and,
        where they are there, residual, interest_only and start (the day of the pay-out) say it all. The book's `frame`
        has its rows and labels, its other columns, and the day of the last payment.
    rate : array_like | str | None, optional
        Yearly, quoted, compounding as often as is paid, (loans,) or one for all; 0 or more; "4.5%" serves, too.
    payments : array_like | None, optional
        How many are agreed, (loans,) or one for all; the last clears.
    per_year : int, default 12
        Payments a year.
    places : int, default 2
        Decimals of the currency.
    residual : array_like, default 0.0
        What the level payments leave and the last payment clears (a balloon), (loans,) or one for all.
    interest_only : array_like, default 0.0
        How many first payments are of interest alone, (loans,) or one for all; from as many as are agreed on, the loan
        pays interest until all falls due.
    events : LoanEvents | None, optional
        Rate steps (the payment is worked out anew), extra payments, payments made instead of those due and balances
        stated (both before the agreed last payment).
    extra_moves : Literal['term', 'payment'], default 'term'
        Whether an extra payment shortens the term or lowers the payment.
    rows : bool, default False
        Also return every row.
    threads : int | None, optional
        How many to use; left out: as many as there are processors. The figures are the same.

    Returns
    -------
    LoanBook
        See `LoanBook` for what it holds.

    Raises
    ------
    InputError
        For amounts, rates or events that cannot be, and for amounts so large that a half of the smallest unit could be
        missed; `Loan` has no such limit.

    Notes
    -----
    Every figure is that of decimal arithmetic where rates have at most five decimals of a percent; for other rates a
    product within the error of float64 below a half is taken for one. Source of the level payment: S. Kellison, "The
    Theory of Interest", 3rd ed., section 3.2.

    Examples
    --------
    >>> book = amortize([100_000, 100_000], [0.06, 0.03], [360, 240])
    >>> book.payment.tolist(), book.last_payment.tolist(), book.payments.tolist()
    ([599.55, 554.6], [600.0, 553.84], [360, 240])
    >>> import pandas as pd
    >>> loans = pd.DataFrame({"amount": [9_000], "rate": ["6%"], "months": [12], "start": ["2027-01-31"]}, index=["A"])
    >>> str(amortize(loans).frame.loc["A", "last_date"].date())
    '2028-01-31'
    """
    named: dict[str, Any] = {
        "per_year": per_year, "places": places, "residual": residual, "interest_only": interest_only,
        "events": events, "extra_moves": extra_moves, "rows": rows, "threads": threads,
    }  # fmt: skip
    if isinstance(amount, Mapping) or (is_pandas(amount) and getattr(amount, "ndim", 0) == 2):
        if rate is not None or payments is not None or np.ndim(residual) or np.ndim(interest_only):
            raise InputError("A table says rate, payments, residual and interest_only in its columns.", at="amount")
        return _of_table(amount, named)
    if rate is None or payments is None:
        raise InputError("amortize needs amount, rate and payments, or a table with these columns.", at="rate")
    return _amortize(amount, rate, payments, **named)


Given = ParamSpec("Given")


def _handed_over(keep: Callable[Given, Books]) -> Callable[Given, LoanBook]:
    """The books as they are handed over."""

    @wraps(keep)
    def call(*args: Any, **kwargs: Any) -> LoanBook:
        return LoanBook.of(keep(*args, **kwargs))

    return call


_KINDS = {
    "amount": "numbers",
    "rate": "quoted",
    **dict.fromkeys(("payments", "residual", "interest_only"), "numbers"),
}

_amortize = reading(_handed_over(batch.amortize), _KINDS)


def _of_table(table: Any, named: dict[str, Any]) -> LoanBook:
    """The loans of a table's rows; its other columns go along."""
    names = [str(name) for name in table]
    if twice := [name for name in names if names.count(name) > 1]:
        raise InputError(f"The table has two columns '{twice[0]}'; rename one.", at="amount")
    columns = {str(name): table[name] for name in table}
    per_year = named["per_year"]
    if "months" in columns:
        if "payments" in columns:
            raise InputError("The table has both months and payments; one of them says how many are agreed.")
        if per_year != 12:
            raise InputError(f"The table has months and {per_year} payments a year; give their number, payments.")
        columns["payments"] = columns.pop("months")
    for key in ("amount", "rate", "payments"):
        if key not in columns:
            has = f"{nearest(key, columns) or '.'} It has {', '.join(columns) or 'none'}."
            raise InputError(f"The table has no column '{key}'{has}", at="amount")
    if taken := [name for name in columns if name in FIGURES and name != "payments"] + [
        name for name in columns if name == "last_date" and "start" in columns
    ]:
        raise InputError(
            f"The table has a column '{taken[0]}', which is the name of a figure of the book; rename it first.",
            at="amount",
        )
    for key in ("residual", "interest_only"):
        if key in columns:
            if named[key]:
                raise InputError(f"{key} stands in the table and beside it; say it once.", at=key)
            given = columns[key]
            named[key] = given.fillna(0) if hasattr(given, "fillna") else given
    book = _amortize(columns["amount"], columns["rate"], columns["payments"], **named)
    beside = {name: value for name, value in columns.items() if name not in _COLUMNS}
    start = None
    if "start" in columns:
        given = columns["start"]
        texts = given.to_numpy() if hasattr(given, "to_numpy") else np.asarray(given)
        start = np.broadcast_to(read_dates(texts.reshape(-1), what="start"), book.payment.shape)
        book = replace(book, last_date=_last_dates(start, book.payments, per_year))
    return replace(book, start=start, beside=beside)


def _last_dates(start: Days, count: Any, per_year: int) -> Days:
    """The day of the last payment, the first a period after the pay-out."""
    if 12 % per_year == 0:
        return add_months(start, count * (12 // per_year))
    if per_year in _WEEKS:
        moved: Days = start + (count * _WEEKS[per_year] * 7).astype("timedelta64[D]")
        return moved
    raise InputError(
        f"start serves {', '.join(map(str, sorted({1, 2, 3, 4, 6, 12, *_WEEKS})))} payments a year, not {per_year}; "
        "leave the column out.",
        at="start",
    )
