"""``ewerer log``: what a log holds, what happened in it, and whether the plan was kept; or a folder of them as one table."""

from __future__ import annotations

import argparse
import json
import multiprocessing
import os
import sys
from concurrent.futures import Executor, ProcessPoolExecutor
from pathlib import Path

from ..core.devices.library import parse_job
from ..core.plan import plan
from ..core.trade.errors import DocumentError, Problem
from . import STOPPED
from .cluster import executor_of
from .files import library, read, write


def run(args: argparse.Namespace) -> int:
    """Print the report; 3 where a finding is bad, or the plan of the job holds a stop."""
    from ..core.logs.report import open_log, report

    if args.file != "-" and Path(args.file).is_dir():
        return _many(args)
    held = library(args.library)
    job = parse_job(read(args.job), held) if args.job else None
    mapping = None
    if args.map:
        try:
            mapping = json.loads(read(args.map))
        except ValueError:
            mapping = None
        if not isinstance(mapping, dict) or not all(v is None or isinstance(v, str) for v in mapping.values()):
            raise DocumentError(
                [
                    Problem(
                        pointer="/map", message="this is no mapping", expected='JSON such as {"Battery V": "volts", "Note": null}'
                    )
                ]
            )
    if args.file == "-":
        source: Path | bytes = sys.stdin.buffer.read()
        name = "log"
    else:
        source, name = Path(args.file), Path(args.file).name
        if not source.is_file():
            raise DocumentError([Problem(pointer="/file", message="there is no such file", value=args.file, expected="a log")])
    planned = plan(job, held) if job is not None else None
    made = report(open_log(source, name, mapping, job), job, planned)
    write((made.model_dump_json(indent=2, by_alias=True) + "\n").encode(), args.output)
    return STOPPED if made.worst() == "bad" or (planned is not None and planned.worst() == "stop") else 0


def _many(args: argparse.Namespace) -> int:
    """Write the table of all logs below a folder: Parquet to a file of that name, else JSON."""
    from ..core.logs.many import judge_all, logs_below, table

    folder = Path(args.file)
    logs = logs_below(folder, Path(args.job) if args.job else None)
    if not logs:
        raise DocumentError(
            [
                Problem(
                    pointer="/file", message="no log is below this folder", value=args.file, expected="CSV, XLSX, Parquet or frames"
                )
            ]
        )
    if args.map:
        raise DocumentError([Problem(pointer="/map", message="a folder takes no mapping", expected="one log at a time with --map")])
    rows = []
    with executor_of(args.scheduler) as cluster:
        at_work: Executor = cluster or ProcessPoolExecutor(os.cpu_count(), multiprocessing.get_context("spawn"))
        try:
            for row in judge_all(logs, at_work, args.library):
                rows.append(row)
                if sys.stderr.isatty():
                    print(f"\r{len(rows)} of {len(logs)} logs ", end="", file=sys.stderr, flush=True)
        finally:
            if at_work is not cluster:
                at_work.shutdown(cancel_futures=True)
    made = table(rows)
    if args.output and args.output.endswith(".parquet"):
        try:
            made.write_parquet(args.output)
        except OSError as error:
            raise DocumentError(
                [Problem(pointer="", message=f"cannot write {args.output}: {error.strerror}", expected="a place to write")]
            ) from None
        words = ", ".join(f"{sum(r['verdict'] == v for r in rows)} {v}" for v in ("bad", "caution", "good", "none", "refused"))
        print(f"{len(rows)} logs: {words}", file=sys.stderr)
    else:
        write((json.dumps(made.to_dicts(), indent=2) + "\n").encode(), args.output)
    return STOPPED if any(r["verdict"] == "bad" for r in rows) else 0
