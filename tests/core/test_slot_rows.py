"""Slots as rows of a sheet: what is typed, read back by hand, is what the unit's slots mean."""

import itertools
import json
from random import Random

import numpy as np
import pytest

from ewerer.core.behaviour import kernel as K
from ewerer.core.devices.library import parse_job, shipped_library
from ewerer.core.devices.slots.forms import sayable, slots_day
from ewerer.core.devices.slots.week import intent_days
from ewerer.core.flow.scenario import build
from ewerer.core.plan import plan
from ewerer.core.trade.chemistries import LFP, ocv_v
from ewerer.core.visit.working_list import unit_order
from tests.jobs import DEMO, FENWICK, HERON, LARCH, OSTRAND, SKERRY, TARN, changed, data, plan_of

LIBRARY = shipped_library()
WITH_SLOTS = (SKERRY, TARN, HERON, OSTRAND, FENWICK)


def profile_of(job, unit):
    name = next(u["profile"] for u in job["units"] if u["id"] == unit)
    return next(p for p in LIBRARY if p.id == name)


def minutes(text):
    return int(text[:2]) * 60 + int(text[3:])


def typed(job, made, unit):
    """Return (kind, number) -> field -> displayed text of a unit's sheet, straight off its rows."""
    places = {s.id: s.slot for s in profile_of(job, unit).settings if s.slot}
    out = {}
    for row in next(u for u in made.units if u.id == unit).settings:
        place = places.get(row.setting)
        if place:
            out.setdefault((place.kind, place.no), {})[place.field] = row.entry
    return out


def day_of(job, made, unit):
    """Return what the typed rows make the bank do in every minute: the forms restated from what their displays show."""
    rows, profile = typed(job, made, unit), profile_of(job, unit)
    yes = {s.encoding.choices["yes"] for s in profile.settings if s.slot and s.encoding.kind == "on-off"}
    form = profile.slots.form
    day = ["hold" if form == "single" else "auto"] * 1440

    def fill(a, b, what):
        for m in range(a, b) if a < b else (*range(a, 1440), *range(b)):
            day[m] = what

    if form == "six":
        numbers = sorted(n for _, n in rows)
        for n, nxt in zip(numbers, [*numbers[1:], None], strict=True):
            row = rows["slot", n]
            stop = minutes(rows["slot", nxt]["from"]) if nxt else 1440
            charges = row.get("charge") in yes or row.get("generator") in yes
            fill(minutes(row["from"]), stop, "charge" if charges else "down")
        return day
    for kind, what in (("discharge", "use"), ("no-discharge", "hold"), ("charge", "charge")):
        for (k, _), row in rows.items():
            if k == kind and row.get("on", next(iter(yes), "")) in (yes or {""}) and row["from"] != row["to"]:
                fill(minutes(row["from"]), minutes(row["to"]), what)
    return day


def meant(made, unit, profile):
    """Return the same from the plan's own slots."""
    held = next(u for u in made.windows.units if u.unit == unit)
    out = ["auto"] * 1440
    for a, b, what in slots_day(held.slots, profile.slots):
        for m in range(a, b):
            out[m] = what.action
    return out


def alike(form, shown, wanted):
    if form == "six":
        return (shown == "charge") == (wanted == "charge")
    if form == "single":
        return shown == wanted or {shown, wanted} <= {"use", "auto", "export"}
    return shown == wanted or (shown == "use" and wanted == "export")


@pytest.mark.parametrize("name", WITH_SLOTS)
def test_what_is_typed_is_what_the_plan_says_the_unit_does(name):
    job, made = data(name), plan_of(name)
    for unit in made.units:
        profile = profile_of(job, unit.id)
        shown, wanted = day_of(job, made, unit.id), meant(made, unit.id, profile)
        assert [m for m in range(1440) if not alike(profile.slots.form, shown[m], wanted[m])] == []


def random_windows(dice):
    cuts = sorted(dice.sample(range(0, 1440, 5), dice.randint(2, 7)))
    out = []
    for a, b in itertools.pairwise(cuts):
        if dice.random() < 0.7:
            w = {"from": f"{a // 60:02d}:{a % 60:02d}", "to": f"{b // 60:02d}:{b % 60:02d}"}
            w["action"] = dice.choice(["charge", "use", "hold", "export"])
            if w["action"] in ("charge", "use") and dice.random() < 0.6:
                w["target_soc"] = dice.choice([0.3, 0.5, 0.8, 1.0])
            if w["action"] != "hold" and dice.random() < 0.5:
                w["power_w"] = dice.choice([500, 1500, 4000])
            out.append(w)
    return out


