"""The clock of a log: times as written, in which order, how many seconds really passed."""

from __future__ import annotations

import datetime as dt
import re
import zoneinfo
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import numpy as np

__all__ = ["Clock", "Gap", "passed", "times_of"]

HOUR_S = 3600.0
SPRING_MONTHS = (3, 4, 9, 10, 11)
EXCEL_EPOCH = np.datetime64("1899-12-30T00:00:00", "us")
SECOND = 1_000_000
DAY_S = 86_400
MANY = 200_000
"""So many steps say what is usual."""


class Gap(NamedTuple):
    """Nothing was logged after this row until the next one."""

    after: int


@dataclass(slots=True)
class Clock:
    """``wall`` the file's own clock [datetime64 us], ``t_s`` seconds since the first row, never going back, usual step, gaps, remarks."""

    wall: np.ndarray
    t_s: np.ndarray
    step_s: float
    gaps: list[Gap] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)


ISO = re.compile(r"^\d{4}([-/.])\d{1,2}\1\d{1,2}([ T])\d{1,2}:\d{2}(:\d{2}(?:[.,]\d+)?)?\s*(Z|[+-]\d{2}:?\d{2})?$")
DAY_FIRST = re.compile(r"^(\d{1,2})([./-])(\d{1,2})\2(\d{2}|\d{4})(,? +|T)\d{1,2}:\d{2}(:\d{2}(?:[.,]\d+)?)?( ?[AaPp][Mm])?$")
CLOCK = re.compile(r"^\d{1,2}:\d{2}(:\d{2}(?:[.,]\d+)?)?( ?[AaPp][Mm])?$")
NUMBER = re.compile(r"^[+-]?\d+([.,]\d+)?$")


def looks_like_time(text: str) -> bool:
    """Return whether a cell is a date with a time, or a time of day.

    >>> looks_like_time("2025-03-30T01:59:00Z"), looks_like_time("30.03.2025 01:59"), looks_like_time("7:05"), looks_like_time("52.3")
    (True, True, True, False)
    """
    text = text.strip()
    return bool(ISO.match(text) or DAY_FIRST.match(text) or CLOCK.match(text))


def _formats(sample: list[str]) -> list[str]:
    """Return the formats that a sample of times may be in, likeliest first."""
    for text in sample:
        if m := ISO.match(text):
            date = m[1].join(("%Y", "%m", "%d"))
            return [f"{date}{m[2]}%H:%M{_seconds(m[3])}"]
        if m := DAY_FIRST.match(text):
            sep = m[2]
            year = "%Y" if len(m[4]) == 4 else "%y"
            half = m[7]
            hour = "%I" if half else "%H"
            rest = f"{m[5]}{hour}:%M{_seconds(m[6])}{(' ' if half.startswith(' ') else '') + '%p' if half else ''}"
            firsts = [f for t in sample if (f := DAY_FIRST.match(t))]
            day_first, month_first = (sep.join(("%d", "%m", year)) + rest, sep.join(("%m", "%d", year)) + rest)
            if any(int(f[1]) > 12 for f in firsts):
                return [day_first]
            if any(int(f[3]) > 12 for f in firsts):
                return [month_first]
            return [month_first, day_first] if half and sep == "/" else [day_first, month_first]
        if m := CLOCK.match(text):
            half = m[2]
            return [f"{'%I' if half else '%H'}:%M{_seconds(m[1])}{(' ' if half.startswith(' ') else '') + '%p' if half else ''}"]
    return []


def _seconds(group: str | None) -> str:
    return "" if not group else ":%S%.f" if "." in group or "," in group else ":%S"


def _fallback(form: str) -> str:
    """Return the same format with the other way of seconds, for files that leave out ``.000``."""
    return form.replace("%S%.f", "%S") if "%.f" in form else form.replace("%S", "%S%.f")


