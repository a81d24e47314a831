"""A PDF: page one for whoever decides, then everything; charts are lines, the deal goes along as a file."""

from __future__ import annotations

import json
from io import BytesIO

from pennyweight.documents import Block, Checks, Figures, Table, Text, Verdict
from pennyweight.documents.handout import Handout
from pennyweight.reading.embedded_files import CARRIED_ID
from pennyweight.reading.text_files import BINARY
from pennyweight.report.cover import MAKER, Cover
from pennyweight.report.layouts.paper_parts import ChartSpace, Layout, place_of

__all__ = ["paper"]

_WIDE = 9
"""Tables of more columns are dealt out over several."""
_LISTED = 600
"""Files of more lines are attached, and not printed."""


def paper(handout: Handout, cover: Cover) -> bytes:
    """The PDF of what is handed over; the same figures give the same file."""
    document, first, assumed = handout.document, handout.page_one, handout.assumed()
    layout = Layout(cover.title or document.title, cover.by)
    _page_one(layout, handout, cover, assumed)
    for block in first.rest(document):
        _add(layout, block)
    rest = document.charts[1:]
    if rest:
        layout.heading("More charts", room=300)
        for chart in rest:
            layout.chart(chart)
    for table in handout.whole():
        _table(layout, table)
    if assumed is not None and assumed is not first.given:
        _add(layout, assumed)
    files = cover.carried.files
    if files and cover.source_shown:
        layout.heading("What it was made of")
        layout.paragraph(cover.again or "The files are attached to this PDF.")
        for name, text in files.items():
            if text.count("\n") <= _LISTED and not text.startswith(BINARY):
                layout.listing(name, text)
    return _with_charts(layout, cover)


def _page_one(layout: Layout, handout: Handout, cover: Cover, assumed: Table | None) -> None:
    """What came out, the key figures, one chart, and what was put in; what comes after goes on below it."""
    document, first = handout.document, handout.page_one
    layout.title(cover.logo)
    if document.subtitle:
        layout.paragraph(document.subtitle)
    if document.headline:
        layout.headline(document.headline)
    for block in first.blocks:
        if isinstance(block, Verdict):
            layout.verdict(block)
        elif isinstance(block, Table):
            layout.table(block, level=None)
        else:
            _add(layout, block)
    if first.figures:
        layout.key_figures(first.figures)
    if document.charts:
        layout.chart(document.charts[0], height=190)
    given = first.given
    if given is None:
        return
    if assumed is None or assumed is given:
        layout.table(given, level=None)
        return
    every, title = len(assumed.rows), assumed.title
    layout.last_table(given, lambda left: f"{every - len(given.rows) + left} more stand under {title}.")


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
    day = f"D:{cover.made.isoformat().replace('-', '')}000000Z"
    writer.add_metadata(
        {
            "/Title": layout.name,
            "/Author": cover.prepared_by,
            "/Producer": MAKER,
            "/Creator": MAKER,
            "/CreationDate": day,
            "/ModDate": day,
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
