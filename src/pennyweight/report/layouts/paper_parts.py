"""How the parts of a paper are laid out: styles, tables over pages, page numbers, bookmarks, spaces for charts."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from io import BytesIO
from typing import Any
from xml.sax.saxutils import escape

from pennyweight.documents import Cell, Chart, Column, FigureLine, Figures, Table, Verdict
from pennyweight.documents.palette import INK, PARCHMENT, PEWTER, TEXT
from pennyweight.documents.text import aligned
from pennyweight.plain_text import kept_together
from pennyweight.report.layouts.paper_styles import MONO, SANS, styles

__all__ = ["ChartSpace", "Layout", "place_of"]

_MARGIN = 48.0
_LEAST = 4
"""So many rows of a table that breaks stand together on its last page."""
_ROW = 14.2
"""The height of a row of one line."""
_ABREAST = 4
"""So many key figures stand side by side."""
_TOGETHER = 8
"""Tables of so many rows stay on one page."""


@dataclass
class ChartSpace:
    """Where a chart is to stand: the page (from 0) and the box on it, told when the page is laid out."""

    chart: Chart
    width: float
    height: float
    page: int = -1
    left: float = 0.0
    bottom: float = 0.0


def place_of(space: ChartSpace, drawn: Any) -> tuple[float, float, float]:
    """(left, bottom, scale) that puts a drawn page into its space."""
    return space.left, space.bottom, space.width / float(drawn.mediabox.width)


class Layout:
    """A paper in the making."""

    def __init__(self, name: str, by: str) -> None:
        from reportlab.lib.pagesizes import A4

        self.name, self.by = name, by
        self.size: tuple[float, float] = A4
        self.width = A4[0] - 2 * _MARGIN
        self.parts: list[Any] = []
        self.spaces: list[ChartSpace] = []
        self.marks = 0
        self.styles = styles()

    def title(self, logo: bytes) -> None:
        """The heading of page one, a picture at its right."""
        from reportlab.lib.utils import ImageReader
        from reportlab.platypus import Image, Paragraph
        from reportlab.platypus import Table as PaperTable

        heads: list[Any] = [Paragraph(_text(self.name), self.styles["title"])]
        if self.by:
            heads.append(Paragraph(_text(self.by), self.styles["note"]))
        if not logo:
            self.parts += heads
            return
        wide, high = ImageReader(BytesIO(logo)).getSize()
        scale = min(110 / wide, 52 / high)
        picture = Image(BytesIO(logo), wide * scale, high * scale)
        row = PaperTable([[heads, picture]], colWidths=[self.width - 120, 120])
        row.setStyle(
            [
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
                ("ALIGN", (1, 0), (1, 0), "RIGHT"),
                ("LEFTPADDING", (0, 0), (-1, -1), 0),
                ("RIGHTPADDING", (0, 0), (-1, -1), 0),
            ]
        )
        self.parts.append(row)

    def heading(self, text: str, level: int = 0, room: float = 72.0) -> None:
        """A heading with a bookmark, on a page that has room for what follows."""
        from reportlab.platypus import CondPageBreak, Paragraph

        self.marks += 1
        self.parts.append(CondPageBreak(room))
        made = Paragraph(_text(text), self.styles["heading" if level == 0 else "small heading"])
        setattr(made, "bookmark", (f"part{self.marks}", text, level))  # noqa: B010 - read when it is laid out
        self.parts.append(made)

    def paragraph(self, text: str, tone: str = "plain") -> None:
        """A paragraph."""
        from reportlab.platypus import Paragraph

        mark = f'<font color="{TEXT[tone]}">{_text(text[:2])}</font>' if tone != "plain" else ""
        self.parts.append(Paragraph(mark + _text(text[2:] if mark else text), self.styles["body"]))

    def headline(self, text: str) -> None:
        """What came out, in a sentence."""
        from reportlab.platypus import Paragraph

        self.parts.append(Paragraph(_text(kept_together(text)), self.styles["headline"]))

    def key_figures(self, lines: tuple[FigureLine, ...]) -> None:
        """The key figures side by side: what each is called, its value, and what is to be known about it."""
        from reportlab.platypus import Paragraph, Spacer
        from reportlab.platypus import Table as PaperTable

        cells = []
        for line in lines:
            color = INK if line.value.tone == "plain" else TEXT[line.value.tone]
            cell = [
                Paragraph(_text(line.label), self.styles["head"]),
                Paragraph(f'<font color="{color}">{_text(kept_together(line.value.text))}</font>', self.styles["key"]),
            ]
            cells.append(cell + ([Paragraph(_text(line.note), self.styles["small"])] if line.note else []))
        rows = [cells[k : k + _ABREAST] for k in range(0, len(cells), _ABREAST)]
        rows[-1] += [[]] * (_ABREAST - len(rows[-1]))
        made = PaperTable(rows, colWidths=[self.width / _ABREAST] * _ABREAST, hAlign="LEFT")
        rules = [
            ("LINEBEFORE", (k % _ABREAST, k // _ABREAST), (k % _ABREAST, k // _ABREAST), 1.2, PEWTER)
            for k in range(len(cells))
        ]
        made.setStyle([("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), 6), *rules])
        self.parts += [Spacer(0, 4), made, Spacer(0, 8)]

    def verdict(self, block: Verdict) -> None:
        """The finding, in a box."""
        from reportlab.platypus import Paragraph, Spacer
        from reportlab.platypus import Table as PaperTable

        word = Paragraph(_text(block.word), self.styles["word"])
        row = PaperTable(
            [[word, Paragraph(_text(kept_together(block.sentence)), self.styles["body"])]],
            colWidths=[118, self.width - 118],
        )
        row.setStyle(
            [
                ("BACKGROUND", (0, 0), (0, 0), TEXT[block.tone]),
                ("BACKGROUND", (1, 0), (1, 0), PARCHMENT),
                ("VALIGN", (0, 0), (-1, -1), "MIDDLE"),
                ("TOPPADDING", (0, 0), (-1, -1), 6),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 7),
            ]
        )
        self.parts += [Spacer(0, 6), row, Spacer(0, 6)]

    def figures(self, block: Figures) -> None:
        """A list of figures with what is to be known about each."""
        rows = tuple((Cell(line.label), line.value, Cell(line.note, "comparison")) for line in block.lines)
        columns = (Column("Figure", words=True), Column(""), Column("How", words=True))
        self.table(Table(block.title or "Figures", columns, rows), level=0)

    def table(self, block: Table, *, level: int | None, columns: int = 0) -> None:
        """A table under its heading; it breaks over pages and repeats its head. `columns` is how many are shown."""
        from reportlab.platypus import KeepTogether, Paragraph, Spacer
        from reportlab.platypus import Table as PaperTable

        before = len(self.parts)
        if block.title and level is not None:
            self.heading(block.title, level)
        elif block.title:
            self.parts.append(Paragraph(_text(block.title), self.styles["small heading"]))
        count = columns or len(block.columns)
        shown = [
            None if block.columns[k].words else aligned([row[k].text for row in block.rows], words=False)
            for k in range(count)
        ]
        head = [
            Paragraph(_text(column.title), self.styles["head" if column.words else "head right"])
            for column in block.columns[:count]
        ]
        body = [
            [self.cell(row[k], None if own is None else own[n]) for k, own in enumerate(shown)]
            for n, row in enumerate(block.rows)
        ]

        class Rows(PaperTable):
            """A table of which no page gets a row or two alone."""

            def split(self, width: float, height: float) -> list[Any]:
                parts: list[Any] = super().split(width, height)
                alone = len(parts) > 1 and parts[1]._nrows - 1 < _LEAST and len(body) > 2 * _LEAST
                return super().split(width, height - _LEAST * _ROW) if alone else parts

        made = Rows([head, *body], colWidths=self.widths(block, count), repeatRows=1, hAlign="LEFT")
        made.setStyle(
            [
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
                ("LINEBELOW", (0, 0), (-1, 0), 0.6, PEWTER),
                ("ROWBACKGROUNDS", (0, 1), (-1, -1), ["#FFFFFF", "#F6F3EC"]),
                ("TOPPADDING", (0, 0), (-1, -1), 1.5),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 2.5),
                ("LEFTPADDING", (0, 0), (-1, -1), 3),
                ("RIGHTPADDING", (0, 0), (-1, -1), 3),
            ]
        )
        self.parts.append(made)
        if block.note:
            self.parts.append(Paragraph(_text(block.note), self.styles["note"]))
        if len(block.rows) <= _TOGETHER:
            self.parts[before:] = [KeepTogether(self.parts[before:])]
        self.parts.append(Spacer(0, 8))

    def cell(self, cell: Cell, figure: str | None) -> Any:
        """A cell of words that wrap, or of a figure that never does."""
        from reportlab.platypus import Paragraph

        color = "" if cell.tone == "plain" else TEXT[cell.tone]
        text = _text(cell.text if figure is None else figure)
        if figure is not None:
            text = text.replace(" ", "\u00a0")
        elif cell.text.startswith(" "):
            text = "\u00a0" * (len(cell.text) - len(cell.text.lstrip())) + _text(cell.text.lstrip())
        text = f'<font color="{color}">{text}</font>' if color else text
        return Paragraph(text, self.styles["cell" if figure is None else "figure"])

    def widths(self, block: Table, count: int) -> list[float]:
        """Widths by what the columns hold: figures whole, the rest shared out among the words."""
        from reportlab.pdfbase.pdfmetrics import stringWidth

        needs, words = [], []
        for k in range(count):
            column, texts = block.columns[k], [row[k].text for row in block.rows]
            if column.words:
                full = max(stringWidth(text, SANS, 7.6) for text in [column.title, *texts]) + 9
                parts = {word for text in [column.title, *texts] for word in text.split()}
                word = max((stringWidth(part, SANS, 7.6) for part in parts), default=0.0)
                needs.append(min(full, word + 9, 150.0))
                words.append(full)
            else:
                padded = aligned(texts, words=False)
                title = max((stringWidth(part, SANS, 7.2) for part in column.title.split()), default=0.0)
                need = max(stringWidth(max(padded, key=len, default=""), MONO, 7.2), title) + 8
                needs.append(need)
                words.append(min(max(stringWidth(column.title, SANS, 7.2) + 8, need), 150.0))
        room = self.width - sum(needs)
        wishes = [max(full - need, 0.0) if full else 0.0 for full, need in zip(words, needs, strict=True)]
        share = min(1.0, room / sum(wishes)) if room > 0 and sum(wishes) > 0 else 0.0
        found = [need + wish * share for need, wish in zip(needs, wishes, strict=True)]
        if sum(found) > self.width:
            found = [width * self.width / sum(found) for width in found]
        return found

    def chart(self, chart: Chart, height: float = 255.0) -> None:
        """A space for a chart; it is drawn there when all pages are laid out."""
        from reportlab.platypus import Flowable, Spacer

        space = ChartSpace(chart, self.width, height)
        self.spaces.append(space)

        class Space(Flowable):
            def wrap(self, *_: Any) -> tuple[float, float]:
                return space.width, space.height

            def draw(self) -> None:
                space.page = self.canv.getPageNumber() - 1
                space.left, space.bottom = self.canv.absolutePosition(0, 0)

        self.parts += [Space(), Spacer(0, 8)]

    def listing(self, name: str, text: str) -> None:
        """A file, as it is written."""
        from reportlab.platypus import Paragraph, Preformatted

        self.parts.append(Paragraph(_text(name), self.styles["small heading"]))
        lines = [line[k : k + 128] for line in text.rstrip().split("\n") for k in range(0, max(len(line), 1), 128)]
        for first in range(0, len(lines), 60):
            self.parts.append(Preformatted("\n".join(lines[first : first + 60]), self.styles["listing"]))

    def last_table(self, block: Table, left_out: Callable[[int], str], least: int = 3) -> None:
        """A table with as many of its rows as this first page has room for; `left_out` says how many it has not."""
        before, every = len(self.parts), len(block.rows)
        for count in range(every, min(least, every) - 1, -1):
            del self.parts[before:]
            note = left_out(every - count) if count < every else block.note
            self.table(replace(block, rows=block.rows[:count], note=note), level=None)
            if self.height() <= self.size[1] - 2 * _MARGIN:
                return

    def height(self) -> float:
        """How high all parts are, one below the other."""
        from reportlab.pdfgen.canvas import Canvas

        measured = Canvas(BytesIO())
        return float(
            sum(
                part.wrapOn(measured, self.width, 10_000)[1] + part.getSpaceBefore() + part.getSpaceAfter()
                for kept in self.parts
                for part in getattr(kept, "_content", [kept])  # what is kept together says nothing of its height
            )
        )

    def build(self) -> tuple[bytes, list[ChartSpace]]:
        """The pages without their charts, and where these stand."""
        from reportlab.platypus import BaseDocTemplate, Frame, PageTemplate, Spacer

        while self.parts and isinstance(self.parts[-1], Spacer):  # it would begin a page of nothing
            self.parts.pop()
        layout, target = self, BytesIO()

        class Paper(BaseDocTemplate):
            def afterFlowable(self, part: Any) -> None:  # noqa: N802 - the name the library calls
                mark = getattr(part, "bookmark", None)
                if mark is not None:
                    self.canv.bookmarkPage(mark[0])
                    self.canv.addOutlineEntry(mark[1], mark[0], mark[2], closed=mark[2] == 0)

        made = Paper(
            target,
            pagesize=self.size,
            title=self.name,
            invariant=1,
            leftMargin=_MARGIN,
            rightMargin=_MARGIN,
            topMargin=_MARGIN,
            bottomMargin=_MARGIN,
        )
        frame = Frame(_MARGIN, _MARGIN, self.width, self.size[1] - 2 * _MARGIN, 0, 0, 0, 0)
        made.addPageTemplates([PageTemplate(frames=[frame])])
        made.build(self.parts, canvasmaker=_numbered(layout.name, self.size[0]))
        return target.getvalue(), self.spaces


def _numbered(name: str, width: float) -> Any:
    """A canvas that writes "Page 2 of 7" when it knows how many there are."""
    from reportlab.pdfgen.canvas import Canvas

    class Numbered(Canvas):
        def __init__(self, *given: Any, **more: Any) -> None:
            super().__init__(*given, **more)
            self.kept: list[dict[str, Any]] = []

        def showPage(self) -> None:  # noqa: N802 - the name the library calls
            self.kept.append(dict(self.__dict__))
            self._startPage()  # type: ignore[attr-defined]

        def save(self) -> None:
            for number, page in enumerate(self.kept, start=1):
                self.__dict__.update(page)
                self.setFont(SANS, 7.5)
                self.setFillColor(TEXT["comparison"])
                self.drawString(_MARGIN, 28, name[:90])
                self.drawRightString(width - _MARGIN, 28, f"Page {number} of {len(self.kept)}")
                super().showPage()
            super().save()

    return Numbered


def _text(text: str) -> str:
    """Text as text: no markup, and no sign the font lacks."""
    return escape(text)
