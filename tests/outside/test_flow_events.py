"""The simulation beside a day in closed form, and beside an integrator that stops at events (SciPy), for a unit that goes by volts."""

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from ewerer.core.behaviour import kernel as K
from ewerer.core.devices.library import shipped_library
from ewerer.core.flow.results import AT
from ewerer.core.flow.scenario import build
from tests.jobs import SKERRY, changed, job_of

LIBRARY = shipped_library()
COLUMN = {name: i for i, name in enumerate(K.SERIES)}


@pytest.mark.parametrize(("load_w", "sun_w", "start"), [(900.0, 2600.0, 0.5), (1500.0, 9000.0, 0.6), (400.0, 400.0, 0.9)])
def test_a_day_of_constant_load_and_square_sun_in_closed_form(load_w, sun_w, start):
    """A bank of constant volts without losses: charge falls, rises and stops in straight lines (common physics)."""
    s = build(job_of(changed(SKERRY, site__sources=["sun"], windows=[], site__dc_loads_a=0)), LIBRARY, 1)
    s.ocv[:] = 3.3
    s.par = s.par._replace(eta=1.0, eta_charge=1.0, eta_sun=1.0)
    s.par = s.par._replace(idle_w=0.0, r_ohm=1e-6)
    s.par = s.par._replace(charge_a=1e4, sun_charge_a=1e4, discharge_a=1e4, start_soc=start)
    s.par = s.par._replace(shut_v=0.0, off_v=0.0, tail_a=0.0, hold_h=99.0)
    minutes = np.arange(1440)
    s.load[:], s.other[:] = load_w, 0.0
    s.sun[:] = np.where((minutes >= 360) & (minutes < 1080), sun_w, 0.0)
    series, daily = s.run(record=True)
    holds = s.par.cells * 3.3 * s.par.capacity_ah  # [Wh]
    dawn = start - 6 * load_w / holds
    top = min(1.0, dawn + 12 * (sun_w - load_w) / holds)
    dusk = top - 6 * load_w / holds
    soc = series[:, COLUMN["soc"]]
    assert (soc[359], soc[1079], soc[1439]) == pytest.approx((dawn, top, dusk), abs=2e-6)
    lost_wh = max(0.0, 12 * (sun_w - load_w) - (1 - dawn) * holds)
    assert daily[0, AT["curtailed_wh"]] == pytest.approx(lost_wh, abs=0.5)
    if lost_wh > 0:
        full_at = 360 + (1 - dawn) * holds / (sun_w - load_w) * 60
        assert int(np.argmax(soc >= 1 - 1e-9)) == pytest.approx(full_at, abs=1.01)


def night(load_w, charge_w, start):
    """A dark day of steady load on a unit that goes by volts, mains behind it, charging from them at a steady power."""
    job = changed(SKERRY, policy__control="volts", site__sources=["mains", "sun"], windows=[], policy__charge_order="sun-and-mains")
    job["sun"] = {"chargers": []}
    s = build(job_of(job), LIBRARY, 1)
    s.load[:], s.sun[:], s.other[:] = load_w, 0.0, 0.0
    s.units = K.Groups(*(a[:1].copy() for a in s.units))
    s.units.count[:], s.units.mains_charge_w[:] = 1, charge_w
    s.units.to_mains[:], s.units.back[:] = 51.6, 53.3
    s.par = s.par._replace(start_soc=start, capacity_ah=120.0, r_ohm=0.012)
    s.par = s.par._replace(shut_v=44.0, ac_start=1e9, ac_stop=1e9, mains_w=2e4, full_days=1e9)
    return s


@pytest.mark.parametrize(("load_w", "charge_w", "start"), [(700.0, 1500.0, 0.7), (1200.0, 2500.0, 0.5), (500.0, 3200.0, 0.35)])
def test_transfers_of_a_unit_that_goes_by_volts_happen_when_an_event_integrator_says(load_w, charge_w, start):
    """Charge integrated with Runge-Kutta up to the very moment at which the terminals reach transfer or return volts."""
    s = night(load_w, charge_w, start)
    series, _ = s.run(record=True)
    on = series[:, COLUMN["on_mains"]]
    ours = np.flatnonzero(np.diff(on) != 0) + 1
    par, grid = s.par, np.linspace(0, 1, len(s.ocv))
    ohm, eta, idle, ah = par.r_ohm, par.eta, par.idle_w, par.capacity_ah

    def amps(soc, mains):
        emf = par.cells * np.interp(soc, grid, s.ocv)
        power = charge_w - idle if mains else -load_w / eta - idle
        flow = (np.sqrt(emf**2 + 4 * ohm * power) - emf) / (2 * ohm)
        most = (par.absorb_v - emf) / ohm
        return min(flow, most), emf

    def volts(soc, mains):
        flow, emf = amps(soc, mains)
        return emf + flow * ohm

    at, soc, mains, theirs = 0.0, start, False, []
    while at < 1440:
        goal = 53.3 if mains else 51.6
        reached = lambda _, y, mains=mains, goal=goal: volts(y[0], mains) - goal  # noqa: E731
        reached.terminal = True
        reached.direction = 1 if mains else -1
        rate = lambda _, y, mains=mains: [amps(y[0], mains)[0] / ah / 60]  # noqa: E731
        if (reached(0, [soc]) >= 0) == mains:
            found_at, found_soc = at, soc
        else:
            run = solve_ivp(rate, (at, 1441), [soc], events=reached, rtol=1e-8, max_step=3)
            if not run.t_events[0].size:
                break
            found_at, found_soc = float(run.t_events[0][0]), float(run.y_events[0][0][0])
        # The unit measures at the beginning of each part of a step and acts then; until then the bank goes on as before.
        acts = float(np.ceil(found_at * s.parts - 1e-9)) / s.parts
        theirs.append(acts)
        soc = found_soc + (acts - found_at) * amps(found_soc, mains)[0] / ah / 60
        at, mains = acts, not mains
    theirs = [t for t in theirs if t < 1435]
    assert 2 <= len(theirs) <= 60 and abs(len(theirs) - len(ours)) <= 1
    both = min(len(theirs), len(ours))
    assert np.abs(np.array(theirs[:both]) - ours[:both]).max() <= 2
