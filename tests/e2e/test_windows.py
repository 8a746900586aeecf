"""Sources, day ribbon, simulated day and year, comparison and adviser, driven as a person would."""

import re

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import expect

from tests.e2e.acts import choose, give_file, more, saved, until
from tests.jobs import LARCH, TARN, data


def drag(page, element, by_x):
    box = element.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + by_x / 2, y, steps=4)
    page.mouse.move(x + by_x, y, steps=8)
    page.mouse.up()


def one_window(**window):
    job = data(TARN)
    job["windows"] = [{"from": "17:00", "to": "20:00", "action": "use", **window}]
    return job


def hour_px(page):
    track = page.locator("[data-ribbon] rect.track").first.bounding_box()
    return track["width"] / 24


@pytest.mark.long
def test_dragging_a_window_over_midnight_splits_it(opened):
    page = opened(one_window(action="charge"), "Windows")
    expect(page.locator("[data-slots]").first).to_contain_text("charge 17:00–20:00")
    drag(page, page.locator('[data-window="0"]'), 5 * hour_px(page))
    expect(page.locator('[data-window="0"][data-part="evening"]')).to_be_visible()
    expect(page.locator('[data-window="0"][data-part="morning"]')).to_be_visible()
    expect(page.get_by_label("Window 1 from")).to_have_value("22:00")
    expect(page.get_by_label("Window 1 to")).to_have_value("01:00")
    saved(page)
    expect(page.locator("[data-slots]").first).to_contain_text("charge 22:00–01:00")
    page.keyboard.press("Control+z")
    expect(page.locator('[data-window="0"][data-part="whole"]')).to_be_visible()
    expect(page.get_by_label("Window 1 from")).to_have_value("17:00")


@pytest.mark.long
def test_an_end_is_dragged_alone(opened):
    page = opened(one_window(), "Windows")
    drag(page, page.locator("[data-grip-to='0']"), 2 * hour_px(page))
    expect(page.get_by_label("Window 1 from")).to_have_value("17:00")
    expect(page.get_by_label("Window 1 to")).to_have_value("22:00")


def test_the_ribbon_by_keys_alone(opened):
    page = opened(one_window(**{"from": "23:30", "to": "23:45"}), "Windows")
    page.locator('[data-window="0"]').focus()
    page.keyboard.press("Shift+ArrowRight")
    expect(page.get_by_label("Window 1 to")).to_have_value("24:00")
    page.keyboard.press("Shift+ArrowRight")
    expect(page.get_by_label("Window 1 to")).to_have_value("00:15")
    # The block is split now, and still has the focus.
    page.keyboard.press("Alt+ArrowLeft")
    expect(page.get_by_label("Window 1 from")).to_have_value("23:15")
    page.keyboard.press("ArrowRight")
    expect(page.get_by_label("Window 1 from")).to_have_value("23:30")
    page.keyboard.press("Delete")
    expect(page.locator("[data-window]")).to_have_count(0)
    expect(page.get_by_text("No window yet")).to_be_visible()


@pytest.mark.long
def test_a_conflict_is_hatched_and_worded(opened):
    page = opened(one_window(), "Windows")
    page.get_by_role("button", name="Add window").click()
    expect(page.locator("[data-clash]")).to_have_count(0)
    page.get_by_label("Window 2 from").fill("18:00")
    page.get_by_label("Window 2 from").press("Enter")
    page.get_by_label("Window 2 to").fill("19:00")
    page.get_by_label("Window 2 to").press("Enter")
    clash = page.locator("[data-clash]")
    expect(clash).to_have_count(1)
    expect(clash.locator("title")).to_have_text("Windows 1 and 2 want different things from 18:00 to 19:00")
    expect(page.locator('[data-finding="windows-overlap"]')).to_contain_text("18:00")
    choose(page, "Window 2 action", "use the bank")
    expect(clash).to_have_count(0)
    expect(page.locator('[data-finding="windows-overlap"]')).to_have_count(0)


@pytest.mark.long
def test_a_wrong_time_is_refused_in_words_and_the_old_one_stays(opened):
    page = opened(one_window(), "Windows")
    field = page.get_by_label("Window 1 from")
    field.fill("25:00")
    field.press("Enter")
    expect(page.get_by_text("a time of day as HH:MM").first).to_be_visible()
    page.keyboard.press("Control+z")
    expect(field).to_have_value("17:00")


