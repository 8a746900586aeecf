"""The plan as a whole, the rule registry, findings of the stages."""

import json

import pytest
from hypothesis import given

from ewerer.core.devices.library import shipped_library
from ewerer.core.plan import plan
from ewerer.core.trade.rules import REGISTRY, rules_markdown
from ewerer.core.trade.stages import STAGES
from tests.jobs import LARCH, NAMES, SKERRY, TARN, changed, inline, job_of, plan_of, random_jobs, rules, validator

CONTRACT = {
    "bank": "series_cells capacity_ah energy_wh resistance_mohm charge_limit_a charge_limit_sum_a discharge_limit_a discharge_limit_sum_a "
    "reported_charge_a reported_discharge_a binding_module join_current_a without_one",
    "limits": "charge discharge ac",
    "link": "loop protocol host_unit unit_port bms_port bitrate",
}


@given(random_jobs())
def test_plan_is_a_pure_function(job):
    assert plan(job_of(job), shipped_library()).model_dump() == plan(job_of(job), shipped_library()).model_dump()


@given(random_jobs())
def test_every_plan_obeys_its_schema(job):
    validator("plan").validate(json.loads(plan_of(job).model_dump_json()))


@pytest.mark.parametrize("name", NAMES)
def test_keys_that_scripts_rely_on(name):
    made = json.loads(plan_of(name).model_dump_json())
    for part, keys in CONTRACT.items():
        assert set(keys.split()) <= set(made[part])
    assert set(CONTRACT["bank"].split()) - {"without_one"} <= set(made["bank"]["without_one"])
    rung = next(iter(made["ladder"].values()))
    assert {"value", "cell_v", "lowest", "highest", "at_rest_soc", "under_load_soc", "why"} <= set(rung)
    row = made["units"][0]["settings"][0]
    assert {"setting", "menu", "quantity", "entry", "unit", "value", "scope", "level", "needs", "after", "note"} <= set(row)


@given(random_jobs())
def test_findings_name_known_rules_and_places(job):
    for f in plan_of(job).findings:
        rule = REGISTRY[f.rule]
        assert (f.stage, f.source, f.status) == (rule.stage, rule.source, rule.status)
        assert f.at.startswith("/") and f.title and f.message
        assert f.severity == "note" or f.fix


@pytest.mark.parametrize("name", NAMES)
def test_demo_jobs_have_no_stop(name):
    assert rules(plan_of(name), "stop") == set()


def test_every_rule_is_complete_and_listed():
    text = rules_markdown()
    for rule in REGISTRY.values():
        assert rule.statement() and rule.formulas() and rule.source and rule.status in ("S", "T", "M", "S, M")
        assert rule.stage in STAGES and f"| `{rule.id}` |" in text


