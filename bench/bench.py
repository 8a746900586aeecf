"""Benchmarks: ``make bench`` writes docs/benchmarks.md. Medians on the machine at hand, beside the goal and as a ratio to it."""

import argparse
import itertools
import json
import platform
import random
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

import numpy as np
from tests.adversary import chained_profile

from bench import crews
from bench.server import demo_server
from ewerer.core.devices.library import parse_job, parse_profile, shipped_library
from ewerer.core.devices.model import DeviceModel
from ewerer.core.devices.slots.forms import compile_slots
from ewerer.core.documents import InverterProfile, parse_json
from ewerer.core.flow import adviser, results, scenario, sweep
from ewerer.core.flow.kernel import U_COUNT, U_TO_MAINS
from ewerer.core.plan import plan
from ewerer.core.visit.order import entry_order
from ewerer.core.visit.working_list import unit_order

ROOT = Path(__file__).resolve().parent.parent
DEMO = ROOT / "src" / "ewerer" / "demo" / "skerry-field-station.json"
SLOW = ROOT / "tests" / "data" / "cases" / "slow-windows-21.json"
PRICED = DEMO.with_name("tarn-dairy.json")


@dataclass
class Row:
    """One line of the table: what, median, unit, goal."""

    what: str
    median: float
    unit: str
    goal: float
    runs: int
    least: float = 0.0
    rather_more: bool = False

    def line(self) -> str:
        return f"| {self.what} | {self.median:.3g} {self.unit} | {self.least:.3g} | {self.runs} | {'at least ' if self.rather_more else ''}{self.goal:g} {self.unit} | {self.median / self.goal:.2f} |"


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


def large_job(load_w: float = 2600) -> bytes:
    """Return a job of 12 units and 32 modules."""
    job = json.loads(DEMO.read_text())
    job["loads"]["continuous_w"] = load_w
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
    small = parse_job(DEMO.read_bytes(), library)
    # Each plan is of another job than the one before: what is kept from plan to plan helps as it does between edits.
    edits = itertools.cycle([parse_job(large_job(1000 + 100 * (37 * k % 64)), library) for k in range(64)])
    slow = json.loads(SLOW.read_bytes())["windows"]
    weeks = [parse_job(json.dumps({**json.loads(DEMO.read_bytes()), "windows": slow}), library).windows]
    windowed = itertools.cycle(
        [parse_job(json.dumps({**json.loads(large_job(1000 + 100 * (37 * k % 64))), "windows": slow}), library) for k in range(64)]
    )
    return [
        timed("plan, 12 units and 32 modules, after an edit of the loads, in the core", lambda: plan(next(edits), library), 15, 60),
        timed("plan, the same with 21 windows, in the core", lambda: plan(next(windowed), library), 15, 60),
        timed("plan of the demo job, in the core", lambda: plan(small, library), 20, 60),
        *(
            timed(f"21 windows compiled, form {p.slots.form} of {p.name}", lambda p=p: compile_slots(weeks[0], p.slots), 5, 30)
            for p in library
            if isinstance(p, InverterProfile) and p.slots is not None
        ),
    ]


