"""The simulation against physics solved another way, money added up another way, and a published form of calendar."""

import datetime as dt

import icalendar
import numpy as np
import pandas as pd
import pytest
from dateutil.rrule import rrulestr
from scipy.integrate import solve_ivp

from ewerer.core.behaviour import kernel as K
from ewerer.core.devices.library import shipped_library
from ewerer.core.devices.slots.week import intent_on, local_minutes
from ewerer.core.flow.adviser import optimum_cost
from ewerer.core.flow.results import simulate
from ewerer.core.flow.scenario import build
from ewerer.core.pages.calendar import calendar
from tests.jobs import SKERRY, TARN, changed, job_of

LIBRARY = shipped_library()
COLUMN = {name: i for i, name in enumerate(K.SERIES)}
ALONE = {"site__sources": ["sun"], "windows": [], "policy__shutdown_soc": 0.05, "policy__reserve_soc": 0.1}


def idle(job, watts, days=2):
    """Return a scenario of one bank that carries a steady load in the dark."""
    s = build(job_of(changed(job, **ALONE)), LIBRARY, days, windows=[])
    s.sun[:], s.other[:], s.load[:] = 0.0, 0.0, watts
    s.par = s.par._replace(start_soc=0.95)
    return s


# Physics: the circuit and the heat of the bank


@pytest.mark.parametrize("watts", [1500, 3500, 7000])
def test_a_steady_load_empties_the_bank_as_the_circuit_says(watts):
    """Against SciPy's Runge-Kutta on ds/dt = -I/C, P = (E(s) - I R) I; textbook physics."""
    s = idle(SKERRY, watts)
    series, _ = s.run(record=True)
    par, grid = s.par, np.linspace(0, 1, len(s.ocv))
    ohm, eta = par.r_ohm, par.eta

    def rate(_, y):
        emf = par.cells * np.interp(y[0], grid, s.ocv)
        power = watts / eta + par.idle_w
        amps = (emf - np.sqrt(emf**2 - 4 * ohm * power)) / (2 * ohm)
        return [-amps / par.capacity_ah / 60]

    low = lambda _, y: y[0] - 0.3  # noqa: E731
    low.terminal = True
    exact = solve_ivp(rate, (0, 2880), [0.95], events=low, rtol=1e-8, max_step=5)
    ours = int(np.argmax(series[:, COLUMN["soc"]] <= 0.3)) + 1
    assert ours == pytest.approx(exact.t_events[0][0], rel=0.003, abs=1.5)


def test_a_loaded_bank_warms_up_to_its_balance():
    """Against the closed form T = Ta + P/k (1 - exp(-k t / C)) of one thermal mass; textbook physics."""
    s = idle(SKERRY, 6000, 1)
    s.par = s.par._replace(capacity_ah=s.par.capacity_ah * 50)  # so large that the current hardly changes while it warms
    s.par = s.par._replace(r_ohm=0.02)
    series, _ = s.run(record=True)
    amps = series[:400, COLUMN["amps"]]
    assert np.ptp(amps) / abs(amps.mean()) < 0.01
    heat, leak, mass = amps.mean() ** 2 * 0.02, s.par.leak_w_k, s.par.thermal_j_k
    minutes = np.arange(1, 401)
    exact = s.par.ambient_c + heat / leak * (1 - np.exp(-leak * minutes * 60 / mass))
    assert np.abs(series[:400, COLUMN["temp_c"]] - exact).max() < 0.02 * (exact.max() - exact.min())


def test_nothing_is_made_from_nothing_over_a_round():
    """Charge that comes out went in: over days that begin and end alike, out + I^2 R = in (conservation of energy)."""
    s = build(job_of(changed(TARN, flow={"start_soc": 0.5})), LIBRARY, 14)
    series, _ = s.run(record=True)
    amps, volts, soc = (series[:, COLUMN[c]] for c in ("amps", "volts", "soc"))
    # From one crossing of 60 % upwards to the last one.
    rising = np.flatnonzero((soc[:-1] < 0.6) & (soc[1:] >= 0.6))
    a, b = rising[0] + 1, rising[-1] + 1
    ends = s.par.cells * s.par.capacity_ah * 3.28 * (soc[b] - soc[a])
    inside = (volts[a + 1 : b + 1] * amps[a + 1 : b + 1]).sum() / 60
    lost = (amps[a + 1 : b + 1] ** 2 * s.par.r_ohm).sum() / 60
    through = np.abs(volts * amps).sum() / 120
    assert inside - lost == pytest.approx(ends, abs=0.002 * through)


# Money, with pandas


def test_the_bill_is_the_sum_of_its_hours():
    """Bought energy by the hour of the local clock, priced by the tariff as a person would with a table."""
    job = job_of(changed(TARN, tariff__demand_per_kw=4.0, flow={"start": "2025-01-25"}))
    result = simulate(job, LIBRARY, 14, record=True)
    columns = result.series.columns
    at = pd.date_range("2025-01-25", periods=14 * 1440, freq="min")
    eta = next(p for p in LIBRARY if p.id == job.units[0].profile).ratings.charger_efficiency
    bought_w = np.array(columns["mains_load_w"]) + columns["mains_other_w"] + np.array(columns["mains_bank_w"]) / eta
    frame = pd.DataFrame({"w": bought_w, "hour": at.hour}, index=at)
    price = np.full(len(frame), job.tariff.base)
    for p in reversed(job.tariff.prices):
        a, b = int(p.from_[:2]), int(p.to[:2])
        inside = (frame.hour >= a) & (frame.hour < b) if a < b else (frame.hour >= a) | (frame.hour < b)
        price[inside] = p.price
    assert result.ledger.bought == pytest.approx((frame.w * price).sum() / 60_000, abs=0.02)
    peaks = frame.w.resample("15min").mean().resample("MS").max()
    assert len(peaks) == 2, "January and February"
    assert result.ledger.demand == pytest.approx(peaks.sum() / 1000 * 4.0, abs=0.05)
    assert peaks.max() < frame.w.max(), "a quarter hour, not a minute"
    assert result.ledger.cost == pytest.approx(result.ledger.bought - result.ledger.sold + result.ledger.demand, abs=0.011)


