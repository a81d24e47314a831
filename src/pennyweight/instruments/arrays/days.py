"""Days and fractions of years between days, arguments read at the edge."""

from __future__ import annotations

from pennyweight.core import daycount
from pennyweight.instruments.arrays.reading import reading

__all__ = ["actual_actual_icma", "days_between", "year_fraction"]

_BETWEEN = {"start": "days", "end": "days", "day_count": "day count", "termination": "optional days"}

year_fraction = reading(daycount.year_fraction, _BETWEEN)
days_between = reading(daycount.days_between, _BETWEEN)
actual_actual_icma = reading(daycount.actual_actual_icma, {"start": "days", "end": "days", "regular": "day pair"})
