"""What was put into a log is what is found in it: by a bank of its own physics, noisy, resampled, with gaps, in every shape."""

import datetime as dt
import io

import numpy as np
import openpyxl
import polars as pl
import pytest

from ewerer.core.logs.find import find
from ewerer.core.logs.report import open_log, report
from ewerer.core.logs.table import read_table
from tests.jobs import SKERRY, job_of, plan_of
from tests.logs.logmaker import BEGIN, frame_of, made, noisy
from tests.sizes import size

SEEDS = range(size(2, 40))


def figures(log):
    found = find(log).figures
    return {k: f.value for k, f in found.items()} | {"hold_error_s": 60 * found["hold_min"].error if "hold_min" in found else None}


def hold_near(figures, truth, within_s):
    """Where volts rise by less than their noise a minute, the figure itself says how far it may be off."""
    assert figures["hold_min"] * 60 == pytest.approx(truth.hold_s, abs=max(within_s, 3 * figures["hold_error_s"]))


@pytest.mark.parametrize("seed", SEEDS)
def test_all_that_was_put_in_is_found_in_a_noisy_log(seed):
    t, columns, truth = made(seed)
    log = read_table(frame_of(t, noisy(columns, seed)).write_csv().encode(), "a.csv")
    got = figures(log)
    assert got["absorb_v"] == pytest.approx(truth.absorb_v, abs=0.01)
    assert got["overshoot_v"] == pytest.approx(truth.overshoot_v, abs=0.02)
    hold_near(got, truth, 5)
    assert got["shunt_gain"] == pytest.approx(truth.gain, rel=0.005)
    assert got["shunt_zero_a"] == pytest.approx(truth.zero_a, abs=0.05)
    assert got["resistance_mohm"] == pytest.approx(truth.resistance_mohm, rel=0.03)
    assert got["float_v"] == pytest.approx(truth.float_v, abs=0.02)
    assert (got["transfers"], got["generator_starts"]) == (truth.transfers, truth.starts)
    assert got["generator_h"] * 3600 == pytest.approx(truth.generator_s, abs=10)
    full = dt.datetime.fromisoformat(got["full_at"])
    assert abs((full - BEGIN).total_seconds() - truth.holds[-1][1]) <= 60


@pytest.mark.parametrize("seed", SEEDS)
def test_steps_gaps_and_spikes_cost_little(seed):
    t, columns, truth = made(seed)
    dirty = noisy(columns, seed)
    draw = np.random.default_rng(seed)
    # Gaps outside of the charge, spikes of one row anywhere.
    keep = np.ones(len(t), bool)
    for begin in draw.integers(0, 6 * 3600, 3):
        keep[begin : begin + 600] = False
    for row in draw.integers(0, len(t), 40):
        dirty["volts"][row] = draw.choice([0.0, 65.535 * 10, 120.0])
    log = read_table(frame_of(t[keep], {k: x[keep] for k, x in dirty.items()}).write_csv().encode(), "a.csv")
    got = figures(log)
    assert len(log.clock.gaps) >= 1
    assert got["overshoot_v"] == pytest.approx(truth.overshoot_v, abs=0.02)
    hold_near(got, truth, 5)
    assert got["highest_v"] < 57 and got["lowest_v"] > 45, "a spike of one row is no extreme"
    for every in (10, 60):
        coarse = figures(
            read_table(frame_of(t[::every], {k: x[::every] for k, x in noisy(columns, seed).items()}).write_csv().encode(), "a.csv")
        )
        hold_near(coarse, truth, 4 * every)
        assert coarse["shunt_gain"] == pytest.approx(truth.gain, rel=0.005)
        assert coarse["resistance_mohm"] == pytest.approx(truth.resistance_mohm, rel=0.08)
        assert (coarse["transfers"], coarse["generator_starts"]) == (truth.transfers, truth.starts)


def shapes(frame):
    """Return the same log in seven shapes of file."""
    text = frame.with_columns(time=pl.col("time").dt.strftime("%Y-%m-%d %H:%M:%S"))
    german = frame.with_columns(time=pl.col("time").dt.strftime("%d.%m.%Y %H:%M:%S")).rename(
        {"time": "Zeit", "volts": "Batteriespannung [V]", "amps": "Batteriestrom [A]", "soc": "Ladezustand [%]", "shunt_a": "Shunt Strom [A]",
         "load_w": "Verbrauch [W]", "grid_w": "Netzleistung [W]", "generator": "Aggregat Zustand", "on_mains": "Netzbetrieb"}
    ).with_columns(pl.col("Ladezustand [%]") * 100)  # fmt: skip
    units = text.rename(
        {"volts": "Battery voltage (mV)", "amps": "Battery current", "shunt_a": "Shunt current", "load_w": "Loads kW"}
    ).with_columns(pl.col("Battery voltage (mV)") * 1000, pl.col("Loads kW") / 1000)
    body = german.write_csv(separator=";", decimal_comma=True)
    yield "plain", text.write_csv().encode()
    yield "decimal commas", b"\xef\xbb\xbf" + body.encode()
    yield "UTF-16 with tabs and commas", german.write_csv(separator="\t", decimal_comma=True).encode("utf-16")
    yield "units in headers", units.write_csv().encode()
    names = text.columns
    yield (
        "two rows of headers",
        (
            ",".join(names)
            + "\n"
            + ",".join(["", "V", "A", "", "W", "W", "", "", "A"])
            + "\n"
            + text.write_csv(include_header=False)
        ).encode(),
    )
    yield "European dates and a title", b"Log of the week\nUnit;U1\n" + german.write_csv(separator=";").encode("cp1252")
    seconds = frame.with_columns(time=pl.col("time").dt.epoch("ms"))
    yield "milliseconds since 1970", seconds.write_csv(separator="|").encode()
    held = io.BytesIO()
    frame.write_parquet(held)
    yield "Parquet", held.getvalue()


