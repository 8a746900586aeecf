"""An order of entry never leaves what the plan permits, and never lets charging begin outside it."""

import json

import pytest
from hypothesis import assume, given, settings, strategies as st

from ewerer.core.devices.library import Library, parse_job, parse_profile, shipped_library
from ewerer.core.devices.model import DeviceModel, Refusal
from ewerer.core.documents.conditions import parse_condition
from ewerer.core.plan import plan
from ewerer.core.visit.order import entry_order
from ewerer.core.visit.working_list import unit_order
from tests import cases
from tests.jobs import SKERRY, changed, job_of, plan_of
from tests.sizes import size


def order_of(name):
    library = cases.library_of(name)
    job = parse_job(cases.text_of(name), library)
    return job, library, unit_order(job, "U1", library)


def walked(job, library, order):
    """Replay an order on the device model; return the displays after each entry."""
    profile = next(p for p in library if p.id == order.profile)
    model = DeviceModel(profile)
    state = model.start(job.as_found.get(order.unit, {}), order.mode, "installer")
    out = [dict(state.shown)]
    for step in order.steps:
        if step.kind == "entry":
            state = model.write(state, step.setting, step.enter)
            assert not isinstance(state, Refusal), state
            out.append(dict(state.shown))
    return out


@pytest.mark.parametrize("name", ["order-15cells", "order-15cells-found"])
def test_a_found_value_that_bars_the_plan_is_moved_out_of_its_way(name):
    job, library, order = order_of(name)
    assert order.blocked is None and order.proven
    entered = [(s.setting, s.enter) for s in order.steps if s.kind == "entry"]
    assert ("fill-volts", "51.7") in entered
    highest = plan(job, library).ladder["absorb_v"].highest
    assert all(float(text) <= highest for setting, text in entered if setting in ("fill-volts", "rest-volts"))
    assert entered.index(("rest-volts", "51.7")) < entered.index(("fill-volts", "51.7")) < entered.index(("rest", "Off"))
    assert walked(job, library, order)[-1]["fill-volts"] == "51.7"


@pytest.mark.parametrize("name", ["order-cond-codege", "order-cond-codeeq"])
def test_a_comparison_gives_the_value_that_opens_a_setting_and_the_setting_still_works_at_the_end(name):
    """An interface left in the wrong role after the protocol was set is a failure: common practice."""
    job, library, order = order_of(name)
    assert order.blocked is None and order.proven
    last = walked(job, library, order)[-1]
    rows = {r.setting: r for u in plan(job, library).units for r in u.settings}
    assert {k: last[k] for k in rows} == {k: r.entry for k, r in rows.items()}
    for setting in next(p for p in library if p.id == order.profile).settings:
        if setting.id in rows and setting.works_only_if:
            assert parse_condition(setting.works_only_if).holds(last)


@pytest.mark.parametrize("sign", ["=", "!=", "<", "<=", ">", ">="])
def test_every_comparison_gives_temporary_values(sign):
    """A setting that must end where another does not work is passed through what the comparison wants."""
    low = {"menu": ["A"], "min": 0, "max": 9, "step": 1}
    settings = [{"id": "code", "label": "Code"} | low, {"id": "volts", "label": "Volts", "works_only_if": f"code {sign} 5"} | low]
    ends = next(str(c) for c in range(10) if not eval(f"{c} {'==' if sign == '=' else sign} 5"))
    profile = json.loads(
        next(p for p in shipped_library() if p.id == "orrowan-t8").model_dump_json(exclude_unset=True, by_alias=True)
    )
    model = DeviceModel(parse_profile(json.dumps(profile | {"settings": settings, "interlocks": [], "presets": []})))
    order = entry_order(model, {"code": ends, "volts": "1"}, {"code": ends, "volts": "2"})
    assert order.blocked is None and order.proven and len(order.writes) == 3
    assert [w.setting for w in order.writes] == ["code", "volts", "code"] and order.writes[0].temporary


def test_where_the_plan_cannot_be_reached_charging_does_not_begin():
    profile = next(p for p in shipped_library() if p.id == "orrowan-t8").model_dump(mode="json", by_alias=True, exclude_unset=True)
    profile["settings"].append(
        {"id": "base", "menu": ["Storage"], "label": "Base", "min": 58, "max": 60, "step": 0.1, "factory": "58.0"}
    )
    profile["interlocks"].append({"rule": "fill-volts - base >= 0"})
    library = Library([*shipped_library(), parse_profile(json.dumps(profile))])
    job = parse_job(json.dumps(changed(SKERRY, as_found={"U1": {"fill-volts": "60.0"}})), library)
    order = unit_order(job, "U1", library)
    keys = [s.key for s in order.steps]
    assert order.blocked is not None and "Fill to" in order.blocked.reasons[0]
    assert "fill-volts" not in {s.setting for s in order.steps}, "58.0 would be nearer, but no permitted value"
    assert "action.resume" not in keys and keys[-1] == "action.stay" and "Fill to" in order.steps[-1].label
    free = unit_order(job_of(changed(SKERRY, as_found={"U1": {"fill-volts": "60.0"}})), "U1")
    assert [s.key for s in free.steps][-1] == "action.resume"


numbers = [s for s in next(p for p in shipped_library() if p.id == "orrowan-t8").settings if not s.is_choice and s.step]


@st.composite
def found(draw):
    chosen = draw(
        st.lists(
            st.sampled_from([s for s in numbers if str(s.quantity).endswith(("_v", "_soc"))]),
            min_size=1,
            max_size=6,
            unique_by=lambda s: s.id,
        )
    )
    out = {}
    for s in chosen:
        steps = round((s.max - s.min) / s.step)
        out[s.id] = f"{s.min + draw(st.integers(0, steps)) * s.step:.{len(str(s.step).partition('.')[2])}f}"
    return out


@settings(max_examples=size(20, 160))
@given(found(), st.sampled_from(["same", "rest", "none"]), st.sampled_from(["volts", "auto"]), st.booleans())
def test_no_step_of_an_order_leaves_the_ladder_whatever_was_found(values, school, control, on):
    as_found = {**values, "rest": "On" if on else "Off"}
    model = DeviceModel(next(p for p in shipped_library() if p.id == "orrowan-t8"))
    shows = model.start(as_found, "off", "installer").shown
    assume(not any(lock.broken(shows) for lock in model.locks))  # a unit never shows what its own interlocks forbid
    job = job_of(changed(SKERRY, as_found={"U1": as_found}, policy__float_school=school, policy__control=control))
    made, order = plan_of(job.to_data()), unit_order(job, "U1")
    by_id = {s.id: s for p in shipped_library() if p.id == order.profile for s in p.settings}
    for step in order.steps:
        if step.kind == "entry" and by_id[step.setting].quantity in made.ladder:
            rung = made.ladder[by_id[step.setting].quantity]
            value = float(step.enter) * (0.01 if rung.kind == "soc" else 1)
            assert rung.lowest - 1e-6 <= value <= rung.highest + 1e-6, step
    shown = walked(job, shipped_library(), order)[-1]
    target = {r.setting: r.entry for u in made.units if u.id == "U1" for r in u.settings}
    assert order.blocked is None and {k: shown[k] for k in target} == target
