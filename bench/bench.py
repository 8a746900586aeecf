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

from bench import live, logs, people
from ewerer.core.devices.library import parse_job, parse_profile, shipped_library
from ewerer.core.devices.model import DeviceModel
from ewerer.core.devices.slots.forms import compile_slots
from ewerer.core.documents.profiles import InverterProfile
from ewerer.core.flow import adviser, results, scenario, sweep
from ewerer.core.plan import plan
from ewerer.core.visit.order import entry_order
from ewerer.core.visit.working_list import unit_order

ROOT = Path(__file__).resolve().parent.parent
DEMO = ROOT / "src" / "ewerer" / "demo" / "skerry-field-station.json"
SLOW = ROOT / "tests" / "data" / "cases" / "slow-windows-21.json"
PRICED = DEMO.with_name("tarn-dairy.json")


LOOP_N = 300_000


def loop_ms() -> float:
    """Return the time of a fixed loop of plain Python [ms]: what this machine is worth at this moment."""
    best = float("inf")
    for _ in range(3):
        began = time.perf_counter()
        total = 0
        for i in range(LOOP_N):
            total += i * i % 7
        best = min(best, time.perf_counter() - began)
    return best * 1000


@dataclass
class Row:
    """One line of the table: what, its median, and its goal; times also as multiples of the fixed loop timed beside them."""

    what: str
    median: float
    unit: str
    goal: float
    loop: float = 0.0
    rather_more: bool = False
    in_loops: bool = False

    def line(self) -> str:
        """Return the row as text."""
        loops = self.median / self.loop if self.unit == "ms" and self.loop else None
        compared = (loops if self.in_loops and loops is not None else self.median) / self.goal
        good = compared >= 1 if self.rather_more else compared <= 1
        goal = f"{'>=' if self.rather_more else '<='} {self.goal:g} {'loops' if self.in_loops else self.unit}"
        return f"| {self.what} | {self.median:.3g} {self.unit} | {'' if loops is None else f'{loops:.2f}'} | {goal} | {compared:.2f}{'' if good else ' **missed**'} |"


def timed(what: str, run: Callable[[], object], goal_loops: float, runs: int = 30, warm: int = 3) -> Row:
    """Return the median wall time of ``run``, with a goal in multiples of the fixed loop."""
    for _ in range(warm):
        run()
    before, taken = loop_ms(), []
    for _ in range(runs):
        start = time.perf_counter()
        run()
        taken.append((time.perf_counter() - start) * 1000)
    return Row(what, statistics.median(taken), "ms", goal_loops, min(before, loop_ms()), in_loops=True)


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
    forms = [p.slots for p in library if isinstance(p, InverterProfile) and p.slots is not None]
    windowed = itertools.cycle(
        [parse_job(json.dumps({**json.loads(large_job(1000 + 100 * (37 * k % 64))), "windows": slow}), library) for k in range(64)]
    )
    return [
        timed("plan, 12 units and 32 modules, after an edit", lambda: plan(next(edits), library), 0.8, 60),
        timed("plan, the same with 21 windows", lambda: plan(next(windowed), library), 0.9, 60),
        timed("plan of the demo job", lambda: plan(small, library), 0.4, 60),
        timed("21 windows compiled in every shipped form", lambda: [compile_slots(weeks[0], f) for f in forms], 1.0, 30),
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
        timed("order of entry, random devices of 60 settings", lambda: entry_order(*next(turn)), 6, 24, 1),
        timed("order of entry, 80 settings, chains of 20 held to both sides", lambda: entry_order(*chained[0]), 14, 5, 1),
        timed("order of entry, 80 settings in pairs, proven shortest", lambda: entry_order(*chained[1]), 7, 5, 1),
        timed("working list of a demo unit, from factory values", lambda: unit_order(job, "U1", library), 1.6, 20),
    ]


def flow_rows() -> list[Row]:
    library = shipped_library()
    three = json.loads(DEMO.read_text())
    three["units"].append({**three["units"][1], "id": "U3"})
    job, priced = parse_job(json.dumps(three), library), parse_job(PRICED.read_bytes(), library)
    year, month = scenario.build(job, library, 365), scenario.build(job, library, 30)
    # Units set alike are carried as one group; unlike ones go over to the mains each at its own level.
    assert (year.sun.shape[0], year.units.count.tolist()) == (525_600, [3])
    rows = [timed("a year at 1-minute steps, three units set alike, kernel alone", year.run, 2.6, 30, 3)]
    for one in (year, month):
        one.units = type(one.units)(*(np.repeat(a, 3) for a in one.units))
        one.units.count[:] = 1
        one.units.to_mains[:] += [0.0, 0.01, 0.02]
    rows.append(timed("a year at 1-minute steps, three unlike units, kernel alone", year.run, 2.7, 30, 3))
    start = time.perf_counter()
    month.run(plain=True)
    plain_ns = (time.perf_counter() - start) / month.sun.shape[0] * 1e9
    kernel_ns = rows[-1].median / 525_600 * 1e6
    rows.append(Row("the same beside the plain-Python reference", plain_ns / kernel_ns, "times", 25, rather_more=True))
    rows.append(timed("a year with sun, weather, loads and ledger", lambda: results.simulate(job, library, 365), 5.5, 9, 2))
    rows.append(timed("200 weathers of a year", lambda: sweep.sweep(priced, library, 200), 330, 1, 0))
    rows.append(timed("windows adviser on the demo tariff", lambda: adviser.advise(priced, library), 42, 5, 1))
    rows.append(timed("gentlest current over a year", lambda: results.gentlest_current(job, library), 72, 3, 1))
    return rows


