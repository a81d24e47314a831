"""A page that stands alone: every style, script and chart inside, nothing asked of the network."""

from __future__ import annotations

import re
from base64 import b64encode
from collections.abc import Iterator
from functools import lru_cache
from hashlib import sha256
from importlib.resources import files
from typing import TYPE_CHECKING, Any

from pennyweight.documents import Block, Cell, Chart, Checks, Document, Figures, Table, Text, Verdict
from pennyweight.documents.derivation import Why
from pennyweight.documents.handout import Handout
from pennyweight.documents.text import aligned, sort_key
from pennyweight.documents.why_table import why_of, why_table
from pennyweight.reading.embedded_files import CARRIED_ID, as_script
from pennyweight.reading.text_files import BINARY
from pennyweight.report.charts.picture import picture
from pennyweight.report.cover import MAKER, Cover

if TYPE_CHECKING:
    from jinja2 import Template

__all__ = ["page"]

_SORTABLE = 3
"""Tables of so many rows and more can be sorted."""


def page(handout: Handout, cover: Cover) -> str:
    """The whole page of what is handed over."""
    document, marks = handout.document, _Marks()
    places = _Places(marks)
    for why, label in _opening(document):
        places.reserve(why, label)
    sections = [_section(block, places) for block in document.blocks]
    charts = [_chart(chart, marks) for chart in document.charts]
    if charts:
        charts[0]["title"] = "Charts" if len(charts) > 1 else "Chart"
    kinds = [one["kind"] for one in sections]
    figures = next((kinds.index(kind) for kind in ("figures", "table") if kind in kinds), len(sections))
    sections[figures + 1 : figures + 1] = charts
    assumed = handout.assumed()
    if assumed is not None:
        sections.append({"kind": "table", "id": marks.of("inputs"), **_table(assumed, None, sortable=True)})
    if cover.carried.files:
        sections.append(
            {
                "kind": "files",
                "title": "What it was made of",
                "id": marks.of("files"),
                "again": cover.again,
                "files": [(name, _told(text)) for name, text in cover.carried.files.items()],
            }
        )
    script = _file("report.js")
    return _template("report.html").render(
        lang="en",
        maker=MAKER,
        title=cover.title or document.title,
        subtitle=document.subtitle,
        prepared_by=cover.prepared_by,
        logo=b64encode(cover.logo).decode(),
        logo_kind=cover.logo_kind,
        sections=sections,
        style=_file("report.css"),
        script=script,
        script_hash=_hashed(script),
        carried_id=CARRIED_ID,
        carried=as_script(cover.carried) if cover.carried.files else "",
    )


def _opening(document: Document) -> Iterator[tuple[Why, str]]:
    """Every line and row of the page that opens, in its order, with what it is called."""
    for block in document.blocks:
        if isinstance(block, Figures):
            yield from ((line.why, line.label) for line in block.lines if line.why is not None)
        elif isinstance(block, Table):
            yield from ((why, row[0].text.strip()) for row in block.rows if (why := why_of(row)) is not None)


class _Marks:
    """Names for places of the page, each once."""

    def __init__(self) -> None:
        self.used: set[str] = set()

    def of(self, text: str) -> str:
        plain = re.sub(r"[^a-z0-9]+", "-", text.lower()).strip("-")[:60] or "part"
        name, number = plain, 1
        while name in self.used:
            number += 1
            name = f"{plain}-{number}"
        self.used.add(name)
        return name


class _Places:
    """Where on the page each figure that opens stands; what is told twice (the same line in a later table) "
    "opens once."""

    def __init__(self, marks: _Marks) -> None:
        self.marks = marks
        self.of: dict[int, str] = {}
        self.opened: set[int] = set()

    def reserve(self, why: Why, label: str) -> None:
        if id(why) not in self.of:
            self.of[id(why)] = self.marks.of(f"figure {label}")

    def open(self, why: Why) -> str | None:
        """The place of a figure that opens here; None when it has opened before."""
        if id(why) in self.opened:
            return None
        self.opened.add(id(why))
        return self.of[id(why)]


