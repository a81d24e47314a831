"""Scenarios, or whole deals, side by side."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from pennyweight.analysis.cases import Model
from pennyweight.analysis.comparing.weighted import Weighted, weighted_by
from pennyweight.analysis.weighing.weighing import Weighing, weigh, work_out_together
from pennyweight.deals.inputs import scenario_names
from pennyweight.documents import Document
from pennyweight.documents.paging import page_of
from pennyweight.documents.shown import Shown
from pennyweight.errors import InputError, choice
from pennyweight.quantities.units import one_currency

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["Comparison", "compare", "compare_deals"]


@dataclass(frozen=True, eq=False, repr=False)
class Comparison(Shown):
    """Weighings side by side, by the name of their scenario or deal.

    Examples
    --------
    >>> from pennyweight import Deal
    >>> deal = Deal.starter("taxi")
    >>> both = deal.compare(["base", "dear_hull"])
    >>> both.differing, [weighing.verdict for weighing in both.weighings.values()]
    (['hull'], ['pays off', 'nearly'])
    """

    title: str
    weighings: Mapping[str, Weighing]
    labels: Mapping[str, str]
    against: str | None = None
    """The one the others are set against, when differences are asked for."""

    def work_out(self, *, turns: bool = False) -> None:
        """Work out the answers of all, each deal's in one search; with `turns` the turning points too.

        Parameters
        ----------
        turns : bool, default False
            Says whether.

        Examples
        --------
        >>> from pennyweight import Deal
        >>> both = Deal.starter("taxi").compare(["base", "dear_hull"])
        >>> both.work_out()
        >>> [weighing.answers["top_price"].shown for weighing in both.weighings.values()]
        ['EUR 537,185.75', 'EUR 537,185.75']
        """
        models = {id(weighing.model): weighing.model for weighing in self.weighings.values()}
        for model in models.values():
            work_out_together([one for one in self.weighings.values() if one.model is model], turns=turns)

    def document(self, *, tables: bool = False) -> Document:
        """The page of the comparison; `tables` shows the tables of the deals on a screen, too.

        Parameters
        ----------
        tables : bool, default False
            Show the tables of the deals on a screen, too.

        Returns
        -------
        Document
            See `Document` for what it holds.

        Examples
        --------
        >>> from pennyweight import Deal
        >>> Deal.starter("taxi").compare(["base", "dear_hull"]).document().blocks[0].word
        '1 OF 2 PAY OFF'
        """
        made: Document = page_of(self).document(self, tables=tables)
        return made

    @property
    def differences(self) -> dict[str, dict[str, float | None]]:
        """How far each figure lies from that of the one they are set against; empty when there is none."""
        if self.against is None:
            return {}
        base = self.weighings[self.against].measures
        found: dict[str, dict[str, float | None]] = {}
        for name, weighing in self.weighings.items():
            if name == self.against:
                continue
            found[name] = {}
            for key, figure in weighing.measures.items():
                other = base[key].value if key in base else None
                found[name][key] = None if figure.value is None or other is None else figure.value - other
        return found

    @property
    def weighted(self) -> Weighted | None:
        """The figures over all scenarios, each as likely as the deal says; None where it does not."""
        return weighted_by(self.weighings)

    @property
    def differing(self) -> list[str]:
        """The inputs that are not the same in all, in the order of the file."""
        names = dict.fromkeys(name for weighing in self.weighings.values() for name in weighing.inputs)
        return [name for name in names if not self._same(name, list(names))]

    def _same(self, name: str, names: list[str]) -> bool:
        values = [_without_own(weighing, name, names) for weighing in self.weighings.values()]
        if any(value is None for value in values):
            return False
        first = values[0]
        return all(np.array_equal(np.asarray(v), np.asarray(first), equal_nan=True) for v in values)

    @property
    def frame(self) -> pd.DataFrame:
        """One row each, by name: the verdict, the measures and the answers; then the differences."""
        return self._for_csv().T.infer_objects().rename_axis("scenario")

    def _for_csv(self) -> pd.DataFrame:
        """One column each; rows are the verdict, the measures and the answers, by name; then the differences."""
        import pandas as pd

        self.work_out()
        columns = {}
        for name, weighing in self.weighings.items():
            figures = {key: figure.value for key, figure in weighing.measures.items()}
            answers = {key: _single(weighing, key) for key in weighing.definition.questions}
            columns[name] = pd.Series({"verdict": weighing.verdict, **figures, **answers}, dtype=object)
        for name, differing in self.differences.items():
            columns[f"{name} less {self.against}"] = pd.Series(differing, dtype=object)
        return pd.DataFrame(columns).rename_axis("figure")

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON.

        Returns
        -------
        dict[str, Any]
            Plain values for JSON.
        """
        self.work_out(turns=True)
        told = {} if self.against is None else {"against": self.against, "differences": self.differences}
        return {
            "format": 1,
            **told,
            "differing": self.differing,
            **({} if (found := self.weighted) is None else {"weighted": found.as_dict()}),
            "scenarios": {name: weighing.as_dict() for name, weighing in self.weighings.items()},
        }


def _without_own(weighing: Weighing, name: str, names: list[str]) -> object:
    """An input; of a column only what no thing's own value among these names tells by itself."""
    value, known = weighing.given(name), weighing.definition.inputs
    items = [known[one] for one in names if one in known and known[one].column == name]
    own = [item.place for item in items if item.place is not None]
    return value if value is None or not own else np.delete(np.asarray(value), own)


def _single(weighing: Weighing, question: str) -> Any:
    """The one answer of a question as a program takes it, or nothing."""
    answers = weighing.answers[question].answers
    return weighing.plain_answer(question, answers[0].value) if len(answers) == 1 else None


def compare(
    model: Model,
    scenarios: Sequence[str],
    inputs: Mapping[str, object] | None = None,
    against: str | None = None,
) -> Comparison:
    """Weigh several scenarios of one deal; see `Deal.compare`."""
    if not scenarios:
        raise InputError("There is nothing to compare: name at least one scenario.")
    weighings = {name: weigh(model, name, inputs) for name in dict.fromkeys(scenarios)}
    labels = {name: weighing.scenario_label for name, weighing in weighings.items()}
    if against is not None:
        choice(against, list(weighings), "against")
    return Comparison(model.definition.title, weighings, labels, against)


def compare_deals(models: Mapping[str, Model], scenario: str = "base", against: str | None = None) -> Comparison:
    """Weigh several deals of one currency, each in the same scenario when it has one of that name, else as it stands.

    `models` are the deals by name; InputError when none of them has the scenario.
    """
    one_currency({f"'{name}'": model.definition.style.currency for name, model in models.items()}, at="deals")
    known = list(dict.fromkeys(one for model in models.values() for one in scenario_names(model.definition)))
    choice(scenario, known, "scenario")
    weighings, labels = {}, {}
    for name, model in models.items():
        own = scenario if scenario in model.definition.scenarios else "base"
        weighings[name] = weigh(model, own)
        shown = f" ({weighings[name].scenario_label})" if scenario != "base" else ""
        labels[name] = f"{weighings[name].title}{shown}"
    titles = " and ".join(weighing.title for weighing in weighings.values())
    if against is not None:
        choice(against, list(weighings), "against")
    return Comparison(titles, weighings, labels, against)
