"""Cells: levels, OCV tables, derating, classes."""

import pytest
from hypothesis import given, strategies as st

from ewerer.core.trade.chemistries import (
    CHEMISTRIES,
    LFP,
    charge_level_v,
    class_v,
    derating,
    ocv_v,
    peukert_capacity_ah,
    slope_v,
    soc_at,
    soc_band,
)

chemistries = st.sampled_from(list(CHEMISTRIES.values()))
socs = st.floats(0, 1)


@given(chemistries, socs, socs)
def test_ocv_rises_with_charge(chemistry, a, b):
    low, high = sorted((a, b))
    assert ocv_v(chemistry, low) <= ocv_v(chemistry, high)


@given(chemistries, st.floats(0.001, 0.999))
def test_soc_at_inverts_ocv(chemistry, soc):
    assert soc_at(chemistry, ocv_v(chemistry, soc)) == pytest.approx(soc, abs=1e-9)


@given(chemistries, st.floats(-1, 6))
def test_soc_is_always_a_fraction(chemistry, volts):
    assert 0 <= soc_at(chemistry, volts) <= 1


@pytest.mark.parametrize("chemistry", CHEMISTRIES.values(), ids=lambda c: c.name)
def test_tables_are_strictly_rising_and_span_the_window(chemistry):
    assert list(chemistry.soc) == sorted(set(chemistry.soc))
    assert list(chemistry.ocv_v) == sorted(set(chemistry.ocv_v))
    assert chemistry.soc[0] == 0 and chemistry.soc[-1] == 1
    assert (
        chemistry.absolute_min_v
        < chemistry.nominal_v
        < chemistry.rest_v
        < chemistry.everyday_v
        < chemistry.full_v
        <= chemistry.absolute_max_v
    )


def test_the_flat_part_of_lfp_stands_for_wide_bands():
    low, high = soc_band(LFP, 3.27, 0.1 / 16)
    assert high - low > 0.1
    low, high = soc_band(LFP, 3.05, 0.1 / 16)
    assert high - low < 0.02


@pytest.mark.parametrize(("school", "pack"), [("everyday", 55.2), ("full", 56.8), ("limit", 58.4)])
def test_charge_schools_of_sixteen_cells(school, pack):
    assert 16 * charge_level_v(LFP, school) == pytest.approx(pack)


@pytest.mark.parametrize(("cells", "volts"), [(4, 12), (8, 24), (15, 48), (16, 48), (100, 320)])
def test_voltage_class(cells, volts):
    assert class_v(cells) == volts


@pytest.mark.parametrize(
    ("temp", "fraction"),
    [(-0.1, 0.0), (-20, 0.0), (0, 0.2), (5, 0.6), (10, 1.0), (25, 1.0), (42, 1.0), (47, 0.5), (52, 0.0), (70, 0.0)],
)
def test_charge_derating_line(temp, fraction):
    assert derating(LFP.charge_derating, temp) == pytest.approx(fraction)


@given(chemistries, st.floats(0.0, 0.999))
def test_slope_is_positive(chemistry, soc):
    assert slope_v(chemistry, soc) > 0


@pytest.mark.parametrize("bad", [(100, 0, 5, 1.2), (100, 20, 0, 1.2), (100, 20, 5, 0.9)])
def test_peukert_refuses_nonsense(bad):
    with pytest.raises(ValueError, match="Peukert"):
        peukert_capacity_ah(*bad)
