"""The labels of what pandas handed over: kept for what goes back, and refused where they do not fit together.

pandas is never imported here: whoever hands over a Series has imported it.
"""

from __future__ import annotations

import sys
from typing import Any

import numpy as np

from pennyweight.errors import InputError
from pennyweight.quantities.dates import is_date

__all__ = ["Labels", "refuse_dates"]


class Labels:
    """The index, and of tables the columns, that the answer of an array function has.

    An argument of kind "row" holds a row of flows in each row of a table: its index is that of the answers. Any other
    one stands for itself, element by element.
    """

    def __init__(self) -> None:
        self.index: Any = None
        self.columns: Any = None
        self.owner = ""

    def take(self, name: str, given: Any, *, rows: bool) -> None:
        """Note the labels of an argument; those of another one must be the same."""
        if rows and given.ndim == 1:  # one row of flows: the answer is a single number
            return
        if self.index is not None and not (self.index is given.index or self.index.equals(given.index)):
            raise InputError(
                f"{self.owner} and {name} have different indexes ({_shown(self.index)} and {_shown(given.index)}); "
                f"bring them to one index first, such as {name}.reindex({self.owner}.index), or hand over .to_numpy().",
                at=name,
            )
        self.index, self.owner = given.index, self.owner or name
        if given.ndim == 2 and not rows:
            if self.columns is not None and not self.columns.equals(given.columns):
                raise InputError(f"{name} has other columns than {self.owner}; bring them to the same first.", at=name)
            self.columns = given.columns

    def give(self, answer: Any) -> Any:
        """The answer with its labels, where it has a row for each of them."""
        if self.index is None or not isinstance(answer, np.ndarray) or answer.shape[:1] != (len(self.index),):
            return answer
        pandas = sys.modules["pandas"]
        if answer.ndim == 1:
            return pandas.Series(answer, index=self.index, copy=False)
        columns = self.columns if self.columns is not None and len(self.columns) == answer.shape[1] else None
        return pandas.DataFrame(answer, index=self.index, columns=columns, copy=False) if answer.ndim == 2 else answer


def refuse_dates(name: str, given: Any) -> None:
    """Refuse flows whose labels along time are days: a rate per period does not say how long a period is."""
    labels = given.columns if given.ndim == 2 else given.index
    kind = type(labels).__name__
    down = type(given.index).__name__ if given.ndim == 2 else ""
    if down in ("DatetimeIndex", "PeriodIndex"):
        raise InputError(
            f"{name} has days down its rows, and each row is taken for the flows of one deal. For a deal in each "
            f"column, one flow a period, hand over {name}.T.to_numpy(); for flows on their days, take "
            "CashFlows(frame['name']), which reads the days.",
            at=name,
        )
    if labels.dtype.kind in "iu" and labels.size > 1 and (np.diff(labels.to_numpy()) != 1).any():
        raise InputError(
            f"{name} has the numbers {_shown(labels)} as labels, which do not follow one another: for one flow a "
            f"period, in this order, hand over {name}.to_numpy(); for flows in the periods the numbers name, bring "
            "them in order and fill the gaps with 0.",
            at=name,
        )
    days = labels.size and all(isinstance(label, str) and is_date(label) for label in labels)
    if kind == "DatetimeIndex" or days:
        alone = "CashFlows(frame.iloc[0])" if given.ndim == 2 else "CashFlows(series)"
        raise InputError(
            f"{name} has days as labels. For one flow a period, in this order, hand over {name}.to_numpy(); "
            "for flows on "
            f"their days, say times= (years from the first), or take {alone}, which reads the days.",
            at=name,
        )
    if kind == "PeriodIndex":
        numbers = labels.asi8
        if numbers.size > 1 and (np.diff(numbers) != 1).any():
            raise InputError(
                f"{name} has periods as labels that do not follow one another; bring them in order without gaps "
                "(a flow of 0 where nothing happens), or hand over .to_numpy().",
                at=name,
            )


def _shown(index: Any) -> str:
    few = ", ".join(map(str, index[:3]))
    return f"{few}, … {len(index)} in all" if len(index) > 3 else few
