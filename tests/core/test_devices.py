"""Devices beside the inverters, and devices without a profile: their menus, sheets, links and orders of entry."""

import json
from random import Random

import pytest

from ewerer.core.devices.codec import canonical_text, decode, encode, factory_shown
from ewerer.core.devices.library import Library, parse_job, parse_profile, shipped_library
from ewerer.core.devices.model import DeviceModel, Refusal
from ewerer.core.documents.profiles import AdapterProfile
from ewerer.core.flow.results import simulate
from ewerer.core.pages.cable import cable_page, runs_of
from ewerer.core.plan import device_ids, find_sheet, plan
from ewerer.core.stages.pipeline import solve
from ewerer.core.stages.sheet.found import parse_found, planned_entries
from ewerer.core.trade.errors import DocumentError
from ewerer.core.visit.working_list import order_of, unit_order
from tests.adversary import Box, random_found
from tests.jobs import DEMO, FENWICK, HERON, NAMES, OSTRAND, SKERRY, changed, data, hand_written, inline, plan_of, rules
from tests.sizes import size

LIBRARY = shipped_library()
SHED = {
    "ewerer": "job/1",
    "name": "Shed",
    "site": {"sources": ["sun"]},
    "bank": {"modules": [{"id": f"K{i}", "profile": "kelder-24-230", "resting_v": 26.4} for i in range(2)]},
    "link": {"adapter": "quillet-rv"},
    "sun": {"chargers": [{"id": "S1", "profile": "lanthe-s85", "array_w": 2400}]},
}


def entries(made, id):
    return {r.setting: r.entry for r in next(s for s in (*made.units, *made.devices) if s.id == id).settings}


def with_profile(id, edit):
    """Return a library in which a shipped profile is edited."""
    shape = json.loads(next(p for p in LIBRARY if p.id == id).model_dump_json(by_alias=True, exclude_unset=True))
    edit(shape)
    return Library([*LIBRARY, parse_profile(json.dumps(shape))])


def planned(job, library=LIBRARY):
    return plan(parse_job(json.dumps(job), library), library)


# Sun chargers


@pytest.mark.parametrize(
    ("chemistry", "cells", "code"),
    [
        ("lfp", 4, "41"),
        ("lfp", 8, "42"),
        ("lfp", 15, "43"),
        ("lfp", 16, "44"),
        ("lfp", 10, "40"),
        ("agm", 12, "12"),
        ("nmc", 7, "0"),
    ],
)
def test_the_type_code_follows_chemistry_and_cells(chemistry, cells, code):
    module = inline("A", chemistry=chemistry, series_cells=cells, cell_min_v=1.75 if chemistry == "agm" else 2.8)
    module["cell_max_v"] = {"lfp": 3.65, "agm": 2.5, "nmc": 4.2}[chemistry]
    job = SHED | {"bank": {"modules": [module]}, "link": {}}
    assert float(entries(planned(job), "S1")["kind"]) == float(code)


def test_a_code_that_the_menu_cannot_show_is_said_not_entered():
    library = with_profile("lanthe-s85", lambda p: p["battery_type_codes"].update({"lfp-8": "nine"}))
    sheet = planned(SHED, library).devices[0]
    assert "kind" not in {r.setting for r in sheet.settings}
    assert "cannot be entered" in next(x.why for x in sheet.leave_alone if x.setting == "kind")


def test_a_job_of_a_sun_charger_alone_is_planned():
    made = planned(SHED)
    assert made.worst() != "stop" and not made.units
    assert made.link.protocol == "lanthe-bus 1" and made.link.adapter.protocol == "rv-c 1"
    assert {w.signal for w in made.link.cable.wires} == {"485-A", "485-B"}
    assert {w.signal for w in made.link.adapter.cable.wires} == {"CAN-H", "CAN-L"}
    shown = entries(made, "S1")
    assert shown["top"] == "27.6" and shown["speech"] == "07" and shown["twin"] == "Off"
    assert unit_order(parse_job(json.dumps(SHED)), "S1").blocked is None


