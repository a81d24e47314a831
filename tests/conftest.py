"""Every run tries the same examples, so that green today is green tomorrow; `make whole` and `make thorough` look further."""

from __future__ import annotations

import os

os.environ.pop("COLUMNS", None)  # output that goes to a pipe would heed it

import pytest
from hypothesis import settings

settings.register_profile("the same every time", derandomize=True, deadline=None, database=None)
settings.load_profile("the same every time")


def pytest_addoption(parser: pytest.Parser) -> None:
    """`--tests` says how much of everything is tried, see `tests/sizes.py`."""
    parser.addoption("--tests", default="sample", choices=["sample", "whole", "thorough"], help="how much is tried")


def pytest_configure(config: pytest.Config) -> None:
    """The sizes are read when test modules are imported (`tests.sizes`)."""
    if config.getoption("--tests") != "sample":
        os.environ["PENNYWEIGHT_TESTS"] = config.getoption("--tests")
