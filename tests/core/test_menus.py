"""Menus as they are: kinds of battery, blocks, boxes with two legs, feeds, windows inside a unit's range, what stays as found."""

import json
from typing import Any

import pytest
from hypothesis import given, settings, strategies as st

from ewerer.core.devices.library import Library, parse_profile, shipped_library
from ewerer.core.plan import plan
from ewerer.core.stages.sheet.found import parse_found
from tests.jobs import DEMO, HERON, LARCH, OSTRAND, SKERRY, TARN, changed, data, inline, job_of, plan_of, rules
from tests.sizes import size

SHIPPED = {p.id: p for p in shipped_library()}
LIBRARY_FOLDER = DEMO.parent / "library"


def own(name: str, **more: Any) -> Library:
    """Return the library with a profile in which some keys are others."""
    shipped = json.loads((LIBRARY_FOLDER / f"{name}.json").read_text()) | more
    return Library([*shipped_library(), parse_profile(json.dumps(shipped))])


def entries(made, unit: int = 0) -> dict[str, str]:
    return {r.quantity: r.entry for r in made.units[unit].settings if r.quantity}


def acid(chemistry: str, unit: str, cells: int = 24, **more: Any) -> dict[str, Any]:
    modules = [inline("B1", series_cells=cells, chemistry=chemistry, capacity_ah=400)]
    base = changed(SKERRY, bank={"modules": modules, "main_lead_mohm": 0.5}, units=[{"id": "U1", "profile": unit}], windows=[])
    return base | {"as_found": {}, "extra_entries": {}, "link": {}} | more


@pytest.mark.parametrize(
    ("chemistry", "unit", "shows"),
    [
        ("agm", "orrowan-t8", "Lead A"),
        ("flooded", "orrowan-t8", "Lead B"),
        ("gel", "orrowan-t8", "Own values"),  # it has no kind of its own for gel
        ("gel", "wendle-hy6", "Lead, jelly"),
        ("lfp", "orrowan-t8", "Own values"),
    ],
)
def test_the_battery_type_follows_the_chemistry(chemistry, unit, shows):
    cells = 16 if chemistry == "lfp" else 24
    made = plan_of(acid(chemistry, unit, cells))
    assert entries(made)["battery_type"] == shows
    order = [r.quantity for r in made.units[0].settings]
    assert order.index("battery_type") < order.index("absorb_v"), "what the type puts back is entered after it"


def test_a_kind_that_locks_its_volts_is_taken_only_where_they_pass():
    shipped = json.loads((LIBRARY_FOLDER / "brackwater-m5.json").read_text())
    locked = [
        s | ({"works_only_if": "c-type = c9"} if s.get("quantity") in ("absorb_v", "float_v") else {}) for s in shipped["settings"]
    ]
    job = acid("agm", "brackwater-m5")
    rungs = plan_of(job).ladder
    fits = {"absorb_v": rungs["absorb_v"].value, "float_v": rungs["float_v"].value}
    for sets, kind in ((fits, "c0"), (fits | {"absorb_v": rungs["absorb_v"].highest + 1}, "c9")):
        library = own("brackwater-m5", settings=locked, presets=[{"name": "c0", "sets": sets}])
        assert entries(plan(job_of(job), library))["battery_type"] == kind


def test_another_lead_acid_kind_as_found_is_told():
    """Rule found-battery-type on lead-acid."""
    made = plan_of(acid("agm", "orrowan-t8", as_found={"U1": {"store-kind": "Lead B"}}))
    told = next(f for f in made.findings if f.rule == "found-battery-type")
    assert "Lead B" in told.message and "Lead A" in told.fix
    assert "found-battery-type" not in rules(plan_of(acid("agm", "orrowan-t8", as_found={"U1": {"store-kind": "Lead A"}})))


@pytest.mark.parametrize(("block_v", "count"), [(None, "1"), (12, "4"), (6, "8")])
def test_blocks_in_series(block_v, count):  # common practice: 48 V are four 12-V blocks
    library = own("wendle-hy6", **({} if block_v is None else {"block_v": block_v}))
    assert entries(plan(job_of(HERON), library))["blocks_in_series"] == count


