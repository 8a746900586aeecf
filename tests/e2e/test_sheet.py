"""The sheet as a working list, as found, agreement, and the library, driven in the browser."""

import re

import pytest
from playwright.sync_api import expect

from tests.e2e.acts import choose, give_file, line, saved, show
from tests.e2e.axe import serious
from tests.jobs import LARCH, SKERRY


def test_import_as_found_then_walk_the_sheet_with_enter_only(opened, tmp_path):
    page = opened(SKERRY, "Sheet")
    expect(page.get_by_text("Nobody noted what U1 shows")).to_be_visible()
    page.get_by_role("tab", name="As found").click()
    path = tmp_path / "found.csv"
    path.write_text("setting,value\nstore-kind,Lead A\nlevel-on,On\nlevel-volts,62.0\nlow-out,46.0\nghost,3\n")
    give_file(page, "As-found file", path)
    expect(page.get_by_text("4 settings read, 1 not.")).to_be_visible()
    expect(page.get_by_text("no such setting")).to_be_visible()
    expect(page.locator('[data-finding="found-equalising"]')).to_contain_text("62 V")
    assert serious(page) == []
    page.get_by_role("tab", name="Working list").click()
    expect(page.locator('[data-step="action.mode"]')).to_contain_text("found dangerous: Levelling")
    page.locator('[data-row="0"]').focus()
    for _ in range(6):
        page.keyboard.press("Enter")
    expect(page.get_by_role("status").filter(has_text="6 of")).to_be_visible()
    expect(page.locator('[data-row="6"]')).to_be_focused()
    saved(page)
    page.reload()
    expect(page.get_by_role("status").filter(has_text="6 of")).to_be_visible()
    expect(page.locator('[data-row="6"]')).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.get_by_role("status").filter(has_text="7 of")).to_be_visible()


def test_a_wrong_read_back_turns_red_with_words(opened):
    page = opened(SKERRY, "Sheet")
    row = line(page, "fill-volts")
    page.get_by_label("Read back of Fill to").fill("56.4")
    page.keyboard.press("Enter")
    expect(row).to_have_class(re.compile("wrong"))
    expect(row.get_by_role("alert")).to_have_text("it shows 56.4 V, the sheet says 55.2 V")
    expect(page.locator('[data-finding="read-back-differs"]')).to_be_visible()
    expect(page.get_by_role("region", name="Left over")).to_contain_text("Fill to")
    line(page, "fill-volts")
    page.get_by_label("Read back of Fill to").fill("55.2")
    page.keyboard.press("Enter")
    expect(row).not_to_have_class(re.compile("wrong"))
    expect(row).to_contain_text("as entered")


@pytest.mark.long
def test_found_values_are_ghosts_on_the_ladder(opened):
    page = opened(LARCH, "Thresholds")
    expect(page.locator('[data-ghost="absorb_v"]')).to_have_count(2)


@pytest.mark.long
def test_agreement_copies_make_entries(opened):
    page = opened(LARCH, "Sheet")
    page.get_by_role("tab", name="Checks and files").click()
    table = page.locator("[data-agreement]")
    expect(table).to_contain_text("differs on RIGHT")
    assert serious(page) == []
    page.get_by_role("button", name="Copy Screen sleep of LEFT to all").click()
    page.get_by_role("tab", name=re.compile("^RIGHT")).click()
    page.get_by_role("tab", name="Working list").click()
    expect(line(page, "screen")).to_contain_text("Own entry")


@pytest.mark.long
def test_presets_are_told_why_not(opened):
    page = opened(SKERRY, "Sheet")
    page.get_by_role("tab", name="Checks and files").click()
    expect(page.get_by_text("Lead A: does not do")).to_be_visible()


@pytest.mark.long
def test_typing_as_found_by_hand_moves_with_enter(opened):
    page = opened(SKERRY, "Sheet")
    page.get_by_role("button", name="Note as found").click()
    first = page.get_by_label("Declare new store as found")
    first.fill("No")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Level now as found")).to_be_focused()
    page.get_by_label("Fill to as found").fill("999")
    page.keyboard.press("Enter")
    expect(page.get_by_text("999 is outside 48 to 61 V", exact=True)).to_be_visible()


@pytest.mark.long
def test_a_profile_from_nothing_and_a_plan_with_it(signed, base):
    page = signed
    page.get_by_role("link", name="Library").click()
    page.get_by_role("button", name="New battery module").click()
    expect(page.get_by_text("to fill in or mend before it can be saved")).to_be_visible()
    for field in page.get_by_role("textbox").all():
        if (field.get_attribute("id") or "").startswith("plate"):
            assert field.input_value() == "", "a new profile starts empty"
    fields = {"Model, as on the plate": "Wren 150", "Maker": "Wren", "Cells in series": "16", "Capacity": "150", "Resistance": "12"}
    fields |= {"Charge, data sheet": "75", "Discharge, data sheet": "120", "Cell maximum": "3.65", "Cell cut-off": "2.7"}
    for label, value in fields.items():
        page.get_by_role("textbox", name=label, exact=True).fill(value)
    expect(page.get_by_label("Short name")).to_have_value("wren-150")
    expect(page.get_by_text("16 cells, 150 Ah, in 75 A, out 120 A")).to_be_visible()
    page.get_by_role("textbox", name="Charge, data sheet", exact=True).fill("-75")
    expect(page.get_by_role("alert").filter(has_text="too low")).to_be_visible()
    page.get_by_role("textbox", name="Charge, data sheet", exact=True).fill("75")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_text("Saved as version 1.")).to_be_visible()
    assert serious(page) == []
    page.get_by_role("link", name="Ewerer, all jobs").click()
    page.get_by_role("link", name="New job").click()
    page.get_by_label("Name of the site or job").fill("With Wren")
    page.keyboard.press("Enter")
    show(page, "Bank")
    choose(page, "Profile of the new module", "Wren 150")
    page.get_by_role("button", name="Add module").click()
    expect(page.locator("[data-bank-figures]")).to_contain_text("150 Ah")
    saved(page)
    id = page.url.split("/jobs/")[1].split("/")[0]
    assert page.request.get(f"{base}/api/jobs/{id}").json()["document"]["profile_revisions"] == {"wren-150": 1}


@pytest.mark.long
def test_a_shipped_profile_is_copied_edited_and_tried(signed, base):
    page = signed
    page.goto(f"{base}/library/orrowan-t8")
    page.get_by_role("tab", name="Check and try").click()
    choose(page, "Setting", "Fill to")
    page.get_by_label("Value, in its own unit").fill("55.27")
    expect(page.locator("[data-try]")).to_contain_text("the display shows 55.2 V")
    page.get_by_label(re.compile("Writes in order")).fill("low-out = 43\nlow-warn = 44.5")
    expect(page.locator("[data-writes] li")).to_have_count(2)
    expect(page.locator("[data-writes] li").first).to_contain_text("taken")
    page.get_by_role("tab", name="Plate").click()
    expect(page.get_by_label("Model, as on the plate")).to_be_disabled()
    page.get_by_role("button", name="Copy", exact=True).click()
    page.get_by_label("Short name").fill("orrowan-own")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_text("Saved as version 1.")).to_be_visible()
    page.get_by_label("Model, as on the plate").fill("Orrowan, as here")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_text("Saved as version 2.")).to_be_visible()
    expect(page.get_by_text(re.compile("version 1 · demo"))).to_be_visible()