@pytest.mark.parametrize("seed", range(40))
def test_random_windows_read_back_from_every_family(seed):
    dice = Random(f"windows {seed}")
    name = WITH_SLOTS[seed % len(WITH_SLOTS)]
    job = changed(name, windows=random_windows(dice))
    made = plan(parse_job(json.dumps(job), LIBRARY), LIBRARY)
    for unit in made.units:
        profile = profile_of(job, unit.id)
        if not any(u.unit == unit.id for u in made.windows.units):
            assert not typed(job, made, unit.id)
            continue
        shown, wanted = day_of(job, made, unit.id), meant(made, unit.id, profile)
        assert [m for m in range(1440) if not alike(profile.slots.form, shown[m], wanted[m])] == [], (seed, unit.id)
        for row in unit.settings:
            s = next(x for x in profile.settings if x.id == row.setting)
            if s.slot and s.encoding.kind not in ("on-off", "hhmm"):
                number = float(row.entry)
                assert s.min - 1e-9 <= number <= s.max + 1e-9
                assert abs(round((number - s.min) / s.step) * s.step + s.min - number) < 1e-6


def test_power_and_target_in_the_units_own_units():
    """Watts of the window shared by two units, as percent of 8 kW, as watts, as amps at the bank's nominal volts."""
    skerry = typed(data(SKERRY), plan_of(SKERRY), "U1")
    assert skerry["charge", 1] == {"on": "Yes", "from": "01:30", "to": "05:00", "power": "25", "target": "85"}
    assert skerry["charge", 2] == {"on": "No", "from": "00:00", "to": "00:00"}
    heron = typed(data(HERON), plan_of(HERON), "H1")
    assert heron["slot", 1]["power"] == "1500" and heron["slot", 1]["target"] == "70"
    made = plan_of(FENWICK)
    fenwick = typed(data(FENWICK), made, "EAST")
    assert fenwick["slot", 1]["power"] == "20"  # 1200 W / 2 units / 25.6 V = 23.4 A, down to 5 A
    amps, ohm = 1200 / 25.6, made.bank.path_mohm / 1000
    rests = 8 * ocv_v(LFP, 0.7) + amps * ohm
    assert rests <= float(fenwick["slot", 1]["target"]) <= rests + 0.1 + 1e-9


def test_hold_and_free_are_said_as_the_form_can():
    job = changed(HERON, windows=[{"from": "00:00", "to": "06:00", "action": "hold"}])
    rows = typed(job, plan_of(job), "H1")
    held = [r for r in rows.values() if minutes(r["from"]) < 360]
    free = [r for r in rows.values() if minutes(r["from"]) >= 360]
    assert {(r["target"], r["charge"]) for r in held} == {("100", "No")}
    assert {(r["target"], r["power"], r["charge"]) for r in free} == {("25", "6000", "No")}
    own = typed(data(OSTRAND), plan_of(OSTRAND), "V1")
    assert own["no-discharge", 1] == {"on": "On", "from": "05:00", "to": "07:00"}


def test_without_windows_rows_are_left_or_parked():
    larch = plan_of(LARCH).units[0]
    assert next(r for r in larch.settings if r.quantity == "windows_on").entry == "Off"
    assert {x.why for x in larch.leave_alone if x.setting.startswith("plan-")} == {"No windows are planned."}
    job = changed(TARN, windows=[])
    rows = typed(job, plan_of(job), "P1")
    charge = rows["charge", 1]
    assert 0 < minutes(charge["to"]) - minutes(charge["from"]) <= 15, "an empty window misbehaves, so it is parked"
    assert rows["discharge", 1] == {"from": charge["to"], "to": charge["from"]}, "and the bank is used in all the rest of the day"
    job = changed(HERON, windows=[])
    made = plan_of(job)
    assert next(r for r in made.units[0].settings if r.quantity == "windows_on").entry == "Yes", (
        "off, this unit never uses the bank"
    )
    assert {r["target"] for r in typed(job, made, "H1").values()} == {"25"}


