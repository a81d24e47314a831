"""How a row of flows stands: whether it has an internal rate of return, and why not."""

from __future__ import annotations

from enum import IntEnum
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats

__all__ = ["ALL_LOST", "IrrOutcome", "IrrOutcomes"]

ALL_LOST = -0.99
"""A yearly rate below it says that all is lost within the year: no answer beside one above it, and told."""


class IrrOutcome(IntEnum):
    """How a row stands: ONE and ONE_ABOVE_ZERO have an internal rate of return.

    Examples
    --------
    >>> IrrOutcome(2).name
    'SEVERAL'
    """

    ONE = 0
    """Just one rate: it is the internal rate of return."""
    NONE = 1
    """Flows of both signs, and the present value never reaches zero."""
    SEVERAL = 2
    """More than one rate brings the present value to zero."""
    TOUCHES = 3
    """The present value reaches zero without changing sign there."""
    EDGE = 4
    """The rate lies at -100 % or beyond every number: all is lost, or gained, at once."""
    ONE_SIGN = 5
    """Money only comes in, or only goes out, or there is none."""
    UNDEFINED = 6
    """A flow is not a number."""
    ONE_ABOVE_ZERO = 7
    """More than one rate, and by Norstrøm's criterion exactly one of them above zero: it is the internal "
    "rate of return."""

    @property
    def has_rate(self) -> bool:
        """Whether there is an internal rate of return.

        >>> IrrOutcome.ONE_ABOVE_ZERO.has_rate, IrrOutcome.SEVERAL.has_rate
        (True, False)
        """
        return self in (IrrOutcome.ONE, IrrOutcome.ONE_ABOVE_ZERO)

    @property
    def reason(self) -> str:
        """Why there is no internal rate of return, in words; empty where there is one.

        >>> IrrOutcome.SEVERAL.reason
        'several rates bring the present value to zero'
        """
        return _REASONS[self]


_REASONS = {
    IrrOutcome.ONE: "",
    IrrOutcome.NONE: "no rate brings the present value to zero",
    IrrOutcome.SEVERAL: "several rates bring the present value to zero",
    IrrOutcome.TOUCHES: "the present value touches zero without crossing it",
    IrrOutcome.EDGE: "all is lost or gained at once: the rate lies at -100% or beyond every number",
    IrrOutcome.ONE_SIGN: "money only comes in, or only goes out",
    IrrOutcome.UNDEFINED: "a flow is not a number",
    IrrOutcome.ONE_ABOVE_ZERO: "",
}


class IrrOutcomes(NamedTuple):
    """Rates (NaN unless the outcome is ONE or ONE_ABOVE_ZERO) and outcomes, both of the leading shape of the flows.

    Examples
    --------
    >>> found = IrrOutcomes(np.array([0.1, np.nan]), np.array([0, 2], dtype=np.int8))
    >>> [IrrOutcome(k).name for k in found.outcome]
    ['ONE', 'SEVERAL']
    """

    rate: Floats
    outcome: NDArray[np.int8]