def test_without_adapter_or_follows_a_charger_is_open_loop():
    alone = planned(SHED | {"link": {}})
    assert alone.link.loop == "open" and [c.follows for c in alone.link.chargers] == [False]
    assert "speech" not in entries(alone, "S1")
    deaf = with_profile("lanthe-s85", lambda p: p.update(follows=[], protocols=[]))
    assert [c.follows for c in planned(SHED, deaf).link.chargers] == [False]


def test_the_first_charger_leads_and_the_others_follow_it():
    made = plan_of(FENWICK)
    one, two = made.link.chargers
    assert (one.through, two.through) == ("bms", "host") and one.cable is not None and two.cable is None
    assert entries(made, "S1")["twin"] == "Leads" and entries(made, "S2")["twin"] == "Trails"
    assert entries(made, "S1")["number"] == "1" and entries(made, "S2")["number"] == "2"


def test_a_charger_gets_its_part_of_the_bank_and_no_more():
    job = changed(FENWICK, controller=None)
    made = plan_of(job)
    typed = sum(r.value for s in made.devices for r in s.settings if r.quantity == "sun_charge_max_a")
    parts = sum(r.value for u in made.units for r in u.settings if r.quantity == "charge_max_a")
    assert typed + parts <= made.limits.charge.bank_a + 1e-6
    assert typed <= sum(s.a for s in made.limits.charge.units if s.kind == "sun-charger") + 1e-6


def test_an_own_entry_of_a_charger_is_judged_like_a_units():
    high = planned(changed(FENWICK, extra_entries={"S1": {"top": "29.9"}}))
    assert any(f.rule == "entry-within-cells" and f.at == "/extra_entries/S1/top" for f in high.findings)
    much = planned(
        changed(FENWICK, controller=None, extra_entries={"S1": {"amps": "85"}, "S2": {"amps": "85"}, "EAST": {"rate": "100"}})
    )
    assert "entry-sum" in rules(much)


def test_what_a_charger_was_found_to_show_is_judged():
    made = planned(changed(FENWICK, as_found={"S1": {"top": "29.6", "stir": "On", "lift": "-4.0"}}))
    assert {"found-overcharge", "found-equalising", "found-compensation"} <= rules(made)
    assert [f.planned for f in made.found["S1"]] == ["27.6", "Off", "0.0"]


# Arrays


def test_arrays_are_held_against_volts_trackers_and_watts():
    assert "sun-array-voltage" not in rules(plan_of(FENWICK))
    hot = plan_of(changed(FENWICK, sun__chargers__0__array_v=145.5))
    told = next(f for f in hot.findings if f.rule == "sun-array-voltage")
    assert told.severity == "stop" and told.at == "/sun/chargers/0/array_v" and "145 V" in told.message
    assert "sun-array-voltage" in rules(plan_of(changed(OSTRAND, units__0__array_v=1001)))
    big = plan_of(changed(OSTRAND, units__0__array_w=23000, units__0__strings=3))
    assert [f.numbers for f in big.findings if f.rule == "sun-array-trackers"] == [
        {"array_w": 23000.0, "trackers_w": 22000.0},
        {"strings": 3, "trackers": 2},
    ]
    none = plan_of(changed(SKERRY, units__0__array_w=3000))
    assert any(f.rule == "sun-array-trackers" and f.severity == "caution" for f in none.findings)


def test_an_array_on_a_units_own_trackers_gives_sun_in_the_simulation():
    with_arrays = simulate(parse_job(json.dumps(data(OSTRAND))), LIBRARY, days=2).ledger.sun_kwh
    bare = changed(OSTRAND, units__0__array_w=None, units__1__array_w=None)
    assert with_arrays > 30 and simulate(parse_job(json.dumps(bare)), LIBRARY, days=2).ledger.sun_kwh == 0


