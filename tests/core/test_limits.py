"""The chain of caps."""

import pytest
from hypothesis import given, strategies as st

from ewerer.core.stages.limits.ac import ac_budget, split
from ewerer.core.stages.limits.solve import discharge_a
from tests.jobs import LARCH, SKERRY, TARN, changed, data, hand_written, inline, plan_of, random_jobs, rules


def test_generator_short_cut_and_the_safe_figure():
    budget = ac_budget("generator", 3000, 1040, 55.2, 48, 0.92)
    assert (budget.free_w, budget.shortcut_a, budget.charge_a) == (1960, 40, 32)
    assert ac_budget("generator", 3000, 1040, 56, 48, 0.92).shortcut_draws_w == pytest.approx(2435, abs=1)


def test_loads_above_the_source_leave_nothing():
    assert ac_budget("mains", 1000, 1500, 55.2, 48).charge_a == 0


@given(st.floats(0, 20000), st.floats(0, 20000), st.floats(12, 60))
def test_the_safe_charge_never_draws_more_than_is_free(available, loads, volts):
    budget = ac_budget("mains", available, loads, volts, 48, 0.9)
    assert budget.charge_a * volts / 0.9 <= budget.free_w + 1e-6


@given(st.floats(0, 1000), st.lists(st.floats(1, 200), min_size=1, max_size=12), st.sampled_from([1.0, 5.0, 0.1]))
def test_parts_add_up_to_no_more_than_the_limit(limit, maxima, step):
    parts = split(limit, maxima, [step] * len(maxima))
    assert sum(parts) <= limit + 1e-6
    assert all(0 <= p <= top + 1e-6 for p, top in zip(parts, maxima, strict=True)), "up to the guard against binary dust"


def test_skerry_chain():
    limits = plan_of(SKERRY).limits
    assert limits.charge.binding == "preference" and limits.charge.bank_a == 252
    caps = {c.cap: c.a for c in limits.charge.caps}
    assert caps["warranty"] == 336 and caps["bms-reported"] == 399 and caps["fuse"] == 320 and caps["cable"] == 380
    assert [c.cap for c in limits.charge.caps] == [
        "modules-sheet", "modules-share", "warranty", "preference", "temperature", "bms-reported", "fuse", "cable", "chargers",
    ]  # fmt: skip
    assert [(u.unit, u.a) for u in limits.charge.units] == [("U1", 76), ("U2", 76), ("S1", 100)]


def test_what_is_set_adds_up_at_the_bank():
    for name in (SKERRY, LARCH, TARN):
        limits = plan_of(name).limits
        for chain in (limits.charge, limits.discharge):
            assert sum(u.a for u in chain.units) <= chain.bank_a + 1e-9


def test_mains_first_serves_the_units_first():
    mains_first = {"policy__charge_order": "mains-first", "policy__max_c_rate": 0.2}
    settable = {"profile": "lanthe-s85", "id": "S1", "array_w": 6200}
    limits = plan_of(changed(SKERRY, **mains_first, sun__chargers__0=settable)).limits
    units = {u.unit: u.a for u in limits.charge.units}
    assert units["U1"] == 84 and units["S1"] == 0
    limits = plan_of(changed(SKERRY, **mains_first)).limits
    units = {u.unit: u.a for u in limits.charge.units}
    assert units["S1"] == 100 and units["U1"] == 34, (
        "what can't be set gives what its plate says; the others share what that leaves"
    )


def test_three_phases_count_three_times():
    mains = plan_of(TARN).limits.ac.sources[0]
    assert mains.available_w == pytest.approx(0.8 * 25 * 230 * 3)


def test_array_limits_the_sun_charger():
    limits = plan_of(changed(SKERRY, sun__chargers__0__array_w=1000)).limits
    assert next(u.a for u in limits.charge.units if u.unit == "S1") == 17  # 1000 W * 0.97 / 55.2 V