def test_the_same_in_every_shape_of_file():
    t, columns, _ = made(1, days=1)
    part = slice(30_000, 60_000, 10)
    frame = frame_of(t[part], {k: np.round(x[part], 3) for k, x in noisy(columns, 1).items()})
    wanted = None
    seen = 0
    for word, raw in shapes(frame):
        log = read_table(raw, "a.parquet" if word == "Parquet" else "a.csv")
        assert (log.rows, log.bad_rows) == (frame.height, 0), word
        assert set(log.columns) == {"volts", "amps", "soc", "load_w", "grid_w", "generator", "on_mains", "shunt_a"}, (
            word,
            log.mapping,
        )
        got = figures(log)
        if wanted is None:
            wanted, first = got, log
            continue
        assert log.at(0) == first.at(0) and log.t_s[-1] == first.t_s[-1], word
        for name, value in wanted.items():
            if value is None:
                continue
            assert got[name] == pytest.approx(value, rel=1e-6) if not isinstance(value, str) else got[name] == value, (word, name)
        seen += 1
    assert seen == 7


def test_a_spreadsheet_is_read_like_its_text():
    t, columns, _ = made(2, days=1)
    frame = frame_of(t[30_000:60_000:60], {k: np.round(x[30_000:60_000:60], 3) for k, x in columns.items()})
    book = openpyxl.Workbook()
    book.active.append(frame.columns)
    for row in frame.iter_rows():
        book.active.append(row)
    held = io.BytesIO()
    book.save(held)
    one, other = read_table(held.getvalue(), "a.xlsx"), read_table(frame.write_csv().encode(), "a.csv")
    assert one.rows == other.rows and set(one.columns) == set(other.columns)
    for name in one.columns:
        assert np.allclose(one.columns[name], other.columns[name], equal_nan=True)


def clocked(start_utc, hours, zone, step_s=60):
    """Return local wall-clock texts of a stretch of time, as a logger in a zone writes them."""
    import zoneinfo

    tz = zoneinfo.ZoneInfo(zone)
    begin = dt.datetime.fromisoformat(start_utc).replace(tzinfo=dt.UTC)
    return [(begin + dt.timedelta(seconds=s)).astimezone(tz).strftime("%Y-%m-%d %H:%M:%S") for s in range(0, hours * 3600, step_s)]


@pytest.mark.parametrize("zone", ["Europe/Berlin", "America/Chicago", "Australia/Sydney", "Europe/Lisbon"])
@pytest.mark.parametrize("tell", [True, False])
def test_days_on_which_clocks_change_keep_their_seconds(zone, tell):
    """An hour that stands twice is kept in the file's order; one that is missing costs none."""
    days = {
        "Europe/Berlin": ("2025-10-25T12:00", "2025-03-29T12:00"),
        "Europe/Lisbon": ("2025-10-25T12:00", "2025-03-29T12:00"),
        "America/Chicago": ("2025-11-01T18:00", "2025-03-08T18:00"),
        "Australia/Sydney": ("2025-04-05T02:00", "2025-10-04T02:00"),
    }
    for start in days[zone]:
        texts = clocked(start, 36, zone)
        raw = "time,volts,amps\n" + "".join(f"{x},{52 + 0.001 * i % 1:.3f},{-10 - i % 7}\n" for i, x in enumerate(texts))
        log = read_table(raw.encode(), "a.csv", zone=zone if tell else None)
        assert np.array_equal(log.t_s, np.arange(36 * 60) * 60.0), (zone, start, log.notes)
        assert log.clock.gaps == [] and any("hour" in n for n in log.notes)
        assert [str(w.astype("datetime64[s]")).replace("T", " ") for w in log.clock.wall] == texts, "never sorted"