def test_what_is_sold_is_paid_by_its_own_hours():
    """Export has a price of its own in each window, the tariff's elsewhere."""
    prices = [{"from": "12:00", "to": "14:00", "price": 0.2, "export": 0.09}, {"from": "17:00", "to": "20:00", "price": 0.4}]
    paths = {"policy__mode": "feed-in", "tariff": {"base": 0.28, "prices": prices, "export": 0.04}, "windows": []}
    job = job_of(changed(SKERRY, flow={"start": "2025-06-01", "cloudiness": 0}, loads__daily_wh=6000, **paths))
    result = simulate(job, LIBRARY, 5, record=True)
    at = pd.date_range("2025-06-01", periods=5 * 1440, freq="min")
    sent = pd.Series(np.array(result.series.columns["sun_grid_w"]) + result.series.columns["bank_grid_w"], index=at)
    paid = np.where((at.hour >= 12) & (at.hour < 14), 0.09, 0.04)
    assert sent.sum() > 0 and result.ledger.sold == pytest.approx((sent * paid).sum() / 60_000, abs=0.02)


@pytest.mark.parametrize("start_soc", [0.2, 0.5])
def test_the_optimum_against_dynamic_programming(start_soc):
    """Rule windows-optimum: the linear programme beside a grid of charge levels walked backwards, solved without it.

    The day is cut to a bank without sun, so that both describe the same thing; the grid may only cost more.
    """
    s = build(job_of(changed(TARN, flow={"start_soc": start_soc})), LIBRARY, 1, 900, windows=[])
    s.sun[:] = 0.0
    s.par = s.par._replace(idle_w=0.0)  # own use may take the bank below the level that discharging keeps; left out here
    full, begun = s.stored_kwh(1.0), s.stored_kwh(start_soc)
    best = optimum_cost(s, 0.0, begun)
    par, hours = s.par, 0.25
    assert full == pytest.approx(par.cells * par.capacity_ah * np.mean(s.ocv) / 1000, rel=1e-3)
    volts, top = par.cells * s.ocv[len(s.ocv) // 2], par.cells * s.ocv[-1]
    inverter = (s.units.count * s.units.inverter_w).sum() / 1000
    may_in = min(par.charge_a * top / 1000, (s.units.count * s.units.mains_charge_w).sum() / 1000)
    may_out = min(inverter, par.discharge_a * volts * 1.1 / 1000 * par.eta)
    # The host goes by volts: it rests at the charge where the bank stands at its transfer volts.
    least = np.interp(s.units.to_mains[0] / par.cells, s.ocv, np.linspace(0, 1, len(s.ocv)))
    lowest = min(s.stored_kwh(least), begun) * 0.98
    levels = np.linspace(lowest, full, 601)
    worth = np.where(levels >= begun * 0.995, 0.0, np.inf)
    need = ((s.load + s.other) / 1000).reshape(-1, 15).mean(axis=1)
    price = s.price.reshape(-1, 15)[:, 0]
    for k in range(len(need) - 1, -1, -1):
        after = levels[None, :] - levels[:, None] + par.idle_w / 1000 * hours
        dc = after / hours
        mains = np.where(dc >= 0, need[k] + dc / par.eta_charge, need[k] + dc * par.eta)
        bad = (dc > may_in) | (-dc * par.eta > may_out) | (mains < -1e-9) | (mains > par.mains_w / 1000)
        worth = np.where(bad, np.inf, mains * price[k] * hours + worth[None, :]).min(axis=1)
    mine = float(np.interp(begun, levels, worth))
    assert best <= mine + 1e-6
    assert mine - best < 0.03 * abs(best) + 0.05


# Calendar, by RFC 5545 rules as dateutil reads them


@pytest.mark.parametrize("start", ["2025-03-24", "2025-10-20", "2025-06-02"])
@pytest.mark.parametrize("name", [SKERRY, TARN])
def test_the_calendar_file_says_what_the_windows_say(name, start):
    """Every minute of the local clock, also in the weeks in which the clocks change."""
    job = job_of(changed(name, flow={"start": start}))
    first = dt.date.fromisoformat(start)
    spoken = {}
    for event in icalendar.Calendar.from_ical(calendar(job)).walk("VEVENT"):
        begin = event.decoded("DTSTART").replace(tzinfo=None)
        length = event.decoded("DTEND").replace(tzinfo=None) - begin
        rule = rrulestr(event["RRULE"].to_ical().decode(), dtstart=begin)
        what = str(event["SUMMARY"]).split(": ")[1].split(" ")[0]
        for at in rule.between(begin - dt.timedelta(days=2), begin + dt.timedelta(days=9), inc=True):
            for m in range(int(length.total_seconds() // 60)):
                spoken.setdefault(at + dt.timedelta(minutes=m), []).append(what)
    for offset in range(1, 7):
        date = first + dt.timedelta(days=offset)
        meant = intent_on(job.windows, date, job.site.time_zone)
        for what, (_, minute) in zip(meant, local_minutes(date, job.site.time_zone), strict=True):
            said = spoken.get(dt.datetime.combine(date, dt.time(minute // 60, minute % 60)), [])
            assert (what.action in said) if what.action != "auto" else said == [], (date, minute)
