"""What every result can do: print itself, and show itself in a notebook."""

from __future__ import annotations

from abc import ABC, abstractmethod

from pennyweight.described import Described
from pennyweight.documents import html, text
from pennyweight.documents.model import Document

__all__ = ["Shown"]


class Shown(Described, ABC):
    """A result that describes itself as a document."""

    @abstractmethod
    def document(self) -> Document:
        """The result as headings, figures, tables and charts, for any renderer."""

    def __str__(self) -> str:
        return text.render(self.document())

    def _repr_html_(self) -> str:
        return html.render(self.document())
