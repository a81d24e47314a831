"""A function of Python as it was called."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from pennyweight.analysis.showing import show_base, show_input
from pennyweight.deals.definition import Definition
from pennyweight.deals.parts import PythonFunction

__all__ = ["called_with"]


def called_with(deal: Definition, function: PythonFunction, inputs: Mapping[str, Any]) -> str:
    """The call with the values of its inputs; of a series its ends."""
    told = []
    for name in function.inputs:
        item, value = deal.inputs[name], inputs[name]
        shown = show_input(deal, item, value) if isinstance(value, np.ndarray) else show_base(deal, item, float(value))
        told.append(f"{name} = {shown}")
    return f"{function.name}({', '.join(told)})"
