"""The one seam through which a result reaches its page: found by its name, and only when asked for.

Results are figures alone, and nothing below the floor of pages imports it. A result of `analysis/varying/` or
`instruments/loans/` has its page in `pages/varying/` or `pages/loans/`, in a module called as its class is: that of a
`LoanStudy` is `pages/loans/loan_study`. It has `document(result)`, and `handout(result, document)` where more than the
usual is handed over.
"""

from __future__ import annotations

import re
from importlib import import_module
from typing import Any

__all__ = ["page_of"]


def page_of(result: object) -> Any:
    """The module that says what a result looks like; that of the nearest class of ours where a class is derived."""
    own = next(kind for kind in type(result).__mro__ if kind.__module__.startswith("pennyweight."))
    rooms = own.__module__.split(".")[2:-1][:1]
    name = re.sub(r"(?<=[a-z])(?=[A-Z])", "_", own.__name__).lower()
    return import_module(".".join(("pennyweight.pages", *rooms, name)))
