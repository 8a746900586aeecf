"""A try of practice from its start to the debrief, by keyboard alone and by touch."""

import re

import pytest
from playwright.sync_api import expect

from ewerer.rig.ways import WAYS


def named_and_mended(page, press):
    """Follow the lesson: the plugs are looked at, the cable is named, the right way is taken."""
    press(page.get_by_role("button", name="First lesson, ten minutes"))
    expect(page.locator("[data-headline]")).to_have_text("The owner says: The battery page shows all zeros")
    expect(page.locator("[data-headline]")).to_be_focused()
    press(page.get_by_role("button", name="Are both plugs home, in the ports the cable card names?"))
    expect(page.locator("[data-last]")).to_contain_text("Not home")
    press(page.get_by_role("button", name="It is: The protocol is not chosen in the unit"))
    expect(page.locator("[data-last]")).to_contain_text("in order")
    press(page.get_by_role("button", name="A hint, for a point"))
    expect(page.locator("[data-hint]")).to_contain_text("The cable is not in")
    press(page.get_by_role("button", name="Clamp on the bank's lead, in with a plus"))
    expect(page.locator("[data-last]")).to_contain_text(re.compile(r"Clamp .*: -?\d+\.\d A, ± \d"))
    expect(page.get_by_role("columnheader", name="your meter")).to_be_visible()
    press(page.get_by_role("button", name="It is: The cable is not in, or not all the way"))
    expect(page.locator("[data-headline]")).to_have_text("Right. How do you mend it?")


def test_a_lesson_by_keyboard_alone_from_the_list_of_jobs_to_the_debrief(signed):
    page = signed

    def press(button):
        button.focus()
        page.keyboard.press("Enter")

    press(page.get_by_role("link", name="Practice"))
    expect(page.get_by_role("heading", name="Practice", level=1)).to_be_visible()
    named_and_mended(page, press)
    press(page.get_by_role("button", name=WAYS["cable-out"].right))
    expect(page.locator("[data-headline]")).to_contain_text("1 of 1 found and mended")
    expect(page.locator("[data-score]")).to_contain_text("1 wrong cause, 1 hint")
    expect(page.get_by_role("region", name="What was hidden")).to_contain_text("Link cable out")
    with page.expect_download() as saved:
        press(page.get_by_role("button", name="Save the scenario for others"))
    assert saved.value.suggested_filename.startswith("practice-1-")
    press(page.get_by_role("link", name="‹ All tries"))
    expect(page.locator("[data-tries] tbody tr").first).to_contain_text("Skerry Field Station")


@pytest.mark.parametrize("browser_context_args", [{"viewport": {"width": 390, "height": 844}, "has_touch": True, "is_mobile": True, "service_workers": "block", "reduced_motion": "reduce"}], ids=["telephone"])  # fmt: skip
def test_an_unsafe_way_ends_it_by_touch(known, base):
    page = known
    page.goto(f"{base}/practice")
    named_and_mended(page, lambda button: button.tap())
    page.get_by_role("button", name=WAYS["cable-out"].unsafe).tap()
    expect(page.locator("[data-headline]")).to_contain_text(WAYS["cable-out"].why)
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
