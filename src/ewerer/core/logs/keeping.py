"""A log that was read, as one Parquet file: its columns, its clock, what was remarked; and the series that a plot asks for."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np

from ..trade.errors import DocumentError, Problem
from .clock import Clock, Gap
from .table import Log

__all__ = ["is_kept", "load", "save", "series", "thinned"]

MOST_POINTS = 4000
KEY = "ewerer"


def save(log: Log, path: Path) -> None:
    """Write a log."""
    import polars as pl

    about = {
        "mapping": log.mapping,
        "rows": log.rows,
        "bad_rows": log.bad_rows,
        "notes": log.notes,
        "step_s": log.clock.step_s,
        "gaps": [g.after for g in log.clock.gaps],
    }
    frame = pl.DataFrame({"wall": log.clock.wall.astype("datetime64[us]"), "t_s": log.t_s, **log.columns})
    frame.write_parquet(path, compression="zstd", metadata={KEY: json.dumps(about)})


def is_kept(path: Path) -> bool:
    """Return whether a file is a log as :func:`save` writes it."""
    import polars as pl

    try:
        return KEY in pl.read_parquet_metadata(path)
    except (pl.exceptions.PolarsError, OSError):
        return False


def load(path: Path) -> Log:
    """Read it again."""
    import polars as pl

    about = json.loads(pl.read_parquet_metadata(path)[KEY])
    frame = pl.read_parquet(path)
    clock = Clock(frame["wall"].to_numpy(), frame["t_s"].to_numpy(), about["step_s"], [Gap(g) for g in about["gaps"]])
    columns = {c: frame[c].to_numpy() for c in frame.columns if c not in ("wall", "t_s")}
    return Log(clock, columns, about["mapping"], about["rows"], about["bad_rows"], about["notes"])


def thinned(x: np.ndarray, y: np.ndarray, most: int) -> np.ndarray:
    """Return the rows to draw of a long line: of each of ``most`` stretches the one that spans the largest triangle with its neighbours.

    Largest-triangle-three-buckets, S. Steinarsson, Downsampling Time Series for Visual Representation (2013).
    """
    n = len(x)
    if n <= most or most < 3:
        return np.arange(n)
    edges = np.linspace(1, n - 1, most - 1).astype(int)
    chosen = np.empty(most, int)
    chosen[0], chosen[-1] = 0, n - 1
    at = 0
    for k in range(most - 2):
        a, b = edges[k], edges[k + 1]
        c, d = (edges[k + 1], edges[k + 2]) if k + 2 < len(edges) else (n - 1, n)
        next_x, next_y = float(x[c:d].mean()), float(y[c:d].mean())
        area = np.abs((x[at] - next_x) * (y[a:b] - y[at]) - (x[at] - x[a:b]) * (next_y - y[at]))
        at = a + int(np.argmax(area))
        chosen[k + 1] = at
    return chosen


def series(log: Log, columns: list[str], from_s: float, to_s: float, most: int) -> dict[str, Any]:
    """Return the lines of a stretch of a log: for each column pairs of seconds and figures, a None where nothing was logged."""
    unknown = [c for c in columns if c not in log.columns]
    if unknown:
        raise DocumentError(
            [
                Problem(
                    pointer="/columns",
                    message="this log has no such column",
                    value=unknown[0],
                    expected="one of " + ", ".join(log.columns),
                )
            ]
        )
    t = log.t_s
    a, b = int(np.searchsorted(t, from_s)), int(np.searchsorted(t, to_s, side="right"))
    out: dict[str, Any] = {"from_s": from_s, "to_s": to_s, "rows": b - a, "lines": {}}
    most = min(max(most, 3), MOST_POINTS)
    gaps = {g.after for g in log.clock.gaps}
    raw = True
    for name in columns:
        y = log.columns[name][a:b]
        x = t[a:b]
        known = np.isfinite(y)
        rows = np.flatnonzero(known)
        kept = rows[thinned(x[rows], y[rows], most)] if len(rows) else rows
        raw = raw and len(kept) == len(rows)
        line: list[list[float | None]] = []
        cuts = np.flatnonzero(~known)
        breaks = np.sort(np.concatenate([[g - a for g in gaps if a <= g < b], cuts]))
        for k, row in enumerate(kept):
            if k and len(breaks):
                between = np.searchsorted(breaks, row) - np.searchsorted(breaks, kept[k - 1])
                if between > 0:
                    line.append([round(float(x[kept[k - 1]]), 3), None])
            line.append([round(float(x[row]), 3), round(float(y[row]), 4)])
        out["lines"][name] = line
    out["raw"] = raw
    return out
