"""Stage Windows: intent, each unit's own slots, and the difference between the two.

Intent is a list of windows on days of the week; the first that covers a minute counts. A minute without a
window is ``auto``: the unit does what its source order says. Slots are compiled so that they differ from
the intent in as few minutes of the week as the unit's form allows, then expanded again and compared.
"""

from __future__ import annotations

import datetime as dt
import zoneinfo
from collections import Counter
from collections.abc import Iterator, Sequence
from functools import lru_cache
from itertools import pairwise
from typing import TYPE_CHECKING, Literal, NamedTuple

from .documents.job import DAYS, Job, Window
from .documents.plan import Finding, Segment, Slot, UnitWindows, WindowsPlan
from .documents.profiles import SlotForm
from .findings import Rule, check, formula_rule

if TYPE_CHECKING:
    from .plan import Context
    from .units import Unit

DAY = 1440
COMPILE = formula_rule(
    "windows-compile",
    "windows",
    "Slots say what the intent says, or differ from it as little as the unit's form allows",
    "min over slots of minutes(expand(slots) != intent)",
)
DST = formula_rule(
    "windows-dst", "windows", "Windows follow the site's clock, also on days of 23 and 25 hours", "minute = local wall clock"
)


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


def minutes_of(time: str) -> int:
    """Return minutes from midnight of ``HH:MM`` (24:00 is 1440)."""
    return int(time[:2]) * 60 + int(time[3:])


def time_of(minute: int, end_of_day: str = "24:00") -> str:
    """Return ``HH:MM``; the end of the day as the unit writes it."""
    if minute >= DAY:
        return end_of_day
    return f"{minute // 60:02d}:{minute % 60:02d}"


@lru_cache(maxsize=256)
def days_of(text: str) -> frozenset[int]:
    """Return the weekdays (0 Monday) that ``all``, ``mon-fri`` or ``sat,sun`` names; ranges may wrap."""
    if text == "all":
        return frozenset(range(7))
    out: set[int] = set()
    for part in text.split(","):
        first, _, last = part.partition("-")
        a, b = DAYS.index(first), DAYS.index(last or first)
        out |= {d % 7 for d in range(a, b + 1 if b >= a else b + 8)}
    return frozenset(out)


def what_of(window: Window) -> What:
    """Return what a window wants; hold needs neither target nor power."""
    if window.action == "hold":
        return HOLD
    return What(
        window.action, -1.0 if window.target_soc is None else window.target_soc, -1.0 if window.power_w is None else window.power_w
    )


def spans(window: Window) -> Iterator[tuple[int, int, int]]:
    """Yield (weekday, from, to) in minutes; a window over midnight goes on the next day. An empty one yields nothing."""
    start, end = minutes_of(window.from_), minutes_of(window.to)
    for day in sorted(days_of(window.days)):
        if start < end:
            yield day, start, end
        elif start > end:
            yield day, start, DAY
            if end > 0:
                yield (day + 1) % 7, 0, end


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


# Slots


def _turned(day: Day, by: int) -> Day:
    """Return a day that begins at another minute."""
    turned = [(a - by, b - by, w) for a, b, w in day] + [(a - by + DAY, b - by + DAY, w) for a, b, w in day]
    return painted(AUTO, [(max(a, 0), min(b, DAY), w) for a, b, w in turned if b > 0 and a < DAY])


