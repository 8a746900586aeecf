"""The run on site in the browser: whole runs by keyboard and by touch, a day without a network, two people at once, tests put back."""

import json
import re
import time

import pytest
from playwright.sync_api import expect

from tests.e2e.acts import PATIENCE_MS, unfold
from tests.files import picture
from tests.jobs import LARCH, SKERRY, data

STEP = "[data-run-step]"


class Site:
    """A job through the API, as the signed-in person."""

    def __init__(self, page, base, name):
        self.page, self.base = page, base
        self.token = page.request.get(f"{base}/api/session").json()["csrf"]
        self.id = self.post("/api/jobs", data(name)).json()["id"]
        self.steps = self.get("run")["steps"]
        self.by_id = {s["id"]: s for s in self.steps}

    def post(self, path, body):
        return self.page.request.post(
            self.base + path,
            data=json.dumps(body),
            headers={"X-CSRFToken": self.token, "Referer": self.base, "Content-Type": "application/json"},
        )

    def get(self, part):
        return self.page.request.get(f"{self.base}/api/jobs/{self.id}/{part}").json()

    def events(self):
        return [i["event"] for i in self.get("events?limit=5000")["items"]]

    def tell(self, *made):
        events = [
            {
                "ewerer": "event/1",
                "by": "demo",
                "id": f"api-{time.monotonic_ns()}-{i}",
                "at": f"2026-05-04T09:{i // 60:02d}:{i % 60:02d}.000Z",
            }
            | e
            for i, e in enumerate(made)
        ]
        answer = self.post(f"/api/jobs/{self.id}/events", {"events": events}).json()
        assert answer["refused"] == [], answer
        return events

    def done_before(self, section):
        order = [s["id"] for s in self.steps]
        upto = next(i for i, s in enumerate(self.steps) if s["section"] == section)
        self.tell(*({"kind": "done", "step": x} for id in order[:upto] for x in told_of(self.by_id[id])))

    def open(self, page=None, stage="run"):
        page = page or self.page
        page.goto(f"{self.base}/jobs/{self.id}/{stage}")
        if stage == "run":
            expect(page.locator(STEP)).to_be_visible()
        return page


def told_of(step):
    """Return the ids under which a step is told: a page's lines, else its own."""
    return [line["id"] for line in step["lines"]] or [step["id"]]


@pytest.fixture
def site(signed, base):
    return lambda name: Site(signed, base, name)


def value_for(step, ask):
    """A good reading: the middle of its gate, else something sensible for the figures that are worked out."""
    gate = ask.get("gate") or {}
    low, high, expected = gate.get("low"), gate.get("high"), gate.get("expected")
    if expected is not None:
        return expected
    if low is not None or high is not None:
        return (low if high is None else high if low is None else (low + high) / 2) or 0
    given, name = step.get("given", {}), ask["name"]
    if ask.get("least") is not None:
        return round(ask["least"] / 1.5 * 3.3, 2)  # cells of lithium at rest
    good = {
        "resistance": {"v1": 53.2, "i1": 2, "v2": 53.2 - 0.1 * given.get("expected_mohm", 5), "i2": 102},
        "gain": {"shown": 60, "reference": 60},
        "temperature": {"shown": 19.5, "second": 19},
        "share": {name: 20},
        "ac_draw": {"amps": 20, "volts": 54, "loads": 600, "input": 20 * 54 / given.get("efficiency", 0.9) + 600},
    }.get(step.get("figures"), {})
    return good.get(name, 1)


class Hands:
    """How a person works the screen: by keys, or by touch."""

    def __init__(self, page, touch):
        self.page, self.touch = page, touch
        self.taps = self.keys = 0

    def reach(self, place):
        """Go to a control: by Tab, as a keyboard does, or not at all by touch."""
        here = (
            "e => e === document.activeElement || (e.contains(document.activeElement) && document.activeElement !== document.body)"
        )
        for _ in range(140):
            if place.evaluate(here):
                return
            self.page.keyboard.press("Tab")
        raise AssertionError("no Tab reaches it")

    def press(self, place):
        self.taps += 1
        if self.touch:
            place.tap()
        else:
            self.reach(place)
            self.page.keyboard.press("Enter")

    def type(self, place, text):
        self.taps += 1
        self.keys += len(text) + 1
        if self.touch:
            place.tap()
        else:
            self.reach(place)
        self.page.keyboard.type(text)
        self.page.keyboard.press("Enter")


