"""Measured power read from CSV: a column of watts, with or without times.

Times are local wall-clock times with equal steps. Where clocks were changed an hour stands twice or not at all;
doubles are averaged and gaps of up to two hours are bridged by a straight line. Longer gaps are refused.
"""

from __future__ import annotations

import datetime as dt
import itertools
import re
import statistics
from collections.abc import Iterator

from pydantic import ValidationError

from ..documents.job import Series
from ..documents.parse import problems_of, read_rows
from ..trade.budget import MAX_DOCUMENT_BYTES
from ..trade.errors import DocumentError, Problem

STEPS_MIN = (1, 5, 10, 15, 30, 60)


BRIDGED_MIN = 120


MOST = 40_000


FORMS = ("%Y-%m-%d %H:%M:%S", "%Y-%m-%d %H:%M", "%d.%m.%Y %H:%M:%S", "%d.%m.%Y %H:%M", "%Y/%m/%d %H:%M:%S", "%Y/%m/%d %H:%M")


def _refuse(line: int, message: str, expected: str, value: object = None) -> DocumentError:
    return DocumentError([Problem(pointer=f"/line/{line}" if line else "", message=message, value=value, expected=expected)])


def _time(text: str) -> dt.datetime | None:
    plain = re.sub(r"(Z|[+-]\d\d:?\d\d)$", "", text.strip().replace("T", " "))
    for form in FORMS:
        try:
            return dt.datetime.strptime(plain, form)
        except ValueError:
            continue
    return None


def _number(text: str, comma: bool) -> float | None:
    plain = text.strip().replace(" ", "")
    if comma:
        plain = plain.replace(",", ".")
    return float(plain) if re.fullmatch(r"[-+]?(\d+\.?\d*|\.\d+)([eE][-+]?\d+)?", plain) else None


def _rows(text: str) -> tuple[list[str], list[tuple[int, list[str]]], bool]:
    """Return the heads (empty without a head line), the numbered rows, and whether decimals have a comma."""
    lines = text.splitlines()
    first = next((line for line in lines if line.strip() and not line.startswith("#")), "")
    mark = next((m for m in ("\t", ";") if m in first), ",")
    comma = mark != ","
    rows = [(i, [c.strip() for c in row]) for i, row in enumerate(read_rows(text, mark), 1)]
    rows = [(i, row) for i, row in rows if any(row) and not row[0].startswith("#")]
    if rows and _number(rows[0][1][-1], comma) is None:
        return rows[0][1], rows[1:], comma
    return [], rows, comma


def _values(heads: list[str], rows: list[tuple[int, list[str]]], comma: bool) -> Iterator[tuple[int, str | None, float]]:
    width = max((len(row) for _, row in rows), default=0)
    if width > 2:
        raise _refuse(rows[0][0], f"{width} columns", "one column of watts, or two: time and watts")
    factor = 1000.0 if heads and re.search(r"\bkW\b", heads[-1]) else 1.0
    for line, row in rows:
        if len(row) != width:
            raise _refuse(line, f"{len(row)} of {width} columns", "the same columns in every line")
        value = _number(row[-1], comma)
        if value is None:
            raise _refuse(line, "not a number", "power in W", row[-1])
        if value < 0:
            raise _refuse(line, "below zero", "power of zero or more; sun and loads are both counted upwards", row[-1])
        yield line, row[0] if width == 2 else None, value * factor


def parse_series(text: str | bytes, step_min: int = 60) -> Series:
    """Return the measured power of a CSV text.

    One column is watts at ``step_min`` minutes from midnight; two columns are time and watts, and the step is
    theirs. A head with ``kW`` makes kilowatts of it. Raises :class:`DocumentError` with the line that is wrong.
    """
    if len(text) > MAX_DOCUMENT_BYTES:
        raise _refuse(0, "the file is too big", f"at most {MAX_DOCUMENT_BYTES} bytes")
    try:
        plain = text.decode("utf-8-sig") if isinstance(text, bytes) else text.lstrip("\ufeff")
    except UnicodeDecodeError:
        raise _refuse(0, "not text in UTF-8", "CSV with a column of power in W") from None
    heads, rows, comma = _rows(plain)
    found = list(_values(heads, rows, comma))
    if not found:
        raise _refuse(0, "no figures", "one column of watts, or two: time and watts")
    if found[0][1] is None:
        if step_min not in STEPS_MIN:
            raise _refuse(0, "no such step", "1, 5, 10, 15, 30 or 60 minutes", step_min)
        return _series(step_min, [v for _, _, v in found], None)
    times = [(line, _time(t or ""), t, v) for line, t, v in found]
    for line, at, t, _ in times:
        if at is None:
            raise _refuse(line, "not a time", "a time such as 2025-06-21 13:30", t)
    known = [(line, at, v) for line, at, _, v in times if at is not None]
    return _on_a_grid(known)


def _on_a_grid(known: list[tuple[int, dt.datetime, float]]) -> Series:
    midnight = dt.datetime.combine(known[0][1].date(), dt.time())
    minutes = [(at - midnight).total_seconds() / 60 for _, at, _ in known]
    gaps = [b - a for a, b in itertools.pairwise(minutes) if b > a]
    if not gaps:
        raise _refuse(known[-1][0], "the times do not go on", "two times or more, one after the other")
    step = min(statistics.multimode(gaps))
    if step not in STEPS_MIN:
        raise _refuse(known[1][0], f"steps of {step:g} minutes", "steps of 1, 5, 10, 15, 30 or 60 minutes")
    cells: dict[int, list[float]] = {}
    last = minutes[0]
    for (line, at, value), minute in zip(known, minutes, strict=True):
        if minute % step:
            raise _refuse(line, f"not on the step of {step:g} minutes", "times at equal steps", f"{at:%Y-%m-%d %H:%M}")
        if last - minute > BRIDGED_MIN:
            raise _refuse(line, "goes back in time", "times in order", f"{at:%Y-%m-%d %H:%M}")
        last = minute
        cells.setdefault(int(minute // step), []).append(value)
    # What lies before the first time of the first day is not known; the day begins with its first figure.
    places = sorted(cells)
    values = [sum(cells[places[0]]) / len(cells[places[0]])] * (places[0] + 1)
    for a, b in itertools.pairwise(places):
        mean = sum(cells[b]) / len(cells[b])
        if (b - a - 1) * step > BRIDGED_MIN:
            gone = midnight + dt.timedelta(minutes=(a + 1) * step)
            raise _refuse(
                0, f"nothing from {gone:%Y-%m-%d %H:%M} for {(b - a - 1) * step / 60:g} h", f"gaps of at most {BRIDGED_MIN // 60} h"
            )
        values += [values[-1] + (mean - values[-1]) * k / (b - a) for k in range(1, b - a)] + [mean]
    return _series(int(step), values, midnight.date())


def _series(step_min: int, values: list[float], start: dt.date | None) -> Series:
    if len(values) > MOST:
        raise _refuse(0, f"{len(values)} figures", f"at most {MOST}: a year at steps of 15 minutes")
    made = {"step_min": step_min, "values_w": [round(v, 3) for v in values]}
    try:
        return Series.model_validate(made | ({"start": start.isoformat()} if start else {}))
    except ValidationError as error:
        raise DocumentError(problems_of(Series, error)) from None
