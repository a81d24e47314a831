"""A workbook: typed numbers and days, formats by unit, frozen headings, widths that clip nothing, print areas."""

from __future__ import annotations

import datetime as dt
import re
from io import BytesIO
from typing import Any

import numpy as np

from pennyweight.documents import Figures, Verdict
from pennyweight.documents.handout import Handout, Sheet
from pennyweight.documents.palette import INK, PARCHMENT, VERDIGRIS
from pennyweight.errors import InputError, Place
from pennyweight.plain_text import visible
from pennyweight.reading.embedded_files import FILE_SHEET
from pennyweight.report.cover import MAKER, Cover

__all__ = ["workbook"]

_WIDEST = 60
_LONGEST = 32_000
"""Characters of a cell; a sheet program takes 32,767."""
_ROWS = 1_000_000


def workbook(handout: Handout, cover: Cover) -> bytes:
    """The workbook of what is handed over."""
    from xlsxwriter import Workbook

    target = BytesIO()
    book = Workbook(
        target,
        {
            "in_memory": True,
            "strings_to_formulas": False,
            "strings_to_urls": False,
            "strings_to_numbers": False,
            "nan_inf_to_errors": False,
            "default_date_format": "yyyy-mm-dd",
        },
    )
    title = cover.title or handout.document.title
    book.set_properties(
        {
            "title": title,
            "author": cover.prepared_by,
            "company": MAKER,
            "comments": f"Made with {MAKER}",
            "created": dt.datetime(2000, 1, 1),  # the same figures give the same file
        }
    )
    made = _Workbook(book, handout)
    made.summary(title, cover)
    for sheet in handout.sheets():
        made.sheet(sheet)
    for name, text in cover.carried.files.items():
        made.file(name, text)
    book.close()
    return target.getvalue()


