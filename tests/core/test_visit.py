"""As found: read, decoded, judged; the working list of a unit; agreement, presets, read-back."""

import json

import pytest

from ewerer import cli
from ewerer.core.devices.library import Library, parse_job, parse_profile, shipped_library
from ewerer.core.devices.model import DeviceModel, Refusal
from ewerer.core.pages.checklist import checklist_page
from ewerer.core.pages.sheet import sheet_page
from ewerer.core.plan import plan
from ewerer.core.record.run import run_of
from ewerer.core.stages.sheet.found import parse_found
from ewerer.core.trade.errors import DocumentError
from ewerer.core.visit.tryout import try_value, try_writes
from ewerer.core.visit.working_list import unit_order
from tests.found import found
from tests.jobs import DEMO, LARCH, NAMES, SKERRY, TARN, changed, data, job_of, plan_of, rules
from tests.sizes import size

PROFILES = {p.id: p for p in shipped_library()}
ORROWAN, HEXLEY = PROFILES["orrowan-t8"], PROFILES["hexley-pr3"]


# Reading


@pytest.mark.parametrize(
    "text",
    [
        "setting,value\nfill-volts,56.4\njudge,Volts\n",
        "Setting,Value\r\nfill-volts,56.4\r\njudge,volts\r\n",
        '{"fill-volts": 56.4, "judge": "Volts"}',
        "fill-volts\t56.4\njudge\tVolts",
        "Fill to: 56.4\nJudge store by: Volts",
        "Storage > Filling > Fill to = 56,4 V\nJudge store by = Volts",
        "\ufefffill-volts;56.40\n\njudge;VOLTS\n",
    ],
)
def test_lists_are_read_in_many_forms(text):
    values, problems = parse_found(ORROWAN, text)
    assert values == {"fill-volts": "56.4", "judge": "Volts"} and problems == []


def test_lines_that_cannot_be_read_are_told_and_the_rest_is_kept():
    values, problems = parse_found(ORROWAN, "setting,value\nfill-volts,560\nghost,1\njudge,Maybe\nlow-out,46\n")
    assert values == {"low-out": "46.0"}
    assert [p.pointer for p in problems] == ["line 2", "line 3", "line 4"]
    assert "48 to 61 V in steps of 0.1" in problems[0].expected and "one of Volts, Percent" in problems[2].expected


@pytest.mark.parametrize("text", ["{", b"\xff\xfe\xff", "x" * 3_000_000])
def test_what_is_no_list_is_refused(text):
    with pytest.raises(DocumentError):
        parse_found(ORROWAN, text)


def test_times_are_read():
    assert parse_found(HEXLEY, "hold-time = 01:30")[0] == {"hold-time": "01:30"}


# Judging


@pytest.mark.parametrize(
    ("values", "rule", "severity", "words"),
    [
        ({"fill_volts": "60.0"}, "found-overcharge", "stop", "60 V; 16 cells bear 58.4 V"),
        ({"fill_volts": "58.2"}, "found-overcharge", "caution", "with room for overshoot and spread"),
        ({"level_on": "On", "level_volts": "62.0"}, "found-equalising", "stop", "Left from lead-acid: 62 V"),
        ({"level_on": "On", "level_volts": "56.0"}, "found-equalising", "caution", "56 V"),
        ({"warm_slope": "-90", "fill_volts": "56.4"}, "found-compensation", "caution", "at 5 °C it would charge to 58.2 V"),
        ({"warm_slope": "-150", "fill_volts": "56.4"}, "found-compensation", "stop", "59.4 V"),
        ({"store_kind": "Lead A"}, "found-battery-type", "caution", "follow that type"),
        ({"fill_volts": "52.0"}, "found-undercharge", "caution", "never full"),
        ({"low_warn": "52.6"}, "found-alarm-in-range", "caution", "52.6 V stands for"),
        ({"low_out": "42.0"}, "found-shutdown-low", "stop", "below the BMS cut-off at 43.2 V"),
        ({"low_warn": "46.0", "low_out": "47.0"}, "found-reversed", "caution", "Alarm 46 V, shut-down 47 V"),
        ({"rest_volts": "56.0", "fill_volts": "55.0"}, "found-reversed", "caution", "Absorption 55 V, float 56 V"),
        ({"order": "Grid first", "to_grid": "48.0"}, "found-idle", "note", "Go to grid at works only if"),
        ({"fill_amps": "160"}, "found-overcurrent", "caution", "U1 160 A"),
        ({"fill_volts": "999"}, "found-unreadable", "note", "outside 48 to 61 V"),
    ],
)
def test_found_settings_are_judged_as_a_plan(values, rule, severity, words):
    made = plan_of(found(**values))
    one = next(f for f in made.findings if f.rule == rule)
    assert one.severity == severity and words in one.message
    assert one.at.startswith("/as_found/U1/")