# Modules


def test_the_batterys_own_menu_agrees_with_the_inverters():
    made = plan_of(OSTRAND)
    tower, unit = entries(made, "T1"), entries(made, "V1")
    assert tower["talk"] == "P04" and unit["store-bus"] == "4", "the protocol number on both ends"
    assert float(tower["ask"]) == float(unit["top"]) == 448.0 == made.link.displays[0].charge_v
    assert tower["in"] == "45" and tower["out"] == "70", "the lower of sheet and warranty"
    assert [entries(made, t)["place"] for t in ("T1", "T2")] == [str(m.address) for m in made.link.addresses.modules] == ["1", "2"]
    assert entries(made, "T1")["lead"] == "First" and entries(made, "T2")["lead"] == "Behind"


def test_an_own_absorption_is_asked_for_by_the_battery_too():
    """Inside the module's recommended range; outside it the battery stays at its end of the range."""
    made = plan_of(changed(OSTRAND, policy__own_figures={"absorb_v": 444}))
    assert entries(made, "T1")["ask"] == "444.0" and entries(made, "V1")["top"] == "444"
    high = plan_of(changed(OSTRAND, policy__own_figures={"absorb_v": 463}))
    assert float(entries(high, "T1")["ask"]) <= 3.55 * 128 and "own-figure-refused" in rules(high)


def test_open_loop_leaves_the_protocol_of_the_module_alone():
    made = plan_of(changed(OSTRAND, policy__loop="open"))
    assert "talk" not in entries(made, "T1") and entries(made, "T1")["cold"] == "0"


# The controller


def test_a_controller_holds_the_bank_and_chargers_keep_their_maxima():
    made = plan_of(FENWICK)
    assert float(entries(made, "HUB")["in"]) == int(made.limits.charge.bank_a)
    assert entries(made, "EAST")["rate"] == "100" and {s.a for s in made.limits.charge.units if s.kind == "sun-charger"} == {85.0}
    told = next(f for f in made.findings if f.rule == "controller-caps")
    assert told.numbers["metered"] is False and f"{made.limits.charge.bank_a - 12:g} A" in told.message
    metered = plan_of(changed(FENWICK, controller__meters_dc_loads=True))
    assert next(f for f in metered.findings if f.rule == "controller-caps").numbers["metered"] is True and "dc-loads" not in rules(
        metered
    )
    divided = plan_of(changed(FENWICK, controller=None))
    assert sum(s.a for s in divided.limits.charge.units) <= divided.limits.charge.bank_a


def test_a_controller_without_a_cap_is_said_to_hold_nothing():
    library = with_profile("marl-hub", lambda p: p.update(settings=p["settings"][1:]))
    told = next(f for f in planned(data(FENWICK), library).findings if f.rule == "controller-caps")
    assert told.severity == "caution" and "nothing" in told.title


# By plate


def plate(dice):
    class_v = dice.choice([12, 24, 48, 48, 48, 400])
    takes = dice.sample(
        [
            "absorb_v",
            "float_v",
            "shutdown_v",
            "alarm_v",
            "restart_v",
            "unit_off_v",
            "charge_max_a",
            "mains_charge_max_a",
            "discharge_max_a",
            "absorb_min",
            "equalise_on",
            "temp_comp_mv_per_c",
            "shutdown_soc",
            "gen_quiet_from",
        ],
        dice.randint(1, 10),
    )
    shape = {"continuous_w": dice.choice([800, 3000, 5000]), "charge_max_a": dice.choice([20, 60, 100]), "class_v": class_v}
    if dice.random() < 0.5:
        shape |= {"takes": takes, "step_v": dice.choice([0.05, 0.1, 0.5, 1]), "step_a": dice.choice([0.5, 1, 5])}
    cells = {12: 4, 24: 8, 48: 16, 400: 125}[class_v]
    return shape, hand_written(inline("A", series_cells=cells), units=[{"id": "U1", "plate": shape}])


