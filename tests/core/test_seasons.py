"""Windows of a season or between dates: which hold on a day, the slots of every part of the year, prices, calendar, advice."""

import datetime as dt
import itertools
import random

import icalendar
import numpy as np
import pytest
from dateutil.rrule import rrulestr

from ewerer.core.devices.library import shipped_library
from ewerer.core.devices.slots.week import in_force, year_parts
from ewerer.core.documents.job import Season, Window
from ewerer.core.flow.adviser import advise
from ewerer.core.flow.results import simulate
from ewerer.core.flow.scenario import build
from ewerer.core.pages.calendar import calendar
from ewerer.core.trade.errors import DocumentError
from tests.jobs import HERON, TARN, changed, job_of, plan_of, rules

LIBRARY = shipped_library()
SUMMER = {"name": "Summer", "from": "04-01", "to": "09-30"}
WINTER = {"name": "Winter", "from": "10-01", "to": "03-31"}
BY_SEASON = [
    {"from": "11:00", "to": "15:00", "action": "hold", "season": "Summer"},
    {"from": "01:00", "to": "05:00", "action": "charge", "target_soc": 0.9, "season": "Winter"},
    {"from": "18:00", "to": "21:00", "action": "use", "target_soc": 0.3},
]


def seasonal(**more):
    return changed(HERON, seasons=[SUMMER, WINTER], windows=BY_SEASON, **more)


def test_which_windows_hold_is_the_calendar_itself():
    """Against the dates of two years written out one by one."""
    r = random.Random(2)
    for _ in range(60):
        days = [dt.date(2024, 1, 1) + dt.timedelta(days=r.randrange(366)) for _ in range(6)]
        md = [d.strftime("%m-%d") for d in days]
        seasons = [Season.model_validate({"name": "A", "from": md[0], "to": md[1]})]
        windows = [
            Window.model_validate({"from": "01:00", "to": "02:00", "action": "hold", "season": "A"}),
            Window.model_validate({"from": "03:00", "to": "04:00", "action": "hold", "from_date": md[2], "to_date": md[3]}),
            Window.model_validate({"from": "05:00", "to": "06:00", "action": "hold"}),
        ]
        parts = year_parts(windows, seasons)
        for year in (2024, 2025):
            for k in range(366 if year == 2024 else 365):
                date = dt.date(year, 1, 1) + dt.timedelta(days=k)

                def inside(a, b, date=date):
                    first, last = (dt.date(2024, int(x[:2]), int(x[3:])).timetuple().tm_yday for x in (a, b))
                    at = date.replace(year=2024).timetuple().tm_yday
                    return first <= at <= last if first <= last else at >= first or at <= last

                held = [w for w, on in zip(windows, (inside(md[0], md[1]), inside(md[2], md[3]), True), strict=True) if on]
                assert in_force(windows, seasons, date) == held
                of = [p for p in parts if inside(p.first, p.last)]
                assert len(of) == 1 and [windows[i] for i in of[0].windows] == held
        assert all(a.windows != b.windows for a, b in itertools.pairwise(parts))


def test_every_part_of_the_year_has_its_slots_and_the_change_is_said():
    """Rule windows-season-change."""
    made = plan_of(seasonal(flow={"start": "2025-01-01"}))
    unit = made.windows.units[0]
    assert [(p.from_date, p.to_date, p.windows) for p in unit.year] == [("04-01", "09-30", [0, 2]), ("10-01", "03-31", [1, 2])]
    assert unit.slots == unit.year[1].slots != unit.year[0].slots
    note = next(f for f in made.findings if f.rule == "windows-season-change")
    assert note.severity == "note" and "04-01" in note.message and "10-01" in note.message
    summer = plan_of(seasonal(flow={"start": "2025-06-01"})).windows.units[0]
    assert summer.slots == unit.year[0].slots, "the sheet is for the day the job begins"
    assert "windows-season-change" not in rules(plan_of(changed(HERON, seasons=[SUMMER, WINTER])))


