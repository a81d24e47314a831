"""How the public array functions read what a program hands over, before the core works on it.

Numbers may be Python's, NumPy's, decimals, fractions, lists and columns of pandas; rates may be texts ("10%"); days
may be texts, dates or NumPy days. What is no number, no rate or no day is an InputError that names the argument, and
so are shapes that do not fit together. Where an element of the answer is not defined it is NaN, never infinite.
"""

from __future__ import annotations

import inspect
from collections.abc import Callable, Mapping
from functools import wraps
from typing import Any, TypeVar, cast

import numpy as np
from numpy.typing import NDArray

from pennyweight.array_kinds import Floats
from pennyweight.errors import InputError, within
from pennyweight.instruments.arrays.labels import Labels, refuse_dates
from pennyweight.instruments.arrays.loan_book import LoanBook
from pennyweight.quantities.dates import read_date, read_dates, read_day_count
from pennyweight.quantities.numbers import LARGEST, as_float, is_pandas, plain_numbers
from pennyweight.quantities.periods import read_compounding, word_for
from pennyweight.quantities.rates import KnownRate, Rate, read_rate

__all__ = ["PAYMENTS", "RATES", "reading"]

Function = TypeVar("Function", bound=Callable[..., Any])


PAYMENTS = dict.fromkeys(("payment", "future", "present", "owed", "still_owed", "periods"), "numbers")
RATES = {"rate_per_period": "per period", "growth_per_period": "per period"}
"""The kinds of the arguments that many functions share."""

_OLD_WORDS = {"rate": "rate_per_period", "growth": "growth_per_period"}


def reading(function: Function, kinds: Mapping[str, str], *, gives_rate: bool = False) -> Function:
    """The function with its arguments read by kind, and its surprises turned into errors of the family.

    What pandas hands over keeps its labels. With `gives_rate` a single answer is a rate that goes in as it came out.
    """
    parameters = inspect.signature(function).parameters
    names = list(parameters)
    by_place = [name for name, one in parameters.items() if one.kind is not one.KEYWORD_ONLY]

    def read(name: str, value: Any, labels: Labels) -> Any:
        if name not in kinds:
            return value
        if is_pandas(value):
            if kinds[name] == "row" and "flows" in names:
                refuse_dates(name, value)
            labels.take(name, value, rows=kinds[name] in ("row", "times"))
        return _READERS[kinds[name]](value, name)

    @wraps(function)
    def call(*args: Any, **kwargs: Any) -> Any:
        for old, new in _OLD_WORDS.items():
            if old in kwargs and old not in names and new in names:
                raise InputError(
                    f"{old} is called {new} here: the one of a single period (a yearly 6% paid monthly is 0.06 / 12).",
                    at=old,
                )
        if len(args) > len(by_place):
            shown = ", ".join([*by_place, *(f"{name}=…" for name in names[len(by_place) :][:3])])
            raise InputError(
                f"{function.__name__} is given {len(args)} arguments by their place; name them, as in "
                f"{function.__name__}({shown}).",
                at=function.__name__,
            )
        labels = Labels()
        given = [read(name, value, labels) for name, value in zip(names, args, strict=False)] + list(args[len(names) :])
        named = {name: read(name, value, labels) for name, value in kwargs.items()}
        _check_times({**dict(zip(names, given, strict=False)), **named})
        try:
            with np.errstate(all="ignore"):
                answer = function(*given, **named)
        except ValueError as error:
            if isinstance(error, InputError):
                raise
            shapes = ", ".join(
                f"{name} {np.shape(value)}"
                for name, value in [*zip(names, given, strict=False), *named.items()]
                if isinstance(value, np.ndarray)
            )
            raise InputError(f"The shapes do not fit together: {shapes}.") from None
        if isinstance(answer, np.ndarray | np.float64):
            if np.isinf(answer).any():
                answer = np.where(np.isinf(answer), np.nan, answer)[()]
            if gives_rate and answer.ndim == 0 and np.isfinite(answer):
                return KnownRate(answer)
            return labels.give(answer)
        if isinstance(answer, tuple) and hasattr(answer, "_make"):
            return answer._make(labels.give(part) for part in answer)
        if isinstance(answer, LoanBook) and labels.index is not None:
            return answer.labelled(labels.index)
        return answer

    return cast(Function, call)