def puzzle(seed: int) -> tuple[DeviceModel, dict[str, str], dict[str, str]]:
    """Return a random device of 60 settings in 12 menus with interlocks, side effects and conditions, and two states."""
    r = random.Random(seed)
    menus = [[f"M{a}", f"S{b}"] for a in range(4) for b in range(3)]
    settings: list[dict[str, object]] = []
    low, high = (sorted(r.randint(10, 60) for _ in range(24)) for _ in range(2))
    for i in range(24):
        settings.append(
            {"id": f"s{i}", "menu": menus[i // 6 * 3], "label": f"s{i}", "min": 0, "max": 99, "step": 1, "factory": "0"}
        )
    for i in range(24, 60):
        one: dict[str, object] = {"id": f"s{i}", "menu": r.choice(menus), "label": f"s{i}", "factory": "p"}
        one["encoding"] = {"kind": "choice", "choices": {w: w for w in "pqr"}}
        if i % 6 == 0:
            one["side_effects"] = [{"sets": {f"s{i + k}": "p" for k in (1, 2, 3)}}]
        elif i % 6 == 5:
            one["works_only_if"] = f"s{i - 1} != r"
        settings.append(one)
    locks = [
        {"rule": f"s{b} - s{a} >= {min(low[b] - low[a], high[b] - high[a])}"} for a, b in itertools.pairwise(range(24)) if b % 6
    ]
    ratings = {
        "continuous_w": 1,
        "surge_w": 1,
        "charge_max_a": 1,
        "ac_charge_max_a": 1,
        "battery_v_min": 40,
        "battery_v_max": 60,
        "class_v": 48,
    }
    head = {
        "ewerer": "inverter/1",
        "id": "toy",
        "name": "Toy",
        "maker": "Toy",
        "ratings": ratings,
        "ac_volts": [230],
        "ac_hz": [50],
        "topologies": ["single"],
    }
    model = DeviceModel(InverterProfile.model_validate({**head, "settings": settings, "interlocks": locks}, strict=False))
    found = {f"s{i}": str(low[i]) if i < 24 else r.choice("pq") for i in range(60)}
    return model, found, {f"s{i}": str(high[i]) if i < 24 else r.choice("pq") for i in range(60)}


def order_rows() -> list[Row]:
    puzzles = [puzzle(seed) for seed in range(8)]
    assert all(entry_order(*p).blocked is None for p in puzzles)
    turn = itertools.cycle(puzzles)
    chained = []
    for many, chain in ((80, 20), (80, 2)):
        profile, found, target = chained_profile(many, chain)
        model = DeviceModel(parse_profile(json.dumps(profile)))
        made = entry_order(model, found, target)
        # Reached by writes that the unit takes; that none is shorter is said only of the short chains.
        assert made.blocked is None and made.proven == (chain == 2)
        chained.append((model, found, target))
    library, job = shipped_library(), parse_job(DEMO.read_bytes(), shipped_library())
    return [
        timed("order of entry, random devices of 60 settings", lambda: entry_order(*next(turn)), 300, 24, 1),
        timed("order of entry, 80 settings, chains of 20 held to both sides", lambda: entry_order(*chained[0]), 1000, 5, 1),
        timed("order of entry, 80 settings in pairs, proven shortest", lambda: entry_order(*chained[1]), 1000, 5, 1),
        timed("working list of a demo unit, from factory values", lambda: unit_order(job, "U1", library), 300, 20),
    ]


def flow_rows() -> list[Row]:
    library = shipped_library()
    three = json.loads(DEMO.read_text())
    three["units"].append({**three["units"][1], "id": "U3"})
    job, priced = parse_job(json.dumps(three), library), parse_job(PRICED.read_bytes(), library)
    year, month = scenario.build(job, library, 365), scenario.build(job, library, 30)
    # Units set alike are carried as one group; unlike ones go over to the mains each at its own level.
    assert (year.sun.shape[0], year.units[:, U_COUNT].tolist()) == (525_600, [3])
    rows = [timed("a year at 1-minute steps, three units set alike, kernel alone", year.run, 25, 30, 3)]
    for one in (year, month):
        one.units = np.repeat(one.units, 3, axis=0)
        one.units[:, U_COUNT] = 1
        one.units[:, U_TO_MAINS] += [0.0, 0.01, 0.02]
    rows.append(timed("a year at 1-minute steps, three unlike units, kernel alone", year.run, 30, 30, 3))
    start = time.perf_counter()
    month.run(plain=True)
    plain_ns = (time.perf_counter() - start) / month.sun.shape[0] * 1e9
    kernel_ns = rows[-1].median / 525_600 * 1e6
    rows.append(Row(f"the same beside the plain-Python reference ({kernel_ns:.0f} ns a step)", plain_ns / kernel_ns, "times", 25, 1,
                    plain_ns / kernel_ns, True))  # fmt: skip
    rows.append(timed("a year with sun, weather, loads and ledger", lambda: results.simulate(job, library, 365), 200, 9, 2))
    rows.append(timed("200 weathers of a year", lambda: sweep.sweep(priced, library, 200), 25_000, 1, 0))
    rows.append(timed("windows adviser on the demo tariff", lambda: adviser.advise(priced, library), 3000, 5, 1))
    rows.append(timed("gentlest current over a year", lambda: results.gentlest_current(job, library), 5000, 3, 1))
    return rows


def process_rows() -> list[Row]:
    """Return the time of the command as a process, alone and beside the import of its models' library by the shell's Python."""
    with tempfile.NamedTemporaryFile(suffix=".json") as out:
        command = [sys.executable, "-m", "ewerer.entry", "plan", str(DEMO), "-o", out.name]
        plain = ["python", "-c", "import pydantic"]
        whole = timed("`ewerer plan` of the demo job, whole process", lambda: subprocess.run(command, check=True), 500, 15, 2)
        beside = timed("import", lambda: subprocess.run(plain, check=True, capture_output=True), 500, 15, 2)
        ratio = whole.median / beside.median
        return [whole, Row('the same beside `python -c "import pydantic"`', ratio, "times", 2.2, 15, ratio)]


def door_rows() -> list[Row]:
    """Return the time of the check for keys that stand twice, on 2 MB of flat keys and on 2 MB of nested ones."""
    flat = json.dumps({f"key {i}": i for i in range(100_000)}).encode()
    deep = json.dumps([{f"k{i % 7}": {f"inner{i}": [i] * 5}} for i in range(32_000)]).encode()
    assert 1.8e6 < len(flat) < 2e6 and 1.8e6 < len(deep) < 2e6, (len(flat), len(deep))
    return [
        timed("reading 2 MB of flat JSON, each key looked at", lambda: parse_json(flat), 300, 10, 1),
        timed("reading 2 MB of nested JSON, each key looked at", lambda: parse_json(deep), 300, 10, 1),
    ]


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
        long = json.dumps({"kind": "gentlest", "document": json.loads(job), "days": 365}).encode()
        begun = [json.loads(call("POST", "/api/work", long, token))["id"] for _ in range(6)]
        rows.append(timed("plan over the API while years are simulated", lambda: call("POST", "/api/plan", job, token), 120, 40, 0))
        states = [json.loads(call("GET", f"/api/work/{one}"))["state"] for one in begun]
        assert states[-1] in ("waiting", "running"), f"the long work was over too soon: {states}"
        rows.append(Row("first page, compressed", weight(base) / 1000, "kB", 250, 1, weight(base) / 1000))
    return rows


def crew_rows() -> list[Row]:
    """Many writers beside a bare endpoint, many jobs and profiles, the start, a stage on a slow device."""
    document = json.loads(large_job())
    document["notes"] = "n" * 3900
    document["bank"]["modules"] = [{**document["bank"]["modules"][i % 32], "id": f"M{i}"} for i in range(64)]
    size = len(json.dumps(document)) / 1000
    rows = []
    with crews.demo_folder() as (base, _), crews.bare_server() as bare, crews.bare_server("signed-in") as signed:
        time.sleep(12)  # the processes that compute are there
        for n in (2, 8, 32):
            kinds = {
                "saving, planned later": crews.together(n, 12, crews.saves(base, document, False)),
                "planning, then saving": crews.together(n, 12, crews.saves(base, document, True)),
            }
            least = {
                "one that knows who writes": crews.together(n, 40, crews.signed_saves(signed, document)),
                "one that knows nobody": crews.together(n, 40, crews.bare_saves(bare, document)),
            }
            for (kind, ours), (other, bare_ms), at in itertools.product(kinds.items(), least.items(), (0, 1)):
                told = f"{('p50', 'p95')[at]} ({ours[at]:.0f} and {bare_ms[at]:.1f} ms)"
                what = f"{n} writers of {size:.0f}-kB jobs, {kind}, beside a bare endpoint, {other}, {told}"
                rows.append(Row(what, ours[at] / bare_ms[at], "times", 3, 12 * n, ours[at] / bare_ms[at]))
        ratio = crews.beside_profiles(base, 260)
        rows.append(Row("plan and save in a crew with 260 unused profiles, beside none", ratio, "times", 1.1, 25, ratio))
        for what, (alone, beside) in crews.beside_another_crew(base).items():
            told = f"another crew's {what} while one asks for papers and sweeps without end, beside none ({beside * 1000:.0f} ms)"
            rows.append(Row(told, beside / alone, "times", 6, 15, beside / alone))
    with crews.demo_folder() as (base, folder):
        for stage in ("site", "bank"):
            for slower in (1, 4):
                shown, painted = crews.slow_device(base, stage, slower)
                what = f"stage {stage} opened, processor slowed down {slower} times"
                rows.append(Row(f"{what}: heading in the page", shown, "s", 1.5, 9, shown))
                rows.append(Row(f"{what}: painted", painted, "s", 1.5, 9, painted))
        took, kb = crews.many_jobs(base, folder, 5000)
        rows.append(Row("first page of 5,000 jobs", took, "ms", 100, 15, took))
        rows.append(Row("first page of 5,000 jobs, size", kb, "kB", 30, 1, kb))
    start = crews.start_s()
    rows.append(Row("start of the server until it answers", start, "s", 2, 5, start))
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
    """Run every benchmark, or those of one part; print the table and, where asked, write it."""
    parts = {
        "core": core_rows,
        "order": order_rows,
        "flow": flow_rows,
        "process": process_rows,
        "door": door_rows,
        "server": server_rows,
        "crews": crew_rows,
    }
    parser = argparse.ArgumentParser()
    parser.add_argument("--write", metavar="FILE")
    parser.add_argument("--only", choices=parts)
    args = parser.parse_args()
    chosen = [parts[args.only]] if args.only else parts.values()
    text = report([row for rows in chosen for row in rows()])
    print(text)
    if args.write:
        Path(args.write).write_text(text)


if __name__ == "__main__":
    main()
