"""A newcomer at the keyboard, every click and key counted: from nothing to a right sheet, and a profile out of a manual's table."""

import random
import re

import pytest
from playwright.sync_api import expect

from tests.e2e.acts import Person, saved, show, until
from tests.jobs import SKERRY
from tests.sizes import size


def test_from_nothing_to_the_sheet_of_unlisted_devices(signed):
    """Two modules by nameplate, one unlisted unit with seven settings, to the PDF of its sheet."""
    page, me = signed, Person(signed)
    me.click(page.get_by_role("link", name="New job"))
    expect(page.get_by_label("Name of the site or job")).to_be_focused()
    me.type("Alder Byre")
    me.press("Tab")
    me.type("2")
    me.press("Tab", "Tab")
    expect(page.get_by_role("textbox", name="Capacity")).to_be_focused()
    me.type("280")
    me.press("Tab")
    expect(page.get_by_label("Cells in series")).to_have_attribute("placeholder", "16 assumed")
    me.press("Tab")
    me.type("140")
    me.press("Tab")
    me.type("200")
    me.click(page.get_by_label("Continuous power"))
    me.type("5 kW")
    me.press("Tab")
    me.type("80")
    me.click(page.locator("label", has_text="Alarm").first)
    me.click(page.locator("label", has_text=re.compile("^Generator$")))
    me.click(page.get_by_label("Continuous", exact=True))
    me.type("1500")
    me.press("Enter")
    expect(page.get_by_role("heading", name="Site", level=1)).to_be_visible()
    me.click(page.get_by_role("link", name=re.compile(r"^2 Bank")))
    me.click(page.get_by_label("Resting volts of M1"))
    me.type("53.1")
    me.press("Enter")
    expect(page.get_by_label("Resting volts of M2")).to_be_focused()
    me.type("53.12")
    me.press("Enter")
    me.click(page.get_by_role("link", name=re.compile(r"^9 Sheet")))
    for words in ("Absorption", "Float", "Shut-down", "Restart", "Charge current", "Charge current from AC", "Alarm"):
        expect(page.locator("[data-step]").filter(has_text=words).first).to_be_visible()
    saved(page)
    with page.expect_download() as download:
        me.click(page.get_by_role("link", name="PDF", exact=True).first)
    assert download.value.path().read_bytes().startswith(b"%PDF")
    document = page.request.get(page.url.replace("/jobs/", "/api/jobs/").removesuffix("/sheet")).json()["document"]
    assert [m["resting_v"] for m in document["bank"]["modules"]] == [53.1, 53.12]
    assert document["units"][0]["plate"]["continuous_w"] == 5000 and len(document["units"][0]["plate"]["takes"]) == 7
    assert document["loads"]["continuous_w"] == 1500 and document["site"]["sources"] == ["sun", "generator"]
    print(f"from nothing to a sheet: {me.clicks} clicks, {me.keys} keys")
    assert me.clicks <= 35 and me.keys <= 160, (me.clicks, me.keys)


NAMES = [
    ("Absorption voltage", "48.0~58.4 V", "0.1 V", "56.4 V"), ("Float voltage", "48.0~58.4 V", "0.1 V", "54.0 V"), ("Low battery cut-off", "40.0~52.0 V", "0.1 V", "42.0 V"),
    ("Reconnect voltage", "44.0~56.0 V", "0.1 V", "48.0 V"), ("Low battery alarm voltage", "42.0~54.0 V", "0.1 V", "44.0 V"), ("Battery type", "Flooded / AGM / Gel / User", "", "AGM"),
    ("Max charge current", "10~120 A", "10 A", "60 A"), ("Charge current from AC", "5~80 A", "5 A", "30 A"), ("Maximum discharge current", "10~200 A", "10 A", "200 A"),
    ("Minimum SOC", "5~50 %", "1 %", "20 %"), ("Low SOC alarm", "5~60 %", "1 %", "30 %"), ("Restart SOC", "10~90 %", "1 %", "40 %"), ("Absorption time", "5~240 min", "5 min", "60 min"),
    ("Tail current", "1~40 A", "1 A", "10 A"), ("Equalisation", "On / Off", "", "Off"), ("Equalisation voltage", "48.0~60.0 V", "0.1 V", "58.4 V"), ("Equalisation time", "5~240 min", "5", "60"),
    ("Equalisation interval", "1~90 days", "1", "30"), ("Temperature compensation", "0~8 mV/°C", "1", "4"), ("AC output voltage", "220~240 V", "10 V", "230 V"), ("AC output frequency", "50~60 Hz", "10", "50"),
    ("AC input current limit", "2~40 A", "1 A", "20 A"), ("Generator start voltage", "42.0~54.0 V", "0.1", "46.0"), ("Generator stop voltage", "48.0~58.0 V", "0.1", "54.0"), ("Generator start SOC", "5~90 %", "1", "30"),
    ("Generator stop SOC", "10~100 %", "1", "80"), ("Generator minimum run time", "0~240 min", "10", "30"), ("Generator warm-up time", "0~300 s", "10", "60"), ("Battery capacity", "50~4000 Ah", "10", "200"),
    ("Back to grid voltage", "42.0~54.0 V", "0.1", "46.0"), ("Back to battery voltage", "48.0~58.0 V", "0.1", "54.0"), ("Buzzer", "On / Off", "", "On"), ("Backlight", "0~60 min", "1", "5"),
    ("Power saving mode", "On / Off", "", "Off"), ("Shutdown delay", "0~60 s", "1", "5"), ("Recharge voltage", "48.0~56.0 V", "0.1", "52.0"), ("Overload bypass", "On / Off", "", "Off"),
    ("Export power limit", "0~6000 W", "100", "0"), ("Neutral ground bond", "On / Off", "", "Off"), ("Quick glow of the front lamp", "1~9", "1", "3"),
]  # fmt: skip


