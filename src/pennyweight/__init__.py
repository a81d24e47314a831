"""Pennyweight weighs deals: does it pay off, by how much, and how wrong may each assumption be.

The public names are imported when they are first used, so that `import pennyweight` costs next to nothing. They stand
once, in the lines of `__init__.pyi` beside this file, where type checkers look for them, too.
"""

from __future__ import annotations

import re
from functools import lru_cache
from importlib import import_module

__version__ = "0.1.0"


@lru_cache(maxsize=1)
def _homes() -> dict[str, str]:
    """Each public name with the module it stands in."""
    with open(f"{__file__.removesuffix('.py')}.pyi", encoding="utf-8") as lines:
        found = re.findall(r"^from (\S+) import (\w+) as \2$", lines.read(), flags=re.MULTILINE)
    return {name: module for module, name in sorted(found, key=lambda one: one[1])}


def __getattr__(name: str) -> object:
    if name == "__all__":
        return sorted(_homes())
    if name not in _homes():
        raise AttributeError(f"module 'pennyweight' has no attribute {name!r}{_hint(name)}")
    found = getattr(import_module(_homes()[name]), name)
    globals()[name] = found
    return found


def _hint(name: str) -> str:
    from pennyweight.errors import nearest

    return "" if name.startswith("_") else nearest(name, _homes())


def __dir__() -> list[str]:
    return [*_homes(), "__version__"]
