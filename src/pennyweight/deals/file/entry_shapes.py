"""The shapes of a deal file's entries: which keys each has, what each is, and what kind of value it takes."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Any, Literal, TypeAlias

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field

from pennyweight.core.loans.repayment import REPAID
from pennyweight.plain_text import quoted

__all__ = [
    "AxisShape",
    "BracketsShape",
    "ChartShape",
    "CheckShape",
    "ColumnShape",
    "GoalShape",
    "InputShape",
    "LevelShape",
    "LineShape",
    "LoanShape",
    "MeasureShape",
    "OverrideShape",
    "QuestionShape",
    "ScenarioShape",
    "SetShape",
    "SplitShape",
    "TableShape",
    "TierShape",
    "TimelineShape",
]

Scalar: TypeAlias = int | float | str
Moment: TypeAlias = int | str | dt.date


def _said(words: str, default: Any = None, *, alias: str | None = None) -> Any:
    """A key with what it is, in a sentence: for editors and for the reference of the language."""
    return Field(default, description=words, alias=alias)


def _as_table(key: str) -> BeforeValidator:
    return BeforeValidator(lambda given: given if isinstance(given, dict) else {key: given})


class _Shape(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=True, frozen=True, populate_by_name=False)


class TimelineShape(_Shape):
    """`[timeline]`"""

    period: Literal["year", "half-year", "quarter", "month"] = _said(
        '"year", "half-year", "quarter" or "month".', "year"
    )
    periods: int = _said(
        "How many periods there are; period 0 is the day of the deal, 1 to periods are their ends.", ...
    )
    start: dt.date | None = _said("The day of period 0; it gives every period its date.")
    counted_to: Moment | None = _said(
        "The period in which the deal ends: after it money in and out, net and loans are 0, while lines go on."
    )


class InputShape(_Shape):
    """An input: one value, steps, or a column of a CSV file."""

    value: Scalar | dt.date | None = _said(
        "The value: a number, an amount such as 430k, a percentage, a date, or one of the choices."
    )
    steps: dict[str, Scalar] | None = _said("A value that changes: from which period (or year, or day) on it is what.")
    file: str | None = _said("A CSV, a workbook (.xlsx) or a Parquet file beside the deal.")
    column: str | None = _said("The column of that file.")
    sheet: str | None = _said("The sheet of a workbook; left out, the first.")
    period: str | None = _said("The column of that file that says in which period each row stands.")
    date: str | None = _said("The column of that file that says on which day each row stands.")
    empty: Scalar | None = _said('What stands in a period without a row: a number, or "last" for the value before.')
    so_that: str | None = _said("The condition by which the deal finds its value itself, in every case anew.")
    pick: Literal["largest", "smallest"] | None = _said('Of several values that do the "largest" or the "smallest".')
    between: list[Scalar | dt.date] | None = _said("Where a value that is found is looked for, [low, high].")
    choices: list[str] | None = _said("The words it takes one of.")
    unit: str | None = _said(
        "money, rate, share, years, period, number, count, date, or a word of your own such as km."
    )
    label: str | None = _said("How it is called when shown.")
    note: str | None = _said("A remark, for whoever reads the file.")
    low: Scalar | dt.date | None = _said("The low end of what is likely.")
    high: Scalar | dt.date | None = _said("The high end of what is likely.")
    whole: bool = _said("Whether only whole values make sense.", False)
    fixed: bool = _said("A fact, an age or a switch: never varied by turning points.", False)
    uncertain: str | dict[str, Any] | None = _said(
        'How it falls: "triangular", "uniform" or "pert" from low to high, or a table such as { shape = "normal", '
        "deviation = 15_000 }."
    )
    moves_with: dict[str, Scalar] | None = _said("Other uncertain inputs, and how closely it moves with each: -1 to 1.")
    decision: bool = _said("Whether one decides on it oneself: it is never drawn.", False)


class LineShape(_Shape):
    """A line: an amount in a period."""

    formula: Scalar = _said("A formula of names, numbers and functions.", ...)
    at: Moment | None = _said("The one period in which it happens: a number, 'end', 'year 3', a date, an input.")
    from_: Moment | None = _said("The first period in which it runs.", alias="from")
    to: Moment | None = _said("The last period in which it runs.")
    every: int | str | None = _said("How many periods lie between one time and the next.")
    set: dict[str, Scalar] | None = _said("What stands instead in single periods or years.")
    group: str | None = _said("The heading it stands under.")
    each: str | None = _said("The set for each of whose things it is worked out.")
    label: str | None = _said("How it is called when shown.")
    unit: str | None = _said(
        "money, rate, share, years, period, number, count, date, or a word of your own such as km."
    )
    note: str | None = _said("A remark, for whoever reads the file.")


class LevelShape(_Shape):
    """A level: what stands at the end of a period."""

    formula: Scalar = _said("A formula of names, numbers and functions.", ...)
    start: Scalar | None = _said("Its value in period 0.")
    set: dict[str, Scalar] | None = _said("What stands instead in single periods or years.")
    group: str | None = _said("The heading it stands under.")
    each: str | None = _said("The set for each of whose things it is worked out.")
    label: str | None = _said("How it is called when shown.")
    unit: str | None = _said(
        "money, rate, share, years, period, number, count, date, or a word of your own such as km."
    )
    note: str | None = _said("A remark, for whoever reads the file.")


class MeasureShape(_Shape):
    """A measure or a value: one figure."""

    formula: Scalar = _said("A formula of names, numbers and functions.", ...)
    each: str | None = _said("The set for each of whose things it is worked out.")
    label: str | None = _said("How it is called when shown.")
    unit: str | None = _said(
        "money, rate, share, years, period, number, count, date, or a word of your own such as km."
    )
    undefined: str | None = _said("What to say when the figure is undefined.")
    note: str | None = _said("A remark, for whoever reads the file.")


class TermShape(_Shape):
    """A term of a loan that has a range: turning points and drivers move it."""

    value: Scalar = _said("The term, a number.", ...)
    low: Scalar | None = _said("The low end of what is likely.")
    high: Scalar | None = _said("The high end of what is likely.")
    fixed: bool = _said("A fact: never varied by turning points.", False)
    label: str | None = _said("How it is called when shown.")


class LoanShape(_Shape):
    """A loan; every term may be a formula, or a number that can then be varied."""

    amount: Scalar | TermShape = _said("What is lent; for a loan taken over what was lent.", ...)
    rate: Scalar | TermShape = _said("The yearly rate, quoted.", ...)
    years: Scalar | TermShape | None = _said("The term in years.")
    months: Scalar | TermShape | None = _said("The term in months.")
    payment: Scalar | None = _said("The payment, instead of a term.")
    paid_out: Moment = _said("The period in which it is paid out.", 0)
    advances: dict[str, Scalar] | None = _said(
        "The stages in which it is drawn: the period of each and its share of the amount."
    )
    payments_made: Scalar | TermShape | None = _said(
        "How many payments were made before; the loan comes in at what is owed after them."
    )
    balloon: Scalar | TermShape | None = _said('After how many years the rest falls due, or "never".')
    per_year: int | str = _said("How many payments a year.", 12)
    repaid: str = _said(f"{quoted(way for way, one in REPAID.items() if one.in_deals)}.", "level payment")
    interest_only: Scalar | TermShape | None = _said("The years in which only interest is paid.")
    amortized_over: Scalar | TermShape | None = _said(
        "The years the payment is worked out over, when they are more than the term."
    )
    residual: Scalar | TermShape | None = _said("What is left to be paid at the end of the term.")
    rate_steps: dict[str, Scalar] = _said("From which period on which rate holds.", {})
    extra: Scalar | None = _said("What is paid on top at the end of each period.")
    to_the_cent: bool = _said("Whether it is kept in whole cents, as a lender's books are.", False)
    each: str | None = _said("The set for each of whose things it is worked out.")
    label: str | None = _said("How it is called when shown.")
    note: str | None = _said("A remark, for whoever reads the file.")


class ColumnShape(_Shape):
    """A column of a set: what its values are."""

    column: str | None = _said("What the file calls it, where that is something else.")
    unit: str | None = _said(
        "money, rate, share, years, period, number, count, date, or a word of your own such as km."
    )
    label: str | None = _said("How it is called when shown.")
    empty: Scalar | dt.date | None = _said('What an empty cell stands for, such as 0, or "never" for a date.')
    choices: list[str] | None = _said("The words it takes one of; left out, those that stand there.")
    low: Scalar | None = _said("The low end of what is likely, as a multiple of all its values, such as 0.9.")
    high: Scalar | None = _said("The high end of what is likely, as a multiple of all its values.")
    whole: bool = _said("Whether only whole values make sense.", False)
    fixed: bool = _said("A fact: never varied by turning points.", False)
    uncertain: str | dict[str, Any] | None = _said(
        'How it falls: "triangular", "uniform" or "pert" from low to high, or a table such as { shape = "normal", '
        "deviation = 15_000 }."
    )
    moves_with: dict[str, Scalar] | None = _said("Other uncertain inputs, and how closely it moves with each: -1 to 1.")
    decision: bool = _said("Whether one decides on it oneself: it is never drawn.", False)
    note: str | None = _said("A remark, for whoever reads the file.")


class SetShape(_Shape):
    """A set: many of the same, a row each; or one thing a period."""

    file: str | None = _said("A CSV, a workbook (.xlsx) or a Parquet file beside the deal, with a row for each thing.")
    sheet: str | None = _said("The sheet of a workbook; left out, the first.")
    rows: list[dict[str, Scalar | dt.date]] | None = _said("The rows themselves, instead of a file.")
    name: str | None = _said("The column that names a row; left out, the first.")
    columns: dict[str, ColumnShape] = _said("What the columns are, where it does not show by itself.", {})
    every: Literal["period"] | None = _said('"period": one thing begins in every period, from 0 to the end.')
    label: str | None = _said("How it is called when shown.")
    note: str | None = _said("A remark, for whoever reads the file.")


class BracketsShape(_Shape):
    """Brackets: values by the slice or the step in which an amount lies."""

    steps: dict[str, Scalar] | None = _said("From which amount on it is what; the amounts rise.")
    file: str | None = _said("A CSV, a workbook (.xlsx) or a Parquet file beside the deal, instead of steps.")
    sheet: str | None = _said("The sheet of a workbook; left out, the first.")
    from_: str | None = _said("The column of the amounts; left out, the first.", alias="from")
    column: str | None = _said("The column of the values; left out, the second.")
    per: Literal["period", "year"] = _said('Whether the amounts are those of a "period" or of a "year".', "period")
    unit: str | None = _said("The unit of the values: share, rate, money, number, or a word of your own.")
    fixed: bool = _said("A fact: never varied by turning points.", False)
    label: str | None = _said("How it is called when shown.")
    note: str | None = _said("A remark, for whoever reads the file.")


class TierShape(_Shape):
    """A tier of a split; the first have a rate, the last takes all the rest."""

    rate: Scalar | None = _said("What was paid in comes back with this yearly return.")
    catch_up: str | None = _said("The party that catches up.")
    to: Scalar | None = _said("To which part of all that was given beyond what was paid in it catches up.")
    share: Scalar = _said("Which part of the money it gets meanwhile.", "100%")
    shares: dict[str, Scalar] | None = _said("What each party gets; together 100%.")
    until: dict[str, Scalar] | None = _said("Until this party has earned this yearly return.")


class SplitShape(_Shape):
    """A split of proceeds among parties, tier by tier."""

    of: Scalar = _said("What is split: a line that is never below 0.", ...)
    paid_in: dict[str, Scalar] = _said("What each party pays in: a line each.", ...)
    tiers: list[TierShape] = _said("The tiers, in the order in which they are filled.", ...)
    label: str | None = _said("How it is called when shown.")
    note: str | None = _said("A remark, for whoever reads the file.")


class GoalShape(_Shape):
    """A goal on a measure."""

    at_least: Scalar | None = _said("The least the figure must be.")
    at_most: Scalar | None = _said("The most the figure may be.")
    nearly: Scalar | None = _said("How far it may miss and still nearly be met.")
    undefined: Literal["met"] | None = _said('"met" when an undefined figure meets the goal.')


class OverrideShape(_Shape):
    """What a scenario does to an input."""

    value: Scalar | dt.date | None = _said(
        "The value: a number, an amount such as 430k, a percentage, a date, or one of the choices."
    )
    scale: Scalar | None = _said("Times what it was.")
    shift: Scalar | None = _said("More than it was.")
    steps: dict[str, Scalar] | None = _said("A value that changes: from which period (or year, or day) on it is what.")
    file: str | None = _said("A CSV, a workbook (.xlsx) or a Parquet file beside the deal.")
    column: str | None = _said("The column of that file.")
    sheet: str | None = _said("The sheet of a workbook; left out, the first.")


class ScenarioShape(_Shape):
    """A scenario; every other key is an input."""

    model_config = ConfigDict(extra="allow", strict=True, frozen=True)
    __pydantic_extra__: dict[str, Annotated[OverrideShape, _as_table("value")] | dict[str, Any]]
    label: str | None = _said("How it is called when shown.")
    note: str | None = _said("A remark, for whoever reads the file.")
    based_on: str | list[str] | None = _said("The scenario, or a list of them, that this one builds on.")
    all_inputs: Literal["low", "high", "worst", "best"] | None = _said(
        'Every range at its "low" or "high" end, or at the end that hurts ("worst") or helps ("best").'
    )
    judged_by: str | None = _said("The figure that worst and best are judged by; left out, the first goal.")
    probability: Scalar | None = _said("How likely it is, such as 20%; the deal as it stands takes the rest.")
    undo: list[str] | None = _said('The exceptions of lines to switch off, such as ["contribution.set"].')


class QuestionShape(_Shape):
    """What to find, asked on every weighing; the answer is a figure with a name."""

    find: str = _said("The input whose value is looked for.", ...)
    so_that: str | None = _said("The condition that must come true; left out, that the deal pays off.")
    most: str | None = _said("The figure to make largest.")
    least: str | None = _said("The figure to make smallest.")
    between: list[Scalar | dt.date] | None = _said("Where to look, [low, high].")
    pick: Literal["largest", "smallest"] | None = _said('Of several answers the "largest" or the "smallest".')
    label: str | None = _said("How it is called when shown.")
    note: str | None = _said("A remark, for whoever reads the file.")


class AxisShape(_Shape):
    """What a table goes by: a name of its own or an input, and its values."""

    values: list[Scalar | dt.date] | str = _said("One value each, worked out of inputs and of one another.", ...)
    unit: str | None = _said(
        "money, rate, share, years, period, number, count, date, or a word of your own such as km."
    )
    label: str | None = _said("How it is called when shown.")


class TableShape(_Shape):
    """The same figures for several values of one name, or of two."""

    by: dict[str, Annotated[AxisShape, _as_table("values")]] = _said(
        "What the table goes by: a name of its own, or an input, and its values; or a set, with 'all' of its things "
        "or a list of their names.",
        ...,
    )
    columns: dict[str, Annotated[MeasureShape, _as_table("formula")]] = _said(
        "The columns: a formula each. A table by a set may leave them out.", {}
    )
    label: str | None = _said("How it is called when shown.")
    note: str | None = _said("A remark, for whoever reads the file.")


class CheckShape(_Shape):
    """A check of the deal's own: a condition, and what it says."""

    formula: Scalar = _said("A formula of names, numbers and functions.", ...)
    each: str | None = _said("The set for each of whose things it is worked out.")
    label: str | None = _said("How it is called when shown.")
    note: str | None = _said("A remark, for whoever reads the file.")


class ChartShape(_Shape):
    """What to draw."""

    lines: list[str] = _said("The lines, levels or the table to draw.", ...)
    as_: Literal["lines", "area", "bars"] = _said('"lines", "area" or "bars".', "lines", alias="as")
    by: Literal["period", "year"] | None = _said('"period" or "year".')
    from_: Moment | None = _said("The first period that is drawn.", alias="from")
    to: Moment | None = _said("The last period that is drawn.")
    target: Scalar | None = _said("A figure to draw a line at.")
    mark: str | None = _said("A question whose answer is marked.")
    label: str | None = _said("How it is called when shown.")
    note: str | None = _said("A remark, for whoever reads the file.")