@pytest.mark.long
def test_the_reason_of_each_minute(opened):
    page = opened(data(TARN), "Windows")
    reason = page.locator("[data-reason]")
    scrub = page.get_by_label("Minute of the simulated day")
    scrub.fill("150")
    expect(reason).to_contain_text("02:30")
    at_night = reason.inner_text()
    scrub.fill("1110")
    expect(reason).to_contain_text("18:30")
    assert reason.inner_text().split(".")[0] != at_night.split(".")[0]
    scrub.press("ArrowRight")
    expect(reason).to_contain_text("18:31")


def test_the_year_runs_is_cancelled_and_runs_again(opened):
    page = opened(data(TARN), "Windows")
    # The answers about progress are held at half way, so that there is time to press Cancel; the run itself is real.
    told = []

    def half_way(route):
        if route.request.method != "GET":
            told.append(route.request.method)
            return route.continue_()
        if len(told):
            return route.continue_()
        return route.fulfill(json={**route.fetch().json(), "state": "running", "share": 0.5, "word": "June"})

    page.route("**/api/work/*", half_way)
    page.get_by_role("tab", name="Year").click()  # which runs it
    expect(page.get_by_role("progressbar").and_(page.locator("[aria-valuenow='50']"))).to_be_visible()
    expect(page.get_by_role("status").filter(has_text="June")).to_be_visible()
    page.get_by_role("button", name="Cancel").click()
    expect(page.get_by_text("Cancelled; run it again when you like.")).to_be_visible()
    expect(page.locator("[data-calendar]")).to_have_count(0)
    assert told == ["DELETE"]
    page.get_by_role("button", name="Run the year").click()
    expect(page.locator("[data-calendar='365'] svg")).to_be_visible(timeout=60_000)
    expect(page.locator("[data-ledger]")).to_contain_text("kWh")
    plot = page.locator("[data-calendar] svg")

    def press_a_day_in_july():
        box = plot.bounding_box()
        plot.click(position={"x": 44 + (box["width"] - 52) * 15.5 / 31, "y": 20 + (box["height"] - 64) * 6.5 / 12})

    until(press_a_day_in_july, lambda ms: expect(page.locator("[data-day]")).to_contain_text("2025-07-16: lowest", timeout=ms))
    date = page.locator("[data-day]").inner_text().split(":")[0]
    page.get_by_role("button", name="show this day").click()
    expect(page.locator("[data-replay]")).to_contain_text(f"{date} as in the year")
    expect(page.locator("[data-simulated]")).to_be_visible()
    days = page.get_by_role("radiogroup", name="Weekday shown")
    days.get_by_text("Sun").click()
    days.get_by_text("Mon").click()
    expect(page.locator("[data-replay]")).to_have_count(0)
    # The year is still there, and its days are reached by keys alone.
    page.get_by_role("tab", name="Year").click()
    expect(page.locator("[data-calendar='365'] svg")).to_be_visible()
    page.get_by_role("listbox", name=re.compile("^Days")).focus()
    page.keyboard.press("Home")
    for key in ("ArrowDown", "ArrowRight"):
        page.keyboard.press(key)
    expect(page.locator("[data-day]")).to_contain_text("2025-02-02: lowest")
    page.keyboard.press("Enter")
    expect(page.locator("[data-replay]")).to_contain_text("2025-02-02 as in the year")
    page.get_by_role("button", name="Remove window 1").click()
    page.get_by_role("tab", name="Year").click()
    expect(page.get_by_text("The job has changed since; what is shown is of before.")).to_be_visible()


@pytest.mark.long
def test_measured_loads_are_imported_and_bad_lines_named(opened):
    page = opened(data(TARN), "Windows")
    loads = page.locator('[data-series="load"]')
    expect(loads).to_contain_text("shape of a usual day")

    def give(text):
        give_file(page, "Loads CSV", {"name": "meter.csv", "mimeType": "text/csv", "buffer": text.encode()})

    give("time,W\n2025-01-01 00:00,500\n2025-01-01 01:00,much")
    expect(page.get_by_role("alert").filter(has_text="meter.csv")).to_contain_text("line 3 not a number; wanted: power in W")
    expect(loads).to_contain_text("shape of a usual day")
    give("time,W\n2025-01-01 00:00,500\n2025-01-01 12:00,1500".replace("12:00", "01:00"))
    expect(loads).to_contain_text("measured: 2 figures, one each 60 min, from 2025-01-01, 2 kWh")
    page.get_by_label("Minute of the simulated day").fill("90")
    expect(page.locator("[data-reason]")).to_contain_text("load 1500 W")
    saved(page)
    loads.get_by_role("button", name="Remove").click()
    expect(loads).to_contain_text("shape of a usual day")


