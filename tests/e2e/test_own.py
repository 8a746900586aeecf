"""What a person decides: own figures for anything, settings decided by hand, leads by length and section; keys pressed one by one."""

import pytest
from playwright.sync_api import expect

from tests.e2e.acts import choose, line, saved
from tests.e2e.axe import serious
from tests.jobs import HERON, SKERRY


@pytest.mark.long
def test_a_wish_is_looked_for_granted_refused_and_taken_back(opened):
    page = opened(HERON, "Thresholds")
    fold = page.locator("details.rare")
    if fold.get_attribute("open") is None:
        page.get_by_text("more that this unit knows").click()
    page.get_by_role("button", name="Buzzer").click()
    why = page.locator("[data-why]")
    expect(why).to_contain_text("Why Buzzer is off")
    expect(why).to_contain_text("a fault is heard")
    page.get_by_text("On", exact=True).last.click()
    expect(page.get_by_role("button", name="Buzzer on")).to_be_visible()
    page.get_by_role("button", name="Back to the plan's figure").click()
    page.get_by_role("button", name="Current into the bank, whole system").click()
    field = page.get_by_label("Your own figure for current into the bank, whole system")
    field.press_sequentially("900")
    expect(page.locator('[data-finding="own-wish-refused"]')).to_contain_text("at 900 A is not permitted")
    for _ in range(3):
        field.press("Backspace")
    field.press_sequentially("150")
    expect(page.locator('[data-finding="own-wish-refused"]')).to_have_count(0)
    expect(page.get_by_role("button", name="Current into the bank, whole system 150 A")).to_be_visible()
    page.get_by_role("button", name="Temperature compensation").click()
    expect(page.get_by_text("No figure of your own here: lithium takes none.")).to_be_visible()
    page.get_by_role("heading", name="Thresholds", level=1).scroll_into_view_if_needed()
    assert serious(page) == []


@pytest.mark.long
def test_what_is_decided_by_hand_is_noted_and_goes_on_the_sheet(opened):
    page = opened(HERON, "Sheet")
    choose(page, "Your entry for Screen colour", "Sand")
    row = line(page, "skin")
    expect(row).to_contain_text("Sand")
    expect(row).to_contain_text("Own entry, not the plan's")
    wrong = page.get_by_label("Your entry for Wakes from")
    wrong.press_sequentially("Perhaps")
    wrong.press("Enter")
    expect(page.locator('[data-finding="own-entry-read"]')).to_contain_text("Perhaps")
    saved(page)
    page.reload()
    held = page.locator(".el-select", has=page.get_by_role("combobox", name="Your entry for Screen colour"))
    expect(held).to_contain_text("Sand")
    choose(page, "Your entry for Screen colour", "as it is")
    expect(row).to_have_count(0)
    assert serious(page) == []


@pytest.mark.long
def test_a_lead_counts_once_length_and_section_are_typed(opened):
    job = opened(SKERRY, "Bank")
    shown = job.locator("[data-wiring]")
    expect(shown).to_contain_text("Main leads 0.5 mΩ")
    job.get_by_label("Main lead, one way").press_sequentially("4")
    expect(shown).to_contain_text("Main leads 0.5 mΩ")
    job.get_by_label("Main lead, copper").press_sequentially("70")
    expect(shown).to_contain_text("Main leads 1.98 mΩ, carry 265 A")
    job.get_by_label("Fuse breaks up to").press_sequentially("6000")
    expect(job.locator('[data-finding="fuse-breaking"].stop')).to_contain_text("the fuse breaks 6000 A")
    job.get_by_label("Fuse breaks up to").press_sequentially("0")
    expect(job.locator('[data-finding="fuse-breaking"]')).to_have_count(0)
