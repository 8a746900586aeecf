"""A log goes in from the page: stopped and gone on with, its columns put right, looked at near by, and what it measured taken."""

import re

import polars as pl
import pytest
from playwright.sync_api import expect

from tests.e2e.acts import choose, give_file, saved, show, until
from tests.jobs import SKERRY, data
from tests.logs.logmaker import frame_of, made, noisy


def logs(opened):
    page = opened(data(SKERRY), "Proof")
    page.get_by_role("tab", name="Logs").click()
    expect(page.locator("[data-log-answer]")).to_contain_text("No log yet.")
    return page


def test_a_log_is_sent_stopped_gone_on_with_judged_and_its_overshoot_taken(opened, tmp_path):
    page = logs(opened)
    t, columns, truth = made(1, days=1)
    frame = frame_of(t, noisy(columns, 1)).rename({"volts": "Reading one", "amps": "Battery current (A)"})
    path = tmp_path / "day at the site.csv"
    path.write_bytes(frame.write_csv().encode())
    assert path.stat().st_size > 5 * 2**20, "more than one part"
    # The second part is held, and the person stops it; the same file again goes on after the first part.
    sent = []

    def part(route):
        sent.append(route.request.url.rsplit("/", 1)[1])
        return None if len(sent) == 2 else route.continue_()

    page.route("**/parts/*", part)
    give_file(page, "Add a log", path)
    expect(page.get_by_role("progressbar", name="Log on its way")).to_be_visible()
    until(lambda: page.wait_for_timeout(50), lambda ms: expect(page.locator("[aria-valuenow='0']")).to_have_count(0, timeout=ms))
    page.get_by_role("button", name="Stop").click()
    expect(page.get_by_text("Stopped; choose the same file to go on.")).to_be_visible()
    expect(page.locator("[data-unread]")).to_contain_text("not sent whole")
    page.unroute("**/parts/*")
    again = []
    page.on("request", lambda r: again.append(r.url.rsplit("/", 1)[1]) if "/parts/" in r.url else None)
    give_file(page, "Add a log", path)
    expect(page.locator("[data-log-about]")).to_contain_text("86,400 rows")
    assert again[0] == "1", "the first part is there already"
    # A column that no word tells is said by the person, and then the volts are judged.
    page.get_by_text(re.compile("Columns")).first.scroll_into_view_if_needed()
    choose(page, "Reading one", "Bank volts")
    page.get_by_role("button", name="Read again with these columns").click()
    figures = page.locator("[data-log-figures]")
    expect(figures).to_contain_text("Absorption voltage")
    expect(figures).to_contain_text(f"{truth.absorb_v:g}")
    # Near by every reading is there.
    shown = page.locator("[data-log-shown]")
    expect(shown).to_contain_text("thinned")
    for _ in range(8):
        page.get_by_role("button", name="Zoom in").click()
    expect(shown).not_to_contain_text("thinned")
    page.get_by_role("button", name="All", exact=True).click()
    expect(shown).to_contain_text("86400 rows")
    # A finding leads to its place.
    finding = page.locator("[data-log-findings] tr").filter(has_text="above the absorption")
    finding.get_by_role("button", name="Show").click()
    expect(shown).not_to_contain_text("86400 rows")
    page.get_by_role("button", name="Put these in the logbook").click()
    expect(page.get_by_role("button", name="In the logbook")).to_be_disabled()
    take = page.locator('[data-proposal="/policy/overshoot_v"]')
    expect(take).to_contain_text("Overshoot")
    take.get_by_role("button", name="Take it").click()
    expect(take).to_have_count(0)
    saved(page)
    token = page.evaluate("fetch(location.pathname.replace('/jobs', '/api/jobs').replace('/proof', '')).then((r) => r.json())")
    assert abs(token["document"]["policy"]["overshoot_v"] - truth.overshoot_v) < 0.03
    show(page, "Handover")
    page.get_by_role("tab", name="Logbook").click()
    expect(page.locator("[data-log]").filter(has_text="above the absorption voltage")).to_contain_text("day at the site.csv")


