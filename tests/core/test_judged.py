"""No line of a sheet is unjudged: own entries, second settings of a quantity, coarse steps, ranges that begin too high."""

import itertools
import json

import pytest
from hypothesis import given, strategies as st

from ewerer.core.devices.codec import decode, encode, safe_side
from ewerer.core.devices.library import Library, parse_job, parse_profile, shipped_library
from ewerer.core.documents.profiles import Setting
from ewerer.core.plan import plan
from tests import cases
from tests.jobs import LARCH, NAMES, SKERRY, changed, data, plan_of, rules

ORROWAN = next(p for p in shipped_library() if p.id == "orrowan-t8")
VOLTS = [s for s in ORROWAN.settings if str(s.quantity).endswith("_v") and not str(s.quantity).startswith(("ac_", "output"))]
JUDGES = {"entry-within-cells", "entry-within-ladder", "entry-in-order", "entry-sum", "entry-agrees", "own-entry-read"}


def values(made, unit):
    sheet = next(u for u in made.units if u.id == unit)
    return [(r.quantity, r.value) for r in sheet.settings]


# The cases, by what they are


def test_own_entries_are_judged_by_cells_ladder_order_and_agreement():
    made = cases.plan_case("extra-entries")
    assert {"entry-within-cells", "entry-within-ladder", "entry-in-order"} <= rules(made, "stop")
    assert "entry-agrees" in rules(made, "caution")
    told = next(f for f in made.findings if f.rule == "entry-within-cells")
    assert told.at == "/extra_entries/U2/fill-volts" and "60 V; 16 cells bear 57.62 V" in told.message
    rows = next(u for u in made.units if u.id == "U2").settings
    assert all("opied" not in r.note for r in rows)


def test_a_second_setting_of_a_quantity_obeys_too():
    assert {"entry-within-cells", "entry-out-of-range"} <= rules(cases.plan_case("dup-quantity"), "stop")


def test_a_range_that_begins_above_each_units_part_is_a_stop():
    assert "entry-out-of-range" in rules(cases.plan_case("sum-over-limit-min"), "stop")


def test_currents_floor_whatever_the_profile_says():
    made = cases.plan_case("sum-over-limit-nearest")
    assert sum(v for u in made.units for q, v in values(made, u.id) if q == "charge_max_a") <= made.limits.charge.bank_a
    assert not rules(made, "stop")


def test_a_float_is_bounded_without_an_absorption_setting():
    made = cases.plan_case("float-over-cellmax")
    floats = [v for q, v in values(made, "U1") if q == "float_v"]
    assert floats and max(floats) <= 16 * 3.65 - 0.3 - 16 * 0.03 + 1e-6
    assert "own-figure-refused" in rules(made)


def test_amps_from_ac_that_cannot_be_nought_stop_nothing_where_there_is_no_ac():
    assert "entry-out-of-range" not in rules(cases.plan_case("sun-only-stop"), "stop")


def without(*quantities):
    profile = json.loads(ORROWAN.model_dump_json(by_alias=True, exclude_unset=True))
    gone = {s["id"] for s in profile["settings"] if s.get("quantity") in quantities}
    profile["settings"] = [s for s in profile["settings"] if s["id"] not in gone]
    profile["interlocks"] = [i for i in profile.get("interlocks", []) if not any(g in i["rule"].split() for g in gone)]
    for s in profile["settings"]:
        s.pop("side_effects", None)
    return Library([*shipped_library(), parse_profile(json.dumps(profile))])


@pytest.mark.parametrize("control", ["volts", "soc"])
@pytest.mark.parametrize("reserve", [0.11, 0.15, 0.2])
def test_a_transfer_stays_above_the_shut_down_without_an_alarm(control, reserve):
    library = without("alarm_v", "alarm_soc")
    job = changed(SKERRY, policy__control=control, policy__reserve_soc=reserve, policy__float_school="same")
    made = plan(parse_job(json.dumps(job), library), library)
    kind = "v" if control == "volts" else "soc"
    gap = 16 * 0.03 if kind == "v" else 0.03
    assert f"alarm_{kind}" not in made.ladder
    assert made.ladder[f"to_mains_{kind}"].value >= made.ladder[f"shutdown_{kind}"].value + gap - 1e-6


# Rounding


@given(
    st.sampled_from(
        ["absorb_v", "float_v", "equalise_v", "charge_max_a", "discharge_max_a", "shutdown_v", "alarm_v", "unit_off_v"]
    ),
    st.floats(5, 60),
    st.sampled_from([0.1, 0.25, 0.5, 1, 5]),
    st.floats(0, 4),
    st.sampled_from(["down", "up", "nearest"]),
)
def test_the_side_of_rounding_is_the_quantitys_not_the_profiles(quantity, value, step, low, safe):
    shape = {
        "id": "s",
        "menu": ["A"],
        "label": "S",
        "quantity": quantity,
        "min": round(low, 1),
        "max": 100,
        "step": step,
        "safe": safe,
    }
    setting = Setting.model_validate(shape)
    entered = encode(setting, value, ORROWAN).value
    if safe_side(setting) == "down":
        assert value - step - 1e-3 < entered <= value + 1e-3
    else:
        assert value - 1e-3 <= entered < value + step + 1e-3
    assert (safe_side(setting) == "up") == (quantity in ("shutdown_v", "alarm_v", "unit_off_v"))


# Own entries at random, judged a second time here

TOP, CUT_OFF = 16 * 3.65 - 0.3 - 16 * 0.03, 43.2
DOWNWARDS = ["absorb_v", "float_v", "recharge_v", "return_bank_v", "to_mains_v", "alarm_v", "shutdown_v", "unit_off_v"]