@pytest.mark.long
def test_an_outage_is_added_and_simulated(opened):
    page = opened(data(TARN), "Windows")
    page.get_by_role("button", name="Add an outage").click()
    page.get_by_label("Minute of the simulated day").fill("1140")
    page.get_by_label("Outage 1 date", exact=True).fill("2025-01-01")
    page.get_by_label("Outage 1 date", exact=True).press("Enter")
    expect(page.locator("[data-reason]")).to_contain_text("Mains away")


@pytest.mark.long
def test_comparing_as_found_with_plan(opened):
    page = opened(data(LARCH), "Windows")
    page.get_by_role("tab", name="Compare").click()
    page.get_by_role("button", name="Compare over a year").click()
    heads = page.locator("[data-ledger] thead th")
    expect(heads).to_have_count(3, timeout=60_000)
    cells = page.locator("[data-ledger] tbody tr").first.locator("td")
    expect(cells).to_have_count(2)


@pytest.mark.long
def test_comparing_two_what_ifs(opened):
    page = opened(data(TARN), "Windows")
    more(page, "Try a what-if")
    page.get_by_role("button", name="Remove window 1").click()
    page.get_by_role("tab", name="Compare").click()
    page.get_by_role("button", name="Compare over a year").click()
    expect(page.locator("[data-ledger] thead")).to_contain_text("before", timeout=60_000)
    costs = page.locator("[data-ledger] tbody tr").filter(has_text=re.compile("cost", re.I)).first.locator("td")
    assert costs.nth(0).inner_text() != costs.nth(1).inner_text()


@pytest.mark.long
def test_the_adviser_tells_what_its_windows_do_and_they_can_be_taken(opened):
    page = opened({**data(TARN), "windows": []}, "Windows")
    expect(page.get_by_text("No window yet")).to_be_visible()
    page.get_by_role("button", name="Find the best windows").click()
    advice = page.locator("[data-advice]")
    expect(advice).to_contain_text("%", timeout=60_000)
    page.get_by_role("button", name="Take these windows").click()
    expect(page.locator("[data-window]").first).to_be_visible()
    saved(page)


@pytest.mark.long
def test_gentlest_current(opened):
    page = opened(data(TARN), "Sources")
    page.get_by_role("button", name="Find it").click()
    expect(page.locator("[data-gentlest]")).to_contain_text(
        re.compile(r"(\d+ A, [\d.]+ C|Not even \d+ A is enough)"), timeout=60_000
    )


@pytest.mark.long
def test_the_calendar_file(opened):
    page = opened(data(TARN), "Windows")
    with page.expect_download() as got:
        page.get_by_role("link", name="Calendar file").click()
    text = got.value.path().read_text()
    assert text.startswith("BEGIN:VCALENDAR")
    assert text.count("BEGIN:VEVENT") == len(data(TARN)["windows"])


def typed(page, label, text):
    """Type a text into a field key by key, and leave it."""
    field = page.get_by_label(label, exact=True)
    field.click()
    page.keyboard.press("Control+a")
    page.keyboard.type(text)
    page.keyboard.press("Tab")
    return field


@pytest.mark.long
def test_times_and_days_in_usual_spellings(opened):
    page = opened(one_window(action="charge"), "Windows")
    for label, text, meant in (
        ("Window 1 from", "10pm", "22:00"),
        ("Window 1 to", "6.30", "06:30"),
        ("Window 1 days", "Mon to Fri", "mon-fri"),
        ("Window 1 days", "weekend", "sat,sun"),
        ("Window 1 days", "Every day", "all"),
    ):
        expect(typed(page, label, text)).to_have_value(meant)
    saved(page)
    expect(page.locator("[data-slots]").first).to_contain_text("charge 22:00–06:30")
    expect(typed(page, "Window 1 to", "soon")).to_have_value("soon")
    expect(page.get_by_text("a time of day as HH:MM").first).to_be_visible()


