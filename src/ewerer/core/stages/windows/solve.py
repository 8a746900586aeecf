"""Stage Windows: intent, each unit's own slots, and the difference between the two.

Intent is a list of windows on days of the week; the first that covers a minute counts. A minute without a
window is ``auto``: the unit does what its source order says. Slots are compiled so that they differ from
the intent in as few minutes of the week as the unit's form allows, then expanded again and compared.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from functools import lru_cache
from itertools import pairwise

from ...devices.slots.forms import compile_slots, sayable, slots_day
from ...devices.slots.week import (
    DAY,
    Day,
    YearPart,
    covers,
    dates_of,
    days_of,
    differ,
    in_force,
    intent_days,
    minutes_of,
    spans,
    time_of,
    what_of,
    year_parts,
)
from ...documents.job import DAYS, Job, Season, Tariff, Window
from ...documents.profiles import InverterProfile, SlotForm
from ...documents.results.windows import Clash, PriceStretch, Segment, Slot, UnitWindows, WindowsPlan, YearSlots
from ..solved import Unit


def compare(windows: Sequence[Window], slots: Sequence[Slot], form: SlotForm, loads_w: float) -> tuple[int, float, list[Segment]]:
    """Return minutes a week in which the slots differ from the intent, the energy that stands for [kWh], and where."""
    off, loaded, kwh, where = _compared(tuple(windows), slots_day(slots, form), form)
    return off, round(kwh + loaded * loads_w / 60_000, 3), list(where)


@lru_cache(maxsize=64)
def _compared(windows: tuple[Window, ...], made: Day, form: SlotForm) -> tuple[int, int, float, tuple[Segment, ...]]:
    """Return minutes a week that differ, those of them at the loads' power, energy of the rest [kWh], and where."""
    off, loaded, kwh = 0, 0, 0.0
    where: list[Segment] = []
    for d, day in enumerate(sayable(intent_days(windows), form)):
        for a, b, wanted, gets in differ(day, made):
            off += b - a
            power = max(wanted.power, gets.power, 0.0)
            kwh += (b - a) * power / 60_000
            loaded += 0 if power else b - a
            where.append(Segment(days=DAYS[d], start=time_of(a), end=time_of(b), wanted=wanted.action, gets=gets.action))
    return off, loaded, kwh, tuple(_joined(where))


def _joined(where: Sequence[Segment]) -> list[Segment]:
    """Return segments with days of equal times written together."""
    out: dict[tuple[str, str, str, str], list[str]] = {}
    for s in where:
        out.setdefault((s.start, s.end, s.wanted, s.gets), []).append(s.days)
    return [Segment(days=",".join(days), start=a, end=b, wanted=w, gets=g) for (a, b, w, g), days in out.items()]


def acts_alone(profile: InverterProfile) -> bool:
    """Return whether a unit's slots must be entered although no window is wanted: they act without a master switch."""
    if profile.slots is None or not any(s.slot for s in profile.settings):
        return False
    return profile.slots.rests_without_master or profile.setting_for("windows_on") is None


@lru_cache(maxsize=64)
def _compiled(windows: tuple[Window, ...], form: SlotForm) -> tuple[Slot, ...]:
    """Return the slots of an intent; kept, since most edits of a job leave its windows as they are."""
    return tuple(compile_slots(windows, form))


def _said(windows: Sequence[Window], form: SlotForm, loads_w: float) -> tuple[list[Slot], int, float, list[Segment]]:
    """Return the slots for windows, and how they differ from them: minutes and kWh a week, and where."""
    slots = list(_compiled(tuple(windows), form))
    return slots, *compare(windows, slots, form, loads_w)


