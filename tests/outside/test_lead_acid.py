"""Lead-acid while it is charged and drawn: the published model restated, a root finder as a second integrator, Peukert's law, days of an engine."""

import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings, strategies as st
from scipy.optimize import brentq

from ewerer.core.behaviour import kernel as K
from ewerer.core.devices.library import shipped_library
from ewerer.core.flow.results import simulate
from ewerer.core.flow.scenario import build
from ewerer.core.trade.lead_acid import charged_to, charging_v, stored_exponent
from tests.jobs import SKERRY, changed, inline, job_of, plan_of
from tests.sizes import size

CELLS, AH = 24, 400.0


def volts(soc, amps, c10, temp=25.0):
    """Copetti, Lorenzo, Chenlo, Progress in Photovoltaics 1 (1993), charge equation, from memory; restated."""
    return 2 + 0.16 * soc + amps / c10 * (6 / (1 + amps**0.86) + 0.48 / (1 - soc) ** 1.2 + 0.036) * (1 - 0.025 * (temp - 25))


@given(st.floats(0, 0.99), st.floats(0, 200), st.floats(50, 2000), st.floats(5, 45))
@settings(max_examples=size(50, 1000))
def test_the_published_equation(soc, amps, c10, temp):
    assert charging_v(soc, amps, c10, temp) == pytest.approx(volts(soc, amps, c10, temp), rel=1e-9)


@pytest.mark.parametrize(
    ("soc", "amps", "shows"), [(0.2, 10, 2.171), (0.5, 10, 2.267), (0.8, 10, 2.536), (0.5, 20, 2.3926)]
)  # by hand, 100 Ah
def test_figures_worked_by_hand(soc, amps, shows):
    assert charging_v(soc, amps, 100) == pytest.approx(shows, abs=6e-4)


def test_facts_of_the_trade():  # common practice
    full = [charged_to(2.40, amps, 100) for amps in (20, 10, 5, 2)]
    assert full == sorted(full), "the gentler the charge, the fuller the bank when absorption is reached"
    assert 0.6 < full[1] < 0.85, "at a tenth of the capacity absorption is reached at about three quarters"
    assert charging_v(0.5, 10, 100, 5) > charging_v(0.5, 10, 100, 25) > charging_v(0.5, 10, 100, 45), "cold cells read higher"
    stored = [1 - math.exp(stored_exponent(s, 5, 100)) for s in (0.5, 0.9, 0.99)]
    assert stored[0] > 0.99 and stored[0] > stored[1] > stored[2], "near full most of the current makes gas and heat"


def acid(**more):
    gel = inline("B1", series_cells=CELLS, chemistry="gel", capacity_ah=AH, charge_a=80, cell_max_v=2.45, cell_min_v=1.75)
    base = {
        "bank": {"modules": [gel], "main_lead_mohm": 0.5},
        "units": [{"id": "U1", "profile": "wendle-hy6"}],
        "windows": [],
        "as_found": {},
        "extra_entries": {},
        "link": {},
        "site__sources": ["generator"],
        "generator": {"continuous_w": 3500, "start": "manual"},
        "mains": None,
        "loads": {"continuous_w": 400, "daily_wh": 9600},
        "sun": {"chargers": []},
        "policy": {"control": "volts", "charge_order": "sun-and-mains", "source_order": "sun-bank-mains"},
    }
    return changed(SKERRY, **(base | more))