def times_of(column: Any, dates: Any = None) -> tuple[np.ndarray, np.ndarray | None, list[str]]:
    """Return the wall clock of a polars column of text or figures (NaT where unreadable), seconds of its offset, remarks.

    ``dates`` is a column of days where the times stand in one of their own.
    """
    import polars as pl

    if column.dtype.is_temporal() and column.dtype != pl.Time:
        zoned = getattr(column.dtype, "time_zone", None)
        plain = column.dt.replace_time_zone(None) if zoned else column
        return plain.cast(pl.Datetime("us")).to_numpy(), None, []
    if column.dtype.is_numeric():
        return _from_numbers(column.cast(pl.Float64).to_numpy())
    text = column.cast(pl.String)
    if dates is not None:
        text = dates.cast(pl.String).str.strip_chars() + " " + text.str.strip_chars()
    known = text.drop_nulls()
    sample = [t for t in [*known.head(300).to_list(), *known.tail(100).to_list()] if t.strip()]
    if any(t != t.strip() for t in sample):  # what few files need costs time on all rows
        text, sample = text.str.strip_chars(), [t.strip() for t in sample]
    numeric = [t for t in sample if NUMBER.match(t)]
    if len(numeric) > len(sample) / 2:
        return _from_numbers(text.str.replace(",", ".").cast(pl.Float64, strict=False).to_numpy())
    offset = None
    if any((m := ISO.match(t)) and m[4] for t in sample):
        parts = text.str.extract_groups(r"\s*(?:(Z)|([+-])(\d{2}):?(\d{2}))$")
        fields = pl.DataFrame({"p": parts}).unnest("p")
        sign = fields["2"].replace_strict({"+": 1, "-": -1}, default=0)
        offset = (
            sign
            * (fields["3"].cast(pl.Int64, strict=False).fill_null(0) * 60 + fields["4"].cast(pl.Int64, strict=False).fill_null(0))
            * 60
        ).to_numpy()
        text = text.str.replace(r"\s*(Z|[+-]\d{2}:?\d{2})$", "")
        sample = [re.sub(r"\s*(Z|[+-]\d{2}:?\d{2})$", "", t) for t in sample]
    if any("," in t for t in sample):
        text = text.str.replace(r"(:\d{2}),(\d+)", "${1}.${2}")
    made: list[tuple[float, np.ndarray, str]] = []
    for form in _formats(sample):
        if not form.startswith(("%H", "%I")):
            read = _strptime(text, form)
        else:
            read = _days_roll(_strptime("2000-01-01 " + text, "%Y-%m-%d " + form))
        steps = np.diff(read[~np.isnat(read)].astype("int64"))
        missing = float(np.isnat(read).mean())
        made.append(
            (
                missing * 1e6
                + float((steps < 0).mean() if len(steps) else 0) * 1e3
                + (float(np.std(steps)) if len(steps) else 0) / 1e15,
                read,
                form,
            )
        )
    if not made:
        return np.full(len(column), np.datetime64("NaT"), "datetime64[us]"), None, []
    made.sort(key=lambda m: m[0])
    notes = []
    if len(made) > 1:
        notes.append(
            f"Dates were read {'day first' if made[0][2].startswith('%d') else 'month first'}; the file itself allows both."
        )
    if made[0][2].startswith(("%H", "%I")):
        notes.append("The file has no dates: its days are counted from the first row.")
    return made[0][1], offset, notes


def _strptime(text: Any, form: str) -> np.ndarray:
    import polars as pl

    def read(f: str) -> Any:
        return text.to_frame("t").lazy().select(pl.col("t").str.to_datetime(f, time_unit="us", strict=False)).collect().to_series()

    got = read(form)
    if got.null_count():
        got = got.fill_null(read(_fallback(form) if "%S" in form else form.replace("%M", "%M:%S", 1)))
    out: np.ndarray = got.cast(pl.Datetime("us")).to_numpy()
    return out


