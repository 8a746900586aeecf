"""Stand-ins, ports and the live page, as a person uses them: read by one press, entered by keys, read back, a cable out and back."""

import re

import pytest
from playwright.sync_api import expect

from tests.e2e.acts import choose, show, tick
from tests.jobs import SKERRY, data


def plain():
    return {k: v for k, v in data(SKERRY).items() if k not in ("as_found", "sheet_marks")}


def start(page, entries="all entered as planned"):
    page.get_by_role("tab", name="Live").click()
    expect(page.locator("[data-live-answer]")).to_contain_text("No device is read yet.")
    choose(page, "What the devices show at first", entries)
    page.locator("[data-start-rig]").click()
    expect(page.locator('[data-display="U1"]')).to_be_visible()
    expect(page.locator("[data-live-answer]")).to_contain_text("as expected")


def press(page, unit, *keys):
    page.locator(f'[data-display="{unit}"] [role=application]').focus()
    for key in keys:
        page.keyboard.press(key)


def test_stand_ins_are_read_entered_by_their_keys_and_read_back(opened):
    page = opened(plain(), "Proof")
    start(page)
    charge = page.locator('[data-reading="charge_a"]')
    expect(charge).to_contain_text("399 A")
    expect(charge).to_contain_text("399.0 A")
    # As found by one press, on the sheet.
    show(page, "Sheet")
    page.get_by_role("tab", name="As found").click()
    page.get_by_role("button", name="Read U1 over the cable").click()
    expect(page.locator("[data-cable]")).to_contain_text(re.compile(r"7\d settings read"))
    expect(page.get_by_label("Fill to as found")).to_have_value("55.2")
    # Another value by the device's own keys: Storage, Filling, Fill to, two steps down.
    show(page, "Proof")
    page.get_by_role("tab", name="Live").click()
    lines = page.locator('[data-display="U1"] .screen')
    press(page, "U1", "ArrowDown", "Enter")
    expect(lines).to_contain_text("Declare new store")
    press(page, "U1", *["ArrowDown"] * 8, "Enter")
    expect(lines).to_contain_text("Fill amps, all sources")
    press(page, "U1", "ArrowDown", "ArrowDown", "Enter", "ArrowDown", "ArrowDown")
    expect(lines).to_contain_text("Fill to: 55.0 V")
    press(page, "U1", "Enter")
    expect(lines).to_contain_text("Kept")
    # Read back by one press: it says what differs.
    row = page.locator('[data-port="modbus-tcp U1"]')
    row.get_by_role("button", name="Read U1 back").click()
    expect(row).to_contain_text(re.compile(r"\d differ"))  # the levelling volts too: found above the cells' limit
    expect(row).to_contain_text("55.0 instead of 55.2")
    page.get_by_role("button", name="End stand-ins").click()
    expect(page.locator("[data-live-answer]")).to_contain_text("No device is read yet.")


@pytest.mark.long
def test_a_cable_pulled_shows_on_the_live_page_and_answers_the_fault_finder(opened):
    page = opened(plain(), "Proof")
    start(page)
    expect(page.locator("[data-unit-heard]")).to_contain_text("was heard on the bus")
    tick(page, "checkbox", "Link cable in", on=False)
    expect(page.locator("[data-unit-heard]")).to_contain_text("no sign of life")
    tick(page, "checkbox", "Link cable in", on=True)
    expect(page.locator("[data-unit-heard]")).to_contain_text("was heard on the bus")
    tick(page, "checkbox", "M2 charging allowed", on=False)
    charge = page.locator('[data-reading="charge_a"]')
    expect(charge).to_contain_text("266.0 A")
    expect(charge).to_have_class(re.compile("wrong"))
    expect(page.locator("[data-live-answer]")).to_contain_text("Charge limit")
    page.keyboard.press("f")
    dialog = page.get_by_role("dialog", name="What do you see?")
    dialog.get_by_label("Words of the symptom").press_sequentially("one module's")
    dialog.get_by_role("button", name="The limits shown are one module's").click()
    expect(dialog.get_by_text(", read by a port").first).to_be_visible()
    expect(dialog.locator("[data-cause]").first).to_contain_text("charging or discharging switched off")