def plan_windows(job: Job, units: Sequence[Unit]) -> WindowsPlan:
    """Return the intent and, for every unit that has slots, its slots and how they differ from the intent."""
    loads = job.loads.continuous_w or (job.loads.daily_wh or 0.0) / 24
    date = dt.date.fromisoformat(job.flow.start)
    now, parts = in_force(job.windows, job.seasons, date), year_parts(job.windows, job.seasons)
    done: dict[str, tuple[tuple[list[Slot], int, float, list[Segment]], list[YearSlots]]] = {}
    out = []
    for u in units:
        form = u.profile.slots
        if form is None or (not job.windows and not acts_alone(u.profile)):
            continue
        if u.profile.id not in done:
            done[u.profile.id] = _said(now, form, loads), [_part(job, p, form, loads) for p in parts]
        (slots, off, kwh, where), year = done[u.profile.id]
        out.append(
            UnitWindows(unit=u.id, form=form.form, slots=slots, differs_minutes=off, differs_kwh=kwh, where=where, year=year)
        )
    tariff = tariff_on(job, date)
    return WindowsPlan(
        intent=[w.to_data() for w in job.windows],
        date=job.flow.start,
        units=out,
        clashes=clashes(job.windows, job.seasons),
        prices=price_week(tariff) if tariff else [],
    )


def _part(job: Job, part: YearPart, form: SlotForm, loads_w: float) -> YearSlots:
    """Return a unit's slots in one part of the year."""
    slots, off, kwh, _ = _said([job.windows[i] for i in part.windows], form, loads_w)
    return YearSlots(
        from_date=part.first, to_date=part.last, windows=list(part.windows), slots=slots, differs_minutes=off, differs_kwh=kwh
    )


def tariff_on(job: Job, date: dt.date) -> Tariff | None:
    """Return the tariff of a date: that of the first season which holds and has one, else the job's."""
    day = date.strftime("%m-%d")
    return next((s.tariff for s in job.seasons if s.tariff is not None and covers(s.from_, s.to, day)), job.tariff)


def clashes(windows: Sequence[Window], seasons: Sequence[Season] = ()) -> list[Clash]:
    """Return every stretch in which two windows want different things, by pairs of windows, then in the order of the week."""
    return list(_clashes(tuple(windows), tuple(dates_of(w, seasons) for w in windows)))


@lru_cache(maxsize=64)
def _clashes(windows: tuple[Window, ...], dates: tuple[tuple[str, str] | None, ...]) -> tuple[Clash, ...]:
    """Return the clashes of windows; ``dates`` are first and last day (MM-DD) of each, None all year."""
    out = []
    held = [list(spans(w)) for w in windows]
    for j, later in enumerate(windows):
        for i, earlier in enumerate(windows[:j]):
            one, other = dates[i], dates[j]
            apart = one is not None and other is not None and not (covers(*one, other[0]) or covers(*other, one[0]))
            if apart or what_of(earlier) == what_of(later):
                continue
            for d, a, b in held[j]:
                out += [
                    Clash(day=d, start=max(a, x), end=min(b, y), first=i, second=j)
                    for e, x, y in held[i]
                    if e == d and max(a, x) < min(b, y)
                ]
    return tuple(out)


def price_week(tariff: Tariff) -> list[PriceStretch]:
    """Return the prices of the week in stretches; the first price that covers a minute counts, the base elsewhere.

    A price over midnight covers the evening and the morning of each of its days.
    """
    out: list[PriceStretch] = []
    for day in range(7):
        cuts = {0, DAY}
        mine = []
        for p in tariff.prices:
            if day in days_of(p.days):
                a, b = minutes_of(p.from_), minutes_of(p.to)
                mine.append((a, b, p))
                cuts |= {a, b}
        begin = len(out)
        for a, b in pairwise(sorted(cuts)):
            found = next((p for x, y, p in mine if (x <= a and b <= y if x < y else b <= y or a >= x)), None)
            price = found.price if found else tariff.base
            export = found.export if found and found.export is not None else tariff.export
            last = out[-1] if len(out) > begin else None
            if last is not None and (last.price, last.export) == (price, export):
                out[-1] = last.model_copy(update={"end": b})
            else:
                out.append(PriceStretch(day=day, start=a, end=b, price=price, export=export))
    return out