def _days_roll(read: np.ndarray) -> np.ndarray:
    """Return times of day with a day more each time the clock falls by more than half a day."""
    steps = np.diff(read.astype("int64"), prepend=read[:1].astype("int64"))
    steps[np.isnat(read)] = 0
    days = np.cumsum(steps < -DAY_S * SECOND // 2)
    out: np.ndarray = read + days.astype("timedelta64[D]")
    return out


def _from_numbers(figures: np.ndarray) -> tuple[np.ndarray, None, list[str]]:
    good = figures[np.isfinite(figures)]
    nat = np.full(len(figures), np.datetime64("NaT"), "datetime64[us]")
    if not len(good):
        return nat, None, []
    middle = float(np.median(good))
    epoch = np.datetime64("1970-01-01T00:00:00", "us")
    kinds = (
        (1e8, 5e9, 1.0, epoch, "seconds since 1970 (UTC)"),
        (1e11, 5e12, 1e-3, epoch, "milliseconds since 1970 (UTC)"),
        (1e14, 5e15, 1e-6, epoch, "microseconds since 1970 (UTC)"),
        (2e4, 8e4, float(DAY_S), EXCEL_EPOCH, "days of a spreadsheet"),
    )
    scale, origin, word = next(
        (rest for low, high, *rest in kinds if low <= middle <= high and (rest[0] != DAY_S or np.any(good % 1 > 0))),
        [1.0, np.datetime64("2000-01-01T00:00:00", "us"), "seconds since the first row"],
    )
    ok = np.isfinite(figures)
    nat[ok] = origin + np.round(figures[ok] * scale * SECOND).astype("int64").astype("timedelta64[us]")
    return nat, None, [f"Times are {word}."]


def passed(wall: np.ndarray, offset_s: np.ndarray | None, zone: str | None) -> Clock:
    """Return how many seconds really passed between the rows of a wall clock, which is never sorted.

    A repeated hour of autumn and a missing one of spring count as what they are; a clock that was set back goes on by one step.
    """
    notes: list[str] = []
    n = len(wall)
    if n < 2:
        return Clock(wall, np.zeros(n), 0.0)
    true = wall.astype("int64") / SECOND
    if offset_s is not None:
        true = true - offset_s
    d = np.diff(true)
    ahead = d[d > 0]
    step = float(np.median(ahead[:: max(1, len(ahead) // MANY)])) if len(ahead) else 1.0
    same = d == 0
    if same.any() and float(same.mean()) > 0.2:
        true, step = _spread(true)
        d = np.diff(true)
        notes.append(f"Several rows share one written time; they are taken as {step:g} s apart.")
    tolerance = max(2 * step, 120.0)
    changes = _changes(zone, wall) if zone else None
    for at in np.flatnonzero(d < 0):
        if offset_s is None and abs(d[at] + HOUR_S) <= tolerance:
            d[at] = max(d[at] + HOUR_S, 0.0)
            notes.append(f"The hour before {_said(wall[at + 1])} stands twice: clocks were set back.")
        elif (
            offset_s is None
            and changes
            and any(abs(float(wall[at + 1].astype("int64")) / SECOND - c) <= tolerance for c, _ in changes)
        ):
            d[at] = step
        else:
            notes.append(f"The clock was set back by {_span(step - d[at])} at {_said(wall[at])}; counted as one step.")
            d[at] = step
    if offset_s is None:
        for at in np.flatnonzero((d > HOUR_S) & (d < HOUR_S + tolerance)):
            if _spring(wall[at], wall[at + 1], changes):
                d[at] -= HOUR_S
                notes.append(f"The hour after {_said(wall[at])} is missing: clocks were set ahead.")
    usual = d[d > 0][:: max(1, len(d) // MANY)]
    wide = float(np.quantile(usual, 0.95)) if len(usual) else step
    limit = max(4 * step, 2.5 * wide, step + 2.0)
    gaps = [Gap(int(i)) for i in np.flatnonzero(d > limit)]
    t = np.concatenate([[0.0], np.cumsum(d)])
    return Clock(wall, t, step, gaps, notes)


def _spread(true: np.ndarray) -> tuple[np.ndarray, float]:
    """Return times in which rows of one written time stand evenly until the next one."""
    starts = np.flatnonzero(np.diff(true, prepend=true[0] - 1) != 0)
    counts = np.diff(np.append(starts, len(true)))
    lengths = np.diff(true[starts])
    forward = lengths[lengths > 0]
    length = float(np.median(forward)) if len(forward) else 1.0
    per = length / float(np.median(counts))
    out = true.copy()
    # The first group may be cut at its begin: it is counted from its end.
    for k, (s, c) in enumerate(zip(starts, counts, strict=True)):
        first = length - c * per if k == 0 and c * per < length else 0.0
        out[s : s + c] += first + np.arange(c) * min(per, length / c)
    return out, per


def _changes(zone: str, wall: np.ndarray) -> list[tuple[float, float]]:
    """Return when a zone's clocks change within a log: local second before the change, by how much."""
    try:
        tz = zoneinfo.ZoneInfo(zone)
    except (zoneinfo.ZoneInfoNotFoundError, ValueError):
        return []
    out = []
    first, last = wall[0].astype("datetime64[D]").astype(dt.date), wall[-1].astype("datetime64[D]").astype(dt.date)
    day = min(first, last)
    span = min(abs((last - first).days) + 1, 4000)
    for n in range(span):
        this = dt.datetime.combine(day + dt.timedelta(days=n), dt.time(0), tz)
        next = dt.datetime.combine(day + dt.timedelta(days=n + 1), dt.time(0), tz)
        moved = ((next.utcoffset() or dt.timedelta()) - (this.utcoffset() or dt.timedelta())).total_seconds()
        if moved:
            out.append((dt.datetime.combine(day + dt.timedelta(days=n), dt.time(2)).replace(tzinfo=dt.UTC).timestamp(), moved))
    return out


def _spring(before: np.datetime64, after: np.datetime64, changes: list[tuple[float, float]] | None) -> bool:
    """Return whether an hour may be missing between two times because clocks were set ahead."""
    if changes is not None:
        at = float(after.astype("int64")) / SECOND
        return any(moved > 0 and abs(at - c) < 2 * HOUR_S + 1 for c, moved in changes)
    day = before.astype("datetime64[D]").astype(dt.date)
    hour = (after - after.astype("datetime64[D]")) / np.timedelta64(1, "h")
    return day.weekday() == 6 and day.month in SPRING_MONTHS and 1 <= hour <= 3.5


def _said(at: np.datetime64) -> str:
    return str(at.astype("datetime64[s]")).replace("T", " ")


def _span(seconds: float) -> str:
    return f"{seconds:.0f} s" if seconds < 120 else f"{seconds / 60:.0f} min" if seconds < 7200 else f"{seconds / 3600:.1f} h"
