"""The decision table of hybrid units, watt by watt, from a job document through ``ewerer simulate``."""

import csv
import io
import json

import pytest

from ewerer import cli

RATED = 10_000
UNIT = {
    "ewerer": "inverter/1",
    "id": "lossless",
    "name": "Lossless",
    "maker": "Nobody",
    "ratings": {
        "continuous_w": RATED, "surge_w": RATED, "charge_max_a": 400, "ac_charge_max_a": 200, "battery_v_min": 40, "battery_v_max": 60, "class_v": 48,
        "inverter_efficiency": 1.0, "charger_efficiency": 1.0, "idle_w": 0,
    },
    "ac_volts": [230],
    "ac_hz": [50],
    "topologies": ["single"],
    "counts_coulombs": True,
    "slots": {"form": "pairs", "charge_slots": 3, "discharge_slots": 3, "no_discharge_slots": 3, "end_of_day": "24:00"},
    "settings": [
        {"id": "v", "menu": ["A"], "label": "V", "quantity": "absorb_v", "unit": "V", "min": 40, "max": 60, "step": 0.1, "factory": "56"},
        *(
            {"id": q.replace("_", "-"), "menu": ["B"], "label": q, "quantity": q, "unit": "%", "min": 1, "max": 100, "step": 1, "factory": "15", "encoding": {"scale": 100}}
            for q in ("shutdown_soc", "restart_soc", "on_grid_min_soc", "outage_min_soc", "outage_return_soc")
        ),
    ],
}  # fmt: skip
CHARGER = {"ewerer": "sun-charger/1", "id": "sunny", "name": "Sunny", "maker": "Nobody", "charge_max_a": 400, "battery_v_max": 60, "array_v_max": 150, "efficiency": 1.0}  # fmt: skip
HUB = {"ewerer": "controller/1", "id": "hub", "name": "Hub", "maker": "Nobody", "meters_dc_loads": True,
    "settings": [{"id": "in", "menu": ["A"], "label": "In", "quantity": "bank_charge_max_a", "unit": "A", "min": 0, "max": 1000, "step": 1}]}  # fmt: skip
"""Holds what goes into the bank: no charger here has a setting for it."""


def window(action, target=0.5, power=2000):
    return [{"from": "00:00", "to": "24:00", "action": action, "target_soc": target, **({"power_w": power} if power else {})}]


def job(mode, soc, sun, windows=(), bank_a=380, l1=1000, l2=1000, grid=True, **policy):
    """Return a job with constant sun and loads, nothing lost on the way, and a bank whose own volts hardly move."""
    given = {
        "ewerer": "job/1",
        "name": "table",
        "site": {"sources": ["sun", "mains"], "bank_ambient_c": 25},
        "bank": {"modules": [{"id": "M1", "series_cells": 16, "capacity_ah": 2000, "charge_a": bank_a, "discharge_a": 400, "resistance_mohm": 0.1, "lead_mohm": 0}], "main_lead_mohm": 0, "lead_mohm": 0},
        "units": [{"id": "U1", "profile": "lossless"}],
        "controller": {"id": "C1", "profile": "hub"},
        "sun": {"chargers": [{"id": "S1", "profile": "sunny", "array_w": 15000}]},
        "mains": {"breaker_a": 100, "breaker_school": "all"},
        "loads": {"continuous_w": l1 or 1, "other_daily_wh": l2 * 24, "shape": [1] * 24},
        "policy": {"mode": mode, "loop": "open", "control": "soc", "charge_order": "sun-and-mains", **policy},
        "windows": list(windows),
        "flow": {"start_soc": soc, "load": {"values_w": [l1]}, "sun": {"values_w": [sun]}},
    }  # fmt: skip
    if not grid:
        given["flow"]["outages"] = [{"date": "2025-01-01", "from": "00:00", "to": "24:00"}]
    return given


@pytest.fixture
def first_minute(tmp_path, capsysbinary):
    """Return a function that runs a job on the command line and gives its first minute."""
    library = tmp_path / "library"
    library.mkdir()
    for profile in (UNIT, CHARGER, HUB):
        (library / f"{profile['id']}.json").write_text(json.dumps(profile))

    def run(given):
        path, out = tmp_path / "job.json", tmp_path / "day.csv"
        path.write_text(json.dumps(given))
        code = cli.main(["simulate", str(path), "--library", str(library), "--days", "1", "-o", str(out)])
        assert code in (0, 3), capsysbinary.readouterr().err
        row = next(csv.DictReader(io.StringIO(out.read_text())))
        got = {k: float(v) for k, v in row.items() if k.endswith("_w")}
        return {
            "bank": got["sun_bank_w"] + got["mains_bank_w"] - got["bank_load_w"] - got["bank_other_w"] - got["bank_grid_w"],
            "grid": got["mains_load_w"] + got["mains_other_w"] + got["mains_bank_w"] - got["sun_grid_w"] - got["bank_grid_w"],
            "curtailed": got["curtailed_w"],
            "unserved": got["unserved_w"],
            "volts": float(row["volts"]),
            "reason": row["reason"],
        }

    return run


