"""The workspace driven as a person would: mouse, keyboard, wrong input, interrupted line, two people."""

import json
import re

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import expect

from tests.e2e.acts import choose, give_file, line, more, saved, show
from tests.jobs import LARCH, SKERRY, TARN, data

TARN_NAME = "Tarn Dairy"
STAGES = ["Site", "Bank", "Units", "Link", "Limits", "Thresholds", "Sources", "Windows", "Sheet"]


def test_wrong_password_is_told_and_the_page_stays(page, base):
    page.goto(base)
    page.get_by_label("Name").fill("somebody")
    page.get_by_label("Password").fill("nothing")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("alert")).to_contain_text("Name or password is wrong")


@pytest.mark.long
def test_adding_a_module_changes_the_limit_and_undo_takes_it_back(opened):
    page = opened(SKERRY, "Bank")
    figures = page.locator("[data-bank-figures]")
    expect(figures).to_contain_text("in 420 A")
    choose(page, "Profile of the new module", "Dunmarrow 280")
    page.get_by_role("button", name="Add module").click()
    expect(figures).to_contain_text("in 560 A")
    saved(page)
    page.keyboard.press("Control+z")
    expect(figures).to_contain_text("in 420 A")


@pytest.mark.long
def test_a_module_by_nameplate_needs_no_profile(opened):
    page = opened(SKERRY, "Bank")
    page.get_by_role("button", name="Add by nameplate").click()
    page.get_by_label("Resistance", exact=True).fill("30")
    expect(page.locator('[data-finding="share-uneven"]')).to_be_visible()
    expect(page.locator('[data-finding="makers-apart"]')).to_be_visible()


def test_dragging_a_rung_into_a_forbidden_zone(opened):
    page = opened(SKERRY, "Thresholds")
    rung = page.locator('[data-rung="shutdown_v"]')
    before = rung.get_attribute("aria-valuenow")
    box = rung.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y + 60, steps=6)
    expect(page.locator('[data-ladder="volts"]')).to_contain_text("not permitted below 44.2 V")
    page.mouse.up()
    found = page.locator('[data-finding="own-figure-refused"]')
    expect(found).to_contain_text("is not permitted")
    expect(found).to_contain_text("cut-off 43.2")
    expect(page.locator('[data-ladder="volts"]')).to_contain_text("you asked for")
    page.get_by_role("button", name="Undo").click()
    expect(found).to_have_count(0)
    expect(rung).to_have_attribute("aria-valuenow", before)


def test_a_rung_moves_by_keys(opened):
    page = opened(SKERRY, "Thresholds")
    rung = page.locator('[data-rung="shutdown_v"]')
    rung.focus()
    page.keyboard.press("ArrowUp")
    expect(rung).to_have_attribute("aria-valuetext", re.compile(r"^45\.8 V, permitted 44\.2 V"))
    page.keyboard.press("PageUp")
    expect(rung).to_have_attribute("aria-valuetext", re.compile(r"^46\.8 V"))
    page.keyboard.press("Delete")
    expect(rung).to_have_attribute("aria-valuetext", re.compile(r"^45\.7 V"))


def test_marking_exporting_and_importing_gives_the_same_plan(opened, base, tmp_path):
    page = opened(SKERRY, "Sheet")
    line(page, "store-kind").get_by_role("button", name=re.compile("^Store kind: Linked")).click()
    expect(page.get_by_role("tab", name=re.compile("^U1"))).to_contain_text("1 done")
    saved(page)
    with page.expect_download() as sheet:
        page.get_by_role("tab", name="Checks and files").click()
        page.get_by_role("link", name="CSV").click()
    assert "store-kind" in sheet.value.path().read_text()
    with page.expect_download() as download:
        more(page, "Export")
    path = tmp_path / "job.json"
    download.value.save_as(path)
    first = page.request.get(page.url.replace("/jobs/", "/api/jobs/").replace("/sheet", "/plan")).json()
    page.get_by_role("link", name="Ewerer, all jobs").click()
    give_file(page, "Job file", path)
    expect(page.get_by_role("heading", name="Site", level=1)).to_be_visible()
    again = page.request.get(page.url.replace("/jobs/", "/api/jobs/").removesuffix("/site") + "/plan").json()
    assert again == first
    show(page, "Sheet")
    expect(page.get_by_role("tab", name=re.compile("^U1"))).to_contain_text("1 done")


