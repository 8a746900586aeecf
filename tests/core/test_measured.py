"""Measured power from CSV: what is read, what is refused and how it is said."""

import datetime as dt

import pytest
from hypothesis import given, strategies as st

from ewerer.core.devices.library import shipped_library
from ewerer.core.flow.measured import parse_series
from ewerer.core.flow.scenario import build, weather_of
from ewerer.core.trade.errors import DocumentError
from tests.jobs import SKERRY, changed, job_of


def stamped(start, step_min, values, mark=",", head="time,power W"):
    begin = dt.datetime.fromisoformat(start)
    lines = [f"{begin + dt.timedelta(minutes=i * step_min):%Y-%m-%d %H:%M}{mark}{v}" for i, v in enumerate(values)]
    return "\n".join([head.replace(",", mark), *lines])


@given(st.lists(st.integers(0, 50_000), min_size=2, max_size=200), st.sampled_from([1, 5, 10, 15, 30, 60]))
def test_equal_steps_are_read_as_they_stand(values, step):
    made = parse_series(stamped("2025-03-01T00:00", step, values), 60)
    assert (made.step_min, made.start, made.values_w) == (step, "2025-03-01", [float(v) for v in values])
    assert parse_series("\n".join(map(str, values)), step).values_w == made.values_w


def test_decimal_comma_kilowatts_and_marks():
    assert parse_series("Zeit;Leistung kW\n2025-01-01 00:00;1,25\n2025-01-01 00:15;0,5").values_w == [1250, 500]
    assert parse_series("# meter 3\n21.06.2025 00:00\t1\n21.06.2025 01:00\t2").start == "2025-06-21"
    assert parse_series(b"\xef\xbb\xbf100\n200\n").values_w == [100, 200]
    assert parse_series("2025-01-01T00:00:00Z,1\n2025-01-01T01:00:00Z,2").step_min == 60


def test_the_hour_that_is_not_there_and_the_hour_that_is_there_twice():
    spring = "2025-03-30 00:00,10\n2025-03-30 01:00,20\n2025-03-30 03:00,40\n2025-03-30 04:00,50"
    assert parse_series(spring).values_w == [10, 20, 30, 40, 50]
    autumn = "2025-10-26 00:00,1\n2025-10-26 01:00,2\n2025-10-26 02:00,10\n2025-10-26 02:00,20\n2025-10-26 03:00,5"
    assert parse_series(autumn).values_w == [1, 2, 15, 5]


def test_a_day_that_begins_late_has_its_first_figure_before():
    assert parse_series("2025-01-01 02:00,7\n2025-01-01 03:00,8").values_w == [7, 7, 7, 8]


@pytest.mark.parametrize(
    ("text", "where", "words"),
    [
        ("", "", "no figures"),
        ("power W\n", "", "no figures"),
        ("1\ntwo\n3", "/line/2", "not a number"),
        ("1\n-2", "/line/2", "below zero"),
        ("1\nnan", "/line/2", "not a number"),
        ("2025-01-01 00:00,1\nnoon,2", "/line/2", "not a time"),
        ("2025-01-01 00:00,1\n2025-01-01 00:07,2", "/line/2", "steps of 7 minutes"),
        ("2025-01-01 00:00,1\n2025-01-01 00:00,2", "/line/2", "do not go on"),
        ("2025-01-01 00:00,1\n2025-01-01 01:00,2\n2025-01-01 01:20,2\n2025-01-01 02:00,3\n2025-01-01 03:00,3", "/line/3", "not on the step"),
        ("2025-01-02 00:00,1\n2025-01-02 01:00,2\n2025-01-01 02:00,3", "/line/3", "goes back in time"),
        ("2025-01-01 00:00,1\n2025-01-01 01:00,2\n2025-01-01 05:00,3", "", "nothing from 2025-01-01 02:00 for 3 h"),
        ("a,b,c\n1,2,3", "/line/2", "3 columns"),
        ("2025-01-01 00:00,1\n5", "/line/2", "1 of 2 columns"),
        ("\n".join(["1"] * 40_001), "", "40001 figures"),
        (b"\xff\xfe1", "", "not text in UTF-8"),
        (b"1\n" * 3_000_000, "", "too big"),
    ],
)  # fmt: skip
def test_refusals_say_where_and_what(text, where, words):
    with pytest.raises(DocumentError) as refused:
        parse_series(text)
    [problem] = refused.value.problems
    assert problem.pointer == where
    assert words in problem.message
    assert problem.expected


def test_a_step_that_is_none():
    with pytest.raises(DocumentError, match="no such step"):
        parse_series("1\n2", 7)


def test_a_measured_day_keeps_its_date_and_its_local_hour():
    values = [d * 100 + h for d in range(365) for h in range(24)]
    flow = {"load": {"step_min": 60, "start": "2025-01-01", "values_w": values}}

    def on(date):
        job = changed(SKERRY, flow={**flow, "start": date}, site__time_zone="Europe/Berlin")
        return build(job_of(job), shipped_library(), 2).load[::60].tolist()

    assert on("2025-01-01")[:24] == list(range(24))
    assert on("2025-02-01")[:25] == [3100 + h for h in range(24)] + [3200]
    # The day the clocks go forward has no hour two; the next day begins with its own first hour again.
    spring = on("2025-03-30")
    assert spring[:3] == [8800, 8801, 8803]
    assert spring[23] == 8900
    assert on("2026-01-01")[:2] == [0, 1]


@pytest.mark.parametrize("date", ["2025-02-31", "2025-13-01", "2023-02-29", "0025-01-01", "soon", "2025-1-1", ""])
@pytest.mark.parametrize("where", ["start", "series", "outage"])
def test_a_date_that_is_none(date, where):
    """Refused where it stands, in the document, and not only when a simulation is made."""
    flow, pointer = {
        "start": ({"start": date}, "/flow/start"),
        "series": ({"sun": {"start": date, "values_w": [1]}}, "/flow/sun/start"),
        "outage": ({"outages": [{"date": date, "from": "01:00", "to": "02:00"}]}, "/flow/outages/0/date"),
    }[where]
    with pytest.raises(DocumentError) as refused:
        job_of(changed(SKERRY, flow=flow))
    assert [p.pointer for p in refused.value.problems] == [pointer]
    assert "YYYY-MM-DD" in refused.value.problems[0].expected


def test_a_leap_day_is_a_day():
    assert build(job_of(changed(SKERRY, flow={"start": "2024-02-29"})), shipped_library(), 2).dates == ["2024-02-29", "2024-03-01"]


def test_a_day_alone_has_the_weather_it_has_in_the_year():
    import numpy as np

    minute = np.arange(0, 1440, 15)
    year = weather_of(dt.date(2024, 11, 1), np.repeat(np.arange(120), 96), np.tile(minute, 120), 0.5, 3)
    for late in (0, 59, 60, 61, 119):
        alone = weather_of(dt.date(2024, 11, 1) + dt.timedelta(days=late), np.zeros(96, np.int64), minute, 0.5, 3)
        assert (alone == year[late * 96 : (late + 1) * 96]).all()


def test_an_outage_over_midnight_goes_on_the_next_day():
    job = changed("tarn-dairy", flow={"start": "2025-05-05", "outages": [{"date": "2025-05-05", "from": "22:00", "to": "03:00"}]})
    grid = build(job_of(job), shipped_library(), 2).grid
    assert (grid == 0).sum() == 300
    assert grid[22 * 60 - 1] == 1 and grid[22 * 60 : 27 * 60].sum() == 0 and grid[27 * 60] == 1
