"""Entries: encodings, safe side, order, what is left alone."""

import copy
import csv
import io
import json

import pytest
from hypothesis import given, strategies as st
from openpyxl import load_workbook

from ewerer.core.devices.codec import decode, encode, factor_of, safe_side
from ewerer.core.devices.library import Library, shipped_library
from ewerer.core.documents.profiles import InverterProfile
from ewerer.core.pages.export import sheet_bytes
from ewerer.core.plan import plan
from tests.jobs import LARCH, NAMES, SKERRY, TARN, changed, job_of, plan_of, random_jobs, rules

INVERTERS = [p for p in shipped_library() if isinstance(p, InverterProfile)]
NUMERIC = [(p, s) for p in INVERTERS for s in p.settings if not s.is_choice and s.quantity]
CHOICES = [(p, s) for p in INVERTERS for s in p.settings if s.is_choice]


def setting(profile_id, id):
    profile = next(p for p in INVERTERS if p.id == profile_id)
    return next(s for s in profile.settings if s.id == id), profile


def test_per_two_volt_cell():
    s, profile = setting("brackwater-m5", "v-bulk")
    assert encode(s, 55.2, profile).text == "2.30"
    assert decode(s, "2.26", profile) == pytest.approx(54.24)


def test_percent_of_rated_rounds_down():
    s, profile = setting("hexley-pr3", "rate")
    assert encode(s, 87.9, profile).text == "87"
    s, profile = setting("hexley-pr3", "line-rate")
    assert encode(s, 33.0, profile).text == "41" and decode(s, "41", profile) == pytest.approx(32.8)


def test_coded_choice_and_time():
    s, profile = setting("brackwater-m5", "c-type")
    assert encode(s, "user", profile).text == "c9" and decode(s, "C9", profile) == "user"
    s, profile = setting("hexley-pr3", "hold-time")
    assert encode(s, 80.0, profile).text == "01:15" and decode(s, "01:15", profile) == 75
    with pytest.raises(KeyError):
        encode(setting("hexley-pr3", "charge-by")[0], "mains-first", profile)


@given(st.sampled_from(NUMERIC), st.floats(0, 1))
def test_entry_decodes_to_the_safe_side_within_a_step(pair, part):
    """Rule entry-safe-side."""
    profile, s = pair
    shown = s.min + part * (s.max - s.min)
    value = shown * factor_of(s, profile)
    entry = encode(s, value, profile)
    back = decode(s, entry.text, profile)
    assert back == pytest.approx(entry.value, abs=1e-6)
    step = s.step * abs(factor_of(s, profile))
    assert abs(back - value) <= step * (1 + 1e-6)
    if not entry.cut:
        assert {"down": back <= value + 1e-6, "up": back >= value - 1e-6, "nearest": abs(back - value) <= step / 2 * 1.001}[
            safe_side(s)
        ]


@pytest.mark.parametrize(("profile", "s"), NUMERIC, ids=lambda x: x.id)
def test_every_shipped_setting_round_trips_on_its_own_grid(profile, s):
    for k in range(int((s.max - s.min) / s.step + 1e-6) + 1):
        value = (s.min + k * s.step) * factor_of(s, profile)
        assert abs(decode(s, encode(s, value, profile).text, profile) - value) <= s.step * factor_of(s, profile) / 2


@pytest.mark.parametrize(("profile", "s"), CHOICES, ids=lambda x: x.id)
def test_every_choice_round_trips(profile, s):
    for key, word in s.encoding.choices.items():
        value = {"yes": True, "no": False}.get(key, key) if s.encoding.kind == "on-off" else key.split("/")[0]
        facts = dict(zip(s.encoding.by, (p.replace("*", "9") for p in key.split("/")[1:]), strict=True))
        assert encode(s, value, profile, facts).text == word
        assert decode(s, word, profile) == value


@pytest.mark.parametrize(
    ("id", "text", "words"),
    [
        ("fill-volts", "552", "outside 48 to 61 V"),
        ("fill-volts", "fifty", "is not a number"),
        ("judge", "Maybe", "is not one of Volts, Percent"),
    ],
)
def test_unreadable_displays_say_what_would_be_right(id, text, words):
    s, profile = setting("orrowan-t8", id)
    with pytest.raises(ValueError, match=words):
        decode(s, text, profile)


def test_display_with_unit_and_comma_is_read():
    s, profile = setting("orrowan-t8", "fill-volts")
    assert decode(s, "55,2 V", profile) == 55.2


@pytest.mark.parametrize("name", NAMES)
def test_rows_come_after_what_resets_or_allows_them(name):
    """Rule entry-order."""
    for unit in plan_of(name).units:
        order = {row.setting: i for i, row in enumerate(unit.settings)}
        for row in unit.settings:
            assert all(order[first] < order[row.setting] for first in row.after)
            for reset in row.resets:
                if reset in order:
                    assert order[row.setting] < order[reset]


