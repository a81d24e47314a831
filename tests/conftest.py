"""Every run tries the same examples, so that green today is green tomorrow; `make thorough` looks further."""

from __future__ import annotations

import os

import pytest
from hypothesis import settings

settings.register_profile("the same every time", derandomize=True, deadline=None, database=None)
settings.load_profile("the same every time")


def pytest_addoption(parser: pytest.Parser) -> None:
    """`--thorough` for every generator at ten times its size."""
    parser.addoption("--thorough", action="store_true", help="every generator at ten times its size")


def pytest_configure(config: pytest.Config) -> None:
    """The sizes are read when test modules are imported (`tests.sizes`)."""
    if config.getoption("--thorough"):
        os.environ["PENNYWEIGHT_THOROUGH"] = "1"
