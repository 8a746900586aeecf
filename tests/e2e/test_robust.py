"""What is typed stays: without a network, with a server that dies or fails, in two tabs, with a session that ends; on every stage."""

import os
import re
import signal
import tempfile

import pytest
from bench.server import CHROMIUM, server
from bench.shots import sign_in
from playwright.sync_api import expect

from tests.e2e.acts import made_job, saved, show, unfold
from tests.jobs import SKERRY, data

STAGES = ["Site", "Bank", "Units", "Link", "Limits", "Thresholds", "Sources", "Windows", "Sheet", "Run", "Proof", "Handover"]
LOADS = '[data-pointer="/loads/continuous_w"]'


def id_of(page):
    return page.url.split("/jobs/")[1].split("/")[0]


def document(page, base):
    return page.request.get(f"{base}/api/jobs/{id_of(page)}").json()["document"]


@pytest.mark.long
def test_every_stage_opens_and_takes_edits_without_a_network(playwright, base, cookies):
    """Seen once with a network; then reloaded without one, edited, reloaded again; all there when it is back."""
    browser = playwright.chromium.launch(**CHROMIUM)
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    unfold(context)
    context.add_cookies(cookies)
    page = context.new_page()
    page.goto(base)
    expect(page.get_by_role("heading", name="Jobs")).to_be_visible()
    job = made_job(page, base, data(SKERRY))
    page.evaluate("navigator.serviceWorker.ready.then(() => true)")
    page.reload()
    page.goto(f"{base}/jobs/{job}/site")
    expect(page.get_by_role("heading", name="Site", level=1)).to_be_visible()
    expect(page.locator("[data-plan-state]")).to_have_text("plan fresh")
    page.wait_for_function(
        "caches.keys().then(async ks => (await Promise.all(ks.map(async k => (await (await caches.open(k)).keys()).length))).reduce((a, b) => a + b, 0) > 40)"
    )
    context.set_offline(True)
    for stage in STAGES:
        page.goto(f"{base}/jobs/{job}/{stage.lower()}")
        expect(page.get_by_role("heading", name=stage, level=1)).to_be_visible()
    page.goto(f"{base}/jobs/{job}/site")
    field = page.locator(LOADS)
    field.fill("2345")
    field.press("Tab")
    expect(page.locator("[data-save-state]")).to_contain_text("offline")
    page.goto(f"{base}/jobs/{job}/bank")
    page.get_by_label("Main fuse").fill("275")
    page.get_by_label("Main fuse").press("Tab")
    page.reload()
    expect(page.get_by_label("Main fuse")).to_have_value("275")
    expect(page.locator("[data-plan-state]")).to_contain_text(re.compile("plan of|no plan"))
    context.set_offline(False)
    page.evaluate("window.dispatchEvent(new Event('online'))")
    saved(page)
    held = document(page, base)
    assert held["loads"]["continuous_w"] == 2345 and held["bank"]["fuse_a"] == 275
    browser.close()


@pytest.mark.long
def test_a_server_that_is_killed_and_started_costs_no_keystroke(page):
    with tempfile.TemporaryDirectory() as folder, server(folder) as (process, address):
        port = int(address.rsplit(":", 1)[1])
        sign_in(page, address)
        page.get_by_role("link", name="Tarn Dairy").first.click()
        expect(page.get_by_role("heading", name="Site", level=1)).to_be_visible()
        expect(page.locator("[data-plan-state]")).to_have_text("plan fresh")
        os.kill(process.pid, signal.SIGKILL)
        process.wait(10)
        page.locator(LOADS).fill("3210")
        page.locator(LOADS).press("Tab")
        expect(page.locator("[data-save-state]")).to_contain_text("offline")
        expect(page.locator("[data-plan-state]")).to_contain_text("plan of")
        expect(page.locator("[data-plan-old]")).to_be_visible()
        with server(folder, port):
            saved(page)
            expect(page.locator("[data-plan-state]")).to_have_text("plan fresh")
            assert document(page, address)["loads"]["continuous_w"] == 3210


@pytest.mark.long
def test_a_plan_that_fails_is_asked_again_by_itself(opened):
    page = opened(SKERRY, "Site")
    failing = [True]

    def answer(route):
        if failing[0]:
            route.fulfill(status=500, body="{}", content_type="application/problem+json")
        else:
            route.continue_()

    page.route("**/api/plan", answer)
    page.locator(LOADS).fill("1111")
    page.locator(LOADS).press("Tab")
    expect(page.locator("[data-plan-state]")).to_contain_text("plan of")
    saved(page)
    failing[0] = False
    expect(page.locator("[data-plan-state]")).to_have_text("plan fresh")
    expect(page.locator("[data-plan-old]")).to_have_count(0)


