"""The adversary at the door: random jobs on random profiles, judged by rules restated outside the core."""

import hashlib
import json
import os
import subprocess
import sys

import pytest

from ewerer.core.devices.library import Library, parse_job, parse_profile
from ewerer.core.devices.model import DeviceModel, Refusal
from ewerer.core.stages.pipeline import solve
from ewerer.core.stages.sheet.found import planned_entries
from ewerer.core.visit.order import entry_order
from ewerer.core.visit.working_list import order_of
from tests.adversary import Box, broken, canonical, chained_profile, random_found, random_job, tangled_profile
from tests.jobs import plan_of, rules
from tests.planned import SHIPPED, planned
from tests.seeded import ordinary_job
from tests.sizes import size

SLICES, SLICE = size(4, 20), size(25, 100)


@pytest.mark.parametrize("part", range(SLICES))
def test_no_plan_without_a_stop_breaks_a_rule(part):
    judged = 0
    for seed in range(part * SLICE, (part + 1) * SLICE):
        job, profile, made = planned(seed)
        text = made.model_dump_json()
        assert "NaN" not in text and "Infinity" not in text
        if not rules(made, "stop"):
            judged += 1
            assert broken(job, profile, made) == [], f"seed {seed}"
    assert judged > SLICE / 3, "most drawn profiles can be planned"


def test_the_restated_rules_can_fail():
    """Each kind of harm done to a sound plan is seen by the restated rules."""
    seen = set()
    for seed in range(size(60, 120)):
        job, profile, made = planned(seed)
        if rules(made, "stop"):
            continue
        for harm, quantity, by in (
            ("up", "absorb_v", 4.0),
            ("down", "shutdown_v", -6.0),
            ("more", "charge_max_a", 400.0),
            ("off", "alarm_v", -9.0),
        ):
            row = next((r for u in made.units for r in u.settings if r.quantity == quantity), None)
            if row is None or ("%" in row.unit):
                continue
            object.__setattr__(row, "entry", f"{float(row.entry) + by:.2f}")
            seen |= {harm} if broken(job, profile, made) else set()
            _, _, made = planned(seed)
    assert seen == {"up", "down", "more", "off"}


@pytest.mark.parametrize("part", range(size(1, 4)))
def test_ordinary_jobs_on_shipped_devices_are_not_stopped(part):
    for seed in range(part * 100, (part + 1) * 100):
        made = plan_of(ordinary_job(seed))
        assert not rules(made, "stop"), (seed, [f.message for f in made.findings if f.severity == "stop"])
        assert all(u.settings for u in made.units)


HASHES = """
import hashlib, json, sys
from tests.planned import planned
from tests.sizes import size
whole = hashlib.sha256()
for seed in range(int(sys.argv[1])):
    _, _, made = planned(seed)
    whole.update(json.dumps(made.model_dump(mode="json", by_alias=True)).encode())
print(whole.hexdigest())
"""


def test_the_same_bytes_under_any_hash_seed():
    many = size(40, 400)
    mine = hashlib.sha256()
    for seed in range(many):
        mine.update(json.dumps(planned(seed)[2].model_dump(mode="json", by_alias=True)).encode())
    for hash_seed in ("1", "31337"):
        env = os.environ | {"PYTHONHASHSEED": hash_seed}
        out = subprocess.run([sys.executable, "-c", HASHES, str(many)], env=env, capture_output=True, text=True, check=True)
        assert out.stdout.strip() == mine.hexdigest()


# The order of entry, from anything found to the sheet


def alike(shown, entry):
    """Return whether two displays mean the same: 50 and 50.0 do."""
    try:
        return shown == entry or float(shown) == float(entry)
    except (TypeError, ValueError):
        return False


def found_job(seed):
    """Return a job whose first unit was found showing anything, its tangled profile and what was found."""
    job, _ = random_job(seed)
    job.pop("extra_entries", None)
    ac = job["site"]["ac"]
    cells = 8 if ac["volts"] == 120 else max(m.get("series_cells") or 16 for m in job["bank"]["modules"])
    profile = tangled_profile(seed, cells=cells, class_v=24 if cells == 8 else 48, volts=ac["volts"], hz=ac["hz"])
    found = random_found(seed, profile)
    job["as_found"] = {"U0": found}
    library = Library([*SHIPPED, parse_profile(json.dumps(profile))])
    return parse_job(json.dumps(job), library), profile, found, library


