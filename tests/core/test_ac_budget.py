"""What chargers draw from AC: restated from the sheet alone, for units with one cap, in percent, or with none."""

import json

import pytest
from hypothesis import given, strategies as st

from ewerer.core.devices.library import Library, parse_job, parse_profile, shipped_library
from ewerer.core.plan import plan
from tests import cases
from tests.jobs import SKERRY, changed, plan_of, rules

SHIPPED = list(shipped_library())
ETA = 0.93


def unit(*caps, **ratings):
    """Return a unit with the given charge settings and a plain ladder; 0.93 from AC to the bank."""
    base = next(json.loads(p.model_dump_json(by_alias=True, exclude_unset=True)) for p in SHIPPED if p.id == "orrowan-t8")
    volts = [s for s in base["settings"] if s.get("quantity") in ("absorb_v", "float_v", "alarm_v", "shutdown_v")]
    for s in volts:
        s.pop("works_only_if", None)
    base |= {"id": "one-cap", "name": "One cap", "settings": [*volts, *caps], "interlocks": [], "presets": [], "slots": None}
    base["ratings"] |= {"charger_efficiency": ETA} | ratings
    return base


def cap(quantity, percent_of=None, low=0, high=200, step=1):
    more = {"unit": "%", "encoding": {"kind": "percent-of-rated", "rated": percent_of}, "max": 100} if percent_of else {"unit": "A"}
    return {"id": quantity, "menu": ["C"], "label": quantity, "quantity": quantity, "min": low, "max": high, "step": step} | more


def job(breaker_a=15, load_w=300, units=1, volts=230, **more):
    return {
        "ewerer": "job/1",
        "name": "A thin feed",
        "site": {"ac": {"volts": volts, "hz": 50}, "sources": ["sun", "mains"]},
        "mains": {"breaker_a": breaker_a},
        "loads": {"continuous_w": load_w, "peak_w": 2 * load_w},
        "bank": {"modules": [{"id": f"M{i}", "profile": "dunmarrow-280"} for i in range(3)], "lead_mohm": 0.4},
        "units": [{"id": f"U{i}", "profile": "one-cap", "role": "host" if i == 0 else "follower"} for i in range(units)],
        "policy": {"loop": "open"},
    } | more


def made(document, profile):
    library = Library([*SHIPPED, parse_profile(json.dumps(profile))])
    return plan(parse_job(json.dumps(document), library), library)


def drawn_w(result, profile):
    """Return what the sheets let the chargers draw [W]: the lowest cap of each unit at the highest volts on any sheet."""
    total, top = 0.0, 0.0
    for sheet in result.units:
        caps = [profile["ratings"]["ac_charge_max_a"]]
        caps += [r.value for r in sheet.settings if r.quantity in ("charge_max_a", "mains_charge_max_a")]
        total += min(caps)
        top = max([top, *(r.value for r in sheet.settings if r.quantity in ("absorb_v", "float_v"))])
    return total * top / ETA


def test_one_cap_for_all_sources_in_percent_on_a_15_a_feed():
    """300 W of loads run: charger and loads together stay within 80 % of the feed (NEC 210.20(A))."""
    profile = unit(cap("charge_max_a", percent_of=160))
    result = made(job(), profile)
    assert not rules(result, "stop")
    entry = next(r for r in result.units[0].settings if r.quantity == "charge_max_a")
    watts = drawn_w(result, profile) + 300
    assert 0.8 * 15 * 230 - 160 / 100 * 56 / ETA < watts <= 0.8 * 15 * 230, "the largest whole percent that fits"
    assert entry.unit == "%" and entry.value == pytest.approx(160 * int(entry.entry) / 100)


def test_one_cap_that_begins_too_high_is_a_stop():
    profile = unit(cap("charge_max_a", percent_of=160, low=40))
    assert rules(made(job(), profile), "stop") & {"entry-out-of-range", "entry-ac-budget"}


def test_a_charger_with_no_cap_at_all_is_judged_by_its_rating():
    assert "entry-ac-budget" in rules(made(job(), unit()), "stop")
    assert "entry-ac-budget" not in rules(made(job(), unit(ac_charge_max_a=30)), "stop")


def test_a_limit_of_the_ac_input_makes_the_charger_give_way():
    result = made(job(), unit(cap("charge_max_a"), cap("ac_input_max_a", high=60)))
    rows = {r.quantity: r.value for r in result.units[0].settings}
    assert rows["ac_input_max_a"] == 12 and rows["charge_max_a"] > 40 and not rules(result, "stop")