def test_two_tabs_tell_each_other_and_keep_their_own_drafts(opened, base, context):
    page = opened(SKERRY, "Site")
    other = context.new_page()
    other.goto(page.url)
    expect(other.get_by_role("heading", name="Site", level=1)).to_be_visible()
    page.locator(LOADS).fill("1500")
    page.locator(LOADS).press("Tab")
    saved(page)
    expect(other.locator(LOADS)).to_have_value("1500")
    page.locator(LOADS).click()
    page.keyboard.press("Control+a")
    page.keyboard.type("half")
    other.locator('[data-pointer="/loads/peak_w"]').fill("4000")
    other.locator('[data-pointer="/loads/peak_w"]').press("Tab")
    saved(other)
    expect(page.locator('[data-pointer="/loads/peak_w"]')).to_have_value("4000")
    expect(page.locator(LOADS)).to_have_value("half")
    other.reload()
    expect(other.locator(LOADS)).to_have_value("1500")
    page.reload()
    expect(page.locator(LOADS)).to_have_value("half")
    expect(page.get_by_role("alert").filter(has_text="Not counted")).to_be_visible()
    held = document(page, base)
    assert held["loads"]["continuous_w"] == 1500 and held["loads"]["peak_w"] == 4000


def test_one_refused_field_holds_up_nothing(opened, base):
    page = opened(SKERRY, "Bank")
    page.get_by_label("Main fuse").fill("-5")
    page.get_by_label("Main cable carries").fill("333")
    page.get_by_label("Main cable carries").press("Tab")
    expect(page.get_by_text("All but one field is saved.")).to_be_visible()
    for _ in range(60):
        held = document(page, base)
        if held["bank"]["cable_a"] == 333:
            break
        page.wait_for_timeout(100)
    assert held["bank"]["cable_a"] == 333 and held["bank"]["fuse_a"] == data(SKERRY)["bank"]["fuse_a"]
    page.reload()
    expect(page.get_by_label("Main fuse")).to_have_value("-5")
    page.get_by_label("Main fuse").fill("300")
    page.get_by_label("Main fuse").press("Tab")
    saved(page)
    assert document(page, base)["bank"]["fuse_a"] == 300


@pytest.mark.long
def test_a_unit_with_another_name_keeps_what_was_found_and_done(opened, base):
    page = opened(SKERRY, "Sheet")
    page.locator('[data-row="0"]').focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("tab", name=re.compile("^U1"))).to_contain_text("1 done")
    show(page, "Units")
    page.get_by_role("button", name="More of U1").click()
    field = page.get_by_label("Name of unit 1")
    field.fill("Host")
    field.press("Tab")
    saved(page)
    show(page, "Sheet")
    expect(page.get_by_role("tab", name=re.compile("^Host"))).to_contain_text("1 done")
    page.reload()
    expect(page.get_by_role("tab", name=re.compile("^Host"))).to_contain_text("1 done")


@pytest.mark.long
def test_a_finding_is_put_aside_with_a_reason_and_taken_back(opened):
    page = opened(SKERRY, "Link")
    first = page.locator("[data-finding].caution").first
    title = first.locator("b").first.inner_text()
    first.get_by_role("button", name=f"Dismiss {title}").click()
    page.keyboard.type("checked with the maker")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="1 dismissed")).to_be_visible()
    page.reload()
    page.get_by_role("button", name="1 dismissed").click()
    expect(page.locator(".aside")).to_contain_text("checked with the maker")
    page.get_by_role("button", name=f"Restore {title}").click()
    expect(page.get_by_role("button", name="1 dismissed")).to_have_count(0)
    assert page.locator("[data-finding].stop").get_by_role("button", name=re.compile("^Dismiss")).count() == 0


@pytest.mark.long
@pytest.mark.parametrize("stage", ["Bank", "Thresholds"])
def test_the_first_stage_is_there_soon_on_a_slow_machine_and_nothing_jumps(opened, context, stage):
    page = opened(SKERRY, stage)
    client = context.new_cdp_session(page)
    client.send("Emulation.setCPUThrottlingRate", {"rate": 4})
    page.add_init_script(
        "window.shift = 0; new PerformanceObserver(l => l.getEntries().forEach(e => { if (!e.hadRecentInput) window.shift += e.value }))"
        ".observe({type: 'layout-shift', buffered: true})"
    )
    page.reload()
    expect(page.get_by_role("heading", name=stage, level=1)).to_be_visible()
    page.wait_for_timeout(2500)
    assert page.evaluate("window.shift") < 0.05
