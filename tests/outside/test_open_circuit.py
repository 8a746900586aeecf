"""Open-circuit voltage of LFP against a published parameter set, and bands against numeric differentiation."""

import numpy as np
import pytest

from ewerer.core.trade.chemistries import CHEMISTRIES, LFP, ocv_v, slope_v, soc_at, soc_band, soc_band_width

# Full-cell OCV at 0, 5, ... 100 % of PyBaMM's Prada2013 set, nominal window 2.0 to 3.6 V.
PRADA = [2.000, 2.785, 2.978, 3.108, 3.169, 3.186, 3.206, 3.232, 3.253, 3.262, 3.266, 3.268, 3.269, 3.270, 3.274, 3.293, 3.310, 3.313, 3.314, 3.316, 3.600]  # fmt: skip


@pytest.fixture(scope="module")
def prada():
    import pybamm

    values = pybamm.ParameterValues("Prada2013")
    solver = pybamm.lithium_ion.ElectrodeSOHSolver(values)
    socs = np.linspace(0, 1, 101)
    param = pybamm.LithiumIonParameters()
    volts = []
    for s in socs:
        x, y = solver.get_initial_stoichiometries(float(s))
        t = values.get("Initial temperature [K]", 298.15)
        volts.append(float(values.evaluate(param.p.prim.U(y, t) - param.n.prim.U(x, t))))
    return socs, np.array(volts)


def test_the_reference_is_the_one_meant(prada):
    assert prada[1][::5] == pytest.approx(PRADA, abs=0.002)


def test_within_sixty_millivolts_between_ten_and_ninety_five_percent(prada):
    socs, volts = prada
    inside = (socs >= 0.10) & (socs <= 0.95)
    ours = np.array([ocv_v(LFP, s) for s in socs])
    assert np.abs(ours - volts)[inside].max() <= 0.060


def test_same_shape_of_slope(prada):
    """Both rise steeply below 20 %, are flat from 20 to 90 %, and turn up in the last few percent."""
    socs, volts = prada
    ours = np.array([ocv_v(LFP, s) for s in socs])
    for curve in (ours, volts):
        low, flat, top = curve[20] - curve[5], curve[90] - curve[20], curve[100] - curve[95]
        assert low / 0.15 > 4 * flat / 0.70 and top / 0.05 > 4 * flat / 0.70
        assert 0.10 <= flat <= 0.17  # common practice: 0.1 to 0.15 V a cell over the middle


def test_the_knee_at_full(prada):
    """3.35 V is passed at 98.0 % and 3.45 V at 99.3 % in the published set (computed with a fine grid)."""
    assert soc_at(LFP, 3.35) == pytest.approx(0.980, abs=0.01)
    assert soc_at(LFP, 3.45) == pytest.approx(0.993, abs=0.01)


@pytest.mark.parametrize("chemistry", CHEMISTRIES.values(), ids=lambda c: c.name)
def test_band_against_numeric_differentiation(chemistry):
    grid = np.linspace(0.02, 0.98, 389)
    step = 1e-6
    for s in grid:
        if min(abs(s - x) for x in chemistry.soc) < 2 * step:
            continue
        numeric = (ocv_v(chemistry, s + step) - ocv_v(chemistry, s - step)) / (2 * step)
        assert slope_v(chemistry, s) == pytest.approx(numeric, rel=1e-4)
        assert soc_band_width(chemistry, s, 0.001) == pytest.approx(0.001 / numeric, rel=1e-4)


def test_band_is_the_interval_of_the_curve():
    low, high = soc_band(LFP, 3.28, 0.00625)
    assert np.interp([3.28 - 0.00625, 3.28 + 0.00625], LFP.ocv_v, LFP.soc) == pytest.approx([low, high])
