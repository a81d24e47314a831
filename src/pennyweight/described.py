"""How an object says what it is: `repr` on one line, `str` on a page; and how its parts are kept from changing."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import MISSING, FrozenInstanceError, fields
from importlib import import_module
from typing import Any, ClassVar, NoReturn, TypeVar

import numpy as np

from pennyweight.plain_text import visible

__all__ = ["Described", "FrozenMapping", "frozen"]

_WIDEST = 100
_PART = 32
_FIRST = 6

Value = TypeVar("Value")


class Described:
    """A dataclass whose `repr` names what was given on one line, and whose `str` is a list of its fields.

    >>> from pennyweight import Loan
    >>> Loan(100_000, "6%", years=30)
    Loan(amount=100000.0, rate=0.06, years=30, payment=599.55)
    """

    __slots__ = ()
    INTERNAL: ClassVar[tuple[str, ...]] = ("INTERNAL", "listed_fields")
    """What works inside and is nothing to pick from when a name is completed."""

    def __dir__(self) -> list[str]:
        inside = {name for kind in type(self).__mro__ for name in getattr(kind, "INTERNAL", ())}
        return [name for name in super().__dir__() if name not in inside]

    def __post_init__(self) -> None:
        """Keep everything that was handed over from changing."""
        names = [field.name for field in fields(self) if field.init]  # type: ignore[arg-type]
        frozen(self, **{name: getattr(self, name) for name in names})

    def __repr__(self) -> str:
        parts: list[str] = []
        name = type(self).__name__
        for field in fields(self):  # type: ignore[arg-type]
            if not field.repr or not field.init:
                continue
            value = getattr(self, field.name)
            usual = field.default_factory() if field.default_factory is not MISSING else field.default
            if value is usual or (isinstance(value, str | float | int | tuple | None) and value == usual):
                continue
            part = f"{field.name}={_short(value)}"
            if sum(map(len, parts)) + 2 * len(parts) + len(part) + len(name) > _WIDEST - 6:
                parts.append("…")
                break
            parts.append(part)
        return f"{name}({', '.join(parts)})"

    def listed_fields(self) -> dict[str, str]:
        """What was given of it, by name, as it reads.

        >>> from pennyweight import Event
        >>> Event(3, "extra", 250).listed_fields()
        {'when': '3', 'what': 'extra', 'amount': '250'}
        """
        named = [field.name for field in fields(self) if field.repr and field.init]  # type: ignore[arg-type]
        values = {name: getattr(self, name) for name in named}
        return {name.replace("_", " "): _listed(value) for name, value in values.items() if not _is_empty(value)}

    def __str__(self) -> str:
        shown = self.listed_fields()
        width = max(map(len, shown), default=0)
        return "\n".join([type(self).__name__, *(f"  {name:<{width}}  {value}" for name, value in shown.items())])

    def _repr_html_(self) -> str:
        """How a notebook shows it; found by name, so that nothing is drawn before somebody looks."""
        page = import_module("pennyweight.pages.described").document(self)
        shown: str = page._repr_html_()
        return shown


def frozen(one: object, **values: object) -> None:
    """Set fields of a frozen dataclass while it is made; what others could change becomes what nobody can.

    Lists become tuples, mappings copies that refuse to be written to, and arrays are locked as they are.

    >>> from pennyweight import Event
    >>> Event(3, "extra", "250").value
    250.0
    """
    for name, value in values.items():
        kept = value
        if isinstance(value, list):
            kept = tuple(value)
        elif isinstance(value, dict) and not isinstance(value, FrozenMapping):
            kept = value if isinstance(value, FrozenMapping) else FrozenMapping(value)
        elif isinstance(value, np.ndarray):
            value.flags.writeable = False
        object.__setattr__(one, name, kept)


class FrozenMapping(dict[str, Value]):
    """A mapping that nobody can write to, its arrays locked.

    >>> FrozenMapping({"a": 1})["a"]
    1
    >>> FrozenMapping({"a": 1}).update(a=2)
    Traceback (most recent call last):
    ...
    dataclasses.FrozenInstanceError: A result cannot be changed; make a dict of it first.
    """

    def __init__(self, given: Mapping[str, Value]) -> None:
        super().__init__(given)
        for value in given.values():
            if isinstance(value, np.ndarray):
                value.flags.writeable = False

    def _refuse(self, *_: object, **__: object) -> NoReturn:
        raise FrozenInstanceError("A result cannot be changed; make a dict of it first.")

    __setitem__ = __delitem__ = clear = pop = popitem = setdefault = update = __ior__ = _refuse

    def _ipython_key_completions_(self) -> list[str]:
        """The names that a notebook offers between the brackets."""
        return list(self)

    def __hash__(self) -> int:  # type: ignore[override]
        return hash(frozenset(self.items()))

    def __reduce__(self) -> tuple[Any, ...]:
        return FrozenMapping, (dict(self),)


def _is_empty(value: Any) -> bool:
    return value is None or (isinstance(value, str | tuple) and not value)


def _listed(value: Any) -> str:
    """A value on a page: the first of many are named."""
    if isinstance(value, np.ndarray) and value.size and value.ndim == 1:
        first = ", ".join(str(one) if value.dtype.kind == "M" else f"{one:.10g}" for one in value[:_FIRST])
        return first + (f", … ({value.size:,} values)" if value.size > _FIRST else "")
    return value if isinstance(value, str) else _short(value, 80)


def _short(value: Any, most: int = _PART) -> str:
    """A value in a few characters; what holds many says how many."""
    if isinstance(value, np.generic) and not isinstance(value, np.datetime64):
        value = value.item()
    if isinstance(value, np.datetime64):
        text = f"'{value}'"
    elif isinstance(value, np.ndarray):
        text = f"<{value.size:,} values>"
    elif isinstance(value, Mapping):
        text = f"<{len(value):,}: {', '.join(map(str, value))}>"
    elif isinstance(value, Sequence) and not isinstance(value, str):
        text = f"<{len(value):,} items>"
    elif isinstance(value, Described):
        text = f"<{type(value).__name__}>"
    elif value is None or isinstance(value, str | int | float):
        text = repr(value) if not isinstance(value, float) else float.__repr__(value)
    else:
        text = f"<{type(value).__name__}>"
    text = visible(text)
    return text if len(text) <= most else f"{text[: most - 2]}…{text[-1]}"