def test_another_cell_count_is_a_stop():
    """Rule found-cell-count: a unit that counts cells was left at 15 on a bank of 16."""
    profile = json.loads(ORROWAN.model_dump_json(by_alias=True, exclude_unset=True))
    profile["settings"].append(
        {"id": "cells", "menu": ["Storage"], "label": "Cells", "quantity": "series_cells", "min": 4, "max": 20, "step": 1}
    )
    library = Library([*shipped_library(), parse_profile(json.dumps(profile))])

    def made(count):
        return plan(parse_job(json.dumps(changed(SKERRY, as_found={"U1": {"cells": count}})), library), library)

    wrong = next(f for f in made("15").findings if f.rule == "found-cell-count")
    assert wrong.severity == "stop" and wrong.numbers == {"found": 15.0, "cells": 16}
    assert "found-cell-count" not in rules(made("16"))


def test_what_fits_is_quiet():
    planned = {r.setting: r.entry for r in plan_of(SKERRY).units[0].settings}
    job = data(SKERRY)
    job["as_found"] = {"U1": planned}
    made = plan_of(job)
    assert not {r for r in rules(made) if r.startswith("found-")}
    assert all(f.same for f in made.found["U1"] if f.planned is not None)
    order = unit_order(job_of(job), "U1")
    assert order.writes == 0 and order.steps == []


def test_unknown_settings_are_named():
    assert "no setting ghost" in next(f for f in plan_of(found(ghost="1")).findings if f.rule == "found-unreadable").message


def test_parallel_units_are_laid_side_by_side():
    made = plan_of(LARCH)
    rows = {r.setting: r for r in made.agreement}
    assert rows["bulk"].agrees is False and rows["bulk"].shown == {"LEFT": "28.4", "RIGHT": "28.8"}
    assert rows["hold"].agrees is True and rows["stack"].agrees is None and rows["stack"].text == "each its own"
    finding = next(f for f in made.findings if f.rule == "units-agree")
    assert {"bulk", "eq", "screen"} <= set(finding.numbers["settings"])


def test_copying_makes_entries_and_changes_nothing_silently():
    job = data(LARCH)
    job["extra_entries"] = {"RIGHT": {"screen": "5"}}
    made = plan_of(job)
    left, right = made.units
    assert "screen" not in {r.setting for r in left.settings}
    row = next(r for r in right.settings if r.setting == "screen")
    assert row.entry == "5" and row.note.startswith("Own entry")
    assert any(s.setting == "screen" and s.shows == "10" and s.enter == "5" for s in unit_order(job_of(job), "RIGHT").steps)
    job["extra_entries"] = {"RIGHT": {"screen": "999"}}
    assert any("cannot be entered" in x.why for x in plan_of(job).units[1].leave_alone)


def test_presets_are_judged_by_the_same_rules():
    verdict = plan_of(SKERRY).presets[0]
    assert verdict.preset == "Lead A" and not verdict.fits
    assert {m.quantity for m in verdict.misfits} == {"shutdown_v", "alarm_v", "temp_comp_mv_per_c", "unit_off_v"}
    assert "44.2 to" in next(m.text for m in verdict.misfits if m.quantity == "shutdown_v")


