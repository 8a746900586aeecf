"""The ladder of thresholds: order, margins, schools, own figures, conflicts."""

import pytest
from hypothesis import given, strategies as st

from ewerer.core.devices.codec import factor_of
from ewerer.core.devices.library import shipped_library
from ewerer.core.documents.conditions import parse_interlock
from ewerer.core.plan import plan
from ewerer.core.trade.chemistries import LFP
from tests.jobs import LARCH, NAMES, SKERRY, TARN, changed, data, job_of, plan_of, random_jobs, rules
from tests.libraries import narrow_library

DESCENDING = ["absorb_v", "float_v", "recharge_v", "return_bank_v", "to_mains_v", "alarm_v", "shutdown_v", "unit_off_v"]
STARTS = ["gen_start_v", "to_mains_v"]


def test_skerry_ladder():
    rungs = plan_of(SKERRY).ladder
    assert {n: rungs[n].value for n in ("absorb_v", "float_v", "recharge_v", "shutdown_v", "unit_off_v")} == {
        "absorb_v": 55.2, "float_v": 53.6, "recharge_v": 52.4, "shutdown_v": 45.7, "unit_off_v": 43.7,
    }  # fmt: skip
    assert rungs["to_mains_soc"].value == 0.2 and rungs["shutdown_soc"].value == 0.1


@pytest.mark.parametrize(("school", "cell"), [("everyday", 3.45), ("full", 3.55)])
def test_charge_schools(school, cell):
    assert plan_of(changed(SKERRY, policy__charge_school=school)).ladder["absorb_v"].value == pytest.approx(16 * cell, abs=0.11)


def test_the_limit_school_leaves_room_for_overshoot_and_spread():
    made = plan_of(changed(SKERRY, policy__charge_school="limit"))
    assert made.ladder["absorb_v"].value <= 16 * 3.65 - 0.3 - 16 * 0.03
    assert "limit-school" in rules(made)


def test_float_schools():
    assert plan_of(changed(SKERRY, policy__float_school="same")).ladder["float_v"].value == 55.2
    none = plan_of(changed(SKERRY, policy__float_school="none"))
    assert none.quantities["float_on"].value is False and "float_v" not in none.ladder


@given(random_jobs())
def test_order_and_margins_hold_for_every_feasible_plan(job):
    made = plan_of(job)
    rungs = made.ladder
    if not rungs:
        return
    n, r = made.bank.series_cells, made.bank.path_mohm / 1000
    for name, rung in rungs.items():
        assert rung.lowest - 1e-9 <= rung.value <= rung.highest + 1e-9, name
    have = [rungs[q].value for q in DESCENDING if q in rungs]
    assert have == sorted(have, reverse=True)
    v = {q: rung.value for q, rung in rungs.items()}
    cell_min, cell_max = made.bank.cell_min_v, made.bank.cell_max_v
    assert v["shutdown_v"] >= n * (cell_min + LFP.margins.shutdown_v) - 1e-6
    assert v["absorb_v"] + 0.3 / 16 * n + n * 0.03 <= n * cell_max + 1e-3
    h = LFP.margins.hysteresis_v * n
    if "restart_v" in v:
        assert v["restart_v"] - v["shutdown_v"] >= made.limits.discharge.bank_a * r + h - 1e-5
    if "return_bank_v" in v:
        load = min(made.limits.discharge.needed_a, made.limits.discharge.bank_a)
        assert v["return_bank_v"] - v["to_mains_v"] >= load * r + h - 1e-5
        assert v["absorb_v"] - v["return_bank_v"] >= 0.03 * n - 1e-6
    for start in STARTS:
        if start in v:
            assert v[start] >= v["alarm_v"]


@given(random_jobs())
def test_every_value_stands_on_the_units_grid_and_keeps_its_interlocks(job):
    made = plan_of(job)
    profile = shipped_library().get(job["units"][0]["profile"], type(next(iter(job_of_units(job)))))
    by_id = {s.id: s for s in profile.settings}
    for name, rung in made.ladder.items():
        s = profile.setting_for(name)
        steps = (rung.value / factor_of(s, profile) - s.min) / s.step
        assert abs(steps - round(steps)) < 1e-4
        assert s.min - 1e-9 <= rung.value / factor_of(s, profile) <= s.max + 1e-9
    for lock in profile.interlocks:
        parsed = parse_interlock(lock.rule)
        up, down = by_id[parsed.above], by_id[parsed.below]
        if up.quantity in made.ladder and down.quantity in made.ladder:
            gap = made.ladder[up.quantity].value - made.ladder[down.quantity].value
            assert gap >= parsed.margin * factor_of(up, profile) - 1e-6


