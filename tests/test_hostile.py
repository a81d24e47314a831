"""Input that is wrong in every way gets an answer or one sentence; see `tests.hostile`."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from enum import IntEnum
from itertools import product
from typing import Any

import pytest

import pennyweight
from pennyweight.errors import PennyweightError
from tests.hostile import run_case
from tests.hostile_calls import CALLS, WRONG, call_with
from tests.results import RESULTS
from tests.sizes import cases, some

STEP = 50


def is_kind(thing: object) -> bool:
    return isinstance(thing, type) and issubclass(thing, Exception | IntEnum)


@pytest.mark.parametrize("first", range(0, cases(500), STEP))
def test_nothing_but_an_answer_or_a_sentence(first: int) -> None:
    defects = [told for number in range(first, first + STEP) if (told := run_case(number))]
    assert not defects, "\n".join(defects)


@pytest.mark.parametrize(("name", "call", "right"), CALLS, ids=[name for name, _, _ in CALLS])
def test_every_argument_with_every_wrong_value(name: str, call: Callable[..., Any], right: dict[str, Any]) -> None:
    """Chance misses single cells of the table of arguments and values; here is the whole of it."""
    defects = []
    for argument, wrong in some(list(product(right, WRONG)), 7, len(name) % 7):
        with contextlib.suppress(PennyweightError):
            defects.append(call_with(name, call, right, {argument: wrong}))
    assert not any(defects), defects


def test_every_public_name_is_called() -> None:
    called = {name.split(".")[0].split(" ")[0] for name, _, _ in CALLS}
    public = {name: getattr(pennyweight, name) for name in pennyweight.__all__}
    # What a call hands out nobody makes by hand; errors and enumerations neither.
    handed_out = {name for name, thing in public.items() if name in RESULTS or is_kind(thing)}
    assert called >= public.keys() - handed_out
