"""The rig's plant against the simulation, and its modules against a nodal solution."""

import json
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest

import ewerer
from ewerer.core.behaviour import kernel as K
from ewerer.core.behaviour.compiled import simulate as kernel
from ewerer.core.devices.library import parse_job, shipped_library
from ewerer.core.flow.results import simulate
from ewerer.core.flow.scenario import build
from ewerer.rig.plant import DAY_S, Plant, day_of, entries_of
from tests.jobs import SKERRY, data
from tests.sizes import size

LIBRARY = shipped_library()
DEMO_JOBS = sorted((Path(ewerer.__file__).parent / "demo").glob("*.json"))
SUMS = {
    "sun_wh": "sun_kwh", "load_wh": "load_kwh", "sun_used_wh": "sun_used_kwh", "curtailed_wh": "curtailed_kwh", "bank_in_wh": "bank_in_kwh",
    "bank_out_wh": "bank_out_kwh", "mains_wh": "mains_kwh", "export_wh": "export_kwh", "generator_wh": "generator_kwh", "unserved_wh": "unserved_kwh",
}  # fmt: skip


def job_of(path):
    return parse_job(path.read_bytes()).model_copy(update={"as_found": {}})


@pytest.mark.parametrize("path", DEMO_JOBS[:: size(3, 1)], ids=lambda p: p.stem)
def test_a_day_of_the_plant_is_the_simulated_day(path):
    """Each energy within 1 %, or 0.03 kWh where little flows: a generator starts to the second here, to the minute there."""
    job = job_of(path)
    told = simulate(job, LIBRARY, 1).ledger
    day = day_of(Plant(job, LIBRARY, entries_of(job, LIBRARY)))
    for mine, theirs in SUMS.items():
        assert day.kwh[mine] == pytest.approx(getattr(told, theirs), rel=0.01, abs=0.03), mine


@pytest.mark.parametrize("by", size([7], [1, 7, 60]))
def test_the_plant_does_the_same_in_any_steps(by):
    job = job_of(DEMO_JOBS[0])
    whole, parts = (Plant(job, LIBRARY, entries_of(job, LIBRARY)) for _ in range(2))
    whole.step(5400)
    while parts.t < whole.t:
        parts.step(min(by, whole.t - parts.t))
    assert parts.kept == pytest.approx(whole.kept, abs=1e-9)
    assert parts.energies() == pytest.approx(whole.energies(), abs=1e-9)


def test_a_run_that_goes_on_is_the_run_that_never_stopped():
    """The kernel's own state, handed over in 300 pieces, to the last digit."""
    scene = build(parse_job(json.dumps(data(SKERRY))), LIBRARY, 1, 60)
    series, daily = scene.run(record=True)
    kept = np.zeros(len(K.KEPT))
    cho = scene.cho._replace(daily_bulk=False, skip=0)
    cuts = [*range(0, len(scene.sun), 5), len(scene.sun)]
    for a, b in pairwise(cuts):
        at = slice(a, b)
        arrays = [
            getattr(scene, n)[at]
            for n in ("sun", "output_sun", "load", "other", "action", "power", "target", "grid", "quiet", "price", "sell")
        ]
        part = np.zeros((b - a, len(K.SERIES)))
        kernel(scene.par, cho, scene.units, scene.ocv, scene.derate_in, scene.derate_out, scene.inner_s / 3600, *arrays, np.array([0, b - a]), part, np.zeros_like(daily), kept)  # fmt: skip
        assert np.array_equal(part, series[at])
    assert kept[K.KEPT.index("soc")] == scene.last_soc


