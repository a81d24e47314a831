"""What every result can do: print itself, show itself in a notebook, and be handed over."""

from __future__ import annotations

from typing import Any

from pennyweight.described import Described
from pennyweight.documents import text
from pennyweight.documents.drawing import draw, notebook_page
from pennyweight.documents.handout import Handout, sheets_of
from pennyweight.documents.model import Document
from pennyweight.documents.paging import page_of
from pennyweight.errors import InputError
from pennyweight.quantities.numbers import whole

__all__ = ["Shown"]


class Shown(Described):
    """A result that has a page."""

    def document(self) -> Document:
        """The result as headings, figures, tables and charts, for any renderer."""
        made: Document = page_of(self).document(self)
        return made

    def handout(self, document: Document | None = None) -> Handout:
        """The result as it is handed over: on paper, as a page, as a workbook.

        `document` is its page, when another one than usual is wanted.

        >>> from pennyweight import rate_facts
        >>> rate_facts("6%").handout().document.title
        'The rate 6%'
        """
        page, shown = page_of(self), document or self.document()
        if hasattr(page, "handout"):
            made: Handout = page.handout(self, shown)
            return made
        frames = getattr(self, "frames", None)
        return Handout(shown, lambda: sheets_of(frames if isinstance(frames, dict) else {"table": self.frame}))  # type: ignore[attr-defined]

    def plot(self, ax: Any = None, *, chart: int = 0, **style: Any) -> Any:
        """Draw one of the result's charts on an axes of Matplotlib and return it; without `ax` on a new figure.

        Parameters
        ----------
        ax : optional
            Where to draw; nothing else is touched.
        chart : int, default 0
            Which of the charts, counted from 0.
        style
            How its lines (of bars alone, its bars) are drawn instead, in words of Matplotlib: color, linewidth,
            linestyle, alpha.

        Raises
        ------
        InputError
            For a chart there is none of, and for a style that these do not have.

        Examples
        --------
        >>> from pennyweight import Loan
        >>> Loan(1_000, "6%", years=1).plot().get_ylabel()
        'Owed'
        """
        charts = self.document().charts
        if not charts:
            raise InputError("There is nothing to draw here: this result has figures and tables alone.", at="chart")
        number = whole(chart, what="chart", least=0, most=len(charts) - 1)
        return draw(charts[number], ax, style)

    def _for_csv(self) -> Any:
        """The table that CSV shows."""
        return self.frame  # type: ignore[attr-defined]

    def __str__(self) -> str:
        return text.render(self.document())

    def _repr_html_(self) -> str:
        return notebook_page(self.document())
