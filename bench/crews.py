"""How the server holds up: many writers beside a bare endpoint, many jobs, many profiles, its start, and a stage on a slow device."""

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

from playwright.sync_api import sync_playwright

from bench.server import free_port, server

SHIPPED = Path(__file__).resolve().parents[1] / "src" / "ewerer" / "library"
NUMBERS = itertools.count()
SEEN = """new MutationObserver(() => {
  if (window.shown || !document.querySelector('main.stage h1')) return
  window.shown = performance.now()
}).observe(document, { subtree: true, childList: true })"""


class Signed:
    """A signed-in connection that is kept open."""

    def __init__(self, base: str, name: str = "demo") -> None:
        self.host = base.removeprefix("http://")
        self.line = http.client.HTTPConnection(self.host, timeout=60)
        self.cookies: dict[str, str] = {}
        self.token = ""
        self.token = self.ask("GET", "/api/session")["csrf"]
        self.token = self.ask("POST", "/api/session", {"username": name, "password": "lithium-bank"})["csrf"]

    def raw(self, method: str, path: str, body: object = None) -> tuple[int, bytes]:
        """Return status and body of an answer."""
        cookies = "; ".join(f"{k}={v}" for k, v in self.cookies.items())
        headers = {"Content-Type": "application/json", "X-CSRFToken": self.token, "Cookie": cookies}
        headers["Accept-Encoding"] = "gzip" if path == "/api/plan" else "identity"  # as browsers ask; the answer is not looked at
        sent = None if body is None else json.dumps(body)
        try:
            self.line.request(method, path, sent, headers)
            answer = self.line.getresponse()
        except ConnectionError:  # it was quiet for longer than the server keeps a line
            self.line.close()
            self.line.request(method, path, sent, headers)
            answer = self.line.getresponse()
        for told in answer.headers.get_all("Set-Cookie") or []:
            name, _, value = told.split(";")[0].partition("=")
            self.cookies[name] = value
        return answer.status, answer.read()

    def ask(self, method: str, path: str, body: object = None) -> dict[str, object]:
        """Return the data of an answer that is not a refusal."""
        status, told = self.raw(method, path, body)
        assert status < 300, (status, told[:200])
        return json.loads(told)


@contextlib.contextmanager
def bare_server(*kind: str) -> Iterator[str]:
    """Serve a bare endpoint; yields the address."""
    port = free_port()
    with tempfile.TemporaryDirectory() as folder:
        environment = {k: v for k, v in os.environ.items() if k != "DJANGO_SETTINGS_MODULE"}
        command = [sys.executable, "-m", "bench.bare", str(Path(folder) / "bare.sqlite3"), str(port), *kind]
        process = subprocess.Popen(command, env=environment)
        address = f"http://127.0.0.1:{port}"
        try:
            while True:
                with contextlib.suppress(OSError):
                    urllib.request.urlopen(address, timeout=2).read()
                    break
                time.sleep(0.05)
            yield address
        finally:
            process.terminate()
            process.wait(10)