FEED, ESSENTIAL, ZERO, PEAK = "feed-in", "essential-only", "zero-export", "peak-shaving"
BANK = {"priority": "bank-first"}
SELL = {"sell_surplus": True}
USE, CHARGE, HOLD = window("use"), window("charge"), window("hold", None, None)
SELLS = window("export")
CAP = {"peak_cap_w": 1000}
# case, job, bank, grid, curtailed
TABLE = [
    ("1", job(ZERO, 0.8, 6000), 4000, 0, 0),
    ("1b", job(ZERO, 1.0, 6000), 0, 0, 4000),
    ("2", job(FEED, 0.8, 6000, USE), -2000, -6000, 0),
    ("3", job(ZERO, 0.8, 500), -1500, 0, 0),
    ("4", job(FEED, 0.8, 500, USE), -2000, -500, 0),
    ("5 feed-in", job(FEED, 0.4, 3000, USE, **BANK), 3000, 2000, 0),
    ("5 essential", job(ESSENTIAL, 0.4, 3000, USE, **BANK), 3000, 2000, 0),
    ("5 zero export", job(ZERO, 0.4, 3000, USE, **BANK), 3000, 2000, 0),
    ("5b", job(FEED, 0.4, 3000, USE), 2000, 1000, 0),
    ("6", job(ESSENTIAL, 1.0, 6000, **SELL), 0, -4000, 0),
    ("7", job(FEED, 1.0, 15000), 0, -8000, 5000),
    ("7b", job(FEED, 0.8, 15000, USE), 5000, -8000, 0),
    ("7c", job(FEED, 0.8, 9000, USE), -1000, -8000, 0),
    ("7d", job(ZERO, 0.8, 9000, bank_a=50), "50 A", 0, "rest"),
    ("8", job(PEAK, 0.8, 500, **CAP), -500, 1000, 0),
    ("9", job(PEAK, 0.4, 3000, CHARGE, **CAP), 2000, 1000, 0),
    # feed-in, the other cells
    ("feed-in, no window, loads first, bank takes before other loads", job(FEED, 0.8, 4000), 3000, 1000, 0),
    ("feed-in, no window, bank first", job(FEED, 0.8, 4000, **BANK), 4000, 2000, 0),
    ("feed-in, no window, night: the bank rests", job(FEED, 0.8, 0), 0, 2000, 0),
    ("feed-in, window to sell, at night", job(FEED, 0.8, 0, SELLS), -2000, 0, 0),
    ("feed-in, window to sell 6 kW at night", job(FEED, 0.8, 0, window("export", 0.5, 6000)), -6000, -4000, 0),
    ("feed-in, window, export limited", job(FEED, 0.8, 6000, USE, export_limit_w=3000), 1000, -3000, 0),
    ("feed-in, export limited, full", job(FEED, 1.0, 6000, export_limit_w=3000), 0, -3000, 1000),
    ("feed-in, hold at night", job(FEED, 0.8, 0, HOLD), 0, 2000, 0),
    ("feed-in, charging window", job(FEED, 0.4, 0, CHARGE), 2000, 4000, 0),
    ("feed-in, charging window, target reached", job(FEED, 0.8, 0, CHARGE), 0, 2000, 0),
    # essential only
    ("essential, sun covers the backup output, the rest charges", job(ESSENTIAL, 0.8, 3000), 2000, 1000, 0),
    ("essential, night: the bank carries the backup output", job(ESSENTIAL, 0.8, 0), -1000, 1000, 0),
    ("essential, full: surplus curtailed, other loads bought", job(ESSENTIAL, 1.0, 6000), 0, 1000, 5000),
    ("essential, at target, loads first", job(ESSENTIAL, 0.4, 3000, USE), 2000, 1000, 0),
    ("essential, at target, night", job(ESSENTIAL, 0.4, 0, USE), 0, 2000, 0),
    ("essential, selling, bank takes before other loads", job(ESSENTIAL, 0.8, 4000, bank_a=20, **SELL), "20 A", "surplus", 0),
    # zero export
    ("zero export, window at 800 W", job(ZERO, 0.8, 0, window("use", 0.5, 800)), -800, 1200, 0),
    ("zero export, at target, loads first", job(ZERO, 0.4, 3000, USE), 1000, 0, 0),
    ("zero export, at target, night", job(ZERO, 0.4, 0, USE), 0, 2000, 0),
    ("zero export, above target, bank first makes no difference", job(ZERO, 0.8, 3000, USE, **BANK), 1000, 0, 0),
    ("zero export, full, selling sun", job(ZERO, 1.0, 6000, **SELL), 0, -4000, 0),
    ("zero export, selling: the bank never sells", job(ZERO, 0.8, 0, SELLS, **SELL), -2000, 0, 0),
    ("zero export, charging window", job(ZERO, 0.4, 0, CHARGE), 2000, 4000, 0),
    ("zero export, charging window, target reached: rests", job(ZERO, 0.8, 0, CHARGE), 0, 2000, 0),
    ("zero export, hold with sun", job(ZERO, 0.8, 3000, HOLD), 1000, 0, 0),
    ("zero export, hold, bank first", job(ZERO, 0.8, 3000, HOLD, **BANK), 3000, 2000, 0),
    ("zero export, least charge on the grid", job(ZERO, 0.15, 0), 0, 2000, 0),
    # peak shaving
    ("peak shaving, below the cap", job(PEAK, 0.8, 1500, **CAP), 0, 500, 0),
    ("peak shaving, at target: the grid goes beyond the cap", job(PEAK, 0.4, 500, USE, **CAP), 0, 1500, 0),
    ("peak shaving, bank first is no choice", job(PEAK, 0.4, 3000, USE, **CAP, **BANK), 1000, 0, 0),
    ("peak shaving, charging has what is left under the cap", job(PEAK, 0.4, 1500, CHARGE, **CAP), 500, 1000, 0),
    ("peak shaving, full, surplus sold", job(PEAK, 1.0, 6000, **CAP, **SELL), 0, -4000, 0),
    # at the rating
    ("zero export, at rating: sun first, bank gives what is left", job(ZERO, 0.8, 9000, l1=9000, l2=3000), -1000, 2000, 0),
    ("zero export, sun above the rating charges", job(ZERO, 0.8, 15000, l1=9000, l2=3000), 5000, 2000, 0),
    ("essential, at rating", job(ESSENTIAL, 0.8, 0, l1=12000), -10000, 3000, 0),
    ("feed-in, at rating, loads first", job(FEED, 0.8, 15000, l1=12000), 5000, 3000, 0),
    ("peak shaving, at rating", job(PEAK, 0.8, 9000, l1=14000, **CAP), -1000, 5000, 0),
]  # fmt: skip


