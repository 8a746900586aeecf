"""Stages and thresholds over days: what counts as full, when charging begins anew, what off means, what volts units obey."""

import numpy as np
import pytest

from ewerer.core.behaviour import kernel as K
from ewerer.core.devices.library import shipped_library
from ewerer.core.flow.results import AT
from ewerer.core.flow.scenario import build
from tests.jobs import HERON, LARCH, SKERRY, changed, job_of

LIBRARY = shipped_library()
NEVER = 1e9
C = {name: i for i, name in enumerate(K.SERIES)}


def alone(days=1, name=SKERRY, sources=("sun",), **par):
    """Return a site off the grid, with sun and loads to be given by hand."""
    s = build(job_of(changed(name, site__sources=list(sources), windows=[])), LIBRARY, days)
    s.sun, s.load, s.other = np.zeros_like(s.sun), np.zeros_like(s.load), np.zeros_like(s.other)
    s.par = s.par._replace(**par)
    return s


def by_day(s, watts, first=8, last=16):
    s.sun[(s.minute_of_day >= first * 60) & (s.minute_of_day < last * 60)] = watts


def test_float_volts_touched_are_not_full():
    """A bank that is carried to float and no further, though it was full once, is full on no later day."""
    s = alone(6, start_soc=0.9, full_days=NEVER, recharge_soc=0.5, recharge_v=0.0)
    s.cho = s.cho._replace(daily_bulk=bool(0))
    by_day(s, 9000)
    s.load[:] = 300
    _, daily = s.run()
    assert daily[:, AT["fulls"]].tolist() == [1, 0, 0, 0, 0, 0]
    assert daily[3, AT["highest_v"]] == pytest.approx(s.par.float_v, abs=0.05)
    s.cho = s.cho._replace(daily_bulk=bool(1))
    _, daily = s.run()
    assert (daily[:, AT["fulls"]] == 1).all(), "without a setting to charge again, every day begins with bulk"


def test_the_periodic_full_charge_comes_when_it_is_due_with_its_own_volts():
    s = alone(16, start_soc=0.9, full_days=5.0, full_v=54.6, full_h=0.5, recharge_soc=0.3, recharge_v=0.0, tail_a=0.0, hold_h=1.0)
    s.cho = s.cho._replace(daily_bulk=bool(0))
    by_day(s, 9000)
    s.load[:] = 200
    _, daily = s.run()
    full = np.flatnonzero(daily[:, AT["fulls"]])
    assert full[0] == 0 and set(np.diff(full)) <= {5, 6} and len(full) >= 3
    later = daily[full[1:], AT["highest_v"]]
    assert later == pytest.approx(54.6, abs=0.03) and daily[0, AT["highest_v"]] == pytest.approx(s.par.absorb_v, abs=0.03)


def test_the_hold_lasts_its_time_or_ends_on_the_tail():
    long, short = (alone(1, start_soc=0.95, tail_a=tail, hold_h=3.0) for tail in (0.0, 40.0))
    for s in (long, short):
        by_day(s, 12_000, 6, 20)
    (a, x), (b, y) = long.run(record=True), short.run(record=True)
    held = (np.abs(a[:, C["volts"]] - long.par.absorb_v) < 0.021).sum()
    assert held >= 180 and x[0, AT["full_at_h"]] > y[0, AT["full_at_h"]] > 0
    at = int(y[0, AT["full_at_h"]] * 60) - 1
    assert b[at, C["amps"]] <= 40.0 + 1e-6


def test_above_float_the_loads_draw_the_bank_down_before_the_sun_serves_them():
    s = alone(1, start_soc=1.0)
    s.sun[:], s.load[:] = 6000.0, 800.0
    series, _ = s.run(record=True)
    reasons = series[:, C["reason"]]
    assert reasons[0] == K.DRAINS and series[0, C["bank_load_w"]] == pytest.approx(800) and series[0, C["sun_load_w"]] == 0
    steady = int(np.argmax(reasons == K.BY_SUN))
    assert 1 < steady < 600 and series[-1, C["sun_load_w"]] == pytest.approx(800)
    assert series[-1, C["volts"]] == pytest.approx(s.par.float_v, abs=0.02)
    assert (np.diff(series[:steady, C["soc"]]) <= 1e-12).all(), "nothing goes in meanwhile"


