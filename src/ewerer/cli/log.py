"""``ewerer log``: what a log holds, what happened in it, and whether the plan was kept."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path

from ..core.devices.library import parse_job
from ..core.plan import plan
from ..core.trade.errors import DocumentError, Problem
from . import STOPPED
from .files import library, read, write


def run(args: argparse.Namespace) -> int:
    """Print the report; 3 where a finding is bad, or the plan of the job holds a stop."""
    from ..core.logs.report import open_log, report

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