def test_host_only_settings_are_left_on_the_follower():
    host, follower = plan_of(SKERRY).units
    assert "scheme" in {r.setting for r in host.settings}
    left = {x.setting: x.why for x in follower.leave_alone}
    assert left["scheme"] == "Set on the host only; this unit follows it."
    kind = {u.id: next(r.entry for r in u.settings if r.setting == "store-kind") for u in (host, follower)}
    assert kind == {"U1": "Linked", "U2": "Own values"}


def test_idle_settings_are_left_alone_with_the_reason():
    made = plan_of(changed(SKERRY, policy__control="volts"))
    left = {x.setting: x.why for x in made.units[0].leave_alone}
    assert left["pct-to-grid"] == "Not used here; leave at factory value."
    hand = {x.setting: x for x in made.units[0].decide}
    assert hand["beeper"].known == "Taste; leave alone." and "beeper" not in left
    assert hand["beeper"].takes and hand["beeper"].factory, "what it takes and what it shows from the factory"


def test_what_is_decided_by_hand_becomes_a_row():
    made = plan_of(changed(SKERRY, extra_entries={"U1": {"beeper": "Off"}}))
    row = next(r for r in made.units[0].settings if r.setting == "beeper")
    assert row.entry == "Off" and row.note.startswith("Own entry") and "beeper" not in {x.setting for x in made.units[0].decide}


def test_parts_of_the_units_add_up_within_the_limit():
    for name in NAMES:
        made = plan_of(name)
        sun = sum(u.a for u in made.limits.charge.units if u.kind == "sun-charger")
        typed = sum(r.value for u in made.units for r in u.settings if r.quantity == "charge_max_a")
        whole = [r.value for d in made.devices for r in d.settings if r.quantity == "bank_charge_max_a"]
        assert (whole[0] if whole else typed + sun) <= made.limits.charge.bank_a + 1e-6


@given(random_jobs())
def test_typed_thresholds_equal_the_ladder(job):
    made = plan_of(job)
    for unit in made.units:
        for row in unit.settings:
            if row.quantity in made.ladder:
                assert row.value == pytest.approx(made.ladder[row.quantity].value, abs=1e-6)


def test_choice_that_is_not_offered_is_a_finding():
    assert "choice-missing" in rules(plan_of(changed(LARCH, policy__charge_order="mains-first")), "caution")


def test_floor_of_the_units_range_is_a_stop():
    made = plan_of(changed(SKERRY, mains__breaker_a=10, mains__loads_while_charging_w=1800))
    found = next(f for f in made.findings if f.rule == "entry-out-of-range" and f.severity == "stop")
    assert found.numbers["entered"] == 5


def exported(name, format):
    job = job_of(name)
    return sheet_bytes(job, plan_of(name).units[0], format)


def test_csv_has_a_row_a_setting_in_order():
    rows = list(csv.DictReader(io.StringIO(exported(TARN, "csv").decode("utf-8-sig"))))
    sheet = plan_of(TARN).units[0]
    assert [r["setting"] for r in rows] == [r.setting for r in sheet.settings]
    assert next(r for r in rows if r["setting"] == "v-bulk")["enter"] == "2.30"


def test_xlsx_keeps_entries_as_displayed():
    page = load_workbook(io.BytesIO(exported(TARN, "xlsx"))).active
    cells = {row[2].value: row[4].value for row in page.iter_rows(min_row=3)}
    assert cells["v-bulk"] == "2.30" and cells["c-type"] == "c9"


def test_json_is_the_sheet_itself():
    assert json.loads(exported(SKERRY, "json"))["id"] == "U1"


def test_no_cell_becomes_a_formula():
    job = changed(SKERRY, sheet_marks={"U1": {"store-kind": {"state": "done", "note": "=1+1", "read_back": "-0.5"}}})
    made = plan_of(job)
    row = next(csv.DictReader(io.StringIO(sheet_bytes(job_of(job), made.units[0], "csv").decode("utf-8-sig"))))
    assert row["note"] == "'=1+1" and row["read back"] == "-0.5"


def test_sheets_kept_from_earlier_plans_are_those_of_a_fresh_library():
    """What is kept for a profile never leaks: own figures, own entries, loads and the order of planning change nothing in the next plan."""
    kept = shipped_library()
    jobs = [
        job_of(changed(SKERRY, loads__continuous_w=load_w, policy__own_figures=own))
        for load_w, own in ((2600, {}), (7000, {}), (2600, {"absorb_v": 54.4}), (900, {"float_v": 53.2}), (2600, {}))
    ]
    row = plan(jobs[0], kept).units[0].settings[3]
    jobs.insert(1, job_of(changed(SKERRY, extra_entries={"U1": {row.setting: row.entry}})))
    for job in (*jobs, *reversed(jobs)):
        assert plan(job, kept) == plan(job, Library([copy.deepcopy(p) for p in kept]))
