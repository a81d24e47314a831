"""A page that stands alone: every style, script and chart inside, nothing asked of the network."""

from __future__ import annotations

from base64 import b64encode
from hashlib import sha256
from typing import Any

from pennyweight.documents.handout import Handout
from pennyweight.plain_text import kept_together
from pennyweight.reading.embedded_files import CARRIED_ID, as_script
from pennyweight.reading.text_files import BINARY
from pennyweight.report.cover import MAKER, Cover
from pennyweight.report.layouts.views import (
    Marks,
    Places,
    chart_view,
    key_view,
    opening,
    section,
    table_view,
    template,
    text_of,
    what_if_view,
)

__all__ = ["page"]


def page(handout: Handout, cover: Cover) -> str:
    """The whole page of what is handed over."""
    document, script = handout.document, text_of("report.js")
    return template("report.html").render(
        lang="en",
        maker=MAKER,
        title=cover.title or document.title,
        subtitle=document.subtitle,
        by=cover.by,
        logo=b64encode(cover.logo).decode(),
        logo_kind=cover.logo_kind,
        sections=_sections(handout, cover),
        style=text_of("blocks.css") + text_of("report.css"),
        script=script,
        script_hash=_hashed(script),
        carried_id=CARRIED_ID,
        carried=as_script(cover.carried) if cover.carried.files else "",
    )


def _sections(handout: Handout, cover: Cover) -> list[dict[str, Any]]:
    """Page one (what came out, the key figures, a chart, what was put in), then all of it, then what it was made of."""
    document, first, marks = handout.document, handout.page_one, Marks()
    places = Places(marks)
    rest = first.rest(document)
    for why, label in opening((*first.blocks, *rest)):
        places.reserve(why, label)
    charts = [chart_view(chart, marks) for chart in document.charts]
    for chart, title in zip(charts, ("Chart", "More charts"), strict=False):
        chart["title"] = title
    found: list[dict[str, Any]] = []
    if document.headline:
        found.append(
            {"kind": "headline", "title": "", "id": marks.of("headline"), "text": kept_together(document.headline)}
        )
    found += [section(block, places) for block in first.blocks]
    if first.figures:
        found.append(key_view(first.figures, places))
    found += charts[:1]
    if first.given is not None:
        found.append(
            {"kind": "table", "id": marks.of(first.given.title), **table_view(first.given, places), "caption": ""}
        )
    moved = handout.what_if()
    if moved is not None:
        found.append(what_if_view(moved, marks))
    found += [section(block, places) for block in rest] + charts[1:]
    whole = handout.whole()
    if whole:
        tables = [table_view(table, None) for table in whole]
        found.append({"kind": "whole", "title": "In full", "id": marks.of("in full"), "tables": tables})
    assumed = handout.assumed()
    if assumed is not None:
        found.append({"kind": "table", "id": marks.of("inputs"), **table_view(assumed, None, sortable=True)})
    if cover.carried.files and cover.source_shown:
        found.append(
            {
                "kind": "files",
                "title": "What it was made of",
                "id": marks.of("files"),
                "again": cover.again,
                "files": [(name, _told(text)) for name, text in cover.carried.files.items()],
            }
        )
    return found


def _hashed(script: str) -> str:
    """The script as the page's policy names it: whatever else got into the page would not run."""
    return b64encode(sha256(script.encode()).digest()).decode()


def _told(text: str) -> str:
    """A file as it is shown: a workbook is no reading."""
    return "A table that is no text; it goes along all the same." if text.startswith(BINARY) else text
