"""Ordinary jobs are planned without a stop: what is right must not be forbidden; what is missing is named at its field."""

import json

import pytest

from ewerer.core.devices.library import Library, parse_job, parse_profile, shipped_library
from ewerer.core.plan import plan
from tests.jobs import DEMO, SKERRY, changed, job_of, plan_of, rules
from tests.sizes import size
from tests.usual import usual_job

LIBRARY = shipped_library()


@pytest.mark.parametrize("part", range(4))
def test_no_usual_job_is_stopped(part):
    for seed in range(part, size(60, 1200), 4):
        made = plan(parse_job(json.dumps(usual_job(seed)), LIBRARY), LIBRARY)
        stops = [(f.rule, f.title, f.message) for f in made.findings if f.severity == "stop"]
        assert not stops, (seed, stops)


@pytest.mark.parametrize(("source", "at"), [("mains", "/mains/breaker_a"), ("generator", "/generator/continuous_w")])
def test_a_source_of_unknown_size_is_named_at_its_field(source, at):
    """Rule source-size."""
    told = [
        f for f in plan_of(changed(SKERRY, site__sources=["sun", source], **{source: None})).findings if f.rule == "source-size"
    ]
    assert [(f.at, f.severity) for f in told] == [(at, "caution")]
    assert "source-size" not in rules(plan_of(SKERRY))


def test_a_unit_without_a_limiter_is_told_the_amps_that_would_do():
    """Not "another model": the BMS or a controller can hold the total."""
    shipped = json.loads((DEMO.parent / "library" / "orrowan-t8.json").read_text())
    gone = {s["id"] for s in shipped["settings"] if s.get("quantity") in ("charge_max_a", "mains_charge_max_a", "ac_input_max_a")}
    shipped["settings"] = [s for s in shipped["settings"] if s["id"] not in gone]
    for s in shipped["settings"]:
        for effect in s.get("side_effects", []):
            effect["sets"] = {k: v for k, v in effect["sets"].items() if k not in gone}
    library = Library([*LIBRARY, parse_profile(json.dumps(shipped))])
    job = changed(
        SKERRY, site__sources=["generator"], generator={"continuous_w": 3000}, mains=None, windows=[], loads={"continuous_w": 500}
    )
    told = next(f for f in plan(job_of(job), library).findings if f.rule == "entry-ac-budget")
    # what is left, over volts and the charger's efficiency, restated
    left = (3000 - 500) * min(u["ratings"]["charger_efficiency"] for u in [shipped]) / told.numbers["volts"]
    assert f"total charge at {int(left)} A" in told.fix and "another model" not in told.fix
