"""What may come of a deal, and what drives it: the part of the public deal that draws its inputs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

from pennyweight.analysis.cases import Model
from pennyweight.analysis.driving import drivers
from pennyweight.analysis.driving.drivers import Drivers
from pennyweight.analysis.simulating import simulation
from pennyweight.analysis.simulating.simulation import Simulation
from pennyweight.documents.shown import Shown
from pennyweight.errors import InputError
from pennyweight.quantities.amounts import read_amount
from pennyweight.quantities.argument_checks import a_list, a_mapping, a_text
from pennyweight.quantities.numbers import whole
from pennyweight.quantities.units import read_value

if TYPE_CHECKING:
    from distributed import Client

__all__ = ["WhatMayCome", "replaced"]


class WhatMayCome(Shown):
    """A deal whose inputs may be drawn."""

    _model: Model

    def simulate(
        self,
        cases: int | str = simulation.USUAL,
        *,
        seed: int = 1,
        plain: bool = False,
        until: float | str | None = None,
        hold: str | Sequence[str] = (),
        only: str | Sequence[str] = (),
        show: str | Sequence[str] = (),
        fan: str | Sequence[str] = (),
        scenario: str = "base",
        inputs: Mapping[str, object] | None = None,
        on: str | Client | None = None,
    ) -> Simulation:
        """Draw uncertain inputs many times: the chance that the deal pays off, and how its measures fall.

        Parameters
        ----------
        cases : int | str, default simulation.USUAL
            How many, a number or a text such as "1mn"; it is rounded up to 16 times a power of two.
        seed : int, default 1
            Another one draws other cases.
        plain : bool, default False
            Draw plain numbers instead of evenly spread points.
        until : float | str | None, optional
            Go on until the chance of the verdict is known so well, such as "0.5%".
        hold, only : str | Sequence[str]
            Inputs to leave as they stand, or the only ones to draw.
        show : str | Sequence[str], optional
            The measures; left out: all.
        fan : str | Sequence[str], optional
            Lines or levels whose percentiles are kept in every period.
        scenario, inputs
            As in `weigh`.
        on : str | Client | None, optional
            A Dask cluster that does the work, by its address ("tcp://10.0.0.5:8786") or a client of `distributed`; the
            figures are the same to the last bit, where processors are of one kind.

        Notes
        -----
        Inputs that say `uncertain` are drawn; where none does, those with a low and a high, as triangles about the
        value. Decisions, facts, what the scenario sets and what is given in `inputs` are held.

        Examples
        --------
        >>> from pennyweight import Deal
        >>> deal = Deal.starter("taxi")
        >>> deal.simulate(1_024, hold="bank_share", show="npv").spreads["npv"].defined
        1.0
        """
        count = read_amount(cases, what="cases") if isinstance(cases, str) else cases
        asked = None if until is None else read_value(until, "share", what="until")
        if asked is not None and not 0 < asked < 0.5:
            raise InputError(f"until is {until}; it must be a percentage above 0, such as 0.5%.", at="until")
        if not isinstance(plain, bool):
            raise InputError(f"plain is {plain!r}; it must be true or false.", at="plain")
        return simulation.simulate(
            self._model,
            whole(count, what="cases", least=1, most=2**40),
            seed=whole(seed, what="seed", least=0, most=2**32 - 1),
            plain=plain,
            until=asked,
            hold=_names(hold, "hold"),
            only=_names(only, "only"),
            show=_names(show, "show"),
            fan=_names(fan, "fan"),
            scenario=a_text(scenario, what="scenario"),
            inputs=replaced(inputs),
            on=on,
        )

    def drivers(
        self,
        measure: str | None = None,
        *,
        moved: float | str | None = None,
        cases: int | str = drivers.USUAL,
        seed: int = 1,
        hold: str | Sequence[str] = (),
        only: str | Sequence[str] = (),
        scenario: str = "base",
        inputs: Mapping[str, object] | None = None,
        on: str | Client | None = None,
    ) -> Drivers:
        """Which inputs drive a measure: its swing as each moves alone, and the share of its variance each brings.

        Parameters
        ----------
        measure : str | None, optional
            Its name, or "pays_off" for the verdict; left out: that of the first goal.
        moved : float | str | None, optional
            Move every input by so much of itself, such as "10%", instead of from its low to its high.
        cases : int | str, default drivers.USUAL
            How many points the shares are worked out of; rounded up to 16 times a power of two.
        seed, hold, only, on
            As in `simulate`.
        scenario, inputs
            As in `weigh`.

        Examples
        --------
        >>> from pennyweight import Deal
        >>> found = Deal.starter("taxi").drivers("npv", moved="10%", cases=256)
        >>> found.swings[0].input
        'fare'
        """
        share = None if moved is None else read_value(moved, "share", what="moved")
        if share is not None and not 0 < share <= 1:
            raise InputError(f"moved is {moved}; it must be a percentage above 0, such as 10%.", at="moved")
        count = read_amount(cases, what="cases") if isinstance(cases, str) else cases
        return drivers.drivers(
            self._model,
            None if measure is None else a_text(measure, what="measure"),
            moved=share,
            cases=whole(count, what="cases", least=1, most=2**24),
            seed=whole(seed, what="seed", least=0, most=2**32 - 1),
            hold=_names(hold, "hold"),
            only=_names(only, "only"),
            scenario=a_text(scenario, what="scenario"),
            inputs=replaced(inputs),
            on=on,
        )


def _names(given: object, what: str) -> list[str]:
    """One name or several, each once."""
    several = [given] if isinstance(given, str) else a_list(given, what=what, of="names")
    return list(dict.fromkeys(a_text(one, what=what) for one in several))


def replaced(inputs: object) -> dict[str, Any]:
    """What an asker gives in place of inputs."""
    return a_mapping(inputs, what="inputs", of="values by input")