def _section(block: Block, places: _Places) -> dict[str, Any]:
    title, marks = getattr(block, "title", ""), places.marks
    place = marks.of(title or type(block).__name__)
    match block:
        case Verdict():
            return {
                "kind": "verdict",
                "title": "",
                "id": place,
                "word": block.word,
                "sentence": block.sentence,
                "tone": block.tone,
            }
        case Text():
            return {"kind": "text", "title": "", "id": place, "text": block.text, "tone": block.tone}
        case Checks():
            return {"kind": "checks", "id": place, "title": "Checks", "lines": block.items}
        case Figures():
            lines = [
                {
                    "id": (places.open(line.why) if line.why else None) or marks.of(f"figure {line.label}"),
                    "label": line.label,
                    "value": line.value.text,
                    "tone": line.value.tone,
                    "note": line.note,
                    "why": _why(line.why),
                }
                for line in block.lines
            ]
            return {"kind": "figures", "id": place, "title": title or "Figures", "lines": lines}
        case Table():
            return {"kind": "table", "id": place, **_table(block, places, sortable=True)}
        case _:
            return {"kind": "text", "title": "", "id": place, "text": "", "tone": "plain"}


def _why(why: Why | None) -> dict[str, Any] | None:
    return None if why is None else _table(why_table(why), None)


def _table(block: Table, places: _Places | None, *, sortable: bool = False) -> dict[str, Any]:
    """A table; without places it is itself a why, in which nothing opens."""
    columns = [
        None if column.words else aligned([row[k].text for row in block.rows], words=False)
        for k, column in enumerate(block.columns)
    ]
    rows = []
    for n, row in enumerate(block.rows):
        why = None if places is None else why_of(row)
        place = None if places is None or why is None else places.open(why)
        link = places.of[id(why)] if places is not None and why is not None and place is None else None
        cells = [
            _cell(cell, None if own is None else own[n], link if k == 0 else None)
            for k, (cell, own) in enumerate(zip(row, columns, strict=True))
        ]
        rows.append(
            {
                "cells": cells,
                "why": _why(why) if place is not None else None,
                "id": place or "",
            }
        )
    whole = not any(cell.text == "…" for row in block.rows for cell in row)
    return {
        "title": block.title,
        "caption": "" if sortable else block.title,
        "columns": block.columns,
        "rows": rows,
        "note": block.note,
        "sortable": sortable and whole and len(rows) >= _SORTABLE,
        "opens": any(row["why"] for row in rows),
        "how": None if places is None else _why(block.why),
    }


def _cell(cell: Cell, figure: str | None, link: str | None) -> dict[str, Any]:
    kind = "n" if figure is not None else "t" if cell.text.startswith((" ", "└")) else "w"
    return {
        "text": cell.text if figure is None else figure,
        "kind": kind,
        "tone": cell.tone,
        "link": link,
        "key": None if figure is None else sort_key(cell.text),
    }


def _chart(chart: Chart, marks: _Marks) -> dict[str, Any]:
    drawn = picture((chart,), "svg").decode()
    drawn = re.sub(r"<metadata>.*?</metadata>", "", drawn[drawn.index("<svg") :], flags=re.DOTALL)
    drawn = drawn.replace("<svg ", f'<svg role="img" aria-label="{_attribute(chart.title)}" ', 1)
    place = marks.of(f"chart {chart.title}")
    return {"kind": "chart", "id": place, "title": "", "svg": _own_ids(drawn, place), "caption": chart.title}


_IDS = re.compile(r"""\bid="([^"]+)"|(xlink:href|href)="#([^"]+)"|url\(#([^)]+)\)""")


def _own_ids(drawn: str, place: str) -> str:
    """A picture whose names are its own, so that no other picture of the page has the same."""

    def named(match: re.Match[str]) -> str:
        if match[1] is not None:
            return f'id="{place}.{match[1]}"'
        return f'{match[2]}="#{place}.{match[3]}"' if match[3] is not None else f"url(#{place}.{match[4]})"

    return _IDS.sub(named, drawn)


def _hashed(script: str) -> str:
    """The script as the page's policy names it: whatever else got into the page would not run."""
    return b64encode(sha256(script.encode()).digest()).decode()


def _told(text: str) -> str:
    """A file as it is shown: a workbook is no reading."""
    return "A table that is no text; it goes along all the same." if text.startswith(BINARY) else text


def _attribute(text: str) -> str:
    from html import escape

    return escape(text, quote=True)


def _file(name: str) -> str:
    return (files("pennyweight.report.layouts") / "templates" / name).read_text(encoding="utf-8")


@lru_cache(maxsize=1)
def _template(name: str) -> Template:
    from jinja2 import Environment, StrictUndefined

    made = Environment(autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True)
    return made.from_string(_file(name))
