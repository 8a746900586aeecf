"""``ewerer sweep``: the bands of many weathers as JSON, one field varied where wished; on a Dask cluster where one is named."""

from __future__ import annotations

import argparse
import sys

from ..core.devices.library import parse_job
from ..core.plan import plan
from ..core.trade.errors import DocumentError, Problem
from . import STOPPED
from .cluster import executor_of
from .files import library, read, write


def run(args: argparse.Namespace) -> int:
    """Print the bands; progress goes to standard error where it is a terminal; 3 where the plan holds a stop."""
    from ..core.flow.sweep import sweep

    held = library(args.library)
    job = parse_job(read(args.job), held)
    vary = None
    if args.vary is not None:
        field, _, values = args.vary.partition("=")
        listed = [v.strip() for v in values.split(",") if v.strip()]
        if not field.strip() or not listed:
            raise DocumentError(
                [
                    Problem(
                        pointer="/vary",
                        message="no field and values",
                        value=args.vary,
                        expected="field=a,b,c such as modules=2,3,4",
                    )
                ]
            )
        vary = (field.strip(), listed)
    shown = sys.stderr.isatty()

    def told(word: str, share: float) -> None:
        if shown:
            print(f"\r{word}, {share * 100:.0f} % ", end="", file=sys.stderr, flush=True)

    with executor_of(args.scheduler) as executor:
        made = sweep(job, held, args.weathers, args.days, vary, executor, told)
    if shown:
        print("\r" + " " * 60 + "\r", end="", file=sys.stderr)
    write((made.model_dump_json(indent=2) + "\n").encode(), args.output)
    return STOPPED if plan(job, held).worst() == "stop" else 0
