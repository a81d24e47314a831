"""All measures of cash flows on one page, each undefined one with its reason."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from pennyweight.array_kinds import Floats
from pennyweight.documents.shown import Shown
from pennyweight.errors import NoAnswer
from pennyweight.instruments.flows.account import Account
from pennyweight.instruments.flows.measured_flows import MeasuredFlows, Outlay
from pennyweight.quantities.rates import read_rate

if TYPE_CHECKING:
    import pandas as pd


__all__ = ["FlowsReport", "report"]


@dataclass(frozen=True, eq=False, repr=False)
class FlowsReport(Shown):
    """The measures of some flows at a rate. A measure that is None has its reason in `undefined`.

    Examples
    --------
    >>> from pennyweight import CashFlows
    >>> report = CashFlows([-1_000, 500, 700]).report("7%")
    >>> round(report.measures["npv"], 2), report.undefined
    (78.7, {})
    """

    flows: MeasuredFlows
    rate: float | None
    measures: dict[str, float | None]
    undefined: dict[str, str]
    irrs: tuple[float, ...]
    payback_first: float | None
    factors: Floats | None
    modified_at: tuple[float, float] | None
    account: Account | None
    on: Outlay

    @property
    def frame(self) -> pd.DataFrame:
        """One row a flow, with factor and present value when a rate was given."""
        frame = self.flows.frame.copy()
        if self.factors is not None:
            frame["factor"] = self.factors
            frame["present_value"] = self.factors * self.flows.amounts
        return frame

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON.

        Returns
        -------
        dict[str, Any]
            Plain values for JSON.
        """
        dates = self.flows.dates
        rows = [
            {
                "date" if dates is not None else "period": str(dates[k]) if dates is not None else k,
                "years": float(self.flows.times[k]),
                "amount": float(amount),
                **({} if self.factors is None else {"factor": float(self.factors[k])}),
            }
            for k, amount in enumerate(self.flows.amounts)
        ]
        return {
            "format": 1,
            "rate": self.rate,
            **self.measures,
            "irrs": list(self.irrs),
            "payback_first_crossing": self.payback_first,
            "outlays": self.on,
            "gain": self.flows.money_in - self.flows.money_out,
            "span": float(self.flows.times[-1]),
            "account": None if self.account is None else {**self.account._asdict(), "ahead": self.account.ahead},
            "undefined": self.undefined,
            "flows": rows,
        }


def report(
    flows: MeasuredFlows,
    rate: str | float | None,
    *,
    reinvested_at: str | float | None,
    borrowed_at: str | float | None,
    account: Account | None,
    on: Outlay,
) -> FlowsReport:
    """Work out every measure; see `CashFlows.report`."""
    at = None if rate is None else read_rate(rate).effective()
    reinvested = at if reinvested_at is None else read_rate(reinvested_at, what="reinvested_at").effective()
    borrowed = at if borrowed_at is None else read_rate(borrowed_at, what="borrowed_at").effective()
    asked: dict[str, Callable[[], float]] = {
        "irr": flows.irr,
        "payback": flows.payback,
        "roi": lambda: flows.roi(on=on),
    }
    modified_at = None
    if reinvested is not None and borrowed is not None:
        modified_at = (reinvested, borrowed)
        asked["modified_irr"] = lambda: flows.modified_irr(reinvested_at=reinvested, borrowed_at=borrowed)
    if at is not None:
        asked["npv"] = lambda: flows.npv(at)
        asked["discounted_payback"] = lambda: flows.payback(at)
        asked["profitability_index"] = lambda: flows.profitability_index(at, on=on)
        asked["equivalent_annual"] = lambda: flows.equivalent_annual(at)
    span = float(flows.times[-1])
    if 0 < span < 1:
        asked["over_span"] = lambda: (1 + flows.irr()) ** span - 1
    measures: dict[str, float | None] = {"money_in": flows.money_in, "money_out": flows.money_out}
    undefined: dict[str, str] = {}
    for name, compute in asked.items():
        measures[name], reason = _try(compute)
        if reason:
            undefined[name] = reason
    return FlowsReport(
        flows,
        at,
        measures,
        undefined,
        tuple(flows.irrs()),
        _try(lambda: flows.payback(first=True))[0],
        None if at is None else flows.discount_factors(at),
        modified_at,
        account,
        on,
    )


def _try(compute: Callable[[], float]) -> tuple[float | None, str]:
    try:
        return compute(), ""
    except NoAnswer as error:
        return None, str(error)
