"""A week of intent: stretches of a day, days by name, the first window that covers a minute counts."""

from __future__ import annotations

import datetime as dt
import zoneinfo
from collections.abc import Iterator, Sequence
from functools import lru_cache
from itertools import pairwise
from typing import NamedTuple

from ...documents.job import DAYS, Season, Window
from ...trade.steps import listed

DAY = 1440


class What(NamedTuple):
    """What the bank is for: action, target (0..1, -1 for none), power [W], -1 for none."""

    action: str
    target: float = -1.0
    power: float = -1.0


AUTO = What("auto")


HOLD = What("hold")


# A day is a list of stretches (from, to, what) in minutes, without gaps and each different from the one before.
Stretch = tuple[int, int, What]


Day = tuple[Stretch, ...]


LEAP_YEAR = 2024
"""Any year with a 29th of February."""


def minutes_of(time: str) -> int:
    """Return minutes from midnight of ``HH:MM`` (24:00 is 1440).

    >>> minutes_of('05:30')
    330
    """
    return int(time[:2]) * 60 + int(time[3:])


def time_of(minute: int, end_of_day: str = "24:00") -> str:
    """Return ``HH:MM``; the end of the day as the unit writes it.

    >>> time_of(330)
    '05:30'
    """
    if minute >= DAY:
        return end_of_day
    return f"{minute // 60:02d}:{minute % 60:02d}"


@lru_cache(maxsize=256)
def days_of(text: str) -> frozenset[int]:
    """Return the weekdays (0 Monday) that ``all``, ``mon-fri`` or ``sat,sun`` names; ranges may wrap.

    >>> sorted(days_of('sat,sun'))
    [5, 6]
    """
    if text == "all":
        return frozenset(range(7))
    out: set[int] = set()
    for part in text.split(","):
        first, _, last = part.partition("-")
        a, b = DAYS.index(first), DAYS.index(last or first)
        out |= {d % 7 for d in range(a, b + 1 if b >= a else b + 8)}
    return frozenset(out)


_DAY_NAMES = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")


def days_said(text: str) -> str:
    """Return days of a window as people write them.

    >>> days_said("all"), days_said("mon-fri"), days_said("sat,sun"), days_said("mon,wed")
    ('every day', 'on weekdays', 'at weekends', 'on Mon and Wed')
    """
    days = sorted(days_of(text))
    known = {tuple(range(7)): "every day", (0, 1, 2, 3, 4): "on weekdays", (5, 6): "at weekends"}
    return known.get(tuple(days)) or "on " + listed([_DAY_NAMES[d] for d in days])


def what_of(window: Window) -> What:
    """Return what a window wants; hold needs neither target nor power."""
    if window.action == "hold":
        return HOLD
    return What(
        window.action, -1.0 if window.target_soc is None else window.target_soc, -1.0 if window.power_w is None else window.power_w
    )


def begins(window: Window) -> tuple[int, int, int]:
    """Return whether a window begins on the day after its own (0, 1), its first minute there, and its length [min], 0 where empty."""
    start, end = minutes_of(window.from_), minutes_of(window.to)
    later = int(start == DAY and end != DAY)
    start = 0 if later else start
    return later, start, end - start if end >= start else end - start + DAY


def spans(window: Window) -> Iterator[tuple[int, int, int]]:
    """Yield (weekday, from, to) in minutes; a window over midnight goes on the next day. An empty one yields nothing.

    24:00 as a beginning is the next day's 00:00.
    """
    later, start, length = begins(window)
    end = (start + length - 1) % DAY + 1 if length else start
    for day in sorted((d + later) % 7 for d in days_of(window.days)):
        if start < end:
            yield day, start, end
        elif start > end:
            yield day, start, DAY
            if end > 0:
                yield (day + 1) % 7, 0, end


def covers(first: str, last: str, day: str) -> bool:
    """Return whether a day of the year (MM-DD) lies between two, both within; the stretch may lie over the new year.

    >>> covers('11-01', '02-28', '12-24')
    True
    """
    return first <= day <= last if first <= last else day >= first or day <= last


def dates_of(window: Window, seasons: Sequence[Season]) -> tuple[str, str] | None:
    """Return first and last day of the year (MM-DD) of a window; None where it holds all year."""
    if window.season is not None:
        return next(((s.from_, s.to) for s in seasons if s.name == window.season), None)
    return None if window.from_date is None or window.to_date is None else (window.from_date, window.to_date)


