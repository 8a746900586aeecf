"""A demo server and Debian's Chromium for all end-to-end tests."""

import json

import pytest
from bench.server import CHROMIUM, demo_server, prepared
from playwright.sync_api import expect

from tests.e2e.acts import PATIENCE_MS, open_stage, unfold
from tests.jobs import data

expect.set_options(timeout=PATIENCE_MS)


@pytest.fixture(scope="session")
def browser_type_launch_args():
    return CHROMIUM


@pytest.fixture(scope="session")
def base():
    with demo_server() as address:
        yield address


@pytest.fixture
def browser_context_args():
    return {"viewport": {"width": 1280, "height": 800}, "service_workers": "block", "reduced_motion": "reduce"}


@pytest.fixture(scope="session")
def cookies(base):
    """Cookies of one session of the demo user, made once with the data, shared by the tests that do not sign out."""
    return [{**c, "url": base} for c in json.loads((prepared() / "cookies.json").read_text())]


@pytest.fixture
def known(page, context, cookies):
    """A page of who is signed in, which shows nothing yet; the console must stay clean of errors."""
    page.set_default_timeout(PATIENCE_MS)
    errors = []
    page.on("pageerror", lambda e: errors.append(str(e)))
    context.add_cookies(cookies)
    unfold(context)  # how it looks folded is looked at on its own
    yield page
    assert errors == []


@pytest.fixture
def signed(known, base):
    """A page that shows the jobs, signed in."""
    known.goto(base)
    expect(known.get_by_role("heading", name="Jobs")).to_be_visible()
    return known


@pytest.fixture
def opened(known, base):
    """Return a function that makes a fresh job from a demo name or from data, and shows a stage of it."""

    def open_job(source, stage):
        return open_stage(known, base, data(source) if isinstance(source, str) else source, stage)

    return open_job
