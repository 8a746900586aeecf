"""Logs: frames of a bus beside python-can and cantools, a large table beside polars alone, what a year of minutes takes to judge."""

from __future__ import annotations

import datetime as dt
import io
import random
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import can
import cantools
import numpy as np
import polars as pl

from ewerer.core.devices.library import demo_job, shipped_library
from ewerer.core.devices.wire.protocols import FAMILIES
from ewerer.core.logs.frames import decode, parse_candump
from ewerer.core.logs.report import open_log, report
from ewerer.core.logs.table import Log
from ewerer.demo.week import week_of

FRAMES, SHARE, ROWS, YEAR = 1_000_000, 20, 10_000_000, 525_600
BEGIN = 1_750_000_000
MEASURED = """
import re, sys
from pathlib import Path
from ewerer.core.logs.report import open_log
def most():
    return int(re.search(r"VmHWM:\\s+(\\d+)", Path("/proc/self/status").read_text())[1]) * 1024
open_log(b"time,volts\\n2025-01-01 00:00:00,52.1\\n2025-01-01 00:00:01,52.2\\n", "a.csv")
before = most()
log = open_log(Path(sys.argv[1]), "a.csv")
print((most() - before) / (sum(c.nbytes for c in log.columns.values()) + log.t_s.nbytes))
"""


def _best(run: object, times: int = 3) -> float:
    took = []
    for _ in range(times):
        begun = time.perf_counter()
        run()  # type: ignore[operator]
        took.append(time.perf_counter() - begun)
    return min(took)


def candump() -> tuple[float, float]:
    """Return how long a million frames of candump take to figures [s], and that as a share of python-can and cantools [%]."""
    family = FAMILIES["dunmarrow-link"]
    book = cantools.database.load_string(family.dbc_text(), "dbc")
    draw = random.Random(1)
    known = [m for m in book.messages if m.name in ("State", "Limits")]
    payloads = []
    for _ in range(500):
        for m in known:
            values = {
                s.name: draw.randint(int(s.minimum or 0), max(int(s.minimum or 0), min(int(s.maximum or 90), 90)))
                for s in m.signals
            }
            payloads.append((m.frame_id, m.encode(values, strict=False)))
    lines = [
        f"({BEGIN + n / 200:.6f}) can0 {id:03X}#{data.hex().upper()}"
        for n, (id, data) in ((n, payloads[n % len(payloads)]) for n in range(FRAMES))
    ]
    with tempfile.TemporaryDirectory() as folder:
        whole, part = Path(folder) / "bus.log", Path(folder) / "part.log"
        whole.write_text("\n".join(lines) + "\n")
        part.write_text("\n".join(lines[: FRAMES // SHARE]) + "\n")
        parse_candump(part.read_bytes())  # compiled

        def theirs() -> None:
            for message in can.CanutilsLogReader(part):
                book.decode_message(message.arbitration_id, message.data)

        mine = _best(lambda: decode(parse_candump(whole.read_bytes()), family))
        return mine, 100 * mine / (_best(theirs, 1) * SHARE)


def table() -> tuple[float, float, float]:
    """Return what ten million rows of eight columns take [s], that beside polars alone reading figures and times, and memory beside the columns."""
    r = np.random.default_rng(1)
    frame = pl.DataFrame(
        {"Time": np.datetime64("2025-06-01T00:00:00", "us") + np.arange(ROWS) * np.timedelta64(1_000_000, "us")}
        | {
            name: r.normal(middle, spread, ROWS)
            for name, middle, spread in (
                ("Bank V", 53, 0.3), ("Bank A", 0, 3), ("SOC %", 50, 9), ("PV kW", 5, 0.9), ("Load kW", 5, 0.9), ("Bank temp °C", 22, 1), ("Shunt A", 0, 3)
            )
        }
    )  # fmt: skip
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "ten.csv"
        frame.write_csv(path, datetime_format="%Y-%m-%d %H:%M:%S", float_precision=1)
        del frame

        def alone() -> None:
            read = pl.read_csv(path)
            read.lazy().select(pl.col("Time").str.to_datetime("%Y-%m-%d %H:%M:%S")).collect()

        mine, theirs = _best(lambda: open_log(path, "ten.csv")), _best(alone)
        told = subprocess.run([sys.executable, "-c", MEASURED, str(path)], capture_output=True, text=True, check=True).stdout
        return mine, mine / theirs, float(told)


def year() -> float:
    """Return what finding and judging take in a year of readings a minute [s]."""
    job, library = demo_job("skerry-field-station"), shipped_library()
    week = week_of(job, library)
    log = open_log(week, "week.csv")
    weeks = YEAR // log.rows + 1
    wall = np.datetime64(dt.datetime(2025, 1, 1), "us") + np.arange(weeks * log.rows) * np.timedelta64(60_000_000, "us")
    text = io.BytesIO()
    pl.DataFrame({"time": wall, **{q: np.tile(c, weeks) for q, c in log.columns.items()}})[:YEAR].write_csv(text)
    long: Log = open_log(text.getvalue(), "year.csv")
    report(log, job)
    return _best(lambda: report(long, job))
