"""Cases of a deal, and versions of it, side by side: the part of the public deal that compares."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from pennyweight.analysis.cases import Model
from pennyweight.analysis.comparing import bridge, comparison
from pennyweight.analysis.comparing.bridge import Bridge
from pennyweight.analysis.comparing.changes import Changes, changes_between
from pennyweight.analysis.comparing.comparison import Comparison, compare_deals
from pennyweight.analysis.comparing.versions import bridge_of_versions
from pennyweight.analysis.weighing import weighing
from pennyweight.analysis.what_may_come import WhatMayCome, replaced
from pennyweight.deals.definition import Definition
from pennyweight.deals.file.sections import define
from pennyweight.deals.inputs import scenario_names
from pennyweight.errors import InputError, choice
from pennyweight.quantities.argument_checks import a_list, a_text

__all__ = ["SetBeside"]


class SetBeside(WhatMayCome):
    """A deal whose scenarios and versions may be compared."""

    definition: Definition

    @property
    def scenarios(self) -> list[str]:
        """ "base", the deal as it stands, and its scenarios."""
        return scenario_names(self.definition)

    def compare(
        self,
        scenarios: Sequence[str] | None = None,
        *,
        inputs: Mapping[str, object] | None = None,
        against: str | None = None,
    ) -> Comparison:
        """Weigh scenarios side by side; all of them when none are named.

        `scenarios` are their names; `inputs` as in `weigh`; `against` names the one the differences are taken to.

        >>> from pennyweight import Deal
        >>> deal = Deal.starter("taxi")
        >>> [weighing.verdict for weighing in deal.compare(["base", "wet_and_dear"]).weighings.values()]
        ['pays off', 'falls short']
        """
        chosen = self._named(scenarios, self.scenarios)
        if against is not None:
            chosen = list(dict.fromkeys([choice(against, self.scenarios, "against"), *chosen]))
        return comparison.compare(self._model, chosen, replaced(inputs), against)

    def changes_to(self, newer: SetBeside, scenario: str = "base") -> Changes:
        """Compare this deal with a newer version of it: inputs, formulas and goals that differ, and what each did.

        Parameters
        ----------
        newer : SetBeside
            The other version.
        scenario : str, default 'base'
            Both are weighed in it where they have one of that name, else as they stand.

        Examples
        --------
        >>> from pennyweight import Deal
        >>> deal = Deal.starter("taxi")
        >>> deal.changes_to(deal).changes
        ()
        """
        if not isinstance(newer, SetBeside):
            raise InputError(f"newer is {type(newer).__name__}; it must be a Deal.", at="newer")
        comparison = compare_deals({"before": self._model, "now": newer._model}, a_text(scenario, what="scenario"))
        source = self.definition.source
        own = scenario if scenario in self.definition.scenarios else "base"

        def weigh_other(document: dict[str, Any]) -> weighing.Weighing:
            return weighing.weigh(Model.of(define(document, source.path)), own)

        return changes_between(source.document, newer.definition.source.document, comparison, weigh_other)

    def bridge(
        self,
        first: str,
        second: str,
        measure: str | None = None,
        *,
        inputs: Mapping[str, object] | None = None,
    ) -> Bridge:
        """What made the difference of a measure between two scenarios: the share of each input that differs.

        Parameters
        ----------
        first, second : str
            The scenarios, "base" for the deal as it stands.
        measure : str | None, optional
            Left out: that of the first goal.
        inputs : Mapping[str, object] | None, optional
            As in `weigh`.

        Raises
        ------
        InputError
            Where the measure is undefined on the way, with the reason.

        Notes
        -----
        A share is the mean of what a change does over all orders in which the changes may come (Shapley's value), so
        that the shares add up to the difference and hang on no order.

        Examples
        --------
        >>> from pennyweight import Deal
        >>> found = Deal.starter("taxi").bridge("base", "dear_hull", "npv")
        >>> [(step.name, round(step.share, 2)) for step in found.steps]
        [('hull', -33944.65)]
        """
        names = [a_text(one, what=what) for one, what in ((first, "first"), (second, "second"))]
        return bridge.bridge_of_scenarios(
            self._model, names[0], names[1], self._first_measure(measure), replaced(inputs)
        )

    def bridge_to(self, newer: SetBeside, measure: str | None = None, scenario: str = "base") -> Bridge:
        """What made the difference of a measure between this deal and a newer version of it.

        Each input that differs in its number is a step; a formula that differs is one, too, and what cannot stand
        alone goes together. `newer` is the other version, `measure` and the rest as in `bridge`, `scenario` the one
        in which both are weighed.

        >>> from pennyweight import Deal
        >>> old = Deal.from_dict({"deal": "Kiln", "inputs": {"n": 3}, "measures": {"cost": "8_000 * n"}})
        >>> new = Deal.from_dict({"deal": "Kiln", "inputs": {"n": 4}, "measures": {"cost": "9_000 * n"}})
        >>> [(step.name, step.share) for step in old.bridge_to(new, "cost").steps]
        [('n', 8500.0), ('cost', 3500.0)]
        """
        if not isinstance(newer, SetBeside):
            raise InputError(f"newer is {type(newer).__name__}; it must be a Deal.", at="newer")
        path = self.definition.source.path
        return bridge_of_versions(
            self._model,
            newer._model,
            self._first_measure(measure),
            a_text(scenario, what="scenario"),
            lambda document: Model.of(define(document, path)),
        )

    def _first_measure(self, measure: object) -> str:
        if measure is not None:
            return a_text(measure, what="measure")
        found = next(iter([*self.definition.goals, *self.definition.measures]), None)
        if found is None:
            raise InputError("The deal has no measures; declare one under [measures].", at="measure")
        return found

    def _named(self, scenarios: object, usual: list[str]) -> list[str]:
        if scenarios is None:
            return usual
        names = [a_text(one, what="A scenario") for one in a_list(scenarios, what="scenarios", of="their names")]
        if not names:
            raise InputError("scenarios is empty; name at least one.", at="scenarios")
        return list(dict.fromkeys(names))
