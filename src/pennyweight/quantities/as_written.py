"""What an analyst may write where an amount, a rate, a span or a day is asked for, and the type it is kept in."""

from __future__ import annotations

import datetime as dt
from typing import Any, Generic, SupportsFloat, TypeAlias, TypeVar

import numpy as np

from pennyweight.quantities.rates import Rate

__all__ = ["Amount", "Day", "RateWritten", "Settled", "Span"]

Amount: TypeAlias = str | SupportsFloat
"""A number of any kind, or a text such as "430k"."""
Span: TypeAlias = str | SupportsFloat
"""A number of years, or a text such as "18 months"."""
RateWritten: TypeAlias = str | SupportsFloat | Rate
"""A number such as 0.05, a text such as "5%", or a rate that was read."""
Day: TypeAlias = str | dt.date | np.datetime64
"""A day, as a text or as programs have it."""

Written = TypeVar("Written", contravariant=True)
Kept = TypeVar("Kept", covariant=True)


class Settled(Generic[Written, Kept]):
    """The type of a field that is written in one way and kept in another: a price given as "430k" is a float then.

    It is for type checkers alone, which read it as a descriptor; nothing ever makes one.
    """

    def __get__(self, instance: object, owner: Any = None) -> Kept:
        """What stands there when it has been read."""
        raise NotImplementedError

    def __set__(self, instance: object, value: Written) -> None:
        """What may be written."""
        raise NotImplementedError
