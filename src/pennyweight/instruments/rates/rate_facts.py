"""One rate in all its forms: quoted and effective, per payment, real, and the time it takes to double."""

from __future__ import annotations

from dataclasses import dataclass
from math import inf, isfinite, log, log1p
from typing import TYPE_CHECKING, Any

from pennyweight.core.rate_forms import discount_from_effective, effective_from_discount, nominal_rate
from pennyweight.documents.shown import Shown
from pennyweight.errors import InputError, NoAnswer
from pennyweight.quantities.amounts import read_amount
from pennyweight.quantities.argument_checks import a_flag
from pennyweight.quantities.numbers import LARGEST
from pennyweight.quantities.periods import FREQUENCIES, read_compounding
from pennyweight.quantities.rates import KnownRate, Rate, read_rate
from pennyweight.quantities.units import read_value

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["RateFacts", "rate_facts", "real_rate", "simple_interest", "years_to_multiply"]


def real_rate(nominal: str | float, inflation: str | float) -> float:
    """Return what a `nominal` rate is worth in prices that rise: (1 + rate) / (1 + inflation) - 1, both effective.

    Parameters
    ----------
    nominal : str | float
        The yearly rate before inflation.
    inflation : str | float
        Yearly, a fraction or a text.

    Returns
    -------
    float
        What a `nominal` rate is worth in prices that rise: (1 + rate) / (1 + inflation) - 1, both effective.

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Notes
    -----
    Source: I. Fisher, "The Theory of Interest", 1930, ch. 19.

    Examples
    --------
    >>> round(real_rate("5%", "2%"), 6)
    0.029412
    """
    rise = read_rate(inflation, what="inflation").effective()
    return KnownRate((1 + read_rate(nominal).effective()) / (1 + rise) - 1)


def simple_interest(amount: float, rate: str | float, years: float) -> float:
    """Return interest that earns no interest: amount * rate * years.

    Parameters
    ----------
    amount : float
        In the currency.
    rate : str | float
        Yearly, without compounding.
    years : float
        How long, in years.

    Returns
    -------
    float
        Interest that earns no interest: amount * rate * years.

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Examples
    --------
    >>> simple_interest(1000, "6%", 0.5)
    30.0
    """
    span = read_value(years, "years", what="years")
    if span < 0:
        raise InputError(f"years is {years}; a span is 0 or more.", at="years")
    interest = read_amount(amount) * read_rate(rate).value * span
    if not isfinite(interest):
        raise NoAnswer("The interest is more than a number can hold.")
    return interest


def years_to_multiply(rate: str | float | Rate, times: float = 2.0) -> float:
    """Return the years in which a pot grows to `times` itself: log(times) / log(1 + rate).

    Parameters
    ----------
    rate : str | float | Rate
        Yearly; a text may tell how it compounds.
    times : float, default 2.0
        How many times as much it is to become.

    Returns
    -------
    float
        The years in which a pot grows to `times` itself: log(times) / log(1 + rate).

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Notes
    -----
    Raises NoAnswer when it never does.

    Examples
    --------
    >>> round(years_to_multiply("7%"), 4)
    10.2448
    """
    effective, multiple = read_rate(rate).effective(), _multiple(times)
    if multiple == 1:
        return 0.0
    if effective == 0 or (effective > 0) != (multiple > 1):
        raise NoAnswer(f"At {effective:.2%} a year a pot never comes to {multiple:g} times itself.")
    years = log(multiple) / log1p(effective)
    if not isfinite(years):
        raise NoAnswer(f"At {effective:.2%} a year it takes longer than a number can hold.")
    return years


def _multiple(times: object) -> float:
    multiple = read_amount(times, what="times")
    if not 0 < multiple <= LARGEST:
        raise InputError(f"times is {times}; a pot grows to a multiple above zero.", at="times")
    return multiple


