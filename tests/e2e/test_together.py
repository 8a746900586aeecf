"""Several rows at once, a link that others read, and a sheet that changed since it was printed."""

import re

from playwright.sync_api import expect

from tests.e2e.acts import choose, more, saved, show
from tests.jobs import SKERRY


def test_rows_are_set_together_and_pasted_and_one_undo_takes_each_back(opened):
    page = opened(SKERRY, "Bank")
    part = page.locator('[data-fold="rows:/bank/modules"]')
    part.get_by_text("M2", exact=True).click()  # M1 and M3 stay ticked
    choose(page, "Field to set", "Firmware")
    part.get_by_label("Value to set").press_sequentially("2.7")
    part.get_by_role("button", name="Set on 2").click()
    held = page.request.get  # what the server holds is looked at when it is saved
    saved(page)
    job = page.url.split("/jobs/")[1].split("/")[0]
    base = page.url.split("/jobs/")[0]

    def modules():
        return held(f"{base}/api/jobs/{job}").json()["document"]["bank"]["modules"]

    before = modules()
    assert [m.get("firmware") for m in before] == ["2.7", before[1].get("firmware"), "2.7"] and before[1].get("firmware") != "2.7"
    pasted = "Name of the module\tResting volts\tSerial number\nM3\t53,11\tB-3\nM1\t53.10 V\tB-1\nM7\t53.12\tB-7\nM9\tmany\tB-9"
    part.get_by_label("Rows to paste, module").fill(pasted)
    expect(part.locator("[data-pasted]")).to_contain_text("2 modules changed; 1 module added; 1 cell refused")
    expect(part.locator("[data-pasted]")).to_contain_text("Row 4, Resting volts “many”")
    part.get_by_role("button", name="Take the others").click()
    expect(page.locator("[data-answer]")).to_contain_text("1120 Ah")
    saved(page)
    after = modules()
    assert [(m["id"], m["resting_v"]) for m in after] == [
        ("M1", 53.1),
        ("M2", before[1]["resting_v"]),
        ("M3", 53.11),
        ("M7", 53.12),
    ]
    assert after[3]["profile"] == after[2]["profile"]
    page.get_by_role("button", name="Undo").click()
    expect(page.locator("[data-answer]")).to_contain_text("840 Ah")


def test_a_link_is_read_by_somebody_who_is_not_signed_in_until_it_is_ended(opened, browser):
    page = opened(SKERRY, "Sheet")
    more(page, "Share a read-only link")
    dialog = page.get_by_role("dialog", name="Read-only link")
    dialog.get_by_label("For whom").press_sequentially("owner")
    dialog.get_by_role("button", name="Make the link").click()
    address = dialog.locator("[data-link]").inner_text()
    other = browser.new_context(viewport={"width": 390, "height": 844})
    guest = other.new_page()
    guest.goto(address)
    expect(guest.get_by_role("heading", name="Skerry Field Station")).to_be_visible()
    expect(guest.get_by_text(re.compile("Charge with at most 252 A"))).to_be_visible()
    assert guest.evaluate("document.documentElement.scrollWidth <= innerWidth")
    dialog.get_by_role("button", name="End the link for owner").click()
    expect(dialog.get_by_text("No link is open.")).to_be_visible()
    assert guest.goto(address).status == 404
    other.close()


def test_a_sheet_says_what_changed_since_it_was_printed(opened):
    page = opened(SKERRY, "Sheet")
    with page.expect_download():
        page.get_by_role("link", name="PDF", exact=True).click()
    expect(page.locator("[data-printed]")).to_contain_text("as printed")
    show(page, "Limits")
    page.get_by_label("Chosen rate, charging").fill("0.2")
    expect(page.locator("[data-answer]")).to_contain_text("168 A")
    show(page, "Sheet")
    changed = page.locator("[data-printed]")
    expect(changed).to_contain_text("changed since it was printed")
    changed.locator("summary").click()
    expect(changed.get_by_text(re.compile("on the paper, now")).first).to_be_visible()
