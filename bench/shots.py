"""Pictures of the main views from demo data: ``python bench/shots.py FOLDER [NAME ...]``."""

import re
import sys
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from bench.server import CHROMIUM, demo_server

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


TABLE = """No.\tSetting\tRange\tStep\tFactory
01\tAbsorption voltage\t48.0~58.4 V\t0.1 V\t56.4 V
02\tFloat voltage\t48.0~58.4 V\t0.1 V\t54.0 V
03\tLow battery cut-off\t40.0~52.0 V\t0.1 V\t42.0 V
04\tReconnect voltage\t44.0~56.0 V\t0.1 V\t48.0 V
05\tBattery type\tFlooded / AGM / User\t\tAGM
06\tCharging amps\t5~100 A\t5 A\t60 A
07\tTemperature compensation\t0~8 mV/°C\t1\t4
08\tGlow of the lamp\t1~9\t1\t3"""


def library(page: Page, base: str) -> None:
    page.goto(base + "/library/new")
    page.get_by_label("Model, as on the plate").fill("Tallow K5")
    page.get_by_role("button", name="Paste the manual's table of settings").click()
    page.get_by_label("Table of settings").fill(TABLE)
    page.locator("[data-manual]").first.wait_for()
    page.wait_for_timeout(400)


def new_job(page: Page, base: str) -> None:
    page.goto(base + "/new")
    page.get_by_label("Name of the site or job").fill("Alder Byre")
    for label, typed in (
        ("Capacity", "280"),
        ("Charge, data sheet", "140"),
        ("Discharge, data sheet", "200"),
        ("Continuous power", "5 kW"),
    ):
        page.get_by_role("textbox", name=label, exact=True).fill(typed)
    page.wait_for_timeout(300)


def year(page: Page, base: str) -> None:
    stage(SKERRY, "Windows")(page, base)
    page.get_by_role("tab", name="Year").click()
    page.locator("[data-calendar]").wait_for(timeout=120_000)


def as_found(page: Page, base: str) -> None:
    stage(LARCH, "Sheet")(page, base)
    page.get_by_role("tab", name="As found").click()
    page.wait_for_timeout(300)


def logbook(page: Page) -> None:
    page.get_by_role("tab", name="Logbook").click()
    page.locator("[data-fault]").first.wait_for()


def live(page: Page) -> None:
    """Start stand-ins and wait until they are read."""
    page.get_by_role("tab", name="Live").click()
    page.locator("[data-start-rig]").click()
    page.locator('[data-reading="charge_a"]').wait_for()
    page.locator('[data-display="U1"]').wait_for()
    page.wait_for_timeout(4000)


def practice(page: Page, base: str) -> None:
    """Begin the first lesson and make one test."""
    page.goto(f"{base}/practice")
    page.get_by_role("button", name="First lesson").click()
    page.get_by_role("button", name="Are both plugs home").click()
    page.locator("[data-last]").wait_for()


def logs(page: Page) -> None:
    """Show the week's log, near the days on which something was found."""
    page.get_by_role("tab", name="Logs").click()
    page.locator("[data-log-findings]").wait_for()
    page.locator("[data-log-plot] svg").wait_for()
    page.wait_for_timeout(800)


SHOTS: dict[str, tuple[Callable[[Page, str], None], str, tuple[int, int]]] = {
    "jobs": (jobs, "light", (1280, 800)),
    "bank": (stage(HERON, "Bank"), "light", (1280, 800)),
    "units": (stage(FENWICK, "Units"), "light", (1280, 800)),
    "link": (stage(SKERRY, "Link"), "light", (1280, 800)),
    "limits": (stage(SKERRY, "Limits"), "light", (1280, 800)),
    "thresholds": (stage(SKERRY, "Thresholds"), "light", (1280, 800)),
    "thresholds-garage-tablet": (stage(LARCH, "Thresholds"), "dark", (820, 1180)),
    "windows": (stage(TARN, "Windows", lambda p: p.locator("[data-simulated]").wait_for()), "light", (1280, 800)),
    "year": (year, "light", (1280, 800)),
    "new-job": (new_job, "light", (1280, 800)),
    "library": (library, "light", (1280, 800)),
    "as-found": (as_found, "light", (1280, 800)),
    "sheet": (stage(LARCH, "Sheet"), "light", (1280, 800)),
    "run": (stage(SKERRY, "Run", lambda p: p.locator("[data-run-step]").wait_for()), "light", (1280, 800)),
    "proof": (stage(LARCH, "Proof", lambda p: p.locator("[data-test]").first.wait_for()), "light", (1280, 800)),
    "live": (stage(SKERRY, "Proof", live), "light", (1280, 800)),
    "logs": (stage(SKERRY, "Proof", logs), "light", (1280, 800)),
    "practice": (practice, "light", (1280, 800)),
    "logbook": (stage(HERON, "Handover", logbook), "light", (1280, 800)),
}


def main(folder: Path, wanted: list[str]) -> None:
    """Take the wanted pictures, all of them by default."""
    folder.mkdir(parents=True, exist_ok=True)
    with demo_server() as base, sync_playwright() as p:
        browser = p.chromium.launch(**CHROMIUM)
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