def test_slot_rows_are_found_ordered_compared_and_exported():
    job = changed(SKERRY, as_found={"U1": {"win-f1-from": "02:00", "win-f1-stop": "85"}, "U2": {"win-f1-from": "03:00"}})
    made = plan_of(job)
    found = {f.setting: f for f in made.found["U1"]}
    assert found["win-f1-from"].planned == "01:30" and found["win-f1-from"].same is False and found["win-f1-stop"].same is True
    assert next(r for r in made.agreement if r.setting == "win-f1-from").agrees is False
    order = unit_order(parse_job(json.dumps(job), LIBRARY), "U1", LIBRARY)
    keys = [s.setting for s in order.steps if s.kind == "entry"]
    assert keys.index("win-on") < keys.index("win-f1-from") and "win-f1-stop" not in keys


@pytest.mark.parametrize("name", WITH_SLOTS)
def test_the_intent_of_every_day_is_what_the_form_can_say(name):
    made, job = plan_of(name), parse_job((DEMO / f"{name}.json").read_bytes(), LIBRARY)
    for u in made.windows.units:
        profile = profile_of(data(name), u.unit)
        days = sayable(intent_days(job.windows), profile.slots)
        off = sum(
            a[2] != b[2]
            for day in days
            for a, b in zip(minutes_of_day(day), minutes_of_day(slots_day(u.slots, profile.slots)), strict=True)
        )
        assert off == u.differs_minutes


def minutes_of_day(day):
    return [(a, b, w) for a, b, w in day for _ in range(b - a)]


def test_slots_as_found_are_what_the_simulation_goes_by():
    """Noted times and stops of a unit's slots, beside the same windows meant; what is not noted is as planned."""
    noted = {"win-on": "Yes", "win-f1-from": "02:00", "win-f1-to": "04:00", "win-f1-stop": "70"}
    job = changed(SKERRY, as_found={"U1": noted})
    found, plain = (build(parse_job(json.dumps(job), LIBRARY), LIBRARY, 1, as_found=a) for a in (True, False))
    at = found.minute_of_day
    charging = found.action == K.CHARGE
    assert (charging == ((at >= 120) & (at < 240))).all() and set(found.target[charging]) == {0.7}
    assert set(plain.target[plain.action == K.CHARGE]) == {0.85} and (plain.action == K.CHARGE).sum() == 210
    off = build(parse_job(json.dumps(changed(SKERRY, as_found={"U1": {"win-on": "No"}})), LIBRARY), LIBRARY, 1, as_found=True)
    assert (off.action == K.AUTO).all()


def test_a_unit_that_keeps_targets_in_volts_is_simulated_by_them():
    """The bank rests in a window once its terminals reach the volts on the sheet, whatever the charge is then."""
    window = {"from": "00:00", "to": "12:00", "action": "use", "target_soc": 0.4, "power_w": 1500}
    job = changed(FENWICK, windows=[window], flow={"start_soc": 0.8}, loads__daily_wh=1500 * 24, loads__shape=[1] * 24)
    sheet = plan_of(job).units[0]
    entered = {r.value for r in sheet.settings if "target" in r.word and r.word.startswith("Slot")}
    s = build(parse_job(json.dumps(job), LIBRARY), LIBRARY, 1)
    assert s.cho.target_v
    using = (s.action == K.USE) & (s.minute_of_day < 720)
    (volts,) = set(s.target[using])
    assert any(abs(volts - v) < 0.1 for v in entered), "the same as on the sheet, but for its step"
    s.sun[:] = 0.0
    series, _ = s.run(record=True)
    at = {name: i for i, name in enumerate(K.SERIES)}
    gives = series[:, at["bank_load_w"]] > 1
    rests = int(np.argmin(gives))
    assert 0 < rests < 720 and not gives[rests:720].any()
    assert series[rests - 1, at["volts"]] == pytest.approx(volts, abs=0.08)
    loaded = series[rests - 1, at["soc"]]
    s.par = s.par._replace(r_ohm=s.par.r_ohm * 4)
    series, _ = s.run(record=True)
    early = int(np.argmin(series[:, at["bank_load_w"]] > 1))
    assert early < rests and series[early - 1, at["soc"]] > loaded + 0.02, "thin cables: the same volts at a higher charge"