def test_keyboard_only(opened):
    page = opened(SKERRY, "Site")
    page.keyboard.press("]")
    expect(page.get_by_role("heading", name="Bank", level=1)).to_be_visible()
    page.keyboard.press("[")
    expect(page.get_by_role("heading", name="Site", level=1)).to_be_visible()
    page.keyboard.press("/")
    page.keyboard.type("main fuse")
    expect(page.get_by_label("Find a quantity, setting or field")).to_have_value("main fuse")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Main fuse")).to_be_focused()
    page.keyboard.press("Control+a")
    page.keyboard.type("250")
    expect(page.locator("nav")).to_contain_text("in 200 A")
    saved(page)
    page.keyboard.press("Control+z")
    expect(page.locator("nav")).to_contain_text("in 252 A")
    page.keyboard.press("Tab")
    page.locator("main.stage").focus()
    page.keyboard.press("n")
    expect(page.locator("[data-finding].current")).to_have_count(1)
    page.locator("main.stage").focus()
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keys")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog", name="Keys")).to_be_hidden()
    show(page, "Sheet")
    page.locator('[data-row="0"]').focus()
    for _ in range(3):
        page.keyboard.press("Enter")
    expect(page.get_by_role("tab", name=re.compile("^U1"))).to_contain_text("3 done")
    expect(page.locator('[data-row="3"]')).to_be_focused()


def test_what_cannot_be_read_stays_typed_and_is_explained(opened):
    page = opened(SKERRY, "Bank")
    fuse = page.get_by_label("Main fuse")
    fuse.fill("four hundred")
    expect(page.get_by_role("alert").first).to_contain_text("not a number")
    fuse.fill("-400")
    expect(page.get_by_label("Findings").first).to_contain_text("Refused; everything else counts")
    expect(page.locator("#f-bank-fuse-a-why")).to_contain_text("too low")
    expect(fuse).to_have_value("-400")
    fuse.fill("300")
    saved(page)
    expect(page.locator("#f-bank-fuse-a-why")).to_have_count(0)


@pytest.mark.long
def test_millivolts_are_recognised(opened):
    page = opened(SKERRY, "Bank")
    page.get_by_label("Resting volts of M1").fill("53060")
    expect(page.get_by_label("Findings").first).to_contain_text("it looks like millivolts: 53.06 V")


@pytest.mark.long
def test_offline_typing_is_kept_and_sent_later(opened, context):
    page = opened(SKERRY, "Bank")
    context.set_offline(True)
    page.get_by_label("Main fuse").fill("260")
    expect(page.locator("[data-save-state]")).to_contain_text("offline, kept on this device")
    context.set_offline(False)
    page.evaluate("window.dispatchEvent(new Event('online'))")
    saved(page)
    page.reload()
    expect(page.get_by_label("Main fuse")).to_have_value("260")


def test_two_people_get_a_conflict_not_a_lost_change(opened, browser, base):
    page = opened(SKERRY, "Bank")
    id = page.url.split("/jobs/")[1].split("/")[0]
    job = page.request.get(f"{base}/api/jobs/{id}").json()
    document = job["document"]
    document["bank"]["fuse_a"] = 310
    token = page.request.get(f"{base}/api/session").json()["csrf"]
    answer = page.request.put(
        f"{base}/api/jobs/{id}", data={"base_revision": job["revision"], "document": document}, headers={"X-CSRFToken": token}
    )
    assert answer.ok
    page.get_by_label("Main cable carries").fill("290")
    expect(page.get_by_text("demo saved in between: both your changes are here now.")).to_be_visible()
    expect(page.get_by_label("Main fuse")).to_have_value("310")
    saved(page)
    job = page.request.get(f"{base}/api/jobs/{id}").json()
    assert job["document"]["bank"]["fuse_a"] == 310 and job["document"]["bank"]["cable_a"] == 290
    job["document"]["bank"]["fuse_a"] = 320
    answer = page.request.put(
        f"{base}/api/jobs/{id}",
        data={"base_revision": job["revision"], "document": job["document"]},
        headers={"X-CSRFToken": token},
    )
    assert answer.ok
    page.get_by_label("Main fuse").fill("330")
    dialog = page.get_by_role("dialog", name="Someone saved in between")
    expect(dialog.get_by_role("row")).to_have_count(2)
    for words in ("Main fuse", "320 A", "330 A"):
        expect(dialog).to_contain_text(words)
    dialog.get_by_label("320 A").check()
    dialog.get_by_role("button", name="Save what is chosen").click()
    expect(page.get_by_label("Main fuse")).to_have_value("320")
    saved(page)
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_label("Main fuse")).to_have_value("330")
    saved(page)