@given(
    st.sampled_from([6, 10, 15, 20, 30, 50]),
    st.sampled_from([0, 300, 900, 2500, 9000]),
    st.integers(1, 4),
    st.sampled_from([[None], [90], [160], [160, "own"], [None, "own"], []]),
    st.sampled_from([0, 1, 5, 12]),
    st.sampled_from([1, 3, 10]),
    st.sampled_from([54.4, 55.2, 56.8, 57.0]),
    st.sampled_from(["sun-first", "sun-only", "mains-first"]),
)
def test_chargers_never_overload_the_feed_without_a_stop(breaker_a, load_w, units, kinds, low, step, absorb_v, order):
    caps = [cap("charge_max_a", kinds[0], low, step=step)] if kinds else []
    caps += [cap("mains_charge_max_a", None, low, 120, step)] if "own" in kinds else []
    profile = unit(*caps, ac_charge_max_a=60)
    document = job(breaker_a, load_w, units, policy={"loop": "open", "own_figures": {"absorb_v": absorb_v}, "charge_order": order})
    result = made(document, profile)
    if not rules(result, "stop"):
        assert drawn_w(result, profile) + load_w <= max(0.8 * breaker_a * 230, load_w) + 0.5


@pytest.mark.parametrize(("own", "stopped"), [("90", False), ("100", False), ("101", True), ("150", True)])
def test_what_is_set_on_the_host_counts_for_each_unit_that_follows_it(own, stopped):
    """Two units that both take the host's figure on a bank of 200 A: 100 A each is the most."""
    profile = unit(cap("charge_max_a") | {"scope": "host"}, cap("ac_input_max_a", high=60))
    document = job(units=2, mains={"breaker_a": 63}, extra_entries={"U0": {"charge_max_a": own}})
    document["bank"]["cable_a"] = 200
    result = made(document, profile)
    assert result.limits.charge.bank_a == 200 and ("entry-sum" in rules(result, "stop")) == stopped


def test_the_budget_is_counted_at_the_volts_planned():
    result = cases.plan_case("gen-over")
    assert result.limits.ac.charge_v == 57.6 and result.limits.ac.charge_a == int(6000 * ETA / 57.6)


def test_unknown_loads_are_the_same_on_both_sides():
    result = cases.plan_case("no-loads")
    assert result.limits.ac.sources[0].loads_w == 4000 and result.limits.ac.sources[0].loads_assumed
    low_v = 16 * (2.7 + 0.0625)
    assert result.limits.discharge.needed_a == pytest.approx(4000 / 0.94 / low_v, abs=0.01)


def test_a_cap_of_50_a_that_counts_36_a_of_dc_loads_leaves_14_for_the_bank():
    sun = changed(SKERRY, policy__max_c_rate=None, bank__cable_a=50, site__sources=["sun"], mains=None, generator=None)
    result = plan_of(sun | {"site": sun["site"] | {"dc_loads_a": 36}})
    told = next(f for f in result.findings if f.rule == "dc-loads")
    assert result.limits.charge.bank_a == 50 and told.numbers["bank_gets_a"] == 14
    hours = [p.quantities["max_charge_h"].value for p in (plan_of(sun), result)]
    assert hours[1] > 2 * hours[0], "the longest charge is counted with what the bank gets"


# Breaker schools, other feeds, a shared input


@pytest.mark.parametrize(("school", "part", "amps"), [("eighty", None, 12.0), ("all", None, 15.0), ("own", 0.6, 9.0)])
def test_a_breaker_school_says_what_is_drawn_for_hours(school, part, amps):
    """80 % of 15 A for hours (NEC 210.20(A)), all of it for short charging, or a person's own part."""
    mains = {"breaker_a": 15, "breaker_school": school} | ({"breaker_part": part} if part else {})
    result = made(job(mains=mains), unit(cap("charge_max_a"), cap("ac_input_max_a", high=60)))
    assert next(r.value for r in result.units[0].settings if r.quantity == "ac_input_max_a") == amps
    assert result.limits.ac.sources[0].available_w == pytest.approx(amps * 230)
    assert ("breaker-for-hours" in rules(result, "caution")) == (school == "all")
    own = made(job(mains=mains), unit(cap("charge_max_a"), takes_eighty_itself=True))
    assert "breaker-for-hours" not in rules(own)


def test_each_feed_has_its_own_entries():
    """Inlets of 50, 30, 20 and 15 A and a cord of 8 A; 300 W of loads: each by hand."""
    inlets = [("big", 50), ("park", 30), ("shed", 20), ("house", 15), ("cord", 8)]
    mains = {"breaker_a": 50, "feeds": [{"name": n, "breaker_a": a} for n, a in inlets]}
    result = made(job(mains=mains), unit(cap("mains_charge_max_a")))
    for feed, (name, amps) in zip(result.limits.ac.feeds, inlets, strict=True):
        volts = result.limits.ac.charge_v
        assert (feed.name, feed.input_a) == (name, 0.8 * amps)
        assert feed.charge_a == int((0.8 * amps * 230 - 300) * ETA / volts + 1e-9)


def test_mains_and_generator_on_one_input_make_its_window_wide():
    shared = changed(SKERRY, mains__shares_input=True)
    assert plan_of(SKERRY).sources.ac_window.range == "narrow" and plan_of(shared).sources.ac_window.range == "wide"
    assert "ac-shared-input" in rules(plan_of(shared), "caution") and "ac-shared-input" not in rules(plan_of(SKERRY))
