"""A sentence of a check that tests nothing and is there to be read."""

from __future__ import annotations

__all__ = ["Remark"]


class Remark(str):
    """What a weighing tells because nobody should miss it: where it stands among checks, it holds.

    >>> Remark("Bank: 3,000.00 is still owed at the end of the timeline.")[:5]
    'Bank:'
    """

    __slots__ = ()