def work(page, site, hands, id):
    """Do one step as it goes well, or go past it with a reason where its figures cannot come out well here."""
    step, card = site.by_id[id], page.locator(f'[data-run-step="{id}"]')
    t = step.get("temporary")
    if step.get("optional"):
        hands.press(card.get_by_role("button", name="Leave out…"))
        hands.type(page.get_by_label("Why is it left out?"), "not today")
        return
    if t:
        hands.press(card.locator("[data-change]"))
        expect(card.locator("[data-main]")).to_have_text("First put it back")
    for ask in step.get("asks", []):
        field = card.locator(f'[data-ask="{ask["name"]}"]')
        if ask["kind"] == "figure" and ask["needed"]:
            hands.type(field.locator("input"), f"{value_for(step, ask):.6g}")
        elif ask["kind"] == "tick":
            hands.press(field.get_by_role("button"))
        elif ask["kind"] == "choice":
            good = "not looked at" if ask["name"] == "noted" else (ask.get("good") or ask["choices"])[0]
            hands.press(field.get_by_role("button", name=good, exact=True))
        elif ask["kind"] == "text" and ask["needed"]:
            hands.type(field.locator("input"), (ask.get("good") or ["as it is"])[0])
    for name in step.get("stopwatch", []):
        hands.press(card.locator(".watch").get_by_role("button", name=re.compile(f"^{name}")))
    if t:
        if t["setting"]:
            hands.type(card.get_by_label(f"{t['label']} read back"), t["back_to"])
        else:
            hands.press(card.locator("[data-restore]"))
        expect(card.get_by_text(f"Put back: {t['back_to']}")).to_be_visible()
    if step["kind"] == "wait" and step.get("wait_s"):
        hands.press(card.get_by_role("button", name=re.compile("^Start the wait")))
        page.clock.fast_forward(int(step["wait_s"] * 1000) + 1000)
    main = card.locator("[data-main]")
    count = len(step["lines"])
    expect(main).to_have_text("Done" if not count else "Entered" if count == 1 else f"All {count} entered")
    hands.press(main)


def whole_run(page, site, touch):
    page.clock.install()
    site.open()
    hands = Hands(page, touch)
    expected = [s["id"] for s in site.steps if not s["after_days"]]
    for id in expected:
        expect(page.locator(STEP)).to_have_attribute("data-run-step", id)
        work(page, site, hands, id)
    expect(page.locator("[data-sync]")).to_contain_text("all sent")
    state = site.get("state")
    finished = {id: s["status"] for id, s in state["steps"].items()}
    told = [x for id in expected for x in told_of(site.by_id[id])]
    assert {finished.get(id) for id in told} <= {"done", "skipped"}, {
        i: finished.get(i) for i in told if finished.get(i) not in ("done", "skipped")
    }
    assert site.get("record")["may_close"]
    order = [e["step"] for e in sorted(site.events(), key=lambda e: (e["at"], e["id"])) if e["kind"] in ("done", "skipped")]
    assert sorted(order) == sorted(told), "each once"
    pages = {x: id for id in expected for x in told_of(site.by_id[id])}
    assert list(dict.fromkeys(pages[x] for x in order)) == expected, "in the order of the run"
    print(f"{len(expected)} steps: {hands.taps} presses, {hands.keys} keys")
    assert hands.taps <= 220 and hands.keys <= 350, (hands.taps, hands.keys)


@pytest.mark.long
def test_the_whole_run_of_a_demo_by_keyboard(site):
    place = site(LARCH)
    whole_run(place.page, place, touch=False)


@pytest.mark.parametrize(
    "size", [pytest.param((820, 1180), marks=pytest.mark.long, id="tablet"), pytest.param((390, 844), id="telephone")]
)
def test_the_whole_run_of_a_demo_by_touch(browser, base, cookies, size):
    context = browser.new_context(
        viewport={"width": size[0], "height": size[1]}, has_touch=True, is_mobile=True, service_workers="block"
    )
    unfold(context)
    context.add_cookies(cookies)
    page = context.new_page()
    page.set_default_timeout(PATIENCE_MS)
    page.goto(base)
    whole_run(page, Site(page, base, LARCH), touch=True)
    wide = page.evaluate("document.documentElement.scrollWidth")
    assert wide <= size[0], "nothing sticks out sideways"
    context.close()


