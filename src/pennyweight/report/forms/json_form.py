"""JSON with stable keys, for programs."""

from __future__ import annotations

import json
import math
from typing import Any

from pennyweight.report.forms.form import Form, Result, Written, shortened

__all__ = ["FORM", "as_json", "plain_values"]


def as_json(result: Result) -> str:
    """The result as JSON with stable keys; a number that is not finite is null."""
    text = json.dumps(plain_values(result.as_dict()), indent=2, ensure_ascii=False, allow_nan=False) + "\n"
    if text.replace("\n", "").isprintable():
        return text
    # A label may turn the reading direction around or clear a screen; JSON has an escape for each such sign.
    return "".join(mark if mark in "\n" or mark.isprintable() else json.dumps(mark)[1:-1] for mark in text)


def plain_values(value: Any) -> Any:
    """Nested values as JSON can hold them: no NaN, no infinity, no -0.0, no noise of rounding.

    >>> plain_values({"a": [float("nan"), -0.0, 1.5]})
    {'a': [None, 0.0, 1.5]}
    """
    if isinstance(value, dict):
        return {key: plain_values(one) for key, one in value.items()}
    if isinstance(value, list | tuple):
        return [plain_values(one) for one in value]
    if isinstance(value, float):
        return shortened(float(value)) if math.isfinite(value) else None
    return value


def _render(written: Written) -> bytes:
    return as_json(written.result).encode()


def _is_ours(lines: list[str], header: str) -> bool:
    return len(lines) > 1 and lines[0] == "{" and lines[1].startswith('  "format": 1')


FORM = Form(".json", _render, _is_ours, streams=True)
