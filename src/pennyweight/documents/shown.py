"""What every result can do: print itself, and show itself in a notebook."""

from __future__ import annotations

from abc import ABC, abstractmethod

from pennyweight.described import Described
from pennyweight.documents import html, text
from pennyweight.documents.handout import Handout, sheets_of
from pennyweight.documents.model import Document

__all__ = ["Shown"]


class Shown(Described, ABC):
    """A result that describes itself as a document."""

    @abstractmethod
    def document(self) -> Document:
        """The result as headings, figures, tables and charts, for any renderer."""

    def handout(self, document: Document | None = None) -> Handout:
        """The result as it is handed over: on paper, as a page, as a workbook.

        `document` is its page, when another one than usual is wanted.

        >>> from pennyweight import rate_facts
        >>> rate_facts("6%").handout().document.title
        'The rate 6%'
        """
        frames = getattr(self, "frames", None)
        return Handout(
            document or self.document(),
            sheets=lambda: sheets_of(frames if isinstance(frames, dict) else {"table": self.frame}),  # type: ignore[attr-defined]
        )

    def __str__(self) -> str:
        return text.render(self.document())

    def _repr_html_(self) -> str:
        return html.render(self.document())
