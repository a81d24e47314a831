"""A bill that holds more than a loan's payment, taken apart."""

from __future__ import annotations

from dataclasses import KW_ONLY, dataclass
from typing import Any

from pennyweight.described import Described, frozen
from pennyweight.errors import InputError
from pennyweight.quantities.amounts import read_amount
from pennyweight.quantities.periods import read_per_year

__all__ = ["Bill"]


@dataclass(frozen=True, repr=False)
class Bill(Described):
    """A bill of each payment that holds principal, interest, and a part of the year's taxes and insurance.

    Notes
    -----
    `total` is what one bill asks for, `taxes` and `insurance` are those of a year, `per_year` the bills in it.

    Examples
    --------
    >>> round(Bill(total=1_250, taxes=2_400, insurance=900).rest, 2)
    975.0
    """

    total: Any
    _: KW_ONLY
    taxes: Any = 0
    insurance: Any = 0
    per_year: Any = 12

    def __post_init__(self) -> None:
        for name in ("total", "taxes", "insurance"):
            value = read_amount(getattr(self, name), what=name)
            if value < 0:
                raise InputError(f"{name} is {getattr(self, name)}; write an amount of zero or more.", at=name)
            frozen(self, **{name: value})
        frozen(self, per_year=read_per_year(self.per_year))
        if self.rest <= 0:
            raise InputError(
                f"total is {self.total:,.2f}, and taxes and insurance of the year take all of it; check them.",
                at="total",
            )

    def part(self, name: str) -> float:
        """Taxes or insurance in one bill.

        Parameters
        ----------
        name : str
            "taxes" or "insurance".

        Returns
        -------
        float
            Taxes or insurance in one bill.

        Examples
        --------
        >>> Bill(total=1_250, taxes=2_400).part("taxes")
        200.0
        """
        return float(getattr(self, name)) / float(self.per_year)

    def parts(self, interest: float, principal: float, places: int) -> dict[str, float]:
        """What one bill holds, by name; "unexplained" is what is left over, or missing below zero.

        Parameters
        ----------
        interest, principal : float
            Those of the payment.
        places : int
            The decimals of the currency.

        Returns
        -------
        dict[str, float]
            What one bill holds, by name; "unexplained" is what is left over, or missing below zero.

        Examples
        --------
        >>> Bill(total=1_250, taxes=2_400).parts(800, 240, 2)["unexplained"]
        10.0
        """
        taxes, insurance = (round(self.part(name), places) for name in ("taxes", "insurance"))
        rest = round(self.total - interest - principal - taxes - insurance, places) + 0.0
        return {
            "total": self.total,
            "interest": interest,
            "principal": principal,
            "taxes": taxes,
            "insurance": insurance,
            "unexplained": rest,
        }

    @property
    def rest(self) -> float:
        """What is left for principal and interest."""
        return float(self.total) - self.part("taxes") - self.part("insurance")
