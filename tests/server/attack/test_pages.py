"""What people type reaches paper and spreadsheets as typed: nothing is fetched, attached, run or lost."""

import csv
import io
import json
import re
from pathlib import Path

import pypdfium2
import pytest
from openpyxl import load_workbook

from ewerer.core.devices.library import Library, parse_job, parse_profile, shipped_library
from ewerer.core.pages import pdf as pages
from ewerer.core.pages.cable import cable_page
from ewerer.core.pages.calendar import calendar
from ewerer.core.pages.export import sheet_bytes
from ewerer.core.pages.sheet import sheet_page
from ewerer.core.plan import find_sheet, plan
from ewerer.core.visit.working_list import unit_order
from tests.jobs import SKERRY, data

EVIL = "<b></b><a rel=attachment href=file:///etc/hostname>"
SHORT = "<b></b><img src=file:///etc/x>"  # where only 40 characters fit
RUN = ('=HYPERLINK("http://x")', " =1+1", "\n@SUM(A1)", "+cmd|' /C calc'!A0", "-2+3", "\t=A1")


def hostile(text: str = EVIL, short: str = SHORT) -> tuple[dict, Library]:
    """Return a job and a library in which every text field holds a hostile text."""
    unit = json.loads(Path("src/ewerer/library/orrowan-t8.json").read_text())
    module = json.loads(Path("src/ewerer/library/dunmarrow-280.json").read_text())
    for profile in (unit, module):
        profile |= {"name": text, "maker": text, "notes": text}
    for setting in unit["settings"]:
        setting |= {"menu": [short], "label": short, "note": text, "caution": text}
    for lock in unit["interlocks"]:
        lock["note"] = text
    for port in (*unit["ports"], *module["bms"]["ports"]):
        port["label"] = short
        port["pins"] = {pin: signal if signal.startswith("CAN") else short for pin, signal in port["pins"].items()}
    for known in (*unit.get("firmware", []), *module.get("firmware", [])):
        known["why"] = text
    unit["id"], module["id"] = "evil-unit", "evil-module"
    job = data(SKERRY)
    job |= {"name": text[:120], "notes": text, "as_found": {"U1": {"fill-volts": "56.4"}}}
    for m in job["bank"]["modules"]:
        m["profile"] = "evil-module"
    for u in job["units"]:
        u["profile"] = "evil-unit"
    job["sheet_marks"] = {"U1": {"fill-volts": {"state": "done", "read_back": short, "note": text}}}
    library = Library([*shipped_library(), parse_profile(json.dumps(unit)), parse_profile(json.dumps(module))])
    return job, library


def papers(job, library) -> dict[str, bytes]:
    document = parse_job(json.dumps(job), library)
    made = plan(document, library)
    sheet = find_sheet(document, made, "U1")
    return {"sheet": sheet_page(document, sheet, unit_order(document, "U1", library)), "cable": cable_page(document, made)}


def text_of(made: bytes) -> str:
    book = pypdfium2.PdfDocument(made)
    return "\n".join(page.get_textpage().get_text_range() for page in book)


@pytest.mark.parametrize(
    "evil",
    [
        EVIL,
        "<span onclick=x><img src='http://127.0.0.1:9/x'></span>",
        "<style>@import url(file:///etc/passwd)</style>",
        "{{ 7 * 7 }}{% for x in y %}",
    ],
)
def test_a_page_attaches_nothing_fetches_nothing_and_shows_what_was_typed(evil, monkeypatch):
    asked = []
    real = type(pages._fetcher()).fetch

    def watched(self, url, headers=None):
        asked.append(url)
        return real(self, url, headers)

    monkeypatch.setattr(type(pages._fetcher()), "fetch", watched)
    for made in papers(*hostile(evil, evil[:40])).values():
        book = pypdfium2.PdfDocument(made)
        assert book.count_attachments() == 0
        shown = re.sub(r"\s+", "", text_of(made))
        assert re.sub(r"\s+", "", evil[:24]) in shown
        assert b"/EmbeddedFile" not in made and b"/Launch" not in made and b"/URI" not in made
    assert set(asked) <= {pages.FONT}


@pytest.mark.parametrize(
    "url", ["file:///etc/hostname", "http://127.0.0.1:9/", "https://127.0.0.1/", "ftp://x/", "data:text/plain,x"]
)
def test_whatever_a_page_asks_for_is_refused(url):
    from weasyprint.urls import FatalURLFetchingError

    with pytest.raises(FatalURLFetchingError):
        pages._fetcher().fetch(url)


@pytest.mark.parametrize("run", RUN)
def test_no_cell_of_a_spreadsheet_is_a_formula(run):
    job, library = hostile(run.ljust(2), run[:40])
    document = parse_job(json.dumps(job), library)
    sheet = find_sheet(document, plan(document, library), "U1")
    book = load_workbook(io.BytesIO(sheet_bytes(document, sheet, "xlsx")))
    cells = [c for page in book for row in page.iter_rows() for c in row if c.value is not None]
    assert cells and all(c.data_type == "s" for c in cells)
    assert any(run.strip() in str(c.value) for c in cells)
    table = csv.reader(io.StringIO(sheet_bytes(document, sheet, "csv").decode("utf-8-sig")))
    for value in (v for row in table for v in row):
        bare = value.lstrip()
        if bare[:1] in "=+-@|%" and bare:
            float(value)  # a plain number may stay one


def test_control_characters_do_not_break_a_workbook():
    job, library = hostile("bell \x07 and \x0b tab", "\x01 one")
    document = parse_job(json.dumps(job), library)
    sheet = find_sheet(document, plan(document, library), "U1")
    book = load_workbook(io.BytesIO(sheet_bytes(document, sheet, "xlsx")))
    assert "bell" in str(book.worksheets[0]["A1"].value)


def test_a_calendar_keeps_its_lines_together():
    job, library = hostile("evil\r\nBEGIN:VALARM\r\nX:1")
    made = calendar(parse_job(json.dumps(job), library)).decode()
    assert "\r\nBEGIN:VALARM" not in made