@pytest.mark.parametrize(
    ("name", "paths", "rule", "severity"),
    [
        (SKERRY, {"units__1__profile": "brackwater-m5"}, "units-same-model", "stop"),
        (SKERRY, {"units__1__firmware": "2.11"}, "units-same-firmware", "caution"),
        (SKERRY, {"units__1__role": "host"}, "units-one-host", "stop"),
        (SKERRY, {"units__0__role": "follower"}, "units-one-host", "stop"),
        (TARN, {"units__2__phase": "L2"}, "units-topology", "stop"),
        (LARCH, {"site__ac__topology": "three"}, "units-topology", "stop"),
        (SKERRY, {"site__ac__volts": 120}, "units-ac", "stop"),
        (LARCH, {"site__ac__hz": 50}, "units-ac", "stop"),
        (LARCH, {"units__0__profile": "orrowan-t8", "units__1__profile": "orrowan-t8"}, "units-bank-class", "stop"),
        (SKERRY, {"loads__continuous_w": 20000}, "units-power", "caution"),
        (SKERRY, {"loads__peak_w": 40000}, "units-power", "caution"),
        (SKERRY, {"loads__continuous_w": 16000}, "discharge-adequate", "stop"),
        (SKERRY, {"policy__max_c_rate": 0.9, "bank__fuse_a": 900, "bank__cable_a": 900, "bank__modules": [inline("A", charge_a=80)]}, "charge-rate", "caution"),
        (SKERRY, {"site__bank_ambient_c": -5}, "charge-limit-none", "stop"),
        (SKERRY, {"generator__loads_while_charging_w": 9500}, "ac-source-free", "caution"),
        (SKERRY, {"bank__modules__0__resting_v": 51.0}, "join-voltage", "stop"),
        (SKERRY, {"bank__modules__0__resting_v": 26.5}, "cell-count-plausible", "stop"),
        (SKERRY, {"bank__modules__0__chemistry": "nmc"}, "chemistry-equal", "stop"),
        (SKERRY, {"bank__modules__0__capacity_ah": 100}, "capacity-equal", "caution"),
        (SKERRY, {"bank__modules__0__health": 0.8, "bank__modules__1__health": 1.0}, "age-apart", "caution"),
        (SKERRY, {"policy__loop": "closed", "bank__modules": [inline("A")]}, "link-chosen", "stop"),
        (SKERRY, {"policy__shutdown_soc": 0.3}, "reserve-order", "caution"),
        (LARCH, {"sun__chargers__0__profile": "pilch-sun-60", "bank__modules": [inline("A")]}, "sun-charger-voltage", "stop"),
        (LARCH, {"loads__continuous_w": 5800}, "n-1", "caution"),
        (SKERRY, {"site__dc_loads_a": 12}, "dc-loads", "note"),
        (SKERRY, {"bank__main_lead_mohm": 0.3}, "sun-takes-all", "note"),
    ],
)  # fmt: skip
def test_each_rule_speaks_when_it_should(name, paths, rule, severity):
    assert rule not in rules(plan_of(name), severity) or rule in ("sun-takes-all",)
    assert rule in rules(plan_of(changed(name, **paths)), severity)


def test_too_many_in_parallel():
    job = changed(
        LARCH,
        units=[
            {"id": f"U{i}", "profile": "hexley-pr3", "role": "follower" if i else "host", "phase": "L2" if i % 2 else "L1"}
            for i in range(6)
        ],
    )
    assert "units-max-parallel" in rules(plan_of(job), "stop")


def test_assumptions_are_said_aloud():
    made = plan_of(
        {
            "ewerer": "job/1",
            "name": "Sparse",
            "bank": {"modules": [{"id": "A", "series_cells": 16, "capacity_ah": 100, "charge_a": 50, "discharge_a": 100}]},
        }
    )
    said = [f for f in made.findings if f.rule == "bank-assumed"]
    assert "resistance 14.6 mΩ" in said[0].message and "lithium iron phosphate" in said[0].message


def test_loss_of_link_is_recommended_from_the_ladder():
    assert plan_of(SKERRY).quantities["link_loss_action"].value == "carry-on"
    assert plan_of(changed(SKERRY, policy__link_loss="stop")).quantities["link_loss_action"].value == "stop"


def test_stages_carry_state_and_key_figure():
    stages = {s.stage: s for s in plan_of(TARN).stages}
    assert stages["bank"].state == "caution" and stages["bank"].key == "600 Ah · 30.7 kWh"
    assert [s.stage for s in plan_of(TARN).stages] == list(STAGES)


def test_safety_timer_never_ends_a_normal_charge():
    made = plan_of(SKERRY)
    slow = min(sum(u.a for u in made.limits.charge.units), 55)
    hours = made.bank.capacity_ah * 0.9 / slow + made.quantities["absorb_min"].value / 60
    assert made.quantities["max_charge_h"].value >= 1.25 * hours - 0.1


def test_no_lead_acid_left_overs():
    q = plan_of(SKERRY).quantities
    assert q["temp_comp_mv_per_c"].value == 0 and q["equalise_on"].value is False and q["equalise_min"].value == 0
