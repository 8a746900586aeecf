"""Where things stand: findings lead to their fields, pages end where they end, addresses that lead nowhere."""

import re

import pytest
from playwright.sync_api import expect

from tests.e2e.acts import show
from tests.jobs import LARCH, SKERRY, TARN, changed, inline, plan_of

STAGES = ["Site", "Bank", "Units", "Link", "Limits", "Thresholds", "Sources", "Windows", "Sheet"]
TROUBLED = [
    changed(LARCH, loads__continuous_w=5800, loads__peak_w=40000, policy__own_figures={"shutdown_v": 19.0, "unit_off_v": 20.0}),
    changed(
        SKERRY,
        units__1__firmware="2.11",
        policy__charge_order="sun-only",
        policy__max_c_rate=0.9,
        site__dc_loads_a=12,
        bank__modules__0__resting_v=52.0,
        bank__modules__1__health=0.7,
        generator__quiet_from="12:00",
        generator__quiet_to="11:00",
        link={"length_m": 200, "measured_ohm": 120},
    ),
    changed(
        TARN,
        policy__mode="peak-shaving",
        policy__reserve_soc=0.5,
        bank__fuse_a=80,
        windows=[{"from": "23:00", "to": "07:00", "action": "charge"}, {"from": "06:00", "to": "08:00", "action": "hold"}],
    ),
    {"ewerer": "job/1", "name": "Bare", "bank": {"modules": [inline("A"), inline("B", resistance_mohm=60)]}},
]


@pytest.mark.long
@pytest.mark.parametrize("job", TROUBLED, ids=["larch", "skerry", "tarn", "bare"])
def test_every_finding_leads_to_a_field_in_sight(opened, job):
    findings = plan_of(job).findings
    assert len(findings) >= 5
    page = opened(job, "Site")
    shows = page.locator("section[aria-label=Findings] [data-finding]").get_by_role("button", name=re.compile("^Show "))
    expect(shows).to_have_count(len(findings))  # gathered or not, each has its own
    for i, finding in enumerate(findings):
        page.locator(f'section[aria-label=Findings] [data-index="{i}"]').click()
        where = page.locator("[data-flash]")
        expect(where).to_have_count(1)
        at = where.get_attribute("data-pointer")
        assert at and finding.at.startswith(at), (finding.rule, finding.at, at)
        expect(where).to_be_in_viewport()
        expect(page.locator("[data-flash]:focus, [data-flash]:focus-within")).to_have_count(1)
        page.evaluate("document.querySelectorAll('[data-flash]').forEach((e) => e.removeAttribute('data-flash'))")


@pytest.mark.long
@pytest.mark.parametrize("size", [(1280, 800), (820, 1180)])
def test_no_page_goes_on_below_its_end(opened, base, size):
    page = opened(TARN, "Site")
    page.set_viewport_size({"width": size[0], "height": size[1]})
    for stage in STAGES:
        show(page, stage)
        page.wait_for_timeout(150)
        assert page.evaluate("document.scrollingElement.scrollHeight <= innerHeight"), stage
    page.goto(f"{base}/library/orrowan-t8")
    expect(page.get_by_role("tab", name="Plate")).to_be_visible()
    assert page.evaluate("document.scrollingElement.scrollHeight <= innerHeight")
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")


def test_addresses_that_lead_nowhere_say_so(signed, base):
    page = signed
    page.goto(f"{base}/jobs/00000000-0000-0000-0000-000000000000/site")
    expect(page.get_by_role("heading", name="No such job")).to_be_visible()
    page.get_by_role("link", name="All jobs", exact=True).click()
    expect(page.get_by_role("heading", name="Jobs")).to_be_visible()
    page.goto(f"{base}/nowhere/at/all")
    expect(page.get_by_role("heading", name="Jobs")).to_be_visible()
    page.goto(f"{base}/library/no-such-profile")
    expect(page.get_by_role("dialog")).to_be_visible()


@pytest.mark.long
def test_a_stage_that_there_is_not_shows_the_first(opened):
    page = opened(SKERRY, "Bank")
    page.goto(page.url.replace("/bank", "/nowhere"))
    expect(page.get_by_role("heading", name="Site", level=1)).to_be_visible()


def test_find_goes_to_fields_thresholds_entries_and_stages(opened):
    page = opened(SKERRY, "Site")
    for words, heading, field in [
        ("quiet hours", "Sources", "/generator/quiet_from"),
        ("output stops U1", "Sheet", None),
        ("threshold alarm 48", "Thresholds", "/policy/own_figures/alarm_v"),
        ("module M2", "Bank", "/bank/modules/1"),
        ("prices", "Windows", "/tariff"),
    ]:
        page.locator("main.stage").focus()
        page.keyboard.press("/")
        page.keyboard.type(words)  # at once, while the dialog is still on its way
        expect(page.get_by_label("Find a quantity, setting or field")).to_have_value(words)
        expect(page.get_by_role("listbox", name="Found").get_by_role("option").first).to_be_visible()
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", name=heading, level=1)).to_be_visible()
        if field:
            expect(page.locator(f'[data-pointer="{field}"]').first).to_be_in_viewport()
    page.keyboard.press("Escape")
    page.locator("main.stage").focus()
    page.keyboard.press("/")
    page.get_by_label("Find a quantity, setting or field").fill("zzzz")
    expect(page.get_by_text("Nothing by these words.")).to_be_visible()
    page.get_by_label("Find a quantity, setting or field").fill("a")
    page.keyboard.press("ArrowDown")
    expect(page.get_by_role("listbox", name="Found").get_by_role("option").nth(1)).to_have_attribute("aria-selected", "true")
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog", name="Find")).to_be_hidden()
