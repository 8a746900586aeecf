"""Each stage as it is first met, folded: an answer on its first screen, few words, figures and controls; hands on touch and keys."""

import re

import pytest
from playwright.sync_api import expect

from tests.e2e.acts import made_job, open_stage, saved, show
from tests.jobs import LARCH, SKERRY, data

MOST = {"words": 230, "numbers": 60, "controls": 35}
MOST_SCREENS = 2.2
STAGES = ["Site", "Bank", "Units", "Link", "Limits", "Thresholds", "Sources", "Windows", "Sheet", "Run", "Proof", "Handover"]
IN_VIEW = """() => {
  const inside = (r) => r.width > 1 && r.height > 1 && r.bottom > 0 && r.top < innerHeight && r.right > 0 && r.left < innerWidth
  let text = ''
  const walk = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT)
  while (walk.nextNode()) {
    const node = walk.currentNode, holder = node.parentElement
    if (!node.data.trim() || !holder || !holder.checkVisibility({opacityProperty: true, visibilityProperty: true})) continue
    const range = document.createRange()
    range.selectNodeContents(node)
    if ([...range.getClientRects()].some(inside)) text += ' ' + node.data
  }
  const can = 'a[href],button,input,select,textarea,[role=button],[role=tab],[role=radio],[role=slider],summary'
  const controls = [...document.querySelectorAll(can)].filter((e) => e.checkVisibility() && inside(e.getBoundingClientRect())).length
  return {text, controls, screens: document.querySelector('#stage').scrollHeight / innerHeight}
}"""


@pytest.fixture
def folded(page, context, cookies, base):
    """Return a function that shows a stage of a fresh job to somebody who has opened nothing yet."""
    context.add_cookies(cookies)

    def open_job(source, stage):
        return open_stage(page, base, source, stage)

    return open_job


def test_each_first_screen_answers_within_its_budget(folded):
    page = folded(data(SKERRY), "Site")
    over = []
    for stage in STAGES:
        show(page, stage)
        expect(page.locator("[data-plan-state]")).to_have_text("plan fresh")
        if stage == "Run":
            expect(page.locator("[data-run-step]")).to_be_visible()
        else:
            expect(page.locator("[data-answer]")).to_be_visible()
        if stage == "Windows":
            expect(page.locator("[data-simulated] svg")).to_be_visible()
        page.wait_for_timeout(300)
        seen = page.evaluate(IN_VIEW)
        counts = {
            "words": len(re.findall(r"[^\W\d_]{2,}", seen["text"])),
            "numbers": len(re.findall(r"\d+(?:[.,:]\d+)*", seen["text"])),
            "controls": seen["controls"],
        }
        over += [(stage, what, n) for what, n in counts.items() if n > MOST[what]]
        if seen["screens"] > MOST_SCREENS:
            over.append((stage, "screens", seen["screens"]))
    assert over == []


def test_what_is_folded_is_found_by_whoever_is_sent_there(folded):
    page = folded(data(LARCH), "Bank")
    fuse = page.get_by_label("Main fuse")
    expect(fuse).to_be_hidden()
    page.keyboard.press("/")
    page.keyboard.type("main fuse")
    page.keyboard.press("Enter")
    expect(fuse).to_be_focused()
    # What a person opened stays open, here and after a reload.
    page.reload()
    expect(fuse).to_be_visible()
    page.locator('[data-fold="bank:leads"] > summary').click()
    expect(fuse).to_be_hidden()


def test_one_page_of_the_menu_is_open_at_a_time_and_moves_on_with_the_work(folded):
    page = folded(data(SKERRY), "Sheet")
    pages = page.locator("details.page")
    expect(page.locator("details.page[open]")).to_have_count(1)
    rows = page.locator("[data-step]")
    first_rows = rows.count()
    page.locator('[data-row="0"]').focus()
    for _ in range(first_rows):
        page.keyboard.press("Enter")
    expect(page.locator("details.page[open]")).to_have_count(1)
    expect(pages.nth(0)).not_to_have_attribute("open", "")
    expect(pages.nth(1)).to_have_attribute("open", "")
    expect(page.locator("[data-answer]")).to_contain_text("Next on U1: set “")
    expect(page.get_by_role("status").filter(has_text=f"{first_rows} of")).to_be_visible()
    saved(page)


