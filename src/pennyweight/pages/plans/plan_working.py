"""The page of the working of a pot or a debt."""

from __future__ import annotations

from pennyweight.documents import Document
from pennyweight.instruments.plans.plan import PlanWorking
from pennyweight.pages.plans.step_by_step import working_blocks

__all__ = ["document"]


def document(working: PlanWorking) -> Document:
    """The plan's page with its working below."""
    page = working.plan.document()
    return Document(page.title, (*page.blocks, *working_blocks(working)))
