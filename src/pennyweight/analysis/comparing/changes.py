"""Two versions of a deal: the inputs, formulas and goals that differ, and what each difference did to the figures."""

from __future__ import annotations

import copy
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from pennyweight.analysis.comparing.comparison import Comparison
from pennyweight.analysis.weighing.weighing import Weighing
from pennyweight.described import Described
from pennyweight.documents.shown import Shown
from pennyweight.errors import PennyweightError

if TYPE_CHECKING:
    from collections.abc import Callable

    import pandas as pd

__all__ = ["TELLING", "Change", "Changes", "changes_between", "entries_of", "telling_of", "texts_of"]

TELLING = ("timeline", "inputs", "values", "loans", "money_in", "money_out", "lines", "levels", "measures", "goals")
"""The sections that decide figures and verdict; of the others it is only said that they differ."""
_OTHERS = ("scenarios", "questions", "tables", "checks", "charts")
_WORDS = ("label", "note", "group", "low", "high", "fixed", "uncertain", "moves_with", "decision")
"""What of an entry changes no figure."""


@dataclass(frozen=True, slots=True, repr=False)
class Change(Described):
    """One entry that differs. `effects` are the figures with this change alone, less those of the old version; empty
    when it says nothing that moves a figure, or cannot stand without the others.

    Examples
    --------
    >>> from pennyweight import Deal
    >>> deal = Deal.from_dict({"deal": "Kiln", "measures": {"cost": "8_000 * 1.2"}})
    >>> dearer = Deal.from_dict({"deal": "Kiln", "measures": {"cost": "9_000 * 1.2"}})
    >>> [(change.name, change.old, change.new, change.effects) for change in deal.changes_to(dearer).changes]
    [('cost', '8_000 * 1.2', '9_000 * 1.2', {'cost': 1200.0})]
    """

    section: str
    name: str
    old: str
    new: str
    verdict: str
    effects: Mapping[str, float | None]
    alone: bool


@dataclass(frozen=True, eq=False, repr=False)
class Changes(Shown):
    """What differs between two versions of a deal, and both side by side.

    Examples
    --------
    >>> from pennyweight import Deal
    >>> deal = Deal.starter("taxi")
    >>> deal.changes_to(deal)
    Changes('Electric water-taxi for the quay': 0)
    """

    title: str
    changes: tuple[Change, ...]
    comparison: Comparison = field(repr=False)

    def __repr__(self) -> str:
        return f"Changes({self.title[:60]!r}: {len(self.changes)})"

    @property
    def frame(self) -> pd.DataFrame:
        """A row a change: where, what it was and is, the verdict and what the figures moved by with it alone."""
        import pandas as pd

        names = ("section", "name", "old", "new", "verdict")
        rows = [{name: getattr(one, name) for name in names} | dict(one.effects) for one in self.changes]
        return pd.DataFrame(rows, columns=None if rows else list(names))

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON: the comparison's, and the changes.

        Returns
        -------
        dict[str, Any]
            Plain values for JSON: the comparison's, and the changes.
        """
        told = [
            {
                "section": one.section,
                "name": one.name,
                "old": one.old,
                "new": one.new,
                "alone": one.alone,
                "verdict": one.verdict or None,
                "effects": dict(one.effects),
            }
            for one in self.changes
        ]
        return {**self.comparison.as_dict(), "changes": told}


def changes_between(
    old: Mapping[str, Any],
    new: Mapping[str, Any],
    comparison: Comparison,
    weigh: Callable[[dict[str, Any]], Weighing],
) -> Changes:
    """Compare two documents; `weigh` weighs a document as the old deal was weighed, or raises."""
    before, after = comparison.weighings.values()
    found = []
    for section in (*TELLING, *_OTHERS):
        was, now = (entries_of(document.get(section), section) for document in (old, new))
        for name in dict.fromkeys([*was, *now]):
            if was.get(name) == now.get(name):
                continue
            texts = texts_of(was.get(name), now.get(name))
            telling = section in TELLING and telling_of(was.get(name)) != telling_of(now.get(name))
            moved: dict[str, float | None] = {}
            verdict: str = before.verdict if section in TELLING else ""
            if telling:
                moved, verdict = _alone(old, section, name, now.get(name), before, weigh)
            found.append(Change(section, name, *texts, verdict, moved, bool(verdict)))
    return Changes(after.title, tuple(found), comparison)


def entries_of(section: Any, name: str) -> dict[str, Any]:
    """The entries of a section by name, each as a table."""
    if not isinstance(section, Mapping):
        return {}
    return {key: value if isinstance(value, Mapping) else {_bare(name): value} for key, value in section.items()}


def _bare(section: str) -> str:
    return "value" if section in ("inputs", "timeline") else "formula"


def telling_of(entry: Mapping[str, Any] | None) -> Mapping[str, Any] | None:
    """What of an entry decides a figure."""
    return None if entry is None else {key: value for key, value in entry.items() if key not in _WORDS}


def texts_of(was: Mapping[str, Any] | None, now: Mapping[str, Any] | None) -> tuple[str, str]:
    """What differs of an entry, before and after."""
    if was is None or now is None:
        return _said(was or {}, list(was or {})), _said(now or {}, list(now or {}))
    keys = [key for key in dict.fromkeys([*was, *now]) if was.get(key) != now.get(key)]
    return _said(was, keys), _said(now, keys)


def _said(entry: Mapping[str, Any], keys: list[str]) -> str:
    alone = keys in (["value"], ["formula"])
    parts = [_as_written(entry[key]) if alone else f"{key} = {_as_written(entry[key])}" for key in keys if key in entry]
    return ", ".join(parts)[:200] or "-"


def _as_written(value: object) -> str:
    """A value as a deal file has it: of steps { 1 = 6.5, 5 = 7.25 }."""
    if isinstance(value, Mapping):
        return f"{{ {', '.join(f'{key} = {_as_written(one)}' for key, one in value.items())} }}"
    return f"[{', '.join(map(_as_written, value))}]" if isinstance(value, list) else str(value)


def _alone(
    old: Mapping[str, Any],
    section: str,
    name: str,
    entry: Mapping[str, Any] | None,
    before: Weighing,
    weigh: Callable[[dict[str, Any]], Weighing],
) -> tuple[dict[str, float | None], str]:
    """What one change alone does to the figures of the old version, and the verdict; nothing when it cannot be."""
    document = copy.deepcopy(dict(old))
    part = document.setdefault(section, {})
    if entry is None:
        part.pop(name, None)
    elif section == "timeline":
        part[name] = entry.get("value")
    else:
        part[name] = dict(entry)
    try:
        changed = weigh(document)
    except PennyweightError:
        return {}, ""
    moved: dict[str, float | None] = {}
    for key, figure in before.measures.items():
        other = changed.measures.get(key)
        if other is None or other.value == figure.value:
            continue
        known = other.value is not None and figure.value is not None
        moved[key] = round((other.value or 0.0) - (figure.value or 0.0), 12) if known else None
    return moved, changed.verdict
