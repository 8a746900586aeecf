"""Each stage changed by hand, with the plan following; the library and its profiles; all at a person's pace."""

import json
import re

import pytest
from playwright.sync_api import expect

from tests.e2e.acts import choose, give_file, more, saved, show, tick
from tests.jobs import FENWICK, LARCH, SKERRY, TARN, changed, data, inline


def nav(page):
    return page.get_by_role("navigation", name="Stages of the work")


# Site, units, bank


def test_a_whole_job_from_nothing_by_hand(signed):
    """From an empty job to a sheet, as on a first day: nothing imported, nothing prepared."""
    page = signed
    page.get_by_role("link", name="New job").click()
    page.get_by_label("Name of the site or job").fill("By hand alone")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Site", level=1)).to_be_visible()
    tick(page, "checkbox", "Mains")
    page.get_by_label("Breaker, per phase").fill("25")
    page.get_by_label("Continuous", exact=True).first.fill("1800")
    show(page, "Bank")
    for _ in range(2):
        page.get_by_role("button", name="Add by nameplate").click()
    page.get_by_label("Resting volts of M1").fill("53.1")
    page.get_by_label("Resting volts of M2").fill("53.12")
    show(page, "Units")
    choose(page, "Model of the new unit", "Orrowan T8")
    page.get_by_role("button", name="Add unit").click()
    page.get_by_role("button", name="Add unit").click()
    expect(page.locator(".el-select", has=page.get_by_role("combobox", name="Role of U2"))).to_contain_text("follower")
    expect(nav(page)).to_contain_text("2 × 8 kW")
    show(page, "Thresholds")
    expect(page.locator('[data-rung="absorb_v"]')).to_be_visible()
    show(page, "Sheet")
    expect(page.locator("[data-step]").first).to_be_visible()
    saved(page)
    page.reload()
    expect(page.locator("[data-step]").first).to_be_visible()


@pytest.mark.long
def test_the_generator_shows_its_budget_when_it_is_there(opened):
    page = opened(TARN, "Site")
    tick(page, "checkbox", "Generator")
    page.locator('[data-pointer="/generator/continuous_w"]').fill("6000")
    expect(page.locator('[data-fold="site:generator"] > summary')).to_contain_text(
        re.compile(r"\d+ W left for charging: \d+ A into the bank")
    )
    show(page, "Sources")
    expect(page.get_by_text("Exhaust kills: run it outdoors.")).to_be_visible()
    show(page, "Site")
    tick(page, "checkbox", "Generator", on=False)
    expect(page.get_by_text(re.compile(r"The\s+generator has"))).to_have_count(0)


def test_a_job_with_nothing_listed_gets_a_sheet_by_its_plates(signed):
    """An unlisted battery, unit and sun charger, key by key: the plan never waits for a profile."""
    page = signed
    page.get_by_role("link", name="New job").click()
    page.get_by_label("Name of the site or job").press_sequentially("Plates")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Site", level=1)).to_be_visible()
    tick(page, "checkbox", "Sun")
    show(page, "Bank")
    page.get_by_role("button", name="Add by nameplate").click()
    show(page, "Units")
    page.get_by_role("button", name="Add by plate").click()
    for path, typed in (("continuous_w", "2600"), ("charge_max_a", "72.5"), ("step_v", "0.2")):
        box = page.locator(f'[data-pointer="/units/0/plate/{path}"]')
        box.click()
        page.keyboard.press("Control+a")
        box.press_sequentially(typed)
        page.keyboard.press("Tab")
    tick(page, "checkbox", "Alarm")
    page.get_by_role("button", name="Add charger by plate").click()
    expect(page.locator("[data-group]")).to_contain_text("U1")
    expect(nav(page)).to_contain_text("1 × 2.6 kW")
    show(page, "Sheet")
    expect(page.locator("[data-step]").filter(has_text="Absorption")).to_contain_text("55.2")
    expect(page.locator("[data-step]").filter(has_text="Alarm")).to_be_visible()
    page.get_by_role("tab", name=re.compile("^S1")).click()
    expect(page.locator("[data-step]").filter(has_text="Charge current from own sun")).to_be_visible()
    page.get_by_role("tab", name="As found").click()
    page.get_by_label(re.compile("^Absorption")).first.fill("57.6")
    page.get_by_role("tab", name="Working list").click()
    expect(page.locator('[data-step="absorb-v"]')).to_contain_text("57.6")