@pytest.mark.parametrize("part", range(SLICES))
def test_every_order_replayed_ends_in_the_plan_or_says_why_not(part):
    reached = 0
    for seed in range(part * SLICE, (part + 1) * SLICE):
        job, profile, found, library = found_job(seed)
        solved = solve(job, library)
        unit = solved.units[0]
        target = planned_entries(unit, solved)
        if not target:
            continue  # no ladder fits: there is no sheet to enter
        order = order_of(unit, solved, target)
        ladder = solved.ladders[unit.profile.id].rungs
        rows = {r.setting: r for r in solved.sheets["U0"].settings}
        box = Box(profile, found, order.mode)
        start = dict(box.shown)
        for step in order.steps:
            if step.kind != "entry":
                continue
            assert box.refuses(step.setting, step.enter) == "", (seed, step.setting, step.enter)
            setting = box.settings[step.setting]
            rung = ladder.get(setting.get("quantity"))
            if rung is not None:
                value = canonical(setting, step.enter, profile["ratings"]["class_v"])
                assert rung.lowest - 1e-6 <= value <= rung.highest + 1e-6, (seed, step.setting, step.enter)
        off = [k for k, r in rows.items() if not alike(box.shown.get(k), r.entry)]
        idle = [k for k in rows if "works_only_if" in box.settings[k] and not box.holds(box.settings[k]["works_only_if"])]
        resumes = any(s.key == "action.resume" for s in order.steps)
        if order.blocked is None:
            reached += 1
            assert not idle and not [k for k in off if not rows[k].needed_by], seed
        else:
            assert order.blocked.reasons and (off or idle), seed
            outside = [
                k
                for k, text in box.shown.items()
                if (rung := ladder.get(box.settings[k].get("quantity"))) is not None
                and not rung.lowest - 1e-6 <= canonical(box.settings[k], text, profile["ratings"]["class_v"]) <= rung.highest + 1e-6
            ]
            assert not (outside and resumes), (seed, outside)
        entered = {s.setting for s in order.steps}
        assert all(
            box.shown.get(k) == v for k, v in start.items() if k not in entered and k not in rows and not reset(profile, k)
        ), seed
    assert reached > SLICE / 2


def reset(profile, id):
    """Return whether some entry of the profile resets a setting."""
    return any(id in e["sets"] for s in profile["settings"] for e in s.get("side_effects", []))


@pytest.mark.parametrize(("many", "chain"), [(20, 5), (40, 10), (80, 20), (80, 2)])
def test_long_chains_end_in_an_accepted_sequence(many, chain):
    """Figures held to both sides and conditions that hang on each other: reached, or truthfully not proven."""
    profile, found, target = chained_profile(many, chain)
    model = DeviceModel(parse_profile(json.dumps(profile)))
    order = entry_order(model, found, target)
    state = model.start(found, "off", "installer")
    for write in order.writes:
        state = model.write(state, write.setting, write.text)
        assert not isinstance(state, Refusal)
    assert order.blocked is None and all(state.shown[k] == v for k, v in target.items())
    assert order.proven == (chain <= 5)


def test_what_an_entry_resets_is_put_back_as_found():
    """A new capacity forgets the sensor's type and its calibrated figure: both show afterwards what they showed before."""
    profile, _, _ = chained_profile(2, 2)
    menu = {"menu": ["A"]}
    profile["settings"] = [
        {"id": "size", "label": "Size", "min": 0, "max": 900, "step": 1, "factory": "100"} | menu,
        {
            "id": "kind",
            "label": "Sensor",
            "encoding": {"kind": "choice", "choices": {"own": "Own", "none": "None"}},
            "factory": "None",
        }
        | menu,
        {"id": "amps", "label": "Sensor amps", "min": 0, "max": 900, "step": 1, "factory": "500", "works_only_if": "kind = Own"}
        | menu,
    ]
    profile["settings"][0]["side_effects"] = [{"sets": {"kind": "None", "amps": "500"}}]
    model = DeviceModel(parse_profile(json.dumps(profile | {"interlocks": []})))
    order = entry_order(model, {"size": "100", "kind": "Own", "amps": "450"}, {"size": "560"})
    assert order.blocked is None and [(w.setting, w.text) for w in order.writes] == [
        ("size", "560"),
        ("kind", "Own"),
        ("amps", "450"),
    ]
