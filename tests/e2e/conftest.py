"""A demo server and Debian's Chromium for all end-to-end tests."""

import os
import re

import pytest
from bench.server import demo_server
from playwright.sync_api import expect

from tests.jobs import data

os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"  # Playwright's loop runs in this thread; no database is touched here
PATIENCE_MS = int(os.environ.get("EWERER_PATIENCE_MS", "20000"))
expect.set_options(timeout=PATIENCE_MS)


@pytest.fixture(scope="session")
def browser_type_launch_args():
    return {"executable_path": "/usr/bin/chromium", "args": ["--no-sandbox", "--disable-background-networking"]}


@pytest.fixture(scope="session")
def base():
    with demo_server() as address:
        yield address


@pytest.fixture
def browser_context_args():
    return {"viewport": {"width": 1280, "height": 800}, "service_workers": "block"}


@pytest.fixture(scope="session")
def cookies(playwright, base):
    """Cookies of one session of the demo user, shared by the tests that do not sign out."""
    asking = playwright.request.new_context(base_url=base)
    token = asking.get("/api/session").json()["csrf"]
    told = {"username": "demo", "password": "lithium-bank"}
    assert asking.post("/api/session", data=told, headers={"X-CSRFToken": token, "Referer": base}).ok
    yield asking.storage_state()["cookies"]
    asking.dispose()


@pytest.fixture
def signed(page, base, context, cookies):
    """A page that shows the jobs, signed in; the console must stay clean of errors."""
    page.set_default_timeout(PATIENCE_MS)
    errors = []
    page.on("pageerror", lambda e: errors.append(str(e)))
    context.add_cookies(cookies)
    page.goto(base)
    expect(page.get_by_role("heading", name="Jobs")).to_be_visible()
    yield page
    assert errors == []


@pytest.fixture
def opened(signed, base):
    """Return a function that makes a fresh job from a demo name or from data, and shows a stage of it."""

    def open_job(source, stage):
        job = data(source) if isinstance(source, str) else source
        token = signed.request.get(f"{base}/api/session").json()["csrf"]
        made = signed.request.post(f"{base}/api/jobs", data=job, headers={"X-CSRFToken": token, "Referer": base}).json()
        signed.goto(f"{base}/jobs/{made['id']}/{stage.lower()}")
        expect(signed.get_by_role("heading", name=stage, level=1)).to_be_visible()
        return signed

    return open_job


def show(page, stage):
    page.get_by_role("navigation", name="Stages of the work").get_by_role("link", name=re.compile(rf"^(\d+ )?{stage}\b")).click()
    expect(page.get_by_role("heading", name=stage, level=1)).to_be_visible()


def saved(page):
    expect(page.locator("[data-save-state]")).to_contain_text("saved ")


# A list that still unfolds moves under the pointer.
SETTLED = "async (choice) => { await Promise.allSettled(choice.closest('.el-popper').getAnimations({subtree: true}).map((a) => a.finished)) }"


def choose(page, label, word):
    """Open the list of a label and take the first choice that begins with a word."""
    box = page.get_by_role("combobox", name=label, exact=True)
    box.locator("xpath=ancestor::*[contains(@class, 'el-select__wrapper')]").click()
    choice = page.get_by_role("option", name=re.compile("^" + re.escape(word))).locator("visible=true").first
    expect(choice).to_be_visible()
    choice.evaluate(SETTLED)
    choice.click()


def give_file(page, label, files):
    """Give a file to the button of a label, as the browser's own dialog would."""
    page.locator(f'[aria-label="{label}"] input[type=file], input[type=file][aria-label="{label}"]').set_input_files(files)


def tick(place, role, name=None, on=True):
    """Set a box or a radio button by its label, as a finger does: the native control itself is drawn over."""
    box = place.get_by_role(role, name=name, exact=True) if name else place.get_by_role(role)
    if box.is_checked() != on:
        box.locator("xpath=ancestor::label").click(position={"x": 9, "y": 20})
    expect(box).to_be_checked(checked=on)
