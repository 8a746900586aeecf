"""Menu devices: whatever keys are pressed, the display shows what the device model holds; every planned value can be entered by keys."""

import json
import random
from pathlib import Path

import pytest

import ewerer
from ewerer.core.devices.library import parse_job, shipped_library
from ewerer.core.devices.model import DeviceModel, Refusal
from ewerer.rig.menu import KEYS, LINES, MenuDevice, readable, shipped
from ewerer.rig.rig import Rig, RigError
from tests.jobs import SKERRY, data

LIBRARY = shipped_library()
DEMO_JOBS = sorted((Path(ewerer.__file__).parent / "demo").glob("*.json"))
MENUS = [p for p in LIBRARY if getattr(p, "settings", None)]


@pytest.mark.parametrize("profile", MENUS, ids=lambda p: p.id)
def test_any_keys_leave_a_display_that_says_what_is_held(profile):
    """2,000 random keys: a display of a few lines, every value one that can be shown, nothing changed but by Enter, all as the model says."""
    rng = random.Random(profile.id)
    device = MenuDevice("U1", profile, shipped(profile))
    twin = DeviceModel(profile)
    for _ in range(2000):
        before = dict(device.shown)
        key = rng.choice(KEYS)
        editing = device.edit
        at = device.rows()[device.cursor][1] if editing is not None else None
        state = device.state
        device.press(key)
        shown = device.display()
        assert len(shown.lines) <= LINES and -1 <= shown.cursor < LINES
        if dict(device.shown) != before:
            assert key == "enter" and editing is not None and at is not None
            expected = twin.write(state, at.id, editing)
            assert not isinstance(expected, Refusal) and dict(device.shown) == dict(expected.shown)
        if device.edit is not None and at is not None and key.endswith(("up", "down")):
            assert device.edit == (at.off or "") or readable(profile, at.id, device.edit)


@pytest.mark.parametrize("profile", MENUS, ids=lambda p: p.id)
def test_every_setting_is_reached_and_stepped_to_any_of_its_values_by_keys(profile):
    rng = random.Random(3)
    device = MenuDevice("U1", profile, shipped(profile))
    for setting in profile.settings:
        texts = device.choices(setting) if setting.is_choice else []
        if not texts:
            steps = device._steps(setting)
            from ewerer.core.devices.codec import shown_text

            texts = [shown_text(setting, rng.choice(steps)), shown_text(setting, steps[0]), shown_text(setting, steps[-1])]
        for text in texts[:3]:
            fresh = MenuDevice("U1", profile, shipped(profile))
            for key in fresh.keys_for(setting.id, text)[:-1]:
                fresh.press(key)
            assert fresh.edit == text, setting.id


def test_a_refusal_says_why_a_restart_saves_and_a_sleeper_wakes():
    rig = Rig(parse_job(json.dumps(data(SKERRY))), LIBRARY)
    unit = rig.devices["U1"]
    low, planned = unit.profile.setting_for("shutdown_v"), unit.shown["low-out"]
    for key in unit.keys_for(low.id, "54.0"):
        unit.press(key)
    assert unit.shown["low-out"] == planned and unit.message and unit.refused == 1
    volts = unit.profile.setting_for("absorb_v")
    for key in unit.keys_for(volts.id, "55.0"):
        unit.press(key)
    assert unit.shown[volts.id] == "55.0" and unit.message == "Kept"
    assert rig.plant.made.scene.par.absorb_v == 55.0  # the plant goes on with what is entered
    unit.press("unlock")
    assert unit.state.level == "installer"
    unit.forgets.add(volts.id)
    for key in unit.keys_for(volts.id, "54.0"):
        unit.press(key)
    assert unit.shown[volts.id] == "54.0"
    unit.press("restart")
    assert unit.shown[volts.id] == "55.0" and unit.state.level == "user"
    unit.asleep = True
    unit.press("down")
    assert unit.display().asleep and unit.write(volts.id, "54.0") is not None
    unit.press("wake")
    assert not unit.display().asleep


@pytest.mark.parametrize("path", DEMO_JOBS, ids=lambda p: p.stem)
def test_every_fault_of_a_demo_job_can_be_made_and_mended_and_leaves_no_trace(path):
    rig = Rig(parse_job(path.read_bytes()).model_copy(update={"as_found": {}}), LIBRARY)
    shown, trouble, wiring = rig.shown(), repr(rig.plant.trouble), repr(rig.wiring)
    assert len(rig.possible()) >= 8
    for name in rig.possible():
        rig.fault(name)
        rig.plant.step(60)
        assert (
            (rig.shown(), repr(rig.plant.trouble), repr(rig.wiring)) != (shown, trouble, wiring)
            or rig.code
            or any(not (m.charging and m.discharging) or m.high_v for m in rig.plant.modules)
            or any(u.asleep for u in rig.units)
        ), name
        rig.fault(name, False)
        rig.plant.step(60)
        assert (rig.shown(), repr(rig.plant.trouble), repr(rig.wiring)) == (shown, trouble, wiring), name
        assert not rig.code and all(m.charging and m.discharging and not m.high_v for m in rig.plant.modules)
    with pytest.raises(RigError, match="no such fault"):
        rig.fault("thunder")
    with pytest.raises(RigError, match="no such key"):
        rig.press("U9", "up")
    with pytest.raises(RigError, match="no such act"):
        rig.act("module", "M99")


def test_a_job_that_cannot_be_planned_has_no_stand_ins():
    with pytest.raises(RigError, match="nothing to stand in for"):
        Rig(parse_job(json.dumps(data(SKERRY) | {"units": []})), LIBRARY)
