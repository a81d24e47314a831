"""The public deal: read once, asked many times."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, ClassVar, Literal

from pennyweight.analysis.cases import Model
from pennyweight.analysis.comparing import bridge, comparison
from pennyweight.analysis.comparing.bridge import Bridge
from pennyweight.analysis.comparing.changes import Changes, changes_between
from pennyweight.analysis.comparing.comparison import Comparison, compare_deals
from pennyweight.analysis.comparing.versions import bridge_of_versions
from pennyweight.analysis.explaining import why
from pennyweight.analysis.explaining.why import Why
from pennyweight.analysis.finding import finding
from pennyweight.analysis.finding.found import Found
from pennyweight.analysis.varying import variation
from pennyweight.analysis.varying.variation import Variation
from pennyweight.analysis.weighing import weighing
from pennyweight.analysis.weighing.asked_period import read_period
from pennyweight.analysis.weighing.turning import TurningPoint, turning_points
from pennyweight.analysis.weighing.weighing import Weighing
from pennyweight.analysis.what_may_come import WhatMayCome, replaced
from pennyweight.deals.definition import Definition
from pennyweight.deals.file.sections import define, read_definition
from pennyweight.deals.inputs import scenario_names
from pennyweight.errors import InputError, choice, nearest
from pennyweight.quantities.argument_checks import a_list, a_mapping, a_path, a_text
from pennyweight.quantities.numbers import whole
from pennyweight.reading.embedded_files import unpacked
from pennyweight.starters.library import LIBRARY

__all__ = ["Deal"]


class Deal(WhatMayCome):
    """A deal: what goes in, how the money moves, what must come true. Make one with `read` or `from_dict`;
    `definition` is a deal that was read already.

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
    >>> round(deal.find("price", "npv == 0").answers["base"].values[0], 2)
    10308.39
    """

    INTERNAL: ClassVar[tuple[str, ...]] = ("model", "definition")

    def __init__(self, definition: Definition) -> None:
        self.definition = definition
        self._model = Model.of(definition)

    @classmethod
    def read(cls, path: str | Path) -> Deal:
        """Read a deal file. InputError says file, line and reason when something in it cannot be right.

        `path` is the file, or a report (.html, .pdf, .xlsx) that Pennyweight made of a deal: it carries the deal.

        >>> deal = Deal.starter("taxi")
        >>> deal
        Deal('Electric water-taxi for the quay', 12 inputs, 5 scenarios)
        """
        with unpacked(a_path(path)) as file:
            return cls(read_definition(file))

    @classmethod
    def starter(cls, name: str) -> Deal:
        """Read one of the deals that come with Pennyweight, to try something on it.

        `name` is its name, as `pennyweight new --list` shows it; InputError for another.

        >>> Deal.starter("first")
        Deal('A deal of your own', 6 inputs, 1 scenarios)
        """
        deals = {known: one.path for known, one in LIBRARY.items() if not one.is_loan}
        return cls.read(deals[choice(a_text(name, what="name"), tuple(deals), "name")])

    @classmethod
    def from_dict(cls, document: Mapping[str, Any]) -> Deal:
        """A deal given as nested dictionaries, the way its file would say it.

        `document` holds the sections of a deal file by name.

        >>> document = {"deal": "Kiln", "measures": {"price": "8_000 * 1.2"}}
        >>> Deal.from_dict(document).weigh().measures["price"].value
        9600.0
        """
        return cls(define(a_mapping(document, what="The deal", of="its parts by name")))

    def __repr__(self) -> str:
        deal = self.definition
        return f"Deal({deal.title[:60]!r}, {len(deal.inputs)} inputs, {len(deal.scenarios)} scenarios)"

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

        >>> deal = Deal.starter("taxi")
        >>> deal.weigh(inputs={"hull": "scale 1.2"}).verdict
        'nearly'
        """
        return weighing.weigh(self._model, scenario, replaced(inputs))

    def compare(
        self,
        scenarios: Sequence[str] | None = None,
        *,
        inputs: Mapping[str, object] | None = None,
        against: str | None = None,
    ) -> Comparison:
        """Weigh scenarios side by side; all of them when none are named.

        `scenarios` are their names; `inputs` as in `weigh`; `against` names the one the differences are taken to.

        >>> deal = Deal.starter("taxi")
        >>> [weighing.verdict for weighing in deal.compare(["base", "wet_and_dear"]).weighings.values()]
        ['pays off', 'falls short']
        """
        chosen = self._named(scenarios, self.scenarios)
        if against is not None:
            chosen = list(dict.fromkeys([choice(against, self.scenarios, "against"), *chosen]))
        return comparison.compare(self._model, chosen, replaced(inputs), against)

    def vary(
        self,
        places: Mapping[str, object],
        *,
        show: str | Sequence[str] | None = None,
        scenario: str = "base",
        inputs: Mapping[str, object] | None = None,
    ) -> Variation:
        """Vary one or two inputs.

        Args:
            places: for each input a list of values, or a text: "380k..460k/9" is nine values, both ends in;
                "6%..12%:1%" goes in steps; "7,8,9" lists them. A series is varied by multiples of itself.
            show: the measure, or several; left out: all for one input, the first for two.
            scenario, inputs: as in `weigh`.

        >>> deal = Deal.starter("taxi")
        >>> deal.vary({"hull": "400k..440k/3"}, show="npv").figures["npv"].round(2).tolist()
        [93134.45, 79556.59, 65978.73]
        """
        axes = a_mapping(places, what="places", of="values by input")
        several = [show] if isinstance(show, str) else show
        shown = (
            None
            if several is None
            else [a_text(one, what="show") for one in a_list(several, what="show", of="measures")]
        )
        return variation.vary(self._model, axes, show=shown, scenario=scenario, inputs=replaced(inputs))

    def find(
        self,
        name: str,
        so_that: str | None = None,
        *,
        most: str | None = None,
        least: str | None = None,
        scenarios: Sequence[str] | None = None,
        between: tuple[str | float, str | float] | None = None,
        inputs: Mapping[str, object] | None = None,
    ) -> Found:
        """Find the values of an input at which a condition becomes true, in every scenario named.

        Args:
            name: the input; a series is found by its multiple.
            so_that: a condition on measures, such as "npv == 0" or "irr >= hurdle and payback <= 8"; left out:
                that the deal pays off.
            most, least: instead of a condition a figure, such as "irr": find the value at which it is largest, or
                smallest.
            scenarios: their names; left out: the deal as it stands. inputs: as in `weigh`.
            between: where to look; left out: by the input's unit, see `analysis.search.default_range`.

        >>> deal = Deal.starter("taxi")
        >>> round(deal.find("hull", "irr == 12%").answers["base"].values[0], 2)
        446257.88
        >>> deal.find("swap_year", most="npv").answers["base"].values
        (12.0,)
        """
        chosen = self._named(scenarios, ["base"])
        limits = None if between is None else a_list(between, what="between", of="the two ends of a range")
        if limits is not None and len(limits) != 2:
            raise InputError(f"between is {between!r}; it must be the two ends of a range, (low, high).", at="between")
        asked = {
            key: value for key, value in (("so_that", so_that), ("most", most), ("least", least)) if value is not None
        }
        if len(asked) > 1:
            raise InputError(f"Give one of so_that, most and least, not {' and '.join(asked)}.", at=next(iter(asked)))
        key, text = next(iter(asked.items()), ("so_that", None))
        condition = None if text is None else a_text(text, what=key)
        aim: Literal["true", "most", "least"] = "most" if key == "most" else "least" if key == "least" else "true"
        return finding.find(
            self._model,
            a_text(name, what="name"),
            condition,
            aim=aim,
            scenarios=chosen,
            between=None if limits is None else (limits[0], limits[1]),
            inputs=replaced(inputs),
        )

    def why(
        self,
        name: str,
        *,
        at: object = None,
        scenario: str = "base",
        against: str | None = None,
        depth: int = 2,
        by: Literal["year", "period"] = "year",
        inputs: Mapping[str, object] | None = None,
        of: str | None = None,
    ) -> Why:
        """Where a figure comes from: its formula as typed, with the numbers in, and each name in it down to the inputs.

        Args:
            name: a measure, value, line, level, part of a loan, question, or "pays_off".
            at: the period of a line or level to look at, a day, or a text such as "year 3"; left out: the last one.
            scenario, inputs: as in `weigh`. against: another scenario, set beside it.
            depth: how many formulas to go down.
            by: what a figure over time (npv, irr, total…) is told by, besides its lines: every year or every period.
            of: the thing of a set to look at, where the name is worked out for each; left out: all, the largest first.

        >>> deal = Deal.starter("taxi")
        >>> deal.why("hull_paid", at=0).reason.filled
        '420,000'
        """
        chosen = [a_text(scenario, what="scenario")]
        chosen = chosen if against is None else [*chosen, choice(against, self.scenarios, "against")]
        if len(set(chosen)) < len(chosen):
            raise InputError(f"against is '{against}', the scenario that is shown; name another one.", at="against")
        if of is not None:
            name = _name_of_thing(self.definition, a_text(name, what="name"), a_text(of, what="of"))
        weighings = {one: self.weigh(one, inputs=inputs) for one in chosen}
        period = None if at is None else read_period(self.definition, at, "at", first_of_year=False)
        by_period = choice(by, ("year", "period"), "by") == "period"
        deep = whole(depth, what="depth", least=0, most=40)
        return why.why(weighings, a_text(name, what="name"), period, deep, by_period=by_period)

    def changes_to(self, newer: Deal, scenario: str = "base") -> Changes:
        """Compare this deal with a newer version of it: inputs, formulas and goals that differ, and what each did.

        Args:
            newer: the other version.
            scenario: both are weighed in it where they have one of that name, else as they stand.

        >>> deal = Deal.starter("taxi")
        >>> deal.changes_to(deal).changes
        ()
        """
        if not isinstance(newer, Deal):
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

        A share is the mean of what a change does over all orders in which the changes may come (Shapley's value), so
        that the shares add up to the difference and hang on no order.

        Args:
            first, second: the scenarios, "base" for the deal as it stands.
            measure: left out: that of the first goal. inputs: as in `weigh`.

        InputError where the measure is undefined on the way, with the reason.

        >>> found = Deal.starter("taxi").bridge("base", "dear_hull", "npv")
        >>> [(step.name, round(step.share, 2)) for step in found.steps]
        [('hull', -33944.65)]
        """
        names = [a_text(one, what=what) for one, what in ((first, "first"), (second, "second"))]
        return bridge.bridge_of_scenarios(
            self._model, names[0], names[1], self._first_measure(measure), replaced(inputs)
        )

    def bridge_to(self, newer: Deal, measure: str | None = None, scenario: str = "base") -> Bridge:
        """What made the difference of a measure between this deal and a newer version of it.

        Each input that differs in its number is a step; a formula that differs is one, too, and what cannot stand
        alone goes together. `newer` is the other version, `measure` and the rest as in `bridge`, `scenario` the one
        in which both are weighed.

        >>> old = Deal.from_dict({"deal": "Kiln", "inputs": {"n": 3}, "measures": {"cost": "8_000 * n"}})
        >>> new = Deal.from_dict({"deal": "Kiln", "inputs": {"n": 4}, "measures": {"cost": "9_000 * n"}})
        >>> [(step.name, step.share) for step in old.bridge_to(new, "cost").steps]
        [('n', 8500.0), ('cost', 3500.0)]
        """
        if not isinstance(newer, Deal):
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

    def turning_points(
        self, scenario: str = "base", *, inputs: Mapping[str, object] | None = None
    ) -> list[TurningPoint]:
        """For every input the value at which the verdict turns when it moves alone.

        `scenario` and `inputs` as in `weigh`.

        >>> deal = Deal.starter("taxi")
        >>> [point.input for point in deal.turning_points() if abs(point.distance or 1) < 0.05]
        ['fare', 'trips']
        """
        return turning_points(self._model, self._model.inputs_of(scenario, replaced(inputs)))

    def _named(self, scenarios: object, usual: list[str]) -> list[str]:
        if scenarios is None:
            return usual
        names = [a_text(one, what="A scenario") for one in a_list(scenarios, what="scenarios", of="their names")]
        if not names:
            raise InputError("scenarios is empty; name at least one.", at="scenarios")
        return list(dict.fromkeys(names))


def _name_of_thing(deal: Definition, name: str, thing: str) -> str:
    """The name of what one thing of a set has."""
    if name not in deal.each or name in deal.loans:
        raise InputError(f"{name} is not worked out for each thing of a set; leave 'of' out.", at="of")
    things = deal.sets[deal.each[name]]
    if thing not in things.places:
        raise InputError(f"of: {things.name} has no '{thing}'{nearest(thing, things.things) or '.'}", at="of")
    return f"{things.name}.{thing}.{name.removeprefix(f'{things.name}.')}"