def test_cold_bank_is_not_charged():
    limits = plan_of(changed(SKERRY, site__bank_ambient_c=-3)).limits
    cap = next(c for c in limits.charge.caps if c.cap == "temperature")
    assert cap.a == 0 and cap.today, "nothing goes in today"
    assert "charge-limit-none" in rules(plan_of(changed(SKERRY, site__bank_ambient_c=-3)), "stop")
    assert limits.discharge.bank_a > 0


@pytest.mark.parametrize("at_c", [-3, 1, 6, 47])
def test_todays_temperature_is_said_and_never_typed_in(at_c):
    """What is typed into a unit is for the bank's usual range: common practice."""
    usual, today = plan_of(SKERRY), plan_of(changed(SKERRY, site__bank_ambient_c=at_c))
    assert today.limits.charge.bank_a == usual.limits.charge.bank_a and today.limits.charge.binding != "temperature"
    for a, b in zip(usual.units, today.units, strict=True):
        assert [r.entry for r in a.settings] == [r.entry for r in b.settings]
    assert rules(today) & {"temperature-today", "charge-limit-none"}
    assert "temperature-today" not in rules(usual)


def test_load_at_the_lowest_shut_down():
    chain = plan_of(SKERRY).limits.discharge
    assert chain.needed_a == pytest.approx(discharge_a(2600, 0.94, 16 * (2.7 + 0.0625)), abs=0.01)


def test_open_loop_has_no_bms_cap():
    caps = [c.cap for c in plan_of(changed(SKERRY, policy__loop="open")).limits.charge.caps]
    assert "bms-reported" not in caps


def test_without_units_the_bank_still_has_limits():
    limits = plan_of(hand_written(inline("A"))).limits
    assert limits.charge.bank_a == 50 and limits.charge.units == []


LOWER = {
    "charge_a": lambda j: [m.update(charge_a=m["charge_a"] * 0.8) for m in j["bank"]["modules"]],
    "discharge_a": lambda j: [m.update(discharge_a=m["discharge_a"] * 0.8) for m in j["bank"]["modules"]],
    "one_module": lambda j: j["bank"]["modules"][0].update(charge_a=max(1, j["bank"]["modules"][0]["charge_a"] / 2)),
    "warranty": lambda j: [
        m.update(charge_warranty_a=m.get("charge_warranty_a", m["charge_a"]) * 0.7) for m in j["bank"]["modules"]
    ],
    "fuse": lambda j: j["bank"].update(fuse_a=j["bank"].get("fuse_a", 1000) * 0.6),
    "cable": lambda j: j["bank"].update(cable_a=90),
    "rate": lambda j: j["policy"].update(max_c_rate=0.1, max_discharge_c_rate=0.2),
    "cold": lambda j: 0 <= j["site"].get("bank_ambient_c", 20) <= 45 and j["site"].update(bank_ambient_c=-20),
}


@given(random_jobs(), st.sampled_from(sorted(LOWER)))
def test_limits_never_rise_when_a_cap_falls(job, what):
    before = plan_of(job).limits
    LOWER[what](job)
    after = plan_of(job).limits
    assert after.charge.bank_a <= before.charge.bank_a + 1e-6
    assert after.discharge.bank_a <= before.discharge.bank_a + 1e-6
    for old, new in zip(before.charge.units, after.charge.units, strict=True):
        assert new.a <= old.a + 1e-6


@given(random_jobs())
def test_the_binding_cap_is_the_lowest(job):
    limits = plan_of(job).limits
    for chain in (limits.charge, limits.discharge):
        assert chain.bank_a == min(c.a for c in chain.caps if not c.today)
        assert next(c.a for c in chain.caps if c.cap == chain.binding) == chain.bank_a


def test_loads_default_to_the_continuous_load_while_charging():
    job = data(SKERRY)
    del job["generator"]["loads_while_charging_w"]
    generator = next(s for s in plan_of(job).limits.ac.sources if s.source == "generator")
    assert generator.loads_w == 2600
