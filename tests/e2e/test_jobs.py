"""The list of jobs and what surrounds it: copies, files, putting away, themes, a server that is gone, a session that ended."""

import json
import re
import zipfile

import pytest
from bench.shots import sign_in
from playwright.sync_api import expect

from tests.e2e.acts import give_file, made_job, saved, tick
from tests.jobs import LARCH, SKERRY, TARN, data


def home(page, base):
    page.goto(base)
    expect(page.get_by_role("heading", name="Jobs")).to_be_visible()


def named(page, base, name):
    """Make a job of that name and show the list."""
    made_job(page, base, data(LARCH) | {"name": name})
    home(page, base)
    return page.get_by_role("row", name=re.compile(name))


@pytest.mark.long
def test_a_row_says_what_the_job_is_and_waits_for(signed, base):
    row = named(signed, base, "Row of figures")
    for words in ("600 Ah", "2 × 3 kW", "27.6 / 26.8 / 24.0 V", "0 of 48 entered", "revision 1"):
        expect(row).to_contain_text(words)
    row.get_by_role("link", name=re.compile("Different makes")).click()
    expect(signed.get_by_role("heading", name="Bank", level=1)).to_be_visible()


def test_copy_put_away_and_take_out(signed, base):
    row = named(signed, base, "Twin Peaks")
    row.get_by_role("button", name="Copy Twin Peaks").click()
    copies = signed.get_by_role("link", name=re.compile("^Twin Peaks.*copy"))
    expect(copies).to_have_count(1)
    copy = copies.inner_text()
    signed.get_by_role("button", name=f"Archive {copy}").click()
    expect(copies).to_have_count(0)
    signed.get_by_role("button", name="Show archived jobs").click()
    expect(copies).to_have_count(1)
    signed.get_by_role("button", name=f"Restore {copy}").click()
    expect(copies).to_have_count(0)
    signed.get_by_role("button", name="Show open jobs").click()
    expect(copies).to_have_count(1)


@pytest.mark.long
def test_many_jobs_are_narrowed_by_words(signed, base):
    for i in range(8):
        named(signed, base, f"Boathouse {i}")
    box = signed.get_by_label("Show jobs with these words")
    box.fill("boathouse 3")
    expect(signed.get_by_role("row").filter(has=signed.get_by_role("link", name="Boathouse 3"))).to_have_count(1)
    expect(signed.locator("tbody tr")).to_have_count(1)
    expect(signed.get_by_text(re.compile(r"^1 found$"))).to_be_visible()
    box.fill("boathouse zzz")
    expect(signed.get_by_role("heading", name="No job is like that")).to_be_visible()
    signed.get_by_role("button", name=re.compile("^Show all")).click()
    expect(signed.locator("tbody tr").nth(7)).to_be_visible()


@pytest.mark.long
def test_several_jobs_are_put_away_at_once_and_taken_back(signed, base):
    for i in range(3):
        named(signed, base, f"Cluster {i}")
    signed.get_by_label("Show jobs with these words").press_sequentially("cluster")
    expect(signed.locator("tbody tr")).to_have_count(3)
    tick(signed, "checkbox", "Tick Cluster 0")
    tick(signed, "checkbox", "Tick Cluster 2")
    with_them = signed.get_by_role("group", name="With the ticked jobs")
    expect(with_them).to_contain_text("2 ticked")
    with signed.expect_download() as download:
        with_them.get_by_role("link", name="Export").click()
    assert sorted(zipfile.ZipFile(download.value.path()).namelist()) == ["Cluster-0.json", "Cluster-2.json"]
    with_them.get_by_role("button", name="Archive").click()
    expect(signed.locator("tbody tr")).to_have_count(1)
    expect(signed.get_by_text("2 jobs archived.")).to_be_visible()
    signed.get_by_role("button", name="Undo").click()
    expect(signed.locator("tbody tr")).to_have_count(3)


def test_files_dropped_on_the_page_become_jobs(signed, base):
    texts = [json.dumps(data(SKERRY) | {"name": f"Dropped {i}"}) for i in (1, 2)]
    transfer = signed.evaluate_handle(
        """(texts) => { const d = new DataTransfer();
        texts.forEach((t, i) => d.items.add(new File([t], `job${i}.json`, { type: 'application/json' }))); return d }""",
        texts,
    )
    signed.dispatch_event(".jobs", "drop", {"dataTransfer": transfer})
    for i in (1, 2):
        expect(signed.get_by_role("link", name=f"Dropped {i}", exact=True).first).to_be_visible()


@pytest.mark.long
def test_each_of_several_files_is_told(signed, tmp_path):
    good, bad = tmp_path / "good.json", tmp_path / "bad.json"
    good.write_text(json.dumps(data(SKERRY) | {"name": "Good one"}))
    bad.write_text(json.dumps(data(SKERRY) | {"name": ""}))
    give_file(signed, "Job file", [bad, good])
    told = signed.locator("[data-imported]")
    expect(told).to_contain_text("good.json: Good one")
    expect(told).to_contain_text("bad.json: not stored")
    expect(signed.get_by_role("link", name="Good one", exact=True).first).to_be_visible()


@pytest.mark.long
def test_the_theme_is_kept(signed, base):
    signed.get_by_role("button", name="Dark theme").click()
    expect(signed.locator("html.dark")).to_have_count(1)
    signed.reload()
    expect(signed.locator("html.dark")).to_have_count(1)
    signed.get_by_role("button", name="Light theme").click()
    expect(signed.locator("html.dark")).to_have_count(0)