def in_force(windows: Sequence[Window], seasons: Sequence[Season], date: dt.date) -> list[Window]:
    """Return the windows that hold on a date."""
    held = [(w, dates_of(w, seasons)) for w in windows]
    return [w for w, span in held if span is None or covers(*span, date.strftime("%m-%d"))]


class YearPart(NamedTuple):
    """A part of the year in which the same windows hold: first and last day (MM-DD), and which windows."""

    first: str
    last: str
    windows: tuple[int, ...]


def year_parts(windows: Sequence[Window], seasons: Sequence[Season]) -> list[YearPart]:
    """Return the parts of a year in their order, each with other windows than the one before; empty where all hold all year.

    The last part may lie over the new year.
    """
    spans = [dates_of(w, seasons) for w in windows]
    if not any(spans):
        return []
    held = []
    for day in ((dt.date(LEAP_YEAR, 1, 1) + dt.timedelta(days=d)).strftime("%m-%d") for d in range(366)):
        held.append((day, tuple(i for i, span in enumerate(spans) if span is None or covers(*span, day))))
    starts = [k for k in range(366) if held[k][1] != held[k - 1][1]] or [0]
    return [YearPart(held[a][0], held[b - 1][0], held[a][1]) for a, b in pairwise([*starts, starts[0]])]


def painted(ground: What, paint: Sequence[Stretch]) -> Day:
    """Return a day of ``ground`` with stretches painted over it, later ones over earlier ones."""
    cuts = sorted({0, DAY, *(m for a, b, _ in paint for m in (a, b))})
    day: list[Stretch] = []
    for a, b in pairwise(cuts):
        what = next((w for x, y, w in reversed(paint) if x <= a and b <= y), ground)
        if day and day[-1][2] == what:
            day[-1] = (day[-1][0], b, what)
        else:
            day.append((a, b, what))
    return tuple(day)


def minutes(day: Day) -> list[What]:
    """Return what every minute of a day wants."""
    return [what for a, b, what in day for _ in range(b - a)]


def differ(wanted: Day, gets: Day) -> Iterator[tuple[int, int, What, What]]:
    """Yield (from, to, wanted, gets) where two days differ."""
    i = k = 0
    while i < len(wanted) and k < len(gets):
        a, b = max(wanted[i][0], gets[k][0]), min(wanted[i][1], gets[k][1])
        if a < b and wanted[i][2] != gets[k][2]:
            yield a, b, wanted[i][2], gets[k][2]
        i, k = i + (wanted[i][1] == b), k + (gets[k][1] == b)


def intent_days(windows: Sequence[Window]) -> list[Day]:
    """Return the intent of the seven days, Monday first; the first window that covers a minute counts."""
    paint: list[list[Stretch]] = [[] for _ in range(7)]
    for window in reversed(windows):
        what = what_of(window)
        for day, start, end in spans(window):
            paint[day].append((start, end, what))
    return [painted(AUTO, day) for day in paint]


def intent_week(windows: Sequence[Window]) -> list[list[What]]:
    """Return the intent of every minute of the week, Monday first."""
    return [minutes(day) for day in intent_days(windows)]


def intent_on(windows: Sequence[Window], date: dt.date, zone: str) -> list[What]:
    """Return the intent of every elapsed minute of a date in a time zone: 1380 or 1500 of them when the clock changes."""
    week = intent_week(windows)
    return [week[day][minute] for day, minute in local_minutes(date, zone)]


def local_minutes(date: dt.date, zone: str) -> list[tuple[int, int]]:
    """Return (weekday, minute of the local clock) for every elapsed minute of a date in a time zone."""
    tz = zoneinfo.ZoneInfo(zone)
    begin = dt.datetime.combine(date, dt.time(), tz).astimezone(dt.UTC)
    end = dt.datetime.combine(date + dt.timedelta(days=1), dt.time(), tz).astimezone(dt.UTC)
    out = []
    for k in range(int((end - begin).total_seconds() // 60)):
        local = (begin + dt.timedelta(minutes=k)).astimezone(tz)
        out.append((local.weekday(), local.hour * 60 + local.minute))
    return out
