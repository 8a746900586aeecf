"""Windows: intent, the three slot forms, midnight, daylight saving, overlap, the calendar file."""

import datetime as dt
import itertools
import json

import icalendar
import numpy as np
import pytest
from hypothesis import given, settings, strategies as st

from ewerer.core.devices.library import Library, parse_job, parse_profile, shipped_library
from ewerer.core.devices.slots.forms import compile_slots, expand_slots, sayable
from ewerer.core.devices.slots.week import (
    AUTO,
    DAY,
    HOLD,
    What,
    days_of,
    intent_days,
    intent_on,
    intent_week,
    local_minutes,
    minutes,
    minutes_of,
    spans,
    time_of,
)
from ewerer.core.documents.job import Tariff, Window
from ewerer.core.documents.profiles import SlotForm
from ewerer.core.flow.scenario import prices_of
from ewerer.core.pages.calendar import calendar
from ewerer.core.plan import plan
from ewerer.core.stages.windows.solve import clashes, compare, price_week
from tests import cases
from tests.jobs import SKERRY, TARN, changed, job_of, plan_of, rules
from tests.sizes import size

PAIRS = SlotForm(form="pairs", charge_slots=3, discharge_slots=3, step_min=1, end_of_day="24:00")
PAIRS_2359 = PAIRS.model_copy(update={"end_of_day": "23:59"})
SIX = SlotForm(form="six", charge_slots=6, step_min=5, end_of_day="24:00")
SINGLE = SlotForm(form="single", step_min=15, end_of_day="24:00", target="none")


def w(start, end, action="charge", days="all", **more):
    return Window.model_validate({"from": start, "to": end, "action": action, "days": days} | more)


def differs(windows, form):
    slots = compile_slots(windows, form)
    return compare(windows, slots, form, 1000)[0]