def process_rows() -> list[Row]:
    """Return the time of commands as whole processes, beside the import of their models' library by the same Python."""
    with tempfile.TemporaryDirectory() as folder:
        sealed, events = Path(folder) / "handover.zip", Path(folder) / "events.jsonl"
        events.write_text("")
        entry = [sys.executable, "-m", "ewerer.entry"]
        subprocess.run([*entry, "handover", str(DEMO), "--events", str(events), "--out", str(sealed), "--key", f"{folder}/key", "--draft"], check=True, capture_output=True)  # fmt: skip
        commands = {
            "`ewerer plan`": ([*entry, "plan", str(DEMO), "-o", f"{folder}/plan"], 2.5),
            "`ewerer verify`": ([*entry, "verify", str(sealed)], 2.0),
        }
        plain = [sys.executable, "-c", "import pydantic"]
        rows = []
        for name, (command, goal) in commands.items():
            ours, beside = [], []
            for _ in range(12):  # one after the other, so that both see the same machine
                for words, into in ((command, ours), (plain, beside)):
                    began = time.perf_counter()
                    subprocess.run(words, check=True, capture_output=True)
                    into.append(time.perf_counter() - began)
            ratio = statistics.median(ours) / statistics.median(beside)
            rows.append(Row(f"{name}, whole process, beside `import pydantic`", ratio, "times", goal))
        return rows


def server_rows() -> list[Row]:
    large, small = json.loads(large_job()), json.loads(DEMO.read_text())
    rows = []
    with people.demo_folder() as (base, folder, pid):
        me = people.Signed(base)
        time.sleep(8)  # the processes that compute are there
        rows.append(timed("plan of the demo job over the API, one round trip", lambda: me.raw("POST", "/api/plan", {**small, "name": str(next(people.NUMBERS))}), 1, 40))  # fmt: skip
        rows.append(timed("a round trip of the same server that asks for nothing", lambda: me.raw("GET", "/health"), 0.1, 60))
        loop = loop_ms()
        plans, saves = people.editing(base, large, 20, 25)
        rows += [
            Row("20 people, a change a second each, 12 x 32, two years beside: p95 of a save", people.late(saves), "ms", 300, loop),
            Row("the same: p95 of a plan", people.late(plans), "ms", 400, loop),
            Row("the same: changes made, of 500", len(saves), "changes", 400, rather_more=True),
            Row("memory of the server and its processes after it", people.memory_mb(pid), "MB", 600),
        ]
        for name, (figures, trips) in people.keys(base, {"small job": small, "12 x 32": large}).items():
            rows.append(
                Row(
                    f"Enter in a field to fresh figures, {name}, p95",
                    people.late(figures),
                    "ms",
                    3 * people.median(trips) + 60,
                    loop_ms(),
                )
            )
            rows.append(Row(f"a bare round trip of the same page, {name}", people.median(trips), "ms", 20, loop_ms()))
        rows.append(Row("first page of 5,000 jobs", people.median(people.many_jobs(base, folder, 5000)), "ms", 100, loop_ms()))
        rows.append(Row("first page, compressed", weight(base) / 1000, "kB", 250))
    rows.append(Row("start of the server until it answers", people.median(people.start_s()), "ms", 2000, loop_ms()))
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
    assert len(rows) <= 30
    lines = [
        "# Benchmarks",
        "",
        f"Made by `make bench` on {platform.machine()}, Python {platform.python_version()}. Medians of wall time unless said. This machine runs the same work in once to",
        f"twice the time from hour to hour, so times also stand as multiples of a fixed loop of plain Python ({LOOP_N:,} turns) timed beside them.",
        "",
        "| what | measured | in loops | goal | measured / goal |",
        "|---|---|---|---|---|",
        *(r.line() for r in rows),
        "",
    ]
    return "\n".join(lines)


def live_rows() -> list[Row]:
    """Return the rows of ports and stand-ins."""
    heard, share = live.frames()
    took, requests = live.settings_s()
    return [
        Row("frames heard a second of 5,000 sent", heard, "frames", 4900, rather_more=True),
        Row("hearing them, of a core", share, "%", 20),
        Row("a plant of 2 units and 4 modules, beside real time", live.plant_times(), "times", 600, rather_more=True),
        Row("77 settings at 9,600 baud", took * 1000, "ms", 10_000),
        Row("the same: requests", requests, "requests", 12),
    ]


def log_rows() -> list[Row]:
    """Return the rows of logs."""
    bus_s, share = logs.candump()
    table_s, beside, memory = logs.table()
    loop = loop_ms()
    return [
        Row("candump of 1M frames to figures", bus_s * 1000, "ms", 350, loop),
        Row("the same beside python-can and cantools", share, "%", 4),
        Row("CSV of 10M rows x 8 columns", table_s * 1000, "ms", 3000, loop),
        Row("the same beside polars alone", beside, "times", 2),
        Row("memory for it, beside the columns it becomes", memory, "times", 3),
        Row("a year of minutes: found and judged", logs.year() * 1000, "ms", 1000, loop_ms()),
    ]


def main() -> None:
    """Run every benchmark, or those of one part; print the table and, where asked, write it."""
    parts = {
        "core": core_rows,
        "order": order_rows,
        "flow": flow_rows,
        "process": process_rows,
        "server": server_rows,
        "live": live_rows,
        "logs": log_rows,
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
