"""Figures beside the ladder: hold, timer, switches, temperature, input current; each stated a second time."""

import pytest
from hypothesis import given, strategies as st

from ewerer.core.devices.library import shipped_library
from ewerer.core.documents.profiles import ModuleProfile
from ewerer.core.stages.sheet.derived import hold_per_ah_h, max_charge_h, tail_range_a
from ewerer.core.trade.chemistries import LFP, ocv_v, slope_v, soc_at, soc_band, soc_band_width
from tests.jobs import LARCH, NAMES, SKERRY, TARN, changed, data, hand_written, inline, plan_of, random_jobs


def quantities(job):
    return {k: q.value for k, q in plan_of(job).quantities.items()}


@given(random_jobs())
def test_hold_time_by_every_school(job):
    """Rule hold-school: 0.2 to 0.5 h per 100 Ah; tail 2 to 5 % of C; short 6 to 15 min (common practice)."""
    made = plan_of(job)
    c, q = made.bank.capacity_ah, made.quantities["absorb_min"]
    spoken = {"per-ah": 0.2 * c / 100 * 60, "tail": 0.5 * c / 100 * 60, "short": 10.0}
    school = job["policy"]["hold_school"]
    profile = next(p for p in shipped_library() if p.id == job["units"][0]["profile"])
    if school == "tail" and profile.setting_for("tail_a") is None:
        school = "per-ah"
    assert q.value == pytest.approx(spoken[school], abs=0.051)
    assert {a.school for a in q.alternatives} == {"per-ah", "tail", "short"} - {school}
    tail = made.quantities["tail_a"]
    assert (tail.lowest, tail.value, tail.highest) == pytest.approx((0.02 * c, 0.03 * c, 0.05 * c), abs=1e-3)


@given(random_jobs())
def test_the_timer_never_ends_a_normal_charge(job):
    """Rule max-charge-time: at least a quarter longer than the slowest charge from the shut-down level and its hold."""
    made = plan_of(job)
    timer = made.quantities.get("max_charge_h")
    if timer is None:
        assert sum(u.a for u in made.limits.charge.units) == 0
        return
    fastest = sum(u.a for u in made.limits.charge.units)
    least = 1.25 * (made.bank.capacity_ah * (1 - job["policy"]["reserve_soc"] / 2) / fastest)
    assert timer.value >= least - 1e-6 and timer.value >= timer.lowest
    assert timer.value * 10 == pytest.approx(round(timer.value * 10))


@given(st.floats(10, 2000), st.floats(0, 0.9), st.floats(1, 300), st.floats(0, 5))
def test_timer_grows_with_bank_and_hold_and_shrinks_with_current(c, s, a, hold):
    t = max_charge_h(c, s, a, hold)
    assert t == pytest.approx(1.25 * (c * (1 - s) / a + hold))
    assert max_charge_h(c * 2, s, a, hold) > t > max_charge_h(c, s, a * 2, hold) - 1e-12


def test_size_figures():
    assert hold_per_ah_h(600) == (1.2, 3.0) and tail_range_a(600) == (12.0, 30.0)


@pytest.mark.parametrize("name", NAMES)
def test_lithium_has_no_lead_acid_habits(name):
    """Rules no-temperature-compensation, no-equalising, full-charge-days."""
    q = plan_of(name).quantities
    assert (q["temp_comp_mv_per_c"].value, q["equalise_on"].value, q["equalise_min"].value) == (0, False, 0)
    assert q["temp_comp_mv_per_c"].why == ["no-temperature-compensation"] and q["equalise_on"].why == ["no-equalising"]
    assert q["full_charge_days"].value == 7 and q["full_charge_days"].why == ["full-charge-days"]
    assert q["shutdown_delay_s"].lowest <= q["shutdown_delay_s"].value <= q["shutdown_delay_s"].highest
    assert q["shutdown_delay_s"].why == ["shutdown-delay"]


def test_battery_type_follows_the_loop():
    """Rule battery-type."""
    assert quantities(SKERRY)["battery_type"] == "protocol"
    assert quantities(changed(SKERRY, policy__loop="open"))["battery_type"] == "user"
    assert plan_of(SKERRY).quantities["battery_type"].why == ["battery-type"]


@given(st.sampled_from(["auto", "stop", "carry-on"]))
def test_a_person_decides_what_happens_without_the_link(choice):
    """Rule loss-of-link."""
    q = plan_of(changed(SKERRY, policy__link_loss=choice)).quantities["link_loss_action"]
    assert q.value == ("carry-on" if choice == "auto" else choice) and q.why == ["loss-of-link"]


