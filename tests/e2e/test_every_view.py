"""Every view and dialog in both themes and four sizes: nothing that a screen reader stumbles over, no label on another."""

import re

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import expect

from tests.e2e.acts import show
from tests.jobs import NAMES, data

SIZES = [(390, 844), (820, 1180), (1280, 800), (1920, 1080)]
STAGES = ["Site", "Bank", "Units", "Link", "Limits", "Thresholds", "Sources", "Windows", "Sheet", "Run", "Proof", "Handover"]


SEEN = {"exclude": [[".el-dialog .el-select__placeholder"], [".el-dialog .el-select__face"]]}
"""What a list in a dialog shows lies on the list's own ground, which the checker takes for the veil behind; it is measured below."""
GROUND = """() => [...document.querySelectorAll('.el-dialog .el-select__placeholder, .el-dialog .el-select__face span')].map((e) => {
    const parts = (c) => c.match(/[0-9.]+/g).slice(0, 3).map((v) => v / 255).map((v) => v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4)
    const light = (c) => { const [r, g, b] = parts(c); return 0.2126 * r + 0.7152 * g + 0.0722 * b }
    const [a, b] = [light(getComputedStyle(e).color), light(getComputedStyle(e.closest('.el-select__wrapper')).backgroundColor)].sort((x, y) => y - x)
    return (a + 0.05) / (b + 0.05)
})"""


OUT = """() => {
    const out = document.documentElement.scrollWidth > innerWidth + 1 ? ['the page is wider than the window'] : []
    const name = (e) => `${e.tagName} ${e.getAttribute('aria-label') ?? e.textContent.trim().slice(0, 40)}`
    for (const e of document.querySelectorAll('main button, main a, main input, main td, main textarea, header button, header a')) {
        const b = e.getBoundingClientRect(), style = getComputedStyle(e)
        if (b.width < 2 || b.height < 2 || style.visibility === 'hidden' || e.closest('.visually-hidden')) continue
        // What stands in a part that is moved sideways by itself may lie beyond its edge.
        if (b.right > innerWidth + 1 && !e.closest('.scroll, .el-segmented, .el-tabs__nav-wrap')) out.push(`${name(e)} beyond the edge`)
        const x = (b.left + b.right) / 2, y = (b.top + b.bottom) / 2
        if (e.tagName === 'TD' || x < 0 || y < 0 || x >= innerWidth || y >= innerHeight || document.querySelector('.el-overlay:not([style*="none"])')) continue
        const part = e.closest('.scroll')?.getBoundingClientRect()
        if (part && (x < part.left || x > part.right)) continue
        const hit = document.elementFromPoint(x, y)
        const other = hit?.closest('button, a, input, textarea, select')
        if (other && other !== e && !e.contains(other) && !other.contains(e)) out.push(`${name(e)} lies under ${name(other)}`)
    }
    return out
}"""


def stage_at(page, base, id, stage):
    page.goto(f"{base}/jobs/{id}/{stage.lower()}")
    expect(page.get_by_role("heading", name=stage, level=1)).to_be_visible()


LOOKS = [(theme, s) for theme in ("light", "dark") for s in SIZES]
PLACES = [(n, s) for n in [*NAMES, "big"] for s in SIZES]


