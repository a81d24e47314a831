"""What stands on a page, as its template reads it: blocks, charts and rows as mappings, places with names."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from functools import lru_cache
from html import escape
from importlib.resources import files
from typing import TYPE_CHECKING, Any

from pennyweight.documents import Block, Cell, Chart, Checks, Column, FigureLine, Figures, Table, Text, Verdict
from pennyweight.documents.derivation import Why
from pennyweight.documents.text import aligned, sort_key
from pennyweight.documents.what_if import Assumption, WhatIf
from pennyweight.documents.why_table import why_of, why_table
from pennyweight.plain_text import kept_together
from pennyweight.reading.embedded_files import in_page
from pennyweight.report.charts.picture import picture

if TYPE_CHECKING:
    from jinja2 import Template

__all__ = [
    "Marks",
    "Places",
    "chart_view",
    "key_view",
    "opening",
    "section",
    "table_view",
    "template",
    "text_of",
    "what_if_view",
]

_SORTABLE = 3
"""Tables of so many rows and more can be sorted."""


def opening(blocks: Iterable[Block]) -> Iterator[tuple[Why, str]]:
    """Every line and row that opens, in its order, with what it is called."""
    for block in blocks:
        if isinstance(block, Figures):
            yield from ((line.why, line.label) for line in block.lines if line.why is not None)
        elif isinstance(block, Table):
            yield from ((why, row[0].text.strip()) for row in block.rows if (why := why_of(row)) is not None)


class Marks:
    """Names for places of the page, each once."""

    def __init__(self, own: str = "") -> None:
        self.own, self.used = own, set[str]()

    def of(self, text: str) -> str:
        """A name like the text, that no other place has."""
        plain = re.sub(r"[^a-z0-9]+", "-", f"{self.own} {text}".lower()).strip("-")[:60] or "part"
        name, number = plain, 1
        while name in self.used:
            number += 1
            name = f"{plain}-{number}"
        self.used.add(name)
        return name


class Places:
    """Where on the page each figure that opens stands; what is told twice (the same line in a later table) opens once.

    With `folded` no script turns rows: a table's whys stand together below it.
    """

    def __init__(self, marks: Marks, *, folded: bool = False) -> None:
        self.marks, self.folded = marks, folded
        self.of: dict[int, str] = {}
        self.opened: set[int] = set()

    def reserve(self, why: Why, label: str) -> None:
        """Name the place at which a figure will open."""
        if id(why) not in self.of:
            self.of[id(why)] = self.marks.of(f"figure {label}")

    def open(self, why: Why, label: str) -> str | None:
        """The place of a figure that opens here; None when it has opened before."""
        self.reserve(why, label)
        if id(why) in self.opened:
            return None
        self.opened.add(id(why))
        return self.of[id(why)]


def section(block: Block, places: Places) -> dict[str, Any]:
    """A block as the template reads it."""
    title, marks = getattr(block, "title", ""), places.marks
    place = marks.of(title or type(block).__name__)
    match block:
        case Verdict():
            return {
                "kind": "verdict",
                "title": "",
                "id": place,
                "word": block.word,
                "sentence": kept_together(block.sentence),
                "tone": block.tone,
            }
        case Text():
            return {"kind": "text", "title": "", "id": place, "text": block.text, "tone": block.tone}
        case Checks():
            return {"kind": "checks", "id": place, "title": "Checks", "lines": block.items}
        case Figures():
            lines = [_line(line, places) for line in block.lines]
            return {"kind": "figures", "id": place, "title": title or "Figures", "lines": lines}
        case Table():
            return {"kind": "table", "id": place, **table_view(block, places, sortable=True)}
        case _:
            return {"kind": "text", "title": "", "id": place, "text": "", "tone": "plain"}


def key_view(lines: Iterable[FigureLine], places: Places) -> dict[str, Any]:
    """The key figures: one that opens further down leads there."""
    shown = [_line(line, places, link=line.why is not None and id(line.why) in places.of) for line in lines]
    return {"kind": "key", "title": "", "id": places.marks.of("key figures"), "lines": shown}


def _line(line: FigureLine, places: Places, *, link: bool = False) -> dict[str, Any]:
    place = places.open(line.why, line.label) if line.why and not link else None
    return {
        "id": place or places.marks.of(f"figure {line.label}"),
        "label": line.label,
        "value": line.value.text,
        "tone": line.value.tone,
        "note": line.note,
        "link": places.of[id(line.why)] if line.why and place is None else None,
        "why": _why(line.why) if place is not None else None,
    }


def _why(why: Why | None) -> dict[str, Any] | None:
    return None if why is None else table_view(why_table(why), None)


def table_view(block: Table, places: Places | None, *, sortable: bool = False) -> dict[str, Any]:
    """A table; without places it is itself a why, in which nothing opens."""
    columns = [
        None if column.words else aligned([row[k].text for row in block.rows], words=False)
        for k, column in enumerate(block.columns)
    ]
    rows, apart = [], []
    for n, row in enumerate(block.rows):
        why, label = None if places is None else why_of(row), row[0].text.strip()
        place = None if places is None or why is None else places.open(why, label)
        link = places.of[id(why)] if places is not None and why is not None and place is None else None
        told = _why(why) if place is not None else None
        if told is not None and places is not None and places.folded:
            apart.append({**told, "caption": label})
            told = None
        cells = [
            _cell(cell, None if own is None else own[n], link if k == 0 else None)
            for k, (cell, own) in enumerate(zip(row, columns, strict=True))
        ]
        rows.append({"cells": cells, "why": told, "id": place if told is not None else ""})
    whole = not any(cell.text == "…" for row in block.rows for cell in row)
    how = None if places is None else _why(block.why)
    return {
        "title": block.title,
        "caption": "" if sortable else block.title,
        "columns": block.columns,
        "rows": rows,
        "note": block.note,
        "sortable": sortable and whole and len(rows) >= _SORTABLE and not (places is not None and places.folded),
        "opens": any(row["why"] for row in rows),
        "how": [*([how] if how else []), *apart],
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


def chart_view(chart: Chart, marks: Marks) -> dict[str, Any]:
    """A chart as a picture that stands in the page."""
    drawn = picture((chart,), "svg").decode()
    drawn = re.sub(r"<metadata>.*?</metadata>", "", drawn[drawn.index("<svg") :], flags=re.DOTALL)
    drawn = drawn.replace("<svg ", f'<svg role="img" aria-label="{escape(chart.title)}" ', 1)
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


def what_if_view(found: WhatIf, marks: Marks) -> dict[str, Any]:
    """What moves one assumption: the texts a script chooses among, and the ends of each range as a table."""
    data = {
        "figures": found.figures,
        "moved": [
            {
                "label": one.label,
                "places": one.places,
                "base": one.base,
                "verdicts": one.verdicts,
                "figures": one.figures,
                "states": one.states,
            }
            for one in found.assumptions
        ],
    }
    rows = tuple(
        (Cell(one.label), *(Cell(_at_end(found, one, k)) for k in (0, one.base, len(one.places) - 1)))
        for one in found.assumptions
    )
    columns = tuple(Column(title, words=True) for title in ("Assumption", "Low", "As it is", "High"))
    return {
        "kind": "whatif",
        "title": "What if",
        "id": marks.of("what if"),
        "figures": found.figures,
        "moved": [one.label for one in found.assumptions],
        "data": in_page(data),
        "ends": table_view(Table("", columns, rows), None),
    }


def _at_end(found: WhatIf, one: Assumption, k: int) -> str:
    """An end of a range: the value, the verdict there, and the first figure."""
    return f"{one.places[k]}: {one.verdicts[k][0].lower()}, {found.figures[0]} {one.figures[0][k]}"


def text_of(name: str) -> str:
    """A file of the templates, as it is written."""
    return (files("pennyweight.report.layouts") / "templates" / name).read_text(encoding="utf-8")


@lru_cache(maxsize=4)
def template(name: str) -> Template:
    """A template of the pages; it may import the others."""
    from jinja2 import Environment, FunctionLoader, StrictUndefined

    made = Environment(
        loader=FunctionLoader(text_of), autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True
    )
    return made.get_template(name)