@pytest.mark.long
def test_signing_out_closes_the_door(page, base):
    sign_in(page, base)
    page.get_by_role("button", name=re.compile("^Sign out")).click()
    expect(page.get_by_label("Password")).to_be_visible()
    page.goto(f"{base}/jobs/1/site")
    expect(page.get_by_label("Password")).to_be_visible()
    assert page.request.get(f"{base}/api/jobs").status == 401


@pytest.mark.long
def test_a_field_is_not_taken_from_who_has_gone_on(opened):
    """Sent to a slow stage, then typing elsewhere: the focus stays where the person is."""
    page = opened(SKERRY, "Site")
    page.route("**/api/order/*", lambda route: (page.wait_for_timeout(400), route.continue_()))
    page.locator("main.stage").focus()
    page.keyboard.press("/")
    page.get_by_label("Find a quantity, setting or field").fill("output stops at U2")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Sheet", level=1)).to_be_visible()
    page.keyboard.press("/")
    box = page.get_by_label("Find a quantity, setting or field")
    box.fill("fuse")
    page.wait_for_timeout(1200)
    expect(box).to_be_focused()


@pytest.mark.long
def test_a_half_typed_date_is_refused_in_words_and_the_page_lives(opened):
    page = opened(TARN, "Windows")
    expect(page.locator("[data-simulated]")).to_be_visible(timeout=30_000)
    first = page.get_by_label("First day")
    for typed in ("2025-13-45", "soon", "2025-02-30"):
        first.fill(typed)
        first.blur()
        expect(page.get_by_label("Findings").first).to_contain_text("First day")
        expect(page.locator("[data-simulated]")).to_be_visible()
    first.fill("2025-06-02")
    first.blur()
    expect(page.get_by_text("2025-06-04 is shown.")).to_be_visible()
    saved(page)


def test_a_session_that_ended_keeps_what_was_typed(opened, base, context):
    """A password typed without a click goes into the sign-in, for the page behind takes neither keys nor touches."""
    page = opened(SKERRY, "Bank")
    expect(page.locator("[data-plan-state]")).to_have_text("plan fresh")
    fuse = page.get_by_label("Main fuse")
    cookies = [c for c in context.cookies() if "session" not in c["name"]]
    # What the page asks for by itself would be refused too, and might be before the field is typed into: only the save goes out.
    page.route("**/api/**", lambda route: route.continue_() if route.request.method == "PUT" else route.abort())
    context.clear_cookies()
    context.add_cookies(cookies)
    fuse.fill("275")
    over = page.get_by_role("dialog", name="Sign in again")
    expect(over).to_contain_text("what you typed is kept")
    page.unroute("**/api/**")
    expect(over.get_by_label("Name")).to_have_value("demo")
    expect(over.get_by_label("Password")).to_be_focused()
    page.keyboard.type("lithium-bank", delay=30)
    expect(over.get_by_label("Password")).to_have_value("lithium-bank")
    assert page.evaluate("[...document.querySelectorAll('input, textarea')].every((e) => e.closest('[role=dialog], [inert]'))")
    page.keyboard.press("Enter")
    expect(over).to_have_count(0)
    expect(fuse).to_have_value("275")
    assert page.evaluate("document.querySelectorAll('[inert]').length") == 0
    saved(page)
    page.reload()
    expect(page.get_by_label("Main fuse")).to_have_value("275")


@pytest.mark.long
def test_a_list_that_cannot_be_read_offers_another_try(signed, base):
    signed.route("**/api/jobs?*", lambda route: route.abort())
    signed.reload()
    expect(signed.get_by_text("The jobs cannot be read now.")).to_be_visible(timeout=20_000)
    signed.unroute("**/api/jobs?*")
    signed.get_by_role("button", name="Try again").click()
    expect(signed.get_by_role("link", name="Tarn Dairy", exact=True).first).to_be_visible()


def test_a_server_that_fails_keeps_the_change_and_tries_again(opened):
    page = opened(SKERRY, "Bank")
    fail = lambda route: (  # noqa: E731
        route.fulfill(status=500, content_type="application/problem+json", body='{"title": "Broken", "detail": "It broke."}')
        if route.request.method == "PUT"
        else route.continue_()
    )
    page.route("**/api/jobs/*", fail)
    page.get_by_label("Main fuse").fill("225")
    expect(page.get_by_role("alert").filter(has_text="not stored")).to_contain_text("kept on this device")
    page.unroute("**/api/jobs/*")
    page.get_by_role("button", name="Try again").click()
    saved(page)
    page.reload()
    expect(page.get_by_label("Main fuse")).to_have_value("225")


def test_undo_and_redo_walk_through_every_change(opened):
    page = opened(SKERRY, "Bank")
    fuse = page.get_by_label("Main fuse")
    first = fuse.input_value()
    for value in ("300", "310", "320"):
        fuse.fill(value)
        page.get_by_label("Main cable carries").focus()
        page.wait_for_timeout(1600)  # changes closer together are one step of undo
    for value in ("310", "300", first):
        page.get_by_role("button", name="Undo").click()
        expect(fuse).to_have_value(value)
    for value in ("300", "310", "320"):
        page.keyboard.press("Control+Shift+z")
        expect(fuse).to_have_value(value)


@pytest.mark.long
def test_a_new_job_asks_for_a_name(signed):
    signed.get_by_role("link", name="New job").click()
    expect(signed.get_by_label("Name of the site or job")).to_be_focused()
    expect(signed.get_by_role("button", name="Make the job")).to_be_disabled()
