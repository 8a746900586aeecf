"""What a person does on any page."""

import os
import re

from playwright.sync_api import expect

os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"  # Playwright's loop runs in this thread; no database is touched here


PATIENCE_MS = int(os.environ.get("EWERER_PATIENCE_MS", "60000"))


def made_job(page, base, document):
    """Store a job through the API and return its id."""
    token = page.request.get(f"{base}/api/session").json()["csrf"]
    made = page.request.post(f"{base}/api/jobs", data=document, headers={"X-CSRFToken": token, "Referer": base})
    assert made.ok, made.text()
    return made.json()["id"]


def open_stage(page, base, document, stage):
    """Make a fresh job of a document and show a stage of it."""
    page.goto(f"{base}/jobs/{made_job(page, base, document)}/{stage.lower()}")
    expect(page.get_by_role("heading", name=stage, level=1)).to_be_visible()
    return page


def unfold(context):
    """Let a context begin with everything unfolded, as somebody who has opened all of it finds it."""
    context.add_init_script("localStorage.getItem('ewerer:folds') || localStorage.setItem('ewerer:folds', '{\"*\": true}')")


def show(page, stage):
    page.get_by_role("navigation", name="Stages of the work").get_by_role("link", name=re.compile(rf"^(\d+ )?{stage}\b")).click()
    expect(page.get_by_role("heading", name=stage, level=1)).to_be_visible()


def more(page, word):
    """Choose from the menu at the right of the bar."""
    page.get_by_role("button", name="More", exact=True).click()
    choice = page.get_by_role("menuitem", name=re.compile("^" + re.escape(word)))
    expect(choice).to_be_visible()
    choice.evaluate(SETTLED)
    choice.click()


def line(page, key):
    """Take up a line of the working list, as a press on it does, and return it."""
    row = page.locator(f'[data-step="{key}"]')
    row.click(position={"x": 20, "y": 12})
    expect(row).to_have_attribute("aria-current", "step")
    return row


def saved(page):
    expect(page.locator("[data-save-state]")).to_contain_text("saved ")


# A list that still unfolds moves under the pointer.
SETTLED = "async (choice) => { await Promise.allSettled(choice.closest('.el-popper').getAnimations({subtree: true}).map((a) => a.finished)) }"


def choose(page, label, word):
    """Open the list of a label and take the first choice that begins with a word."""
    box = page.get_by_role("combobox", name=label, exact=True)
    box.locator("xpath=ancestor::*[contains(@class, 'el-select__wrapper')]").click()
    choice = page.locator(".el-popper").get_by_role("option", name=re.compile("^" + re.escape(word))).locator("visible=true").first
    expect(choice).to_be_visible()
    choice.evaluate(SETTLED)
    choice.click()


def give_file(page, label, files):
    """Give a file to the button of a label, as the browser's own dialog would."""
    page.locator(f'[aria-label="{label}"] input[type=file], input[type=file][aria-label="{label}"]').set_input_files(files)


def until(act, seen, tries=5):
    """Do something to what may still move under the pointer, as a person does: again, if nothing came of it.

    ``seen`` is called with milliseconds and expects what should have come of it.
    """
    for _ in range(tries - 1):
        act()
        try:
            return seen(PATIENCE_MS / 20)
        except AssertionError:
            continue
    act()
    return seen(PATIENCE_MS)


def tick(place, role, name=None, on=True):
    """Set a box or a radio button by its label, as a finger does: the native control itself is drawn over."""
    box = place.get_by_role(role, name=name, exact=True) if name else place.get_by_role(role)
    if box.is_checked() != on:
        box.locator("xpath=ancestor::label").click(position={"x": 9, "y": 20})
    expect(box).to_be_checked(checked=on)


class Person:
    """Clicks and keys of one person, counted as a person makes them."""

    def __init__(self, page):
        self.page, self.clicks, self.keys = page, 0, 0

    def click(self, place):
        place.click()
        self.clicks += 1

    def type(self, text):
        self.page.keyboard.type(text)
        self.keys += len(text)

    def press(self, *keys):
        for key in keys:
            self.page.keyboard.press(key)
            self.keys += 1
