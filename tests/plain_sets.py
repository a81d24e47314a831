"""Sets of the deal language as plainly as they can be said: one thing after the other, each with a view of its own."""

from __future__ import annotations

import datetime as dt
import re
from typing import Any

__all__ = ["Column", "apart", "by_age", "over_things"]

_OF = re.compile(r"(sum_of|average_of|lowest_of|highest_of|count_of|one_of)\(")


def apart(text: str) -> str:
    """What stands within sum_of(…) and its kin in quotes, so that it is looked at for each thing."""
    match = _OF.search(text)
    if match is None:
        return text
    depth, k = 1, match.end()
    while depth:
        depth += {"(": 1, ")": -1}.get(text[k], 0)
        k += 1
    inner, name = text[match.end() : k - 1], ""
    if match[1] == "one_of":
        inner, name = inner.rsplit(", ", 1)
        name = f", {name}"
    return f"{text[: match.start()]}{match[1]}({inner!r}{name}){apart(text[k:])}"


class Column:
    """A set in a formula: its columns are those of the thing at hand."""

    def __init__(self, deal: Any, name: str, t: int) -> None:
        self.deal, self.name, self.t = deal, name, t

    def __getattr__(self, column: str) -> Any:
        _, place = self.deal.thing
        if column in ("born", "age"):
            return float(place if column == "born" else self.t - place)
        value = self.deal.column(self.name, column)[place]
        if value == "never":
            return float("inf")
        return float(value.toordinal()) if isinstance(value, dt.date) else value


def over_things(deal: Any, t: int, how: str, text: str, asked: str = "") -> float | None:
    """One value of all things of the set that a formula names."""
    named = set(re.findall(r"[a-z]\w*", text))
    own = next(name for name in deal.sets if name in named or any(deal.each.get(one) == name for one in named))
    values = [deal.of(own, place).formula(text, t) for place in range(len(deal.things(own)))]
    if how == "one_of":
        return values[deal.things(own).index(asked)]
    if any(value is None for value in values):
        return None
    if how == "count_of":
        return float(sum(value == 1 for value in values))
    if how in ("lowest_of", "highest_of"):
        return (min if how == "lowest_of" else max)(values)
    return sum(values) / (len(values) if how == "average_of" else 1)


def by_age(new: Any, curve: Any, t: int, end: int) -> float:
    """What was begun in each period, times the curve at its age."""
    first = next(k for k in range(end + 1) if curve.deal.at(curve.name, k) is not None)
    begun = [(s, new.value(s)) for s in range(t + 1)]
    return sum(value * curve.value(min(first + t - s, end)) for s, value in begun if value)
