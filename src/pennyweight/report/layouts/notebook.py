"""A page as one element, for a notebook: the same parts as on the page that is handed over, without a script."""

from __future__ import annotations

from hashlib import sha256
from typing import Any

from pennyweight.documents import Document
from pennyweight.plain_text import kept_together
from pennyweight.report.layouts.views import Marks, Places, chart_view, opening, section, template, text_of

__all__ = ["fragment"]


def fragment(document: Document) -> str:
    """The page of a document with its first chart as one <div>; what opens, opens without a script.

    >>> fragment(Document("A & B", ())).count("A &amp; B")
    1
    """
    own = sha256("\n".join([document.title, document.subtitle, document.headline, str(document.blocks)]).encode())
    marks = Marks(f"of-{own.hexdigest()[:8]}")  # several pages stand in one notebook
    places = Places(marks, folded=True)
    for why, label in opening(document.blocks):
        places.reserve(why, label)
    found: list[dict[str, Any]] = []
    if document.headline:
        found.append(
            {"kind": "headline", "title": "", "id": marks.of("headline"), "text": kept_together(document.headline)}
        )
    found += [section(block, places) for block in document.blocks]
    found += [chart_view(chart, marks) for chart in document.charts[:1]]
    return template("notebook.html").render(
        title=document.title,
        subtitle=document.subtitle,
        sections=found,
        style=text_of("blocks.css") + text_of("notebook.css"),
    )
