"""Flows as pandas holds them: a Series by days, by periods or in order, a column of a table, or its only row."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.errors import InputError, choice
from pennyweight.quantities.dates import Days, is_date, read_dates
from pennyweight.quantities.numbers import is_pandas, read_row
from pennyweight.quantities.periods import PER_YEAR

__all__ = ["PandasFlows", "check_days", "flows_of_pandas", "read_given"]


_PERIODS = {"M": "month", "Q": "quarter", "Y": "year", "A": "year", "W": "week", "D": "day"}


def read_given(amounts: Any, dates: Any, period: str | None) -> tuple[Floats, Days | None, str]:
    """The flows of CashFlows, their days in order (None without), and the length of a period.

    What a Series or a table says of itself counts; what contradicts it is refused.
    """
    own = flows_of_pandas(amounts) if is_pandas(amounts) else PandasFlows(amounts, None, None)
    flows = read_row(own.amounts)
    days = None if dates is None else read_dates(dates)
    if days is not None and days.size != flows.size:
        raise InputError(f"{flows.size} amounts and {days.size} dates: each amount needs its date.")
    if own.days is not None and days is not None and (own.days != days).any():
        raise InputError("The amounts have dates of their own, and others are given beside them; leave dates= out.")
    if period is not None:
        choice(period, PER_YEAR, "period")
        if own.days is not None:
            raise InputError("The amounts have dates, so there is no period to give; leave it out.", at="period")
        if own.period not in (None, period):
            raise InputError(f"The amounts come by the {own.period}, not by the {period}; leave it out.", at="period")
    days = own.days if days is None else days
    if days is not None:
        order = np.argsort(days, kind="stable")
        days, flows = days[order], flows[order]
    return flows, days, period or own.period or "year"


class PandasFlows(NamedTuple):
    """Amounts, and what their labels say: their days, or the length of a period; None where they do not say it."""

    amounts: Any
    days: Days | None
    period: str | None


def flows_of_pandas(data: Any) -> PandasFlows:
    """The flows of a Series or a DataFrame; InputError with both ways to say it where it may be read in two ways.

    >>> import pandas as pd
    >>> series = pd.Series([-100.0, 110.0], index=pd.to_datetime(["2027-01-31", "2028-01-31"]))
    >>> flows_of_pandas(series).days.astype(str).tolist()
    ['2027-01-31', '2028-01-31']
    """
    if data.ndim == 1:
        return _of_labels(data, data.index, "series")
    names = list(data.columns)
    if "amount" in names:
        amounts = data["amount"]
        if {"date", "period"} <= set(names) or ("date" in names and type(data.index).__name__ == "DatetimeIndex"):
            raise InputError(
                "The table says twice when its flows happen (date, and period or an index of days); keep one of them, "
                "as in frame[['date', 'amount']].reset_index(drop=True).",
                at="amounts",
            )
        if "date" in names:
            return PandasFlows(amounts, read_dates(data["date"]), None)
        if "period" in names:
            return _by_period(data)
        return _of_labels(amounts, data.index, "frame['amount']")
    if len(names) == 1:
        return _of_labels(data[names[0]], data.index, f"frame[{names[0]!r}]")
    if len(data) == 1:
        return _of_labels(data.iloc[0], data.columns, "frame.iloc[0]")
    raise InputError(
        f"The table has {len(data)} rows and the columns "
        f"{', '.join(map(str, names[:6]))}{', …' if len(names) > 6 else ''}, "
        "and none is 'amount'. Take a column, as in CashFlows(frame['NAME']), or a row, as in "
        "CashFlows(frame.iloc[0]); "
        "npv(frame, …) and irr(frame) take every row as flows of its own.",
        at="amounts",
    )


def check_days(given: Any, days: Days, what: str) -> None:
    """Refuse a Series with days of its own that are not those given beside it."""
    own: Any = getattr(given, "index", None)
    if type(own).__name__ != "DatetimeIndex":
        return
    mine = own.to_numpy().astype("datetime64[D]")
    if mine.size != days.size or (mine != days).any():
        raise InputError(
            f"{what} are a Series with days of its own, and other days are given beside it; give the Series' days, or "
            f"{what}.to_numpy().",
            at=what,
        )


def _of_labels(amounts: Any, labels: Any, shown: str) -> PandasFlows:
    kind = type(labels).__name__
    if kind == "DatetimeIndex":
        return PandasFlows(amounts, read_dates(labels.to_numpy()), None)
    if kind == "PeriodIndex":
        return _of_periods(amounts, labels, shown)
    if kind == "MultiIndex":
        raise InputError(
            f"{shown} has several labels for each flow; bring it to one, such as .droplevel(0), or hand over "
            ".to_numpy().",
            at="amounts",
        )
    listed = list(labels)
    if listed and all((isinstance(label, str) and is_date(label)) or hasattr(label, "isoformat") for label in listed):
        return PandasFlows(amounts, read_dates(listed), None)
    numbers = labels.to_numpy()
    if numbers.dtype.kind in "iu" and (np.diff(numbers) != 1).any():
        few = ", ".join(map(str, listed[:4]))
        raise InputError(
            f"{shown} has the numbers {few}{', …' if len(listed) > 4 else ''} as labels, which do not follow "
            "one another: "
            f"for one flow a period, in this order, hand over {shown}.to_numpy(); for flows in the periods the numbers "
            f"name, {shown}.reindex(range(…), fill_value=0).",
            at="amounts",
        )
    return PandasFlows(amounts, None, None)


def _of_periods(amounts: Any, labels: Any, shown: str) -> PandasFlows:
    period = _PERIODS.get(labels.freqstr.lstrip("B")[:1])
    numbers = labels.asi8
    if period is None or (np.diff(numbers) != 1).any():
        raise InputError(
            f"{shown} has periods as labels that do not follow one another one by one: for flows on the first "
            "days of the "
            f"periods, hand over {shown}.to_timestamp(); for one flow a period, bring them in order and fill the gaps "
            "with 0.",
            at="amounts",
        )
    return PandasFlows(amounts, None, period)


def _by_period(data: Any) -> PandasFlows:
    places = data["period"].to_numpy()
    if places.dtype.kind not in "iuf" or (places != np.round(places)).any() or (places < 0).any():
        raise InputError("The column 'period' must hold whole numbers from 0 on.", at="amounts")
    if places.size and places.max() > 100_000:
        raise InputError(f"The column 'period' goes up to {places.max():,}; it may go to 100,000.", at="amounts")
    amounts = data["amount"].to_numpy(dtype=np.float64)
    return PandasFlows(np.bincount(places.astype(np.intp), weights=amounts), None, None)