def test_a_day_without_a_network_and_a_killed_tab_lose_nothing(browser, base, cookies):
    """Forty events and three photographs without a line, the tab killed, opened again without a line, then the line is back."""
    context = browser.new_context(viewport={"width": 820, "height": 1180})
    unfold(context)
    context.add_cookies(cookies)
    page = context.new_page()
    page.set_default_timeout(PATIENCE_MS)
    page.goto(base)
    place = Site(page, base, SKERRY)
    place.open()
    # Opened once: the page says when it would open again without a network, and nothing is loaded anew before the line goes.
    expect(page.locator("[data-sync]")).to_have_text("all sent, ready without network")
    context.set_offline(True)
    hands = Hands(page, False)
    for id in ("before:people", "before:meters", "before:gear", "before:papers"):
        hands.press(page.locator(f'[data-run-step="{id}"] [data-main]'))
    expect(page.locator(STEP)).to_have_attribute("data-run-step", "found:photo")
    for n in range(3):
        page.locator('[aria-label="Photo for this step"] input[type=file]').set_input_files(
            {"name": f"{n}.png", "mimeType": "image/png", "buffer": picture((320 + n, 240), "PNG")}
        )
    for n in range(33):
        note = page.get_by_label("Note on this step")
        note.click()
        page.keyboard.type(f"note {n:02d}")
        page.keyboard.press("Enter")
    expect(page.locator("[data-sync]")).to_have_text("40 events and 3 photos wait to be sent")
    page.close()
    page = context.new_page()
    page.set_default_timeout(PATIENCE_MS)
    page.goto(f"{base}/jobs/{place.id}/run")
    expect(page.locator(STEP)).to_have_attribute("data-run-step", "found:photo")
    expect(page.locator("[data-sync]")).to_contain_text("40 events and 3 photos wait to be sent")
    expect(page.locator(".pictures img")).to_have_count(3)
    Hands(page, False).press(page.locator("[data-main]"))
    expect(page.locator("[data-sync]")).to_contain_text("41 events and 3 photos")
    context.set_offline(False)
    expect(page.locator("[data-sync]")).to_contain_text("all sent")
    place.page = page
    events = place.events()
    assert [e["text"] for e in events if e["kind"] == "note"] == [f"note {n:02d}" for n in range(33)]
    assert len(events) == len({e["id"] for e in events}) == 41
    assert events == sorted(events, key=lambda e: e["at"]), "they arrive in the order they were made in"
    for key in [e["photo"] for e in events if e["kind"] == "photo"]:
        assert page.request.get(f"{base}/api/jobs/{place.id}/photos/{key}").status == 200
    context.close()


def test_two_browsers_on_one_run_see_each_others_steps(browser, base, cookies):
    pages = []
    for _ in range(2):
        context = browser.new_context(viewport={"width": 1280, "height": 800}, service_workers="block")
        unfold(context)
        context.add_cookies(cookies)
        pages.append(context.new_page())
        pages[-1].set_default_timeout(PATIENCE_MS)
    pages[0].goto(base)
    place = Site(pages[0], base, SKERRY)
    for page in pages:
        place.open(page)
    Hands(pages[0], False).press(pages[0].locator('[data-run-step="before:people"] [data-main]'))
    expect(pages[1].locator('[data-line="before:people"]')).to_have_class(re.compile("done"))
    pages[1].locator('[data-line="before:gear"]').click()
    pages[1].locator('[data-run-step="before:gear"] [data-main]').click()
    expect(pages[0].locator('[data-line="before:gear"]')).to_have_class(re.compile("done"))
    for page in pages:
        expect(page.locator("[data-progress]").locator("xpath=following-sibling::*[1]")).to_contain_text("2 done")
        page.context.close()


