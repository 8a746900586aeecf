"""A newcomer with two devices that nobody has described: a battery with its own BMS and a unit with a manual, to the unit's working list."""

import json
import re

from playwright.sync_api import expect

from ewerer.core.devices.library import SHIPPED
from tests.e2e.acts import Person, saved, show, until
from tests.jobs import SKERRY, data

UNIT = """Abbreviations: AbsV = absorption voltage, CutV = low battery cut-off voltage
Voltages in steps of 0.1 V.
No.\tItem\tSetting range\tPreset\tRemarks
BATTERY
01\tKind of battery\t0: AGM / 1: Flooded / 2: Own values / 3: by BMS\t0\t
02\tAbsV\t48.0…60.0 V\t56.4 V\t
03\tFloat voltage\t48.0…60.0 V\t54.0 V\t1)
04\tCutV\t40.0…52.0 V\t44.0 V\t
05\tLow battery reconnect voltage\t44.0…56.0 V\t50.0 V\t
06\tLow battery warning voltage\t40.0…54.0 V\t46.0 V\t
07\tMaximum charging current\t2A, 10A~120A\t60A\tstep 10 A
08\tAbsorption time\t5 to 240 min (5 min)\t60\t
09\tEqualisation\tENA/DIS\tDIS\t*
10\tEqualisation voltage\t48.0…62.0 V\t58.4 V\t
11\tEqualisation time\t0 min, 30..180 min (5 min)\t60\t
12\tTemperature compensation\t-5…0 mV/°C/cell\t-3\t
13\tRecharge voltage\t46.0…56.0 V\t51.0 V\t
14\tDischarge cut-off SOC\t5–50 %\t20\t
15\tRestart SOC\t10–90 %\t40\t
16\tLow SOC warning\t5–60 %\t25\t
17\tLow temperature charge cut-off\t-20…10 °C\t0\t
18\tBattery over-temperature cut-off\t45~70 °C\t55\t
19\tBMS protocol\t0: none / 1: P-One / 2: P-Two\t0\t
20\tAction on BMS communication loss\tstop / continue\tstop\t
AC AND GENERATOR
21\tMax grid charge current\t2/10/20/30 A\t30\t
22\tAC input current limit\t5…63 A (1 A)\t32\t
23\tOutput frequency\t50/60 Hz\t50\t
24\tAC output voltage\t220/230/240 V\t230\t
25\tOutput source priority\t0 = Grid, solar, battery; 1 = Solar, grid, battery; 2 = Solar, battery, grid\t0\t
26\tCharging source priority\t0 = Solar only; 1 = Solar first; 2 = Solar and grid; 3 = Grid first\t1\t
27\tGenerator start voltage\t42.0…52.0 V\t46.0\t
28\tGenerator stop voltage\t48.0…58.0 V\t54.0\t
29\tGenerator warm-up time\t0…300 s (5 s)\t60\t
30\tGenerator minimum run time\t10…240 min (10 min)\t60\t
31\tBack to grid voltage\t42.0…52.0 V\t46.0\t
32\tBack to battery voltage\t48.0…58.0 V\t54.0\t
33\tQuiet hours start\t00:00–23:59\t22:00\t
34\tQuiet hours end\t00:00–23:59\t07:00\t
GENERAL
35\tParallel role\t0: alone / 1: host / 2: follower\t0\t
36\tUnit address\t1…16\t1\t
37\tBuzzer\tON/OFF\tON\t
38\tBacklight\t0…60 min\t5\t
39\tPower saving mode\tON/OFF\tOFF\t
40\tRestart after overload\tON/OFF\tON\t
41\tBypass on overload\tON/OFF\tOFF\t
42\tDisplay contrast\t1…9\t5\t
43\tLanguage\tAlpha/Beta/Gamma\tAlpha\t
44\tBattery capacity\t50…4000 Ah (10 Ah)\t200\t
45\tMaximum discharge current\t10…250 A (10 A)\t200\t
* not for lithium
1) after unlocking only"""


