"""A workbook: typed numbers and days, formats by unit, frozen headings, widths that clip nothing, print areas."""

from __future__ import annotations

import datetime as dt
import re
from io import BytesIO
from math import fsum
from typing import Any

import numpy as np

from pennyweight.documents import Cell, Checks, Column, Table, Text, Verdict
from pennyweight.documents.handout import Handout, Sheet
from pennyweight.documents.palette import INK, PARCHMENT, TEXT
from pennyweight.errors import InputError, Place
from pennyweight.plain_text import visible
from pennyweight.reading.embedded_files import FILE_SHEET
from pennyweight.report.cover import MAKER, Cover

__all__ = ["workbook"]

_PAGE_ONE = (44, 20, 24, 28, 22)
"""The widths of page one's columns, in characters."""
_WIDEST = 60
_UPRIGHT, _ON_PAPER = 96, 220
"""So many characters stand side by side on upright paper, and so many at all, without becoming too small to read."""
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
            "created": dt.datetime.combine(cover.made, dt.time()),
        }
    )
    made = _Workbook(book, handout)
    made.page_one(title, cover)
    for sheet in handout.sheets():
        made.sheet(sheet)
    for name, text in cover.carried.files.items():
        made.file(name, text, shown=cover.source_shown)
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
        self.right = book.add_format({"align": "right", "valign": "top", "text_wrap": True})
        self.head_right = book.add_format(
            {"bold": True, "font_color": "#FFFFFF", "bg_color": INK, "text_wrap": True, "align": "right"}
        )
        self.said = book.add_format({"bold": True, "font_size": 12, "text_wrap": True, "valign": "top"})
        self.verdicts = {
            tone: book.add_format(
                {"bold": True, "font_size": 12, "font_color": color, "text_wrap": True, "valign": "top"}
            )
            for tone, color in TEXT.items()
        }
        self.total = book.add_format({"bold": True, "top": 1})

    def page_one(self, title: str, cover: Cover) -> None:
        """Page one: what came out, the key figures, what was put in, and a chart."""
        page, document, first = self.added("Page one"), self.handout.document, self.handout.page_one
        for k, width in enumerate(_PAGE_ONE):
            page.set_column(k, k, width)
        page.write_string(0, 0, _cell(title), self.large)
        row = 1
        for text, shown in ((cover.by, self.words), (document.subtitle, self.words), (document.headline, self.said)):
            if text:
                row = self.across(page, row, text, shown)
        for block in first.blocks:
            match block:
                case Verdict():
                    row = self.across(page, row + 1, f"{block.word}  {block.sentence}", self.verdicts[block.tone])
                case Text():
                    row = self.across(page, row, block.text, self.words)
                case Checks():
                    for passed, said in block.items:
                        row = self.across(page, row, f"{'✓ holds:' if passed else '✗ fails:'} {said}", self.words)
                case Table():
                    row = self.block(page, row + 1, block)
                case _:
                    pass
        if first.figures:
            columns = (Column("Key figures", words=True), Column(""), Column("", words=True))
            lines = tuple((Cell(line.label), line.value, Cell(line.note)) for line in first.figures)
            row = self.block(page, row + 1, Table("", columns, lines))
        if first.given is not None:
            row = self.block(page, row + 1, first.given)
        if cover.logo:
            page.insert_image(
                0, len(_PAGE_ONE), "logo", {"image_data": BytesIO(cover.logo), "x_scale": 0.5, "y_scale": 0.5}
            )
        if document.charts:
            from pennyweight.report.charts.picture import picture

            drawn, (chart, *_) = picture(document.charts[:1], "png"), document.charts
            scale = {"x_scale": 0.62, "y_scale": 0.62, "description": _cell(chart.title)}
            page.insert_image(row + 1, 0, "chart", {"image_data": BytesIO(drawn), **scale})
            row += 28
        page.print_area(0, 0, row + 1, len(_PAGE_ONE) - 1)
        page.set_paper(9)
        page.fit_to_pages(1, 1)  # what somebody reads first is one sheet of paper
        page.hide_gridlines(2)

    def across(self, page: Any, row: int, text: str, shown: Any) -> int:
        """A paragraph over the width of page one; the row below it."""
        page.merge_range(row, 0, row, len(_PAGE_ONE) - 1, "", shown)
        page.write_string(row, 0, _cell(text), shown)
        large = 1.2 if shown is not self.words else 1.0
        page.set_row(row, 15.5 * large * (1 + int(len(text) * large) // (sum(_PAGE_ONE) - 4)))
        return row + 1

    def block(self, page: Any, row: int, table: Table) -> int:
        """A table of page one, as it is shown; the row below it."""
        if table.title:
            page.write_string(row, 0, _cell(table.title), self.bold)
            row += 1
        for k, column in enumerate(table.columns[: len(_PAGE_ONE)]):
            page.write_string(row, k, _cell(column.title), self.head if column.words else self.head_right)
        for cells in table.rows:
            row += 1
            lines = 1
            for k, cell in enumerate(cells[: len(_PAGE_ONE)]):
                page.write_string(row, k, _cell(cell.text), self.words if table.columns[k].words else self.right)
                lines = max(lines, 1 + len(cell.text) // (_PAGE_ONE[k] - 1))
            page.set_row(row, 15.5 * lines)
        if table.note:
            row = self.across(page, row + 1, table.note, self.words) - 1
        return row + 1

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
        if sheet.summed:
            last += 1
            self.totals(page, sheet, last)
        page.print_area(0, 0, last, len(sheet.columns) - 1)
        page.repeat_rows(0)
        page.repeat_columns(0)
        if sum(widths) > _UPRIGHT:
            page.set_landscape()
        page.set_footer("&L&A&RPage &P of &N")
        page.set_paper(9)
        if sum(widths) <= _ON_PAPER:  # more columns than a sheet of paper holds go on beside it, none too small to read
            page.fit_to_pages(1, 0)

    def totals(self, page: Any, sheet: Sheet, row: int) -> None:
        """The sums below the columns that can be added up, of the rows that a filter leaves."""
        from xlsxwriter.utility import xl_range

        page.write_string(row, 0, "Together", self.total)
        for k in range(1, len(sheet.columns)):
            if k not in sheet.summed:
                page.write_blank(row, k, None, self.total)
                continue
            values = [float(one[k]) for one in sheet.rows[:_ROWS] if one[k] is not None]
            known = [value for value in values if np.isfinite(value)]
            shown = self.format_of(sheet.columns[k].unit, total=True)
            page.write_formula(row, k, f"=SUBTOTAL(109,{xl_range(1, k, row - 1, k)})", shown, round(fsum(known), 9))

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

    def format_of(self, unit: str, *, total: bool = False) -> Any:
        """The number format of a unit, made once."""
        key = f"{unit}, total" if total else unit
        if key not in self.formats:
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
            more = {"bold": True, "top": 1} if total else {"valign": "top"}
            self.formats[key] = self.book.add_format({"num_format": pattern, **more})
        return self.formats[key]

    def file(self, name: str, text: str, *, shown: bool) -> None:
        """A file that is carried: its name, then a line a row. A text is a text, whatever it begins with."""
        page = self.added(f"{FILE_SHEET}{name}", of_file=True)
        if not shown:
            page.hide()
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