def _edges(week: Counter[Day], step: int, last: int, offset: int = 0) -> list[int]:
    """Return where slots may begin and end: every change of the intent, rounded both ways to the unit's step.

    ``offset`` is where the unit's grid of steps lies when the day is turned.
    """
    edges = {0, last}
    for start in {a for day in week for a, _, _ in day}:
        edges |= {(start - offset) // step * step + offset, -(-(start - offset) // step) * step + offset}
    return sorted(e for e in edges if 0 <= e <= last)


def _fit(
    week: Counter[Day], form: SlotForm, labels: Sequence[What], most: dict[str, int], last: int, offset: int = 0
) -> list[Stretch]:
    """Return the program of a day that differs from the week in the fewest minutes.

    ``most`` limits the number of stretches by action, ``*`` the number of all. Dynamic programming over the
    edges of the intent: an optimum never needs another edge.
    """
    edges = _edges(week, form.step_min, last, offset)
    cost: list[dict[What, int]] = []
    for a, b in pairwise(edges):
        right: Counter[What] = Counter()
        for day, times in week.items():
            for x, y, what in day:
                if x < b and a < y:
                    right[what] += (min(b, y) - max(a, x)) * times
        cost.append({w: (b - a) * week.total() - right[w] for w in labels})
    limited = [k for k in most if k != "*"]
    start = tuple(0 for _ in (*limited, "*"))
    best: dict[tuple[tuple[int, ...], What | None], tuple[int, int, tuple[tuple[int, What], ...]]] = {(start, None): (0, 0, ())}
    for i, prices in enumerate(cost):
        after: dict[tuple[tuple[int, ...], What | None], tuple[int, int, tuple[tuple[int, What], ...]]] = {}
        for (used, now), (paid, pieces, path) in best.items():
            for what, price in prices.items():
                counts = used
                if what != now:
                    more = [n + (action == what.action) for n, action in zip(used, limited, strict=False)]
                    counts = (*more, used[-1] + 1)
                    if any(n > most[k] for n, k in zip(more, limited, strict=True)) or counts[-1] > most.get("*", 999):
                        continue
                key = (counts, what)
                worth = (paid + price, pieces + (what != now))
                if key not in after or worth < after[key][:2]:
                    after[key] = (*worth, path if what == now else (*path, (edges[i], what)))
        best = after
    path = min(best.values(), key=lambda t: t[:2])[2]
    ends = [*(s for s, _ in path[1:]), last]
    return [(s, e, w) for (s, w), e in zip(path, ends, strict=True)]


def sayable(week: Sequence[Day], form: SlotForm) -> list[Day]:
    """Return the intent in what a form can say at all: without target and power where it has no place for them."""
    if form.target != "none":
        return list(week)
    return [painted(AUTO, [(a, b, What(w.action)) for a, b, w in day]) for day in week]


def compile_slots(windows: Sequence[Window], form: SlotForm) -> list[Slot]:
    """Return the unit's slots for an intent, in the unit's own form."""
    week = Counter(sayable(intent_days(windows), form))
    used = sorted({w for day in week for _, _, w in day} - {AUTO})
    if form.form == "pairs":
        return _pairs(week, used, form)
    if form.form == "six":
        return _six(week, used, form)
    return _single(week, used, form)


def _slot(kind: Literal["charge", "discharge", "slot"], start: int, end: int, what: What, form: SlotForm, note: str = "") -> Slot:
    return Slot(
        kind=kind,
        start=time_of(start, form.end_of_day),
        end=time_of(end, form.end_of_day),
        target_soc=what.target if what.target >= 0 else None,
        power_w=what.power if what.power >= 0 else None,
        charge_allowed=what.action == "charge",
        holds=what.action == "hold",
        exports=what.action == "export",
        free=what == AUTO,
        note=note,
    )


def _pairs(week: Counter[Day], used: Sequence[What], form: SlotForm) -> list[Slot]:
    labels = [AUTO, *(w for w in used if w.action in ("charge", "use", "export"))]
    last = DAY if form.end_of_day == "24:00" else DAY - 1
    program = _fit(
        week, form, labels, {"charge": form.charge_slots, "use": form.discharge_slots, "export": form.discharge_slots}, last
    )
    slots = [_slot("charge" if w.action == "charge" else "discharge", a, b, w, form) for a, b, w in program if w != AUTO]
    discharge = [s for s in slots if s.kind == "discharge"]
    return [s for s in slots if s.kind == "charge"] + discharge[: form.discharge_slots]


def _six(week: Counter[Day], used: Sequence[What], form: SlotForm) -> list[Slot]:
    count = max(1, form.charge_slots)
    program = _fit(week, form, [AUTO, *used], {"*": count}, DAY)
    pieces = list(program)
    while len(pieces) < count:
        i = max(range(len(pieces)), key=lambda k: pieces[k][1] - pieces[k][0])
        a, b, w = pieces[i]
        cut = a + max(form.step_min, (b - a) // 2 // form.step_min * form.step_min)
        pieces[i : i + 1] = [(a, cut, w), (cut, b, w)]
    return [
        _slot("slot", a, b, w, form, "repeats the slot before, to make six" if i and w == pieces[i - 1][2] else "")
        for i, (a, b, w) in enumerate(pieces)
    ]


def _single(week: Counter[Day], used: Sequence[What], form: SlotForm) -> list[Slot]:
    """Return one charging and one discharging window; both may lie over midnight. Outside the second the unit holds."""
    charge = [w for w in used if w.action == "charge"]
    use = [w for w in used if w.action in ("use", "export")]
    turns = [e for e in _edges(week, form.step_min, DAY) if e < DAY]
    whole = DAY if form.end_of_day == "24:00" else DAY - 1
    parked = (DAY - 1 - form.step_min) // form.step_min * form.step_min
    best: tuple[int, int, list[Slot]] | None = None
    for turn in turns:
        turned = Counter({_turned(day, turn): times for day, times in week.items()})
        for free in (None, AUTO, *use):
            pool = [AUTO, *charge] if free is None else [HOLD, free, *charge]
            limit = {"charge": 1} if free is None else {"charge": 1, free.action: 1}
            program = [((a + turn) % DAY, (b + turn) % DAY or DAY, w) for a, b, w in _fit(turned, form, pool, limit, DAY, -turn)]
            slots = [_slot("charge", a, b, w, form) for a, b, w in program if w.action == "charge"]
            if free is None:
                slots.append(_slot("discharge", 0, whole, AUTO, form, WHOLE_DAY))
            else:
                slots += [_slot("discharge", a, b, w, form) for a, b, w in program if w == free]
            if not any(x.kind == "charge" for x in slots):
                slots.insert(0, _slot("charge", parked, parked + form.step_min, What("charge"), form, PARKED))
            if not any(x.kind == "discharge" for x in slots):
                slots.append(_slot("discharge", parked, parked + form.step_min, AUTO, form, PARKED))
            made = slots_day(slots, form)
            off = sum((b - a) * times for day, times in week.items() for a, b, _, _ in differ(day, made))
            if best is None or (off, len(program)) < best[:2]:
                best = (off, len(program), slots)
    assert best is not None
    return best[2]


WHOLE_DAY = "the whole day: the bank may always be used"
PARKED = "parked on one harmless stretch: an empty window misbehaves on this unit"


def expand_slots(slots: Sequence[Slot], form: SlotForm) -> list[What]:
    """Return what the unit does in every minute of any day by its slots."""
    return minutes(slots_day(slots, form))


def slots_day(slots: Sequence[Slot], form: SlotForm) -> Day:
    """Return what the unit does in any day by its slots."""
    paint: list[Stretch] = []

    def put(s: Slot, what: What) -> None:
        a, b = minutes_of(s.start), minutes_of(s.end)
        paint.extend([(a, b, what)] if a < b else [(a, DAY, what), (0, b, what)])

    def of(s: Slot, action: str) -> What:
        return What(action, -1.0 if s.target_soc is None else s.target_soc, -1.0 if s.power_w is None else s.power_w)

    if form.form == "six":
        for s in slots:
            put(s, _six_means(s))
        return painted(AUTO, paint)
    for s in slots:
        if s.kind == "discharge" and not (form.form == "single" and s.note == PARKED):
            put(s, AUTO if s.free else of(s, "export" if s.exports else "use"))
    for s in slots:
        if s.kind == "charge" and s.note != PARKED:
            put(s, of(s, "charge"))
    return painted(HOLD if form.form == "single" else AUTO, paint)


def _six_means(s: Slot) -> What:
    if s.charge_allowed:
        return What("charge", -1.0 if s.target_soc is None else s.target_soc, -1.0 if s.power_w is None else s.power_w)
    if s.holds:
        return HOLD
    if s.target_soc is None and s.power_w is None:
        return AUTO
    return What(
        "export" if s.exports else "use", -1.0 if s.target_soc is None else s.target_soc, -1.0 if s.power_w is None else s.power_w
    )


def compare(windows: Sequence[Window], slots: Sequence[Slot], form: SlotForm, loads_w: float) -> tuple[int, float, list[Segment]]:
    """Return minutes a week in which the slots differ from the intent, the energy that stands for [kWh], and where."""
    made = slots_day(slots, form)
    off, kwh = 0, 0.0
    where: list[Segment] = []
    for d, day in enumerate(sayable(intent_days(windows), form)):
        for a, b, wanted, gets in differ(day, made):
            off += b - a
            kwh += (b - a) * (max(wanted.power, gets.power, 0.0) or loads_w) / 60_000
            where.append(Segment(days=DAYS[d], start=time_of(a), end=time_of(b), wanted=wanted.action, gets=gets.action))
    return off, round(kwh, 3), _joined(where)


def _joined(where: Sequence[Segment]) -> list[Segment]:
    """Return segments with days of equal times written together."""
    out: dict[tuple[str, str, str, str], list[str]] = {}
    for s in where:
        out.setdefault((s.start, s.end, s.wanted, s.gets), []).append(s.days)
    return [Segment(days=",".join(days), start=a, end=b, wanted=w, gets=g) for (a, b, w, g), days in out.items()]


def plan_windows(job: Job, units: Sequence[Unit]) -> WindowsPlan:
    """Return the intent and, for every unit that has slots, its slots and how they differ from the intent."""
    loads = job.loads.continuous_w or (job.loads.daily_wh or 0.0) / 24
    done: dict[str, tuple[list[Slot], int, float, list[Segment]]] = {}
    out = []
    for u in units:
        form = u.profile.slots
        if form is None or not job.windows:
            continue
        if u.profile.id not in done:
            slots = compile_slots(job.windows, form)
            done[u.profile.id] = (slots, *compare(job.windows, slots, form, loads))
        slots, off, kwh, where = done[u.profile.id]
        out.append(UnitWindows(unit=u.id, form=form.form, slots=slots, differs_minutes=off, differs_kwh=kwh, where=where))
    return WindowsPlan(intent=[w.to_data() for w in job.windows], units=out)


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
        days = sorted(days_of(w.days))
        start, end = minutes_of(w.from_), minutes_of(w.to)
        if start == end:
            continue
        first = monday + dt.timedelta(days=days[0])
        begin = dt.datetime.combine(first, dt.time(start // 60 % 24, start % 60), tz)
        length = end - start if end > start else end - start + DAY
        event = Event()
        event.add("uid", f"window-{i}@{job.name.encode().hex()[:24]}")
        event.add("summary", f"{job.name}: {w.action}" + (f" to {round(w.target_soc * 100)} %" if w.target_soc is not None else ""))
        event.add("dtstart", begin)
        event.add("dtend", (begin.replace(tzinfo=None) + dt.timedelta(minutes=length)).replace(tzinfo=tz))
        event.add("dtstamp", dt.datetime.combine(monday, dt.time(), dt.UTC))
        event.add("rrule", {"freq": "weekly", "byday": [names[d] for d in days]})
        made.add_component(event)
    return bytes(made.to_ical())


@check(
    "windows-overlap", "windows", "No two windows want different things in the same minute", "action_i = action_j where they meet"
)
def _overlap(rule: Rule, ctx: Context) -> Iterator[Finding]:
    windows = ctx.job.windows
    for j in range(len(windows)):
        for i in range(j):
            if what_of(windows[i]) == what_of(windows[j]):
                continue
            mine: dict[int, list[tuple[int, int]]] = {}
            for d, a, b in spans(windows[i]):
                mine.setdefault(d, []).append((a, b))
            meet = [(d, max(a, x), min(b, y)) for d, a, b in spans(windows[j]) for x, y in mine.get(d, ()) if max(a, x) < min(b, y)]
            if meet:
                d, a, b = meet[0]
                yield rule.finding(
                    "caution",
                    f"Windows {i + 1} and {j + 1} overlap",
                    f"On {', '.join(dict.fromkeys(DAYS[k] for k, _, _ in meet))} from {time_of(a)} to {time_of(b)} one wants {windows[i].action}, the other "
                    f"{windows[j].action}; the first counts.",
                    f"/windows/{j}",
                    "Move one of them.",
                    windows=[i, j],
                    minutes=sum(y - x for _, x, y in meet),
                )


@check("windows-empty", "windows", "A window has a length", "from != to")
def _empty(rule: Rule, ctx: Context) -> Iterator[Finding]:
    for i, w in enumerate(ctx.job.windows):
        if not list(spans(w)):
            yield rule.finding(
                "caution",
                f"Window {i + 1} is empty",
                f"It begins and ends at {w.from_}.",
                f"/windows/{i}",
                "Give it an end, or take it out.",
            )


@check("windows-inexpressible", "windows", "The unit's slots can say what is meant", "minutes(expand(slots) != intent) = 0")
def _differs(rule: Rule, ctx: Context) -> Iterator[Finding]:
    seen = set()
    for u in ctx.windows.units:
        unit = next(x for x in ctx.units if x.id == u.unit)
        if u.differs_minutes and unit.profile.id not in seen:
            seen.add(unit.profile.id)
            some = "; ".join(f"{s.days} {s.start} to {s.end}: {s.gets} instead of {s.wanted}" for s in u.where[:3])
            yield rule.finding(
                "note" if u.differs_minutes <= 14 else "caution",
                f"{unit.profile.name} cannot say these windows exactly",
                f"Its closest slots differ in {u.differs_minutes} minutes a week, about {u.differs_kwh:g} kWh: {some}"
                + (f"; and {len(u.where) - 3} more" if len(u.where) > 3 else "")
                + ".",
                "/windows",
                "Accept it, or change the windows to what the unit can say.",
                minutes=u.differs_minutes,
                kwh=u.differs_kwh,
            )


@check("windows-no-target", "windows", "A target needs a unit that keeps one", "form has a place for the target")
def _no_target(rule: Rule, ctx: Context) -> Iterator[Finding]:
    wanted = [i for i, w in enumerate(ctx.job.windows) if w.target_soc is not None or w.power_w is not None]
    deaf = [u for u in ctx.units if u.profile.slots is not None and u.profile.slots.target == "none"]
    if wanted and deaf:
        yield rule.finding(
            "note",
            f"{deaf[0].profile.name} keeps no target in its windows",
            "It charges to full and uses the bank down to its own thresholds; target and power of the windows are not entered.",
            f"/windows/{wanted[0]}",
            windows=wanted,
        )


@check("windows-idle", "windows", "Windows need a unit that has slots", "slots exist")
def _idle(rule: Rule, ctx: Context) -> Iterator[Finding]:
    if ctx.job.windows and ctx.units and not any(u.profile.slots for u in ctx.units):
        yield rule.finding(
            "caution",
            "No unit keeps windows",
            "None of the units has time slots.",
            "/windows",
            "Take the windows out, or use a controller.",
        )


@check(
    "windows-charge-forbidden",
    "windows",
    "A charging window needs a charge order that lets the mains charge",
    "charge order allows mains",
)
def _forbidden(rule: Rule, ctx: Context) -> Iterator[Finding]:
    if ctx.job.policy.charge_order == "sun-only" and any(w.action == "charge" for w in ctx.job.windows):
        yield rule.finding(
            "caution",
            "A charging window that may not charge",
            "The charge order is sun only, so the mains do not charge in it.",
            "/policy/charge_order",
            "Let the mains charge, or take the window out.",
        )
    if any(w.action == "charge" for w in ctx.job.windows) and not {"mains", "generator"} & set(ctx.job.site.sources):
        yield rule.finding(
            "caution", "Nothing to charge from", "A charging window needs mains or a generator.", "/windows", "Take it out."
        )