def test_a_proof_is_watched_over_the_cable_with_the_cable_out_and_back(opened):
    page = opened(plain(), "Proof")
    base, id = re.match(r"(.*)/jobs/([^/]+)/", page.url).groups()
    token = page.request.get(f"{base}/api/session").json()["csrf"]

    def post(path, body):
        answer = page.request.post(f"{base}/api/jobs/{id}{path}", data=body, headers={"X-CSRFToken": token, "Referer": base})
        assert answer.ok, answer.text()
        return answer.json()

    run = page.request.get(f"{base}/api/jobs/{id}/run").json()
    events = []

    def event(kind, step, **told):
        events.append(
            {
                "ewerer": "event/1",
                "id": f"o{len(events)}",
                "at": "2026-01-02T10:00:00.000Z",
                "by": "demo",
                "kind": kind,
                "step": step,
                **told,
            }
        )

    for step in [s for s in run["steps"] if not s["id"].startswith("proof:")]:
        if not step["firm"]:
            event("override", step["id"], text="not looked at here")
            continue
        for ask in step["asks"]:  # nobody goes past these: they are measured, and good
            gate = ask["gate"]
            if gate:
                low, high = (
                    gate["low"] if gate["low"] is not None else gate["high"],
                    gate["high"] if gate["high"] is not None else gate["low"],
                )
                event(
                    "reading",
                    step["id"],
                    name=ask["name"],
                    shown=f"{(low + high) / 2:g}",
                    value=(low + high) / 2,
                    verdict="pass",
                    text="Good",
                )
            elif ask["good"]:
                event("reading", step["id"], name=ask["name"], shown=ask["good"][0], verdict="pass", text="Good")
        event("done", step["id"])
    for k in range(0, len(events), 150):
        post("/events", {"events": events[k : k + 150]})
    start(page)
    post("/rig/acts", {"do": "speed", "speed": 60})
    page.reload()
    page.get_by_role("tab", name="Tests").click()
    page.locator('[data-test="proof:same"]').get_by_role("button").click()
    watch = page.locator("[data-watch]")
    watch.get_by_role("button", name="Watch it over the cable").click()
    expect(page.get_by_label(re.compile("Charge limit")).first).to_have_value("399")
    expect(page.locator("[data-main]")).to_have_text("Done")
    page.locator("[data-main]").click()
    page.locator('[data-test="proof:link-loss"]').get_by_role("button").click()
    watch.get_by_role("button", name="Watch it over the cable").click()
    expect(watch).to_contain_text("Pull the link cable")
    post("/rig/acts", {"do": "act", "what": "cable", "on": False})
    expect(watch).to_contain_text("Plug it in again")
    expect(page.get_by_text("Nothing can be signed before.").first).to_be_visible()
    post("/rig/acts", {"do": "act", "what": "cable", "on": True})
    expect(watch).to_contain_text(re.compile(r"the link counts as lost after \d+\.\d s; shown again after \d+\.\d s"))
    expect(page.get_by_text("it carries on with its own settings").first).to_be_visible()


@pytest.mark.long
def test_an_entry_is_written_by_whom_a_lead_lets_one_at_a_time_and_read_back(opened):
    page = opened(plain(), "Proof")
    start(page)
    panel = page.locator('[data-display="U1"]')
    panel.get_by_role("button", name="Unlock installer level").click()
    panel.get_by_role("button", name="Standby").click()
    expect(panel.get_by_role("button", name="Output off")).to_be_visible()
    show(page, "Sheet")
    write = page.locator("[data-write]")
    expect(page.get_by_role("button", name="Read U1 back")).to_be_visible()
    expect(write).to_have_count(0)
    show(page, "Proof")
    page.get_by_role("tab", name="Live").click()
    tick(page, "checkbox", "U1 may be written")
    show(page, "Sheet")
    current = page.locator('[data-step][aria-current="step"]')
    for _ in range(12):
        if write.count() and "new-store" not in (current.get_attribute("data-step") or ""):
            break
        before = current.get_attribute("data-step")
        current.locator("button.tick").press("Enter")
        expect(current).not_to_have_attribute("data-step", before)
    step = current.get_attribute("data-step")
    write.get_by_role("button", name="Write it over the cable").click()
    expect(write).to_contain_text("I stand at the unit")
    write.get_by_role("button", name="Write", exact=True).click()
    row = page.locator(f'[data-step="{step}"]')
    expect(row).to_contain_text("✓ done, ")


@pytest.mark.long
def test_writing_is_refused_with_a_stop(opened):
    page = opened(plain(), "Proof")
    start(page, "as they left the factory")
    row = page.locator('[data-port="modbus-tcp U1"]')
    row.get_by_role("button", name="Read U1 over the cable").click()
    expect(row).to_contain_text("settings read")
    tick(page, "checkbox", "U1 may be written")
    show(page, "Sheet")
    expect(page.get_by_text("Do not energise:")).to_be_visible()
    current = page.locator('[data-step][aria-current="step"]')
    while not page.locator("[data-write]").count():
        before = current.get_attribute("data-step")
        current.locator("button.tick").press("Enter")
        expect(current).not_to_have_attribute("data-step", before)
    page.get_by_role("button", name="Write it over the cable").click()
    page.get_by_role("button", name="Write", exact=True).click()
    expect(page.locator("[data-write]")).to_contain_text("the plan has a stop")


def test_writing_is_offered_to_nobody_until_a_lead_says_so_and_foreign_addresses_are_refused(opened):
    page = opened(plain(), "Proof")
    page.get_by_role("tab", name="Live").click()
    page.get_by_label("Address", exact=True).press_sequentially("10.1.2.3")
    page.get_by_role("button", name="Add the port").click()
    expect(page.get_by_text("not among the addresses that are allowed")).to_be_visible()
