"""The public deal: read once, asked many times."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from pennyweight.analysis import comparison, finding, variation, weighing
from pennyweight.analysis.cases import Model
from pennyweight.analysis.comparison import Comparison
from pennyweight.analysis.finding import Found
from pennyweight.analysis.turning import TurningPoint, turning_points
from pennyweight.analysis.variation import Variation
from pennyweight.analysis.weighing import Weighing
from pennyweight.deals.definition import Definition
from pennyweight.deals.reading import define, read_definition
from pennyweight.deals.scenarios import inputs_of, scenario_names

__all__ = ["Deal"]


class Deal:
    """A deal: what goes in, how the money moves, what must come true.

    >>> deal = Deal.from_dict({
    ...     "deal": "Kiln",
    ...     "timeline": {"period": "year", "periods": 3},
    ...     "inputs": {"price": 9_000, "sales": 4_000},
    ...     "money_in": {"pots": "sales"},
    ...     "money_out": {"kiln": {"formula": "price", "at": 0}},
    ...     "measures": {"npv": "npv(net, 8%)"},
    ...     "goals": {"npv": {"at_least": 0}},
    ... })
    >>> weighing = deal.weigh()
    >>> weighing.verdict, round(weighing.measures["npv"].value, 2)
    ('pays off', 1308.39)
    >>> round(deal.find("price", "npv == 0").answers["base"][0], 2)
    10308.39
    """

    def __init__(self, definition: Definition) -> None:
        self.definition = definition
        self._model = Model.of(definition)

    @classmethod
    def read(cls, path: str | Path) -> Deal:
        """Read a deal file. InputError says file, line and reason when something in it cannot be right."""
        return cls(read_definition(Path(path)))

    @classmethod
    def from_dict(cls, document: Mapping[str, Any]) -> Deal:
        """A deal given as nested dictionaries, the way its file would say it."""
        return cls(define(dict(document)))

    def __repr__(self) -> str:
        return f"Deal({self.definition.title!r}, inputs={list(self.definition.inputs)})"

    @property
    def scenarios(self) -> list[str]:
        """ "base", the deal as it stands, and its scenarios."""
        return scenario_names(self.definition)

    @property
    def model(self) -> Model:
        """The compiled deal, for analyses of your own."""
        return self._model

    def weigh(self, scenario: str = "base", *, inputs: Mapping[str, object] | None = None) -> Weighing:
        """Weigh the deal: figures, goals, verdict, answers, turning points and checks.

        Args:
            scenario: "base" or the name of a scenario.
            inputs: values in place of the scenario's, as numbers or as an analyst types them ("430k", "9%");
                "scale 0.85" and "shift 500" work on what stands there.

        Raises:
            InputError: no such scenario or input, or a value that cannot be right.
        """
        return weighing.weigh(self._model, scenario, inputs)

    def compare(
        self, scenarios: Sequence[str] | None = None, *, inputs: Mapping[str, object] | None = None
    ) -> Comparison:
        """Weigh scenarios side by side; all of them when none are named."""
        return comparison.compare(self._model, self.scenarios if scenarios is None else scenarios, inputs)

    def vary(
        self,
        places: Mapping[str, object],
        *,
        show: Sequence[str] | None = None,
        scenario: str = "base",
        inputs: Mapping[str, object] | None = None,
    ) -> Variation:
        """Vary one or two inputs.

        Args:
            places: for each input a list of values, or a text: "380k..460k/9" is nine values, both ends in;
                "6%..12%:1%" goes in steps; "7,8,9" lists them. A series is varied by multiples of itself.
            show: the measures; left out: all for one input, the first for two.
        """
        return variation.vary(self._model, places, show=show, scenario=scenario, inputs=inputs)

    def find(
        self,
        name: str,
        so_that: str | None = None,
        *,
        scenarios: Sequence[str] | None = None,
        between: tuple[str | float, str | float] | None = None,
        inputs: Mapping[str, object] | None = None,
    ) -> Found:
        """Find the values of an input at which a condition becomes true, in every scenario named.

        Args:
            name: the input; a series is found by its multiple.
            so_that: a condition on measures, such as "npv == 0" or "irr >= hurdle and payback <= 8"; left out:
                that the deal pays off.
            between: where to look; left out: by the input's unit, see `analysis.search.default_range`.
        """
        chosen = ["base"] if scenarios is None else scenarios
        return finding.find(self._model, name, so_that, scenarios=chosen, between=between, inputs=inputs)

    def turning_points(
        self, scenario: str = "base", *, inputs: Mapping[str, object] | None = None
    ) -> list[TurningPoint]:
        """For every input the value at which the verdict turns when it moves alone."""
        return turning_points(self._model, inputs_of(self.definition, scenario, inputs))