@pytest.mark.parametrize("seed", range(size(20, 60)))
def test_units_by_plate_are_planned_within_the_rules(seed):
    shape, job = plate(Random(f"plate {seed}"))
    made = planned(job)
    assert made.bank is not None
    if not made.units:
        assert made.worst() == "stop"
        return
    n, rows = made.bank.series_cells, {r.quantity: r for r in made.units[0].settings}
    assert len(rows) == len(made.units[0].settings), "each quantity once"
    left = {x.setting.replace("-", "_") for x in made.units[0].leave_alone}
    assert set(shape.get("takes") or ("absorb_v", "float_v")) <= set(rows) | left, "none vanishes"
    stopped = {f.rule for f in made.findings if f.severity == "stop"}
    if "absorb_v" in rows and not stopped:
        assert rows["absorb_v"].value <= n * made.bank.cell_max_v - 0.3 / 16 * n - 0.03 * n + 1e-6
    if "shutdown_v" in rows and not stopped:
        assert rows["shutdown_v"].value >= n * (made.bank.cell_min_v + 0.0625) - 1e-6
    if "charge_max_a" in rows and not stopped:
        assert rows["charge_max_a"].value <= min(made.limits.charge.bank_a, shape["charge_max_a"]) + 1e-6


def test_a_plate_takes_the_compensation_of_a_high_voltage_lead_acid_string():
    """180 cells of gel at -5 mV/°C are -900 mV/°C; the menu of a plate shows that whole."""
    module = inline("G", chemistry="gel", series_cells=180, cell_max_v=2.45, cell_min_v=1.8)
    unit = {"continuous_w": 20000, "charge_max_a": 40, "class_v": 360, "takes": ["absorb_v", "temp_comp_mv_per_c"]}
    made = planned(hand_written(module, units=[{"id": "X1", "plate": unit}]))
    assert entries(made, "X1")["temp-comp-mv-per-c"] == "-900"


def test_a_plate_or_a_profile_not_both_nor_none():
    for unit, said in (
        ({"id": "U1"}, "either a profile or a plate"),
        ({"id": "U1", "profile": "orrowan-t8", "plate": {"continuous_w": 3000, "charge_max_a": 50}}, "do not go together"),
        (
            {"id": "U1", "plate": {"continuous_w": 3000, "charge_max_a": 50, "takes": ["absorb_v", "shine"]}},
            "shine is not a quantity",
        ),
        (
            {"id": "U1", "plate": {"continuous_w": 3000, "charge_max_a": 50, "battery_v_min": 70}},
            "the lowest battery volts must be below",
        ),
    ):
        with pytest.raises(DocumentError) as refused:
            parse_job(json.dumps(changed(SKERRY, units=[unit])), LIBRARY)
        assert said in str(refused.value)


def test_equal_plates_are_one_model_and_different_ones_are_not():
    unit = {"plate": {"continuous_w": 3000, "charge_max_a": 50, "ac_volts": 230}}
    same = [{"id": "A", **unit}, {"id": "B", "role": "follower", **unit}]
    assert "units-same-model" not in rules(plan_of(changed(SKERRY, units=same)))
    other = [same[0], same[1] | {"plate": unit["plate"] | {"charge_max_a": 60}}]
    assert "units-same-model" in rules(plan_of(changed(SKERRY, units=other)))


# Choices by facts, codes, factory texts


def three_phase():
    phases = ("L1", "L2", "L3")
    units = [
        {"id": f"H{i}", "profile": "wendle-hy6", "role": "host" if i == 0 else "follower", "firmware": "31", "phase": phases[i % 3]}
        for i in range(6)
    ]
    return changed(HERON, site__ac__topology="three", units=units, mains__loads_while_charging_w=0)


