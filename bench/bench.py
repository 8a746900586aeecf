"""Benchmarks: ``make bench`` writes docs/benchmarks.md. Medians on the machine at hand, beside the goal and as a ratio to it."""

import argparse
import json
import platform
import re
import statistics
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from bench.server import demo_server
from ewerer.core.library import parse_job, shipped_library
from ewerer.core.plan import plan

ROOT = Path(__file__).resolve().parent.parent
DEMO = ROOT / "src" / "ewerer" / "demo" / "skerry-field-station.json"


@dataclass
class Row:
    """One line of the table: what, median, unit, goal."""

    what: str
    median: float
    unit: str
    goal: float
    runs: int
    least: float = 0.0

    def line(self) -> str:
        return f"| {self.what} | {self.median:.3g} {self.unit} | {self.least:.3g} | {self.runs} | {self.goal:g} {self.unit} | {self.median / self.goal:.2f} |"


def timed(what: str, run: Callable[[], object], goal_ms: float, runs: int = 30, warm: int = 3) -> Row:
    """Return the median wall time of ``run`` in milliseconds."""
    for _ in range(warm):
        run()
    taken = []
    for _ in range(runs):
        start = time.perf_counter()
        run()
        taken.append((time.perf_counter() - start) * 1000)
    return Row(what, statistics.median(taken), "ms", goal_ms, runs, min(taken))


def large_job() -> bytes:
    """Return a job of 12 units and 32 modules."""
    job = json.loads(DEMO.read_text())
    modules = job["bank"]["modules"]
    job["bank"]["modules"] = [{**modules[i % 3], "id": f"M{i}", "lead_mohm": 0.4 + i % 5 / 10} for i in range(32)]
    job["bank"] |= {"fuse_a": 4000, "cable_a": 3800}
    job["site"]["ac"]["topology"] = "three"
    job["units"] = [
        {**job["units"][0], "id": f"U{i}", "role": "follower" if i else "host", "phase": f"L{i % 3 + 1}"} for i in range(12)
    ]
    return json.dumps(job).encode()


def core_rows() -> list[Row]:
    library = shipped_library()
    large, small = parse_job(large_job(), library), parse_job(DEMO.read_bytes(), library)
    return [
        timed("plan, 12 units and 32 modules, in the core", lambda: plan(large, library), 20, 60),
        timed("plan of the demo job, in the core", lambda: plan(small, library), 20, 60),
    ]


def process_row() -> Row:
    with tempfile.NamedTemporaryFile(suffix=".json") as out:
        command = [sys.executable, "-m", "ewerer.entry", "plan", str(DEMO), "-o", out.name]
        return timed("`ewerer plan` of the demo job, whole process", lambda: subprocess.run(command, check=True), 500, 15, 2)


def server_rows() -> list[Row]:
    with demo_server() as base:
        opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor())

        def call(method: str, path: str, body: bytes | None = None, token: str = "") -> bytes:
            headers = {"Content-Type": "application/json", "X-CSRFToken": token}
            return opener.open(urllib.request.Request(base + path, body, headers, method=method), timeout=30).read()

        token = json.loads(call("GET", "/api/session"))["csrf"]
        token = json.loads(call("POST", "/api/session", b'{"username": "demo", "password": "lithium-bank"}', token))["csrf"]
        job = DEMO.read_bytes()
        rows = [timed("plan over the API, one round trip", lambda: call("POST", "/api/plan", job, token), 60, 60)]
        rows.append(Row("first page, compressed", weight(base) / 1000, "kB", 400, 1, weight(base) / 1000))
    return rows


def weight(base: str) -> float:
    """Return the bytes over the wire of the page and all that it loads at once, compressed."""

    def fetch(path: str) -> tuple[bytes, int]:
        request = urllib.request.Request(base + path, headers={"Accept-Encoding": "br, gzip"})
        with urllib.request.urlopen(request) as answer:
            return answer.read(), 0

    page = urllib.request.urlopen(base + "/").read().decode()
    total = len(page)
    for path in re.findall(r'(?:src|href)="(/static/[^"]+)"', page):
        total += len(fetch(path)[0])
    css = re.findall(r'href="(/static/[^"]+\.css)"', page)
    fonts = {
        f
        for p in css
        for f in re.findall(
            r"url\((/static/[^)]+latin-(?:wght|400)-normal[^)]*\.woff2)\)", urllib.request.urlopen(base + p).read().decode()
        )
        if "ext" not in f
    }
    return total + sum(len(fetch(f)[0]) for f in fonts)


def report(rows: list[Row]) -> str:
    lines = [
        "# Benchmarks",
        "",
        f"Made by `make bench` on {platform.machine()}, Python {platform.python_version()}. Medians of wall time on a shared machine;",
        "read the ratio to the goal, not the digits.",
        "",
        "| what | median | least | runs | goal | median / goal |",
        "|---|---|---|---|---|---|",
        *(r.line() for r in rows),
        "",
    ]
    return "\n".join(lines)


def main() -> None:
    """Run every benchmark; write or print the table."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--write", metavar="FILE")
    args = parser.parse_args()
    text = report([*core_rows(), process_row(), *server_rows()])
    print(text)
    if args.write:
        Path(args.write).write_text(text)


if __name__ == "__main__":
    main()
