"""Stage Sources: AC window, orders as the units call them, generator."""

import pytest
from hypothesis import given, strategies as st

from ewerer.core.devices.library import parse_job, shipped_library
from ewerer.core.flow.results import simulate
from ewerer.core.stages.limits.ac import engine_derate
from ewerer.core.stages.sources.solve import ac_window, quiet_hours
from tests import cases
from tests.jobs import LARCH, NAMES, SKERRY, TARN, changed, job_of, plan_of, rules

LIBRARY = shipped_library()


@given(st.sampled_from([110.0, 120.0, 220.0, 230.0, 240.0]), st.booleans())
def test_the_window_stands_in_order(volts, generator):
    a = ac_window(volts, generator)
    assert a.low_off_v < a.low_on_v < a.nominal_v < a.high_on_v < a.high_off_v


def test_a_generator_alone_gets_the_wide_window():
    assert plan_of(SKERRY).sources.ac_window.range == "narrow"
    assert plan_of(LARCH).sources.ac_window.range == "wide"
    rows = {r.quantity: r.entry for r in plan_of(LARCH).units[0].settings}
    assert rows["ac_low_off_v"] == "90" and rows["ac_high_off_v"] == "140"


def test_a_weak_grid_gets_the_wide_window_and_is_told_of_it():
    """Rule ac-window-weak."""
    made = plan_of(changed(TARN, mains__supply="weak-grid"))
    assert made.sources.ac_window.range == "wide" and "ac-window-weak" in rules(made, "note")
    assert made.quantities["ac_low_off_v"].value < plan_of(TARN).quantities["ac_low_off_v"].value < 207
    assert "ac-window-weak" not in rules(plan_of(LARCH)), "a generator alone has no mains to pass on"


def test_orders_in_the_units_own_words():
    orders = {o.quantity: o for o in plan_of(SKERRY).sources.orders}
    assert orders["source_order"].entry == "Sun, store, grid" and orders["charge_order"].entry == "Sun, then grid"
    idle = {o.quantity: o for o in plan_of(changed(SKERRY, policy__source_order="mains-first")).sources.orders}["source_order"]
    assert "Go to grid at" in idle.idle
    missing = {o.quantity: o for o in plan_of(changed(LARCH, policy__charge_order="mains-first")).sources.orders}["charge_order"]
    assert missing.entry is None and "Solar" in missing.offers


def test_generator_budget_and_ramp():
    g = plan_of(SKERRY).sources.generator
    entered = sum(float(r.entry) for u in plan_of(SKERRY).units for r in u.settings if r.quantity == "mains_charge_max_a")
    assert g.safe_charge_a == entered == 54 and g.ramp_a == [12, 26, 40, 54], "in the two units' steps of 1 A, to what is entered"
    assert g.loaded == pytest.approx((2100 + 54 * 56 / 0.93) / 9000, abs=0.01)
    assert any("starts at 20 % and stops at 85 %" in r for r in g.recipe)
    assert any("by hand" in r for r in plan_of(LARCH).sources.generator.recipe)


def test_quiet_hours_must_be_survivable():
    ok = plan_of(changed(SKERRY, generator__quiet_from="22:00", generator__quiet_to="06:00"))
    assert ok.sources.generator.quiet_h == 8 and "generator-quiet" not in rules(ok)
    long = changed(SKERRY, generator__quiet_from="12:00", generator__quiet_to="11:00", loads__daily_wh=60000)
    assert "generator-quiet" in rules(plan_of(long), "caution")
    assert quiet_hours(job_of(SKERRY).generator) == 0


def test_a_large_engine_idles():
    made = plan_of(changed(SKERRY, generator__continuous_w=60000))
    found = next(f for f in made.findings if f.rule == "generator-min-load")
    assert found.severity == "caution" and found.numbers["least_charge_a"] > 0


