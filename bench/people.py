"""How the server holds up: people who edit at once while years are simulated, many jobs, its start, its memory, and a key in a browser."""

import contextlib
import http.client
import itertools
import json
import os
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from playwright.sync_api import sync_playwright

from bench.server import CHROMIUM, free_port, server

NUMBERS = itertools.count(1000)
KEY_TO_FIGURE = """() => new Promise((done, failed) => {
  const real = window.fetch
  let begun = 0
  setTimeout(() => failed(new Error('no plan came')), 20000)
  document.addEventListener('keydown', (e) => { if (e.key === 'Enter') begun = performance.now() }, { once: true, capture: true })
  window.fetch = async (...asked) => {
    const answer = await real(...asked)
    if (begun && (asked[0].url ?? asked[0]).includes('/api/plan')) {
      window.fetch = real
      void answer.clone().text().then(() => requestAnimationFrame(() => setTimeout(() => done(performance.now() - begun))))
    }
    return answer
  }
})"""
"""From Enter in a field until the page has drawn a frame with the plan that was asked for."""
ROUND_TRIP = """async () => { const t = performance.now(); await (await fetch('/health')).text(); return performance.now() - t }"""


class Signed:
    """A signed-in connection that is kept open."""

    def __init__(self, base: str, name: str = "demo") -> None:
        self.line = http.client.HTTPConnection(base.removeprefix("http://"), timeout=60)
        self.cookies: dict[str, str] = {}
        self.token = ""
        self.token = self.ask("GET", "/api/session")["csrf"]
        self.token = self.ask("POST", "/api/session", {"username": name, "password": "lithium-bank"})["csrf"]

    def raw(self, method: str, path: str, body: object = None) -> tuple[int, bytes]:
        """Return status and body of an answer."""
        headers = {"Content-Type": "application/json", "X-CSRFToken": self.token}
        headers["Cookie"] = "; ".join(f"{k}={v}" for k, v in self.cookies.items())
        headers["Accept-Encoding"] = "gzip" if path == "/api/plan" else "identity"  # as browsers ask; the answer is not looked at
        sent = None if body is None else json.dumps(body)
        try:
            self.line.request(method, path, sent, headers)
            answer = self.line.getresponse()
        except (ConnectionError, http.client.HTTPException):  # it was quiet for longer than the server keeps a line
            self.line.close()
            self.line.request(method, path, sent, headers)
            answer = self.line.getresponse()
        for told in answer.headers.get_all("Set-Cookie") or []:
            name, _, value = told.split(";")[0].partition("=")
            self.cookies[name] = value
        return answer.status, answer.read()

    def ask(self, method: str, path: str, body: object = None) -> dict[str, Any]:
        """Return the data of an answer that is not a refusal."""
        status, told = self.raw(method, path, body)
        assert status < 300, (status, told[:200])
        return json.loads(told)


def late(taken: list[float]) -> float:
    """Return the 95th percentile."""
    return sorted(taken)[int(len(taken) * 0.95)]


def editing(base: str, document: dict[str, Any], people: int, seconds: float) -> tuple[list[float], list[float]]:
    """Return the times [ms] of all plans and saves of several people who each make a change a second, with two years simulated meanwhile."""
    plans: list[float] = []
    saves: list[float] = []
    failed: list[Exception] = []
    crew = [Signed(base) for _ in range(people)]
    jobs = [me.ask("POST", "/api/jobs", document)["id"] for me in crew]
    ends = time.monotonic() + seconds
    over = threading.Event()

    def edit(n: int) -> None:
        me, revision = crew[n], 1
        time.sleep(n / people)
        try:
            while time.monotonic() < ends:
                began = time.perf_counter()
                now = {**document, "name": f"Change {next(NUMBERS)}"}
                assert me.raw("POST", "/api/plan", now)[0] == 200
                planned = time.perf_counter()
                told = me.ask("PUT", f"/api/jobs/{jobs[n]}", {"base_revision": revision, "document": now})
                saved = time.perf_counter()
                revision = told["revision"]
                plans.append((planned - began) * 1000)
                saves.append((saved - planned) * 1000)
                time.sleep(max(0.0, 1 - (saved - began)))
        except Exception as error:
            failed.append(error)

    def simulate() -> None:
        me = Signed(base, "other")
        while not over.is_set():
            piece = me.ask("POST", "/api/work", {"kind": "compare", "document": document, "days": 365})
            while piece["state"] in ("waiting", "running"):
                time.sleep(0.1)
                piece = me.ask("GET", f"/api/work/{piece['id']}")
            assert piece["state"] == "done", piece

    threads = [threading.Thread(target=edit, args=(n,)) for n in range(people)]
    beside = threading.Thread(target=simulate)
    for t in (*threads, beside):
        t.start()
    for t in threads:
        t.join()
    over.set()
    beside.join()
    if failed:
        raise failed[0]
    return plans, saves


