"""People and history in the browser: an invitation used, roles, the account, two revisions side by side, what cannot be read."""

import json
import re

import pytest
from playwright.sync_api import expect

from .acts import choose, unfold

GOOD = "otter lamp fern quarry"


def invited(page, base, role):
    page.goto(f"{base}/account")
    page.get_by_label("Name", exact=True).press_sequentially(f"somebody as {role}")
    choose(page, "Role of the invitation", role)
    expect(page.locator(".el-select", has=page.get_by_role("combobox", name="Role of the invitation"))).to_contain_text(role)
    page.get_by_role("button", name="Make a link").click()
    link = page.locator("[data-link]").inner_text()
    assert re.fullmatch(re.escape(base) + r"/join/[\w-]{40,}", link)
    return link


def joined(browser, base, link, name):
    context = browser.new_context(viewport={"width": 1280, "height": 800}, service_workers="block")
    unfold(context)
    page = context.new_page()
    page.goto(link)
    page.get_by_label("Name to sign in with").press_sequentially(name)
    secret = page.get_by_label("Password")
    secret.press_sequentially(GOOD[:11])
    page.keyboard.press("Tab")
    page.keyboard.press("Space")
    expect(page.get_by_label("Show what is typed")).to_be_checked()
    expect(secret).to_have_attribute("type", "text")
    page.keyboard.press("Shift+Tab")
    page.keyboard.press("End")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("too short")
    secret.press_sequentially(GOOD[11:])
    expect(secret).to_have_value(GOOD)
    page.get_by_label("Show what is typed").uncheck()
    expect(secret).to_have_attribute("type", "password")
    page.keyboard.press("Shift+Tab")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Jobs")).to_be_visible()
    return page


@pytest.mark.long
def test_an_invitation_makes_a_reader_who_plans_and_stores_nothing(signed, base, browser, opened):
    page = opened("skerry-field-station", "Bank")
    job = re.search(r"/jobs/([0-9a-f-]+)/", page.url)[1]
    link = invited(page, base, "reader")
    theirs = joined(browser, base, link, "wren")
    expect(theirs.get_by_role("link", name="New job")).to_have_count(0)
    theirs.goto(f"{base}/jobs/{job}/bank")
    expect(theirs.get_by_role("status").filter(has_text="You read in this crew")).to_be_visible()
    before = theirs.locator("[data-bank-figures]").text_content()
    lead = theirs.get_by_label(re.compile("^Lead of ")).first
    lead.fill("")
    lead.press_sequentially("9.5")
    theirs.keyboard.press("Tab")
    expect(theirs.locator("[data-bank-figures]")).not_to_have_text(before)
    theirs.reload()
    expect(theirs.locator("[data-bank-figures]")).to_have_text(before)
    expect(theirs.locator("[data-save-state]")).to_contain_text("revision 1, you read here")
    theirs.goto(link)
    expect(theirs.get_by_text("This invitation is used, too old, or was taken back.")).to_be_visible()
    # The lead makes them a member; from then on they work.
    page.goto(f"{base}/account")
    choose(page, "Role of wren", "member")
    expect(page.get_by_text("wren is a member now.").first).to_be_visible()
    theirs.goto(f"{base}/jobs/{job}/bank")
    lead = theirs.get_by_label(re.compile("^Lead of ")).first
    lead.fill("")
    lead.press_sequentially("9.5")
    theirs.keyboard.press("Tab")
    expect(theirs.locator("[data-save-state]")).to_have_attribute("title", "Revision 2")
    theirs.goto(f"{base}/account")
    expect(theirs.locator("[data-trail]")).to_have_count(0)
    theirs.context.close()
    page.goto(f"{base}/account")
    expect(page.locator("[data-trail]")).to_contain_text("joined")
    expect(page.locator("[data-trail]")).to_contain_text("wren: member")


@pytest.mark.long
def test_a_password_is_changed_and_other_sessions_end(signed, base, browser):
    theirs = joined(browser, base, invited(signed, base, "member"), "finch")
    other = browser.new_context(service_workers="block").new_page()
    other.goto(base)
    other.get_by_label("Name").press_sequentially("finch")
    other.get_by_label("Password").press_sequentially(GOOD)
    other.keyboard.press("Enter")
    expect(other.get_by_role("heading", name="Jobs")).to_be_visible()
    theirs.goto(f"{base}/account")
    theirs.get_by_label("Current password").press_sequentially("wrong")
    theirs.get_by_label("New password").press_sequentially(GOOD + " two")
    theirs.keyboard.press("Enter")
    expect(theirs.get_by_role("alert")).to_contain_text("not your password")
    theirs.get_by_label("Current password").fill("")
    theirs.get_by_label("Current password").press_sequentially(GOOD)
    theirs.keyboard.press("Enter")
    expect(theirs.get_by_text("The password is changed").first).to_be_visible()
    other.reload()
    expect(other.get_by_role("button", name="Sign in")).to_be_visible()
    theirs.reload()
    expect(theirs.get_by_role("heading", name="finch, Harbour crew")).to_be_visible()
    for page in (theirs, other):
        page.context.close()


