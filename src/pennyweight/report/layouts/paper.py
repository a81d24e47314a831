"""A PDF: page one for a lender or a partner, then everything; charts are lines, the deal goes along as a file."""

from __future__ import annotations

import json
from io import BytesIO

from pennyweight.documents import Block, Cell, Checks, Column, Figures, Table, Text, Verdict
from pennyweight.documents.handout import Handout
from pennyweight.reading.embedded_files import CARRIED_ID
from pennyweight.reading.text_files import BINARY
from pennyweight.report.cover import MAKER, Cover
from pennyweight.report.layouts.paper_parts import ChartSpace, Layout, place_of

__all__ = ["paper"]

_FURTHER = 6
_WIDE = 9
"""Tables of more columns are dealt out over several."""


def paper(handout: Handout, cover: Cover) -> bytes:
    """The PDF of what is handed over; the same figures give the same file."""
    document = handout.document
    layout = Layout(cover.title or document.title, cover.prepared_by)
    assumed = handout.assumed()
    _first_page(layout, handout, cover, assumed)
    told = _key_figures(document.blocks)
    for block in document.blocks:
        if not isinstance(block, Verdict) and block is not told:
            _add(layout, block)
    rest = document.charts[1:]
    if rest:
        layout.heading("Charts", room=300)
        for chart in rest:
            layout.chart(chart)
    if assumed is not None:
        _add(layout, assumed)
    if cover.carried.files:
        layout.heading("What it was made of")
        layout.paragraph(cover.again or "The files are attached to this PDF.")
        for name, text in cover.carried.files.items():
            if text.count("\n") <= 600 and not text.startswith(BINARY):
                layout.listing(name, text)
    return _with_charts(layout, cover)


def _first_page(layout: Layout, handout: Handout, cover: Cover, assumed: Table | None) -> None:
    """What it is, the verdict, the key figures, what was assumed, and one chart."""
    document = handout.document
    layout.title(cover.logo)
    if document.subtitle:
        layout.paragraph(document.subtitle)
    for block in document.blocks:
        if isinstance(block, Verdict):
            layout.verdict(block)
    key = _key_figures(document.blocks)
    if key is not None:
        layout.table(key, level=None)
    more = _further_figures(document.blocks, key)
    if more is not None:
        layout.table(more, level=None)
    if document.charts:
        layout.chart(document.charts[0], height=190)
    if assumed is not None:
        rows = assumed.rows[: max(layout.rows_left(), 3)]
        left = len(assumed.rows) - len(rows)
        note = f"{left} more stand under Inputs." if left else ""
        layout.table(Table("What is assumed", assumed.columns, rows, note), level=None)
    layout.next_page()


def _key_figures(blocks: tuple[Block, ...]) -> Table | None:
    """The goals when there are some, else the first figures."""
    tables = [block for block in blocks if isinstance(block, Table) and block.rows]
    if tables and tables[0].role == "goals":
        return tables[0]
    figures = next((block for block in blocks if isinstance(block, Figures)), None)
    if figures is None:
        return None
    rows = tuple((Cell(line.label), line.value) for line in figures.lines[:12])
    return Table(figures.title or "Key figures", (Column("Figure", words=True), Column("")), rows)


def _further_figures(blocks: tuple[Block, ...], key: Table | None) -> Table | None:
    """The first figures that are no goals, where goals stand above them."""
    figures = next((block for block in blocks if isinstance(block, Figures)), None)
    if figures is None or key is None or key.role != "goals":
        return None
    lines = [line for line in figures.lines if line.known and not line.goal]
    rows = tuple((Cell(line.label), line.value) for line in lines[:_FURTHER])
    return Table("Key figures", (Column("Figure", words=True), Column("")), rows) if rows else None


def _add(layout: Layout, block: Block) -> None:
    match block:
        case Text():
            layout.paragraph(block.text)
        case Checks():
            layout.heading("Checks")
            for passed, said in block.items:
                layout.paragraph(f"{'✓' if passed else '✗ fails:'} {said}", tone="in" if passed else "out")
        case Figures():
            layout.figures(block)
        case Table():
            _table(layout, block)
        case _:
            pass


def _table(layout: Layout, block: Table, level: int = 0) -> None:
    """A table, in parts that repeat the first column when it has many."""
    count = len(block.columns)
    if count <= _WIDE:
        layout.table(block, level=level)
        return
    for number, first in enumerate(range(1, count, _WIDE - 1)):
        chosen = [0, *range(first, min(first + _WIDE - 1, count))]
        part = Table(
            f"{block.title} (continued)" if number else block.title,
            tuple(block.columns[k] for k in chosen),
            tuple(tuple(row[k] for k in chosen) for row in block.rows),
            block.note if chosen[-1] == count - 1 else "",
        )
        layout.table(part, level=level if not number else None)


def _with_charts(layout: Layout, cover: Cover) -> bytes:
    """The pages with their charts drawn into the spaces left for them, and the carried files attached."""
    from pypdf import PdfReader, PdfWriter, Transformation

    content, spaces = layout.build()
    writer = PdfWriter(clone_from=PdfReader(BytesIO(content)))
    for space in spaces:
        drawn = PdfReader(BytesIO(_drawn(space))).pages[0]
        page, (left, bottom, scale) = writer.pages[space.page], place_of(space, drawn)
        page.merge_transformed_page(drawn, Transformation().scale(scale).translate(left, bottom))
    for page in writer.pages:
        page.compress_content_streams()
    files = cover.carried.files
    if files:
        writer.add_attachment(CARRIED_ID, json.dumps(list(files)).encode())
        for name, text in files.items():
            writer.add_attachment(name, text.encode())
    writer.add_metadata(
        {
            "/Title": layout.name,
            "/Author": cover.prepared_by,
            "/Producer": MAKER,
            "/Creator": MAKER,
            "/CreationDate": "D:20000101000000Z",
            "/ModDate": "D:20000101000000Z",
        }
    )
    target = BytesIO()
    writer.write(target)
    return target.getvalue()


def _drawn(space: ChartSpace) -> bytes:
    from matplotlib import rc_context

    from pennyweight.report.charts.figure import figure

    target = BytesIO()
    with rc_context({"pdf.fonttype": 42}):
        figure(space.chart, width=10.0, height=10.0 * space.height / space.width).savefig(
            target, format="pdf", metadata={"CreationDate": None, "Creator": MAKER, "Producer": MAKER}
        )
    return target.getvalue()