def test_a_clock_that_is_set_and_rows_that_are_cut_are_told():
    texts = clocked("2025-06-02T00:00", 10, "UTC")
    texts[300:] = [str(dt.datetime.fromisoformat(x) - dt.timedelta(minutes=17)) for x in texts[300:]]
    rows = [f"{x},{52 + i % 5 / 100},{-5 - i % 3},{0.5 + i / 3000:.4f}" for i, x in enumerate(texts)]
    rows[100] = rows[100][:12]
    rows[200] = rows[200].replace("52", "broken", 1)
    rows.insert(250, "a line of something else")
    log = read_table("\n".join(["time,volts,amps,soc", *rows]).encode(), "a.csv")
    assert any("set back by 17 min" in n for n in log.notes)
    assert 2 <= log.bad_rows <= 4 and log.rows >= 598
    assert np.all(np.diff(log.t_s) >= 0)


def test_amps_that_were_positive_out_of_the_bank_are_turned_and_it_is_said():
    t, columns, truth = made(1, days=1)
    turned = columns | {"amps": -columns["amps"], "shunt_a": -columns["shunt_a"]}
    log = read_table(frame_of(t[::10], {k: x[::10] for k, x in turned.items()}).write_csv().encode(), "a.csv")
    assert any("turned" in n for n in log.notes)
    assert np.allclose(log.columns["amps"], columns["amps"][::10], atol=1e-3)
    assert figures(log)["shunt_gain"] == pytest.approx(truth.gain, rel=0.005)
    straight = read_table(frame_of(t[::10], {k: x[::10] for k, x in columns.items()}).write_csv().encode(), "a.csv")
    assert not any("turned" in n for n in straight.notes)


def test_a_newest_row_first_is_read_from_its_end():
    t, columns, _ = made(0, days=1)
    frame = frame_of(t[::60], {k: x[::60] for k, x in columns.items()})
    one, other = read_table(frame.write_csv().encode(), "a.csv"), read_table(frame.reverse().write_csv().encode(), "a.csv")
    assert any("newest" in n for n in other.notes)
    assert np.allclose(one.columns["volts"], other.columns["volts"]) and np.array_equal(one.t_s, other.t_s)


def test_a_mapping_says_what_words_do_not_and_is_refused_where_it_is_wrong():
    raw = b"when,x1,x2\n" + b"".join(f"2025-06-02 00:{i:02d}:00,{52 + i / 100},{-i}\n".encode() for i in range(60))
    with pytest.raises(Exception, match="no column that Ewerer knows of"):
        read_table(raw, "a.csv")
    log = read_table(raw, "a.csv", {"x1": "volts", "x2": "amps"})
    assert log.columns["volts"][0] == 52 and log.mapping == {"when": "time", "x1": "volts", "x2": "amps"}
    for wrong in ({"x9": "volts"}, {"x1": "volt"}):
        with pytest.raises(Exception, match="no such"):
            read_table(raw, "a.csv", wrong)


def test_days_without_a_fault_raise_no_alarm():
    for seed in range(size(2, 200)):
        t, columns, _ = made(seed, days=1, clean=True)
        made_of = report(read_table(frame_of(t, noisy(columns, seed, 0.01, 0.1)).write_csv().encode(), "a.csv"))
        assert [f.message for f in made_of.findings if f.verdict != "good"] == [], seed


def test_a_forced_charge_is_told_and_of_a_full_bank_points_to_the_firmware():
    t, columns, _ = made(2, days=1, clean=True)
    soc = np.interp(t, [0, 20_000, 86_399], [0.08, 0.99, 0.6])
    asked = np.where((t < 3000) | ((t >= 20_000) & (t < 20_600)), "yes", "no")
    text = frame_of(t[::10], {**{k: x[::10] for k, x in columns.items()}, "soc": soc[::10]}).with_columns(
        pl.Series("Forced charge request", asked[::10])
    )
    told = report(open_log(text.write_csv().encode(), "a.csv"))
    assert told.columns["Forced charge request"] == "forced"
    first, second = sorted((f for f in told.findings if f.what == "forced charge"), key=lambda f: f.from_s)
    assert (first.verdict, second.verdict) == ("caution", "bad")
    assert (first.from_s, first.to_s, second.from_s, second.to_s) == (0, 2990, 20_000, 20_590)
    assert "at 8% to 22% charge" in first.message and "firmware" not in first.message and "look at its firmware" in second.message


def test_the_c_rate_is_the_highest_current_over_the_capacity():
    job = job_of(SKERRY)
    made_plan = plan_of(SKERRY)
    t, columns, _ = made(4, days=1, clean=True)
    log = open_log(frame_of(t[::10], {k: x[::10] for k, x in columns.items()}).write_csv().encode(), "a.csv")
    told = report(log, job, made_plan)
    assert told.figures["c_rate"].value == pytest.approx(np.abs(columns["amps"][::10]).max() / made_plan.bank.capacity_ah, rel=0.01)
    assert "c_rate" not in report(log).figures, "without a job nobody knows the capacity"