@pytest.mark.long
def test_devices_beside_the_units_are_drawn_linked_and_typed(opened):
    page = opened(data(FENWICK), "Units")
    drawing = page.locator("[data-group]")
    for words in ("EAST", "S2", "HUB", "K1", "to S1: RV CAN to BUS through Quillet RV", "Switch on: EAST and WEST"):
        expect(drawing).to_contain_text(words)
    show(page, "Link")
    expect(page.locator("[data-chargers]")).to_contain_text("S1 obeys the BMS by lanthe-bus 1")
    choose(page, "Adapter at hand", "none")
    expect(page.locator("[data-chargers]")).to_contain_text("S1 keeps its own volts and amps")
    show(page, "Sheet")
    page.get_by_role("tab", name=re.compile("^K2")).click()
    expect(page.locator('[data-step="ask"]')).to_contain_text("27.6")
    with page.expect_download() as download:
        page.get_by_role("tab", name="Checks and files").click()
        page.get_by_role("link", name="CSV", exact=True).click()
    assert b"Asked volts" in download.value.path().read_bytes()
    show(page, "Units")
    page.get_by_role("button", name="Remove the controller").click()
    expect(page.locator('[data-finding="controller-caps"]')).to_have_count(0)


@pytest.mark.long
def test_two_hosts_are_a_stop_and_a_removed_unit_is_gone(opened):
    page = opened(SKERRY, "Units")
    choose(page, "Role of U2", "host")
    expect(page.locator('[data-finding="units-one-host"]')).to_be_visible()
    show(page, "Sheet")
    expect(page.get_by_role("alert").filter(has_text="Do not energise")).to_be_visible()
    show(page, "Units")
    page.get_by_role("button", name="More of U2").click()
    page.get_by_role("button", name="Remove U2").click()
    expect(page.locator('[data-finding="units-one-host"]')).to_have_count(0)
    expect(nav(page)).to_contain_text("1 × 8 kW")


@pytest.mark.long
def test_a_sun_charger_takes_its_part_of_the_limit(opened):
    page = opened(TARN, "Units")
    choose(page, "Model of the new sun charger", "Pilch Sun 60")
    page.get_by_role("button", name="Add sun charger").click()
    row = page.get_by_role("row").filter(has=page.get_by_role("button", name="Remove S1"))
    expect(row).to_contain_text(" A")
    page.get_by_label("Array of S1").fill("900")
    expect(page.locator('[data-finding="sun-takes-all"]')).to_be_visible()
    expect(page.get_by_text("a sun charger must never see panels without a bank")).to_be_visible()


@pytest.mark.long
def test_figures_of_a_module_open_by_themselves_where_one_is_refused(opened):
    page = opened(SKERRY, "Bank")
    page.get_by_role("button", name="Figures of M2").click()
    page.get_by_label("Charge, data sheet", exact=True).fill("90")
    expect(page.locator("[data-bank-figures]")).to_contain_text("M2 reaches its limit first")
    page.get_by_label("Charge, data sheet", exact=True).fill("-1")
    expect(page.get_by_text("All but one field is saved.")).to_be_visible()
    expect(page.get_by_label("Charge, data sheet", exact=True)).to_be_visible()
    page.get_by_label("Charge, data sheet", exact=True).fill("")
    page.get_by_label("Charge, data sheet", exact=True).press("Tab")
    expect(page.get_by_text("All but one field is saved.")).to_have_count(0)
    page.get_by_role("button", name="Figures of M3").click()
    page.get_by_role("button", name="Remove M3").click()
    expect(page.locator("[data-bank-figures]")).to_contain_text("560 Ah")


@pytest.mark.long
def test_a_module_too_far_from_the_others_is_a_stop_with_the_ampere_that_would_flow(opened):
    page = opened(SKERRY, "Bank")
    page.get_by_label("Resting volts of M1").fill("52.1")
    found = page.locator('[data-finding="join-voltage"]')
    expect(found).to_contain_text(" A would flow")
    expect(nav(page)).to_contain_text("840 Ah")
    expect(page.locator("[data-finding].stop").first).to_be_visible()


# Limits, thresholds