class _Workbook:
    def __init__(self, book: Any, handout: Handout) -> None:
        self.book, self.handout = book, handout
        self.names: set[str] = set()
        self.formats: dict[str, Any] = {}
        self.head = book.add_format(
            {"bold": True, "font_color": "#FFFFFF", "bg_color": INK, "text_wrap": True, "valign": "top"}
        )
        self.words = book.add_format({"text_wrap": True, "valign": "top"})
        self.bold = book.add_format({"bold": True, "valign": "top"})
        self.large = book.add_format({"bold": True, "font_size": 16, "font_color": INK})
        self.verdict = book.add_format({"bold": True, "font_size": 13, "font_color": VERDIGRIS, "valign": "top"})

    def summary(self, title: str, cover: Cover) -> None:
        """Page one: what it is, the verdict, the figures as they are shown, and a chart."""
        page, document = self.added("Summary"), self.handout.document
        page.set_column(0, 0, 46)
        page.set_column(1, 1, 24)
        page.set_column(2, 2, 60)
        page.write_string(0, 0, _cell(title), self.large)
        row = 1
        for text in (f"Prepared by {cover.prepared_by}" if cover.prepared_by else "", document.subtitle):
            if text:
                page.merge_range(row, 0, row, 2, "", self.words)
                page.write_string(row, 0, _cell(text), self.words)
                page.set_row(row, 15.5 * (1 + len(text) // 118))
                row += 1
        for block in document.blocks:
            if isinstance(block, Verdict):
                page.write_string(row + 1, 0, _cell(block.word), self.verdict)
                page.merge_range(row + 1, 1, row + 1, 2, "", self.words)
                page.write_string(row + 1, 1, _cell(block.sentence), self.words)
                page.set_row(row + 1, 15.5 * (1 + len(block.sentence) // 74))
                row += 2
            elif isinstance(block, Figures):
                page.write_string(row + 1, 0, _cell(block.title or "Figures"), self.bold)
                row += 2
                right = self.book.add_format({"align": "right", "valign": "top"})
                for line in block.lines:
                    page.write_string(row, 0, _cell(line.label), self.words)
                    page.write_string(row, 1, _cell(line.value.text), right)
                    page.write_string(row, 2, _cell(line.note), self.words)
                    lines = 1 + max(len(line.label) // 44, len(line.note) // 58)
                    page.set_row(row, 15.5 * lines)
                    row += 1
        if cover.logo:
            page.insert_image(0, 3, "logo", {"image_data": BytesIO(cover.logo), "x_scale": 0.5, "y_scale": 0.5})
        if document.charts:
            from pennyweight.report.charts.picture import picture

            drawn = picture(document.charts[:1], "png")
            page.insert_image(
                row + 1,
                0,
                "chart",
                {
                    "image_data": BytesIO(drawn),
                    "x_scale": 0.62,
                    "y_scale": 0.62,
                    "description": _cell(document.charts[0].title),
                },
            )
            row += 28
        page.print_area(0, 0, row + 1, 2)
        page.set_landscape()
        page.set_paper(9)
        page.fit_to_pages(1, 0)
        page.hide_gridlines(2)

    def sheet(self, sheet: Sheet) -> None:
        """A table of typed values."""
        page = self.added(sheet.title)
        widths = [min(max(len(word) for word in column.title.split() or [""]) + 2, _WIDEST) for column in sheet.columns]
        for k, column in enumerate(sheet.columns):
            page.write_string(0, k, _cell(column.title), self.head)
        for number, row in enumerate(sheet.rows[:_ROWS], start=1):
            own = sheet.units[number - 1] if sheet.units else {}
            for k, value in enumerate(row):
                unit = own.get(k, sheet.columns[k].unit)
                shown = self.write(page, number, k, value, unit)
                widths[k] = max(widths[k], min(shown + 2, _WIDEST))
        for k, width in enumerate(widths):
            page.set_column(k, k, max(width, 8))
        head_lines = max(1 + len(column.title) // max(widths[k] - 1, 1) for k, column in enumerate(sheet.columns))
        page.set_row(0, 15.5 * head_lines)
        page.freeze_panes(1, 1)
        last = max(len(sheet.rows[:_ROWS]), 1)
        page.autofilter(0, 0, last, len(sheet.columns) - 1)
        page.print_area(0, 0, last, len(sheet.columns) - 1)
        page.repeat_rows(0)
        page.set_landscape()
        page.set_paper(9)
        page.fit_to_pages(1, 0)

    def write(self, page: Any, row: int, column: int, value: Any, unit: str) -> int:
        """Write one value as what it is; returns how many characters it takes."""
        if value is None or (isinstance(value, float) and not np.isfinite(value)):
            return 0
        if isinstance(value, str):
            page.write_string(row, column, _cell(value), self.words)
            return max(map(len, value.split("\n")), default=0)
        if isinstance(value, bool | np.bool_):
            page.write_string(row, column, "yes" if value else "no", self.words)
            return 3
        if isinstance(value, np.datetime64 | dt.date):
            day = np.array(value, "datetime64[D]")
            if np.isnat(day):
                return 0
            page.write_datetime(row, column, day.item(), self.format_of("date"))
            return 10
        if isinstance(value, int | float | np.number):
            page.write_number(row, column, float(value) + 0.0, self.format_of(unit))
            return len(f"{float(value):,.2f}") + 2
        page.write_string(row, column, _cell(str(value)), self.words)
        return len(str(value))

    def format_of(self, unit: str) -> Any:
        """The number format of a unit, made once."""
        if unit not in self.formats:
            places = self.handout.places
            amount = f"#,##0{'.' if places else ''}{'0' * places}"
            pattern = {
                "money": amount,
                "rate": "0.00%",
                "share": "0.00%",
                "years": "0.00",
                "period": "0",
                "count": "#,##0.##",
                "date": "yyyy-mm-dd",
                "number": "#,##0.0000",
            }.get(unit, "#,##0.00")
            if unit == "count":
                pattern = "#,##0"
            self.formats[unit] = self.book.add_format({"num_format": pattern, "valign": "top"})
        return self.formats[unit]

    def file(self, name: str, text: str) -> None:
        """A file that is carried: its name, then a line a row. A text is a text, whatever it begins with."""
        page = self.added(f"{FILE_SHEET}{name}", of_file=True)
        ground = self.book.add_format({"font_name": "Consolas", "font_size": 9, "bg_color": PARCHMENT})
        page.set_column(0, 0, 140)
        lines = [name, *text.split("\n")]
        long = next((number for number, line in enumerate(lines) if len(line) > _LONGEST), None)
        if long is not None or len(lines) > _ROWS:
            raise InputError(
                f"{name} cannot go along in a workbook: line {long or _ROWS} is more than a cell or a sheet holds; "
                "choose .html or .pdf.",
                at=Place.of_file(name),
            )
        for row, line in enumerate(lines):
            page.write_string(row, 0, line, ground)
        page.set_landscape()
        page.fit_to_pages(1, 0)
        page.print_area(0, 0, max(min(text.count("\n") + 1, _ROWS), 1), 0)

    def added(self, title: str, *, of_file: bool = False) -> Any:
        """A sheet with a name that is allowed and not taken; those of files alone begin as they do."""
        if title.startswith(FILE_SHEET) and not of_file:
            title = f"Table {title}"
        plain = re.sub(r"[\[\]:*?/\\']", " ", visible(title)).strip()[:31] or "Sheet"
        name, number = plain, 1
        while name.lower() in self.names or name.lower() == "history":
            number += 1
            name = f"{plain[: 28 - len(str(number))]} {number}"
        self.names.add(name.lower())
        return self.book.add_worksheet(name)


def _cell(text: str) -> str:
    return visible(text)[:_LONGEST]