@st.composite
def daily_intents(draw, step, most, actions, over_midnight=True):
    """Windows kept every day that do not touch: what a form with enough slots can say."""
    count = draw(st.integers(0, most))
    cuts = sorted(draw(st.lists(st.integers(0, DAY // step - 1), min_size=2 * count, max_size=2 * count, unique=True)))
    turn = draw(st.integers(0, 1)) if over_midnight else 0
    marks = [c * step for c in cuts]
    marks = marks[turn:] + marks[:turn]
    out = []
    for a, b in zip(marks[::2], marks[1::2], strict=True):
        action = draw(st.sampled_from(actions))
        more = (
            {}
            if action == "hold"
            else {"target_soc": draw(st.sampled_from([0.3, 0.8])), "power_w": draw(st.sampled_from([1000.0, 3000.0]))}
        )
        out.append(w(time_of(a), time_of(b), action, **more))
    return out


@settings(max_examples=size(20, 240))
@given(daily_intents(1, 2, ["charge", "use"]))
def test_pairs_say_exactly_what_is_wanted(windows):
    """Rule windows-compile."""
    slots = compile_slots(windows, PAIRS)
    assert all(d == expand_slots(slots, PAIRS) for d in intent_week(windows))
    kinds = [s.kind for s in slots]
    assert kinds.count("charge") <= 3 and kinds.count("discharge") <= 3
    assert all(minutes_of(s.start) < minutes_of(s.end) for s in slots), "none empty, none over midnight"
    busy = sorted((minutes_of(s.start), minutes_of(s.end)) for s in slots)
    assert all(a[1] <= b[0] for a, b in itertools.pairwise(busy)), "no overlap"


@settings(max_examples=size(20, 240))
@given(daily_intents(5, 2, ["charge", "hold", "use", "export"]))
def test_six_slots_say_exactly_what_is_wanted_and_cover_the_day(windows):
    slots = compile_slots(windows, SIX)
    assert len(slots) == 6
    assert slots[0].start == "00:00" and slots[-1].end == "24:00"
    assert all(a.end == b.start for a, b in itertools.pairwise(slots))
    assert all(minutes_of(s.start) < minutes_of(s.end) for s in slots)
    if len(intent_days(windows)[0]) <= 6:
        assert all(d == expand_slots(slots, SIX) for d in intent_week(windows))


@settings(max_examples=size(20, 120))
@given(daily_intents(15, 1, ["charge"]))
def test_a_single_pair_says_one_charging_window_also_over_midnight(windows):
    assert differs(windows, SINGLE) == (0 if windows else 7 * 15), "without one a step by day is parked, and counted"


@settings(max_examples=size(15, 100), deadline=None)
@given(daily_intents(15, 3, ["charge", "hold", "use"]), st.sampled_from([PAIRS, SIX, SINGLE]))
def test_the_stated_difference_is_the_true_one(windows, form):
    slots = compile_slots(windows, form)
    off, kwh, where = compare(windows, slots, form, 1000)
    week, day = [minutes(d) for d in sayable(intent_days(windows), form)], expand_slots(slots, form)
    assert off == sum(a != b for d in week for a, b in zip(d, day, strict=True))
    assert (off == 0) == (where == []) == (kwh == 0)
    assert sum((minutes_of(s.end) - minutes_of(s.start)) * len(s.days.split(",")) for s in where) == off


def test_closest_program_is_found_where_a_form_is_too_small():
    four = [w(f"{h:02d}:00", f"{h:02d}:{m}") for h, m in ((1, "50"), (4, "40"), (7, "30"), (10, "20"))]
    assert differs(four, PAIRS) == 7 * 20, "the shortest of four is left out"


def test_days_that_differ_take_the_majority():
    weekdays = [w("17:00", "21:00", "use", "mon-fri", target_soc=0.3)]
    assert differs(weekdays, PAIRS) == 2 * 240
    assert differs([w("17:00", "21:00", "use", "sat,sun", target_soc=0.3)], PAIRS) == 2 * 240


def test_the_last_minute_of_a_2359_form():
    assert differs([w("22:00", "24:00")], PAIRS_2359) == 7
    assert differs([w("22:00", "23:59")], PAIRS_2359) == 0


def test_steps_that_are_too_coarse():
    assert differs([w("01:07", "05:00")], SIX) == 7 * 2  # 01:05 to 05:00


@pytest.mark.parametrize("action", ["hold", None])
def test_an_empty_window_is_parked_outside_the_other_and_counted(action):
    wanted = [w("01:00", "05:00", action)] if action else []
    slots = compile_slots(wanted, SINGLE)
    charge, use = (next(s for s in slots if s.kind == k) for k in ("charge", "discharge"))
    a, b = minutes_of(charge.start), minutes_of(charge.end)
    c, d = minutes_of(use.start), minutes_of(use.end)
    inside = [m for m in range(a, b) if (c <= m < d if c < d else m >= c or m < d)]
    assert "parked" in charge.note and b - a == 15 and inside == []
    assert differs(wanted, SINGLE) == 7 * 15
    assert expand_slots(slots, SINGLE).count(What("charge")) == 15


def test_single_holds_outside_its_discharging_window():
    slots = compile_slots([w("23:00", "07:00"), w("07:00", "17:00", "hold")], SINGLE)
    day = expand_slots(slots, SINGLE)
    assert (day[12 * 60], day[18 * 60], day[2 * 60]) == (HOLD, AUTO, What("charge"))
    assert [(s.kind, s.start, s.end) for s in slots] == [("charge", "23:00", "07:00"), ("discharge", "17:00", "23:00")]


# Days, midnight, overlap, empty


@pytest.mark.parametrize(
    ("text", "days"), [("all", range(7)), ("mon-fri", range(5)), ("sat,sun", [5, 6]), ("fri-mon", [4, 5, 6, 0]), ("wed", [2])]
)
def test_days(text, days):
    assert days_of(text) == frozenset(days)


def test_midnight_is_split_and_goes_on_the_next_day():
    assert list(spans(w("22:00", "02:00", days="sun"))) == [(6, 1320, 1440), (0, 0, 120)]
    assert list(spans(w("22:00", "24:00", days="mon"))) == [(0, 1320, 1440)]
    assert list(spans(w("22:00", "00:00", days="mon"))) == [(0, 1320, 1440)]
    assert list(spans(w("05:00", "05:00"))) == []


def test_empty_and_overlap_are_findings():
    made = plan_of(changed(SKERRY, windows=[{"from": "05:00", "to": "05:00", "action": "hold"}]))
    assert "windows-empty" in rules(made, "caution")
    job = changed(
        SKERRY,
        windows=[
            {"from": "22:00", "to": "02:00", "action": "charge"},
            {"days": "tue", "from": "01:00", "to": "03:00", "action": "use"},
        ],
    )
    found = next(f for f in plan_of(job).findings if f.rule == "windows-overlap")
    assert found.numbers == {"windows": [0, 1], "minutes": 60} and "On tue from 01:00 to 02:00" in found.message
    assert "the first counts" in found.message


def test_the_first_window_counts_where_two_overlap():
    week = intent_week([w("01:00", "03:00", "hold"), w("02:00", "04:00", "use")])
    assert (week[0][150], week[0][200]) == (HOLD, What("use"))


@pytest.mark.parametrize(
    ("zone", "spring", "autumn"),
    [
        ("Europe/Lisbon", "2025-03-30", "2025-10-26"),
        ("America/Halifax", "2025-03-09", "2025-11-02"),
        ("Australia/Sydney", "2025-10-05", "2025-04-06"),
    ],
)
def test_days_of_23_and_25_hours(zone, spring, autumn):
    """Rule windows-dst."""
    skipped, doubled = dt.date.fromisoformat(spring), dt.date.fromisoformat(autumn)
    assert len(local_minutes(skipped, zone)) == 1380 and len(local_minutes(doubled, zone)) == 1500
    clock = {m for _, m in local_minutes(skipped, zone)}
    lost = {60 + m for m in range(60)} if zone == "Europe/Lisbon" else {120 + m for m in range(60)}
    assert set(range(DAY)) - clock == lost
    windows = [w("00:30", "04:00")]
    spring_minutes = sum(x.action == "charge" for x in intent_on(windows, skipped, zone))
    assert (spring_minutes, sum(x.action == "charge" for x in intent_on(windows, doubled, zone))) == (150, 270)
    assert sum(x.action == "charge" for x in intent_on(windows, dt.date(2025, 6, 10), zone)) == 210


def test_other_findings_of_windows():
    assert "windows-charge-forbidden" in rules(plan_of(changed(SKERRY, policy__charge_order="sun-only")), "caution")
    assert "windows-no-target" in rules(plan_of(changed(TARN, windows__0__target_soc=0.8)), "note")
    assert "windows-inexpressible" in rules(plan_of(SKERRY), "caution")
    assert "windows-inexpressible" not in rules(plan_of(TARN))


def test_windows_without_a_unit_that_keeps_them():
    """Rule windows-idle: named, not dropped; the job still plans."""
    profile = json.loads(
        next(p for p in shipped_library() if p.id == "orrowan-t8").model_dump_json(by_alias=True, exclude_unset=True)
    )
    del profile["slots"]
    profile["settings"] = [s for s in profile["settings"] if not str(s.get("quantity", "")).startswith("slot")]
    made = plan(job_of(SKERRY), Library([*shipped_library(), parse_profile(json.dumps(profile))]))
    found = next(f for f in made.findings if f.rule == "windows-idle")
    assert found.severity == "caution" and found.at == "/windows" and made.windows.units == []
    assert made.ladder, "the rest of the plan stands"


def test_calendar_file():
    made = icalendar.Calendar.from_ical(calendar(job_of(SKERRY)))
    events = made.walk("VEVENT")
    assert len(events) == 2
    assert events[1]["RRULE"]["BYDAY"] == ["MO", "TU", "WE", "TH", "FR"]
    assert (events[0].end - events[0].start) == dt.timedelta(hours=3.5)
    assert str(events[0]["DTSTART"].params["TZID"]) == "Europe/Lisbon"
    night = icalendar.Calendar.from_ical(calendar(job_of(TARN))).walk("VEVENT")[0]
    assert night.end - night.start == dt.timedelta(hours=8)


def window(start, end, action="use", **more):
    return Window.model_validate({"from": start, "to": end, "action": action, **more})


def test_clashes_stand_where_two_windows_want_different_things_and_nowhere_else():
    three = [window("17:00", "20:00"), window("19:00", "21:00", "hold"), window("20:00", "22:00")]
    monday = [(c.start, c.end, c.first, c.second) for c in clashes(three) if c.day == 0]
    assert monday == [(1140, 1200, 0, 1), (1200, 1260, 1, 2)]
    assert clashes([window("17:00", "20:00"), window("18:00", "21:00")]) == []
    assert len(clashes([window("17:00", "20:00", target_soc=0.5), window("18:00", "21:00")])) == 7
    assert clashes([window("17:00", "18:00"), window("18:00", "21:00", "hold")]) == []
    night = [window("22:00", "03:00", days="sun"), window("02:00", "04:00", "hold", days="mon")]
    assert [(c.day, c.start, c.end) for c in clashes(night)] == [(0, 120, 180)]


@settings(max_examples=size(20, 240))
@given(daily_intents(4, 3, ["charge", "hold", "use"]))
def test_clashes_by_brute_force_over_every_minute(windows):
    """Two windows clash in a minute when both cover it and want different things."""
    wants = [{(d, m): (w.action, w.target_soc, w.power_w) for d, a, b in spans(w) for m in range(a, b)} for w in windows]
    brute = {
        (*at, i, j)
        for (i, one), (j, other) in itertools.combinations(enumerate(wants), 2)
        for at in one.keys() & other.keys()
        if one[at] != other[at] and not (one[at][0] == other[at][0] == "hold")
    }
    told = {(c.day, m, c.first, c.second) for c in clashes(windows) for m in range(c.start, c.end)}
    assert told == brute


@settings(max_examples=size(20, 240))
@given(
    st.lists(st.tuples(st.sampled_from(["all", "mon-fri", "sat,sun"]), *[st.integers(0, 95)] * 2, st.integers(1, 9)), max_size=4)
)
def test_prices_of_the_week_are_those_of_the_simulation(rows):
    clock = lambda q: f"{q // 4:02d}:{q % 4 * 15:02d}"  # noqa: E731
    prices = [{"days": d, "from": clock(a), "to": clock(b), "price": p / 10} for d, a, b, p in rows if a != b]
    tariff = Tariff.model_validate({"base": 0.3, "export": 0.05, "prices": prices})
    week = price_week(tariff)
    minute = np.tile(np.arange(1440), 7)
    weekday = np.repeat(np.arange(7), 1440)
    buy, sell = prices_of(tariff, minute, weekday)
    for day in range(7):
        mine = [p for p in week if p.day == day]
        assert mine[0].start == 0 and mine[-1].end == 1440 and all(a.end == b.start for a, b in itertools.pairwise(mine))
        for p in mine:
            at = slice(day * 1440 + p.start, day * 1440 + p.end)
            assert np.allclose(buy[at], p.price) and np.allclose(sell[at], p.export)


def test_24_00_as_a_beginning_is_the_next_days_midnight():
    """ISO 8601: 24:00 of a day is 00:00 of the next."""
    late, empty = w("24:00", "02:00", days="mon"), w("24:00", "00:00", days="tue")
    assert list(spans(late)) == list(spans(w("00:00", "02:00", days="tue"))) == [(1, 0, 120)]
    assert list(spans(empty)) == []
    job = parse_job(cases.text_of("window-24"), shipped_library())
    (event,) = icalendar.Calendar.from_ical(calendar(job)).walk("VEVENT")
    assert event["dtstart"].dt.weekday() == 1 and (event["dtstart"].dt.hour, event["dtend"].dt.hour) == (0, 2)
    assert event["rrule"]["byday"] == ["TU"]
    assert "windows-empty" in rules(cases.plan_case("window-24"))
