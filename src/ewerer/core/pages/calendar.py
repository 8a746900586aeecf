"""Windows and what is due as iCalendar."""

from __future__ import annotations

import datetime as dt
import zoneinfo
from collections.abc import Iterable, Iterator

from ..devices.slots.week import begins, covers, dates_of, days_of
from ..documents.job import Job
from ..documents.results.run import Due


def _days(first: dt.date) -> Iterator[dt.date]:
    """Yield two years of days from one on."""
    return (first + dt.timedelta(days=d) for d in range(732))


def calendar(job: Job) -> bytes:
    """Return the windows as iCalendar: a weekly event for each, in the site's time zone."""
    from icalendar import Calendar, Event

    made = Calendar()
    made.add("prodid", "-//Ewerer//windows//EN")
    made.add("version", "2.0")
    tz = zoneinfo.ZoneInfo(job.site.time_zone)
    monday = dt.date.fromisoformat(job.flow.start)
    monday += dt.timedelta(days=-monday.weekday())
    names = ("MO", "TU", "WE", "TH", "FR", "SA", "SU")
    for i, w in enumerate(job.windows):
        later, start, length = begins(w)
        if not length:
            continue
        days = sorted((d + later) % 7 for d in days_of(w.days))
        first = monday + dt.timedelta(days=days[0])
        span, until = dates_of(w, job.seasons), None
        if span is not None:
            # A window of a season: from its first day of the kind after the start until the season ends.
            first = next(d for d in _days(monday) if covers(*span, d.strftime("%m-%d")) and d.weekday() in days)
            last = next(d for d in _days(first) if not covers(*span, d.strftime("%m-%d")) or (d - first).days > 365)
            until = dt.datetime.combine(last, dt.time(), tz).astimezone(dt.UTC) - dt.timedelta(seconds=1)
        begin = dt.datetime.combine(first, dt.time(start // 60, start % 60), tz)
        event = Event()
        event.add("uid", f"window-{i}@{job.name.encode().hex()[:24]}")
        event.add("summary", f"{job.name}: {w.action}" + (f" to {round(w.target_soc * 100)} %" if w.target_soc is not None else ""))
        event.add("dtstart", begin)
        event.add("dtend", (begin.replace(tzinfo=None) + dt.timedelta(minutes=length)).replace(tzinfo=tz))
        event.add("dtstamp", dt.datetime.combine(monday, dt.time(), dt.UTC))
        rule: dict[str, object] = {"freq": "weekly", "byday": [names[d] for d in days]}
        event.add("rrule", rule | ({"until": until} if until is not None else {}))
        made.add_component(event)
    return bytes(made.to_ical())


def due_calendar(due: Iterable[Due], name: str = "Ewerer") -> bytes:
    """Return what is due as iCalendar: a whole day for each."""
    from icalendar import Calendar, Event

    made = Calendar()
    made.add("prodid", "-//Ewerer//due//EN")
    made.add("version", "2.0")
    made.add("x-wr-calname", name)
    for d in due:
        event = Event()
        day = dt.date.fromisoformat(d.date)
        event.add("uid", f"{d.job or name}-{d.kind}-{d.step or d.what}-{d.date}@ewerer".replace(" ", "-"))
        event.add("summary", f"{d.name}: {d.what}" if d.name else d.what)
        event.add("dtstart", day)
        event.add("dtend", day + dt.timedelta(days=1))
        event.add("dtstamp", dt.datetime.combine(day, dt.time(), dt.UTC))
        made.add_component(event)
    return bytes(made.to_ical())
