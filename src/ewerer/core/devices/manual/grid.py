"""From what people paste or give to rows of cells: spreadsheets, delimited text, columns of blanks, lines that run together.

Sources: common practice of tables as they come out of spreadsheets and out of the text of a PDF.
"""

from __future__ import annotations

import datetime
import io
import re
import unicodedata
import zipfile
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from ...documents.parse import read_rows
from ...trade.budget import MAX_DOCUMENT_BYTES
from ...trade.errors import DocumentError, Problem
from .cells import tidy

MAX_ROWS, MAX_COLUMNS, MAX_CELL = 600, 24, 400
"""Most rows and columns of a table, and most characters of a cell."""
UNPACKED = 20
"""How many times its size a spreadsheet may unpack to."""


@dataclass(frozen=True, slots=True)
class Line:
    """A row as it stands: its number in the source, from 1, and its cells; one cell where nothing parts it."""

    no: int
    cells: tuple[str, ...]

    @property
    def text(self) -> str:
        """Return the row as one text."""
        return "  ".join(c for c in self.cells if c)


def refused(message: str, expected: str, value: Any = None) -> DocumentError:
    """Return the refusal of a table, in words."""
    return DocumentError([Problem(pointer="", message=message, value=value, expected=expected)])


def grid(source: str | bytes) -> tuple[list[Line], bool]:
    """Return the rows of a table, and whether its cells run together in single lines.

    Raises :class:`DocumentError` for what is too big, no text and no spreadsheet.
    """
    if len(source) > MAX_DOCUMENT_BYTES:
        raise refused("the table is too big", f"at most {MAX_DOCUMENT_BYTES} bytes")
    if isinstance(source, bytes):
        if source[:2] == b"PK":
            return _bounded(_sheet(source)), False
        source = _decoded(source)
    text = "".join(c if c in "\t\n\r" or unicodedata.category(c) not in ("Cc", "Cs", "Cf") else " " for c in source)
    rows, loose = _cells([(i, line) for i, line in enumerate(text.splitlines(), 1) if line.strip()], text)
    return _bounded(rows), loose