@pytest.mark.long
@pytest.mark.parametrize(("theme", "size"), LOOKS, ids=lambda v: v if isinstance(v, str) else f"{v[0]}")
def test_no_accessibility_violation_on_any_view_or_dialog(signed, base, theme, size):
    page, axe, wrong = signed, Axe(), []
    page.emulate_media(color_scheme=theme, reduced_motion="reduce")
    page.set_viewport_size({"width": size[0], "height": size[1]})

    def check(where):
        page.wait_for_timeout(300)
        wrong.extend((where, w) for w in page.evaluate(OUT)[:5])
        found = axe.run(page, context=SEEN, options={"runOnly": ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]}).response[
            "violations"
        ]
        wrong.extend((where, v["id"], v["nodes"][0]["html"][:160], len(v["nodes"])) for v in found)

    page.reload()
    expect(page.get_by_role("heading", name="Jobs")).to_be_visible()
    check("jobs")
    page.get_by_role("button", name="Preferences").click()
    expect(page.get_by_role("dialog", name="Preferences")).to_be_visible()
    page.wait_for_timeout(700)
    check("units and dates")
    grounds = page.evaluate(GROUND)
    assert len(grounds) >= 5 and min(grounds) >= 4.5
    page.goto(f"{base}/new")
    expect(page.get_by_role("heading", name="New job")).to_be_visible()
    check("new job")
    page.goto(f"{base}/account")
    expect(page.get_by_role("heading", name="Trail: who did what")).to_be_visible()
    check("account")
    page.goto(f"{base}/library/wendle-hy6")
    for tab in ("Plate", "Rules", "Ports", "Check and try"):
        page.get_by_role("tab", name=tab).click()
        check(f"library {tab}")
    page.goto(f"{base}/library/new")
    page.get_by_role("button", name="Paste the manual's table of settings").click()
    page.get_by_label("Table of settings").fill("No\tSetting\tRange\n1\tFloat voltage\t48~58 V\n2\tSomething\t1~9")
    expect(page.locator("[data-manual]")).to_have_count(2)
    check("library paste")
    page.get_by_role("button", name="Take 2 into the menu").click()
    page.get_by_role("button", name="More of Float voltage").click()
    check("library menu")
    id = page.request.get(f"{base}/api/jobs?words=Skerry").json()["items"][0]["id"]
    for stage in STAGES:
        stage_at(page, base, id, stage)
        check(stage)
    stage_at(page, base, id, "Link")
    page.keyboard.press("/")
    expect(page.get_by_label("Find a quantity, setting or field")).to_be_visible()
    check("find")
    page.keyboard.press("Escape")
    stage_at(page, base, id, "Link")
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keys")).to_be_visible()
    check("keys")
    page.keyboard.press("Escape")
    page.keyboard.press("f")
    page.wait_for_timeout(500)
    check("faults")
    page.keyboard.press("Escape")
    if size[0] < 1000:
        stage_at(page, base, id, "Link")
        page.get_by_role("button", name=re.compile("^Findings")).click()
        check("findings drawer")
    assert not wrong, "\n".join(map(str, wrong))


COLLISIONS = """() => [...document.querySelectorAll('.stage svg')].flatMap((svg) => {
    const boxes = [...svg.querySelectorAll('text')].filter((t) => t.textContent.trim() && getComputedStyle(t).visibility !== 'hidden')
        .map((t) => ({ t, b: t.getBoundingClientRect() })).filter(({ b }) => b.width > 0)
    const out = []
    boxes.forEach(({ t, b }, i) => boxes.slice(i + 1).forEach(({ t: u, b: c }) => {
        const w = Math.min(b.right, c.right) - Math.max(b.left, c.left), h = Math.min(b.bottom, c.bottom) - Math.max(b.top, c.top)
        if (w > 1.5 && h > 3) out.push(`${t.textContent.trim()} / ${u.textContent.trim()} ${w.toFixed(0)}x${h.toFixed(0)}`)
    }))
    return out
})"""


def big():
    """Twelve units and thirty-two modules with long names."""
    job = data(NAMES[0]) | {"name": "A very long name of a site that nobody would ever give but somebody will"}
    module, unit = job["bank"]["modules"][0], job["units"][0]
    job["bank"] = job["bank"] | {"modules": [module | {"id": f"MODULE-NORTH-WING-{i:02d}"} for i in range(1, 33)]}
    job["units"] = [unit | {"id": f"INVERTER-UPPER-HALL-{i:02d}", "role": "host" if i == 1 else "follower"} for i in range(1, 13)]
    for key in ("as_found", "extra_entries", "sheet_marks", "breakers"):
        job.pop(key, None)
    return job


@pytest.mark.long
@pytest.mark.parametrize(("name", "size"), PLACES, ids=lambda v: v if isinstance(v, str) else f"{v[0]}")
def test_no_label_of_a_figure_lies_on_another(opened, name, size):
    page = opened(big() if name == "big" else name, "Site")
    page.set_viewport_size({"width": size[0], "height": size[1]})
    wrong = []
    for stage in ("Bank", "Units", "Link", "Limits", "Thresholds", "Windows"):
        if size[0] > 640:
            show(page, stage)
        else:
            page.goto(re.sub("/[a-z]+$", f"/{stage.lower()}", page.url))
            expect(page.get_by_role("heading", name=stage, level=1)).to_be_visible()
        page.wait_for_timeout(250)
        wrong += [(stage, w) for w in page.evaluate(COLLISIONS)]
        assert page.evaluate("document.documentElement.scrollWidth <= innerWidth"), stage
    assert wrong == []