@dataclass(frozen=True, repr=False)
class RateFacts(Shown):
    """A rate in all its forms. `compounding` is how often a year the quoted form compounds (inf: continuously).

    Examples
    --------
    >>> facts = rate_facts("6% monthly", inflation="2%")
    >>> round(facts.effective, 6)
    0.061678
    """

    given: str
    effective: float
    compounding: float
    inflation: float | None
    times: float

    @property
    def nominal(self) -> float:
        """Quoted, compounding as asked."""
        return KnownRate(float(nominal_rate(self.effective, self.compounding)))

    @property
    def in_advance(self) -> float:
        """The same as a rate of discount, interest taken at the start of each period, compounding as asked."""
        return KnownRate(float(discount_from_effective(self.effective, self.compounding)))

    @property
    def forms(self) -> dict[str, tuple[float, float]]:
        """For each way to compound: (quoted rate, rate per period)."""
        found = {}
        for word, often in FREQUENCIES.items():
            quoted = float(nominal_rate(self.effective, often))
            found[word] = (quoted, quoted / often if often != inf else 0.0)
        return found

    @property
    def frame(self) -> pd.DataFrame:
        """One row for each way to compound."""
        import pandas as pd

        rows = [(word, *pair) for word, pair in self.forms.items()]
        return pd.DataFrame(rows, columns=["compounding", "nominal", "per_period"]).set_index("compounding")

    def years(self) -> float | None:
        """Years to grow to `times`; None when it never does.

        Returns
        -------
        float | None
            Years to grow to `times`; None when it never does.

        Examples
        --------
        >>> round(rate_facts("6%").years(), 4)
        11.8957
        """
        try:
            return years_to_multiply(Rate(self.effective, 0.0), self.times)
        except NoAnswer:
            return None

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON.

        Returns
        -------
        dict[str, Any]
            Plain values for JSON.
        """
        return {
            "format": 1,
            "nominal": self.nominal,
            "effective": self.effective,
            "compounding": "continuous" if self.compounding == inf else self.compounding,
            "in_advance": self.in_advance,
            "per_period": None if self.compounding == inf else self.nominal / self.compounding,
            "real": None if self.inflation is None else (1 + self.effective) / (1 + self.inflation) - 1,
            "times": self.times,
            "years": self.years(),
            "forms": {word: quoted for word, (quoted, _) in self.forms.items()},
        }


def rate_facts(
    rate: str | float,
    *,
    compounding: str | int | None = None,
    per_year: str | int = 12,
    inflation: str | float | None = None,
    times: float = 2.0,
    in_advance: bool = False,
) -> RateFacts:
    """Turn a rate into its other forms.

    Parameters
    ----------
    rate : str | float
        "6%", "6% monthly", "6% continuous"….
    compounding : str | int | None, optional
        How often a bare rate compounds (a number or a word); left out: it is effective.
    per_year : str | int, default 12
        How often the quoted form asked for compounds; payments may come more or less often than the rate was quoted to
        compound.
    inflation : str | float | None, optional
        The yearly rise of prices, for the real rate.
    times : float, default 2.0
        The multiple of the time to grow.
    in_advance : bool, default False
        The rate is one of discount, its interest taken at the start of each period.

    Returns
    -------
    RateFacts
        See `RateFacts` for what it holds.

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Examples
    --------
    >>> facts = rate_facts("6%", compounding="half-yearly", per_year="month")
    >>> round(facts.effective, 6), round(facts.nominal, 6)
    (0.0609, 0.059263)
    """
    read = read_rate(rate)
    if compounding is not None:
        if read.compounding is not None:
            raise InputError(f"The rate '{rate}' says how it compounds; leave out compounding.")
        read = Rate(read.value, read_compounding(compounding))
    if a_flag(in_advance, what="in_advance"):
        effective = float(effective_from_discount(read.value, read.compounding or 1.0))
        if not effective < inf:
            raise InputError(f"A discount of {rate} in advance takes all that is lent; it must be less.")
    else:
        effective = read.effective() if read.value > -(read.compounding or inf) else -1.0
    if not effective > -1:
        raise InputError(f"The rate {rate} loses everything within one period.")
    if effective == inf:
        raise InputError(f"The rate {rate} comes to more in a year than a number can hold.")
    rise = None if inflation is None else read_rate(inflation, what="inflation").effective()
    asked = read_compounding(per_year, what="per_year")
    multiple = _multiple(times)
    shown = f"{rate:.10g}" if isinstance(rate, float) else str(rate)
    return RateFacts(shown, KnownRate(effective), asked, rise, multiple)