@pytest.mark.long
def test_a_forced_transfer_cannot_be_left_open(site):
    place = site(SKERRY)
    place.done_before("proof")
    place.tell({"kind": "done", "step": "proof:same"})
    page = place.open(stage="proof")
    page.get_by_role("button", name="Transfer", exact=True).click()
    card = page.locator('[data-run-step="proof:transfer"]')
    t = place.by_id["proof:transfer"]["temporary"]
    card.get_by_label(re.compile("is set to for the test")).click()
    page.keyboard.type("60")
    page.keyboard.press("Enter")
    expect(card.get_by_role("alert")).to_contain_text("Changed for the test")
    expect(card.locator("[data-main]")).to_have_text("First put it back")
    for gone in ("Override…", "Leave out…", "Take back…"):
        expect(card.get_by_role("button", name=gone)).to_have_count(0)
    for stage in ("bank", "limits", "handover"):
        place.open(stage=stage)
        expect(page.locator("[data-changed]")).to_contain_text(f"{t['label']} is 60")
    expect(page.get_by_text("put back what was changed for the test")).to_be_visible()
    page.get_by_label("Name in full").click()
    page.keyboard.type("Ada Reed")
    expect(page.get_by_role("button", name="Sign", exact=True)).to_be_disabled()
    signed = {
        "ewerer": "event/1",
        "id": "forced",
        "at": time.strftime("%Y-%m-%dT%H:%M:%S.000Z", time.gmtime(time.time() + 60)),
        "by": "demo",
        "kind": "signed",
        "name": "Ada",
        "text": "commissioned it",
    }
    assert "put back" in place.post(f"/api/jobs/{place.id}/events", {"events": [signed]}).json()["refused"][0]["message"]
    hands = Hands(page, False)
    hands.press(page.locator("[data-changed] a"))
    expect(page.locator('[data-run-step="proof:transfer"]')).to_be_visible()
    expect(page).to_have_url(re.compile("/run$"))
    place.open(stage="proof")
    page.get_by_role("button", name="Put it back").click()
    back = page.get_by_label(f"{t['label']} read back")
    back.click()
    page.keyboard.type("61")
    page.keyboard.press("Enter")
    expect(card.get_by_role("alert").filter(has_text=f"It must show {t['back_to']} again")).to_be_visible()
    back.click()
    page.keyboard.press("Control+A")
    page.keyboard.type(t["back_to"])
    page.keyboard.press("Enter")
    expect(card.get_by_text(f"Put back: {t['back_to']}")).to_be_visible()
    expect(page.locator("[data-sync]")).to_contain_text("all sent")
    place.open(stage="handover")
    page.get_by_label("Name in full").click()
    page.keyboard.type("Ada Reed")
    page.get_by_role("button", name="Sign", exact=True).click()
    expect(page.get_by_text("Ada Reed", exact=True)).to_be_visible()
    expect(page.get_by_role("button", name="Seal the handover")).to_be_enabled()
    page.get_by_role("button", name="Seal the handover").click()
    with page.expect_download() as file:
        page.get_by_role("link", name="Handover 1").click()
    assert file.value.path().read_bytes()[:2] == b"PK"


def test_a_failed_reading_blocks_what_depends_on_it_until_a_reason_is_given(site):
    place = site(SKERRY)
    place.done_before("protocol")
    place.tell(
        {
            "kind": "undo",
            "target": next(e["id"] for e in place.events() if e["step"] == "address:ohms"),
            "text": "measure it",
            "at": "2026-05-04T12:00:00.000Z",
        }
    )
    page = place.open()
    page.locator('[data-line="address:ohms"]').click() if page.locator('[data-line="address:ohms"]').count() else None
    card = page.locator('[data-run-step="address:ohms"]')
    expect(card).to_be_visible()
    figure = card.locator('[data-ask="ohms"] input')
    figure.click()
    for wrong in ("one hundred", "1..8"):
        page.keyboard.press("Control+A")
        page.keyboard.type(wrong)
        page.keyboard.press("Enter")
        expect(card.get_by_role("alert")).to_contain_text(re.compile("this is not a number|group digits by threes"))
    page.keyboard.press("Control+A")
    page.keyboard.type("118,0")
    page.keyboard.press("Enter")
    expect(card.get_by_text("One terminator is missing")).to_be_visible()
    expect(card.locator("[data-main]")).to_have_text("Measure again")
    page.get_by_role("button", name=re.compile("parts to come")).click()
    page.get_by_role("button", name=re.compile("^Protocol on both sides")).click()
    expect(page.locator('[data-line="protocol:cable"]')).to_have_class(re.compile("blocked"))
    expect(page.locator('[data-line="protocol:modules"]')).to_have_class(re.compile("ready"))
    card.get_by_role("button", name="Override…").click()
    page.get_by_label("Why may the work go on?").click()
    page.keyboard.type("spare plug comes tomorrow")
    page.keyboard.press("Enter")
    expect(page.locator('[data-run-step="protocol:modules"]')).to_be_visible()
    page.get_by_role("button", name=re.compile("parts done")).click()
    page.get_by_role("button", name=re.compile("^Addresses")).click()
    page.locator('[data-line="address:ohms"]').click()
    expect(card.get_by_text("Overridden: spare plug comes tomorrow")).to_be_visible()
    assert place.get("state")["steps"]["address:ohms"]["status"] == "overridden"