def many_jobs(base: str, folder: Path, count: int) -> list[float]:
    """Return times [ms] of the first page of a crew with ``count`` jobs."""
    me = Signed(base)
    with contextlib.closing(sqlite3.connect(folder / "ewerer.sqlite3", timeout=30)) as database, database:
        row = database.execute("SELECT crew_id, summary, saved_by_id FROM jobs_job ORDER BY created_at LIMIT 1").fetchone()
        now = "2026-01-01 10:00:00"
        database.executemany(
            "INSERT INTO jobs_job (id, crew_id, name, revision, summary, summary_due, created_at, saved_at, saved_by_id, put_away) "
            "VALUES (?, ?, ?, 1, ?, 0, ?, ?, ?, 0)",
            [(f"{n:032x}", row[0], f"Many {n}", row[1], now, now, row[2]) for n in range(1, count + 1)],
        )
    return [_ms(lambda: me.raw("GET", "/api/jobs?limit=40&offset=0")) for _ in range(20)]


def _ms(act: Callable[[], object]) -> float:
    began = time.perf_counter()
    act()
    return (time.perf_counter() - began) * 1000


def memory_mb(pid: int) -> float:
    """Return the memory [MB] of a process and all that it began, what they share counted once."""
    children: dict[int, list[int]] = {}
    for stat in Path("/proc").glob("[0-9]*/stat"):
        with contextlib.suppress(OSError):
            children.setdefault(int(stat.read_text().rpartition(")")[2].split()[1]), []).append(int(stat.parent.name))
    total, line = 0, [pid]
    while line:
        one = line.pop()
        line += children.get(one, [])
        with contextlib.suppress(OSError):
            rollup = Path(f"/proc/{one}/smaps_rollup").read_text()
            total += next(int(row.split()[1]) for row in rollup.splitlines() if row.startswith("Pss:"))
    return total / 1000


def start_s(times: int = 5) -> list[float]:
    """Return times [ms] from `ewerer serve` on data that are there until it answers."""
    taken = []
    with tempfile.TemporaryDirectory() as folder:
        for _ in range(times + 1):
            port = free_port()
            begun = time.perf_counter()
            process = subprocess.Popen(
                [sys.executable, "-m", "ewerer.entry", "serve", "--port", str(port), "--data", folder],
                stdout=subprocess.DEVNULL,
                env={k: v for k, v in os.environ.items() if k != "DJANGO_SETTINGS_MODULE"},
            )
            while True:
                with contextlib.suppress(OSError):
                    urllib.request.urlopen(f"http://127.0.0.1:{port}/health", timeout=2).read()
                    break
                time.sleep(0.01)
            taken.append((time.perf_counter() - begun) * 1000)
            process.terminate()
            process.wait(10)
    return taken[1:]


def keys(base: str, documents: dict[str, dict[str, Any]], times: int = 25) -> dict[str, tuple[list[float], list[float]]]:
    """Return for each document the times [ms] from Enter in a field to fresh figures on the screen, and of bare round trips beside them."""
    out = {}
    with sync_playwright() as p:
        browser = p.chromium.launch(**CHROMIUM)
        page = browser.new_context(viewport={"width": 1280, "height": 800}, service_workers="block").new_page()
        page.goto(base)
        page.get_by_label("Name").fill("demo")
        page.get_by_label("Password").fill("lithium-bank")
        page.get_by_role("button", name="Sign in").click()
        page.get_by_role("heading", name="Jobs").wait_for()
        token = page.request.get(f"{base}/api/session").json()["csrf"]
        for name, document in documents.items():
            made = page.request.post(f"{base}/api/jobs", data=document, headers={"X-CSRFToken": token, "Referer": base}).json()
            page.goto(f"{base}/jobs/{made['id']}/site")
            field = page.locator('[data-pointer="/loads/continuous_w"]')
            field.wait_for()
            figures, trips = [], []
            for n in range(times + 3):
                field.fill(str(1500 + 7 * n))
                told = page.evaluate_handle(f"() => ({{ answer: ({KEY_TO_FIGURE})() }})")
                field.press("Enter")
                figures.append(told.evaluate("(h) => h.answer"))
                page.wait_for_timeout(900)  # the save is over
                trips.append(page.evaluate(ROUND_TRIP))
            out[name] = figures[3:], trips[3:]
        browser.close()
    return out


@contextlib.contextmanager
def demo_folder() -> Iterator[tuple[str, Path, int]]:
    """Serve demo data as a crew's server would; yields the address, the folder and the process."""
    with tempfile.TemporaryDirectory() as folder:
        with server(folder):
            pass
        with server(folder, demo=False) as (process, base):
            yield base, Path(folder), process.pid


def median(taken: list[float]) -> float:
    """Return the median."""
    return statistics.median(taken)