@pytest.mark.long
def test_two_revisions_stand_side_by_side_in_words(opened):
    page = opened("skerry-field-station", "Bank")
    field = page.get_by_label(re.compile("^Lead of ")).first
    for value, revision in (("4", 2), ("5", 3)):
        field.fill("")
        field.press_sequentially(value)
        page.keyboard.press("Tab")
        expect(page.locator("[data-save-state]")).to_have_attribute("title", f"Revision {revision}")
    page.get_by_role("button", name="History").click()
    page.get_by_role("listitem").filter(has_text="Revision 1").get_by_role("button", name="Compare with now").click()
    row = page.locator("[data-compare] tbody tr")
    expect(row).to_have_count(1)
    expect(row).to_contain_text("Lead")
    expect(row.locator("td").last).to_have_text("5 mΩ")
    before = page.get_by_label("Revision before")
    before.fill("")
    before.press_sequentially("2")
    expect(row.locator("td").first).to_have_text("4 mΩ")


def problem(status, title, detail):
    body = {"type": "about:blank", "title": title, "status": status, "detail": detail, "problems": [], "request": "abc"}
    return {"status": status, "content_type": "application/problem+json", "body": json.dumps(body)}


@pytest.mark.long
def test_a_job_that_cannot_be_read_offers_an_earlier_revision(opened, base):
    page = opened("skerry-field-station", "Bank")
    field = page.get_by_label(re.compile("^Lead of ")).first
    field.fill("")
    field.press_sequentially("4")
    page.keyboard.press("Tab")
    expect(page.locator("[data-save-state]")).to_have_attribute("title", "Revision 2")
    broken = {"on": True}
    told = problem(422, "The document was refused", "revision 2 cannot be put together: a patch does not fit.")
    job = re.search(r"/jobs/([0-9a-f-]+)/", page.url)[1]

    def answer(route):
        if broken["on"] and route.request.method == "GET":
            route.fulfill(**told)
        else:
            route.continue_()

    page.route(f"**/api/jobs/{job}/opening", answer)
    page.reload()
    expect(page.get_by_role("heading", name="This job cannot be read")).to_be_visible()
    page.route("**/restore", lambda route: (broken.update(on=False), route.continue_()))
    page.get_by_role("button", name="Take revision 1 back").click()
    expect(page.get_by_role("heading", name="Bank", level=1)).to_be_visible()
    expect(page.locator("[data-save-state]")).to_have_attribute("title", "Revision 3")


@pytest.mark.long
def test_too_much_for_one_request_is_said(opened):
    page = opened("skerry-field-station", "Bank")
    told = problem(
        503, "Too much for one request", "It takes more computing than one request may have, and was stopped. Make the job smaller."
    )
    page.route("**/api/plan", lambda route: route.fulfill(**told))
    field = page.get_by_label(re.compile("^Lead of ")).first
    field.fill("")
    field.press_sequentially("7")
    page.keyboard.press("Tab")
    expect(page.locator("[data-plan-old]")).to_contain_text("more computing than one request may have")
    page.unroute("**/api/plan")
    page.locator("[data-plan-old]").get_by_role("button", name="Try again").click()
    expect(page.locator("[data-plan-state]")).to_have_text("plan fresh")


@pytest.mark.long
def test_a_profile_that_cannot_be_read_says_so_in_its_place(signed, base):
    """Not as one that is not there, and not in a dialog over the rest."""
    page = signed
    why = "/capacity_ah: not a number; expected a number of ampere-hours"

    def marked(route):
        told = route.fetch().json()
        for line in told["items"]:
            if line["id"] == "cobbleway-200":
                line |= {"unreadable": why, "own": True}
        route.fulfill(json=told)

    page.route(re.compile(r"/api/library\?"), marked)
    page.route(
        "**/api/library/cobbleway-200", lambda route: route.fulfill(**problem(404, "Not found", "There is no such thing here."))
    )
    page.goto(f"{base}/library")
    page.get_by_role("link", name=re.compile("cannot be read by this version")).click()
    place = page.locator("[data-unreadable]")
    expect(place).to_contain_text("This version of Ewerer cannot read it.")
    expect(place).to_contain_text(why)
    expect(page.get_by_role("dialog")).to_be_hidden()
    page.get_by_role("link", name=re.compile("Vantry H15")).click()
    expect(page.get_by_role("heading", name="Vantry H15")).to_be_visible()
    expect(place).to_be_hidden()
