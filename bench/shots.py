"""Pictures of the main views from demo data: ``python bench/shots.py FOLDER [NAME ...]``."""

import re
import sys
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from bench.server import demo_server

ARGS = ["--no-sandbox", "--disable-background-networking"]
SKERRY, LARCH, TARN, HERON = "Skerry Field Station", "Larch Hollow Workshop", "Tarn Dairy", "Heron Weir Mill"
FENWICK = "Fenwick Lock Cottage"


def sign_in(page: Page, base: str) -> None:
    page.goto(base)
    page.get_by_label("Name").fill("demo")
    page.get_by_label("Password").fill("lithium-bank")
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("heading", name="Jobs").wait_for()


def choose(page: Page, label: str, word: str) -> None:
    """Open the list of a label and take the first choice that begins with a word."""
    box = page.get_by_role("combobox", name=label, exact=True)
    box.locator("xpath=ancestor::*[contains(@class, 'el-select__wrapper')]").click()
    page.get_by_role("option", name=re.compile("^" + re.escape(word))).locator("visible=true").first.click()


def stage(job: str, name: str, then: Callable[[Page], None] = lambda _: None) -> Callable[[Page, str], None]:
    def show(page: Page, base: str) -> None:
        page.goto(base)
        page.get_by_role("link", name=job, exact=True).click()
        page.locator("[data-stage]").wait_for()
        page.get_by_role("navigation").get_by_role("link", name=name).first.click()
        page.locator(f'[data-stage="{name.lower()}"]').wait_for()
        page.wait_for_timeout(500)
        then(page)

    return show


def jobs(page: Page, base: str) -> None:
    page.goto(base)
    page.get_by_role("link", name=SKERRY, exact=True).wait_for()


def library(page: Page, base: str) -> None:
    page.goto(base + "/library/orrowan-t8")
    page.get_by_role("heading", name="Try it").wait_for()
    choose(page, "Setting", "Fill to")
    page.get_by_label("Value, in its own unit").fill("55.2")
    page.get_by_label("Writes in order").fill("low-warn = 41\nlow-out = 43")
    page.wait_for_timeout(400)


def year(page: Page, base: str) -> None:
    stage(SKERRY, "Windows")(page, base)
    page.get_by_role("tab", name="Year").click()
    page.get_by_role("button", name="Run the year").click()
    page.locator("[data-calendar]").wait_for(timeout=120_000)


def weathers(page: Page, base: str) -> None:
    stage(LARCH, "Windows")(page, base)
    page.get_by_role("tab", name="Year").click()
    choose(page, "Vary", "watts of the array")
    page.get_by_label("Values").fill("2000 4000 8000")
    page.get_by_role("button", name="Run the weathers").click()
    page.locator("[data-sweep]").wait_for(timeout=240_000)


def as_found(page: Page, base: str) -> None:
    stage(LARCH, "Sheet")(page, base)
    page.get_by_role("tab", name="As found").click()
    page.wait_for_timeout(300)


def logbook(page: Page) -> None:
    page.get_by_role("tab", name="Logbook").click()
    page.locator("[data-fault]").first.wait_for()


def faults(page: Page, base: str) -> None:
    stage(SKERRY, "Link")(page, base)
    page.keyboard.press("f")
    page.get_by_role("button", name="The page is there, but one module").click()
    page.get_by_role("button", name="yes").first.wait_for()


SHOTS: dict[str, tuple[Callable[[Page, str], None], str, tuple[int, int]]] = {
    "jobs": (jobs, "light", (1280, 800)),
    "site": (stage(HERON, "Site"), "light", (1280, 800)),
    "bank": (stage(HERON, "Bank"), "light", (1280, 900)),
    "units": (stage(FENWICK, "Units"), "light", (1280, 1000)),
    "link": (stage(SKERRY, "Link"), "light", (1280, 1500)),
    "faults": (faults, "light", (1280, 800)),
    "limits": (stage(SKERRY, "Limits"), "light", (1280, 800)),
    "thresholds": (stage(SKERRY, "Thresholds"), "light", (1280, 900)),
    "thresholds-garage-tablet": (stage(LARCH, "Thresholds"), "dark", (820, 1180)),
    "sources": (stage(SKERRY, "Sources"), "light", (1280, 1000)),
    "windows": (stage(TARN, "Windows", lambda p: p.locator("[data-simulated]").wait_for()), "light", (1280, 1000)),
    "year": (year, "light", (1280, 900)),
    "weathers": (weathers, "light", (1280, 800)),
    "library": (library, "light", (1280, 800)),
    "as-found": (as_found, "light", (1280, 800)),
    "sheet": (stage(LARCH, "Sheet"), "light", (1280, 800)),
    "run": (stage(SKERRY, "Run", lambda p: p.locator("[data-run-step]").wait_for()), "light", (1280, 860)),
    "proof": (stage(LARCH, "Proof", lambda p: p.locator("[data-test]").first.wait_for()), "light", (1280, 800)),
    "logbook": (stage(HERON, "Handover", logbook), "light", (1280, 800)),
}


def main(folder: Path, wanted: list[str]) -> None:
    """Take the wanted pictures, all of them by default."""
    folder.mkdir(parents=True, exist_ok=True)
    with demo_server() as base, sync_playwright() as p:
        browser = p.chromium.launch(executable_path="/usr/bin/chromium", args=ARGS)
        for name, (show, scheme, (width, height)) in SHOTS.items():
            if wanted and name not in wanted:
                continue
            page = browser.new_page(viewport={"width": width, "height": height}, color_scheme=scheme)
            page.on("console", lambda m, name=name: m.type == "error" and print(name, m.text))
            sign_in(page, base)
            show(page, base)
            page.wait_for_timeout(300)
            page.screenshot(path=folder / f"{name}.png")
            page.close()
            print(name)
        browser.close()


if __name__ == "__main__":
    main(Path(sys.argv[1]), sys.argv[2:])
