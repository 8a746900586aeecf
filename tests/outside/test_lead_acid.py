"""Lead-acid and other levels against facts of the trade; beside each its source."""

import json
import math
from pathlib import Path

import pytest
from hypothesis import given, strategies as st

from ewerer.core.trade.chemistries import CHEMISTRIES, LFP, ocv_v, peukert_capacity_ah, soc_at
from tests.jobs import SKERRY, changed, hand_written, inline, plan_of, rules

ACID = ("flooded", "agm", "gel")


def string(chemistry="agm", cells=24, many=1, unit="orrowan-t8", policy=None, **more):
    top = {"flooded": 2.65, "agm": 2.5, "gel": 2.45}[chemistry]
    module = {
        "chemistry": chemistry,
        "series_cells": cells,
        "capacity_ah": 510,
        "charge_a": 60,
        "discharge_a": 150,
        "cell_max_v": top,
    }
    modules = [inline(f"S{i}", **module, cell_min_v=1.75, **more) for i in range(many)]
    return hand_written(*modules, units=[{"id": "U1", "profile": unit}], policy=policy or {})


def test_rating_by_peukert():
    """Worked example of the trade: 510 Ah at 6 h are 598 Ah at 20 h with p = 1.152; two strings 1196 Ah."""
    assert peukert_capacity_ah(510, 6, 20, 1.152) == pytest.approx(598, abs=0.5)
    for many, whole in ((1, 598), (2, 1196)):
        made = plan_of(string(many=many, rated_h=6, peukert=1.152))
        assert made.bank.capacity_ah == pytest.approx(whole, abs=0.5)
        size = next(r for r in made.units[0].settings if r.quantity == "capacity_ah")
        assert 0 <= whole - float(size.entry) < 10, "entered on the display's step, never more than there is"
        assert "peukert-rating" in rules(made)


@given(st.floats(1, 100), st.floats(1, 100), st.floats(1.0, 1.4), st.floats(10, 2000))
def test_peukerts_law_holds_the_discharge_constant(t1, t2, p, ah):
    """Peukert: I^p * t is one constant of the battery (W. Peukert, 1897)."""
    other = peukert_capacity_ah(ah, t1, t2, p)
    assert math.isclose((ah / t1) ** p * t1, (other / t2) ** p * t2, rel_tol=1e-9)


def test_a_battery_rated_at_twenty_hours_or_of_lithium_is_taken_as_it_is():
    assert plan_of(string(rated_h=20)).bank.capacity_ah == 510
    assert "peukert-rating" not in rules(plan_of(string(rated_h=20)))
    assert plan_of(SKERRY).bank.capacity_ah == 840


@pytest.mark.parametrize("chemistry", ACID)
def test_levels_lie_where_the_trade_puts_them(chemistry):
    """Common practice, a 12-V block of six cells: absorption 14.1-14.9 V, float 13.4-13.8 V, full at rest 12.6-12.9 V,
    half at rest 12.0-12.4 V, end of discharge 10.5-12 V."""
    c = CHEMISTRIES[chemistry]
    assert 14.1 <= 6 * c.everyday_v <= 6 * c.full_v <= 14.9
    assert 13.4 <= 6 * c.rest_v <= 13.8
    assert 12.6 <= 6 * ocv_v(c, 1.0) <= 12.95 and 12.0 <= 6 * ocv_v(c, 0.5) <= 12.4
    assert 10.5 <= 6 * c.absolute_min_v <= 12.0
    assert not c.has_bms and c.rated_h == 20
    assert all(b > a for a, b in zip(c.ocv_v, c.ocv_v[1:], strict=False))
    assert soc_at(c, ocv_v(c, 0.37)) == pytest.approx(0.37)


@pytest.mark.parametrize("chemistry", ACID)
@pytest.mark.parametrize("cells", [12, 24])
def test_compensation_is_three_to_five_millivolts_a_cell(chemistry, cells):
    """Common practice: -3 to -5 mV/degC and cell; a wish inside that is granted, zero is refused with both numbers."""
    unit = "orrowan-t8" if cells == 24 else "hexley-pr3"
    job = string(chemistry, cells, unit=unit)
    q = plan_of(job).quantities["temp_comp_mv_per_c"]
    assert -5 * cells <= q.value <= -3 * cells and (q.lowest, q.highest) == (-5 * cells, -3 * cells)
    wish = plan_of(string(chemistry, cells, unit=unit, policy={"own_figures": {"temp_comp_mv_per_c": -3.5 * cells}}))
    assert wish.quantities["temp_comp_mv_per_c"].value == -3.5 * cells
    none = plan_of(string(chemistry, cells, unit=unit, policy={"own_figures": {"temp_comp_mv_per_c": 0}}))
    assert none.quantities["temp_comp_mv_per_c"].value == q.value and "own-wish-refused" in rules(none)


