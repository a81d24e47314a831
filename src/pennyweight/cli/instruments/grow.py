"""`pennyweight grow`"""

from __future__ import annotations

from pennyweight.cli.instruments.plans import plan_command
from pennyweight.instruments.plans.plan_terms import GROW
from pennyweight.instruments.plans.plans import grow

__all__ = ["command"]

_TEXT = """Growing a pot: find its closing, or the opening, deposit, rate or years.

Example: pennyweight grow --opening 10k --deposit 200 --per-year month --rate 4.5% --years 12
"""

command = plan_command(GROW, grow, _TEXT)
