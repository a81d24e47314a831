"""Every name of one case worked out: one figure, or one a period; of what each thing of a set has, all of them too."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.deals.compiler.program import each_name
from pennyweight.deals.definition import Definition
from pennyweight.described import FrozenMapping

__all__ = ["Whole", "WorkedOut", "of_each"]


class WorkedOut(FrozenMapping[Floats]):
    """Arrays one case wide, by name. What each thing of a set has stands under "tenants.Bakery.rented" when asked for.

    Under the name itself stands what they come to together.
    """

    def __init__(self, deal: Definition, values: Mapping[str, Floats]) -> None:
        columns = [name for name in values if deal.each.get(name) == name.partition(".")[0]]
        made = dict(values)
        for name in (name for name in columns if each_name(name) not in values):
            table = made[each_name(name)] = values[name]
            known = np.where(np.isfinite(table), table, 0.0)
            count = np.maximum(np.isfinite(table).sum(axis=-1, keepdims=True), 1)
            made[name] = known.sum(axis=-1, keepdims=True) / count
        super().__init__(made)
        self.deal = deal

    def __missing__(self, name: str) -> Floats:
        own = self.deal.own(name)
        if own is None:
            raise KeyError(name)
        things, thing, inner = own
        place = things.places[thing]
        return np.asarray(self[each_name(inner)][..., place : place + 1])

    def __contains__(self, name: object) -> bool:
        return super().__contains__(name) or (isinstance(name, str) and self.deal.own(name) is not None)

    def get(self, name: str, default: Any = None) -> Any:
        """The array, or the default."""
        return self[name] if name in self else default  # noqa: SIM401

    def __reduce__(self) -> tuple[Any, ...]:
        return WorkedOut, (self.deal, dict(self))


class Whole(Mapping[str, Floats]):
    """The same with all things of a set where a name has a value for each."""

    def __init__(self, values: Mapping[str, Floats]) -> None:
        self.values_of = values

    def __getitem__(self, name: str) -> Floats:
        all_of_them = each_name(name)
        return self.values_of[all_of_them if all_of_them in self.values_of else name]

    def __iter__(self) -> Any:
        return iter(self.values_of)

    def __len__(self) -> int:
        return len(self.values_of)


def of_each(values: Mapping[str, Floats], name: str) -> Floats:
    """What each thing has, (things,) or (periods + 1, things)."""
    return values[each_name(name)]