def test_a_charge_beside_a_root_finder():
    """Constant power, then constant volts: the kernel's minutes against brentq on the restated equation, without the kernel's rounds."""
    scenario = build(job_of(acid()), shipped_library(), 1, 60)
    par = scenario.par
    lead, c10 = par.lead_ohm, par.c10_ah
    assert c10 == pytest.approx(AH * 0.5 ** (1 - 1 / (1 + par.peukert)), rel=1e-3), "capacity at ten hours by Peukert"
    soc = other = 0.3
    worst = 0.0
    for _ in range(10 * 60):
        emf = CELLS * 2.0
        into, stands, ohm = K.fills(par.absorb_v, soc, 25.0, emf, CELLS, c10, lead, 60.0)
        worst = max(worst, stands + into * ohm - par.absorb_v)
        soc += into / 60 / AH * (1 - math.exp(20.73 * (soc - 1) / (10 * into / c10 + 0.55)))
        full = lambda i, s=other: CELLS * volts(s, i, c10) + i * lead - par.absorb_v  # noqa: E731
        amps = 60.0 if full(60.0) < 0 else brentq(full, 1e-6, 60.0)
        other += amps / 60 / AH * (1 - math.exp(20.73 * (other - 1) / (10 * amps / c10 + 0.55)))
    assert soc == pytest.approx(other, abs=0.005) and 0.85 < soc < 1
    assert worst < 0.02, "the chargers' volts are kept"


@pytest.mark.parametrize("load_w", [300, 900, 1800])
def test_a_bank_that_is_drawn_empties_as_peukert_says(load_w):
    job = acid(
        site__sources=[],
        generator=None,
        loads={"continuous_w": load_w, "daily_wh": 24.0 * load_w, "shape": [1] * 24},
        flow={"start_soc": 1.0},
    )
    scenario = build(job_of(job), shipped_library(), 2, 60)
    made = simulate(job_of(job), shipped_library(), days=2, step_s=60)
    columns = made.series.columns
    on = [i for i, w in enumerate(columns["bank_load_w"]) if w > 0]
    amps = -np.mean([columns["amps"][i] for i in on])
    rated, gone = scenario.par.rated_a, 1.0 - columns["soc"][on[-1]]
    # ds/dt = I / C * (I / I20)^(p - 1) beyond the rated current
    expected = len(on) / 60 * amps / AH * max(1.0, amps / rated) ** scenario.par.peukert
    assert gone == pytest.approx(expected, rel=0.02)
    assert made.ledger.unserved_kwh > 0 or load_w < 400


@pytest.mark.parametrize(
    ("start", "control", "hours", "starts"),
    [
        ("manual", "volts", (4, 9), (1, 3)),
        ("manual", "soc", (3, 7), (1, 3)),
        ("auto", "volts", (4, 9), (3, 24)),
        ("auto", "soc", (5, 12), (1, 4)),
    ],
)
def test_five_days_on_a_small_engine(start, control, hours, starts):
    """24 gel cells, 3.5 kW, by hand and by pair: it starts, it stops, it charges, and nothing stays dark but the first morning."""
    job = acid(
        generator={"continuous_w": 3500, "start": start},
        policy={"control": control, "charge_order": "sun-and-mains", "source_order": "sun-bank-mains"},
    )
    made = simulate(job_of(job), shipped_library(), days=5, step_s=60)
    running = made.series.columns["generator"]
    for day in range(1, 5):
        on = running[day * 1440 : (day + 1) * 1440]
        begins = sum(b > a for a, b in pairwise(on)) + (on[0] > 0)
        assert hours[0] - 1 <= sum(on) / 60 <= hours[1], (day, sum(on) / 60)
        assert starts[0] <= begins <= starts[1], (day, begins)
    energy = made.ledger
    assert energy.generator_kwh > 5 * 9.6 * 0.95, "all loads come from the engine in the end"


def test_what_ends_a_charge_is_read_under_charge():
    """A way back, a generator's stop, the end of charging from AC: at rest such volts are never seen below full."""
    made = plan_of(acid(generator={"continuous_w": 3500, "start": "auto"}))
    rest_full = CELLS * 2.16
    assert made.ladder["return_bank_v"].value > rest_full
    entries = {r.quantity: float(r.value) for r in made.units[0].settings if isinstance(r.value, float)}
    assert entries["ac_charge_stop_v"] > entries["absorb_v"], "the hold is not cut off"
    assert not [f for f in made.findings if f.rule in ("ladder-order", "tried-engine") or f.severity == "stop"]