def test_topology_phase_and_place_choose_together():
    made = plan_of(three_phase())
    assert [entries(made, f"H{i}")["wave"] for i in range(6)] == [
        *("Wave 1 leads", "Wave 2 leads", "Wave 3 leads"),
        *("Wave 1 joins", "Wave 2 joins", "Wave 3 joins"),
    ]


def test_a_choice_by_firmware():
    assert entries(plan_of(HERON), "H1")["purpose"] == "Whole house"
    old = changed(HERON, units__0__firmware="27", units__1__firmware="27")
    assert entries(plan_of(old), "H1")["purpose"] == "All circuits"


def test_a_fact_that_no_key_fits_leaves_the_choice_and_says_so():
    def edit(p):
        s = next(x for x in p["settings"] if x["id"] == "purpose")
        s["encoding"]["choices"] = {"zero-export/2*": "All circuits"}
        s["factory"] = "All circuits"

    made = planned(data(HERON), with_profile("wendle-hy6", edit))
    assert "choice-missing" in rules(made) and "purpose" not in entries(made, "H1")


@pytest.mark.parametrize(("typed", "shown"), [("44", "44"), ("044", "44"), ("44.0", "44"), (" 44 ", "44")])
def test_numeric_codes_match_as_numbers(typed, shown):
    shape = {"kind": "choice", "choices": {"user": "44", "protocol": "7"}}
    library = with_profile(
        "orrowan-t8", lambda p: next(s for s in p["settings"] if s["id"] == "store-kind").update(encoding=shape, factory="044")
    )
    profile = next(p for p in library if p.id == "orrowan-t8")
    s = next(x for x in profile.settings if x.id == "store-kind")
    assert decode(s, typed, profile) == "user" and canonical_text(s, typed, profile) == shown
    assert factory_shown(profile)["store-kind"] == shown


def test_factory_texts_are_read_as_the_display_writes_them():
    def edit(p):
        for s in p["settings"]:
            if s["id"] == "fill-volts":
                s["factory"] = "56,4 V"

    profile = next(p for p in with_profile("orrowan-t8", edit) if p.id == "orrowan-t8")
    assert DeviceModel(profile).start({}).shown["fill-volts"] == "56.4"


# Order of entry, on every device of every demo


def devices():
    out = []
    for name in NAMES:
        solved = solve(parse_job((DEMO / f"{name}.json").read_bytes(), LIBRARY), LIBRARY)
        seen = set()
        for d in solved.devices:
            if (d.profile.id, d.role) not in seen:
                seen.add((d.profile.id, d.role))
                out.append((name, d.id))
    return out


STATES = size(3, 12)


@pytest.mark.parametrize(("name", "id"), devices())
def test_the_order_ends_in_the_sheet_from_factory_and_from_random_states(name, id):
    """Replayed on a device restated in tests/adversary: nothing is refused, and all that is planned is shown at the end."""
    job = parse_job((DEMO / f"{name}.json").read_bytes(), LIBRARY)
    job = job.model_copy(update={"as_found": {}})
    device = next(d for d in solve(job, LIBRARY).devices if d.id == id)
    shape = json.loads(device.profile.model_dump_json(by_alias=True, exclude_none=True))
    for seed in range(STATES + 1):
        found = random_found(seed, shape) if seed else {}
        solved = solve(job.model_copy(update={"as_found": {id: found}}), LIBRARY)
        target = planned_entries(device, solved)
        order = order_of(device, solved, target)
        model = DeviceModel(device.profile)
        state = model.start(found, order.mode, "installer")
        box = Box(shape, factory_shown(device.profile) | found, order.mode)
        for step in order.steps:
            if step.kind == "entry":
                after = model.write(state, step.setting, step.enter)
                assert not isinstance(after, Refusal), (seed, after)
                state = after
                assert box.refuses(step.setting, step.enter) == "", (seed, step.setting)
        off = [k for k, text in target.items() if box.shown.get(k) != text]
        needed = {r.setting for r in solved.sheets[id].settings if r.needed_by}
        assert order.blocked is not None or set(off) <= needed, (seed, off)