def test_a_preset_that_fits_does():
    profile = json.loads(ORROWAN.model_dump_json(by_alias=True, exclude_unset=True))
    profile["presets"] = [
        {
            "name": "Lithium",
            "sets": {
                "absorb_v": 55.2,
                "float_v": 53.6,
                "shutdown_v": 46.0,
                "temp_comp_mv_per_c": 0,
                "unit_off_v": 43.5,
                "alarm_v": 47,
            },
        },
        {"name": "Half", "sets": {"absorb_v": 55.2, "float_v": 53.6, "shutdown_v": 46.0, "temp_comp_mv_per_c": 0}},
        {"name": "Turned", "sets": {"absorb_v": 53.6, "float_v": 54.0, "shutdown_v": 46.0, "unit_off_v": 43.5}},
    ]
    from ewerer.core.devices.library import Library, parse_profile
    from ewerer.core.plan import plan

    whole, half, reversed_ = plan(job_of(SKERRY), Library([*shipped_library(), parse_profile(json.dumps(profile))])).presets
    assert whole.fits
    assert not half.fits and any("stays at 40 V from the factory" in m.text for m in half.misfits), "what it leaves counts too"
    assert not reversed_.fits and any("below float" in m.text for m in reversed_.misfits)


def test_read_back_is_judged():
    marks = {
        "U1": {
            "fill-volts": {"state": "done", "read_back": "55.20"},
            "low-out": {"state": "done", "read_back": "44.0"},
            "judge": {"state": "done", "read_back": "?"},
        }
    }
    made = plan_of(changed(SKERRY, sheet_marks=marks))
    told = {r.key: r for r in made.readbacks["U1"]}
    assert told["fill-volts"].ok
    assert not told["low-out"].ok and told["low-out"].text == "it shows 44.0 V, the sheet says 45.7 V"
    assert not told["judge"].ok
    assert sum(f.rule == "read-back-differs" for f in made.findings) == 2


# The working list


def replay(job, order):
    profile = next(p for p in shipped_library() if p.id == order.profile)
    model = DeviceModel(profile)
    found = job.as_found.get(order.unit, {})
    state = model.start(found, order.mode, "installer" if any(s.key == "action.level" for s in order.steps) else "user")
    for step in order.steps:
        if step.kind == "entry":
            assert state.shown.get(step.setting) == step.shows
            state = model.write(state, step.setting, step.enter)
            assert not isinstance(state, Refusal), state
    return state.shown


@pytest.mark.parametrize("name", NAMES)
def test_every_emitted_list_is_taken_by_the_unit_and_ends_in_the_plan(name):
    job = job_of(name)
    for sheet in plan_of(name).units:
        order = unit_order(job, sheet.id)
        assert order.proven and order.blocked is None
        shown = replay(job, order)
        assert {r.setting: shown[r.setting] for r in sheet.settings} == {r.setting: r.entry for r in sheet.settings}
        assert len({s.key for s in order.steps}) == len(order.steps)


def test_found_dangerous_the_first_steps_make_safe():
    order = unit_order(job_of(found(level_on="On", level_volts="62.0", fill_volts="60.0")), "U1")
    assert order.steps[0].key == "action.mode" and "found dangerous: Levelling" in order.steps[0].label
    entries = [s for s in order.steps if s.kind == "entry"]
    assert [s.setting for s in entries[:2]] == ["level-on", "level-volts"] and entries[0].why.startswith("first, it ends a danger")
    assert order.steps[-1].key == "action.resume"


def test_harmless_changes_need_no_standby():
    planned = {r.setting: r.entry for r in plan_of(SKERRY).units[1].settings}
    job = data(SKERRY)
    job["as_found"] = {"U2": planned | {"refresh-days": "14"}}
    order = unit_order(job_of(job), "U2")
    assert order.mode == "on" and [s.setting for s in order.steps] == ["refresh-days"]


