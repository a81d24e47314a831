"""A bank account beside some flows."""

from __future__ import annotations

from typing import NamedTuple

__all__ = ["Account"]


class Account(NamedTuple):
    """A bank account beside the flows, at the last of them.

    Examples
    --------
    >>> from pennyweight import CashFlows
    >>> account = CashFlows([-1_000, 500, 600]).account("3%")
    >>> round(account.ahead, 2)
    54.1
    """

    rate: float
    deposits: float
    """What the money that went out would have come to in the account."""
    returns: float
    """What the money that came in has come to, put in the account as it came."""

    @property
    def ahead(self) -> float:
        """By how much the flows are ahead of the account; below zero: behind."""
        return self.returns - self.deposits