@pytest.mark.long
def test_what_if_changes_the_plan_and_not_the_job(opened):
    page = opened(SKERRY, "Limits")
    more(page, "Try a what-if")
    page.get_by_label("Chosen rate, charging").fill("0.1")
    expect(page.locator("nav")).to_contain_text("in 84 A")
    expect(page.locator("[data-save-state]")).to_contain_text("nothing is saved")
    page.get_by_role("button", name="Discard them").click()
    expect(page.locator("nav")).to_contain_text("in 252 A")


@pytest.mark.long
def test_importing_what_is_not_a_job(signed, tmp_path):
    path = tmp_path / "bad.json"
    job = data(SKERRY)
    job["bank"]["colour"] = "red"
    for text, words in (("{", "not JSON"), (json.dumps(job), "/bank/colour"), (" " * 3_000_000, "too big")):
        path.write_text(text)
        give_file(signed, "Job file", path)
        dialog = signed.get_by_role("dialog")
        expect(dialog).to_contain_text(words)
        expect(dialog).to_contain_text("nothing was stored")
        dialog.get_by_role("button", name="Close", exact=True).click()
        expect(dialog).to_be_hidden()


@pytest.mark.long
def test_new_job_starts_empty_and_says_what_is_missing(signed):
    signed.get_by_role("link", name="New job").click()
    signed.get_by_label("Name of the site or job").fill("Fresh start")
    signed.keyboard.press("Enter")
    expect(signed.locator('[data-finding="bank-empty"]')).to_be_visible()
    for stage in STAGES:
        show(signed, stage)
    expect(signed.get_by_text("A sheet follows once bank and units are there")).to_be_visible()


@pytest.mark.long
def test_history_takes_an_old_revision_back(opened):
    page = opened(LARCH, "Bank")
    page.get_by_label("Main fuse").fill("200")
    saved(page)
    page.get_by_role("button", name="History").click()
    page.get_by_role("button", name="Take this one back").last.click()
    expect(page.get_by_label("Main fuse")).to_have_value(str(data(LARCH)["bank"]["fuse_a"]))


@pytest.mark.long
@pytest.mark.parametrize("theme", ["light", "dark"])
def test_signing_in_is_accessible(page, base, theme):
    page.emulate_media(color_scheme=theme)
    page.goto(base)
    expect(page.get_by_label("Password")).to_be_visible()
    page.wait_for_timeout(250)
    assert [(v["id"], v["nodes"][0]["html"][:200]) for v in Axe().run(page).response["violations"]] == []


def test_tablet_has_a_findings_drawer(opened):
    page = opened(TARN, "Thresholds")
    page.set_viewport_size({"width": 820, "height": 1180})
    page.get_by_role("button", name=re.compile("^Findings")).click()
    drawer = page.get_by_role("dialog")
    expect(drawer.locator("[data-finding]").first).to_be_visible()


@pytest.mark.long
@pytest.mark.parametrize(("width", "height"), [(390, 844), (1280, 800)])
def test_nothing_sticks_out_and_no_control_lies_on_another(opened, width, height):
    page = opened(LARCH, "Site")
    page.set_viewport_size({"width": width, "height": height})
    for stage in STAGES:
        show(page, stage)
        assert page.evaluate("document.documentElement.scrollWidth <= innerWidth"), stage
        overlaps = page.evaluate(
            """() => [...document.querySelectorAll('.stage tr')].flatMap((row) => {
                const boxes = [...row.querySelectorAll('.el-input__wrapper, .el-select__wrapper')].map((e) => e.getBoundingClientRect())
                return boxes.slice(1).filter((b, i) => b.left < boxes[i].right - 1 && b.top < boxes[i].bottom - 1 && boxes[i].top < b.bottom - 1).map((b) => row.innerText)
            })"""
        )
        assert overlaps == [], stage