def _floats(given: Any, what: str) -> Floats:
    """Numbers of any shape."""
    plain = plain_numbers(given)
    if plain is not None:
        return plain
    if type(given) is np.ndarray and given.dtype.kind in "fiu":
        return given.astype(np.float64, copy=False)
    if isinstance(given, np.ma.MaskedArray):
        raise InputError(f"{what} is a masked array; fill it first, with .filled(…).", at=what)
    number = as_float(given)
    if number is not None:
        return np.asarray(number)
    if isinstance(given, str | bytes | dict | set) or not hasattr(given, "__iter__"):
        raise InputError(f"{what} is {given!r}; it must be a number, or an array of numbers.", at=what)
    try:
        table = np.array(given.to_numpy() if hasattr(given, "to_numpy") else given, dtype=object)
        return np.array([_element(one, what) for one in table.reshape(-1)], dtype=np.float64).reshape(table.shape)
    except (TypeError, ValueError) as error:
        if isinstance(error, InputError):
            raise
        raise InputError(f"{what} must be an array of numbers, its rows of one length.", at=what) from None


def _element(given: Any, what: str) -> float:
    number = as_float(given)
    if number is None:
        shown = "missing" if given is None or type(given).__name__ == "NAType" else repr(given)
        raise InputError(f"{what} holds {shown}; it must hold numbers.", at=what)
    return number


def _row(given: Any, what: str) -> Floats:
    """Numbers with a last axis of one element at least."""
    table = _floats(given, what)
    if table.ndim == 0 or not table.shape[-1]:
        raise InputError(f"{what} must be a row of numbers, at least one, or several such rows.", at=what)
    return table


def _times(given: Any, what: str) -> Floats | None:
    if given is None:
        return None
    table = _row(given, what)
    if not np.isfinite(table).all():
        raise InputError(f"{what} must be finite numbers, one a flow.", at=what)
    return table


def _as_fraction(given: Any, what: str) -> Any:
    """A yearly rate as a fraction; a text that says how it compounds is turned into the effective one."""
    if isinstance(given, str | Rate):
        return read_rate(given, what=what).effective()
    number = None if isinstance(given, KnownRate) or (type(given) is np.ndarray and given.ndim) else as_float(given)
    if number is not None and abs(number) >= 1 and np.isfinite(number):
        raise InputError(
            f"{what} is {number:g}, which is {number:.0%} a year; write {number:g}% as {number / 100:g}, or "
            f"KnownRate({number:g}) if you mean that.",
            at=what,
        )
    return _floats(given, what)


def _per_period(given: Any, what: str) -> Any:
    """A rate of one period: a text, a number below 1, what came out of a result, or an array of fractions."""
    if isinstance(given, str | Rate | KnownRate):
        rate = read_rate(given, what=what)
        if rate.compounding is not None:
            shown = f"'{given}'" if isinstance(given, str) else f"{float(rate.value):g}, {word_for(rate.compounding)}"
            raise InputError(
                f"{what} is {shown}, which says how a yearly rate compounds; a rate of one period is plain: of "
                "a yearly "
                "6% paid monthly it is 0.06 / 12.",
                at=what,
            )
        return np.asarray(rate.value)
    number = None if type(given) is np.ndarray and given.ndim else as_float(given)
    if number is not None:
        if abs(number) >= 1 and np.isfinite(number):
            raise InputError(_large(what, number, f"KnownRate({number:g})"), at=what)
        return np.asarray(number)
    table = _floats(given, what)
    whole = _integers(given, table)
    if whole is not None and (wrong := np.flatnonzero(whole & (np.abs(table.reshape(-1)) >= 1))).size:
        place, found = int(wrong[0]), float(table.reshape(-1)[wrong[0]])
        raise InputError(_large(f"{what}[{place}]", found, f"{found:.1f}"), at=what)
    return table


def _large(what: str, found: float, meant: str) -> str:
    hint = f"write {found:g}% as {found / 100:g}" if abs(found) < 1_000 else "write a rate such as 0.05"
    return f"{what} is {found:g}, which is {found * 100:g}% in one period; {hint}, or {meant} if you mean that."


