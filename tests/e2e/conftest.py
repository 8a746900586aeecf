"""A demo server and Debian's Chromium for all end-to-end tests."""

import os

import pytest
from bench.server import demo_server
from playwright.sync_api import expect

from tests.jobs import data

os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"  # Playwright's loop runs in this thread; no database is touched here
expect.set_options(timeout=20_000)


@pytest.fixture(scope="session")
def browser_type_launch_args():
    return {"executable_path": "/usr/bin/chromium", "args": ["--no-sandbox", "--disable-background-networking"]}


@pytest.fixture(scope="session")
def base():
    with demo_server() as address:
        yield address


@pytest.fixture
def browser_context_args():
    return {"viewport": {"width": 1280, "height": 800}}


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
    page.get_by_role("navigation", name="Stages of the work").get_by_role("link", name=stage).click()
    expect(page.get_by_role("heading", name=stage, level=1)).to_be_visible()


def saved(page):
    expect(page.locator("[data-save-state]")).to_contain_text("saved ")