@pytest.mark.long
def test_a_reach_of_the_narrows_tells_its_reason(opened):
    page = opened(SKERRY, "Limits")
    why = page.locator("[data-why]")
    expect(why).to_contain_text("Why Chosen rate is 252 A")
    page.get_by_role("option", name=re.compile("^Main fuse: 320 A")).first.click()
    expect(why).to_contain_text("400 A / 1.25, continuous")
    out = page.get_by_role("listbox", name="Out of the bank, chain of limits")
    out.focus()
    page.keyboard.press("End")  # not a key of it
    for _ in range(3):
        page.keyboard.press("ArrowRight")
    expect(why).to_contain_text("Why Units' own limits")
    page.get_by_label("Chosen rate, discharging").fill("0.2")
    expect(page.locator("[data-answer]")).to_contain_text("discharge with at most 168 A")


def test_an_own_figure_is_typed_refused_and_taken_back(opened):
    page = opened(TARN, "Thresholds")
    page.locator('[data-rung="to_mains_v"]').click()
    field = page.get_by_label("Your own figure for to the mains")
    field.fill("60")
    expect(page.locator('[data-finding="own-figure-refused"]')).to_contain_text("53.76 V")
    expect(page.get_by_text("Permitted 44.88 V to 53.76 V in steps of 0.24 V")).to_be_visible()
    page.get_by_role("button", name="Back to the plan's figure").click()
    expect(field).to_have_value("")
    expect(page.locator('[data-finding="own-figure-refused"]')).to_have_count(0)


@pytest.mark.long
def test_schools_move_the_ladder_and_name_what_they_cost(opened):
    page = opened(TARN, "Thresholds")
    rung = page.locator('[data-rung="float_v"]')
    expect(rung).to_have_attribute("aria-valuetext", re.compile("^53.5"))
    page.get_by_role("radiogroup", name="After absorption").get_by_text("Hold").click()
    expect(rung).to_have_attribute("aria-valuetext", re.compile("^55.2"))
    page.get_by_role("radiogroup", name="Charge to").get_by_text("Limit").click()
    expect(page.locator('[data-finding="limit-school"]')).to_be_visible()


@pytest.mark.long
def test_a_reserve_without_room_is_a_finding_that_leads_to_its_field(opened):
    page = opened(changed(TARN, policy__reserve_soc=0.5), "Site")
    found = page.locator('[data-finding="reserve-kept"]')
    expect(found).to_contain_text("The reserve of 50 % is not kept")
    found.get_by_role("button", name=re.compile("^Show ")).click()
    expect(page.get_by_role("heading", name="Thresholds", level=1)).to_be_visible()


def test_rules_that_cannot_hold_together_are_named_with_the_way_out(opened):
    modules = [inline("A", series_cells=16, cell_min_v=3.2, cell_max_v=3.4)]
    page = opened(changed(SKERRY, bank={"modules": modules}, policy__loop="open"), "Thresholds")
    expect(page.locator('[data-finding="ladder-conflict"]')).to_be_visible()
    expect(page.locator("main.stage")).to_contain_text(re.compile("cannot hold together|No set of thresholds fits|would fit"))


# What-if, history, help


def test_a_what_if_is_kept_as_one_step(opened):
    page = opened(SKERRY, "Limits")
    more(page, "Try a what-if")
    page.get_by_label("Chosen rate, charging").fill("0.15")
    page.get_by_label("Chosen rate, discharging").fill("0.3")
    page.get_by_role("button", name="Keep the changes").click()
    saved(page)
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_label("Chosen rate, charging")).to_have_value("0.3")
    expect(page.get_by_label("Chosen rate, discharging")).to_have_value("")


@pytest.mark.long
def test_leaving_a_what_if_asks_first(opened):
    page = opened(SKERRY, "Limits")
    more(page, "Try a what-if")
    page.get_by_label("Chosen rate, charging").fill("0.15")
    page.get_by_role("link", name="Ewerer, all jobs").click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_label("Chosen rate, charging")).to_have_value("0.15")
    # The link was given up: whoever ends the what-if later stays in the job.
    page.get_by_role("button", name="What-if", exact=True).click()
    dialog.get_by_role("button", name="Discard them").click()
    expect(page.locator("[data-save-state]")).to_contain_text("saved ")
    expect(page.get_by_role("heading", name="Limits", level=1)).to_be_visible()
    more(page, "Try a what-if")
    page.get_by_label("Chosen rate, charging").fill("0.15")
    page.get_by_role("link", name="Ewerer, all jobs").click()
    dialog.get_by_role("button", name="Discard them").click()
    expect(page.get_by_role("heading", name="Jobs", level=1)).to_be_visible()


