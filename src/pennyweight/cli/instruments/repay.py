"""`pennyweight repay`"""

from __future__ import annotations

from pennyweight.cli.instruments.plans import plan_command
from pennyweight.instruments.plans.plan_terms import REPAY
from pennyweight.instruments.plans.plans import repay

__all__ = ["command"]

_TEXT = """Paying down a debt: find its payment, or what is owed, the rate, the years or what is still owed.

Example: pennyweight repay --owed 250k --rate 4.2% --years 25 --working
"""

command = plan_command(REPAY, repay, _TEXT)
