"""A long work shows how far it has come, ends with what is done, and says nothing where nobody looks."""

from __future__ import annotations

import io
import sys

import pytest

from pennyweight import Deal
from pennyweight.cli.progress_bar import shown_progress
from pennyweight.progress import listening, tell
from tests.builders import TAXI


class Terminal(io.StringIO):
    """A standard error that is a terminal."""

    def isatty(self) -> bool:
        return True


def interrupted() -> None:
    """Work that is stopped from outside."""
    with shown_progress(patience=60):
        tell("cases", 3, 12)
        raise KeyboardInterrupt


def test_a_bar_is_shown_when_it_takes_long_and_taken_away(monkeypatch: pytest.MonkeyPatch) -> None:
    for patience, shown in ((0.0, True), (60.0, False)):
        terminal = Terminal()
        monkeypatch.setattr(sys, "stderr", terminal)
        with shown_progress(patience=patience):
            tell("cases", 3, 12)
        assert ("3 of 12 cases" in terminal.getvalue()) == shown
    terminal = Terminal()
    monkeypatch.setattr(sys, "stderr", terminal)
    with pytest.raises(KeyboardInterrupt):
        interrupted()
    assert terminal.getvalue() == "Stopped after 3 of 12 cases; nothing was written.\n"
    piped = io.StringIO()
    monkeypatch.setattr(sys, "stderr", piped)
    with shown_progress(patience=0):
        tell("cases", 3, 12)
    assert piped.getvalue() == ""


def test_many_cases_tell_how_far_they_are() -> None:
    heard: list[tuple[str, float, float | None]] = []
    deal = Deal.read(TAXI)
    with listening(lambda *told: heard.append(told)):
        deal.vary({"hull": "380k..500k/100", "hurdle": "6%..14%/100"}, show=["npv"])
        assert list(heard[-1]) == ["cases", 10_000, 10_000]
        assert [done for _, done, _ in heard] == sorted(done for _, done, _ in heard)
        heard.clear()
        deal.weigh().work_out()
    assert {what for what, _, _ in heard} == {"searches for answers and turning points"}
    assert all(done <= (total or 0) for _, done, total in heard)