@pytest.mark.parametrize(("height", "temp", "left"), [(0, 20, 1.0), (300, 25, 1.0), (1300, 25, 0.9), (2300, 45, 0.76)])
def test_height_and_heat_derate(height, temp, left):
    """Rule generator-derating."""
    job = changed(SKERRY, site__altitude_m=height, site__bank_ambient_c=temp)
    assert engine_derate(job_of(job)) == pytest.approx(left)
    assert plan_of(job).limits.ac.sources[1].available_w == pytest.approx(9000 * left)


def test_own_derating_rules():
    assert engine_derate(job_of(changed(SKERRY, site__altitude_m=2000, generator__derate=0.95))) == 0.95
    assert "generator-derated" in rules(plan_of(changed(SKERRY, site__altitude_m=2000)), "note")


def test_permission_and_cap():
    assert "export-permission" in rules(plan_of(changed(TARN, policy__mode="feed-in")), "caution")
    assert "peak-cap" in rules(plan_of(changed(TARN, policy__mode="peak-shaving")), "caution")
    assert "order-idle" in rules(plan_of(changed(SKERRY, policy__source_order="mains-first")), "note")


def test_an_engine_that_stands_is_exercised():
    """Rule generator-exercise."""
    for name in (SKERRY, LARCH):
        assert any("Once a month, half an hour" in r for r in plan_of(name).sources.generator.recipe)


@given(st.floats(500, 30000), st.floats(0, 20000))
def test_the_ramp_climbs_to_the_safe_current_and_stops_there(rated, loads):
    g = plan_of(changed(SKERRY, generator__continuous_w=rated, generator__loads_while_charging_w=loads)).sources.generator
    assert g.ramp_a == sorted(g.ramp_a) and g.ramp_a[-1] <= g.safe_charge_a
    assert g.loaded <= max(1.0, loads / rated) + 0.02, "charging alone never overloads it"
    if g.loaded < 0.3:
        assert g.least_charge_a > g.safe_charge_a


def test_no_generator_no_plan_for_one():
    assert plan_of(TARN).sources.generator is None
    assert plan_of(changed(SKERRY, site__sources=["sun", "mains"])).sources.generator is None


@pytest.mark.parametrize(
    ("start", "end", "hours"), [("22:00", "06:00", 8), ("06:00", "22:00", 16), ("00:00", "00:00", 0), ("23:30", "00:15", 0.75)]
)
def test_length_of_quiet_hours(start, end, hours):
    job = job_of(changed(SKERRY, generator__quiet_from=start, generator__quiet_to=end))
    assert quiet_hours(job.generator) == hours


def test_quiet_hours_that_end_when_they_begin_are_none_for_plan_and_simulation():
    equal, none = cases.plan_case("quiet-equal"), cases.plan_case("quiet-none")
    assert equal.sources.generator.quiet_h == none.sources.generator.quiet_h == 0
    assert "generator-quiet-empty" in rules(equal) and "generator-quiet-empty" not in rules(none)
    ledgers = [simulate(parse_job(cases.text_of(n), LIBRARY), LIBRARY, days=2).ledger for n in ("quiet-equal", "quiet-none")]
    assert ledgers[0] == ledgers[1] and ledgers[0].generator_h > 0


def test_a_ramp_goes_in_the_entrys_own_steps_and_ends_at_it():
    for name in NAMES:
        g = plan_of(name).sources.generator
        if g is not None:
            assert g.ramp_a == sorted(set(g.ramp_a)) and g.ramp_a[-1] == g.safe_charge_a


@pytest.mark.parametrize("sources,said", [(["sun", "generator"], "generator"), (["sun", "generator", "mains"], "mains")])
def test_words_of_sources_are_those_of_the_site(sources, said):
    made = plan_of(changed(LARCH, site__sources=sources, **({"mains": {"breaker_a": 32}} if "mains" in sources else {})))
    words = " ".join(r.word for n, r in made.ladder.items() if n.startswith("to_mains"))
    assert words and said in words and {"mains", "generator"} - {said} - set(words.split()) == {"mains", "generator"} - {said}
    key = next(s.key for s in made.stages if s.stage == "sources")
    assert key == f"sun, bank, {said}"