def test_temperature_stops_come_from_the_module_s_line():
    """Rule temperature-stops: stop where the line ends, warn 5 °C before; the coldest module rules below."""
    for name in NAMES:
        q = quantities(name)
        assert q["temp_warn_c"] == q["temp_stop_c"] - 5
        assert q["low_temp_stop_c"] >= 0
    hot = data(SKERRY)
    profile = next(p for p in shipped_library() if p.id == hot["bank"]["modules"][0]["profile"])
    assert isinstance(profile, ModuleProfile)
    line = profile.charge_derating or [(0.0, 0.2), (10.0, 1.0), (42.0, 1.0), (52.0, 0.0)]
    ends = max(p.temp_c if hasattr(p, "temp_c") else p[0] for p in line)
    assert quantities(SKERRY)["temp_stop_c"] <= ends


def test_charge_of_a_new_bank_is_a_guess_from_volts():
    """Rule charge-now: s = OCV^-1(V_rest / n), said to be a guess."""
    job = changed(SKERRY, policy__new_bank=True)
    made = plan_of(job)
    rest = [m["resting_v"] / 16 for m in job["bank"]["modules"]]
    assert made.quantities["soc_now"].value == pytest.approx(sum(soc_at(LFP, v) for v in rest) / 3, abs=0.006)
    assert "guess" in made.quantities["soc_now"].reasons[0].text
    assert "soc_now" not in quantities(SKERRY)


@pytest.mark.parametrize(
    ("paths", "amps"),
    [({"units": 1, "breaker": 25}, 20.0), ({"units": 2, "breaker": 25}, 10.0), ({"units": 3, "breaker": 16}, 4.27)],
)
def test_input_amps_are_shared_by_the_units_on_a_phase(paths, amps):
    """Rule ac-input-amps: 0.8 of the breaker over the units on one phase."""
    job = data(SKERRY)
    job["site"]["sources"] = ["mains"]
    job["mains"] = {"breaker_a": paths["breaker"]}
    job.pop("generator")
    job["units"] = [
        {"id": f"U{i}", "profile": "orrowan-t8", "role": "follower" if i else "host", "phase": "L1"} for i in range(paths["units"])
    ]
    q = plan_of(job).quantities["ac_input_max_a"]
    assert q.value == pytest.approx(amps, abs=0.01) and q.why == ["ac-input-amps"]
    assert q.value * paths["units"] <= 0.8 * paths["breaker"] + 0.01


def test_three_phases_do_not_share_a_breaker():
    job = data(TARN)
    assert quantities(TARN)["ac_input_max_a"] == pytest.approx(0.8 * job["mains"]["breaker_a"], abs=0.01)


def test_what_is_given_is_taken_over():
    """Rule as-given."""
    made = plan_of(LARCH)
    q = made.quantities
    assert (q["topology"].value, q["output_v"].value, q["output_hz"].value) == ("split", 120, 60)
    assert q["topology"].why == ["as-given"] and q["series_cells"].value == made.bank.series_cells
    shunt = quantities(changed(SKERRY, bank__shunt_a=500, bank__shunt_mv=50))
    assert (shunt["shunt_a"], shunt["shunt_mv"]) == (500, 50)


def test_no_source_no_window_and_no_input():
    q = quantities(changed(SKERRY, site__sources=["sun"], generator=None, mains=None))
    assert not {"ac_range", "ac_input_max_a", "ac_low_off_v"} & set(q)


# Cells


@given(st.floats(0.02, 0.98), st.floats(0.0005, 0.05))
def test_a_voltage_stands_for_a_band(s, error):
    low, high = soc_band(LFP, ocv_v(LFP, s), error)
    assert low <= s <= high and (high - low > 0)
    assert soc_band_width(LFP, s, error) == pytest.approx(error / slope_v(LFP, s))


def test_the_band_is_widest_on_the_flat():  # common practice: the curve is flat between 20 and 90 %
    flat = [b - a for a, b in (soc_band(LFP, ocv_v(LFP, s / 100), 0.01) for s in range(40, 71, 5))]
    ends = [b - a for a, b in (soc_band(LFP, ocv_v(LFP, s), 0.01) for s in (0.03, 0.08, 0.992))]
    assert min(flat) > 2 * max(ends)


def test_chemistries_do_not_mix_their_levels():
    levels = {}
    for chem in ("lfp", "nmc", "lto"):
        job = hand_written(inline("A", chemistry=chem, series_cells=14 if chem == "nmc" else 20 if chem == "lto" else 16))
        made = plan_of(job)
        levels[chem] = made.ladder["absorb_v"].value / made.bank.series_cells if made.ladder else None
    assert levels["lfp"] == pytest.approx(3.45, abs=0.01)
    assert levels["nmc"] is None or levels["nmc"] == pytest.approx(4.05, abs=0.01)
    assert levels["lto"] is None or levels["lto"] == pytest.approx(2.6, abs=0.01)
