"""Names offered by the shell as one types: those of the deal on the line, read from its file alone."""

from __future__ import annotations

import os
import tomllib
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import click
from click.shell_completion import CompletionItem

__all__ = ["figures", "inputs", "inputs_to_set", "lines", "scenarios", "whatever"]

_FIGURES = ("measures", "values", "questions")
_OVER_TIME = ("lines", "levels", "money_in", "money_out")

Completer = Callable[[click.Context, click.Parameter, str], list[CompletionItem]]


def _of(*sections: str, before: tuple[str, ...] = (), after: str = "") -> Completer:
    """What completes a name of some sections of the deal, after names that are always there."""

    def complete(ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
        document = _document(ctx.params.get("deal") or ctx.params.get("deals"))
        found = dict.fromkeys(before, "")
        for section in sections:
            entries = document.get(section)
            if isinstance(entries, Mapping):
                found |= {str(name): _label(entry) for name, entry in entries.items()}
        # Of several names with commas between, the last one is being typed.
        done, comma, typed = incomplete.rpartition(",")
        return [
            CompletionItem(f"{done}{comma}{name}{after}", help=label or None)
            for name, label in found.items()
            if name.startswith(typed)
        ]

    return complete


scenarios = _of("scenarios", before=("base",))
inputs = _of("inputs")
inputs_to_set = _of("inputs", "values", after="=")
figures = _of(*_FIGURES)
lines = _of(*_OVER_TIME)
whatever = _of("inputs", *_FIGURES, *_OVER_TIME, before=("pays_off", "net"))


def _document(given: Any) -> Mapping[str, Any]:
    """What the file says, or nothing where it cannot be read: while one types nobody wants to hear of it."""
    several = list(given) if isinstance(given, tuple | list) else [given] if given else []
    # Behind an option that still waits for its value the arguments are not read; the shell hands its words over, too.
    several += [word.strip("'\"") for word in os.environ.get("COMP_WORDS", "").split() if ".toml" in word]
    for path in several:
        try:
            return tomllib.loads(Path(path).read_text(encoding="utf-8"))
        except (OSError, TypeError, ValueError):
            continue
    return {}


def _label(entry: Any) -> str:
    label = entry.get("label") if isinstance(entry, Mapping) else None
    return label if isinstance(label, str) else ""
