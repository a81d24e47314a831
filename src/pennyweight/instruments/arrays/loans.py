"""Many loans at once, arguments read at the edge."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any, ParamSpec

from pennyweight.core.loans import batch
from pennyweight.core.loans.loan_book import Books
from pennyweight.instruments.arrays.loan_book import LoanBook
from pennyweight.instruments.arrays.reading import reading

__all__ = ["amortize"]

Given = ParamSpec("Given")


def _handed_over(keep: Callable[Given, Books]) -> Callable[Given, LoanBook]:
    """The books as they are handed over."""

    @wraps(keep)
    def call(*args: Any, **kwargs: Any) -> LoanBook:
        return LoanBook.of(keep(*args, **kwargs))

    return call


_KINDS = {"amount": "numbers", "rate": "quoted", "payments": "numbers"}

amortize = reading(_handed_over(batch.amortize), _KINDS)
