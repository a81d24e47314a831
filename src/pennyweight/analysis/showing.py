"""Values of inputs and figures as people write them: their digits, their unit, their word."""

from __future__ import annotations

from math import ceil, floor, log10
from typing import Any, Literal

import numpy as np

from pennyweight.deals.definition import Definition
from pennyweight.deals.parts import Input

__all__ = [
    "Side",
    "axis_kind",
    "headed",
    "headed_axis",
    "show_about",
    "show_base",
    "show_figure",
    "show_input",
    "show_value",
]

Side = Literal["exactly", "at most", "at least"]
"""On which side of a value a condition holds."""

_DIGITS = {"rate": 2, "share": 2, "years": 2}


def show_base(deal: Definition, item: Input, value: float, *, unit: bool = False) -> str:
    """A value of an input as it stands: as many decimals as it was typed with, money in full."""
    return _shown(deal, item, value, _typed(deal, item, value), unit)


def show_value(deal: Definition, item: Input, value: float, side: Side = "exactly", *, unit: bool = True) -> str:
    """A value of an input that was worked out, rounded to the side on which a condition holds."""
    if item.choices or item.unit == "date":
        return _shown(deal, item, value, 0, unit)
    places = _found(deal, item, value)
    scale = 10.0 ** (places + (2 if item.unit in ("rate", "share") and not item.is_series else 0))
    hair = min(1e-9 * abs(value * scale), 1e-3)  # what is whole to nine digits stays itself, but never by a whole unit
    if side == "at most":
        value = floor(value * scale + hair) / scale
    elif side == "at least":
        value = ceil(value * scale - hair) / scale
    return _shown(deal, item, value, places, unit)


def show_about(deal: Definition, item: Input, value: float) -> str:
    """Roughly where a value lies: three digits of it."""
    if item.choices or item.unit == "date" or item.whole or not value:
        return show_value(deal, item, value)
    rough = float(f"{value:.3g}")
    scaled = abs(rough) * (100 if item.unit in ("rate", "share") and not item.is_series else 1)
    needed = min(max(2 - floor(log10(scaled)), 0), 12)
    if item.unit == "money":
        return _shown(deal, item, rough, deal.style.places if needed and not rough.is_integer() else 0, True)
    return _shown(deal, item, rough, max(needed, 2 if item.unit in ("rate", "share") else 0), True)


def show_input(deal: Definition, item: Input, value: Any) -> str:
    """The value of an input in a case; of a series or a column its ends, of words the first of them."""
    if not isinstance(value, np.ndarray):
        return show_base(deal, item, float(value))
    known = value[np.isfinite(value)]
    if item.choices:  # a column of words
        words = [item.choices[round(one)] for one in dict.fromkeys(known.tolist())]
        return ", ".join(words[:_MOST_WORDS]) + (
            f" and {len(words) - _MOST_WORDS} more" if len(words) > _MOST_WORDS else ""
        )
    never = " or never" if item.is_column and np.isposinf(value).any() else ""
    ends = (_end(deal, item, float(one)) for one in (known.min(), known.max())) if known.size else ("undefined",) * 2
    low, high = ends
    return (low if low == high else f"{low} to {high}") + never


_MOST_WORDS = 3


def _end(deal: Definition, item: Input, value: float) -> str:
    """A value of a series, in its unit."""
    return deal.style.show(value, item.unit)


def headed(deal: Definition, name: str, label: str | None = None) -> str:
    """The label of a name with the unit of the figures beside it: "Price, EUR"; percentages carry their own sign."""
    return deal.style.headed(deal.label(name) if label is None else label, deal.unit(name))


def headed_axis(deal: Definition, item: Input, label: str | None = None) -> str:
    """What stands along an axis on which this input moves: its unit, or that it moves as a whole."""
    label = deal.label(item.name) if label is None else label
    if item.by_months:
        return f"{label}, months later"
    if item.by_steps:
        return f"{label}, {item.unit if item.unit not in ('number', 'period') else ''} more".replace(",  ", ", ")
    if item.by_scale:
        return f"{label}, of {'all its values' if item.is_column else 'its series'}"
    return label if item.unit == "date" else headed(deal, item.name, label)


def axis_kind(item: Input) -> Literal["number", "percent", "days"]:
    """What the figures along an axis are on which this input moves."""
    if item.unit == "date" and not item.by_months:
        return "days"
    return "percent" if item.by_scale or (item.unit in ("share", "rate") and not item.is_series) else "number"


def show_figure(deal: Definition, name: str, value: float | None, *, unit: bool = True, sign: bool = False) -> str:
    """A figure by its name: with the word of its choice, and its unit."""
    item = deal.varied(name) if name in deal.questions else None
    if item is not None and value is not None and value == value:
        return show_value(deal, item, value, unit=unit)
    if unit and not sign and value is not None and (named := _period(deal, deal.unit(name), value)):
        return named
    shown = deal.style.with_unit if unit else deal.style.show
    return shown(value, deal.unit(name), sign=sign)


def _period(deal: Definition, unit: str, value: float) -> str:
    """A figure that is a period of the timeline, by the name of that; nothing of any other."""
    inside = unit == "period" and 0 <= value <= deal.timeline.periods and float(value).is_integer()
    return deal.timeline.named(round(value)) if inside else ""


def _shown(deal: Definition, item: Input, value: float, places: int, unit: bool) -> str:
    if item.choices:
        return item.choices[round(value)] if 0 <= round(value) < len(item.choices) else "undefined"
    if item.by_months:
        return _later(value)
    if item.by_steps:
        return _more(deal, item, value)
    if unit and (named := _period(deal, item.unit, value)):
        return named
    if item.is_series:
        return f"{deal.style.show(value, 'number', places=places)} × {item.name}"
    shown = deal.style.with_unit if unit else deal.style.show
    return shown(value, item.unit, places=None if item.unit == "date" else places)


def _later(months: float) -> str:
    """How much later the days of a column fall, in words."""
    if months != months:
        return "undefined"
    count = abs(round(months))
    words = f"{count:,} month{'' if count == 1 else 's'}"
    return f"{words} {'sooner' if months < 0 else 'later'}"


def _more(deal: Definition, item: Input, value: float) -> str:
    """How much more the whole values of a column are, in words."""
    if value != value:
        return "undefined"
    unit = "period" if item.unit == "period" else item.unit
    said = deal.style.with_unit(abs(round(value)), "number" if unit == "period" else unit)
    return f"{said}{' periods' if unit == 'period' else ''} {'less' if value < 0 else 'more'} each"


def _typed(deal: Definition, item: Input, value: float) -> int:
    """Decimals of a value that was typed."""
    if item.is_series:
        return 4
    if item.unit == "money":
        return 0 if float(value).is_integer() and item.digits == 0 else max(deal.style.places, item.digits)
    least = 2 if item.unit in ("rate", "share") else 0
    return max(item.digits, least)


def _found(deal: Definition, item: Input, value: float) -> int:
    """Decimals of a value that was worked out: those of its unit, and no fewer than were typed."""
    if item.is_series:
        return 4
    if item.step is not None and float(item.step).is_integer():
        return 0
    typed = abs(item.value) if isinstance(item.value, float) else 0.0
    rough = 2 if max(abs(value), typed) >= 100 else 4  # thousands of kilometres need no ten-thousandths
    usual = deal.style.places if item.unit == "money" else _DIGITS.get(item.unit, rough)
    return max(usual, item.digits)