def paste(page, text):
    page.evaluate(
        """text => { const box = document.activeElement; const data = new DataTransfer(); data.setData('text/plain', text);
        box.dispatchEvent(new ClipboardEvent('paste', {clipboardData: data, bubbles: true, cancelable: true}));
        document.execCommand('insertText', false, text) }""",
        text,
    )


def filled(me, *texts):
    """Type texts into fields that follow each other; an empty one is passed by."""
    for text in texts:
        if text:
            me.type(text)
        me.press("Tab")


def port(me, number, label, signals, protocol, entry=""):
    box = me.page.get_by_role("article").nth(number)
    until(
        lambda: box.count() or me.click(me.page.get_by_role("button", name="Add a port")),
        lambda ms: expect(box).to_be_visible(timeout=ms),
    )
    me.click(box.get_by_label("Label beside it"))
    me.type(label)
    me.press("Tab")
    box = me.page.get_by_role("article", name=f"Port {label}", exact=True)
    for pin, signal in signals:
        me.click(box.get_by_role("button", name=f"Pin {pin}: not used"))
        me.click(box.get_by_role("button", name=signal, exact=True))
    me.click(box.get_by_role("button", name="It speaks a protocol"))
    me.click(box.get_by_label("Protocol", exact=True))
    me.type(protocol)
    me.press("Tab")
    if entry:
        me.click(box.get_by_label("Entry in the menu"))
        me.type(entry)
        me.press("Tab")


def test_an_unlisted_battery_and_an_unlisted_unit_to_the_working_list(opened, base):
    """Two of each; every click and key counted. No refusal is left on the way that does not say what would be right."""
    page = opened({"ewerer": "job/2", "name": "Two new ones"}, "Bank")
    me = Person(page)
    # the battery, with a BMS of its own on CAN and RS-485
    me.click(page.get_by_role("link", name="Not listed? Describe it with its BMS"))
    expect(page.get_by_label("Model, as on the plate")).to_be_focused()
    filled(me, "Peat 100", "Own", "", "16", "100", "50", "100", "8", "3.65", "2.5")
    me.click(page.get_by_role("tab", name="Ports"))
    port(me, 0, "CAN", [(4, "CAN-H"), (5, "CAN-L")], "p-one")
    port(me, 1, "COM", [], "p-two")
    me.click(page.get_by_role("button", name="Save", exact=True))
    expect(page.get_by_text("Saved as version 1.")).to_be_visible()
    me.click(page.get_by_role("button", name="Use it in the job"))
    expect(page.get_by_role("heading", name="Bank", level=1)).to_be_visible()
    for _ in range(2):
        me.click(page.get_by_role("button", name="Add module"))
    saved(page)
    # the unit, out of its manual
    show(page, "Units")
    me.clicks += 1
    me.click(page.get_by_role("link", name="Not listed? Describe its menu"))
    expect(page.get_by_label("Model, as on the plate")).to_be_focused()
    filled(me, "Turf 5", "Own", "", "48", "5000", "9000", "120", "60", "", "40", "62", "230", "50", "6")
    me.click(page.get_by_role("button", name="Paste the manual's table of settings"))
    expect(page.get_by_label("Table of settings")).to_be_focused()
    paste(page, UNIT)
    me.press("Control+v")
    expect(page.locator("[data-manual]")).to_have_count(45)
    unsure = page.locator("[data-manual].look")
    for left in range(unsure.count(), 0, -1):

        def say(left=left):
            if unsure.count() == left:
                row = unsure.first
                known = row.locator(".near button", has_not_text="none of these")
                me.click(known.first if known.count() else row.get_by_role("button", name="is nothing of these"))

        until(say, lambda ms, left=left: expect(unsure).to_have_count(left - 1, timeout=ms))
    if page.locator("[data-steps]").count():
        me.click(page.locator("[data-steps]").get_by_role("button", name="Use for all"))
    expect(page.locator("[data-manual] .why")).to_have_count(0)
    me.click(page.get_by_role("button", name="Take 45 into the menu"))
    expect(page.locator("tr[data-setting]")).to_have_count(45)
    me.click(page.get_by_role("tab", name="Ports"))
    port(me, 0, "BAT", [(4, "CAN-H"), (5, "CAN-L")], "p-one", "1 P-One")
    me.click(page.get_by_role("button", name="Save", exact=True))
    expect(page.get_by_text("Saved as version 1.")).to_be_visible()
    me.click(page.get_by_role("button", name="Use it in the job"))
    expect(page.get_by_role("heading", name="Units", level=1)).to_be_visible()
    for number in (1, 2):
        me.click(page.get_by_role("button", name="Add unit"))
        expect(page.get_by_role("button", name=re.compile("^More of "))).to_have_count(number)
    saved(page)
    show(page, "Sheet")
    me.clicks += 1
    with page.expect_download() as fetched:
        me.click(page.get_by_role("link", name="PDF").first)
    assert fetched.value.path().stat().st_size > 5000
    profile = page.request.get(f"{base}/api/library/turf-5").json()
    meant = {s.get("quantity") for s in profile["settings"]} - {None}
    assert len(meant) >= 41, sorted(meant)
    job = page.request.get(f"{base}/api/jobs/{page.url.split('/jobs/')[1].split('/')[0]}").json()["document"]
    assert [m["profile"] for m in job["bank"]["modules"]] == ["peat-100"] * 2
    assert [u["profile"] for u in job["units"]] == ["turf-5"] * 2
    print(f"two profiles to a working list: {me.clicks} clicks, {me.keys} keys")
    assert me.clicks <= 60 and me.keys <= 220, (me.clicks, me.keys)