@pytest.mark.long
def test_history_says_who_changed_what(opened):
    page = opened(SKERRY, "Bank")
    page.get_by_label("Main fuse").fill("315")
    saved(page)
    page.get_by_role("button", name="History").click()
    drawer = page.get_by_role("dialog", name="History")
    expect(drawer).to_contain_text("Revision 2")
    expect(drawer).to_contain_text("Main fuse: 315 A")
    page.keyboard.press("Escape")
    expect(drawer).to_be_hidden()


# Library


@pytest.mark.long
def test_a_profile_from_a_file_and_one_that_is_refused(signed, base, tmp_path):
    page = signed
    page.goto(f"{base}/library")
    shipped = page.request.get(f"{base}/api/library/cobbleway-200").json()
    path = tmp_path / "profile.json"
    path.write_text(json.dumps(shipped | {"id": "from-file", "name": "From a file", "charge_a": -4}))
    give_file(page, "Profile file", path)
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("charge, data sheet")
    expect(dialog).to_contain_text("Nothing was stored")
    dialog.get_by_role("button", name="Close", exact=True).click()
    path.write_text(json.dumps(shipped | {"id": "from-file", "name": "From a file", "charge_a": 44}))
    give_file(page, "Profile file", path)
    expect(page.get_by_role("heading", name="From a file", level=1)).to_be_visible()
    expect(page.get_by_role("textbox", name="Charge, data sheet", exact=True)).to_have_value("44")
    with page.expect_download() as download:
        page.get_by_role("button", name="Export").click()
    assert json.loads(download.value.path().read_text())["charge_a"] == 44
    page.get_by_role("button", name="Archive", exact=True).first.click()
    page.locator(".el-popconfirm").get_by_role("button", name="Archive").click()
    expect(page.get_by_role("navigation", name="Profiles").get_by_role("link", name=re.compile("From a file"))).to_have_count(0)
    page.get_by_role("button", name="Show the archive").click()
    page.get_by_role("button", name="Restore From a file").click()
    page.get_by_role("button", name="Show the library").click()
    expect(page.get_by_role("navigation", name="Profiles").get_by_role("link", name=re.compile("From a file"))).to_have_count(1)


@pytest.mark.long
def test_profiles_are_found_by_words_and_edited_as_text(signed, base):
    page = signed
    page.goto(f"{base}/library")
    page.get_by_label("Find a profile").fill("sun-charger")
    expect(page.get_by_role("navigation", name="Profiles").get_by_role("link", name=re.compile("Pilch Sun"))).to_have_count(2)
    page.get_by_label("Find a profile").fill("pilch")
    page.get_by_role("link", name=re.compile("^Pilch Sun 60")).first.click()
    page.get_by_role("button", name="Copy", exact=True).click()
    page.get_by_role("button", name="As text").click()
    box = page.get_by_label("Profile as JSON")
    text = box.input_value()
    box.fill(text[:-1])
    box.blur()
    expect(page.get_by_role("alert").filter(has_text="JSON")).to_be_visible()
    box.fill(text.replace('"Pilch Sun 60 (copy)"', '"Typed as text"'))
    box.blur()
    expect(page.get_by_role("heading", name="Typed as text", level=1)).to_be_visible()
    page.get_by_role("link", name="Ewerer, all jobs").click()
    expect(page.get_by_role("heading", name="Jobs", level=1)).to_be_visible()
    page.get_by_role("link", name="Library").click()
    page.get_by_role("link", name="Begun and not saved").click()
    expect(page.get_by_role("heading", name="Typed as text", level=1)).to_be_visible()
    expect(page.get_by_text("Your unsaved changes are back.")).to_be_visible()
    page.get_by_role("button", name="Discard it").click()


@pytest.mark.long
@pytest.mark.parametrize("name", [SKERRY, LARCH, TARN])
def test_every_export_of_a_sheet_is_a_file(opened, name):
    page = opened(data(name), "Sheet")
    page.get_by_role("tab", name="Checks and files").click()
    for kind, start in (("PDF", b"%PDF"), ("CSV", "\ufeff".encode()), ("XLSX", b"PK"), ("JSON", b"{")):
        with page.expect_download() as download:
            page.get_by_role("link", name=kind, exact=True).click()
        assert download.value.path().read_bytes().startswith(start), kind
        assert download.value.suggested_filename.endswith(kind.lower())