@pytest.mark.long
def test_seasons_have_windows_and_prices_of_their_own(opened):
    page = opened(one_window(action="charge"), "Windows")
    expect(page.locator("[data-parts]")).to_have_count(0)
    page.get_by_role("button", name="Add a season").click()
    page.get_by_role("button", name="Add a season").click()
    winter = page.locator('[data-season="Winter"]')
    winter.get_by_role("button", name="Prices of its own").click()
    expect(winter.get_by_text("Prices in Winter")).to_be_visible()
    first = page.locator('[data-season="Summer"]').get_by_label("First day")
    first.click()
    page.keyboard.press("Control+a")
    page.keyboard.type("1 May")
    page.keyboard.press("Tab")
    expect(first).to_have_value("05-01")
    choose(page, "Window 1 season", "Summer")
    parts = page.locator("[data-parts]")
    expect(parts).to_contain_text("05-01")
    # The job begins in January: nothing holds then, and the sheet is for that day.
    expect(page.locator('[data-window="0"]')).to_have_count(0)
    parts.locator(".el-segmented__item").filter(has_text="05-01").click()
    expect(page.locator('[data-window="0"]')).to_be_visible()
    expect(page.locator("[data-slots]").first).to_contain_text("charge 17:00–20:00")
    expect(page.get_by_text("The slots change 2 times a year")).to_be_visible()
    saved(page)
    page.get_by_role("button", name="Remove season Summer").click()
    expect(page.locator('[data-window="0"]')).to_be_visible()
    expect(parts).to_have_count(0)


@pytest.mark.long
def test_many_weathers_as_small_multiples(opened):
    page = opened(LARCH, "Windows")
    page.get_by_role("tab", name="Year").click()
    expect(page.locator("[data-calendar] svg")).to_be_visible()  # the year runs by itself; nothing moves after it
    choose(page, "Years of weather", "20")
    choose(page, "Vary", "watts of the array")
    values = page.get_by_label("Values")
    values.click()
    page.keyboard.type("2000, lots")
    expect(page.get_by_text("lots is not a number above zero.")).to_be_visible()
    page.keyboard.press("Control+a")
    page.keyboard.type("2000; 9000")
    page.get_by_role("button", name="Run the weathers").click()
    made = page.locator("[data-sweep]")
    expect(made).to_be_visible(timeout=120_000)
    expect(made.locator("figure")).to_have_count(2)
    expect(made.locator('[data-part="2000"]')).to_contain_text("2000 W")
    served = [made.locator(f'[data-part="{v}"] .figures').filter(has_text="Generator").inner_text() for v in ("2000", "9000")]
    few, many = (float(re.findall(r"[\d.]+", text)[1]) for text in served)
    assert few > many, "a larger array needs the generator less"
    assert Axe().run(page, options={"runOnly": ["wcag2a", "wcag2aa"]}).violations_count == 0


@pytest.mark.long
def test_an_array_on_the_output_side_is_added_and_judged(opened):
    page = opened(TARN, "Units")
    page.get_by_role("button", name="Add array on the output side").click()
    row = page.locator("[data-output-array]")
    size = row.get_by_label("Its inverter")
    size.click()
    page.keyboard.press("Control+a")
    page.keyboard.type("40000")
    page.keyboard.press("Tab")
    expect(page.get_by_text("Output-side array is larger than the units")).to_be_visible()
    expect(page.get_by_text("It must turn itself down when the bank is full").first).to_be_visible()
    row.get_by_role("button", name="Remove R1").click()
    expect(page.get_by_text("Output-side array is larger than the units")).to_have_count(0)


@pytest.mark.long
def test_selling_surplus_is_chosen_with_its_caution(opened):
    page = opened(TARN, "Sources")
    sold = page.get_by_role("radiogroup", name="Surplus is")
    expect(sold).to_be_visible()
    expect(page.get_by_text("Export and islanding need the grid operator's permission")).to_have_count(0)
    sold.get_by_text("sold", exact=True).click()
    expect(page.get_by_text("Export and islanding need the grid operator's permission")).to_be_visible()
    expect(page.get_by_text("Export needs permission")).to_be_visible()
    page.get_by_label("Export at most").click()
    page.keyboard.type("2500")
    page.keyboard.press("Tab")
    expect(page.get_by_text("up to 2500 W")).to_be_visible()
    saved(page)