def posted(page, base, where, body):
    token = page.request.get(f"{base}/api/session").json()["csrf"]
    return page.request.post(f"{base}{where}", data=body, headers={"X-CSRFToken": token, "Referer": base})


def test_words_of_a_choice_are_taught_beside_the_finding(opened, base):
    """A unit whose codes nobody has explained: the finding opens them, one press saves a version and takes it into the job."""
    page = opened(SKERRY, "Sheet")
    profile = json.loads((SHIPPED / "orrowan-t8.json").read_text()) | {"id": "codes-8", "name": "Codes 8"}
    row = next(s for s in profile["settings"] if s.get("quantity") == "charge_order")
    row |= {"encoding": {"kind": "choice", "choices": {"c1": "C1", "c2": "C2", "c3": "C3", "c4": "C4"}}, "factory": "C1"}
    skerry = data(SKERRY)
    document = {**skerry, "name": "Codes", "units": [{**u, "profile": "codes-8"} for u in skerry["units"]]}
    assert posted(page, base, "/api/library", profile).status == 201
    made = posted(page, base, "/api/jobs", document)
    assert made.status == 201, made.text()
    page.goto(f"{base}/jobs/{made.json()['id']}/sheet")
    found = page.locator('[data-finding="choice-missing"]')
    found.locator("[data-teach]").click()
    drawer = page.get_by_role("dialog")
    expect(drawer).to_contain_text("C2")
    pick = drawer.get_by_role("combobox", name="What C2 means")
    pick.click()
    page.get_by_role("option", name="sun first, then grid").click()
    drawer.get_by_role("button", name="Save and take it into the job").click()
    expect(found).to_have_count(0)
    saved(page)
    job = page.request.get(f"{base}/api/jobs/{page.url.split('/jobs/')[1].split('/')[0]}").json()["document"]
    assert job["profile_revisions"]["codes-8"] == 2
    kept = page.request.get(f"{base}/api/library/codes-8").json()
    assert next(s for s in kept["settings"] if s.get("quantity") == "charge_order")["encoding"]["choices"]["sun-first"] == "C2"
    page.goto(f"{base}/library/codes-8")
    expect(page.locator("[data-uses]")).to_contain_text("Codes")
    page.get_by_role("button", name="what changed").click()
    expect(page.get_by_text("its words, sun-first: nothing")).to_be_visible()