def declared(**noted):
    job = changed(SKERRY, policy__new_bank=True, bank__shunt_a=500)
    planned = {r.setting: r.entry for r in plan_of(job).units[0].settings}
    job["as_found"] = {"U1": planned | {"new-store": "No"} | {k.replace("_", "-"): v for k, v in noted.items()}}
    return job, planned


def test_declaring_a_new_bank_comes_before_what_it_resets():
    job, _planned = declared(store_ah="200", shunt="0")
    entries = [s for s in unit_order(job_of(job), "U1").steps if s.kind == "entry"]
    order = [s.setting for s in entries]
    assert order.index("new-store") < min(order.index(x) for x in ("fill-amps", "shunt", "level-now"))
    reset = {r.label: r for r in entries[order.index("new-store")].resets}
    assert reset["Fill amps, all sources"].to == "20" and reset["Fill amps, all sources"].planned
    assert {r.setting: r.entry for r in plan_of(job).units[0].settings}["shunt"] == "500"


def test_a_new_bank_is_not_declared_where_everything_fits_already():
    job, _ = declared()
    assert "new-store" not in {s.setting for s in unit_order(job_of(job), "U1").steps}


def test_impossible_entries_are_named_with_the_nearest():
    job = data(SKERRY)
    job["extra_entries"] = {"U1": {"low-warn": "45.9"}}
    order = unit_order(job_of(job), "U1")
    assert order.blocked.rules == ["low-warn - low-out >= 0.5"]
    near = order.blocked.nearest[0]
    assert near.label in ("Low warning", "Output stops at") and near.nearest != near.wanted


def test_no_list_without_a_sheet():
    with pytest.raises(DocumentError, match="no sheet can be made yet"):
        unit_order(job_of(changed(SKERRY, bank__modules=[])), "U1")
    with pytest.raises(DocumentError, match="one of U1, U2"):
        unit_order(job_of(SKERRY), "U7")


def test_order_on_the_command_line(tmp_path, capsys):
    path = tmp_path / "found.csv"
    path.write_text("setting,value\nstore-kind,Lead A\nlevel-on,On\n")
    job = str(DEMO / f"{SKERRY}.json")
    assert cli.main(["order", job, "--unit", "U1", "--as-found", str(path)]) == 0
    made = json.loads(capsys.readouterr().out)
    assert made["ewerer"] == "order/1" and made["noted"] == 2 and not made["assumed"]
    path.write_text("setting,value\nstore-kind,Plutonium\n")
    assert cli.main(["order", job, "--unit", "U1", "--as-found", str(path)]) == 2
    assert "line 2" in capsys.readouterr().err
    assert cli.main(["order", job, "--unit", "U9", "--as-found", str(path)]) == 2


@pytest.mark.parametrize("paper", ["A4", "Letter"])
def test_sheet_as_pdf(tmp_path, paper):
    import pypdfium2

    out = tmp_path / "u.pdf"
    assert cli.main(["sheet", str(DEMO / f"{TARN}.json"), "--unit", "P1", "--format", "pdf", "--paper", paper, "-o", str(out)]) == 0
    document = pypdfium2.PdfDocument(out)
    text = "".join(p.get_textpage().get_text_range() for p in document)
    for words in ("P1: what to type", "2.30", "V/cell", "Read back", "Leave alone", "licensed"):
        assert words in text
    width, height = document[0].get_size()
    assert (round(width), round(height)) == ((595, 842) if paper == "A4" else (612, 792))


@pytest.mark.parametrize("name", size(NAMES[1:2], NAMES))
def test_every_planned_setting_is_on_paper(name):
    """Those that must read so already too: a second-hand unit is checked, not believed."""
    import pypdfium2

    job, made = job_of(name), plan_of(name)
    squeezed = lambda text: "".join(text.split())  # noqa: E731
    for sheet in made.units:
        page = sheet_page(job, sheet, unit_order(job, sheet.id))
        text = squeezed("".join(p.get_textpage().get_text_range() for p in pypdfium2.PdfDocument(page)))
        assert [r.label for r in sheet.settings if squeezed(r.label) not in text] == []
    lines = {line.label for s in run_of(job).steps for line in s.lines}
    page = checklist_page(run_of(job))
    text = squeezed("".join(p.get_textpage().get_text_range() for p in pypdfium2.PdfDocument(page)))
    assert [x for x in lines if squeezed(x) not in text] == []