def test_forty_rows_of_a_manual_become_a_profile_and_a_job_uses_it(opened, base):
    """As a person acts: copy the table, paste it, look at what is not sure, fill in the plate, save, use it."""
    page = opened({"ewerer": "job/2", "name": "Manual"}, "Units")
    me = Person(page)
    assert len(NAMES) == 40
    me.click(page.get_by_role("link", name="Not listed? Describe its menu"))
    me.click(page.get_by_label("Model, as on the plate"))
    me.type("Tallow K5")
    me.press("Tab")
    me.type("Tallow Row")
    for label, typed in (("Voltage class", "48"), ("Continuous power", "5000"), ("Peak power, seconds", "10 kW"), ("Charges at most", "120"), ("Charges from AC at most", "80"),
                         ("Battery side, lowest", "40"), ("Battery side, highest", "60"), ("AC volts", "230"), ("Frequency", "50")):  # fmt: skip
        me.click(page.get_by_label(label))
        me.type(typed)
        expect(page.get_by_label(label)).to_have_value(typed)
    expect(page.get_by_label("Short name")).to_have_value("tallow-k5")
    me.click(page.get_by_role("button", name="Paste the manual's table of settings"))
    table = "\n".join("\t".join([f"{i:02d}", *row]) for i, row in enumerate([("Setting", "Range", "Step", "Factory"), *NAMES]))
    page.get_by_label("Table of settings").focus()
    page.evaluate(
        """text => { const box = document.activeElement; const data = new DataTransfer(); data.setData('text/plain', text);
        box.dispatchEvent(new ClipboardEvent('paste', {clipboardData: data, bubbles: true, cancelable: true}));
        document.execCommand('insertText', false, text) }""",
        table.replace("00\tSetting", "No\tSetting"),
    )
    me.press("Control+v")
    expect(page.locator("[data-manual]")).to_have_count(40)
    unsure = page.locator("[data-manual].look")
    while left := unsure.count():
        until(
            lambda left=left: unsure.count() == left and me.click(unsure.first.locator(".near button").first),
            lambda ms, left=left: expect(unsure).not_to_have_count(left, timeout=ms),
        )
    if page.locator("[data-steps]").count():
        me.click(page.locator("[data-steps]").get_by_role("button", name="Use for all"))
    expect(page.locator("[data-manual] .why")).to_have_count(0)
    me.click(page.get_by_role("button", name="Take 40 into the menu"))
    expect(page.locator("tr[data-setting]")).to_have_count(40)
    me.click(page.get_by_role("button", name="Save", exact=True))
    expect(page.get_by_text("Saved as version 1.")).to_be_visible()
    me.click(page.get_by_role("button", name="Use it in the job"))
    expect(page.get_by_role("heading", name="Units", level=1)).to_be_visible()
    me.click(page.get_by_role("button", name="Add unit"))
    saved(page)
    profile = page.request.get(f"{base}/api/library/tallow-k5").json()
    quantities = {s.get("quantity") for s in profile["settings"]}
    assert {
        "absorb_v",
        "float_v",
        "shutdown_v",
        "restart_v",
        "alarm_v",
        "charge_max_a",
        "mains_charge_max_a",
        "shutdown_soc",
        "battery_type",
    } <= quantities
    assert len(quantities) >= 36
    print(f"forty rows to a profile in a job: {me.clicks} clicks, {me.keys} keys")
    assert me.clicks <= 40 and me.keys <= 160, (me.clicks, me.keys)


