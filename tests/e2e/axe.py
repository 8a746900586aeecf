"""What the accessibility checker finds."""

from axe_playwright_python.sync_playwright import Axe


def serious(page):
    page.wait_for_timeout(300)
    return [
        (v["id"], v["nodes"][0]["html"][:200])
        for v in Axe().run(page).response["violations"]
        if v["impact"] in ("serious", "critical")
    ]