# Trying a profile


def test_trying_a_value():
    assert try_value(PROFILES["brackwater-m5"], "v-bulk", "55.3") == {"shown": "2.30 V/cell", "means": "55.2 V", "problem": ""}
    assert try_value(ORROWAN, "pct-out", "12")["shown"] == "12 %"
    assert "cut to the range" in try_value(ORROWAN, "fill-volts", "80")["problem"]
    assert "one of" in try_value(ORROWAN, "judge", "maybe")["problem"]
    assert "not a number" in try_value(ORROWAN, "fill-volts", "much")["problem"]


def test_trying_writes():
    out = try_writes(ORROWAN, [("low-warn", "41"), ("store-kind", "Own values"), ("fill-volts", "abc"), ("ghost", "1")])
    assert [w["taken"] for w in out] == [False, True, False, False]
    assert "at least 0.5" in out[0]["text"] and "takes 48 to 61 V" in out[2]["text"]


# As found by the same rules as the plan, with the job's own margins


def told(found, rule, job=SKERRY, **policy):
    document = changed(job, as_found={"U1": found})
    document["policy"] |= policy
    return next((f for f in plan_of(document).findings if f.rule == rule), None)


@pytest.mark.parametrize(
    ("found", "rule", "severity"),
    [
        ({"fill-hot": "55"}, "found-temperature", "stop"),
        ({"fill-cold": "-10"}, "found-temperature", "stop"),
        ({"fill-hot": "45", "fill-cold": "2"}, "found-temperature", None),
        ({"store-ah": "200"}, "found-capacity", "caution"),
        ({"store-ah": "840"}, "found-capacity", None),
        ({"fill-volts": "56.0", "rest": "Off", "refill": "56.0"}, "found-recharge", "caution"),
        ({"fill-volts": "56.0", "rest": "On", "rest-volts": "53.6", "refill": "53.4"}, "found-recharge", "caution"),
        ({"fill-volts": "56.0", "rest": "On", "rest-volts": "53.6", "refill": "52.4"}, "found-recharge", None),
        ({"low-out": "43.5"}, "found-shutdown-low", "caution"),
        ({"low-off": "42.0"}, "found-shutdown-low", "stop"),
        ({"low-out": "46.0"}, "found-shutdown-low", None),
        ({"pct-warn": "10", "pct-out": "30"}, "found-reversed", "caution"),
        ({"fill-amps-ac": "120"}, "found-ac-overdraw", "caution"),
        ({"fill-amps-ac": "5"}, "found-ac-overdraw", None),
    ],
)
def test_found_values_are_judged_as_the_plan_is(found, rule, severity):
    finding = told(found, rule)
    assert (finding.severity if finding else None) == severity


def test_found_volts_are_held_against_the_measured_margins():
    """57.4 V bears no measured overshoot of 1 V; it does where 0.2 V was measured."""
    assert told({"fill-volts": "57.4"}, "found-overcharge", overshoot_v=1.0).severity == "caution"
    assert told({"fill-volts": "57.4"}, "found-overcharge", overshoot_v=0.2, imbalance_v=0.01) is None


def test_charge_now_is_a_band_where_the_curve_is_flat():
    """LFP moves by 0.1 to 0.15 V a cell between 20 and 90 %: resting volts leave a wide band."""
    job = changed(SKERRY, policy__new_bank=True)
    for m in job["bank"]["modules"]:
        m["resting_v"] = 52.4
    now = plan_of(job).quantities["soc_now"]
    assert now.lowest < now.value < now.highest and now.highest - now.lowest > 0.1
    assert f"{round(now.lowest * 100)} to {round(now.highest * 100)} %" in now.reasons[0].text