# Files


def test_every_device_has_a_sheet_an_order_and_reads_what_was_found():
    job = parse_job((DEMO / f"{FENWICK}.json").read_bytes(), LIBRARY)
    made = plan(job, LIBRARY)
    assert device_ids(job) == ["EAST", "WEST", "S1", "S2", "K1", "K2", "K3", "HUB"]
    for id in device_ids(job):
        assert find_sheet(job, made, id).settings and unit_order(job, id, LIBRARY).writes
    read, problems = parse_found(LIBRARY.menu("lanthe-s85"), 'setting,value\ntop,"28,8 V"\nKind,042\nstir,On\nfrost,99\n')
    assert read == {"top": "28.8", "kind": "42", "stir": "On"} and len(problems) == 1
    with pytest.raises(DocumentError, match="no such unit"):
        find_sheet(job, made, "S9")


@pytest.mark.parametrize(
    ("id", "edit", "said"),
    [
        ("quillet-rv", lambda p: p.update(device_side=[{**p["device_side"][0], "port": "a"}]), "one port cannot face both"),
        ("lanthe-s85", lambda p: p.update(follows=["other"]), "is not among its protocols"),
        (
            "wendle-hy6",
            lambda p: next(s for s in p["settings"] if s["id"] == "wave")["encoding"].update(by=["phase"]),
            "needs the value and one part",
        ),
        ("marl-hub", lambda p: p["settings"][0].update(slot={"kind": "charge", "no": 1, "field": "from"}), "not both"),
        (
            "brackwater-m5",
            lambda p: next(s for s in p["settings"] if s["id"] == "t-fill-a")["slot"].update(field="on"),
            "is written as on-off",
        ),
        ("corrie-tower-128", lambda p: p["ocv"].reverse(), "from charge 0 to 1"),
        ("corrie-tower-128", lambda p: p["ocv"][3].update(cell_v=3.0), "must rise"),
    ],
)
def test_profiles_that_contradict_themselves_are_refused(id, edit, said):
    with pytest.raises(DocumentError) as refused:
        with_profile(id, edit)
    assert said in str(refused.value)


def test_an_adapter_or_controller_that_is_not_there_is_refused_by_place():
    for change, at in (({"link__adapter": "none"}, "/link/adapter"), ({"controller__profile": "none"}, "/controller/profile")):
        with pytest.raises(DocumentError) as refused:
            parse_job(json.dumps(changed(FENWICK, **change)), LIBRARY)
        assert refused.value.problems[0].pointer == at
    assert isinstance(LIBRARY.get("quillet-rv", AdapterProfile), AdapterProfile)


def test_encode_by_facts_needs_them():
    profile = next(p for p in LIBRARY if p.id == "wendle-hy6")
    s = next(x for x in profile.settings if x.id == "wave")
    with pytest.raises(KeyError):
        encode(s, "three", profile, {"phase": "", "place": "1"})
    assert encode(s, "alone", profile, {}).text == "One unit"


def test_the_cable_card_has_a_drawing_for_every_cable():
    """Straight to the unit; from the battery to the adapter and on to the charger that leads."""
    runs = runs_of(plan_of(FENWICK).link)
    assert [(r.near, r.far) for r in runs] == [("BMS", "unit"), ("BMS", "Quillet RV"), ("Quillet RV", "charger S1")]
    assert {w.signal for w in runs[2].cable.wires} == {"485-A", "485-B"}
    shed = runs_of(planned(SHED).link)
    assert [(r.near, r.far) for r in shed] == [("BMS", "Quillet RV"), ("Quillet RV", "charger")]
    assert cable_page(parse_job(json.dumps(SHED)), planned(SHED)).startswith(b"%PDF")
    with pytest.raises(DocumentError, match="no cable"):
        cable_page(parse_job(json.dumps(SHED)), planned(SHED | {"link": {}}))
