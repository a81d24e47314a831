"""One period's row in a recursion, and what it sees of the past: lines that do not run, starts, exceptions, windows.

What they look at is not worked out for all periods before, but what has gone by is. A window is read off the rows that
are there (`row_window`); a running total and the losses are recursions of their own, so they become hidden members of
the group: running(x) is r = prior(r) + x.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, field

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.deals.language.arithmetic import WHOLE, whole
from pennyweight.deals.language.names import bind
from pennyweight.deals.language.nodes import (
    Binary,
    Call,
    Choose,
    Compare,
    Logic,
    Name,
    Node,
    Number,
    Sum,
    names_in,
    walk,
    with_parts,
)
from pennyweight.deals.language.operations import column_total
from pennyweight.deals.language.translation import folded

__all__ = [
    "WINDOWS",
    "LookingBack",
    "ends_after",
    "plain_at_or",
    "plain_window",
    "row_at",
    "row_at_or",
    "row_mask",
    "row_set",
    "row_start",
    "row_window",
    "seen_now",
]

WINDOWS = {"total": 0, "average": 1, "lowest": 1, "highest": 1}
"""Functions of a window, with the period in which they begin when none is said."""
_NOTHING = Number(0.0, "0")
_ALL = Number(1.0, "1")


@dataclass
class LookingBack:
    """Formulas of recursions made over: what a function looks back at becomes a hidden name of its own."""

    set_of: Callable[[Node], str]
    hidden: dict[str, Node] = field(default_factory=dict)
    each: dict[str, str] = field(default_factory=dict)
    """The set for each of whose things a hidden name has a value."""
    texts: dict[str, Node] = field(default_factory=dict)
    """What a hidden name stands for, as it was written."""
    _known: dict[tuple[str, Node], str] = field(default_factory=dict)

    def made_over(self, node: Node, members: Collection[str]) -> Node:
        """A formula of a member, with hidden names in place of what looks back at members."""
        node = with_parts(node, lambda part: self.made_over(part, members))
        if not isinstance(node, Call) or node.function not in (*WINDOWS, "running", "after_losses", "losses_left"):
            return node
        slots = bind(node, "")
        x = slots[0]
        read = set().union(*(names_in(slot) for slot in (x, slots[-1]) if slot is not None))
        if x is None or not read & (set(members) | self.hidden.keys()):
            return node
        if node.function in WINDOWS:
            first, last, where = slots[1:4]
            ends = tuple((key, one) for key, one in (("first", first), ("last", last)) if one is not None)

            def window(function: str, looked_at: Node) -> Call:
                return Call(function, ((None, self._name(looked_at)), *ends))

            if where is None:
                return window(node.function, x)
            if node.function == "average":
                kept, counted = Choose(where, x, _NOTHING), Choose(where, _ALL, _NOTHING)
                return Binary("/", window("total", kept), window("total", counted))
            far = {"total": 0.0, "lowest": float("inf"), "highest": float("-inf")}[node.function]
            return window(node.function, Choose(where, x, Number(far, "0")))
        if node.function == "running":
            return Name(self._own("running", node, lambda own: Sum((_prior(own), x))))
        share = slots[1] if slots[1] is not None else _ALL
        allowed = Logic("and", (Compare(">=", share, _NOTHING), Compare("<=", share, _ALL)))
        share = share if slots[1] is None else Choose(allowed, share, Binary("/", _NOTHING, _NOTHING))
        gain, loss = _largest(x, _NOTHING), _largest(Binary("-", _NOTHING, x), _NOTHING)

        def used(own: Name) -> Node:
            return Call("min", ((None, _prior(own)), (None, Binary("*", share, gain))))

        def left(own: Name) -> Node:
            return Sum((Binary("-", _prior(own), used(own)), loss))

        pool = self._own("losses", Call("losses_left", node.arguments), left)
        return Name(pool) if node.function == "losses_left" else Binary("-", gain, used(Name(pool)))

    def _name(self, node: Node) -> Name:
        """A name for a formula; of one that is a name itself that one."""
        return node if isinstance(node, Name) else Name(self._own("past", node, lambda own: node))

    def _own(self, kind: str, node: Node, formula: Callable[[Name], Node]) -> str:
        if (kind, node) not in self._known:
            name = f"?{kind} {len(self._known)}"
            self._known[kind, node] = name
            self.texts[name] = node
            self.hidden[name] = formula(Name(name))
            if own := self.set_of(node):
                self.each[name] = own
        return self._known[kind, node]


def _prior(name: Name) -> Call:
    return Call("prior", ((None, name),))


def _largest(one: Node, other: Node) -> Call:
    return Call("max", ((None, one), (None, other)))


def seen_now(node: Node) -> set[str]:
    """The names that windows of a formula look at in the period at hand, too."""
    found: set[str] = set()
    for call in walk(node):
        if isinstance(call, Call) and call.function in WINDOWS:
            x, _, last = bind(call, "")[:3]
            if x is not None and ends_after(last) in ("now", ""):
                found |= names_in(x)
    return found


def ends_after(last: Node | None) -> str:
    """Where a window ends: "before" the period at hand, in it ("now"), "ahead", or "" where that hangs on inputs."""
    if last is None:
        return "ahead"
    here = [folded(last, {"t": t}) for t in (7.0, 8.0)]
    if here[0] is None or here[1] is None or here[1] - here[0] != 1.0:
        return ""
    return "before" if here[0] < 7.0 - WHOLE else "now" if here[0] <= 7.0 + WHOLE else "ahead"


def row_window(function: str, past: Floats, period: Floats, last: Floats, first: Floats | None = None) -> Floats:
    """A function of a window in one period, of what has gone by; undefined where it ends later.

    `past` has a row for each period, those to come undefined.
    """
    t, least = int(period[0]), WINDOWS[function]
    first = np.full(1, float(least)) if first is None else first
    known = whole(first) & whole(last) & (last <= t + WHOLE)
    start = np.maximum(np.round(np.where(known, first, 0.0)), least).astype(np.intp)
    stop = np.minimum(np.round(np.where(known, last, -1.0)), t).astype(np.intp) + 1
    low, high = int(start.min()), int(stop.max())
    seen = past[low : max(high, low)]
    if start.size > 1 or stop.size > 1:  # cases (or things) with windows of their own
        place = np.arange(low, max(high, low))[:, None]
        inside = (place >= start) & (place < stop)
        seen = np.broadcast_to(seen, np.broadcast_shapes(seen.shape, inside.shape))
    else:
        inside = np.ones((1, 1), np.bool_)
    if function in ("total", "average"):
        found = column_total(np.where(inside, seen, 0.0)) if seen.shape[0] else np.zeros(1)
        if function == "average":
            many = np.maximum(stop - start, 0)
            found = np.where(many > 0, found / np.maximum(many, 1), np.nan)
    else:
        worst, pick = (np.inf, np.minimum) if function == "lowest" else (-np.inf, np.maximum)
        found = pick.reduce(np.where(inside, seen, worst), axis=0, initial=worst)
        found = np.where(np.isinf(found), np.nan, found)
    return np.where(known, found, np.nan)


def plain_window(function: str, past: list[float], t: float, last: float, first: float | None = None) -> float:
    """The same in plain floats."""
    low, least = float(WINDOWS[function]) if first is None else first, WINDOWS[function]
    if not (_is_whole(low) and _is_whole(last) and last <= t + WHOLE):
        return float("nan")
    seen = past[max(round(low), least) : max(round(last) + 1, 0)]
    if function == "total":
        return _added(seen)
    if not seen or any(one != one for one in seen):
        return float("nan")
    if function == "average":
        return _added(seen) / len(seen)
    found = min(seen) if function == "lowest" else max(seen)
    return found if abs(found) != float("inf") else float("nan")


def _is_whole(value: float) -> bool:
    return abs(value) < 1e15 and abs(value - round(value)) <= WHOLE


def _added(values: Sequence[float]) -> float:
    total = 0.0
    for value in values:
        total += value
    return total


# A period's row.


def row_mask(x: Floats, mask: Floats) -> Floats:
    """0 where the line does not run, undefined where that is."""
    if mask.size == 1:
        return x if mask[0] == 1 else x * 0.0 + mask if np.isnan(mask[0]) else np.zeros(x.shape)
    return np.where(mask == 1, x, np.where(np.isnan(mask), np.nan, 0.0))


def row_start(x: Floats, start: Floats, period: Floats) -> Floats:
    """The start in period 0."""
    return start if period[0] == 0 else x


def row_set(x: Floats, mask: Floats, value: Floats) -> Floats:
    """Another value where an exception holds."""
    return np.where(mask == 1, value, np.where(np.isnan(mask), np.nan, x))


def row_at_or(end: int, past: Floats, asked: Floats, period: Floats, otherwise: Floats) -> Floats:
    """The same, with what is said otherwise outside the timeline."""
    known = np.abs(asked - np.round(asked)) <= WHOLE
    outside = known & ((asked < -WHOLE) | (asked > end + WHOLE))
    return np.where(outside, otherwise, row_at(past, asked, period))


def plain_at_or(end: int, past: list[float], asked: float, t: float, otherwise: float) -> float:
    """The same in plain floats."""
    if not abs(asked) < _FARTHEST or abs(asked - round(asked)) > WHOLE:
        return float("nan")
    place = round(asked)
    if not 0 <= place <= end:
        return otherwise
    return past[place] if place < len(past) else float("nan")


_FARTHEST = 1e15


def row_at(past: Floats, asked: Floats, period: Floats) -> Floats:
    """The value of a member in an earlier period, or in this one once it is there; later ones are undefined."""
    inside = (np.abs(asked - np.round(asked)) <= WHOLE) & (asked >= -WHOLE) & (asked <= period[0] + WHOLE)
    width = max(asked.size, past.shape[1])  # each thing of a set may ask for a period of its own
    index = np.broadcast_to(np.where(inside, np.round(asked), 0).astype(np.intp), (width,))
    return np.where(inside, past[index, np.arange(width) % past.shape[1]], np.nan)