def together(writers: int, times: int, begin: Callable[[int], Callable[[int], None]]) -> tuple[float, float]:
    """Return p50 and p95 [ms] of what several writers do at once, each ``times`` times."""
    taken: list[float] = []
    acts = [begin(n) for n in range(writers)]
    failed: list[Exception] = []

    def work(act: Callable[[int], None]) -> None:
        try:
            for k in range(times):
                start = time.perf_counter()
                act(k)
                taken.append((time.perf_counter() - start) * 1000)
        except Exception as error:
            failed.append(error)

    threads = [threading.Thread(target=work, args=(act,)) for act in acts]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    if failed:
        raise failed[0]
    taken.sort()
    return taken[len(taken) // 2], taken[int(len(taken) * 0.95)]


def saves(base: str, document: dict[str, object], plans: bool) -> Callable[[int], Callable[[int], None]]:
    """Return what makes a writer that saves a job of its own, each time under another name, so that no plan is known; with ``plans`` it asks for the plan first, as the page does."""

    def begin(_: int) -> Callable[[int], None]:
        me = Signed(base)
        job = me.ask("POST", "/api/jobs", document)
        me.line.close()  # the others sign in meanwhile, for longer than the server keeps a quiet line
        held = {"revision": 1}

        def act(_: int) -> None:
            now = {**document, "name": f"Save {next(NUMBERS)}"}
            if plans:
                status, _ = me.raw("POST", "/api/plan", now)
                assert status == 200, status
            told = me.ask("PUT", f"/api/jobs/{job['id']}", {"base_revision": held["revision"], "document": now})
            held["revision"] = told["revision"]  # type: ignore[assignment]

        return act

    return begin


def signed_saves(base: str, document: dict[str, object]) -> Callable[[int], Callable[[int], None]]:
    """Return what makes a writer of the bare endpoint that knows who writes."""

    def begin(_: int) -> Callable[[int], None]:
        me = Signed(base)
        me.line.close()

        def act(_: int) -> None:
            me.ask("POST", "/kept", {**document, "name": f"Save {next(NUMBERS)}"})

        return act

    return begin


def bare_saves(base: str, document: dict[str, object]) -> Callable[[int], Callable[[int], None]]:
    """Return what makes a writer of the bare endpoint."""

    def begin(_: int) -> Callable[[int], None]:
        line = http.client.HTTPConnection(base.removeprefix("http://"), timeout=60)

        def act(k: int) -> None:
            line.request("POST", "/", json.dumps({**document, "k": k}), {"Content-Type": "application/json"})
            line.getresponse().read()

        return act

    return begin


def many_jobs(base: str, folder: Path, count: int) -> tuple[float, float]:
    """Return the median time [ms] and the size [kB] of the first page of a crew with ``count`` jobs."""
    me = Signed(base)
    with contextlib.closing(sqlite3.connect(folder / "ewerer.sqlite3", timeout=30)) as database, database:
        row = database.execute("SELECT crew_id, summary, saved_by_id FROM jobs_job ORDER BY created_at LIMIT 1").fetchone()
        now = "2026-01-01 10:00:00"
        database.executemany(
            "INSERT INTO jobs_job (id, crew_id, name, revision, summary, summary_due, created_at, saved_at, saved_by_id, put_away) "
            "VALUES (?, ?, ?, 1, ?, 0, ?, ?, ?, 0)",
            [(f"{n:032x}", row[0], f"Many {n}", row[1], now, now, row[2]) for n in range(1, count + 1)],
        )
    taken = []
    for _ in range(15):
        start = time.perf_counter()
        _, told = me.raw("GET", "/api/jobs?limit=40&offset=0")
        taken.append((time.perf_counter() - start) * 1000)
    return statistics.median(taken), len(told) / 1000


def beside_profiles(base: str, count: int) -> float:
    """Return how many times longer plan and save take in a crew with ``count`` profiles that the job does not use."""
    me = Signed(base)
    document = json.loads((SHIPPED.parent / "demo" / "skerry-field-station.json").read_text())
    act = saves(base, document, True)(0)

    def median() -> float:
        taken = []
        for k in range(25):
            start = time.perf_counter()
            act(k)
            taken.append(time.perf_counter() - start)
        return statistics.median(taken)

    median()
    before = median()
    profile = json.loads(next(p for p in sorted(SHIPPED.glob("*.json")) if "inverter/" in p.read_text()[:200]).read_text())
    for n in range(count):
        me.ask("POST", "/api/library", {**profile, "id": f"unused-{n}", "name": f"Unused {n}"})
    median()
    return median() / before


@contextlib.contextmanager
def greedy(base: str, many: int) -> Iterator[None]:
    """Let one crew ask for long papers without end, and have as much long work as it may."""
    over, me = threading.Event(), Signed(base)
    document = json.loads((SHIPPED.parent / "demo" / "skerry-field-station.json").read_text())
    job = me.ask("GET", "/api/jobs?words=Heron")["items"][0]["id"]  # type: ignore[index]
    pieces = [
        me.ask("POST", "/api/work", {"kind": "sweep", "document": document, "weathers": 500, "days": 731})["id"] for _ in range(6)
    ]

    def ask() -> None:
        one = Signed(base)
        while not over.is_set():
            try:
                one.raw("GET", f"/api/jobs/{job}/run.pdf")
            except OSError:  # on a slow machine it takes longer than the line waits
                one.line.close()

    threads = [threading.Thread(target=ask) for _ in range(many)]
    for t in threads:
        t.start()
    time.sleep(2)
    try:
        yield
    finally:
        over.set()
        for id in reversed(pieces):
            me.ask("DELETE", f"/api/work/{id}")
        for t in threads:
            t.join()


def beside_another_crew(base: str, times: int = 15, many: int = 6) -> dict[str, tuple[float, float]]:
    """Return medians [s] of what a person does, alone and while another crew is greedy: the list, a new plan, a year."""
    me = Signed(base, "other")
    document = json.loads((SHIPPED.parent / "demo" / "skerry-field-station.json").read_text())

    def year() -> None:
        piece = me.ask("POST", "/api/work", {"kind": "year", "document": document})
        while piece["state"] != "done":
            assert piece["state"] in ("waiting", "running"), piece
            time.sleep(0.02)
            piece = me.ask("GET", f"/api/work/{piece['id']}")

    acts: dict[str, Callable[[], object]] = {
        "list": lambda: me.ask("GET", "/api/jobs?limit=20"),
        "plan": lambda: me.raw("POST", "/api/plan", {**document, "name": f"Other {next(NUMBERS)}"}),
        "year": year,
    }

    def medians() -> list[float]:
        out = []
        for act in acts.values():
            taken = []
            for _ in range(times):
                start = time.perf_counter()
                act()
                taken.append(time.perf_counter() - start)
            out.append(statistics.median(taken))
        return out

    medians()
    alone = medians()
    with greedy(base, many):
        beside = medians()
    return dict(zip(acts, zip(alone, beside, strict=True), strict=True))


def start_s(times: int = 5) -> float:
    """Return the median time [s] from `ewerer serve` on data that are there until it answers."""
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
            taken.append(time.perf_counter() - begun)
            process.terminate()
            process.wait(10)
    return statistics.median(taken[1:])


def slow_device(base: str, stage: str, slower: int, times: int = 9) -> tuple[float, float]:
    """Return medians [s] until a stage's heading is in the page, and until it was painted, with the processor slowed down."""
    with sync_playwright() as p:
        browser = p.chromium.launch(executable_path="/usr/bin/chromium", args=["--no-sandbox", "--disable-background-networking"])
        context = browser.new_context(viewport={"width": 1280, "height": 800})
        page = context.new_page()
        page.goto(base)
        page.get_by_label("Name").fill("demo")
        page.get_by_label("Password").fill("lithium-bank")
        page.get_by_role("button", name="Sign in").click()
        page.get_by_role("link", name="Skerry Field Station", exact=True).click()
        page.locator("main.stage h1").wait_for()
        address = page.url.rsplit("/", 1)[0] if page.url.rsplit("/", 1)[1].isalpha() else page.url
        page.wait_for_timeout(8000)  # what it keeps for days without a network is there
        page.close()
        seen = []
        for _ in range(times):
            page = context.new_page()
            context.new_cdp_session(page).send("Emulation.setCPUThrottlingRate", {"rate": slower})
            page.add_init_script(SEEN)
            page.goto(f"{address}/{stage}", wait_until="commit")
            page.wait_for_timeout(3000)
            painted = "performance.getEntriesByName('first-contentful-paint')[0]?.startTime ?? 0"
            seen.append(page.evaluate(f"[window.shown, Math.max(window.shown, {painted})]"))
            page.close()
        browser.close()
    return statistics.median(s[0] for s in seen) / 1000, statistics.median(s[1] for s in seen) / 1000


@contextlib.contextmanager
def demo_folder() -> Iterator[tuple[str, Path]]:
    """Serve demo data; yields the address and the folder."""
    with tempfile.TemporaryDirectory() as folder, server(folder) as (_, base):
        yield base, Path(folder)