def test_off_means_off_until_the_restart_level_and_own_use_goes_on_to_the_hard_stop():
    s = alone(3, start_soc=0.12, idle_w=300.0)
    s.load[:] = 1500
    by_day(s, 900, 8, 9)
    series, _ = s.run(record=True)
    off = series[:, C["reason"]] == K.OFF
    first = int(np.argmax(off))
    assert off[first:].all(), "an hour of weak sun brings it nowhere near the restart level"
    dark = slice(first + 5, 8 * 60 if first < 470 else first + 60)
    assert (series[dark, C["amps"]] < -3).all(), "the units' own use goes on"
    sunny = (s.minute_of_day >= 490) & (s.minute_of_day < 530)
    assert (series[sunny & off, C["sun_load_w"]] == 0).all() and (series[sunny & off, C["sun_bank_w"]] > 0).all()
    assert (series[sunny & off, C["unserved_w"]] == 1500).all()
    dead = series[:, C["volts"]] <= s.par.off_v
    if dead.any():
        after = int(np.argmax(dead)) + 2
        assert abs(series[after, C["amps"]]) < 1e-6, "beyond the hard stop nothing is drawn"
    strong = alone(2, start_soc=0.12)
    strong.load[:] = 500
    by_day(strong, 20_000, 8, 18)
    series, _ = strong.run(record=True)
    assert (series[12 * 60 : 17 * 60, C["unserved_w"]] == 0).all()
    back = np.flatnonzero(np.diff((series[:, C["reason"]] == K.OFF).astype(int)) == -1)
    assert len(back) >= 1 and series[back[0], C["soc"]] >= strong.par.restart_soc - 0.01


def test_a_unit_that_goes_by_volts_obeys_volts_alone():
    s = build(
        job_of(changed(SKERRY, policy__control="volts", site__sources=["sun"], windows=[], policy__outage_reserve_soc=0.6)),
        LIBRARY,
        2,
    )
    s.sun[:], s.load[:] = 0.0, 900.0
    s.par = s.par._replace(start_soc=0.5)
    series, _ = s.run(record=True)
    stop = int(np.argmax(series[:, C["reason"]] == K.OFF))
    assert stop > 0 and series[stop - 2, C["volts"]] == pytest.approx(s.par.shut_v, abs=0.1)
    plain = series[:stop, C["soc"]].min()
    s.par = s.par._replace(shut_soc=0.45, reserve=0.48, restart_soc=0.9, island_soc=-1.0, island_back=-1.0)
    again, _ = s.run(record=True)
    assert again[:stop, C["soc"]].min() == plain, "no hidden stop by charge"


def test_outage_reserve_and_recovery_are_figures_of_their_own():
    job = changed(
        HERON, windows=[], policy__outage_reserve_soc=0.4, policy__own_figures={"outage_return_soc": 0.47, "on_grid_min_soc": 0.3}
    )
    s = build(job_of(job), LIBRARY, 1)
    assert [s.par.island_soc, s.par.island_back, s.par.reserve] == pytest.approx([0.4, 0.47, 0.3])
    s.grid[:], s.sun[:], s.load[:] = 0, 0.0, 2500.0
    s.par = s.par._replace(start_soc=0.42)
    s.sun[600:] = 6000.0
    s.par = s.par._replace(sun_charge_a=200.0)
    series, daily = s.run(record=True)
    off = np.flatnonzero(series[:, C["reason"]] == K.OFF)
    assert series[off[0] - 1, C["soc"]] == pytest.approx(0.4, abs=0.002)
    assert (series[off, C["sun_load_w"]] == 0).all(), "output off means off, for the sun too"
    assert series[off[-1], C["soc"]] == pytest.approx(0.47, abs=0.003) and off[-1] > 600
    assert daily[0, AT["off_h"]] == pytest.approx(len(off) / 60, abs=0.02)


def test_unmetered_dc_loads_take_their_part_first():
    plain, loaded = (
        build(job_of(changed(SKERRY, site__sources=["sun"], windows=[], site__dc_loads_a=a)), LIBRARY, 1) for a in (0, 10)
    )
    for s in (plain, loaded):
        s.sun[:], s.load[:] = 0.0, 0.0
    a, b = (s.run(record=True)[0] for s in (plain, loaded))
    assert (a[:, C["amps"]] - b[:, C["amps"]])[:600] == pytest.approx(10, abs=0.2)


def test_a_cap_on_the_bank_never_starves_the_loads():
    s = alone(1, start_soc=0.5, charge_a=10.0)
    s.sun[:], s.load[:] = 5000.0, 3000.0
    series, _ = s.run(record=True)
    assert (series[:, C["sun_load_w"]] == 3000).all() and series[:, C["amps"]].max() <= 10 + 1e-6


@pytest.mark.parametrize("order", ["sun-only", "sun-first", "sun-and-mains", "mains-first"])
def test_a_generator_runs_between_its_points_and_no_longer(order):
    job = changed(
        LARCH,
        generator={"continuous_w": 5000, "start": "auto", "min_run_min": 20},
        policy__charge_order=order,
        policy__control="volts",
    )
    s = build(job_of(job), LIBRARY, 3)
    s.sun[:], s.load[:] = 0.0, 600.0
    series, _ = s.run(record=True)
    on = series[:, C["generator"]] > 0
    charged = series[:, C["mains_bank_w"]].max() > 0
    assert charged == (order != "sun-only")
    if charged:
        starts = np.flatnonzero(np.diff(on.astype(int)) == 1)
        stops = np.flatnonzero(np.diff(on.astype(int)) == -1)
        assert len(starts) >= 1 and len(stops) >= 1 and (stops[0] - starts[0]) >= 19
        assert series[stops[0], C["volts"]] >= s.par.gen_stop - 0.02
    else:
        assert on[-1], "it runs on: nothing charges the bank up to its stop"
