"""What many loans come to, as a table too, under the labels of what was handed over."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, fields, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from pennyweight.core.dates import Days
from pennyweight.core.loans.loan_book import Books
from pennyweight.described import Described

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["FIGURES", "LoanBook"]

FIGURES = ("payment", "payments", "last_payment", "total_interest", "total_paid")


@dataclass(frozen=True, slots=True, repr=False)
class LoanBook(Described, Books):
    """Figures of all loans, arrays (loans,); schedules (payments, loans) when asked for, zero after a loan's end.

    Examples
    --------
    >>> from pennyweight import amortize
    >>> amortize([1_000, 2_000], "6%", [12, 24]).payment.tolist()
    [86.07, 88.64]
    """

    index: Any = field(default=None, repr=False)
    """The labels of the loans, when a Series or a table was handed over; else None."""
    start: Days | None = field(default=None, repr=False)
    """The days of the pay-outs, when the table had them."""
    last_date: Days | None = field(default=None, repr=False)
    """The days of the last payments, when the table had those of the pay-outs."""
    beside: Mapping[str, Any] = field(default_factory=dict, repr=False)
    """What else the table had, column by column."""

    @classmethod
    def of(cls, books: Books) -> LoanBook:
        """The same figures, to be handed over.

        Parameters
        ----------
        books : Books
            Those of the core.

        Returns
        -------
        LoanBook
            See `LoanBook` for what it holds.

        Examples
        --------
        >>> from pennyweight.core.loans.batch import amortize
        >>> LoanBook.of(amortize([1_000], [0.06], [12])).payment.tolist()
        [86.07]
        """
        return cls(**{part.name: getattr(books, part.name) for part in fields(books)})

    def labelled(self, index: Any) -> LoanBook:
        """The same under these labels, one a loan.

        Parameters
        ----------
        index
            The labels.

        Returns
        -------
        LoanBook
            See `LoanBook` for what it holds.

        Examples
        --------
        >>> from pennyweight import amortize
        >>> amortize([1_000, 2_000], "6%", 12).labelled(["a", "b"]).frame.loc["b", "payment"]
        np.float64(172.13)
        """
        return replace(self, index=index) if len(index) == self.payment.size else self

    @property
    def frame(self) -> pd.DataFrame:
        """One row a loan: its payments and what they come to, under the labels that were handed over.

        What else a table had stands before them, and the days of pay-out and last payment, if any.
        """
        import pandas as pd

        columns: dict[str, Any] = {name: np.asarray(value) for name, value in self.beside.items()}
        if self.start is not None:
            columns["start"] = self.start
        columns |= {name: np.asarray(getattr(self, name)) for name in FIGURES}
        if self.last_date is not None:
            columns["last_date"] = self.last_date
        return pd.DataFrame(columns, index=self.index)