@pytest.mark.parametrize("chemistry", [*ACID, "lfp", "nmc", "lto"])
def test_only_flooded_cells_are_equalised(chemistry):
    """Common practice: flooded cells, about 2.5 to 2.6 V for hours, under watch; never sealed ones, never lithium."""
    c = CHEMISTRIES[chemistry]
    assert (c.equalise is not None) == (chemistry == "flooded")
    if chemistry == "flooded":
        made = plan_of(string(chemistry))
        rows = {r.quantity: r for r in made.units[0].settings}
        assert rows["equalise_on"].value is True and 2.5 <= rows["equalise_v"].value / 24 <= 2.6
        assert rows["equalise_v"].value > rows["absorb_v"].value and rows["equalise_min"].value == 120
    elif chemistry in ACID:
        assert plan_of(string(chemistry)).quantities["equalise_on"].value is False


def test_two_volts_less_for_each_cell_taken_out():
    """Handbook of the trade: a string with a dead cell bridged is charged two volts (nominal) lower for each cell."""
    whole, less = (plan_of(string(cells=n)) for n in (24, 22))
    assert whole.bank.nominal_v - less.bank.nominal_v == 4
    per_cell = whole.ladder["absorb_v"].value / 24
    assert less.ladder["absorb_v"].value == pytest.approx(22 * per_cell, abs=0.1)
    assert less.bank.class_v == 48


def test_half_of_lead_acid_is_kept():
    """Common practice: 50 % depth. The low-end schools keep 80, 50 and 40 % of it out of use."""
    for school, level in (("deep", 0.2), ("usual", 0.5), ("careful", 0.52)):
        made = plan_of(string(policy={"low_end_school": school}))
        assert made.ladder["shutdown_soc"].value == pytest.approx(level, abs=0.011)
    assert plan_of(string()).ladder["shutdown_v"].cell_v >= 1.75


def test_lead_acid_left_on_a_lithium_job_is_found_and_on_its_own_is_not():
    noted = {"warm-slope": "-90", "level-on": "On"}
    lithium = plan_of(changed(SKERRY, as_found={"U1": noted}))
    assert {"found-compensation", "found-equalising"} <= rules(lithium) and "found-unreadable" not in rules(lithium)
    acid = string("flooded")
    acid["as_found"] = {"U1": noted}
    assert not {"found-compensation", "found-equalising", "found-battery-type"} & rules(plan_of(acid))


@pytest.mark.parametrize("level", [3.45, 3.5, 3.55, 3.6, 3.4217])
def test_any_charge_level_inside_the_range(level):
    """Levels of 3.45, 3.50, 3.55 and 3.60 V a cell are all in use [common practice]; the entry is on the safe step below."""
    made = plan_of(changed(SKERRY, policy__charge_cell_v=level, policy__overshoot_v=0.1, policy__imbalance_v=0.01))
    top = min(16 * level, 16 * 3.65 - 0.1 - 0.16, made.ladder["absorb_v"].highest)
    assert made.ladder["absorb_v"].value == pytest.approx(math.floor(top * 10 + 1e-6) / 10)
    assert "own level" in next(r.text for r in made.ladder["absorb_v"].reasons if "own level" in r.text)


def test_a_makers_own_curve_is_used():
    points = [{"soc": 0, "cell_v": 2.6}, {"soc": 0.1, "cell_v": 3.2}, {"soc": 0.9, "cell_v": 3.4}, {"soc": 1, "cell_v": 3.5}]
    made = plan_of(hand_written(inline("A", ocv=points)))
    marks = {m.soc: m.v for m in made.ladder_view.soc_marks}
    assert marks[0.5] == pytest.approx(16 * 3.3) and marks[0.1] == pytest.approx(16 * 3.2)
    plain = {m.soc: m.v for m in plan_of(hand_written(inline("A"))).ladder_view.soc_marks}
    assert plain[0.5] == pytest.approx(16 * ocv_v(LFP, 0.5), abs=1e-3)


def test_chemistries_are_data():
    """Every chemistry is one file; its keys are those of the first, and no name of one stands in a stage."""
    import ewerer.core.stages as stages

    text = "".join(p.read_text() for p in Path(stages.__file__).parent.rglob("*.py"))
    assert not [name for name in CHEMISTRIES if f'"{name}"' in text and name != "lfp"]
    files = Path(stages.__file__).parents[1] / "trade" / "chemistries"
    assert {json.loads(p.read_text())["name"] for p in files.glob("*.json")} == set(CHEMISTRIES)