def _decoded(data: bytes) -> str:
    for start, encoding in ((b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16"), (b"", "utf-8-sig"), (b"", "cp1252")):
        if data.startswith(start):
            try:
                text = data.decode(encoding)
            except UnicodeDecodeError:
                continue
            if encoding != "cp1252" or not re.search(r"[\x00-\x08\x0e-\x1f]", text):
                return text
    raise refused("neither text nor a spreadsheet", "text, CSV or XLSX")


def _sheet(data: bytes) -> list[tuple[int, list[str]]]:
    from openpyxl import load_workbook
    from openpyxl.utils.exceptions import InvalidFileException

    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            if sum(f.file_size for f in archive.infolist()) > UNPACKED * MAX_DOCUMENT_BYTES:
                raise refused("the spreadsheet is too big when unpacked", f"at most {UNPACKED * MAX_DOCUMENT_BYTES} bytes")
        book = load_workbook(io.BytesIO(data), data_only=True)
        best = max(
            book.worksheets, key=lambda s: (min(s.max_row, MAX_ROWS) * min(s.max_column, MAX_COLUMNS)) if s.max_row > 1 else 0
        )
        rows = [[_said(cell) for cell in row] for row in best.iter_rows(max_row=MAX_ROWS + 50, max_col=MAX_COLUMNS)]
        for area in best.merged_cells.ranges:
            if area.min_col == area.max_col and area.max_row <= len(rows) and area.min_col <= MAX_COLUMNS:
                for r in range(area.min_row, area.max_row):
                    rows[r][area.min_col - 1] = rows[area.min_row - 1][area.min_col - 1]
        wide = max((k for row in rows for k, c in enumerate(row, 1) if c.strip()), default=0)
        return [(no, row[:wide]) for no, row in enumerate(rows, 1)]
    except (
        zipfile.BadZipFile,
        InvalidFileException,
        KeyError,
        ValueError,
        OSError,
        IndexError,
        TypeError,
        AttributeError,
        StopIteration,
    ) as error:
        if isinstance(error, DocumentError):
            raise
        raise refused("this spreadsheet cannot be read", "an XLSX file with the table on one of its sheets") from None


def _said(cell: Any) -> str:
    """Return a spreadsheet's cell as it is shown: percent and times as such."""
    value = cell.value
    if value is None:
        return ""
    if isinstance(value, bool):
        return "Yes" if value else "No"
    if isinstance(value, (int, float)):
        if "%" in str(cell.number_format or ""):
            return f"{value * 100:.10g} %"
        return f"{value:.10g}"
    if isinstance(value, datetime.time):
        return f"{value.hour:02d}:{value.minute:02d}"
    if isinstance(value, datetime.datetime):
        return value.date().isoformat()
    return str(value)


def _bounded(rows: Sequence[tuple[int, Sequence[str]]]) -> list[Line]:
    out = [
        (
            no,
            [tidy(c.replace("\n", " ; ") if "\n" in c and re.search(r"\d\s*[:=]", c) else c)[:MAX_CELL] for c in row[:MAX_COLUMNS]],
        )
        for no, row in rows
        if any(c.strip() for c in row)
    ]
    if len(out) > MAX_ROWS:
        raise refused(f"{len(out)} rows", f"at most {MAX_ROWS} rows")
    width = max((len(r) for _, r in out), default=0)
    return [Line(no, tuple(r) + ("",) * (width - len(r))) for no, r in out]


def _cells(lines: list[tuple[int, str]], text: str) -> tuple[list[tuple[int, list[str]]], bool]:
    """Split lines at what most of them share: tabs, bars, semicolons, commas, gaps of blanks; else leave them whole."""
    for sign in ("\t", "|", ";"):
        counts = Counter(line.count(sign) for _, line in lines)
        often, times = max(((n, k) for n, k in counts.items() if n), key=lambda nk: nk[1], default=(0, 0))
        alike = times >= (0.6 if sign == "\t" else 0.85) * len(lines) and often >= 1
        if alike or sum(line.count(sign) >= 2 for _, line in lines) >= max(1, 0.5 * len(lines)):
            rows = _delimited(text, sign)
            return [(no, r) for no, r in rows if not all(re.fullmatch(r"[\s:=+-]*", c) for c in r)], False
    rows = _delimited(text, ",")
    widths = Counter(len(r) for _, r in rows)
    common, often = widths.most_common(1)[0] if widths else (0, 0)
    if (
        common > 1
        and often >= (0.7 if common > 2 else 0.92) * len(rows)
        and sum(", " in line for _, line in lines) < 0.5 * len(lines)
    ):
        return rows, False
    gapped = [(no, line.expandtabs(8).rstrip()) for no, line in lines]
    split = [(no, re.split(r" {2,}", line.strip())) for no, line in gapped]
    inner = [(no, line) for no, line in gapped if re.search(r"\S {2,}\S", line)]
    wide = sum(len(r) > 2 for _, r in split) >= 0.4 * len(gapped)
    if inner and len(inner) >= (0.5 if wide else 0.7) * len(gapped):
        counts = Counter(len(r) for _, r in split if len(r) > 1)
        if counts.most_common(1)[0][1] >= 0.9 * sum(counts.values()) or len(inner) < 4:
            return _placed(gapped, counts.most_common(1)[0][0]), False
        rivers = _rivers([line for _, line in inner])
        if len(rivers) >= 2:
            return [
                (no, _cut(line, rivers) if re.search(r"\S {2,}\S", line) or _aligned(line, rivers) else [line.strip()])
                for no, line in gapped
            ], False
        return split, False
    return [(no, [line.strip()]) for no, line in lines], True


def _placed(lines: Sequence[tuple[int, str]], count: int) -> list[tuple[int, list[str]]]:
    """Return lines split at their gaps; one with fewer pieces than most has each under the column it begins nearest to."""
    pieces = [(no, [(m.start(), m[0]) for m in re.finditer(r"\S+(?: \S+)*", line)]) for no, line in lines]
    whole = [p for _, p in pieces if len(p) == count]
    starts = [sorted(p[k][0] for p in whole)[len(whole) // 2] for k in range(count)]
    out = []
    for no, row in pieces:
        if len(row) >= count or (len(row) == 1 and row[0][0] == 0):
            out.append((no, [text for _, text in row]))
            continue
        cells = [""] * count
        for at, text in row:
            k = min(range(count), key=lambda i, x=at: abs(starts[i] - x))  # type: ignore[misc]
            cells[k] = f"{cells[k]} {text}".strip()
        out.append((no, cells))
    return out


def _delimited(text: str, sign: str) -> list[tuple[int, list[str]]]:
    """Return rows of delimited text with the lines they begin at; a quoted cell may run over lines."""
    if sign == "|":
        text = "\n".join(re.sub(r"^\s*\||\|\s*$", "", line) for line in text.splitlines())
    out, at = [], 1
    for row in read_rows(text, sign, tight=True):
        if any(c.strip() for c in row):
            out.append((at, row))
        at += 1 + sum(c.count("\n") for c in row)
    return out


def _rivers(lines: Sequence[str]) -> list[int]:
    """Return the columns at which a page of text parts: runs of blanks that go through nearly all of its lines."""
    width = max(len(line) for line in lines)
    ink = [sum(x < len(line) and line[x] != " " for line in lines) for x in range(width)]
    few = max(0, int(0.04 * len(lines)))
    out, x, seen = [], 0, False
    while x < width:
        if ink[x] > few:
            seen = True
            x += 1
            continue
        end = x
        while end < width and ink[end] <= few:
            end += 1
        if seen and end < width and end - x >= 2:
            out.append(end)
        x = end
    return [r for r in out if not _joined(lines, r)]


def _joined(lines: Sequence[str], at: int) -> bool:
    """Whether what stands right of a gap mostly goes on from the left with one blank between: a long cell, no column."""
    right = [line for line in lines if line[at : at + 1].strip()]
    return not right or sum(
        bool(re.search(r"\S \S?$", line[: at + 1])) or not line[:at].endswith("  ") for line in right
    ) >= 0.6 * len(right)


def _cut(line: str, rivers: Sequence[int]) -> list[str]:
    """Cut a line at the rivers, each piece at the blank nearest to one."""
    edges = [0, *rivers, max(len(line), rivers[-1] + 1)]
    out = []
    for k in range(len(edges) - 1):
        a, b = edges[k], edges[k + 1]
        out.append(line[a:b])
    for k in range(1, len(out)):
        # A word that runs over a river belongs to where most of it stands.
        left, right = out[k - 1], out[k]
        if left and right and left[-1] != " " and right[0] != " ":
            head, tail = re.search(r"\S*$", left), re.match(r"^\S*", right)
            assert head is not None and tail is not None
            if len(head[0]) >= len(tail[0]):
                out[k - 1], out[k] = left + tail[0], right[len(tail[0]) :]
            else:
                out[k - 1], out[k] = left[: -len(head[0])], head[0] + right
    return [c.strip() for c in out]


def _aligned(line: str, rivers: Sequence[int]) -> bool:
    """Whether a line with one piece of text is the next line of a cell: it begins where a column does."""
    start = len(line) - len(line.lstrip())
    return start > 0 and any(abs(start - r) <= 1 for r in rivers) and len(line.strip()) < 40
