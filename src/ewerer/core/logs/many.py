"""Many logs at once: every log below a folder, each judged against its own job, as one table of verdicts."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from concurrent.futures import Executor
from functools import lru_cache
from pathlib import Path
from typing import Any, NamedTuple

from ..devices.library import Library, parse_job, shipped_library
from ..plan import plan
from ..trade.errors import DocumentError
from .frames import SUFFIXES
from .report import open_log, report

__all__ = ["LogOfSite", "judge_all", "logs_below", "row_of", "table"]

TABLES = (".csv", ".tsv", ".txt", ".xlsx", ".parquet")
MOST_JOB_BYTES = 4 * 2**20
FIRST = ("log", "job", "verdict", "bad", "caution", "first", "refused", "rows", "bad_rows", "from", "to", "step_s", "gaps")
"""Columns of the table before the figures."""


class LogOfSite(NamedTuple):
    """A log, its place below the folder, and the job it is judged against; None where there is none."""

    path: str
    place: str
    job: str | None


def _is_job(path: Path) -> bool:
    try:
        return path.stat().st_size <= MOST_JOB_BYTES and str(json.loads(path.read_bytes()).get("ewerer", "")).startswith("job/")
    except (OSError, ValueError, AttributeError):
        return False


def logs_below(folder: Path, job: Path | None = None) -> list[LogOfSite]:
    """Return every log below a folder in order of its name.

    A log's job is ``job`` where it is given; else the JSON of its own name; else the only job in its folder, or in the nearest above it.
    """
    only: dict[Path, Path | None] = {}

    def of(where: Path) -> Path | None:
        if where not in only:
            jobs = [p for p in sorted(where.glob("*.json")) if _is_job(p)]
            only[where] = jobs[0] if len(jobs) == 1 else of(where.parent) if where != folder and not jobs else None
        return only[where]

    out = []
    for path in sorted(p for p in folder.rglob("*") if p.is_file() and p.suffix.lower() in (*TABLES, *SUFFIXES)):
        own = path.with_suffix(".json")
        mine = job or (own if own.exists() and _is_job(own) else of(path.parent))
        out.append(LogOfSite(str(path), str(path.relative_to(folder)), str(mine) if mine else None))
    return out


@lru_cache(maxsize=4)
def _library(folder: str | None) -> Library:
    return shipped_library().with_folder(Path(folder)) if folder else shipped_library()


@lru_cache(maxsize=64)
def _planned(job: str, library: str | None) -> Any:
    held = _library(library)
    made = parse_job(Path(job).read_bytes(), held)
    return made, plan(made, held)


def row_of(one: LogOfSite, library: str | None = None) -> dict[str, Any]:
    """Return a log's row of the table; a log or job that cannot be read is a row that says why."""
    row: dict[str, Any] = dict.fromkeys(FIRST) | {"log": one.place, "job": None, "verdict": "refused"}
    try:
        job, planned = _planned(one.job, library) if one.job else (None, None)
        row["job"] = job.name if job else None
        told = report(open_log(Path(one.path), Path(one.path).name, None, job), job, planned)
    except (DocumentError, OSError, MemoryError) as error:
        return row | {"refused": str(error).splitlines()[0][:300] if str(error) else type(error).__name__}
    verdicts = [f.verdict for f in told.findings]
    row |= {
        "verdict": told.worst(),
        "bad": verdicts.count("bad"),
        "caution": verdicts.count("caution"),
        "first": next((f.message for f in told.findings if f.verdict != "good"), None),
        "rows": told.rows,
        "bad_rows": told.bad_rows,
        "from": told.from_,
        "to": told.to,
        "step_s": told.step_s,
        "gaps": len(told.gaps),
    }
    return row | {k: (f.value if isinstance(f.value, str) else float(f.value)) for k, f in told.figures.items()}


def judge_all(logs: Sequence[LogOfSite], executor: Executor, library: str | None = None) -> Iterator[dict[str, Any]]:
    """Yield the row of each log, in order; a process that ended over one is that one's row."""
    waiting = [executor.submit(row_of, one, library) for one in logs]
    for one, future in zip(logs, waiting, strict=True):
        try:
            yield future.result()
        except Exception as error:  # what ends a process, or a cluster's worker, is whatever its system raises
            yield dict.fromkeys(FIRST) | {"log": one.place, "verdict": "refused", "refused": f"not read: {type(error).__name__}"}


def table(rows: Sequence[dict[str, Any]]) -> Any:
    """Return the rows as a polars table: what was judged first, then every figure that any log has."""
    import polars as pl

    figures = sorted({k for r in rows for k in r} - set(FIRST))
    words = ("log", "job", "verdict", "first", "refused", "from", "to", "full_at")
    schema = {c: pl.String if c in words else pl.Float64 if c in figures or c == "step_s" else pl.Int64 for c in (*FIRST, *figures)}
    return pl.DataFrame([{c: r.get(c) for c in schema} for r in rows], schema=schema)