def _integers(given: Any, table: Floats) -> NDArray[np.bool_] | None:
    """Which elements were given as whole numbers; None when none was."""
    kind = getattr(getattr(given, "dtype", None), "kind", "")
    if kind in ("i", "u"):
        return np.ones(table.size, dtype=np.bool_)
    if kind == "f" or (hasattr(given, "dtypes") and not any(one.kind in "iu" for one in given.dtypes)):
        return None
    flat = np.array(given.to_numpy() if hasattr(given, "to_numpy") else given, dtype=object).reshape(-1)
    return np.array([isinstance(one, int | np.integer) for one in flat], dtype=np.bool_)


def _as_quoted(given: Any, what: str) -> Floats:
    """Quoted yearly rates of loans: a number of 1 or more is refused, unless it is a text or came out of a result."""
    if isinstance(given, list | tuple) and any(isinstance(one, str | Rate | KnownRate) for one in given):
        return np.array([read_rate(one, what=within(what, f"[{k}]")).value for k, one in enumerate(given)])
    if isinstance(given, str | Rate | KnownRate):
        return np.asarray(read_rate(given, what=what).value)
    if is_pandas(given) or isinstance(given, np.ndarray):
        words = np.asarray(given)
        if words.dtype.kind in "OUT" and any(isinstance(one, str) for one in words.reshape(-1)[:1000]):
            return _rates_in_words(words, what)
    table = _floats(given, what)
    large = table >= 1
    if large.any():
        k = int(np.argmax(large))
        found = float(table.reshape(-1)[k])
        shown = f"{found * 100:g}% a year" if found <= LARGEST else f"{found:g}"
        raise InputError(f"{what}[{k}] is {shown}; write 5% as 0.05, or '500%' if you mean that.", at=what)
    return table


def _rates_in_words(given: NDArray[Any], what: str) -> Floats:
    """Texts of rates, each different one read once."""
    known: dict[Any, float] = {}
    found = np.empty(given.size)
    for k, one in enumerate(given.reshape(-1).tolist()):
        if one not in known:
            known[one] = read_rate(one, what=within(what, f"[{k}]")).value
        found[k] = known[one]
    return found.reshape(given.shape)


def _days(given: Any, what: str) -> Any:
    if isinstance(given, list | tuple) or (hasattr(given, "ndim") and given.ndim > 0):
        try:
            table = np.asarray(given) if not hasattr(given, "to_numpy") else given.to_numpy()
        except ValueError:
            raise InputError(f"{what} must be days, its rows of one length.", at=what) from None
        return read_dates(table.reshape(-1), what=what).reshape(table.shape) if table.size else table.astype("M8[D]")
    return read_date(given, what=what)


def _day_pair(given: Any, what: str) -> Any:
    if not isinstance(given, tuple | list) or len(given) != 2:
        raise InputError(f"{what} is {given!r}; it must be the two days of a coupon period, (from, to).", at=what)
    return tuple(_days(day, what) for day in given)


_READERS: dict[str, Callable[[Any, str], Any]] = {
    "numbers": _floats,
    "row": _row,
    "times": _times,
    "rate": _as_fraction,
    "per period": _per_period,
    "quoted": _as_quoted,
    "days": _days,
    "optional days": lambda given, what: None if given is None else _days(given, what),
    "day pair": _day_pair,
    "day count": lambda given, _: read_day_count(given),
    "compounding": lambda given, what: _compounding(given, what),
}


def _compounding(given: Any, what: str) -> float:
    """How often a rate compounds: any number above zero, 0.5 being every two years, infinite or a word."""
    number = None if isinstance(given, str) else as_float(given)
    if number is None:
        return read_compounding(given, what=what)
    if not number > 0:
        raise InputError(
            f"{what} is {number:g}; write a number above 0, math.inf for continuously, or a word.", at=what
        )
    return number


def _check_times(given: dict[str, Any]) -> None:
    """Each flow needs its own time: one time for several flows would be spread over them in silence."""
    flows, times = given.get("flows"), given.get("times")
    if flows is not None and times is not None and flows.shape[-1] != times.shape[-1]:
        raise InputError(f"{flows.shape[-1]} flows and {times.shape[-1]} times: each flow needs its time.")