@pytest.mark.parametrize(
    ("topology", "phases", "stops"), [("split", 2, False), ("three", 3, False), ("split", 3, True), ("three", 2, True)]
)
def test_one_box_makes_its_legs_by_itself(topology, phases, stops):
    plate = {"continuous_w": 8000, "charge_max_a": 100, "ac_phases": phases}
    job = changed(
        SKERRY, site__ac={"volts": 120, "hz": 60, "topology": topology}, units=[{"id": "U1", "plate": plate}], as_found={}
    )
    assert ("units-topology" in rules(plan_of(job), "stop")) is stops
    single = changed(
        SKERRY,
        site__ac={"volts": 120, "hz": 60, "topology": topology},
        units=[{"id": "U1", "plate": plate | {"ac_phases": 1}}],
        as_found={},
    )
    assert "units-topology" in rules(plan_of(single), "stop")


def test_the_ac_window_stands_inside_the_units_range():
    """A unit whose low dropout begins above what an engine wants is set to its least, without a stop."""
    shipped = json.loads((LIBRARY_FOLDER / "hexley-pr3.json").read_text())
    made = plan(
        job_of(LARCH),
        own("hexley-pr3", settings=[s | ({"min": 96} if s.get("quantity") == "ac_low_off_v" else {}) for s in shipped["settings"]]),
    )
    assert made.quantities["ac_low_off_v"].value == 96 and entries(made)["ac_low_off_v"] == "96"
    assert "entry-out-of-range" not in rules(made)
    assert "goes to 96 V" in made.quantities["ac_low_off_v"].reasons[0].text
    assert plan_of(LARCH).quantities["ac_low_off_v"].value == 90


def test_a_single_unit_gets_no_address():
    assert "address" in entries(plan_of(OSTRAND))
    alone = data(OSTRAND)
    alone["units"] = alone["units"][:1]
    alone["as_found"], alone["extra_entries"] = {}, {}
    assert "address" not in entries(plan_of(alone))


def test_shaving_peaks_puts_loads_first():
    job = changed(HERON, policy__mode="peak-shaving", policy__peak_cap_w=5000, policy__priority="bank-first")
    assert plan_of(job).quantities["sun_priority"].value == "loads-first"
    assert plan_of(changed(HERON, policy__priority="bank-first")).quantities["sun_priority"].value == "bank-first"


def test_what_is_idle_is_not_rewritten():
    made = plan_of(SKERRY).units[0]
    held = {r.quantity for r in made.settings}
    assert "equalise_on" in held and not held & {"equalise_v", "equalise_min"}
    left = {x.setting: x.why for x in made.leave_alone}
    assert left["level-volts"] == "Equalising is off: leave as it is."
    wished = plan_of(changed(SKERRY, policy__own_figures={"equalise_v": 55.0}))
    assert "equalise_v" in {r.quantity for r in wished.units[0].settings}, "a person's own figure is entered"


def test_each_feed_has_its_own_entries():
    """Rule feed-entries: restated from breaker, share and budget."""
    made = plan_of(changed(TARN, mains__feeds=[{"name": "Cord", "breaker_a": 10}, {"name": "Pier", "breaker_a": 63}]))
    feeds = {f.name: f for f in made.limits.ac.feeds}
    planned = entries(made)
    for row in made.units[0].feeds:
        feed, inlet = feeds[row.feed], row.label == "Line amps"
        most = (
            min(0.8 * feed.breaker_a, float(planned["ac_input_max_a"]))
            if inlet
            else min(feed.charge_a / 3, float(planned["mains_charge_max_a"]))
        )
        assert row.fits and most - 1 - 1e-6 <= float(row.entry) <= most + 1e-6, row
    assert {f.feed for f in made.units[0].feeds} == {"Cord", "Pier"} and not plan_of(TARN).units[0].feeds