def test_a_simulated_year_changes_its_windows_on_the_day():
    s = build(job_of(seasonal(flow={"start": "2025-03-30"})), LIBRARY, 4)
    at = s.minute_of_day
    day = np.repeat(np.arange(4), np.diff(s.begins))
    charging, holding = (day < 2) & (at >= 60) & (at < 300), (day >= 2) & (at >= 660) & (at < 900)
    using = (at >= 1080) & (at < 1260)
    # Outside windows a chain is entered as use down to the reserve: what it says, not what was meant.
    for mask, wanted in ((charging, {5}), (holding, {2}), (using, {3}), (~(charging | holding | using), {3})):
        assert {int(a) for a in s.action[mask]} == wanted
    alone = [build(job_of(changed(HERON, windows=[{k: v for k, v in w.items() if k != "season"} for w in BY_SEASON if w.get("season") in (None, name)], flow={"start": date})), LIBRARY, 2) for name, date in (("Winter", "2025-03-30"), ("Summer", "2025-04-01"))]  # fmt: skip
    assert (np.concatenate([a.action for a in alone]) == s.action).all()
    assert (np.concatenate([a.target for a in alone]) == s.target).all()


def test_each_season_has_its_tariff():
    cheap, dear = (
        {"base": base, "prices": [{"from": "17:00", "to": "20:00", "price": 2 * base}], "demand_per_kw": 10 * base}
        for base in (0.1, 0.4)
    )
    job = seasonal(flow={"start": "2025-03-31"}, tariff={"base": 9.0})
    job["seasons"] = [SUMMER | {"tariff": cheap}, WINTER | {"tariff": dear}]
    s = build(job_of(job), LIBRARY, 2)
    first, second = s.price[: s.begins[1]], s.price[s.begins[1] :]
    assert set(first.tolist()) == {0.4, 0.8} and set(second.tolist()) == {0.1, 0.2}
    ledger = simulate(job_of(job), LIBRARY, 2).ledger
    assert ledger.demand > 0 and ledger.bought > 0
    assert {p.price for p in plan_of(job).windows.prices} == {0.4, 0.8}, "the ribbon shows the prices of its day"
    only = seasonal(flow={"start": "2025-03-31"})
    only["seasons"] = [SUMMER, WINTER | {"tariff": dear}]
    assert set(build(job_of(only), LIBRARY, 2).price.tolist()) == {0.4, 0.8, 0.0}, "no tariff: nothing is counted"


def test_advice_is_given_for_each_season():
    summer = {
        "base": 0.3,
        "prices": [{"from": "12:00", "to": "16:00", "price": 0.05}, {"from": "18:00", "to": "21:00", "price": 0.5}],
    }
    winter = {
        "base": 0.3,
        "prices": [{"from": "23:00", "to": "05:00", "price": 0.1}, {"from": "17:00", "to": "20:00", "price": 0.6}],
    }
    job = changed(TARN, seasons=[SUMMER | {"tariff": summer}, WINTER | {"tariff": winter}], windows=[])
    told = advise(job_of(job), LIBRARY, 2)
    assert {w.window["season"] for w in told.windows} == {"Summer", "Winter"} and told.days == 4
    assert "Summer" in told.words and told.cost_optimum <= told.cost_with <= told.cost_without
    job["windows"] = [w.window for w in told.windows]
    assert len(plan_of(job).windows.units[0].year) == 2


def test_the_calendar_file_ends_with_the_season():
    """Read back with icalendar and dateutil: the event is there on days of the season and on no other."""
    for event in icalendar.Calendar.from_ical(calendar(job_of(seasonal(flow={"start": "2025-01-01"})))).walk("VEVENT"):
        begin = event["DTSTART"].dt
        rule = rrulestr(event["RRULE"].to_ical().decode(), dtstart=begin)
        days = {d.date() for d in rule.between(begin - dt.timedelta(days=1), begin + dt.timedelta(days=800), inc=True)}
        if "hold" in event["SUMMARY"]:
            assert min(days) == dt.date(2025, 4, 1) and max(days) == dt.date(2025, 9, 30) and len(days) == 183
        elif "charge" in event["SUMMARY"]:
            assert max(days) == dt.date(2025, 3, 31)


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ({"from_date": "04-01"}, "both the first and the last day"),
        ({"from_date": "02-30", "to_date": "03-01"}, "no such day"),
        ({"season": "Summer", "from_date": "04-01", "to_date": "05-01"}, "not both"),
        ({"season": "Monsoon"}, "seasons are Summer, Winter"),
    ],
)
def test_dates_that_cannot_be(more, words):
    with pytest.raises(DocumentError, match=words):
        job_of(changed(HERON, seasons=[SUMMER, WINTER], windows=[{"from": "01:00", "to": "02:00", "action": "hold", **more}]))
