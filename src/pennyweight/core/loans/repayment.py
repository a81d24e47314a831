"""The ways to repay a loan, by the words analysts write."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, TypeAlias

__all__ = ["REPAID", "Repaid", "Repayment", "WayToRepay"]

Repayment: TypeAlias = Literal["level", "principal", "interest"]
"""What the engines tell apart: a level payment, level principal, or interest until all falls due."""


Repaid: TypeAlias = Literal["level payment", "constant principal", "interest only", "half every two weeks"]
"""The ways by their words."""


@dataclass(frozen=True, slots=True)
class WayToRepay:
    """How the engines see it, and where it may stand."""

    shape: Repayment
    fortnightly: bool = False
    """Half of a monthly payment every two weeks."""
    in_deals: bool = True
    """Whether a loan of a deal, which has no payments of its own rhythm, can be repaid so."""


REPAID: dict[Repaid, WayToRepay] = {
    "level payment": WayToRepay("level"),
    "constant principal": WayToRepay("principal"),
    "interest only": WayToRepay("interest"),
    "half every two weeks": WayToRepay("level", fortnightly=True, in_deals=False),
}
"""Every way by its words; one more that the engines can do already is a line here."""
