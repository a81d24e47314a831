"""The public deal: read once, asked many times."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar, Literal

from pennyweight.analysis.cases import Model
from pennyweight.analysis.explaining import why
from pennyweight.analysis.explaining.why import Why
from pennyweight.analysis.finding import finding
from pennyweight.analysis.finding.break_even import BreakEven, break_even
from pennyweight.analysis.finding.found import Found
from pennyweight.analysis.from_function import definition_of
from pennyweight.analysis.set_beside import SetBeside
from pennyweight.analysis.varying import variation
from pennyweight.analysis.varying.variation import Variation
from pennyweight.analysis.weighing import weighing
from pennyweight.analysis.weighing.asked_period import read_period
from pennyweight.analysis.weighing.turning import TurningPoint, turning_points
from pennyweight.analysis.weighing.weighing import Weighing
from pennyweight.analysis.what_may_come import replaced
from pennyweight.deals.definition import Definition
from pennyweight.deals.file.sections import define, read_definition
from pennyweight.errors import InputError, choice, nearest
from pennyweight.quantities.argument_checks import a_flag, a_list, a_mapping, a_path, a_text
from pennyweight.quantities.numbers import whole
from pennyweight.reading.embedded_files import MadeWith, made_with, unpacked
from pennyweight.starters.library import LIBRARY

if TYPE_CHECKING:
    from distributed import Client

__all__ = ["Deal"]


class Deal(SetBeside):
    """A deal: what goes in, how the money moves, what must come true. Make one with `read` or `from_dict`;
    `definition` is a deal that was read already.

    Examples
    --------
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
        given: object = definition
        if not isinstance(given, Definition):
            said = f"'{given}'" if isinstance(given, str | Path) else f"a {type(given).__name__}"
            raise InputError(f"Deal is given {said}; read a file with Deal.read(…), a mapping with Deal.from_dict(…).")
        self.definition = definition
        self._model = Model.of(definition)
        self.made_with: MadeWith | None = None
        """Of a deal read out of a report with what it was made, where that was not the deal as it stands."""

    @classmethod
    def read(cls, path: str | Path) -> Deal:
        """Read a deal file.

        Parameters
        ----------
        path : str | Path
            The file, or a report (.html, .pdf, .xlsx) that Pennyweight made of a deal: it carries the deal.

        Returns
        -------
        Deal
            See `Deal` for what it holds.

        Raises
        ------
        InputError
            Says file, line and reason when something in it cannot be right.

        Examples
        --------
        >>> deal = Deal.starter("taxi")
        >>> deal
        Deal('Electric water-taxi for the quay', 12 inputs, 5 scenarios)
        """
        with unpacked(a_path(path)) as file:
            deal = cls(read_definition(file))
            deal.made_with = made_with(file)
            return deal

    @classmethod
    def starter(cls, name: str) -> Deal:
        """Read one of the deals that come with Pennyweight, to try something on it.

        Parameters
        ----------
        name : str
            Its name, as `pennyweight new --list` shows it; InputError for another.

        Returns
        -------
        Deal
            See `Deal` for what it holds.

        Examples
        --------
        >>> Deal.starter("first")
        Deal('A deal of your own', 6 inputs, 1 scenarios)
        """
        deals = {known: one.path for known, one in LIBRARY.items() if not one.is_loan}
        return cls.read(deals[choice(a_text(name, what="name"), tuple(deals), "name")])

    @classmethod
    def from_dict(cls, document: Mapping[str, Any]) -> Deal:
        """A deal given as nested dictionaries, the way its file would say it.

        Parameters
        ----------
        document : Mapping[str, Any]
            Holds the sections of a deal file by name.

        Returns
        -------
        Deal
            See `Deal` for what it holds.

        Raises
        ------
        InputError
            Something given cannot be right; the message names it and says what would be.

        Examples
        --------
        >>> document = {"deal": "Kiln", "measures": {"price": "8_000 * 1.2"}}
        >>> Deal.from_dict(document).weigh().measures["price"].value
        9600.0
        """
        return cls(define(a_mapping(document, what="The deal", of="its parts by name")))

    @classmethod
    def from_function(
        cls,
        function: Callable[..., Mapping[str, Any]],
        inputs: Mapping[str, Any],
        *,
        goals: Mapping[str, Any] | None = None,
        measures: Mapping[str, Any] | None = None,
        lines: Mapping[str, Any] | None = None,
        timeline: Mapping[str, Any] | None = None,
        title: str | None = None,
        each_alone: bool = False,
        **more: Any,
    ) -> Deal:
        """A deal out of a function of yours: every analysis serves it as it serves a file.

        Parameters
        ----------
        function : Callable[..., Mapping[str, Any]]
            Takes the inputs by keyword, numbers or, of series, arrays of (periods + 1,); gives a mapping of figures by
            name: a number is a measure, an array of (periods + 1,) a line. Where it gives the same for arrays of cases
            as case by case it is called once for some thousands; of each such call some cases are tried alone too, and
            where they differ all is worked out case by case, told in a warning. ArithmeticError and ValueError inside
            it mean that its figures are undefined.
        inputs : Mapping[str, Any]
            As under [inputs] of a deal file.
        goals : Mapping[str, Any] | None, optional
            As under [goals].
        measures, lines : Mapping[str, Any] | None
            Unit, label, note of what it gives, by name.
        timeline : Mapping[str, Any] | None, optional
            As under [timeline]; left out, one year a period, one of them.
        title : str | None, optional
            How the deal is called.
        each_alone : bool, optional
            Whether to call it for each case alone, never with arrays of cases.
        more
            Other sections, such as scenarios or questions.

        Returns
        -------
        Deal
            See `Deal` for what it holds.

        Raises
        ------
        InputError
            Where the function does not take an input, or gives what is no figure.

        Examples
        --------
        >>> def kiln(price, sales):
        ...     return {"gain": 3 * sales - price}
        >>> deal = Deal.from_function(kiln, {"price": 9_000, "sales": 4_000}, goals={"gain": {"at_least": 0}})
        >>> deal.weigh().verdict, deal.find("sales", "gain == 0").answers["base"].values
        ('pays off', (3000.0,))
        """
        parts = {"goals": goals, "measures": measures, "lines": lines, "timeline": timeline}
        given = {key: a_mapping(value, what=key, of="entries by name") for key, value in parts.items()}
        named = getattr(function, "__name__", "function").replace("_", " ").capitalize()
        return cls(
            definition_of(
                function,
                a_mapping(inputs, what="inputs", of="entries by name"),
                goals=given["goals"],
                measures=given["measures"],
                each_alone=a_flag(each_alone, what="each_alone"),
                lines=given["lines"],
                timeline=given["timeline"] or {"periods": 1},
                title=named if title is None else a_text(title, what="title"),
                more=more,
            )
        )

    def __repr__(self) -> str:
        deal = self.definition
        return f"Deal({deal.title[:60]!r}, {len(deal.inputs)} inputs, {len(deal.scenarios)} scenarios)"

    @property
    def model(self) -> Model:
        """The compiled deal, for analyses of your own."""
        return self._model

    def weigh(self, scenario: str | None = None, *, inputs: Mapping[str, object] | None = None) -> Weighing:
        """Weigh the deal: figures, goals, verdict, answers, turning points and checks.

        Parameters
        ----------
        scenario : str | None, optional
            "base" or the name of a scenario; left out, the deal as it stands. A deal read out of a report is weighed as
            the report was made, where neither this nor `inputs` is given (`made_with`).
        inputs : Mapping[str, object] | None, optional
            Values in place of the scenario's, as numbers or as an analyst types them ("430k", "9%"); "scale 0.85" and
            "shift 500" work on what stands there.

        Returns
        -------
        Weighing
            See `Weighing` for what it holds.

        Raises
        ------
        InputError
            No such scenario or input, or a value that cannot be right.

        Examples
        --------
        >>> deal = Deal.starter("taxi")
        >>> deal.weigh(inputs={"hull": "scale 1.2"}).verdict
        'nearly'
        """
        if scenario is None and inputs is None and self.made_with is not None:
            scenario, inputs = self.made_with.scenario, self.made_with.inputs
        return weighing.weigh(self._model, "base" if scenario is None else scenario, replaced(inputs))

    def vary(
        self,
        places: Mapping[str, object],
        *,
        show: str | Sequence[str] | None = None,
        scenario: str = "base",
        inputs: Mapping[str, object] | None = None,
        on: str | Client | None = None,
    ) -> Variation:
        """Vary one or two inputs.

        Parameters
        ----------
        places : Mapping[str, object]
            For each input a list of values, or a text: "380k..460k/9" is nine values, both ends in; "6%..12%:1%" goes
            in steps; "7; 8; 9" lists them. A series is varied by multiples of itself.
        show : str | Sequence[str] | None, optional
            The measure, or several; left out: all for one input, the first for two.
        scenario, inputs
            As in `weigh`.
        on : str | Client | None, optional
            A Dask cluster, as in `simulate`.

        Returns
        -------
        Variation
            See `Variation` for what it holds.

        Raises
        ------
        InputError
            Something given cannot be right; the message names it and says what would be.

        Examples
        --------
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
        return variation.vary(self._model, axes, show=shown, scenario=scenario, inputs=replaced(inputs), on=on)

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

        Parameters
        ----------
        name : str
            The input; a series is found by its multiple.
        so_that : str | None, optional
            A condition on measures, such as "npv == 0" or "irr >= hurdle and payback <= 8"; left out: that the deal
            pays off.
        most, least : str | None
            Instead of a condition a figure, such as "irr": find the value at which it is largest, or smallest.
        scenarios : Sequence[str] | None, optional
            Their names; left out: the deal as it stands.
        inputs : Mapping[str, object] | None, optional
            As in `weigh`.
        between : tuple[str | float, str | float] | None, optional
            Where to look; left out: by the input's unit, see `analysis.search.default_range`.

        Returns
        -------
        Found
            See `Found` for what it holds.

        Raises
        ------
        InputError
            Something given cannot be right; the message names it and says what would be.

        Examples
        --------
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

    def break_even(
        self,
        name: str,
        so_that: str | None = None,
        *,
        along: Mapping[str, object],
        scenarios: Sequence[str] | None = None,
        between: tuple[str | float, str | float] | None = None,
        inputs: Mapping[str, object] | None = None,
    ) -> BreakEven:
        """The pairs of two inputs at which a condition just holds: for each value of one those of the other, as lines.

        Parameters
        ----------
        name : str
            The input that is found.
        so_that : str | None, optional
            The condition.
        between : tuple[str | float, str | float] | None, optional
            Where to look, as in `find`.
        along : Mapping[str, object]
            The other input and its range, such as {"grant_share": "0%..30%"}, 25 values unless it says how many.
        scenarios, inputs
            As in `find`.

        Returns
        -------
        BreakEven
            See `BreakEven` for what it holds.

        Raises
        ------
        InputError
            Something given cannot be right; the message names it and says what would be.

        Examples
        --------
        >>> found = Deal.starter("taxi").break_even("hull", "npv == 0", along={"grant_share": "0%..30%/3"})
        >>> len(found.branches), found.branches[0].along.round(2).tolist()
        (1, [0.0, 0.15, 0.3])
        """
        limits = None if between is None else a_list(between, what="between", of="the two ends of a range")
        if limits is not None and len(limits) != 2:
            raise InputError(f"between is {between!r}; it must be the two ends of a range, (low, high).", at="between")
        return break_even(
            self._model,
            a_text(name, what="name"),
            None if so_that is None else a_text(so_that, what="so_that"),
            a_mapping(along, what="along", of="a range by input"),
            scenarios=self._named(scenarios, ["base"]),
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

        Parameters
        ----------
        name : str
            A measure, value, line, level, part of a loan, question, or "pays_off".
        at : optional
            The period of a line or level to look at, a day, or a text such as "year 3"; left out: the last one.
        scenario, inputs
            As in `weigh`.
        against : str | None, optional
            Another scenario, set beside it.
        depth : int, default 2
            How many formulas to go down.
        by : Literal['year', 'period'], default 'year'
            What a figure over time (npv, irr, total…) is told by, besides its lines: every year or every period.
        of : str | None, optional
            The thing of a set to look at, where the name is worked out for each; left out: all, the largest first.

        Returns
        -------
        Why
            See `Why` for what it holds.

        Raises
        ------
        InputError
            Something given cannot be right; the message names it and says what would be.

        Examples
        --------
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

    def turning_points(
        self, scenario: str = "base", *, inputs: Mapping[str, object] | None = None
    ) -> list[TurningPoint]:
        """For every input the value at which the verdict turns when it moves alone.

        Parameters
        ----------
        scenario, inputs
            As in `weigh`.

        Returns
        -------
        list[TurningPoint]
            For every input the value at which the verdict turns when it moves alone.

        Raises
        ------
        InputError
            Something given cannot be right; the message names it and says what would be.

        Examples
        --------
        >>> deal = Deal.starter("taxi")
        >>> [point.input for point in deal.turning_points() if abs(point.distance or 1) < 0.05]
        ['fare', 'trips']
        """
        return turning_points(self._model, self._model.inputs_of(scenario, replaced(inputs)))


def _name_of_thing(deal: Definition, name: str, thing: str) -> str:
    """The name of what one thing of a set has."""
    if name not in deal.each or name in deal.loans:
        raise InputError(f"{name} is not worked out for each thing of a set; leave 'of' out.", at="of")
    things = deal.sets[deal.each[name]]
    if thing not in things.places:
        raise InputError(f"of: {things.name} has no '{thing}'{nearest(thing, things.things) or '.'}", at="of")
    return f"{things.name}.{thing}.{name.removeprefix(f'{things.name}.')}"
