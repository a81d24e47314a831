"""Small deals for the tests, written as files would say them."""

from __future__ import annotations

import tomllib
from importlib.resources import files
from pathlib import Path
from typing import Any

from pennyweight import Deal

STARTERS = Path(str(files("pennyweight") / "starters"))
TAXI = STARTERS / "taxi" / "taxi.toml"


def deal(measures: dict[str, Any] | None = None, *, period: str = "year", periods: int = 6, **sections: Any) -> Deal:
    """A deal of the given sections on a short timeline."""
    document: dict[str, Any] = {"deal": "Test", "timeline": {"period": period, "periods": periods}}
    document.update(sections)
    document["measures"] = measures or {"everything": "total(net)"}
    return Deal.from_dict(document)


def deal_of(text: str, *, periods: int = 10) -> Deal:
    """A deal of the sections written here, of ten years where they do not say otherwise."""
    document = {"deal": "Test", "timeline": {"period": "year", "periods": periods}, **tomllib.loads(text)}
    return Deal.from_dict(document)


def line(formula: Any, *, periods: int = 6, period: str = "year", inputs: dict[str, Any] | None = None) -> list[float]:
    """The values of one line, given as its formula or its table."""
    made = deal(period=period, periods=periods, inputs=inputs or {}, lines={"x": formula})
    values: list[float] = made.weigh().values["x"].tolist()
    return values


def measure(formula: Any, **sections: Any) -> float | None:
    """The value of one measure."""
    return deal({"m": formula}, **sections).weigh().measures["m"].value


def reason(formula: Any, **sections: Any) -> str:
    """Why one measure is undefined."""
    return deal({"m": formula}, **sections).weigh().measures["m"].reason