def test_a_file_that_is_no_log_says_what_would_be_right_and_is_deleted(opened, tmp_path):
    page = logs(opened)
    path = tmp_path / "notes.csv"
    path.write_text("a letter\nto somebody\n")
    give_file(page, "Add a log", path)
    expect(page.get_by_role("alert").filter(has_text="right would be")).to_be_visible()
    expect(page.locator("[data-unread]")).to_contain_text("no table")
    page.locator("[data-unread]").get_by_role("button", name="Delete").click()
    expect(page.locator("[data-unread]")).to_have_count(0)


def test_two_logs_stand_on_one_axis_and_one_is_replayed_as_a_port(opened, tmp_path):
    page = logs(opened)
    t, columns, _ = made(3, days=1)
    frame = frame_of(t, columns)
    for name, rows in (("first.csv", slice(0, 86_400, 10)), ("second.csv", slice(36_000, 72_000, 10))):
        path = tmp_path / name
        path.write_bytes(frame[rows].write_csv().encode())
        give_file(page, "Add a log", path)
        expect(page.locator("[data-log-about]")).to_contain_text(name)
    choose(page, "Log shown", "first.csv")
    expect(page.locator("[data-log-about]")).to_contain_text("8,640 rows")
    choose(page, "Second log below", "second.csv")
    expect(page.locator("[data-together]")).to_have_text("Both by their own clocks.")
    plot = page.locator("[data-log-plot]")
    expect(plot.get_by_text("Bank volts, V, second.csv").first).to_be_visible()
    page.get_by_text("Replay", exact=True).first.scroll_into_view_if_needed()
    choose(page, "Speed", "10 times as fast")
    page.locator("[data-replay]").click()
    page.get_by_role("button", name="Look at it on Live").click()
    expect(page.locator("[data-replayed]")).to_contain_text("replay of first.csv, no reading of now")
    shown = page.locator('[data-reading="volts"]')
    expect(shown).to_contain_text(re.compile(r"\d\d\.\d+ V"))
    expect(page.locator('[data-port="replay bank"]')).to_contain_text("replay of first.csv at 10 times")
    page.get_by_role("button", name="Remove the port of bank").click()
    expect(page.locator('[data-port="replay bank"]')).to_have_count(0)


@pytest.mark.long
def test_a_hundred_megabytes_are_stopped_gone_on_with_and_drawn(opened, tmp_path):
    page = logs(opened)
    t, columns, _ = made(5, days=1)
    one = frame_of(t, noisy(columns, 5))
    days = [one.with_columns(pl.col("time") + pl.duration(days=d)) for d in range(16)]
    path = tmp_path / "long.csv"
    pl.concat(days).write_csv(path)
    assert path.stat().st_size > 100 * 10**6
    give_file(page, "Add a log", path)
    until(lambda: page.wait_for_timeout(50), lambda ms: expect(page.locator("[aria-valuenow='0']")).to_have_count(0, timeout=ms))
    page.get_by_role("button", name="Stop").click()
    expect(page.get_by_text("Stopped; choose the same file to go on.")).to_be_visible()
    sent = []
    page.on("request", lambda r: sent.append(int(r.url.rsplit("/", 1)[1])) if "/parts/" in r.url else None)
    give_file(page, "Add a log", path)
    expect(page.locator("[data-log-about]")).to_contain_text("1,382,400 rows", timeout=240_000)
    assert sent[0] > 0 and sent == list(range(sent[0], -(-path.stat().st_size // (4 * 2**20)))), (
        "each part once, from where it stopped"
    )
    shown = page.locator("[data-log-shown]")
    expect(shown).to_contain_text("1382400 rows, thinned")
    page.get_by_role("button", name="Zoom in").click()
    expect(shown).to_contain_text("8 days")