def test_modules_share_as_kirchhoff_says():
    """Nodal solution: conductances on one busbar, solved as a linear system by numpy."""
    job = job_of(DEMO_JOBS[0])
    plant = Plant(job, LIBRARY, entries_of(job, LIBRARY), seed=3)
    for m, off in zip(plant.modules, np.linspace(-0.02, 0.02, len(plant.modules)), strict=True):
        m.soc += float(off)
    plant.step(1)
    bank = plant.modules
    g = np.array([1000 / (m.made.resistance_mohm + m.made.lead_mohm) for m in bank])
    amps = float(plant.kept[K.KEPT.index("amps")])
    before = np.array([plant._resting_v(m.soc - m.amps / 3600 / m.made.capacity_ah) for m in bank])
    n = len(bank)
    system = np.zeros((n + 1, n + 1))
    system[:n, :n], system[:n, n], system[n, :n] = np.diag(1 / g), -1, 1
    solved = np.linalg.solve(system, np.append(-before, amps))
    assert [m.amps for m in bank] == pytest.approx(solved[:n], abs=0.4)
    assert sum(m.amps for m in bank) == pytest.approx(amps, abs=1e-6)


def test_the_report_is_floor_to_the_step_of_buffer_times_the_sum():
    """Restated, and equal to what the plan says that the inverter shows, in each case of its table."""
    for path in DEMO_JOBS:
        job = job_of(path)
        plant = Plant(job, LIBRARY, entries_of(job, LIBRARY))
        displays = {d.case: d for d in plant.made.solved.link.displays}
        if "all" not in displays:
            continue
        told = plant.report
        assert (told.charge_a, told.discharge_a, told.charge_v) == (
            displays["all"].charge_a,
            displays["all"].discharge_a,
            displays["all"].charge_v,
        )
        for case, switch in (("charge-off", "charging"), ("discharge-off", "discharging")):
            if case in displays:
                setattr(plant.modules[0], switch, False)
                plant.step(1)
                assert (plant.report.charge_a, plant.report.discharge_a) == (displays[case].charge_a, displays[case].discharge_a), (
                    path,
                    case,
                )
                setattr(plant.modules[0], switch, True)


def test_what_faults_do_to_the_plant():
    job = job_of(next(p for p in DEMO_JOBS if "skerry" in p.stem))
    plant = Plant(job, LIBRARY, entries_of(job, LIBRARY))
    plant.t = 3 * 3600
    plant.step(600)
    charging = plant.flow.mains_bank_w
    assert charging > 1000  # a charging window is open at three in the morning
    plant.trouble.ambient_c = -8.0
    plant.step(60)
    assert plant.report.charge_a == 0 and plant.flow.mains_bank_w < 150
    plant.trouble.ambient_c = None
    plant.step(60)
    assert plant.flow.mains_bank_w == pytest.approx(charging, rel=0.2)
    plant.trouble.fuse = False
    plant.step(60)
    assert plant.flow.mains_bank_w < 150 and plant.measured("U1")["volts"] == 0
    plant.trouble.fuse = True
    plant.trouble.heard = False
    plant.step(5)
    assert plant.flow.mains_bank_w > 100  # within the time of silence the units go on
    plant.step(60)
    loss = {"stop": 0.0, "carry-on": charging}[plant.made.loss]
    assert plant.flow.mains_bank_w == pytest.approx(loss, rel=0.3, abs=150)
    plant.trouble.heard = True
    plant.trouble.shunt = -1.0
    plant.step(60)
    assert plant.measured("U1")["amps"] * plant.report.amps < 0
    assert plant.t < DAY_S


def test_a_generator_droops_under_load_and_a_motor_draws_its_inrush():
    job = job_of(next(p for p in DEMO_JOBS if "larch" in p.stem))
    plant = Plant(job, LIBRARY, entries_of(job, LIBRARY))
    seen = []
    while plant.t < DAY_S:
        plant.step(60)
        if plant.flow.generator and plant.flow.mains_w > 500:
            seen.append((plant.flow.mains_w, plant.flow.ac_hz, plant.flow.ac_v))
    assert seen and all(hz < 60 * 1.04 and v < 120 for _, hz, v in seen)
    low, high = min(seen), max(seen)
    assert high[0] == low[0] or high[1] < low[1]
    plant.trouble.inrush_w = 800
    plant.t = plant.t - plant.t % 600
    plant.step(1)
    first = plant.flow.load_w
    plant.step(30)
    assert first - plant.flow.load_w == pytest.approx(800 * 4, rel=0.01)
