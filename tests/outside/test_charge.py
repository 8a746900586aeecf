"""Constant-current, constant-voltage charge against PyBaMM's published LFP cell (Prada2013), scaled to the bank."""

import numpy as np
import pytest

from ewerer.core.behaviour import kernel as K
from ewerer.core.devices.library import shipped_library
from ewerer.core.flow.results import charge_time_min
from ewerer.core.flow.scenario import build
from tests.jobs import SKERRY, job_of

CASES = [(0.2, 3.45), (0.5, 3.45), (0.5, 3.55)]
# Computed beforehand with PyBaMM's single particle model, charge from 20 % SOC to C/20: minutes to constant voltage, in all.
KNOWN = {(0.2, 3.45): (237.2, 238.6), (0.5, 3.45): (94.3, 96.7), (0.5, 3.55): (95.2, 97.1)}


@pytest.fixture(scope="module")
def reference():
    """Run PyBaMM: its own open-circuit table, and minutes to constant voltage and in all for each case."""
    import pybamm

    pybamm.set_logging_level("ERROR")
    values = pybamm.ParameterValues("Prada2013")
    capacity = values["Nominal cell capacity [A.h]"]
    solver = pybamm.lithium_ion.ElectrodeSOHSolver(values)
    param = pybamm.LithiumIonParameters()
    socs = np.concatenate([np.linspace(0, 0.02, 41)[:-1], np.linspace(0.02, 0.97, 191)[:-1], np.linspace(0.97, 1, 121)])
    table = []
    for s in socs:
        x, y = solver.get_initial_stoichiometries(float(s))
        table.append(float(values.evaluate(param.p.prim.U(y, 298.15) - param.n.prim.U(x, 298.15))))
    times = {}
    for rate, volts in CASES:
        steps = [f"Charge at {rate} C until {volts} V", f"Hold at {volts} V until C/20"]
        sim = pybamm.Simulation(
            pybamm.lithium_ion.SPM(), parameter_values=values, experiment=pybamm.Experiment([tuple(steps)], period="10 seconds")
        )
        solution = sim.solve(initial_soc=0.2)
        cycle = solution.cycles[0].steps
        times[rate, volts] = (
            float(cycle[0]["Time [min]"].entries[-1] - cycle[0]["Time [min]"].entries[0]),
            float(solution["Time [min]"].entries[-1]),
        )
    # The resistance of the SPM at 0.5 C on charge, fitted from one point in the middle of the curve.
    middle = pybamm.Simulation(
        pybamm.lithium_ion.SPM(),
        parameter_values=values,
        experiment=pybamm.Experiment(["Charge at 0.5 C for 12 minutes"], period="10 seconds"),
    )
    end = middle.solve(initial_soc=0.5)
    lift = float(end["Terminal voltage [V]"].entries[-1]) - float(np.interp(0.6, socs, table))
    return socs, np.array(table), times, capacity, lift / (0.5 * capacity)


@pytest.mark.long
def test_the_reference_is_the_one_meant(reference):
    for case, (to_cv, in_all) in KNOWN.items():
        assert reference[2][case] == pytest.approx((to_cv, in_all), rel=0.02)


@pytest.mark.long
@pytest.mark.parametrize("case", CASES)
def test_charge_time_agrees_after_fitting_only_the_resistance(reference, case):
    socs, table, times, capacity, ohm = reference
    rate, volts = case
    s = build(job_of(SKERRY), shipped_library(), 1)
    grid = np.linspace(0, 1, len(s.ocv))
    s.ocv = np.interp(grid, socs, table)
    bank_ah, cells = s.par.capacity_ah, s.par.cells
    s.par = s.par._replace(r_ohm=ohm * cells * capacity / bank_ah)
    to_cv, in_all = charge_time_min(s, rate * bank_ah, 0.2, volts * cells, bank_ah / 20)
    assert to_cv == pytest.approx(times[case][0], rel=0.03)
    assert in_all == pytest.approx(times[case][1], rel=0.05)


def test_the_kernel_charges_as_the_closed_form_does():
    s = build(job_of(SKERRY), shipped_library(), 1)
    amps = 0.3 * s.par.capacity_ah
    s.par = s.par._replace(
        start_soc=0.2, charge_a=amps, idle_w=0.0, tail_a=s.par.capacity_ah / 20, sun_charge_a=1000.0, hold_h=10.0
    )
    s.load[:], s.sun[:], s.action[:] = 0.0, 60_000.0, 0
    series, _ = s.run(record=True)
    volts = series[:, K.SERIES.index("volts")]
    reached = int(np.argmax(volts >= s.par.absorb_v - 0.02))
    to_cv, _ = charge_time_min(s, amps, 0.2, s.par.absorb_v, 1.0)
    assert reached == pytest.approx(to_cv, abs=2)