# As found


def test_a_calibrated_sensor_is_kept_unless_a_person_changes_it():
    job = changed(SKERRY, bank__shunt_a=500, as_found={"U1": {"shunt": "450"}})
    row = next(r for r in plan_of(job).units[0].settings if r.quantity == "shunt_a")
    assert (row.entry, row.why) == ("450", ["calibrated-kept"])
    assert entries(plan_of(job | {"as_found": {"U1": {"shunt": "100"}}}))["shunt_a"] == "500", "no calibration goes so far"
    mine = changed(SKERRY, bank__shunt_a=500, as_found={"U1": {"shunt": "450"}}, policy__own_figures={"shunt_a": 500})
    assert entries(plan_of(mine))["shunt_a"] == "500"


def test_a_list_with_semicolons_and_commas_is_read_and_contradictions_are_refused():
    profile = SHIPPED["orrowan-t8"]
    assert parse_found(profile, "setting;value\nfill-volts;56,4\nrest-volts;54,0\n") == (
        {"fill-volts": "56.4", "rest-volts": "54.0"},
        [],
    )
    values, problems = parse_found(profile, "fill-volts=56.4\nFill to=57,0\nfill-volts=56.4\nrest-volts=54\nRest at=54.0 V")
    assert values == {"rest-volts": "54.0"}
    assert [p.message for p in problems] == ["Fill to stands twice, with 56.4 and with 57.0"]


FOUND = [
    ("safety_hours", "10", "Longest charge 10 h, permitted at least"),  # ends a charge that is not over
    ("feed_amps", "50", "AC input current 50 A, permitted at most"),  # above what the source bears
    ("refresh_days", "60", "Full charge every 60 days"),
    ("fill_hold", "900", "Hold"),
]


@pytest.mark.parametrize(("setting", "shown", "text"), FOUND)
def test_every_line_as_found_is_judged(setting, shown, text):
    made = plan_of(changed(SKERRY, as_found={"U1": {setting.replace("_", "-"): shown}}))
    told = next(f for f in made.findings if f.rule == "found-outside")
    assert text in told.message and told.at == f"/as_found/U1/{setting.replace('_', '-')}"


def test_a_cap_of_the_whole_bank_as_found_is_judged():
    job = changed(HERON, as_found={"H1": {}})
    most = plan_of(HERON).quantities["bank_charge_max_a"].value
    setting = next(s for s in SHIPPED["wendle-hy6"].settings if s.quantity == "bank_charge_max_a")
    job["as_found"] = {"H1": {setting.id: f"{2 * most:g}"}}
    assert any(f.rule == "found-outside" and "whole system" in f.message for f in plan_of(job).findings)


NUMBERS = [
    r for r in plan_of(SKERRY).units[0].settings if isinstance(r.value, float) and r.quantity and not isinstance(r.value, bool)
]


@given(st.data())
@settings(max_examples=size(4, 400))
def test_what_lies_beyond_the_plans_range_never_goes_unsaid(draw):
    """Restated: a threshold as found outside what its rung permits is spoken of by some check of what was found; inside, none of range speaks."""
    row = draw.draw(st.sampled_from([r for r in NUMBERS if r.quantity in plan_of(SKERRY).ladder]))
    setting = next(s for s in SHIPPED["orrowan-t8"].settings if s.id == row.setting)
    steps = draw.draw(st.integers(0, round((setting.max - setting.min) / setting.step)))
    value = round(setting.min + steps * setting.step, 3)
    rung = plan_of(SKERRY).ladder[row.quantity]
    made = plan_of(changed(SKERRY, as_found={"U1": {row.setting: f"{value:g}"}}))
    real = value / (100 if setting.unit == "%" else 1)
    spoken = {f.rule for f in made.findings if f.rule.startswith("found-")}
    if rung.lowest - 1e-9 <= real <= rung.highest + 1e-9:
        assert "found-outside" not in spoken
    else:
        assert spoken, (row.setting, value, rung.lowest, rung.highest)