def touch(page, x, y, dy, steps=6):
    """Drag by a finger, as the browser's own input sends it."""
    hand = page.context.new_cdp_session(page)
    hand.send("Input.dispatchTouchEvent", {"type": "touchStart", "touchPoints": [{"x": x, "y": y}]})
    for k in range(1, steps + 1):
        hand.send("Input.dispatchTouchEvent", {"type": "touchMove", "touchPoints": [{"x": x, "y": y + dy * k / steps}]})
        page.wait_for_timeout(20)
    hand.send("Input.dispatchTouchEvent", {"type": "touchEnd", "touchPoints": []})


@pytest.mark.parametrize("size", [pytest.param((820, 1180), marks=pytest.mark.long), (390, 844)])
def test_a_rung_is_dragged_by_a_finger(browser, cookies, base, size):
    context = browser.new_context(
        viewport={"width": size[0], "height": size[1]}, has_touch=True, is_mobile=True, service_workers="block"
    )
    context.add_cookies(cookies)
    page = context.new_page()
    job = made_job(page, base, data(SKERRY))
    page.goto(f"{base}/jobs/{job}/thresholds")
    rung = page.locator('[data-rung="alarm_v"]')
    rung.scroll_into_view_if_needed()
    before = float(rung.get_attribute("aria-valuenow"))
    box = rung.bounding_box()
    scrolled = page.evaluate("document.querySelector('#stage').scrollTop")
    touch(page, box["x"] + box["width"] / 2, box["y"] + box["height"] / 2, -60)
    # The figure follows the finger: asked for, whether the rules grant it or not; the page does not scroll instead.
    expect(page.locator("[data-save-state]")).to_contain_text("saved ")
    own = page.request.get(f"{base}/api/jobs/{job}").json()["document"]["policy"]["own_figures"]
    assert own["alarm_v"] > before + 0.5
    assert page.evaluate("document.querySelector('#stage').scrollTop") == scrolled
    context.close()


@pytest.mark.parametrize(
    "pause_ms",
    [
        0,
        pytest.param(33, marks=pytest.mark.long),
        pytest.param(60, marks=pytest.mark.long),
        150,
        pytest.param(300, marks=pytest.mark.long),
    ],
)
def test_keys_on_a_rung_add_up_however_fast_they_come(opened, pause_ms):
    page = opened(SKERRY, "Thresholds")
    rung = page.locator('[data-rung="shutdown_v"]')
    before = float(rung.get_attribute("aria-valuenow"))
    rung.focus()
    for _ in range(7):
        page.keyboard.press("ArrowUp")
        page.wait_for_timeout(pause_ms)
    expect(rung).to_have_attribute("aria-valuenow", re.compile(rf"^{before + 0.7:.1f}0*$"))
    saved(page)
    page.reload()
    expect(rung).to_have_attribute("aria-valuenow", re.compile(rf"^{before + 0.7:.1f}0*$"))


def test_preferences_reach_answers_and_findings(folded):
    page = folded(data(SKERRY), "Link")
    page.evaluate("localStorage.setItem('ewerer:prefs', JSON.stringify({mark: ',', temperature: 'F'}))")
    page.reload()
    expect(page.locator('[data-finding="asked-volts"]')).to_contain_text("55,2 V")
    show(page, "Thresholds")
    expect(page.locator("[data-answer]")).to_have_text("Charge to 55,2 V, float at 53,6 V, shut down at 45,7 V.")
    expect(page.locator("[data-answer]")).not_to_contain_text("55.2")