KINDS = [
    ("Site", "Mains breaker, per phase", 1, 400), ("Site", "Generator, continuous", 100, 90_000), ("Bank", "Resting volts of M1", 40, 58), ("Bank", "Main leads, both ways", 0, 20),
    ("Limits", "Chosen rate, charging", 0.1, 1),
]  # fmt: skip


def test_a_number_typed_key_by_key_is_the_number_stored(opened, base):
    """In every kind of field: what stands in the field after each key is what was typed; what is stored is what it says."""
    page = opened(SKERRY, "Site")
    chance = random.Random(11)
    for stage, label, low, high in KINDS[:: size(2, 1)]:
        show(page, stage)
        field = page.get_by_label(label, exact=True).first
        pointer = field.get_attribute("data-pointer") or field.locator("xpath=ancestor::*[@data-pointer][1]").get_attribute(
            "data-pointer"
        )
        for _ in range(size(2, 3)):
            value = round(chance.uniform(low, high), chance.choice([1, 2]))
            text = f"{value}"
            if chance.random() < 0.4:
                text = text.replace(".", ",")
            field.click()
            page.keyboard.press("Control+a")
            for i, key in enumerate(text):
                page.keyboard.press(key)
                assert field.input_value() == text[: i + 1], (label, text)
            page.keyboard.press("Tab")
            saved(page)
            node = page.request.get(f"{base}/api/jobs/{page.url.split('/jobs/')[1].split('/')[0]}").json()["document"]
            for part in pointer.split("/")[1:]:
                node = node[int(part)] if isinstance(node, list) else node[part]
            assert abs(node - value) < 1e-9, (label, text, node)


def test_what_could_be_two_figures_is_asked_and_nothing_is_stored_meanwhile(opened, base):
    page = opened(SKERRY, "Site")
    field = page.locator('[data-pointer="/loads/continuous_w"]')
    before = field.input_value()
    field.click()
    page.keyboard.press("Control+a")
    page.keyboard.type("12,000", delay=30)
    asked = page.locator("[data-which]")
    expect(asked).to_contain_text("12\u202f000 W")
    expect(asked).to_contain_text("12 W")
    id = page.url.split("/jobs/")[1].split("/")[0]
    assert page.request.get(f"{base}/api/jobs/{id}").json()["document"]["loads"]["continuous_w"] == float(before)
    page.reload()
    expect(page.locator('[data-pointer="/loads/continuous_w"]')).to_have_value("12,000")
    page.locator("[data-which]").get_by_role("button", name="12\u202f000 W").click()
    expect(page.locator('[data-pointer="/loads/continuous_w"]')).to_have_value("12000")
    saved(page)
    assert page.request.get(f"{base}/api/jobs/{id}").json()["document"]["loads"]["continuous_w"] == 12000


@pytest.mark.long
def test_a_profile_field_keeps_its_decimal_point(signed, base):
    page = signed
    page.goto(f"{base}/library/new")
    page.get_by_role("button", name="New battery module").click()
    for label, text in (("Cell maximum", "3.65"), ("Resistance", "0.85"), ("Capacity", "104,5"), ("Charge, data sheet", "0.5 kA")):
        field = page.get_by_role("textbox", name=label, exact=True)
        field.click()
        for i, key in enumerate(text):
            page.keyboard.press(key) if key != " " else page.keyboard.press("Space")
            assert field.input_value() == text[: i + 1]
    page.get_by_label("Model, as on the plate").click()
    page.keyboard.type("Points")
    page.get_by_role("button", name="As text").click()
    written = page.get_by_label("Profile as JSON").input_value()
    for part in ('"cell_max_v": 3.65', '"resistance_mohm": 0.85', '"capacity_ah": 104.5', '"charge_a": 500', '"id": "points"'):
        assert part in written, written


def test_modules_like_the_last_and_volts_pasted_down_a_column(opened):
    page = opened(SKERRY, "Bank")
    rows = page.locator("[data-pointer^='/bank/modules/'][data-pointer$='/resting_v']")
    before = rows.count()
    page.get_by_role("button", name="Add 6 like the last").click()
    expect(rows).to_have_count(before + 6)
    page.get_by_label("Resting volts of M1", exact=True).focus()
    page.evaluate(
        """() => { const data = new DataTransfer(); data.setData('text', '53.1\\n53,2 V\\n53300 mV');
        document.activeElement.dispatchEvent(new ClipboardEvent('paste', {clipboardData: data, bubbles: true, cancelable: true})) }"""
    )
    expect(page.get_by_label("Resting volts of M3", exact=True)).to_have_value("53.3")
    expect(page.get_by_label("Resting volts of M2", exact=True)).to_have_value("53.2")
