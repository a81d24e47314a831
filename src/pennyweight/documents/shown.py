"""What every result can do: print itself, show itself in a notebook, and be handed over."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from math import isfinite
from pathlib import Path
from typing import Any

from pennyweight.described import Described
from pennyweight.documents import text
from pennyweight.documents.drawing import draw, notebook_page, write_file
from pennyweight.documents.handout import Handout, sheets_of
from pennyweight.documents.model import Document
from pennyweight.documents.paging import page_of
from pennyweight.errors import InputError
from pennyweight.quantities.argument_checks import a_flag, a_path, a_text
from pennyweight.quantities.dates import read_date
from pennyweight.quantities.numbers import whole

__all__ = ["Shown"]


class Shown(Described):
    """A result that has a page."""

    def __init_subclass__(cls, **more: Any) -> None:
        """No result hands not-a-number to programs: what is undefined is None, in JSON null."""
        super().__init_subclass__(**more)
        if "as_dict" in cls.__dict__:
            cls.as_dict = _without_nan(cls.__dict__["as_dict"])  # type: ignore[attr-defined]

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

    def write(
        self,
        path: str | Path,
        *,
        title: str = "",
        prepared_by: str = "",
        dated: object = None,
        replace: bool = False,
    ) -> None:
        """Write the result to a file, whole or not at all; its ending picks the form.

        Parameters
        ----------
        path : str | Path
            The file: .pdf, .html and .xlsx are reports, .png and .svg the charts, .csv, .json and .txt the figures.
        title, prepared_by : str
            What page one of a report says.
        dated : day, optional
            The day that a report says it was made; without it none, so that the same figures give the same file.
        replace : bool, default False
            Whether a file that Pennyweight has not written may be replaced; one that it has written always is.

        Raises
        ------
        InputError
            For an ending of no form, a file that is there already, charts where there are none, and words of page one
            for a form that has none.

        Examples
        --------
        >>> import tempfile, pathlib
        >>> from pennyweight import Loan
        >>> with tempfile.TemporaryDirectory() as folder:
        ...     Loan(1_000, "6%", years=1).write(f"{folder}/loan.json")
        ...     (pathlib.Path(folder) / "loan.json").exists()
        True
        """
        write_file(
            self,
            a_path(path),
            title=a_text(title, what="title"),
            prepared_by=a_text(prepared_by, what="prepared_by"),
            dated=None if dated is None else read_date(dated, what="dated").astype(object),
            replace=a_flag(replace, what="replace"),
        )

    def _for_csv(self) -> Any:
        """The table that CSV shows."""
        return self.frame  # type: ignore[attr-defined]

    def __str__(self) -> str:
        return text.render(self.document())

    def _repr_html_(self) -> str:
        return notebook_page(self.document())


def _without_nan(as_dict: Callable[..., dict[str, Any]]) -> Callable[..., dict[str, Any]]:
    @wraps(as_dict)
    def plain(*arguments: Any, **named: Any) -> dict[str, Any]:
        found: dict[str, Any] = _defined(as_dict(*arguments, **named))
        return found

    return plain


def _defined(value: Any) -> Any:
    if isinstance(value, dict):
        return {key: _defined(one) for key, one in value.items()}
    if isinstance(value, list):
        return [_defined(one) for one in value]
    return None if isinstance(value, float) and not isfinite(value) else value