@pytest.mark.parametrize(("case", "given", "bank", "grid", "curtailed"), TABLE, ids=[t[0] for t in TABLE])
def test_the_table_of_hybrid_modes(first_minute, case, given, bank, grid, curtailed):
    got = first_minute(given)
    watts = given["bank"]["modules"][0]["charge_a"] * got["volts"]
    bank = watts if isinstance(bank, str) else bank
    assert got["bank"] == pytest.approx(bank, abs=1.0 if bank == watts else 0.11), got
    if curtailed == "rest":
        curtailed = given["flow"]["sun"]["values_w"][0] - 2000 - watts
    if grid == "surplus":
        grid = 1000 - (given["flow"]["sun"]["values_w"][0] - 1000 - watts)
    assert got["grid"] == pytest.approx(grid, abs=1.0 if bank == watts else 0.11), got
    assert got["curtailed"] == pytest.approx(curtailed, abs=1.0 if bank == watts else 0.11), got
    assert got["unserved"] == 0


GONE = [
    (mode, soc, sun, l1, bank, unserved)
    for mode in (FEED, ESSENTIAL, ZERO, PEAK)
    for soc, sun, l1, bank, unserved in (
        (0.8, 0, 1000, -1000, 0),
        (0.8, 6000, 1000, 5000, 0),
        (0.8, 15000, 12000, 5000, 2000),
        (0.25, 600, 1000, 600, 1000),  # below the reserve: output off, no load is served by sun either
    )
]


@pytest.mark.parametrize(("mode", "soc", "sun", "l1", "bank", "unserved"), GONE)
def test_grid_gone(first_minute, mode, soc, sun, l1, bank, unserved):
    """Only the backup output, down to the outage reserve; then off. The windows of the day change nothing."""
    given = job(mode, soc, sun, HOLD, l1=l1, grid=False, outage_reserve_soc=0.3, peak_cap_w=1000)
    got = first_minute(given)
    assert (got["bank"], got["grid"], got["unserved"]) == (pytest.approx(bank, abs=0.11), 0, pytest.approx(unserved, abs=0.11)), got


def test_reasons_say_what_happens(first_minute):
    said = {
        "at its target: mains carries the load": job(ZERO, 0.4, 0, USE),
        "window at its power: the bank also feeds the grid": job(FEED, 0.8, 6000, USE),
        "feed-in outside windows: mains carries what the sun does not": job(FEED, 0.8, 0),
        "above the cap: the bank shaves the peak": job(PEAK, 0.8, 0, **CAP),
        "below the cap: mains carries the load": job(PEAK, 0.8, 1500, **CAP),
        "charging window, at its target: mains carries the load": job(ZERO, 0.8, 0, CHARGE),
        "output off until the bank is back at its restart level": job(ZERO, 0.25, 0, grid=False, outage_reserve_soc=0.3),
        "at the rating: more load than the units can carry": job(ZERO, 0.8, 15000, l1=12000, grid=False),
        "holding window: mains carries the load": job(ZERO, 0.8, 0, HOLD),
    }
    for words, given in said.items():
        assert first_minute(given)["reason"] == words
