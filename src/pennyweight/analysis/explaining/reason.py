"""A name with its value, and what it is worked out of."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, TypeAlias

from pennyweight.described import Described

__all__ = ["Reason", "Role"]

Role: TypeAlias = Literal["name", "line", "time", "side"]
"""What a reason is: a name of the deal; what one line adds to a figure over time; what a year or period adds; a part of
the figure's own formula, which has no name."""


@dataclass(frozen=True, slots=True, repr=False)
class Reason(Described):
    """A name with its value, and what it is worked out of.

    Notes
    -----
    `values` are the figure in each case asked for (one, or two set against each other), None where undefined. `period`
    is the period it is looked at in; None for a single figure. `formula` is as it was typed, `filled` the same with the
    numbers in; both are empty for an input. `where` is the file and line. `below` are the names in the formula; `told`
    says that they were told further up.

    Examples
    --------
    >>> from pennyweight import Deal
    >>> reason = Deal.starter("taxi").why("resale_value").reason
    >>> reason.formula, reason.filled, [one.name for one in reason.below]
    ('0.2 * hull', '0.2 * 420,000', ['hull'])
    """

    name: str
    label: str
    values: tuple[float | None, ...]
    shown: tuple[str, ...]
    unit: str
    period: int | None
    formula: str
    filled: str
    where: str
    below: tuple[Reason, ...]
    told: bool = False
    role: Role = "name"
    so_far: str = ""
    """Of a year or period, the sum until then, as it is shown."""
    note: str = ""
    """What the deal remarks on it."""
    when: str = ""
    """Its period in words."""
