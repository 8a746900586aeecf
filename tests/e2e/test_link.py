"""Stage Link and the fault finder, driven in the browser."""

import re

import pypdfium2
import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import expect

from tests.e2e.acts import choose, saved, tick
from tests.jobs import LARCH, SKERRY


def test_choosing_another_port_changes_the_cable_card(opened):
    page = opened(SKERRY, "Link")
    card = page.locator("[data-cable]")
    expect(card).to_have_attribute("aria-label", re.compile("CAN-H from pin 1 to pin 4, white/orange"))
    tick(page.locator('[data-way="dunmarrow/openstore-can/1/net/inv"]'), "radio")
    expect(card).to_have_attribute("aria-label", re.compile("to NET of the unit: CAN-H from pin 1 to pin 1"))
    expect(page.locator("nav")).to_contain_text("closed loop, made cable")
    page.get_by_role("button", name="Back to the best").click()
    expect(card).to_have_attribute("aria-label", re.compile("to BATT of the unit"))


@pytest.mark.long
def test_a_taken_port_moves_the_link(opened):
    page = opened(SKERRY, "Link")
    tick(page, "checkbox", "BATT")
    expect(page.locator("[data-cable]")).to_have_attribute("aria-label", re.compile("to NET of the unit"))
    expect(page.locator('[data-way="dunmarrow/dunmarrow-link/2/bat/inv"]')).to_contain_text("taken by another device")


def test_flipping_a_switch_makes_a_finding(opened):
    page = opened(SKERRY, "Link")
    row = page.get_by_role("group", name="M1 as found")
    row.get_by_role("switch").nth(1).click()
    found = page.locator('[data-finding="address-host"]')
    expect(found).to_contain_text("No module is the host")
    expect(found).to_contain_text("133 A in and 190 A out instead of 399 and 570")
    expect(page.get_by_text("this is 3")).to_be_visible()
    row.get_by_role("switch").nth(1).focus()
    page.keyboard.press("Enter")
    expect(found).to_have_count(0)


@pytest.mark.long
def test_a_patch_cable_with_power_on_it_is_a_stop(opened):
    page = opened(SKERRY, "Link")
    page.get_by_role("radiogroup", name="Cable").get_by_text("Patch cable").click()
    expect(page.locator('[data-finding="cable-power-pin"]', has_text="+5V in position 8")).to_be_visible()
    expect(page.locator('[data-finding="cable-kind"]')).to_contain_text("wrong pins")


@pytest.mark.long
def test_measured_ohms_are_judged_and_expected_displays_shown(opened):
    page = opened(SKERRY, "Link")
    expect(page.locator('[data-display="all"]')).to_contain_text("399 A")
    expect(page.locator('[data-display="host-out"]')).to_contain_text("nothing, or all zeros")
    page.get_by_label("Measured, power off").fill("120")
    expect(page.locator('[data-finding="terminators"]')).to_contain_text("one is missing")


@pytest.mark.long
def test_own_note_on_firmware(opened):
    page = opened(SKERRY, "Link")
    choose(page, "Your verdict on 2.14", "bad")
    page.get_by_label("Why, for 2.14").fill("lost its clock")
    page.keyboard.press("Tab")
    expect(page.locator('[data-finding="firmware-listed"]').first).to_contain_text("Lost its clock")


@pytest.mark.long
def test_cable_card_prints_on_one_page(opened):
    page = opened(SKERRY, "Link")
    page.get_by_label("Length of the bus").fill("6")
    saved(page)
    with page.expect_download() as download:
        page.get_by_role("link", name="Print (PDF)").click()
    document = pypdfium2.PdfDocument(download.value.path())
    assert len(document) == 1
    text = document[0].get_textpage().get_text_range()
    for words in ("Cable card: Skerry Field Station", "white/orange", "leave open", "Power cycle", "60 with 2"):
        assert words in text


@pytest.mark.long
def test_open_loop_says_why_and_shows_no_card(opened):
    page = opened(LARCH, "Link")
    expect(page.get_by_text("The modules are of different makes; one cannot speak for the others.")).to_be_visible()
    expect(page.locator("[data-cable]")).to_have_count(0)


def test_fault_finder_by_its_key(opened):
    page = opened(SKERRY, "Link")
    page.get_by_role("group", name="M1 as found").get_by_role("switch").nth(1).click()
    expect(page.locator('[data-finding="address-host"]')).to_be_visible()
    page.locator("main.stage").focus()
    page.keyboard.press("f")
    dialog = page.get_by_role("dialog", name="What do you see?")
    dialog.get_by_label("Words of the symptom").fill("one module")
    dialog.get_by_role("button", name=re.compile("The limits shown are one module")).click()
    expect(dialog.locator("[data-cause]").first).to_have_attribute("data-cause", "host-address")
    expect(dialog).to_contain_text("this plan: No module is the host")
    first = dialog.locator("[data-test]").get_attribute("data-test")
    dialog.locator("[data-test] button").first.click()
    expect(dialog.locator("[data-test]")).not_to_have_attribute("data-test", first)
    dialog.get_by_role("button", name=re.compile("^Take back")).click()
    expect(dialog.locator("[data-test]")).to_have_attribute("data-test", first)
    page.wait_for_timeout(400)
    assert not [v for v in Axe().run(page).response["violations"] if v["impact"] in ("serious", "critical")]
    page.keyboard.press("Escape")
    expect(dialog).to_be_hidden()