@st.composite
def own_entries(draw):
    chosen = draw(st.lists(st.sampled_from(VOLTS), min_size=1, max_size=4, unique_by=lambda s: s.id))
    made = {}
    for s in chosen:
        steps = round((s.max - s.min) / s.step)
        made[s.id] = f"{s.min + draw(st.integers(0, steps)) * s.step:.{len(str(s.step).partition('.')[2])}f}"
    return made


@given(own_entries(), st.sampled_from(["volts", "auto"]))
def test_no_unsafe_own_entry_passes(entries, control):
    made = plan_of(changed(SKERRY, extra_entries={"U2": entries}, policy__control=control, link__choice="open"))
    got = values(made, "U2")
    volts = {q: v for q, v in got if q in DOWNWARDS}
    ladder = [volts[q] for q in DOWNWARDS if q in volts]
    unsafe = (
        any(v > TOP + 1e-6 for q, v in got if q in ("absorb_v", "float_v", "equalise_v"))
        or any(v < CUT_OFF - 1e-6 for q, v in got if q in ("shutdown_v", "unit_off_v"))
        or any(low > high + 1e-6 for high, low in itertools.pairwise(ladder))
    )
    assert not unsafe or JUDGES & rules(made, "stop")
    for setting, text in entries.items():
        row = next((r for u in made.units if u.id == "U2" for r in u.settings if r.setting == setting), None)
        assert row is None or row.entry == text


@pytest.mark.parametrize("name", NAMES)
def test_own_entries_that_are_the_plans_are_silent(name):
    made = plan_of(name)
    job = data(name)
    job["extra_entries"] = {u.id: {r.setting: r.entry for r in u.settings} for u in made.units}
    again = plan_of(job)
    assert not JUDGES & rules(again)
    assert rules(again) == rules(made)


def test_the_units_together():
    amps = next(s for s in ORROWAN.settings if s.quantity == "charge_max_a")
    told = plan_of(changed(SKERRY, extra_entries={"U1": {amps.id: f"{amps.max:g}"}, "U2": {amps.id: f"{amps.max:g}"}}))
    one = next(f for f in told.findings if f.rule == "entry-sum")
    assert one.severity == "stop" and one.numbers["sum_a"] == 2 * decode(amps, f"{amps.max:g}", ORROWAN)
    assert "entry-sum" not in rules(plan_of(changed(SKERRY, extra_entries={"U1": {amps.id: "0"}})))


@pytest.mark.parametrize(
    ("setting", "text", "words"), [("fill-volts", "999", "outside 48 to 61"), ("nothing", "1", "none by that name")]
)
def test_an_own_entry_that_cannot_be_read_is_said(setting, text, words):
    made = plan_of(changed(SKERRY, extra_entries={"U1": {setting: text}}))
    one = next(f for f in made.findings if f.rule == "own-entry-read")
    assert one.severity == "caution" and words in one.message and one.at == f"/extra_entries/U1/{setting}"
    assert "own-entry-read" not in rules(plan_of(LARCH))


# What the devices bear, with the volts that are planned


@pytest.mark.parametrize(("name", "rule"), [("sun-charger-over", "sun-charger-voltage"), ("unit-range", "units-bank-class")])
def test_ranges_are_held_against_the_volts_planned_not_the_schools(name, rule):
    assert rule in rules(cases.plan_case(name), "stop")


@given(st.integers(36, 52), st.integers(52, 64), st.sampled_from([54.4, 55.2, 56.0, 57.2, 57.6]))
def test_a_units_battery_range_holds_the_planned_volts_at_both_ends(low, high, absorb_v):
    profile = json.loads(ORROWAN.model_dump_json(by_alias=True, exclude_unset=True)) | {"id": "ranged"}
    profile["ratings"] |= {"battery_v_min": low, "battery_v_max": high}
    library = Library([*shipped_library(), parse_profile(json.dumps(profile))])
    job = changed(SKERRY, policy__loop="open", policy__own_figures={"absorb_v": absorb_v})
    for unit in job["units"]:
        unit["profile"] = "ranged"
    made = plan(parse_job(json.dumps(job), library), library)
    rows = {r.quantity: r.value for r in made.units[0].settings}
    outside = rows["absorb_v"] > high or rows["shutdown_v"] < low
    assert ("units-bank-class" in rules(made, "stop")) == outside


def test_a_row_whose_condition_hangs_on_an_idle_row_is_idle_too():
    made = cases.plan_case("chain-conditions")
    assert "tog" not in {r.setting for r in made.units[0].settings}
    assert {x.setting for x in made.units[0].leave_alone} >= {"tog", "order"}


def test_units_set_as_planned_agree_though_the_plan_sets_them_apart():
    assert "units-agree" not in rules(cases.plan_case("agree-after-entry"))
    job = json.loads(cases.text_of("agree-after-entry"))
    job["as_found"]["U2"]["store-kind"] = job["as_found"]["U1"]["store-kind"]
    assert "units-agree" in rules(plan_of(job)), "alike, where the plan wants them apart"


def test_a_module_that_takes_no_charge_at_any_temperature_is_a_stop():
    assert "charge-line" in rules(cases.plan_case("crash-derating-zero"), "stop")


@given(st.sampled_from(["fill-hot", "fill-cold"]), st.integers(-30, 70))
def test_own_temperatures_stay_inside_what_the_modules_bear(setting, at_c):
    """The module's sheet: charged from 0 to 50 °C."""
    made = plan_of(changed(SKERRY, extra_entries={"U1": {setting: str(at_c)}}))
    if not any(r.setting == setting and r.entry == str(at_c) for r in made.units[0].settings):
        return  # the display cannot show it; told by own-entry-read
    assert ("entry-temperature" in rules(made, "stop")) == (at_c > 50 if setting == "fill-hot" else at_c < 0)
