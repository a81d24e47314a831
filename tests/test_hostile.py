"""Input that is wrong in every way gets an answer or one sentence; see `tests.hostile`."""

from __future__ import annotations

import pytest

import pennyweight
from tests.hostile import CASES, run_case
from tests.hostile_calls import CALLS

STEP = 100


@pytest.mark.parametrize("first", range(0, CASES, STEP))
def test_nothing_but_an_answer_or_a_sentence(first: int) -> None:
    defects = [told for number in range(first, first + STEP) if (told := run_case(number))]
    assert not defects, "\n".join(defects)


def test_every_public_name_is_called() -> None:
    called = {name.split(".")[0].split(" ")[0] for name, _, _ in CALLS}
    kinds = {"InputError", "NoAnswer", "PennyweightError", "SeveralAnswers", "IrrOutcome", "IrrOutcomes", "KnownRate"}
    assert called >= set(pennyweight.__all__) - kinds
