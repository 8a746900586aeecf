"""Sheets as files: JSON, CSV and XLSX. One row a setting, in order of entry."""

from __future__ import annotations

import csv
import io
import re
from typing import Any

from ..documents.job import Job, SheetMark
from ..documents.results.sheet import SheetRow, UnitSheet
from .cells import plain_cell

COLUMNS = [
    "no",
    "menu",
    "setting",
    "label",
    "enter",
    "unit",
    "means",
    "needs",
    "level",
    "takes effect",
    "resets",
    "caution",
    "state",
    "read back",
    "note",
]


# Characters that XML, and so XLSX, cannot hold.
_CONTROL = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff\ufffe\uffff]")


def _text(cell: Any, value: str) -> None:
    """Put ``value`` into a cell of a workbook as text: never a formula, never a character that the file cannot hold."""
    cell.value = _CONTROL.sub("\N{REPLACEMENT CHARACTER}", value)
    cell.data_type = "s"


def _means(row: SheetRow) -> str:
    if isinstance(row.value, bool):
        return "yes" if row.value else "no"
    return row.value if isinstance(row.value, str) else f"{row.value:g}"


def _rows(job: Job, sheet: UnitSheet) -> list[list[str]]:
    """Return the cells of the sheet as text, a list a row, as :data:`COLUMNS` names them."""
    marks = job.sheet_marks.get(sheet.id, {})
    out = []
    for i, row in enumerate(sheet.settings, 1):
        mark = marks.get(row.setting) or SheetMark(state="skipped")
        state = mark.state if row.setting in marks else ""
        out.append(
            [
                str(i),
                " > ".join(row.menu),
                row.setting,
                row.label,
                row.entry,
                row.unit,
                _means(row),
                row.needs,
                row.level,
                row.takes_effect,
                ", ".join(row.resets),
                row.caution,
                state,
                mark.read_back or "",
                mark.note or row.note,
            ]
        )
    return out


def sheet_csv(job: Job, sheet: UnitSheet) -> bytes:
    """Return the sheet as CSV in UTF-8 with a byte-order mark, so that spreadsheets read it right."""
    buffer = io.StringIO()
    writer = csv.writer(buffer, lineterminator="\r\n")
    writer.writerow(COLUMNS)
    writer.writerows([plain_cell(c) for c in row] for row in _rows(job, sheet))
    return b"\xef\xbb\xbf" + buffer.getvalue().encode()


def sheet_xlsx(job: Job, sheet: UnitSheet) -> bytes:
    """Return the sheet as XLSX: entries are text, as displayed; a second sheet lists what to leave alone."""
    from openpyxl import Workbook
    from openpyxl.styles import Alignment, Font

    book = Workbook()
    page: Any = book.active
    page.title = sheet.id[:31]
    _text(page["A1"], f"{job.name}: {sheet.id}, {sheet.name}")
    page["A1"].font = Font(bold=True, size=13)
    for i, row in enumerate([COLUMNS, *_rows(job, sheet)], 2):
        for k, value in enumerate(row, 1):
            _text(page.cell(i, k), value)
    for cell in page[2]:
        cell.font = Font(bold=True)
    for column, width in zip("ABCDEFGHIJKLMNO", (5, 24, 14, 24, 12, 8, 12, 10, 10, 12, 20, 40, 9, 12, 30), strict=True):
        page.column_dimensions[column].width = width
    for cells in page.iter_rows(min_row=3):
        for cell in cells:
            cell.alignment = Alignment(wrap_text=True, vertical="top")
    page.freeze_panes = "A3"
    page.print_title_rows = "1:2"
    page.page_setup.orientation = "landscape"
    page.page_setup.fitToWidth = 1
    page.page_setup.fitToHeight = 0
    page.sheet_properties.pageSetUpPr.fitToPage = True
    more = {
        "Decide by hand": [
            ["menu", "label", "factory", "takes", "known"],
            *([" > ".join(x.menu), x.label, x.factory, x.takes, " ".join((x.known, x.caution)).strip()] for x in sheet.decide),
        ],
        "Other feeds": [
            ["feed", "menu", "label", "entry", "unit"],
            *([x.feed, " > ".join(x.menu), x.label, x.entry, x.unit] for x in sheet.feeds),
        ],
        "Leave alone": [["menu", "label", "why"], *([" > ".join(x.menu), x.label, x.why] for x in sheet.leave_alone)],
    }
    if not sheet.feeds:
        del more["Other feeds"]
    for title, lines in more.items():
        listed = book.create_sheet(title)
        for i, line in enumerate(lines, 1):
            for k, value in enumerate(line, 1):
                _text(listed.cell(i, k), value)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def sheet_bytes(job: Job, sheet: UnitSheet, format: str) -> bytes:
    """Return the sheet in ``format``: json, csv or xlsx."""
    if format == "csv":
        return sheet_csv(job, sheet)
    if format == "xlsx":
        return sheet_xlsx(job, sheet)
    return (sheet.model_dump_json(indent=2) + "\n").encode()