def job_of_units(job):
    return [p for p in shipped_library() if p.id == job["units"][0]["profile"]]


def test_own_figure_inside_is_granted():
    made = plan_of(changed(SKERRY, policy__own_figures={"shutdown_v": 46.5}))
    assert made.ladder["shutdown_v"].value == 46.5 and made.ladder["shutdown_v"].own
    assert "own-figure-refused" not in rules(made)


def test_own_figure_in_a_forbidden_zone_is_named_with_its_rule():
    made = plan_of(changed(SKERRY, policy__own_figures={"shutdown_v": 43.0}))
    found = next(f for f in made.findings if f.rule == "own-figure-refused")
    assert found.severity == "caution" and found.at == "/policy/own_figures/shutdown_v"
    assert found.numbers["rules"] == ["shutdown-above-cutoff"]
    assert made.ladder["shutdown_v"].value == 44.2 and made.ladder["shutdown_v"].wished == 43.0


def test_own_figure_for_an_idle_threshold_is_named():
    made = plan_of(changed(LARCH, policy__own_figures={"unit_off_v": 22.0}))
    assert "own-figure-idle" in rules(made)


def test_no_solution_names_the_rules_and_the_nearest_way_out():
    made = plan(job_of(SKERRY), narrow_library(40, 44.0))
    found = next(f for f in made.findings if f.rule == "ladder-conflict")
    assert found.severity == "stop"
    assert set(found.numbers["rules"]) == {"unit-range", "shutdown-above-cutoff"}
    assert "shutdown-above-cutoff gave way by 0.2 V" in found.fix
    assert made.units == [] and made.ladder_view.feasible is False


def test_two_conflicts_need_two_concessions():
    made = plan(job_of(SKERRY), narrow_library(40, 43.0))
    way = made.ladder_view.way_out
    assert "shutdown-above-cutoff gave way by 1.2 V" in way and "unit-off" in way


def test_sag_is_shown_as_another_charge_level():
    rung = plan_of(changed(SKERRY, policy__control="volts")).ladder["to_mains_v"]
    assert rung.sag_v > 0 and rung.under_load_soc > rung.at_rest_soc
    low, high = rung.at_rest_soc_band
    assert low < rung.at_rest_soc < high


def test_volts_on_the_flat_part_are_a_caution():
    job = changed(SKERRY, policy__control="volts", policy__reserve_soc=0.5)
    assert "volts-say-little" in rules(plan_of(job), "caution")


def test_percent_ladder_only_where_the_unit_counts():
    assert any(n.endswith("_soc") for n in plan_of(SKERRY).ladder)
    assert not any(n.endswith("_soc") for n in plan_of(TARN).ladder)
    assert not any(n.endswith("_soc") for n in plan_of(changed(SKERRY, policy__control="volts")).ladder)


@pytest.mark.parametrize("name", NAMES)
def test_every_rung_has_a_reason(name):
    for quantity, rung in plan_of(name).ladder.items():
        assert rung.why and all(r.text for r in rung.reasons), quantity


@given(st.integers(0, 200), st.integers(0, 60))
def test_more_resistance_never_brings_the_way_back_nearer(lead, more):
    def gap(mohm):
        made = plan_of(changed(TARN, bank__main_lead_mohm=mohm / 100))
        return made.ladder["return_bank_v"].lowest - made.ladder["to_mains_v"].lowest if made.ladder else None

    small, large = gap(lead), gap(lead + more)
    if small is not None and large is not None:
        assert large >= small - 0.25  # one step of this unit: both ends are rounded to it


def test_peak_at_the_reserve():
    job = changed(SKERRY, loads__peak_w=15000, bank__main_lead_mohm=15)
    assert "sag-at-peak" in rules(plan_of(job), "caution")


def test_fifteen_cells_are_not_sixteen():
    job = data(TARN)
    for m in job["bank"]["modules"]:
        m["series_cells"] = 15
        m["resting_v"] = m["resting_v"] * 15 / 16
    assert plan_of(job).ladder["absorb_v"].value == pytest.approx(51.6, abs=0.25)
